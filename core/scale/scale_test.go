package scale

import (
	"fmt"
	"math"
	"strings"
	"testing"
)

func TestParseLength(t *testing.T) {
	for in, want := range map[string]float64{
		"1.8": 1.8, "1,8": 1.8, "180cm": 1.8, " 180 CM ": 1.8, "6 ft": 1.8288, "6 ft 2 in": 1.8796, `6'2"`: 1.8796,
		"3 * 43 cm": 1.29, "3×43cm": 1.29, "(2.4 m - 12cm) / 2": 1.14, "1/2 in": 0.0127, "2 + 3 cm": 0.05,
		"250mm": 0.25, "4": 4, "2 m + 3 cm": 2.03, "12in/4": 0.0762,
	} {
		if got, err := ParseLength(in); err != nil || math.Abs(got-want) > 1e-9 {
			t.Errorf("%q: %v, %v; want %v", in, got, err, want)
		}
	}
	for _, in := range []string{"", "wide", "1.8 furlongs", "-2 m", "0", "2 m *", "2m * 3m", "(2 m", "1/0", "6 ft 2", strings.Repeat("(", 99), "1e9 m", "1..2"} {
		if got, err := ParseLength(in); err == nil {
			t.Errorf("%q was taken as %v m", in, got)
		}
	}
}

func FuzzParseLength(f *testing.F) {
	for _, s := range []string{"6 ft 2 in", "(2.4 m - 12cm) / 2", `6'2"`, "1/2 in"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if m, err := ParseLength(s); err == nil && !(m > 0 && m <= 1e6) {
			t.Errorf("%q gave %v m", s, m)
		}
	})
}

func TestEvidence(t *testing.T) {
	if e, ok := TagEvidence(4096, 2048, [2]float64{2048, 2048}); !ok || e.W != 2 || e.H != 1 {
		t.Errorf("tag: %+v", e)
	}
	if _, ok := TagEvidence(4096, 2048, [2]float64{}); ok {
		t.Error("a missing tag gave a size")
	}
	for name, want := range map[string]Size{
		"rubble_180x120cm_4k": {1.8, 1.2}, "mud 2m": {2, 1}, "tile_600mm x 0.6m": {0.6, 0.6}, "shed-3x2m-v2": {3, 2}, "moor 2x2m": {2, 2}, "wall_200cm": {2, 1}, "wall 6ft": {1.8288, 0.9144}, "1.8m_x_1.2m": {1.8, 1.2}, "slate @ 25 px/cm": {1.6384, 0.8192}, "slate_2048px_per_m": {2, 1}, "slate 300dpi": {0.3467946666666667, 0.17339733333333334},
		"wall_1.8m": {1.8, 0.9}, "wall 1,5m": {1.5, 0.75}, "wall (1.5 m)": {1.5, 0.75}, "moor_2by2m": {2, 2}, "moor 2 by 3 m": {2, 3}, "wall_1p5m": {1.5, 0.75}, "wall_W200_H120cm": {2, 1.2}, "wall_w180cm_h120cm": {1.8, 1.2},
		"wall 72in": {1.8288, 0.9144}, "wall 6ft2in": {1.8796, 0.9398}, "wall 12dm": {1.2, 0.6}, "wall 2 metres": {2, 1}, "wall 3 feet": {0.9144, 0.4572}, "oak 18mm thick 1.2m": {1.2, 0.6},
	} {
		if e, ok := NameEvidence(name, 4096, 2048); !ok || math.Abs(e.W-want.W) > 1e-9 || math.Abs(e.H-want.H) > 1e-9 {
			t.Errorf("%s: %+v", name, e)
		}
	}
	for _, name := range []string{"plaster_02", "4k", "m3_metal", "beam2mm2x", "2048x2048", "slate 72dpi", "slate_96_dpi", "slate 2048px", "oak_18mm_thick", "plank 20cm deep", "lens 50mm", "shot with a 100 mm lens", "screw m16", "wire 2mm", "oak_18mm"} {
		if e, ok := NameEvidence(name, 4096, 2048); ok {
			t.Errorf("%s: a size was seen where there is none: %+v", name, e)
		}
	}
	for _, c := range []struct {
		json string
		want Size
	}{
		{`{"width_m": 1.8, "height_m": 1.2}`, Size{1.8, 1.2}},
		{`{"width_cm": 320}`, Size{3.2, 1.6}},
		{`{"height_m": 1}`, Size{2, 1}},
		{`{"dpi": 100}`, Size{4096 * 0.000254, 2048 * 0.000254}},
	} {
		s, err := ParseSidecar([]byte(c.json))
		e, ok := s.Evidence(4096, 2048)
		if err != nil || !ok || math.Abs(e.W-c.want.W) > 1e-9 || math.Abs(e.H-c.want.H) > 1e-9 {
			t.Errorf("%s: %+v, %v", c.json, e, err)
		}
	}
	both := []Evidence{{Source: FromTag, Size: Size{1.70, 1.13}}, {Source: FromSidecar, Size: Size{1.71, 1.14}}}
	if best, _ := Best(both); best.Source != FromSidecar {
		t.Errorf("best is %v", best)
	}
	if s := Spread(both); math.Abs(s-0.00885) > 1e-4 {
		t.Errorf("spread %v", s)
	}
}

