package web

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"aldermoor/internal/library"
	"aldermoor/internal/library/collections"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"

	"github.com/labstack/echo/v5"
)

// This file keeps collections and favourites.

// collectionParam narrows the Library to a collection.
const collectionParam = "collection"

// collectionsPage lists what somebody keeps.
type collectionsPage struct {
	frame
	Recent   []releases.Card
	List     []collectionRow
	Searches []searchRow
}

// recentShown is how many materials the page of collections shows of those looked at lately.
const recentShown = 10

type collectionRow struct {
	collections.Collection
	Mine  bool
	When  string
	Cards []releases.Card // the first few
	Href  string
}

func (s *Server) collections(c *echo.Context) error {
	ctx, p := c.Request().Context(), me(c)
	list, err := s.Studio.Collections.All(ctx, p)
	if err != nil {
		return err
	}
	page := collectionsPage{frame: s.frame(c, "Collections")}
	for _, k := range list {
		row := collectionRow{Collection: k, Mine: k.Owner == p.Name, When: ago(k.Changed, here(c)), Href: fmt.Sprintf("/library?collection=%d&sort=hand", k.ID)}
		for _, id := range k.First {
			if card, ok := s.Studio.Search.OfMaterial(id); ok && len(row.Cards) < 4 {
				row.Cards = append(row.Cards, card)
			}
		}
		page.List = append(page.List, row)
	}
	recent, err := s.Studio.Collections.Recent(ctx, p, recentShown)
	if err != nil {
		return err
	}
	for _, id := range recent {
		if card, ok := s.Studio.Search.OfMaterial(id); ok {
			page.Recent = append(page.Recent, card)
		}
	}
	searches, err := s.Studio.Collections.Searches(ctx, p)
	if err != nil {
		return err
	}
	for _, k := range searches {
		row := searchRow{Search: k, Href: fmt.Sprintf("/library?%s", k.Address)}
		if row.New, err = s.newHits(ctx, p, k); err != nil {
			return err
		}
		page.Searches = append(page.Searches, row)
	}
	return s.render(c, http.StatusOK, "collections", page)
}

// within narrows a query to the collection that an address names: one by its number, a person's stars, or what they
// looked at lately.
func (s *Server) within(ctx context.Context, p people.Principal, text string, q *search.Query) (col *collections.Collection, err error) {
	if text == "" {
		return nil, nil
	}
	var k collections.Collection
	switch text {
	case "stars":
		k, err = s.Studio.Collections.Stars(ctx, p)
	case "recent":
		k.Name = "Looked at lately"
		k.Items, err = s.Studio.Collections.Recent(ctx, p, 0)
	default:
		id, bad := strconv.ParseInt(text, 10, 64)
		if bad != nil {
			return nil, library.Invalid(fmt.Sprintf("%q is no collection.", text))
		}
		k, err = s.Studio.Collections.One(ctx, p, id)
	}
	if err != nil {
		return nil, err
	}
	if q.Within = k.Items; q.Within == nil {
		q.Within = []int64{}
	}
	return &k, nil
}

type apiCollection struct {
	ID        int64                `json:"id"`
	Name      string               `json:"name"`
	Colour    string               `json:"colour"`
	Owner     string               `json:"owner"`
	Shared    bool                 `json:"shared"`
	Stars     bool                 `json:"favourites"`
	Version   int64                `json:"version"`
	Count     int                  `json:"count"`
	Materials []apiCollectionEntry `json:"materials,omitempty"`
	Missing   []string             `json:"missing,omitempty"` // of an import: what is not in the Library
}

type apiCollectionEntry struct {
	ID   int64  `json:"material_id"`
	Slug string `json:"slug"`
	Name string `json:"name"`
}

func (s *Server) collectionView(k collections.Collection) apiCollection {
	v := apiCollection{ID: k.ID, Name: k.Name, Colour: k.Colour, Owner: k.Owner, Shared: k.Shared, Stars: k.Stars, Version: k.Version, Count: k.Count}
	for _, id := range k.Items {
		if card, ok := s.Studio.Search.OfMaterial(id); ok {
			v.Materials = append(v.Materials, apiCollectionEntry{id, card.Slug, card.Name})
		}
	}
	return v
}

