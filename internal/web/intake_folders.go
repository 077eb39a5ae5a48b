package web

import (
	"net/http"

	"aldermoor/internal/library/intake"

	"github.com/labstack/echo/v5"
)

// Watched folders: their page, and the API behind it.

type watchView struct {
	ID      int64  `json:"id"`
	Version int64  `json:"version"`
	Path    string `json:"path"`
	Station string `json:"station"`
	Paused  bool   `json:"paused"`
	State   string `json:"state"` // resting, receiving, paused or unreadable
	Problem string `json:"problem"`
	Taken   int    `json:"taken"` // files
	Looked  string `json:"looked"`
}

func viewWatch(w intake.Watch) watchView {
	v := watchView{w.ID, w.Version, w.Path, w.Station, w.Paused, "resting", w.Problem, w.Taken, ""}
	switch {
	case w.Paused:
		v.State = "paused"
	case w.Problem != "":
		v.State = "unreadable"
	case w.Restless:
		v.State = "receiving"
	}
	if w.Looked.Unix() > 0 {
		v.Looked = at(w.Looked)
	}
	return v
}

func (s *Server) apiWatches(c *echo.Context) error {
	list, err := s.Studio.Intake.Watches(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	items := []watchView{}
	for _, w := range list {
		items = append(items, viewWatch(w))
	}
	return answerAll(c, items)
}

func (s *Server) apiAddWatch(c *echo.Context) error {
	var in struct {
		Path    string `json:"path"`
		Station string `json:"station"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	w, err := s.Studio.Intake.AddWatch(c.Request().Context(), me(c), in.Path, in.Station)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, viewWatch(w))
}

// apiChangeWatch pauses a folder or resumes it; resuming looks at once.
func (s *Server) apiChangeWatch(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Paused bool `json:"paused"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	w, err := s.Studio.Intake.ChangeWatch(c.Request().Context(), me(c), of, in.Paused)
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(w.Version))
	return c.JSON(http.StatusOK, viewWatch(w))
}

func (s *Server) apiRemoveWatch(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	if err := s.Studio.Intake.RemoveWatch(c.Request().Context(), me(c), of); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

type foldersPage struct {
	frame
	Folders  []folderRow
	Roots    []string
	Stations []string
}

type folderRow struct {
	ID, Version         int64
	Path, Station, Line string
	Tone                tone
	Paused              bool
}

func (s *Server) folders(c *echo.Context) error {
	ctx := c.Request().Context()
	list, err := s.Studio.Intake.Watches(ctx, me(c))
	if err != nil {
		return err
	}
	p := foldersPage{frame: s.frame(c, "Watched folders"), Roots: s.Studio.Intake.WatchRoots}
	for _, w := range list {
		r := folderRow{ID: w.ID, Version: w.Version, Path: w.Path, Station: w.Station, Paused: w.Paused, Line: count(w.Taken, "file") + " delivered", Tone: calm}
		switch {
		case w.Paused:
			r.Line, r.Tone = "paused; "+r.Line, doubt
		case w.Problem != "":
			r.Line, r.Tone = w.Problem, stop
		case w.Restless:
			r.Line = "still being copied; delivered when copying stops. " + r.Line
		case w.Looked.Unix() > 0:
			r.Line, r.Tone = r.Line+", scanned "+ago(w.Looked, here(c)), good
		}
		p.Folders = append(p.Folders, r)
	}
	if p.Stations, err = s.Studio.Intake.Stations(ctx, me(c)); err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "folders", p)
}
