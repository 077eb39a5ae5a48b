// Package web is the application's face: pages for people, a JSON API for
// programs, and the files that both need.
//
// Its files are named after the place that they belong to (intake_…, bench_…, library_…, studio_…, people_…), or
// after what all places share (api_…, pictures_…, server_…).
//
// Every route is a row of one table (server_routes.go) that says who may use it. What
// changes state is protected against cross-site requests; pages allow no inline
// script; errors are pages for people and problem details for programs.
package web

import (
	"context"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"net/netip"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/studio"

	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"
	"github.com/prometheus/client_golang/prometheus"
)

//go:embed templates static openapi.json
var files embed.FS

// Config is what a Server is made of.
type Config struct {
	Studio    *studio.Studio
	Sessions  scs.CtxStore
	Log       *slog.Logger
	Demo      bool   // accounts may be entered with one click
	SetupCode string // printed when the server starts, until there is an account
	Secure    bool   // cookies travel over TLS only
	Ready     func(context.Context) error
	Proxies   []netip.Prefix // whose forwarded addresses and schemes are believed
	MaxUpload int64          // bytes of one request or file; 0 for 50 GB
	Uploads   string         // folder for files that arrive in pieces
	Repeats   Repeats        // answers to requests that name an Idempotency-Key; nil keeps none
	TokenRate int            // requests a second of one token; 0 for the usual bound, below 0 for none
}

// Server serves Aldermoor.
type Server struct {
	Config
	echo         *echo.Echo
	sessions     *scs.SessionManager
	pages        map[string]*template.Template
	litModules   []string // the scripts of the Lit lens
	static       http.Handler
	uploads      *uploads
	walls        walls
	rates        rates
	packing      packMemory
	onces        onces
	params       params                 // of the operations of the API
	strangeProxy atomic.Pointer[string] // the last proxy that is not trusted; nil for none
	told         atomic.Uint64          // publications that owners of saved searches were told of
	version      string                 // of the built files, for their addresses
	metrics      metrics
	registry     *prometheus.Registry
	ending       chan struct{} // closed when the server is stopping
	endOnce      sync.Once
}

// New makes a Server.
func New(c Config) (*Server, error) {
	if c.MaxUpload == 0 {
		c.MaxUpload = 50 << 30
	}
	s := &Server{Config: c, rates: rates{perSecond: c.TokenRate}, echo: echo.New(), sessions: scs.New(), registry: prometheus.NewRegistry(), ending: make(chan struct{})}
	s.sessions.Store = plainStore{c.Sessions}
	s.sessions.HashTokenInStore = true
	s.sessions.Lifetime, s.sessions.IdleTimeout = 14*24*time.Hour, 3*24*time.Hour
	s.sessions.Cookie.Name, s.sessions.Cookie.SameSite, s.sessions.Cookie.HttpOnly, s.sessions.Cookie.Secure = "aldermoor", http.SameSiteLaxMode, true, c.Secure
	s.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		if errors.Is(err, context.Canceled) {
			return // the client has gone
		}
		c.Log.Error("session", "error", err)
		var coded interface{ Code() int }
		if errors.As(err, &coded) && coded.Code() == 13 { // SQLite's code for a full disk
			status, says := explain(syscall.ENOSPC)
			http.Error(w, says, status)
			return
		}
		http.Error(w, "The session could not be read. Try again.", http.StatusInternalServerError)
	}
	static, err := fs.Sub(files, "static")
	if err != nil {
		return nil, err
	}
	if s.version, err = fingerprint(static); err != nil {
		return nil, err
	}
	s.static = http.StripPrefix("/static/"+s.version, precompressed(static))
	if err := s.loadPages(); err != nil {
		return nil, err
	}
	if s.uploads, err = newUploads(c.Uploads, c.MaxUpload); err != nil {
		return nil, err
	}
	document, err := files.ReadFile("openapi.json")
	if err != nil {
		return nil, err
	}
	if s.params, err = documented(document); err != nil {
		return nil, err
	}
	s.metrics = newMetrics(s.registry, c)
	s.echo.HTTPErrorHandler = s.problem
	s.echo.Logger = c.Log
	for _, r := range s.routes() {
		s.echo.Add(r.method, r.path, s.guard(r))
		if r.method == http.MethodGet { // net/http leaves the body out
			s.echo.Add(http.MethodHead, r.path, s.guard(r))
		}
	}
	return s, nil
}

// plainStore lets a store with contexts stand where scs asks for one without.
type plainStore struct{ scs.CtxStore }

func (p plainStore) Find(token string) ([]byte, bool, error) {
	return p.FindCtx(context.Background(), token)
}
func (p plainStore) Commit(token string, b []byte, expiry time.Time) error {
	return p.CommitCtx(context.Background(), token, b, expiry)
}
func (p plainStore) Delete(token string) error { return p.DeleteCtx(context.Background(), token) }

