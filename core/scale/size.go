package scale

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"aldermoor/core/fact"
)

// Size is the real-world size of one repeat in metres.
type Size struct {
	W float64 `json:"width_m"`
	H float64 `json:"height_m"`
}

// Known says whether both sides are set.
func (s Size) Known() bool { return s.W > 0 && s.H > 0 }

// Source names where a size comes from.
type Source string

// The sources, in the order in which they are believed when nobody has decided.
const (
	FromSidecar Source = "sidecar"
	FromTag     Source = "resolution_tag"
	FromName    Source = "name"
	FromText    Source = "text" // what somebody wrote into the file
	FromModule  Source = "module"
	FromMeasure Source = "measured"
	FromPerson  Source = "typed"
	FromStation Source = "usual" // what most scans of its station show; never taken by itself
	FromNothing Source = "none"
)

// Evidence is one answer to the question how large a repeat is.
type Evidence struct {
	Source Source `json:"source"`
	Size
	fact.Fact        // what gave the answer
	Says      string `json:"says"` // in English: left to internal/wording
}

// TagEvidence turns a resolution tag (pixels a metre along x and y) of a map of
// w × h pixels into a size; ok is false without a tag.
func TagEvidence(w, h int, density [2]float64) (e Evidence, ok bool) {
	if density[0] <= 0 || density[1] <= 0 {
		return e, false
	}
	s := Size{float64(w) / density[0], float64(h) / density[1]}
	code := "tag"
	for _, inch := range []float64{150, 300} { // what editors write when nobody told them anything else
		if math.Abs(density[0]*Inch-inch) < 0.1 && math.Abs(density[1]*Inch-inch) < 0.1 {
			code = "tag_default"
		}
	}
	return Evidence{Source: FromTag, Size: s, Fact: fact.New(code, "density", density[0], "width", w, "height", h)}, plausible(s)
}

// weak says whether any other evidence goes before.
func (e Evidence) weak() bool { return e.Code == "tag_default" }

// plausible keeps out tags that no scan can mean.
func plausible(s Size) bool {
	return s.W > 0.0005 && s.W < 2000 && s.H > 0.0005 && s.H < 2000
}

var (
	nameUnit = `(millimet(?:er|re)s?|mm|centimet(?:er|re)s?|cm|dm|met(?:er|re)s?|m|inch(?:es)?|in|"|feet|foot|ft|'|yards?|yd)`
	twoSides = regexp.MustCompile(`(?i)(?:^|[^0-9a-z.])w?\s*(\d+(?:[.,]\d+)?)\s*` + nameUnit + `?\s*(?:x|×|by|\*)\s*h?\s*(\d+(?:[.,]\d+)?)\s*` + nameUnit + `(?:[^a-z]|$)`)
	named    = regexp.MustCompile(`(?i)(?:^|[^a-z0-9])w(?:idth)?\s*(\d+(?:[.,]\d+)?)\s*` + nameUnit + `?[\s-]*h(?:eight)?\s*(\d+(?:[.,]\d+)?)\s*` + nameUnit + `(?:[^a-z]|$)`)
	perUnit  = regexp.MustCompile(`(?i)(?:^|[^0-9a-z.])(\d+(?:[.,]\d+)?)\s*(?:(px|pixels?|texels?)\s*(?:/|per|p|a)?\s*(mm|cm|m|in|inch|ft)|(dpi|ppi))(?:[^a-z0-9]|$)`)
	oneSide  = regexp.MustCompile(`(?i)(?:^|[^0-9a-z.])(\d+(?:[.,]\d+)?)\s*` + nameUnit + `(?:\s*(\d+(?:[.,]\d+)?)\s*(in|"))?(?:[^a-z0-9]|$)`)
	pointed  = regexp.MustCompile(`(?i)(\d)p(\d+\s*(?:mm|cm|dm|m|in|ft))`)
	// A length beside one of these words is no side of the patch.
	otherBefore = regexp.MustCompile(`(?i)(?:thickness|lens|focal|screw|bolt|nail|wire|joint|gap|depth|diameter|radius|gauge|grit|distance)[\s:=-]*$`)
	otherBehind = regexp.MustCompile(`(?i)^[\s)-]*(?:thick|lens|focal|screw|bolt|nail|wire|joint|gap|deep|depth|high|tall|dia|radius|pile|nap|gauge|grit|distance|tripod|away)`)
)

// thinnest is the shortest length that a name alone can mean for a width: below it is a thickness or a lens.
const thinnest = 0.06

