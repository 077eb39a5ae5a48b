package handoff

import (
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/normals"
)

// plan is what a handoff holds: its map files, and the surface that its descriptions state.
type plan struct {
	items   []item
	surface surface
	missing []omission
}

// omission is a channel that a profile asks for and that could not be given.
type omission struct {
	Channel material.Channel `json:"channel"`
	Why     string           `json:"why"`
}

// item is one map file of a handoff.
type item struct {
	name   string // file name without folder
	tile   string // UDIM
	marked string // the name with <UDIM> for the tile, as MaterialX and USD name all tiles at once
	word   string // what the name says of its contents
	w, h   int
	parts  []part
	form   conventions
	format Format
	packed string // compression
	level  int    // quality of JPEG
	linear bool   // colours are linear light
	space  string // ACEScg, or "" for Rec. 709
	bits   int
	aux    bool               // made for the descriptions alone
	uses   []*material.Source // what it is made of; the first one decides where there are tiles
}

// part is what one component of a file holds.
type part struct {
	channel material.Channel // none: value everywhere
	of      int              // which component of the channel
	invert  bool
	value   float32          // where there is no channel, or the material has none
	light   bool             // value is linear light; otherwise it is as it is stored
	from    *material.Source // the decisive map; nil for none
}

// conventions are in what form the channels of a file are.
type conventions struct {
	workflow  Workflow
	direction normals.Direction
	height    Height
	baked     bool
}

// planner gathers the files of a handoff.
type planner struct {
	m     Material
	f     Form
	tiled bool
	own   conventions // of the profile
	plan
}

// plan lists the files that a handoff holds.
func (m Material) plan(f Form) plan {
	p := planner{m: m, f: f, tiled: m.tiles()[0] != "", own: conventions{f.Workflow, f.direction(), f.Height, m.baking(f) == Baked}}
	for i := range f.Files {
		p.add(&f.Files[i])
	}
	p.leftOut()
	p.describe()
	if p.tiled {
		p.split()
	}
	return p.plan
}

// leftOut notes the maps that the profile has no file for.
func (p *planner) leftOut() {
	for i := range p.m.Sources {
		s := &p.m.Sources[i]
		held := slices.ContainsFunc(p.items, func(it item) bool {
			return slices.ContainsFunc(it.parts, func(q part) bool { return slices.Contains(p.m.sources(q.channel, it.form.workflow), s) })
		})
		if s.Map != nil && !held && !slices.ContainsFunc(p.missing, func(o omission) bool { return o.Channel == s.Channel }) {
			p.missing = append(p.missing, omission{s.Channel, "the profile has no file for it"})
		}
	}
}

// add plans a profile's file, if the material has a map for it.
func (p *planner) add(f *MapFile) {
	it := item{word: f.word(), form: p.own, format: f.Format, packed: f.Compression, level: f.Quality, linear: f.linear()}
	if f.Colour == ACEScg {
		it.space = ACEScg
	}
	for _, c := range f.Holds {
		if c.Channel == material.Height && p.own.height == HeightMetres && p.m.find(c.Channel) != nil && p.m.Depth <= 0 {
			p.missing = append(p.missing, omission{c.Channel, "the depth is not known"})
			return
		}
		if _, known := p.m.constant(c.Channel); c.Optional && !known && len(p.m.sources(c.Channel, p.own.workflow)) == 0 {
			continue
		}
		it.parts = append(it.parts, p.m.given(p.own.baked).parts(c, p.own.workflow)...)
	}
	p.put(it)
}

// baking is where a form's figures go: into the maps where these are converted to another workflow, as figures
// mean the maps before that.
func (m *Material) baking(f Form) Baking {
	if f.Figures == Beside && (m.specGloss() && f.Workflow == MetalRough || !m.specGloss() && f.Workflow == SpecGloss && m.metal()) {
		return Baked
	}
	return f.Figures
}

// given is the material as files of a form have it: with the figures that are not baked into them left out.
func (m Material) given(baked bool) Material {
	if f, n := m.Figures, material.Neutral(); !baked {
		f.Tint, f.Grade, f.Roughness, f.Metallic, f.NormalStrength = n.Tint, n.Grade, n.Roughness, n.Metallic, n.NormalStrength
		f.Opacity, f.OpacityInvert, f.Cutoff = n.Opacity, n.OpacityInvert, n.Cutoff
		m.Figures = f
	}
	return m
}

