package web

import (
	"fmt"
	"html/template"
	"maps"
	"math"
	"net/url"
	"slices"
	"strings"
	"time"
	"unicode"

	"aldermoor/core/colour"
	"aldermoor/internal/library/search"

	"github.com/labstack/echo/v5"
)

// This file says what the Library is narrowed down to beside its facets: ranges of figures, colours, and
// what looks like something.

// ranged is a measure with its histogram and what is asked for.
type ranged struct {
	Name, Title, Unit string
	Least, Most       string // as they are typed
	Path              string // of the histogram's outline, in 24 × 1
	From, To          string // what there is
	On                bool
	Date              bool // days instead of figures
}

// paint is a colour to search by.
type paint struct {
	Hex, Href string
	On        bool
	Share     int // per cent
}

// marked is a choice of yes or no.
type marked struct {
	Label, Href string
	On          bool
}

// measures are the ranges as people see them: factor is what a unit that is typed is in the measure's own.
var measures = []struct {
	of          search.Measure
	title, unit string
	factor      float64
	says        func(least, most string) string
}{
	{search.Width, "Width", "m", 1, func(a, b string) string { return between(a, b, "m") + " wide" }},
	{search.Density, "Density", "px/m", 1, func(a, b string) string { return "reaching " + between(a, b, "px/m") }},
	{search.Relief, "Relief", "mm", 0.001, func(a, b string) string { return between(a, b, "mm") + " deep" }},
	{search.Roughness, "Mean roughness", "", 1, func(a, b string) string { return "of roughness " + between(a, b, "") }},
	{search.Cost, "To fetch", "MB", 1e6, func(a, b string) string { return between(a, b, "MB") + " to fetch" }},
	{search.Released, "Released", "", 1, func(a, b string) string {
		switch {
		case b == "":
			return "released since " + a
		case a == "":
			return "released until " + b
		}
		return "released from " + a + " to " + b
	}},
}

// between says a range in words.
func between(least, most, unit string) string {
	if unit != "" {
		unit = " " + unit
	}
	switch {
	case most == "":
		return "at least " + least + unit
	case least == "":
		return "at most " + most + unit
	}
	return least + " to " + most + unit
}

// figures fills in the ranges, the colours and what is looked like.
func (p *resultsView) figures(s *Server, c *echo.Context, q search.Query) {
	now := c.QueryParams()
	var says []string
	for _, m := range measures {
		r := ranged{Name: string(m.of), Title: m.title, Unit: m.unit, Date: m.of == search.Released}
		figure := func(v float64) string {
			if r.Date {
				return time.Unix(int64(v), 0).UTC().Format(time.DateOnly)
			}
			return fmt.Sprint(round3(v / m.factor))
		}
		h, err := s.Studio.Search.Histogram(c.Request().Context(), me(c), m.of)
		if err == nil && h.Most > 0 {
			r.Path = outline(h.N)
			r.From, r.To = figure(h.Least), figure(h.Most)
		}
		if asked, on := q.Range[m.of]; on {
			r.On = true
			text := func(v float64) string {
				if v == 0 {
					return ""
				}
				return figure(v)
			}
			r.Least, r.Most = text(asked.Least), text(asked.Most)
			says = append(says, m.says(r.Least, r.Most))
		}
		p.Ranges = append(p.Ranges, r)
	}
	p.Figures = filter{Name: "figures", Word: "of any size", On: len(says) > 0}
	if len(says) > 0 {
		p.Figures.Word = strings.Join(says, ", ")
	}
	var asked []string
	if q.Near != nil {
		for _, t := range q.Near.Colours {
			hex := colour.HexOf(t.Color)
			asked = append(asked, hex)
			v := maps.Clone(now)
			v[search.ColourParam] = slices.DeleteFunc(slices.Clone(v[search.ColourParam]), func(x string) bool {
				h, _, _ := strings.Cut(x, ":")
				return strings.EqualFold(strings.TrimPrefix(h, "#"), hex[1:])
			})
			v.Set("q", strings.TrimSpace(strings.ReplaceAll(v.Get("q"), hex, "")))
			if v.Get("q") == "" {
				v.Del("q")
			}
			v.Del("page")
			p.Asked = append(p.Asked, paint{Hex: hex, Href: libraryAt(v), On: true, Share: int(t.Share*100 + 0.5)})
		}
	}
	for _, hex := range strip {
		p.Colours = append(p.Colours, paint{Hex: hex, Href: libraryToggled(now, search.ColourParam, hex[1:]), On: slices.Contains(asked, hex)})
	}
	if len(p.Asked) > 0 {
		p.Marks = append(p.Marks, flag(now, search.HueParam, "light or dark alike"))
	}
	p.Marks = append(p.Marks, flag(now, search.MetalsParam, "metals only"))
	switch {
	case now.Get(search.LikeParam) != "":
		if k, ok := s.Studio.Search.Card(now.Get(search.LikeParam)); ok {
			p.Like = k.Name
		}
	case now.Get(search.LookParam) != "":
		p.Like = "your picture"
	}
	if p.Like != "" {
		v := maps.Clone(now)
		for _, k := range []string{search.LikeParam, search.LookParam, search.SizesParam, search.WeightsParam, "page"} {
			v.Del(k)
		}
		p.NotLike = libraryAt(v)
		for _, w := range []struct{ label, text string }{{"colour and grain", ""}, {"mostly colour", "3,1,0.5"}, {"mostly grain", "0.3,2,1.5"}} {
			p.Weights = append(p.Weights, choice{Label: w.label, Href: libraryWith(now, search.WeightsParam, w.text), On: now.Get(search.WeightsParam) == w.text})
		}
	}
}

