package shade

import (
	"context"
	"math"

	"aldermoor/core/bsdf"
	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/material"
)

// Paths: how many times light is followed on, from which bounce on paths are cut at random, and
// the most that one path may add after its first bounce, against a white surface.
const (
	mostBounces = 8
	cutFrom     = 3
	brightest   = 24
)

// split says how many points of a pixel are looked at for n paths, and how many paths go on from each: the
// points show outlines and maps well enough long before the light is smooth (Arvo & Kirk 1990).
func split(n int) (points, each int) {
	each = min(max(n/16, 1), 4)
	return max((n+each-1)/each, 1), each
}

// referenceTile draws a tile by tracing paths.
func (j *job) referenceTile(ctx context.Context, x0, y0, x1, y1 int, put func(x, y int, p shown)) {
	slope, _ := j.camera.pixel()
	n, each := split(j.Samples)
	t := tracer{job: j, slope: slope, each: each}
	t.rng.steps()
	for y := y0; y < y1; y++ {
		if ctx.Err() != nil {
			return
		}
		for x := x0; x < x1; x++ {
			t.rng.start(j.Seed, x, y)
			var light geom.V3 // of the paths that met the surface
			var beside shown
			hits := float32(0)
			for i := range n {
				t.rng.sample(i)
				u, v := t.rng.pair()
				px, py := float32(x)+tent(u), float32(y)+tent(v)
				r := t.objectRay(px, py)
				if c, hit := t.follow(r, i); hit {
					light, hits = light.Add(c), hits+1
					continue
				}
				c, a := t.background(px, py, t.object.of(r.D))
				beside.c, beside.alpha = beside.c.Add(c.Scale(a)), beside.alpha+a
			}
			k := 1 / float32(n)
			out := shown{beside.c.Scale(k), beside.alpha * k}
			if hits > 0 { // the film sees what the paths give together
				out.c = out.c.Add(t.film.show(light.Scale(1 / hits)).Scale(hits * k))
				out.alpha += hits * k
			}
			put(x, y, out)
		}
	}
}

// tent spreads samples over a pixel and half of its neighbours: what is in the middle counts most.
func tent(u float32) float32 {
	u = 2 * u
	if u < 1 {
		return 0.5 + 0.75*(sqrt(u)-1)
	}
	return 0.5 + 0.75*(1-sqrt(2-u))
}

// tracer follows paths. Its points are scratch space: taking them anew for each path costs time.
type tracer struct {
	*job
	slope       float32
	each        int // paths from what the viewer sees
	rng         sequence
	first, next corner
}

// corner is where a path turns: the surface there, prepared for the way that the path came.
type corner struct {
	point
	scatter bsdf.Scatter
	way     geom.V3 // that the ray came
	face    geom.V3 // normal of the relief
	from    geom.V3 // a little above the surface
	shade   float32 // occlusion that the relief would not make by itself
	inside  bool    // behind an opening of a shape
}

// arrive is where a ray meets the surface; ok is false where it does not. passed counts openings.
func (t *tracer) arrive(c *corner, r geom.Ray, pixel float32, lod int, inside bool, on *meeting, e effort, passed *int) (at geom.Ray, ok bool) {
	j := t.job
	for {
		m, ok := t.meet(r, pixel, lod, inside, on, e)
		if !ok {
			return r, false
		}
		j.look(m, r.D, pixel, &c.point)
		if c.opacity < 1 && *passed < 16 {
			if t.rng.random() >= c.opacity { // through the opening
				*passed++
				r, inside = t.beyond(m, r, inside)
				on = nil
				continue
			}
		}
		c.way, c.inside = r.D, inside
		c.shade = 1
		if !j.scene.relief && j.scene.surface.has[material.Occlusion] {
			c.shade = c.occlusion
		}
		c.face = j.scene.face(m, c.along, c.up, c.base)
		c.from = m.p.Add(c.face.Scale(max(pixel*m.at, j.scene.surface.texel(m.lod)) * 0.05))
		return r, true
	}
}

func (c *corner) prepare() {
	bsdf.Shared().PrepareInto(&c.scatter, &c.surface, c.local(c.way.Scale(-1)))
}

// follow is the light that comes along ray i of a pixel from the surface; hit is false where it meets
// nothing.
func (t *tracer) follow(r geom.Ray, i int) (light geom.V3, hit bool) {
	passed := 0
	if _, hit = t.arrive(&t.first, r, t.slope, -1, false, nil, careful, &passed); !hit {
		return light, false
	}
	t.first.prepare()
	for k := range t.each {
		t.rng.sample(i*t.each + k)
		t.rng.next = 2 // those before are the point's
		sun := float32(1)
		if t.each > 1 { // its disc is small: half of the paths tell enough
			sun = 2 * float32(k%2)
			if k == t.each-1 && t.each%2 == 1 {
				sun = 1
			}
		}
		light = light.Add(t.onward(passed, sun))
	}
	return light.Scale(1 / float32(t.each)).Add(t.first.emission), true
}

