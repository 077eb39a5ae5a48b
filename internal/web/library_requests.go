package web

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"aldermoor/internal/library"
	"aldermoor/internal/library/notices"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/requests"

	"github.com/labstack/echo/v5"
)

// This file has what artists ask for and report, and notices.

// requestsPage is the queue, and the open request.
type requestsPage struct {
	frame
	Staff  bool
	Done   bool
	List   []requestRow
	Total  int
	Open   *requestRow
	Asking bool   // the form is open
	Wanted string // what is asked for, to begin with
	pages
}

// requestRow is a request as pages show it.
type requestRow struct {
	requests.Request
	Word, Tone string
	When       string
	Lines      []messageRow
	Of         *releases.Card // the material of a problem
	View       string         // address that shows what the asker saw
	Swatch     string         // picture that the pin stands on
	PinX, PinY int            // in per cent
	Answered   *releases.Card // the material that solves it
	Staff      bool
}

type messageRow struct{ By, When, Text string }

// stateWords are the states as chips.
var stateWords = map[requests.State][2]string{requests.Open: {"open", "doubt"}, requests.Working: {"being worked on", ""}, requests.Solved: {"solved", "good"}, requests.Declined: {"declined", "stop"}}

func (s *Server) requestRow(c *echo.Context, r requests.Request) requestRow {
	row := requestRow{Request: r, Word: stateWords[r.State][0], Tone: stateWords[r.State][1], When: ago(r.Asked, here(c)), Staff: me(c).May(people.Contribute)}
	for _, m := range r.Messages {
		row.Lines = append(row.Lines, messageRow{m.By, ago(m.At, here(c)), m.Text})
	}
	if card, ok := s.Studio.Search.OfMaterial(r.Material); ok {
		row.Of = &card
		row.View = fmt.Sprintf("/library/%s", card.Slug)
		if r.View != "" {
			row.View += "?" + r.View
		}
		if r.Pinned() {
			row.Swatch = fmt.Sprintf("/api/v1/releases/%d/swatch.jpg?extent_m=%s&px=720&v=%s", r.Release, extentFor(r.View), card.Look)
			row.PinX, row.PinY = int(r.Pin[0]*100), int(r.Pin[1]*100)
		}
	}
	if card, ok := s.Studio.Search.OfMaterial(r.SolvedBy); ok {
		row.Answered = &card
	}
	return row
}

// extentFor is the extent that a kept view shows, in metres.
func extentFor(view string) string {
	if v, err := url.ParseQuery(view); err == nil && v.Get("extent_m") != "" {
		return url.QueryEscape(v.Get("extent_m"))
	}
	return "1"
}

const requestsPer = 40

func (s *Server) requests(c *echo.Context) error {
	ctx, p := c.Request().Context(), me(c)
	page := requestsPage{frame: s.frame(c, "Requests"), Staff: p.May(people.SeeDrafts), Done: c.QueryParam("state") == "done", Asking: c.QueryParam("ask") != "", Wanted: c.QueryParam("title")}
	list, total, err := s.Studio.Requests.List(ctx, p, requests.Query{Done: page.Done, Page: pageOf(c), Per: requestsPer})
	if err != nil {
		return err
	}
	page.Total, page.pages = total, pagesOf(c, pageOf(c), requestsPer, total)
	for _, r := range list {
		page.List = append(page.List, s.requestRow(c, r))
	}
	if c.Param("id") != "" {
		id, err := idOf(c, "id")
		if err != nil {
			return err
		}
		r, err := s.Studio.Requests.One(ctx, p, id)
		if err != nil {
			return err
		}
		row := s.requestRow(c, r)
		page.Open = &row
	}
	return s.render(c, http.StatusOK, "requests", page)
}

// apiRequest is a request as the API has it.
type apiRequest struct {
	ID       int64        `json:"id"`
	Kind     string       `json:"kind"`
	Title    string       `json:"title"`
	Size     string       `json:"size"`
	Due      string       `json:"due"`
	Picture  string       `json:"picture"` // address, "" for none
	Material string       `json:"material"`
	Release  int64        `json:"release_id"`
	Pin      *[2]float64  `json:"pin"`
	View     string       `json:"view"`
	By       string       `json:"by"`
	Asked    string       `json:"asked"`
	State    string       `json:"state"`
	SolvedBy string       `json:"solved_by"`
	Version  int64        `json:"version"`
	Messages []apiMessage `json:"messages"`
	Href     string       `json:"href"`
	Page     string       `json:"page"`
}

type apiMessage struct {
	By   string `json:"by"`
	At   string `json:"at"`
	Text string `json:"text"`
}

func (s *Server) requestView(r requests.Request) apiRequest {
	v := apiRequest{ID: r.ID, Kind: string(r.Kind), Title: r.Title, Size: r.Size, Due: r.Due, Release: r.Release, View: r.View, By: r.By, Asked: at(r.Asked),
		State: string(r.State), Version: r.Version, Messages: []apiMessage{}, Href: fmt.Sprintf("/api/v1/requests/%d", r.ID), Page: r.Page()}
	if r.Picture != "" {
		v.Picture = fmt.Sprintf("/api/v1/requests/%d/picture.jpg", r.ID)
	}
	if r.Pinned() {
		v.Pin = &r.Pin
	}
	if card, ok := s.Studio.Search.OfMaterial(r.Material); ok {
		v.Material = card.Slug
	}
	if card, ok := s.Studio.Search.OfMaterial(r.SolvedBy); ok {
		v.SolvedBy = card.Slug
	}
	for _, m := range r.Messages {
		v.Messages = append(v.Messages, apiMessage{m.By, at(m.At), m.Text})
	}
	return v
}

