package web

import (
	"fmt"
	"maps"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"aldermoor/core/colour"
	"aldermoor/core/likeness"
	"aldermoor/internal/library"
	"aldermoor/internal/library/search"

	"github.com/labstack/echo/v5"
)

// This file reads what is searched for from an address, and writes addresses that search for something else.

// The parameters of a search beside the facets and measures.
const (
	notPrefix    = "not_" // not_tag=moss: without it
	colourParam  = "colour"
	shareParam   = "share" // of the colours, in their order: how much of the surface
	hueParam     = "hue"
	metalsParam  = "metals"
	likeParam    = "like"    // a published material by its slug, or a release by its id
	lookParam    = "look"    // a look in letters
	sizesParam   = "sizes"   // of a look: its size is not known
	weightsParam = "weights" // colour, grain and lines
)

// mostValues is how many values of one facet, and how many colours, are asked for at once.
const mostValues = 12

// queryOf reads a search from an address.
func (s *Server) queryOf(c *echo.Context) (search.Query, error) {
	return s.query(c.QueryParams(), pageOf(c))
}

// query reads a search from an address' parameters. Those of a form without script are brought
// into the form that links have.
func (s *Server) query(v url.Values, page int) (search.Query, error) {
	q := search.Query{Text: v.Get("q"), Sort: search.Order(v.Get("sort")), Page: page, Only: map[search.Facet][]string{}, Not: map[search.Facet][]string{}, Range: map[search.Measure]search.Range{}}
	if err := searchable(q.Text); err != nil {
		return q, err
	}
	for _, f := range search.Facets() {
		q.Only[f], q.Not[f] = chosen(v[string(f)]), chosen(v[notPrefix+string(f)])
	}
	for _, m := range measures { // as a form without script sends them
		least, most := v.Get(string(m.of)), v.Get(string(m.of)+"_most")
		if !v.Has(string(m.of)+"_most") || strings.Contains(least, "..") {
			continue
		}
		if m.of == search.Released {
			least, most = seconds(least, false), seconds(most, true)
		}
		r, err := rangeOf(m.title, least+".."+most)
		if err != nil {
			return q, err
		}
		if r.Least, r.Most = r.Least*m.factor, r.Most*m.factor; r != (search.Range{}) {
			q.Range[m.of] = r
		}
		v.Del(string(m.of) + "_most")
		if v.Del(string(m.of)); r != (search.Range{}) {
			v.Set(string(m.of), rangeText(r))
		}
	}
	for _, m := range search.Measures() {
		if text := v.Get(string(m)); text != "" {
			r, err := rangeOf(string(m), text)
			if err != nil {
				return q, err
			}
			q.Range[m] = r
		}
	}
	if least, err := figureOf("min_width_m", v.Get("min_width_m"), 0); err != nil {
		return q, err
	} else if r := q.Range[search.Width]; least > r.Least {
		r.Least = least
		q.Range[search.Width] = r
	}
	near, rest, err := s.nearOf(v, q.Text)
	q.Near, q.Text = near, rest
	return q, err
}

// seconds is a day as seconds since 1970, its end or its beginning; other text as it is.
func seconds(day string, end bool) string {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return day
	}
	if end {
		t = t.AddDate(0, 0, 1).Add(-time.Second)
	}
	return strconv.FormatInt(t.Unix(), 10)
}

// chosen are the values of a parameter, each once.
func chosen(list []string) (out []string) {
	for _, v := range list {
		if v != "" && !slices.Contains(out, v) && len(out) < mostValues {
			out = append(out, v)
		}
	}
	return out
}

// rangeOf reads "0.5..2", "0.5.." or "..2".
func rangeOf(name, text string) (r search.Range, err error) {
	least, most, both := strings.Cut(text, "..")
	bad := func() (search.Range, error) {
		return r, library.Invalid(fmt.Sprintf("%s is a range such as 0.5..2; %q is not.", name, text))
	}
	if !both {
		return bad()
	}
	for _, p := range []struct {
		text string
		to   *float64
	}{{least, &r.Least}, {most, &r.Most}} {
		if p.text == "" {
			continue
		}
		v, err := strconv.ParseFloat(p.text, 64)
		if err != nil || math.IsNaN(v) || math.IsInf(v, 0) || v < 0 {
			return bad()
		}
		*p.to = v
	}
	return r, nil
}

// rangeText writes a range as rangeOf reads it.
func rangeText(r search.Range) string {
	text := func(v float64) string {
		if v == 0 {
			return ""
		}
		return strconv.FormatFloat(v, 'g', 6, 64)
	}
	return text(r.Least) + ".." + text(r.Most)
}

