package likeness

import (
	"math"
	"math/cmplx"

	"aldermoor/core/fourier"
	"aldermoor/core/raster"
)

// Shift is how far b lies from a, in pixels to the right and down, for two pictures of
// one size that wrap and show the same edges in different ways (a colour and a height,
// say): phase correlation (Kuglin & Hines 1975) of how steep they are. Trust is how far
// the best place stands out: the peak over the spread of everything else, of which
// chance gives about 5. Still is the same figure for no shift at all: a regular pattern
// fits in several places, and of those it is in its own.
func Shift(a, b raster.Plane) (dx, dy, trust, still float64) {
	if a.W != b.W || a.H != b.H || a.W < 8 || a.H < 8 {
		return 0, 0, 0, 0
	}
	w, h := a.W, a.H
	// Both in one transform.
	ea, eb := steepness(a), steepness(b)
	g := fourier.New(w, h)
	for i := range g.V {
		g.V[i] = complex(float64(ea.Pix[i]), float64(eb.Pix[i]))
	}
	g.Forward()
	out := fourier.New(w, h)
	for y := range h {
		for x := range w {
			p, q := g.V[y*w+x], cmplx.Conj(g.V[(h-y)%h*w+(w-x)%w])
			fa, fb := (p+q)/2, (p-q)/complex(0, 2)
			c := cmplx.Conj(fa) * fb
			// Fine detail is grain, which two maps do not share.
			k := math.Hypot(fourier.Frequency(x, w)/float64(w), fourier.Frequency(y, h)/float64(h))
			if m := cmplx.Abs(c); m > 1e-12 && (x > 0 || y > 0) {
				out.V[y*w+x] = c / complex(m, 0) * complex(math.Exp(-k*k*18), 0)
			}
		}
	}
	out.Inverse()
	best, sq := 0, 0.0
	for i, v := range out.V {
		if real(v) > real(out.V[best]) {
			best = i
		}
		sq += real(v) * real(v)
	}
	if sq == 0 {
		return 0, 0, 0, 0
	}
	x, y := best%w, best/w
	at := func(x, y int) float64 { return real(out.V[(y+h)%h*w+(x+w)%w]) }
	top := at(x, y)
	fx, fy := vertex(at(x-1, y), top, at(x+1, y)), vertex(at(x, y-1), top, at(x, y+1))
	rms := math.Sqrt(sq / float64(w*h))
	return fourier.Frequency(x, w) + fx, fourier.Frequency(y, h) + fy, top / rms, at(0, 0) / rms
}

// Registered is the trust from which a shift is more than chance.
const Registered = 12

// vertex is where the parabola through three samples has its top.
func vertex(l, c, r float64) float64 {
	if d := l - 2*c + r; d < 0 {
		return min(max((l-r)/(2*d), -0.5), 0.5)
	}
	return 0
}

// steepness is the length of the gradient, saturated so that no edge outweighs all
// others, with mean 0.
func steepness(p raster.Plane) raster.Plane {
	q := raster.NewPlane(p.W, p.H)
	for y := range p.H {
		row, up, down := p.Row(y), p.Row((y+p.H-1)%p.H), p.Row((y+1)%p.H)
		for x := range row {
			q.Pix[y*p.W+x] = float32(math.Hypot(float64(row[(x+1)%p.W]-row[(x+p.W-1)%p.W]), float64(down[x]-up[x])))
		}
	}
	knee := float32(2*q.Mean()) + 1e-9
	for i, v := range q.Pix {
		q.Pix[i] = v / (v + knee)
	}
	mean := float32(q.Mean())
	for i := range q.Pix {
		q.Pix[i] -= mean
	}
	return q
}
