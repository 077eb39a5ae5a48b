package normals_test

import (
	"math"
	"math/rand/v2"
	"runtime"
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

// A surface that does not wrap comes out as one that does and holds its mirror images.
func TestMirroredIsTheSameAsFourTimesTheSurface(t *testing.T) {
	m := station.Materials()[0]
	s := station.Take(m, station.Options{Px: 120, Seed: 3})
	whole := normals.Read(s.Normal.Image().Quantise(16), 0)
	const w, h = 91, 60
	f, four := normals.Field{X: raster.NewPlane(w, h), Y: raster.NewPlane(w, h), Z: raster.NewPlane(w, h)}, normals.Field{X: raster.NewPlane(2*w, 2*h), Y: raster.NewPlane(2*w, 2*h), Z: raster.NewPlane(2*w, 2*h)}
	for y := range 2 * h {
		for x := range 2 * w {
			sx, fx, sy, fy := x, float32(1), y, float32(1)
			if x >= w {
				sx, fx = 2*w-1-x, -1
			}
			if y >= h {
				sy, fy = 2*h-1-y, -1
			}
			i, j := sy*whole.X.W+sx, y*2*w+x
			four.X.Pix[j], four.Y.Pix[j], four.Z.Pix[j] = fx*whole.X.Pix[i], fy*whole.Y.Pix[i], whole.Z.Pix[i]
			if x < w && y < h {
				k := y*w + x
				f.X.Pix[k], f.Y.Pix[k], f.Z.Pix[k] = whole.X.Pix[i], whole.Y.Pix[i], whole.Z.Pix[i]
			}
		}
	}
	got, want := normals.Integrate(f, normals.Up, 0.001, 0.0012, false, normals.ByDifferences), normals.Integrate(four, normals.Up, 0.001, 0.0012, true, normals.ByDifferences)
	lo, hi := want.Range()
	for y := range h {
		for x := range w {
			if d := math.Abs(float64(got.Pix[y*w+x] - want.Pix[y*2*w+x])); d > 1e-5*float64(hi-lo) {
				t.Fatalf("at %d, %d: %.7f m against %.7f", x, y, got.Pix[y*w+x], want.Pix[y*2*w+x])
			}
		}
	}
}

// Heights of an 8K normal map must fit in memory: bytes a pixel beside the normals.
func TestIntegrationIsLean(t *testing.T) {
	const n = 2048
	f := normals.Field{X: raster.NewPlane(n, n), Y: raster.NewPlane(n, n), Z: raster.NewPlane(n, n)}
	for i := range f.Z.Pix {
		f.Z.Pix[i] = 1
	}
	for wraps, most := range map[bool]float64{true: 25, false: 12} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		normals.Integrate(f, normals.Up, 0.001, 0.001, wraps, normals.ByDifferences)
		runtime.ReadMemStats(&after)
		a := float64(after.TotalAlloc-before.TotalAlloc) / (n * n)
		t.Logf("wraps %v: %.1f bytes a pixel", wraps, a)
		if a > most {
			t.Errorf("wraps %v: %.1f bytes a pixel, not %.0f", wraps, a, most)
		}
	}
}