// put adds a file, unless nothing of it has a map. It says whether it did.
func (p *planner) put(it item) bool {
	k, _ := it.format.facts()
	it.bits = k.bits
	for i, q := range it.parts {
		list := p.m.sources(q.channel, it.form.workflow)
		if len(list) > 0 {
			it.parts[i].from = list[0]
		}
		for _, s := range list {
			if !slices.Contains(it.uses, s) {
				it.uses = append(it.uses, s)
			}
			if k.bits == 0 {
				it.bits = max(it.bits, 8)
				if s.Map.Bits > 8 {
					it.bits = 16
				}
			}
			if w, h := p.f.size(s.Map.Width, s.Map.Height); w*h > it.w*it.h {
				it.w, it.h = w, h
			}
		}
	}
	if len(it.uses) == 0 {
		return false
	}
	if n := p.m.find(material.Normal); n != nil && slices.ContainsFunc(it.parts, func(q part) bool {
		return q.channel == material.Roughness || q.channel == material.Glossiness || q.channel == roughnessAcross || q.channel == streakStrength
	}) && !slices.Contains(it.uses, n) {
		it.uses = append(it.uses, n) // their spread goes into roughness
	}
	if o := p.m.find(material.Opacity); o != nil && slices.ContainsFunc(it.parts, func(q part) bool { return q.channel == material.BaseColor }) && !slices.Contains(it.uses, o) {
		it.uses = append(it.uses, o) // it weighs colours that are made smaller
	}
	udim := ""
	if p.tiled {
		udim = udimMark
	}
	it.marked = p.f.fileName(&p.m, it.word, udim, it.format.Ending(), it.aux)
	if it.aux {
		for slices.ContainsFunc(p.items, func(o item) bool { return strings.EqualFold(o.marked, it.marked) }) {
			it.word += "-described"
			it.marked = p.f.fileName(&p.m, it.word, udim, it.format.Ending(), it.aux)
		}
	}
	it.name = it.marked
	p.items = append(p.items, it)
	return true
}

// udimMark stands for the number of a tile.
const udimMark = "<UDIM>"

// parts are the components of a file that a profile's component stands for.
func (m Material) parts(c Component, w Workflow) (out []part) {
	first, n := 0, 1
	switch {
	case c.Part != "":
		first = strings.Index("rgb", c.Part)
	case c.Channel == streakDirection:
		n = 2
	case c.Channel != material.None && !c.Channel.Grey():
		n = 3
	}
	for of := first; of < first+n; of++ {
		q := part{channel: c.Channel, of: of, invert: c.Invert}
		if c.Channel == streakDirection {
			q.value = [3]float32{1, 0.5}[of]
		} else if _, known := m.constant(c.Channel); c.Value != nil && !known { // what the material states goes before a stand-in
			q.value = float32(*c.Value)
		} else {
			q.value, q.light = m.absent(c.Channel, of, w), c.Channel.Colour()
		}
		out = append(out, q)
	}
	return out
}

// absent is what stands for a channel without a map in a workflow: the material's value, or what leaves the
// surface as it is. Colours in linear light.
func (m Material) absent(c material.Channel, of int, w Workflow) float32 {
	switch gloss := m.specGloss(); {
	case gloss && w == MetalRough && (c == material.BaseColor || c == material.Metallic):
		base, metallic := m.converted()
		if c == material.Metallic {
			return float32(metallic)
		}
		return float32(base[of])
	case !gloss && w == SpecGloss && (c == material.BaseColor || c == material.Specular):
		diffuse, specular := m.reflecting()
		if c == material.Specular {
			return float32(specular[of])
		}
		return float32(diffuse[of])
	}
	switch c {
	case material.Roughness, material.Glossiness:
		v, ok := m.evenRoughness()
		if !ok {
			v = material.UnknownRoughness
		}
		if c == material.Glossiness {
			v = 1 - v
		}
		return float32(v)
	case roughnessAcross, streakStrength:
		rough, _ := m.value(material.Roughness)
		share, _ := m.value(material.Anisotropy)
		across, strength := gltfStreaks(rough[0], m.Figures.Anisotropy*share[0])
		if c == roughnessAcross {
			return float32(across)
		}
		return float32(strength)
	case material.Normal:
		return [3]float32{0.5, 0.5, 1}[of]
	case material.Height:
		return float32(m.Zero)
	}
	if v, ok := m.constant(c); ok {
		return float32(v[of])
	}
	switch c {
	case material.BaseColor:
		return material.UnknownColor
	case material.Occlusion, material.Opacity, material.Mask, material.Transmission, material.Coat, material.Sheen, material.Anisotropy:
		return 1
	case material.Specular:
		return float32(m.reflectance())
	}
	return 0
}

