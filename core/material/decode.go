package material

import (
	"fmt"

	"aldermoor/core/colour"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/scale"
)

// Planes are a material's channels as what they mean: colours linear light, heights metres
// from the zero level, normals Y+. Sizes may differ; a constant is one sample, and what is
// missing has none.
type Planes struct {
	Size                                            scale.Size // of one repeat; zero if unknown
	Color, Emissive, Specular, Sheen                [3]raster.Plane
	Normal                                          *normals.Field
	NormalLength                                    raster.Plane // of the averaged vectors of a reduced copy; none if nothing was lost
	Height, Roughness, Metallic, Occlusion, Opacity raster.Plane
	Transmission, Coat, Anisotropy                  raster.Plane
	Figures                                         Figures // applied already to base colour, roughness, metallic, normals and opacity
}

// Largest is the width and height of the largest plane; zero without any.
func (p *Planes) Largest() (w, h int) {
	list := []raster.Plane{p.Color[0], p.Emissive[0], p.Specular[0], p.Sheen[0], p.Transmission, p.Coat, p.Anisotropy, p.Height, p.Roughness, p.Metallic, p.Occlusion, p.Opacity}
	if p.Normal != nil {
		list = append(list, p.Normal.X)
	}
	for _, q := range list {
		if q.W*q.H > w*h {
			w, h = q.W, q.H
		}
	}
	return w, h
}

// Decode reads a material's channels with its figures applied, from pictures whose longer
// side need not have more than n pixels (0 for all). Glossiness is given as roughness; a
// height of unknown depth is left out.
func Decode(m *Material, open Opener, n int) (Planes, error) {
	out := Planes{Size: m.Size, Figures: m.Figures}
	for i := range m.Sources {
		s := &m.Sources[i]
		im, component, float, err := s.picture(open, n)
		if err != nil {
			return out, fmt.Errorf("open the %s map: %w", s.Channel, err)
		}
		if im == nil || s.Channel == Height && m.Depth <= 0 {
			continue
		}
		data := func(from, to float64) raster.Plane {
			p := own(im, ComponentIndex(component, im.Components()))
			filter.Apply(p, func(v float32) float32 { return float32(from) + v*float32(to-from) })
			return p
		}
		rough := m.Figures.Roughness
		switch s.Channel {
		case BaseColor:
			out.Color = light(im, float)
			if m.Figures.Recolours() {
				recolour(out.Color, m.Figures)
			}
		case Emissive:
			out.Emissive = light(im, float)
		case Specular:
			out.Specular = light(im, float)
		case Sheen:
			out.Sheen = light(im, float)
		case Normal:
			if im.Components() >= 2 && s.Map != nil {
				f, length := normals.ReadLengths(im, 0)
				if im.W < s.Map.Width {
					// Vectors of 8 bits are up to half a per cent too short as they are.
					filter.Apply(length, func(v float32) float32 { return min(1, v+shortest(im.Bits)) })
					out.NormalLength = length
				}
				if (s.Map.Direction == normals.Down) != m.Figures.NormalFlip {
					f.Flip()
				}
				f.Strengthen(m.Figures.NormalStrength)
				out.Normal = &f
			}
		case Roughness:
			out.Roughness = data(rough[0], rough[1])
		case Glossiness:
			out.Roughness = data(rough[1], rough[0])
		case Metallic:
			out.Metallic = data(0, m.Figures.Metallic)
		case Occlusion:
			out.Occlusion = data(0, 1)
		case Opacity:
			out.Opacity = data(0, 1)
			filter.Apply(out.Opacity, m.Figures.OpacityOf)
		case Transmission:
			out.Transmission = data(0, 1)
		case Coat:
			out.Coat = data(0, 1)
		case Anisotropy:
			out.Anisotropy = data(0, 1)
		case Height:
			out.Height = data(-m.Zero*m.Depth, (1-m.Zero)*m.Depth)
		}
	}
	return out, nil
}

// shortest is by how much a unit vector that is stored in so many bits may be too short.
func shortest(bits int) float32 {
	if bits <= 8 {
		return 0.005
	}
	return 0.0001
}

// picture is what a source's values are read from: its map's picture with samples in 0..1,
// or one pixel of its constant. nil if there is none.
func (s *Source) picture(open Opener, n int) (im *raster.Image, component string, float bool, err error) {
	if s.Map == nil {
		im = raster.NewFloat(1, 1, 3, 32)
		for c, v := range s.Value {
			im.Floats(c)[0] = float32(v)
		}
		return im, "rgb", true, nil
	}
	if im, err = open(s.Map, "", n); im == nil || err != nil {
		return nil, "", false, err
	}
	switch {
	case s.Channel != Emissive || !s.Map.Float:
		im = s.Map.Picture(s.Channel, im)
	case s.Map.Gamut != nil:
		im = s.Map.Gamut.Convert(im, true) // light keeps its strength
	}
	return im, s.Map.Component, s.Map.Float, nil
}

// own is a component whose samples may be changed.
func own(im *raster.Image, c int) raster.Plane { return im.Reduced(c, max(im.W, im.H)) }

// light is a colour map in linear light, which floats hold already.
func light(im *raster.Image, already bool) (out [3]raster.Plane) {
	linear, _ := colour.Curves()
	for c := range out {
		out[c] = own(im, ColourIndex(c, im.Components()))
		if !already {
			filter.Apply(out[c], linear)
		}
	}
	return out
}

// recolour changes base colour by the figures.
func recolour(rgb [3]raster.Plane, f Figures) {
	raster.Rows(rgb[0].H, func(y0, y1 int) {
		for i := y0 * rgb[0].W; i < y1*rgb[0].W; i++ {
			c := f.Recolour(colour.RGB{rgb[0].Pix[i], rgb[1].Pix[i], rgb[2].Pix[i]})
			rgb[0].Pix[i], rgb[1].Pix[i], rgb[2].Pix[i] = c[0], c[1], c[2]
		}
	})
}
