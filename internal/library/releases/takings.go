package releases

import (
	"context"
	"time"

	"aldermoor/internal/library/people"
)

// Taking is a handoff that somebody took, once or more often.
type Taking struct {
	MaterialID, ReleaseID int64
	Number                int // of the release
	Person                string
	Form                  string // which handoff, in words
	Last                  time.Time
	Times                 int
}

// TakingsOf are the latest takings of a material: who uses it.
func (s *Service) TakingsOf(ctx context.Context, p people.Principal, material int64, n int) (list []Taking, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.TakingsOf(material, n); return err })
	return list, err
}

// MyTakings are the principal's own latest takings.
func (s *Service) MyTakings(ctx context.Context, p people.Principal, n int) (list []Taking, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.TakingsBy(p.Name, n); return err })
	return list, err
}
