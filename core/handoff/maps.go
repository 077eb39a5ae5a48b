package handoff

import (
	"fmt"
	"slices"
	"strings"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// builder makes the maps of one handoff.
type builder struct {
	m Material
	p Profile
	t *colour.Tables

	exr  bool   // the map in the making is a float one
	tile string // the UDIM tile in the making

	opened map[source]*raster.Image // whole files, until nothing needs them
}

// source is a map's file: of one tile, if it has several.
type source struct {
	m    *material.Source
	tile string
}

func newBuilder(m Material, p Profile, t *colour.Tables, items []item) *builder {
	return &builder{m: m, p: p, t: t, opened: map[source]*raster.Image{}}
}

// drop forgets the files that none of the items left is made of.
func (b *builder) drop(left []item) {
	for k := range b.opened {
		if !slices.ContainsFunc(left, func(it item) bool { return it.tile == k.tile && slices.Contains(it.uses, k.m) }) {
			delete(b.opened, k)
		}
	}
}

// open is a map's whole file, decoded at most once.
func (b *builder) open(m *material.Source) (*raster.Image, error) {
	k := source{m, b.tile}
	if im := b.opened[k]; im != nil {
		return im, nil
	}
	im, err := b.m.Open(m.Map, b.tile, 0)
	if err == nil && im == nil {
		err = fmt.Errorf("its file %s is not there", m.Map.File)
	}
	if err == nil {
		b.opened[k] = im
	}
	return im, err
}

// done gives planes the form of what is written for a source.
func (b *builder) done(from *raster.Image, planes ...raster.Plane) *raster.Image {
	im := raster.FromPlanes(planes...)
	if b.exr {
		return im
	}
	return im.Quantise(depthOf(from))
}

// asIs says whether a source's samples can be written as they are.
func (b *builder) asIs(im *raster.Image, w int) bool { return w == im.W && !im.Float() && !b.exr }

// load opens a map's file and picks the component it is in.
func (b *builder) load(m *material.Source) (*raster.Image, error) {
	im, err := b.open(m)
	if err != nil {
		return nil, err
	}
	im = m.Map.Picture(m.Channel, im)
	if name := m.Map.Component; name != "rgb" && im.Components() > 1 {
		if strings.Index("rgb", name) >= im.Components() {
			return nil, fmt.Errorf("there is no component %q", name)
		}
		return im.Select(material.ComponentIndex(name, im.Components())), nil
	}
	return im, nil
}

// depthOf is the depth in bits of what is written for a source.
func depthOf(im *raster.Image) int {
	if im.Bits > 8 {
		return 16
	}
	return 8
}

// first keeps the first n components of an integer picture, or repeats the one
// of a grey picture.
func first(im *raster.Image, n int) *raster.Image {
	out := &raster.Image{W: im.W, H: im.H, Bits: depthOf(im)}
	for c := range n {
		out.Planes = append(out.Planes, im.Planes[min(c, len(im.Planes)-1)])
	}
	return out
}

// inverted is what samples lack to the full value.
func inverted(p raster.Ints) raster.Ints {
	out := make(raster.Ints, len(p))
	for i, v := range p {
		out[i] = 65535 - v
	}
	return out
}

func (b *builder) colour(m *material.Source) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	w, h := b.p.Tier.Size(im.W, im.H)
	recolours := m.Channel == material.BaseColor && b.m.Figures.Recolours()
	if b.asIs(im, w) && !recolours {
		return first(im, 3), nil
	}
	rgb := b.light(im, w, h)
	if recolours {
		rgb = b.recoloured(rgb)
	}
	return b.encoded(im, rgb), nil
}

// recoloured is base colour as the material's figures have it, in planes of its own.
func (b *builder) recoloured(rgb [3]raster.Plane) (out [3]raster.Plane) {
	if !b.m.Figures.Recolours() {
		return rgb
	}
	for c := range out {
		out[c] = raster.NewPlane(rgb[c].W, rgb[c].H)
	}
	raster.Rows(rgb[0].H, func(y0, y1 int) {
		for i := y0 * rgb[0].W; i < y1*rgb[0].W; i++ {
			c := b.m.Figures.Recolour(colour.RGB{rgb[0].Pix[i], rgb[1].Pix[i], rgb[2].Pix[i]})
			out[0].Pix[i], out[1].Pix[i], out[2].Pix[i] = c[0], c[1], c[2]
		}
	})
	return out
}

