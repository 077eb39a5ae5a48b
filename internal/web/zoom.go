package web

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"aldermoor/internal/library"
)

// This file lets a map be looked at closely: by tiles, pixels and sections.

// mapOf is the map that an address names.
func (s *Server) mapOf(c *echo.Context) (*library.Map, error) {
	id, err := idOf(c, "map")
	if err != nil {
		return nil, err
	}
	p, err := s.Service.MapOf(c.Request().Context(), id)
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

func (s *Server) mapTile(c *echo.Context) error {
	p, err := s.mapOf(c)
	if err != nil {
		return err
	}
	v, err := figures(c, "z", "x", "y", "ev")
	if err != nil {
		return err
	}
	g := library.Glance{Level: int(v[0]), X: int(v[1]), Y: int(v[2]), Exposure: v[3], Component: c.QueryParam("c")}
	if g.Component == "" {
		g.Component = p.Component
	}
	key := fmt.Sprintf("%s-%x-%s-%s-tile-%d-%d-%d-%g", p.Blob[:16], p.Layer, g.Component, p.Channel, g.Level, g.X, g.Y, g.Exposure)
	return s.picture(c, key, "image/png", func() ([]byte, error) { return s.Service.TileOf(p, g) })
}

func (s *Server) mapPixel(c *echo.Context) error {
	p, err := s.mapOf(c)
	if err != nil {
		return err
	}
	v, err := figures(c, "x", "y")
	if err != nil {
		return err
	}
	values, err := s.Service.Pixel(p, int(v[0]), int(v[1]))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"values": values})
}

func (s *Server) mapSection(c *echo.Context) error {
	p, err := s.mapOf(c)
	if err != nil {
		return err
	}
	v, err := figures(c, "x0", "y0", "x1", "y1", "n")
	if err != nil {
		return err
	}
	values, err := s.Service.Section(p, v[0], v[1], v[2], v[3], int(v[4]))
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
	return s.picture(c, m.LookKey()+"-heat", "image/png", func() ([]byte, error) { return s.Service.HeatOf(m) })
}
