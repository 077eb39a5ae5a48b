package sidecar

import (
	"regexp"
	"strconv"
	"strings"

	"aldermoor/core/scale"
)

// units are metres in what a key or a text may name.
var units = map[string]float64{"m": 1, "metre": 1, "meter": 1, "metres": 1, "meters": 1, "cm": 0.01, "centimetre": 0.01, "centimeter": 0.01, "centimetres": 0.01, "centimeters": 0.01,
	"mm": 0.001, "millimetre": 0.001, "millimeter": 0.001, "millimetres": 0.001, "millimeters": 0.001, "dm": 0.1, "in": 0.0254, "inch": 0.0254, "inches": 0.0254, "ft": 0.3048, "feet": 0.3048, "foot": 0.3048, "yd": 0.9144, "yard": 0.9144, "yards": 0.9144}

// noLengths are words of a key whose figure is no length of the surface.
var noLengths = map[string]bool{"px": true, "pixel": true, "pixels": true, "resolution": true, "res": true, "texture": true, "image": true, "file": true, "bytes": true, "byte": true, "kb": true, "mb": true, "bit": true, "bits": true, "window": true, "view": true, "screen": true, "font": true, "lens": true, "sensor": true, "distance": true, "focal": true, "screw": true, "joint": true, "thickness": true, "camera": true}

var (
	keyWords = regexp.MustCompile(`[A-Z]+(?:[a-z]+)?|[a-z]+|\d+`)
	ofTwo    = regexp.MustCompile(`(?i)^\s*(\d+(?:[.,]\d+)?)\s*(mm|cm|dm|m|in|inch|inches|ft|feet|metres|meters|"|')?\s*(?:x|×|\*|by|,|;|/|\s)\s*(\d+(?:[.,]\d+)?)\s*(mm|cm|dm|m|in|inch|inches|ft|feet|metres|meters|"|')?\s*$`)
	spdx     = regexp.MustCompile(`(?i)\b(CC0(?:[- ]1\.0)?|CC[- ]BY(?:[- ](?:SA|NC|ND)){0,2}(?:[- ][1-4]\.0)?|MIT|Apache[- ]2\.0|GPL[- ]?[23](?:\.0)?(?:[- ]or[- ]later)?|OFL[- ]1\.1|public domain)(?:[^\w]|$)`)
)

// words are those of a key, in lower case: "realWorldSize_cm" is real, world, size, cm.
func words(key string) (out []string) {
	for _, w := range keyWords.FindAllString(key, -1) {
		out = append(out, strings.ToLower(w))
	}
	return out
}

// note takes what one item states.
func (f *Facts) note(it *item) {
	key := words(it.key)
	has := func(some ...string) bool {
		for _, w := range key {
			for _, s := range some {
				if w == s {
					return true
				}
			}
		}
		return false
	}
	set := func(to *string, most int) {
		if *to == "" && it.text != "" && len(it.text) <= most && len(it.kids) == 0 {
			*to = it.text
		}
	}
	switch {
	case has("licence", "license", "spdx", "rights", "licensing"):
		if m := spdx.FindStringSubmatch(it.text + " "); m != nil && f.Licence == "" {
			f.Licence = spdxID(m[1])
		} else {
			set(&f.Licence, 60)
		}
		return
	case has("author", "artist", "creator", "photographer", "credit", "credits") || len(key) == 1 && has("by"):
		set(&f.Author, 100)
		return
	case has("captured", "shot", "taken", "recorded") || has("capture", "scan") && has("date", "on", "at"):
		set(&f.Captured, 40)
		return
	case has("station", "scanner", "rig"):
		set(&f.Station, 100)
		return
	case it.key == "" && it.text != "" && len(it.kids) == 0: // a line of prose
		f.prose(it.text)
		return
	}
	unit := f.unitOf(key, it)
	if has("dpi", "ppi") {
		if v, ok := figure(it.text); ok && f.PerMetre == 0 {
			f.PerMetre = v / scale.Inch
		}
		return
	}
	if (has("px", "pixels", "texels") && has("per")) || has("density") {
		if v, ok := figure(it.text); ok && f.PerMetre == 0 && v > 0 {
			per := 1.0
			if has("cm") {
				per = 0.01
			}
			f.PerMetre = v / per
		}
		return
	}
	for _, w := range key {
		if noLengths[w] {
			return
		}
	}
	switch {
	case has("width", "w") && f.Width == 0 && measured(it, has):
		f.Width = length(it.text, unit)
	case has("height", "h", "length") && !has("map", "scale", "strength", "field") && f.Height == 0 && measured(it, has):
		f.Height = length(it.text, unit)
	case has("depth", "relief") || has("displacement", "height") && has("scale", "amount", "range", "strength", "mm", "cm", "depth"):
		if f.Depth == 0 && (unit > 0 || unitIn(it.text)) {
			f.Depth = length(it.text, unit)
		}
	case has("size", "dimensions", "dimension", "extent", "area", "patch", "coverage", "covers", "tile", "repeat", "scale") && !has("uv"):
		if f.Width == 0 {
			f.size(it, unit)
		}
	}
}

