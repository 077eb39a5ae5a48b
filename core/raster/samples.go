package raster

import "math"

// Samples are those of one plane, row after row from the top: Ints or Floats. What
// depends on how samples are stored is a method here, so that nothing above has to ask.
type Samples interface {
	// At is sample i: integers scaled to 0..1, floats as they are.
	At(i int) float32
	// Read writes the samples from the one at i on to dst, as At gives them.
	Read(dst []float32, i int)
	// Bytes is the memory they take.
	Bytes() int
	// Moments are the least and the greatest sample, the mean and the standard deviation.
	Moments() (lo, hi, mean, std float64)
	// extent is the least and the greatest finite sample, 0 among them, and whether all are
	// finite; ok is false where samples are within 0..1 as they are stored.
	extent() (lo, hi float32, finite, ok bool)
	// stretched is the plane with from at 0 and to at 1.
	stretched(from, to float32) Samples
	// plane gives them as float32, of w × h; Floats are shared.
	plane(w, h int) Plane
	// blocks averages k × k blocks of a plane of width w to bw × bh; ok is false where that
	// is no faster than resampling.
	blocks(w, k, bw, bh int) (p Plane, ok bool)
	// mend replaces what is not finite; see Image.MendNotFinite.
	mend(w, h int) (count int)
}

// Ints are unsigned samples of 1..16 bits, spread over 0..65535.
type Ints []uint16

// Floats are samples of any value.
type Floats []float32

// At is sample i scaled to 0..1.
func (p Ints) At(i int) float32 { return float32(p[i]) * (1.0 / 65535) }

// At is sample i.
func (p Floats) At(i int) float32 { return p[i] }

// Read scales samples to 0..1.
func (p Ints) Read(dst []float32, i int) {
	src := p[i : i+len(dst)]
	dst = dst[:len(src)]
	for k, v := range src {
		dst[k] = float32(v) * (1.0 / 65535)
	}
}

// Read copies samples.
func (p Floats) Read(dst []float32, i int) { copy(dst, p[i:i+len(dst)]) }

// Bytes is two a sample.
func (p Ints) Bytes() int { return 2 * len(p) }

// Bytes is four a sample.
func (p Floats) Bytes() int { return 4 * len(p) }

// momentsBlock is how many samples Moments of Ints sums up at a time: so many squares of
// 16 bits fit 64.
const momentsBlock = 1 << 16

// Moments are exact sums, taken in parallel.
func (p Ints) Moments() (lo, hi, mean, std float64) {
	type part struct {
		lo, hi  uint16
		sum, sq uint64
	}
	parts := make([]part, (len(p)+momentsBlock-1)/momentsBlock)
	Rows(len(parts), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			s := part{lo: 65535}
			row := p[k*momentsBlock : min(len(p), (k+1)*momentsBlock)]
			for ; len(row) >= 4; row = row[4:] { // four at a time wait for each other less
				a, b, c, d := row[0], row[1], row[2], row[3]
				s.lo, s.hi = min(s.lo, min(min(a, b), min(c, d))), max(s.hi, max(max(a, b), max(c, d)))
				s.sum += uint64(uint32(a) + uint32(b) + uint32(c) + uint32(d))
				s.sq += uint64(a)*uint64(a) + uint64(b)*uint64(b) + (uint64(c)*uint64(c) + uint64(d)*uint64(d))
			}
			for _, v := range row {
				s.lo, s.hi = min(s.lo, v), max(s.hi, v)
				s.sum += uint64(v)
				s.sq += uint64(v) * uint64(v)
			}
			parts[k] = s
		}
	})
	all := part{lo: 65535}
	var sq float64
	for _, s := range parts {
		all.lo, all.hi = min(all.lo, s.lo), max(all.hi, s.hi)
		all.sum += s.sum
		sq += float64(s.sq)
	}
	n := float64(len(p))
	mean = float64(all.sum) / n
	std = math.Sqrt(max(0, sq/n-mean*mean))
	return float64(all.lo) / 65535, float64(all.hi) / 65535, mean / 65535, std / 65535
}

