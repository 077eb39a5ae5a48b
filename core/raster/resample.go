package raster

import "math"

// Filter says how samples are weighed when a picture is made smaller.
type Filter int

const (
	// Area averages exactly what a new pixel covers; a picture that is made larger is
	// interpolated linearly. It never overshoots.
	Area Filter = iota
	// Lanczos keeps more detail than Area: a windowed sinc of three lobes
	// (Duchon 1979). It may overshoot at hard edges.
	Lanczos
)

// Resample returns the plane at w × h samples. Neighbours wrap, and weights add
// up to one for each new sample, so the mean is kept for whole ratios.
func (p Plane) Resample(w, h int, f Filter) Plane {
	if w == p.W && h == p.H {
		return p
	}
	if f == Area && p.W == 2*w && p.H == 2*h {
		return p.halved()
	}
	cols, rows := taps(p.W, w, f), taps(p.H, h, f)
	mid := NewPlane(w, p.H)
	Rows(p.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			src, dst := p.Row(y), mid.Row(y)
			for x, t := range cols {
				var s float32
				if t.first >= 0 && t.first+len(t.weight) <= p.W {
					for i, v := range src[t.first : t.first+len(t.weight)] {
						s += v * t.weight[i]
					}
				} else {
					for i, k := range t.weight {
						s += src[wrap(t.first+i, p.W)] * k
					}
				}
				dst[x] = s
			}
		}
	})
	out := NewPlane(w, h)
	Rows(h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			dst := out.Row(y)
			for i, k := range rows[y].weight {
				for x, v := range mid.Row(wrap(rows[y].first+i, p.H)) {
					dst[x] += v * k
				}
			}
		}
	})
	return out
}

// halved is the plane at half its even width and height: the mean of each four.
func (p Plane) halved() Plane {
	out := NewPlane(p.W/2, p.H/2)
	Rows(out.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			dst := out.Row(y)
			a, b := p.Row(2 * y)[:2*len(dst)], p.Row(2*y + 1)[:2*len(dst)]
			for x := range dst {
				dst[x] = ((a[2*x] + a[2*x+1]) + (b[2*x] + b[2*x+1])) * 0.25
			}
		}
	})
	return out
}

// tap is the run of source samples, from first on, that one new sample weighs.
type tap struct {
	first  int
	weight []float32
}

func taps(from, to int, f Filter) []tap {
	out := make([]tap, to)
	ratio := float64(from) / float64(to)
	for i := range out {
		lo, hi := float64(i)*ratio, float64(i+1)*ratio
		weigh := func(s float64) float64 { return min(hi, s+1) - max(lo, s) }
		centre := (lo + hi) / 2
		switch {
		case f == Lanczos:
			reach := 3 * max(ratio, 1)
			lo, hi = centre-reach, centre+reach
			weigh = func(s float64) float64 { return lanczos((s + 0.5 - centre) / max(ratio, 1)) }
		case ratio < 1: // nothing to average: between two samples, linearly
			lo, hi = centre-1, centre+1
			weigh = func(s float64) float64 { return max(0, 1-math.Abs(s+0.5-centre)) }
		}
		first, last := int(math.Floor(lo)), int(math.Ceil(hi))
		var sum float64
		w := make([]float64, 0, last-first)
		for s := first; s < last; s++ {
			k := weigh(float64(s))
			w = append(w, k)
			sum += k
		}
		out[i] = tap{first, make([]float32, len(w))}
		for j, k := range w {
			out[i].weight[j] = float32(k / sum)
		}
	}
	return out
}

func lanczos(x float64) float64 {
	switch x = math.Abs(x); {
	case x < 1e-9:
		return 1
	case x >= 3:
		return 0
	}
	px := math.Pi * x
	return 3 * math.Sin(px) * math.Sin(px/3) / (px * px)
}

// Fit is the size of w × h made to fit a square of side n without growing, its
// ratio kept.
func Fit(w, h, n int) (int, int) {
	if w <= n && h <= n {
		return w, h
	}
	if w >= h {
		return n, max(1, int(math.Round(float64(h)*float64(n)/float64(w))))
	}
	return max(1, int(math.Round(float64(w)*float64(n)/float64(h)))), n
}

// addBlocks adds each k samples of a row to one sum.
func addBlocks(acc []uint32, row []uint16, k int) {
	row = row[:len(acc)*k]
	switch k {
	case 1:
		for x, v := range row {
			acc[x] += uint32(v)
		}
	case 2:
		for x := range acc {
			v := row[2*x : 2*x+2 : 2*x+2]
			acc[x] += uint32(v[0]) + uint32(v[1])
		}
	case 4:
		for x := range acc {
			v := row[4*x : 4*x+4 : 4*x+4]
			acc[x] += uint32(v[0]) + uint32(v[1]) + uint32(v[2]) + uint32(v[3])
		}
	case 8:
		for x := range acc {
			v := row[8*x : 8*x+8 : 8*x+8]
			acc[x] += uint32(v[0]) + uint32(v[1]) + uint32(v[2]) + uint32(v[3]) + uint32(v[4]) + uint32(v[5]) + uint32(v[6]) + uint32(v[7])
		}
	default:
		for x := range acc {
			for _, v := range row[x*k : x*k+k] {
				acc[x] += uint32(v)
			}
		}
	}
}

// Reduced returns component c averaged down so that neither side is longer than
// n, integers in one pass over the source and without a full-size float copy. Its
// samples are never shared with the picture.
func (im *Image) Reduced(c, n int) Plane {
	w, h := Fit(im.W, im.H, n)
	if w == im.W && h == im.H {
		p := NewPlane(w, h)
		im.Planes[c].Read(p.Pix, 0)
		return p
	}
	// Whole blocks first, straight from the samples; the rest is resampled.
	k := max(1, min(im.W/w, im.H/h))
	if im.W%k == 0 && im.H%k == 0 {
		if p, ok := im.Planes[c].blocks(im.W, k, im.W/k, im.H/k); ok {
			return p.Resample(w, h, Area)
		}
	}
	return im.Plane(c).Resample(w, h, Area)
}
