// Package fourier takes planes to frequencies and back, on every core.
//
// It is a thin layer over gonum's one-dimensional transform: rows, then columns.
// Planes are periodic by nature of the transform; whoever wants otherwise pads them.
package fourier

import "aldermoor/core/raster"

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
func (g Grid) Inverse() {
	g.transform(true)
	k := complex(1/float64(g.W*g.H), 0)
	for i := range g.V {
		g.V[i] *= k
	}
}

func (g Grid) transform(back bool) {
	raster.Rows(g.H, func(y0, y1 int) {
		t := newLine(g.W)
		for y := y0; y < y1; y++ {
			t.transform(g.V[y*g.W:(y+1)*g.W], back)
		}
	})
	raster.Rows(g.W, func(x0, x1 int) {
		t := newLine(g.H)
		// Several columns at a time, as memory lies in rows.
		const block = 8
		cols := make([]complex128, block*g.H)
		for x := x0; x < x1; x += block {
			n := min(block, x1-x)
			for y := range g.H {
				for i := range n {
					cols[i*g.H+y] = g.V[y*g.W+x+i]
				}
			}
			for i := range n {
				t.transform(cols[i*g.H:(i+1)*g.H], back)
			}
			for y := range g.H {
				for i := range n {
					g.V[y*g.W+x+i] = cols[i*g.H+y]
				}
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
