package treat

import (
	"math"

	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/shade"
)

// This file holds the treatments of the relief: normals, height and occlusion from one
// another, in true proportion.

// add is the scan with a channel that it may not have had, as large as another.
func (s *Scan) add(c, like material.Channel) Scan {
	out := *s
	out.resize(c, s.Map(like).Width, s.Map(like).Height)
	return out
}

// from makes a sheet out of another channel's.
func from(c material.Channel, f func(*Sheet) *Sheet) func(material.Channel, getter) (*Sheet, error) {
	return func(_ material.Channel, get getter) (*Sheet, error) {
		s, err := get(c)
		if err != nil {
			return nil, err
		}
		return f(s), nil
	}
}

// metres is a height sheet as heights in metres.
func (s *Scan) metres(h *Sheet, depth float64) raster.Plane {
	k := float32(depth)
	return filter.Map(h.Planes[0], func(v float32) float32 { return v * k })
}

func normalFromHeight(st Step, now *Scan) (operation, error) {
	if !now.has(material.Height) {
		return operation{}, missing(material.Height)
	}
	depth := now.Depth
	if st.DepthM > 0 {
		depth = st.DepthM
	}
	if depth <= 0 {
		return operation{}, refuse("depth_unknown")
	}
	a := operation{makes: []material.Channel{material.Normal}, after: now.add(material.Normal, material.Height)}
	a.after.Depth = depth
	a.did = fact.New("normals_made", "depth", depth)
	a.make = from(material.Height, func(h *Sheet) *Sheet {
		px, py := now.pitch(h.Size())
		return &Sheet{Normal: normals.FromHeight(now.metres(h, depth), px, py, now.Tiles), Bits: 16}
	})
	return a, nil
}

// heightFromNormal integrates. The range is found once, on the reduced copy, and a little
// room is left above and below, as finer copies reach further.
func heightFromNormal(_ Step, now *Scan) (operation, error) {
	if !now.has(material.Normal) {
		return operation{}, missing(material.Normal)
	}
	s, err := now.Load(material.Normal, DecideAt)
	if err != nil {
		return operation{}, err
	}
	wraps := now.Tiles[0] && now.Tiles[1]
	integrate := func(s *Sheet) raster.Plane {
		px, py := now.pitch(s.Size())
		return normals.Integrate(s.Normal, normals.Up, px, py, wraps, normals.ByDifferences)
	}
	lo, hi := integrate(s).Range()
	if hi-lo <= 0 {
		return operation{}, refuse("normals_flat")
	}
	room := (hi - lo) * 0.02
	lo, hi = lo-room, hi+room
	a := operation{makes: []material.Channel{material.Height}, after: now.add(material.Height, material.Normal)}
	a.after.Depth = float64(hi - lo)
	a.did = fact.New("height_made", "depth", hi-lo)
	a.make = from(material.Normal, func(n *Sheet) *Sheet {
		k := 1 / (hi - lo)
		return &Sheet{Planes: []raster.Plane{filter.Map(integrate(n), func(v float32) float32 { return min(max((v-lo)*k, 0), 1) })}, Bits: 16}
	})
	return a, nil
}

func occlusionFromHeight(st Step, now *Scan) (operation, error) {
	if !now.has(material.Height) {
		return operation{}, missing(material.Height)
	}
	if now.Depth <= 0 {
		return operation{}, refuse("depth_unknown")
	}
	reach := st.Metres
	if reach == 0 {
		reach = max(6*now.Depth, 0.02*now.Size.W) // beyond, a horizon stands below 10 degrees
	}
	a := operation{makes: []material.Channel{material.Occlusion}, after: now.add(material.Occlusion, material.Height)}
	a.did = fact.New("occlusion_made", "reach", reach)
	a.make = from(material.Height, func(h *Sheet) *Sheet {
		px, py := now.pitch(h.Size())
		return &Sheet{Planes: []raster.Plane{shade.Occlusion(now.metres(h, now.Depth), px, py, reach, now.Tiles)}, Bits: 16}
	})
	return a, nil
}

