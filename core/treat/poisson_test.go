package treat

import (
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/raster"
)

// laplacian is the five-point one, with the edges that poisson promises.
func laplacian(u raster.Plane, wraps [2]bool) raster.Plane {
	at := func(x, y int) float32 {
		if !wraps[0] {
			x = min(max(x, 0), u.W-1)
		}
		if !wraps[1] {
			y = min(max(y, 0), u.H-1)
		}
		return u.At(x, y)
	}
	out := raster.NewPlane(u.W, u.H)
	for y := range u.H {
		for x := range u.W {
			out.Pix[y*u.W+x] = at(x-1, y) + at(x+1, y) + at(x, y-1) + at(x, y+1) - 4*u.At(x, y)
		}
	}
	return out
}

// The Laplacian of the answer is what was asked for: to rounding where it is solved in one
// go, and along a line of sources, the case that it is for, to a hundredth by the cascade.
func TestPoissonSolves(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for _, c := range []struct {
		w, h  int
		wraps [2]bool
		most  float64
	}{{64, 48, [2]bool{true, true}, 1e-5}, {61, 50, [2]bool{true, false}, 1e-5}, {37, 37, [2]bool{false, false}, 1e-5},
		{701, 500, [2]bool{true, true}, 0.02}, {641, 903, [2]bool{true, false}, 0.02}} {
		f := raster.NewPlane(c.w, c.h)
		var sum float32
		for y := range c.h { // what a cut with a jump leaves: sources and sinks side by side
			x := c.w/3 + int(5*math.Sin(float64(y)/7))
			v := rng.Float32() - 0.3
			f.Pix[y*c.w+x] += v
			f.Pix[y*c.w+x+1] -= v
			sum += v - v
		}
		u := poisson(f, c.wraps)
		got := laplacian(u, c.wraps)
		var off, all float64
		for i, v := range f.Pix {
			off += float64(got.Pix[i]-v) * float64(got.Pix[i]-v)
			all += float64(v) * float64(v)
		}
		if r := math.Sqrt(off / all); r > c.most {
			t.Errorf("%d × %d %v: what was asked for is missed by %.4f of it", c.w, c.h, c.wraps, r)
		}
		if m := u.Mean(); math.Abs(m) > 1e-3 {
			t.Errorf("%d × %d: the mean is %g", c.w, c.h, m)
		}
	}
}
