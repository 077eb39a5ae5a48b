package shade

import (
	"aldermoor/core/bsdf"
	"aldermoor/core/geom"
	"aldermoor/core/normals"
)

// point is the surface where a ray meets it, ready to be shaded. Vectors are in the shape's frame.
type point struct {
	meeting
	t, b, n   geom.V3 // of what the normal map says
	along, up geom.V3 // tangents of the shape along the map's x and up
	base      geom.V3 // normal of the shape
	surface   bsdf.Surface
	emission  geom.V3 // in units of white
	occlusion float32
	opacity   float32
}

// mostTaps is how many times a texture is looked up along a footprint that is seen at a slant.
const mostTaps = 4

// look reads the maps at a meeting, seen along d, over the footprint of a pixel.
func (j *job) look(m meeting, d geom.V3, pixel float32, out *point) {
	sc, s := j.scene, j.scene.surface
	t, b, n := sc.frame(m)
	cos := max(-d.Dot(n), 0.05)
	narrow := pixel * m.at
	wide := narrow / cos
	taps := 1
	var du, dv float32
	if wide > narrow*1.5 && s.lod(wide) > 0 {
		taps = min(int(wide/narrow+0.5), mostTaps)
		wide = max(narrow, wide/float32(taps))
		along := d.Add(n.Scale(-d.Dot(n))).Unit()
		length := narrow / cos * float32(taps-1) / float32(taps)
		du, dv = along.Dot(t)*length*sc.iw, -along.Dot(b)*length*sc.ih
	} else {
		wide = narrow
	}
	lod := s.lod(wide)
	var x texel
	var rare more
	for k := range taps {
		f := float32(0)
		if taps > 1 {
			f = float32(k)/float32(taps-1) - 0.5
		}
		s.tap(m.u+du*f, m.v+dv*f, lod, 1/float32(taps), &x, &rare)
	}
	if s.level[0].more == nil {
		rare = s.plain()
	}
	out.meeting, out.along, out.up, out.base, out.occlusion, out.opacity = m, t, b, n, x.occ, x.opacity
	out.n = t.Scale(x.x).Add(b.Scale(x.y)).Add(n.Scale(x.z)).Unit()
	out.emission = rare.emission
	if s.glow != (geom.V3{}) {
		out.emission = rare.emission.Times(s.glow).Scale(1 / float32(j.Light.White))
	}
	f := &s.figures
	o := &out.surface
	*o = s.even
	o.Color, o.Specular = x.color, rare.specular
	o.Roughness, o.Metallic = normals.Widened(min(max(x.rough, 0), 1), x.spread), min(max(x.metal, 0), 1)
	o.Transmission *= rare.transmission
	o.Anisotropy *= rare.anisotropy
	if f.Coat.Share > 0 {
		o.Coat *= rare.coat
	}
	if f.Sheen.Share > 0 {
		o.Sheen = o.Sheen.Times(rare.sheen)
	}
	if j.Plaster {
		*o = bsdf.Surface{Color: plaster, Specular: geom.Grey(0.04), Edge: geom.Grey(1), Roughness: o.Roughness, Diffuse: o.Diffuse}
		out.emission = geom.V3{}
	}
	// A normal that looks away from the viewer is bent back to the rim.
	if nv := -out.n.Dot(d); nv < 0.02 {
		out.n = out.n.Sub(d.Scale(0.02 - nv)).Unit()
	}
	// Tangents by the map, turned to the anisotropy's axes.
	g := s.grain[0]
	along := t.Scale(g[0]).Add(b.Scale(g[1]))
	out.t = along.Sub(out.n.Scale(along.Dot(out.n))).Unit()
	out.b = out.n.Cross(out.t)
	if o.Coat > 0 {
		o.CoatNormal = out.local(n)
	}
}

// plaster is the colour of everything when relief alone is judged.
var plaster = geom.Grey(0.55)

func vector(v [3]float64) geom.V3 { return geom.Vec(float32(v[0]), float32(v[1]), float32(v[2])) }

// local is a vector in the point's frame: tangents, then normal.
func (p *point) local(v geom.V3) geom.V3 { return geom.Vec(v.Dot(p.t), v.Dot(p.b), v.Dot(p.n)) }

// world undoes local.
func (p *point) world(v geom.V3) geom.V3 {
	return p.t.Scale(v.X).Add(p.b.Scale(v.Y)).Add(p.n.Scale(v.Z))
}

// open is how much of the light from a mirror's direction the hollow lets in (Lagarde & de
// Rousiers 2014).
func (p *point) open(nv float32) float32 {
	if p.occlusion >= 0.999 {
		return 1
	}
	k := exp2(-16*p.surface.Roughness - 1)
	return min(max(power(nv+p.occlusion, k)-1+p.occlusion, 0), 1)
}

// openTo is how much light a hollow of a colour receives, with what its walls send to one another
// (Jimenez et al. 2016).
func (p *point) openTo(color geom.V3) geom.V3 {
	o := p.occlusion
	if o >= 0.999 {
		return geom.Grey(1)
	}
	return color.Map(func(c float32) float32 {
		c = min(max(c, 0), 1)
		return max(o, ((o*(2.0404*c-0.3324)+(-4.7951*c+0.6417))*o+(2.7552*c+0.6903))*o)
	})
}
