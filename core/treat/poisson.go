package treat

import (
	"math"

	"aldermoor/core/fourier"
	"aldermoor/core/raster"
)

// exactUpTo is the longer side up to which an equation is solved in one go.
const exactUpTo = 400

// poisson finds the plane of mean 0 whose five-point Laplacian is f (less its mean). Axes
// that do not wrap have no slope across their edges. Up to exactUpTo pixels it is exact, by
// FFT; above, the half-size solution is refined by red-black Gauss-Seidel sweeps, which is
// enough as f is zero nearly everywhere (a cascade, Bornemann & Deuflhard 1996).
func poisson(f raster.Plane, wraps [2]bool) raster.Plane {
	if max(f.W, f.H) <= exactUpTo {
		return exactly(f, wraps)
	}
	cw, ch := (f.W+1)/2, (f.H+1)/2
	half := f.Resample(cw, ch, raster.Area)
	// A pixel of the smaller one is as wide as two.
	k := float32(f.W) / float32(cw) * float32(f.H) / float32(ch)
	for i := range half.Pix {
		half.Pix[i] *= k
	}
	small := poisson(half, wraps)
	u := raster.NewPlane(f.W, f.H)
	raster.Rows(f.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range f.W {
				u.Pix[y*f.W+x] = inner(small, (float32(x)+0.5)/float32(f.W), (float32(y)+0.5)/float32(f.H), wraps)
			}
		}
	})
	for range 12 {
		sweep(u, f, wraps, 0)
		sweep(u, f, wraps, 1)
	}
	return u
}

// sweep sets each pixel of one colour of the chequerboard to what its neighbours ask for.
func sweep(u, f raster.Plane, wraps [2]bool, colour int) {
	w, h := u.W, u.H
	band := func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			row, want := u.Row(y), f.Row(y)
			up, down := row, row
			if y > 0 {
				up = u.Row(y - 1)
			} else if wraps[1] {
				up = u.Row(h - 1)
			}
			if y < h-1 {
				down = u.Row(y + 1)
			} else if wraps[1] {
				down = u.Row(0)
			}
			for x := (y + colour) & 1; x < w; x += 2 {
				l, r := row[x], row[x]
				if x > 0 {
					l = row[x-1]
				} else if wraps[0] {
					l = row[w-1]
				}
				if x < w-1 {
					r = row[x+1]
				} else if wraps[0] {
					r = row[0]
				}
				row[x] = (l + r + up[x] + down[x] - want[x]) / 4
			}
		}
	}
	raster.Rows(h-1, band)
	band(h-1, h) // where it wraps and h is odd, it has the colour of row 0
}

// exactly solves by FFT; an axis that does not wrap is mirrored at its edges.
func exactly(f raster.Plane, wraps [2]bool) raster.Plane {
	gw, gh := f.W, f.H
	if !wraps[0] {
		gw *= 2
	}
	if !wraps[1] {
		gh *= 2
	}
	g := fourier.New(gw, gh)
	for y := range gh {
		sy := y
		if y >= f.H {
			sy = gh - 1 - y
		}
		row := f.Row(sy)
		for x := range gw {
			sx := x
			if x >= f.W {
				sx = gw - 1 - x
			}
			g.V[y*gw+x] = complex(float64(row[sx]), 0)
		}
	}
	g.Forward()
	cosX := make([]float64, gw)
	for x := range cosX {
		cosX[x] = 2*math.Cos(2*math.Pi*float64(x)/float64(gw)) - 2
	}
	raster.Rows(gh, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			cy := 2*math.Cos(2*math.Pi*float64(y)/float64(gh)) - 2
			for x := range gw {
				if d := cosX[x] + cy; d < -1e-12 {
					g.V[y*gw+x] /= complex(d, 0)
				} else {
					g.V[y*gw+x] = 0
				}
			}
		}
	})
	g.Inverse()
	return g.Real(f.W, f.H)
}
