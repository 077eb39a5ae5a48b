package search

import (
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/colour"
	"aldermoor/core/likeness"
	"aldermoor/internal/library"
)

// This file reads what is searched for from an address: that of a page, of a saved search, or of the API.

// The parameters of a search beside the facets and measures.
const (
	NotPrefix    = "not_" // not_tag=moss: without it
	ColourParam  = "colour"
	ShareParam   = "share" // of the colours, in their order: how much of the surface
	HueParam     = "hue"
	MetalsParam  = "metals"
	LikeParam    = "like"    // a published material by its slug, or a release by its id
	LookParam    = "look"    // a look in letters
	SizesParam   = "sizes"   // of a look: its size is not known
	WeightsParam = "weights" // colour, grain and lines
)

// mostValues is how many values of one facet, and how many colours, are asked for at once.
const mostValues = 12

// MostLetters and MostWords are the longest text to search for.
const MostLetters, MostWords = 200, 12

// searchable refuses a text that is too long to be searched for.
func searchable(text string) error {
	if len([]rune(text)) > MostLetters || len(strings.Fields(text)) > MostWords {
		return library.Invalid(fmt.Sprintf("A search has up to %d characters and %d words.", MostLetters, MostWords))
	}
	return nil
}

// Parse reads a search from an address' parameters; page is which page of what it finds is wanted. What cannot be read
// is an error of type library.Invalid.
func (s *Service) Parse(v url.Values, page int) (Query, error) {
	q := Query{Text: v.Get("q"), Sort: Order(v.Get("sort")), Page: page, Only: map[Facet][]string{}, Not: map[Facet][]string{}, Range: map[Measure]Range{}}
	if err := searchable(q.Text); err != nil {
		return q, err
	}
	for _, f := range Facets() {
		q.Only[f], q.Not[f] = chosen(v[string(f)]), chosen(v[NotPrefix+string(f)])
	}
	for _, m := range Measures() {
		if text := v.Get(string(m)); text != "" {
			r, err := ParseRange(string(m), text)
			if err != nil {
				return q, err
			}
			q.Range[m] = r
		}
	}
	if text := v.Get("min_width_m"); text != "" {
		least, err := strconv.ParseFloat(text, 64)
		if err != nil || math.IsNaN(least) || math.IsInf(least, 0) {
			return q, library.Invalid(fmt.Sprintf("min_width_m must be a figure; %q is not.", text))
		}
		if r := q.Range[Width]; least > r.Least {
			r.Least = least
			q.Range[Width] = r
		}
	}
	near, rest, err := s.nearOf(v, q.Text)
	q.Near, q.Text = near, rest
	return q, err
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

// ParseRange reads "0.5..2", "0.5.." or "..2".
func ParseRange(name, text string) (r Range, err error) {
	least, most, both := strings.Cut(text, "..")
	bad := func() (Range, error) {
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

// Text writes a range, with six digits, as ParseRange reads it.
func (r Range) Text() string {
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
func (s *Service) nearOf(v url.Values, text string) (n *Near, rest string, err error) {
	n = &Near{Hue: v.Get(HueParam) == "1", Metals: v.Get(MetalsParam) == "1"}
	var words []string
	list := chosen(v[ColourParam])
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
	shares := v[ShareParam]
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
	if text := v.Get(WeightsParam); text != "" {
		if n.Weights, err = weightsOf(text); err != nil {
			return nil, rest, err
		}
	}
	switch slug, look := v.Get(LikeParam), v.Get(LookParam); {
	case slug != "":
		k, ok := s.Card(slug)
		if id, err := strconv.ParseInt(slug, 10, 64); err == nil && !ok {
			k, ok = s.CardOfRelease(id)
		}
		if !ok {
			return nil, rest, library.Invalid(fmt.Sprintf("No material in the Library is called %s.", slug))
		}
		l, ok := s.Traits(k.MaterialID)
		if !ok {
			return nil, rest, library.Invalid(fmt.Sprintf("What %s looks like is still being worked out. Try again in a moment.", k.Name))
		}
		n.Look, n.Except = &l, k.MaterialID
	case look != "":
		n.Look = new(likeness.Look)
		if err := n.Look.UnmarshalText([]byte(look)); err != nil {
			return nil, rest, library.Invalid("The address is cut short: it describes no look. Drop the picture again.")
		}
		n.Sizes = v.Get(SizesParam) == "1"
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