// fingerprint names the state of all static files, so that they can be kept for ever.
func fingerprint(f fs.FS) (string, error) {
	h := sha256.New()
	err := fs.WalkDir(f, ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := fs.ReadFile(f, p)
		fmt.Fprintln(h, p, len(data))
		h.Write(data)
		return err
	})
	return hex.EncodeToString(h.Sum(nil)[:6]), err
}

// EndStreams ends the streams of events, which would keep a stopping server waiting.
func (s *Server) EndStreams() { s.endOnce.Do(func() { close(s.ending) }) }

// Handler is the whole application as a handler.
func (s *Server) Handler() http.Handler {
	cross := http.NewCrossOriginProtection()
	cross.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		writeProblem(w, http.StatusForbidden, "other_site", "This request came from another site and was refused.")
	}))
	var h http.Handler = s.echo
	h = cross.Handler(h)
	h = s.withSession(h)
	h = s.recovered(h)
	h = compress(h)
	h = headers(h, s.Secure)
	h = s.proxied(h)
	return s.observe(h)
}

// withSession loads the session for all but static files.
func (s *Server) withSession(h http.Handler) http.Handler {
	loaded := s.sessions.LoadAndSave(h)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/static/") {
			h.ServeHTTP(w, r)
			return
		}
		loaded.ServeHTTP(w, r)
	})
}

// headers are on every answer.
func headers(h http.Handler, secure bool) http.Handler {
	const policy = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob:; font-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		k := w.Header()
		k.Set("Content-Security-Policy", policy)
		k.Set("X-Content-Type-Options", "nosniff")
		k.Set("Referrer-Policy", "same-origin")
		k.Set("Cross-Origin-Opener-Policy", "same-origin")
		if secure {
			k.Set("Strict-Transport-Security", "max-age=31536000")
		}
		h.ServeHTTP(w, r)
	})
}

// guard lets only those in who have the route's right, and only writes that name the
// version that they were made for.
func (s *Server) guard(r route) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if err := s.bound(c, r); err != nil {
			return err
		}
		if err := s.known(c, r); err != nil {
			return err
		}
		p, err := s.principal(c)
		if err != nil {
			return err
		}
		c.Set("principal", p)
		who := p.Name
		if who == "" {
			who = addressOf(c.Request())
		}
		c.SetRequest(c.Request().WithContext(library.WithPerson(c.Request().Context(), who)))
		if p.Name != "" && c.Request().Method == http.MethodGet {
			c.Set("event", s.Studio.Events.Latest(c.Request().Context())) // before anything is read for the page
		}
		if !p.May(r.right) {
			if p.Name == "" {
				return s.strangers(c, r)
			}
			return people.Forbidden{Right: r.right, By: p}
		}
		if r.versioned {
			if _, given, err := versionNamed(c); err != nil {
				return err
			} else if !given {
				return refuse(http.StatusPreconditionRequired, "Say which version this change was made for: send its ETag as If-Match, or * to change whatever there is.")
			}
		}
		if err := s.loading(r); err != nil {
			return err
		}
		return s.conditional(c, r)
	}
}

// strangers are asked to sign in.
func (s *Server) strangers(c *echo.Context, r route) error {
	if strings.HasPrefix(r.path, "/api/") {
		c.Response().Header().Set("WWW-Authenticate", "Bearer")
		return refuse(http.StatusUnauthorized, "Sign in, or send a bearer token.")
	}
	if r.method == http.MethodGet && c.Request().Header.Get("X-Part") == "" {
		return c.Redirect(http.StatusSeeOther, "/?to="+template.URLQueryEscaper(c.Request().URL.RequestURI()))
	}
	return refuse(http.StatusUnauthorized, "You are signed out. Sign in and try again.")
}

// recovered answers a panic in a handler as an error, so that it ends neither
// the connection nor the server.
func (s *Server) recovered(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if p := recover(); p != nil && p != http.ErrAbortHandler {
				stack := debug.Stack()
				if carried, ok := p.(interface{ Trace() []byte }); ok {
					stack = carried.Trace()
				}
				s.Log.Error("panic", "path", r.URL.Path, "panic", p, "stack", string(stack))
				_, says := explain(errors.New("panic"))
				writeProblem(w, http.StatusInternalServerError, "", says)
			}
		}()
		h.ServeHTTP(w, r)
	})
}

