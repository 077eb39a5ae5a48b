package handoff

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/normals"
)

// This file writes the settings sheet: which file is what, for people who set a material up by hand.

// sheetRow is one map file of the sheet.
type sheetRow struct {
	File, Holds, Kind, Means string
}

// sheet is what the settings sheet says.
type sheet struct {
	Name, Licence, Author string
	Release               int
	Size, Repeat          string
	Rows                  []sheetRow
	Values                []sheetRow
	Missing, Lost         []string
}

// settings is the settings sheet of a handoff: a page of its own, without anything to fetch.
func (m Material) settings(f Form, p plan) []byte {
	s := sheet{Name: m.Name, Licence: m.Licence, Author: m.Author, Release: m.Number}
	if m.Size.Known() {
		s.Size = fmt.Sprintf("%.4g × %.4g m", m.Size.W, m.Size.H)
		s.Repeat = fmt.Sprintf("%.5g times across and %.5g times up", 1/m.Size.W, 1/m.Size.H)
	}
	for i := range p.items {
		if it := &p.items[i]; !it.aux {
			s.Rows = append(s.Rows, m.sheetRow(it))
		}
	}
	given := m.given(m.baking(f) == Baked)
	for _, c := range material.All() {
		v, ok := given.constant(c)
		switch {
		case !ok:
		case c.Colour():
			s.Values = append(s.Values, sheetRow{Holds: words(string(c)), Means: fmt.Sprintf("%s, %s, %s in linear light", num(v[0]), num(v[1]), num(v[2]))})
		default:
			s.Values = append(s.Values, sheetRow{Holds: words(string(c)), Means: num(v[0])})
		}
	}
	for _, o := range p.missing {
		s.Missing = append(s.Missing, words(string(o.Channel))+": "+o.Why)
	}
	for _, l := range m.losses(f) {
		if name := map[Description]string{MaterialX: "MaterialX", GLTF: "glTF", GLB: "GLB", USD: "USD"}[l.Description] + ": " + l.Name(); !slices.Contains(s.Lost, name) {
			s.Lost = append(s.Lost, name)
		}
	}
	return s.page()
}

// sheetRow says what a file holds and how it is set up.
func (m Material) sheetRow(it *item) sheetRow {
	row := sheetRow{File: "maps/" + it.name, Kind: "data"}
	if it.srgb() {
		row.Kind = "colour: sRGB"
	} else if it.space == ACEScg {
		row.Kind = "colour: linear light (ACEScg)"
	} else if it.parts[0].channel.Colour() {
		row.Kind = "colour: linear light (Rec. 709)"
	}
	var holds, means []string
	for k, q := range it.parts {
		name := words(string(q.channel))
		if q.channel == material.None {
			name = "the value " + num(float64(q.value))
		}
		if q.invert {
			name += " inverted"
		}
		if !it.alone() {
			if k > 0 && q.channel == it.parts[k-1].channel && q.channel != material.None {
				continue
			}
			name = []string{"red", "green", "blue", "alpha"}[k] + " " + name
			if q.channel.Colour() || q.channel == material.Normal {
				name = "colours " + words(string(q.channel))
			}
		} else if k > 0 {
			continue
		}
		holds = append(holds, name)
		if says := m.means(it, q.channel); says != "" && !slices.Contains(means, says) {
			means = append(means, says)
		}
	}
	row.Holds, row.Means = strings.Join(holds, ", "), strings.Join(means, "; ")
	return row
}

// means is what the numbers of a channel in a file mean, where that is a setting.
func (m Material) means(it *item, c material.Channel) string {
	switch c {
	case material.Normal:
		if n := m.find(c); n != nil && n.Map.Direction == normals.Unknown {
			return "direction unknown"
		}
		if it.form.direction == normals.Down {
			return "Y−: green points down"
		}
		return "Y+: green points up"
	case material.Height:
		if it.form.height == HeightMetres {
			return "metres from the zero level"
		}
		scale, bias := m.heights(it.form.height)
		zero := math.Round(-bias/scale*1e4) / 1e4
		if m.Depth <= 0 {
			return fmt.Sprintf("depth unknown, zero level at %s", num(zero))
		}
		return fmt.Sprintf("%s mm from black to white, zero level at %s", num(math.Round(scale*1e6)/1e3), num(zero))
	case material.Glossiness:
		return "1 is smooth"
	case material.Roughness:
		return "1 is rough"
	case material.Emissive:
		k := m.strength()
		if l := m.Figures.Emission.Luminance; l > 0 {
			return fmt.Sprintf("white is %s cd/m²", num(k*l))
		}
		if k > 1 {
			return fmt.Sprintf("times %s", num(k))
		}
	case material.Opacity:
		if m.Figures.Cutoff > 0 {
			return "cut at a half"
		}
		return "blended"
	}
	return ""
}

// words is a channel in words.
func words(id string) string {
	if id == string(material.BaseColor) {
		return "base colour"
	}
	return strings.ReplaceAll(id, "_", " ")
}

// page writes the sheet.
func (s *sheet) page() []byte {
	var b bytes.Buffer
	put := func(format string, text ...string) {
		args := make([]any, len(text))
		for i, t := range text {
			args[i] = escape(t)
		}
		fmt.Fprintf(&b, format, args...)
	}
	put("<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>%s: settings</title><meta name=\"viewport\" content=\"width=device-width\">\n<style>", s.Name)
	b.WriteString(sheetStyle)
	put("</style></head>\n<body><h1>%s</h1>\n<p>Release %s.", s.Name, fmt.Sprint(s.Release))
	if s.Licence != "" {
		put(" Licence %s.", s.Licence)
	}
	if s.Author != "" {
		put(" By %s.", s.Author)
	}
	if s.Size != "" {
		put("</p>\n<p>One repeat measures %s: over UVs in metres, maps repeat %s in a metre.</p>\n", s.Size, s.Repeat)
	} else {
		put("</p>\n<p>The size is not known.</p>\n")
	}
	if len(s.Rows) > 0 {
		put("<h2>Maps</h2><p>Data are read without any conversion of colour.</p>\n<table><tr><th>File</th><th>Holds</th><th>Read as</th><th>Means</th></tr>\n")
		for _, r := range s.Rows {
			put("<tr><td><code>%s</code></td><td>%s</td><td>%s</td><td>%s</td></tr>\n", r.File, r.Holds, r.Kind, r.Means)
		}
		put("</table>\n")
	}
	if len(s.Values) > 0 {
		put("<h2>The same everywhere</h2><table><tr><th>Channel</th><th>Value</th></tr>\n")
		for _, r := range s.Values {
			put("<tr><td>%s</td><td>%s</td></tr>\n", r.Holds, r.Means)
		}
		put("</table>\n")
	}
	list := func(title string, lines []string) {
		if len(lines) > 0 {
			put("<h2>%s</h2>\n", title)
		}
		for _, l := range lines {
			put("<p>%s</p>\n", l)
		}
	}
	list("Left out", s.Missing)
	list("What descriptions have no place for; material.json has it", s.Lost)
	b.WriteString("</body></html>\n")
	return b.Bytes()
}

const sheetStyle = `body{font:16px/1.5 system-ui,sans-serif;max-width:60em;margin:2em auto;padding:0 1em;color:#222;background:#fff}
table{border-collapse:collapse;width:100%;margin:.5em 0 1.5em}th,td{text-align:left;padding:.35em .8em .35em 0;border-bottom:1px solid #ccc;vertical-align:top}
th{font-weight:600}code{font-size:.9em}h1{font-size:1.4em;margin:0}h2{font-size:1.05em;margin:1.5em 0 0}p{margin:.3em 0}`
