package likeness_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/likeness"
	"aldermoor/core/raster"
)

// A picture of three paints in known shares, with grain, has a palette of these three.
func TestPalette(t *testing.T) {
	paints := []colour.RGB{{0.5, 0.05, 0.04}, {0.03, 0.05, 0.2}, {0.7, 0.68, 0.6}}
	shares := []float32{0.6, 0.3, 0.1}
	const n = 120
	var rgb [3]raster.Plane
	for c := range rgb {
		rgb[c] = raster.NewPlane(n, n)
	}
	rng := rand.New(rand.NewPCG(1, 2))
	for y := range n {
		k := 0
		if y >= n*6/10 {
			k = 1
		}
		if y >= n*9/10 {
			k = 2
		}
		for x := range n {
			for c := range rgb {
				rgb[c].Pix[y*n+x] = paints[k][c] * (1 + 0.05*float32(rng.NormFloat64()))
			}
		}
	}
	got := likeness.PaletteOf(rgb)
	if len(got) < 3 {
		t.Fatalf("%v", got)
	}
	for k := range paints {
		if d := colour.Difference(got[k].Color, paints[k]); d > 2 {
			t.Errorf("colour %d is %v, ΔE %.1f from what it is", k, got[k].Color, d)
		}
		if math.Abs(float64(got[k].Share-shares[k])) > 0.03 {
			t.Errorf("colour %d covers %.2f, want %.2f", k, got[k].Share, shares[k])
		}
	}
	// One colour is one tone.
	for c := range rgb {
		for i := range rgb[c].Pix {
			rgb[c].Pix[i] = 0.2
		}
	}
	if one := likeness.PaletteOf(rgb); len(one) != 1 || one[0].Share != 1 {
		t.Errorf("an even grey has %v", one)
	}
}
