package web

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
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
