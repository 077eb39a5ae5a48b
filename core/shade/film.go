package shade

import (
	"context"
	"math"
	"sync"
	"sync/atomic"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/raster"
)

var sharedTables = sync.OnceValue(colour.NewTables)

// film turns light into what is shown.
type film struct {
	exposure float32 // factor
	tone     bool
	linear   bool // light itself is wanted
	tables   *colour.Tables
}

// show is light as it is shown: exposed, and through the tone curve or cut at white.
func (f *film) show(c geom.V3) geom.V3 {
	c = c.Scale(f.exposure)
	switch {
	case f.linear:
		return c
	case f.tone:
		return c.Map(Tone)
	}
	return c.Max(geom.V3{}).Min(geom.Grey(1))
}

// Tone is the one curve from light to what is shown, both linear: unchanged up to 0.6, then
// an exponential shoulder that reaches 1 at infinity, with a steady slope where
// they meet. The browser uses the same.
func Tone(v float32) float32 {
	const knee = 0.6
	if v <= knee {
		return max(v, 0)
	}
	return knee + (1-knee)*(1-float32(math.Exp(float64(-(v-knee)/(1-knee)))))
}

// shown is a pixel in the making: colour times alpha, and alpha.
type shown struct {
	c     geom.V3
	alpha float32
}

// over lays a over b.
func (a shown) over(b shown) shown {
	return shown{a.c.Add(b.c.Scale(1 - a.alpha)), a.alpha + b.alpha*(1-a.alpha)}
}

// tileSide is the side of the squares in which pictures are made, in pixels.
const tileSide = 64

// progressEvery is about how many samples pass between two calls of progress: a fraction of a second.
const progressEvery = 200_000

// draw makes a picture tile by tile on all cores.
func (j *job) draw(ctx context.Context, tile func(ctx context.Context, x0, y0, x1, y1 int, put func(x, y int, p shown)), progress func(float64)) (*raster.Image, error) {
	var out *raster.Image
	if j.film.linear {
		out = raster.NewFloat(j.W, j.H, 4, 32)
	} else {
		out = raster.New(j.W, j.H, 4, 16)
	}
	var done atomic.Int64
	var mu sync.Mutex
	all, every := int64(j.W)*int64(j.H), int64(max(1, min(tileSide*tileSide, progressEvery/max(1, j.Samples))))
	put := func(x, y int, p shown) {
		if n := done.Add(1); progress != nil && (n%every == 0 || n == all) {
			mu.Lock()
			defer mu.Unlock()
			progress(float64(n) / float64(all))
		}
		i, c := y*j.W+x, p.c.Array()
		if j.film.linear { // OpenEXR has colour times alpha
			for k := range 3 {
				out.Floats(k)[i] = c[k]
			}
			out.Floats(3)[i] = p.alpha
			return
		}
		if p.alpha > 0 {
			for k := range 3 {
				out.Ints(k)[i] = uint16(j.film.tables.Encode(min(c[k]/p.alpha, 1))*65535 + 0.5)
			}
		}
		out.Ints(3)[i] = uint16(min(p.alpha, 1)*65535 + 0.5)
	}
	across, down := (j.W+tileSide-1)/tileSide, (j.H+tileSide-1)/tileSide
	raster.Each(across*down, func(i int) {
		if ctx.Err() != nil {
			return
		}
		x, y := i%across*tileSide, i/across*tileSide
		tile(ctx, x, y, min(x+tileSide, j.W), min(y+tileSide, j.H), put)
	})
	return out, ctx.Err()
}
