package shade_test

import (
	"context"
	"math"
	"testing"

	"aldermoor/core/light"
	"aldermoor/core/shade"
)

// 64 samples a pixel are as bright as many, and not noisier than stated.
func TestNoiseOfReferences(t *testing.T) {
	if testing.Short() {
		t.Skip("it traces paths")
	}
	s := surfaceOf(t, "flashing_copper", 256)
	for _, env := range []string{"moor", "window", "lantern"} {
		v := shade.NewView()
		v.W, v.H, v.Light, v.Background, v.Quality = 32, 32, light.Named(env), shade.Mat, shade.Reference
		draw := func(samples int, seed uint64) [3][]float32 {
			v.Samples, v.Seed = samples, seed
			im, err := v.Draw(context.Background(), s, true, nil)
			if err != nil {
				t.Fatal(err)
			}
			return [3][]float32{im.Floats(0), im.Floats(1), im.Floats(2)}
		}
		truth, got := draw(2048, 1), draw(64, 2)
		var square, sum, whole float64
		for c := range truth {
			for i := range truth[c] {
				d := float64(got[c][i] - truth[c][i])
				square, sum, whole = square+d*d, sum+d, whole+float64(truth[c][i])
			}
		}
		n := float64(3 * len(truth[0]))
		noise, bias := math.Sqrt(square/n)/(whole/n), sum/whole
		t.Logf("%-8s noise %.4f of the mean, %.4f too bright", env, noise, bias)
		if noise > 0.07 || math.Abs(bias) > 0.006 {
			t.Errorf("%s: noise is %.4f of the mean, and the picture %.4f too bright", env, noise, bias)
		}
	}
}
