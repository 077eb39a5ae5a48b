package shade

import (
	"context"
	"math"

	"aldermoor/core/bsdf"
	"aldermoor/core/geom"
	"aldermoor/core/material"
)

// previewTile draws a tile with one ray a pixel, and more along outlines and edges of relief.
func (j *job) previewTile(_ context.Context, x0, y0, x1, y1 int, put func(x, y int, p shown)) {
	const side = tileSide + 2
	var scratch point
	var colours [side * side]shown
	var depth [side * side]float32
	slope, pixel := j.camera.pixel()
	for y := y0 - 1; y <= y1; y++ {
		for x := x0 - 1; x <= x1; x++ {
			i := (y-y0+1)*side + x - x0 + 1
			if x < x0 || y < y0 || x >= x1 || y >= y1 {
				depth[i] = j.depth(float32(x)+0.5, float32(y)+0.5, slope)
				continue
			}
			colours[i], depth[i] = j.shoot(float32(x)+0.5, float32(y)+0.5, slope, &scratch)
		}
	}
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			i := (y-y0+1)*side + x - x0 + 1
			p := colours[i]
			here := depth[i]
			for _, k := range [4]int{i - 1, i + 1, i - side, i + side} {
				there := depth[k]
				if (there > 0) != (here > 0) || abs(there-here) > 14*pixel || harsh(&p, &colours[k]) {
					p = shown{}
					for s := range 4 { // turned by an angle, so that no row or column is met twice
						c, _ := j.shoot(float32(x)+[4]float32{0.125, 0.375, 0.625, 0.875}[s], float32(y)+[4]float32{0.625, 0.125, 0.875, 0.375}[s], slope, &scratch)
						p.c, p.alpha = p.c.Add(c.c.Scale(0.25)), p.alpha+c.alpha*0.25
					}
					break
				}
			}
			put(x, y, p)
		}
	}
}

// harsh says whether two neighbours differ so much that one ray cannot stand for a pixel.
func harsh(a, b *shown) bool {
	if b.alpha == 0 { // outside of the tile, or beside the shape, which the depth tells
		return false
	}
	return abs(a.c.X-b.c.X)+abs(a.c.Y-b.c.Y)+abs(a.c.Z-b.c.Z) > 0.45
}

// objectRay is a ray of the world in the shape's frame.
func (j *job) objectRay(x, y float32) geom.Ray {
	if j.camera.flat {
		r := j.camera.ray(x, y)
		return geom.Ray{O: j.object.back(r.O), D: j.object.back(r.D)}
	}
	px, py := j.camera.place(x, y)
	return geom.Ray{O: j.eye, D: j.object.back(geom.Vec(px, py, -1)).Unit()}
}

// depth is how far away the surface is through (x, y); 0 beside it.
func (j *job) depth(x, y, slope float32) float32 {
	m, ok := j.scene.trace(j.objectRay(x, y), slope, -1, nil, quick)
	if !ok {
		return 0
	}
	return m.at
}

// shoot is what is seen through (x, y), and how far away; p is scratch space.
func (j *job) shoot(x, y, slope float32, p *point) (out shown, depth float32) {
	r := j.objectRay(x, y)
	if m, ok := j.scene.trace(r, slope, -1, nil, quick); ok {
		depth = m.at
		j.look(m, r.D, slope, p)
		out = j.shaded(p, r.D, slope)
		if out.alpha < 0.999 && j.scene.shape.Solid() && j.Channel == material.None {
			if back, ok := j.inside(m, r); ok { // through the openings, the other wall is seen
				j.look(back, r.D, slope, p)
				out = out.over(j.shaded(p, r.D, slope))
			}
		}
	}
	if out.alpha < 0.999 {
		w := j.object.of(r.D)
		c, a := j.background(x, y, w)
		out = out.over(shown{c.Scale(a), a})
	}
	return out, depth
}

// inside is where a ray that went through the wall meets the inner side of the other one.
func (j *job) inside(m meeting, r geom.Ray) (back meeting, ok bool) {
	_, to, ok := j.scene.shape.Enter(r, 0)
	if !ok || to <= m.at {
		return back, false
	}
	back = meeting{p: r.At(to), at: to, side: -1, lod: m.lod}
	back.u, back.v, _, _ = j.scene.locate(back.p, 1)
	return back, true
}

// shaded is a point as it is shown.
func (j *job) shaded(p *point, d geom.V3, slope float32) shown {
	var c geom.V3
	switch {
	case j.Channel != material.None:
		c = j.channel(p)
		return shown{c, 1}
	default:
		c = j.film.show(j.previewLight(p, d, slope))
	}
	return shown{c.Scale(p.opacity), p.opacity}
}

