package shade_test

import (
	"testing"

	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/core/station"
)

// The few steps in which previews march relief find what many find.
func TestQuickMarchingFindsTheRelief(t *testing.T) {
	for _, m := range station.Materials() {
		slug := m.Slug
		s := surfaceOf(t, slug, 512)
		for _, shape := range []string{"ball", "column", "slab", "drape"} {
			v := shade.NewView()
			v.Shape, v.W, v.H, v.Pitch, v.Background = shape, 128, 128, 20, shade.Mat
			quick := v.Picture(s)
			var fine *raster.Image
			shade.Finely(func() { fine = v.Picture(s) })
			d := apart(quick, fine)
			t.Logf("%-16s %-7s ΔE %.2f", slug, shape, d)
		}
	}
}
