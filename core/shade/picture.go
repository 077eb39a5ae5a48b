package shade

import (
	"math"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/raster"
)

// Renderer makes pictures under one lighting. It holds no state between
// pictures and may be used from many goroutines.
type Renderer struct {
	light  *Lighting
	tables *colour.Tables
}

// NewRenderer prepares the built-in lighting, which takes a few hundredths of a second.
func NewRenderer() *Renderer {
	return &Renderer{Daylight(), colour.NewTables()}
}

// mat is what lies under a picture: L* 50.
var mat = geom.V3{0.1842, 0.1842, 0.1842}

// Swatch pictures extent × extent metres of the surface, from straight above,
// in px × px pixels: 8-bit sRGB with the light from the upper left. Its top
// left corner is the map's. Through openings the neutral mat is seen.
func (r *Renderer) Swatch(s *Surface, extent float64, px int) *raster.Image {
	out := raster.New(px, px, 3, 8)
	over := 2
	if extent/float64(px) < s.size.W/float64(s.level[0].w) {
		over = 1 // already magnified
	}
	n := px * over
	pitch := extent / float64(n)
	l := s.levelFor(pitch)
	raster.Rows(px, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range px {
				var sum geom.V3
				for k := range over * over {
					mx := (float64(x*over+k%over) + 0.5) * pitch
					my := (float64(y*over+k/over) + 0.5) * pitch
					sum = sum.Add(r.above(s, l, mx, my, pitch))
				}
				r.put(out, y*px+x, sum.Scale(1/float32(over*over)))
			}
		}
	})
	return out
}

// above is the display light of the surface at (x, y) metres, seen from above.
func (r *Renderer) above(s *Surface, l *level, x, y, pitch float64) geom.V3 {
	u, v := float32(x/s.size.W), float32(y/s.size.H)
	t := l.at(u, v)
	p := point{color: t.color, emission: t.emission, normal: geom.V3{t.x, t.y, t.z}, view: geom.V3{0, 0, 1},
		roughness: t.rough, metallic: t.metal, occlusion: t.occ, sunlit: 1, specular: t.specular}
	if s.relief > 0 {
		p.sunlit = s.flatShadow(l, u, v, l.heightAt(u, v), r.light.sun, pitch)
	}
	c := r.light.light(p)
	c = geom.V3{Tone(c[0]), Tone(c[1]), Tone(c[2])}
	return geom.Mix(mat, c, t.opacity)
}

// flatShadow marches from a point of the height field towards the sun and says
// how much of it is seen, 0..1, with a soft edge.
func (s *Surface) flatShadow(l *level, u, v, h float32, sun geom.V3, pitch float64) float32 {
	rise := -h // what is left to the highest point
	reach := float64(rise/sun[2]) * math.Hypot(float64(sun[0]), float64(sun[1]))
	texel := max(s.size.W/float64(l.w), pitch)
	if reach < 0.5*texel {
		return 1
	}
	lit := float32(1)
	across := float32(math.Hypot(float64(sun[0]), float64(sun[1])))
	// Steps grow with the distance, as the penumbra does.
	for d := float32(0.7 * texel); d < float32(reach); d += max(d*0.22, float32(texel)*0.8) {
		k := d / across
		over := l.heightAt(u+sun[0]*k/float32(s.size.W), v-sun[1]*k/float32(s.size.H)) - h - sun[2]*k
		lit = min(lit, 0.5-0.5*over/(0.14*k+float32(texel)*0.35))
		if lit <= 0 {
			return 0
		}
	}
	return step(0, 1, lit)
}

func (r *Renderer) put(im *raster.Image, i int, c geom.V3) {
	for k := range 3 {
		im.Ints(k)[i] = uint16(r.tables.Encode(c[k])*255+0.5) * 257
	}
}

// Ball pictures a ball of the material in px × px pixels: 8-bit sRGB and alpha.
// The ball's front shows about one repeat across: its diameter is 2/π of the
// repeat's width. The map is laid around the point nearest to the viewer at
// true distances (azimuthal equidistant), and its relief shapes the outline.
func (r *Renderer) Ball(s *Surface, px int) *raster.Image {
	out := raster.New(px, px, 4, 8)
	radius := float32(s.size.W / math.Pi)
	relief := min(s.relief, radius*0.35)
	b := ball{s: s, r: radius - relief, shrink: relief / max(s.relief, 1e-9), relief: relief,
		scale: radius * 1.04 * 2 / float32(px)}
	b.l = s.levelFor(float64(b.scale) * 0.7)
	raster.Rows(px, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range px {
				// Inside, the level of the maps is fine enough; the outline needs more.
				over := 1
				cx, cy := (float32(x)+0.5)*b.scale-radius*1.04, (float32(y)+0.5)*b.scale-radius*1.04
				if sqrt(cx*cx+cy*cy) > b.r*0.85 {
					over = 2
				}
				var sum geom.V3
				var cover float32
				for k := range over * over {
					sx := (float32(x)+(float32(k%over)+0.5)/float32(over))*b.scale - radius*1.04
					sy := radius*1.04 - (float32(y)+(float32(k/over)+0.5)/float32(over))*b.scale
					c, a := r.onBall(&b, sx, sy)
					sum = sum.Add(c.Scale(a))
					cover += a
				}
				if cover > 0 {
					r.put(out, y*px+x, sum.Scale(1/cover))
				}
				out.Ints(3)[y*px+x] = uint16(cover/float32(over*over)*255+0.5) * 257
			}
		}
	})
	return out
}

