package geom

import "math"

// V3 is a point, direction or colour.
type V3 [3]float32

// Add is a + b.
func (a V3) Add(b V3) V3 { return V3{a[0] + b[0], a[1] + b[1], a[2] + b[2]} }

// Sub is a − b.
func (a V3) Sub(b V3) V3 { return V3{a[0] - b[0], a[1] - b[1], a[2] - b[2]} }

// Scale is a times k.
func (a V3) Scale(k float32) V3 { return V3{a[0] * k, a[1] * k, a[2] * k} }

// Times is a times b, component by component.
func (a V3) Times(b V3) V3 { return V3{a[0] * b[0], a[1] * b[1], a[2] * b[2]} }

// Dot is the scalar product.
func (a V3) Dot(b V3) float32 { return a[0]*b[0] + a[1]*b[1] + a[2]*b[2] }

// Cross is the vector product.
func (a V3) Cross(b V3) V3 {
	return V3{a[1]*b[2] - a[2]*b[1], a[2]*b[0] - a[0]*b[2], a[0]*b[1] - a[1]*b[0]}
}

// Length is a's length.
func (a V3) Length() float32 { return float32(math.Sqrt(float64(a.Dot(a)))) }

// Unit is a at a length of 1; zero stays zero.
func (a V3) Unit() V3 { return a.Scale(1 / max(a.Length(), 1e-9)) }

// Mix goes from a (t = 0) to b (t = 1).
func Mix(a, b V3, t float32) V3 { return a.Scale(1 - t).Add(b.Scale(t)) }

// Frame gives two unit vectors at right angles to the unit vector n and to each other.
func Frame(n V3) (t, b V3) {
	up := V3{0, 1, 0}
	if n[1] > 0.99 || n[1] < -0.99 {
		up = V3{1, 0, 0}
	}
	t = up.Cross(n).Unit()
	return t, n.Cross(t)
}
