package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"

	"aldermoor/core/material"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// The API of Intake's decisions: accepting and leaving out, corrections for a
// whole delivery, undoing, and the stations' rules.

// apiAccept takes sets of a delivery to the Bench: those named, or all that are
// without doubts.
func (s *Server) apiAccept(c *echo.Context) error { return s.place(c, materials.Accepted) }

// apiLeave leaves sets of a delivery out.
func (s *Server) apiLeave(c *echo.Context) error { return s.place(c, materials.Left) }

// setRef names a set in a request: its id alone, or with the version that was seen.
type setRef library.Seen

// UnmarshalJSON reads 12 or {"id": 12, "version": 3}.
func (r *setRef) UnmarshalJSON(data []byte) error {
	if len(data) > 0 && data[0] != '{' {
		return json.Unmarshal(data, &r.ID)
	}
	return json.Unmarshal(data, (*library.Seen)(r))
}

func (s *Server) place(c *echo.Context, to materials.Stage) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Materials []setRef `json:"materials"`
		Ready     bool     `json:"ready"`
		Sure      bool     `json:"sure"` // an older word for ready
		Undo      bool     `json:"undo"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ctx := c.Request().Context()
	if in.Undo {
		to = materials.Unseen
	}
	var done []materials.Material
	if in.Ready || in.Sure {
		if to != materials.Accepted {
			return library.Invalid("Only accepting can be asked for all that are ready.")
		}
		done, err = s.Studio.Intake.PlaceReady(ctx, me(c), of.ID, of.Version)
	} else {
		var sets []library.Seen
		for _, r := range in.Materials {
			sets = append(sets, library.Seen(r))
		}
		done, err = s.Studio.Intake.Place(ctx, me(c), of.ID, of.Version, sets, to)
	}
	if err != nil {
		return err
	}
	ids, step := []int64{}, int64(0)
	for i := range done {
		ids, step = append(ids, done[i].ID), done[i].Step
	}
	return c.JSON(http.StatusOK, map[string]any{"materials": ids, "step": step})
}

// apiKnown settles what becomes of a set whose scan is here already.
func (s *Server) apiKnown(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Take string `json:"take"` // new_version, tier or separate
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if in.Take == "new_state" { // an older word
		in.Take = intake.TakeVersion
	}
	m, err := s.Studio.Intake.SettleKnown(c.Request().Context(), me(c), of, in.Take)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"material_id": m.ID, "name": m.Name, "version": m.Version, "step": m.Step})
}

// apiResend takes a file or archive again that could not be read, under the path that it
// came by.
func (s *Server) apiResend(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	path := c.QueryParam("path")
	if path == "" {
		return library.Invalid("Say which file it is: ?path=…")
	}
	r := c.Request()
	if err := s.Studio.Intake.Resend(r.Context(), me(c), of.ID, of.Version, path, r.Body); err != nil {
		return err
	}
	return c.JSON(http.StatusAccepted, map[string]any{"id": of.ID, "href": fmt.Sprintf("/api/v1/deliveries/%d", of.ID)})
}

// apiRetry does again what failed of a delivery for reasons that were not in its files.
func (s *Server) apiRetry(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	if err := s.Studio.Intake.Retry(c.Request().Context(), me(c), of.ID, of.Version); err != nil {
		return err
	}
	return c.JSON(http.StatusAccepted, map[string]any{"id": of.ID, "href": fmt.Sprintf("/api/v1/deliveries/%d", of.ID)})
}

// apiMoveMaps moves maps of a set to another material, or to a set of their own; without maps all of them,
// which merges the two.
func (s *Server) apiMoveMaps(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Maps []int64 `json:"maps"`
		To   *setRef `json:"to"` // nil for a new set
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	var to library.Seen
	if in.To != nil {
		to = library.Seen(*in.To)
	} else if in.Maps == nil {
		return library.Invalid("Say which maps become a set of their own.")
	}
	m, err := s.Studio.Intake.MoveMaps(c.Request().Context(), me(c), of, in.Maps, to)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"material_id": m.ID, "name": m.Name, "version": m.Version, "step": m.Step})
}

// apiAnswerWord says what a word of a delivery's names means.
func (s *Server) apiAnswerWord(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	var in struct {
		Word    string  `json:"word"`
		Channel *string `json:"channel"`
		Keep    bool    `json:"keep"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ch, err := parseChannel(in.Channel)
	if err != nil {
		return err
	}
	step, changed, err := s.Studio.Intake.Answer(c.Request().Context(), me(c), of, in.Word, ch, in.Keep)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, map[string]any{"step": step, "maps": changed})
}

