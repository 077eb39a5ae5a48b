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
	raster.Rows(gh, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			ky := 2 * math.Pi * fourier.Frequency(y, gh) / float64(gh)
			v := taken.wave(ky) / pitchY
			my := (gh - y) % gh
			for x := range gw {
				kx := 2 * math.Pi * fourier.Frequency(x, gw) / float64(gw)
				u := taken.wave(kx) / pitchX
				if x == 0 && y == 0 {
					continue
				}
				// Near the finest waves differences say nothing: there noise would be all.
				fine := (math.Pow(kx/math.Pi, 4)/(pitchX*pitchX) + math.Pow(ky/math.Pi, 4)/(pitchY*pitchY)) * 0.05
				a, b := g.V[y*gw+x], g.V[my*gw+(gw-x)%gw]
				b = complex(real(b), -imag(b))
				p, q := (a+b)/2, (a-b)/complex(0, 2)
				out.V[y*gw+x] = complex(0, -1) * (complex(u, 0)*p + complex(v, 0)*q) / complex(u*u+v*v+fine, 0)
			}
		}
	})
	out.Inverse()
	return out.Real(w, h)
}
