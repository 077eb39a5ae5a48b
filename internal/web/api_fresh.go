package web

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"strings"

	"aldermoor/internal/library/people"

	"github.com/labstack/echo/v5"
)

// conditional answers a question of the API whose answer the asker has already (If-None-Match) with 304. An answer
// without a version of its own is known by its contents.
func (s *Server) conditional(c *echo.Context, r route) error {
	if r.method != http.MethodGet || !strings.HasPrefix(r.path, "/api/") || r.path == "/api/v1/events" {
		return s.once(c, r)
	}
	w := &heldJSON{ResponseWriter: c.Response(), status: http.StatusOK}
	c.SetResponse(w)
	err := s.once(c, r)
	if !w.holds {
		return err
	}
	tag := w.Header().Get("Etag")
	if tag == "" {
		sum := sha256.Sum256(w.body.Bytes())
		tag = `W/"` + hex.EncodeToString(sum[:12]) + `"`
		w.Header().Set("ETag", tag)
	}
	if w.Header().Get("Cache-Control") == "" {
		w.Header().Set("Cache-Control", "private, no-cache")
	}
	for known := range strings.SplitSeq(c.Request().Header.Get("If-None-Match"), ",") {
		if strings.TrimPrefix(strings.TrimSpace(known), "W/") == strings.TrimPrefix(tag, "W/") {
			w.Header().Del("Content-Type")
			w.ResponseWriter.WriteHeader(http.StatusNotModified)
			return err
		}
	}
	w.ResponseWriter.WriteHeader(w.status)
	_, failed := w.ResponseWriter.Write(w.body.Bytes())
	if err == nil {
		err = failed
	}
	return err
}

// heldJSON keeps an answer of JSON until it is whole; others pass.
type heldJSON struct {
	http.ResponseWriter
	status         int
	decided, holds bool
	body           bytes.Buffer
}

func (w *heldJSON) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (w *heldJSON) WriteHeader(status int) {
	if w.decided {
		return
	}
	w.decided, w.status = true, status
	w.holds = status == http.StatusOK && strings.HasPrefix(w.Header().Get("Content-Type"), "application/json")
	if !w.holds {
		w.ResponseWriter.WriteHeader(status)
	}
}

func (w *heldJSON) Write(b []byte) (int, error) {
	if !w.decided {
		w.WriteHeader(http.StatusOK)
	}
	if w.holds {
		return w.body.Write(b)
	}
	return w.ResponseWriter.Write(b)
}

// ofLibrary are the beginnings of addresses whose answers need the Library in memory.
var ofLibrary = []string{"/library", "/collections", "/requests", "/taken", "/words", "/sheet", "/compare", "/bench/", "/notices",
	"/api/v1/library", "/api/v1/collections", "/api/v1/requests", "/api/v1/takings", "/api/v1/searches", "/api/v1/packs", "/api/v1/stars", "/api/v1/releases"}

// loading refuses, while the Library is being read, what needs it: better than an answer that does not come. Pages try
// again by themselves.
func (s *Server) loading(r route) error {
	if r.right == people.Anyone || s.Studio.Search.Loaded() {
		return nil
	}
	for _, beginning := range ofLibrary {
		if strings.HasPrefix(r.path, beginning) {
			return refuseAs(http.StatusServiceUnavailable, codeLoading, "The Library is being read, which takes a few seconds after a start.")
		}
	}
	return nil
}

// codeLoading is the code of what cannot be answered until the Library has been read.
const codeLoading = "loading"
