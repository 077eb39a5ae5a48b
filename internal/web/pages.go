package web

import (
	"bytes"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"path"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/internal/library"

	"github.com/labstack/echo/v5"
)

// loadPages parses one template set a page: the layout, all partials, the page.
func (s *Server) loadPages() error {
	s.pages = map[string]*template.Template{}
	names, err := files.ReadDir("templates/pages")
	if err != nil {
		return err
	}
	modules, err := files.ReadDir("static/js")
	if err != nil {
		return err
	}
	funcs := template.FuncMap{
		// Named in the head, modules are fetched side by side, not one import after another.
		"modules": func() (out []string) {
			for _, f := range modules {
				out = append(out, "js/"+f.Name())
			}
			return append(out, "vendor/alpine.js")
		},
		"static": func(name string) string { return "/static/" + s.version + "/" + name },
		"icon":   icon,
		"per":    func(v, k float64) float64 { return v * k },
	}
	for _, f := range names {
		name := strings.TrimSuffix(f.Name(), ".html")
		t, err := template.New("layout.html").Funcs(funcs).ParseFS(files, "templates/layout.html", "templates/partials/*.html", "templates/pages/"+f.Name())
		if err != nil {
			return fmt.Errorf("page %s: %w", name, err)
		}
		s.pages[name] = t
	}
	return nil
}

// icon is one of the shipped line icons, drawn in the colour of the text.
func icon(name string) (template.HTML, error) {
	data, err := files.ReadFile(path.Join("static/icons", name+".svg"))
	return template.HTML(data), err
}

// render shows a page, or with the header X-Part only a named part of it.
func (s *Server) render(c *echo.Context, status int, page string, data any) error {
	name := "layout.html"
	if part := c.Request().Header.Get("X-Part"); part != "" {
		if s.pages[page].Lookup(part) == nil {
			return refuse(http.StatusBadRequest, "This page has no such part.")
		}
		name = part
	}
	var b bytes.Buffer
	if err := s.pages[page].ExecuteTemplate(&b, name, data); err != nil {
		return fmt.Errorf("show page %s: %w", page, err)
	}
	c.Response().Header().Set("Cache-Control", "private, no-store")
	c.Response().Header().Add("Vary", "X-Part")
	return c.HTMLBlob(status, b.Bytes())
}

// frame is what the layout needs.
type frame struct {
	Title  string
	Place  string // intake, bench, library, boards or empty
	User   *library.User
	Staff  bool
	Admin  bool
	Demo   bool
	Counts library.Counts
	Dark   bool
	Text   string // in the search field
	Early  string // a picture to be fetched before anything else; empty for none
}

func (s *Server) frame(c *echo.Context, title string) frame {
	u := me(c)
	f := frame{Title: title, User: u, Staff: staff.allows(u), Admin: admin.allows(u), Demo: s.Demo}
	if u != nil {
		f.Counts, _ = s.Service.Counts(c.Request().Context())
	}
	if k, err := c.Request().Cookie("room"); err == nil {
		f.Dark = k.Value == "dark"
	}
	return f
}

type errorPage struct {
	frame
	Status int
	Says   string
}

type frontPage struct {
	frame
	To      string
	Problem string
	Name    string
	Demo    []demoAccount
}

type demoAccount struct{ Name, Does string }

// DemoAccounts are the accounts of the demo: anybody may enter them.
var DemoAccounts = []struct {
	Name string
	Role library.Role
	Does string
}{
	{"librarian", library.Librarian, "takes in deliveries, measures, publishes"},
	{"artist", library.Artist, "searches and takes materials"},
	{"lead", library.Lead, "sets standards, approves"},
	{"admin", library.Administrator, "keeps the accounts"},
}

// DemoPassword opens every account of the demo.
const DemoPassword = "salt-clerk-demo"

// front is the door: sign-in, or straight on to one's place.
func (s *Server) front(c *echo.Context) error {
	if u := me(c); u != nil {
		return c.Redirect(http.StatusSeeOther, home(u, ""))
	}
	if s.SetupCode != "" {
		if users, err := s.Service.Users(c.Request().Context()); err == nil && len(users) == 0 {
			return c.Redirect(http.StatusSeeOther, "/setup")
		}
	}
	return s.showFront(c, http.StatusOK, c.QueryParam("to"), "", "")
}

func (s *Server) showFront(c *echo.Context, status int, to, name, problem string) error {
	p := frontPage{frame: s.frame(c, "Sign in"), To: to, Name: name, Problem: problem}
	if s.Demo {
		for _, a := range DemoAccounts {
			p.Demo = append(p.Demo, demoAccount{a.Name, a.Does})
		}
	}
	return s.render(c, status, "front", p)
}

// home is where somebody goes after signing in: to an address within the
// application, or to the place of their work.
func home(u *library.User, to string) string {
	if v, err := url.Parse(to); err == nil && to != "" && v.Host == "" && v.Scheme == "" && strings.HasPrefix(v.Path, "/") && !strings.HasPrefix(to, "//") && !strings.Contains(to, "\\") {
		return to
	}
	if staff.allows(u) {
		return "/intake"
	}
	return "/library"
}

func (s *Server) signIn(c *echo.Context) error {
	ctx := c.Request().Context()
	name, password, to := c.FormValue("name"), c.FormValue("password"), c.FormValue("to")
	if s.Demo && c.FormValue("demo") != "" {
		name, password = c.FormValue("demo"), DemoPassword
	}
	from := c.Request().RemoteAddr
	if i := strings.LastIndexByte(from, ':'); i > 0 {
		from = from[:i]
	}
	u, err := s.Service.SignIn(ctx, name, password, from)
	var invalid library.Invalid
	switch {
	case errors.Is(err, library.ErrDenied):
		return s.showFront(c, http.StatusUnauthorized, to, name, "The name and the password do not go together. Try again, or ask the administrator.")
	case errors.As(err, &invalid):
		return s.showFront(c, http.StatusTooManyRequests, to, name, invalid.Says)
	case err != nil:
		return err
	}
	return s.enter(c, &u, to)
}

