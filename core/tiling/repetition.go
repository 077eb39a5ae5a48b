package tiling

import (
	"cmp"
	"math"
	"slices"

	"aldermoor/core/fourier"
	"aldermoor/core/raster"
)

// Sight is a surface as it is seen: OKLab's lightness and two hues, of planes of one size whose pixels are square or
// nearly so.
type Sight [3]raster.Plane

// Repetition is what tells one repeat from the next on a large surface: how much it varies at each scale, what stands
// out there, and the spots that an eye finds again.
type Repetition struct {
	Bands []Band `json:"bands"` // from the widest to the finest
	Blobs []Blob `json:"blobs"` // the most conspicuous first, at most four
}

// Band is what varies about so many times to a repeat, in an octave to each side; a regular pattern's own
// frequencies are left out, as those are meant.
type Band struct {
	Cycles   float64 `json:"cycles"`   // to the repeat's width
	Contrast float64 `json:"contrast"` // root mean square of OKLab distances
	Peak     float64 `json:"peak"`     // by how many times that the greatest one stands out
}

// Blob is a spot that stands out: its middle and radius as shares of the width and height, and by how many times what
// is usual; below zero for a dark one.
type Blob struct {
	X      float64 `json:"x"`
	Y      float64 `json:"y"`
	Radius float64 `json:"radius"` // of the width
	Excess float64 `json:"excess"`
}

// The bands: where the first one lies in cycles a repeat, and how many there are, an octave apart.
const (
	firstBand = 1.2
	bandCount = 6
)

// Repeats measures the repetition of a surface. The lattice is its pattern in the planes' own pixels, zero for none.
func Repeats(s Sight, pattern Lattice) (r Repetition) {
	heat, bands := s.heat(pattern)
	r.Bands = bands
	if len(bands) > 0 {
		r.Blobs = blobs(heat)
	}
	return r
}

// Heat is how far each place stands out of what is around it, over all scales, each as far as it gives the repeat
// away: times what is usual, below zero where it is darker. Its longer side has 192 pixels at most.
func Heat(s Sight, pattern Lattice) raster.Plane {
	heat, _ := s.heat(pattern)
	return heat
}

func (s Sight) heat(pattern Lattice) (heat raster.Plane, bands []Band) {
	w, h := raster.Fit(s[0].W, s[0].H, 192)
	heat = raster.NewPlane(w, h)
	if w < 16 || h < 16 {
		return heat, nil
	}
	meant := regular(pattern, s[0].W, s[0].H)
	var spectra [3]fourier.Grid
	for c := range spectra {
		spectra[c] = fourier.Of(s[c].Resample(w, h, raster.Area), w, h)
		spectra[c].Forward()
	}
	signs := make([]float32, w*h) // of the lightness, where it weighs most
	weight := 0.0
	for k := range bandCount {
		b, seen := band(spectra, firstBand*math.Exp2(float64(k)), meant)
		bands = append(bands, b)
		e := b.standsOut()
		if e == 0 || b.Contrast == 0 {
			continue
		}
		weight += e
		for i := range heat.Pix {
			sq := float64(seen[0].Pix[i]*seen[0].Pix[i]+seen[1].Pix[i]*seen[1].Pix[i]+seen[2].Pix[i]*seen[2].Pix[i]) / (b.Contrast * b.Contrast)
			heat.Pix[i] += float32(e * sq)
			signs[i] += float32(e*sq) * sign(seen[0].Pix[i])
		}
	}
	for i, v := range heat.Pix {
		if weight > 0 {
			heat.Pix[i] = float32(math.Sqrt(float64(v)/weight)) * sign(signs[i])
		}
	}
	return heat, bands
}

func sign(v float32) float32 {
	if v < 0 {
		return -1
	}
	return 1
}

