package bsdf

import (
	"math"

	"aldermoor/core/geom"
)

// ggx is a distribution of microfacets with a roughness α along each tangent (Walter et al.
// 2007; anisotropic as Burley 2012).
type ggx struct{ x, y float32 }

// leastAlpha keeps the lobe of a polished surface within float32.
const leastAlpha = 0.0004

// lobe is the distribution for a perceptual roughness, stretched along x by the anisotropy in
// −1..1 (0 for none).
func lobe(roughness, anisotropy float32) ggx {
	a := roughness * roughness
	return ggx{max(a*(1+anisotropy), leastAlpha), max(a*(1-anisotropy), leastAlpha)}
}

// density is D: the share of microfacets that face h.
func (g ggx) density(h geom.V3) float32 {
	x, y := h.X/g.x, h.Y/g.y
	d := x*x + y*y + h.Z*h.Z
	return 1 / (math.Pi * g.x * g.y * d * d)
}

func (g ggx) stretched(w geom.V3) float32 {
	return sqrt(g.x*g.x*w.X*w.X + g.y*g.y*w.Y*w.Y + w.Z*w.Z)
}

// visibility is G/(4·cos·cos), Smith's, with masking and shadowing correlated by height (Heitz 2014).
func (g ggx) visibility(wo, wi geom.V3) float32 {
	return 0.5 / max(wi.Z*g.stretched(wo)+wo.Z*g.stretched(wi), 1e-9)
}

// even and visible are density and visibility by cosines alone, of a lobe that is not stretched.
func (g ggx) even(nh float32) float32 {
	// (1 − cos²)/α² + cos² keeps its digits where α is small.
	d := max(1-nh*nh, 0)/(g.x*g.x) + nh*nh
	return 1 / (math.Pi * g.x * g.x * d * d)
}

func (g ggx) visible(nv, nl float32) float32 {
	a := g.x * g.x
	return 0.5 / max(nl*sqrt(a+(1-a)*nv*nv)+nv*sqrt(a+(1-a)*nl*nl), 1e-9)
}

// pdf is that of sample, as a density of wi.
func (g ggx) pdf(wo, h geom.V3) float32 {
	return g.density(h) / (2 * (wo.Z + g.stretched(wo)))
}

// sample is a microfacet that wo sees, for two numbers in 0..1 (Dupuy & Benyoub 2023).
func (g ggx) sample(wo geom.V3, u, v float32) geom.V3 {
	w := geom.Vec(wo.X*g.x, wo.Y*g.y, wo.Z).Unit()
	sin, cos := math.Sincos(2 * math.Pi * float64(u))
	z := (1-v)*(1+w.Z) - w.Z
	r := sqrt(max(0, 1-z*z))
	h := geom.Vec(r*float32(cos)+w.X, r*float32(sin)+w.Y, z+w.Z)
	return geom.Vec(h.X*g.x, h.Y*g.y, max(h.Z, 1e-7)).Unit()
}

// Facet is a microfacet of the distribution of a roughness, seen from straight above.
type Facet struct {
	Half    geom.V3
	Density float32 // of the direction that it mirrors the viewer to
}

// Facets are n microfacets drawn evenly by their density: what light is prefiltered with.
func Facets(roughness float32, n int) []Facet {
	g, up := lobe(roughness, 0), geom.Vec(0, 0, 1)
	list := make([]Facet, n)
	for i := range list {
		u, v := hammersley(i, n)
		h := g.sample(up, u, v)
		list[i] = Facet{h, g.pdf(up, h)}
	}
	return list
}

// FacetAround is a microfacet of a roughness on a surface of normal n that w sees, for two numbers
// in 0..1.
func FacetAround(n, w geom.V3, roughness, u, v float32) geom.V3 {
	if roughness*roughness < leastAlpha {
		return n
	}
	t, b := geom.Frame(n)
	h := lobe(roughness, 0).sample(geom.Vec(w.Dot(t), w.Dot(b), max(w.Dot(n), leastCosine)).Unit(), u, v)
	return t.Scale(h.X).Add(b.Scale(h.Y)).Add(n.Scale(h.Z))
}
