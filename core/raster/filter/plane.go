package filter

import "aldermoor/core/raster"

// Map is a plane with each sample changed.
func Map(p raster.Plane, f func(float32) float32) raster.Plane {
	out := raster.NewPlane(p.W, p.H)
	raster.Rows(p.H, func(y0, y1 int) {
		for i := y0 * p.W; i < y1*p.W; i++ {
			out.Pix[i] = f(p.Pix[i])
		}
	})
	return out
}

// Apply changes each sample in place.
func Apply(p raster.Plane, f func(float32) float32) {
	raster.Rows(p.H, func(y0, y1 int) {
		for i := y0 * p.W; i < y1*p.W; i++ {
			p.Pix[i] = f(p.Pix[i])
		}
	})
}

// Transpose is a plane turned over its diagonal: rows become columns.
func Transpose(p raster.Plane) raster.Plane {
	out := raster.NewPlane(p.H, p.W)
	const block = 32 // of both, so that neither is walked across its rows for long
	raster.Rows((p.H+block-1)/block, func(b0, b1 int) {
		for y := b0 * block; y < min(b1*block, p.H); y += block {
			for x := 0; x < p.W; x += block {
				for j := y; j < min(y+block, p.H); j++ {
					for i, v := range p.Row(j)[x:min(x+block, p.W)] {
						out.Pix[(x+i)*out.W+j] = v
					}
				}
			}
		}
	})
	return out
}