// A 4096 px map over 1.80 m has 2275.6 px/m; the camera's pixel at that distance must be one texel.
func TestDensityAndCamera(t *testing.T) {
	x, _ := Density(Size{1.8, 1.2}, 4096, 2731)
	if math.Abs(x-2275.56) > 0.01 {
		t.Errorf("density %v", x)
	}
	d := Plain.Reach(x)
	if math.Abs(Plain.Asks(d)-x) > 1e-9 {
		t.Error("Reach and Asks disagree")
	}
	footprint := 2 * d * math.Tan(Plain.Angle/2) / float64(Plain.Lines)
	if math.Abs(footprint-1/x) > 1e-12 {
		t.Errorf("a picture pixel covers %v m, a texel %v m", footprint, 1/x)
	}
	if tier, ok := Enough(Size{1.8, 1.2}, 4096, 2731, 1024); tier != T2K || !ok {
		t.Errorf("enough: %v %v", tier, ok)
	}
	if _, ok := Enough(Size{1.8, 1.2}, 4096, 2731, 5000); ok {
		t.Error("5000 px/m was reached by 2275")
	}
}

func TestTiers(t *testing.T) {
	if got := fmt.Sprint(Tiers(6000, 4000)); got != "[1K 2K 4K]" {
		t.Error(got)
	}
	if w, h := T2K.Size(6144, 4096); w != 2048 || h != 1365 {
		t.Error(w, h)
	}
	if w, h := T8K.Size(1024, 1024); w != 1024 || h != 1024 {
		t.Error("a tier grew the source")
	}
	if _, err := ParseTier("3k"); err == nil {
		t.Error("3k was taken")
	}
	if got := VideoMemory(4096, 4096, 1); got != 22369621 {
		t.Error(got)
	}
}

func ExampleParseLength() {
	m, _ := ParseLength("3 * 43 cm")
	fmt.Println(Metres(m))
	// Output: 1.29 m
}

func TestOneSideAlone(t *testing.T) {
	now := Size{1.5, 1}
	for _, c := range []struct {
		dx, dy, length float64
		axis           string
		want           Size
		ok             bool
	}{
		{0.5, 0, 1.5, "x", Size{3, 1}, true},
		{0, 0.25, 0.5, "y", Size{1.5, 2}, true},
		{0.2, 0.1, math.Hypot(0.6, 0.1), "x", Size{3, 1}, true}, // a little aslant
		{0.1, 0.5, 1, "x", Size{}, false},                       // the other way
		{0, 0, 1, "x", Size{}, false},
		{0.5, 0.3, 0.2, "x", Size{}, false}, // shorter than it is high
	} {
		e, ok := SideEvidence(now, c.dx, c.dy, c.length, c.axis)
		if ok != c.ok || ok && (math.Abs(e.W-c.want.W) > 1e-9 || math.Abs(e.H-c.want.H) > 1e-9) {
			t.Errorf("%+v: %v, %v", c, e.Size, ok)
		}
	}
}

func TestTheUsualSizeOfAStation(t *testing.T) {
	a, b := Size{1.2, 1.2}, Size{3, 2}
	for _, c := range []struct {
		sizes []Size
		want  Size
		ok    bool
	}{
		{[]Size{a, a, a}, a, true},
		{[]Size{a, b, a, {1.205, 1.198}, a}, a, true},
		{[]Size{a, a}, Size{}, false},
		{[]Size{a, b, a, b, a, b}, Size{}, false},
		{nil, Size{}, false},
	} {
		e, ok := UsualEvidence("Quay Rig", c.sizes)
		if ok != c.ok || ok && math.Abs(e.W/c.want.W-1) > 0.01 {
			t.Errorf("%v: %v, %v", c.sizes, e.Size, ok)
		}
	}
	if _, ok := Best([]Evidence{{Source: FromStation, Size: a}}); ok {
		t.Error("a station's habit is taken for a measurement")
	}
}

// Of what people write, only what is said to be the patch is a size of it.
func TestSizesInTexts(t *testing.T) {
	for text, want := range map[string]Size{
		"covers 2 x 1.5 m": {2, 1.5}, "Patch: 180x120cm, cleaned": {1.8, 1.2}, "scanned at 25 px/cm": {40.96, 20.48}, "Tile size: 1.8 m": {1.8, 0.9}, "width 6 ft": {1.8288, 0.9144},
		"shot from 3 m with a 50 mm lens": {}, "sensor 36x24 mm": {}, "72 dpi": {}, "wall 2023": {}, "": {},
	} {
		e, ok := TextEvidence(text, 102400, 51200)
		if ok != want.Known() || ok && (math.Abs(e.W/want.W-1) > 0.01 || math.Abs(e.H/want.H-1) > 0.01 || e.Source != FromText) {
			t.Errorf("%q: %+v %v, want %v", text, e, ok, want)
		}
	}
}

// A resolution that editors write by themselves is believed only where nothing else says a size, and contradicts
// nothing.
func TestDefaultResolutionsAreWeak(t *testing.T) {
	for _, inch := range []float64{150, 300} {
		tag, _ := TagEvidence(3000, 3000, [2]float64{inch / Inch, inch / Inch})
		name, ok := NameEvidence("oak_2m.png", 3000, 3000)
		if !ok {
			t.Fatal("the name says nothing")
		}
		if e, _ := Best([]Evidence{tag, name}); e.Source != FromName || e.W != 2 {
			t.Errorf("%.0f dpi goes before the name: %+v", inch, e)
		}
		if e, ok := Best([]Evidence{tag}); !ok || e.Source != FromTag {
			t.Errorf("%.0f dpi alone: %+v", inch, e)
		}
		if s := Spread([]Evidence{tag, name}); s != 0 {
			t.Errorf("%.0f dpi contradicts by %.2f", inch, s)
		}
	}
	tag, _ := TagEvidence(3000, 3000, [2]float64{1500, 1500})
	name, _ := NameEvidence("oak_3m.png", 3000, 3000)
	if e, _ := Best([]Evidence{tag, name}); e.Source != FromTag || Spread([]Evidence{tag, name}) < 0.3 {
		t.Errorf("a scanner's tag is weak: %+v", e)
	}
}