func (s *Server) enter(c *echo.Context, u *library.User, to string) error {
	ctx := c.Request().Context()
	if err := s.sessions.RenewToken(ctx); err != nil {
		return err
	}
	s.sessions.Put(ctx, "user", u.ID)
	return c.Redirect(http.StatusSeeOther, home(u, to))
}

func (s *Server) signOut(c *echo.Context) error {
	if err := s.sessions.Destroy(c.Request().Context()); err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/")
}

func (s *Server) setupPage(c *echo.Context) error {
	if err := s.fresh(c); err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "setup", frontPage{frame: s.frame(c, "Set up")})
}

// fresh says whether there is no account yet.
func (s *Server) fresh(c *echo.Context) error {
	users, err := s.Service.Users(c.Request().Context())
	if err != nil {
		return err
	}
	if len(users) > 0 || s.SetupCode == "" {
		return library.ErrNotFound
	}
	return nil
}

func (s *Server) setup(c *echo.Context) error {
	if err := s.fresh(c); err != nil {
		return err
	}
	again := func(says string) error {
		return s.render(c, http.StatusUnprocessableEntity, "setup", frontPage{frame: s.frame(c, "Set up"), Name: c.FormValue("name"), Problem: says})
	}
	if strings.TrimSpace(c.FormValue("code")) != s.SetupCode {
		return again("This is not the code that the server printed when it started.")
	}
	u, err := s.Service.AddUser(c.Request().Context(), c.FormValue("name"), c.FormValue("password"), library.Administrator, "set-up")
	var invalid library.Invalid
	if errors.As(err, &invalid) {
		return again(invalid.Says)
	}
	if err != nil {
		return err
	}
	return s.enter(c, &u, "")
}

type peoplePage struct {
	frame
	People  []library.User
	Roles   []library.Role
	Audit   []library.AuditEntry
	Problem string
}

func (s *Server) people(c *echo.Context) error { return s.showPeople(c, http.StatusOK, "") }

func (s *Server) showPeople(c *echo.Context, status int, problem string) error {
	ctx := c.Request().Context()
	people, err := s.Service.Users(ctx)
	if err != nil {
		return err
	}
	audit, err := s.Service.Audit(ctx, 40)
	if err != nil {
		return err
	}
	return s.render(c, status, "people", peoplePage{s.frame(c, "People"), people, library.Roles(), audit, problem})
}

func (s *Server) addPerson(c *echo.Context) error {
	_, err := s.Service.AddUser(c.Request().Context(), c.FormValue("name"), c.FormValue("password"), library.Role(c.FormValue("role")), me(c).Name)
	return s.afterPeople(c, err)
}

func (s *Server) changePerson(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	return s.afterPeople(c, s.Service.ChangeUser(c.Request().Context(), id, library.Role(c.FormValue("role")), c.FormValue("disabled") != "", me(c).Name))
}

func (s *Server) afterPeople(c *echo.Context, err error) error {
	var invalid library.Invalid
	if errors.As(err, &invalid) {
		return s.showPeople(c, http.StatusUnprocessableEntity, invalid.Says)
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/people")
}

type youPage struct {
	frame
	Token string
}

func (s *Server) you(c *echo.Context) error {
	return s.render(c, http.StatusOK, "you", youPage{s.frame(c, "You"), ""})
}

func (s *Server) addToken(c *echo.Context) error {
	label := strings.TrimSpace(c.FormValue("label"))
	if label == "" || len(label) > 60 {
		return library.Invalid{Says: "Say in at most 60 bytes what the token is for."}
	}
	token, err := s.Service.NewToken(c.Request().Context(), me(c).Name, label)
	if err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "you", youPage{s.frame(c, "You"), token})
}

func (s *Server) boards(c *echo.Context) error {
	f := s.frame(c, "Boards")
	f.Place = "boards"
	return s.render(c, http.StatusOK, "boards", f)
}

// mapPicture is a thumbnail of one map of a draft.
func (s *Server) mapPicture(c *echo.Context) error { return s.showMap(c, false) }

// mapExact is the map as it is, for the Flat lens.
func (s *Server) mapExact(c *echo.Context) error { return s.showMap(c, true) }

func (s *Server) showMap(c *echo.Context, exact bool) error {
	id, err := idOf(c, "map")
	if err != nil {
		return err
	}
	p, err := s.Service.MapOf(c.Request().Context(), id)
	if err != nil {
		return err
	}
	return s.sendMap(c, &p, exact)
}

func (s *Server) sendMap(c *echo.Context, p *library.Map, exact bool) error {
	px, err := number(c, "px", 128)
	if err != nil {
		return err
	}
	if p.Blob == "" {
		return library.ErrNotFound
	}
	key := fmt.Sprintf("%s-%x-%s-%s-%g-%v", p.Blob[:16], p.Layer, p.Component, p.Channel, px, exact)
	kind := "image/jpeg"
	if exact {
		kind = "image/png"
	}
	return s.picture(c, key, kind, func() ([]byte, error) { return s.Service.MapPicture(p, int(px), exact) })
}

// releasedMap is a picture of one map of a release.
func (s *Server) releasedMap(c *echo.Context) error {
	r, err := s.released(c)
	if err != nil {
		return err
	}
	ch, ok := channels.Parse(strings.TrimSuffix(c.Param("channel"), ".jpg"))
	p := r.Material.Map(ch)
	if !ok || p == nil {
		return library.ErrNotFound
	}
	return s.sendMap(c, p, false)
}
