package shade_test

import (
	"math"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/light"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/core/shade"
	"aldermoor/core/station"
)

func fill(w, h int, v float32) raster.Plane {
	p := raster.NewPlane(w, h)
	for i := range p.Pix {
		p.Pix[i] = v
	}
	return p
}

func mean(im *raster.Image, c int) float64 { return im.Plane(c).Mean() }

// A chart of diffuse colours without a specular part, under the neutral light at exposure 0 and
// without the tone curve, comes out as itself: within ΔE 1.
func TestChartKeepsItsColours(t *testing.T) {
	worst := 0.0
	for _, hex := range []string{"#735244", "#c29682", "#627a9d", "#576c43", "#8580b1", "#67bdaa", "#d67e2c", "#505ba6", "#c15a63", "#5e3c6c", "#9dbc40", "#e0a32e",
		"#383d96", "#469449", "#af363c", "#e7c71f", "#bb5695", "#0885a1", "#f3f3f2", "#c8c8c8", "#a0a0a0", "#7a7a79", "#555555", "#343434"} {
		want, _ := colour.ParseHex(hex)
		p := material.Planes{Size: scale.Size{W: 1, H: 1}, Figures: material.Neutral(), Roughness: fill(8, 8, 0.5)}
		for c := range p.Color {
			p.Color[c] = fill(8, 8, want[c])
		}
		for _, rough := range []float64{0, 1} {
			p.Figures.Index, p.Figures.DiffuseRoughness = 1, rough
			for _, quality := range []shade.Quality{shade.Preview, shade.Reference} {
				v := shade.Swatch(1, 4)
				v.Light, v.Tone, v.Quality, v.Samples = light.Named("neutral"), false, quality, 256
				im := v.Picture(shade.NewSurface(p, 8))
				got := colour.RGB{colour.Linear(float32(mean(im, 0))), colour.Linear(float32(mean(im, 1))), colour.Linear(float32(mean(im, 2)))}
				if rough > 0 { // rough diffuse reflection deepens colours: only white and grey keep their own
					if hex != "#f3f3f2" {
						continue
					}
				}
				d := colour.Difference(got, want)
				worst = max(worst, d)
				if d > 1 {
					t.Errorf("%s, %s, diffuse roughness %.0f: ΔE %.2f", hex, quality, rough, d)
				}
			}
		}
	}
	t.Logf("largest ΔE %.2f", worst)
}

func TestWhatIsMissingIsNeutral(t *testing.T) {
	s := shade.NewSurface(material.Planes{}, 64)
	im := shade.Swatch(1, 16).Picture(s)
	a, b, c := mean(im, 0), mean(im, 1), mean(im, 2)
	if a < 0.3 || math.Abs(a-b) > 0.06 || math.Abs(b-c) > 0.06 {
		t.Errorf("without any map the swatch is %.2f %.2f %.2f: not a neutral grey", a, b, c)
	}
}

// Gold by its specular colour is golden: reflectance at normal incidence is a colour.
func TestSpecularIsAColour(t *testing.T) {
	black := fill(8, 8, 0)
	gold := [3]raster.Plane{fill(8, 8, 1), fill(8, 8, 0.77), fill(8, 8, 0.34)}
	s := shade.NewSurface(material.Planes{Size: scale.Size{W: 1, H: 1}, Color: [3]raster.Plane{black, black, black}, Specular: gold, Roughness: fill(8, 8, 0.4)}, 64)
	im := shade.Swatch(1, 16).Picture(s)
	if r, g, b := mean(im, 0), mean(im, 1), mean(im, 2); r < g*1.03 || g < b*1.2 {
		t.Errorf("gold looks %.2f %.2f %.2f", r, g, b)
	}
}

// Halving keeps the mean, whatever the sides: an odd column counts as much as any.
func TestSmallerLevelsKeepTheMean(t *testing.T) {
	p := raster.NewPlane(33, 47)
	for y := range 47 {
		p.Row(y)[32] = 1 // the last column, which a floor would drop
	}
	s := shade.NewSurface(material.Planes{Size: scale.Size{W: 33, H: 47}, Color: [3]raster.Plane{p, p, p}, Roughness: fill(4, 4, 1)}, 64)
	light := func(im *raster.Image) (sum float64) {
		for _, v := range im.Plane(1).Pix {
			sum += float64(colour.Linear(v)) / float64(im.W*im.H)
		}
		return sum
	}
	far, near := light(shade.Swatch(33*32, 8).Picture(s)), light(shade.Swatch(33, 66).Picture(s))
	if math.Abs(far/near-1) > 0.1 {
		t.Errorf("far away it is %.4f, near by %.4f", far, near)
	}
}

