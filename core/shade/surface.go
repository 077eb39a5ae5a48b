// Package shade makes pictures of materials: swatches at true scale, lit from
// the side, and balls; and the occlusion of a height field.
//
// Light follows GGX with height-correlated Smith shadowing, Schlick's Fresnel
// and compensation for multiple scattering, under a sun and a prefiltered
// environment. Relief is marched at its true depth. What a material does not
// have is left neutral, never black or pink.
package shade

import (
	"math"

	"aldermoor/core/geom"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// Surface is a material prepared for shading: its maps side by side at one size
// and all smaller halves of it.
type Surface struct {
	size   scale.Size
	relief float32 // depth of the height map, metres; 0 without one
	level  []level
}

// level is one size of the maps. Heights lie apart, packed, because marching
// reads them many times for each texel that is shaded.
type level struct {
	w, h   int
	texel  []texel
	height []float32 // metres below the highest point, ≤ 0
}

type texel struct {
	color, emission, specular  geom.V3 // specular is the reflectance at normal incidence
	x, y, z                    float32 // normal, Y+
	rough, metal, occ, opacity float32
}

// neutral is what stands in for missing maps.
var neutral = texel{color: geom.V3{0.5, 0.5, 0.5}, z: 1, rough: 0.6, occ: 1, opacity: 1, specular: geom.V3{0.04, 0.04, 0.04}}

// NewSurface prepares maps at no more than n pixels on the longer side.
func NewSurface(m material.Planes, n int) *Surface {
	w, h := m.Largest()
	if w*h <= 1 { // nothing but constants
		w, h = 16, 16
	}
	w, h = raster.Fit(w, h, n)
	s := &Surface{size: m.Size}
	if !s.size.Known() {
		s.size = scale.Size{W: 1, H: float64(h) / float64(w)}
	}
	base := level{w, h, make([]texel, w*h), make([]float32, w*h)}
	for i := range base.texel {
		base.texel[i] = neutral
	}
	put := func(p raster.Plane, set func(t *texel, v float32)) {
		if p.W == 0 {
			return
		}
		p = p.Resample(w, h, raster.Area)
		raster.Rows(h, func(y0, y1 int) {
			for i := y0 * w; i < y1*w; i++ {
				set(&base.texel[i], p.Pix[i])
			}
		})
	}
	for c := range 3 {
		put(m.Color[c], func(t *texel, v float32) { t.color[c] = v })
		put(m.Emissive[c], func(t *texel, v float32) { t.emission[c] = v })
		put(m.Specular[c], func(t *texel, v float32) { t.specular[c] = v })
	}
	put(m.Roughness, func(t *texel, v float32) { t.rough = v })
	put(m.Metallic, func(t *texel, v float32) { t.metal = v })
	put(m.Occlusion, func(t *texel, v float32) { t.occ = v })
	put(m.Opacity, func(t *texel, v float32) { t.opacity = v })
	if m.Normal != nil {
		f, length := m.Normal.Resample(w, h)
		lost := m.NormalLength // before
		if lost.W > 0 {
			lost = lost.Resample(w, h, raster.Area)
		}
		for i := range base.texel {
			t := &base.texel[i]
			t.x, t.y, t.z = f.X.Pix[i], f.Y.Pix[i], f.Z.Pix[i]
			r := length.Pix[i]
			if lost.W > 0 {
				r *= lost.Pix[i]
			}
			t.rough = normals.Widen(t.rough, r)
		}
	}
	if m.Height.W > 0 {
		lo, hi := m.Height.Range()
		s.relief = hi - lo
		for i, v := range m.Height.Resample(w, h, raster.Area).Pix {
			base.height[i] = v - hi
		}
	}
	s.level = []level{base}
	for l := base; l.w > 1 && l.h > 1; {
		l = l.half()
		s.level = append(s.level, l)
	}
	return s
}

// half is the level at half the size, rounded down: each texel is the mean of what it covers
// of the finer level, with the spread of its normals in its roughness.
func (l level) half() level {
	out := level{w: max(1, l.w/2), h: max(1, l.h/2)}
	out.texel, out.height = make([]texel, out.w*out.h), make([]float32, out.w*out.h)
	raster.Rows(out.h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			j0, j1, ky := covered(y, l.h, out.h)
			for x := range out.w {
				i0, i1, kx := covered(x, l.w, out.w)
				var t texel
				var height float32
				for j := j0; j < j1; j++ {
					for i := i0; i < i1; i++ {
						k := kx[i-i0] * ky[j-j0]
						t.add(&l.texel[j*l.w+i], k)
						height += k * l.height[j*l.w+i]
					}
				}
				r := sqrt(t.x*t.x + t.y*t.y + t.z*t.z)
				t.rough = normals.Widen(t.rough, min(r, 1))
				k := 1 / max(r, 1e-6)
				t.x, t.y, t.z = t.x*k, t.y*k, t.z*k
				out.texel[y*out.w+x], out.height[y*out.w+x] = t, height
			}
		}
	})
	return out
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
	t.color, t.emission, t.specular = t.color.Add(o.color.Scale(k)), t.emission.Add(o.emission.Scale(k)), t.specular.Add(o.specular.Scale(k))
	t.x, t.y, t.z = t.x+k*o.x, t.y+k*o.y, t.z+k*o.z
	t.rough, t.metal, t.occ, t.opacity = t.rough+k*o.rough, t.metal+k*o.metal, t.occ+k*o.occ, t.opacity+k*o.opacity
}

func blend(a, b texel, t float32) texel {
	m := func(p, q float32) float32 { return p + (q-p)*t }
	return texel{
		color: geom.Mix(a.color, b.color, t), emission: geom.Mix(a.emission, b.emission, t),
		x: m(a.x, b.x), y: m(a.y, b.y), z: m(a.z, b.z),
		rough: m(a.rough, b.rough), metal: m(a.metal, b.metal), occ: m(a.occ, b.occ), opacity: m(a.opacity, b.opacity),
		specular: geom.Mix(a.specular, b.specular, t),
	}
}

// levelFor is the coarsest level that still has a texel for each footprint
// (metres), or the finest.
func (s *Surface) levelFor(footprint float64) *level {
	i := int(math.Floor(math.Log2(footprint * float64(s.level[0].w) / s.size.W)))
	return &s.level[min(max(i, 0), len(s.level)-1)]
}

// corner finds the four texels around (u, v) in repeats, and where it lies among them.
func (l *level) corner(u, v float32) (i00, i10, i01, i11 int, fx, fy float32) {
	u, v = fraction(u), fraction(v)
	x, y := u*float32(l.w)-0.5, v*float32(l.h)-0.5
	if x < 0 {
		x += float32(l.w)
	}
	if y < 0 {
		y += float32(l.h)
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

func (l *level) at(u, v float32) texel {
	a, b, c, d, fx, fy := l.corner(u, v)
	t := blend(blend(l.texel[a], l.texel[b], fx), blend(l.texel[c], l.texel[d], fx), fy)
	k := 1 / max(sqrt(t.x*t.x+t.y*t.y+t.z*t.z), 1e-6)
	t.x, t.y, t.z = t.x*k, t.y*k, t.z*k
	return t
}

func (l *level) heightAt(u, v float32) float32 {
	a, b, c, d, fx, fy := l.corner(u, v)
	top := l.height[a] + (l.height[b]-l.height[a])*fx
	low := l.height[c] + (l.height[d]-l.height[c])*fx
	return top + (low-top)*fy
}

// fraction is what u lies above the whole number below it.
func fraction(u float32) float32 {
	u -= float32(int32(u))
	if u < 0 {
		u++
	}
	return u
}
