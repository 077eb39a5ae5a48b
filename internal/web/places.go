package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/core/tiling"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

type intakePage struct {
	frame
	Deliveries []deliveryRow
	Current    *openDelivery
}

func (s *Server) intake(c *echo.Context) error {
	ctx := c.Request().Context()
	list, err := s.Studio.Intake.Deliveries(ctx, me(c), 80)
	if err != nil {
		return err
	}
	var open int64
	if c.Param("id") != "" {
		if open, err = idOf(c, "id"); err != nil {
			return err
		}
	} else {
		// The one that asks for somebody: the latest with something to decide.
		for _, d := range list {
			if d.Waiting > 0 {
				open = d.ID
				break
			}
		}
		if open == 0 && len(list) > 0 {
			open = list[0].ID
		}
	}
	p := intakePage{frame: s.frame(c, "Intake")}
	p.Place = "intake"
	if open > 0 {
		d, err := s.Studio.Intake.Delivery(ctx, me(c), open)
		if err != nil {
			return err
		}
		p.Current = openView(d)
		steps, err := s.Studio.Materials.History(ctx, me(c), open, 0, 100)
		if err != nil {
			return err
		}
		p.Current.Undo, p.Current.Redo = materials.Next(steps, me(c))
		p.Title = p.Current.Heading
	}
	for _, d := range list {
		p.Deliveries = append(p.Deliveries, deliveryView(d, open))
	}
	return s.render(c, http.StatusOK, "intake", p)
}

type benchPage struct {
	frame
	Drafts []draftRow
}

type draftRow struct {
	ID                      int64
	Name, Line, Look, State string
	Tone                    tone
}

func (s *Server) bench(c *echo.Context) error {
	list, err := s.Studio.Materials.Drafts(c.Request().Context(), me(c), 400)
	if err != nil {
		return err
	}
	p := benchPage{frame: s.frame(c, "Bench")}
	p.Place = "bench"
	for i := range list {
		m := &list[i]
		r := draftRow{ID: m.ID, Name: m.Name, Look: strconv.FormatInt(m.Version, 10), Line: "size unknown", Tone: calm}
		if m.Size.Known() {
			r.Line = metres(m.Size.W) + " × " + scale.Metres(m.Size.H)
		}
		switch {
		case m.Released == 0:
			r.State = "not released"
		case m.Changed():
			r.State, r.Tone = fmt.Sprintf("changed since release %d", m.Released), doubt
		default:
			r.State, r.Tone = fmt.Sprintf("release %d", m.Released), good
		}
		p.Drafts = append(p.Drafts, r)
	}
	return s.render(c, http.StatusOK, "bench", p)
}

type benchMaterialPage struct {
	frame
	M        *materials.Material
	L        ledger
	Look     string
	Subtitle string
	Lens     string // JSON for the Flat lens
	Releases []releaseRow
	Contacts []string
	Known    []string // categories in use
	Letters  []column
	Lead     bool
	Stops    int // findings that keep it from being released
	Channels []choice

	Undo, Redo materials.Step // that u would undo and redo; zero for none
}

type releaseRow struct {
	Number          int
	Notes, By, When string
}

