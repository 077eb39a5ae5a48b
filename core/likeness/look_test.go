package likeness_test

import (
	"math"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/light"
	"aldermoor/core/likeness"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/core/shape"
	"aldermoor/core/station"
)

// seen is a picture of a material that is extent metres across, in linear light.
func seen(s *shade.Surface, extent float64, px int, env string) [3]raster.Plane {
	v := shade.Swatch(extent, px)
	v.Light = light.Named(env)
	im := v.Picture(s)
	var rgb [3]raster.Plane
	for c := range rgb {
		rgb[c] = im.Plane(c)
		for i, x := range rgb[c].Pix {
			rgb[c].Pix[i] = colour.Linear(x)
		}
	}
	return rgb
}

// Materials are found again by the look of another specimen, another part of it, turned, in another
// light: the same kind comes first.
func TestLooksFindTheirKind(t *testing.T) {
	if testing.Short() {
		t.Skip("many scans")
	}
	all := station.Materials()
	known := make([]likeness.Look, len(all))
	for i, m := range all {
		s := shade.NewSurface(station.Take(m, station.Options{Px: 384, Seed: 1}).Planes(), 384)
		e := shape.NaturalSize(m.Size.W)
		known[i] = likeness.LookOf(seen(s, e, 344, "moor"), e)
	}
	tries, right := 0, 0
	for i, m := range all {
		for n := range 2 { // of the four ways each second material takes two
			k := (i+n*2)%4 ^ i/4%2
			env, turn := []string{"moor", "window", "water", "lantern"}[k], []float64{1.2, math.Pi / 2, 0.5, 2.2}[k]
			s := shade.NewSurface(station.Take(m, station.Options{Px: 384, Seed: uint32(21 + k), Turn: turn}).Planes(), 384)
			e := shape.NaturalSize(m.Size.W) * []float64{1, 0.7, 0.85, 1}[k]
			q := likeness.LookOf(seen(s, e, []int{344, 200, 256, 300}[k], env), e)
			best, at := float32(math.Inf(1)), -1
			for j := range known {
				if d := known[j].Compare(&q, likeness.Usual, 0).All; d < best {
					best, at = d, j
				}
			}
			tries++
			if at == i {
				right++
			} else {
				own := known[i].Compare(&q, likeness.Usual, 0)
				t.Logf("%s in %s, turned %.1f: %s %+v before its own %+v", m.Slug, env, turn, all[at].Slug, known[at].Compare(&q, likeness.Usual, 0), own)
			}
		}
	}
	share := float64(right) / float64(tries)
	t.Logf("%d of %d first: %.1f %%", right, tries, 100*share)
	if share < 0.95 {
		t.Errorf("%.1f %% came first; 95 are wanted", 100*share)
	}
}
