package bsdf

import (
	"math"

	"aldermoor/core/geom"
)

// Surface is what is known of a surface at one point.
type Surface struct {
	Color      geom.V3 // base colour, linear
	Specular   geom.V3 // reflectance at normal incidence where it is no metal
	Edge       geom.V3 // of a metal: reflectance at 82° over Schlick's; 1 for Schlick's
	Roughness  float32
	Diffuse    float32 // roughness of diffuse reflection, 0..1
	Metallic   float32
	Anisotropy float32 // −1..1: how far highlights are drawn out across x

	Transmission float32 // share of what is not reflected that goes through instead of being scattered

	Coat          float32 // how much of the surface is coated, 0..1
	CoatRoughness float32
	CoatF0        float32 // reflectance at normal incidence
	CoatColor     geom.V3 // of light that passes the coat straight down and up
	CoatNormal    geom.V3 // of the coat's own surface; zero where it follows the base's

	Sheen          geom.V3
	SheenRoughness float32
}

// Scatter is a Surface prepared for one direction of view.
type Scatter struct {
	s          *Surface
	t          *Tables
	base       ggx
	fresnel    reflectance
	multi      geom.V3 // what the specular lobe returns of light that it scatters more than once
	lost       float32 // mean share that single scattering loses
	mean       geom.V3 // mean albedo of the specular lobe
	up         geom.V3 // the coat's normal
	coatCos    float32 // of wo to it
	coat       ggx
	coatF      reflectance
	coatMulti  float32
	coatLost   float32
	wo         geom.V3
	atBase     geom.V3 // what the specular lobe, the coat and the sheen return towards wo
	atCoat     float32
	atSheen    geom.V3
	whiteBase  float32 // share of single scattering towards wo
	whiteCoat  float32
	tint       geom.V3 // optical thickness of the coat, straight down and up
	coatTinted bool
	known      bool // odds are worked out
	odds       chances
}

// leastCosine keeps views off the horizon, where the lobes have no limit.
const leastCosine = 0.004

// Prepare readies a surface for wo. Surfaces may share the tables.
func (t *Tables) Prepare(s *Surface, wo geom.V3) *Scatter {
	c := &Scatter{}
	t.PrepareInto(c, s, wo)
	return c
}

// PrepareInto is Prepare into memory of the caller's.
func (t *Tables) PrepareInto(c *Scatter, s *Surface, wo geom.V3) {
	if wo.Z < leastCosine {
		wo.Z = leastCosine
		wo = wo.Unit()
	}
	*c = Scatter{s: s, t: t, wo: wo}
	c.base = lobe(s.Roughness, s.Anisotropy)
	c.fresnel = dielectric(s.Specular)
	if s.Metallic > 0 {
		c.fresnel = mix(c.fresnel, metal(s.Color, s.Edge), s.Metallic)
	}
	avg := t.baseMean(s)
	c.lost = max(1-avg.Scale-avg.Bias, 0)
	lost := c.lost
	c.multi = c.fresnel.average().Map(func(f float32) float32 { return f * f * (1 - lost) / (1 - f*lost) })
	c.mean = c.specularAlbedo(avg)
	e := t.base(wo, s)
	c.whiteBase = e.Scale + e.Bias
	c.atBase = c.specularAlbedo(e)
	if s.Coat > 0 {
		c.coat = lobe(s.CoatRoughness, 0)
		c.coatF = dielectric(geom.Grey(s.CoatF0))
		avg := t.mean(s.CoatRoughness)
		c.coatLost = max(1-avg.Scale-avg.Bias, 0)
		m := c.coatF.average().X
		c.coatMulti = m * m * (1 - c.coatLost) / (1 - m*c.coatLost)
		c.up = s.CoatNormal
		if c.up == (geom.V3{}) {
			c.up = geom.Vec(0, 0, 1)
		}
		c.coatCos = max(wo.Dot(c.up), leastCosine)
		e := t.look(c.coatCos, s.CoatRoughness)
		c.whiteCoat = e.Scale + e.Bias
		c.atCoat = c.coatAlbedo(e)
		if v := s.CoatColor; min(v.X, v.Y, v.Z) < 1 {
			c.coatTinted = true
			c.tint = v.Map(func(v float32) float32 { return -float32(math.Log(float64(clamp(v, 1e-4, 1)))) / 2 })
		}
	}
	if s.Sheen != (geom.V3{}) {
		e := t.look(wo.Z, s.SheenRoughness).Sheen
		c.atSheen = s.Sheen.Scale(e)
	}
}

// specularAlbedo is what the specular lobe returns, all scattering counted.
func (c *Scatter) specularAlbedo(e Entry) geom.V3 {
	rest := 1 - e.Scale - e.Bias
	f90 := c.fresnel.f90
	of := func(f0, dip, multi float32) float32 { return clamp(f0*e.Scale+f90*e.Bias-dip*e.Dip+multi*rest, 0, 1) }
	f0, dip, multi := c.fresnel.f0, c.fresnel.dip, c.multi
	return geom.Vec(of(f0.X, dip.X, multi.X), of(f0.Y, dip.Y, multi.Y), of(f0.Z, dip.Z, multi.Z))
}

func (c *Scatter) coatAlbedo(e Entry) float32 {
	return clamp(c.s.CoatF0*e.Scale+c.coatF.f90*e.Bias+c.coatMulti*(1-e.Scale-e.Bias), 0, 1)
}