func (s *Server) benchMaterial(c *echo.Context) error {
	ctx := c.Request().Context()
	m, err := s.draft(c)
	if err != nil {
		return err
	}
	list, err := s.Studio.Releases.Releases(ctx, me(c), m.ID)
	if err != nil {
		return err
	}
	p := benchMaterialPage{frame: s.frame(c, m.Name), M: m, L: ledgerView(m), Look: m.LookKey(), Contacts: materials.Contacts}
	p.Place = "bench"
	across, down := 4.0, 2.5 // a wall to begin with
	for name, to := range map[string]*float64{"across": &across, "down": &down} {
		if v := c.QueryParam(name); v != "" {
			if *to, err = scale.ParseLength(v); err != nil {
				return library.Invalid(err.Error() + ".")
			}
		}
	}
	p.L.lay(m, across, down)
	p.L.recipe(s, m)
	st, _, err := s.Studio.Materials.Standards(ctx, me(c))
	if err != nil {
		return err
	}
	unit := ""
	if k, err := c.Request().Cookie("density"); err == nil {
		unit = k.Value
	}
	p.L.density(s, m, st, unit)
	cur := m.Current()
	p.Subtitle = subtitle(m)
	for i, k := range p.L.Maps {
		if c.QueryParam("lens") == "" && (i == 0 || k.Channel == c.QueryParam("map")) {
			p.Early = fmt.Sprintf("/maps/%d/picture.jpg?px=%d", k.ID, materials.FirstPx)
		}
	}
	p.Releases = releaseRows(list)
	p.Lead = leads(c)
	for _, f := range cur.Report.Findings {
		if f.Severity == inspect.Stop {
			p.Stops++
		}
	}
	for _, k := range cur.Assigned() {
		if k.Channel != material.Normal {
			p.Channels = append(p.Channels, choice{Label: wording.Channel(k.Channel), Href: string(k.Channel)})
		}
	}
	f, err := s.Studio.Search.Find(ctx, me(c), search.Query{Per: 1, Choices: 200})
	if err != nil {
		return err
	}
	for _, k := range f.Facets[search.ByCategory] {
		p.Known = append(p.Known, k.Value)
	}
	steps, err := s.Studio.Materials.History(ctx, me(c), 0, m.ID, 50)
	if err != nil {
		return err
	}
	p.Undo, p.Redo = materials.Next(steps, me(c))
	data, err := json.Marshal(lensOf(m, p.L.Maps))
	if err != nil {
		return err
	}
	p.Lens = string(data)
	return s.render(c, http.StatusOK, "material", p)
}

// subtitle is where a material comes from, how it stands to its releases, and where it is
// filed.
func subtitle(m *materials.Material) string {
	var sub []string
	if m.Station != "" {
		sub = append(sub, m.Station)
	}
	switch {
	case m.Released == 0:
		sub = append(sub, "not released yet")
	case m.Changed():
		sub = append(sub, fmt.Sprintf("draft after release %d", m.Released))
	default:
		sub = append(sub, fmt.Sprintf("as in release %d", m.Released))
	}
	out := strings.Join(sub, ", ")
	if len(m.Categories) > 0 {
		out += " · " + strings.Join(m.Categories, ", ")
	}
	return out
}

// lensData is what the lens's script is given.
type lensData struct {
	W     float64        `json:"width"`
	H     float64        `json:"height"`
	Known bool           `json:"known"`
	Depth float64        `json:"depth"`
	Maps  []mapChip      `json:"maps"`
	Steps [][2]float64   `json:"steps"` // of the pattern, in shares of the width and height
	Seams []tiling.Place `json:"seams"` // where edges break most
	Share [2]float64     `json:"share"` // of the scan's size, if its recipe gave some of it up
}

func lensOf(m *materials.Material, chips []mapChip) lensData {
	cur := m.Current()
	out := lensData{m.Size.W, m.Size.H, m.Size.Known(), m.Depth, chips, nil, cur.Report.Seams, m.Finish.Kept()}
	w, h := cur.Pixels()
	if cur.Report.Period != nil && w > 0 {
		for _, v := range cur.Report.Period {
			out.Steps = append(out.Steps, [2]float64{v[0] / float64(w), v[1] / float64(h)})
		}
	}
	if !out.Known {
		out.W, out.H = 1, float64(h)/float64(max(w, 1))
	}
	return out
}

func releaseRows(list []releases.Release) (out []releaseRow) {
	for _, r := range list {
		out = append(out, releaseRow{r.Number, r.Notes, r.By, ago(r.Created, time.Now())})
	}
	return out
}

type choice struct {
	Label, Href string
	Count       int
	On          bool
}

type filter struct {
	Name    string // of the facet
	Lead    string // the words before it in the sentence
	Word    string // what is in force
	On      bool
	Choices []choice
	More    int    // choices that are found by their name
	Search  string // address that finds them
}

type libraryPage struct {
	frame
	Results template.HTML
}

// resultsView is what was found.
type resultsView struct {
	Staff   bool
	Text    string
	Found   search.Found
	Total   string
	Noun    string
	Filters []filter
	Sort    filter
	Extent  float64
	Extents []choice
	Cards   []cardView
	Clear   string // address without any filter, if one is in force
	Prev    string
	Next    string
}

// walls keeps walls as they were written, until something is published: many artists look
// at the same ones, and writing sixty cards takes longer than finding them.
type walls struct {
	mu      sync.Mutex
	edition uint64
	kept    map[string][]byte
}

