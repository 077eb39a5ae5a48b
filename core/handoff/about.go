package handoff

import (
	"encoding/json"
	"fmt"
	"path"
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
	Holds    []material.Channel `json:"holds,omitempty"`   // of a packed map: what each component holds
	Width    int                `json:"width,omitempty"`
	Height   int                `json:"height,omitempty"`
	Bits     int                `json:"bits,omitempty"`
	Encoding string             `json:"encoding,omitempty"`
	Bytes    int64              `json:"bytes"`
	SHA256   string             `json:"sha256"`
}

// describe is material.json: everything known, of the files that were made, maps first.
func (m Material) describe(p Profile, items []item, made []File) ([]byte, error) {
	var files []aboutFile
	for i, f := range made {
		about := aboutFile{File: f.Path, Role: "description", Bytes: f.Size, SHA256: f.SHA256}
		switch {
		case i < len(items):
			it := items[i]
			about.Role, about.Channel, about.Width, about.Height, about.Bits, about.Encoding = "map", it.kind, it.w, it.h, it.bits, "linear"
			if it.srgb {
				about.Encoding = "srgb"
			}
			if it.kind == material.None && strings.Contains(it.name, "occlusion-roughness-metallic") {
				about.Holds = []material.Channel{material.Occlusion, material.Roughness, material.Metallic}
			}
		case path.Ext(f.Path) == ".txt":
			about.Role = "licence"
		}
		files = append(files, about)
	}
	rough := "roughness"
	if p.Gloss {
		rough = "glossiness"
	}
	uv := "glTF: one repeat; MaterialX and USD: metres"
	if !m.Size.Known() {
		uv = "one repeat; the size is not known"
	}
	direction := p.Direction.String()
	if n := m.find(material.Normal); n != nil && n.Map.Direction == normals.Unknown {
		direction = "unknown" // handed on as it is stored
	}
	format := "png"
	if p.EXR {
		format = "exr"
	}
	about := map[string]any{
		"id": m.ID, "release_id": m.ID, "material_id": m.MaterialID, "name": m.Name, "release": m.Number, "released": m.Released.UTC().Format(time.RFC3339), "notes": m.Notes,
		"size_m": nil, "size_source": m.SizeSource, "depth_m": nil, "tier": strings.ToLower(m.delivered(p.Tier).String()), "format": format, "workflow": m.Workflow(),
		"conventions": map[string]string{"normal": direction, "roughness": rough, "height": "0 lowest, 1 highest, depth_m apart", "uv": uv},
		"read_by":     map[string]string{"gltf": "png", "usd": "png", "materialx": format}, // format of the maps that each description names
		"units":       map[string]string{"size_m": "metres", "depth_m": "metres", "values": "0 to 1; colours in linear light", "emissive_strength": "times the emissive map"},
		"categories":  m.Categories, "tags": m.Tags, "contact_class": m.Contact,
		"licence": m.Licence, "author": m.Author, "rights": m.Rights, "station": m.Station, "captured": m.Captured, "files": files,
		"maps": files[:min(len(items), len(files))],
	}
	if f := m.Figures; f != material.Neutral() {
		about["figures"] = f // surface figures; tint, grade, ranges, strengths and opacity are in the maps already
	}
	values := map[material.Channel]any{}
	for _, c := range material.All() {
		if v, ok := m.constant(c); ok && c.Colour() {
			values[c] = v
		} else if ok {
			values[c] = v[0]
		}
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
		about["depth_m"] = m.Depth
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