// Moments are of the samples as they are.
func (p Floats) Moments() (lo, hi, mean, std float64) {
	type part struct {
		lo, hi  float32
		sum, sq float64
	}
	parts := make([]part, (len(p)+momentsBlock-1)/momentsBlock)
	Rows(len(parts), func(k0, k1 int) {
		for k := k0; k < k1; k++ {
			s := part{lo: float32(math.Inf(1)), hi: float32(math.Inf(-1))}
			for _, v := range p[k*momentsBlock : min(len(p), (k+1)*momentsBlock)] {
				f := float64(v)
				s.lo, s.hi = min(s.lo, v), max(s.hi, v)
				s.sum += f
				s.sq += f * f
			}
			parts[k] = s
		}
	})
	var sum, sq float64
	lo, hi = math.Inf(1), math.Inf(-1)
	for _, s := range parts { // in order: the same on any number of cores
		lo, hi = min(lo, float64(s.lo)), max(hi, float64(s.hi))
		sum += s.sum
		sq += s.sq
	}
	n := float64(len(p))
	mean = sum / n
	return lo, hi, mean, math.Sqrt(max(0, sq/n-mean*mean))
}

func (p Ints) extent() (lo, hi float32, whole, ok bool) { return 0, 1, true, false }

func (p Floats) extent() (lo, hi float32, whole, ok bool) {
	whole = true
	for _, v := range p {
		if !finite(v) {
			whole = false
			continue
		}
		lo, hi = min(lo, v), max(hi, v)
	}
	return lo, hi, whole, true
}

func (p Ints) stretched(float32, float32) Samples { return p }

func (p Floats) stretched(from, to float32) Samples {
	q := make(Floats, len(p))
	k := 1 / (to - from)
	Rows(len(p), func(i0, i1 int) {
		for i := i0; i < i1; i++ {
			if v := (p[i] - from) * k; v >= 0 { // false for what is not a number
				q[i] = min(v, 1)
			}
		}
	})
	return q
}

func (p Ints) plane(w, h int) Plane {
	out := NewPlane(w, h)
	Rows(h, func(y0, y1 int) { p.Read(out.Pix[y0*w:y1*w], y0*w) })
	return out
}

func (p Floats) plane(w, h int) Plane { return Plane{w, h, p} }

func (p Ints) blocks(w, k, bw, bh int) (Plane, bool) {
	if k > 256 { // k² samples of 16 bits would not fit 32
		return Plane{}, false
	}
	out := NewPlane(bw, bh)
	scale := 1 / (65535 * float32(k*k))
	Rows(bh, func(y0, y1 int) {
		acc := make([]uint32, bw)
		for y := y0; y < y1; y++ {
			clear(acc)
			for dy := range k {
				addBlocks(acc, p[(y*k+dy)*w:(y*k+dy+1)*w], k)
			}
			dst := out.Row(y)
			for x, s := range acc {
				dst[x] = float32(s) * scale
			}
		}
	})
	return out, true
}

func (p Floats) blocks(int, int, int, int) (Plane, bool) { return Plane{}, false }

func (p Ints) mend(int, int) int { return 0 }

func (p Floats) mend(w, h int) int {
	var holes []int
	var sum float64
	for i, v := range p {
		if finite(v) {
			sum += float64(v)
		} else {
			holes = append(holes, i)
		}
	}
	if len(holes) > 0 {
		mean := float32(sum / float64(max(len(p)-len(holes), 1)))
		Plane{w, h, p}.fill(holes, mean)
	}
	return len(holes)
}

// Opposite are new samples of what each lacks to the full value, 1.
func Opposite(s Samples) Samples {
	switch p := s.(type) {
	case Ints:
		out := make(Ints, len(p))
		for i, v := range p {
			out[i] = 65535 - v
		}
		return out
	case Floats:
		out := make(Floats, len(p))
		for i, v := range p {
			out[i] = 1 - v
		}
		return out
	}
	return s
}