// NameEvidence finds a size in a name: "180x120cm", "1.8m_x_1.2m", "6ft", "25 px/cm",
// "300dpi". One length is taken for the width of a map of w × h pixels, and the height
// follows from its ratio; 72 and 96 dpi are what programs write by themselves.
func NameEvidence(name string, w, h int) (e Evidence, ok bool) {
	length := func(figure, unit string) float64 {
		switch u := strings.ToLower(unit); {
		case strings.HasPrefix(u, "milli"):
			unit = "mm"
		case strings.HasPrefix(u, "centi"):
			unit = "cm"
		case strings.HasPrefix(u, "met"):
			unit = "m"
		case u == "dm":
			v, _ := ParseLength(figure + "cm")
			return 10 * v
		case u == "feet" || u == "foot" || u == "'":
			unit = "ft"
		case strings.HasPrefix(u, "inch") || u == "\"":
			unit = "in"
		case strings.HasPrefix(u, "y"):
			v, _ := ParseLength(figure + "ft")
			return 3 * v
		}
		m, err := ParseLength(figure + unit)
		if err != nil {
			return 0
		}
		return m
	}
	name = pointed.ReplaceAllString(name, "$1.$2") // "1p5m"
	m := twoSides.FindStringSubmatch(strings.ReplaceAll(name, "_", " "))
	if m == nil {
		m = named.FindStringSubmatch(strings.ReplaceAll(name, "_", " "))
	}
	if m != nil {
		first := m[2]
		if first == "" {
			first = m[4]
		}
		s := Size{length(m[1], first), length(m[3], m[4])}
		return Evidence{Source: FromName, Size: s, Fact: fact.New("name")}, plausible(s)
	}
	if m := perUnit.FindStringSubmatch(strings.ReplaceAll(name, "_", " ")); m != nil && w > 0 {
		unit := m[3]
		if m[4] != "" || unit == "inch" {
			unit = "in"
		}
		if inch := m[1]; m[4] == "" || inch != "72" && inch != "96" {
			if per := length(m[1], "m") / length("1", unit); per > 0 {
				s := Size{float64(w) / per, float64(h) / per}
				return Evidence{Source: FromName, Size: s, Fact: fact.New("name_density", "density", per)}, plausible(s)
			}
		}
	}
	plain := strings.ReplaceAll(name, "_", " ")
	for _, at := range oneSide.FindAllStringSubmatchIndex(plain, 8) {
		part := func(k int) string {
			if at[2*k] < 0 {
				return ""
			}
			return plain[at[2*k]:at[2*k+1]]
		}
		s := Size{W: length(part(1), part(2))}
		if part(3) != "" { // "6ft2in"
			s.W += length(part(3), part(4))
		}
		before, behind := plain[max(0, at[0]-12):at[2]], plain[at[1]-1:min(len(plain), at[1]+12)]
		if w == 0 || s.W < thinnest || otherBefore.MatchString(before) || otherBehind.MatchString(behind) {
			continue
		}
		s.H = s.W * float64(h) / float64(w)
		return Evidence{Source: FromName, Size: s, Fact: fact.New("name_width")}, plausible(s)
	}
	return e, false
}

// saidSide is one length in a text, behind a word that says that it is the patch's.
var saidSide = regexp.MustCompile(`(?i)(?:size|width|wide|scale|repeats?|tiles?|covers|covering|area|patch)[^0-9]{0,16}(\d+(?:[.,]\d+)?)\s*(mm|cm|m|in|ft)(?:[^a-z0-9]|$)`)

// TextEvidence finds a size in a description that somebody wrote into a file of w × h pixels: two
// sides, pixels a length, or one length that is said to be the patch's. Lenses and distances that
// stand in such texts, too, are left alone.
func TextEvidence(text string, w, h int) (e Evidence, ok bool) {
	if twoSides.MatchString(text) || perUnit.MatchString(text) {
		e, ok = NameEvidence(text, w, h)
		if e.W < 0.1 && e.H < 0.1 && e.Code == "name" {
			return e, false // the sensor's, or a print's
		}
	} else if m := saidSide.FindStringSubmatch(text); m != nil {
		e, ok = NameEvidence(m[1]+m[2], w, h)
	}
	if ok {
		e.Source, e.Fact = FromText, fact.New("text")
	}
	return e, ok
}

// Sidecar is the JSON file that a station may put beside a set.
type Sidecar struct {
	WidthM   float64 `json:"width_m"`
	HeightM  float64 `json:"height_m"`
	WidthCM  float64 `json:"width_cm"`
	HeightCM float64 `json:"height_cm"`
	DPI      float64 `json:"dpi"`
	DepthMM  float64 `json:"depth_mm"`
	Captured string  `json:"captured"`
	Station  string  `json:"station"`
	Author   string  `json:"author"`
	Licence  string  `json:"licence"`
}

// SidecarFigures are the keys of a sidecar's figures.
var SidecarFigures = []string{"width_m", "height_m", "width_cm", "height_cm", "dpi", "depth_mm"}

// ParseSidecar reads a sidecar. Unknown keys are ignored; an error says what is
// wrong with the file.
func ParseSidecar(data []byte) (Sidecar, error) {
	var s Sidecar
	if err := json.Unmarshal(data, &s); err != nil {
		return s, fmt.Errorf("the sidecar is not JSON as expected: %w", err)
	}
	return s, nil
}

