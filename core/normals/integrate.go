package normals

import (
	"math"

	"aldermoor/core/fourier"
	"aldermoor/core/raster"
)

// Taken says how a normal map came by its slopes.
type Taken int

const (
	// ByDifferences: from the heights of both neighbours, as normals are made of a
	// height map. Fine detail is flatter in them than it is, and is given back.
	ByDifferences Taken = iota
	// Exactly: the slope at the pixel itself, as photometric scanners measure it.
	Exactly
)

// wave is what an axis' slope is to a height, for k radians a pixel.
func (t Taken) wave(k float64) float64 {
	if t == Exactly {
		return k
	}
	return math.Sin(k)
}

// Integrate finds the height field whose slopes are nearest to those of the normals in
// the least-squares sense (Frankot & Chellappa 1988, eq. 21), in metres for a pitch in
// metres a pixel on each axis, with mean 0. A surface that does not wrap is mirrored
// at its edges first, which takes four times as long.
func Integrate(f Field, d Direction, pitchX, pitchY float64, wraps bool, taken Taken) raster.Plane {
	w, h := f.X.W, f.X.H
	gw, gh := w, h
	if !wraps {
		gw, gh = 2*w, 2*h
	}
	// Both slopes in one transform: a real signal in each part.
	g := fourier.New(gw, gh)
	raster.Rows(gh, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			sy, fy := y, 1.0
			if y >= h { // heights mirror as they are, slopes with their sign turned
				sy, fy = 2*h-1-y, -1
			}
			for x := range gw {
				sx, fx := x, 1.0
				if x >= w {
					sx, fx = 2*w-1-x, -1
				}
				p, q := f.Slopes(sy*w+sx, d)
				g.V[y*gw+x] = complex(float64(p)*fx, float64(q)*fy)
			}
		}
	})
	g.Forward()
	out := fourier.New(gw, gh)
	us, fineX := waves(gw, pitchX, taken)
	vs, fineY := waves(gh, pitchY, taken)
	raster.Rows(gh, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			v := vs[y]
			row, mirror, dst := g.V[y*gw:(y+1)*gw], g.V[(gh-y)%gh*gw:], out.V[y*gw:(y+1)*gw]
			for x, a := range row {
				if x == 0 && y == 0 {
					continue
				}
				u := us[x]
				b := mirror[(gw-x)%gw]
				// p = (a + b̄)/2 is the transform of the slopes across, q = (a − b̄)/2i of those down.
				pr, pi := (real(a)+real(b))/2, (imag(a)-imag(b))/2
				qr, qi := (imag(a)+imag(b))/2, (real(b)-real(a))/2
				scale := 1 / (u*u + v*v + fineX[x] + fineY[y])
				dst[x] = complex((u*pi+v*qi)*scale, -(u*pr+v*qr)*scale) // −i·(u·p + v·q)
			}
		}
	})
	out.Inverse()
	return out.Real(w, h)
}

// waves says, for each frequency of n samples, how a difference of the given kind takes
// it, a pixel of the given pitch, and how little to trust it: near the finest waves
// differences say nothing, and noise would be all.
func waves(n int, pitch float64, taken Taken) (wave, fine []float64) {
	wave, fine = make([]float64, n), make([]float64, n)
	for i := range n {
		k := 2 * math.Pi * fourier.Frequency(i, n) / float64(n)
		wave[i] = taken.wave(k) / pitch
		fine[i] = 0.05 * math.Pow(k/math.Pi, 4) / (pitch * pitch)
	}
	return wave, fine
}