// specular is the base's specular lobe, without layers above it.
func (c *Scatter) specular(wi, h geom.V3, oh, whiteIn float32) geom.V3 {
	single := c.base.density(h) * c.base.visibility(c.wo, wi)
	out := c.fresnel.at(oh).Scale(single)
	if c.lost > 1e-5 {
		out = out.Add(c.multi.Scale((1 - c.whiteBase) * (1 - whiteIn) / (c.lost * math.Pi)))
	}
	return out
}

// Reflected is the BRDF times the cosine of wi, per component; zero below the horizon.
func (c *Scatter) Reflected(wi geom.V3) geom.V3 {
	if wi.Z <= 0 {
		return geom.V3{}
	}
	return c.reflected(wi, wi.Add(c.wo).Unit())
}

// reflected is Reflected above the horizon; h is half way between wi and wo.
func (c *Scatter) reflected(wi, h geom.V3) geom.V3 {
	s := c.s
	oh := c.wo.Dot(h)
	in := c.t.base(wi, s)
	spec := c.specular(wi, h, oh, in.Scale+in.Bias)
	atIn := c.specularAlbedo(in)
	out := spec
	scattered := (1 - s.Metallic) * (1 - s.Transmission)
	if scattered > 0 {
		left := func(here, there, mean float32) float32 { return (1 - here) * (1 - there) / max(1-mean, 1e-3) }
		under := geom.Vec(left(c.atBase.X, atIn.X, c.mean.X), left(c.atBase.Y, atIn.Y, c.mean.Y), left(c.atBase.Z, atIn.Z, c.mean.Z))
		out = out.Add(diffuse(s.Color, s.Diffuse, c.wo, wi).Times(under).Scale(scattered))
	}
	if s.Coat > 0 {
		out = out.Scale(1 - s.Coat*c.atCoat)
		if c.coatTinted {
			out = out.Times(c.absorbed(wi.Dot(c.up)))
		}
		out = out.Scale(wi.Z)
		if lobe := c.coatLobe(wi, h); lobe > 0 {
			out = out.Add(geom.Grey(lobe))
		}
	} else {
		out = out.Scale(wi.Z)
	}
	if s.Sheen != (geom.V3{}) {
		lobe := sheen(h.Z, c.wo.Z, wi.Z, s.SheenRoughness) * wi.Z
		out = out.Times(geom.Grey(1).Sub(c.atSheen)).Add(s.Sheen.Scale(lobe))
	}
	return out
}

// coatLobe is the coat's reflection times the cosine of wi to its normal.
func (c *Scatter) coatLobe(wi, h geom.V3) float32 {
	s, nl := c.s, wi.Dot(c.up)
	if nl <= 0 {
		return 0
	}
	lobe := c.coat.even(h.Dot(c.up)) * c.coat.visible(c.coatCos, nl) * c.coatF.at(c.wo.Dot(h)).X
	if c.coatLost > 1e-5 {
		e := c.t.look(nl, s.CoatRoughness)
		lobe += c.coatMulti * (1 - c.whiteCoat) * (1 - e.Scale - e.Bias) / (c.coatLost * math.Pi)
	}
	return lobe * s.Coat * nl
}

// absorbed is what the coat's colour leaves of light that comes and goes on slanted ways.
func (c *Scatter) absorbed(nl float32) geom.V3 {
	way := c.inside(max(nl, 0)) + c.inside(c.coatCos)
	out := c.tint.Map(func(v float32) float32 { return float32(math.Exp(-float64(v * way))) })
	return geom.Mix(geom.Grey(1), out, c.s.Coat)
}

// inside is how much longer than straight down light travels in the coat, bent by an index of 1.5.
func (c *Scatter) inside(cos float32) float32 {
	return 1 / sqrt(1-(1-cos*cos)/2.25)
}

// Shares is what a surface returns of a white sky, apart for each way: for pictures that look up
// prefiltered light in place of integrating. Transmitted is the share that goes through.
type Shares struct {
	Specular, Diffuse, Transmitted, Sheen geom.V3
	Coat                                  float32 // of all components; under a coloured sheen, their mean
}

// Shares are those towards wo, with the layers above taken off.
func (c *Scatter) Shares() (out Shares) {
	s := c.s
	out.Specular = c.atBase
	scattered := (1 - s.Metallic) * (1 - s.Transmission)
	if scattered > 0 {
		out.Diffuse = diffuseReturn(s.Color, s.Diffuse, c.wo.Z)
	}
	left := geom.Grey(1).Sub(c.atBase)
	out.Diffuse = out.Diffuse.Times(left).Scale(scattered)
	if s.Transmission > 0 {
		out.Transmitted = left.Times(s.Color).Scale((1 - s.Metallic) * s.Transmission)
	}
	over := geom.Grey(1)
	if s.Coat > 0 {
		k := 1 - s.Coat*c.atCoat
		over = over.Scale(k)
		if c.coatTinted {
			over = over.Times(c.absorbed(c.coatCos))
		}
		out.Coat = s.Coat * c.atCoat
	}
	if s.Sheen != (geom.V3{}) {
		over = over.Times(geom.Grey(1).Sub(c.atSheen))
		out.Coat *= 1 - c.atSheen.Mean()
		out.Sheen = c.atSheen
	}
	out.Specular, out.Diffuse, out.Transmitted = out.Specular.Times(over), out.Diffuse.Times(over), out.Transmitted.Times(over)
	return out
}
