package shape

import (
	"aldermoor/core/geom"
)

// Box has flat faces; Half are half its sides. The map goes from the front over the edges to
// the other faces without a break. Relief is let down to the edges.
type Box struct {
	Half geom.V3
	name string
}

// Enter implements Shape.
func (b Box) Enter(r geom.Ray, grow float32) (from, to float32, ok bool) {
	h := b.Half.Add(geom.Grey(grow))
	return geom.Box{Min: h.Scale(-1), Max: h}.Hit(r)
}

// side is the face that a point is above: its axis, and how far above it.
func (b Box) side(p geom.V3) (axis int, above float32) {
	x, y, z := abs(p.X)-b.Half.X, abs(p.Y)-b.Half.Y, abs(p.Z)-b.Half.Z
	switch {
	case z >= x && z >= y:
		return 2, z
	case x >= y:
		return 0, x
	}
	return 1, y
}

// Locate implements Shape.
func (b Box) Locate(p geom.V3) (u, v, above, edge float32) {
	axis, above := b.side(p)
	h := b.Half
	edge = endless
	for k, away := range [3]float32{h.X - abs(p.X), h.Y - abs(p.Y), h.Z - abs(p.Z)} {
		if k != axis {
			edge = min(edge, away)
		}
	}
	switch axis {
	case 2:
		if p.Z > 0 {
			return p.X, -p.Y, above, edge
		}
		return 2*h.X + 2*h.Z - p.X, -p.Y, above, edge
	case 0:
		if p.X > 0 {
			return h.X + h.Z - p.Z, -p.Y, above, edge
		}
		return p.Z - h.Z - h.X, -p.Y, above, edge
	}
	if p.Y > 0 {
		return p.X, p.Z - h.Z - h.Y, above, edge
	}
	return p.X, h.Y + h.Z - p.Z, above, edge
}

// Frame implements Shape.
func (b Box) Frame(p geom.V3) (t, bt, n geom.V3) {
	axis, _ := b.side(p)
	s := float32(1)
	if p.Axis(axis) < 0 {
		s = -1
	}
	switch axis {
	case 2:
		return geom.Vec(s, 0, 0), geom.Vec(0, 1, 0), geom.Vec(0, 0, s)
	case 0:
		return geom.Vec(0, 0, -s), geom.Vec(0, 1, 0), geom.Vec(s, 0, 0)
	}
	return geom.Vec(1, 0, 0), geom.Vec(0, 0, -s), geom.Vec(0, s, 0)
}

// Radius implements Shape.
func (b Box) Radius() float32 { return b.Half.Length() }

// Solid implements Shape.
func (b Box) Solid() bool { return true }

// Says implements Shape.
func (b Box) Says() string {
	if b.name == "block" {
		return "block " + metres(2*b.Half.X) + " a side"
	}
	return b.name + " " + metres(2*b.Half.X) + " a side"
}

// Flat is a plane at z = 0, without end, seen from straight above; Side is how much of it a
// picture shows.
type Flat struct{ Side float32 }

// Enter implements Shape.
func (f Flat) Enter(r geom.Ray, grow float32) (from, to float32, ok bool) {
	if r.D.Z >= 0 {
		return 0, 0, false
	}
	at := (grow - r.O.Z) / r.D.Z
	return max(at, 0), max(at, 0) + 1e6, true
}

// Locate implements Shape.
func (f Flat) Locate(p geom.V3) (u, v, above, edge float32) { return p.X, -p.Y, p.Z, endless }

// Frame implements Shape.
func (f Flat) Frame(geom.V3) (t, b, n geom.V3) {
	return geom.Vec(1, 0, 0), geom.Vec(0, 1, 0), geom.Vec(0, 0, 1)
}

// Radius implements Shape.
func (f Flat) Radius() float32 { return f.Side / 2 }

// Solid implements Shape.
func (f Flat) Solid() bool { return false }

// Says implements Shape.
func (f Flat) Says() string { return "swatch " + metres(f.Side) + " across" }
