package web

import (
	"fmt"
	"net/http"

	"aldermoor/core/material"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/pictures"

	"github.com/labstack/echo/v5"
)

// This file lets a map be looked at closely: by tiles, pixels and sections.

// mapOf is the map that an address names: one of a draft by its number, one of a release by its channel.
func (s *Server) mapOf(c *echo.Context) (*materials.Map, error) {
	if ch := c.Param("channel"); ch != "" {
		r, err := s.released(c)
		if err != nil {
			return nil, err
		}
		m := r.Material.Current()
		if p := m.Map(material.Channel(ch)); p != nil && p.Blob != "" {
			return p, nil
		}
		return nil, library.ErrNotFound
	}
	id, err := idOf(c, "map")
	if err != nil {
		return nil, err
	}
	p, err := s.Studio.Pictures.MapOf(c.Request().Context(), me(c), id)
	if err == nil && p.Blob == "" {
		err = library.ErrNotFound
	}
	return &p, err
}

// figures reads query parameters that are figures; those that are missing are 0.
func figures(c *echo.Context, names ...string) ([]float64, error) {
	out := make([]float64, len(names))
	for i, name := range names {
		v, err := number(c, name, 0)
		if err != nil {
			return nil, err
		}
		out[i] = v
	}
	return out, nil
}

// wholes reads query parameters that are whole numbers of at most a thousand million, so
// that nothing computed from them overflows; those that are missing are 0.
func wholes(c *echo.Context, names ...string) ([]int, error) {
	out := make([]int, len(names))
	for i, name := range names {
		v, err := whole(c, name, 0)
		if err != nil {
			return nil, err
		}
		out[i] = v
	}
	return out, nil
}

func (s *Server) mapTile(c *echo.Context) error {
	p, err := s.mapOf(c)
	if err != nil {
		return err
	}
	n, err := wholes(c, "z", "x", "y")
	if err != nil {
		return err
	}
	exposure, err := number(c, "ev", 0)
	if err != nil {
		return err
	}
	g := pictures.Glance{Level: n[0], X: n[1], Y: n[2], Exposure: exposure, Component: c.QueryParam("c")}
	if g.Component == "" {
		g.Component = p.Component
	}
	key := fmt.Sprintf("%s-%x-%s-%s-tile-%d-%d-%d-%g", p.Blob[:16], p.Layer, g.Component, p.Channel, g.Level, g.X, g.Y, g.Exposure)
	return s.picture(c, key, "image/png", func() ([]byte, error) { return s.Studio.Pictures.TileOf(c.Request().Context(), p, g) })
}

func (s *Server) mapPixel(c *echo.Context) error {
	p, err := s.mapOf(c)
	if err != nil {
		return err
	}
	n, err := wholes(c, "x", "y")
	if err != nil {
		return err
	}
	values, err := s.Studio.Pictures.Pixel(c.Request().Context(), p, n[0], n[1])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"values": values})
}

// mapMean is the mean colour of a disc, for picking a colour from the picture.
func (s *Server) mapMean(c *echo.Context) error {
	p, err := s.mapOf(c)
	if err != nil {
		return err
	}
	v, err := figures(c, "u", "v", "radius")
	if err != nil {
		return err
	}
	mean, err := s.Studio.Pictures.MeanColour(c.Request().Context(), p, v[0], v[1], v[2])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"linear": mean})
}

func (s *Server) mapSection(c *echo.Context) error {
	p, err := s.mapOf(c)
	if err != nil {
		return err
	}
	v, err := figures(c, "x0", "y0", "x1", "y1")
	if err != nil {
		return err
	}
	n, err := wholes(c, "n")
	if err != nil {
		return err
	}
	values, err := s.Studio.Pictures.Section(c.Request().Context(), p, v[0], v[1], v[2], v[3], n[0])
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"values": values})
}

// heat is the picture of where a material on the Bench shows that it repeats.
func (s *Server) heat(c *echo.Context) error {
	m, err := s.draft(c)
	if err != nil {
		return err
	}
	return s.picture(c, m.LookKey()+"-heat", "image/png", func() ([]byte, error) { return s.Studio.Pictures.HeatOf(c.Request().Context(), m) })
}
