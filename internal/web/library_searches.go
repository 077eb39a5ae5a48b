package web

import (
	"context"
	"fmt"
	"net/http"
	"net/url"

	"aldermoor/internal/library/collections"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/search"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

type searchRow struct {
	collections.Search
	Href string
	New  int // materials released since it was looked at
}

// newHits is how many materials of a saved search were released since it was looked at.
func (s *Server) newHits(ctx context.Context, p people.Principal, k collections.Search) (int, error) {
	v, err := url.ParseQuery(k.Address)
	if err != nil {
		return 0, nil
	}
	q, err := s.query(v, 1)
	if err != nil {
		return 0, nil // a search that can't be read any more has no news
	}
	if _, err := s.within(ctx, p, v.Get(collectionParam), &q); err != nil {
		return 0, nil // nor has one in a collection that is gone
	}
	when := q.Range[search.Released] // the search may have dates of its own
	when.Least = max(when.Least, float64(k.Seen.Unix()+1))
	if when.Most != 0 && when.Most < when.Least {
		return 0, nil
	}
	q.Range[search.Released], q.Per = when, 1
	found, err := s.Studio.Search.Find(ctx, p, q)
	return found.Total, err
}

// TellSearches gives everybody a notice of what is new in a saved search: once, until it is looked at. Searches run
// again only when something was published since the last time.
func (s *Server) TellSearches(ctx context.Context) error {
	state := s.Studio.Search.Publications()
	if state == s.told.Load() {
		return nil
	}
	if err := s.tellSearches(ctx); err != nil {
		return err
	}
	s.told.Store(state)
	return nil
}

func (s *Server) tellSearches(ctx context.Context) error {
	list, err := s.Studio.Collections.Untold(ctx)
	if err != nil {
		return err
	}
	for _, k := range list {
		n, err := s.newHits(ctx, people.As(k.Owner, people.Artist), k)
		if err != nil {
			return err
		}
		if n == 0 {
			continue
		}
		says := fmt.Sprintf("New in your search “%s”: %s.", k.Name, wording.Count(n, "material"))
		if err := s.Studio.Collections.Tell(ctx, k, says, "/library?"+k.Address); err != nil {
			return err
		}
	}
	return nil
}

type apiSearch struct {
	ID      int64  `json:"id"`
	Name    string `json:"name"`
	Address string `json:"address"`
	New     int    `json:"new"`
}

func (s *Server) apiSearches(c *echo.Context) error {
	list, err := s.Studio.Collections.Searches(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	items := []apiSearch{}
	for _, k := range list {
		n, err := s.newHits(c.Request().Context(), me(c), k)
		if err != nil {
			return err
		}
		items = append(items, apiSearch{k.ID, k.Name, k.Address, n})
	}
	return answerAll(c, items)
}

func (s *Server) apiAddSearch(c *echo.Context) error {
	var in struct{ Name, Address string }
	if err := readJSON(c, &in); err != nil {
		return err
	}
	k, err := s.Studio.Collections.AddSearch(c.Request().Context(), me(c), in.Name, in.Address)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, apiSearch{k.ID, k.Name, k.Address, 0})
}

// apiSeeSearch notes that a saved search was looked at.
func (s *Server) apiSeeSearch(c *echo.Context) error {
	id, err := whole(c, "id", 0)
	if err != nil {
		return err
	}
	if err := s.Studio.Collections.SeeSearch(c.Request().Context(), me(c), int64(id)); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *Server) apiRemoveSearch(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	if err := s.Studio.Collections.RemoveSearch(c.Request().Context(), me(c), id); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
