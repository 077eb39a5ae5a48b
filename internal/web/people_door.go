package web

import (
	"crypto/subtle"
	"errors"
	"net/http"
	"net/url"
	"strings"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"

	"github.com/labstack/echo/v5"
)

// This file is about coming in and going out: signing in, setting up, and new passwords.

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
	Role people.Role
	Does string
}{
	{"librarian", people.Librarian, "sorts deliveries, measures, publishes"},
	{"artist", people.Artist, "searches and downloads materials"},
	{"lead", people.Lead, "sets standards, approves"},
	{"admin", people.Administrator, "keeps the accounts"},
}

// front is the door: sign-in, or straight on to one's place.
func (s *Server) front(c *echo.Context) error {
	if p := me(c); p.Name != "" {
		return c.Redirect(http.StatusSeeOther, home(p, ""))
	}
	if s.SetupCode != "" {
		if fresh, err := s.Studio.People.Fresh(c.Request().Context()); err == nil && fresh {
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
func home(p people.Principal, to string) string {
	if v, err := url.Parse(to); err == nil && to != "" && v.Host == "" && v.Scheme == "" && strings.HasPrefix(v.Path, "/") && !strings.HasPrefix(to, "//") && !strings.Contains(to, "\\") {
		return to
	}
	if p.May(people.SeeDrafts) {
		return "/intake"
	}
	return "/library"
}

// from is where a request comes from.
func from(c *echo.Context) people.From {
	return people.From{Address: addressOf(c.Request()), Agent: c.Request().UserAgent()}
}

// says is the sentence of an error that a form shows beside its fields, and its status; ok
// is false for other errors.
func says(err error) (status int, text string, ok bool) {
	var invalid library.Invalid
	var many people.TooMany
	switch {
	case errors.Is(err, people.ErrDenied):
		return http.StatusUnauthorized, "The name and the password do not go together. Try again, or ask the administrator.", true
	case errors.As(err, &many):
		return http.StatusTooManyRequests, many.Error(), true
	case errors.As(err, &invalid):
		return http.StatusUnprocessableEntity, string(invalid), true
	case errors.Is(err, library.ErrStale):
		return http.StatusPreconditionFailed, "This has changed since you loaded it. Look at it again and repeat your change.", true
	}
	return 0, "", false
}

func (s *Server) signIn(c *echo.Context) error {
	name, password, to := c.FormValue("name"), c.FormValue("password"), c.FormValue("to")
	if s.Demo && c.FormValue("demo") != "" {
		name, password = c.FormValue("demo"), people.DemoPassword
	}
	p, err := s.Studio.People.SignIn(c.Request().Context(), name, password, from(c))
	if status, text, ok := says(err); ok {
		return s.showFront(c, status, to, name, text)
	}
	if err != nil {
		return err
	}
	return s.enter(c, p, to)
}

func (s *Server) enter(c *echo.Context, p people.Principal, to string) error {
	ctx := c.Request().Context()
	if err := s.sessions.RenewToken(ctx); err != nil {
		return err
	}
	s.sessions.Put(ctx, "sign-in", p.SignIn)
	return c.Redirect(http.StatusSeeOther, home(p, to))
}

func (s *Server) signOut(c *echo.Context) error {
	ctx := c.Request().Context()
	if err := s.Studio.People.EndSignIn(ctx, me(c), ""); err != nil {
		return err
	}
	if err := s.sessions.Destroy(ctx); err != nil {
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

// fresh is an error unless there is no account yet.
func (s *Server) fresh(c *echo.Context) error {
	fresh, err := s.Studio.People.Fresh(c.Request().Context())
	if err == nil && (!fresh || s.SetupCode == "") {
		err = library.ErrNotFound
	}
	return err
}

func (s *Server) setup(c *echo.Context) error {
	if err := s.fresh(c); err != nil {
		return err
	}
	again := func(text string) error {
		return s.render(c, http.StatusUnprocessableEntity, "setup", frontPage{frame: s.frame(c, "Set up"), Name: c.FormValue("name"), Problem: text})
	}
	if subtle.ConstantTimeCompare([]byte(strings.TrimSpace(c.FormValue("code"))), []byte(s.SetupCode)) != 1 {
		return again("This is not the code that the server printed when it started.")
	}
	ctx := c.Request().Context()
	name, password := c.FormValue("name"), c.FormValue("password")
	_, err := s.Studio.People.AddUser(ctx, people.Command("set-up"), name, password, people.Administrator)
	if _, text, ok := says(err); ok {
		return again(text)
	}
	if err != nil {
		return err
	}
	p, err := s.Studio.People.SignIn(ctx, name, password, from(c))
	if err != nil {
		return err
	}
	return s.enter(c, p, "")
}

// codePage is where somebody whose password was reset sets a new one.
func (s *Server) codePage(c *echo.Context) error {
	return s.render(c, http.StatusOK, "new-password", frontPage{frame: s.frame(c, "New password"), Name: c.QueryParam("name")})
}

func (s *Server) useCode(c *echo.Context) error {
	name := c.FormValue("name")
	p, err := s.Studio.People.UseCode(c.Request().Context(), name, c.FormValue("code"), c.FormValue("password"), from(c))
	if status, text, ok := says(err); ok {
		if errors.Is(err, people.ErrDenied) {
			text = "The name and the code do not go together, or the code has ended. Ask the administrator for another."
		}
		return s.render(c, status, "new-password", frontPage{frame: s.frame(c, "New password"), Name: name, Problem: text})
	}
	if err != nil {
		return err
	}
	return s.enter(c, p, "")
}
