package shade

import (
	"math"

	"aldermoor/core/bsdf"
	"aldermoor/core/geom"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// Surface is a material prepared for shading: its maps side by side at one size
// and all smaller halves of it.
type Surface struct {
	size        scale.Size
	top, bottom float32 // of the relief, metres above the zero level; both 0 without one
	level       []level
	figures     material.Figures
	even        bsdf.Surface // what the figures say of every point, before the maps
	index       float32      // reflectance at normal incidence by the index of refraction
	glow        geom.V3      // emission in cd/m² where the map is white; zero where it has no unit
	grain       [2]geomV2    // unit vectors of the anisotropy's axes on the map, x right and y up
	has         map[material.Channel]bool
}

type geomV2 = [2]float32

// level is one size of the maps. Heights lie apart, packed, because marching
// reads them many times for each texel that is shaded; rarer channels lie apart too.
type level struct {
	w, h   int
	texel  []texel
	more   []more // nil where the material has none of its channels
	height heights
}

type texel struct {
	color                      geom.V3
	x, y, z                    float32 // normal, Y+
	rough, metal, occ, opacity float32
	spread                     float32 // of the normals that a smaller size lost, as a variance: see normals.Spread
}

// more are the channels that few materials have.
type more struct {
	emission, specular, sheen      geom.V3 // specular is the reflectance at normal incidence
	transmission, coat, anisotropy float32
}

// Neutral is the base colour that stands in for a missing one.
var Neutral = geom.Grey(material.UnknownColor)

// neutral is what stands in for missing maps.
var neutral = texel{color: Neutral, z: 1, rough: material.UnknownRoughness, occ: 1, opacity: 1}

// NewSurface prepares maps at no more than n pixels on the longer side.
func NewSurface(m material.Planes, n int) *Surface {
	w, h := m.Largest()
	if w*h <= 1 { // nothing but constants
		w, h = 16, 16
	}
	w, h = raster.Fit(w, h, n)
	s := &Surface{size: m.Size, figures: m.Figures, has: map[material.Channel]bool{}}
	if s.figures.Index == 0 { // planes that nobody gave figures
		s.figures = material.Neutral()
	}
	s.figure()
	if !s.size.Known() {
		s.size = scale.Size{W: 1, H: float64(h) / float64(w)}
	}
	base := level{w: w, h: h, texel: make([]texel, w*h), height: heights{w: w, h: h}}
	s.fillCommon(&base, &m)
	s.fillRare(&base, &m)
	s.fillNormals(&base, &m)
	s.fillHeights(&base, &m)
	s.level = []level{base}
	for l := base; l.w > 1 && l.h > 1; {
		l = l.half()
		s.level = append(s.level, l)
	}
	return s
}

// at are a channel's samples at a level's size; nil for a missing map. The surface is noted to have the channel.
func (s *Surface) at(l *level, c material.Channel, p raster.Plane) []float32 {
	if p.W == 0 {
		return nil
	}
	s.has[c] = true
	return p.Resample(l.w, l.h, raster.Area).Pix
}

// fillCommon sets what most materials have.
func (s *Surface) fillCommon(l *level, m *material.Planes) {
	var color [3][]float32
	for c := range color {
		color[c] = s.at(l, material.BaseColor, m.Color[c])
	}
	rough, metal := s.at(l, material.Roughness, m.Roughness), s.at(l, material.Metallic, m.Metallic)
	occ, opacity := s.at(l, material.Occlusion, m.Occlusion), s.at(l, material.Opacity, m.Opacity)
	raster.Rows(l.h, func(y0, y1 int) {
		for i := y0 * l.w; i < y1*l.w; i++ {
			t := &l.texel[i]
			*t = neutral
			for c := range color {
				if color[c] != nil {
					t.color.Set(c, color[c][i])
				}
			}
			if rough != nil {
				t.rough = rough[i]
			}
			if metal != nil {
				t.metal = metal[i]
			}
			if occ != nil {
				t.occ = occ[i]
			}
			if opacity != nil {
				t.opacity = opacity[i]
			}
		}
	})
}

// fillRare sets what few materials have, if this one has any of it.
func (s *Surface) fillRare(l *level, m *material.Planes) {
	if m.Emissive[0].W+m.Specular[0].W+m.Sheen[0].W+m.Transmission.W+m.Coat.W+m.Anisotropy.W == 0 {
		return
	}
	l.more = make([]more, l.w*l.h)
	for i := range l.more {
		l.more[i] = s.plain()
	}
	set := func(c material.Channel, p raster.Plane, to func(t *more, v float32)) {
		for i, v := range s.at(l, c, p) {
			to(&l.more[i], v)
		}
	}
	for c := range 3 {
		set(material.Emissive, m.Emissive[c], func(t *more, v float32) { t.emission.Set(c, v) })
		set(material.Specular, m.Specular[c], func(t *more, v float32) { t.specular.Set(c, v) })
		set(material.Sheen, m.Sheen[c], func(t *more, v float32) { t.sheen.Set(c, v) })
	}
	set(material.Transmission, m.Transmission, func(t *more, v float32) { t.transmission = v })
	set(material.Coat, m.Coat, func(t *more, v float32) { t.coat = v })
	set(material.Anisotropy, m.Anisotropy, func(t *more, v float32) { t.anisotropy = v })
}

// fillNormals sets where the surface faces, by its normals or else by its relief, and how far the normals spread that
// a smaller size lost.
func (s *Surface) fillNormals(l *level, m *material.Planes) {
	field, lost := m.Normal, m.NormalLength // lost before
	switch {
	case field != nil:
		s.has[material.Normal] = true
	case m.Height.W > 1:
		f := normals.FromHeight(m.Height, s.size.W/float64(m.Height.W), s.size.H/float64(m.Height.H), [2]bool{true, true})
		f.Strengthen(s.figures.NormalStrength)
		field, lost = &f, raster.Plane{}
	default:
		return
	}
	f, length := field.Resample(l.w, l.h)
	if lost.W > 0 {
		lost = lost.Resample(l.w, l.h, raster.Area)
	}
	raster.Rows(l.h, func(y0, y1 int) {
		for i := y0 * l.w; i < y1*l.w; i++ {
			t := &l.texel[i]
			t.x, t.y, t.z = f.X.Pix[i], f.Y.Pix[i], f.Z.Pix[i]
			r := length.Pix[i]
			if lost.W > 0 {
				r *= lost.Pix[i]
			}
			t.spread = normals.Spread(r)
		}
	})
}

// fillHeights sets the relief.
func (s *Surface) fillHeights(l *level, m *material.Planes) {
	if m.Height.W == 0 {
		return
	}
	s.has[material.Height] = true
	s.bottom, s.top = m.Height.Range()
	l.height = newHeights(l.w, l.h)
	from := m.Height.Resample(l.w, l.h, raster.Area)
	for y := range l.h {
		copy(l.height.row(y), from.Row(y))
	}
	l.height.wrap()
}

// half is the level at half the size, rounded down: each texel is the mean of what it covers
// of the finer level, and the spread of its normals grows by what the mean loses.
func (l level) half() level {
	out := level{w: max(1, l.w/2), h: max(1, l.h/2)}
	out.texel, out.height = make([]texel, out.w*out.h), l.height.half(out.w, out.h)
	if l.more != nil {
		out.more = make([]more, out.w*out.h)
	}
	even := l.w == 2*out.w && l.h == 2*out.h
	raster.Rows(out.h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			j0, j1, ky := covered(y, l.h, out.h)
			for x := range out.w {
				t := &out.texel[y*out.w+x]
				if even {
					t.quarter(l.texel[2*y*l.w+2*x:], l.texel[(2*y+1)*l.w+2*x:])
				}
				if !even || l.more != nil {
					i0, i1, kx := covered(x, l.w, out.w)
					for j := j0; j < j1; j++ {
						for i := i0; i < i1; i++ {
							k := kx[i-i0] * ky[j-j0]
							if !even {
								t.add(&l.texel[j*l.w+i], k)
							}
							if l.more != nil {
								out.more[y*out.w+x].add(&l.more[j*l.w+i], k)
							}
						}
					}
				}
				r := sqrt(t.x*t.x + t.y*t.y + t.z*t.z)
				t.spread += normals.Spread(r)
				k := 1 / max(r, 1e-6)
				t.x, t.y, t.z = t.x*k, t.y*k, t.z*k
			}
		}
	})
	return out
}

