package tiling

import (
	"cmp"
	"math"
	"slices"

	"aldermoor/core/fourier"
	"aldermoor/core/raster"
)

// rings is how many cycles to a repeat still show that it repeats: finer detail is taken
// for the surface itself.
const rings = 8

// Repetition is what tells one repeat from the next on a large surface: how much its
// lightness varies widely, and the spots that an eye finds again.
type Repetition struct {
	// Rings[k-1] is the contrast (standard deviation over mean) of what varies k times to a
	// repeat; a regular pattern's own frequencies are left out, as those are meant.
	Rings [rings]float64 `json:"rings"`
	Rest  float64        `json:"rest"`  // the contrast of all finer detail, in which the wide is lost
	Blobs []Blob         `json:"blobs"` // the most conspicuous first, at most four
}

// Blob is a spot that stands out: its middle and radius as shares of the width and
// height, and by how many standard deviations it does; below zero for a dark one.
type Blob struct {
	X      float64 `json:"x"`
	Y      float64 `json:"y"`
	Radius float64 `json:"radius"` // of the width
	Excess float64 `json:"excess"`
}

// Repeats measures the repetition of a lightness (0..1, perceptual) whose pixels are
// square or nearly so. The lattice is its pattern in the plane's own pixels, zero for none.
func Repeats(light raster.Plane, pattern Lattice) Repetition {
	var r Repetition
	w, h := raster.Fit(light.W, light.H, 256)
	p := light.Resample(w, h, raster.Area)
	mean := p.Mean()
	if mean < 1e-3 || w < 16 || h < 16 {
		return r
	}
	g := fourier.Of(p, w, h)
	g.Forward()
	meant := regular(pattern, light.W, light.H)
	n := float64(w * h)
	for y := range h {
		for x := range w {
			u, v := fourier.Frequency(x, w), fourier.Frequency(y, h)
			if u == 0 && v == 0 || meant(u, v) {
				continue
			}
			e := real(g.V[y*w+x])*real(g.V[y*w+x]) + imag(g.V[y*w+x])*imag(g.V[y*w+x])
			k := int(math.Round(math.Hypot(u, v)))
			if k = max(k, 1); k <= rings {
				r.Rings[k-1] += e
			} else {
				r.Rest += e
			}
		}
	}
	for k, e := range r.Rings {
		r.Rings[k] = math.Sqrt(e) / n / mean
	}
	r.Rest = math.Sqrt(r.Rest) / n / mean
	heat := Heat(light, pattern)
	r.Blobs = blobs(heat)
	return r
}

// regular says of a frequency, in cycles to a repeat, whether it is one of the pattern's.
func regular(l Lattice, w, h int) func(u, v float64) bool {
	if !l.Regular() {
		return func(u, v float64) bool { return false }
	}
	// A wave belongs to the lattice if a step of it takes a whole number of cycles. The
	// zero frequency is everybody's, so nearness is asked for in cycles, not shares.
	whole := func(step [2]float64, u, v float64) bool {
		c := step[0]/float64(w)*u + step[1]/float64(h)*v
		return math.Abs(c-math.Round(c)) < 0.04
	}
	return func(u, v float64) bool {
		if l.B == [2]float64{} {
			// Boards: what runs along them belongs to no pattern.
			return whole(l.A, u, v) && math.Abs(l.A[0]*v/float64(h)-l.A[1]*u/float64(w))*8 < 1
		}
		return whole(l.A, u, v) && whole(l.B, u, v)
	}
}

