package handoff

import (
	"bytes"
	"fmt"
	"html/template"
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
	var b bytes.Buffer
	if err := sheetPage.Execute(&b, s); err != nil {
		panic(fmt.Sprintf("handoff: settings sheet of %q: %v", m.Name, err)) // only text: cannot fail
	}
	return b.Bytes()
}

// sheetRow says what a file holds and how it is set up.
func (m Material) sheetRow(it *item) sheetRow {
	row := sheetRow{File: "maps/" + it.name, Kind: "data"}
	if it.srgb() {
		row.Kind = "colour: sRGB"
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

var sheetPage = template.Must(template.New("sheet").Parse(`<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{.Name}}: settings</title><meta name="viewport" content="width=device-width">
<style>body{font:16px/1.5 system-ui,sans-serif;max-width:60em;margin:2em auto;padding:0 1em;color:#222;background:#fff}table{border-collapse:collapse;width:100%;margin:.5em 0 1.5em}th,td{text-align:left;padding:.35em .8em .35em 0;border-bottom:1px solid #ccc;vertical-align:top}th{font-weight:600}code{font-size:.9em}h1{font-size:1.4em;margin:0}h2{font-size:1.05em;margin:1.5em 0 0}p{margin:.3em 0}</style></head>
<body><h1>{{.Name}}</h1><p>Release {{.Release}}.{{with .Licence}} Licence {{.}}.{{end}}{{with .Author}} By {{.}}.{{end}}</p>
<p>{{if .Size}}One repeat measures {{.Size}}: over UVs in metres, maps repeat {{.Repeat}} in a metre.{{else}}The size is not known.{{end}}</p>
{{if .Rows}}<h2>Maps</h2><p>Data are read without any conversion of colour.</p><table><tr><th>File</th><th>Holds</th><th>Read as</th><th>Means</th></tr>{{range .Rows}}<tr><td><code>{{.File}}</code></td><td>{{.Holds}}</td><td>{{.Kind}}</td><td>{{.Means}}</td></tr>{{end}}</table>{{end}}
{{if .Values}}<h2>The same everywhere</h2><table><tr><th>Channel</th><th>Value</th></tr>{{range .Values}}<tr><td>{{.Holds}}</td><td>{{.Means}}</td></tr>{{end}}</table>{{end}}
{{if .Missing}}<h2>Left out</h2>{{range .Missing}}<p>{{.}}</p>{{end}}{{end}}
{{if .Lost}}<h2>What descriptions have no place for</h2>{{range .Lost}}<p>{{.}}</p>{{end}}<p>material.json has all of it.</p>{{end}}
</body></html>
`))
