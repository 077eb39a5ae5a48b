package treat_test

import (
	"context"
	"errors"
	"fmt"
	"math"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/station"
	"aldermoor/core/tiling"
	"aldermoor/core/treat"
)

// sheets are a station's scan as its maps hold it, with 16 bits but for the colour.
func sheets(s *station.Scan) map[material.Channel]*treat.Sheet {
	depth := float32(s.Depth)
	height := raster.NewPlane(s.W, s.H)
	for i, v := range s.Height.Pix {
		height.Pix[i] = v / depth
	}
	var base []raster.Plane
	for _, p := range s.Color {
		q := raster.NewPlane(p.W, p.H)
		for i, v := range p.Pix {
			q.Pix[i] = colour.Encode(v)
		}
		base = append(base, q)
	}
	return map[material.Channel]*treat.Sheet{
		material.BaseColor: {Planes: base, Bits: 8},
		material.Normal:    {Normal: s.Normal, Bits: 16},
		material.Height:    {Planes: []raster.Plane{height}, Bits: 16},
		material.Roughness: {Planes: []raster.Plane{s.Roughness}, Bits: 8},
		material.Occlusion: {Planes: []raster.Plane{s.Occlusion}, Bits: 8},
	}
}

var order = []material.Channel{material.BaseColor, material.Normal, material.Roughness, material.Height, material.Occlusion}

// scanOf wraps sheets as a scan.
func scanOf(s *station.Scan, of map[material.Channel]*treat.Sheet, tiles bool) treat.Scan {
	out := treat.Scan{Material: material.New(s.Size), Tiles: [2]bool{tiles, tiles}}
	out.Depth = s.Depth
	for _, c := range order {
		if sh := of[c]; sh != nil {
			w, h := sh.Size()
			out.Put(material.Source{Channel: c, Map: &material.Map{Width: w, Height: h}})
		}
	}
	out.Load = func(c material.Channel, n int) (*treat.Sheet, error) {
		sh := of[c]
		if sh == nil {
			return nil, fmt.Errorf("no %s", c)
		}
		w, h := sh.Size()
		if n == 0 || max(w, h) <= n {
			return sh, nil
		}
		w, h = raster.Fit(w, h, n)
		small := &treat.Sheet{Bits: sh.Bits}
		for _, p := range sh.Planes {
			small.Planes = append(small.Planes, p.Resample(w, h, raster.Area))
		}
		if len(sh.Planes) == 0 {
			small.Normal, _ = sh.Normal.Resample(w, h)
		}
		return small, nil
	}
	return out
}

// carryOut gives all maps after a recipe.
func carryOut(t testing.TB, scan treat.Scan, recipe ...treat.Step) (*treat.Plan, map[material.Channel]*treat.Sheet) {
	t.Helper()
	p, err := treat.Decide(context.Background(), scan, recipe)
	if err != nil {
		t.Fatal(err)
	}
	out := map[material.Channel]*treat.Sheet{}
	for _, c := range p.After.Mapped() {
		if out[c], err = p.Make(context.Background(), c); err != nil {
			t.Fatal(err)
		}
		// What was planned is what is made, where the copies are as large as the maps.
		small, err := p.After.Load(c, treat.DecideAt)
		if err != nil {
			t.Fatal(err)
		}
		for i, p := range planesOf(map[material.Channel]*treat.Sheet{c: small}) {
			if got := planesOf(map[material.Channel]*treat.Sheet{c: out[c]})[i]; rms(p, got) > 1e-6 {
				t.Errorf("plane %d of %s was thought of otherwise than it was made, by %.6f", i, c, rms(p, got))
			}
		}
	}
	return p, out
}

// planesOf are all components side by side, as the seams are measured.
func planesOf(of map[material.Channel]*treat.Sheet) (out []raster.Plane) {
	for _, c := range order {
		s := of[c]
		switch {
		case s == nil:
		case len(s.Planes) > 0:
			out = append(out, s.Planes...)
		default:
			out = append(out, s.Normal.X, s.Normal.Y)
		}
	}
	return out
}

func agreement(of map[material.Channel]*treat.Sheet, px, py float64) float64 {
	_, trust := normals.Depth(of[material.Normal].Normal, normals.Up, of[material.Height].Planes[0], px, py)
	return trust
}

