// Package filter has the filters that measurements and treatments of planes share: box,
// Gaussian, steepness and luma. Each says what it takes for the neighbours of an edge: the
// other edge of a plane that wraps, or nothing. Results are new planes.
package filter

import (
	"math"

	"aldermoor/core/raster"
)

// Box is the mean over 2r+1 pixels each way, wrapped.
func Box(p raster.Plane, r int) raster.Plane {
	mid, out := raster.NewPlane(p.W, p.H), raster.NewPlane(p.W, p.H)
	rx, ry := min(r, (p.W-1)/2), min(r, (p.H-1)/2)
	raster.Rows(p.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			src, dst := p.Row(y), mid.Row(y)
			var sum float64
			for k := -rx; k <= rx; k++ {
				sum += float64(src[(k+p.W)%p.W])
			}
			scale := 1 / float64(2*rx+1)
			in, gone := rx+1, p.W-rx
			for x := range dst {
				dst[x] = float32(sum * scale)
				if in >= p.W {
					in -= p.W
				}
				if gone >= p.W {
					gone -= p.W
				}
				sum += float64(src[in]) - float64(src[gone])
				in++
				gone++
			}
		}
	})
	raster.Rows(p.W, func(x0, x1 int) {
		sum := make([]float64, x1-x0)
		for k := -ry; k <= ry; k++ {
			for i, v := range mid.Row((k + p.H) % p.H)[x0:x1] {
				sum[i] += float64(v)
			}
		}
		scale := 1 / float64(2*ry+1)
		for y := range p.H {
			dst := out.Row(y)[x0:x1]
			in, gone := mid.Row((y + ry + 1) % p.H)[x0:x1], mid.Row((y - ry + p.H) % p.H)[x0:x1]
			for i := range dst {
				dst[i] = float32(sum[i] * scale)
				sum[i] += float64(in[i]) - float64(gone[i])
			}
		}
	})
	return out
}

// BoxInside is the mean over 2r+1 pixels each way, as far as the plane goes.
func BoxInside(p raster.Plane, r int) raster.Plane {
	mid, out := raster.NewPlane(p.W, p.H), raster.NewPlane(p.W, p.H)
	raster.Rows(p.H, func(y0, y1 int) {
		acc := make([]float64, p.W+1)
		for y := y0; y < y1; y++ {
			for x, v := range p.Row(y) {
				acc[x+1] = acc[x] + float64(v)
			}
			dst := mid.Row(y)
			for x := range dst {
				lo, hi := max(0, x-r), min(p.W, x+r+1)
				dst[x] = float32((acc[hi] - acc[lo]) / float64(hi-lo))
			}
		}
	})
	sum, lo, hi := make([]float64, p.W), 0, 0 // of the rows from lo to before hi
	for y := range p.H {
		for ; hi < min(p.H, y+r+1); hi++ {
			for x, v := range mid.Row(hi) {
				sum[x] += float64(v)
			}
		}
		for ; lo < y-r; lo++ {
			for x, v := range mid.Row(lo) {
				sum[x] -= float64(v)
			}
		}
		dst, n := out.Row(y), 1/float64(hi-lo)
		for x := range dst {
			dst[x] = float32(sum[x] * n)
		}
	}
	return out
}

// Gaussian blurs by a Gaussian of the given width in pixels, wrapped: three running means
// (Wells 1986), so that any width costs the same. Below 0.3 pixels it does nothing.
func Gaussian(p raster.Plane, sigma float64) raster.Plane {
	if sigma < 0.3 {
		return p
	}
	// Three boxes of widths n, of which the variances add up to sigma².
	n := math.Sqrt(12*sigma*sigma/3 + 1)
	lo := int(math.Floor(n))
	if lo%2 == 0 {
		lo--
	}
	lo = max(lo, 1)
	few := int(math.Round((12*sigma*sigma - float64(3*lo*lo+12*lo+9)) / float64(-4*lo-4))) // of the narrower boxes
	out := p
	for k := range 3 {
		r := (lo + 1) / 2
		if k < few {
			r = (lo - 1) / 2
		}
		if r > 0 {
			out = Box(out, r)
		}
	}
	return out
}

