package tiling_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"aldermoor/core/raster"
	"aldermoor/core/station"
	"aldermoor/core/tiling"
)

// planes of a scan as its maps show them: encoded colour, normals, height, roughness.
func planes(s *station.Scan) []raster.Plane {
	var out []raster.Plane
	for _, c := range s.Color {
		p := raster.NewPlane(c.W, c.H)
		for i, v := range c.Pix {
			p.Pix[i] = float32(math.Pow(float64(v), 1/2.2))
		}
		out = append(out, p)
	}
	h := raster.NewPlane(s.W, s.H)
	for i, v := range s.Height.Pix {
		h.Pix[i] = v / float32(s.Depth)
	}
	return append(out, s.Normal.X, s.Normal.Y, h, s.Roughness)
}

func cropped(list []raster.Plane, x0, y0, w, h int) []raster.Plane {
	var out []raster.Plane
	for _, p := range list {
		q := raster.NewPlane(w, h)
		for y := range h {
			copy(q.Row(y), p.Row(y0 + y)[x0:x0+w])
		}
		out = append(out, q)
	}
	return out
}

func noisy(list []raster.Plane, rng *rand.Rand, sigma float64) {
	for _, p := range list {
		for i := range p.Pix {
			p.Pix[i] += float32(rng.NormFloat64() * sigma)
		}
	}
}

// areaUnder is the chance that a scan without a seam scores higher than one with.
func areaUnder(good, bad []float64) float64 {
	n := 0.0
	for _, g := range good {
		for _, b := range bad {
			switch {
			case g > b:
				n++
			case g == b:
				n += 0.5
			}
		}
	}
	return n / float64(len(good)*len(bad))
}

func TestSeamsAreToldFromRepeats(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 12))
	var good, bad []float64
	wrongAxis := 0
	for i, m := range station.Materials() {
		for seed := range uint32(2) {
			if int(seed) != i%2 && !testing.Verbose() {
				continue // half of them will do
			}
			s := station.Take(m, station.Options{Px: 320, Seed: seed + 1})
			all := planes(s)
			sigma := []float64{0, 0.004}[seed]
			whole := cropped(all, 0, 0, s.W, s.H)
			noisy(whole, rng, sigma)
			g := tiling.Meet(whole).Score
			good = append(good, g.X, g.Y)
			// A part: cut on one axis alone, so that the other one still meets.
			w := int(float64(s.W) * (0.55 + 0.37*rng.Float64()))
			x0 := rng.IntN(s.W - w)
			cutX := cropped(all, x0, 0, w, s.H)
			noisy(cutX, rng, sigma)
			bx := tiling.Meet(cutX).Score
			h := int(float64(s.H) * (0.55 + 0.37*rng.Float64()))
			y0 := rng.IntN(s.H - h)
			cutY := cropped(all, 0, y0, s.W, h)
			noisy(cutY, rng, sigma)
			by := tiling.Meet(cutY).Score
			good = append(good, bx.Y, by.X)
			bad = append(bad, bx.X, by.Y)
			if bx.X >= bx.Y {
				wrongAxis++
			}
			if by.Y >= by.X {
				wrongAxis++
			}
			if os.Getenv("V") != "" {
				fmt.Printf("%-18s whole %.2f %.2f  cut x %.2f (%.2f)  cut y %.2f (%.2f)\n", m.Slug, g.X, g.Y, bx.X, bx.Y, by.Y, by.X)
			}
		}
	}
	auc := areaUnder(good, bad)
	slices.Sort(good)
	slices.Sort(bad)
	t.Logf("area under the curve %.4f; wrong axis %d of %d; repeats: 2 %% below %.2f; breaks: 95 %% below %.2f", auc, wrongAxis, len(bad), good[len(good)/50], bad[len(bad)*95/100])
	if auc < 0.98 {
		t.Errorf("area under the curve %.4f", auc)
	}
}

// A pattern whose joints lie at the edge repeats, at the size at which scans are looked
// at too, where a joint is several pixels wide and no two of them alike.
func TestAJointAtTheEdgeIsNoSeam(t *testing.T) {
	for _, m := range station.Materials() {
		seed, ok := map[string]uint32{"rope_mat": 2, "chalk_rammed": 1, "weatherboard_tar": 7, "tile_encaustic": 6, "jetty_plank": 1}[m.Slug]
		if !ok {
			continue
		}
		s := station.Take(m, station.Options{Px: 1024, Seed: seed})
		all := planes(s)
		if g := tiling.Meet(all).Score; min(g.X, g.Y) < 0.6 {
			t.Errorf("%s repeats, but scores %.2f and %.2f", m.Slug, g.X, g.Y)
		}
		w, h := s.W*17/23, s.H*17/23
		if g := tiling.Meet(cropped(all, s.W/9, s.H/9, w, h)).Score; max(g.X, g.Y) > 0.3 {
			t.Errorf("%s is cut, but scores %.2f and %.2f", m.Slug, g.X, g.Y)
		}
	}
}
