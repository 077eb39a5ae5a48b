// Package collections keeps what people want to find again: favourites, collections of
// materials in an order of their own, and searches.
package collections

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"aldermoor/core/colour"
	"aldermoor/internal/library"
	"aldermoor/internal/library/notices"
	"aldermoor/internal/library/people"
)

// Service keeps collections and searches.
type Service struct {
	*library.Base
	Store   library.Store[Reader, Tx]
	Notices *notices.Service
}

// Collection is a choice of materials, in an order made by hand.
type Collection struct {
	ID      int64
	Name    string
	Colour  string // #rrggbb of its label; "" for none
	Owner   string
	Shared  bool // everybody sees it; its owner and leads change it
	Stars   bool // the owner's favourites
	Version int64
	Changed time.Time
	Count   int
	Items   []int64 // materials; nil in a list
	First   []int64 // the first few of them, in a list
}

// most is how many materials a collection holds.
const most = 2000

// mayChange says whether somebody may change a collection.
func (c *Collection) mayChange(p people.Principal) error {
	if c.Owner == p.Name || c.Shared && p.May(people.Decide) {
		return nil
	}
	if !c.Shared {
		return library.ErrNotFound // somebody else's own
	}
	return library.Invalid(fmt.Sprintf("The collection %s belongs to %s. Copy it to change it.", c.Name, c.Owner))
}

// seen says whether somebody may see a collection.
func (c *Collection) seen(p people.Principal) bool { return c.Shared || c.Owner == p.Name }

// All are somebody's own collections and the shared ones, by name.
func (s *Service) All(ctx context.Context, p people.Principal) (list []Collection, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Collections(p.Name); return err })
	return list, err
}

// One is a collection with its materials.
func (s *Service) One(ctx context.Context, p people.Principal, id int64) (c Collection, err error) {
	if err := p.Need(people.Enter); err != nil {
		return c, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { c, err = tx.Collection(id); return err })
	if err == nil && !c.seen(p) {
		err = library.ErrNotFound
	}
	return c, err
}

// Stars are somebody's favourites; empty without any.
func (s *Service) Stars(ctx context.Context, p people.Principal) (c Collection, err error) {
	if err := p.Need(people.Enter); err != nil {
		return c, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { c, err = tx.Stars(p.Name); return err })
	if errors.Is(err, library.ErrNotFound) {
		return Collection{Owner: p.Name, Stars: true, Name: "Favourites"}, nil
	}
	return c, err
}

// check says what of a collection can't be.
func (c *Collection) check() error {
	c.Name = strings.TrimSpace(c.Name)
	switch _, ok := colour.ParseHex(c.Colour); {
	case c.Name == "" || len(c.Name) > 80:
		return library.Invalid("A collection has a name of up to 80 letters.")
	case c.Colour != "" && !ok:
		return library.Invalid(fmt.Sprintf("A label's colour is written #rrggbb; %q is not.", c.Colour))
	case len(c.Items) > most:
		return library.Invalid(fmt.Sprintf("A collection holds %d materials at most.", most))
	}
	seen := make(map[int64]bool, len(c.Items))
	items := make([]int64, 0, len(c.Items))
	for _, id := range c.Items {
		if !seen[id] {
			seen[id] = true
			items = append(items, id)
		}
	}
	c.Items, c.Count = items, len(items)
	return nil
}

// Add keeps a new collection of somebody's.
func (s *Service) Add(ctx context.Context, p people.Principal, c Collection) (Collection, error) {
	if err := p.Need(people.Share); err != nil {
		return c, err
	}
	c.Owner, c.Stars, c.Changed = p.Name, false, s.Now()
	if err := c.check(); err != nil {
		return c, err
	}
	err := s.Store.Write(ctx, func(tx Tx) error { return tx.AddCollection(&c) })
	return c, err
}

// Change changes a collection as it was seen.
func (s *Service) Change(ctx context.Context, p people.Principal, of library.Seen, change func(c *Collection)) (c Collection, err error) {
	if err := p.Need(people.Share); err != nil {
		return c, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if c, err = tx.Collection(of.ID); err != nil {
			return err
		}
		if err := c.mayChange(p); err != nil {
			return err
		}
		if of.Version != 0 && of.Version != c.Version {
			return library.ErrStale
		}
		owner, stars := c.Owner, c.Stars
		change(&c)
		c.Owner, c.Stars, c.Changed = owner, stars, s.Now()
		if stars {
			c.Name, c.Shared = "Favourites", false
		}
		if err := c.check(); err != nil {
			return err
		}
		return tx.SaveCollection(&c)
	})
	return c, err
}

// Star makes a material somebody's favourite, or no longer.
func (s *Service) Star(ctx context.Context, p people.Principal, material int64, on bool) error {
	if err := p.Need(people.Share); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		c, err := tx.Stars(p.Name)
		if errors.Is(err, library.ErrNotFound) {
			c = Collection{Owner: p.Name, Stars: true, Name: "Favourites", Changed: s.Now()}
			if err = tx.AddCollection(&c); err != nil {
				return err
			}
		}
		if err != nil {
			return err
		}
		has := slices.Contains(c.Items, material)
		switch {
		case on == has:
			return nil
		case on:
			c.Items = append(c.Items, material)
		default:
			c.Items = slices.DeleteFunc(c.Items, func(id int64) bool { return id == material })
		}
		c.Changed = s.Now()
		if err := c.check(); err != nil {
			return err
		}
		return tx.SaveCollection(&c)
	})
}

// Remove removes a collection; the materials stay.
func (s *Service) Remove(ctx context.Context, p people.Principal, of library.Seen) error {
	if err := p.Need(people.Share); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		c, err := tx.Collection(of.ID)
		if errors.Is(err, library.ErrNotFound) {
			return nil // it was carried out
		}
		if err != nil {
			return err
		}
		if err := c.mayChange(p); err != nil {
			return err
		}
		if of.Version != 0 && of.Version != c.Version {
			return library.ErrStale
		}
		if c.Shared {
			if err := tx.AddAudit(people.Entry(s.Now(), p.Name, "collection", c.Name, "removed")); err != nil {
				return err
			}
		}
		return tx.RemoveCollection(c.ID)
	})
}
