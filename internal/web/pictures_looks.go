package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"path"
	"strings"

	"aldermoor/core/shade"
	"aldermoor/core/shape"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// This file lets materials be looked at under light: what the Lit lens needs, and any view of it as a
// picture.

// packed answers with something gzipped that never changes for its key.
func (s *Server) packed(c *echo.Context, key string, make func() ([]byte, error)) error {
	h := c.Response().Header()
	h.Set("Content-Encoding", "gzip")
	h.Set("Vary", "Accept-Encoding")
	err := s.picture(c, key, "application/octet-stream", make)
	if err != nil {
		h.Del("Content-Encoding")
	}
	return err
}

func (s *Server) pack(c *echo.Context, m *materials.Material) error {
	px, err := whole(c, "px", pictures.PackSizes[0])
	if err != nil {
		return err
	}
	ok := false
	for _, n := range pictures.PackSizes {
		ok = ok || n == px
	}
	if !ok {
		return library.Invalid(fmt.Sprintf("A surface is packed at %s pixels.", strings.Trim(strings.ReplaceAll(fmt.Sprint(pictures.PackSizes), " ", ", "), "[]")))
	}
	return s.packed(c, fmt.Sprintf("%s-p-%d", m.MapsKey(), px), func() ([]byte, error) { return s.Studio.Pictures.Pack(c.Request().Context(), m, px) })
}

func (s *Server) surfacePack(c *echo.Context) error {
	m, err := s.shown(c)
	if err != nil {
		return err
	}
	return s.pack(c, scanPack(c, m))
}

func (s *Server) releasedPack(c *echo.Context) error {
	r, err := s.released(c)
	if err != nil {
		return err
	}
	return s.pack(c, &r.Material)
}

func (s *Server) lightPack(c *echo.Context) error {
	data, key, err := s.Studio.Pictures.LightPack(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return s.packed(c, key, func() ([]byte, error) { return data, nil })
}

func (s *Server) lightThumb(c *echo.Context) error {
	data, key, err := s.Studio.Pictures.LightThumb(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return s.picture(c, key, "image/png", func() ([]byte, error) { return data, nil })
}

func (s *Server) backdrop(c *echo.Context) error {
	data, key, err := s.Studio.Pictures.BackdropPicture(c.Request().Context(), c.Param("id"))
	if err != nil {
		return err
	}
	return s.picture(c, key, "image/png", func() ([]byte, error) { return data, nil })
}

func (s *Server) lightTables(c *echo.Context) error {
	return s.packed(c, "tables-1", func() ([]byte, error) { return s.Studio.Pictures.ScatterTables(c.Request().Context()) })
}

// view answers with a picture, or with how far it is.
func (s *Server) view(c *echo.Context, m *materials.Material) error {
	ending := strings.TrimPrefix(path.Ext(c.Request().URL.Path), ".")
	ctx := c.Request().Context()
	v, err := s.Studio.Pictures.ParseView(ctx, c.QueryParams(), ending)
	if err != nil {
		return err
	}
	data, done, ready, err := s.Studio.Pictures.Picture(ctx, m, &v)
	if err != nil {
		return err
	}
	if !ready {
		c.Response().Header().Set("Retry-After", "1")
		c.Response().Header().Set("Cache-Control", "no-store")
		return c.JSON(http.StatusAccepted, map[string]any{"progress": done})
	}
	kind := "image/png"
	if v.EXR {
		kind = "image/x-exr"
	}
	if c.QueryParam("save") != "" {
		c.Response().Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-%s.%s"`, m.Slug, v.Shape, ending))
	}
	return s.picture(c, fmt.Sprintf("%s-v-%s", m.LookKey(), v.Tag()), kind, func() ([]byte, error) { return data, nil })
}

func (s *Server) apiView(c *echo.Context) error {
	m, err := s.shown(c)
	if err != nil {
		return err
	}
	return s.view(c, m)
}

func (s *Server) apiReleaseView(c *echo.Context) error {
	r, err := s.released(c)
	if err != nil {
		return err
	}
	return s.view(c, &r.Material)
}

func (s *Server) apiProps(kind pictures.PropKind) echo.HandlerFunc {
	return func(c *echo.Context) error {
		list, err := s.Studio.Pictures.Offers(c.Request().Context(), me(c), kind)
		if err != nil {
			return err
		}
		return answerAll(c, list)
	}
}

// apiAddProp takes a file as the body, named by the query.
func (s *Server) apiAddProp(kind pictures.PropKind) echo.HandlerFunc {
	return func(c *echo.Context) error {
		p, err := s.Studio.Pictures.AddProp(c.Request().Context(), me(c), kind, c.QueryParam("name"), c.Request().Body)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusCreated, p.Offer())
	}
}

func (s *Server) apiRemoveProp(kind pictures.PropKind) echo.HandlerFunc {
	return func(c *echo.Context) error {
		of, err := target(c)
		if err != nil {
			return err
		}
		if of.Version > 1 { // a prop never changes
			return library.ErrStale
		}
		if err := s.Studio.Pictures.RemoveProp(c.Request().Context(), me(c), kind, of.ID); err != nil {
			return err
		}
		return c.NoContent(http.StatusNoContent)
	}
}

// litView is what the Lit lens is given.
type litView struct {
	Surface string // address of its maps, but for their size
	Look    string // shade.Look as JSON: what they are shaded with
	Picture string // address of its pictures, without ending
	Slug    string
	Natural float64 // metres that a shape measures to begin with
	Lights  []pictures.Offered
	Meshes  []pictures.Offered
	Drops   []pictures.Offered // backdrops
	JSON    string             // Lights, Meshes and Drops
	Shapes  []choice
	Parts   []choice // channels to look at alone
}

func (s *Server) lit(c *echo.Context, m *materials.Material, release int64) (v litView, err error) {
	v = litView{Surface: fmt.Sprintf("/materials/%d/surface.bin?v=%s", m.ID, m.MapsKey()), Picture: fmt.Sprintf("/api/v1/materials/%d/picture", m.ID), Slug: m.Slug}
	if release != 0 {
		v.Surface, v.Picture = fmt.Sprintf("/releases/%d/surface.bin?v=%s", release, m.MapsKey()), fmt.Sprintf("/api/v1/releases/%d/picture", release)
	}
	cur := m.Current()
	look := cur.Surface()
	v.Look = jsonText(shade.LookOf(&look))
	v.Natural = shape.NaturalSize(look.Extent().W)
	for _, list := range []struct {
		kind pictures.PropKind
		to   *[]pictures.Offered
	}{{pictures.Environment, &v.Lights}, {pictures.Mesh, &v.Meshes}, {pictures.Backdrop, &v.Drops}} {
		if *list.to, err = s.Studio.Pictures.Offers(c.Request().Context(), me(c), list.kind); err != nil {
			return v, err
		}
		if *list.to == nil {
			*list.to = []pictures.Offered{}
		}
	}
	v.JSON = jsonText(map[string]any{"lights": v.Lights, "meshes": v.Meshes, "drops": v.Drops})
	for _, id := range shape.Names {
		v.Shapes = append(v.Shapes, choice{Label: strings.ToUpper(id[:1]) + id[1:], Href: id})
	}
	for _, p := range look.Sources {
		v.Parts = append(v.Parts, choice{Label: wording.Channel(p.Channel), Href: string(p.Channel)})
	}
	return v, err
}

// jsonText is plain data as JSON, for a page's script.
func jsonText(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		panic(fmt.Sprintf("web: %T as JSON: %v", v, err)) // plain values only
	}
	return string(data)
}