// parseChannel reads a channel's id; nil and "" are none.
func parseChannel(id *string) (material.Channel, error) {
	if id == nil || *id == "" {
		return material.None, nil
	}
	ch, ok := material.Parse(*id)
	if !ok {
		return ch, library.Invalid(fmt.Sprintf("There is no channel %q.", *id))
	}
	return ch, nil
}

type likeView struct {
	Ending   string   `json:"ending"`
	Maps     []int64  `json:"maps"`
	Station  string   `json:"station"`
	Warnings []string `json:"warnings"`
	Step     int64    `json:"step,omitempty"` // to undo it by
}

func viewLike(l intake.Like) likeView {
	v := likeView{l.Ending, l.Maps, l.Station, l.Warnings, l.Step}
	if v.Maps == nil {
		v.Maps = []int64{}
	}
	if v.Warnings == nil {
		v.Warnings = []string{}
	}
	return v
}

// apiLike says what else a correction of a map could hold for.
func (s *Server) apiLike(c *echo.Context) error {
	id, err := idOf(c, "map")
	if err != nil {
		return err
	}
	text := c.QueryParam("channel")
	ch, err := parseChannel(&text)
	if err != nil {
		return err
	}
	l, err := s.Studio.Intake.LikeMap(c.Request().Context(), me(c), id, ch)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, viewLike(l))
}

