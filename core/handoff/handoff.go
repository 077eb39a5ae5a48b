// Package handoff makes what leaves the studio's library: a zip with maps at a
// chosen tier and in chosen conventions, descriptions of the material as
// MaterialX, glTF and USD, its licence, and checksums.
//
// Colour is made smaller in linear light, normals as vectors that are
// renormalised, data as numbers; the spread of normals that a smaller tier can't
// carry goes into roughness. Depths of 16 bits are kept. A map that needs no
// change keeps its samples exactly. All names are relative.
package handoff

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/codec/exr"
	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// Material is a release to hand over: what it looks like, and what is known of it.
type Material struct {
	material.Material
	Open material.Opener // of whole files

	ID, Slug, Name string // ID is the release's
	MaterialID     string
	SizeSource     string // where the size comes from: scale.Source
	Number         int    // of the release
	Released       time.Time
	Notes          string
	Categories     []string
	Tags           []string
	Contact        string
	Licence        string // SPDX id
	Author         string
	Rights         string
	Station        string
	Captured       string
}

// Profile fixes the form of a handoff.
type Profile struct {
	Tier      scale.Tier
	Direction normals.Direction // Up or Down
	Gloss     bool              // glossiness in place of roughness
	EXR       bool              // OpenEXR in place of PNG: linear light, heights as float, the rest as half; with PNG for glTF and USD
}

// ending of the profile's maps. What glTF and USD read is always PNG.
func (p Profile) ending() string {
	if p.EXR {
		return ".exr"
	}
	return ".png"
}

// Folder is the name of the zip's one folder: the material, its release, the tier that is really
// delivered, and what is not in the usual form (Y+, roughness, PNG).
func (m Material) Folder(p Profile) string {
	name := fmt.Sprintf("%s-r%d-%s", m.Slug, m.Number, strings.ToLower(m.delivered(p.Tier).String()))
	// What is not the usual form is said, so that two handoffs in one folder never mix.
	if p.Direction == normals.Down {
		name += "-yminus"
	}
	if p.Gloss {
		name += "-gloss"
	}
	if p.EXR {
		name += "-exr"
	}
	return name
}

// delivered is the tier that maps really have where a larger one is asked for than there is.
func (m Material) delivered(t scale.Tier) scale.Tier {
	w, h := m.Pixels()
	if most := max(w, h); most > 0 && t > scale.SourceTier && int(t) > most {
		return scale.SourceTier
	}
	return t
}

// find is the source of a channel that has a map; nil if it has none.
func (m Material) find(c material.Channel) *material.Source {
	if s := m.Source(c); s != nil && s.Map != nil {
		return s
	}
	return nil
}

// constant is the value of a channel that has one everywhere, with the material's figures
// applied.
func (m Material) constant(c material.Channel) (v [3]float64, ok bool) {
	s := m.Source(c)
	if s == nil || s.Map != nil {
		return v, false
	}
	v = s.Value
	switch c {
	case material.BaseColor:
		c := m.Figures.Recolour(colour.RGB{float32(v[0]), float32(v[1]), float32(v[2])})
		for k := range v {
			v[k] = math.Round(float64(c[k])*1e6) / 1e6
		}
	case material.Roughness:
		v[0] = m.Figures.Roughness[0] + v[0]*(m.Figures.Roughness[1]-m.Figures.Roughness[0])
	case material.Opacity:
		v[0] = float64(m.Figures.OpacityOf(float32(v[0])))
	case material.Metallic:
		v[0] *= m.Figures.Metallic
	}
	return v, true
}

// evenRoughness is the roughness of a material that has no map of it.
func (m Material) evenRoughness() (v float64, ok bool) {
	if c, ok := m.constant(material.Roughness); ok {
		return c[0], true
	}
	c, ok := m.constant(material.Glossiness)
	return m.Figures.Roughness[1] + c[0]*(m.Figures.Roughness[0]-m.Figures.Roughness[1]), ok
}

// item is one map file of the handoff.
type item struct {
	name  string // file name without folder
	tile  string // UDIM
	w, h  int
	bits  int
	comps int
	srgb  bool
	exr   bool
	ratio float64
	texel float64 // bytes of video memory a texel, 0 for files that only repeat others
	kind  material.Channel
	uses  []*material.Source // what it is made of
	make  func(*builder) (*raster.Image, error)
}

