package shade_test

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/light"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/core/shade"
	"aldermoor/core/station"
)

func surfaceOf(t testing.TB, slug string, px int) *shade.Surface {
	all := station.Materials()
	i := slices.IndexFunc(all, func(m station.Material) bool { return m.Slug == slug })
	if i < 0 {
		t.Fatalf("there is no %s", slug)
	}
	sc := station.Take(all[i], station.Options{Px: px, Seed: 1})
	return shade.NewSurface(sc.Planes(), px)
}

// The preview against the reference: the mean colour difference over each picture, as a table.
func TestPreviewAgainstReference(t *testing.T) {
	if testing.Short() {
		t.Skip("it traces paths")
	}
	var table strings.Builder
	whole, count := 0.0, 0
	for _, slug := range []string{"slates_round", "flashing_copper", "rubble_limewash", "tile_encaustic"} {
		s := surfaceOf(t, slug, 256)
		for _, env := range []string{"moor", "window", "bench"} {
			for _, shape := range []string{"ball", "block", "drape"} {
				v := shade.NewView()
				v.Shape, v.W, v.H, v.Yaw, v.Pitch, v.Light, v.Background = shape, 32, 32, 25, 15, light.Named(env), shade.Mat
				quick, err := v.Draw(context.Background(), s, false, nil)
				if err != nil {
					t.Fatal(err)
				}
				v.Quality, v.Samples = shade.Reference, 64
				slow, err := v.Draw(context.Background(), s, false, nil)
				if err != nil {
					t.Fatal(err)
				}
				d := apart(quick, slow)
				whole, count = whole+d, count+1
				fmt.Fprintf(&table, "%-18s %-8s %-6s %5.2f\n", slug, env, shape, d)
				if d > 6 {
					t.Errorf("%s, %s, %s: ΔE %.2f in the mean", slug, env, shape, d)
				}
			}
		}
	}
	t.Logf("\n%smean %.2f", table.String(), whole/float64(count))
	if whole/float64(count) > 4 {
		t.Errorf("the preview is ΔE %.2f from the reference", whole/float64(count))
	}
}

// apart is the mean CIEDE2000 difference of two pictures.
func apart(a, b *raster.Image) (sum float64) {
	n := a.W * a.H
	at := func(im *raster.Image, i int) (c colour.RGB) {
		for k := range c {
			c[k] = colour.Linear(im.Planes[k].At(i))
		}
		return c
	}
	for i := range n {
		sum += colour.Difference(at(a, i), at(b, i)) / float64(n)
	}
	return sum
}

// Relief has its stated depth: seen from the side, a comb of 40 mm stands out of a column by 40 mm.
func TestReliefIsAsDeepAsStated(t *testing.T) {
	const n, depth = 256, 0.04
	h := raster.NewPlane(n, n)
	for y := range n {
		for x := range n {
			if x/32%2 == 0 {
				h.Row(y)[x] = depth
			}
		}
	}
	grey := fill(4, 4, 0.5)
	s := shade.NewSurface(material.Planes{Size: scale.Size{W: 0.25, H: 0.25}, Color: [3]raster.Plane{grey, grey, grey}, Height: h}, n)
	v := shade.NewView()
	v.Shape, v.Extent, v.Pitch, v.W, v.H = "column", 1, 0, 1600, 100
	v.Zoom = 0.12
	metres, err := v.MetresPerPixel(s)
	if err != nil {
		t.Fatal(err)
	}
	for _, quality := range []shade.Quality{shade.Preview, shade.Reference} {
		v.Quality, v.Samples = quality, 4
		width := func(relief bool) float64 {
			w := v
			w.Relief = relief
			im, err := w.Draw(context.Background(), s, false, nil)
			if err != nil {
				t.Fatal(err)
			}
			most := 0
			for y := 20; y < 80; y++ {
				row := im.Ints(3)[y*im.W : (y+1)*im.W]
				first, last := slices.IndexFunc(row, func(v uint16) bool { return v > 32767 }), 0
				for x, a := range row {
					if a > 32767 {
						last = x
					}
				}
				most = max(most, last-first+1)
			}
			return float64(most)
		}
		// Without relief the camera stands nearer: its own scale is asked for.
		flat := v
		flat.Relief = false
		near, err := flat.MetresPerPixel(s)
		if err != nil {
			t.Fatal(err)
		}
		got := (width(true)*metres - width(false)*near) / 2
		if math.Abs(got-depth) > 0.02*depth+metres {
			t.Errorf("%s: the relief stands out by %.2f mm, stated are %.0f", quality, 1000*got, 1000*depth)
		}
	}
}