// A turned scan meets nowhere. Closed, it does, and its maps still belong together.
func TestSeamsAreClosed(t *testing.T) {
	for i, m := range station.Materials() {
		if i%4 != 0 && m.Slug != "mudflat_ripple" && !testing.Verbose() {
			continue // a quarter of them will do, and the one with the longest lines
		}
		s := station.Take(m, station.Options{Px: 320, Seed: 3, Turn: []float64{0.15, 0.4, 0.08}[i%3]})
		of := sheets(s)
		before := tiling.Meet(planesOf(of)).Score
		px, py := m.Size.W/float64(s.W), m.Size.H/float64(s.H)
		agreed := agreement(of, px, py)
		p, done := carryOut(t, scanOf(s, of, false), treat.Step{Kind: treat.CloseSeams})
		after := tiling.Meet(planesOf(done)).Score
		now := agreement(done, px, py)
		t.Logf("%-22s before %.2f %.2f after %.2f %.2f  agreement %.3f → %.3f  share %.2f %.2f", m.Slug, before.X, before.Y, after.X, after.Y, agreed, now, p.Share[0], p.Share[1])
		if before.X > 0.3 || before.Y > 0.3 {
			t.Errorf("%s: there was no seam to close: %v", m.Slug, before)
		}
		if after.X < 0.95 || after.Y < 0.95 {
			t.Errorf("%s: the edges meet by %.2f and %.2f still", m.Slug, after.X, after.Y)
		}
		if agreed-now > 0.02 {
			t.Errorf("%s: normals and height agreed by %.3f, now by %.3f", m.Slug, agreed, now)
		}
		if w, h := done[material.Height].Size(); math.Abs(p.After.Size.W/float64(w)-px) > px*0.003 || math.Abs(p.After.Size.H/float64(h)-py) > py*0.003 {
			t.Errorf("%s: a pixel has changed its size: %v m in %d × %d", m.Slug, p.After.Size, w, h)
		}
	}
}

// scanned is a clean scan that the other tests spoil.
func scanned(t *testing.T, slug string, px int) *station.Scan {
	t.Helper()
	for _, m := range station.Materials() {
		if m.Slug == slug {
			return station.Take(m, station.Options{Px: px, Seed: 2})
		}
	}
	t.Fatalf("there is no %s", slug)
	return nil
}

func correlation(a, b raster.Plane) float64 {
	ma, mb := a.Mean(), b.Mean()
	var ab, aa, bb float64
	for i, v := range a.Pix {
		x, y := float64(v)-ma, float64(b.Pix[i])-mb
		ab, aa, bb = ab+x*y, aa+x*x, bb+y*y
	}
	return ab / math.Sqrt(aa*bb)
}

func rms(a, b raster.Plane) float64 {
	var s float64
	for i, v := range a.Pix {
		s += float64(v-b.Pix[i]) * float64(v-b.Pix[i])
	}
	return math.Sqrt(s / float64(len(a.Pix)))
}