func (s *Server) apiCollections(c *echo.Context) error {
	list, err := s.Studio.Collections.All(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	items := []apiCollection{}
	for _, k := range list {
		items = append(items, s.collectionView(k))
	}
	return answerAll(c, items)
}

func (s *Server) apiCollection(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	k, err := s.Studio.Collections.One(c.Request().Context(), me(c), id)
	return s.sendCollection(c, http.StatusOK, k, err)
}

func (s *Server) sendCollection(c *echo.Context, status int, k collections.Collection, err error) error {
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(k.Version))
	if c.QueryParam("download") != "" {
		c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.json"`, materials.Slug(k.Name)))
	}
	return c.JSON(status, s.collectionView(k))
}

// collectionBody is a collection as programs send it, and as it was exported.
type collectionBody struct {
	Name      *string               `json:"name"`
	Colour    *string               `json:"colour"`
	Shared    *bool                 `json:"shared"`
	Items     *[]int64              `json:"items"` // materials, in their order
	Add       []int64               `json:"add"`
	Remove    []int64               `json:"remove"`
	Materials *[]apiCollectionEntry `json:"materials"` // by slug: of an export
}

// items are the materials of a body whose entries are named by slug, and those that are missing.
func (s *Server) itemsOf(list []apiCollectionEntry) (ids []int64, missing []string) {
	for _, e := range list {
		if card, ok := s.Studio.Search.Card(e.Slug); ok {
			ids = append(ids, card.MaterialID)
		} else {
			missing = append(missing, e.Slug)
		}
	}
	return ids, missing
}

func (b *collectionBody) put(k *collections.Collection) {
	if b.Name != nil {
		k.Name = *b.Name
	}
	if b.Colour != nil {
		k.Colour = *b.Colour
	}
	if b.Shared != nil {
		k.Shared = *b.Shared
	}
	if b.Items != nil {
		k.Items = *b.Items
	}
	k.Items = append(k.Items, b.Add...)
	k.Items = slices.DeleteFunc(k.Items, func(id int64) bool { return slices.Contains(b.Remove, id) })
}

// readCollection reads a collection, also one that was exported.
func readCollection(c *echo.Context) (b collectionBody, err error) {
	var in struct {
		collectionBody
		ID      int64    `json:"id"`
		Owner   string   `json:"owner"`
		Stars   bool     `json:"favourites"`
		Version int64    `json:"version"`
		Count   int      `json:"count"`
		Missing []string `json:"missing"`
	}
	err = readJSON(c, &in)
	return in.collectionBody, err
}

func (s *Server) apiAddCollection(c *echo.Context) error {
	in, err := readCollection(c)
	if err != nil {
		return err
	}
	var k collections.Collection
	in.put(&k)
	var missing []string
	if in.Materials != nil {
		k.Items, missing = s.itemsOf(*in.Materials)
	}
	k, err = s.Studio.Collections.Add(c.Request().Context(), me(c), k)
	if err != nil {
		return err
	}
	v := s.collectionView(k)
	v.Missing = missing
	c.Response().Header().Set("Location", fmt.Sprintf("/api/v1/collections/%d", k.ID))
	c.Response().Header().Set("ETag", etag(k.Version))
	return c.JSON(http.StatusCreated, v)
}

func (s *Server) apiChangeCollection(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	in, err := readCollection(c)
	if err != nil {
		return err
	}
	k, err := s.Studio.Collections.Change(c.Request().Context(), me(c), of, in.put)
	return s.sendCollection(c, http.StatusOK, k, err)
}

func (s *Server) apiRemoveCollection(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	if err := s.Studio.Collections.Remove(c.Request().Context(), me(c), of); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *Server) apiStars(c *echo.Context) error {
	k, err := s.Studio.Collections.Stars(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	if k.Items == nil {
		k.Items = []int64{}
	}
	return c.JSON(http.StatusOK, map[string]any{"items": k.Items})
}

func (s *Server) apiStar(c *echo.Context) error {
	var in struct {
		Material int64 `json:"material_id"`
		On       bool  `json:"on"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if _, ok := s.Studio.Search.OfMaterial(in.Material); !ok && in.On {
		return library.ErrNotFound
	}
	if err := s.Studio.Collections.Star(c.Request().Context(), me(c), in.Material, in.On); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