// light is a colour picture in linear light at w × h. A float source's samples may be shared.
func (b *builder) light(im *raster.Image, w, h int) (out [3]raster.Plane) {
	for c := range out {
		p := im.Plane(min(c, im.Components()-1))
		if !im.Float() {
			filter.Apply(p, b.t.Linear)
		}
		out[c] = p.Resample(w, h, raster.Area)
	}
	return out
}

// encoded gives linear light the form of what is written for a source.
func (b *builder) encoded(from *raster.Image, rgb [3]raster.Plane) *raster.Image {
	if !b.exr {
		for c, p := range rgb {
			rgb[c] = filter.Map(p, b.t.Encode)
		}
	}
	return b.done(from, rgb[:]...)
}

// converted is a spec-gloss material as metal-rough: base colour in linear light, and
// metallic, at the size of the diffuse map.
func (b *builder) converted(base, spec *material.Source) (from *raster.Image, rgb [3]raster.Plane, metal raster.Plane, err error) {
	if from, err = b.load(base); err != nil {
		return from, rgb, metal, err
	}
	s, err := b.load(spec)
	if err != nil {
		return from, rgb, metal, err
	}
	w, h := b.p.Tier.Size(from.W, from.H)
	diffuse, specular := b.recoloured(b.light(from, w, h)), b.light(s, w, h)
	metal = raster.NewPlane(w, h)
	for c := range rgb {
		rgb[c] = raster.NewPlane(w, h)
	}
	raster.Rows(h, func(y0, y1 int) {
		for i := y0 * w; i < y1*w; i++ {
			v, k := material.MetalRough([3]float32{diffuse[0].Pix[i], diffuse[1].Pix[i], diffuse[2].Pix[i]}, [3]float32{specular[0].Pix[i], specular[1].Pix[i], specular[2].Pix[i]})
			rgb[0].Pix[i], rgb[1].Pix[i], rgb[2].Pix[i], metal.Pix[i] = v[0], v[1], v[2], k
		}
	})
	return from, rgb, metal, nil
}

func (b *builder) convertedColour(base, spec *material.Source) (*raster.Image, error) {
	from, rgb, _, err := b.converted(base, spec)
	if err != nil {
		return nil, err
	}
	return b.encoded(from, rgb), nil
}

func (b *builder) convertedMetallic(base, spec *material.Source) (*raster.Image, error) {
	from, _, metal, err := b.converted(base, spec)
	if err != nil {
		return nil, err
	}
	return b.done(from, metal), nil
}

func (b *builder) data(m *material.Source) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	w, h := b.p.Tier.Size(im.W, im.H)
	var change func(v float32) float32
	switch f := b.m.Figures; {
	case m.Channel == material.Opacity && (f.Opacity != 1 || f.OpacityInvert || f.Cutoff > 0):
		change = f.OpacityOf
	case m.Channel == material.Metallic && f.Metallic != 1:
		change = func(v float32) float32 { return v * float32(f.Metallic) }
	}
	if b.asIs(im, w) && change == nil {
		return first(im, 1), nil
	}
	p := im.Plane(0).Resample(w, h, raster.Area)
	if change != nil {
		p = filter.Map(p, change)
	}
	return b.done(im, p), nil
}

func (b *builder) normal(m *material.Source, want normals.Direction) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	if im.Components() < 2 {
		return nil, fmt.Errorf("a normal map needs two components or more; this has one")
	}
	points := m.Map.Direction
	if b.m.Figures.NormalFlip {
		points = -points
	}
	flip := points != normals.Unknown && points != want
	w, h := b.p.Tier.Size(im.W, im.H)
	if x, z := normals.Components(im); b.asIs(im, w) && x == 0 && z == 2 && b.m.Figures.NormalStrength == 1 {
		out := first(im, 3)
		if flip {
			out.Planes[1] = inverted(out.Ints(1))
		}
		return out, nil
	}
	f := normals.Read(im, 0)
	if flip {
		f.Flip()
	}
	f, _ = f.Resample(w, h)
	f.Strengthen(b.m.Figures.NormalStrength)
	if b.exr {
		return f.Image(), nil
	}
	return f.Image().Quantise(depthOf(im)), nil
}