func TestReliefFromOneAnother(t *testing.T) {
	s := scanned(t, "setts_moss", 256)
	of := sheets(s)
	only := func(list ...material.Channel) treat.Scan {
		some := map[material.Channel]*treat.Sheet{}
		for _, c := range list {
			some[c] = of[c]
		}
		return scanOf(s, some, true)
	}
	p, done := carryOut(t, only(material.Normal), treat.Step{Kind: treat.HeightFromNormal})
	if d := p.After.Depth / s.Depth; d < 0.92 || d > 1.12 { // 4 % are the room that is left
		t.Errorf("from normals alone %.1f mm deep, truth is %.1f", 1000*p.After.Depth, 1000*s.Depth)
	}
	if c := correlation(done[material.Height].Planes[0], of[material.Height].Planes[0]); c < 0.98 {
		t.Errorf("the height of the normals is like the height by %.3f only", c)
	}
	_, done = carryOut(t, only(material.Height), treat.Step{Kind: treat.NormalFromHeight}, treat.Step{Kind: treat.OcclusionFromHeight})
	for i, want := range []raster.Plane{s.Normal.X, s.Normal.Y} {
		if e := rms([]raster.Plane{done[material.Normal].Normal.X, done[material.Normal].Normal.Y}[i], want); e > 0.01 {
			t.Errorf("component %d of the height's normals is off by %.4f", i, e)
		}
	}
	if c := correlation(done[material.Occlusion].Planes[0], s.Occlusion); c < 0.9 {
		t.Errorf("the height's occlusion is like the scanner's by %.3f only", c)
	}
	// A factor on the normals leaves a measured height as deep as it is; without one the depth is that of the normals.
	p, done = carryOut(t, only(material.Normal, material.Height), treat.Step{Kind: treat.NormalStrength, Strength: 1.7})
	px, py := s.Size.W/float64(s.W), s.Size.H/float64(s.H)
	if d, _ := normals.Depth(done[material.Normal].Normal, normals.Up, done[material.Height].Planes[0], px, py); math.Abs(d/s.Depth-1.7) > 0.05 || p.After.Depth != s.Depth {
		t.Errorf("%.2f mm by the normals, %.2f mm said, %.2f mm before", 1000*d, 1000*p.After.Depth, 1000*s.Depth)
	}
	if p, _ = carryOut(t, only(material.Normal), treat.Step{Kind: treat.NormalStrength, Strength: 1.7}); math.Abs(p.After.Depth/s.Depth-1.7) > 1e-6 {
		t.Errorf("%.2f mm said of normals alone, %.2f mm before", 1000*p.After.Depth, 1000*s.Depth)
	}
	// Re-ranging and inverting keep each height where it is above the zero level.
	deep := only(material.Height)
	deep.Zero = 0.3
	metres := func(p *treat.Plan, h raster.Plane, i int) float64 {
		return (float64(h.Pix[i]) - p.After.Zero) * p.After.Depth
	}
	p, done = carryOut(t, deep, treat.Step{Kind: treat.Rerange, Channel: material.Height, Low: 0.1, High: 0.9})
	flipped, turned := carryOut(t, deep, treat.Step{Kind: treat.Invert, Channel: material.Height})
	for i, v := range of[material.Height].Planes[0].Pix {
		want := (float64(v) - 0.3) * s.Depth
		if v > 0.1 && v < 0.9 && math.Abs(metres(p, done[material.Height].Planes[0], i)-want) > 1e-6 {
			t.Fatalf("re-ranged, %.4f mm became %.4f mm", 1000*want, 1000*metres(p, done[material.Height].Planes[0], i))
		}
		if math.Abs(metres(flipped, turned[material.Height].Planes[0], i)+want) > 1e-6 {
			t.Fatalf("inverted, %.4f mm became %.4f mm", 1000*want, 1000*metres(flipped, turned[material.Height].Planes[0], i))
		}
	}
	// A later step on the height does not change what an earlier one made of it.
	_, alone := carryOut(t, only(material.Height), treat.Step{Kind: treat.OcclusionFromHeight})
	_, later := carryOut(t, only(material.Height), treat.Step{Kind: treat.OcclusionFromHeight}, treat.Step{Kind: treat.Rerange, Channel: material.Height, Low: 0.2, High: 0.6})
	if e := rms(alone[material.Occlusion].Planes[0], later[material.Occlusion].Planes[0]); e > 1e-6 {
		t.Errorf("the occlusion differs by %.4f", e)
	}
	p, done = carryOut(t, only(material.BaseColor), treat.Step{Kind: treat.NormalFromPicture, DepthM: 0.01})
	if f := done[material.Normal].Normal; correlation(f.X, s.Normal.X) < 0.2 || correlation(f.Y, s.Normal.Y) < 0.2 || !p.After.Tiles[0] {
		t.Errorf("the guess has nothing of the truth: %.2f %.2f", correlation(f.X, s.Normal.X), correlation(f.Y, s.Normal.Y))
	}
}

