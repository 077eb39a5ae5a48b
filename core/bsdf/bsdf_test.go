package bsdf

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
)

func grey(v float32) geom.V3 { return geom.Grey(v) }

func towards(c float32) geom.V3 { return geom.Vec(sqrt(1-c*c), 0, c) }

func plain() Surface {
	return Surface{Color: grey(1), Specular: grey(0.04), Edge: grey(1), Roughness: 0.5, CoatColor: grey(1), CoatF0: 0.04}
}

// hemisphere integrates f over directions above z, by the midpoint rule.
func hemisphere(f func(d geom.V3) geom.V3) (sum geom.V3) {
	const rows, columns = 300, 600
	for i := range rows {
		z := (float64(i) + 0.5) / rows
		r := math.Sqrt(1 - z*z)
		for j := range columns {
			sin, cos := math.Sincos(2 * math.Pi * (float64(j) + 0.5) / columns)
			sum = sum.Add(f(geom.Vec(float32(r*cos), float32(r*sin), float32(z))))
		}
	}
	return sum.Scale(2 * math.Pi / (rows * columns))
}

// returned is what comes back of a white sky, by n samples.
func returned(c *Scatter, n int) (sum geom.V3) {
	rng := rand.New(rand.NewPCG(1, 2))
	for i := range n {
		u, v := hammersley(i, n)
		_, w, _, _ := c.Sample(u, v, rng.Float32(), true, 1)
		sum = sum.Add(w)
	}
	return sum.Scale(1 / float32(n))
}

// A white surface under a white sky returns all of it: dielectrics and metals of every roughness,
// rough diffuse reflection, coats and sheens.
func TestWhiteFurnace(t *testing.T) {
	tables := Shared()
	worst := float32(0)
	check := func(what string, s Surface) {
		t.Helper()
		for _, c := range []float32{0.1, 0.25, 0.5, 0.8, 1} {
			got := returned(tables.Prepare(&s, towards(c)), 1<<13).Y
			worst = max(worst, max(got-1, 1-got))
			if got < 0.99 || got > 1.01 {
				t.Errorf("%s at cosine %.2f returns %.4f", what, c, got)
			}
		}
	}
	for i := range 11 {
		r := float32(i) / 10
		s := plain()
		s.Roughness = r
		check(fmt.Sprintf("a dielectric of roughness %.1f", r), s)
		s.Diffuse = r
		check(fmt.Sprintf("a rough diffuse dielectric of roughness %.1f", r), s)
		s.Diffuse, s.Transmission = 0, 1
		check(fmt.Sprintf("a transmitting dielectric of roughness %.1f", r), s)
		s = plain()
		s.Roughness, s.Metallic = r, 1
		check(fmt.Sprintf("a metal of roughness %.1f", r), s)
		for _, under := range []float32{0.1, 0.4, 0.7, 1} {
			for _, metallic := range []float32{0, 1} {
				s = plain()
				s.Roughness, s.Metallic, s.Coat, s.CoatRoughness = under, metallic, 1, r
				check(fmt.Sprintf("a coat of roughness %.1f over roughness %.1f, metallic %.0f", r, under, metallic), s)
				if metallic == 0 {
					s.Coat, s.Sheen, s.SheenRoughness = 0, grey(1), r
					check(fmt.Sprintf("a sheen of roughness %.1f over roughness %.1f", r, under), s)
				}
			}
		}
	}
	t.Logf("largest departure from 1: %.4f", worst)
}

func samples() (list []Surface) {
	rng := rand.New(rand.NewPCG(3, 4))
	for range 40 {
		s := plain()
		s.Color = geom.Vec(rng.Float32(), rng.Float32(), rng.Float32())
		s.Roughness, s.Diffuse, s.Metallic, s.Anisotropy = 0.3+0.7*rng.Float32(), rng.Float32(), rng.Float32(), rng.Float32()*1.6-0.8
		s.Coat, s.CoatRoughness, s.CoatColor = rng.Float32(), 0.3+0.7*rng.Float32(), geom.Vec(1, 0.8, 0.5)
		s.Sheen, s.SheenRoughness = grey(rng.Float32()), rng.Float32()
		s.Transmission, s.Edge = rng.Float32(), grey(0.9)
		list = append(list, s)
	}
	return list
}

// Swapping the light and the eye changes nothing, of surfaces without layers above the base.
func TestReciprocity(t *testing.T) {
	tables := Shared()
	rng := rand.New(rand.NewPCG(5, 6))
	direction := func() geom.V3 {
		return geom.Vec(float32(rng.NormFloat64()), float32(rng.NormFloat64()), float32(math.Abs(rng.NormFloat64()))+0.05).Unit()
	}
	for k, s := range samples() {
		s.Coat, s.Sheen = 0, geom.V3{}
		for range 20 {
			a, b := direction(), direction()
			x, y := tables.Prepare(&s, a).Reflected(b).Scale(1/b.Z), tables.Prepare(&s, b).Reflected(a).Scale(1/a.Z)
			for i := range 3 {
				if d := math.Abs(float64(x.Axis(i) - y.Axis(i))); d > 1e-3*float64(x.Axis(i))+1e-5 {
					t.Fatalf("surface %d from %v to %v: %v, back %v", k, a, b, x, y)
				}
			}
		}
	}
}

