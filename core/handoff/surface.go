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
	metals              bool             // some of it is metal
	materialx, preview  []input          // for MaterialX and for USD's preview surface; metal-rough, in the order of described
	figures             material.Figures // those that no map and no input says
	gltfMaps            gltfMaps
}

// gltfMaps are the files that glTF reads, "" for none. Of maps in UDIM tiles it reads the first.
type gltfMaps struct {
	base         string // base colour; with the opacity in its alpha where cut is set
	cut          bool
	alpha        bool   // the one value of opacity is in the alpha of base
	packed       string // roughness in green and metallic in blue
	occluded     string // occlusion in red
	normal       string
	emissive     string
	specular     string
	transmission string
	coat         string
	sheen        string
	streaks      string // direction and strength of anisotropy; packed has the roughness across then
}

// all are the files that there are.
func (g gltfMaps) all() []string {
	return []string{g.base, g.packed, g.occluded, g.normal, g.emissive, g.specular, g.transmission, g.coat, g.sheen, g.streaks}
}

// described are the channels of a description, in the order in which formats list them.
var described = []material.Channel{material.BaseColor, material.Roughness, material.Metallic, material.Normal, material.Occlusion, material.Opacity, material.Emissive, material.Height,
	material.Specular, material.Transmission, material.Coat, material.Sheen, material.Anisotropy}

// input is one channel of a surface: a map, or one value.
type input struct {
	channel     material.Channel
	file        string     // relative name of its map, with a mark for the tile; "" for a value
	at, of      int        // which component of the file it begins with, and how many there are
	linear      bool       // the file holds linear light or data; other colours are sRGB
	space       string     // ACEScg, or "" for the primaries of Rec. 709
	inverted    bool       // the map holds the opposite
	factor      [3]float64 // what the map is multiplied by, in linear light; data by the first
	value       [3]float64 // in linear light, where there is no map; data in the first. The factor is in it.
	scale, bias float64    // of heights: metres are the file's values times scale plus bias
}

// colour says whether an input has three components of colour.
func (k input) colour() bool { return k.channel.Colour() }

// whole says whether the map is meant as it is.
func (k input) whole() bool { return k.factor == [3]float64{1, 1, 1} }

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
	p.surface = surface{name: m.Name, slug: m.Slug, licence: m.Licence, number: m.Number, size: m.Size, extent: m.Extent(), uv: p.f.UV, depth: m.Depth, metals: m.metal(), figures: m.Figures}
	if p.f.has(GLTF) || p.f.has(GLB) {
		p.describeGLTF()
	}
	if p.f.has(MaterialX) {
		p.surface.materialx = p.inputs(Formats(), true)
	}
	if p.f.has(USD) || p.f.has(GLTF) || p.f.has(GLB) {
		formats := usdPictures
		if !p.f.has(USD) {
			formats = nil // values alone
		}
		p.surface.preview = p.inputs(formats, false)
	}
}

// inputs are the channels of a description that reads some formats, and ACEScg if it has a name for that. Without
// formats they have no files.
func (p *planner) inputs(formats []Format, wide bool) (out []input) {
	m := &p.m
	for _, c := range described {
		factor := m.factor(c)
		if factor == ([3]float64{}) {
			continue
		}
		if len(m.sources(c, MetalRough)) == 0 {
			if v, ok := m.value(c); ok {
				for i := range v {
					v[i] *= factor[i]
				}
				out = append(out, input{channel: c, value: v})
			}
			continue
		}
		if c == material.Height && m.Depth <= 0 {
			continue // nothing to say in metres
		}
		k := input{channel: c, file: "?", factor: factor}
		if formats != nil {
			it, at, inverted, ok := p.reading(wanted{c, formats, wide})
			if !ok {
				continue
			}
			k.file, k.at, k.of, k.inverted, k.linear = "maps/"+it.marked, at, len(it.parts), inverted, it.linear || !c.Colour()
			k.space = it.space
			if c == material.Emissive {
				k.times(m.strength())
			}
			if c == material.Height {
				k.scale, k.bias = m.heights(it.form.height)
			}
		} else if c == material.Emissive {
			k.times(m.strength())
		}
		out = append(out, k)
	}
	return out
}

func (k *input) times(v float64) {
	for i := range k.factor {
		k.factor[i] *= v
	}
}

// factor is what a channel's map or value is multiplied by; zero where the material does not use it.
func (m *Material) factor(c material.Channel) [3]float64 {
	f := m.Figures
	grey := func(v float64) [3]float64 { return [3]float64{v, v, v} }
	switch c {
	case material.Emissive:
		if l := f.Emission.Luminance; l > 0 {
			light := f.Emission.Light()
			return [3]float64{light[0] * l, light[1] * l, light[2] * l}
		}
	case material.Transmission:
		return grey(f.Transmission.Share)
	case material.Coat:
		return grey(f.Coat.Share)
	case material.Sheen:
		k := f.Sheen
		return [3]float64{k.Share * k.Color[0], k.Share * k.Color[1], k.Share * k.Color[2]}
	case material.Anisotropy:
		return grey(f.Anisotropy)
	}
	return grey(1)
}

