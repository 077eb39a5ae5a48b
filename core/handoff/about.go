package handoff

import (
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"aldermoor/core/material"
	"aldermoor/core/normals"
)

// aboutFile is what material.json says of one file.
type aboutFile struct {
	File     string             `json:"file"`
	Role     string             `json:"role"`              // map, description or licence
	Channel  material.Channel   `json:"channel,omitempty"` // of a map of one channel
	Holds    []material.Channel `json:"holds,omitempty"`   // of a map of several: what each component holds; "" for one value
	Inverted []bool             `json:"inverted,omitempty"`
	UDIM     string             `json:"udim,omitempty"`
	Width    int                `json:"width,omitempty"`
	Height   int                `json:"height,omitempty"`
	Bits     int                `json:"bits,omitempty"`
	Float    bool               `json:"float,omitempty"`
	Encoding string             `json:"encoding,omitempty"` // of colours; data are always linear
	Extra    bool               `json:"extra,omitempty"`    // made for the descriptions alone
	Bytes    int64              `json:"bytes"`
	SHA256   string             `json:"sha256"`
}

// about is what material.json says of a map file.
func (it *item) about() aboutFile {
	a := aboutFile{Role: "map", Width: it.w, Height: it.h, Bits: it.bits, Float: it.format.Float(), UDIM: it.tile, Extra: it.aux, Encoding: "linear"}
	switch {
	case it.srgb():
		a.Encoding = "srgb"
	case it.space != "":
		a.Encoding = it.space
	}
	if it.alone() {
		a.Channel = it.parts[0].channel
	} else {
		for _, q := range it.parts {
			a.Holds = append(a.Holds, q.channel)
		}
	}
	if slices.ContainsFunc(it.parts, func(q part) bool { return q.invert }) {
		for _, q := range it.parts {
			a.Inverted = append(a.Inverted, q.invert)
		}
	}
	return a
}

// describe is material.json: everything known, of the files that were made, maps first.
func (m Material) describe(f Form, p plan, made []File) ([]byte, error) {
	var files []aboutFile
	for i, k := range made {
		about := aboutFile{Role: "description"}
		switch {
		case i < len(p.items):
			about = p.items[i].about()
		case path.Ext(k.Path) == ".txt":
			about.Role = "licence"
		case path.Ext(k.Path) == ".html":
			about.Role = "settings"
		}
		about.File, about.Bytes, about.SHA256 = k.Path, k.Size, k.SHA256
		files = append(files, about)
	}
	workflow := m.Workflow()
	if workflow != "plain" && f.Workflow != AsDelivered {
		workflow = string(f.Workflow)
	}
	rough := "roughness"
	if slices.ContainsFunc(p.items, func(it item) bool {
		return !it.aux && slices.ContainsFunc(it.parts, func(q part) bool { return q.channel == material.Glossiness })
	}) {
		rough = "glossiness"
	}
	uv := map[UV]string{UVUsual: "glTF: one repeat; MaterialX and USD: metres", UVRepeat: "one repeat", UVMetre: "metres"}[f.UV]
	if !m.Size.Known() {
		uv = "one repeat; the size is not known"
	}
	direction := f.Normal
	if n := m.find(material.Normal); n != nil && n.Map.Direction == normals.Unknown {
		direction = "unknown" // handed on as it is stored
	}
	heights := map[Height]string{HeightRange: "0 lowest, 1 highest, depth_m apart; height_zero is the zero level", HeightCentred: "0.5 is the zero level; 0 and 1 are height_scale_m apart", HeightMetres: "metres from the zero level"}[f.Height]
	format := ""
	for _, it := range p.items {
		if e := strings.TrimPrefix(it.format.Ending(), "."); !it.aux && !strings.Contains(format, e) {
			format = strings.TrimPrefix(format+" "+e, " ")
		}
	}
	about := map[string]any{
		"id": m.ID, "release_id": m.ID, "material_id": m.MaterialID, "name": m.Name, "release": m.Number, "released": m.Released.UTC().Format(time.RFC3339), "notes": m.Notes,
		"size_m": nil, "size_source": m.SizeSource, "depth_m": nil, "tier": strings.ToLower(m.delivered(f.Tier).String()), "profile": f.Name, "format": format, "workflow": workflow,
		"conventions": map[string]string{"normal": direction, "roughness": rough, "height": heights, "uv": uv, "figures": string(m.baking(f))},
		"units":       map[string]string{"size_m": "metres", "depth_m": "metres", "values": "0 to 1; colours in linear light", "emissive_strength": "times the emissive map"},
		"categories":  m.Categories, "tags": m.Tags, "contact_class": m.Contact,
		"licence": m.Licence, "author": m.Author, "rights": m.Rights, "station": m.Station, "captured": m.Captured, "files": files,
		"maps": files[:min(len(p.items), len(files))],
	}
	if k := m.Figures; k != material.Neutral() {
		if m.baking(f) == Beside {
			k.NormalFlip = false // a convention: the maps point as conventions say
		}
		about["figures"] = k // conventions say whether the maps have them already
	}
	if len(p.missing) > 0 {
		about["missing"] = p.missing
	}
	if lost := m.losses(f); len(lost) > 0 {
		about["losses"] = lost
	}
	values, given := map[material.Channel]any{}, m.given(m.baking(f) == Baked)
	for _, c := range material.All() {
		if v, ok := given.constant(c); ok && c.Colour() {
			values[c] = v
		} else if ok {
			values[c] = v[0]
		}
	}
	switch none := func(c material.Channel) bool { return len(m.sources(c, f.Workflow)) == 0 }; {
	case workflow == string(SpecGloss) && !m.specGloss():
		delete(values, material.Metallic)
		diffuse, specular := given.reflecting()
		if none(material.Specular) {
			values[material.Specular] = specular
		}
		if _, known := values[material.BaseColor]; none(material.BaseColor) && (known || m.metal()) {
			values[material.BaseColor] = diffuse
		}
	case f.Workflow == MetalRough && m.specGloss():
		delete(values, material.Specular)
		if base, metallic := given.converted(); none(material.BaseColor) {
			values[material.BaseColor], values[material.Metallic] = base, metallic
		}
	}
	standIns := map[material.Channel]any{} // of what nothing is known of: pictures and descriptions show these
	if m.Source(material.BaseColor) == nil {
		standIns[material.BaseColor] = [3]float64{material.UnknownColor, material.UnknownColor, material.UnknownColor}
	}
	if _, known := m.evenRoughness(); !known && m.rough() == nil {
		standIns[material.Roughness] = material.UnknownRoughness
	}
	if len(standIns) > 0 {
		about["stand_ins"] = standIns
	}
	if len(values) > 0 {
		about["values"] = values // of channels that are the same everywhere; colours in linear light
	}
	if k := m.strength(); k > 1 {
		about["emissive_strength"] = k
	}
	if m.Size.Known() {
		about["size_m"] = m.Size
	}
	if m.Depth > 0 {
		about["depth_m"], about["height_zero"] = m.Depth, m.Zero
		if f.Height == HeightCentred {
			about["height_scale_m"], _ = m.heights(HeightCentred)
		}
	}
	return json.MarshalIndent(about, "", "  ")
}