// nearOf reads what is to be near: colours from their parameter and from the words that are colours, a
// look, a material. rest is the text without colours.
func (s *Server) nearOf(v url.Values, text string) (n *search.Near, rest string, err error) {
	n = &search.Near{Hue: v.Get(hueParam) == "1", Metals: v.Get(metalsParam) == "1"}
	var words []string
	list := chosen(v[colourParam])
	for _, w := range strings.Fields(text) {
		if _, ok := colour.ParseHex(w); ok && strings.HasPrefix(w, "#") {
			list = append(list, w)
		} else {
			words = append(words, w)
		}
	}
	rest = strings.Join(words, " ")
	if len(list) > mostValues {
		return nil, rest, library.Invalid(fmt.Sprintf("At most %d colours are searched for at once.", mostValues))
	}
	sum := float32(0)
	shares := v[shareParam]
	if len(shares) > len(list) {
		return nil, rest, library.Invalid("There are more shares than colours.")
	}
	for i, item := range list {
		hex, share, shared := strings.Cut(item, ":")
		t := likeness.Tone{Share: 1}
		if i < len(shares) {
			p, err := strconv.ParseFloat(shares[i], 32)
			if err != nil || !(p > 0 && p <= 1) {
				return nil, rest, library.Invalid(fmt.Sprintf("A share is a figure above 0 and up to 1; %q is not.", shares[i]))
			}
			t.Share = float32(p)
		}
		c, ok := colour.ParseHex("#" + strings.TrimPrefix(hex, "#"))
		if shared {
			p, err := strconv.ParseFloat(share, 32)
			ok = ok && err == nil && p > 0 && p <= 100
			t.Share = float32(p)
		}
		if !ok {
			return nil, rest, library.Invalid(fmt.Sprintf("A colour is #rrggbb, or rrggbb:40 with its share in per cent; %q is not.", item))
		}
		t.Color = c
		n.Colours = append(n.Colours, t)
		sum += t.Share
	}
	for i := range n.Colours {
		n.Colours[i].Share /= sum
	}
	if text := v.Get(weightsParam); text != "" {
		if n.Weights, err = weightsOf(text); err != nil {
			return nil, rest, err
		}
	}
	switch slug, look := v.Get(likeParam), v.Get(lookParam); {
	case slug != "":
		k, ok := s.Studio.Search.Card(slug)
		if id, err := strconv.ParseInt(slug, 10, 64); err == nil && !ok {
			k, ok = s.Studio.Search.CardOfRelease(id)
		}
		if !ok {
			return nil, rest, library.Invalid(fmt.Sprintf("No material in the Library is called %s.", slug))
		}
		l, ok := s.Studio.Search.Traits(k.MaterialID)
		if !ok {
			return nil, rest, library.Invalid(fmt.Sprintf("What %s looks like is still being worked out. Try again in a moment.", k.Name))
		}
		n.Look, n.Except = &l, k.MaterialID
	case look != "":
		n.Look = new(likeness.Look)
		if err := n.Look.UnmarshalText([]byte(look)); err != nil {
			return nil, rest, library.Invalid("The address is cut short: it describes no look. Drop the picture again.")
		}
		n.Sizes = v.Get(sizesParam) == "1"
	}
	if !n.Asks() {
		return nil, rest, nil
	}
	return n, rest, nil
}

// weightsOf reads three weights, 0 to 9.
func weightsOf(text string) (w likeness.Weights, err error) {
	part := strings.Split(text, ",")
	for i, to := range []*float32{&w.Colour, &w.Grain, &w.Lines} {
		v := -1.0
		if len(part) == 3 {
			if x, err := strconv.ParseFloat(part[i], 32); err == nil {
				v = x
			}
		}
		if !(v >= 0 && v <= 9) {
			return w, library.Invalid(fmt.Sprintf("weights are three figures from 0 to 9, for colour, grain and lines; %q is not.", text))
		}
		*to = float32(v)
	}
	if w == (likeness.Weights{}) {
		return w, library.Invalid("One weight must be more than 0.")
	}
	return w, nil
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
	return libraryAt(v)
}

// libraryToggled is the Library's address with one value of a parameter added, or taken away if it is
// there. In the other direction (with or without) the value is no longer asked for.
func libraryToggled(now url.Values, key, value string) string {
	v := maps.Clone(now)
	v.Del("page")
	other := notPrefix + key
	if plain, ok := strings.CutPrefix(key, notPrefix); ok {
		other = plain
	}
	without := func(list []string) []string {
		return slices.DeleteFunc(slices.Clone(list), func(x string) bool { return x == value })
	}
	was := v[key]
	v[key], v[other] = without(was), without(v[other])
	if len(v[key]) == len(was) {
		v[key] = append(v[key], value)
	}
	return libraryAt(v)
}

func libraryAt(v url.Values) string {
	for k, list := range v {
		if len(list) == 0 {
			delete(v, k)
		}
	}
	if len(v) == 0 {
		return "/library"
	}
	return "/library?" + v.Encode()
}

// apiLook describes the look of a picture, for a search by it: the body is the picture, width_m its width
// if that is known.
func (s *Server) apiLook(c *echo.Context) error {
	width, err := number(c, "width_m", 0)
	if err != nil {
		return err
	}
	if width < 0 || width > 1000 {
		return library.Invalid("width_m is a length in metres, up to 1000.")
	}
	rgb, err := s.Studio.Pictures.Dropped(c.Request().Context(), me(c), c.QueryParam("name"), c.Request().Body)
	if err != nil {
		return err
	}
	v := url.Values{}
	if width == 0 {
		width = 1
		v.Set(sizesParam, "1")
	}
	text, err := likeness.LookOf(rgb, width).MarshalText()
	if err != nil {
		return err
	}
	v.Set(lookParam, string(text))
	out := map[string]any{"page": "/library?" + v.Encode(), "palette": hexes(likeness.PaletteOf(rgb))}
	if c.Request().URL.Path == likePath { // what it looks like, at once
		q, err := s.query(v, 1)
		if err != nil {
			return err
		}
		f, err := s.Studio.Search.Find(c.Request().Context(), me(c), q)
		if err != nil {
			return err
		}
		out["total"], out["items"] = f.Total, apiCards(f.Items)
	}
	return c.JSON(http.StatusOK, out)
}

// likePath is where the API takes a picture and answers with what looks like it.
const likePath = "/api/v1/library/like"

// hexes are the colours of a palette as addresses have them.
func hexes(list []likeness.Tone) []string {
	out := []string{}
	for _, t := range list {
		out = append(out, fmt.Sprintf("%s:%d", strings.TrimPrefix(colour.HexOf(t.Color), "#"), int(t.Share*100+0.5)))
	}
	return out
}
