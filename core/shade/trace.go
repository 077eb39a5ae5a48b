package shade

import (
	"aldermoor/core/geom"
	"aldermoor/core/mesh"
	"aldermoor/core/shape"
)

// scene is a surface on a shape: what rays meet.
type scene struct {
	shape       shape.Shape
	body        *mesh.Body // where the shape is a mesh: it answers in its place
	refracts    bool       // light that goes through is bent and absorbed inside; otherwise the surface is a sheet
	steep       float32    // how much nearer the shape may be than Locate says
	surface     *Surface
	relief      bool
	top, bottom float32
	fade        float32 // how far from an edge relief begins to be let down
	du, dv      float32 // of the map's middle, in repeats
	iw, ih      float32 // repeats a metre
}

// thin is relief that is too low to be marched, metres.
const thin = 2e-6

func newScene(sh shape.Shape, s *Surface, relief bool) *scene {
	sc := &scene{shape: sh, steep: 1, surface: s, iw: float32(1 / s.size.W), ih: float32(1 / s.size.H)}
	if d, ok := sh.(shape.Drape); ok {
		sc.steep = d.Steepness()
	}
	if f, ok := sh.(shape.Flat); ok { // the corner of the map is the corner of the picture
		sc.du, sc.dv = f.Side/2*sc.iw, f.Side/2*sc.ih
	} else {
		sc.du, sc.dv = 0.5, 0.5
	}
	sc.refracts = sh.Solid() && !s.figures.Transmission.Thin
	if relief && s.top-s.bottom > thin {
		sc.relief, sc.top, sc.bottom = true, s.top, s.bottom
		// Relief must leave the shape something to stand on.
		if r := sh.Radius() * 0.3; -sc.bottom > r {
			sc.bottom = -r
		}
		sc.fade = 1.5 * (sc.top - sc.bottom)
	}
	return sc
}

// meeting is where a ray meets the surface.
type meeting struct {
	p    geom.V3
	at   float32 // along the ray
	u, v float32 // in repeats
	side float32 // −1 behind a shape without an inside
	lod  int     // of the heights
	hit  mesh.Meeting
}

// effort is how finely relief is marched.
type effort struct {
	steps  int     // that cross the relief from straight above, at least
	most   int     // in all
	stride float32 // share of the gap to the relief that a step takes
	refine int     // steps that close in on where the ray meets it
}

var (
	quick     = effort{8, 48, 0.6, 3}
	careful   = effort{32, 160, 0.35, 4}
	bouncing  = effort{12, 48, 0.5, 2}
	shadowing = effort{12, 48, 0.5, 0}
)

// locate is Locate on the side of the shape that is looked at, in repeats.
func (sc *scene) locate(p geom.V3, side float32) (u, v, above, edge float32) {
	u, v, above, edge = sc.shape.Locate(p)
	return u*sc.iw + sc.du, v*sc.ih + sc.dv, above * side, edge
}

// trace finds where a ray first meets the surface. pixel is how large a pixel is, in metres a
// metre along the ray; lod is the level of the heights for a ray that starts on the surface, −1
// for one that comes from the viewer. on is where it starts on the surface, nil where that is not known.
func (sc *scene) trace(r geom.Ray, pixel float32, lod int, on *meeting, e effort) (m meeting, ok bool) {
	if sc.body != nil {
		return sc.meetBody(r, pixel, lod)
	}
	from, to, ok := sc.shape.Enter(r, sc.top)
	if !ok {
		return m, false
	}
	m.side = 1
	if !sc.relief && sc.steep == 1 {
		if from <= 0 && sc.shape.Solid() {
			return m, false // from inside there is nothing in the way
		}
		m.at, m.p = from, r.At(from)
		m.u, m.v, _, _ = sc.locate(m.p, 1)
		return m, true
	}
	p := r.At(from)
	if !sc.shape.Solid() {
		if _, _, above, _ := sc.shape.Locate(p); above < 0 {
			m.side = -1
		}
	}
	footprint := pixel * from
	if m.lod = lod; lod < 0 {
		m.lod = int(sc.surface.lod(footprint) + 0.5)
	} else {
		footprint = sc.surface.texel(lod)
	}
	slant := float32(0)
	if b, ok := sc.shape.(shape.Ball); ok {
		slant = -r.D.Dot(p) / (b.R + sc.top)
	} else {
		_, _, n := sc.shape.Frame(p)
		slant = -r.D.Dot(n) * m.side
	}
	slant = max(slant, 0.08)
	least := max((sc.top-sc.bottom)/slant/float32(e.steps), footprint*0.5)
	if !sc.relief {
		least = max(footprint*0.5, sc.shape.Radius()*1e-4)
	}
	stride := e.stride * (1 + 0.8*slant*slant) / sc.steep // straight down, nothing is stepped over
	near := footprint * 0.25
	w := sc.walk(r, m.side)
	if on != nil {
		w.from(on)
	}
	at, before, gapBefore := from, from, float32(0)
	field := &sc.surface.level[m.lod].height
	for range e.most {
		u, v, above, edge := w.locate(at)
		step := (above-sc.top)/sc.steep + 1e-6
		if above <= sc.top+1e-6 {
			gap := above
			if sc.relief {
				h := max(field.at(u, v), sc.bottom)
				if edge < sc.fade {
					h = sc.height(m.lod, u, v, edge)
				}
				gap -= h
			}
			if gap <= 0 {
				sc.refine(&w, &m, e.refine, near, before, gapBefore, at, gap)
				m.p = r.At(m.at)
				return m, true
			}
			step = max(least, gap*stride)
			gapBefore = gap
		} else {
			gapBefore = above - sc.bottom
			step = max(step, least*0.5)
		}
		before = at
		at += step
		if at > to+step {
			return m, false
		}
	}
	return m, false
}