// reflectance of the material straight on, where it is no metal.
func (m *Material) reflectance() float64 { return material.Reflectance(m.Figures.Index) }

// sources are the maps that a channel is made of in a workflow, the decisive one first; nil if
// there is none.
func (m *Material) sources(c material.Channel, w Workflow) []*material.Source {
	if c == material.None {
		return nil
	}
	gloss := m.specGloss()
	switch {
	case c == streakDirection:
		return nil
	case c == streakStrength || c == roughnessAcross:
		return present(m.rough(), m.find(material.Anisotropy))
	case c == material.Roughness || c == material.Glossiness:
		return present(m.rough())
	case gloss && w == MetalRough && (c == material.BaseColor || c == material.Metallic):
		return present(m.find(material.BaseColor), m.find(material.Specular))
	case gloss && w == MetalRough && c == material.Specular:
		return nil
	case !gloss && w == SpecGloss && c == material.BaseColor && m.metal():
		return present(m.find(material.BaseColor), m.find(material.Metallic))
	case !gloss && w == SpecGloss && c == material.Specular && m.metal():
		return present(m.find(material.BaseColor), m.find(material.Metallic), m.find(material.Specular))
	case !gloss && w == SpecGloss && c == material.Metallic:
		return nil
	}
	return present(m.find(c))
}

// metal says whether any of the surface is metal.
func (m *Material) metal() bool {
	if m.find(material.Metallic) != nil {
		return m.Figures.Metallic > 0
	}
	v, ok := m.constant(material.Metallic)
	return ok && v[0] > 0
}

// tiles are the numbers of the UDIM tiles that any map has; one without a number if
// there are none.
func (m *Material) tiles() []string {
	var out []string
	for _, s := range m.Sources {
		if s.Map == nil {
			continue
		}
		for _, t := range s.Map.Tiles {
			if !slices.Contains(out, t.UDIM) {
				out = append(out, t.UDIM)
			}
		}
	}
	if out == nil {
		return []string{""}
	}
	slices.Sort(out)
	return out
}

// split makes of each file one a tile that its decisive map has.
func (p *planner) split() {
	var out []item
	for _, it := range p.items {
		for _, t := range p.m.tiles() {
			one := it
			one.name, one.tile = strings.Replace(it.marked, udimMark, t, 1), t
			one.uses = slices.DeleteFunc(slices.Clone(it.uses), func(s *material.Source) bool { return !s.Map.HasTile(t) })
			if len(one.uses) > 0 && one.uses[0] == it.uses[0] {
				out = append(out, one)
			}
		}
	}
	p.items = out
}

// holds says whether the parts of a file from one on are a channel's, all of them.
func (it *item) holds(c material.Channel, at int) (inverted, ok bool) {
	want := 3
	if c.Grey() {
		want = 1
	}
	if at+want > len(it.parts) || want == 3 && at > 0 {
		return false, false
	}
	for k := range want {
		q := it.parts[at+k]
		switch {
		case q.channel == c && q.of == k && !q.invert:
		case want == 1 && opposite(q.channel, c) && !q.invert, want == 1 && q.channel == c && q.invert:
			inverted = true
		case want == 1 && opposite(q.channel, c) && q.invert:
		default:
			return false, false
		}
	}
	return inverted, true
}

// opposite says whether one channel is the other inverted.
func opposite(a, b material.Channel) bool {
	return a == material.Roughness && b == material.Glossiness || a == material.Glossiness && b == material.Roughness
}

// meets says whether a file's channel c is in the conventions of the descriptions: metal-rough,
// Y+, with figures baked.
func (p *planner) meets(it *item, c material.Channel) bool {
	gloss := p.m.specGloss()
	switch c {
	case material.BaseColor, material.Metallic:
		if gloss && it.form.workflow != MetalRough || !gloss && it.form.workflow == SpecGloss && p.m.metal() {
			return false
		}
	case material.Specular:
		if !gloss && it.form.workflow == SpecGloss && p.m.metal() { // of the metal, too
			return false
		}
	case material.Normal:
		if n := p.m.find(material.Normal); n != nil && n.Map.Direction != normals.Unknown && it.form.direction != normals.Up {
			return false
		}
	}
	return it.form.baked || !p.m.changes(c)
}

