package normals

import "aldermoor/core/raster"

// Turn turns the vectors of a normal map whose pixels have been turned: samples in 0..1, of two components or more.
// The planes that change are new ones. A map of unknown direction is taken for Y+; where that is wrong, x and y come
// out negative both, which Guess tells apart as well.
func Turn(im *raster.Image, t raster.Turning, d Direction) {
	// In pixels a vector is (x, −y) for Y+ and (x, y) for Y−.
	b, c := t.B, t.C
	if d != Down {
		b, c = -b, -c
	}
	x, y := im.Planes[0], im.Planes[1]
	if t.Across() {
		im.Planes[0], im.Planes[1] = times(y, b), times(x, c)
		return
	}
	im.Planes[0], im.Planes[1] = times(x, t.A), times(y, t.D)
}

// times are samples of a signed component, or those of its opposite where sign is −1.
func times(s raster.Samples, sign int) raster.Samples {
	if sign > 0 {
		return s
	}
	return raster.Opposite(s)
}