// quarter is the mean of the first two texels of two rows: what covered and add come to where sides are even.
func (t *texel) quarter(top, low []texel) {
	a, b, c, d := &top[0], &top[1], &low[0], &low[1]
	t.color.X = 0.25 * (a.color.X + b.color.X + c.color.X + d.color.X)
	t.color.Y = 0.25 * (a.color.Y + b.color.Y + c.color.Y + d.color.Y)
	t.color.Z = 0.25 * (a.color.Z + b.color.Z + c.color.Z + d.color.Z)
	t.x = 0.25 * (a.x + b.x + c.x + d.x)
	t.y = 0.25 * (a.y + b.y + c.y + d.y)
	t.z = 0.25 * (a.z + b.z + c.z + d.z)
	t.rough = 0.25 * (a.rough + b.rough + c.rough + d.rough)
	t.metal = 0.25 * (a.metal + b.metal + c.metal + d.metal)
	t.occ = 0.25 * (a.occ + b.occ + c.occ + d.occ)
	t.opacity = 0.25 * (a.opacity + b.opacity + c.opacity + d.opacity)
	t.spread = 0.25 * (a.spread + b.spread + c.spread + d.spread)
}

// covered are the samples from..to of n that sample x of m covers, and the share of each.
func covered(x, n, m int) (from, to int, share [4]float32) {
	lo, hi := float32(x)*float32(n)/float32(m), float32(x+1)*float32(n)/float32(m)
	from, to = int(lo), min(int(math.Ceil(float64(hi))), n)
	for i := from; i < to; i++ {
		share[i-from] = (min(hi, float32(i+1)) - max(lo, float32(i))) / (hi - lo)
	}
	return from, to, share
}

