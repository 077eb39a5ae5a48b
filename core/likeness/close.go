package likeness

import (
	"math"

	"aldermoor/core/fourier"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// CloseUp is a part of a picture at its own resolution, readied to be held against the same part of others: how steep
// it is, in four windows, as frequencies.
type CloseUp struct {
	n       int // side of a window
	windows [4][]complex128
}

// leastWindow is the smallest side of a window, in pixels, in which a shift can be told.
const leastWindow = 48

// Closely readies a part of a picture by how steep it is at each pixel, which two maps of a
// surface share whatever they hold. nil if the part is
// too small, or flat.
func Closely(steep raster.Plane) *CloseUp {
	n := 0
	for n = min(steep.W, steep.H) / 2; n >= leastWindow && fourier.Size(n) != n; n-- {
	}
	if n < leastWindow {
		return nil
	}
	out := &CloseUp{n: n}
	hann := make([]float64, n)
	for i := range hann {
		hann[i] = 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/float64(n))
	}
	p := raster.Plane{W: steep.W, H: steep.H, Pix: append([]float32{}, steep.Pix...)}
	filter.Saturate(p)
	window := func(k int, at func(i int, v float64)) (varies bool) {
		x0, y0 := k%2*(p.W-n), k/2*(p.H-n)
		mean := 0.0
		for y := range n {
			for _, v := range p.Row(y0 + y)[x0 : x0+n] {
				mean += float64(v)
			}
		}
		mean /= float64(n * n)
		for y := range n {
			for x, v := range p.Row(y0 + y)[x0 : x0+n] {
				d := float64(v) - mean
				varies = varies || math.Abs(d) > 1e-6
				at(y*n+x, d*hann[x]*hann[y])
			}
		}
		return varies
	}
	some := false
	for k := 0; k < 4; k += 2 { // two real windows in one transform
		g := fourier.New(n, n)
		a := window(k, func(i int, v float64) { g.V[i] = complex(v, 0) })
		b := window(k+1, func(i int, v float64) { g.V[i] += complex(0, v) })
		some = some || a || b
		g.Forward()
		out.windows[k], out.windows[k+1] = realParts(g)
	}
	if !some {
		return nil
	}
	return out
}

// Offset is how far b lies from a, in their pixels to the right and down, by phase correlation over the four windows
// together. sure says that it is no chance: the peak stands out, twice as far as the deepest dip, and in three windows
// of four it lies within half a pixel of where it lies for all.
func (a *CloseUp) Offset(b *CloseUp) (m Moved, sure bool) {
	if a == nil || b == nil || a.n != b.n {
		return m, false
	}
	n := a.n
	soft := softened(n)
	// Two windows share a transform back, as its real and its imaginary part; all four together are the sum of these.
	var pairs [2]fourier.Grid
	for k := range pairs {
		pairs[k] = fourier.New(n, n)
		cross(pairs[k].V, a.windows[2*k:], b.windows[2*k:], soft)
		pairs[k].Inverse()
	}
	of := [4]func(int) float64{
		func(k int) float64 { return real(pairs[0].V[k]) }, func(k int) float64 { return imag(pairs[0].V[k]) },
		func(k int) float64 { return real(pairs[1].V[k]) }, func(k int) float64 { return imag(pairs[1].V[k]) },
	}
	whole := make([]float64, n*n)
	for k := range whole {
		c := pairs[0].V[k] + pairs[1].V[k]
		whole[k] = real(c) + imag(c)
	}
	m = peak(n, n, func(k int) float64 { return whole[k] })
	sign := 1.0
	dip := peak(n, n, func(k int) float64 { return -whole[k] })
	if dip.Trust > m.Trust { // one is steep where the other is not
		m, dip, sign = dip, m, -1
	}
	if m.Trust < closeTrust || m.Trust < 2*dip.Trust || math.Hypot(m.X, m.Y) > float64(n)/3 {
		return m, false
	}
	agree := 0
	for _, window := range of {
		if one := peak(n, n, func(k int) float64 { return sign * window(k) }); math.Hypot(one.X-m.X, one.Y-m.Y) < 0.5 {
			agree++
		}
	}
	return m, agree >= 3
}

// cross sets a grid of n × n to the phases of two windows of b against those of a, the second's times i; what is fine
// counts less.
func cross(to []complex128, a, b [][]complex128, soft []float64) {
	n := len(soft)
	phase := func(p, q complex128, weight float64) complex128 {
		c := complex(real(p), -imag(p)) * q
		m := real(c)*real(c) + imag(c)*imag(c)
		if m <= 1e-24 {
			return 0
		}
		m = weight / math.Sqrt(m)
		return complex(real(c)*m, imag(c)*m)
	}
	raster.Rows(n, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range n {
				k := y*n + x
				weight := soft[x] * soft[y]
				c, d := phase(a[0][k], b[0][k], weight), phase(a[1][k], b[1][k], weight)
				to[k] = complex(real(c)-imag(d), imag(c)+real(d))
			}
		}
	})
	to[0] = 0
}

// realParts are the transforms of the real and the imaginary part of what g is the transform of.
func realParts(g fourier.Grid) (a, b []complex128) {
	w, h := g.W, g.H
	a, b = make([]complex128, w*h), make([]complex128, w*h)
	raster.Rows(h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				p, q := g.V[y*w+x], g.V[(h-y)%h*w+(w-x)%w]
				a[y*w+x] = complex((real(p)+real(q))*0.5, (imag(p)-imag(q))*0.5) // (p + q̄)/2
				b[y*w+x] = complex((imag(p)+imag(q))*0.5, (real(q)-real(p))*0.5) // (p − q̄)/2i
			}
		}
	})
	return a, b
}

// closeTrust is the trust from which an offset of close-ups is more than chance, and more than that one map is steep
// beside where another is (measured on the stations' scans).
const closeTrust = 20
