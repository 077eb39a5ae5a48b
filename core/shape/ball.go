package shape

import (
	"math"

	"aldermoor/core/geom"
)

// Ball has its poles above and below. Lengths are true along its equator and every meridian;
// towards the poles the map is drawn together, and relief ends. Its seam is behind.
type Ball struct{ R float32 }

// Enter implements Shape.
func (b Ball) Enter(r geom.Ray, grow float32) (from, to float32, ok bool) {
	return enterBall(r, b.R+grow)
}

func enterBall(r geom.Ray, radius float32) (from, to float32, ok bool) {
	// Seen from the point nearest to the middle, no digits are lost far away.
	near := -r.O.Dot(r.D)
	p := r.At(near)
	k := radius*radius - p.Dot(p)
	if k <= 0 {
		return 0, 0, false
	}
	k = sqrt(k)
	if near+k <= 0 {
		return 0, 0, false
	}
	return max(near-k, 0), near + k, true
}

// Locate implements Shape.
func (b Ball) Locate(p geom.V3) (u, v, above, edge float32) {
	u, v, out, length := b.Place(p.X, p.Y, p.Z)
	return u, v, length - b.R, out
}

// Place is Locate of (x, y, z) without the height, and how far the point is from the axis and the middle.
func (b Ball) Place(x, y, z float32) (u, v, out, length float32) {
	out = sqrt(x*x + z*z)
	length = sqrt(out*out + y*y)
	return b.R * atan2(x, z), -b.R * atan2(y, out), out, length
}

// Frame implements Shape.
func (b Ball) Frame(p geom.V3) (t, bt, n geom.V3) {
	n = p.Unit()
	t = geom.Vec(n.Z, 0, -n.X)
	if l := t.Length(); l > 1e-5 {
		t = t.Scale(1 / l)
	} else {
		t = geom.Vec(1, 0, 0)
	}
	return t, n.Cross(t), n
}

// Radius implements Shape.
func (b Ball) Radius() float32 { return b.R }

// Solid implements Shape.
func (b Ball) Solid() bool { return true }

// Says implements Shape.
func (b Ball) Says() string { return "ball ⌀ " + metres(2*b.R) }

// atan2 is the angle of (x, y) from the direction of y, within 1e-5 rad: a polynomial for the arc tangent
// (Abramowitz & Stegun 4.4.49 with two more terms).
func atan2(x, y float32) float32 {
	a, b := abs(x), abs(y)
	lo, hi := min(a, b), max(a, b)
	q := lo / max(hi, 1e-20)
	s := q * q
	r := q * (0.99997726 + s*(-0.33262347+s*(0.19354346+s*(-0.11643287+s*(0.05265332-s*0.01172120)))))
	if a > b {
		r = math.Pi/2 - r
	}
	if y < 0 {
		r = math.Pi - r
	}
	if x < 0 {
		return -r
	}
	return r
}