// band is what varies within an octave of some cycles to the width: raised cosines of the logarithm, whose squares
// add up to one over all bands.
func band(spectra [3]fourier.Grid, cycles float64, meant func(u, v float64) bool) (b Band, seen [3]raster.Plane) {
	w, h := spectra[0].W, spectra[0].H
	first, second := fourier.New(w, h), fourier.New(w, h) // lightness and the first hue share one, as both are real
	for y := range h {
		for x := range w {
			u, v := fourier.Frequency(x, w), fourier.Frequency(y, h)
			octave := math.Log2(math.Hypot(u, v*float64(w)/float64(h)) / cycles)
			if u == 0 && v == 0 || math.Abs(octave) >= 1 || meant(u, v) {
				continue
			}
			k, i := complex(math.Cos(octave*math.Pi/2), 0), y*w+x
			first.V[i] = k * (spectra[0].V[i] + complex(0, 1)*spectra[1].V[i])
			second.V[i] = k * spectra[2].V[i]
		}
	}
	first.Inverse()
	second.Inverse()
	for c := range seen {
		seen[c] = raster.NewPlane(w, h)
	}
	var sum, top float64
	for i, v := range first.V {
		x, y, z := real(v), imag(v), real(second.V[i])
		seen[0].Pix[i], seen[1].Pix[i], seen[2].Pix[i] = float32(x), float32(y), float32(z)
		sq := x*x + y*y + z*z
		sum, top = sum+sq, max(top, sq)
	}
	b.Cycles = cycles
	if b.Contrast = math.Sqrt(sum / float64(w*h)); b.Contrast > 1e-6 {
		b.Peak = math.Sqrt(top) / b.Contrast
	} else {
		b.Contrast = 0
	}
	return b, seen
}

// standsOut is the contrast by which a band gives the repeat away. Of wide variation there are so few patches to a
// repeat that all of it does; of finer detail only what stands out of its like: by more than the greatest of as many
// independent samples of noise is expected to.
func (b *Band) standsOut() float64 {
	n := 4 * math.Pi * b.Cycles * b.Cycles // about as many samples are independent
	over := b.Peak - math.Sqrt(2*math.Log(n)) - chance
	if b.Cycles < 2*firstBand+0.1 {
		over = max(over, wideShare)
	}
	return b.Contrast * max(over, 0)
}

// chance is by how much the greatest of noise goes beyond what is expected, at most.
const chance = 0.3

// wideShare is how much of wide variation counts, in its root mean square.
const wideShare = 2

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

// passes is how much of a contrast of f cycles a degree is seen. Far above the threshold wide contrasts look as strong
// as finer ones (contrast constancy, Georgeson & Sullivan 1975): only what is too fine is lost.
func passes(f float64) float64 {
	const best = 8
	return Sensitivity(max(f, best)) / Sensitivity(best)
}

// What the eye makes of contrasts, by walls that were looked at (TestRepetitionAgreesWithTheEye): what is not seen
// at all, and by how many times the rest of the surface what stands out is noticed, and is plain.
const (
	unseen  = 0.004
	noticed = 0.24
	plainly = 0.66
)

// Shows is how much the repetition of a repeat of the given width in metres shows from a distance in metres: from 1
// on it is noticed, from 2 on it is plain. Two repeats must be in sight for it, within 60 degrees: nearer it is 0.
func (r *Repetition) Shows(width, distance float64) float64 {
	if width > distance*math.Tan(30*math.Pi/180) {
		return 0
	}
	degree := distance * math.Tan(math.Pi/180) // how long one is there, metres
	var out, all float64
	for i := range r.Bands {
		b := &r.Bands[i]
		k := passes(b.Cycles / width * degree)
		e, c := max(b.standsOut()*k-unseen, 0), b.Contrast*k
		out += e * e
		if b.Cycles > 2*firstBand+0.1 { // finer detail covers it up
			all += c * c
		}
	}
	ratio := math.Sqrt(out) / (3*unseen + math.Sqrt(all))
	return math.Pow(ratio/noticed, math.Ln2/math.Log(plainly/noticed))
}

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
