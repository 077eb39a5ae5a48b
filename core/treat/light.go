package treat

import (
	"math"

	"aldermoor/core/colour"
	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// levelLight divides out of the colour, in linear light, what of its perceptual lightness
// (the cube root of luminance) is wider than a given length. One factor for all three
// components keeps the hue.
func levelLight(st Step, now *Scan) (operation, error) {
	if !now.has(material.BaseColor) {
		return operation{}, missing(material.BaseColor)
	}
	s, err := now.Load(material.BaseColor, DecideAt)
	if err != nil {
		return operation{}, err
	}
	strength := st.Strength
	if strength == 0 {
		strength = 1
	}
	wide := st.Metres
	if wide == 0 {
		wide = now.Size.W / 3
	}
	// The low band needs no detail: 128 pixels hold it.
	w, h := raster.Fit(s.Planes[0].W, s.Planes[0].H, 128)
	low := raster.NewPlane(w, h)
	linear, encode := colour.Curves()
	var lin [3]raster.Plane
	for c := range lin {
		lin[c] = filter.Map(s.Planes[min(c, len(s.Planes)-1)], linear).Resample(w, h, raster.Area)
	}
	for i := range low.Pix {
		low.Pix[i] = float32(math.Cbrt(float64(colour.Luminance(colour.RGB{lin[0].Pix[i], lin[1].Pix[i], lin[2].Pix[i]}))))
	}
	sigma := wide / now.Size.W * float64(w) / 4
	low = smooth(low, sigma, now.Tiles)
	mean := low.Mean()
	if mean < 0.02 {
		return operation{}, refuse("black")
	}
	from, to := low.Range()
	gain := filter.Map(low, func(v float32) float32 {
		return float32(math.Pow(mean/max(float64(v), mean/8), 3*strength))
	})
	did := fact.New("levelled", "varies", math.Pow(float64(to/max(from, 1e-3)), 3)-1, "metres", wide)
	return one(now, material.BaseColor, did, func(s *Sheet) *Sheet {
		out := &Sheet{Bits: s.Bits}
		for _, p := range s.Planes {
			out.Planes = append(out.Planes, raster.NewPlane(p.W, p.H))
		}
		w, h := s.Size()
		raster.Rows(h, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				for x := range w {
					k := inner(gain, (float32(x)+0.5)/float32(w), (float32(y)+0.5)/float32(h), now.Tiles)
					for c, p := range s.Planes {
						out.Planes[c].Pix[y*w+x] = encode(min(linear(p.Pix[y*w+x])*k, 1))
					}
				}
			}
		})
		return out
	}), nil
}

// inner is the bilinear value of p at (u, v) in repeats, held at the edges of axes that
// do not wrap.
func inner(p raster.Plane, u, v float32, wraps [2]bool) float32 {
	hold := func(u float32, n int) float32 {
		half := 0.5 / float32(n)
		return min(max(u, half), 1-half)
	}
	if !wraps[0] {
		u = hold(u, p.W)
	}
	if !wraps[1] {
		v = hold(v, p.H)
	}
	return p.Sample(u, v)
}

// smooth blurs by a Gaussian; an axis that does not wrap is led on beyond its edges by
// the straight line that its own fall makes there, so that a lamp's falloff is seen to
// the edge.
func smooth(p raster.Plane, sigma float64, wraps [2]bool) raster.Plane {
	padX, padY := 0, 0
	if !wraps[0] {
		padX = p.W
	}
	if !wraps[1] {
		padY = p.H
	}
	if padX == 0 && padY == 0 {
		return filter.Gaussian(p, sigma)
	}
	// Mirrored about the edge pixel, in place and in value: 2·edge − inside.
	wide := raster.NewPlane(p.W+2*padX, p.H+2*padY)
	edge := func(i, n int) (inside, at int, beyond bool) {
		switch {
		case i < 0:
			return min(-i, n-1), 0, true
		case i >= n:
			return max(2*n-2-i, 0), n - 1, true
		}
		return i, i, false
	}
	near := filter.BoxInside(p, max(1, int(sigma/3))) // so that no single stone on an edge decides
	for y := range wide.H {
		iy, ay, by := edge(y-padY, p.H)
		for x := range wide.W {
			ix, ax, bx := edge(x-padX, p.W)
			v := p.Pix[iy*p.W+ix]
			if bx || by {
				v = 2*near.Pix[ay*p.W+ax] - v
			}
			wide.Pix[y*wide.W+x] = v
		}
	}
	wide = filter.Gaussian(wide, sigma)
	out := raster.NewPlane(p.W, p.H)
	for y := range p.H {
		copy(out.Row(y), wide.Row(y + padY)[padX:padX+p.W])
	}
	return out
}