// Samples have the density that they state, and no surface returns more than it receives.
func TestSamplesAreTheIntegral(t *testing.T) {
	tables := Shared()
	for k, s := range samples() {
		s.Transmission = 0 // what goes through has no density
		c := tables.Prepare(&s, towards(0.3+0.6*float32(k)/40))
		whole := hemisphere(c.Reflected)
		pdf := hemisphere(func(d geom.V3) geom.V3 { return grey(c.Pdf(d)) }).X
		drawn := returned(c, 1<<16)
		if pdf > 1.005 {
			t.Errorf("surface %d: the density adds up to %.4f", k, pdf)
		}
		for i, v := range whole.Array() {
			if v > 1.005 {
				t.Errorf("surface %d returns %.4f", k, v)
			}
			if d := math.Abs(float64(v - drawn.Axis(i))); d > 0.006 {
				t.Errorf("surface %d: samples give %v, integration %v", k, drawn, whole)
				break
			}
		}
	}
}

// What pictures look up is what numeric integration of the same lobes gives, within half a per cent.
func TestSharesAreTheIntegral(t *testing.T) {
	tables := Shared()
	worst := 0.0
	for _, rough := range []float32{0.35, 0.5, 0.75, 1} {
		for _, c := range []float32{0.2, 0.4, 0.7, 0.95} {
			for _, m := range []float32{0, 1} {
				s := plain()
				s.Color, s.Roughness, s.Metallic = geom.Vec(0.9, 0.6, 0.3), rough, m
				sc := tables.Prepare(&s, towards(c))
				shares := sc.Shares()
				want := hemisphere(sc.Reflected)
				got := shares.Specular.Add(shares.Diffuse)
				for i, v := range got.Array() {
					d := math.Abs(float64(v - want.Axis(i)))
					worst = max(worst, d)
					if d > 0.005 {
						t.Errorf("roughness %.2f, cosine %.2f, metallic %.0f: %v, integrated %v", rough, c, m, got, want)
						break
					}
				}
			}
		}
	}
	t.Logf("largest difference: %.4f of the light", worst)
}

// Metals reflect what the exact equations of their complex indices say, at normal incidence and at
// 82°, within ΔE 2.
func TestMetals(t *testing.T) {
	for name, c := range map[string]struct{ n, k [3]float64 }{
		"gold":     {[3]float64{0.18299, 0.42108, 1.3734}, [3]float64{3.4242, 2.3459, 1.7704}},
		"copper":   {[3]float64{0.27105, 0.67693, 1.3164}, [3]float64{3.6092, 2.6248, 2.2921}},
		"chromium": {[3]float64{3.1071, 3.1812, 2.3230}, [3]float64{3.3314, 3.3291, 3.1350}},
	} {
		f0, edge := Metal(c.n, c.k)
		r := metal(f0, edge)
		for _, cos := range []float32{1, 0.9, 0.7, 0.5, 0.3, rim, 0.05} {
			got := r.at(cos)
			var want colour.RGB
			for i := range want {
				want[i] = float32(Conductor(float64(cos), c.n[i], c.k[i]))
			}
			d := colour.Difference(got.Array(), want)
			if d > 2 {
				t.Errorf("%s at cosine %.2f: %v, exact %v: ΔE %.2f", name, cos, got, want, d)
			}
		}
	}
}

// Light that goes through a plate obeys Snell's law, and comes out as it went in.
func TestRefract(t *testing.T) {
	up := geom.Vec(0, 0, 1)
	w := towards(0.5)
	in, ok := Refract(w, up, 1/1.5)
	if sin := -in.X; !ok || math.Abs(float64(sin*1.5-w.X)) > 1e-5 {
		t.Errorf("%v goes on as %v", w, in)
	}
	if out, ok := Refract(in.Scale(-1), up, 1.5); !ok || out.Add(w).Length() > 1e-5 && out.Sub(w.Scale(-1)).Length() > 1e-5 {
		t.Errorf("%v comes out as %v", w, out)
	}
	if _, ok := Refract(w, up, 1.5); ok {
		t.Error("beyond the critical angle nothing gets out")
	}
}

func BenchmarkReflected(b *testing.B) {
	t := Shared()
	s := plain()
	var c Scatter
	for b.Loop() {
		t.PrepareInto(&c, &s, towards(0.7))
		c.Reflected(towards(0.5))
	}
}

// An interface between two of one index reflects nothing, and the edge of a metal is never more than white.
func TestReflectanceStaysInBounds(t *testing.T) {
	for i := range 101 {
		c := float32(i) / 100
		if r := dielectric(grey(NormalReflectance(1))).at(c); r != (geom.V3{}) {
			t.Errorf("index 1 reflects %v at %.2f", r, c)
		}
		for _, f0 := range []float32{0.02, 0.3, 0.9, 1} {
			for _, edge := range []float32{0.5, 1, 1.5, 4} {
				m := metal(grey(f0), grey(edge))
				k := 1 - c
				whole := f0 + (1-f0)*fifth(k) - m.dip.X*c*fifth(k)*k
				if whole > 1.0001 || whole < -0.2 {
					t.Errorf("f0 %.2f, edge %.1f: %.4f at %.2f", f0, edge, whole, c)
				}
				if a := m.average().X; a > 1.0001 {
					t.Errorf("f0 %.2f, edge %.1f: mean %.4f", f0, edge, a)
				}
			}
		}
	}
	s := plain()
	s.Specular, s.Color = geom.V3{}, geom.V3{}
	if got := returned(Shared().Prepare(&s, towards(0.05)), 1<<10).Y; got != 0 {
		t.Errorf("black of index 1 returns %.4f", got)
	}
}
