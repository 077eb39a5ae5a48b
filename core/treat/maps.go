package treat

import (
	"math"
	"slices"

	"aldermoor/core/fact"
	"aldermoor/core/likeness"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// This file holds the treatments of single maps, and those that change how maps are kept.

// getter gives a channel's sheet as it was before a step.
type getter = func(material.Channel) (*Sheet, error)

// missing is the error for a step that needs a map which is not there.
func missing(c material.Channel) error { return refuse("missing", "channel", c) }

// one is the operation of a step that changes one channel and nothing else that is known.
func one(now *Scan, c material.Channel, did fact.Fact, f func(*Sheet) *Sheet) operation {
	return operation{makes: []material.Channel{c}, after: *now, did: did, make: func(c material.Channel, get getter) (*Sheet, error) {
		s, err := get(c)
		if err != nil {
			return nil, err
		}
		return f(s), nil
	}}
}

func flipNormal(_ Step, now *Scan) (operation, error) {
	if !now.has(material.Normal) {
		return operation{}, missing(material.Normal)
	}
	return one(now, material.Normal, fact.New("flipped"), func(s *Sheet) *Sheet {
		f := s.Normal
		f.Y = filter.Map(f.Y, func(v float32) float32 { return -v })
		return &Sheet{Normal: f, Bits: s.Bits}
	}), nil
}

// renormalise has nothing to do: sheets of normals are unit vectors. It makes them be written so.
func renormalise(_ Step, now *Scan) (operation, error) {
	if !now.has(material.Normal) {
		return operation{}, missing(material.Normal)
	}
	return one(now, material.Normal, fact.New("renormalised"), func(s *Sheet) *Sheet { return s }), nil
}

func (s *Sheet) each(f func(float32) float32) *Sheet {
	out := &Sheet{Bits: s.Bits}
	for _, p := range s.Planes {
		out.Planes = append(out.Planes, filter.Map(p, f))
	}
	return out
}

func invert(st Step, now *Scan) (operation, error) {
	if !now.has(st.Channel) {
		return operation{}, missing(st.Channel)
	}
	if st.Channel == material.Normal {
		return operation{}, refuse("normal_not_inverted")
	}
	a := one(now, st.Channel, fact.New("inverted", "channel", st.Channel), func(s *Sheet) *Sheet {
		return s.each(func(v float32) float32 { return 1 - v })
	})
	if st.Channel == material.Height {
		a.zero = [2]float64{-1, 1}
	}
	return a, nil
}

func rerange(st Step, now *Scan) (operation, error) {
	if !now.has(st.Channel) {
		return operation{}, missing(st.Channel)
	}
	if st.Channel == material.Normal {
		return operation{}, refuse("normal_no_range")
	}
	lo, hi := st.Low, st.High
	if lo == 0 && hi == 0 {
		s, err := now.Load(st.Channel, 0) // reduced copies hide the extremes
		if err != nil {
			return operation{}, err
		}
		lo, hi = 1, 0
		for _, p := range s.Planes {
			a, b := p.Range()
			lo, hi = min(lo, float64(a)), max(hi, float64(b))
		}
	}
	if hi-lo < 1e-4 {
		return operation{}, refuse("one_value", "channel", st.Channel)
	}
	off, k := float32(lo), float32(1/(hi-lo))
	a := one(now, st.Channel, fact.New("reranged", "channel", st.Channel, "from", lo, "to", hi), func(s *Sheet) *Sheet {
		out := s.each(func(v float32) float32 { return min(max((v-off)*k, 0), 1) })
		out.Bits = 16 // stretched steps would show
		return out
	})
	if st.Channel == material.Height {
		a.after.Depth *= hi - lo
		a.zero = [2]float64{1 / (hi - lo), -lo / (hi - lo)} // the same height in metres
	}
	return a, nil
}

func takeApart(_ Step, now *Scan) (operation, error) {
	a := one(now, material.None, fact.New("taken_apart"), func(s *Sheet) *Sheet { return s })
	a.makes = slices.DeleteFunc(now.Mapped(), func(c material.Channel) bool { return !c.Grey() })
	if len(a.makes) == 0 {
		return operation{}, refuse("no_grey_map")
	}
	return a, nil
}

func pack(st Step, now *Scan) (operation, error) {
	w, h := 0, 0
	for _, c := range st.Channels {
		if !now.has(c) {
			return operation{}, missing(c)
		}
		if p := now.Map(c); p.Width*p.Height > w*h {
			w, h = p.Width, p.Height
		}
	}
	a := sized(now, st.Channels, w, h)
	a.packs = slices.Clone(st.Channels)
	a.did = fact.New("packed", "channels", st.Channels)
	return a, nil
}

// sized is the operation that brings channels to w × h at full size.
func sized(now *Scan, list []material.Channel, w, h int) operation {
	a := operation{after: *now, makes: slices.Clone(list)}
	for _, c := range list {
		a.after.resize(c, w, h)
	}
	a.make = func(c material.Channel, get getter) (*Sheet, error) {
		s, err := get(c)
		if err != nil {
			return nil, err
		}
		if sw, sh := s.Size(); sw != now.Map(c).Width || sh != now.Map(c).Height {
			rw, rh := raster.Fit(w, h, DecideAt) // a reduced copy
			return s.resampled(rw, rh), nil
		}
		return s.resampled(w, h), nil
	}
	return a
}

func oneSize(st Step, now *Scan) (operation, error) {
	w, h := now.Pixels()
	if st.Pixels > 0 {
		k := float64(st.Pixels) / float64(max(w, h))
		w, h = max(1, int(math.Round(float64(w)*k))), max(1, int(math.Round(float64(h)*k)))
	}
	var list []material.Channel
	for _, c := range now.Mapped() {
		if p := now.Map(c); p.Width != w || p.Height != h {
			list = append(list, c)
		}
	}
	if len(list) == 0 {
		return operation{}, refuse("sizes_equal", "width", w, "height", h)
	}
	a := sized(now, list, w, h)
	a.did = fact.New("resized", "width", w, "height", h)
	return a, nil
}

// register moves a map by whole pixels: half a pixel of error blurs nothing, a
// resampled map is blurred everywhere.
func register(st Step, now *Scan) (operation, error) {
	if !now.has(st.Channel) {
		return operation{}, missing(st.Channel)
	}
	full := [2]int{now.Map(st.Channel).Width, now.Map(st.Channel).Height}
	dx, dy := st.ShiftX/float64(full[0]), st.ShiftY/float64(full[1])
	if st.ShiftX == 0 && st.ShiftY == 0 {
		ref, err := now.reference(st.Channel)
		if err != nil {
			return operation{}, err
		}
		s, err := now.Load(st.Channel, DecideAt)
		if err != nil {
			return operation{}, err
		}
		x, y, trust, _ := likeness.Shift(ref, grey(s).Resample(ref.W, ref.H, raster.Area))
		if trust < likeness.Registered {
			return operation{}, refuse("shift_unknown", "channel", st.Channel)
		}
		dx, dy = -x/float64(ref.W), -y/float64(ref.H)
	}
	did := fact.New("shifted", "channel", st.Channel, "right", dx*float64(full[0]), "down", dy*float64(full[1]))
	return one(now, st.Channel, did, func(s *Sheet) *Sheet {
		w, h := s.Size()
		kx, ky := int(math.Round(dx*float64(w))), int(math.Round(dy*float64(h)))
		var out []raster.Plane
		for _, p := range s.all() {
			q := raster.NewPlane(w, h)
			for y := range h {
				src, dst := p.Row(((y-ky)%h+h)%h), q.Row(y)
				cut := ((kx % w) + w) % w
				copy(dst[cut:], src[:w-cut])
				copy(dst[:cut], src[w-cut:])
			}
			out = append(out, q)
		}
		return s.with(out)
	}), nil
}

// reference is a plane by which the place of a channel can be told: the relief by the
// normals, or the height, or the lightness.
func (s *Scan) reference(of material.Channel) (raster.Plane, error) {
	if of != material.Normal && s.has(material.Normal) {
		n, err := s.Load(material.Normal, DecideAt)
		if err != nil {
			return raster.Plane{}, err
		}
		px, py := s.pitch(n.Normal.X.W, n.Normal.X.H)
		return normals.Integrate(n.Normal, normals.Up, px, py, s.Tiles[0] && s.Tiles[1], normals.ByDifferences), nil
	}
	for _, c := range []material.Channel{material.Height, material.BaseColor} {
		if c != of && s.has(c) {
			r, err := s.Load(c, DecideAt)
			if err != nil {
				return raster.Plane{}, err
			}
			return grey(r), nil
		}
	}
	return raster.Plane{}, refuse("no_other_map")
}

// grey is a sheet as one plane: the lightness of colour, the relief's slopes of normals.
func grey(s *Sheet) raster.Plane {
	p := s.all()
	if len(p) < 3 {
		return p[0]
	}
	if len(s.Planes) == 0 {
		return filter.Mix(p, 0.5, 0.5)
	}
	return filter.Luma(p)
}
