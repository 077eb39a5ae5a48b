package handoff

import (
	"fmt"
	"math"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// This file makes one channel in the conventions of a form.

func (b *builder) colour(m *material.Source) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	w, h := b.f.size(im.W, im.H)
	recolours := m.Channel == material.BaseColor && b.recolours()
	if b.asIs(im, w, h) && !recolours && !b.it.linear {
		return b.kept(im, 3), nil
	}
	rgb := b.light(im, w, h)
	if m.Channel == material.BaseColor && (w < im.W || h < im.H) {
		if rgb, err = b.covered(im, rgb, w, h); err != nil {
			return nil, err
		}
	}
	if recolours {
		rgb = b.recoloured(rgb)
	}
	return b.encoded(im, rgb), nil
}

// recolours says whether base colour changes on its way.
func (b *builder) recolours() bool { return b.it.form.baked && b.m.Figures.Recolours() }

// recoloured is base colour as the material's figures have it, in planes of its own.
func (b *builder) recoloured(rgb [3]raster.Plane) (out [3]raster.Plane) {
	if !b.recolours() {
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
		p := im.Plane(material.ColourIndex(c, im.Components()))
		if !im.Float() {
			filter.Apply(p, b.t.Linear)
		}
		out[c] = p.Resample(w, h, raster.Area)
	}
	return out
}

// covered is base colour made smaller with what is there counted alone: by the opacity map of its size. Else the
// colour of what is cut out would show at the edges. Where nothing is there the plain mean stays.
func (b *builder) covered(im *raster.Image, rgb [3]raster.Plane, w, h int) (out [3]raster.Plane, err error) {
	s := b.m.find(material.Opacity)
	if !b.has(s) || s.Map.Width != im.W || s.Map.Height != im.H {
		return rgb, nil
	}
	opacity, err := b.load(s)
	if err != nil || opacity.W != im.W || opacity.H != im.H {
		return rgb, err
	}
	there := filter.Map(opacity.Plane(0), b.m.Figures.OpacityOf)
	share := there.Resample(w, h, raster.Area)
	for c := range out {
		p := im.Plane(material.ColourIndex(c, im.Components()))
		if !im.Float() {
			filter.Apply(p, b.t.Linear)
		}
		seen := raster.NewPlane(p.W, p.H) // apart, as a float source's samples may be shared
		raster.Rows(p.H, func(y0, y1 int) {
			for i := y0 * p.W; i < y1*p.W; i++ {
				seen.Pix[i] = p.Pix[i] * there.Pix[i]
			}
		})
		out[c] = seen.Resample(w, h, raster.Area)
		for i, k := range share.Pix {
			if k > 1e-3 {
				out[c].Pix[i] /= k
			} else {
				out[c].Pix[i] = rgb[c].Pix[i]
			}
		}
	}
	return out, nil
}

// encoded gives linear light the form of what is written for a source.
func (b *builder) encoded(from *raster.Image, rgb [3]raster.Plane) *raster.Image {
	if !b.it.linear {
		for c, p := range rgb {
			rgb[c] = filter.Map(p, b.t.Encode)
		}
	}
	return b.done(from, rgb[:]...)
}

func (b *builder) data(m *material.Source) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	w, h := b.f.size(im.W, im.H)
	var change func(v float32) float32
	switch f := b.m.Figures; {
	case m.Channel == material.Height && b.it.form.height != HeightRange:
		scale, bias := b.m.heights(HeightRange)
		to, off := b.m.heights(b.it.form.height) // metres are v·scale + bias in both
		k, d := scale/to, (bias-off)/to
		if k != 1 || d != 0 {
			change = func(v float32) float32 { return float32(float64(v)*k + d) }
		}
	case !b.it.form.baked:
	case m.Channel == material.Opacity && (f.Opacity != 1 || f.OpacityInvert || f.Cutoff > 0):
		change = f.OpacityOf
	case m.Channel == material.Metallic && f.Metallic != 1:
		change = func(v float32) float32 { return v * float32(f.Metallic) }
	}
	if b.asIs(im, w, h) && change == nil {
		return b.kept(im, 1), nil
	}
	p := im.Plane(0).Resample(w, h, raster.Area)
	if change != nil {
		p = filter.Map(p, change)
	}
	return b.done(im, p), nil
}

