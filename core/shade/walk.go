package shade

import (
	"aldermoor/core/geom"
	"aldermoor/core/shape"
)

// walker goes along a straight ray and says where on the map, and how far above the shape, it is.
// On curved shapes the map's coordinates are followed along the ray by their slopes and worked out
// anew every so often (reach): marching asks for them many times.
type walker struct {
	sc         *scene
	o, d       geom.V3
	side       float32
	at, reach  float32 // where the slopes are from, and how far they hold
	u, v       float32 // there, in repeats
	su, sv     float32 // slopes along the ray
	edge       float32
	cap        bool // of a column: on one of its ends
	kind       kind
	r, h       float32 // of a ball or column
	ox, oy, oz float32
	dx, dy, dz float32
}

type kind uint8

const (
	other kind = iota
	ball
	flat
	column
)

func (sc *scene) walk(r geom.Ray, side float32) walker {
	w := walker{sc: sc, o: r.O, d: r.D, side: side, reach: -1, ox: r.O.X, oy: r.O.Y, oz: r.O.Z, dx: r.D.X, dy: r.D.Y, dz: r.D.Z}
	switch s := sc.shape.(type) {
	case shape.Ball:
		w.kind, w.r = ball, s.R
	case shape.Flat:
		w.kind = flat
	case shape.Column:
		w.kind, w.r, w.h = column, s.R, s.Half
	}
	return w
}

// refresh works out the map's coordinates and their slopes at distance t.
func (w *walker) refresh(t float32) {
	w.at = t
	if w.kind == ball {
		x, y, z := w.ox+t*w.dx, w.oy+t*w.dy, w.oz+t*w.dz
		u, v, out, length := shape.Ball{R: w.r}.Place(x, y, z)
		w.u, w.v, w.edge = u*w.sc.iw+w.sc.du, v*w.sc.ih+w.sc.dv, out
		w.follow(x, y, z, out, length)
		return
	}
	sc, p := w.sc, w.o.Add(w.d.Scale(t))
	w.u, w.v, _, w.edge = sc.locate(p, 1)
	tangent, up, _ := sc.shape.Frame(p)
	a, b := w.d.Dot(tangent)*sc.iw, -w.d.Dot(up)*sc.ih
	switch w.kind {
	case column:
		w.su, w.sv, w.reach = a, b, 1e9
		if !w.cap {
			out := sqrt(p.X*p.X + p.Z*p.Z)
			w.su, w.reach = a*w.r/out, 0.1*out
		}
	default: // a plane
		w.su, w.sv, w.reach = a, b, 1e9
	}
}

// follow works out the slopes at a point near a ball, out from its axis and at a length from its middle.
func (w *walker) follow(x, y, z, out, length float32) {
	out = max(out, 0.02*w.r)
	away := (w.dx*x + w.dy*y + w.dz*z) / length
	w.su = (w.dx*z - w.dz*x) / (out * out) * w.r * w.sc.iw
	w.sv = -(w.dy - away*y/length) / out * w.r * w.sc.ih
	w.reach = 0.1 * out
}

// from starts the walk at a meeting, whose place on the map is known.
func (w *walker) from(m *meeting) {
	if w.kind != ball {
		return
	}
	x, y, z := w.ox, w.oy, w.oz
	w.edge = sqrt(x*x + z*z)
	w.at, w.u, w.v = 0, m.u, m.v
	w.follow(x, y, z, w.edge, sqrt(x*x+y*y+z*z))
}

// locate is where distance t lies.
func (w *walker) locate(t float32) (u, v, above, edge float32) {
	switch w.kind {
	case ball:
		x, y, z := w.ox+t*w.dx, w.oy+t*w.dy, w.oz+t*w.dz
		above = sqrt(x*x+y*y+z*z) - w.r
	case flat:
		above = w.oz + t*w.dz
	case column:
		x, y, z := w.ox+t*w.dx, w.oy+t*w.dy, w.oz+t*w.dz
		out, up := sqrt(x*x+z*z)-w.r, abs(y)-w.h
		end := up > out
		if end != w.cap {
			w.cap, w.reach = end, -1
		}
		above, edge = out, -up
		if end {
			above, edge = up, -out
		}
		if d := t - w.at; d > w.reach || -d > w.reach {
			w.refresh(t)
		}
		d := t - w.at
		return w.u + d*w.su, w.v + d*w.sv, above * w.side, edge
	default:
		return w.sc.locate(w.o.Add(w.d.Scale(t)), w.side)
	}
	d := t - w.at
	if d > w.reach || -d > w.reach {
		w.refresh(t)
		d = 0
	}
	return w.u + d*w.su, w.v + d*w.sv, above * w.side, w.edge
}

// height is that of the relief at (u, v) in repeats, of a level, metres above the shape.
func (sc *scene) height(lod int, u, v, edge float32) float32 {
	h := max(sc.surface.level[lod].height.at(u, v), sc.bottom)
	if edge < sc.fade {
		h *= step(0, sc.fade, edge)
	}
	return h
}

// step rises smoothly from 0 at lo to 1 at hi.
func step(lo, hi, v float32) float32 {
	t := min(max((v-lo)/(hi-lo), 0), 1)
	return t * t * (3 - 2*t)
}
