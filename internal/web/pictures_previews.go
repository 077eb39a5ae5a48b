package web

import (
	"fmt"
	"net/http"
	"strings"

	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/pictures"

	"github.com/labstack/echo/v5"
)

// picture answers with a picture that never changes for its key.
func (s *Server) picture(c *echo.Context, key, kind string, make func() ([]byte, error)) error {
	h := c.Response().Header()
	tag := `"` + key + `"`
	h.Set("ETag", tag)
	h.Set("Cache-Control", "private, no-cache")
	if v := c.QueryParam("v"); v != "" && strings.HasPrefix(key, v) {
		h.Set("Cache-Control", "private, max-age=31536000, immutable")
	}
	if c.Request().Header.Get("If-None-Match") == tag {
		return c.NoContent(http.StatusNotModified)
	}
	data, err := make()
	if err != nil {
		h.Del("ETag")
		return err
	}
	return c.Blob(http.StatusOK, kind, data)
}

func (s *Server) swatch(c *echo.Context, m *materials.Material) error {
	extent, err := number(c, "extent_m", 1)
	if err != nil {
		return err
	}
	px, err := whole(c, "px", pictures.WallPx)
	if err != nil {
		return err
	}
	if strings.HasSuffix(c.Request().URL.Path, ".jpg") {
		return s.picture(c, fmt.Sprintf("%s-j-%g-%d", m.LookKey(), extent, px), "image/jpeg", func() ([]byte, error) {
			return s.Studio.Pictures.SwatchJPEG(c.Request().Context(), m, extent, px)
		})
	}
	return s.picture(c, fmt.Sprintf("%s-s-%g-%d", m.LookKey(), extent, px), "image/png", func() ([]byte, error) { return s.Studio.Pictures.Swatch(c.Request().Context(), m, extent, px) })
}

func (s *Server) ball(c *echo.Context, m *materials.Material) error {
	px, err := whole(c, "px", pictures.BallPx)
	if err != nil {
		return err
	}
	return s.picture(c, fmt.Sprintf("%s-b-%d", m.LookKey(), px), "image/png", func() ([]byte, error) { return s.Studio.Pictures.Ball(c.Request().Context(), m, px) })
}

// shown is a material as the principal may see it.
func (s *Server) shown(c *echo.Context) (*materials.Material, error) {
	id, err := idOf(c, "id")
	if err != nil {
		return nil, err
	}
	m, err := s.Studio.Pictures.Shown(c.Request().Context(), me(c), id)
	return &m, err
}

func (s *Server) apiSwatch(c *echo.Context) error {
	m, err := s.shown(c)
	if err != nil {
		return err
	}
	return s.swatch(c, m)
}

func (s *Server) apiBall(c *echo.Context) error {
	m, err := s.shown(c)
	if err != nil {
		return err
	}
	return s.ball(c, m)
}

func (s *Server) apiReleaseSwatch(c *echo.Context) error {
	r, err := s.released(c)
	if err != nil {
		return err
	}
	return s.swatch(c, &r.Material)
}

func (s *Server) apiReleaseBall(c *echo.Context) error {
	r, err := s.released(c)
	if err != nil {
		return err
	}
	return s.ball(c, &r.Material)
}
