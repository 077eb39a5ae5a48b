package handoff

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
)

// surface is what a handoff's descriptions say of a material, in no format's terms: glTF,
// MaterialX and USD are each written from this alone.
type surface struct {
	name, slug, licence string
	number              int              // of the release
	size                scale.Size       // of one repeat in metres; zero if unknown
	extent              scale.Size       // of the sample geometry in metres
	depth               float64          // of the height map in metres; 0 if unknown
	inputs              []input          // metal-rough, in the order of described
	strength            float64          // what emission is multiplied by, at least 1
	packed              string           // PNG with occlusion, roughness and metallic in R, G and B; "" if none has a map
	figures             material.Figures // those that no map and no input says
	cutout              string           // PNG of base colour with opacity in its alpha; "" without both maps
}

// described are the channels of a description, in the order in which formats list them.
var described = []material.Channel{material.BaseColor, material.Roughness, material.Metallic, material.Normal, material.Occlusion, material.Opacity, material.Emissive, material.Height}

// input is one channel of a surface: a map, or one value.
type input struct {
	channel  material.Channel
	file     string     // relative name of its map in the profile's format; "" for a value
	png      string     // the same as PNG, for readers that can't open the profile's format
	first    string     // the first UDIM tile of png, for readers that know no tiles
	linear   bool       // file holds linear light or data; colours in png are sRGB
	inverted bool       // the map holds glossiness
	value    [3]float64 // in linear light, where there is no map; data in the first
}

// colour says whether an input has three components of colour.
func (k input) colour() bool { return k.channel.Colour() }

// mapped says whether an input is there and has a map.
func (k *input) mapped() bool { return k != nil && k.file != "" }

// find is the input of a channel; nil if the surface has none.
func (s *surface) find(c material.Channel) *input {
	if i := slices.IndexFunc(s.inputs, func(k input) bool { return k.channel == c }); i >= 0 {
		return &s.inputs[i]
	}
	return nil
}

// surface describes a material in a profile's form.
func (m Material) surface(p Profile) surface {
	s := surface{name: m.Name, slug: m.Slug, licence: m.Licence, number: m.Number, size: m.Size, extent: m.Extent(), depth: m.Depth, strength: m.strength(), figures: m.Figures}
	base, _ := m.specGloss()
	add := func(c material.Channel, suffix string, asPNG bool) *input {
		k := input{channel: c, png: m.file(Profile{}, suffix), first: m.png(suffix), linear: !c.Colour()}
		k.file = k.png
		if !asPNG {
			k.file, k.linear = m.file(p, suffix), !c.Colour() || p.EXR
		}
		s.inputs = append(s.inputs, k)
		return &s.inputs[len(s.inputs)-1]
	}
	for _, c := range described {
		from := m.find(c)
		if c == material.Roughness {
			from = m.rough()
		}
		switch {
		case c == material.Metallic && base != nil, c == material.BaseColor && base != nil:
			add(c, metalRough+"-"+string(c), true)
		case from == nil:
			v, ok := m.constant(c)
			if c == material.Roughness {
				v[0], ok = m.evenRoughness()
			}
			if ok && c != material.Normal && c != material.Occlusion && c != material.Height {
				s.inputs = append(s.inputs, input{channel: c, value: v})
			}
		case c == material.Normal && p.Direction == normals.Down:
			add(c, "normal-yplus", true)
		case c == material.Normal && p.EXR: // its PNG has a name of its own
			k := add(c, "normal-yplus", true)
			k.file = m.file(p, "normal")
		case c == material.Roughness && p.Gloss:
			add(c, "glossiness", false).inverted = true
		case c == material.Height && m.Depth <= 0: // nothing to say in metres
		default:
			add(c, string(c), false)
		}
	}
	if firstOf(m.rough(), m.find(material.Metallic), m.find(material.Occlusion)) != nil {
		s.packed = m.png("occlusion-roughness-metallic")
	}
	if m.find(material.Opacity) != nil && m.find(material.BaseColor) != nil {
		s.cutout = m.png("base_color-opacity")
	}
	return s
}

// png is the relative name of a map that is PNG whatever the profile; of maps in UDIM tiles
// the first one, as glTF knows no others.
func (m Material) png(suffix string) string {
	if t := m.tiles()[0]; t != "" {
		suffix += "." + t
	}
	return "maps/" + m.Slug + "-" + suffix + ".png"
}

// file is the relative name of a map in the profile's format, with the mark for all
// UDIM tiles that MaterialX and USD know.
func (m Material) file(p Profile, suffix string) string {
	if m.tiles()[0] != "" {
		suffix += ".<UDIM>"
	}
	return "maps/" + m.Slug + "-" + suffix + p.ending()
}

// scaleText says how large a repeat is and what UVs count.
func (s surface) scaleText() string {
	if !s.size.Known() {
		return "The size is not known; UVs count repeats."
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