// normalFromPicture takes dark for deep, at several widths: fine grain says little of the
// relief, and what is wider than a tenth of the repeat is light or dirt.
func normalFromPicture(st Step, now *Scan) (operation, error) {
	if !now.has(material.BaseColor) {
		return operation{}, missing(material.BaseColor)
	}
	depth := st.DepthM
	if depth == 0 {
		if depth = now.Depth; depth == 0 {
			depth = now.Size.W / 100
		}
	}
	s, err := now.Load(material.BaseColor, DecideAt)
	if err != nil {
		return operation{}, err
	}
	lo, hi := guess(s, now.Tiles).Range()
	if hi-lo < 1e-5 {
		return operation{}, refuse("picture_flat")
	}
	a := operation{makes: []material.Channel{material.Normal}, after: now.add(material.Normal, material.BaseColor)}
	a.did = fact.New("normals_estimated", "depth", depth)
	a.make = from(material.BaseColor, func(s *Sheet) *Sheet {
		k := float32(depth) / (hi - lo)
		px, py := now.pitch(s.Size())
		return &Sheet{Normal: normals.FromHeight(filter.Map(guess(s, now.Tiles), func(v float32) float32 { return v * k }), px, py, now.Tiles), Bits: 16}
	})
	return a, nil
}

// guess is a height by lightness, its bands from a tenth of the width down weighted by their width.
func guess(s *Sheet, wraps [2]bool) raster.Plane {
	l := grey(s)
	out := raster.NewPlane(l.W, l.H)
	wide := filter.GaussianOn(l, float64(l.W)/20, wraps)
	weight := float32(1)
	for sigma := float64(l.W) / 40; sigma > float64(l.W)/2000; sigma /= 2 {
		next := l
		if sigma > 0.4 {
			next = filter.GaussianOn(l, sigma, wraps)
		}
		for i := range out.Pix {
			out.Pix[i] += weight * (next.Pix[i] - wide.Pix[i])
		}
		wide, weight = next, weight*0.7
	}
	return out
}

func normalStrength(st Step, now *Scan) (operation, error) {
	if !now.has(material.Normal) {
		return operation{}, missing(material.Normal)
	}
	k := float32(st.Strength)
	a := one(now, material.Normal, fact.New("strengthened", "factor", st.Strength), func(s *Sheet) *Sheet {
		p, q := slopes(s.Normal)
		for i := range p.Pix {
			p.Pix[i] *= k
			q.Pix[i] *= k
		}
		return &Sheet{Normal: fromSlopes(p, q), Bits: 16}
	})
	if !now.has(material.Height) { // a measured relief stays as deep as it is
		a.after.Depth *= st.Strength
	}
	return a, nil
}

// slopes are −x/z and y/z of unit normals.
func slopes(f normals.Field) (p, q raster.Plane) {
	p, q = raster.NewPlane(f.X.W, f.X.H), raster.NewPlane(f.X.W, f.X.H)
	raster.Rows(f.X.H, func(y0, y1 int) {
		for i := y0 * f.X.W; i < y1*f.X.W; i++ {
			p.Pix[i], q.Pix[i] = f.Slopes(i, normals.Up)
		}
	})
	return p, q
}

// fromSlopes undoes slopes.
func fromSlopes(p, q raster.Plane) normals.Field {
	f := normals.Field{X: raster.NewPlane(p.W, p.H), Y: raster.NewPlane(p.W, p.H), Z: raster.NewPlane(p.W, p.H)}
	raster.Rows(p.H, func(y0, y1 int) {
		for i := y0 * p.W; i < y1*p.W; i++ {
			x, y := -p.Pix[i], q.Pix[i]
			l := float32(1 / math.Sqrt(float64(x*x+y*y+1)))
			f.X.Pix[i], f.Y.Pix[i], f.Z.Pix[i] = x*l, y*l, l
		}
	})
	return f
}

