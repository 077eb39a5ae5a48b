package fourier

import (
	"math"

	"aldermoor/core/raster"
)

// Mirror says how lines of real samples go on beyond their ends. Transforms of mirrored lines
// need no grid of twice the size: they work within the plane.
type Mirror int

const (
	// Even lines go on as their own mirror image: coefficient k of n is
	// Σ x[i]·cos(πk(i+½)/n), the discrete cosine transform of type II.
	Even Mirror = iota
	// Odd lines go on with their sign turned: coefficient k is Σ x[i]·sin(πk(i+½)/n).
	Odd
)

// Rows transforms each row of a plane in place.
func (m Mirror) Rows(p raster.Plane) { alongRows(p, func(t *mirrored) { t.forward(m) }) }

// Columns transforms each column of a plane in place.
func (m Mirror) Columns(p raster.Plane) { acrossColumns(p, func(t *mirrored) { t.forward(m) }) }

// Undo takes the coefficients of Even.Rows and Even.Columns back to the plane.
func Undo(p raster.Plane) {
	acrossColumns(p, (*mirrored).backEven)
	alongRows(p, (*mirrored).backEven)
}

// alongRows runs a transform on pairs of rows.
func alongRows(p raster.Plane, run func(*mirrored)) {
	raster.Rows(p.H, func(y0, y1 int) {
		t := newMirrored(p.W)
		for y := y0; y < y1; y += 2 {
			t.load(p, y, y1)
			run(t)
			t.store(p, y, y1)
		}
	})
}

// acrossColumns runs a transform on pairs of columns, by way of blocks that lie in rows.
func acrossColumns(p raster.Plane, run func(*mirrored)) {
	raster.Rows(p.W, func(x0, x1 int) {
		t := newMirrored(p.H)
		block := raster.NewPlane(p.H, lanes)
		for x := x0; x < x1; x += lanes {
			n := min(lanes, x1-x)
			for y := range p.H {
				for i, v := range p.Row(y)[x : x+n] {
					block.Pix[i*p.H+y] = v
				}
			}
			for i := 0; i < n; i += 2 {
				t.load(block, i, n)
				run(t)
				t.store(block, i, n)
			}
			for y := range p.H {
				row := p.Row(y)[x : x+n]
				for i := range row {
					row[i] = block.Pix[i*p.H+y]
				}
			}
		}
	})
}

// mirrored transforms two real lines of n samples as the parts of one complex line of 2n.
type mirrored struct {
	n    int
	plan *plan
	z    []complex128
	half []complex128 // exp(−iπk/2n)
}

func newMirrored(n int) *mirrored {
	t := &mirrored{n: n, plan: newPlan(2 * n), z: make([]complex128, 2*n), half: make([]complex128, n)}
	for k := range t.half {
		s, c := math.Sincos(math.Pi * float64(k) / float64(2*n))
		t.half[k] = complex(c, -s)
	}
	return t
}

// load takes rows y and y+1 of a plane; of the last row before end alone, the other is zero.
func (t *mirrored) load(p raster.Plane, y, end int) {
	a := p.Row(y)
	if y+1 < end {
		for i, v := range p.Row(y + 1) {
			t.z[i] = complex(float64(a[i]), float64(v))
		}
		return
	}
	for i, v := range a {
		t.z[i] = complex(float64(v), 0)
	}
}

func (t *mirrored) store(p raster.Plane, y, end int) {
	a := p.Row(y)
	for i := range a {
		a[i] = float32(real(t.z[i]))
	}
	if y+1 < end {
		for i := range p.Row(y + 1) {
			p.Row(y + 1)[i] = float32(imag(t.z[i]))
		}
	}
}

// forward leaves the coefficients in the first n of z.
func (t *mirrored) forward(m Mirror) {
	n, turn := t.n, complex(0.5, 0)
	for i := range n {
		t.z[2*n-1-i] = t.z[i]
		if m == Odd {
			t.z[2*n-1-i] = -t.z[i]
		}
	}
	if m == Odd {
		turn = complex(0, 0.5)
	}
	t.plan.transform(t.z, 1)
	for k := range n {
		t.z[k] *= t.half[k] * turn
	}
}

// backEven takes coefficients in the first n of z back to samples. Backwards the transform is
// that of the conjugate, conjugated.
func (t *mirrored) backEven() {
	n := t.n
	for k := range n {
		c := t.z[k]
		// conj(exp(iπk/2n)·2c) and, for frequency −k, conj(exp(−iπk/2n)·2c)
		c = complex(2*real(c), -2*imag(c))
		t.z[k] = c * t.half[k]
		if k > 0 {
			t.z[2*n-k] = c * complex(real(t.half[k]), -imag(t.half[k]))
		}
	}
	t.z[n] = 0
	t.plan.transform(t.z, 1)
	scale := 1 / float64(2*n)
	for i := range n {
		t.z[i] = complex(real(t.z[i])*scale, -imag(t.z[i])*scale)
	}
}
