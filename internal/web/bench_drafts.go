package web

import (
	"cmp"
	"fmt"
	"net/http"

	"aldermoor/core/inspect"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

// bulkView is what a bar suggests that changes what is chosen.
type bulkView struct{ Contacts, Licences []string }

func bulkChanges() bulkView { return bulkView{materials.Contacts, commonLicences} }

// commonLicences are suggested where one is typed.
var commonLicences = []string{"CC0-1.0", "CC-BY-4.0", "CC-BY-SA-4.0", "CC-BY-NC-4.0", "LicenseRef-Studio-Only"}

// draftsAtOnce is how many materials a page of the Bench's list shows.
const draftsAtOnce = 60

type benchPage struct {
	frame
	Drafts   []draftRow
	Query    materials.DraftQuery
	Total    int
	Tabs     []tabView
	Orders   []choice
	Stations []choice
	Pages    pages
	Changes  bulkView
	Works    bool // may change them
}

type draftRow struct {
	ID, Version             int64
	Name, Line, Look, State string
	Tone                    tone
	Colour                  string
	Findings                int
	Plain                   bool // it has no maps: a ball shows more
}

// draftWords says a state of a draft.
var draftWords = map[materials.DraftState]string{materials.AnyState: "All", materials.NeedsWork: "Needs work", materials.Unreleased: "Not released", materials.Edited: "Edited since", materials.Released: "Released"}

// draftQuery reads what an address asks for.
func draftQuery(c *echo.Context) (q materials.DraftQuery, err error) {
	q = materials.DraftQuery{Text: c.QueryParam("q"), State: materials.DraftState(c.QueryParam("show")), Station: c.QueryParam("station"), Order: materials.DraftOrder(c.QueryParam("sort")), Per: draftsAtOnce}
	q.Page, err = whole(c, "page", 1)
	return q, err
}

func (s *Server) bench(c *echo.Context) error {
	q, err := draftQuery(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	list, err := s.Studio.Materials.Drafts(ctx, me(c), q)
	if err != nil {
		return err
	}
	p := benchPage{frame: s.frame(c, "Bench"), Query: q, Total: list.Total, Changes: bulkChanges(), Pages: pagesOf(c, max(1, q.Page), q.Per, list.Total), Works: me(c).May(people.Contribute)}
	for _, k := range materials.DraftStates {
		p.Tabs = append(p.Tabs, tabView{ID: cmp.Or(string(k), "all"), Title: draftWords[k], Count: list.Counts[k], Href: with(c, "show", string(k)), Current: k == q.State})
	}
	for _, o := range []struct {
		order materials.DraftOrder
		word  string
	}{{materials.Newest, "last changed"}, {materials.ByWork, "most findings"}, {materials.ByName, "name"}, {materials.BySize, "size"}} {
		p.Orders = append(p.Orders, choice{Label: o.word, Href: string(o.order), On: o.order == q.Order})
	}
	for _, k := range list.Stations {
		p.Stations = append(p.Stations, choice{Label: k, Href: k, On: k == q.Station})
	}
	for i := range list.Items {
		p.Drafts = append(p.Drafts, draftOf(&list.Items[i]))
	}
	return s.render(c, http.StatusOK, "bench", p)
}

func draftOf(m *materials.Material) draftRow {
	r := draftRow{ID: m.ID, Version: m.Version, Name: m.Name, Look: m.LookKey(), Line: "size unknown", Tone: calm, Findings: m.Doubts, Colour: m.Colour(), Plain: m.Mapless()}
	if m.Size.Known() {
		r.Line = metres(m.Size.W) + " × " + scale.Metres(m.Size.H)
	}
	switch {
	case m.Released == 0:
		r.State = "not released"
	case m.Changed():
		r.State, r.Tone = fmt.Sprintf("edited since release %d", m.Released), doubt
	default:
		r.State, r.Tone = fmt.Sprintf("release %d", m.Released), good
	}
	return r
}

// apiDrafts lists the materials on the Bench.
func (s *Server) apiDrafts(c *echo.Context) error {
	q, err := draftQuery(c)
	if err != nil {
		return err
	}
	l, err := listingOf(c, 50)
	if err != nil {
		return err
	}
	q.Page, q.Per = l.page, l.per
	if q.Changed, err = since(c); err != nil {
		return err
	}
	list, err := s.Studio.Materials.Drafts(c.Request().Context(), me(c), q)
	if err != nil {
		return err
	}
	type row struct {
		ID       int64    `json:"id"`
		Version  int64    `json:"version"`
		Name     string   `json:"name"`
		Station  string   `json:"station"`
		Released int      `json:"released"` // the latest release; 0 for none
		Edited   bool     `json:"edited"`   // since then
		Findings int      `json:"findings"`
		Width    *float64 `json:"width_m"`
		Height   *float64 `json:"height_m"`
		Tags     []string `json:"tags"`
		Changed  string   `json:"changed"`
		Href     string   `json:"href"`
	}
	items := []row{}
	for i := range list.Items {
		m := &list.Items[i]
		r := row{ID: m.ID, Version: m.Version, Name: m.Name, Station: m.Station, Released: m.Released, Edited: m.Released > 0 && m.Changed(), Findings: m.Doubts, Tags: append([]string{}, m.Tags...), Changed: at(m.Updated), Href: fmt.Sprintf("/api/v1/materials/%d", m.ID)}
		if m.Size.Known() {
			r.Width, r.Height = &m.Size.W, &m.Size.H
		}
		items = append(items, r)
	}
	return answerPage(c, l, items, list.Total)
}

// checkChosen refuses a request that names no materials, too many, or one without the version that was seen.
func checkChosen(list []library.Seen) error {
	if len(list) == 0 || len(list) > materials.MostAtOnce {
		return library.Invalid(fmt.Sprintf("Name between 1 and %d materials; these are %d.", materials.MostAtOnce, len(list)))
	}
	for _, k := range list {
		if k.Version <= 0 {
			return library.Invalid(fmt.Sprintf("Name the version of material %d that the change is made for.", k.ID))
		}
	}
	return nil
}

// apiChangeMany changes several materials as one step.
func (s *Server) apiChangeMany(c *echo.Context) error {
	var in struct {
		Materials []library.Seen       `json:"materials"`
		Change    materials.BulkChange `json:"change"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if err := checkChosen(in.Materials); err != nil {
		return err
	}
	done, err := s.Studio.Materials.ChangeMany(c.Request().Context(), me(c), in.Materials, in.Change)
	if err != nil {
		return err
	}
	var step int64
	out := []library.Seen{}
	for _, m := range done {
		step = max(step, m.Step)
		out = append(out, library.Seen{ID: m.ID, Version: m.Version})
	}
	return c.JSON(http.StatusOK, map[string]any{"materials": out, "step": step})
}

// apiReleaseMany releases several materials, each on its own, and says which were refused and why.
func (s *Server) apiReleaseMany(c *echo.Context) error {
	var in struct {
		Materials []library.Seen `json:"materials"`
		Notes     string         `json:"notes"`
		Override  string         `json:"override"`
		DryRun    bool           `json:"dry_run"`
	}
	if err := readJSON(c, &in); err != nil {
		return err
	}
	if err := checkChosen(in.Materials); err != nil {
		return err
	}
	type refusal struct {
		ID    int64  `json:"id"`
		Error string `json:"error"`
	}
	made, refused := []apiReleaseView{}, []refusal{}
	if in.DryRun {
		open := []outlookView{}
		list, err := s.Studio.Releases.Outlooks(c.Request().Context(), me(c), in.Materials)
		if err != nil {
			return err
		}
		for _, k := range list {
			if k.Refused != "" {
				refused = append(refused, refusal{k.ID, k.Refused})
			}
			open = append(open, outlookOf(k))
		}
		return c.JSON(http.StatusOK, map[string]any{"releases": made, "refused": refused, "open": open})
	}
	done, not, err := s.Studio.Releases.ReleaseMany(c.Request().Context(), me(c), in.Materials, releases.ReleaseText{Notes: in.Notes, Override: in.Override})
	if err != nil {
		return err
	}
	for i := range done {
		made = append(made, s.releaseView(&done[i], false))
	}
	for _, k := range not {
		refused = append(refused, refusal{k.ID, k.Says})
	}
	return c.JSON(http.StatusOK, map[string]any{"releases": made, "refused": refused, "open": []outlookView{}})
}

// outlookView is what a release would be.
type outlookView struct {
	ID     int64     `json:"id"`
	Name   string    `json:"name"`
	Number int       `json:"number"`
	Open   []gapView `json:"open"`
}

type gapView struct {
	Code     string           `json:"code"`
	Severity inspect.Severity `json:"severity"`
	Says     string           `json:"says"`
}

func outlookOf(k releases.Outlook) outlookView {
	v := outlookView{k.ID, k.Name, k.Number, []gapView{}}
	for _, f := range k.Open {
		v.Open = append(v.Open, gapView{f.Code, f.Severity, wording.CheckOf(f.Code).Chip})
	}
	return v
}