// strength is what an emissive map with light above 1, or a constant above 1, is to be multiplied
// by: maps and colours hold 0..1. It is 1 for others.
func (m Material) strength() float64 {
	if e := m.find(material.Emissive); e != nil && e.Map.Span[1] > 1 {
		return e.Map.Span[1]
	}
	if v, ok := m.constant(material.Emissive); ok {
		return max(1, v[0], v[1], v[2])
	}
	return 1
}

// obligations are what the commonest licences ask of those who use a material.
var obligations = map[string]string{
	"CC0-1.0":      "No rights are reserved: use it for anything, without naming anybody.",
	"CC-BY-4.0":    "Name the author and the licence, link to the licence, and say what you changed.",
	"CC-BY-SA-4.0": "Name the author and the licence, say what you changed, and share what you make of it under the same licence.",
	"CC-BY-NC-4.0": "Name the author and the licence. Commercial use is not allowed.",
	"CC-BY-ND-4.0": "Name the author and the licence. Changed versions may not be shared.",
	"MIT":          "Keep the copyright notice and the licence text with every copy.",
	"Apache-2.0":   "Keep the licence text and notices with every copy, and say what you changed.",
}

// Obligation is what a licence (an SPDX id) asks of those who use a material, in a sentence;
// "" if it is not known here.
func Obligation(licence string) string { return obligations[licence] }

func (m Material) licenceText() []byte {
	var b strings.Builder
	fmt.Fprintf(&b, "%s, release %d\n\n", m.Name, m.Number)
	if m.Licence != "" {
		fmt.Fprintf(&b, "SPDX-License-Identifier: %s\n", m.Licence)
		if !strings.HasPrefix(m.Licence, "LicenseRef-") && !strings.ContainsAny(m.Licence, " ()") {
			fmt.Fprintf(&b, "Text: https://spdx.org/licenses/%s.html\n", m.Licence)
		}
		if o := obligations[m.Licence]; o != "" {
			fmt.Fprintf(&b, "In short: %s\n", o)
		}
	} else {
		b.WriteString("No licence is recorded for this material. Ask the librarian before it leaves the studio.\n")
	}
	if m.Author != "" {
		fmt.Fprintf(&b, "Author: %s\n", m.Author)
		if m.Licence != "" {
			fmt.Fprintf(&b, "Attribution: \"%s\" by %s, %s\n", m.Name, m.Author, m.Licence)
		}
	}
	if m.Rights != "" {
		fmt.Fprintf(&b, "\n%s\n", m.Rights)
	}
	return []byte(b.String())
}
