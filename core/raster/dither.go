package raster

// Dithered returns the picture with 8 bits a sample, whose local means are those of the picture: between two steps
// a sample takes the upper one as often as it lies near it. Samples that 8 bits hold exactly stay as they are. The
// pattern is the additive recurrence of Roberts 2018 ("The unreasonable effectiveness of quasirandom sequences"),
// another one for each component; it is the same each time.
func (im *Image) Dithered() *Image {
	out := New(im.W, im.H, im.Components(), 8)
	const (
		across, down, apart = 0xC13FA9A9, 0x91E10DA5, 0x9E3779B9 // of 2^32: 1/ρ, 1/ρ² (ρ³ = ρ + 1) and the golden ratio
		margin              = 1.0 / 256                          // covers rounding, so that what is exact stays
	)
	Rows(im.H, func(y0, y1 int) {
		row := make([]float32, im.W)
		for c := range out.Planes {
			all := out.Ints(c)
			for y := y0; y < y1; y++ {
				im.Row(c, y, row)
				dst := all[y*im.W : (y+1)*im.W]
				at := uint32(y)*down + uint32(c)*apart
				for x, v := range row {
					switch {
					case !(v > 0):
						dst[x] = 0
					case v >= 1:
						dst[x] = 65535
					default:
						t := margin + float32(at>>8)*((1-2*margin)/(1<<24))
						dst[x] = uint16(min(uint32(v*255+t), 255) * 257)
					}
					at += across
				}
			}
		}
	})
	return out
}
