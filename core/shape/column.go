package shape

import "aldermoor/core/geom"

// Column is a round column with flat ends; Half is half its height. Its seam is behind.
type Column struct{ R, Half float32 }

// Enter implements Shape.
func (c Column) Enter(r geom.Ray, grow float32) (from, to float32, ok bool) {
	radius, half := c.R+grow, c.Half+grow
	a := r.D[0]*r.D[0] + r.D[2]*r.D[2]
	near := float32(0)
	if a > 1e-12 {
		near = -(r.O[0]*r.D[0] + r.O[2]*r.D[2]) / a
	}
	x, z := r.O[0]+near*r.D[0], r.O[2]+near*r.D[2]
	k := radius*radius - x*x - z*z
	if k <= 0 {
		return 0, 0, false
	}
	from, to = -1e30, 1e30
	if a > 1e-12 {
		k = sqrt(k / a)
		from, to = near-k, near+k
	}
	if d := r.D[1]; d != 0 {
		p, q := (-half-r.O[1])/d, (half-r.O[1])/d
		from, to = max(from, min(p, q)), min(to, max(p, q))
	} else if abs(r.O[1]) > half {
		return 0, 0, false
	}
	from = max(from, 0)
	return from, to, from < to
}

// Locate implements Shape.
func (c Column) Locate(p geom.V3) (u, v, above, edge float32) {
	out, up := sqrt(p[0]*p[0]+p[2]*p[2])-c.R, abs(p[1])-c.Half
	if out >= up {
		return c.R * atan2(p[0], p[2]), -p[1], out, -up
	}
	if p[1] > 0 {
		return p[0], p[2] - c.R - c.Half, up, -out
	}
	return p[0], c.Half + c.R - p[2], up, -out
}

// Frame implements Shape.
func (c Column) Frame(p geom.V3) (t, b, n geom.V3) {
	l := sqrt(p[0]*p[0] + p[2]*p[2])
	if l-c.R >= abs(p[1])-c.Half {
		n = geom.V3{p[0] / max(l, 1e-12), 0, p[2] / max(l, 1e-12)}
		return geom.V3{n[2], 0, -n[0]}, geom.V3{0, 1, 0}, n
	}
	s := float32(1)
	if p[1] < 0 {
		s = -1
	}
	return geom.V3{1, 0, 0}, geom.V3{0, 0, -s}, geom.V3{0, s, 0}
}

// Radius implements Shape.
func (c Column) Radius() float32 { return sqrt(c.R*c.R + c.Half*c.Half) }

// Solid implements Shape.
func (c Column) Solid() bool { return true }

// Says implements Shape.
func (c Column) Says() string {
	return "column ⌀ " + metres(2*c.R) + ", " + metres(2*c.Half) + " high"
}
