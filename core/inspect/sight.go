package inspect

import (
	"aldermoor/core/colour"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/tiling"
)

// sightPx is the longer side of what is looked at for repetition: more than that is not needed.
const sightPx = 384

// sun is where light comes from onto a surface that is looked at: from the upper left, half way up (x right, y up, z
// out of the surface). sky is the share of light from everywhere.
var sun = [3]float32{-0.45, 0.5, 0.74}

const sky = 0.3

// SightOf is a base colour as it is seen under a sun: samples are sRGB codes unless they are light already, and
// normals are Y+; nil for none.
func SightOf(base []raster.Plane, light bool, f *normals.Field) (s tiling.Sight) {
	if len(base) == 0 {
		return s
	}
	linear, _ := colour.Curves()
	w, h := raster.Fit(base[0].W, base[0].H, sightPx)
	for c := range s {
		s[c] = raster.NewPlane(w, h)
	}
	var rgb [3]raster.Plane
	for c := range rgb {
		rgb[c] = base[min(c, len(base)-1)].Resample(w, h, raster.Area)
		if !light { // reduced as it is stored: near enough for what is looked at
			rgb[c] = filter.Map(rgb[c], linear)
		}
	}
	var lit normals.Field
	if f != nil && len(f.X.Pix) > 0 {
		lit, _ = f.Resample(w, h)
	}
	raster.Rows(h, func(y0, y1 int) {
		for i := y0 * w; i < y1*w; i++ {
			k := float32(1)
			if len(lit.X.Pix) > 0 {
				k = sky + (1-sky)*max(0, sun[0]*lit.X.Pix[i]+sun[1]*lit.Y.Pix[i]+sun[2]*lit.Z.Pix[i])/sun[2]
			}
			l, a, b := colour.OKLab(colour.RGB{rgb[0].Pix[i] * k, rgb[1].Pix[i] * k, rgb[2].Pix[i] * k})
			s[0].Pix[i], s[1].Pix[i], s[2].Pix[i] = float32(l), float32(a), float32(b)
		}
	})
	return s
}
