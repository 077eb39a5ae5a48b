package shape

import "aldermoor/core/geom"

// Column is a round column with flat ends; Half is half its height. Its seam is behind.
type Column struct{ R, Half float32 }

// Enter implements Shape.
func (c Column) Enter(r geom.Ray, grow float32) (from, to float32, ok bool) {
	radius, half := c.R+grow, c.Half+grow
	a := r.D.X*r.D.X + r.D.Z*r.D.Z
	near := float32(0)
	if a > 1e-12 {
		near = -(r.O.X*r.D.X + r.O.Z*r.D.Z) / a
	}
	x, z := r.O.X+near*r.D.X, r.O.Z+near*r.D.Z
	k := radius*radius - x*x - z*z
	if k <= 0 {
		return 0, 0, false
	}
	from, to = -1e30, 1e30
	if a > 1e-12 {
		k = sqrt(k / a)
		from, to = near-k, near+k
	}
	if d := r.D.Y; d != 0 {
		p, q := (-half-r.O.Y)/d, (half-r.O.Y)/d
		from, to = max(from, min(p, q)), min(to, max(p, q))
	} else if abs(r.O.Y) > half {
		return 0, 0, false
	}
	from = max(from, 0)
	return from, to, from < to
}

// Locate implements Shape.
func (c Column) Locate(p geom.V3) (u, v, above, edge float32) {
	out, up := sqrt(p.X*p.X+p.Z*p.Z)-c.R, abs(p.Y)-c.Half
	if out >= up {
		return c.R * atan2(p.X, p.Z), -p.Y, out, -up
	}
	if p.Y > 0 {
		return p.X, p.Z - c.R - c.Half, up, -out
	}
	return p.X, c.Half + c.R - p.Z, up, -out
}

// Frame implements Shape.
func (c Column) Frame(p geom.V3) (t, b, n geom.V3) {
	l := sqrt(p.X*p.X + p.Z*p.Z)
	if l-c.R >= abs(p.Y)-c.Half {
		n = geom.Vec(p.X/max(l, 1e-12), 0, p.Z/max(l, 1e-12))
		return geom.Vec(n.Z, 0, -n.X), geom.Vec(0, 1, 0), n
	}
	s := float32(1)
	if p.Y < 0 {
		s = -1
	}
	return geom.Vec(1, 0, 0), geom.Vec(0, 0, -s), geom.Vec(0, s, 0)
}

// Radius implements Shape.
func (c Column) Radius() float32 { return sqrt(c.R*c.R + c.Half*c.Half) }

// Solid implements Shape.
func (c Column) Solid() bool { return true }

// Says implements Shape.
func (c Column) Says() string {
	return "column ⌀ " + metres(2*c.R) + ", " + metres(2*c.Half) + " high"
}
