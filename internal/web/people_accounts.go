package web

import (
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"

	"github.com/labstack/echo/v5"
)

// This file is about accounts: those of others for the administrator, one's own, and the
// audit.

type peoplePage struct {
	frame
	People    []people.User
	Roles     []people.Role
	Problem   string
	CodeFor   string // whose password was reset
	Code      string // the one-time code, shown once
	CodeLasts string
	Tokens    []tokenRow
}

func (s *Server) people(c *echo.Context) error {
	return s.showPeople(c, http.StatusOK, said[peoplePage](s, c))
}

func (s *Server) showPeople(c *echo.Context, status int, p peoplePage) error {
	list, err := s.Studio.People.Users(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	tokens, err := s.Studio.People.AllTokens(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	for _, t := range tokens {
		p.Tokens = append(p.Tokens, rowOf(t.Token, t.Owner, here(c)))
	}
	p.frame, p.People, p.Roles = s.frame(c, "People"), list, people.Roles()
	return s.render(c, status, "people", p)
}

// revokeAny ends anybody's token.
func (s *Server) revokeAny(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	return s.afterPeople(c, s.Studio.People.RevokeAny(c.Request().Context(), me(c), id))
}

// apiTokens lists everybody's tokens.
func (s *Server) apiTokens(c *echo.Context) error {
	list, err := s.Studio.People.AllTokens(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	type token struct {
		ID    int64  `json:"id"`
		User  string `json:"user"`
		Label string `json:"label"`
		Scope string `json:"scope"`
		Made  string `json:"made"`
		Ends  string `json:"ends"`
		Used  string `json:"used"`
	}
	var items []token
	for _, t := range list {
		items = append(items, token{t.ID, t.Owner, t.Label, string(t.Scope), at(t.Made), at(t.Ends), at(t.Used)})
	}
	return answerAll(c, items)
}

// apiRevokeToken ends anybody's token.
func (s *Server) apiRevokeToken(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	if err := s.Studio.People.RevokeAny(c.Request().Context(), me(c), id); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *Server) addPerson(c *echo.Context) error {
	_, err := s.Studio.People.AddUser(c.Request().Context(), me(c), c.FormValue("name"), c.FormValue("password"), people.Role(c.FormValue("role")))
	return s.afterPeople(c, err)
}

func (s *Server) changePerson(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	return s.afterPeople(c, s.Studio.People.ChangeUser(c.Request().Context(), me(c), of, people.Role(c.FormValue("role")), c.FormValue("disabled") != ""))
}

func (s *Server) afterPeople(c *echo.Context, err error) error {
	if status, text, ok := says(err); ok {
		return s.showPeople(c, status, peoplePage{Problem: text})
	}
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, "/people")
}

func (s *Server) resetPerson(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	code, err := s.Studio.People.ResetPassword(c.Request().Context(), me(c), of)
	if status, text, ok := says(err); ok {
		return s.showPeople(c, status, peoplePage{Problem: text})
	}
	if err != nil {
		return err
	}
	return s.after(c, "/people", peoplePage{Code: code, CodeFor: c.FormValue("name"), CodeLasts: "one day"})
}

type auditPage struct {
	frame
	Entries           []people.AuditEntry
	Actions           []string
	Actor, Action, Of string // the filters in force
	Prev, Next        string // addresses, empty for none
}

func auditQuery(c *echo.Context) people.AuditQuery {
	return people.AuditQuery{Actor: c.QueryParam("actor"), Action: c.QueryParam("action"), Text: c.QueryParam("text"), Page: pageOf(c), Per: 100}
}

// audit is the record of who did what.
func (s *Server) audit(c *echo.Context) error {
	q := auditQuery(c)
	ctx := c.Request().Context()
	list, more, err := s.Studio.People.Audit(ctx, me(c), q)
	if err != nil {
		return err
	}
	p := auditPage{frame: s.frame(c, "Audit"), Entries: list, Actor: q.Actor, Action: q.Action, Of: q.Text}
	if p.Actions, err = s.Studio.People.AuditActions(ctx, me(c)); err != nil {
		return err
	}
	at := func(page int) string {
		v := url.Values{"page": {strconv.Itoa(page)}}
		for k, text := range map[string]string{"actor": q.Actor, "action": q.Action, "text": q.Text} {
			if text != "" {
				v.Set(k, text)
			}
		}
		return "/audit?" + v.Encode()
	}
	if q.Page > 1 {
		p.Prev = at(q.Page - 1)
	}
	if more {
		p.Next = at(q.Page + 1)
	}
	return s.render(c, http.StatusOK, "audit", p)
}

func (s *Server) apiAudit(c *echo.Context) error {
	l, err := listingOf(c, 100)
	if err != nil {
		return err
	}
	q := auditQuery(c)
	q.Page, q.Per = l.page, l.per
	list, more, err := s.Studio.People.Audit(c.Request().Context(), me(c), q)
	if err != nil {
		return err
	}
	type entry struct {
		At      string `json:"at"`
		Actor   string `json:"actor"`
		Action  string `json:"action"`
		Subject string `json:"subject"`
		Detail  string `json:"detail"`
	}
	items := []entry{}
	for _, e := range list {
		items = append(items, entry{at(e.At), e.Actor, e.Action, e.Subject, e.Detail})
	}
	next := ""
	if more {
		next = l.following()
	}
	return c.JSON(http.StatusOK, map[string]any{"items": items, "cursor": next})
}

type youPage struct {
	frame
	Token   string // a new one, shown once
	Problem string
	Done    string
	Tokens  []tokenRow
	SignIns []signInRow
	Scopes  []people.Scope
}

type tokenRow struct {
	ID                              int64
	Owner, Label, Scope, Ends, Used string
}

func rowOf(t people.Token, owner string, now time.Time) tokenRow {
	r := tokenRow{t.ID, owner, t.Label, string(t.Scope), "never", "never"}
	if !t.Ends.IsZero() {
		r.Ends = day(t.Ends, now)
	}
	if !t.Used.IsZero() {
		r.Used = ago(t.Used, now)
	}
	return r
}

type signInRow struct {
	ID, Agent, Address, Seen string
	Own                      bool
}

func (s *Server) you(c *echo.Context) error { return s.showYou(c, http.StatusOK, said[youPage](s, c)) }

func (s *Server) showYou(c *echo.Context, status int, p youPage) error {
	ctx := c.Request().Context()
	p.frame, p.Scopes = s.frame(c, "You"), people.Scopes()
	if me(c).May(people.SelfManage) {
		tokens, err := s.Studio.People.Tokens(ctx, me(c))
		if err != nil {
			return err
		}
		now := time.Now()
		for _, t := range tokens {
			p.Tokens = append(p.Tokens, rowOf(t, me(c).Name, now))
		}
		list, own, err := s.Studio.People.SignIns(ctx, me(c))
		if err != nil {
			return err
		}
		for _, in := range list {
			p.SignIns = append(p.SignIns, signInRow{in.ID, browserOf(in.Agent), in.Address, ago(in.Seen, now), in.ID == own})
		}
	}
	return s.render(c, status, "you", p)
}

// browserOf is the part of a user agent that a person knows.
func browserOf(agent string) string {
	for _, k := range [][2]string{{"Firefox/", "Firefox"}, {"Edg/", "Edge"}, {"Chrome/", "Chrome"}, {"Safari/", "Safari"}, {"curl/", "curl"}} {
		if strings.Contains(agent, k[0]) {
			for _, system := range []string{"Windows", "Mac OS X", "Android", "Linux", "iPhone", "iPad"} {
				if strings.Contains(agent, system) {
					return k[1] + " on " + strings.Replace(system, "Mac OS X", "macOS", 1)
				}
			}
			return k[1]
		}
	}
	if agent == "" {
		return "unknown browser"
	}
	return agent
}

func (s *Server) afterYou(c *echo.Context, done string, err error) error {
	if status, text, ok := says(err); ok {
		if errors.Is(err, people.ErrDenied) {
			text = "This is not your present password."
		}
		return s.showYou(c, status, youPage{Problem: text})
	}
	if err != nil {
		return err
	}
	return s.after(c, "/you", youPage{Done: done})
}

func (s *Server) changePassword(c *echo.Context) error {
	err := s.Studio.People.ChangePassword(c.Request().Context(), me(c), c.FormValue("old"), c.FormValue("password"), from(c))
	return s.afterYou(c, "Password changed. Your other sign-ins were ended.", err)
}

func (s *Server) addToken(c *echo.Context) error {
	days, err := strconv.Atoi(c.FormValue("days"))
	if c.FormValue("days") == "" {
		days, err = 0, nil
	}
	if err != nil {
		return s.afterYou(c, "", library.Invalid("A token holds a whole number of days."))
	}
	scope := people.Scope(c.FormValue("scope"))
	if scope == "" {
		scope = people.ScopeRead
	}
	token, _, err := s.Studio.People.NewToken(c.Request().Context(), me(c), me(c).Name, c.FormValue("label"), scope, days)
	if err != nil {
		return s.afterYou(c, "", err)
	}
	return s.after(c, "/you", youPage{Token: token})
}

func (s *Server) revokeToken(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	return s.afterYou(c, "Token revoked.", s.Studio.People.RevokeToken(c.Request().Context(), me(c), id))
}

func (s *Server) endSignIn(c *echo.Context) error {
	return s.afterYou(c, "Sign-in ended.", s.Studio.People.EndSignIn(c.Request().Context(), me(c), c.Param("sign-in")))
}