// wallsKept is how many walls are kept, each of some 60 KB.
const wallsKept = 256

func (w *walls) get(edition uint64, key string) ([]byte, bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.edition != edition {
		w.edition, w.kept = edition, nil
	}
	b, ok := w.kept[key]
	return b, ok
}

func (w *walls) put(edition uint64, key string, b []byte) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.edition != edition {
		return
	}
	if w.kept == nil || len(w.kept) >= wallsKept {
		w.kept = map[string][]byte{}
	}
	w.kept[key] = b
}

type cardView struct {
	releases.Card
	Line, Extent string
}

func (s *Server) library(c *echo.Context) error {
	q, err := queryOf(c)
	if err != nil {
		return err
	}
	p := libraryPage{frame: s.frame(c, "Library")}
	p.Place, p.Text = "library", q.Text
	edition, key := s.Studio.Search.Edition(), fmt.Sprint(p.Staff, c.Request().URL.RawQuery)
	results, ok := s.walls.get(edition, key)
	if !ok {
		w, err := s.results(c, q, p.Staff)
		if err != nil {
			return err
		}
		var b bytes.Buffer
		if err := s.pages["library"].ExecuteTemplate(&b, "results", w); err != nil {
			return fmt.Errorf("show the Library: %w", err)
		}
		results = b.Bytes()
		if len(key) < 300 {
			s.walls.put(edition, key, results)
		}
	}
	if c.Request().Header.Get("X-Part") == "results" {
		return s.answer(c, http.StatusOK, results)
	}
	p.Results = template.HTML(results)
	return s.render(c, http.StatusOK, "library", p)
}

// results finds what a query asks for, and says it.
func (s *Server) results(c *echo.Context, q search.Query, staff bool) (p resultsView, err error) {
	found, err := s.Studio.Search.Find(c.Request().Context(), me(c), q)
	if err != nil {
		return p, err
	}
	p = resultsView{Staff: staff, Text: q.Text, Found: found, Total: scale.Figure(float64(found.Total)), Noun: "materials"}
	if found.Total == 1 {
		p.Noun = "material"
	}
	with := func(key, value string) string { return libraryWith(c.QueryParams(), key, value) }
	p.Filters, p.Sort = filters(q, found, with), sorts(q, with)
	p.Extent, err = number(c, "extent", 1)
	if err != nil || !slices.Contains(pictures.Extents, p.Extent) {
		p.Extent = 1
	}
	for _, e := range pictures.Extents {
		p.Extents = append(p.Extents, choice{Label: extentWord(e), Href: with("extent", fmt.Sprint(e)), On: e == p.Extent})
	}
	for _, k := range found.Items {
		v := cardView{k, "size unknown", fmt.Sprint(p.Extent)}
		if k.Size.Known() {
			v.Line = scale.Metres(k.Size.W)
		}
		p.Cards = append(p.Cards, v)
	}
	if q.Text != "" || slices.ContainsFunc(p.Filters, func(f filter) bool { return f.On }) {
		p.Clear = "/library"
	}
	if found.Page > 1 {
		p.Prev = with("page", fmt.Sprint(found.Page-1))
	}
	if found.Page < found.Pages {
		p.Next = with("page", fmt.Sprint(found.Page+1))
	}
	return p, nil
}

// libraryWith is the Library's address with one parameter changed, or left out if the value
// is empty; it starts at the first page.
func libraryWith(now url.Values, key, value string) string {
	v := maps.Clone(now)
	v.Del("page")
	v.Del(key)
	if value != "" {
		v.Set(key, value)
	}
	if len(v) == 0 {
		return "/library"
	}
	return "/library?" + v.Encode()
}