// The same view gives the same bytes, another seed others; a cancelled picture ends with its error.
func TestReferenceIsDeterministic(t *testing.T) {
	s := surfaceOf(t, "slates_round", 128)
	v := shade.NewView()
	v.W, v.H, v.Quality, v.Samples = 40, 40, shade.Reference, 4
	draw := func(v shade.View) *raster.Image {
		im, err := v.Draw(context.Background(), s, false, nil)
		if err != nil {
			t.Fatal(err)
		}
		return im
	}
	a, b := draw(v), draw(v)
	if !slices.Equal(a.Ints(1), b.Ints(1)) {
		t.Error("the same view gives another picture")
	}
	v.Seed = 7
	if slices.Equal(a.Ints(1), draw(v).Ints(1)) {
		t.Error("another seed gives the same picture")
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if _, err := v.Draw(ctx, s, false, nil); err == nil {
		t.Error("a cancelled picture was finished")
	}
	last := 0.0
	v.W, v.H = 200, 200
	v.Quality = shade.Preview
	if _, err := v.Draw(context.Background(), s, false, func(d float64) { last = max(last, d) }); err != nil || last != 1 {
		t.Errorf("progress ended at %.2f (%v)", last, err)
	}
}

// A far view of fine relief neither sparkles nor turns glossy: what its normals lose goes into roughness.
func TestFarViewsKeepTheirRoughness(t *testing.T) {
	const n = 512
	h := raster.NewPlane(n, n)
	for y := range n {
		for x := range n {
			h.Row(y)[x] = float32(0.002 * math.Sin(float64(x)*math.Pi/4) * math.Sin(float64(y)*math.Pi/4))
		}
	}
	f := normals.FromHeight(h, 1./n, 1./n, [2]bool{true, true})
	p := material.Planes{Size: scale.Size{W: 1, H: 1}, Normal: &f, Roughness: fill(4, 4, 0.1), Metallic: fill(4, 4, 1)}
	grey := fill(4, 4, 0.9)
	p.Color = [3]raster.Plane{grey, grey, grey}
	s := shade.NewSurface(p, n)
	v := shade.Swatch(16, 32)
	v.Light = light.Named("bench")
	im := v.Picture(s)
	lo, hi := im.Plane(1).Range()
	if hi-lo > 0.1 {
		t.Errorf("a far view runs from %.2f to %.2f", lo, hi)
	}
	p.Normal = nil
	smooth := shade.NewSurface(p, n)
	if a, b := mean(im, 1), mean(v.Picture(smooth), 1); math.Abs(a-b) < 0.02 {
		t.Errorf("far away, rough relief looks like a mirror: %.3f and %.3f", a, b)
	}
}

// Emission is in cd/m² against the light's white; figures do what they say.
func TestFiguresShow(t *testing.T) {
	base := func() material.Planes {
		grey := fill(4, 4, 0.2)
		p := material.Planes{Size: scale.Size{W: 1, H: 1}, Figures: material.Neutral(), Color: [3]raster.Plane{grey, grey, grey}, Roughness: fill(4, 4, 0.6)}
		return p
	}
	look := func(p material.Planes, env string) float64 {
		v := shade.Swatch(1, 8)
		v.Light, v.Tone = light.Named(env), false
		return float64(colour.Linear(float32(mean(v.Picture(shade.NewSurface(p, 8)), 1))))
	}
	p := base()
	dark := look(p, "neutral")
	p.Figures.Emission.Luminance = 0.5 * light.Named("neutral").White
	if got := look(p, "neutral") - dark; math.Abs(got-0.5) > 0.02 {
		t.Errorf("half of white glows as %.3f", got)
	}
	p = base()
	p.Figures.Coat.Share, p.Figures.Coat.Roughness = 1, 0.2
	if coated := look(p, "neutral"); coated <= dark {
		t.Errorf("a coat adds no light: %.3f and %.3f", coated, dark)
	}
	p = base()
	p.Opacity = fill(4, 4, 0)
	if got := look(p, "neutral"); math.Abs(got-0.184) > 0.01 {
		t.Errorf("through nothing, the mat is %.3f", got)
	}
}

// Small pictures are exposed for what glows: a lamp's colour is seen, and a dim glow changes nothing.
func TestPicturesAreExposedForWhatGlows(t *testing.T) {
	look := func(luminance float64) [3]float64 {
		grey := fill(4, 4, 0.2)
		p := material.Planes{Size: scale.Size{W: 1, H: 1}, Figures: material.Neutral(), Color: [3]raster.Plane{grey, grey, grey}, Roughness: fill(4, 4, 0.6)}
		p.Figures.Emission.Luminance, p.Figures.Emission.Temperature = luminance, 2700
		im := shade.Swatch(1, 8).Picture(shade.NewSurface(p, 8))
		return [3]float64{mean(im, 0), mean(im, 1), mean(im, 2)}
	}
	for _, luminance := range []float64{6e4, 6e6} {
		if got := look(luminance); got[0] < 0.7 || got[0]-got[2] < 0.15 || got[1] >= got[0] || got[2] >= got[1] {
			t.Errorf("a lamp of 2700 K and %g cd/m² shows as %.2f", luminance, got)
		}
	}
	white := light.Named(light.Default).White
	if a, b := look(0), look(0.01*white); math.Abs(a[1]-b[1]) > 0.05 {
		t.Errorf("a dim glow darkens the picture: %.3f and %.3f", a[1], b[1])
	}
}
