package shape_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/geom"
	"aldermoor/core/shape"
)

func all(t *testing.T) map[string]shape.Shape {
	out := map[string]shape.Shape{}
	for _, name := range shape.Names {
		s, err := shape.New(name, 1)
		if err != nil {
			t.Fatal(err)
		}
		out[name] = s
	}
	return out
}

// surface are points on a shape, met by rays from all around.
func surface(s shape.Shape, n int) (list []geom.V3) {
	rng := rand.New(rand.NewPCG(1, 2))
	for len(list) < n {
		o := geom.Vec(float32(rng.NormFloat64()), float32(rng.NormFloat64()), float32(math.Abs(rng.NormFloat64()))+0.2).Unit().Scale(3)
		to := geom.Vec(rng.Float32()-0.5, rng.Float32()-0.5, rng.Float32()-0.5).Scale(0.8)
		r := geom.Ray{O: o, D: to.Sub(o).Unit()}
		from, end, ok := s.Enter(r, 0)
		if !ok {
			continue
		}
		// The drape's surface lies within its bounds.
		for at, i := from, 0; i < 4000 && at < end; i++ {
			if _, _, above, _ := s.Locate(r.At(at)); above < 1e-4 {
				list = append(list, r.At(at))
				break
			}
			at += 1e-3
		}
		if s.Solid() && len(list) > 0 {
			list[len(list)-1] = r.At(from)
		}
	}
	return list
}

// Lengths on the map are lengths on the surface: a step along a tangent is as long on the map, but along
// a ball's parallels, which are drawn together towards the poles.
func TestLengthsAreTrue(t *testing.T) {
	for name, s := range all(t) {
		worst := 0.0
		for _, p := range surface(s, 300) {
			tangent, up, n := s.Frame(p)
			for _, v := range []geom.V3{tangent, up, n} {
				if math.Abs(float64(v.Length())-1) > 1e-4 {
					t.Fatalf("%s: the frame at %v is not of unit length", name, p)
				}
			}
			if math.Abs(float64(tangent.Dot(n)))+math.Abs(float64(up.Dot(n))) > 1e-3 {
				t.Fatalf("%s: tangents at %v are not at right angles to the normal", name, p)
			}
			const d = 0.002
			_, _, _, edge := s.Locate(p)
			if edge < 0.02 {
				continue
			}
			u0, v0, _, _ := s.Locate(p.Sub(tangent.Scale(d)))
			u1, v1, _, _ := s.Locate(p.Add(tangent.Scale(d)))
			if math.Abs(float64(u1-u0)) > 0.1 {
				continue // over the seam
			}
			across := math.Hypot(float64(u1-u0), float64(v1-v0)) / (2 * d)
			u0, v0, _, _ = s.Locate(p.Sub(up.Scale(d)))
			u1, v1, _, _ = s.Locate(p.Add(up.Scale(d)))
			down := math.Hypot(float64(u1-u0), float64(v1-v0)) / (2 * d)
			if v1 >= v0 && name != "drape" {
				t.Fatalf("%s at %v: up on the shape is not up on the map", name, p)
			}
			if name == "ball" {
				across *= math.Hypot(float64(p.X), float64(p.Z)) / 0.5
			}
			worst = max(worst, math.Abs(across-1), math.Abs(down-1))
		}
		limit := 0.01
		if name == "drape" { // true where folds are as deep as usual; they deepen downwards
			limit = 0.2
		}
		if worst > limit {
			t.Errorf("%s: lengths are off by up to %.1f %%", name, 100*worst)
		}
	}
}

// A ray enters where the surface is, grown as asked.
func TestEnter(t *testing.T) {
	for name, s := range all(t) {
		if name == "drape" {
			continue // its bounds are a box
		}
		for _, p := range surface(s, 100) {
			if _, _, above, _ := s.Locate(p); math.Abs(float64(above)) > 1e-4 {
				t.Fatalf("%s: a ray meets it %.5f above", name, above)
			}
			_, _, n := s.Frame(p)
			r := geom.Ray{O: p.Add(n.Scale(1)), D: n.Scale(-1)}
			from, _, ok := s.Enter(r, 0.05)
			if !ok || math.Abs(float64(from)-0.95) > 1e-3 {
				t.Fatalf("%s at %v: grown by 5 cm it is met after %.4f m", name, p, from)
			}
		}
	}
}

func TestNew(t *testing.T) {
	if _, err := shape.New("cone", 1); err == nil {
		t.Error("there is no cone")
	}
	if _, err := shape.New("ball", 0); err == nil {
		t.Error("a ball of nothing")
	}
	for repeat, want := range map[float64]float64{1.71: 1, 1: 1, 0.6: 0.5, 0.05: 0.1, 9: 4} {
		if got := shape.NaturalSize(repeat); got != want {
			t.Errorf("for a repeat of %g m: %g, want %g", repeat, got, want)
		}
	}
}

func ExampleNew() {
	s, _ := shape.New("column", 2)
	fmt.Println(s.Says())
	// Output: column ⌀ 1.00 m, 2.00 m high
}
