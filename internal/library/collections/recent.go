package collections

import (
	"context"

	"aldermoor/internal/library/people"
)

// mostLooks is how many materials are kept of those that a person looked at.
const mostLooks = 60

// Look notes that somebody looks at a material. What programs read is not noted.
func (s *Service) Look(ctx context.Context, p people.Principal, material int64) error {
	if p.Token {
		return nil
	}
	last, err := s.Recent(ctx, p, 1)
	if err != nil || len(last) > 0 && last[0] == material {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error { return tx.AddLook(p.Name, material, s.Now(), mostLooks) })
}

// Recent are the materials that somebody looked at lately, the last first; 0 for all that are kept.
func (s *Service) Recent(ctx context.Context, p people.Principal, n int) (list []int64, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	if n <= 0 {
		n = mostLooks
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.LookedAt(p.Name, n); return err })
	return list, err
}
