package web

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"aldermoor/core/handoff"
	"aldermoor/internal/library"
	"aldermoor/internal/library/collections"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// This file keeps collections, favourites and saved searches, corrects what is chosen in the
// Library, and packs several materials into one file.

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

type searchRow struct {
	collections.Search
	Href string
	New  int // materials released since it was looked at
}

func (s *Server) collections(c *echo.Context) error {
	ctx, p := c.Request().Context(), me(c)
	list, err := s.Studio.Collections.All(ctx, p)
	if err != nil {
		return err
	}
	page := collectionsPage{frame: s.frame(c, "Collections")}
	page.Place = "library"
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

// TellSearches gives everybody a notice of what is new in a saved search: once, until it is looked at.
func (s *Server) TellSearches(ctx context.Context) error {
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
		if err := s.Studio.Requests.Notify(ctx, k.Owner, says, "/library?"+k.Address); err != nil {
			return err
		}
		if err := s.Studio.Collections.Tell(ctx, k); err != nil {
			return err
		}
	}
	return nil
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
	return c.JSON(http.StatusOK, map[string]any{"total": len(items), "items": items})
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
	return c.JSON(http.StatusOK, map[string]any{"total": len(items), "items": items})
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

// apiCorrectMany corrects the descriptions of several releases at once, or puts them back.
func (s *Server) apiCorrectMany(c *echo.Context) error {
	var in struct {
		Releases []int64 `json:"releases"`
		materials.BulkChange
		Restore map[int64]releases.Description `json:"restore"` // as an earlier answer gave it
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if in.Restore != nil {
		if err := s.Studio.Releases.Restore(c.Request().Context(), me(c), in.Restore); err != nil {
			return err
		}
		return c.JSON(http.StatusOK, map[string]any{"was": map[string]any{}})
	}
	was, err := s.Studio.Releases.CorrectMany(c.Request().Context(), me(c), in.Releases, in.BulkChange)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"was": was})
}

// oneOpen keeps one file of a pack open at a time: packs have thousands.
type oneOpen struct {
	of   *closedFile
	blob library.Blob
}

func (o *oneOpen) close() {
	if o.blob != nil {
		o.blob.Close()
	}
	o.of, o.blob = nil, nil
}

// closedFile is a file of a handoff that is opened when it is read. It is for one reader.
type closedFile struct {
	shelf *oneOpen
	made  *releases.Made
	path  string
}

// ReadAt implements io.ReaderAt.
func (f *closedFile) ReadAt(p []byte, off int64) (int, error) {
	if f.shelf.of != f {
		f.shelf.close()
		b, err := f.made.Open(f.path)
		if err != nil {
			return 0, err
		}
		f.shelf.of, f.shelf.blob = f, b
	}
	return f.shelf.blob.ReadAt(p, off)
}

// mostPacked is how many materials one pack holds.
const mostPacked = 200

// apiPack is one zip of several materials' handoffs, with a contact sheet: of a collection, or of the
// releases that are named.
func (s *Server) apiPack(c *echo.Context) error {
	ctx, p := c.Request().Context(), me(c)
	order, err := orderOf(c)
	if err != nil {
		return err
	}
	order.Looking = looking(c)
	name, ids, err := s.packOf(c)
	if err != nil {
		return err
	}
	wait, err := whole(c, "wait", handoffWait)
	if err != nil {
		return err
	}
	until := time.Now().Add(time.Duration(min(max(wait, 0), 60)) * time.Second)
	var parts []handoff.Part
	var items []pictures.SheetItem
	var latest time.Time
	shelf := &oneOpen{}
	defer shelf.close()
	// Until all are there nothing is taken: those that are ready are not recorded again and again.
	for i, id := range ids {
		r, err := s.Studio.Releases.ReleaseByID(ctx, p, id)
		if err != nil {
			return err
		}
		look := order
		look.Looking = true
		_, err = s.Studio.Releases.Take(ctx, p, &r, look, time.Until(until))
		var pending releases.Pending
		if errors.As(err, &pending) {
			c.Response().Header().Set("Retry-After", "1")
			return c.JSON(http.StatusAccepted, map[string]any{"state": "making", "done": i, "of": len(ids), "progress": float64(i) / float64(len(ids)), "href": c.Request().URL.RequestURI()})
		}
		if err != nil {
			return err
		}
	}
	for _, id := range ids {
		r, err := s.Studio.Releases.ReleaseByID(ctx, p, id)
		if err != nil {
			return err
		}
		m, err := s.Studio.Releases.Take(ctx, p, &r, order, time.Until(until))
		if err != nil {
			return err
		}
		for _, f := range m.Files {
			from := &closedFile{shelf, &m, f.Path}
			f.Path = m.Folder + "/" + f.Path
			parts = append(parts, handoff.Part{File: f, R: from})
		}
		if r.Created.After(latest) {
			latest = r.Created
		}
		items = append(items, pictures.SheetItem{Material: &r.Material, Line: sizeLine(&r.Material)})
	}
	if len(items) <= 120 {
		sheet, err := s.Studio.Pictures.Sheet(ctx, items, 1)
		if err != nil {
			return err
		}
		parts = append(parts, handoff.Part{File: handoff.FileOf("contact-sheet.png", sheet), R: bytes.NewReader(sheet)})
	}
	zip := handoff.NewArchive(name, latest, parts)
	h := c.Response().Header()
	h.Set("Content-Type", "application/zip")
	h.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.zip"`, name))
	http.ServeContent(c.Response(), c.Request(), name+".zip", latest, io.NewSectionReader(zip, 0, zip.Size()))
	return nil
}

// packOf are the releases of a pack, and its name.
func (s *Server) packOf(c *echo.Context) (name string, ids []int64, err error) {
	if c.QueryParam(collectionParam) != "" {
		var q search.Query
		k, err := s.within(c.Request().Context(), me(c), c.QueryParam(collectionParam), &q)
		if err != nil {
			return "", nil, err
		}
		name = materials.Slug(k.Name)
		for _, id := range k.Items {
			if card, ok := s.Studio.Search.OfMaterial(id); ok {
				ids = append(ids, card.ReleaseID)
			}
		}
	} else {
		name = "materials"
		for _, ref := range strings.FieldsFunc(c.QueryParam("of"), func(r rune) bool { return r == ',' }) {
			id, err := strconv.ParseInt(strings.TrimPrefix(ref, "r"), 10, 64)
			if err != nil {
				return "", nil, library.Invalid(fmt.Sprintf("%q names no release.", ref))
			}
			ids = append(ids, id)
		}
	}
	if len(ids) == 0 || len(ids) > mostPacked {
		return "", nil, library.Invalid(fmt.Sprintf("A pack holds 1 to %d materials; these are %d.", mostPacked, len(ids)))
	}
	return name, ids, nil
}
