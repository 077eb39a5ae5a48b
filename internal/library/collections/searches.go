package collections

import (
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Search is a search of the Library that somebody saved.
type Search struct {
	ID      int64
	Owner   string
	Name    string
	Address string    // the query of the Library's address, without page
	Seen    time.Time // what was released after this is new
	Told    time.Time // when the owner got a notice of news; zero for not since Seen
	Created time.Time
}

// mostSearches is how many searches one person saves.
const mostSearches = 50

// Searches are somebody's saved searches, by name.
func (s *Service) Searches(ctx context.Context, p people.Principal) (list []Search, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Searches(p.Name); return err })
	return list, err
}

// AddSearch saves a search.
func (s *Service) AddSearch(ctx context.Context, p people.Principal, name, address string) (k Search, err error) {
	if err := p.Need(people.Share); err != nil {
		return k, err
	}
	name = strings.TrimSpace(name)
	query, bad := url.ParseQuery(strings.TrimPrefix(address, "?"))
	query.Del("page")
	switch {
	case name == "" || len(name) > 80:
		return k, library.Invalid("A saved search has a name of up to 80 letters.")
	case bad != nil || len(address) > 4000:
		return k, library.Invalid("The address of the search can't be read.")
	}
	k = Search{Owner: p.Name, Name: name, Address: query.Encode(), Seen: s.Now(), Created: s.Now()}
	err = s.Store.Write(ctx, func(tx Tx) error {
		had, err := tx.Searches(p.Name)
		if err != nil {
			return err
		}
		if len(had) >= mostSearches {
			return library.Invalid(fmt.Sprintf("You have %d saved searches. Remove one first.", mostSearches))
		}
		return tx.AddSearch(&k)
	})
	return k, err
}

// SeeSearch notes that somebody has looked at a saved search: nothing of it is new any more.
func (s *Service) SeeSearch(ctx context.Context, p people.Principal, id int64) error {
	if err := p.Need(people.Enter); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		list, err := tx.Searches(p.Name)
		for i := range list {
			if list[i].ID == id && err == nil {
				list[i].Seen, list[i].Told = s.Now(), time.Time{}
				return tx.SaveSearch(&list[i])
			}
		}
		return err
	})
}

// Untold are everybody's saved searches whose news nobody was told of.
func (s *Service) Untold(ctx context.Context) (list []Search, err error) {
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.AllSearches(); return err })
	return slices.DeleteFunc(list, func(k Search) bool { return !k.Told.IsZero() }), err
}

// Tell gives the owner of a saved search a notice of its news.
func (s *Service) Tell(ctx context.Context, k Search, text, href string) error {
	k.Told = s.Now()
	return s.Store.Write(ctx, func(tx Tx) error {
		if err := s.Notices.Tell(tx, k.Owner, text, href); err != nil {
			return err
		}
		return tx.SaveSearch(&k)
	})
}

// RemoveSearch removes a saved search.
func (s *Service) RemoveSearch(ctx context.Context, p people.Principal, id int64) error {
	if err := p.Need(people.Share); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error { return tx.RemoveSearch(p.Name, id) })
}
