package web

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"aldermoor/core/handoff"
	"aldermoor/internal/library/releases"

	"github.com/labstack/echo/v5"
)

// This file gives handoffs: as a zip, as a manifest, and file by file. Where the files have
// to be made first, a request waits for a while and then says how far that is.

// handoffWait is how long a request waits for a handoff that is being made, unless it asks
// for another time with wait=SECONDS.
const handoffWait = 25

// handoffWords are the parameters that choose a handoff's conventions.
var handoffWords = []string{"profile", "tier", "normal", "roughness", "format"}

// orderOf reads which handoff an address asks for.
func orderOf(c *echo.Context) (releases.Order, error) {
	return releases.ParseOrder(c.QueryParam("profile"), c.QueryParam("tier"), c.QueryParam("normal"), c.QueryParam("roughness"), c.QueryParam("format"))
}

// apiConvention says how somebody takes handoffs where nothing else is asked for.
func (s *Server) apiConvention(c *echo.Context) error {
	ctx, p := c.Request().Context(), me(c)
	own, studio, err := s.Studio.Releases.Conventions(ctx, p)
	if err != nil {
		return err
	}
	holds, err := s.Studio.Releases.Convention(ctx, p)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]releases.Convention{"own": own, "studio": studio, "holds": holds})
}

// apiSaveConvention keeps one's own convention, or the studio's.
func (s *Server) apiSaveConvention(c *echo.Context) error {
	var in releases.Convention
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if err := s.Studio.Releases.SetConvention(c.Request().Context(), me(c), c.QueryParam("studio") == "true", in); err != nil {
		return err
	}
	return s.apiConvention(c)
}

// looking says whether a request only asks if the files are there, or goes on with what was begun:
// its first byte alone, a later range, or one file of those that a manifest listed.
func looking(c *echo.Context) bool {
	r := c.Request().Header.Get("Range")
	return c.Request().Method == http.MethodHead || r == "bytes=0-0" || r != "" && !strings.HasPrefix(r, "bytes=0-") || strings.Contains(c.Request().URL.Path, "/files/")
}

// makingPage says how far a handoff is to somebody whose browser runs no script.
type makingPage struct {
	frame
	Done, Next, Of int
}

// made is the handoff that an address asks for. ready is false if it is being made: then
// the answer has been given.
func (s *Server) made(c *echo.Context) (r *releases.Release, m releases.Made, ready bool, err error) {
	if r, err = s.released(c); err != nil {
		return nil, m, false, err
	}
	order, err := orderOf(c)
	if err != nil {
		return nil, m, false, err
	}
	order.Looking = looking(c)
	wait, err := whole(c, "wait", handoffWait)
	if err != nil {
		return nil, m, false, err
	}
	m, err = s.Studio.Releases.Take(c.Request().Context(), me(c), r, order, time.Duration(min(max(wait, 0), 60))*time.Second)
	var pending releases.Pending
	if errors.As(err, &pending) {
		c.Response().Header().Set("Retry-After", "1")
		if strings.Contains(c.Request().Header.Get("Accept"), "text/html") { // a page's form, without script
			c.Response().Header().Set("Refresh", "1")
			return r, m, false, s.render(c, http.StatusAccepted, "making", makingPage{s.frame(c, "Making your download"), pending.Done, min(pending.Done+1, pending.Of), pending.Of})
		}
		return r, m, false, c.JSON(http.StatusAccepted, map[string]any{"state": "making", "done": pending.Done, "of": pending.Of, "progress": float64(pending.Done) / float64(max(pending.Of, 1)), "href": c.Request().URL.RequestURI()})
	}
	return r, m, err == nil, err
}

func (s *Server) apiHandoff(c *echo.Context) error {
	_, m, ready, err := s.made(c)
	if !ready {
		return err
	}
	zip, closeAll, err := m.Zip()
	if err != nil {
		return err
	}
	defer closeAll()
	h := c.Response().Header()
	h.Set("Content-Type", "application/zip")
	h.Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s.zip"`, m.Folder))
	h.Set("Cache-Control", "private, no-cache")
	h.Set("ETag", zipTag(m.Folder, m.Files))
	http.ServeContent(c.Response(), c.Request(), m.Folder+".zip", time.Time{}, io.NewSectionReader(zip, 0, zip.Size()))
	return nil
}

// zipTag names the bytes of a zip by the files in it. A date would not: a corrected description makes another zip of
// the same release, and a download that goes on must not mix the two.
func zipTag(name string, files []handoff.File) string {
	sum := sha256.New()
	fmt.Fprintln(sum, name)
	for _, f := range files {
		fmt.Fprintln(sum, f.Path, f.Size, f.SHA256)
	}
	return strconv.Quote(hex.EncodeToString(sum.Sum(nil)))
}

// apiManifest lists the files of a handoff: the same bytes as in its zip.
func (s *Server) apiManifest(c *echo.Context) error {
	r, m, ready, err := s.made(c)
	if !ready {
		return err
	}
	words := url.Values{}
	for _, k := range handoffWords {
		if v := c.QueryParam(k); v != "" {
			words.Set(k, v)
		}
	}
	type file struct {
		handoff.File
		Href string `json:"href"`
	}
	files, bytes := []file{}, int64(0)
	for _, f := range m.Files {
		words.Set("sha256", f.SHA256) // an address that means these bytes for ever
		files = append(files, file{f, (&url.URL{Path: fmt.Sprintf("/api/v1/releases/%d/files/%s", r.ID, f.Path), RawQuery: words.Encode()}).String()})
		bytes += f.Size
	}
	return c.JSON(http.StatusOK, map[string]any{"release": r.ID, "material_id": r.MaterialID, "number": r.Number, "folder": m.Folder, "bytes": bytes, "files": files})
}

// apiHandoffFile gives one file of a handoff.
func (s *Server) apiHandoffFile(c *echo.Context) error {
	_, m, ready, err := s.made(c)
	if !ready {
		return err
	}
	path := c.Param("*")
	b, err := m.Open(path)
	if err != nil {
		return err
	}
	defer b.Close()
	caching := "private, no-cache"
	for _, f := range m.Files {
		if f.Path != path {
			continue
		}
		switch c.QueryParam("sha256") {
		case "":
		case f.SHA256:
			caching = "private, max-age=31536000, immutable"
		default:
			return refuse(http.StatusGone, "The file has changed since its address was given. Read the manifest again.")
		}
		c.Response().Header().Set("ETag", strconv.Quote(f.SHA256))
	}
	c.Response().Header().Set("Cache-Control", caching)
	http.ServeContent(c.Response(), c.Request(), path, time.Time{}, io.NewSectionReader(b, 0, b.Size()))
	return nil
}