// principal is who asks: by bearer token, else by session; nobody if neither.
func (s *Server) principal(c *echo.Context) (people.Principal, error) {
	ctx := c.Request().Context()
	if h := c.Request().Header.Get("Authorization"); h != "" {
		token, ok := strings.CutPrefix(h, "Bearer ")
		if !ok {
			return people.Principal{}, refuse(http.StatusUnauthorized, "Send the token as Authorization: Bearer …")
		}
		token = strings.TrimSpace(token)
		if wait := s.rates.wait(token, time.Now()); wait > 0 && s.TokenRate >= 0 {
			return people.Principal{}, tooFast{wait}
		}
		p, err := s.Studio.People.PrincipalOfToken(ctx, token)
		if errors.Is(err, people.ErrDenied) {
			return p, refuse(http.StatusUnauthorized, "This token is not known, has ended, or its account has been closed.")
		}
		return p, err
	}
	if strings.HasPrefix(c.Request().URL.Path, "/static/") {
		return people.Principal{}, nil
	}
	secret := s.sessions.GetString(ctx, "sign-in")
	if secret == "" {
		return people.Principal{}, nil
	}
	p, err := s.Studio.People.PrincipalOfSignIn(ctx, secret)
	if errors.Is(err, library.ErrNotFound) {
		return people.Principal{}, s.sessions.Destroy(ctx)
	}
	return p, err
}

func me(c *echo.Context) people.Principal {
	p, _ := c.Get("principal").(people.Principal)
	return p
}

// refusal is an error that says what a person can do about it.
type refusal struct {
	status int
	code   string // for programs; "" for the status' own
	says   string
}

func (r refusal) Error() string { return r.says }

func refuse(status int, says string) error { return refusal{status, "", says} }

// refuseAs is refuse with a code of its own for programs.
func refuseAs(status int, code, says string) error { return refusal{status, code, says} }

// codeOf is an error's code for programs; "" for that of its status.
func codeOf(err error) string {
	var r refusal
	switch {
	case errors.As(err, &r):
		return r.code
	case errors.Is(err, library.ErrBusy):
		return "busy"
	}
	return ""
}

// explain is the status and sentence of any error.
func explain(err error) (int, string) {
	var r refusal
	var invalid library.Invalid
	var coded interface{ StatusCode() int }
	var forbidden people.Forbidden
	var many people.TooMany
	if long := overlong(err); long != nil {
		err = long
	}
	switch {
	case errors.As(err, &forbidden):
		return http.StatusForbidden, forbidden.Error()
	case errors.As(err, &many):
		return http.StatusTooManyRequests, many.Error()
	case errors.As(err, new(tooFast)):
		return http.StatusTooManyRequests, "This token asks too often. Wait a moment between requests."
	case errors.Is(err, library.ErrBusy):
		return http.StatusTooManyRequests, "Many pictures are being made at once. Try again in a moment."
	case errors.Is(err, syscall.ENOSPC):
		return http.StatusInsufficientStorage, "The server's disk is full. Nothing that had arrived was lost; try again when the administrator has made room."
	case errors.As(err, &r):
		return r.status, r.says
	case errors.As(err, &invalid):
		return http.StatusUnprocessableEntity, string(invalid)
	case errors.Is(err, library.ErrNotFound):
		return http.StatusNotFound, "There is nothing at this address. It may have been mistyped."
	case errors.Is(err, library.ErrStale):
		return http.StatusPreconditionFailed, "This has changed since you loaded it. Load it again and repeat your change."
	case errors.As(err, &coded) && coded.StatusCode() < 500:
		switch coded.StatusCode() {
		case http.StatusNotFound:
			return http.StatusNotFound, "There is nothing at this address. It may have been mistyped."
		case http.StatusMethodNotAllowed:
			return http.StatusMethodNotAllowed, "This address does not take that method."
		}
		return coded.StatusCode(), "The request could not be understood."
	}
	return http.StatusInternalServerError, "Something went wrong in Aldermoor; nothing was lost. The administrator finds it in the log."
}

// problem answers errors.
func (s *Server) problem(c *echo.Context, err error) {
	status, says := explain(err)
	gone := c.Request().Context().Err() != nil || errors.Is(err, context.Canceled) || errors.Is(err, syscall.EPIPE) || errors.Is(err, syscall.ECONNRESET)
	if status >= 500 && !gone {
		s.Log.Error("request failed", "path", c.Request().URL.Path, "error", err)
	}
	if r, e := echo.UnwrapResponse(c.Response()); e == nil && r.Committed {
		return
	}
	c.Response().Header().Del("Cache-Control")
	if codeOf(err) == codeLoading {
		c.Response().Header().Set("Refresh", "2")
	}
	if status == http.StatusServiceUnavailable || status == http.StatusTooManyRequests {
		wait := 2
		if many := (people.TooMany{}); errors.As(err, &many) {
			wait = int(many.Wait.Seconds()) + 1
		}
		if fast := (tooFast{}); errors.As(err, &fast) {
			wait = int(fast.wait.Seconds()) + 1
		}
		c.Response().Header().Set("Retry-After", strconv.Itoa(wait))
	}
	if path := c.Request().URL.Path; c.Request().Header.Get("X-Part") != "" || strings.HasPrefix(path, "/api/") || strings.Contains(c.Request().Header.Get("Accept"), "application/json") {
		writeProblem(c.Response(), status, codeOf(err), says)
		return
	}
	if err := s.render(c, status, "error", errorPage{s.frame(c, http.StatusText(status)), status, says}); err != nil {
		s.Log.Error("show an error", "error", err)
	}
}