// tiles are the numbers of the UDIM tiles that any map has; one without a number if
// there are none.
func (m Material) tiles() []string {
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

// plan lists the files that a handoff holds.
func (m Material) plan(p Profile) []item {
	one := m.planOne(p)
	tiles := m.tiles()
	if tiles[0] == "" {
		return one
	}
	var out []item
	for i, it := range one {
		for _, t := range tiles {
			stem, ext, _ := strings.Cut(it.name, ".")
			it := it
			it.name, it.tile = stem+"."+t+"."+ext, t
			it.uses = slices.DeleteFunc(slices.Clone(it.uses), func(s *material.Source) bool { return !s.Map.HasTile(t) })
			if len(it.uses) > 0 && it.uses[0] == one[i].uses[0] {
				out = append(out, it)
			}
		}
	}
	return out
}

// planOne lists the files of one tile.
func (m Material) planOne(p Profile) []item {
	var out []item
	add := func(suffix string, from *material.Source, comps int, srgb bool, texel float64, kind material.Channel, f func(*builder) (*raster.Image, error)) {
		w, h := p.Tier.Size(from.Map.Width, from.Map.Height)
		bits := 8
		if from.Map.Bits > 8 {
			bits = 16
		}
		it := item{m.Slug + "-" + suffix + ".png", "", w, h, bits, comps, srgb, false, from.Map.Ratio, texel, kind, []*material.Source{from}, f}
		if p.EXR && kind != material.None {
			it.name, it.exr, it.srgb, it.bits = m.Slug+"-"+suffix+p.ending(), true, false, 16
			if kind == material.Height {
				it.bits = 32
			}
		}
		out = append(out, it)
	}
	// Readers of glTF and USD need not open EXR: what these describe is added as PNG.
	twin := func(suffix string, from *material.Source, comps int, f func(*builder) (*raster.Image, error)) {
		if p.EXR {
			uses := out[len(out)-1].uses
			add(suffix, from, comps, comps == 3, 0, material.None, f)
			out[len(out)-1].uses = uses
		}
	}
	converted, _ := m.specGloss()
	for i := range m.Sources {
		from := &m.Sources[i]
		if from.Map == nil {
			continue
		}
		switch c := from.Channel; {
		case c == material.Normal:
			add(string(c), from, 3, false, 1, c, func(b *builder) (*raster.Image, error) { return b.normal(from, p.Direction) })
			if p.Direction == normals.Down || p.EXR {
				// glTF, MaterialX and USD know Y+ only.
				add("normal-yplus", from, 3, false, 0, material.None, func(b *builder) (*raster.Image, error) { return b.normal(from, normals.Up) })
			}
		case c == material.Roughness || c == material.Glossiness:
			name := material.Roughness
			if p.Gloss {
				name = material.Glossiness
			}
			add(string(name), from, 1, false, 0.5, name, func(b *builder) (*raster.Image, error) { return b.roughness(from, p.Gloss) })
			out[len(out)-1].uses = present(from, m.find(material.Normal))
			twin(string(name), from, 1, func(b *builder) (*raster.Image, error) { return b.roughness(from, p.Gloss) })
		case c.Colour():
			add(string(c), from, 3, true, 1, c, func(b *builder) (*raster.Image, error) { return b.colour(from) })
			if slices.Contains(described, c) && (c != material.BaseColor || converted == nil) {
				twin(string(c), from, 3, func(b *builder) (*raster.Image, error) { return b.colour(from) })
			}
		default:
			add(string(c), from, 1, false, 0.5, c, func(b *builder) (*raster.Image, error) { return b.data(from) })
			if slices.Contains(described, c) && (c != material.Height || m.Depth > 0) {
				twin(string(c), from, 1, func(b *builder) (*raster.Image, error) { return b.data(from) })
			}
		}
	}
	rough, metal, occ := m.rough(), m.find(material.Metallic), m.find(material.Occlusion)
	// The descriptions know metal-rough only.
	if base, spec := m.specGloss(); base != nil {
		add(metalRough+"-base_color", base, 3, true, 0, material.None, func(b *builder) (*raster.Image, error) { return b.convertedColour(base, spec) })
		out[len(out)-1].uses = present(base, spec)
		add(metalRough+"-metallic", base, 1, false, 0, material.None, func(b *builder) (*raster.Image, error) { return b.convertedMetallic(base, spec) })
		out[len(out)-1].uses = present(base, spec)
	}
	if first := firstOf(rough, metal, occ); first != nil {
		add("occlusion-roughness-metallic", first, 3, false, 0, material.None, func(b *builder) (*raster.Image, error) { return b.packed(rough, metal, occ) })
		out[len(out)-1].bits, out[len(out)-1].uses = 8, append(present(rough, metal, occ, m.find(material.Normal)), present(m.specGloss())...)
	}
	if base, op := m.find(material.BaseColor), m.find(material.Opacity); base != nil && op != nil {
		add("base_color-opacity", base, 4, true, 0, material.None, func(b *builder) (*raster.Image, error) { return b.cutout(base, op) })
		out[len(out)-1].bits, out[len(out)-1].uses = 8, present(base, op)
		if _, spec := m.specGloss(); spec != nil {
			out[len(out)-1].uses = present(base, op, spec)
		}
	}
	return out
}

// metalRough begins the names of maps that were converted from spec-gloss.
const metalRough = "metal_rough"

// specGloss are the diffuse and specular maps of a material of the spec-gloss workflow; nil
// for others.
func (m Material) specGloss() (base, spec *material.Source) {
	base, spec = m.find(material.BaseColor), m.find(material.Specular)
	if m.Workflow() != "spec_gloss" || base == nil || spec == nil {
		return nil, nil
	}
	return base, spec
}

func (m Material) rough() *material.Source {
	if r := m.find(material.Roughness); r != nil {
		return r
	}
	return m.find(material.Glossiness)
}

func present(maps ...*material.Source) []*material.Source {
	return slices.DeleteFunc(maps, func(m *material.Source) bool { return m == nil })
}

func firstOf(maps ...*material.Source) *material.Source {
	for _, m := range maps {
		if m != nil {
			return m
		}
	}
	return nil
}

// Cost is what a handoff takes. Fetch is an estimate from how well the maps
// compress; video memory is that of the maps with mips, block-compressed.
type Cost struct {
	Fetch       int64
	VideoMemory int64
	W, H        int
}

// Estimate is the cost of a handoff before it is made.
func (m Material) Estimate(p Profile) Cost {
	var c Cost
	for _, it := range m.plan(p) {
		ratio := it.ratio
		if ratio == 0 {
			ratio = 0.7
		}
		c.Fetch += int64(float64(it.w*it.h*it.comps*it.bits/8) * ratio)
		c.VideoMemory += scale.VideoMemory(it.w, it.h, it.texel)
		if it.w > c.W {
			c.W, c.H = it.w, it.h
		}
	}
	c.Fetch += 8 << 10
	return c
}

// Version is that of the writer: a handoff that another version made is made anew.
const Version = 8

// Steps is how many files a handoff holds.
func (m Material) Steps(p Profile) int { return len(m.plan(p)) + 6 }

// Make makes the files of a handoff and gives each, once, to keep: its path within the
// handoff's folder, and its contents. Each map of the release is decoded once. It stops
// between maps when the context ends.
func Make(ctx context.Context, m Material, p Profile, t *colour.Tables, keep func(path string, data []byte) error) error {
	if len(m.Sources) == 0 {
		return fmt.Errorf("hand over %q: the release has neither maps nor values", m.Name)
	}
	sums := new(bytes.Buffer)
	put := func(name string, data []byte) error {
		fmt.Fprintf(sums, "%x  %s\n", sha256.Sum256(data), name)
		return keep(name, data)
	}
	items := m.plan(p)
	var made []File
	b := newBuilder(m, p, t, items)
	for i, it := range items {
		if err := ctx.Err(); err != nil {
			return err
		}
		data, err := b.file(it)
		if err != nil {
			return err
		}
		b.drop(items[i+1:])
		if err := put("maps/"+it.name, data); err != nil {
			return err
		}
		made = append(made, FileOf("maps/"+it.name, data))
	}
	s := m.surface(p)
	for _, f := range []struct {
		name string
		data []byte
	}{
		{m.Slug + ".mtlx", s.materialX()},
		{m.Slug + ".gltf", s.gltf()},
		{m.Slug + ".usda", s.usd()},
		{"LICENCE.txt", m.licenceText()},
	} {
		if err := put(f.name, f.data); err != nil {
			return err
		}
		made = append(made, FileOf(f.name, f.data))
	}
	about, err := m.describe(p, items, made)
	if err == nil {
		err = put("material.json", about)
	}
	if err != nil {
		return err
	}
	return keep("CHECKSUMS.sha256", sums.Bytes())
}

// file makes one map file.
func (b *builder) file(it item) ([]byte, error) {
	b.exr, b.tile = it.exr, it.tile
	im, err := it.make(b)
	if err != nil {
		return nil, fmt.Errorf("make %q: %w", it.name, err)
	}
	var buf bytes.Buffer
	var density [2]float64
	if b.m.Size.Known() {
		density[0], density[1] = scale.Density(b.m.Size, im.W, im.H)
	}
	switch {
	case !it.exr:
		err = codec.EncodePNG(&buf, im, codec.PNGOptions{SRGB: it.srgb, Density: density})
	case it.bits == 32:
		err = exr.Encode(&buf, im, exr.Options{Type: exr.Float, Compression: exr.ZIP, Density: density})
	default:
		err = exr.Encode(&buf, im, exr.Options{Type: exr.Half, Compression: exr.ZIP, Density: density})
	}
	if err != nil {
		return nil, fmt.Errorf("write %q: %w", it.name, err)
	}
	return buf.Bytes(), nil
}

// Write makes a handoff as a zip.
func Write(ctx context.Context, w io.Writer, m Material, p Profile, t *colour.Tables) error {
	var parts []Part
	err := Make(ctx, m, p, t, func(path string, data []byte) error {
		parts = append(parts, Part{FileOf(path, data), bytes.NewReader(data)})
		return nil
	})
	if err != nil {
		return err
	}
	a := NewArchive(m.Folder(p), m.Released, parts)
	_, err = io.Copy(w, io.NewSectionReader(a, 0, a.Size()))
	return err
}