// measured says whether a width or height is of the surface and not of the picture: it has a unit, or its
// container says size.
func measured(it *item, has func(...string) bool) bool {
	if unitIn(it.text) {
		return true
	}
	for _, w := range words(it.key) {
		if units[w] > 0 {
			return true
		}
	}
	if has("real", "world", "physical", "surface") {
		return true
	}
	for up := it.up; up != nil; up = up.up {
		for _, w := range words(up.key) {
			switch {
			case noLengths[w]:
				return false
			case units[w] > 0, w == "size", w == "dimensions", w == "physical", w == "real", w == "extent", w == "area", w == "patch":
				return true
			}
		}
		if up.unit != "" {
			return true
		}
	}
	return false
}

// unitOf is the unit that a key or a value beside it names, 0 for none.
func (f *Facts) unitOf(key []string, it *item) float64 {
	for i := len(key) - 1; i >= 0; i-- {
		if u := units[key[i]]; u > 0 && (len(key) > 1 || len(key[i]) > 2) {
			return u
		}
	}
	for up := it.up; up != nil; up = up.up {
		if u := units[up.unit]; u > 0 {
			return u
		}
		for _, w := range words(up.key) {
			if u := units[w]; u > 0 && (len(words(up.key)) > 1 || len(w) > 2) {
				return u
			}
		}
	}
	return 0
}

func unitIn(text string) bool {
	for _, w := range keyWords.FindAllString(text, -1) {
		if units[strings.ToLower(w)] > 0 {
			return true
		}
	}
	return strings.ContainsAny(text, `"'`)
}

func figure(text string) (float64, bool) {
	v, err := strconv.ParseFloat(strings.Replace(strings.TrimSpace(text), ",", ".", 1), 64)
	return v, err == nil && v > 0
}

// length is a length in metres, 0 if the text is none. Without any unit it is metres.
func length(text string, unit float64) float64 {
	if v, ok := figure(text); ok {
		if unit == 0 {
			unit = 1
		}
		if v *= unit; v < 1000 {
			return v
		}
		return 0
	}
	if v, err := scale.ParseLength(strings.ReplaceAll(text, ",", ".")); err == nil && v > 0 && v < 1000 {
		return v
	}
	return 0
}

// size takes the size of the surface from a value ("1.8 x 1.2 m", "2 m"), a list of two, or a container with
// sides.
func (f *Facts) size(it *item, unit float64) {
	var sides []float64
	switch {
	case len(it.kids) > 0:
		list := it.kids
		if len(it.kids) <= 2 && len(it.kids[0].kids) > 0 {
			list = it.kids[0].kids // the list within, beside its unit
		}
		for _, k := range list {
			switch strings.ToLower(k.key) {
			case "", "x", "y", "w", "h", "u", "v", "0", "1":
				if v := length(k.text, unit); v > 0 {
					sides = append(sides, v)
				}
			}
		}
	default:
		if m := ofTwo.FindStringSubmatch(it.text); m != nil {
			if m[2] == "" {
				m[2] = m[4]
			}
			sides = append(sides, length(m[1]+m[2], unit), length(m[3]+m[4], unit))
		} else if v := length(it.text, unit); v > 0 && (unit > 0 || unitIn(it.text) || v <= 20) {
			sides = append(sides, v)
		}
	}
	switch {
	case len(sides) == 1:
		f.Width = sides[0]
	case len(sides) >= 2 && sides[0] > 0 && sides[1] > 0:
		f.Width, f.Height = sides[0], sides[1]
	}
}

// prose takes a size or a licence from a sentence.
func (f *Facts) prose(text string) {
	if m := spdx.FindStringSubmatch(text + " "); m != nil && f.Licence == "" {
		f.Licence = spdxID(m[1])
	}
	if f.Width > 0 || fileWord.MatchString(text+" ") {
		return
	}
	if e, ok := scale.TextEvidence(text, 1, 1); ok {
		f.Width = e.W
		if e.H != e.W || strings.Contains(strings.ToLower(text), "x") {
			f.Height = e.H
		}
	}
}

// spdxID is a licence's name as SPDX writes it.
func spdxID(s string) string {
	s = strings.ToUpper(strings.ReplaceAll(strings.TrimSpace(s), " ", "-"))
	switch {
	case s == "CC0":
		return "CC0-1.0"
	case s == "PUBLIC-DOMAIN":
		return "CC0-1.0"
	case strings.HasPrefix(s, "CC-BY") && !strings.HasSuffix(s, ".0"):
		return s + "-4.0"
	case strings.HasPrefix(s, "APACHE"):
		return "Apache-2.0"
	}
	return s
}