// flag is a parameter that is 1 or not there.
func flag(now url.Values, key, label string) marked {
	on := now.Get(key) == "1"
	to := "1"
	if on {
		to = ""
	}
	return marked{Label: label, Href: libraryWith(now, key, to), On: on}
}

func round3(v float64) float64 {
	if v == 0 {
		return 0
	}
	k := math.Pow(10, 2-math.Floor(math.Log10(math.Abs(v))))
	return math.Round(v*k) / k
}

// outline is a histogram as the outline of its bars, in a box of 24 × 1.
func outline(n [search.Bars]int) string {
	most := 1
	for _, v := range n {
		most = max(most, v)
	}
	var b strings.Builder
	b.WriteString("M0 1")
	for i, v := range n {
		h := 0.0
		if v > 0 { // the fewest can be seen, too
			h = 0.06 + 0.94*math.Sqrt(float64(v)/float64(most))
		}
		fmt.Fprintf(&b, "L%d %.3fL%d %.3f", i, 1-h, i+1, 1-h)
	}
	b.WriteString("L24 1Z")
	return b.String()
}

// strip are the colours to choose from, in columns of a light one above a dark one: greys, then hues, even steps of OKLab.
var strip = func() (list []string) {
	for _, l := range []float64{0.75, 0.3, 0.85, 0.45, 0.95, 0.6} {
		list = append(list, colour.HexOf(colour.FromOKLab(l, 0, 0)))
	}
	for k := range 12 {
		sin, cos := math.Sincos(2 * math.Pi * (float64(k) + 0.9) / 12)
		for _, at := range [2][2]float64{{0.66, 0.11}, {0.45, 0.09}} {
			list = append(list, colour.HexOf(colour.FromOKLab(at[0], at[1]*cos, at[1]*sin)))
		}
	}
	return list
}()

// mark is a text with its words marked that are among those found, or begin like one.
func mark(text string, found []string) template.HTML {
	if len(found) == 0 {
		return template.HTML(template.HTMLEscapeString(text))
	}
	var b strings.Builder
	for i := 0; i < len(text); {
		j := i
		for k, r := range text[i:] {
			if !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r) {
				break
			}
			j = i + k + len(string(r))
		}
		if j == i {
			_, n := firstRune(text[i:])
			b.WriteString(template.HTMLEscapeString(text[i : i+n]))
			i += n
			continue
		}
		word := template.HTMLEscapeString(text[i:j])
		if slices.Contains(found, search.Fold(text[i:j])) {
			word = "<mark>" + word + "</mark>"
		}
		b.WriteString(word)
		i = j
	}
	return template.HTML(b.String())
}

func firstRune(s string) (r rune, n int) {
	for i, x := range s {
		if i > 0 {
			return r, i
		}
		r = x
	}
	return r, len(s)
}