// onward is the light that a path gathers from the first corner on. sun is the weight of its direct light there.
func (t *tracer) onward(passed int, sun float32) (light geom.V3) {
	j := t.job
	whole := geom.Grey(1) // what is left of the light along the path
	pixel := t.slope
	c := &t.first
	for bounce := 0; ; {
		light = light.Add(t.dim(whole.Times(t.direct(c, sun)).Scale(c.shade), bounce))
		sun = 1
		u, v := t.rng.pair()
		pick, _ := t.rng.pair()
		thin := !j.scene.refracts
		index := max(float32(j.scene.surface.figures.Index), 1.0001)
		wi, weight, pdf, through := c.scatter.Sample(u, v, pick, thin, 1/index)
		if weight == (geom.V3{}) {
			return light
		}
		d := c.world(wi)
		r, inside, on := geom.Ray{O: c.from, D: d}, c.inside, (*meeting)(nil)
		switch {
		case through && thin:
			whole = whole.Times(weight)
			r, inside = t.beyond(c.meeting, r, inside)
		case through:
			var out bool
			if r, out = t.solid(&c.point, d, index, &whole); !out {
				return light
			}
			whole = whole.Times(weight)
		default:
			if d.Dot(c.face) <= 0 {
				return light // into the surface
			}
			whole = whole.Times(weight).Scale(c.shade)
			pixel = max(pixel, 0.02*c.surface.Roughness)
			on = &c.meeting
		}
		bounce++
		if bounce >= cutFrom {
			keep := min(max(whole.X, whole.Y, whole.Z), 0.95)
			if u, _ := t.rng.pair(); u >= keep {
				return light
			}
			whole = whole.Scale(1 / keep)
		}
		if bounce >= mostBounces {
			return light
		}
		next := &t.next
		if r, hit := t.arrive(next, r, pixel, c.lod, inside, on, bouncing, &passed); !hit {
			return light.Add(t.dim(whole.Times(t.sky(j.toSky.of(r.D), pdf)), bounce))
		}
		c = next
		c.surface.Roughness = max(c.surface.Roughness, 0.05) // what is mirrored in rough places is seen too rarely
		c.prepare()
		light = light.Add(t.dim(whole.Times(c.emission), bounce))
	}
}

// dim keeps what a path adds after its first bounce from sparkling.
func (t *tracer) dim(c geom.V3, bounce int) geom.V3 {
	if bounce == 0 {
		return c
	}
	if l := colour.Luminance(c.Array()); l > brightest {
		return c.Scale(brightest / l)
	}
	return c
}

// sky is the light from direction w of the light's frame, for a path that was drawn with pdf, 0 for one that
// could not be met otherwise: weighed against direct's, which may have met it too.
func (t *tracer) sky(w geom.V3, pdf float32) geom.V3 {
	e := t.Light
	sun := e.SunRadiance(w)
	if pdf <= 0 {
		return e.Radiance(w).Add(sun).Scale(t.gain)
	}
	c, density := e.Met(w, pdf)
	c = c.Scale(heuristic(pdf, density))
	if sun != (geom.V3{}) {
		c = c.Add(sun.Scale(heuristic(pdf, 1/e.SunAngle())))
	}
	return c.Scale(t.gain)
}

// heuristic is the weight of a sample of density a where b could have drawn it too (Veach 1995).
func heuristic(a, b float32) float32 { return a * a / max(a*a+b*b, 1e-20) }

// direct is the light that a point receives straight from the sky and, with a weight, from the sun, and sends
// to the viewer.
func (t *tracer) direct(c *corner, weight float32) (out geom.V3) {
	e, j := t.Light, t.job
	u, v := t.rng.pair()
	pick, _ := t.rng.pair()
	if w, light, density := e.Sample(pick, u, v); density > 0 {
		out = out.Add(t.seen(c, j.toSky.back(w), light, density))
	}
	if e.Sun.Radius > 0 && weight > 0 {
		u, v := t.rng.pair()
		out = out.Add(t.seen(c, j.toSky.back(e.SampleSun(u, v)), e.Sun.Irradiance.Scale(math.Pi*weight/e.SunAngle()), 1/e.SunAngle()))
	}
	return out.Scale(t.gain)
}

// seen is what a point sends to the viewer of light from d, that was drawn with a density.
func (t *tracer) seen(c *corner, d, light geom.V3, density float32) geom.V3 {
	wi := c.local(d)
	if wi.Z <= 0 || d.Dot(c.face) <= 0 {
		return geom.V3{}
	}
	f, pdf := c.scatter.Towards(wi)
	if f == (geom.V3{}) {
		return f
	}
	k := heuristic(density, pdf) / density
	if k <= 0 {
		return geom.V3{}
	}
	if m, blocked := t.meet(geom.Ray{O: c.from, D: d}, t.slope, c.lod, c.inside, &c.meeting, shadowing); blocked {
		// Openings let light pass.
		if !t.scene.surface.has[material.Opacity] {
			return geom.V3{}
		}
		var x texel
		var rare more
		t.scene.surface.tap(m.u, m.v, 0, 1, &x, &rare)
		k *= 1 - x.opacity
	}
	return f.Times(light).Scale(k)
}

