package geom_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/geom"
)

func close(a, b float32) bool { return math.Abs(float64(a-b)) < 1e-4 }

func TestVectors(t *testing.T) {
	a, b := geom.Vec(1, 2, 3), geom.Vec(-2, 0.5, 4)
	c := a.Cross(b)
	if !close(c.Dot(a), 0) || !close(c.Dot(b), 0) || !close(c.Dot(c), a.Dot(a)*b.Dot(b)-a.Dot(b)*a.Dot(b)) {
		t.Errorf("the vector product is %v", c)
	}
	if a.Sub(b).Add(b) != a || a.Times(b) != (geom.Vec(-2, 1, 12)) || geom.Mix(a, b, 0) != a || (geom.V3{}).Unit() != (geom.V3{}) {
		t.Error("sums and products")
	}
	rng := rand.New(rand.NewPCG(1, 2))
	for range 200 {
		n := geom.Vec(float32(rng.NormFloat64()), float32(rng.NormFloat64()), float32(rng.NormFloat64())).Unit()
		u, v := geom.Frame(n)
		if !close(n.Length(), 1) || !close(u.Length(), 1) || !close(v.Length(), 1) || !close(u.Dot(v), 0) || !close(u.Dot(n), 0) || !close(u.Cross(v).Dot(n), -1) && !close(u.Cross(v).Dot(n), 1) {
			t.Fatalf("the frame of %v is %v, %v", n, u, v)
		}
	}
}

// A ray aimed at a point of known weights meets it there; one aimed beside the triangle does not.
func TestTriangleHit(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	point := func() geom.V3 {
		return geom.Vec(rng.Float32()*4-2, rng.Float32()*4-2, rng.Float32()*4-2)
	}
	for range 500 {
		tri := geom.Triangle{A: point(), B: point(), C: point()}
		if tri.Area() < 0.1 {
			continue
		}
		u, v := rng.Float32(), rng.Float32()
		inside := u+v < 1
		p := tri.A.Add(tri.B.Sub(tri.A).Scale(u)).Add(tri.C.Sub(tri.A).Scale(v))
		from := p.Add(tri.Normal().Scale(2)).Add(tri.B.Sub(tri.A).Scale(0.3))
		at, gu, gv, ok := tri.Hit(geom.Ray{O: from, D: p.Sub(from)})
		if ok != inside && math.Abs(float64(u+v-1)) > 1e-3 {
			t.Fatalf("weights %.3f and %.3f: hit is %v", u, v, ok)
		}
		if ok && (math.Abs(float64(at-1)) > 1e-3 || math.Abs(float64(gu-u)) > 1e-3 || math.Abs(float64(gv-v)) > 1e-3) {
			t.Fatalf("met at %.4f, %.4f, %.4f; want 1, %.4f, %.4f", at, gu, gv, u, v)
		}
		if _, _, _, ok := tri.Hit(geom.Ray{O: from, D: from.Sub(p)}); ok {
			t.Fatal("a ray that goes away meets the triangle")
		}
	}
}

func TestBox(t *testing.T) {
	b := geom.Triangle{A: geom.Grey(0), B: geom.Vec(2, 0, 1), C: geom.Vec(0, 4, 0)}.Bounds()
	if b.Min != (geom.Grey(0)) || b.Max != (geom.Vec(2, 4, 1)) || b.Centre() != (geom.Vec(1, 2, 0.5)) || b.Size() != (geom.Vec(2, 4, 1)) {
		t.Errorf("%v", b)
	}
	if b.Union(geom.Empty()) != b {
		t.Error("nothing changes a box")
	}
	for _, c := range []struct {
		r        geom.Ray
		from, to float32
		ok       bool
	}{
		{geom.Ray{O: geom.Vec(-1, 1, 0.5), D: geom.Vec(1, 0, 0)}, 1, 3, true},
		{geom.Ray{O: geom.Vec(1, 1, 0.5), D: geom.Vec(0, 1, 0)}, 0, 3, true},
		{geom.Ray{O: geom.Vec(-1, 5, 0.5), D: geom.Vec(1, 0, 0)}, 0, 0, false},
		{geom.Ray{O: geom.Vec(5, 1, 0.5), D: geom.Vec(1, 0, 0)}, 0, 0, false},
	} {
		from, to, ok := b.Hit(c.r)
		if ok != c.ok || ok && (!close(from, c.from) || !close(to, c.to)) {
			t.Errorf("%v: %v to %v, %v", c.r, from, to, ok)
		}
	}
}

func ExampleTriangle_Hit() {
	floor := geom.Triangle{A: geom.Grey(0), B: geom.Vec(0, 0, 4), C: geom.Vec(4, 0, 0)}
	at, _, _, ok := floor.Hit(geom.Ray{O: geom.Vec(1, 3, 1), D: geom.Vec(0, -1, 0)})
	fmt.Println(at, ok)
	// Output: 3 true
}
