package bsdf

import (
	"math"

	"aldermoor/core/geom"
)

// chances are how often each lobe is drawn.
type chances struct{ specular, diffuse, coat, through float32 }

func (c *Scatter) chances() chances {
	if c.known {
		return c.odds
	}
	c.known, c.odds = true, c.work()
	return c.odds
}

func (c *Scatter) work() chances {
	shares := c.Shares()
	k := chances{shares.Specular.Mean(), shares.Diffuse.Mean() + shares.Sheen.Mean(), shares.Coat, shares.Transmitted.Mean()}
	// Little is mirrored of much light: a lamp in a polished surface is seen before all else.
	if floor := 0.25 * (1 - c.s.Roughness) * (k.specular + k.diffuse + k.coat + k.through); k.specular > 0 {
		k.specular = max(k.specular, floor)
	}
	sum := k.specular + k.diffuse + k.coat + k.through
	if sum <= 0 {
		return chances{diffuse: 1}
	}
	return chances{k.specular / sum, k.diffuse / sum, k.coat / sum, k.through / sum}
}

// Sample draws a direction for three numbers in 0..1. weight is the scattered light a unit of
// incoming light, over pdf; through says that wi goes to the other side (wi.Z < 0 where index
// bends it, or straight on where thin), with pdf 0, as it is not to be met by chance. Where
// nothing is scattered weight is zero.
func (c *Scatter) Sample(u, v, pick float32, thin bool, eta float32) (wi, weight geom.V3, pdf float32, through bool) {
	k := c.chances()
	switch {
	case pick < k.through:
		shares := c.Shares()
		weight = shares.Transmitted.Scale(1 / k.through)
		h := c.base.sample(c.wo, u, v)
		if thin { // a lobe as wide as that of reflection, around the way straight on
			wi = h.Scale(2 * c.wo.Dot(h)).Sub(c.wo)
			if wi.Z <= 0 {
				return c.wo.Scale(-1), weight, 0, true
			}
			return geom.Vec(wi.X, wi.Y, -wi.Z), weight, 0, true
		}
		wi, ok := Refract(c.wo, h, eta)
		if !ok { // total internal reflection
			return h.Scale(2 * c.wo.Dot(h)).Sub(c.wo), weight, 0, false
		}
		return wi, weight, 0, true
	case pick < k.through+k.specular:
		h := c.base.sample(c.wo, u, v)
		wi = h.Scale(2 * c.wo.Dot(h)).Sub(c.wo)
	case pick < k.through+k.specular+k.coat:
		t, b := geom.Frame(c.up)
		wo := geom.Vec(c.wo.Dot(t), c.wo.Dot(b), c.coatCos).Unit()
		h := c.coat.sample(wo, u, v)
		h = t.Scale(h.X).Add(b.Scale(h.Y)).Add(c.up.Scale(h.Z))
		wi = h.Scale(2 * c.wo.Dot(h)).Sub(c.wo)
	default:
		r, phi := math.Sqrt(float64(u)), 2*math.Pi*float64(v)
		sin, cos := math.Sincos(phi)
		wi = geom.Vec(float32(r*cos), float32(r*sin), sqrt(max(0, 1-u)))
	}
	if wi.Z <= 0 {
		return wi, geom.V3{}, 0, false
	}
	h := wi.Add(c.wo).Unit()
	pdf = c.pdf(k, wi, h)
	if pdf <= 0 {
		return wi, geom.V3{}, 0, false
	}
	return wi, c.reflected(wi, h).Scale(1 / pdf), pdf, false
}

// Pdf is the density with which Sample draws the reflected direction wi.
func (c *Scatter) Pdf(wi geom.V3) float32 {
	_, pdf := c.Towards(wi)
	return pdf
}

// Towards is Reflected and Pdf at once.
func (c *Scatter) Towards(wi geom.V3) (f geom.V3, pdf float32) {
	if wi.Z <= 0 {
		return f, 0
	}
	h := wi.Add(c.wo).Unit()
	return c.reflected(wi, h), c.pdf(c.chances(), wi, h)
}

func (c *Scatter) pdf(k chances, wi, h geom.V3) float32 {
	p := k.specular*c.base.pdf(c.wo, h) + k.diffuse*wi.Z/math.Pi
	if k.coat > 0 {
		a := c.coat.x * c.coat.x
		p += k.coat * c.coat.even(h.Dot(c.up)) / (2 * (c.coatCos + sqrt(a+(1-a)*c.coatCos*c.coatCos)))
	}
	return p
}

// Refract bends w, which leaves the surface on the side of h, to the other side: eta is the index
// on w's side over that of the other. ok is false where all is reflected.
func Refract(w, h geom.V3, eta float32) (geom.V3, bool) {
	c := w.Dot(h)
	k := 1 - eta*eta*(1-c*c)
	if k <= 0 {
		return geom.V3{}, false
	}
	return h.Scale(eta*c - sqrt(k)).Sub(w.Scale(eta)), true
}