// add adds o times k.
func (t *texel) add(o *texel, k float32) {
	t.color = t.color.Add(o.color.Scale(k))
	t.x, t.y, t.z = t.x+k*o.x, t.y+k*o.y, t.z+k*o.z
	t.rough, t.metal, t.occ, t.opacity = t.rough+k*o.rough, t.metal+k*o.metal, t.occ+k*o.occ, t.opacity+k*o.opacity
	t.spread += k * o.spread
}

func (t *more) add(o *more, k float32) {
	t.emission, t.specular, t.sheen = t.emission.Add(o.emission.Scale(k)), t.specular.Add(o.specular.Scale(k)), t.sheen.Add(o.sheen.Scale(k))
	t.transmission, t.coat, t.anisotropy = t.transmission+k*o.transmission, t.coat+k*o.coat, t.anisotropy+k*o.anisotropy
}

// figure works out what the figures mean for shading.
func (s *Surface) figure() {
	f := s.figures
	s.index = bsdf.NormalReflectance(float32(f.Index))
	if f.Emission.Luminance > 0 {
		s.glow = vector(f.Emission.Light()).Scale(float32(f.Emission.Luminance))
	}
	s.even = bsdf.Surface{Edge: vector(f.Edge), Diffuse: float32(f.DiffuseRoughness), Transmission: float32(f.Transmission.Share), Anisotropy: float32(f.Anisotropy)}
	if f.Coat.Share > 0 {
		s.even.Coat, s.even.CoatRoughness, s.even.CoatF0, s.even.CoatColor = float32(f.Coat.Share), float32(f.Coat.Roughness), bsdf.NormalReflectance(float32(f.Coat.Index)), vector(f.Coat.Color)
	}
	if f.Sheen.Share > 0 {
		s.even.Sheen, s.even.SheenRoughness = vector(f.Sheen.Color).Scale(float32(f.Sheen.Share)), float32(f.Sheen.Roughness)
	}
	sin, cos := math.Sincos(f.AnisotropyAngle * math.Pi / 180)
	s.grain = [2]geomV2{{float32(cos), float32(sin)}, {float32(-sin), float32(cos)}}
}

// plain are the rarer channels where no map says them.
func (s *Surface) plain() more {
	m := more{specular: geom.Grey(s.index), sheen: geom.Grey(1), transmission: 1, coat: 1, anisotropy: 1}
	if s.glow != (geom.V3{}) {
		m.emission = geom.Grey(1)
	}
	return m
}

// Has says whether there is a map, or one value, of a channel.
func (s *Surface) Has(c material.Channel) bool { return s.has[c] }

// Relief is the depth of the relief in metres; 0 without one.
func (s *Surface) Relief() float64 { return float64(s.top - s.bottom) }

// Means are the mean roughness and the mean share of metal.
func (s *Surface) Means() (roughness, metallic float32) {
	l := &s.level[0]
	for i := range l.texel {
		roughness += normals.Widened(l.texel[i].rough, l.texel[i].spread) / float32(len(l.texel))
		metallic += l.texel[i].metal / float32(len(l.texel))
	}
	return roughness, metallic
}

