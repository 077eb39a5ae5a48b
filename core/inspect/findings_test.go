package inspect

import (
	"math"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
)

// mapOf is a sound map of a channel, to be made unsound.
func sound(c material.Channel, change func(*channels.Map)) channels.Map {
	m := channels.Map{File: "set/" + string(c) + ".png", Component: "rgb", Verdict: channels.Verdict{Channel: c, Confidence: 0.99}}
	m.Look.Info = codec.Info{Format: codec.PNG, W: 1024, H: 1024, Bits: 8, Components: 3}
	m.Look.TrueBits = 8
	if c.Grey() {
		m.Component, m.Look.Info.Components = "r", 1
	}
	if c == material.Height || c == material.Normal {
		m.Look.Info.Bits, m.Look.TrueBits = 16, 16
	}
	if c == material.Normal {
		m.Facing, m.Sure = normals.Up, 0.9
	}
	if change != nil {
		change(&m)
	}
	return m
}

func TestEachFinding(t *testing.T) {
	all := func(change map[material.Channel]func(*channels.Map)) channels.Set {
		var s channels.Set
		for _, c := range []material.Channel{material.BaseColor, material.Normal, material.Roughness, material.Height} {
			s.Maps = append(s.Maps, sound(c, change[c]))
		}
		return s
	}
	on := func(c material.Channel, f func(*channels.Map)) channels.Set {
		return all(map[material.Channel]func(*channels.Map){c: f})
	}
	without := func(c material.Channel) channels.Set {
		s := all(nil)
		s.Maps = slices.DeleteFunc(s.Maps, func(m channels.Map) bool { return m.Channel == c })
		return s
	}
	with := func(f func(*channels.Set)) channels.Set { s := all(nil); f(&s); return s }
	for code, c := range map[string]struct {
		set    channels.Set
		sev    Severity
		figure string // one that it comes with
	}{
		"normal_direction_mismatch": {on(material.Normal, func(m *channels.Map) { m.Claim = normals.Down }), Warn, "named"},
		"normal_direction_unknown":  {on(material.Normal, func(m *channels.Map) { m.Facing = normals.Unknown }), Note, ""},
		"not_finite":                {on(material.Height, func(m *channels.Map) { m.Look.Info.NotFinite = 2 }), Warn, "samples"},
		"data_colour_managed":       {on(material.Roughness, func(m *channels.Map) { m.Look.Info.Profile = "sRGB" }), Warn, "profile"},
		"height_8bit":               {on(material.Height, func(m *channels.Map) { m.Look.Info.Bits, m.Look.TrueBits = 8, 8 }), Warn, "bits"},
		"bits_empty":                {on(material.Normal, func(m *channels.Map) { m.Look.TrueBits = 8 }), Note, "bits"},
		"lossy_data":                {on(material.Roughness, func(m *channels.Map) { m.Look.Info.Format = codec.JPEG; m.File = "set/roughness.jpg" }), Note, "format"},
		"wrong_ending":              {on(material.Roughness, func(m *channels.Map) { m.File = "set/roughness.tga" }), Note, "format"},
		"pixels_not_square":         {on(material.BaseColor, func(m *channels.Map) { m.Look.Info.Density = [2]float64{1000, 1100} }), Warn, "across"},
		"map_empty": {on(material.Height, func(m *channels.Map) {
			m.Look.Min, m.Look.Max, m.Look.StdDev = []float64{0.5}, []float64{0.5}, []float64{0}
		}), Stop, "value"},
		"clipped": {on(material.Roughness, func(m *channels.Map) { m.Look.Clipped = []float64{0.2} }), Warn, "share"},
		"udim_missing": {with(func(s *channels.Set) {
			s.Maps[0].UDIM, s.Maps[0].Tiles = "1001", []channels.Tile{{UDIM: "1001"}, {UDIM: "1002"}}
			s.Maps[1].UDIM = "1001"
		}), Warn, "tiles"},
		"udim_tiles": {with(func(s *channels.Set) {
			for i := range s.Maps {
				s.Maps[i].UDIM, s.Maps[i].Tiles = "1001", []channels.Tile{{UDIM: "1001"}, {UDIM: "1002"}}
			}
		}), Note, "tiles"},
		"maps_differ_in_size": {on(material.Height, func(m *channels.Map) { m.Look.Info.W, m.Look.Info.H = m.Look.Info.W/2, m.Look.Info.H/2 }), Note, "sizes"},
		"missing_base_color":  {without(material.BaseColor), Warn, ""},
		"missing_roughness":   {without(material.Roughness), Warn, ""},
		"normal_object_space": {with(func(s *channels.Set) { s.Refused = []string{"set/n.png"} }), Stop, ""},
		"normal_curve":        {on(material.Normal, func(m *channels.Map) { m.Look.Curve = true }), Warn, "share"},
		"normal_swapped":      {on(material.Normal, func(m *channels.Map) { m.Look.Swapped = true }), Warn, "confidence"},
		"profile_unread":      {on(material.BaseColor, func(m *channels.Map) { m.Look.Info.Unread, m.Look.Info.Profile = true, "Press" }), Warn, "profile"},
		"document_disagrees":  {on(material.Normal, func(m *channels.Map) { m.Said, m.SaidBy = material.Height, "set/list.csv" }), Warn, "says"},
		"tiles_turned":        {with(func(s *channels.Set) { s.Turned = [][2]string{{"set/n.1001.png", "set/n.1002.png"}} }), Warn, ""},
		"orientation_differs": {on(material.Roughness, func(m *channels.Map) { m.Look.Info.Turn = 6 }), Warn, "maps"},
		"versions_mixed":      {with(func(s *channels.Set) { s.Maps[0].Version, s.Maps[1].Version = "v002", "v003" }), Note, "versions"},
		"tier_differs":        {with(func(s *channels.Set) { s.Unlike = [][2]string{{"set/a.png", "set/1k/a.png"}} }), Warn, ""},
	} {
		s := Set{SizeEvidence: []scale.Evidence{{Source: scale.FromTag, Size: scale.Size{W: 1, H: 1}}}}
		one := 1.0
		s.Size = Size{&one, &one, scale.FromTag}
		s.Check(c.set, false)
		i := slices.IndexFunc(s.Findings, func(f Finding) bool { return f.Code == code })
		if i < 0 {
			t.Errorf("%s was not found: %+v", code, s.Findings)
			continue
		}
		f := s.Findings[i]
		if KindOf(code).Severity != c.sev || !slices.ContainsFunc(Kinds(), func(k Kind) bool { return k.Code == code }) {
			t.Errorf("%s is not in the list of checks, or with another severity", code)
		}
		if f.Severity != c.sev || c.figure != "" && !f.Figures.Has(c.figure) || f.Maps == nil || f.Says != "" {
			t.Errorf("%s: %s, %v", code, f.Severity, f.Figures)
		}
		for _, o := range s.Findings {
			if o.Code != code && !(code == "udim_missing" && o.Code == "udim_tiles") {
				t.Errorf("%s was found beside %s", o.Code, code)
			}
		}
	}
	// A sixteen-bit height that was made of eight is named as that, once.
	s := Set{}
	s.Check(on(material.Height, func(m *channels.Map) { m.Look.TrueBits = 8 }), false)
	if got := codes(s); strings.Count(got, "height_8bit") != 1 || strings.Contains(got, "bits_empty") || !strings.Contains(got, "size_unknown") {
		t.Error(got)
	}
	// Three maps in one file are three maps, but their file is lossy once.
	packed := func(c material.Channel, component string) channels.Map {
		m := sound(c, func(m *channels.Map) { m.Look.Info.Format = codec.JPEG; m.File = "set/packed.jpg" })
		m.Component = component
		return m
	}
	s = Set{}
	s.Check(channels.Set{Maps: []channels.Map{sound(material.BaseColor, nil), packed(material.Occlusion, "r"), packed(material.Roughness, "g"), packed(material.Metallic, "b")}}, false)
	if got := codes(s); strings.Count(got, "lossy_data") != 1 {
		t.Error(got)
	}
	// Floats have no bits to be empty.
	s = Set{}
	s.Check(on(material.Height, func(m *channels.Map) { m.Look.Info.Float, m.Look.TrueBits = true, 16 }), false)
	if got := codes(s); got != "size_unknown" {
		t.Error(got)
	}
}

