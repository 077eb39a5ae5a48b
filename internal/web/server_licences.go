package web

import (
	"net/http"

	"aldermoor/internal/licences"

	"github.com/labstack/echo/v5"
)

type licencesPage struct {
	frame
	All []licences.Licence
}

// licences shows the licences of everything in the program.
func (s *Server) licences(c *echo.Context) error {
	all, err := licences.All()
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "licences", licencesPage{s.frame(c, "Licences"), all})
}
