package shade_test

import (
	"testing"

	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/core/station"
)

// The few steps in which previews march relief find what many find.
func TestQuickMarchingFindsTheRelief(t *testing.T) {
	if testing.Short() {
		t.Skip("it makes every scan")
	}
	for _, m := range station.Materials() {
		s := surfaceOf(t, m.Slug, 256)
		for _, shape := range []string{"ball", "column", "slab", "drape"} {
			v := shade.NewView()
			v.Shape, v.W, v.H, v.Pitch, v.Background = shape, 96, 96, 20, shade.Mat
			quick := v.Picture(s)
			var fine *raster.Image
			shade.Finely(func() { fine = v.Picture(s) })
			d := apart(quick, fine)
			if d > 0.4 {
				t.Errorf("%s on the %s: ΔE %.2f in the mean", m.Slug, shape, d)
			}
		}
	}
}
