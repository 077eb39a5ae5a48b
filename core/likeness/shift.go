package likeness

import (
	"math"

	"aldermoor/core/fourier"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/stats"
)

// Shift is how far b lies from a, in pixels to the right and down, for two pictures of
// one size that wrap and show the same edges in different ways (a colour and a height,
// say): phase correlation (Kuglin & Hines 1975) of how steep they are. Trust is how far
// the best place stands out: the peak over the spread of everything else, of which
// chance gives about 5. Still is the same figure for no shift at all: a regular pattern
// fits in several places, and of those it is in its own.
func Shift(a, b raster.Plane) (dx, dy, trust, still float64) {
	m := Shifts(a, b)[0]
	return m.X, m.Y, m.Trust, m.Still
}

// Moved is how far a picture lies from another; see Shift.
type Moved struct{ X, Y, Trust, Still float64 }

// Shifts is Shift of several pictures against one, with fewer transforms: two pictures
// share one there, and two correlations one back.
func Shifts(ref raster.Plane, list ...raster.Plane) []Moved {
	out := make([]Moved, len(list))
	w, h := ref.W, ref.H
	if w < 8 || h < 8 {
		return out
	}
	if max(w, h) > closeUp {
		// A peak is found to a tenth of a pixel: half the size does, in a quarter of the time.
		small := make([]raster.Plane, len(list))
		for i, p := range list {
			if p.W == w && p.H == h {
				small[i] = p.Resample(w/2, h/2, raster.Area)
			}
		}
		kx, ky := float64(w)/float64(w/2), float64(h)/float64(h/2)
		out = Shifts(ref.Resample(w/2, h/2, raster.Area), small...)
		for i := range out {
			out[i].X, out[i].Y = out[i].X*kx, out[i].Y*ky
		}
		return out
	}
	spectra := spectraOf(append([]raster.Plane{ref}, list...), w, h)
	for i := 0; i < len(list); i += 2 {
		g := fourier.New(w, h)
		softX, softY := softened(w), softened(h)
		raster.Rows(h, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				for x := range w {
					if x == 0 && y == 0 {
						continue
					}
					k := y*w + x
					soft := softX[x] * softY[y]
					for j, turn := range []complex128{1, complex(0, 1)} {
						if i+j >= len(list) || spectra[i+j+1] == nil {
							continue
						}
						a, b := spectra[0][k], spectra[i+j+1][k]
						c := complex(real(a), -imag(a)) * b
						if m := math.Sqrt(real(c)*real(c) + imag(c)*imag(c)); m > 1e-12 {
							g.V[k] += turn * c * complex(soft/m, 0)
						}
					}
				}
			}
		})
		g.Inverse()
		out[i] = peak(w, h, func(k int) float64 { return real(g.V[k]) })
		if i+1 < len(list) {
			out[i+1] = peak(w, h, func(k int) float64 { return imag(g.V[k]) })
		}
	}
	return out
}

// softened weighs the n frequencies along an axis: fine detail is grain, which two maps
// do not share.
func softened(n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		f := fourier.Frequency(i, n) / float64(n)
		out[i] = math.Exp(-f * f * 18)
	}
	return out
}

// closeUp is the longer side up to which pictures are compared at full size.
const closeUp = 700

// spectraOf are the transforms of how steep pictures are, two by one transform; nil for
// those of another size.
func spectraOf(list []raster.Plane, w, h int) [][]complex128 {
	out := make([][]complex128, len(list))
	var fit []int
	for i, p := range list {
		if p.W == w && p.H == h {
			fit = append(fit, i)
		}
	}
	for n := 0; n < len(fit); n += 2 {
		g := fourier.Of(steepness(list[fit[n]]), w, h)
		two := n+1 < len(fit)
		if two {
			for k, v := range steepness(list[fit[n+1]]).Pix {
				g.V[k] += complex(0, float64(v))
			}
		}
		g.Forward()
		if !two {
			out[fit[n]] = g.V
			continue
		}
		out[fit[n]], out[fit[n+1]] = realParts(g)
	}
	return out
}

// peak is where a correlation is highest, and by how much.
func peak(w, h int, v func(k int) float64) Moved {
	best, sq := 0, 0.0
	for k := range w * h {
		c := v(k)
		if c > v(best) {
			best = k
		}
		sq += c * c
	}
	if sq == 0 {
		return Moved{}
	}
	x, y := best%w, best/w
	at := func(x, y int) float64 { return v((y+h)%h*w + (x+w)%w) }
	top := at(x, y)
	fx, _ := stats.Vertex(at(x-1, y), top, at(x+1, y))
	fy, _ := stats.Vertex(at(x, y-1), top, at(x, y+1))
	rms := math.Sqrt(sq / float64(w*h))
	return Moved{fourier.Frequency(x, w) + fx, fourier.Frequency(y, h) + fy, top / rms, at(0, 0) / rms}
}

// Registered is the trust from which a shift is more than chance.
const Registered = 12

// steepness is the length of the gradient, saturated so that no edge outweighs all
// others, with mean 0.
func steepness(p raster.Plane) raster.Plane {
	q := filter.Steepness(p, true)
	filter.Saturate(q)
	mean := float32(q.Mean())
	for i := range q.Pix {
		q.Pix[i] -= mean
	}
	return q
}
