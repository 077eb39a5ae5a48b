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
	"aldermoor/internal/library/collections"
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
	Depth       int    // in a tree
}

// leaf is the last part of a category's path, and how deep it lies.
func leaf(path string) (name string, depth int) {
	parts := strings.Split(path, search.Branch)
	return parts[len(parts)-1], len(parts) - 1
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
	Staff      bool
	Text       string
	Found      search.Found
	Total      string
	Noun       string
	Filters    []filter
	Figures    filter // ranges: what is in force, and its measures
	Ranges     []ranged
	Sort       filter
	Colours    []paint  // the strip
	Asked      []paint  // colours that are searched for
	Marks      []marked // hue and metals
	Like       string   // what is looked like, in words
	NotLike    string   // address without it
	Weights    []choice // of what is looked like
	Extent     float64
	Extents    []choice
	Cards      []cardView
	Collection *collectionHead // what it is narrowed to; nil for nothing
	Balls      bool            // balls instead of swatches
	Table      bool            // rows of figures instead of swatches
	Views      []choice
	Columns    []choice // of the table: those with an address sort by it
	Nearest    []choice // texts that find something, where this one finds nothing
	ByName     string   // address of them by name
	Says       string   // what is asked for, as the name of a saved search
	Clear      string   // address without any filter, if one is in force
	Prev       string
	Next       string
}

type cardView struct {
	releases.Card
	Line, Extent string
	Marked       template.HTML // the name, with what was found marked
	Row          []string      // figures of the table
	Ball         bool          // shown as a ball: all are, or it has no maps
}

// Views of the Library beside the wall of swatches.
const (
	ballsView = "balls"
	tableView = "table"
)

// collectionHead is the collection that the Library is narrowed to.
type collectionHead struct {
	ID            int64
	Version       int64
	Name, Colour  string
	Owner         string
	Shared, Stars bool
	Mine          bool
	Without       string // address of the whole Library under the same filters
}

// in says which collection the results are of.
func (p *resultsView) in(c *echo.Context, k *collections.Collection) {
	if k == nil {
		return
	}
	p.Collection = &collectionHead{k.ID, k.Version, k.Name, k.Colour, k.Owner, k.Shared, k.Stars, k.Owner == me(c).Name || k.Shared && leads(c), libraryWith(c.QueryParams(), collectionParam, "")}
	p.Clear = "/library"
}

// tableRow are a card's figures, in the order of tableColumns.
func tableRow(k *releases.Card) []string {
	size, density := "unknown", ""
	if k.Size.Known() {
		size = fmt.Sprintf("%s × %s", scale.Metres(k.Size.W), scale.Metres(k.Size.H))
		density = scale.Figure(float64(k.W) / k.Size.W)
	}
	if k.W == 0 {
		size, density = "plain", ""
	}
	state := string(k.State)
	var maps []string
	for _, ch := range k.Channels {
		maps = append(maps, strings.ToLower(wording.Channel(ch)))
	}
	return []string{size, density, strings.Join(maps, ", "), k.Licence, k.Station, state, scale.Bytes(k.Cost), fmt.Sprint(k.Uses), k.Released.Format("2 Jan 2006")}
}

// tableColumns are the table's columns after the name; those with an order sort by it.
var tableColumns = []struct {
	label string
	order search.Order
}{{"Size", search.Largest}, {"px/m", search.Densest}, {"Maps", ""}, {"Licence", ""}, {"Station", ""}, {"State", ""}, {"To fetch", search.Cheapest}, {"Used by", search.MostUsed}, {"Released", search.Newest}}

// cardsOf are found cards as they are shown.
func cardsOf(found search.Found, extent float64, view string) (list []cardView) {
	for _, k := range found.Items {
		v := cardView{Card: k, Line: "size unknown", Extent: fmt.Sprint(extent), Marked: mark(k.Name, found.Words), Ball: k.W == 0 || view == ballsView}
		switch {
		case k.Size.Known():
			v.Line = scale.Metres(k.Size.W)
		case k.W == 0:
			v.Line = "plain finish"
		}
		if view == tableView {
			v.Row = tableRow(&k)
		}
		list = append(list, v)
	}
	return list
}

// mostCards is how many cards are asked for at once.
const mostCards = 600

// cards are any stretch of what an address finds, for a wall that shows what is in sight: from the card
// "from" on, "n" of them.
func (s *Server) cards(c *echo.Context) error {
	q, err := s.queryOf(c)
	if err != nil {
		return err
	}
	if _, err := s.within(c.Request().Context(), me(c), c.QueryParam(collectionParam), &q); err != nil {
		return err
	}
	from, err := whole(c, "from", 0)
	if err != nil {
		return err
	}
	n, err := whole(c, "n", 60)
	if err != nil {
		return err
	}
	q.From, q.Per, q.Choices = max(0, from), min(max(n, 1), mostCards), 1
	q.Bare = true
	found, err := s.Studio.Search.Find(c.Request().Context(), me(c), q)
	if err != nil {
		return err
	}
	extent, view := extentOf(c), c.QueryParam("view")
	var b bytes.Buffer
	name := "samples"
	if view == tableView {
		name = "rows-of-figures"
	}
	if err := s.pages["library"].ExecuteTemplate(&b, name, cardsOf(found, extent, view)); err != nil {
		return fmt.Errorf("show cards: %w", err)
	}
	c.Response().Header().Set("X-Total", fmt.Sprint(found.Total))
	return s.answer(c, http.StatusOK, b.Bytes())
}

