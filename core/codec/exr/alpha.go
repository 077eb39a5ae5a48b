package exr

import (
	"aldermoor/core/raster"
)

// OpenEXR keeps colours multiplied by their alpha ("associated"; OpenEXR technical introduction, Alpha channel), while
// a raster.Image keeps them apart. Data in four components is not multiplied, and some writers do not multiply
// colours either: then colours exceed the alpha, which those that are multiplied by it cannot.

// straight divides the colours of a picture by its last component where they are multiplied by it. Planes that
// change are new ones.
func straight(im *raster.Image) {
	n := len(im.Planes) - 1
	alpha := im.Floats(n)
	if !associated(im, alpha) {
		return
	}
	for c := range n {
		src := im.Floats(c)
		dst := make(raster.Floats, len(src))
		raster.Rows(im.H, func(y0, y1 int) {
			for i := y0 * im.W; i < y1*im.W; i++ {
				if dst[i] = src[i]; alpha[i] > 0 {
					dst[i] /= alpha[i]
				}
			}
		})
		im.Planes[c] = dst
	}
}

// associated says whether colours may be multiplied by the alpha: of the pixels that are not opaque, one in fifty
// at most has a colour above it, by more than lossy compression and light of its own explain.
func associated(im *raster.Image, alpha []float32) bool {
	const slack, few = 1.0 / 64, 50
	through, above := 0, 0
	for i, a := range alpha {
		if a >= 0.999 {
			continue
		}
		through++
		for c := range len(im.Planes) - 1 {
			if im.Floats(c)[i] > a*1.01+slack {
				above++
				break
			}
		}
	}
	return above*few <= through
}

// multiplied is a picture whose colours are multiplied by its last component.
func multiplied(im *raster.Image) *raster.Image {
	n := len(im.Planes) - 1
	out := &raster.Image{W: im.W, H: im.H, Bits: im.Bits, Planes: make([]raster.Samples, n+1)}
	alpha := im.Plane(n)
	out.Planes[n] = raster.Floats(alpha.Pix)
	for c := range n {
		dst := make(raster.Floats, im.W*im.H)
		raster.Rows(im.H, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				row := dst[y*im.W : (y+1)*im.W]
				im.Row(c, y, row)
				for x, a := range alpha.Row(y) {
					row[x] *= a
				}
			}
		})
		out.Planes[c] = dst
	}
	return out
}