// changes says whether the material's figures change a channel's map.
func (m *Material) changes(c material.Channel) bool {
	f := m.Figures
	switch c {
	case material.BaseColor:
		return f.Recolours()
	case material.Roughness, material.Glossiness:
		return f.Roughness != [2]float64{0, 1}
	case material.Metallic:
		return f.Metallic != 1
	case material.Normal:
		return f.NormalStrength != 1 || f.NormalFlip
	case material.Opacity:
		return f.Opacity != 1 || f.OpacityInvert || f.Cutoff > 0
	}
	return false
}

// describedForm are the conventions that the descriptions know.
var describedForm = conventions{MetalRough, normals.Up, HeightRange, true}

// wanted is a channel that a description reads, in one of some formats.
type wanted struct {
	channel material.Channel
	formats []Format
	wide    bool // it has a name for ACEScg
}

// reading finds the file that a description reads a channel from: the profile's own one, one
// that holds it beside others, or one that is made for this. ok is false if the channel has no
// map.
func (p *planner) reading(w wanted) (it *item, at int, inverted, ok bool) {
	c := w.channel
	usable := func(it *item) bool {
		return slices.Contains(w.formats, it.format) && p.meets(it, c) && !(c.Colour() && it.linear && !it.format.Float()) && (it.space == "" || w.wide)
	}
	for _, round := range []func(*item) bool{
		func(it *item) bool { return !it.aux && len(it.parts) <= 3 && it.alone() },
		func(it *item) bool { return !it.aux },
		func(it *item) bool { return true },
	} {
		for i := range p.items {
			it := &p.items[i]
			if !round(it) || !usable(it) {
				continue
			}
			for at := range it.parts {
				if inverted, ok := it.holds(c, at); ok {
					return it, at, inverted, true
				}
			}
		}
	}
	word := string(c)
	switch {
	case c == material.Normal:
		if p.f.direction() == normals.Down || slices.ContainsFunc(p.items, func(it item) bool { return it.alone() && it.parts[0].channel == c }) {
			word = "normal-yplus"
		}
	case p.m.specGloss() && (c == material.BaseColor || c == material.Metallic):
		word = metalRough + "-" + word
	}
	if !p.put(item{word: word, parts: p.m.parts(Component{Channel: c}, MetalRough), form: describedForm, format: PNG, aux: true}) {
		return nil, 0, false, false
	}
	return &p.items[len(p.items)-1], 0, false, true
}

// alone says whether a file holds one channel.
func (it *item) alone() bool {
	return !slices.ContainsFunc(it.parts, func(q part) bool { return q.channel != it.parts[0].channel })
}

// metalRough begins the names of maps that were converted from spec-gloss.
const metalRough = "metal_rough"

// pictures are the formats that every reader of glTF opens, and usdPictures those of USD (USDZ
// Specification 1.3).
var (
	pictures    = []Format{PNG, PNG8, PNG16, JPEG}
	usdPictures = append([]Format{EXRHalf, EXRFloat}, pictures...)
)

// Planned is a file that a handoff will hold.
type Planned struct {
	Name   string
	W, H   int
	Bits   int
	Float  bool
	Format Format
	Holds  []Held
	Extra  bool  // made for the descriptions alone
	Bytes  int64 // estimated
}

// Held is what one component of a planned file holds; no channel for a value.
type Held struct {
	Channel material.Channel
	Of      int // which component of the channel
	Invert  bool
	Mapped  bool // false: the same everywhere
}

// Plan says which map files a handoff will hold, which channels are left out and why, and what its descriptions
// have no place for.
func (m Material) Plan(f Form) (files []Planned, missing map[material.Channel]string, losses []Loss) {
	p := m.plan(f)
	for _, it := range p.items {
		k := Planned{Name: it.name, W: it.w, H: it.h, Bits: it.bits, Float: it.format.Float(), Format: it.format, Extra: it.aux, Bytes: it.estimate()}
		for _, q := range it.parts {
			k.Holds = append(k.Holds, Held{q.channel, q.of, q.invert, q.from != nil})
		}
		files = append(files, k)
	}
	missing = map[material.Channel]string{}
	for _, o := range p.missing {
		missing[o.Channel] = o.Why
	}
	return files, missing, m.losses(f)
}
