package web

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"

	"github.com/labstack/echo/v5"
	"github.com/tus/tusd/v2/pkg/filestore"
	"github.com/tus/tusd/v2/pkg/handler"
	"github.com/tus/tusd/v2/pkg/memorylocker"
	"golang.org/x/exp/slog"
)

// uploads receives files in pieces (tus 1.0.0). What has arrived of a file
// survives a lost connection, a reload of the page and a restart of the server;
// what nobody goes on with is forgotten after a week.
type uploads struct {
	dir   string
	store filestore.FileStore
	tus   http.Handler
}

const (
	uploadsPath = "/api/v1/uploads/"
	uploadsKept = 7 * 24 * time.Hour
)

func newUploads(dir string, limit int64) (*uploads, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("make %q: %w", dir, err)
	}
	u := &uploads{dir: dir, store: filestore.New(dir)}
	u.forgetOld(time.Now())
	u.store.DirModePerm, u.store.FileModePerm = 0o700, 0o600
	c := handler.NewStoreComposer()
	u.store.UseIn(c)
	memorylocker.New().UseIn(c)
	h, err := handler.NewHandler(handler.Config{BasePath: uploadsPath, StoreComposer: c, MaxSize: limit, DisableDownload: true, RespectForwardedHeaders: true, // proxied has removed those of strangers

		Logger: slog.New(slog.NewTextHandler(io.Discard, nil)), // what is worth a line is logged by observe
		Cors:   &handler.CorsConfig{Disable: true}})
	if err != nil {
		return nil, err
	}
	u.tus = http.StripPrefix(strings.TrimSuffix(uploadsPath, "/"), h)
	return u, nil
}

// ServeHTTP speaks tus.
func (u *uploads) serve(c *echo.Context) error {
	u.tus.ServeHTTP(c.Response(), c.Request())
	return nil
}

var uploadID = regexp.MustCompile(`^[0-9a-f]{16,64}$`)

// file is a finished upload: where it lies, and the path that it was sent under.
func (u *uploads) file(ctx context.Context, id string) (at, path string, err error) {
	unknown := library.Invalid(fmt.Sprintf("The upload %q is not known here, or was taken already. Send the file again.", id))
	if !uploadID.MatchString(id) {
		return "", "", unknown
	}
	up, err := u.store.GetUpload(ctx, id)
	if errors.Is(err, handler.ErrNotFound) {
		return "", "", unknown
	}
	if err != nil {
		return "", "", err
	}
	info, err := up.GetInfo(ctx)
	if err != nil {
		return "", "", err
	}
	if path = info.MetaData["path"]; path == "" {
		path = info.MetaData["filename"]
	}
	if info.Offset != info.Size {
		return "", "", library.Invalid(fmt.Sprintf("%s has not arrived whole: %d of %d bytes are here. Resume its upload first.", path, info.Offset, info.Size))
	}
	return filepath.Join(u.dir, id), path, nil
}

// forgetOld removes uploads that nobody has gone on with for long.
func (u *uploads) forgetOld(now time.Time) {
	list, err := os.ReadDir(u.dir)
	if err != nil {
		return // it is looked at again
	}
	for _, e := range list {
		id := strings.TrimSuffix(e.Name(), ".info")
		latest := time.Time{}
		for _, name := range []string{id, id + ".info"} { // pieces change the one, not the other
			if info, err := os.Stat(filepath.Join(u.dir, name)); err == nil && info.ModTime().After(latest) {
				latest = info.ModTime()
			}
		}
		if now.Sub(latest) > uploadsKept {
			u.forget(id)
		}
	}
}

// ForgetUploads removes uploads that nobody has gone on with for a week.
func (s *Server) ForgetUploads() { s.uploads.forgetOld(time.Now()) }

func (u *uploads) forget(id string) {
	os.Remove(filepath.Join(u.dir, id))
	os.Remove(filepath.Join(u.dir, id+".info"))
}

// deliverUploads makes a delivery of files that have been uploaded in pieces.
func (s *Server) deliverUploads(c *echo.Context) error {
	var in struct {
		Uploads []string `json:"uploads"`
		Station string   `json:"station"`
		Name    string   `json:"name"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ctx := c.Request().Context()
	next := 0
	d, err := s.Studio.Intake.Receive(ctx, me(c), func() (intake.Incoming, error) {
		if next == len(in.Uploads) {
			return intake.Incoming{}, io.EOF
		}
		at, path, err := s.uploads.file(ctx, in.Uploads[next])
		next++
		return intake.Incoming{Path: path, File: at}, err
	}, func() (string, string) { return in.Name, in.Station })
	if err != nil {
		return err
	}
	for _, id := range in.Uploads {
		s.uploads.forget(id)
	}
	return s.accepted(c, d)
}
