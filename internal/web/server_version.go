package web

import (
	"fmt"
	"strconv"
	"strings"

	"aldermoor/internal/library"

	"github.com/labstack/echo/v5"
)

// A write names the version that it was made for: as If-Match, or where a plain form is
// sent as its field "version".

func etag(version int64) string { return fmt.Sprintf(`"%d"`, version) }

// versionNamed is the version that a write was made for, 0 for any, and whether it says so.
func versionNamed(c *echo.Context) (version int64, given bool, err error) {
	h := c.Request().Header.Get("If-Match")
	if kind := c.Request().Header.Get("Content-Type"); h == "" && strings.HasPrefix(kind, "application/x-www-form-urlencoded") {
		h = c.FormValue("version")
	}
	h = strings.TrimPrefix(strings.TrimSpace(h), "W/")
	switch h {
	case "":
		return 0, false, nil
	case "*":
		return 0, true, nil
	}
	version, err = strconv.ParseInt(strings.Trim(h, `"`), 10, 64)
	if err != nil || version <= 0 {
		return 0, true, library.ErrStale
	}
	return version, true, nil
}

// target is the thing that a write is for, and the version that it was made for.
func target(c *echo.Context) (of library.Seen, err error) {
	if of.ID, err = idOf(c, "id"); err != nil {
		return of, err
	}
	of.Version, _, err = versionNamed(c)
	return of, err
}
