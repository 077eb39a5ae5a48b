package light

import (
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/raster"
)

func lum(c geom.V3) float64 { return float64(colour.Luminance(c.Array())) }

// Every direction lies on the face, at the place, that it came from; a texel's own direction gives its value.
func TestCubeDirections(t *testing.T) {
	c := newCube(8)
	c.fill(func(d geom.V3) geom.V3 { return d })
	for f := range 6 {
		for y := range 8 {
			for x := range 8 {
				d := c.direction(f, x, y).Unit()
				if c.At(d).Sub(d).Length() > 1e-5 {
					t.Fatalf("face %d at %d, %d: %v became %v", f, x, y, d, c.At(d))
				}
			}
		}
	}
	rng := rand.New(rand.NewPCG(1, 2))
	for range 2000 { // between texels and over edges it stays near
		d := geom.Vec(float32(rng.NormFloat64()), float32(rng.NormFloat64()), float32(rng.NormFloat64())).Unit()
		if c.At(d).Sub(d).Length() > 0.03 {
			t.Fatalf("%v became %v", d, c.At(d))
		}
	}
	sum := 0.0
	for y := range 8 {
		for x := range 8 {
			sum += 6 * float64(c.solidAngle(x, y))
		}
	}
	if math.Abs(sum/(4*math.Pi)-1) > 0.01 {
		t.Errorf("the texels add up to %.4f of the sphere", sum/(4*math.Pi))
	}
}

func TestLevelAndRoughnessAreInverse(t *testing.T) {
	for i := range LevelCount {
		if got := Level(Roughness(i)); math.Abs(float64(got)-float64(i)) > 1e-4 {
			t.Errorf("level %d has roughness %.4f, which is level %.4f", i, Roughness(i), got)
		}
	}
}

// Even light stays even however it is filtered, and a white surface returns it.
func TestNeutral(t *testing.T) {
	e := Named("neutral")
	for _, d := range []geom.V3{geom.Vec(0, 1, 0), geom.Vec(1, 0, 0), geom.Vec(0.3, -0.5, 0.2)} {
		for _, r := range []float32{0, 0.3, 1} {
			if got := e.Reflected(d.Unit(), r); math.Abs(lum(got)-1) > 1e-4 {
				t.Errorf("from %v at roughness %.1f: %v", d, r, got)
			}
		}
		if got := e.Irradiance(d.Unit()); math.Abs(lum(got)-1) > 1e-3 {
			t.Errorf("irradiance of %v: %v", d, got)
		}
	}
}

// A sky that is bright by the cosine from straight up has a known irradiance: 2/3 facing it, 1/4 sideways.
func TestIrradiance(t *testing.T) {
	base := newCube(Size)
	base.fill(func(d geom.V3) geom.V3 { v := max(d.Y, 0); return geom.Grey(v) })
	e := prepare("", 1, base, Sun{}, false)
	for n, want := range map[geom.V3]float64{geom.Vec(0, 1, 0): 2. / 3, geom.Vec(1, 0, 0): 2 / (3 * math.Pi)} {
		// Nine harmonics of this sky are within a few per cent of the exact integral.
		if got := lum(e.Irradiance(n)); math.Abs(got-want) > 0.02 {
			t.Errorf("normal %v: %.4f, want %.4f", n, got, want)
		}
	}
}

// Every scene has the brightness that the package states, and something to see in all directions.
func TestScenes(t *testing.T) {
	ids, titles := Scenes()
	if len(ids) != len(titles) || Named("") != nil {
		t.Fatal("ids and titles")
	}
	for _, id := range ids {
		e := Named(id)
		got := lum(e.Irradiance(facing)) + lum(e.Sun.Irradiance)*float64(max(facing.Dot(e.Sun.Direction), 0))
		if math.Abs(got-1) > 0.01 || e.White <= 0 {
			t.Errorf("%s: a white surface returns %.3f", id, got)
		}
		if l := lum(e.Levels[LevelCount-1].At(geom.Vec(0, 0, 1))); l < 0.02 {
			t.Errorf("%s: face-on metal would be black: %.4f", id, l)
		}
		for _, c := range e.Levels {
			for _, v := range c.pix {
				if !(v.X >= 0 && v.Y >= 0 && v.Z >= 0) || math.IsInf(float64(v.X), 0) {
					t.Fatalf("%s: light %v", id, v)
				}
			}
		}
	}
}

// Directions are drawn with the density that is stated, and give the integral of the light.
func TestSample(t *testing.T) {
	for _, id := range []string{"window", "lantern"} {
		e := Named(id)
		rng := rand.New(rand.NewPCG(3, 4))
		const n = 200000
		var drawn, even, whole float64
		off := 0
		for range n {
			d, light, pdf := e.Sample(rng.Float32(), rng.Float32(), rng.Float32())
			drawn += lum(light) / float64(pdf) / n
			if again := e.Pdf(d); math.Abs(float64(again/pdf)-1) > 1e-3 {
				off++
			}
			q := geom.Vec(float32(rng.NormFloat64()), float32(rng.NormFloat64()), float32(rng.NormFloat64())).Unit()
			even += lum(e.Radiance(q)) * 4 * math.Pi / n
			whole += float64(e.Pdf(q)) * 4 * math.Pi / n
		}
		if math.Abs(drawn/even-1) > 0.05 || math.Abs(whole-1) > 0.05 {
			t.Errorf("%s: %.3f by importance, %.3f evenly; the density adds up to %.3f", id, drawn, even, whole)
		}
		if off > n/1000 { // on the rim of a texel, the next one may be found
			t.Errorf("%s: %d of %d directions are met with another density than drawn", id, off, n)
		}
	}
}

// A picture's sun becomes a sun at its place, with its light; without one, there is none.
func TestPictureWithSun(t *testing.T) {
	const w, h = 512, 256
	want := geom.Vec(0.5, 0.5, -0.7).Unit()
	var rgb [3]raster.Plane
	p := panorama{w: w, h: h}
	for c := range rgb {
		rgb[c] = raster.NewPlane(w, h)
	}
	light := 0.0
	for y := range h {
		for x := range w {
			d := p.direction(x, y)
			for c := range rgb {
				rgb[c].Row(y)[x] = 0.2
				if d.Dot(want) > float32(math.Cos(0.02)) {
					rgb[c].Row(y)[x] = 5000
				}
			}
			if d.Dot(want) > float32(math.Cos(0.02)) {
				light += 5000 * math.Cos(math.Asin(float64(d.Y))) * 2 * math.Pi / w * math.Pi / h / math.Pi
			}
		}
	}
	_, sun := takeSun(rgb)
	if sun.Direction.Dot(want) < 0.9998 || math.Abs(lum(sun.Irradiance)/light-1) > 0.02 || sun.Radius < 0.01 || sun.Radius > 0.03 {
		t.Errorf("sun %v; want %v with %.2f", sun, want, light)
	}
	for c := range rgb {
		for i, v := range rgb[c].Pix {
			rgb[c].Pix[i] = min(v, 0.5)
		}
	}
	if _, sun = takeSun(rgb); sun.Radius != 0 {
		t.Errorf("an even sky has the sun %v", sun)
	}
}

func BenchmarkScene(b *testing.B) {
	for b.Loop() {
		window()
	}
}