// filters are the facets in the sentence above the wall, each with its choices; with gives
// the address of one.
func filters(q search.Query, found search.Found, with func(key, value string) string) (list []filter) {
	asIs := func(s string) string { return s }
	for _, f := range []struct {
		facet     search.Facet
		lead, any string
		say       func(string) string
	}{
		{search.ByCategory, "in", "any category", asIs},
		{search.ByTag, "tagged", "anything", asIs},
		{search.ByChannel, "with", "any maps", channelWord},
		{search.ByTier, "at", "any tier", asIs},
		{search.ByLicence, "under", "any licence", asIs},
	} {
		on := q.Only[f.facet]
		w := filter{Name: string(f.facet), Lead: f.lead, Word: f.any, On: on != ""}
		if on != "" {
			w.Word = f.say(on)
			w.Choices = append(w.Choices, choice{Label: f.any, Href: with(string(f.facet), "")})
		}
		for _, k := range found.Facets[f.facet] {
			w.Choices = append(w.Choices, choice{f.say(k.Value), with(string(f.facet), k.Value), k.N, k.Value == on})
		}
		if w.More = found.More[f.facet]; w.More > 0 {
			address, rest, asked := strings.Cut(with("", ""), "?")
			w.Search = address + "/choices?facet=" + string(f.facet)
			if asked {
				w.Search = address + "/choices?" + rest + "&facet=" + string(f.facet)
			}
		}
		list = append(list, w)
	}
	return list
}

// sorts are the orders to choose from: by match only where there are words to match.
func sorts(q search.Query, with func(key, value string) string) filter {
	out := filter{Name: "sort", Lead: "by", Word: "newest first"}
	if q.Text != "" {
		out.Word = "best match"
	}
	for _, o := range []struct {
		order search.Order
		word  string
	}{{search.BestMatch, "best match"}, {search.Newest, "newest first"}, {search.ByName, "name"}, {search.Largest, "size"}} {
		if o.order == search.BestMatch && q.Text == "" {
			continue
		}
		on := q.Sort == o.order
		if on {
			out.Word = o.word
		}
		out.Choices = append(out.Choices, choice{o.word, with("sort", string(o.order)), 0, on})
	}
	return out
}

func extentWord(m float64) string { return strconv.FormatFloat(m, 'f', -1, 64) + " m" }

func channelWord(id string) string {
	ch, _ := material.Parse(id)
	return strings.ToLower(wording.Channel(ch))
}

type materialPage struct {
	frame
	R        *releases.Release
	M        *materials.Material
	L        ledger
	Look     string
	Extent   float64
	Releases []releaseRow
	Latest   int
	Tiers    []choice
	Cost     costView
	When     string
	HasGloss bool
	Deep     string // what depth the normals and height have
}

type costView struct {
	Fetch  string `json:"fetch"`
	Memory string `json:"memory"`
	Pixels string `json:"pixels"`
	Href   string `json:"href"`
}

// releaseOf is the release that a material's page shows: the one asked for, or
// the latest.
func (s *Server) releaseOf(c *echo.Context) (*releases.Release, releases.Card, error) {
	card, ok := s.Studio.Search.Card(c.Param("slug"))
	if !ok {
		return nil, card, library.ErrNotFound
	}
	if n, _ := strconv.Atoi(c.QueryParam("release")); n > 0 && n != card.Number {
		list, err := s.Studio.Releases.Releases(c.Request().Context(), me(c), card.MaterialID)
		if err != nil {
			return nil, card, err
		}
		for i := range list {
			if list[i].Number == n {
				return &list[i], card, nil
			}
		}
		return nil, card, library.ErrNotFound
	}
	r, err := s.Studio.Releases.ReleaseByID(c.Request().Context(), me(c), card.ReleaseID)
	return &r, card, err
}

func (s *Server) material(c *echo.Context) error {
	r, card, err := s.releaseOf(c)
	if err != nil {
		return err
	}
	list, err := s.Studio.Releases.Releases(c.Request().Context(), me(c), card.MaterialID)
	if err != nil {
		return err
	}
	m := &r.Material
	p := materialPage{frame: s.frame(c, m.Name), R: r, M: m, L: ledgerView(m), Look: m.LookKey(), Releases: releaseRows(list), Latest: card.Number, When: ago(r.Created, time.Now())}
	p.Place = "library"
	p.L.density(s, m, materials.Standards{}, "")
	// The step nearest to one repeat.
	p.Extent = pictures.Extents[0]
	for _, e := range pictures.Extents {
		if e <= max(m.Size.W, 0.1)*1.01 {
			p.Extent = e
		}
	}
	if !m.Size.Known() {
		p.Extent = 1
	}
	w, h := m.Pixels()
	for _, t := range scale.Tiers(w, h) {
		p.Tiers = append(p.Tiers, choice{Label: t.String(), Href: strings.ToLower(t.String())})
	}
	if n := len(p.Tiers); n > 0 && max(w, h)%1024 == 0 && max(w, h) == 1024<<(n-1) {
		p.Tiers[n-1].On = true
	} else {
		p.Tiers = append(p.Tiers, choice{Label: fmt.Sprintf("the source (%d × %d)", w, h), Href: "source", On: true})
	}
	if p.Cost, err = s.costOf(r, p.Tiers[len(p.Tiers)-1].Href, "", "", ""); err != nil {
		return err
	}
	return s.render(c, http.StatusOK, "release", p)
}