// value is what a channel without a map has everywhere; ok is false if descriptions need not name it. What
// nothing is known of has the value that pictures show.
func (m *Material) value(c material.Channel) (v [3]float64, ok bool) {
	switch c {
	case material.Normal, material.Height:
		return v, false
	case material.Roughness:
		if v[0], ok = m.evenRoughness(); !ok {
			v[0] = material.UnknownRoughness
		}
		return v, true
	case material.BaseColor, material.Metallic, material.Specular:
		if m.specGloss() {
			base, metallic := m.converted()
			if c == material.Metallic {
				base[0] = metallic
			}
			return base, c != material.Specular
		}
	}
	if v, ok = m.constant(c); ok {
		return v, true
	}
	switch c {
	case material.BaseColor:
		return [3]float64{material.UnknownColor, material.UnknownColor, material.UnknownColor}, true
	case material.Emissive:
		return [3]float64{1, 1, 1}, m.Figures.Emission.Luminance > 0
	case material.Transmission, material.Coat, material.Sheen, material.Anisotropy:
		return [3]float64{1, 1, 1}, true
	}
	return v, false
}

// describeGLTF finds the files that glTF reads, and adds those that are missing.
func (p *planner) describeGLTF() {
	m, g := &p.m, &p.surface.gltfMaps
	has := func(c material.Channel) bool { return len(m.sources(c, MetalRough)) > 0 }
	if has(material.BaseColor) || has(material.Opacity) {
		if g.cut = has(material.Opacity); g.cut {
			if g.base = p.holding(true, map[int]material.Channel{0: material.BaseColor, 3: material.Opacity}); g.base == "" {
				g.base = p.made("base_color-opacity", material.BaseColor, material.Opacity)
			}
		} else if it, at, _, ok := p.reading(wanted{material.BaseColor, pictures, false}); ok && at == 0 {
			g.base, g.alpha = p.firstTile(it), len(it.parts) == 4 && it.parts[3].channel == material.Opacity
			if g.alpha && !p.meets(it, material.Opacity) { // glTF reads that alpha
				g.base, g.alpha = p.made("base_color-opaque", material.BaseColor), false
			}
		}
	}
	streaked := m.streaked()
	if streaked {
		g.streaks = p.made("anisotropy-direction", streakDirection, streakStrength)
		g.packed = p.made("roughness_across-metallic", material.Occlusion, roughnessAcross, material.Metallic)
		if has(material.Occlusion) {
			g.occluded = g.packed
		}
	} else if has(material.Roughness) || has(material.Metallic) || has(material.Occlusion) {
		p.packGLTF(has)
	}
	for _, k := range []struct {
		c  material.Channel
		to *string
	}{{material.Normal, &g.normal}, {material.Emissive, &g.emissive}, {material.Specular, &g.specular}, {material.Transmission, &g.transmission}, {material.Coat, &g.coat}, {material.Sheen, &g.sheen}} {
		if !has(k.c) || m.factor(k.c) == ([3]float64{}) {
			continue
		}
		if *k.to = p.holding(false, map[int]material.Channel{0: k.c}); *k.to == "" {
			if it, at, _, ok := p.reading(wanted{k.c, pictures, false}); ok && at == 0 {
				*k.to = p.firstTile(it)
			} else if ok {
				*k.to = p.made(string(k.c)+"-red", k.c)
			}
		}
	}
}

// packGLTF finds or makes the file of occlusion, roughness and metallic.
func (p *planner) packGLTF(has func(material.Channel) bool) {
	g := &p.surface.gltfMaps
	g.packed = p.holding(false, map[int]material.Channel{1: material.Roughness, 2: material.Metallic})
	if has(material.Occlusion) {
		g.occluded = p.holding(false, map[int]material.Channel{0: material.Occlusion})
	}
	whole := p.holding(false, map[int]material.Channel{0: material.Occlusion, 1: material.Roughness, 2: material.Metallic})
	if whole == "" && (g.packed == "" || has(material.Occlusion) && g.occluded == "") {
		whole = p.made("occlusion-roughness-metallic", material.Occlusion, material.Roughness, material.Metallic)
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

// holding is a file that holds channels from given components on, as glTF reads them; with four, of four
// components. "" if there is none.
func (p *planner) holding(four bool, want map[int]material.Channel) string {
	for i := range p.items {
		it := &p.items[i]
		fits := slices.Contains(pictures, it.format) && (!four || len(it.parts) == 4)
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

// made adds a file of some channels that glTF alone reads; "" if none of them has a map.
func (p *planner) made(word string, holds ...material.Channel) string {
	it := item{word: word, form: describedForm, format: PNG8, aux: true}
	for _, c := range holds {
		it.parts = append(it.parts, p.m.parts(Component{Channel: c}, MetalRough)...)
	}
	if !p.put(it) {
		return ""
	}
	return p.firstTile(&p.items[len(p.items)-1])
}

// firstTile is a file's relative name, of its first tile where there are several.
func (p *planner) firstTile(it *item) string {
	return "maps/" + strings.Replace(it.marked, udimMark, p.m.tiles()[0], 1)
}

// gltfReads says whether the glTF description names a file.
func (s *surface) gltfReads(file string) bool {
	return file != "" && slices.Contains(s.gltfMaps.all(), file)
}

// heights say what the stored heights of a form are in metres from the zero level; where the depth is not known,
// in depths.
func (m *Material) heights(form Height) (scale, bias float64) {
	depth := m.Depth
	if depth <= 0 {
		depth = 1
	}
	switch form {
	case HeightMetres:
		return 1, 0
	case HeightCentred:
		return 2 * m.reach() * depth, -m.reach() * depth
	}
	return depth, -m.Zero * depth
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
