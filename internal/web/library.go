package web

import (
	"bytes"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
	"aldermoor/internal/wording"

	"github.com/labstack/echo/v5"
)

type choice struct {
	Label, Href string
	Count       int
	On          bool
	Not         string // address that shows what is not it
	Off         bool   // what is not it is shown
}

type filter struct {
	Name    string // of the facet
	Lead    string // the words before it in the sentence
	Word    string // what is in force
	On      bool
	Rare    bool // behind "and more" while it is not in force; then Word is its title
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
	Figures filter // ranges: what is in force, and its measures
	Ranges  []ranged
	Sort    filter
	Colours []paint  // the strip
	Asked   []paint  // colours that are searched for
	Marks   []marked // hue and metals
	Like    string   // what is looked like, in words
	NotLike string   // address without it
	Weights []choice // of what is looked like
	Extent  float64
	Extents []choice
	Cards   []cardView
	Clear   string // address without any filter, if one is in force
	Prev    string
	Next    string
}

type cardView struct {
	releases.Card
	Line, Extent string
	Marked       template.HTML // the name, with what was found marked
}

func (s *Server) library(c *echo.Context) error {
	q, err := s.queryOf(c)
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
		return s.answer(c, http.StatusOK, asPart("results", results))
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
	p.Filters, p.Sort = filters(q, found, c.QueryParams()), sorts(q, with)
	p.figures(s, c, q)
	p.Extent, err = number(c, "extent", 1)
	if err != nil || !slices.Contains(pictures.Extents, p.Extent) {
		p.Extent = 1
	}
	for _, e := range pictures.Extents {
		p.Extents = append(p.Extents, choice{Label: extentWord(e), Href: with("extent", fmt.Sprint(e)), On: e == p.Extent})
	}
	for _, k := range found.Items {
		v := cardView{k, "size unknown", fmt.Sprint(p.Extent), mark(k.Name, found.Words)}
		switch {
		case k.Size.Known():
			v.Line = scale.Metres(k.Size.W)
		case k.W == 0:
			v.Line = "plain finish"
		}
		p.Cards = append(p.Cards, v)
	}
	if q.Text != "" || q.Near != nil || len(q.Range) > 0 || slices.ContainsFunc(p.Filters, func(f filter) bool { return f.On }) {
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

// rareFacets stand in the sentence while they are in force, and behind "and more" otherwise.
var rareFacets = map[search.Facet]bool{search.ByState: true, search.ByStation: true, search.ByContact: true, search.ByWorkflow: true, search.ByTiling: true, search.ByOrigin: true}

// filters are the facets in the sentence above the wall, each with its choices.
func filters(q search.Query, found search.Found, now url.Values) (list []filter) {
	asIs := func(s string) string { return s }
	for _, f := range []struct {
		facet           search.Facet
		lead, any, join string
		say             func(string) string
	}{
		{search.ByCategory, "in", "any category", " or ", asIs},
		{search.ByTag, "tagged", "anything", " and ", asIs},
		{search.ByChannel, "with", "any maps", " and ", channelWord},
		{search.ByTier, "at", "any tier", " or ", asIs},
		{search.ByLicence, "under", "any licence", " or ", asIs},
		{search.ByState, "that are", "State", " or ", asIs},
		{search.ByStation, "from", "Station", " or ", asIs},
		{search.ByContact, "of the contact class", "Contact class", " or ", asIs},
		{search.ByWorkflow, "in workflow", "Workflow", " or ", func(v string) string { return strings.ReplaceAll(v, "_", "-") }},
		{search.ByTiling, "tiling", "Tiling", " or ", func(v string) string { return map[string]string{"seamless": "without seams", "seams": "with seams"}[v] }},
		{search.ByOrigin, "that are", "Origin", " or ", asIs},
	} {
		name, only, not := string(f.facet), q.Only[f.facet], q.Not[f.facet]
		w := filter{Name: name, Lead: f.lead, Word: f.any, On: len(only)+len(not) > 0, Rare: rareFacets[f.facet]}
		if w.On {
			w.Word = words(only, f.join, f.say)
			if len(not) > 0 {
				w.Word = strings.TrimSpace(w.Word + " not " + words(not, " or ", f.say))
			}
			v := maps.Clone(now)
			v.Del(notPrefix + name)
			w.Choices = append(w.Choices, choice{Label: map[bool]string{true: "any", false: f.any}[w.Rare], Href: libraryWith(v, name, "")})
		}
		for _, k := range found.Facets[f.facet] {
			w.Choices = append(w.Choices, choice{Label: f.say(k.Value), Href: libraryToggled(now, name, k.Value), Count: k.N, On: slices.Contains(only, k.Value),
				Not: libraryToggled(now, notPrefix+name, k.Value), Off: slices.Contains(not, k.Value)})
		}
		if w.More = found.More[f.facet]; w.More > 0 {
			address, rest, asked := strings.Cut(libraryWith(now, "", ""), "?")
			w.Search = address + "/choices?facet=" + name
			if asked {
				w.Search = address + "/choices?" + rest + "&facet=" + name
			}
		}
		list = append(list, w)
	}
	return list
}

// words are values as they are said, joined.
func words(list []string, join string, say func(string) string) string {
	var out []string
	for _, v := range list {
		out = append(out, say(v))
	}
	return strings.Join(out, join)
}

// sorts are the orders to choose from: by match only where there are words to match.
func sorts(q search.Query, with func(key, value string) string) filter {
	out := filter{Name: "sort", Lead: "by", Word: "newest first"}
	if q.Text != "" || q.Near.Asks() {
		out.Word = "best match"
	}
	for _, o := range []struct {
		order search.Order
		word  string
	}{{search.BestMatch, "best match"}, {search.Newest, "newest first"}, {search.MostUsed, "most used"}, {search.ByName, "name"}, {search.Largest, "size"}, {search.Densest, "density"}, {search.Cheapest, "least to fetch"}} {
		if o.order == search.BestMatch && q.Text == "" && !q.Near.Asks() {
			continue
		}
		on := q.Sort == o.order
		if on {
			out.Word = o.word
		}
		out.Choices = append(out.Choices, choice{Label: o.word, Href: with("sort", string(o.order)), On: on})
	}
	return out
}

func extentWord(m float64) string { return strconv.FormatFloat(m, 'f', -1, 64) + " m" }

func channelWord(id string) string {
	ch, _ := material.Parse(id)
	return strings.ToLower(wording.Channel(ch))
}

// choices are those of a facet whose names have a word that begins with text: a facet may
// have thousands.
func (s *Server) choices(c *echo.Context) error {
	q, err := s.queryOf(c)
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
