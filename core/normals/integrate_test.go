package normals_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/station"
)

// An analytic surface comes back to a ten-thousandth of its depth, whichever way green points.
func TestWavesAreIntegratedExactly(t *testing.T) {
	const w, h = 96, 64
	const px, py = 0.002, 0.003 // metres a pixel
	f := normals.Field{X: raster.NewPlane(w, h), Y: raster.NewPlane(w, h), Z: raster.NewPlane(w, h)}
	height := func(x, y float64) float64 {
		return 0.004*math.Sin(2*math.Pi*3*x/w)*math.Cos(2*math.Pi*2*y/h) + 0.001*math.Cos(2*math.Pi*5*y/h)
	}
	for _, d := range []normals.Direction{normals.Up, normals.Down} {
		for y := range h {
			for x := range w {
				const e = 1e-4
				p := (height(float64(x)+e, float64(y)) - height(float64(x)-e, float64(y))) / (2 * e * px)
				q := (height(float64(x), float64(y)+e) - height(float64(x), float64(y)-e)) / (2 * e * py)
				l := math.Sqrt(p*p + q*q + 1)
				i := y*w + x
				f.X.Pix[i], f.Y.Pix[i], f.Z.Pix[i] = float32(-p/l), float32(float64(d)*q/l), float32(1/l)
			}
		}
		for _, wraps := range []bool{true, false} {
			got := normals.Integrate(f, d, px, py, wraps, normals.Exactly)
			worst := 0.0
			for y := range h {
				for x := range w {
					worst = max(worst, math.Abs(float64(got.Pix[y*w+x])-height(float64(x), float64(y))))
				}
			}
			limit := 2e-6
			if !wraps {
				limit = 2e-4 // the mirrored slopes have a kink
			}
			if worst > limit {
				t.Errorf("%v, wraps %v: %.7f m off", d, wraps, worst)
			}
		}
	}
}

// The stations' surfaces at random sizes, 8 or 16 bits, whole or cropped: their depth from the normals alone.
func TestDepthFromNormalsAlone(t *testing.T) {
	rng := rand.New(rand.NewPCG(41, 42))
	for i, m := range station.Materials() {
		px := 256 + rng.IntN(200)
		s := station.Take(m, station.Options{Px: px, Seed: uint32(i)})
		bits := 8 + 8*(i%2)
		f := normals.Read(s.Normal.Image().Quantise(bits), 0)
		got := normals.Integrate(f, normals.Up, m.Size.W/float64(s.W), m.Size.H/float64(s.H), true, normals.ByDifferences)
		lo, hi := got.Range()
		// A slope below half a step of 8 bits is lost: two ten-thousandths of the width.
		allowed := 0.08 * s.Depth
		if bits == 8 {
			allowed += 0.0002 * m.Size.W
		}
		if off := float64(hi-lo) - s.Depth; math.Abs(off) > allowed {
			t.Errorf("%s, %d px, %d bits: %.2f mm against %.2f", m.Slug, px, bits, 1000*(hi-lo), 1000*s.Depth)
		}
	}
}
