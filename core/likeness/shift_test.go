package likeness_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/likeness"
	"aldermoor/core/raster"
	"aldermoor/core/station"
)

func moved(p raster.Plane, dx, dy int) raster.Plane {
	out := raster.NewPlane(p.W, p.H)
	for y := range p.H {
		for x := range p.W {
			out.Pix[y*p.W+x] = p.At(x-dx, y-dy)
		}
	}
	return out
}

// A colour against the height of the same scan, moved by up to 12 pixels: where the answer is trusted it is right to half
// a pixel, and unmoved maps are not taken for moved ones.
func TestMapsOutOfRegister(t *testing.T) {
	rng := rand.New(rand.NewPCG(51, 52))
	trusted, asked := 0, 0
	for i, m := range station.Materials() {
		px := 320
		if i%9 == 4 { // so large that half the size is compared
			px = 760
		}
		s := station.Take(m, station.Options{Px: px, Seed: 3})
		light := lightness(s)
		for _, to := range [][2]int{{0, 0}, {10, 0}, {rng.IntN(25) - 12, rng.IntN(25) - 12}} {
			dx, dy, trust, _ := likeness.Shift(s.Height, moved(light, to[0], to[1]))
			asked++
			if trust < likeness.Registered {
				continue
			}
			trusted++
			if off := math.Hypot(dx-float64(to[0]), dy-float64(to[1])); off > 0.5 {
				t.Errorf("%s moved by %v: found at %.2f %.2f (trust %.1f)", m.Slug, to, dx, dy, trust)
			}
		}
	}
	t.Logf("%d of %d answers were trusted", trusted, asked)
	if trusted < asked*6/10 {
		t.Errorf("only %d of %d answers were trusted", trusted, asked)
	}
}
