package web

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
)

// Repeats keeps what was answered to requests that named an Idempotency-Key.
type Repeats interface {
	Begin(ctx context.Context, who, key, request string, now time.Time) (before string, status int, headers string, body []byte, err error)
	End(ctx context.Context, who, key string, status int, headers string, body []byte) error
}

const (
	mostKey      = 100       // characters of a key
	mostHashed   = 1 << 20   // bytes of a body that are held against those of the request before
	mostRepeated = 256 << 10 // bytes of an answer that is kept
)

// once carries out a request, unless it names an Idempotency-Key that its sender has used before: then it gives the
// answer that was given then. What failed is forgotten and can be sent again with the same key. A request whose answer
// was cut off by an end of the program is not carried out again, since nobody knows whether it was.
func (s *Server) once(c *echo.Context, r route) error {
	req := c.Request()
	key := req.Header.Get("Idempotency-Key")
	sent := strings.HasPrefix(r.path, "/api/v1/uploads") && req.ContentLength != 0 // a file's bytes, which tus itself sends again
	if key == "" || r.method != http.MethodPost || !strings.HasPrefix(r.path, "/api/") || sent || s.Repeats == nil {
		return r.do(c)
	}
	if len(key) > mostKey {
		return refuseAs(http.StatusBadRequest, "bad_idempotency_key", fmt.Sprintf("An Idempotency-Key has up to %d characters.", mostKey))
	}
	about, err := s.about(c)
	if err != nil {
		return err
	}
	ctx, who := context.WithoutCancel(req.Context()), me(c).Name
	before, status, headers, body, err := s.Repeats.Begin(ctx, who, key, about, time.Now())
	if err != nil {
		return err
	}
	switch {
	case before == "": // it is new
	case before != about:
		return refuseAs(http.StatusUnprocessableEntity, "idempotency_key_reused", "This Idempotency-Key was used for another request. Use a new one for each.")
	case status == 0:
		return refuseAs(http.StatusConflict, "idempotency_key_busy", "The request with this Idempotency-Key is being carried out, or was cut off. Look whether it was done; then use a new key.")
	default:
		var kept http.Header
		if err := json.Unmarshal([]byte(headers), &kept); err != nil {
			return err
		}
		for k, v := range kept {
			c.Response().Header()[k] = v
		}
		c.Response().Header().Set("Idempotency-Replayed", "true")
		c.Response().WriteHeader(status)
		_, err := c.Response().Write(body)
		return err
	}
	w := &recorder{ResponseWriter: c.Response(), status: http.StatusOK}
	c.SetResponse(w)
	done := false
	defer func() { // of a panic too
		if !done {
			s.Repeats.End(ctx, who, key, 0, "", nil)
		}
	}()
	if err := r.do(c); err != nil || w.status >= 400 || w.body.Len() > mostRepeated {
		return err
	}
	kept := http.Header{}
	for _, k := range []string{"Content-Type", "Etag", "Location", "Tus-Resumable", "Upload-Offset"} {
		if v := w.Header().Values(k); len(v) > 0 {
			kept[k] = v
		}
	}
	text, err := json.Marshal(kept)
	if err != nil {
		return err
	}
	done = true
	if err := s.Repeats.End(ctx, who, key, w.status, string(text), w.body.Bytes()); err != nil {
		s.Log.Error("keep the answer to a request with a key", "error", err)
	}
	return nil
}

// about tells requests apart: by address, version and body, as far as it is not too long to be held.
func (s *Server) about(c *echo.Context) (string, error) {
	req := c.Request()
	h := sha256.New()
	fmt.Fprintf(h, "%s\n%s\n%d\n", req.URL.RequestURI(), req.Header.Get("If-Match"), req.ContentLength)
	for _, k := range []string{"Upload-Length", "Upload-Metadata"} { // an upload is described by its headers
		if v := req.Header.Get(k); v != "" {
			fmt.Fprintf(h, "%s: %s\n", k, v)
		}
	}
	if req.ContentLength <= mostHashed {
		head, err := io.ReadAll(io.LimitReader(req.Body, mostHashed))
		if err != nil {
			if long := overlong(err); long != nil {
				return "", long
			}
			return "", refuse(http.StatusBadRequest, "The request broke off.")
		}
		h.Write(head)
		req.Body = struct {
			io.Reader
			io.Closer
		}{io.MultiReader(bytes.NewReader(head), req.Body), req.Body}
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

// recorder keeps an answer while it passes.
type recorder struct {
	http.ResponseWriter
	status int
	body   bytes.Buffer
}

func (r *recorder) Unwrap() http.ResponseWriter { return r.ResponseWriter }

func (r *recorder) WriteHeader(status int) {
	r.status = status
	r.ResponseWriter.WriteHeader(status)
}

func (r *recorder) Write(b []byte) (int, error) {
	if r.body.Len() <= mostRepeated {
		r.body.Write(b)
	}
	return r.ResponseWriter.Write(b)
}