// unband finds what 8 bits of a height have lost, within half a step of what they kept.
// Where there are normals that agree with it, fine relief is taken from their slopes and
// wide relief from the height; else what lies between the steps is smoothed.
func unband(_ Step, now *Scan) (operation, error) {
	if !now.has(material.Height) {
		return operation{}, missing(material.Height)
	}
	h, err := now.Load(material.Height, DecideAt)
	if err != nil {
		return operation{}, err
	}
	depth, trust := 0.0, 0.0
	if now.has(material.Normal) {
		n, err := now.Load(material.Normal, DecideAt)
		if err != nil {
			return operation{}, err
		}
		w, hh := h.Size()
		px, py := now.pitch(w, hh)
		depth, trust = normals.Depth(n.resampled(w, hh).Normal, normals.Up, h.Planes[0], px, py)
	}
	const step = 1.0 / 255
	within := func(u, v raster.Plane) *Sheet {
		raster.Rows(v.H, func(y0, y1 int) {
			for i := y0 * v.W; i < y1*v.W; i++ {
				u.Pix[i] = min(max(u.Pix[i], v.Pix[i]-step/2, 0), v.Pix[i]+step/2, 1)
			}
		})
		return &Sheet{Planes: []raster.Plane{u}, Bits: 16}
	}
	if trust < 0.5 || depth <= 0 {
		return one(now, material.Height, fact.New("bands_smoothed"), func(s *Sheet) *Sheet {
			return within(between(s.Planes[0], step, now.Tiles), s.Planes[0])
		}), nil
	}
	a := one(now, material.Height, fact.New("bands_by_normals"), nil)
	a.make = func(_ material.Channel, get getter) (*Sheet, error) {
		s, err := get(material.Height)
		if err != nil {
			return nil, err
		}
		n, err := get(material.Normal)
		if err != nil {
			return nil, err
		}
		v := s.Planes[0]
		px, py := now.pitch(v.W, v.H)
		u := normals.Integrate(n.resampled(v.W, v.H).Normal, normals.Up, px, py, now.Tiles[0] && now.Tiles[1], normals.ByDifferences)
		k := float32(1 / depth)
		rest := raster.NewPlane(v.W, v.H)
		for i, t := range u.Pix {
			u.Pix[i] = t * k
			rest.Pix[i] = v.Pix[i] - t*k
		}
		rest = filter.GaussianOn(rest, normalsTell, now.Tiles)
		for i, r := range rest.Pix {
			u.Pix[i] += r
		}
		return within(u, v), nil
	}
	return a, nil
}

// normalsTell is the width in pixels up to which relief is taken from the normals: wider,
// their small errors add up to more than a step.
const normalsTell = 12

// between smooths a stepped plane. How widely it looks goes by how many steps there are
// around a pixel: a gentle slope that takes many pixels a step wants a wide look, a steep
// one none.
func between(v raster.Plane, step float32, wraps [2]bool) raster.Plane {
	u, steps := raster.NewPlane(v.W, v.H), raster.NewPlane(v.W, v.H)
	copy(u.Pix, v.Pix)
	raster.Rows(v.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range v.W {
				here, right, below := v.At(x, y), v.At(x+1, y), v.At(x, y+1)
				if !wraps[0] && x == v.W-1 {
					right = here
				}
				if !wraps[1] && y == v.H-1 {
					below = here
				}
				steps.Pix[y*v.W+x] = float32(math.Hypot(float64(right-here), float64(below-here))) / step
			}
		}
	})
	for sigma := 0.8; sigma < float64(min(v.W, v.H))/16; sigma *= 1.4 {
		wide, many := filter.GaussianOn(v, sigma, wraps), filter.GaussianOn(steps, sigma, wraps)
		raster.Rows(v.H, func(y0, y1 int) {
			for i := y0 * v.W; i < y1*v.W; i++ {
				// Steps within the look: up to one and a half it is taken, from two and a half on it is not.
				t := min(max(2.5-many.Pix[i]*float32(sigma), 0), 1)
				u.Pix[i] += (wide.Pix[i] - u.Pix[i]) * t
			}
		})
	}
	return u
}
