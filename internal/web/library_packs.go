package web

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"aldermoor/core/handoff"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"

	"github.com/labstack/echo/v5"
)

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
	again func() error // makes the handoff once more: a pack may be larger than what is kept at a time
}

// ReadAt implements io.ReaderAt.
func (f *closedFile) ReadAt(p []byte, off int64) (int, error) {
	if f.shelf.of != f {
		f.shelf.close()
		b, err := f.made.Open(f.path)
		for range 3 {
			if err == nil {
				break
			}
			if err := f.again(); err != nil {
				return 0, err
			}
			b, err = f.made.Open(f.path)
		}
		if err != nil {
			return 0, err
		}
		f.shelf.of, f.shelf.blob = f, b
	}
	return f.shelf.blob.ReadAt(p, off)
}

// packMemory remembers of the packs that are being made which handoffs were, for those who ask again until all are: the
// first ones may have gone by then to make room for the last.
type packMemory struct {
	mu   sync.Mutex
	kept map[string]*packing
}

// packing is a pack that is being made: its handoffs by release.
type packing struct {
	made map[int64]releases.Made
	used time.Time
}

const (
	packsKept    = 64
	packKeptFor  = time.Hour
	packRemakeIn = 10 * time.Minute // a handoff that is made once more while a pack is read
)

// of is what has been made of a pack.
func (k *packMemory) of(key string, now time.Time) map[int64]releases.Made {
	k.mu.Lock()
	defer k.mu.Unlock()
	oldest := ""
	for name, one := range k.kept {
		if now.Sub(one.used) > packKeptFor {
			delete(k.kept, name)
		} else if oldest == "" || one.used.Before(k.kept[oldest].used) {
			oldest = name
		}
	}
	if k.kept == nil {
		k.kept = map[string]*packing{}
	}
	one := k.kept[key]
	if one == nil {
		if len(k.kept) >= packsKept {
			delete(k.kept, oldest)
		}
		one = &packing{made: map[int64]releases.Made{}}
		k.kept[key] = one
	}
	one.used = now
	return maps.Clone(one.made)
}

// add remembers a handoff of a pack.
func (k *packMemory) add(key string, release int64, m releases.Made) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if one := k.kept[key]; one != nil {
		one.made[release] = m
	}
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
	var releasesOf []*releases.Release
	shelf := &oneOpen{}
	defer shelf.close()
	look := order
	look.Looking = true // until all are there nothing is taken
	key := fmt.Sprint(p.Name, " ", order, ids)
	made := s.packing.of(key, time.Now())
	for i, id := range ids {
		r, err := s.Studio.Releases.ReleaseByID(ctx, p, id)
		if err != nil {
			return err
		}
		m, ok := made[id]
		if !ok {
			m, err = s.Studio.Releases.Take(ctx, p, &r, look, time.Until(until))
			var pending releases.Pending
			if errors.As(err, &pending) {
				c.Response().Header().Set("Retry-After", "1")
				return c.JSON(http.StatusAccepted, map[string]any{"state": "making", "done": i, "of": len(ids), "progress": float64(i) / float64(len(ids)), "href": c.Request().URL.RequestURI()})
			}
			if err != nil {
				return err
			}
			s.packing.add(key, id, m)
		}
		again := func() error {
			_, err := s.Studio.Releases.Take(ctx, p, &r, look, packRemakeIn)
			return err
		}
		for _, f := range m.Files {
			from := &closedFile{shelf, &m, f.Path, again}
			f.Path = m.Folder + "/" + f.Path
			parts = append(parts, handoff.Part{File: f, R: from})
		}
		if r.Created.After(latest) {
			latest = r.Created
		}
		releasesOf = append(releasesOf, &r)
		items = append(items, pictures.SheetItem{Material: &r.Material, Line: sizeLine(&r.Material)})
	}
	if c.Request().Method == http.MethodGet && !order.Looking {
		for _, r := range releasesOf {
			if err := s.Studio.Releases.Took(ctx, p, r, order); err != nil {
				return err
			}
		}
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
	h.Set("Cache-Control", "private, no-cache")
	var files []handoff.File
	for _, p := range parts {
		files = append(files, p.File)
	}
	h.Set("ETag", zipTag(name, files))
	http.ServeContent(c.Response(), c.Request(), name+".zip", time.Time{}, io.NewSectionReader(zip, 0, zip.Size()))
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