func TestProportionsThatDiffer(t *testing.T) {
	for h, want := range map[int]bool{64: false, 65: false, 63: false, 128: true, 60: true} {
		s := Set{}
		odd := sound(material.Height, func(m *channels.Map) { m.Look.Info.W, m.Look.Info.H = 64, h })
		base := sound(material.BaseColor, func(m *channels.Map) { m.Look.Info.W, m.Look.Info.H = 256, 256 })
		s.Check(channels.Set{Maps: []channels.Map{base, odd}}, false)
		if got := strings.Contains(codes(s), "aspect_differs"); got != want {
			t.Errorf("64 × %d beside 256 × 256: %v", h, got)
		}
	}
}

// A shift by whole steps of a pattern says nothing.
func TestShiftsByWholeSteps(t *testing.T) {
	bricks := [2][2]float64{{64, 0}, {32, 24}}
	for _, c := range []struct {
		dx, dy float64
		want   bool
	}{{64, 0, true}, {32, 24, true}, {-32, 24, true}, {96.5, 24.3, true}, {20, 0, false}, {0, 24, false}, {64, 12, false}} {
		if got := wholeSteps(bricks, c.dx, c.dy); got != c.want {
			t.Errorf("%v, %v: %v", c.dx, c.dy, got)
		}
	}
}

