package geom

import "math"

// Ray starts at O and goes along D, whose length is the unit of distances along it.
type Ray struct{ O, D V3 }

// At is the point at distance t.
func (r Ray) At(t float32) V3 { return r.O.Add(r.D.Scale(t)) }

// Triangle has its corners counter-clockwise seen from the front.
type Triangle struct{ A, B, C V3 }

// Normal is the unit normal of the front; zero for a triangle without area.
func (t Triangle) Normal() V3 { return t.B.Sub(t.A).Cross(t.C.Sub(t.A)).Unit() }

// Area is the triangle's.
func (t Triangle) Area() float32 { return t.B.Sub(t.A).Cross(t.C.Sub(t.A)).Length() / 2 }

// Bounds is the smallest box around the triangle.
func (t Triangle) Bounds() Box { return Empty().With(t.A).With(t.B).With(t.C) }

// Hit is where a ray meets the triangle from either side: the distance along the ray, and
// the weights of B and C at that point (that of A is 1 − u − v). Source: Möller & Trumbore
// 1997.
func (t Triangle) Hit(r Ray) (at, u, v float32, ok bool) {
	e, f := t.B.Sub(t.A), t.C.Sub(t.A)
	p := r.D.Cross(f)
	det := e.Dot(p)
	if det > -1e-12 && det < 1e-12 {
		return 0, 0, 0, false
	}
	s := r.O.Sub(t.A)
	u = s.Dot(p) / det
	if u < 0 || u > 1 {
		return 0, 0, 0, false
	}
	q := s.Cross(e)
	v = r.D.Dot(q) / det
	if v < 0 || u+v > 1 {
		return 0, 0, 0, false
	}
	at = f.Dot(q) / det
	return at, u, v, at >= 0
}

// Box is a volume between two corners, its sides along the axes.
type Box struct{ Min, Max V3 }

// Empty holds nothing: it grows to whatever is added.
func Empty() Box {
	inf := float32(math.Inf(1))
	return Box{Vec(inf, inf, inf), Vec(-inf, -inf, -inf)}
}

// With is the box grown to hold a point.
func (b Box) With(p V3) Box {
	return Box{b.Min.Min(p), b.Max.Max(p)}
}

// Union is the smallest box around both.
func (b Box) Union(o Box) Box {
	return Box{b.Min.Min(o.Min), b.Max.Max(o.Max)}
}

// Centre is the middle of the box.
func (b Box) Centre() V3 { return Mix(b.Min, b.Max, 0.5) }

// Size is the box's extent along each axis; negative for an empty one.
func (b Box) Size() V3 { return b.Max.Sub(b.Min) }

// Hit is the stretch of a ray that lies in the box, from distance 0 on.
func (b Box) Hit(r Ray) (from, to float32, ok bool) {
	from, to = 0, float32(math.Inf(1))
	from, to = within(r.O.X, r.D.X, b.Min.X, b.Max.X, from, to)
	from, to = within(r.O.Y, r.D.Y, b.Min.Y, b.Max.Y, from, to)
	from, to = within(r.O.Z, r.D.Z, b.Min.Z, b.Max.Z, from, to)
	if from > to {
		return 0, 0, false
	}
	return from, to, true
}

// within cuts a stretch down to what lies between two planes across one axis: from > to if nothing does.
func within(o, d, lo, hi, from, to float32) (float32, float32) {
	if d == 0 {
		if o < lo || o > hi {
			return 1, 0
		}
		return from, to
	}
	a, c := (lo-o)/d, (hi-o)/d
	return max(from, min(a, c)), min(to, max(a, c))
}
