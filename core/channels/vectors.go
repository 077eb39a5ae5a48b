package channels

import (
	"math"

	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// This file looks at single pixels as vectors and as light, before any averaging, and at where the
// detail of a picture lies.

// sampleSide is how many rows and columns of pixels are looked at one by one.
const sampleSide = 256

// vectors fills in what single pixels of three components show. Averaging shortens the vectors of fine
// grain, so the pixels are taken as they are stored: every k-th of every k-th row.
func (l *Look) vectors(im *raster.Image) {
	kx, ky := max(1, im.W/sampleSide), max(1, im.H/sampleSide)
	var n, unit, sphere, dark, blue int
	var octants [8]int
	var sum [3]float64 // of what is not nearly black
	for y := ky / 2; y < im.H; y += ky {
		for x := kx / 2; x < im.W; x += kx {
			i := y*im.W + x
			r, g, b := im.Planes[0].At(i), im.Planes[1].At(i), im.Planes[2].At(i)
			n++
			if max(r, g, b) < 0.08 {
				dark++
				continue
			}
			sum[0], sum[1], sum[2] = sum[0]+float64(r), sum[1]+float64(g), sum[2]+float64(b)
			if b > max(r, g)+0.04 {
				blue++
			}
			vx, vy, vz := 2*r-1, 2*g-1, 2*b-1
			d := vx*vx + vy*vy + vz*vz
			if d <= 0.72 || d >= 1.25 {
				continue
			}
			if vz > 0 {
				unit++
			} else {
				sphere++
			}
			// Only directions well inside an octant count: noise about an axis is in four.
			if o := 0; min(abs(vx), abs(vy), abs(vz)) > 0.12 {
				for k, v := range [3]float32{vx, vy, vz} {
					if v > 0 {
						o |= 1 << k
					}
				}
				octants[o]++
			}
		}
	}
	of := func(k int) float64 { return float64(k) / float64(max(n, 1)) }
	l.UnitLength, l.Sphere, l.Dark, l.Blue = of(unit), of(sphere), of(dark), of(blue)
	if n > dark {
		for _, v := range sum {
			l.Lit = append(l.Lit, v/float64(n-dark))
		}
	}
	for _, k := range octants {
		if of(k) > 0.02 {
			l.Octants++
		}
	}
}

// middling says whether a picture of three components varies about the middle in its first two and is
// high in its third, black ground left out: as normals do, also those that are too long, too short or
// washed out.
func (l Look) middling() bool {
	return len(l.Lit) == 3 && math.Abs(l.Lit[0]-0.5) < 0.1 && math.Abs(l.Lit[1]-0.5) < 0.1 && l.Lit[2] > 0.7 && l.Blue > 0.6*(1-l.Dark) && l.Dark < 0.97
}

// normalLike says whether a picture is a normal map by its pixels: unit vectors about the axis that
// faces the viewer, or two components of such.
func (l Look) normalLike() bool {
	if l.twoComponent() {
		return true
	}
	plain := l.Likeness > 0.9 && l.Dark < 0.02 && l.StdDev[0] > 0.004 && l.StdDev[1] > 0.004 // its components vary together: a colour
	return l.UnitLength > 0.9 && !plain && (l.middling() || len(l.Lit) == 0 || l.Curve)
}

func abs(v float32) float32 { return float32(math.Abs(float64(v))) }

// detailSide is the side of the print of where a picture's detail lies.
const detailSide = 32

// detail is how much happens in each of 32 × 32 cells of a picture, given by its components: the
// mean of what neighbours differ by, its root taken, about its mean and in sixteenths of half its
// standard deviation as signed bytes. Maps of one scan have their detail in the same places. It is
// nil for a picture in which nothing happens.
func detail(p []raster.Plane) []byte {
	w, h := p[0].W, p[0].H
	if w < 2 || h < 2 {
		return nil
	}
	sum := raster.NewPlane(w, (h+1)/2) // every other row tells as much
	for _, c := range p {
		for y := range sum.H {
			row, below := c.Row(2*y), c.Row(min(2*y+1, h-1))
			out := sum.Row(y)
			for x := range w - 1 {
				out[x] += abs(row[x+1]-row[x]) + abs(below[x]-row[x])
			}
		}
	}
	q := sum.Resample(detailSide, detailSide, raster.Area)
	return signed(filter.Map(q, func(v float32) float32 { return float32(math.Sqrt(float64(max(v, 0)))) }), detailSide)
}

// Beside says how far two pictures have their detail in the same places, −1..1: near 0 for pictures
// that have nothing to do with each other. ok is false if either has none.
func (l Look) Beside(o Look) (r float64, ok bool) {
	if len(l.Detail) == 0 || len(l.Detail) != len(o.Detail) {
		return 0, false
	}
	return alike(l.Detail, o.Detail)
}
