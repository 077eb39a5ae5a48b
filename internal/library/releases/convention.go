package releases

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Convention is the default form of downloads. A choice on the page comes first, then the person's convention, then the
// studio's, then what the profile says; an empty field leaves the decision to the next of these.
type Convention struct {
	Profile   string `json:"profile"`
	Tier      string `json:"tier"` // 1k, 2k, 4k, 8k or source; the nearest one that a material has
	Normal    string `json:"normal"`
	Roughness string `json:"roughness"`
	Format    string `json:"format"`
}

// over gives the fields of c, and where they are empty those of what stands further away.
func (c Convention) over(further Convention) Convention {
	if c.Profile != "" && c.Profile != further.Profile { // conventions are a profile's: they don't go with another one
		further.Normal, further.Roughness, further.Format = "", "", ""
	}
	return Convention{cmp.Or(c.Profile, further.Profile), cmp.Or(c.Tier, further.Tier), cmp.Or(c.Normal, further.Normal), cmp.Or(c.Roughness, further.Roughness), cmp.Or(c.Format, further.Format)}
}

// Order is the convention as an order.
func (c Convention) Order() (Order, error) {
	return ParseOrder(c.Profile, c.Tier, c.Normal, c.Roughness, c.Format)
}

var studioConvention = library.Setting[Convention]{Name: "convention"}

func ownConvention(p people.Principal) library.Setting[Convention] {
	return library.Setting[Convention]{Name: fmt.Sprintf("convention of %d", p.UserID)}
}

// Conventions are the principal's own and the studio's, as they were saved.
func (s *Service) Conventions(ctx context.Context, p people.Principal) (own, studio Convention, err error) {
	if err := p.Need(people.Enter); err != nil {
		return own, studio, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		if studio, _, err = studioConvention.Get(tx); err != nil || p.UserID == 0 {
			return err
		}
		own, _, err = ownConvention(p).Get(tx)
		return err
	})
	return own, studio, err
}

// Convention is what counts for the principal. A profile that has been removed since counts for nobody.
func (s *Service) Convention(ctx context.Context, p people.Principal) (Convention, error) {
	own, studio, err := s.Conventions(ctx, p)
	if err != nil {
		return own, err
	}
	c := own.over(studio)
	if c.Profile == "" {
		return c, nil
	}
	offered, err := s.Profiles(ctx, p)
	if err != nil {
		return c, err
	}
	if _, err := c.Order(); err != nil || !slices.ContainsFunc(offered, func(k Profile) bool { return k.ID == c.Profile }) {
		return Convention{Tier: c.Tier}, nil
	}
	return c, nil
}

// SetConvention saves the principal's own convention, or with studio that of everybody who has none.
func (s *Service) SetConvention(ctx context.Context, p people.Principal, studio bool, c Convention) error {
	right, setting := people.Share, ownConvention(p)
	if studio {
		right, setting = people.Decide, studioConvention
	}
	if err := p.Need(right); err != nil {
		return err
	}
	if !studio && p.UserID == 0 {
		return library.Invalid("Only a person has a convention of their own.")
	}
	order, err := c.Order()
	if err != nil {
		return err
	}
	if _, err := s.Form(ctx, p, &order); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		was, _, err := setting.Save(tx, 0, c)
		if err != nil || !studio || was == c {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "convention", "the studio", fmt.Sprintf("%s %s", cmp.Or(c.Profile, "as scanned"), c.Tier)))
	})
}
