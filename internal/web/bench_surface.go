package web

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/internal/library/materials"
)

// figureRow is one line of the ledger's Surface section.
type figureRow struct {
	Name  string
	Parts []figurePart
	Reset string // the figure that "put back" puts back; "" where it is as it came
	More  bool   // belongs behind "More figures"
}

// figurePart is a word, or a figure that is edited where it stands.
type figurePart struct {
	Text, After string
	Path        string // of the figure, "roughness.0"; "" for a word
	Kind        string // figure, or colour
	Label       string // for those who do not see where it stands
	Offer       bool   // nothing is said yet: it offers to say it
	Reach       reach
}

// reach is how a figure is dragged and stepped: from what it is now, by steps, between two limits. A ratio is
// multiplied instead, by a hundredth a step. By is 0 where a figure can only be typed.
type reach struct {
	Now, By, Least, Most float64
	Ratio                bool
	Unit                 string // m or mm of lengths, which are in metres
}

// lengthReach is that of a length in metres; none while it is not known.
func lengthReach(metres float64, unit string) reach {
	if metres <= 0 {
		return reach{}
	}
	return reach{Now: metres, By: 0.001, Least: 1e-5, Most: 1000, Ratio: true, Unit: unit}
}

// reaches of surface figures that are not shares of 0 to 1, by their paths; limits are those of material's Figures.
var reaches = map[string]reach{
	"normal_strength":       {By: 0.02, Most: 20},
	"grade.slope":           {By: 0.01, Most: 100, Ratio: true},
	"grade.offset":          {By: 0.005, Least: -1, Most: 1},
	"grade.power":           {By: 0.01, Least: 0.01, Most: 100, Ratio: true},
	"grade.saturation":      {By: 0.02, Most: 10},
	"emission.luminance":    {By: 1, Most: 1e9, Ratio: true},
	"emission.temperature":  {By: 50, Least: 1667, Most: 25000},
	"index":                 {By: 0.01, Least: 1, Most: 5},
	"coat.index":            {By: 0.01, Least: 1, Most: 5},
	"transmission.distance": {By: 0.001, Most: 1e6, Ratio: true},
	"anisotropy":            {By: 0.02, Least: -1, Most: 1},
	"anisotropy_angle":      {By: 1, Least: -360, Most: 360},
	"drift.0":               {By: 0.01, Least: -1000, Most: 1000},
	"drift.1":               {By: 0.01, Least: -1000, Most: 1000},
}

func reachOf(path string, now float64) reach {
	r, ok := reaches[path]
	if !ok {
		r = reach{By: 0.01, Most: 1}
	}
	r.Now = now
	return r
}

