package web

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"

	"github.com/labstack/echo/v5"
)

// This file decides on releases: reviews, states, corrected descriptions, and who uses what.

// reviewsPage lists drafts that wait for a lead.
type reviewsPage struct {
	frame
	Lead    bool
	List    []reviewRow
	Batches []batchRow
}

// batchRow is a batch that is to be released, or was.
type batchRow struct {
	releases.Schedule
	When  string
	Count int
}

type reviewRow struct {
	releases.Review
	When    string
	Look    string
	Current int64 // version of the draft now
	Changes []changed
	Compare string // address of the two states side by side
	Last    int    // number of the release that it follows; 0 for none
	Stops   []string
}

func (s *Server) reviews(c *echo.Context) error {
	ctx, p := c.Request().Context(), me(c)
	list, err := s.Studio.Releases.Reviews(ctx, p)
	if err != nil {
		return err
	}
	page := reviewsPage{frame: s.frame(c, "Reviews"), Lead: leads(c)}
	for _, r := range list {
		m, err := s.Studio.Materials.Material(ctx, p, r.MaterialID)
		if err != nil {
			return err
		}
		row := reviewRow{Review: r, When: ago(r.Asked, here(c)), Look: m.LookKey(), Current: m.Version}
		if row.Changes, row.Last, row.Compare, err = s.sinceRelease(c, &m); err != nil {
			return err
		}
		for _, f := range ledgerView(&m).Findings {
			if f.Tone == "stop" {
				row.Stops = append(row.Stops, f.Word)
			}
		}
		page.List = append(page.List, row)
	}
	batches, err := s.Studio.Releases.Schedules(ctx, p)
	if err != nil {
		return err
	}
	for _, k := range batches {
		page.Batches = append(page.Batches, batchRow{k, k.Due.In(here(c).Location()).Format("2 Jan 2006, 15:04"), len(k.Materials)})
	}
	return s.render(c, http.StatusOK, "reviews", page)
}

// sinceRelease is what a draft changes of its last release, that release's number, and the address
// that compares them; 0 and nothing before the first.
func (s *Server) sinceRelease(c *echo.Context, m *materials.Material) (list []changed, last int, compare string, err error) {
	all, err := s.Studio.Releases.Releases(c.Request().Context(), me(c), m.ID)
	if err != nil || len(all) == 0 {
		return nil, 0, "", err
	}
	r := &all[0]
	return changesOf(&r.Material, m, [2]string{fmt.Sprintf("r%d", r.ID), fmt.Sprintf("m%d", m.ID)}), r.Number, fmt.Sprintf("/compare?of=r%d,m%d", r.ID, m.ID), nil
}

type apiReview struct {
	MaterialID int64  `json:"material_id"`
	Name       string `json:"name"`
	Version    int64  `json:"version"`
	Notes      string `json:"notes"`
	By         string `json:"by"`
	Asked      string `json:"asked"`
	Returned   string `json:"returned"`
	ReturnedBy string `json:"returned_by"`
}

func reviewView(r releases.Review) apiReview {
	return apiReview{r.MaterialID, r.Name, r.Version, r.Notes, r.By, at(r.Asked), r.Returned, r.ReturnedBy}
}

func (s *Server) apiReviews(c *echo.Context) error {
	list, err := s.Studio.Releases.Reviews(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	items := []apiReview{}
	for _, r := range list {
		items = append(items, reviewView(r))
	}
	return answerAll(c, items)
}

// apiAskReview sends a draft to the leads.
func (s *Server) apiAskReview(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Notes string `json:"notes"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	r, err := s.Studio.Releases.AskReview(c.Request().Context(), me(c), of, in.Notes)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, reviewView(r))
}

// apiAnswerReview approves a reviewed draft, which releases it, or returns it.
func (s *Server) apiAnswerReview(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Answer   string `json:"answer"` // approve or return
		Reason   string `json:"reason"`
		Override string `json:"override"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	switch in.Answer {
	case "approve":
		r, err := s.Studio.Releases.Approve(c.Request().Context(), me(c), of, in.Override)
		if err != nil {
			return err
		}
		return c.JSON(http.StatusOK, s.releaseView(&r, false))
	case "return":
		if err := s.Studio.Releases.ReturnReview(c.Request().Context(), me(c), of, in.Reason); err != nil {
			return err
		}
		return c.NoContent(http.StatusNoContent)
	}
	return library.Invalid(fmt.Sprintf("Answer a review with approve or return, not %q.", in.Answer))
}

// apiStand sets the state of a release.
func (s *Server) apiStand(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		State       string `json:"state"`
		Reason      string `json:"reason"`
		Replacement string `json:"replacement"` // slug of the material to take in its place
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	var replacement int64
	if in.Replacement != "" {
		card, ok := s.Studio.Search.Card(in.Replacement)
		if !ok {
			return library.Invalid(fmt.Sprintf("There is no material %q in the Library.", in.Replacement))
		}
		replacement = card.MaterialID
	}
	if in.State == "unreviewed" {
		in.State = ""
	}
	r, err := s.Studio.Releases.SetState(c.Request().Context(), me(c), of, releases.State(in.State), in.Reason, replacement)
	return s.sendRelease(c, &r, err)
}

// apiCorrect changes the description of a release.
func (s *Server) apiCorrect(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	r, err := s.Studio.Releases.ReleaseByID(c.Request().Context(), me(c), of.ID)
	if err != nil {
		return err
	}
	in := r.Description()
	if err := readJSON(c, &in); err != nil { // what is left out stays
		return err
	}
	r, err = s.Studio.Releases.Correct(c.Request().Context(), me(c), of, in)
	return s.sendRelease(c, &r, err)
}

func (s *Server) sendRelease(c *echo.Context, r *releases.Release, err error) error {
	if err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(r.Version()))
	return c.JSON(http.StatusOK, s.releaseView(r, false))
}

