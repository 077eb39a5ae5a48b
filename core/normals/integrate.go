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
// at its edges. Beside the normals it takes 20 bytes a pixel, 8 for one that does not wrap.
func Integrate(f Field, d Direction, pitchX, pitchY float64, wraps bool, taken Taken) raster.Plane {
	if !wraps {
		return integrateMirrored(f, d, pitchX, pitchY, taken)
	}
	w, h := f.X.W, f.X.H
	// Both slopes in one transform: a real signal in each part.
	g := fourier.New(w, h)
	raster.Rows(h, func(y0, y1 int) {
		for i := y0 * w; i < y1*w; i++ {
			p, q := f.Slopes(i, d)
			g.V[i] = complex(float64(p), float64(q))
		}
	})
	g.Forward()
	us, fineX := waves(w, w, pitchX, taken)
	vs, fineY := waves(h, h, pitchY, taken)
	// Heights take the place of the slopes, frequency by frequency with its negative.
	height := func(a, b complex128, u, v, fine float64) complex128 {
		// p = (a + b̄)/2 is the transform of the slopes across, q = (a − b̄)/2i of those down.
		pr, pi := (real(a)+real(b))/2, (imag(a)-imag(b))/2
		qr, qi := (imag(a)+imag(b))/2, (real(b)-real(a))/2
		scale := 1 / (u*u + v*v + fine)
		return complex((u*pi+v*qi)*scale, -(u*pr+v*qr)*scale) // −i·(u·p + v·q)
	}
	raster.Rows(h/2+1, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			my := (h - y) % h
			for x := range w {
				mx := (w - x) % w
				if my == y && mx < x {
					continue // done with its negative
				}
				i, j := y*w+x, my*w+mx
				a, b := g.V[i], g.V[j]
				g.V[i] = height(a, b, us[x], vs[y], fineX[x]+fineY[y])
				g.V[j] = height(b, a, us[mx], vs[my], fineX[mx]+fineY[my])
			}
		}
	})
	g.V[0] = 0
	g.Inverse()
	return g.Real(w, h)
}

// integrateMirrored integrates a surface that goes on as its own mirror image: its heights are
// even on both axes, each slope is odd along its own.
func integrateMirrored(f Field, d Direction, pitchX, pitchY float64, taken Taken) raster.Plane {
	w, h := f.X.W, f.X.H
	across, down := raster.NewPlane(w, h), raster.NewPlane(w, h)
	raster.Rows(h, func(y0, y1 int) {
		for i := y0 * w; i < y1*w; i++ {
			across.Pix[i], down.Pix[i] = f.Slopes(i, d)
		}
	})
	fourier.Odd.Rows(across)
	fourier.Even.Columns(across)
	fourier.Even.Rows(down)
	fourier.Odd.Columns(down)
	us, fineX := waves(w, 2*w, pitchX, taken)
	vs, fineY := waves(h, 2*h, pitchY, taken)
	raster.Rows(h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			p, q := across.Row(y), down.Row(y)
			for x := range p {
				scale := us[x]*us[x] + vs[y]*vs[y] + fineX[x] + fineY[y]
				p[x] = float32(-(us[x]*float64(p[x]) + vs[y]*float64(q[x])) / scale)
			}
		}
	})
	across.Pix[0] = 0
	fourier.Undo(across)
	return across
}

// waves says, for the first n frequencies of a line that repeats every so many pixels, how a
// difference of the given kind takes them, a pixel of the given pitch, and how little to trust
// it: near the finest waves differences say nothing, and noise would be all.
func waves(n, repeat int, pitch float64, taken Taken) (wave, fine []float64) {
	wave, fine = make([]float64, n), make([]float64, n)
	for i := range n {
		k := 2 * math.Pi * fourier.Frequency(i, repeat) / float64(repeat)
		wave[i] = taken.wave(k) / pitch
		fine[i] = 0.05 * math.Pow(k/math.Pi, 4) / (pitch * pitch)
	}
	return wave, fine
}
