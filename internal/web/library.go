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