func (s *Server) apiRequests(c *echo.Context) error {
	l, err := listingOf(c, 100)
	if err != nil {
		return err
	}
	q := requests.Query{Done: c.QueryParam("state") == "done", Page: l.page, Per: l.per}
	if q.Changed, err = since(c); err != nil {
		return err
	}
	if slug := c.QueryParam("material"); slug != "" {
		card, ok := s.Studio.Search.Card(slug)
		if !ok {
			return library.ErrNotFound
		}
		q.Material = card.MaterialID
	}
	list, total, err := s.Studio.Requests.List(c.Request().Context(), me(c), q)
	if err != nil {
		return err
	}
	items := []apiRequest{}
	for _, r := range list {
		items = append(items, s.requestView(r))
	}
	return answerPage(c, l, items, total)
}

func (s *Server) apiRequest(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	r, err := s.Studio.Requests.One(c.Request().Context(), me(c), id)
	return s.sendRequest(c, http.StatusOK, r, err)
}

func (s *Server) sendRequest(c *echo.Context, status int, r requests.Request, err error) error {
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(r.Version))
	return c.JSON(status, s.requestView(r))
}

func (s *Server) apiAsk(c *echo.Context) error {
	var in struct {
		Kind     string      `json:"kind"`
		Title    string      `json:"title"`
		Text     string      `json:"text"`
		Size     string      `json:"size"`
		Due      string      `json:"due"`
		Material string      `json:"material"` // slug, of a problem
		Release  int         `json:"release"`  // its number; the latest unless given
		Pin      *[2]float64 `json:"pin"`
		View     string      `json:"view"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	r := requests.Request{Kind: requests.Kind(in.Kind), Title: in.Title, Size: in.Size, Due: in.Due, View: strings.TrimPrefix(in.View, "?"), Pin: [2]float64{-1, -1}}
	if in.Pin != nil {
		r.Pin = *in.Pin
	}
	if in.Material != "" {
		card, ok := s.Studio.Search.Card(in.Material)
		if !ok {
			return library.Invalid(fmt.Sprintf("There is no material %q in the Library.", in.Material))
		}
		r.Material, r.Release = card.MaterialID, card.ReleaseID
		list, err := s.Studio.Releases.Releases(c.Request().Context(), me(c), card.MaterialID)
		if err != nil {
			return err
		}
		for _, k := range list {
			if k.Number == in.Release {
				r.Release = k.ID
			}
		}
	}
	r, err := s.Studio.Requests.Ask(c.Request().Context(), me(c), r, in.Text)
	return s.sendRequest(c, http.StatusCreated, r, err)
}

func (s *Server) apiAnswer(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Text     string `json:"text"`
		State    string `json:"state"`
		SolvedBy string `json:"solved_by"` // slug
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	a := requests.Answer{Text: in.Text, State: requests.State(in.State)}
	if in.SolvedBy != "" {
		card, ok := s.Studio.Search.Card(in.SolvedBy)
		if !ok {
			return library.Invalid(fmt.Sprintf("There is no material %q in the Library.", in.SolvedBy))
		}
		a.SolvedBy = card.MaterialID
	}
	r, err := s.Studio.Requests.Answer(c.Request().Context(), me(c), of, a, func(id int64) (string, string) {
		card, _ := s.Studio.Search.OfMaterial(id)
		return card.Name, "/library/" + card.Slug
	})
	return s.sendRequest(c, http.StatusOK, r, err)
}

func (s *Server) apiRequestPicture(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	r, err := s.Studio.Requests.One(c.Request().Context(), me(c), id)
	if err != nil {
		return err
	}
	if r.Picture == "" {
		return library.ErrNotFound
	}
	return s.picture(c, r.Picture, "image/jpeg", func() ([]byte, error) {
		b, err := s.Studio.Requests.Blobs.Open(r.Picture)
		if err != nil {
			return nil, err
		}
		defer b.Close()
		return io.ReadAll(io.NewSectionReader(b, 0, b.Size()))
	})
}

func (s *Server) apiIllustrate(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	name := c.QueryParam("name")
	if name == "" {
		name = "The picture"
	}
	if err := s.Studio.Requests.Illustrate(c.Request().Context(), me(c), of, name, c.Request().Body); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// noticesPage is what somebody is told.
type noticesPage struct {
	frame
	List []noticeRow
}

type noticeRow struct {
	notices.Notice
	When string
}

func (s *Server) notices(c *echo.Context) error {
	list, err := s.Studio.Notices.List(c.Request().Context(), me(c), 100)
	if err != nil {
		return err
	}
	p := noticesPage{frame: s.frame(c, "Notices")}
	for _, n := range list {
		p.List = append(p.List, noticeRow{n, ago(n.At, here(c))})
	}
	if len(list) > 0 && !list[0].Seen && c.Request().Method == http.MethodGet {
		if err := s.Studio.Notices.See(c.Request().Context(), me(c), list[0].ID); err != nil {
			return err
		}
	}
	return s.render(c, http.StatusOK, "notices", p)
}

func (s *Server) apiNotices(c *echo.Context) error {
	list, err := s.Studio.Notices.List(c.Request().Context(), me(c), 100)
	if err != nil {
		return err
	}
	type item struct {
		ID   int64  `json:"id"`
		Text string `json:"text"`
		Page string `json:"page"`
		At   string `json:"at"`
		Seen bool   `json:"seen"`
	}
	items := []item{}
	for _, n := range list {
		items = append(items, item{n.ID, n.Text, n.Href, at(n.At), n.Seen})
	}
	return answerAll(c, items)
}
