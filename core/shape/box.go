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
	h := b.Half.Add(geom.V3{grow, grow, grow})
	return geom.Box{Min: h.Scale(-1), Max: h}.Hit(r)
}

// side is the face that a point is above: its axis, and how far above it.
func (b Box) side(p geom.V3) (axis int, above float32) {
	x, y, z := abs(p[0])-b.Half[0], abs(p[1])-b.Half[1], abs(p[2])-b.Half[2]
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
	for k := range 3 {
		if k != axis {
			edge = min(edge, h[k]-abs(p[k]))
		}
	}
	switch axis {
	case 2:
		if p[2] > 0 {
			return p[0], -p[1], above, edge
		}
		return 2*h[0] + 2*h[2] - p[0], -p[1], above, edge
	case 0:
		if p[0] > 0 {
			return h[0] + h[2] - p[2], -p[1], above, edge
		}
		return p[2] - h[2] - h[0], -p[1], above, edge
	}
	if p[1] > 0 {
		return p[0], p[2] - h[2] - h[1], above, edge
	}
	return p[0], h[1] + h[2] - p[2], above, edge
}

// Frame implements Shape.
func (b Box) Frame(p geom.V3) (t, bt, n geom.V3) {
	axis, _ := b.side(p)
	s := float32(1)
	if p[axis] < 0 {
		s = -1
	}
	switch axis {
	case 2:
		return geom.V3{s, 0, 0}, geom.V3{0, 1, 0}, geom.V3{0, 0, s}
	case 0:
		return geom.V3{0, 0, -s}, geom.V3{0, 1, 0}, geom.V3{s, 0, 0}
	}
	return geom.V3{1, 0, 0}, geom.V3{0, 0, -s}, geom.V3{0, s, 0}
}

// Radius implements Shape.
func (b Box) Radius() float32 { return b.Half.Length() }

// Solid implements Shape.
func (b Box) Solid() bool { return true }

// Says implements Shape.
func (b Box) Says() string {
	if b.name == "block" {
		return "block " + metres(2*b.Half[0]) + " a side"
	}
	return b.name + " " + metres(2*b.Half[0]) + " a side"
}

// Flat is a plane at z = 0, without end, seen from straight above; Side is how much of it a
// picture shows.
type Flat struct{ Side float32 }

// Enter implements Shape.
func (f Flat) Enter(r geom.Ray, grow float32) (from, to float32, ok bool) {
	if r.D[2] >= 0 {
		return 0, 0, false
	}
	at := (grow - r.O[2]) / r.D[2]
	return max(at, 0), max(at, 0) + 1e6, true
}

// Locate implements Shape.
func (f Flat) Locate(p geom.V3) (u, v, above, edge float32) { return p[0], -p[1], p[2], endless }

// Frame implements Shape.
func (f Flat) Frame(geom.V3) (t, b, n geom.V3) {
	return geom.V3{1, 0, 0}, geom.V3{0, 1, 0}, geom.V3{0, 0, 1}
}

// Radius implements Shape.
func (f Flat) Radius() float32 { return f.Side / 2 }

// Solid implements Shape.
func (f Flat) Solid() bool { return false }

// Says implements Shape.
func (f Flat) Says() string { return "swatch " + metres(f.Side) + " across" }