// surfaceRows say what the surface figures of a material are.
func surfaceRows(m *materials.Material) (rows []figureRow, now string) {
	cur := m.Current()
	f := cur.Shown()
	look := cur.Surface()
	n := material.Neutral()
	data, err := json.Marshal(f)
	if err != nil {
		panic(fmt.Sprintf("web: figures as JSON: %v", err)) // plain values only
	}
	word := func(text string) figurePart { return figurePart{Text: text} }
	figure := func(v float64, path, label string) figurePart {
		return figurePart{Text: strconv.FormatFloat(math.Round(v*1e4)/1e4, 'f', -1, 64), Path: path, Kind: "figure", Label: label, Reach: reachOf(path, v)}
	}
	hex := func(v [3]float64, path, label string) figurePart {
		return figurePart{Text: hexOf(v), Path: path, Kind: "colour", Label: label}
	}
	add := func(name string, same bool, reset string, more bool, parts ...figurePart) {
		if same {
			reset = ""
		}
		rows = append(rows, figureRow{name, parts, reset, more})
	}
	// of is a channel's map, or the one value that it has: shown is what pictures show where nothing is known.
	of := func(c material.Channel, shown float64) (part figurePart, mapped, known bool) {
		s := look.Source(c)
		if s != nil && s.Map != nil {
			return word("from the map"), true, true
		}
		v := [3]float64{shown, shown, shown}
		if s != nil {
			v = s.Value
		}
		name := strings.ReplaceAll(string(c), "_", " ")
		if c.Colour() {
			return hex(v, "constants."+string(c), name), false, s != nil
		}
		return figure(v[0], "constants."+string(c)+".0", name), false, s != nil
	}
	// even is a row of a channel without a map.
	even := func(title string, c material.Channel, part figurePart, known bool, missing string, more ...figurePart) {
		parts := []figurePart{part}
		if !known && missing != "" {
			parts = append(parts, word(missing))
		}
		add(title, !known, "constants."+string(c), false, append(parts, more...)...)
	}
	after := func(p figurePart, text string) figurePart { p.After = text; return p }

	base, mapped, known := of(material.BaseColor, material.UnknownColor)
	parts, back := []figurePart{base}, "tint"
	if mapped {
		parts[0].Text = "as scanned"
	} else if known {
		back = "tint constants.base_color"
	} else {
		parts = append(parts, word("not known"))
	}
	add("Colour", f.Tint == n.Tint && (mapped || !known), back, false, append(parts, word("· tint"), hex(f.Tint, "tint", "tint"))...)
	g := f.Grade
	add("Grade", f.Grade == n.Grade, "grade", true, word("slope"), triple(g.Slope, "grade.slope", "slope"), word("offset"), triple(g.Offset, "grade.offset", "offset"), word("power"), triple(g.Power, "grade.power", "power"), word("saturation"), figure(g.Saturation, "grade.saturation", "saturation"))
	if rough, mapped, known := of(material.Roughness, material.UnknownRoughness); mapped || look.Map(material.Glossiness) != nil {
		add("Roughness", f.Roughness == n.Roughness, "roughness", false, after(figure(f.Roughness[0], "roughness.0", "what a roughness of 0 becomes"), "to"), after(figure(f.Roughness[1], "roughness.1", "what a roughness of 1 becomes"), "from the map"))
	} else {
		even("Roughness", material.Roughness, rough, known, "not known")
	}
	if metal, mapped, known := of(material.Metallic, 0); mapped {
		add("Metal", f.Metallic == n.Metallic, "metallic", false, word("map ×"), figure(f.Metallic, "metallic", "factor on metallic"))
	} else {
		even("Metal", material.Metallic, metal, known, "")
	}
	if k := look.Map(material.Normal); k != nil {
		d := k.Direction
		if f.NormalFlip {
			d = -d
		}
		points := map[normals.Direction]string{normals.Up: "Y+", normals.Down: "Y−"}[d]
		if points == "" {
			points = "direction unknown"
		}
		add("Normals", f.NormalStrength == n.NormalStrength && !f.NormalFlip, "normal_strength normal_flip", false, word(points+", strength"), figure(f.NormalStrength, "normal_strength", "normal strength"), toggle(f.NormalFlip, "normal_flip", "flip", "flipped"))
	} else {
		add("Normals", true, "", false, word("none"))
	}
	if m.Depth > 0 {
		add("Relief", true, "", false, figurePart{Text: fmt.Sprintf("%.1f\u00a0mm", 1000*m.Depth), Path: "depth_m", Kind: "field", Label: "depth", Reach: lengthReach(m.Depth, "mm")}, word(zeroWords(&cur)))
	}
	e := f.Emission
	if e.Luminance == 0 && look.Source(material.Emissive) == nil {
		add("Emission", true, "", false, word("none"), figurePart{Text: "add", Path: "emission.luminance", Kind: "figure", Label: "luminance in cd/m²", Offer: true})
	} else {
		parts := []figurePart{after(figure(e.Luminance, "emission.luminance", "luminance"), "cd/m²")}
		if e.Temperature > 0 {
			parts = append(parts, after(figure(e.Temperature, "emission.temperature", "colour temperature"), "K"))
		} else {
			parts = append(parts, hex(e.Color, "emission.color", "colour of emission"), figurePart{Text: "temperature", Path: "emission.temperature", Kind: "figure", Label: "colour temperature in kelvin", Offer: true})
		}
		parts = append(parts, word("· not a lamp: it lights nothing else"))
		add("Emission", f.Emission == n.Emission, "emission", false, parts...)
	}
	side := toggle(f.TwoSided, "two_sided", "one-sided", "two-sided")
	if opaque, mapped, known := of(material.Opacity, 1); !mapped {
		add("Opacity", !known && !f.TwoSided, "constants.opacity two_sided", false, opaque, word("·"), side)
	} else {
		cut := "blended"
		if f.Cutoff > 0 {
			cut = "cut at"
		}
		add("Opacity", f.Opacity == n.Opacity && !f.OpacityInvert && f.Cutoff == 0 && !f.TwoSided, "opacity opacity_invert cutoff two_sided", false, word("×"), figure(f.Opacity, "opacity", "opacity"), toggle(f.OpacityInvert, "opacity_invert", "invert", "inverted"), word("· "+cut), figure(f.Cutoff, "cutoff", "cut-off"), word("·"), side)
	}
	add("Diffuse roughness", f.DiffuseRoughness == n.DiffuseRoughness, "diffuse_roughness", true, figure(f.DiffuseRoughness, "diffuse_roughness", "diffuse roughness"))
	add("Index", f.Index == n.Index, "index", true, figure(f.Index, "index", "index of refraction"))
	t := f.Transmission
	thin := toggle(t.Thin, "transmission.thin", "thick", "thin sheet")
	parts = []figurePart{figure(t.Share, "transmission.share", "transmission")}
	if t.Share > 0 {
		parts = append(parts, thin, hex(t.Color, "transmission.color", "colour of what goes through"), word("after"), after(figure(t.Distance, "transmission.distance", "distance"), "m"))
	}
	add("Transmission", f.Transmission == n.Transmission, "transmission", true, parts...)
	parts = []figurePart{figure(f.Coat.Share, "coat.share", "coat")}
	if f.Coat.Share > 0 {
		parts = append(parts, word("roughness"), figure(f.Coat.Roughness, "coat.roughness", "roughness of the coat"), word("index"), figure(f.Coat.Index, "coat.index", "index of the coat"), hex(f.Coat.Color, "coat.color", "colour of the coat"))
	}
	add("Coat", f.Coat == n.Coat, "coat", true, parts...)
	parts = []figurePart{figure(f.Sheen.Share, "sheen.share", "sheen")}
	if f.Sheen.Share > 0 {
		parts = append(parts, hex(f.Sheen.Color, "sheen.color", "colour of the sheen"), word("roughness"), figure(f.Sheen.Roughness, "sheen.roughness", "roughness of the sheen"))
	}
	add("Sheen", f.Sheen == n.Sheen, "sheen", true, parts...)
	add("Anisotropy", f.Anisotropy == 0 && f.AnisotropyAngle == 0, "anisotropy anisotropy_angle", true, figure(f.Anisotropy, "anisotropy", "anisotropy"), word("at"), after(figure(f.AnisotropyAngle, "anisotropy_angle", "angle"), "°"))
	add("Drift", f.Drift == n.Drift, "drift", true, after(figure(f.Drift[0], "drift.0", "drift to the right"), "m/s right,"), after(figure(f.Drift[1], "drift.1", "drift down"), "m/s down"))
	return rows, string(data)
}

