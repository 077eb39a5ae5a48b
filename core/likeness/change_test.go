package likeness_test

import (
	"math"
	"testing"

	"aldermoor/core/likeness"
	"aldermoor/core/raster"
)

// A patch that has changed glows by how much; the rest stays grey, whatever the two pictures' sizes.
func TestChange(t *testing.T) {
	picture := func(n int, patch uint16) *raster.Image {
		im := raster.New(n, n, 3, 16)
		for c := range 3 {
			for i := range im.Ints(c) {
				im.Ints(c)[i] = 0x8000
				if i%n < n/2 && i/n < n/2 {
					im.Ints(c)[i] = patch
				}
			}
		}
		return im
	}
	a := picture(64, 0x8000)
	if heat, mean := likeness.Change(a, picture(64, 0x8000)); mean != 0 || heat.Ints(0)[0] != heat.Ints(1)[0] {
		t.Errorf("a picture differs from itself by %.2f", mean)
	}
	heat, mean := likeness.Change(a, picture(128, 0xffff))
	if heat.W != 64 || heat.Ints(0)[0] < 0xf000 || heat.Ints(0)[63] > 0x6000 {
		t.Errorf("the heat is %d px wide, %x where it changed, %x beside", heat.W, heat.Ints(0)[0], heat.Ints(0)[63])
	}
	// L* 54 to 100 over a quarter: the lightness term is 46 over S_L.
	if math.Abs(mean-0.25*36.9) > 1.5 {
		t.Errorf("the mean difference is %.2f", mean)
	}
	if _, mean := likeness.Change(a, raster.New(8, 8, 1, 8)); mean < 20 {
		t.Errorf("grey and black differ by %.2f", mean)
	}
}
