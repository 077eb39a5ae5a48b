package geom

import (
	"encoding/json"
	"math"
)

// V3 is a point, direction or colour. It is a struct because the compiler keeps those in
// registers, and arrays in memory.
type V3 struct{ X, Y, Z float32 }

// Vec is the vector of three components.
func Vec(x, y, z float32) V3 { return V3{x, y, z} }

// Grey has the same value in all components.
func Grey(v float32) V3 { return V3{v, v, v} }

// From is the vector of an array.
func From(a [3]float32) V3 { return V3{a[0], a[1], a[2]} }

// Array has the components in order.
func (a V3) Array() [3]float32 { return [3]float32{a.X, a.Y, a.Z} }

// MarshalJSON writes the components in order.
func (a V3) MarshalJSON() ([]byte, error) { return json.Marshal(a.Array()) }

// Axis is component k: 0 for x.
func (a V3) Axis(k int) float32 {
	switch k {
	case 0:
		return a.X
	case 1:
		return a.Y
	}
	return a.Z
}

// Set changes component k.
func (a *V3) Set(k int, v float32) { *[...]*float32{&a.X, &a.Y, &a.Z}[k] = v }

// Map is f of each component.
func (a V3) Map(f func(float32) float32) V3 { return V3{f(a.X), f(a.Y), f(a.Z)} }

// Min and Max are the smaller and the larger of each component.
func (a V3) Min(b V3) V3 { return V3{min(a.X, b.X), min(a.Y, b.Y), min(a.Z, b.Z)} }
func (a V3) Max(b V3) V3 { return V3{max(a.X, b.X), max(a.Y, b.Y), max(a.Z, b.Z)} }

// Mean is that of the components.
func (a V3) Mean() float32 { return (a.X + a.Y + a.Z) / 3 }

// Add is a + b.
func (a V3) Add(b V3) V3 { return Vec(a.X+b.X, a.Y+b.Y, a.Z+b.Z) }

// Sub is a − b.
func (a V3) Sub(b V3) V3 { return Vec(a.X-b.X, a.Y-b.Y, a.Z-b.Z) }

// Scale is a times k.
func (a V3) Scale(k float32) V3 { return Vec(a.X*k, a.Y*k, a.Z*k) }

// Times is a times b, component by component.
func (a V3) Times(b V3) V3 { return Vec(a.X*b.X, a.Y*b.Y, a.Z*b.Z) }

// Dot is the scalar product.
func (a V3) Dot(b V3) float32 { return a.X*b.X + a.Y*b.Y + a.Z*b.Z }

// Cross is the vector product.
func (a V3) Cross(b V3) V3 {
	return Vec(a.Y*b.Z-a.Z*b.Y, a.Z*b.X-a.X*b.Z, a.X*b.Y-a.Y*b.X)
}

// Length is a's length.
func (a V3) Length() float32 { return float32(math.Sqrt(float64(a.Dot(a)))) }

// Unit is a at a length of 1; zero stays zero.
func (a V3) Unit() V3 { return a.Scale(1 / max(a.Length(), 1e-9)) }

// Mix goes from a (t = 0) to b (t = 1).
func Mix(a, b V3, t float32) V3 { return a.Scale(1 - t).Add(b.Scale(t)) }

// Frame gives two unit vectors at right angles to the unit vector n and to each other.
func Frame(n V3) (t, b V3) {
	up := Vec(0, 1, 0)
	if n.Y > 0.99 || n.Y < -0.99 {
		up = Vec(1, 0, 0)
	}
	t = up.Cross(n).Unit()
	return t, n.Cross(t)
}
