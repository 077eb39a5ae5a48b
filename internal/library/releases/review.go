package releases

import (
	"context"
	"errors"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// Review is a draft that a librarian wants a lead to look at before it is released.
type Review struct {
	MaterialID int64
	Name       string
	Version    int64 // of the draft
	Notes      string
	By         string
	Asked      time.Time
	Returned   string // why a lead gave it back; "" while it waits
	ReturnedBy string
}

// Waits says whether a lead has still to look at it.
func (r Review) Waits() bool { return r.MaterialID != 0 && r.Returned == "" }

// Reviews are all that wait or were returned, the longest waiting first.
func (s *Service) Reviews(ctx context.Context, p people.Principal) (list []Review, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Reviews(); return err })
	return list, err
}

// ReviewOf is a material's review; zero if it has none.
func (s *Service) ReviewOf(ctx context.Context, p people.Principal, material int64) (r Review, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return r, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { r, err = tx.Review(material); return err })
	if errors.Is(err, library.ErrNotFound) {
		err = nil
	}
	return r, err
}

// AskReview sends a draft, as it was seen, to the leads.
func (s *Service) AskReview(ctx context.Context, p people.Principal, of library.Seen, notes string) (r Review, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return r, err
	}
	if len(notes) > 4000 {
		return r, library.Invalid("The notes have more than 4000 bytes; shorten them.")
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		list, err := materials.Load(tx, []library.Seen{of})
		if err != nil {
			return err
		}
		m := list[0]
		if err := m.Ready(); err != nil {
			return err
		}
		r = Review{MaterialID: m.ID, Name: m.Name, Version: m.Version, Notes: strings.TrimSpace(notes), By: p.Name, Asked: s.Now()}
		if err := tx.SaveReview(r); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "review", m.Name, "sent to review: "+r.Notes))
	})
	return r, err
}

// ReturnReview gives a draft back to its librarian, as it was seen, with a reason.
func (s *Service) ReturnReview(ctx context.Context, p people.Principal, of library.Seen, reason string) error {
	if err := p.Need(people.Decide); err != nil {
		return err
	}
	if reason = strings.TrimSpace(reason); reason == "" || len(reason) > 4000 {
		return library.Invalid("Say what is to be done before it can be released, in 4000 bytes at most.")
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		r, err := tx.Review(of.ID)
		if err != nil {
			return err
		}
		if _, err := materials.Load(tx, []library.Seen{of}); err != nil {
			return err
		}
		r.Returned, r.ReturnedBy = reason, p.Name
		if err := tx.SaveReview(r); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "review", r.Name, "returned: "+reason))
	})
}

// Approve releases a reviewed draft, as the lead saw it, with the librarian's notes, approved.
func (s *Service) Approve(ctx context.Context, p people.Principal, of library.Seen, override string) (r Release, err error) {
	if err := p.Need(people.Decide); err != nil {
		return r, err
	}
	review, err := s.ReviewOf(ctx, p, of.ID)
	if err != nil {
		return r, err
	}
	if !review.Waits() {
		return r, library.Invalid("It does not wait for a review any more. Look at the list again.")
	}
	return s.Release(ctx, p, of, ReleaseText{Notes: review.Notes, Override: override, approved: true})
}