// Eight bits of a height and what is made of them, against what was before: with normals
// on the stations' scans, without on a gentle swell.
func TestBandsAreRemoved(t *testing.T) {
	swell := raster.NewPlane(256, 256)
	for i := range swell.Pix {
		x, y := float64(i%256)/256*2*math.Pi, float64(i/256)/256*2*math.Pi
		swell.Pix[i] = float32(0.5 + 0.2*math.Sin(x+math.Sin(y)) + 0.05*math.Sin(3*y-x))
	}
	for _, slug := range []string{"mudflat_ripple", "setts_moss", "rubble_limewash", "swell"} {
		var s *station.Scan
		of := map[material.Channel]*treat.Sheet{}
		truth := swell
		if slug == "swell" {
			s = &station.Scan{W: 256, H: 256}
			s.Size.W, s.Size.H = 1, 1
		} else {
			s = scanned(t, slug, 512)
			of = sheets(s)
			truth = of[material.Height].Planes[0]
		}
		banded := raster.NewPlane(s.W, s.H)
		for i, v := range truth.Pix {
			banded.Pix[i] = float32(math.Round(float64(v)*255) / 255)
		}
		of[material.Height] = &treat.Sheet{Planes: []raster.Plane{banded}, Bits: 8}
		_, done := carryOut(t, scanOf(s, of, true), treat.Step{Kind: treat.Unband})
		got := done[material.Height]
		if got.Bits != 16 {
			t.Errorf("%s: written with %d bits", slug, got.Bits)
		}
		px, py := 1/float64(s.W), 1/float64(s.H)
		slope := func(p raster.Plane) raster.Plane { return normals.FromHeight(p, px, py, [2]bool{true, true}).X }
		was, is := rms(slope(banded), slope(truth)), rms(slope(got.Planes[0]), slope(truth))
		t.Logf("%s: height off by %.5f, was %.5f; slopes off by %.4f, were %.4f", slug, rms(got.Planes[0], truth), rms(banded, truth), is, was)
		if is > was*0.35 || rms(got.Planes[0], truth) > rms(banded, truth)*0.6 {
			t.Errorf("%s: the terraces are still there: slopes off by %.4f, were %.4f", slug, is, was)
		}
		for i, v := range got.Planes[0].Pix {
			if math.Abs(float64(v-banded.Pix[i])) > 0.5/255+1e-6 {
				t.Fatalf("%s: pixel %d was moved by more than half a step", slug, i)
			}
		}
	}
}

// A lamp that falls off is taken out; hue and detail stay.
func TestLightIsLevelled(t *testing.T) {
	s := scanned(t, "bank_shingle", 256)
	of := sheets(s)
	clean := of[material.BaseColor].Planes
	var lit []raster.Plane
	for _, p := range clean {
		q := raster.NewPlane(p.W, p.H)
		for y := range p.H {
			for x := range p.W {
				dx, dy := float64(x)/float64(p.W)-0.3, float64(y)/float64(p.H)-0.4
				q.Pix[y*p.W+x] = colour.Encode(colour.Linear(p.Pix[y*p.W+x]) * float32(1/(1+2*(dx*dx+dy*dy))))
			}
		}
		lit = append(lit, q)
	}
	of[material.BaseColor] = &treat.Sheet{Planes: lit, Bits: 8}
	_, done := carryOut(t, scanOf(s, of, false), treat.Step{Kind: treat.LevelLight})
	low := func(p raster.Plane) float64 {
		q := p.Resample(6, 6, raster.Area)
		lo, hi := q.Range()
		return float64(hi-lo) / q.Mean()
	}
	got := done[material.BaseColor].Planes
	t.Logf("varies by %.3f clean, %.3f lit, %.3f levelled", low(clean[1]), low(lit[1]), low(got[1]))
	if low(got[1]) > low(lit[1])*0.45 {
		t.Errorf("it varies by %.3f, by %.3f before", low(got[1]), low(lit[1]))
	}
	if c := correlation(got[1], clean[1]); c < 0.97 {
		t.Errorf("what is left is like the clean one by %.3f only", c)
	}
	for i := range 500 {
		k := i * 97 % len(got[0].Pix)
		was, is := colour.Linear(lit[0].Pix[k])/colour.Linear(lit[2].Pix[k]), colour.Linear(got[0].Pix[k])/colour.Linear(got[2].Pix[k])
		if math.Abs(float64(is/was-1)) > 0.01 {
			t.Fatalf("the hue changed at %d: %.3f to %.3f", k, was, is)
		}
	}
}

