package bsdf

import (
	"math"

	"aldermoor/core/geom"
)

func sqrt(v float32) float32          { return float32(math.Sqrt(float64(v))) }
func pow(a, b float32) float32        { return float32(math.Pow(float64(a), float64(b))) }
func clamp(v, lo, hi float32) float32 { return min(max(v, lo), hi) }
func fifth(v float32) float32         { s := v * v; return s * s * v }

// reflectance is Fresnel's term of an interface: Schlick's, less a dip towards the rim
// (Lazányi & Szirmay-Kalos 2005, with the dip given by the reflectance at 82°, Kutz et al. 2021). An interface that
// reflects nothing straight on, as between two of one index, reflects nothing at the rim either.
type reflectance struct {
	f0  geom.V3
	f90 float32 // at the rim: 1, but 0 where nothing is reflected
	dip geom.V3 // zero for Schlick's
}

// dielectric is the reflectance by f0 of what is no metal.
func dielectric(f0 geom.V3) reflectance {
	if f0 == (geom.V3{}) {
		return reflectance{}
	}
	return reflectance{f0: f0, f90: 1}
}

// rim is the cosine at which the reflectance of a metal is stated: 1/7, at about 82°.
const rim = 1.0 / 7

// metal is the reflectance of a metal by f0, and by edge: its reflectance at 82° over that
// of Schlick's.
func metal(f0, edge geom.V3) reflectance {
	const weight = rim * (6. / 7) * (6. / 7) * (6. / 7) * (6. / 7) * (6. / 7) * (6. / 7)
	dip := func(f0, edge float32) float32 {
		// More than white at no angle: (1 − f0)·(1 − k⁵) is left above Schlick's, which is 5·c·(1 − f0) near the rim.
		return max((f0+(1-f0)*fifth(1-rim))*(1-edge)/weight, -5*(1-f0))
	}
	return reflectance{f0, 1, geom.Vec(dip(f0.X, edge.X), dip(f0.Y, edge.Y), dip(f0.Z, edge.Z))}
}

// at is the reflectance for the cosine between direction and microfacet.
func (r reflectance) at(c float32) geom.V3 {
	k := 1 - c
	k2 := k * k
	k5 := k2 * k2 * k
	dip := c * k5 * k
	of := func(f0, d float32) float32 { return clamp(f0+(r.f90-f0)*k5-d*dip, 0, 1) }
	return geom.Vec(of(r.f0.X, r.dip.X), of(r.f0.Y, r.dip.Y), of(r.f0.Z, r.dip.Z))
}

// average is the reflectance over the hemisphere, weighted by the cosine.
func (r reflectance) average() geom.V3 {
	of := func(f0, d float32) float32 { return f0 + (r.f90-f0)/21 - d/126 }
	return geom.Vec(of(r.f0.X, r.dip.X), of(r.f0.Y, r.dip.Y), of(r.f0.Z, r.dip.Z))
}

// mix is between two reflectances.
func mix(a, b reflectance, t float32) reflectance {
	return reflectance{geom.Mix(a.f0, b.f0, t), a.f90 + (b.f90-a.f90)*t, geom.Mix(a.dip, b.dip, t)}
}

// NormalReflectance is the reflectance at normal incidence of a smooth interface with air, by
// its index of refraction.
func NormalReflectance(index float32) float32 {
	r := (index - 1) / (index + 1)
	return r * r
}

// Conductor is the reflectance of unpolarised light from a smooth metal of complex index n + ik at
// the cosine c of incidence. Source: Fresnel's equations, exact.
func Conductor(c, n, k float64) float64 {
	c2 := c * c
	s2 := 1 - c2
	t0 := n*n - k*k - s2
	ab := math.Sqrt(t0*t0 + 4*n*n*k*k)
	t1 := ab + c2
	a := math.Sqrt(max(0, (ab+t0)/2))
	t2 := 2 * a * c
	rs := (t1 - t2) / (t1 + t2)
	t3 := c2*ab + s2*s2
	t4 := t2 * s2
	return (rs + rs*(t3-t4)/(t3+t4)) / 2
}

// Metal is a metal's reflectance at normal incidence and its Edge, from complex indices at
// red, green and blue.
func Metal(n, k [3]float64) (f0, edge geom.V3) {
	var at, rest [3]float32
	for i := range at {
		at[i] = float32(Conductor(1, n[i], k[i]))
		schlick := float64(at[i]) + (1-float64(at[i]))*math.Pow(1-rim, 5)
		rest[i] = float32(Conductor(rim, n[i], k[i]) / schlick)
	}
	return geom.From(at), geom.From(rest)
}

// Dielectric is the reflectance of unpolarised light at the cosine c of incidence, from the side
// whose index is eta times the other's. Source: Fresnel's equations, exact.
func Dielectric(c, eta float32) float32 {
	s2 := eta * eta * (1 - c*c)
	if s2 >= 1 {
		return 1
	}
	t := sqrt(1 - s2)
	rs := (eta*c - t) / (eta*c + t)
	rp := (c - eta*t) / (c + eta*t)
	return (rs*rs + rp*rp) / 2
}
