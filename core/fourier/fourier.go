// Package fourier takes planes to frequencies and back, on every core.
//
// The transform takes a plane to repeat; pad one that does not.
package fourier

import (
	"slices"

	"aldermoor/core/raster"
)

// Grid is a plane of complex numbers, rows from the top. After Forward, column k
// holds the frequency of k cycles a width, those from W/2 on being negative; rows
// likewise.
type Grid struct {
	W, H int
	V    []complex128
}

// New returns a grid of zeros.
func New(w, h int) Grid { return Grid{w, h, make([]complex128, w*h)} }

// Of takes a plane into the upper left of a grid of w × h, the rest being zero.
func Of(p raster.Plane, w, h int) Grid {
	g := New(w, h)
	for y := range min(p.H, h) {
		for x, v := range p.Row(y)[:min(p.W, w)] {
			g.V[y*w+x] = complex(float64(v), 0)
		}
	}
	return g
}

// Forward transforms in place, Inverse back; one after the other leaves the grid as it
// was.
func (g Grid) Forward() { g.transform(false) }

// Inverse undoes Forward.
func (g Grid) Inverse() { g.transform(true) }

// lanes is how many columns are transformed side by side: memory lies in rows.
const lanes = 16

// transform goes along rows, then along columns. Back it is the same transform of the
// conjugate, conjugated and scaled.
func (g Grid) transform(back bool) {
	conjugate := func(v []complex128, scale float64) {
		for i, c := range v {
			v[i] = complex(real(c)*scale, -imag(c)*scale)
		}
	}
	raster.Rows(g.H, func(y0, y1 int) {
		p := newPlan(g.W)
		for y := y0; y < y1; y++ {
			row := g.V[y*g.W : (y+1)*g.W]
			if back {
				conjugate(row, 1)
			}
			if slices.IndexFunc(row, func(v complex128) bool { return v != 0 }) >= 0 { // padding stays zero
				p.transform(row, 1)
			}
		}
	})
	raster.Rows(g.W, func(x0, x1 int) {
		p := newPlan(g.H)
		block := make([]complex128, lanes*g.H)
		for x := x0; x < x1; x += lanes {
			n := min(lanes, x1-x)
			some := block[:n*g.H]
			for y := range g.H {
				copy(some[y*n:], g.V[y*g.W+x:y*g.W+x+n])
			}
			p.transform(some, n)
			if back {
				conjugate(some, 1/float64(g.W*g.H))
			}
			for y := range g.H {
				copy(g.V[y*g.W+x:y*g.W+x+n], some[y*n:])
			}
		}
	})
}

// Real is the real part as a plane of w × h from the upper left.
func (g Grid) Real(w, h int) raster.Plane {
	p := raster.NewPlane(w, h)
	for y := range h {
		row := p.Row(y)
		for x := range row {
			row[x] = float32(real(g.V[y*g.W+x]))
		}
	}
	return p
}

// Size is a length of at least n at which the transform is fast: of the factors 2, 3
// and 5 alone.
func Size(n int) int {
	for rest(n) > 1 {
		n++
	}
	return n
}

// rest is what is left of n without its factors 2, 3 and 5.
func rest(n int) int {
	for _, f := range []int{2, 3, 5} {
		for n%f == 0 {
			n /= f
		}
	}
	return n
}

// Frequency is the signed number of cycles that index k of n stands for.
func Frequency(k, n int) float64 {
	if 2*k > n {
		k -= n
	}
	return float64(k)
}