// meet is where a ray meets the surface: from outside, or from inside a shape.
func (t *tracer) meet(r geom.Ray, pixel float32, lod int, inside bool, on *meeting, e effort) (m meeting, ok bool) {
	if inside {
		return t.inside(meeting{}, r)
	}
	return t.scene.trace(r, pixel, lod, on, e)
}

// beyond carries a ray on behind the wall that it has gone through.
func (t *tracer) beyond(m meeting, r geom.Ray, inside bool) (geom.Ray, bool) {
	if t.scene.body != nil { // other parts of a mesh may be in the way
		return geom.Ray{O: m.p.Add(r.D.Scale(1e-4 * t.scene.shape.Radius())), D: r.D}, false
	}
	if t.scene.shape.Solid() && !inside {
		return geom.Ray{O: m.p, D: r.D}, true
	}
	// Clear of the relief and of folds: nothing more is in the way.
	return geom.Ray{O: m.p.Add(r.D.Scale(4 * t.scene.shape.Radius())), D: r.D}, false
}

// solid follows light through the inside of a shape to where it comes out again; out is false where
// it stays in.
func (t *tracer) solid(p *point, d geom.V3, index float32, whole *geom.V3) (out geom.Ray, ok bool) {
	j := t.job
	sigma := j.scene.surface.figures.Transmission.Absorption()
	r := geom.Ray{O: p.p.Sub(p.base.Scale(j.scene.shape.Radius() * 1e-4)), D: d}
	for range 12 {
		to, n, ok := j.scene.leave(r)
		if !ok {
			return r, true
		}
		*whole = whole.Times(passed(sigma, to))
		at := r.At(to)
		inward := n.Scale(-1)
		u, v := t.rng.pair()
		h := bsdf.FacetAround(inward, r.D.Scale(-1), p.surface.Roughness, u, v)
		c := -r.D.Dot(h)
		bent, leaves := bsdf.Refract(r.D.Scale(-1), h, index)
		pick, _ := t.rng.pair()
		if leaves && pick >= bsdf.Dielectric(c, index) {
			if bent.Dot(n) <= 0 {
				return r, false
			}
			clear := j.scene.shape.Radius() * 1e-4
			if j.scene.body == nil { // the inside is the shape's, the relief lies on it
				clear += 2 * max(j.scene.top, 0)
			}
			return geom.Ray{O: at.Add(n.Scale(clear)), D: bent}, true
		}
		mirror := r.D.Add(h.Scale(2 * c))
		if mirror.Dot(inward) <= 0 {
			return r, false
		}
		r = geom.Ray{O: at.Add(inward.Scale(j.scene.shape.Radius() * 1e-4)), D: mirror}
	}
	return r, false
}

// sequence gives numbers in 0..1 for one pixel: for the first dimensions those of an additive
// recurrence by a pixel's own shift, which fill the square evenly, then at random.
type sequence struct {
	state uint64
	shift [sequenceSize]float32
	step  [sequenceSize]float64
	i     int
	next  int
}

const sequenceSize = 12

// sequenceRoot is the root of x^13 = x + 1: its powers are the steps of the recurrence (Roberts 2018).
const sequenceRoot = 1.0570505752

func (s *sequence) steps() {
	k := 1.0
	for i := range s.step {
		k /= sequenceRoot
		s.step[i] = k
	}
}

func (s *sequence) start(seed uint64, x, y int) {
	s.state = seed*0x9e3779b97f4a7c15 ^ uint64(x)*0xbf58476d1ce4e5b9 ^ uint64(y)*0x94d049bb133111eb
	s.random()
	for k := range s.shift {
		s.shift[k] = s.random()
	}
}

func (s *sequence) sample(i int) { s.i, s.next = i, 0 }

// random is the next number of splitmix64.
func (s *sequence) random() float32 {
	s.state += 0x9e3779b97f4a7c15
	z := s.state
	z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
	z = (z ^ z>>27) * 0x94d049bb133111eb
	return float32((z^z>>31)>>40) / (1 << 24)
}

func (s *sequence) number() float32 {
	if s.next >= sequenceSize {
		return s.random()
	}
	k := s.next
	s.next++
	x := float64(s.shift[k]) + float64(s.i)*s.step[k]
	return min(float32(x-float64(int64(x))), 0.9999999)
}

func (s *sequence) pair() (u, v float32) { return s.number(), s.number() }