func TestMapsAreBroughtTogether(t *testing.T) {
	s := scanned(t, "tile_encaustic", 256)
	of := sheets(s)
	truth := of[material.Height].Planes[0]
	moved := raster.NewPlane(s.W, s.H)
	for y := range s.H {
		for x := range s.W {
			moved.Pix[y*s.W+x] = truth.At(x-7, y+4)
		}
	}
	of[material.Height] = &treat.Sheet{Planes: []raster.Plane{moved}, Bits: 16}
	of[material.Roughness] = &treat.Sheet{Planes: []raster.Plane{s.Roughness.Resample(128, 128*s.H/s.W, raster.Area)}, Bits: 8}
	p, done := carryOut(t, scanOf(s, of, true), treat.Step{Kind: treat.Register, Channel: material.Height}, treat.Step{Kind: treat.OneSize},
		treat.Step{Kind: treat.Rerange, Channel: material.Roughness}, treat.Step{Kind: treat.Invert, Channel: material.Occlusion},
		treat.Step{Kind: treat.Rerange, Channel: material.Height, Low: 0.25, High: 0.75}, treat.Step{Kind: treat.FlipNormal},
		treat.Step{Kind: treat.Pack, Channels: []material.Channel{material.Occlusion, material.Roughness}})
	if want := min(max((truth.At(40, 90)-0.25)*2, 0), 1); math.Abs(float64(done[material.Height].Planes[0].At(40, 90)-want)) > 1e-5 {
		t.Errorf("the height lies elsewhere still: %s", p.Did[0])
	}
	if math.Abs(p.After.Depth/s.Depth-0.5) > 1e-9 {
		t.Errorf("half the range is %.4f m, of %.4f", p.After.Depth, s.Depth)
	}
	if w, h := done[material.Roughness].Size(); w != s.W || h != s.H {
		t.Errorf("roughness has %d × %d", w, h)
	}
	if lo, hi := done[material.Roughness].Planes[0].Range(); lo > 1e-5 || hi < 0.9999 {
		t.Errorf("roughness ranges from %v to %v", lo, hi)
	}
	if a, b := done[material.Occlusion].Planes[0].Pix[77], of[material.Occlusion].Planes[0].Pix[77]; math.Abs(float64(a+b-1)) > 1e-6 {
		t.Errorf("%v inverted is %v", b, a)
	}
	if d, _ := normals.Guess(done[material.Normal].Normal); d != normals.Down {
		t.Errorf("the flipped normals look %v", d)
	}
	if len(p.Packs) != 1 || len(p.Packs[0]) != 2 || len(p.Made) != 4 {
		t.Errorf("packs %v, made %v", p.Packs, p.Made)
	}
	// The scan is as it was.
	if of[material.Height].Planes[0].Pix[5] != moved.Pix[5] || of[material.Normal].Normal.Y.Pix[9] != s.Normal.Y.Pix[9] {
		t.Error("the scan itself was changed")
	}
}

func TestWhatCannotBeDoneIsSaid(t *testing.T) {
	s := scanned(t, "sailcloth", 64)
	of := sheets(s)
	delete(of, material.Height)
	scan := scanOf(s, of, true)
	for _, c := range []struct {
		step treat.Step
		code string
	}{
		{treat.Step{Kind: treat.NormalFromHeight}, "missing"},
		{treat.Step{Kind: treat.CloseSeams}, "no_seam"},
		{treat.Step{Kind: treat.OneSize}, "sizes_equal"},
		{treat.Step{Kind: "polish"}, "unknown"},
		{treat.Step{Kind: treat.Invert, Channel: material.Normal}, "normal_not_inverted"},
		{treat.Step{Kind: treat.Unband}, "missing"},
	} {
		_, err := treat.Decide(context.Background(), scan, []treat.Step{{Kind: treat.Renormalise}, c.step})
		var inv treat.Invalid
		if !errors.As(err, &inv) || inv.Step != 1 || inv.Why.Code != c.code {
			t.Errorf("%s: %v, of step %d", c.step.Kind, err, inv.Step)
		}
	}
	for _, st := range []treat.Step{{Kind: treat.CloseSeams, Overlap: 0.9}, {Kind: treat.CloseSeams, Axes: "z"}, {Kind: treat.Invert}, {Kind: treat.NormalStrength},
		{Kind: treat.LevelLight, Strength: 2}, {Kind: treat.Rerange, Channel: material.Height, Low: 0.5, High: 0.2}, {Kind: treat.Pack, Channels: []material.Channel{material.Normal, material.Height}}, {Kind: treat.OneSize, Pixels: 3}} {
		if st.Valid() == nil {
			t.Errorf("%+v is accepted", st)
		}
	}
	for _, k := range treat.Kinds() {
		var inv treat.Invalid
		if errors.As(treat.Step{Kind: k}.Valid(), &inv) && inv.Why.Code == "unknown" {
			t.Errorf("%s is listed but not known", k)
		}
	}
}