// toggle is a word that a click turns into the other one.
func toggle(on bool, path, off, says string) figurePart {
	offer := !on && (off == "flip" || off == "invert")
	if on {
		off = says
	}
	return figurePart{Text: off, Path: path, Kind: "toggle", Label: says, Offer: offer}
}

// triple is three figures in one: equal ones are written once.
func triple(v [3]float64, path, label string) figurePart {
	text := func(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }
	p := figurePart{Text: text(v[0]), Path: path, Kind: "triple", Label: label, Reach: reachOf(path, v[0])}
	if v[1] != v[0] || v[2] != v[0] {
		p.Text = text(v[0]) + " " + text(v[1]) + " " + text(v[2])
	}
	return p
}

// hexOf is a linear colour as #rrggbb; beyond white, its components.
func hexOf(v [3]float64) string {
	out := "#"
	for _, c := range v {
		if c > 1 {
			return fmt.Sprintf("%.3g %.3g %.3g", v[0], v[1], v[2])
		}
		out += fmt.Sprintf("%02x", int(colour.Encode(float32(max(c, 0)))*255+0.5))
	}
	return out
}

func zeroWords(m *materials.Material) string {
	p := m.Map(material.Height)
	switch {
	case p == nil:
		return ""
	case p.Zero == nil || *p.Zero == 0:
		return "zero at the lowest point"
	case *p.Zero == 1:
		return "zero at the highest point"
	}
	return fmt.Sprintf("zero at %.2f", *p.Zero)
}
