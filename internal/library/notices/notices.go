// Package notices keeps what people and other programs are told: notices on a page, and messages to webhooks. Both are
// written in the transaction that they tell of.
package notices

import (
	"context"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Service keeps notices and webhooks.
type Service struct {
	*library.Base
	Store library.Store[Reader, Tx]
	Post  Poster // sends webhooks; nil sends none
}

// keptFor is how long notices that were seen, and messages that do not wait any more, are kept.
const keptFor = 90 * 24 * time.Hour

// List are somebody's notices, the latest first.
func (s *Service) List(ctx context.Context, p people.Principal, n int) (list []Notice, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Notices(p.Name, n); return err })
	return list, err
}

// Unseen is how many notices somebody has not seen.
func (s *Service) Unseen(ctx context.Context, p people.Principal) (n int, err error) {
	err = s.Store.Read(ctx, func(tx Reader) (err error) { n, err = tx.Unseen(p.Name); return err })
	return n, err
}

// See records that somebody has seen the notices up to one.
func (s *Service) See(ctx context.Context, p people.Principal, upTo int64) error {
	if err := p.Need(people.Enter); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error { return tx.SeeNotices(p.Name, upTo) })
}

// Tell tells one person something.
func (s *Service) Tell(tx Tx, person, text, href string) error {
	return tx.AddNotice(Notice{Person: person, Text: text, Href: href, At: s.Now()})
}

// News is what happened to a material's release.
type News struct {
	Event    string // one of Events
	By       string // who did it
	Material int64
	Release  int64
	Number   int
	Text     string
	Page     string // address of what it is about
}

// TellTakers tells those who took a material what happened to it, but not who did it; and webhooks.
func (s *Service) TellTakers(tx Tx, n News) error {
	takers, err := tx.Takers(n.Material)
	if err != nil {
		return err
	}
	for _, who := range takers {
		if who == n.By {
			continue
		}
		if err := s.Tell(tx, who, n.Text, n.Page); err != nil {
			return err
		}
	}
	return s.TellPrograms(tx, n.Event, map[string]any{
		"material_id": n.Material, "release_id": n.Release, "release": n.Number, "says": n.Text, "by": n.By, "page": n.Page})
}

// Forget removes what has been kept long enough.
func (s *Service) Forget(ctx context.Context) error {
	before := s.Now().Add(-keptFor)
	return s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.ForgetNotices(before); err != nil {
			return err
		}
		return tx.ForgetHooks(before)
	})
}