func TestWhatIsPlausible(t *testing.T) {
	for _, c := range []struct {
		words       []string
		size, depth float64
		want        string
	}{
		{[]string{"Masonry", "Stone"}, 1.8, 0.03, ""},
		{[]string{"Masonry", "Stone"}, 180, 0.03, "size_implausible"},
		{[]string{"Terrazzo floor"}, 1.2, 0.05, "depth_implausible"},
		{[]string{"Broken path"}, 2.4, 0.3, ""},
		{[]string{"Dreams"}, 1e3, 40, ""},
	} {
		s := Set{Size: Size{Width: &c.size, Height: &c.size}, Depth: &Depth{Value: c.depth}}
		s.Plausible(c.words)
		s.Plausible(c.words) // again: nothing is said twice
		if got := codes(s); got != c.want {
			t.Errorf("%v, %g m, %g m deep: %q, want %q", c.words, c.size, c.depth, got, c.want)
		}
	}
}

func TestSizesThatDisagreeAreSaid(t *testing.T) {
	s := Set{SizeEvidence: []scale.Evidence{{Source: scale.FromTag, Size: scale.Size{W: 1, H: 1}}, {Source: scale.FromSidecar, Size: scale.Size{W: 1.2, H: 1.2}}}}
	one := 1.0
	s.Size = Size{&one, &one, scale.FromSidecar}
	s.Check(channels.Set{Maps: []channels.Map{sound(material.BaseColor, nil), sound(material.Roughness, nil)}}, false)
	if got := codes(s); got != "size_disagrees" {
		t.Error(got)
	}
}

func TestTheZeroOfAHeightMap(t *testing.T) {
	for name, c := range map[string]struct {
		m    channels.Map
		want float64
	}{
		"a height": {sound(material.Height, func(m *channels.Map) {
			m.Look.Mean, m.Look.Min, m.Look.Max = []float64{0.5}, []float64{0}, []float64{1}
		}), 0},
		"a displacement about half": {sound(material.Height, func(m *channels.Map) {
			m.File = "a_disp.png"
			m.Look.Mean, m.Look.Min, m.Look.Max = []float64{0.51}, []float64{0.2}, []float64{0.9}
		}), 0.5},
		"one that only rises": {sound(material.Height, func(m *channels.Map) {
			m.File = "a_disp.png"
			m.Look.Mean, m.Look.Min, m.Look.Max = []float64{0.2}, []float64{0}, []float64{0.9}
		}), 0},
		"signed floats": {sound(material.Height, func(m *channels.Map) {
			m.File = "a_disp.exr"
			m.Look.Info.Float = true
			m.Look.Mean, m.Look.Min, m.Look.Max = []float64{0.5}, []float64{-1}, []float64{3}
		}), 0.25},
	} {
		if got := zero(c.m); got != c.want {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}

// A lamp makes all of a colour lighter by the same share, whatever the colour; a stain in
// the middle that is as large and as light, but of another colour, is none.
func TestLightRisesInAllColoursAlike(t *testing.T) {
	patch := func(base, most [3]float64) channels.Look {
		l := channels.Look{Mean: []float64{0.5, 0.5, 0.5}}
		for c := range base {
			one := make([]byte, 16*16)
			for i := range one {
				x, y := (float64(i%16)+0.5)/8-1, (float64(i/16)+0.5)/8-1
				light := base[c] + (most[c]-base[c])*max(0, 1-(x*x+y*y)/2)
				one[i] = byte(255 * math.Pow(light, 1/2.2))
			}
			l.Thumb = append(l.Thumb, one)
		}
		return l
	}
	for _, c := range []struct {
		name       string
		base, most [3]float64
		even       bool
	}{
		{"a lamp on brown", [3]float64{0.20, 0.12, 0.05}, [3]float64{0.40, 0.24, 0.10}, true},
		{"a lamp on grey", [3]float64{0.2, 0.2, 0.2}, [3]float64{0.5, 0.5, 0.5}, true},
		{"a warm lamp on grey", [3]float64{0.2, 0.2, 0.2}, [3]float64{0.5, 0.45, 0.40}, true},
		{"rust that has left the middle", [3]float64{0.20, 0.08, 0.03}, [3]float64{0.30, 0.28, 0.26}, false},
		{"a stain that is green", [3]float64{0.10, 0.10, 0.10}, [3]float64{0.12, 0.30, 0.10}, false},
	} {
		l := lamp(patch(c.base, c.most))
		if l.amount < 0.2 || l.share < 0.8 || (l.even > 0.5) != c.even || math.Hypot(l.x, l.y) > 0.1 {
			t.Errorf("%s: %+v", c.name, l)
		}
	}
	if l := lamp(patch([3]float64{0.2, 0.2, 0.2}, [3]float64{0.2, 0.2, 0.2})); l.share != 0 || l.even != 0 {
		t.Errorf("where nothing varies: %+v", l)
	}
}

// A recheck leaves out what it cannot see again: pixels and headers are not kept.
func TestARecheckRunsWhatNeedsNoPixels(t *testing.T) {
	m := sound(material.Height, func(m *channels.Map) { m.Look.Info.NotFinite = 3; m.Look.Info.Bits, m.Look.TrueBits = 8, 8 })
	s := Set{}
	s.Check(channels.Set{Maps: []channels.Map{m}}, true)
	if got := codes(s); strings.Contains(got, "not_finite") || !strings.Contains(got, "height_8bit") || !strings.Contains(got, "size_unknown") {
		t.Error(got)
	}
}