// apiAssignLike applies a correction to the whole delivery, and with keep makes a rule of
// it for the station. The version is that of the map's material.
func (s *Server) apiAssignLike(c *echo.Context) error {
	id, err := idOf(c, "map")
	if err != nil {
		return err
	}
	version, _, err := versionNamed(c)
	if err != nil {
		return err
	}
	var in struct {
		Material int64   `json:"material"`
		Channel  *string `json:"channel"`
		Keep     bool    `json:"keep"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ch, err := parseChannel(in.Channel)
	if err != nil {
		return err
	}
	l, err := s.Studio.Intake.AssignLike(c.Request().Context(), me(c), library.Seen{ID: in.Material, Version: version}, id, ch, in.Keep)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, viewLike(l))
}

// stepView is a recorded step.
type stepView struct {
	ID        int64   `json:"id"`
	Kind      string  `json:"kind"`
	Says      string  `json:"says"`
	By        string  `json:"by"`
	At        string  `json:"at"`
	Undone    bool    `json:"undone"`
	Materials []int64 `json:"materials"`
}

func viewStep(k materials.Step) stepView {
	v := stepView{k.ID, k.Kind, k.Says, k.By, at(k.At), k.Undone, []int64{}}
	for _, d := range k.Changes {
		v.Materials = append(v.Materials, d.Material)
	}
	return v
}

// mostSteps is how many steps of a thing can be listed.
const mostSteps = 2000

// apiSteps lists the steps of a delivery or a material, the latest first.
func (s *Server) apiSteps(c *echo.Context) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	delivery, material := id, int64(0)
	if strings.HasPrefix(c.Request().URL.Path, "/api/v1/materials/") {
		delivery, material = 0, id
	}
	list, err := s.Studio.Materials.History(c.Request().Context(), me(c), delivery, material, mostSteps)
	if err != nil {
		return err
	}
	items := []stepView{}
	for _, k := range list {
		items = append(items, viewStep(k))
	}
	return answerAll(c, items)
}

func (s *Server) apiUndo(c *echo.Context) error { return s.turn(c, false) }
func (s *Server) apiRedo(c *echo.Context) error { return s.turn(c, true) }

// turn undoes a step or does it again.
func (s *Server) turn(c *echo.Context, redo bool) error {
	id, err := idOf(c, "id")
	if err != nil {
		return err
	}
	k, err := s.Studio.Materials.Step(c.Request().Context(), me(c), id, redo)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, viewStep(k))
}

type ruleView struct {
	ID      int64            `json:"id"`
	Version int64            `json:"version"`
	Station string           `json:"station"`
	Ending  string           `json:"ending"`
	Channel material.Channel `json:"channel"`
	By      string           `json:"by"`
	Created string           `json:"created"`
}

func viewRule(r intake.Rule) ruleView {
	return ruleView{r.ID, r.Version, r.Station, r.Ending, r.Channel, r.By, at(r.Created)}
}

func (s *Server) apiRules(c *echo.Context) error {
	list, err := s.Studio.Intake.Rules(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	items := []ruleView{}
	for _, r := range list {
		items = append(items, viewRule(r))
	}
	return answerAll(c, items)
}

// apiSaveRule adds a rule, or changes the one of the address.
func (s *Server) apiSaveRule(c *echo.Context) error {
	var in struct {
		Station string  `json:"station"`
		Ending  string  `json:"ending"`
		Channel *string `json:"channel"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	ch, err := parseChannel(in.Channel)
	if err != nil {
		return err
	}
	if ch == material.None {
		return library.Invalid("A rule needs a channel.")
	}
	r := intake.Rule{Station: in.Station, Ending: in.Ending, Channel: ch}
	status := http.StatusCreated
	if c.Param("id") != "" {
		of, err := target(c)
		if err != nil {
			return err
		}
		r.ID, r.Version = of.ID, of.Version
		status = http.StatusOK
	}
	if err := s.Studio.Intake.SaveRule(c.Request().Context(), me(c), &r); err != nil {
		return err
	}
	c.Response().Header().Set("ETag", etag(r.Version))
	return c.JSON(status, viewRule(r))
}

func (s *Server) apiRemoveRule(c *echo.Context) error {
	of, err := target(c)
	if err != nil {
		return err
	}
	if err := s.Studio.Intake.RemoveRule(c.Request().Context(), me(c), of); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// apiProposals are the rules that corrections make likely.
func (s *Server) apiProposals(c *echo.Context) error {
	list, err := s.Studio.Intake.Proposals(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	return answerAll(c, proposalViews(list))
}

// proposalView is a rule that corrections make likely, for the API and the page.
type proposalView struct {
	Station string           `json:"station"`
	Ending  string           `json:"ending"`
	Channel material.Channel `json:"channel"`
	Times   int              `json:"times"`
	Says    string           `json:"says"`
}

func proposalViews(list []intake.Proposal) []proposalView {
	out := []proposalView{}
	for _, r := range list {
		out = append(out, proposalView{r.Station, r.Ending, r.Channel, r.Times, wording.ProposedRule(r.Ending, r.Channel, r.Times)})
	}
	return out
}

type rulesPage struct {
	frame
	Proposals []proposalView
	Rules     []ruleRow
	Choices   []column
	Stations  []string
}

type ruleRow struct {
	ID, Version                int64
	Station, Ending, Title, By string
	Channel                    material.Channel
	When                       string
}

func (s *Server) rules(c *echo.Context) error {
	list, err := s.Studio.Intake.Rules(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	p := rulesPage{frame: s.frame(c, "Rules of the stations")}
	for _, r := range list {
		p.Rules = append(p.Rules, ruleRow{r.ID, r.Version, r.Station, r.Ending, wording.Channel(r.Channel), r.By, r.Channel, day(r.Created, here(c))})
	}
	for _, ch := range material.All() {
		p.Choices = append(p.Choices, column{ID: string(ch), Title: wording.Channel(ch)})
	}
	proposed, err := s.Studio.Intake.Proposals(c.Request().Context(), me(c))
	if err != nil {
		return err
	}
	p.Proposals = proposalViews(proposed)
	if p.Stations, err = s.Studio.Intake.Stations(c.Request().Context(), me(c)); err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "rules", p)
}