// extentOf is the extent that an address asks for.
func extentOf(c *echo.Context) float64 {
	extent, err := number(c, "extent", 1)
	if err != nil || !slices.Contains(pictures.Extents, extent) {
		return 1
	}
	return extent
}

func (s *Server) library(c *echo.Context) error {
	q, err := s.queryOf(c)
	if err != nil {
		return err
	}
	p := libraryPage{frame: s.frame(c, "Library")}
	p.Sentence = true
	p.Text = q.Text
	col, err := s.within(c.Request().Context(), me(c), c.QueryParam(collectionParam), &q)
	if err != nil {
		return err
	}
	edition, key := s.Studio.Search.Edition(), fmt.Sprint(p.Staff, c.Request().URL.RawQuery)
	results, ok := s.walls.get(edition, key)
	if !ok || col != nil { // what is in a collection changes by itself
		w, err := s.results(c, q, p.Staff)
		if err != nil {
			return err
		}
		w.in(c, col)
		var b bytes.Buffer
		if err := s.pages["library"].ExecuteTemplate(&b, "results", w); err != nil {
			return fmt.Errorf("show the Library: %w", err)
		}
		results = b.Bytes()
		if len(key) < 300 && col == nil {
			s.walls.put(edition, key, results)
		}
	}
	if parts := partsOf(c.Request()); slices.Contains(parts, "results") {
		if len(parts) > 1 {
			return refuse(http.StatusBadRequest, "The results are asked for alone.")
		}
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
	view := c.QueryParam("view")
	p.Extent, p.Table, p.Balls = extentOf(c), view == tableView, view == ballsView
	for _, e := range pictures.Extents {
		p.Extents = append(p.Extents, choice{Label: extentWord(e), Href: with("extent", fmt.Sprint(e)), On: e == p.Extent})
	}
	p.Views = []choice{{Label: "Swatches", Href: with("view", ""), On: !p.Table && !p.Balls}, {Label: "Balls", Href: with("view", ballsView), On: p.Balls}, {Label: "Table", Href: with("view", tableView), On: p.Table}}
	for _, k := range tableColumns {
		col := choice{Label: k.label, On: k.order != "" && (q.Sort == k.order || q.Sort == "" && k.order == search.Newest)}
		if k.order != "" {
			col.Href = with("sort", string(k.order))
		}
		p.Columns = append(p.Columns, col)
	}
	p.Cards = cardsOf(found, p.Extent, view)
	for _, text := range found.Near {
		p.Nearest = append(p.Nearest, choice{Label: text, Href: with("q", text)})
	}
	p.ByName, p.Says = with("sort", string(search.ByName)), p.says()
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

// says is what is asked for in a few words: the text, and the filters in force.
func (p *resultsView) says() string {
	var list []string
	if p.Text != "" {
		list = append(list, p.Text)
	}
	for _, f := range append(slices.Clone(p.Filters), p.Figures) {
		if f.On {
			list = append(list, strings.TrimSpace(f.Lead+" "+f.Word))
		}
	}
	for _, a := range p.Asked {
		list = append(list, a.Hex)
	}
	if p.Like != "" {
		list = append(list, "like "+p.Like)
	}
	text := []rune(strings.Join(list, ", "))
	return strings.TrimRight(string(text[:min(len(text), 60)]), " ,")
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
			v.Del(search.NotPrefix + name)
			w.Choices = append(w.Choices, choice{Label: map[bool]string{true: "any", false: f.any}[w.Rare], Href: libraryWith(v, name, "")})
		}
		counts := slices.Clone(found.Facets[f.facet])
		if f.facet == search.ByCategory { // a tree
			slices.SortFunc(counts, func(a, b search.Count) int {
				return strings.Compare(strings.ToLower(a.Value), strings.ToLower(b.Value))
			})
		}
		for _, k := range counts {
			label, depth := f.say(k.Value), 0
			if f.facet == search.ByCategory {
				label, depth = leaf(k.Value)
			}
			w.Choices = append(w.Choices, choice{Label: label, Depth: depth, Href: libraryToggled(now, name, k.Value), Count: k.N, On: slices.Contains(only, k.Value),
				Not: libraryToggled(now, search.NotPrefix+name, k.Value), Off: slices.Contains(not, k.Value)})
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