// Heat is how far each place stands out of what is around it, in standard deviations of
// all of them, on a plane of up to 128 pixels: the band from one to rings cycles a repeat
// without the pattern's own frequencies.
func Heat(light raster.Plane, pattern Lattice) raster.Plane {
	w, h := raster.Fit(light.W, light.H, 128)
	p := light.Resample(w, h, raster.Area)
	g := fourier.Of(p, w, h)
	g.Forward()
	meant := regular(pattern, light.W, light.H)
	for y := range h {
		for x := range w {
			u, v := fourier.Frequency(x, w), fourier.Frequency(y, h)
			k := math.Hypot(u, v)
			// A difference of two Gaussians in frequency: nothing at 0, nothing fine.
			band := math.Exp(-k*k/(2*rings*rings/4.0)) - math.Exp(-k*k/2)
			if meant(u, v) {
				band = 0
			}
			g.V[y*w+x] *= complex(band, 0)
		}
	}
	g.Inverse()
	out := g.Real(w, h)
	var sq float64
	for _, v := range out.Pix {
		sq += float64(v) * float64(v)
	}
	if sd := math.Sqrt(sq / float64(w*h)); sd > 1e-9 {
		for i := range out.Pix {
			out.Pix[i] /= float32(sd)
		}
	}
	return out
}

// blobs are the spots of a heat that stand out most.
func blobs(heat raster.Plane) (out []Blob) {
	type spot struct {
		x, y int
		v    float32
	}
	var list []spot
	for y := range heat.H {
		for x := range heat.W {
			v := heat.At(x, y)
			a := max(v, -v)
			if a < 2 {
				continue
			}
			top := true
			for dy := -2; dy <= 2 && top; dy++ {
				for dx := -2; dx <= 2; dx++ {
					if o := heat.At(x+dx, y+dy); max(o, -o) > a {
						top = false
						break
					}
				}
			}
			if top {
				list = append(list, spot{x, y, v})
			}
		}
	}
	slices.SortFunc(list, func(a, b spot) int { return cmp.Compare(max(b.v, -b.v), max(a.v, -a.v)) })
	for _, s := range list {
		// Its radius is where it has fallen to half, over the four ways.
		radius := 0.0
		for _, d := range [][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
			k := 1
			for k < heat.W/3 && heat.At(s.x+k*d[0], s.y+k*d[1])/s.v > 0.5 {
				k++
			}
			radius += float64(k) / 4
		}
		out = append(out, Blob{(float64(s.x) + 0.5) / float64(heat.W), (float64(s.y) + 0.5) / float64(heat.H), radius / float64(heat.W), math.Round(float64(s.v)*10) / 10})
		if len(out) == 4 {
			break
		}
	}
	return out
}

// Sensitivity is how well an eye sees a contrast of f cycles a degree, 1 at best (Mannos &
// Sakrison 1974).
func Sensitivity(f float64) float64 {
	return 2.6 * (0.0192 + 0.114*f) * math.Exp(-math.Pow(0.114*f, 1.1))
}

// finest is the contrast sensitivity of an eye at best: it sees a contrast of one in so many.
const finest = 250

// Shows is how much the repetition of a repeat of the given width in metres shows from a
// distance in metres: how many times the least contrast that an eye sees there, less what
// finer detail covers up. Below 1 it does not; from 2 on it is plain. Two repeats must be
// in sight for it, within 40 degrees: nearer it is 0.
func (r *Repetition) Shows(width, distance float64) float64 {
	if 2*width > 2*distance*math.Tan(20*math.Pi/180) {
		return 0
	}
	degree := distance * math.Tan(math.Pi/180) // how long one is there, metres
	var low float64
	for k, c := range r.Rings {
		s := c * finest * Sensitivity(float64(k+1)/width*degree)
		low += s * s
	}
	// Of the finer detail that counts which is seen: an octave and more above.
	high := r.Rest * finest * Sensitivity(3*rings/width*degree)
	return math.Sqrt(low) / (1 + covers*high)
}

// covers is how much of a wide contrast is lost in a fine one.
const covers = 0.25

// From is the least distance in metres, of up to 100, from which the repetition shows by
// the given measure; ok is false if it does from none.
func (r *Repetition) From(width, measure float64) (distance float64, ok bool) {
	for d := 0.2; d <= 100; d *= 1.02 {
		if r.Shows(width, d) >= measure {
			return d, true
		}
	}
	return 0, false
}