// takingView is a handoff that somebody took.
type takingView struct {
	Name    string `json:"name"`
	Slug    string `json:"slug"`
	Release int    `json:"release"`
	Person  string `json:"person"`
	Form    string `json:"form"`
	When    string `json:"when"`
	Times   int    `json:"times"`
	Latest  int    `json:"latest"` // number of the latest release
}

func (s *Server) takingViews(c *echo.Context, list []releases.Taking) []takingView {
	out := []takingView{}
	for _, k := range list {
		card, _ := s.Studio.Search.OfMaterial(k.MaterialID)
		out = append(out, takingView{card.Name, card.Slug, k.Number, k.Person, strings.ReplaceAll(k.Form, "_", " "), ago(k.Last, here(c)), k.Times, card.Number})
	}
	return out
}

// apiTakings are one's own latest handoffs.
func (s *Server) apiTakings(c *echo.Context) error {
	list, err := s.Studio.Releases.MyTakings(c.Request().Context(), me(c), 200)
	if err != nil {
		return err
	}
	views := s.takingViews(c, list)
	return answerAll(c, views)
}

// takenPage is the history of one's own handoffs.
type takenPage struct {
	frame
	List []takingView
}

func (s *Server) taken(c *echo.Context) error {
	list, err := s.Studio.Releases.MyTakings(c.Request().Context(), me(c), 200)
	if err != nil {
		return err
	}
	p := takenPage{s.frame(c, "My downloads"), s.takingViews(c, list)}
	return s.render(c, http.StatusOK, "taken", p)
}

// standView is how a release stands, for its page.
type standView struct {
	Word, Tone  string // "" for nothing to say
	Says        string
	Instead     string // name of the material to take in its place
	InsteadSlug string
	State       releases.State
	Version     int64
	Corrected   string // when and by whom the description was corrected
	Can         bool   // the reader may decide
	Staff       bool
}

func (s *Server) standOf(c *echo.Context, r *releases.Release, latest int) standView {
	v := standView{State: r.Mark.State, Version: r.Version(), Can: leads(c), Staff: me(c).May(people.Contribute)}
	switch {
	case r.Mark.State == releases.Retired:
		v.Word, v.Tone, v.Says = "Retired", "stop", r.Mark.Reason
		if card, ok := s.Studio.Search.OfMaterial(r.Mark.Replacement); ok {
			v.Instead, v.InsteadSlug = card.Name, card.Slug
		}
	case r.Number < latest:
		v.Word, v.Tone, v.Says = "Superseded", "doubt", fmt.Sprintf("Replaced by release %d.", latest)
	case r.Mark.State == releases.Approved:
		v.Word, v.Tone, v.Says = "Approved", "good", fmt.Sprintf("by %s, %s", r.Mark.By, ago(r.Mark.Changed, here(c)))
	}
	if r.Mark.Correction != nil {
		v.Corrected = fmt.Sprintf("description corrected %s", ago(r.Mark.Changed, here(c)))
	}
	return v
}

// apiSchedule has drafts released at a time.
func (s *Server) apiSchedule(c *echo.Context) error {
	var in struct {
		Materials []library.Seen `json:"materials"`
		Due       time.Time      `json:"due"`
		Notes     string         `json:"notes"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if err := checkChosen(in.Materials); err != nil {
		return err
	}
	k, err := s.Studio.Releases.AddSchedule(c.Request().Context(), me(c), in.Materials, in.Due, in.Notes)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusCreated, scheduleView(k))
}

type apiBatch struct {
	ID     int64  `json:"id"`
	Due    string `json:"due"`
	Notes  string `json:"notes"`
	Count  int    `json:"count"`
	By     string `json:"by"`
	Done   bool   `json:"done"`
	Result string `json:"result"`
}

func scheduleView(k releases.Schedule) apiBatch {
	return apiBatch{k.ID, k.Due.UTC().Format(time.RFC3339), k.Notes, len(k.Materials), k.By, k.Done, k.Result}
}

func (s *Server) apiSchedules(c *echo.Context) error {
	list, err := s.Studio.Releases.Schedules(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	items := []apiBatch{}
	for _, k := range list {
		items = append(items, scheduleView(k))
	}
	return answerAll(c, items)
}

func (s *Server) apiRemoveSchedule(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	if err := s.Studio.Releases.RemoveSchedule(c.Request().Context(), me(c), id); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}