func (s *Server) costOf(r *releases.Release, tier, normal, roughness, format string) (costView, error) {
	profile, err := releases.ParseProfile(tier, normal, roughness, format)
	if err != nil {
		return costView{}, err
	}
	k := s.Studio.Releases.Handoff(r).Estimate(profile)
	v := url.Values{"tier": {tier}}
	if normal != "" {
		v.Set("normal", normal)
	}
	if roughness != "" {
		v.Set("roughness", roughness)
	}
	if format != "" {
		v.Set("format", format)
	}
	return costView{scale.Bytes(k.Fetch), scale.Bytes(k.VideoMemory), fmt.Sprintf("%d × %d", k.W, k.H), fmt.Sprintf("/api/v1/releases/%d/handoff?%s", r.ID, v.Encode())}, nil
}

// cost answers the handoff sentence.
func (s *Server) cost(c *echo.Context) error {
	r, _, err := s.releaseOf(c)
	if err != nil {
		return err
	}
	v, err := s.costOf(r, c.QueryParam("tier"), c.QueryParam("normal"), c.QueryParam("roughness"), c.QueryParam("format"))
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, v)
}

// choices are those of a facet whose names have a word that begins with text: a facet may
// have thousands.
func (s *Server) choices(c *echo.Context) error {
	q, err := queryOf(c)
	if err != nil {
		return err
	}
	f := search.Facet(c.QueryParam("facet"))
	list, err := s.Studio.Search.FindChoices(c.Request().Context(), me(c), q, f, c.QueryParam("text"))
	if err != nil {
		return err
	}
	if list == nil {
		list = []search.Count{}
	}
	return c.JSON(http.StatusOK, map[string]any{"items": list})
}

// eventStream tells a page or a program what has changed (server-sent events), from the
// event after Last-Event-ID or ?after= on. An event "gap" says that some are no longer
// kept: load everything anew.
func (s *Server) eventStream(c *echo.Context) error {
	w := c.Response()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Accel-Buffering", "no")
	text := c.Request().Header.Get("Last-Event-ID")
	if text == "" {
		text = c.QueryParam("after")
	}
	after, err := strconv.ParseInt(text, 10, 64)
	if text != "" && (err != nil || after < 0) {
		return library.Invalid(fmt.Sprintf("An event's number is whole and positive; %q is not.", text))
	}
	if c.Request().Method == http.MethodHead {
		return c.NoContent(http.StatusOK)
	}
	ctx := c.Request().Context()
	l, gap, stop, err := s.Studio.Events.Listen(ctx, me(c), after)
	if err != nil {
		return err
	}
	defer stop()
	flush := http.NewResponseController(w)
	beat := time.NewTicker(20 * time.Second)
	defer beat.Stop()
	send := func(kind string) error {
		topics, last := l.Take()
		counts, _ := s.Studio.Counts(ctx)
		data, err := json.Marshal(map[string]any{"topics": topics, "jobs": counts.Jobs, "counts": counts})
		if err == nil {
			_, err = fmt.Fprintf(w, "%sid: %d\ndata: %s\n\n", kind, last, data)
		}
		if err == nil {
			err = flush.Flush()
		}
		return err
	}
	first := ""
	if gap {
		first = "event: gap\n"
	}
	if err := send(first); err != nil {
		return nil // the page is gone
	}
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-s.ending:
			return nil
		case <-beat.C:
			if err := send(""); err != nil {
				return nil
			}
		case <-l.Ready:
			if err := send(""); err != nil {
				return nil
			}
			// A busy import changes many times a second; a page needs four.
			select {
			case <-ctx.Done():
				return nil
			case <-time.After(250 * time.Millisecond):
			}
		}
	}
}