func (b *builder) normal(m *material.Source) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	if im.Components() < 2 {
		return nil, fmt.Errorf("a normal map needs two components or more; this has one")
	}
	points, strength := m.Map.Direction, 1.0
	if b.it.form.baked {
		strength = b.m.Figures.NormalStrength
	}
	if b.m.Figures.NormalFlip {
		points = -points
	}
	flip := points != normals.Unknown && points != b.it.form.direction
	w, h := b.f.size(im.W, im.H)
	if x, z := normals.Components(im); b.asIs(im, w, h) && x == 0 && z == 2 && strength == 1 {
		out := b.kept(im, 3)
		if flip {
			out.Planes[1] = raster.Opposite(out.Planes[1])
		}
		return out, nil
	}
	f, _ := b.smaller(im, w, h)
	if flip {
		f.Flip()
	}
	f.Strengthen(strength)
	if b.it.format.Float() {
		im := f.Image()
		for c := range im.Planes {
			snap(im.Floats(c))
		}
		return im, nil
	}
	return f.Image().Quantise(b.bits(im)), nil
}

// snap rounds samples to a 2¹⁷th, within half a step of 16 bits, so that floats pack as well as these would.
func snap(p []float32) {
	const steps = 1 << 17
	for i, v := range p {
		p[i] = float32(math.Round(float64(v)*steps)) / steps
	}
}

// roughness of the tier, with what its normals lost.
func (b *builder) roughness(m *material.Source, gloss bool) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	w, h := b.f.size(im.W, im.H)
	invert := (m.Channel == material.Glossiness) != gloss
	lo, hi := 0.0, 1.0
	if b.it.form.baked {
		lo, hi = b.m.Figures.Roughness[0], b.m.Figures.Roughness[1]
	}
	n := b.m.find(material.Normal)
	finer := b.has(n) && (n.Map.Width > w || n.Map.Height > h) // the normals lose detail at this size
	if b.asIs(im, w, h) && lo == 0 && hi == 1 && !finer {
		out := b.kept(im, 1)
		if invert {
			out.Planes[0] = raster.Opposite(out.Planes[0])
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
			_, length := b.smaller(ni, w, h)
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
func (b *builder) has(s *material.Source) bool { return s != nil && s.Map.HasTile(b.it.tile) }

// channel is a channel's picture in the conventions of the file in the making, at the size
// that its own map has there; nil if there is no map of it for the tile. Its
// samples may be shared.
func (b *builder) channel(c material.Channel) (*raster.Image, error) {
	list := b.m.sources(c, b.it.form.workflow)
	if len(list) == 0 || !b.has(list[0]) {
		return nil, nil
	}
	gloss := b.m.specGloss()
	switch w := b.it.form.workflow; {
	case gloss && w == MetalRough && (c == material.BaseColor || c == material.Metallic),
		!gloss && w == SpecGloss && (c == material.BaseColor && b.m.metal() || c == material.Specular):
		k, err := b.convert()
		if err != nil {
			return nil, err
		}
		switch c {
		case material.BaseColor:
			return b.encoded(k.from, k.base), nil
		case material.Specular:
			return b.encoded(k.from, k.specular), nil
		}
		return b.done(k.from, k.metallic), nil
	case c == streakStrength || c == roughnessAcross:
		return b.streaks(c)
	case c == material.Normal:
		return b.normal(list[0])
	case c == material.Roughness || c == material.Glossiness:
		return b.roughness(list[0], c == material.Glossiness)
	case c.Colour():
		return b.colour(list[0])
	}
	return b.data(list[0])
}