// roughness of the tier, with what its normals lost.
func (b *builder) roughness(m *material.Source, gloss bool) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	w, h := b.p.Tier.Size(im.W, im.H)
	invert := (m.Channel == material.Glossiness) != gloss
	lo, hi := b.m.Figures.Roughness[0], b.m.Figures.Roughness[1]
	n := b.m.find(material.Normal)
	finer := b.has(n) && (n.Map.Width > w || n.Map.Height > h) // the normals lose detail at this size
	if b.asIs(im, w) && lo == 0 && hi == 1 && !finer {
		out := first(im, 1)
		if invert {
			out.Planes[0] = inverted(out.Ints(0))
		}
		return out, nil
	}
	p := im.Plane(0).Resample(w, h, raster.Area)
	if m.Channel == material.Glossiness {
		lo, hi = hi, lo
	}
	if lo != 0 || hi != 1 {
		p = filter.Map(p, func(v float32) float32 { return float32(lo) + v*float32(hi-lo) })
	}
	if b.has(n) {
		ni, err := b.load(n)
		if err != nil {
			return nil, err
		}
		if ni.Components() >= 2 {
			_, length := normals.Read(ni, 0).Resample(w, h)
			wide := raster.NewPlane(w, h)
			for i, l := range length.Pix {
				wide.Pix[i] = normals.Widen(min(max(p.Pix[i], 0), 1), l)
			}
			p = wide
		}
	}
	if gloss {
		p = filter.Map(p, func(v float32) float32 { return 1 - v })
	}
	return b.done(im, p), nil
}

// has says whether a source has a picture for the tile in the making.
func (b *builder) has(s *material.Source) bool { return s != nil && s.Map.HasTile(b.tile) }

// packed is the map that glTF reads: occlusion in red, roughness in green,
// metallic in blue.
func (b *builder) packed(rough, metal, occ *material.Source) (*raster.Image, error) {
	var w, h int
	planes := [3]raster.Plane{}
	for c, get := range []func() (*raster.Image, error){
		func() (*raster.Image, error) {
			if !b.has(occ) {
				return nil, nil
			}
			return b.data(occ)
		},
		func() (*raster.Image, error) {
			if !b.has(rough) {
				return nil, nil
			}
			return b.roughness(rough, false)
		},
		func() (*raster.Image, error) {
			if base, spec := b.m.specGloss(); b.has(base) && b.has(spec) {
				return b.convertedMetallic(base, spec)
			}
			if !b.has(metal) {
				return nil, nil
			}
			return b.data(metal)
		},
	} {
		im, err := get()
		if err != nil {
			return nil, err
		}
		if im != nil {
			planes[c] = im.Plane(0)
			w, h = max(w, im.W), max(h, im.H)
		}
	}
	// What has no map has its constant, or what leaves the material as it is: open, fully
	// rough, no metal.
	even := [3]float32{1, 1, 0}
	if v, ok := b.m.constant(material.Occlusion); ok {
		even[0] = float32(v[0])
	}
	if v, ok := b.m.evenRoughness(); ok {
		even[1] = float32(v)
	}
	if v, ok := b.m.constant(material.Metallic); ok {
		even[2] = float32(v[0])
	}
	for c, missing := range even {
		if planes[c].W == 0 {
			planes[c] = raster.NewPlane(w, h)
			filter.Apply(planes[c], func(float32) float32 { return missing })
		} else {
			planes[c] = planes[c].Resample(w, h, raster.Area)
		}
	}
	return raster.FromPlanes(planes[:]...).Quantise(8), nil
}

// cutout is the base colour with the opacity in its alpha, as glTF reads it.
func (b *builder) cutout(base, opacity *material.Source) (*raster.Image, error) {
	get := func() (*raster.Image, error) { return b.colour(base) }
	if diffuse, spec := b.m.specGloss(); b.has(diffuse) && b.has(spec) {
		get = func() (*raster.Image, error) { return b.convertedColour(diffuse, spec) }
	}
	im, err := get()
	if err != nil {
		return nil, err
	}
	if !b.has(opacity) {
		return raster.FromPlanes(im.Plane(0), im.Plane(1), im.Plane(2), filter.Map(im.Plane(0), func(float32) float32 { return 1 })).Quantise(8), nil
	}
	a, err := b.data(opacity)
	if err != nil {
		return nil, err
	}
	return raster.FromPlanes(im.Plane(0), im.Plane(1), im.Plane(2), a.Plane(0).Resample(im.W, im.H, raster.Area)).Quantise(8), nil
}
