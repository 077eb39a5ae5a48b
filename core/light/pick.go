package light

import (
	"sort"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
)

// pick draws directions by the energy that comes from them: texels of a cube by the running sum
// of their energy.
type pick struct {
	n       int       // texels along an edge
	upTo    []float32 // share of the energy of all texels up to each
	density []float32 // share of each, over the part of the face's area that it takes (of 4)
	guide   []int32   // the texel at which each of as many even steps of the sum begins
}

func newPick(c *Cube) pick {
	n := c.N
	p := pick{n: n, upTo: make([]float32, 0, 6*n*n), density: make([]float32, 6*n*n), guide: make([]int32, 6*n*n)}
	whole := 0.0
	energy := make([]float64, 0, 6*n*n)
	for f := range 6 {
		for y := range n {
			for x := range n {
				e := float64(colour.Luminance(c.Texel(f, x, y).Array()) * c.solidAngle(x, y))
				energy = append(energy, e)
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
		p.upTo = append(p.upTo, float32(sum/whole))
		p.density[i] = float32(e / whole * float64(n*n) / 4)
	}
	for k := range p.guide {
		from := float32(k) / float32(len(p.guide))
		p.guide[k] = int32(sort.Search(len(p.upTo)-1, func(i int) bool { return p.upTo[i] >= from }))
	}
	return p
}

// Sample draws a direction by the energy that comes from it, without the sun, for three
// numbers in 0..1; pdf is its density, 0 in the dark.
func (e *Environment) Sample(at, u, v float32) (d geom.V3, pdf float32) {
	p := &e.pick
	if p.n == 0 {
		return geom.Vec(0, 1, 0), 0
	}
	i := int(p.guide[min(int(at*float32(len(p.guide))), len(p.guide)-1)])
	for i < len(p.upTo)-1 && p.upTo[i] < at {
		i++
	}
	f, x, y := i/(p.n*p.n), float32(i%p.n), float32(i/p.n%p.n)
	k := 2 / float32(p.n)
	s, t := (x+u)*k-1, (y+v)*k-1
	return onFace(f, s, t).Unit(), p.pdf(i, s, t)
}

// Pdf is the density with which Sample draws d.
func (e *Environment) Pdf(d geom.V3) float32 {
	p := &e.pick
	if p.n == 0 {
		return 0
	}
	f, s, t := face(d)
	half := 0.5 * float32(p.n)
	x, y := min(int((s+1)*half), p.n-1), min(int((t+1)*half), p.n-1)
	return p.pdf((f*p.n+y)*p.n+x, s, t)
}

// pdf is the density at a place of a texel: within it, equal areas of the face are drawn alike,
// not equal solid angles.
func (p *pick) pdf(i int, s, t float32) float32 {
	k := 1 + s*s + t*t
	return p.density[i] * k * sqrt(k)
}