// True scale: a stripe of 10 cm must be a tenth of a swatch of 1 m and a fifth of one of 0.5 m.
func TestSwatchIsTrueToScale(t *testing.T) {
	stripe := raster.NewPlane(400, 400) // 2 m across: 200 px/m
	for y := range 400 {
		for x := range 20 {
			stripe.Row(y)[x] = 0.8
		}
	}
	s := shade.NewSurface(material.Planes{Size: scale.Size{W: 2, H: 2}, Color: [3]raster.Plane{stripe, stripe, stripe}, Roughness: fill(4, 4, 1)}, 400)
	for extent, want := range map[float64]float64{1: 0.1, 0.5: 0.2, 2: 0.05, 4: 0.05} {
		im := shade.Swatch(extent, 200).Picture(s)
		lit := 0
		for x := range 200 {
			if im.Ints(1)[100*200+x] > 0x6000 {
				lit++
			}
		}
		if got := float64(lit) / 200; math.Abs(got-want) > 0.011 {
			t.Errorf("at %g m the stripe takes %.3f of the width, want %.3f", extent, got, want)
		}
	}
}

// The light comes from the upper left: a slope that faces it is brighter than one that turns away.
func TestReliefIsLitFromTheUpperLeft(t *testing.T) {
	bump := raster.NewPlane(64, 64)
	for y := range 64 {
		for x := range 64 {
			d := math.Hypot(float64(x)-32, float64(y)-32)
			bump.Row(y)[x] = float32(0.1 * math.Max(0, 1-d/24))
		}
	}
	occ := shade.Occlusion(bump, 1.0/64, 1.0/64, 0.5, [2]bool{true, true})
	if occ.At(32, 32) < occ.At(32, 60) {
		t.Error("the top of a cone sees less sky than the ground")
	}
	if lo, hi := occ.Range(); lo < 0.3 || hi > 1 || lo > 0.99 {
		t.Errorf("occlusion runs from %.2f to %.2f", lo, hi)
	}
}

// A pit of known shape: at the middle of the floor of a round hole the cosine-weighted sky is r²/(r²+d²).
func TestOcclusionOfAPit(t *testing.T) {
	const n, r, d = 256, 0.25, 0.25
	pit := raster.NewPlane(n, n)
	for y := range n {
		for x := range n {
			if math.Hypot(float64(x-n/2)/n, float64(y-n/2)/n) > r {
				pit.Row(y)[x] = d
			}
		}
	}
	got := float64(shade.Occlusion(pit, 1.0/n, 1.0/n, 2, [2]bool{true, true}).At(n/2, n/2))
	if want := r * r / (r*r + d*d); math.Abs(got-want) > 0.08 { // steps reach up to a sixth past a sheer edge
		t.Errorf("the floor sees %.3f of the sky, want %.3f", got, want)
	}
}

// A high right edge does not shade the left one of a map that does not tile.
func TestOcclusionAtEdgesThatDoNotWrap(t *testing.T) {
	h := raster.NewPlane(64, 64)
	for y := range 64 {
		for x := 60; x < 64; x++ {
			h.Row(y)[x] = 0.2
		}
	}
	wrapped, open := shade.Occlusion(h, 1.0/64, 1.0/64, 0.5, [2]bool{true, true}), shade.Occlusion(h, 1.0/64, 1.0/64, 0.5, [2]bool{false, true})
	if open.At(0, 30) < 0.999 || wrapped.At(0, 30) > 0.8 {
		t.Errorf("the left edge sees %.3f of the sky where it does not wrap, %.3f where it does", open.At(0, 30), wrapped.At(0, 30))
	}
	if d := open.At(57, 30) - wrapped.At(57, 30); d < -1e-6 || open.At(57, 30) > 0.8 {
		t.Errorf("beside the step it is %.3f and %.3f", open.At(57, 30), wrapped.At(57, 30))
	}
}

func TestBallHasATransparentGround(t *testing.T) {
	m := station.Materials()[1]
	sc := station.Take(m, station.Options{Px: 128, Seed: 1})
	s := shade.NewSurface(sc.Planes(), 128)
	im := shade.Ball(s, 96).Picture(s)
	if im.Components() != 4 || im.Ints(3)[0] != 0 || im.Ints(3)[48*96+48] != 65535 {
		t.Error("the corner is not clear, or the middle not solid")
	}
}

func TestToneIsSteadyAndBounded(t *testing.T) {
	last := float32(-1)
	for i := range 2000 {
		v := shade.Tone(float32(i) / 200)
		if v < last || v > 1 {
			t.Fatalf("the curve falls or leaves 0..1 at %v", float32(i)/200)
		}
		last = v
	}
	if shade.Tone(0.5) != 0.5 {
		t.Error("below the knee the curve must change nothing")
	}
}