// refine closes in on the surface between a point above it and one below, in n steps or until it is
// near enough.
func (sc *scene) refine(w *walker, m *meeting, n int, near, a, gapA, b, gapB float32) {
	m.at = b
	for i := range n {
		at := (a + b) / 2
		if d := gapA - gapB; i < 3 && d > 1e-12 {
			at = a + (b-a)*min(max(gapA/d, 0.05), 0.95)
		}
		u, v, above, edge := w.locate(at)
		gap := above
		if sc.relief {
			gap -= sc.height(m.lod, u, v, edge)
		}
		if gap > 0 {
			a, gapA = at, gap
		} else {
			b, gapB = at, gap
		}
		m.at, m.u, m.v = at, u, v
		if abs(gap) < near {
			return
		}
	}
	if n == 0 {
		m.u, m.v, _, _ = w.locate(b)
	}
}

// leave is where a ray inside the shape meets its wall from within, and the normal there, outward; ok is false
// where nothing is met.
func (sc *scene) leave(r geom.Ray) (to float32, n geom.V3, ok bool) {
	if sc.body == nil {
		if _, to, ok = sc.shape.Enter(r, 0); ok {
			_, _, n = sc.shape.Frame(r.At(to))
		}
		return to, n, ok
	}
	hit, ok := sc.body.Hit(r, 0, far, false)
	if !ok {
		return 0, n, false
	}
	if _, _, n = sc.body.Frame(&hit); n.Dot(r.D) <= 0 { // smooth normals may lean over the edge
		if n = sc.body.Face(&hit); n.Dot(r.D) < 0 {
			n = n.Scale(-1)
		}
	}
	return hit.At, n, true
}

// frame has the tangents along the map's x and up, and the normal of the shape, on the side that
// is seen. Across the map, one metre along the first is one along u.
func (sc *scene) frame(m meeting) (t, b, n geom.V3) {
	if sc.body != nil {
		t, b, n = sc.body.Frame(&m.hit)
	} else {
		t, b, n = sc.shape.Frame(m.p)
	}
	if m.side < 0 {
		n = n.Scale(-1)
	}
	return t, b, n
}

// face is the normal of the relief itself at a meeting, between its texels.
func (sc *scene) face(m meeting, t, b, n geom.V3) geom.V3 {
	if sc.body != nil {
		return sc.body.Face(&m.hit).Scale(m.side)
	}
	if !sc.relief {
		return n
	}
	_, _, _, edge := sc.shape.Locate(m.p)
	d := sc.surface.texel(m.lod) * 0.5
	du, dv := d*sc.iw, d*sc.ih
	x := sc.height(m.lod, m.u+du, m.v, edge) - sc.height(m.lod, m.u-du, m.v, edge)
	y := sc.height(m.lod, m.u, m.v-dv, edge) - sc.height(m.lod, m.u, m.v+dv, edge)
	return n.Sub(t.Scale(x / (2 * d))).Sub(b.Scale(y / (2 * d))).Unit()
}

// sunlit marches from a point of the surface towards the sun and says how much of it is seen,
// 0..1, with an edge as soft as the sun is wide.
func (sc *scene) sunlit(m meeting, n, sun geom.V3, radius, grain float32) float32 {
	if sc.body != nil {
		return sc.sunOnBody(&m, sun)
	}
	facing := n.Dot(sun)
	if facing <= 0 && sc.shape.Solid() && !sc.relief {
		return 0
	}
	if !sc.relief && sc.steep == 1 {
		return 1
	}
	_, to, ok := sc.shape.Enter(geom.Ray{O: m.p.Add(n.Scale(grain * 0.5)), D: sun}, sc.top)
	if !ok {
		return 1
	}
	lit := float32(1)
	field := &sc.surface.level[m.lod].height
	w := sc.walk(geom.Ray{O: m.p, D: sun}, m.side)
	w.from(&m)
	for d, i := grain, 0; i < 28 && d < to; i++ {
		u, v, above, edge := w.locate(d)
		step := max(d*0.22, grain*0.8)
		if above <= sc.top {
			gap := above
			if sc.relief {
				h := max(field.at(u, v), sc.bottom)
				if edge < sc.fade {
					h = sc.height(m.lod, u, v, edge)
				}
				gap -= h
			}
			lit = min(lit, 0.5+0.5*gap/(radius*d+grain*0.35))
			if lit <= 0 {
				return 0
			}
			step = max(step, gap*0.5) // high above the relief, nothing is near
		} else if sc.steep == 1 {
			break
		} else {
			step = max(step, (above-sc.top)/sc.steep)
		}
		d += step
	}
	t := lit
	return t * t * (3 - 2*t)
}
