package web

import (
	"cmp"
	"net/http"

	"aldermoor/core/scale"
	"aldermoor/internal/library"

	"github.com/labstack/echo/v5"
)

// apiFigure says what a typed text means, so that pages need no parser of their own.
func (s *Server) apiFigure(c *echo.Context) error {
	v, err := scale.ParseFigure(c.QueryParam("text"), scale.Kind(cmp.Or(c.QueryParam("kind"), string(scale.Length))))
	if err != nil {
		return library.Invalid(err.Error() + ".")
	}
	return c.JSON(http.StatusOK, map[string]float64{"value": v})
}
