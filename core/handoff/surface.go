package handoff

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/scale"
)

// surface is what a handoff's descriptions say of a material, in no format's terms: glTF,
// MaterialX and USD are each written from this alone.
type surface struct {
	name, slug, licence string
	number              int              // of the release
	size                scale.Size       // of one repeat in metres; zero if unknown
	extent              scale.Size       // of the sample geometry in metres
	uv                  UV               // what texture coordinates count
	depth               float64          // of the height map in metres; 0 if unknown
	materialx, preview  []input          // for MaterialX and for USD's preview surface; metal-rough, in the order of described
	strength            float64          // what emission is multiplied by, at least 1
	figures             material.Figures // those that no map and no input says
	gltfMaps            gltfMaps
}

// gltfMaps are the files that glTF reads, "" for none. Of maps in UDIM tiles it reads the first.
type gltfMaps struct {
	base     string // base colour; with the opacity in its alpha where cut is set
	cut      bool
	packed   string // roughness in green and metallic in blue
	occluded string // occlusion in red
	normal   string
	emissive string
}

// described are the channels of a description, in the order in which formats list them.
var described = []material.Channel{material.BaseColor, material.Roughness, material.Metallic, material.Normal, material.Occlusion, material.Opacity, material.Emissive, material.Height}

// input is one channel of a surface: a map, or one value.
type input struct {
	channel     material.Channel
	file        string     // relative name of its map, with a mark for the tile; "" for a value
	at, of      int        // which component of the file it begins with, and how many there are
	linear      bool       // the file holds linear light or data; other colours are sRGB
	inverted    bool       // the map holds the opposite
	value       [3]float64 // in linear light, where there is no map; data in the first
	scale, bias float64    // of heights: metres are the file's values times scale plus bias
}

// colour says whether an input has three components of colour.
func (k input) colour() bool { return k.channel.Colour() }

// find is the input of a channel; nil if the list has none.
func find(list []input, c material.Channel) *input {
	if i := slices.IndexFunc(list, func(k input) bool { return k.channel == c }); i >= 0 {
		return &list[i]
	}
	return nil
}

// describe works out what the profile's descriptions say, and adds the files that only they
// read.
func (p *planner) describe() {
	m := &p.m
	p.surface = surface{name: m.Name, slug: m.Slug, licence: m.Licence, number: m.Number, size: m.Size, extent: m.Extent(), uv: p.f.UV, depth: m.Depth, strength: m.strength(), figures: m.Figures}
	if p.f.has(GLTF) || p.f.has(GLB) {
		p.describeGLTF()
	}
	if p.f.has(MaterialX) {
		p.surface.materialx = p.inputs(Formats())
	}
	if p.f.has(USD) || p.f.has(GLTF) || p.f.has(GLB) {
		formats := usdPictures
		if !p.f.has(USD) {
			formats = nil // values alone
		}
		p.surface.preview = p.inputs(formats)
	}
}

// inputs are the channels of a description that reads some formats. Without formats they have
// no files.
func (p *planner) inputs(formats []Format) (out []input) {
	m := &p.m
	for _, c := range described {
		if len(m.sources(c, MetalRough)) == 0 {
			v, ok := m.constant(c)
			if c == material.Roughness {
				v[0], ok = m.evenRoughness()
			}
			if ok && c != material.Normal && c != material.Occlusion && c != material.Height {
				out = append(out, input{channel: c, value: v})
			}
			continue
		}
		if c == material.Height && m.Depth <= 0 {
			continue // nothing to say in metres
		}
		if formats == nil {
			out = append(out, input{channel: c, file: "?"})
			continue
		}
		it, at, inverted, ok := p.reading(wanted{c, formats})
		if !ok {
			continue
		}
		k := input{channel: c, file: "maps/" + it.marked, at: at, of: len(it.parts), inverted: inverted, linear: it.linear || !c.Colour()}
		if c == material.Height {
			k.scale, k.bias = m.heights(it.form.height)
		}
		out = append(out, k)
	}
	return out
}