func ExampleDecide() {
	s := station.Take(station.Materials()[0], station.Options{Px: 96, Seed: 1})
	plan, err := treat.Decide(context.Background(), scanOf(s, sheets(s), true), []treat.Step{{Kind: treat.NormalStrength, Strength: 0.5}})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(plan.Did[0].Code, plan.Made)
	// Output: strengthened [normal]
}

// What is tried is what Decide's copies are, also of a channel that an earlier step made, and of one that the last step leaves alone.
func TestTryShowsWhatDecideMakes(t *testing.T) {
	made := scanned(t, "slates_round", 256)
	scan := scanOf(made, sheets(made), true)
	for name, recipe := range map[string][]treat.Step{
		"one":        {{Kind: treat.CloseSeams, Axes: "xy"}},
		"after one":  {{Kind: treat.NormalStrength, Strength: 2}, {Kind: treat.CloseSeams, Axes: "x"}},
		"another":    {{Kind: treat.CloseSeams, Axes: "x"}, {Kind: treat.NormalStrength, Strength: 0.5}},
		"nothing of": {{Kind: treat.OcclusionFromHeight}},
	} {
		t.Run(name, func(t *testing.T) {
			plan, err := treat.Decide(context.Background(), scan, recipe)
			if err != nil {
				t.Fatal(err)
			}
			for _, c := range []material.Channel{material.BaseColor, material.Normal} {
				shown, sheet, tried, err := treat.Try(context.Background(), scan, recipe, c)
				if err != nil {
					t.Fatal(err)
				}
				want, err := plan.After.Load(shown, treat.DecideAt)
				if err != nil {
					t.Fatal(err)
				}
				a, b := planesOf(map[material.Channel]*treat.Sheet{shown: sheet}), planesOf(map[material.Channel]*treat.Sheet{shown: want})
				if len(a) == 0 || len(a) != len(b) {
					t.Fatalf("%d planes of %s, not %d", len(a), shown, len(b))
				}
				for i := range a {
					if off := rms(a[i], b[i]); off > 1e-7 {
						t.Errorf("plane %d of %s is off by %g", i, shown, off)
					}
				}
				if tried.Share != plan.Share || tried.Did[len(recipe)-1].Code != plan.Did[len(recipe)-1].Code {
					t.Errorf("tried %v %v, decided %v %v", tried.Share, tried.Did, plan.Share, plan.Did)
				}
			}
		})
	}
	if _, _, _, err := treat.Try(context.Background(), scan, []treat.Step{{Kind: "nonsense"}}, material.BaseColor); err == nil {
		t.Error("an unknown treatment was tried")
	}
}

// A large scan is tried on smaller copies, but for treatments with figures in pixels; what comes out is the same surface.
func TestTriesAreSmall(t *testing.T) {
	made := scanned(t, "slates_round", 1024)
	all := sheets(made)
	scan := scanOf(made, all, true)
	for _, c := range []struct {
		step treat.Step
		side int
	}{{treat.Step{Kind: treat.Invert, Channel: material.Roughness}, treat.TryAt}, {treat.Step{Kind: treat.Register, Channel: material.Roughness, ShiftX: 3}, 1024}} {
		_, sheet, _, err := treat.Try(context.Background(), scan, []treat.Step{c.step}, material.Roughness)
		if err != nil {
			t.Fatal(err)
		}
		if w, h := sheet.Size(); max(w, h) != c.side {
			t.Errorf("%s is tried on %d × %d pixels", c.step.Kind, w, h)
		}
		want := all[material.Roughness].Planes[0].Mean()
		if c.step.Kind == treat.Invert {
			want = 1 - want
		}
		if got := sheet.Planes[0].Mean(); math.Abs(got-want) > 0.005 {
			t.Errorf("%s gives a mean of %.3f, not %.3f", c.step.Kind, got, want)
		}
	}
}