// Size is that of one repeat: a metre across where it is not known.
func (s *Surface) Size() scale.Size { return s.size }

// lod is the level whose texels are as large as a footprint in metres, on the longer side.
func (s *Surface) lod(footprint float32) float32 {
	t := footprint * float32(s.level[0].w) / float32(s.size.W)
	if t <= 1 {
		return 0
	}
	return min(log2(t), float32(len(s.level)-1))
}

// tap adds the maps at (u, v) in repeats, at a level between two, times k.
func (s *Surface) tap(u, v, lod, k float32, t *texel, m *more) {
	i := int(lod)
	f := lod - float32(i)
	if f > 0.001 && i+1 < len(s.level) {
		s.level[i+1].add(u, v, k*f, t, m)
		k *= 1 - f
	}
	s.level[i].add(u, v, k, t, m)
}

func (l *level) add(u, v, k float32, t *texel, m *more) {
	ia, ib, ic, id, fx, fy := l.corner(u, v)
	ka, kb, kc, kd := (1-fx)*(1-fy)*k, fx*(1-fy)*k, (1-fx)*fy*k, fx*fy*k
	a, b, c, d := &l.texel[ia], &l.texel[ib], &l.texel[ic], &l.texel[id]
	t.color.X += ka*a.color.X + kb*b.color.X + kc*c.color.X + kd*d.color.X
	t.color.Y += ka*a.color.Y + kb*b.color.Y + kc*c.color.Y + kd*d.color.Y
	t.color.Z += ka*a.color.Z + kb*b.color.Z + kc*c.color.Z + kd*d.color.Z
	t.x += ka*a.x + kb*b.x + kc*c.x + kd*d.x
	t.y += ka*a.y + kb*b.y + kc*c.y + kd*d.y
	t.z += ka*a.z + kb*b.z + kc*c.z + kd*d.z
	t.rough += ka*a.rough + kb*b.rough + kc*c.rough + kd*d.rough
	t.metal += ka*a.metal + kb*b.metal + kc*c.metal + kd*d.metal
	t.occ += ka*a.occ + kb*b.occ + kc*c.occ + kd*d.occ
	t.opacity += ka*a.opacity + kb*b.opacity + kc*c.opacity + kd*d.opacity
	t.spread += ka*a.spread + kb*b.spread + kc*c.spread + kd*d.spread
	if l.more != nil {
		m.add(&l.more[ia], ka)
		m.add(&l.more[ib], kb)
		m.add(&l.more[ic], kc)
		m.add(&l.more[id], kd)
	}
}

// corner finds the four texels around (u, v) in repeats, and where it lies among them.
func (l *level) corner(u, v float32) (i00, i10, i01, i11 int, fx, fy float32) {
	u -= float32(int32(u))
	v -= float32(int32(v))
	x, y := u*float32(l.w)-0.5, v*float32(l.h)-0.5
	if x < 0 { // from −w−½ on
		if x += float32(l.w); x < 0 {
			x += float32(l.w)
		}
	}
	if y < 0 {
		if y += float32(l.h); y < 0 {
			y += float32(l.h)
		}
	}
	xa, ya := min(int(int32(x)), l.w-1), min(int(int32(y)), l.h-1)
	fx, fy = x-float32(xa), y-float32(ya)
	xb, yb := xa+1, ya+1
	if xb == l.w {
		xb = 0
	}
	if yb == l.h {
		yb = 0
	}
	return ya*l.w + xa, ya*l.w + xb, yb*l.w + xa, yb*l.w + xb, fx, fy
}

// Bytes is about how much memory the surface takes.
func (s *Surface) Bytes() (n int) {
	for i := range s.level {
		n += len(s.level[i].texel)*44 + len(s.level[i].more)*48
	}
	return n
}

// meanGlow is the mean luminance of what the surface emits, in cd/m²; 0 where its emission has no unit.
func (s *Surface) meanGlow() float64 {
	if s.glow == (geom.V3{}) {
		return 0
	}
	last := s.level[len(s.level)-1].more
	if last == nil {
		last = []more{s.plain()}
	}
	var sum float64
	for i := range last {
		e := last[i].emission.Times(s.glow)
		sum += 0.2126*float64(e.X) + 0.7152*float64(e.Y) + 0.0722*float64(e.Z)
	}
	return sum / float64(len(last))
}
