package light

import (
	"math"
	"sort"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
)

// pick draws directions by the energy that comes from them: texels of a cube by the running sum
// of their energy.
type pick struct {
	n      int     // texels along an edge
	parts  []part  // a texel each
	guide  []int32 // the texel at which each of as many even steps of the sum begins
	narrow float32 // density above which a lobe is too narrow for texels
}

// part is what is known of a texel, in one place: they are asked for in no order.
type part struct {
	upTo    float32 // share of the energy of all texels up to this one
	density float32 // its share, over the part of the face's area that it takes (of 4)
	light   geom.V3
}

func newPick(c *Cube) pick {
	n := c.N
	p := pick{n: n, parts: make([]part, 0, 6*n*n), guide: make([]int32, 6*n*n), narrow: 6 * float32(n*n) / (4 * math.Pi) / 16}
	whole := 0.0
	energy := make([]float64, 0, 6*n*n)
	for f := range 6 {
		for y := range n {
			for x := range n {
				light := c.Texel(f, x, y)
				e := float64(colour.Luminance(light.Array()) * c.solidAngle(x, y))
				energy = append(energy, e)
				p.parts = append(p.parts, part{light: light})
				whole += e
			}
		}
	}
	if whole <= 0 {
		return pick{}
	}
	sum := 0.0
	for i, e := range energy {
		sum += e
		p.parts[i].upTo = float32(sum / whole)
		p.parts[i].density = float32(e / whole * float64(n*n) / 4)
	}
	for k := range p.guide {
		from := float32(k) / float32(len(p.guide))
		p.guide[k] = int32(sort.Search(len(p.parts)-1, func(i int) bool { return p.parts[i].upTo >= from }))
	}
	return p
}

// Sample draws a direction by the energy that comes from it, without the sun, for three
// numbers in 0..1. light is what comes from there, as a mean over 1.4 degrees; pdf is the
// density, 0 in the dark.
func (e *Environment) Sample(at, u, v float32) (d, light geom.V3, pdf float32) {
	p := &e.pick
	if p.n == 0 {
		return geom.Vec(0, 1, 0), light, 0
	}
	i := int(p.guide[min(int(at*float32(len(p.guide))), len(p.guide)-1)])
	for i < len(p.parts)-1 && p.parts[i].upTo < at {
		i++
	}
	y := uint32(i) / uint32(p.n) // rows of all faces
	x := uint32(i) - y*uint32(p.n)
	f := y / uint32(p.n)
	y -= f * uint32(p.n)
	k := 2 / float32(p.n)
	s, t := (float32(x)+u)*k-1, (float32(y)+v)*k-1
	q := 1 + s*s + t*t
	return onFace(int(f), s, t).Scale(1 / sqrt(q)), p.parts[i].light, p.parts[i].density * q * sqrt(q)
}

// Pdf is the density with which Sample draws d.
func (e *Environment) Pdf(d geom.V3) float32 {
	part, k := e.pick.find(d)
	if part == nil {
		return 0
	}
	return part.density * k
}

// Met is the light from d without the sun, as a path sees it that came upon d with a density, and the density
// with which Sample draws d. What a wide lobe sees is a mean, as of Sample.
func (e *Environment) Met(d geom.V3, density float32) (light geom.V3, pdf float32) {
	part, k := e.pick.find(d)
	switch {
	case part == nil:
		return e.Radiance(d), 0
	case density > e.pick.narrow:
		return e.Radiance(d), part.density * k
	}
	return part.light, part.density * k
}

// find is the texel of a direction, nil in the dark, and by how much its density is larger there: within it, equal areas
// of the face are drawn alike, not equal solid angles.
func (p *pick) find(d geom.V3) (at *part, k float32) {
	if p.n == 0 {
		return nil, 0
	}
	f, s, t := face(d)
	half := 0.5 * float32(p.n)
	x, y := min(int((s+1)*half), p.n-1), min(int((t+1)*half), p.n-1)
	k = 1 + s*s + t*t
	return &p.parts[(f*p.n+y)*p.n+x], k * sqrt(k)
}