// ball is a sphere of radius r with relief on top; scene units are metres.
type ball struct {
	s                        *Surface
	l                        *level
	r, relief, shrink, scale float32
}

// uv is where the direction d from the centre falls on the map, in repeats.
func (b *ball) uv(d geom.V3) (u, v float32) {
	// arccos(z)/√(1−z²), with the arc cosine of Abramowitz & Stegun 4.4.45
	// (within 7e-5 rad), so that nothing is divided by zero at the middle.
	z := min(d[2], 1)
	arc := float32(math.Pi) * 0.5
	if z >= 0 {
		arc = (1.5707288 + z*(-0.2121144+z*(0.0742610-z*0.0187293))) / sqrt(1+z)
	}
	arc *= b.r + b.relief
	return 0.5 + d[0]*arc/float32(b.s.size.W), 0.5 - d[1]*arc/float32(b.s.size.H)
}

// above is how far p lies above the relief (negative inside), and p's direction.
func (b *ball) above(p geom.V3) (float32, geom.V3) {
	r := sqrt(p.Dot(p))
	d := p.Scale(1 / r)
	if b.relief == 0 {
		return r - b.r, d
	}
	u, v := b.uv(d)
	return r - b.r - b.relief - b.l.heightAt(u, v)*b.shrink, d
}

func (r *Renderer) onBall(b *ball, x, y float32) (geom.V3, float32) {
	outer := b.r + b.relief
	rho := x*x + y*y
	if rho >= outer*outer {
		return geom.V3{}, 0
	}
	z := sqrt(outer*outer - rho)
	floor := float32(-1) // where the marching ends
	if rho < b.r*b.r {
		floor = sqrt(b.r*b.r - rho)
	} else {
		floor = -z * 0.3
	}
	hit := floor
	if b.relief > 0 {
		// Relaxed tracing: the further above the relief, the longer the next step.
		least := max((z-floor)/96, b.scale*0.5)
		found := false
		at, last := z, float32(0)
		for before := z; at >= floor; {
			h, _ := b.above(geom.V3{x, y, at})
			if h <= 0 {
				found = true
				hit = at + (before-at)*(-h)/max(last-h, 1e-9)
				break
			}
			before, last = at, h
			at -= max(h*0.6, least)
		}
		if !found && rho >= b.r*b.r {
			return geom.V3{}, 0
		}
	}
	_, d := b.above(geom.V3{x, y, hit})
	u, v := b.uv(d)
	t := b.l.at(u, v)
	// Tangents along the map's axes: radial and circular directions turned back.
	flat := max(sqrt(d[0]*d[0]+d[1]*d[1]), 1e-6)
	c, s := d[0]/flat, d[1]/flat
	radial := geom.V3{c * d[2], s * d[2], -flat}
	around := geom.V3{-s, c, 0}
	tx := radial.Scale(c).Add(around.Scale(-s))
	ty := radial.Scale(s).Add(around.Scale(c))
	n := tx.Scale(t.x).Add(ty.Scale(t.y)).Add(d.Scale(t.z)).Unit()
	p := point{color: t.color, emission: t.emission, normal: n, view: geom.V3{0, 0, 1}, roughness: t.rough,
		metallic: t.metal, occlusion: t.occ, sunlit: 1, specular: t.specular}
	facing := d.Dot(r.light.sun)
	p.sunlit = step(-0.05, 0.12, facing)
	if b.relief > 0 && p.sunlit > 0 {
		p.sunlit *= b.shadow(geom.V3{x, y, hit}, r.light.sun)
	}
	col := r.light.light(p)
	return geom.V3{Tone(col[0]), Tone(col[1]), Tone(col[2])}, t.opacity
}

func (b *ball) shadow(p, sun geom.V3) float32 {
	reach := min(b.relief*3, b.r*0.5)
	lit := float32(1)
	for d, i := b.scale, 0; d < reach && i < 16; i++ {
		h, _ := b.above(p.Add(sun.Scale(d)))
		lit = min(lit, 0.5+0.5*h/(0.12*d+b.scale*0.7))
		if lit <= 0 {
			return 0
		}
		if h > b.relief {
			break
		}
		d += max(d*0.3, h*0.7, b.scale)
	}
	return step(0, 1, lit)
}