// describeGLTF finds the files that glTF reads, and adds those that are missing.
func (p *planner) describeGLTF() {
	m, g := &p.m, &p.surface.gltfMaps
	has := func(c material.Channel) bool { return len(m.sources(c, MetalRough)) > 0 }
	// own is a file that holds channels from given components on, as glTF reads them.
	own := func(sure bool, want map[int]material.Channel) string {
		for i := range p.items {
			it := &p.items[i]
			fits := slices.Contains(pictures, it.format) && (!sure || len(it.parts) == 4)
			for at, c := range want {
				inverted, ok := it.holds(c, at)
				fits = fits && ok && !inverted && p.meets(it, c) && !(c.Colour() && it.linear)
			}
			if fits {
				return p.firstTile(it)
			}
		}
		return ""
	}
	made := func(word string, format Format, holds ...material.Channel) string {
		it := item{word: word, form: describedForm, format: format, aux: true}
		for _, c := range holds {
			it.parts = append(it.parts, m.parts(Component{Channel: c})...)
		}
		if !p.put(it) {
			return ""
		}
		return p.firstTile(&p.items[len(p.items)-1])
	}
	if has(material.BaseColor) {
		if g.cut = has(material.Opacity); g.cut {
			if g.base = own(true, map[int]material.Channel{0: material.BaseColor, 3: material.Opacity}); g.base == "" {
				g.base = made("base_color-opacity", PNG8, material.BaseColor, material.Opacity)
			}
		} else if it, at, _, ok := p.reading(wanted{material.BaseColor, pictures}); ok && at == 0 {
			g.base = p.firstTile(it)
		}
	}
	if has(material.Roughness) || has(material.Metallic) || has(material.Occlusion) {
		g.packed = own(false, map[int]material.Channel{1: material.Roughness, 2: material.Metallic})
		if has(material.Occlusion) {
			g.occluded = own(false, map[int]material.Channel{0: material.Occlusion})
		}
		whole := own(false, map[int]material.Channel{0: material.Occlusion, 1: material.Roughness, 2: material.Metallic})
		if whole == "" && (g.packed == "" || has(material.Occlusion) && g.occluded == "") {
			whole = made("occlusion-roughness-metallic", PNG8, material.Occlusion, material.Roughness, material.Metallic)
		}
		if whole != "" {
			g.packed = whole
			if has(material.Occlusion) {
				g.occluded = whole
			}
		}
		if !has(material.Roughness) && !has(material.Metallic) {
			g.packed = ""
		}
	}
	for _, c := range []material.Channel{material.Normal, material.Emissive} {
		if !has(c) {
			continue
		}
		to := &g.normal
		if c == material.Emissive {
			to = &g.emissive
		}
		if *to = own(false, map[int]material.Channel{0: c}); *to == "" {
			if it, _, _, ok := p.reading(wanted{c, pictures}); ok {
				*to = p.firstTile(it)
			}
		}
	}
}

// firstTile is a file's relative name, of its first tile where there are several.
func (p *planner) firstTile(it *item) string {
	return "maps/" + strings.Replace(it.marked, udimMark, p.m.tiles()[0], 1)
}

// gltfReads says whether the glTF description names a file.
func (s *surface) gltfReads(file string) bool {
	g := s.gltfMaps
	return slices.Contains([]string{g.base, g.packed, g.occluded, g.normal, g.emissive}, file)
}

// heights say what the stored heights of a form are in metres from the zero level.
func (m *Material) heights(form Height) (scale, bias float64) {
	switch form {
	case HeightMetres:
		return 1, 0
	case HeightCentred:
		return 2 * m.reach() * m.Depth, -m.reach() * m.Depth
	}
	return m.Depth, -m.Zero * m.Depth
}

// reach is how far heights go from the zero level, as a share of the depth.
func (m *Material) reach() float64 { return max(m.Zero, 1-m.Zero) }

// drifts says whether the maps slide over the surface.
func (s surface) drifts() bool { return s.figures.Drift != [2]float64{} }

// drift is how far the maps slide in a second, to the right and upwards: in metres, or in
// repeats (of a metre where the size is not known).
func (s surface) drift(metres bool) (right, up float64) {
	right, up = s.figures.Drift[0], -s.figures.Drift[1]
	if !metres && s.size.Known() {
		right, up = right/s.size.W, up/s.size.H
	}
	return right, up
}

// scaleText says how large a repeat is and what UVs count.
func (s surface) scaleText() string {
	switch {
	case !s.size.Known():
		return "The size is not known; UVs count repeats."
	case s.uv == UVRepeat:
		return fmt.Sprintf("One repeat is %s x %s m; UVs count repeats.", num(s.size.W), num(s.size.H))
	}
	return fmt.Sprintf("One repeat is %s x %s m; UVs are metres.", num(s.size.W), num(s.size.H))
}

// num is a figure with six decimals at most, as all three formats write it.
func num(v float64) string {
	return fmt.Sprintf("%g", math.Round(v*1e6)/1e6)
}

// identifier makes a name that XML and USD take.
func identifier(s string) string {
	out := strings.Map(func(r rune) rune {
		if r == '_' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' {
			return r
		}
		return '_'
	}, s)
	if out == "" || out[0] >= '0' && out[0] <= '9' {
		out = "m_" + out
	}
	return out
}