// channel is one channel of a point, as its map looks: data as the grey of their value.
func (j *job) channel(p *point) geom.V3 {
	s := &p.surface
	code := func(v float32) geom.V3 {
		v = j.film.tables.Linear(min(max(v, 0), 1))
		return geom.Grey(v)
	}
	switch j.Channel {
	case material.BaseColor:
		return s.Color
	case material.Emissive:
		return j.film.show(p.emission)
	case material.Specular:
		return s.Specular
	case material.Sheen:
		return s.Sheen
	case material.Roughness:
		return code(s.Roughness)
	case material.Glossiness:
		return code(1 - s.Roughness)
	case material.Metallic:
		return code(s.Metallic)
	case material.Occlusion:
		return code(p.occlusion)
	case material.Opacity:
		return code(p.opacity)
	case material.Transmission:
		return code(s.Transmission)
	case material.Coat:
		return code(s.Coat)
	case material.Anisotropy:
		return code(s.Anisotropy)
	case material.Height:
		sc := j.scene
		return code((sc.surface.level[p.lod].height.at(p.u, p.v) - sc.surface.bottom) / max(sc.surface.top-sc.surface.bottom, 1e-9))
	case material.Normal:
		t, b, n := j.scene.frame(p.meeting)
		return geom.Vec(p.n.Dot(t), p.n.Dot(b), p.n.Dot(n)).Map(func(v float32) float32 { return code(v*0.5 + 0.5).X })
	}
	return geom.V3{}
}

// previewLight is the light that leaves a point against d, by prefiltered light.
func (j *job) previewLight(p *point, d geom.V3, slope float32) geom.V3 {
	e := j.Light
	view := d.Scale(-1)
	wo := p.local(view)
	var sc bsdf.Scatter
	bsdf.Shared().PrepareInto(&sc, &p.surface, wo)
	shares := sc.Shares()
	s := &p.surface
	nv := max(wo.Z, 0.02)

	// Specular light from the environment, from where a rough lobe mostly looks (Lagarde & de
	// Rousiers 2014).
	n := p.n
	if s.Anisotropy != 0 { // the lobe is drawn out: the normal leans (McAuley 2015)
		along := p.b
		if s.Anisotropy < 0 {
			along = p.t
		}
		across := along.Cross(view)
		lean := across.Cross(along)
		n = geom.Mix(n, lean, abs(s.Anisotropy)*min(1, 5*s.Roughness)).Unit()
	}
	mirror := n.Scale(2 * n.Dot(view)).Sub(view)
	a := s.Roughness * s.Roughness
	lobe := geom.Mix(p.n, mirror, (1-a)*(sqrt(1-a)+a)).Unit()
	out := shares.Specular.Times(e.Reflected(j.toSky.of(lobe), s.Roughness)).Scale(p.open(nv))

	irradiance := e.Irradiance(j.toSky.of(p.n))
	out = out.Add(shares.Diffuse.Times(irradiance).Times(p.openTo(s.Color)))
	if s.Coat > 0 {
		c := 2 * p.base.Dot(view)
		out = out.Add(e.Reflected(j.toSky.of(p.base.Scale(c).Sub(view)), s.CoatRoughness).Scale(shares.Coat * p.open(nv)))
	}
	if s.Sheen != (geom.V3{}) {
		out = out.Add(shares.Sheen.Times(irradiance).Scale(p.occlusion))
	}
	if s.Transmission > 0 {
		out = out.Add(shares.Transmitted.Times(j.behind(p, d)))
	}

	// The sun, as wide as it is: its disc widens the lobe.
	if sun := e.Sun; sun.Radius > 0 {
		wi := p.local(j.sun)
		if wi.Z > 0 {
			if lit := j.scene.sunlit(p.meeting, p.base, j.sun, sun.Radius, max(slope*p.at, j.scene.surface.texel(p.lod))); lit > 0 {
				rough, coat := widened(s.Roughness, sun.Radius), widened(s.CoatRoughness, sun.Radius)
				if rough-s.Roughness > 0.004 || s.Coat > 0 {
					s.Roughness, s.CoatRoughness = rough, coat
					bsdf.Shared().PrepareInto(&sc, s, wo)
				}
				out = out.Add(sc.Reflected(wi).Times(sun.Irradiance).Scale(math.Pi * lit))
			}
		}
	}
	return out.Scale(j.gain).Add(p.emission)
}

// widened is the roughness of a lobe under a light of a radius in radians.
func widened(roughness, radius float32) float32 {
	a := roughness * roughness
	return sqrt(sqrt(a*a + 0.25*radius*radius))
}

// texel is the size of one in metres, of a level.
func (s *Surface) texel(lod int) float32 { return float32(s.size.W) / float32(s.level[lod].w) }

// passed is what is left of light after a way in metres through what absorbs it.
func passed(absorption [3]float64, way float32) geom.V3 {
	return vector(absorption).Map(func(k float32) float32 { return float32(math.Exp(-float64(k) * float64(way))) })
}

// behind is the light that comes through a point from the other side: straight on through a
// sheet, or bent, absorbed and bent again through a solid shape.
func (j *job) behind(p *point, d geom.V3) geom.V3 {
	f, e := &j.scene.surface.figures.Transmission, j.Light
	rough := p.surface.Roughness
	if !j.scene.refracts {
		return e.Reflected(j.toSky.of(d), rough)
	}
	index := float32(max(j.scene.surface.figures.Index, 1.0001))
	in, _ := bsdf.Refract(d.Scale(-1), p.n, 1/index)
	r := geom.Ray{O: p.p.Add(in.Scale(j.scene.shape.Radius() * 1e-3)), D: in}
	left := geom.Grey(1)
	to, n, ok := j.scene.leave(r)
	out := in
	if ok {
		left = passed(f.Absorption(), to)
		if bent, ok := bsdf.Refract(in.Scale(-1), n.Scale(-1), index); ok {
			out = bent
		} else {
			out = in.Sub(n.Scale(2 * in.Dot(n)))
		}
	}
	return e.Reflected(j.toSky.of(out), rough).Times(left)
}