// Evidence is the size that the sidecar states for maps of w × h pixels; ok is
// false if it states none. One side alone gives the other by the ratio.
func (s Sidecar) Evidence(w, h int) (e Evidence, ok bool) {
	size := Size{max(s.WidthM, s.WidthCM/100), max(s.HeightM, s.HeightCM/100)}
	if !size.Known() && s.DPI > 0 {
		size = Size{float64(w) / s.DPI * Inch, float64(h) / s.DPI * Inch}
	}
	if w > 0 && h > 0 {
		ratio := float64(h) / float64(w)
		if size.W > 0 && size.H <= 0 {
			size.H = size.W * ratio
		} else if size.H > 0 && size.W <= 0 {
			size.W = size.H / ratio
		}
	}
	return Evidence{Source: FromSidecar, Size: size, Fact: fact.New("sidecar")}, plausible(size)
}

// Best picks the evidence to go by until somebody decides: the first in the
// order of sources, and a resolution that editors write by themselves last.
func Best(all []Evidence) (Evidence, bool) {
	if strong := slices.DeleteFunc(slices.Clone(all), Evidence.weak); len(strong) < len(all) {
		if e, ok := Best(strong); ok {
			return e, ok
		}
	}
	for _, source := range []Source{FromPerson, FromMeasure, FromSidecar, FromTag, FromName, FromText, FromModule} {
		for _, e := range all {
			if e.Source == source && e.Known() {
				return e, true
			}
		}
	}
	return Evidence{Source: FromNothing}, false
}

// Spread is the largest relative difference between the widths or heights that
// the evidence gives: 0.01 means that all agree within 1 %. What is weak contradicts nothing.
func Spread(all []Evidence) float64 {
	var spread float64
	all = slices.DeleteFunc(slices.Clone(all), Evidence.weak)
	for _, a := range all {
		for _, b := range all {
			spread = max(spread, math.Abs(a.W/b.W-1), math.Abs(a.H/b.H-1))
		}
	}
	return spread
}

// LineEvidence is the size that follows from a line of dx, dy pixels on maps of w × h
// pixels that is said to be length metres long. aspect is how many times as high as
// wide a pixel is, 1 for square ones.
func LineEvidence(w, h int, dx, dy, length, aspect float64) (Evidence, bool) {
	px := math.Hypot(dx, dy*aspect)
	if px < 1 {
		return Evidence{}, false
	}
	pitch := length / px
	s := Size{pitch * float64(w), pitch * aspect * float64(h)}
	return Evidence{Source: FromMeasure, Size: s, Fact: fact.New("line", "pixels", math.Hypot(dx, dy), "metres", length)}, plausible(s)
}

// ModuleEvidence is the same for one step of a surface's pattern.
func ModuleEvidence(w, h int, step [2]float64, length, aspect float64) (Evidence, bool) {
	e, ok := LineEvidence(w, h, step[0], step[1], length, aspect)
	e.Source = FromModule
	e.Code = "step"
	return e, ok
}

// Mean is the average of all evidence of one source, and how far its answers differ.
func Mean(all []Evidence, of Source) (s Size, n int, spread float64) {
	var same []Evidence
	for _, e := range all {
		if e.Source == of {
			same = append(same, e)
			s.W += e.W
			s.H += e.H
		}
	}
	if n = len(same); n == 0 {
		return Size{}, 0, 0
	}
	return Size{s.W / float64(n), s.H / float64(n)}, n, Spread(same)
}

// SideEvidence is the size that a measured line gives for one side alone, the other
// staying as it is: dx and dy are what the line covers of the width and height, as
// shares. ok is false if it runs across that side rather than along it.
func SideEvidence(now Size, dx, dy, length float64, axis string) (Evidence, bool) {
	e := Evidence{Source: FromMeasure, Size: now}
	dx, dy = math.Abs(dx)*now.W, math.Abs(dy)*now.H
	along, across := dx, dy
	side := &e.W
	if axis == "y" {
		along, across, side = dy, dx, &e.H
	}
	if along < 2*across || along <= 0 || length <= 0 {
		return Evidence{}, false
	}
	// What the line covers across is taken as it is now.
	rest := length*length - across*across
	if rest <= 0 {
		return Evidence{}, false
	}
	*side *= math.Sqrt(rest) / along
	e.Fact = fact.New("side", "metres", length)
	return e, *side > 0.001 && *side < 1000
}

// usualAt is how many of a station's scans must be of one size, and which share of all,
// for that to be its usual one.
const usualAt, usualShare = 3, 0.6

// UsualEvidence is the size that most of a station's scans have, within a hundredth; ok is
// false if they have no such size.
func UsualEvidence(station string, sizes []Size) (Evidence, bool) {
	best, at := 0, 0
	for i, s := range sizes {
		n := 0
		for _, o := range sizes {
			if math.Abs(o.W/s.W-1) < 0.01 && math.Abs(o.H/s.H-1) < 0.01 {
				n++
			}
		}
		if n > best {
			best, at = n, i
		}
	}
	if best < usualAt || float64(best) < usualShare*float64(len(sizes)) {
		return Evidence{}, false
	}
	return Evidence{Source: FromStation, Size: sizes[at], Fact: fact.New("usual", "station", station)}, true
}