// GaussianOn is Gaussian where wraps says for each axis whether the plane repeats: beyond an
// edge of one that does not lies its mirror image.
func GaussianOn(p raster.Plane, sigma float64, wraps [2]bool) raster.Plane {
	if wraps[0] && wraps[1] {
		return Gaussian(p, sigma)
	}
	pad := [2]int{}
	for k, n := range []int{p.W, p.H} {
		if !wraps[k] {
			pad[k] = min(n, int(math.Ceil(3*sigma))+1)
		}
	}
	mirror := func(i, n int) int {
		if i < 0 {
			i = -1 - i
		}
		if i >= n {
			i = 2*n - 1 - i
		}
		return min(max(i, 0), n-1)
	}
	wide := raster.NewPlane(p.W+2*pad[0], p.H+2*pad[1])
	raster.Rows(wide.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			src, dst := p.Row(mirror(y-pad[1], p.H)), wide.Row(y)
			for x := range dst {
				dst[x] = src[mirror(x-pad[0], p.W)]
			}
		}
	})
	wide = Gaussian(wide, sigma)
	out := raster.NewPlane(p.W, p.H)
	for y := range p.H {
		copy(out.Row(y), wide.Row(y + pad[1])[pad[0]:])
	}
	return out
}

// GaussianInside blurs by a Gaussian of a few pixels; beyond an edge the edge goes on.
func GaussianInside(p raster.Plane, sigma float64) raster.Plane {
	r := int(math.Ceil(2.5 * sigma))
	k := make([]float32, 2*r+1)
	var sum float32
	for i := range k {
		k[i] = float32(math.Exp(-float64((i-r)*(i-r)) / (2 * sigma * sigma)))
		sum += k[i]
	}
	mid, out := raster.NewPlane(p.W, p.H), raster.NewPlane(p.W, p.H)
	for y := range p.H {
		src, dst := p.Row(y), mid.Row(y)
		for x := range dst {
			var s float32
			for i, w := range k {
				s += w * src[min(max(x+i-r, 0), p.W-1)]
			}
			dst[x] = s / sum
		}
	}
	for y := range p.H {
		dst := out.Row(y)
		for i, w := range k {
			for x, v := range mid.Row(min(max(y+i-r, 0), p.H-1)) {
				dst[x] += w / sum * v
			}
		}
	}
	return out
}

// Steepness is the length of the gradient by central differences, in units of value a
// pixel, twice over (differences are not halved). A plane that does not wrap has 0 at its
// outermost pixels.
func Steepness(p raster.Plane, wraps bool) raster.Plane {
	q := raster.NewPlane(p.W, p.H)
	raster.Rows(p.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			if !wraps && (y == 0 || y == p.H-1) {
				continue
			}
			row, up, down, dst := p.Row(y), p.Row((y+p.H-1)%p.H), p.Row((y+1)%p.H), q.Row(y)
			at := func(l, x, r int) {
				dx, dy := float64(row[r]-row[l]), float64(down[x]-up[x])
				dst[x] = float32(math.Sqrt(dx*dx + dy*dy))
			}
			for x := 1; x < p.W-1; x++ {
				at(x-1, x, x+1)
			}
			if wraps {
				at(p.W-1, 0, 1%p.W)
				at((p.W-2+p.W)%p.W, p.W-1, 0)
			}
		}
	})
	return q
}

// Saturate lets what is far above twice the mean count little more than what reaches it,
// in place: v / (v + 2·mean).
func Saturate(p raster.Plane) {
	knee := float32(2 * p.Mean())
	if !(knee > 0) {
		return
	}
	for i, v := range p.Pix {
		p.Pix[i] = v / (v + knee)
	}
}

// Luma is red, green and blue as one plane (Rec. 709 weights on the values as they are).
func Luma(rgb []raster.Plane) raster.Plane { return Mix(rgb, 0.2126, 0.7152, 0.0722) }

// Mix is the sum of planes of one size, each by its weight.
func Mix(planes []raster.Plane, weights ...float32) raster.Plane {
	out := raster.NewPlane(planes[0].W, planes[0].H)
	for c, k := range weights {
		src := planes[c].Pix[:len(out.Pix)]
		for i := range out.Pix {
			out.Pix[i] += k * src[i]
		}
	}
	return out
}
