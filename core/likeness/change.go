package likeness

import (
	"aldermoor/core/colour"
	"aldermoor/core/raster"
)

// brightestChange is the CIEDE2000 difference that Change shows brightest.
const brightestChange = 20

// Change is where two pictures in sRGB differ, and by how much in the mean (CIEDE2000): grey where they are
// alike, then through orange to a bright yellow at a difference of 20. b is brought to a's size; pictures of one
// component are grey.
func Change(a, b *raster.Image) (heat *raster.Image, mean float64) {
	heat = raster.New(a.W, a.H, 3, 8)
	of := func(im *raster.Image) (out [3]raster.Plane) {
		for c := range out {
			out[c] = im.Plane(min(c, im.Components()-1)).Resample(a.W, a.H, raster.Area)
		}
		return out
	}
	p, q := of(a), of(b)
	rows := make([]float64, a.H)
	raster.Rows(a.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for i := y * a.W; i < (y+1)*a.W; i++ {
				was := [3]float32{p[0].Pix[i], p[1].Pix[i], p[2].Pix[i]}
				now := [3]float32{q[0].Pix[i], q[1].Pix[i], q[2].Pix[i]}
				d := 0.0
				if was != now {
					d = colour.Difference(lit(was), lit(now))
				}
				rows[y] += d
				t := float32(min(1, d/brightestChange))
				grey := (40 + 0.25*255*(0.3*was[0]+0.6*was[1]+0.1*was[2])) / 255
				for c, k := range [3]float32{t * 1.6, t*1.8 - 0.5, t*3 - 2} {
					full := [3]float32{1, 200.0 / 255, 90.0 / 255}[c]
					heat.Ints(c)[i] = uint16((grey+(full-grey)*min(max(k, 0), 1))*65535 + 0.5)
				}
			}
		}
	})
	for _, r := range rows {
		mean += r / float64(a.W*a.H)
	}
	return heat, mean
}

func lit(c [3]float32) (out colour.RGB) {
	for k, v := range c {
		out[k] = colour.Linear(v)
	}
	return out
}
