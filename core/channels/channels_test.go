package channels

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/station"
)

func TestSplit(t *testing.T) {
	for in, want := range map[string]string{
		"MudFlat_NRM2k": "mud flat nrm 2k", "slates_round_basecolor": "slates round basecolor", "AOMap": "ao map",
		"brick 02-16bit": "brick 02 16bit", "TX_Rust01Normal_4K": "tx rust 01 normal 4k", "nor_Y+": "nor y+", "a.b.1001": "a b 1001",
	} {
		var words []string
		for _, p := range split(in) {
			words = append(words, p.text)
		}
		if got := strings.Join(words, " "); got != want {
			t.Errorf("%s: %q, want %q", in, got, want)
		}
	}
}

func TestLabelKeepsWhatWasWritten(t *testing.T) {
	for in, want := range map[string]string{"run0_set2_normal.png": "run0_set2", "MudFlat_NRM2k.png": "mud_flat", "Brick02-worn normal.png": "brick02_worn", "Plate Metal_Metal.jpg": "plate_metal", "albedo_kelp.png": "kelp"} {
		n := ParseName(in)
		if got := n.Label(); got != want {
			t.Errorf("%s: %q, want %q", in, got, want)
		}
	}
}

// Looks that fit a channel, so that names can be tested without pictures.
func lookOf(c material.Channel) *Look {
	l := &Look{Info: codec.Info{W: 64, H: 64, Bits: 8, Components: 3}, Min: []float64{0, 0, 0}, Max: []float64{.9, .9, .9},
		Mean: []float64{.4, .4, .4}, StdDev: []float64{.1, .1, .1}, Spread: 0.1, Border: 1, Likeness: 0.9}
	switch {
	case c == material.Normal:
		l.UnitLength, l.Mean, l.Direction, l.DirectionConfidence = 1, []float64{.5, .5, .95}, normals.Up, 0.9
	case c.Grey():
		l.Spread, l.Info.Components = 0, 1
		l.Min, l.Max, l.Mean, l.StdDev = l.Min[:1], l.Max[:1], l.Mean[:1], l.StdDev[:1]
	}
	return l
}

// A lone picture in colour is a base colour if its name does not end in a channel's word; a lone normal
// map, a lone grey map and one that a rule names are not.
func TestLoneColours(t *testing.T) {
	for _, name := range []string{"spec house", "glow worm", "rough stone"} {
		sets := Sort([]File{{name + ".png", lookOf(material.BaseColor)}})
		if m := sets[0].Map(material.BaseColor); m == nil || m.Confidence < 0.9 {
			t.Errorf("%s: %+v", name, sets[0].Maps)
		}
	}
	if s := Sort([]File{{"oak_specular.png", lookOf(material.BaseColor)}}); s[0].Map(material.Specular) == nil {
		t.Errorf("the word of a lone picture is passed over: %+v", s[0].Maps)
	}
	if s := Sort([]File{{"x_normal.png", lookOf(material.Normal)}}); s[0].Map(material.Normal) == nil {
		t.Errorf("%+v", s[0].Maps)
	}
	if s := Sort([]File{{"x_roughness.png", lookOf(material.Roughness)}}); s[0].Map(material.Roughness) == nil {
		t.Errorf("%+v", s[0].Maps)
	}
	if s := Sort([]File{{"x_glw.png", lookOf(material.BaseColor)}}, Rule{Ending: "glw", Channel: material.Emissive}); s[0].Map(material.Emissive) == nil {
		t.Errorf("a rule is passed over: %+v", s[0].Maps)
	}
}

// Eight bits are seen in sixteen however they were put there.
func TestTrueBits(t *testing.T) {
	for name, put := range map[string]func(v uint16) uint16{
		"spread": func(v uint16) uint16 { return v * 257 }, "moved up": func(v uint16) uint16 { return v << 8 }, "left low": func(v uint16) uint16 { return v },
		"": func(v uint16) uint16 { return v*257 + v%3 },
	} {
		im := raster.New(16, 16, 1, 16)
		for i := range im.Ints(0) {
			im.Ints(0)[i] = put(uint16(i))
		}
		want := 8
		if name == "" {
			want = 16
		}
		if got := trueBits(im); got != want {
			t.Errorf("%s: %d bits", name, got)
		}
	}
}

// Conventions as they are met in the wild, one set each: file name and channel.
var conventions = []struct {
	name  string // of the set that must come out
	files map[string]material.Channel
}{
	{"oak_02", map[string]material.Channel{"oak_02_BaseColor.png": material.BaseColor, "oak_02_Normal.png": material.Normal, "oak_02_Roughness.png": material.Roughness, "oak_02_AmbientOcclusion.png": material.Occlusion}},
	{"metal_plate", map[string]material.Channel{"Metal_Plate_Col.jpg": material.BaseColor, "Metal_Plate_Nrm.jpg": material.Normal, "Metal_Plate_Metal.jpg": material.Metallic, "Metal_Plate_Rough.jpg": material.Roughness}},
	{"plate_metal", map[string]material.Channel{"plate_metal_col.png": material.BaseColor, "plate_metal_nor_gl.png": material.Normal, "plate_metal_rough.png": material.Roughness, "plate_metal_metal.png": material.Metallic}},
	{"rough_plaster", map[string]material.Channel{"rough plaster 4k albedo.tif": material.BaseColor, "rough plaster 4k normal.tif": material.Normal, "rough plaster 4k roughness.tif": material.Roughness}},
	{"plaster_rough", map[string]material.Channel{"plaster_rough.png": material.BaseColor, "plaster_rough_n.png": material.Normal, "plaster_rough_rough.png": material.Roughness, "plaster_rough_ao.png": material.Occlusion}},
	{"normal_brick", map[string]material.Channel{"normal-brick-diff-2k.png": material.BaseColor, "normal-brick-nor-2k.png": material.Normal, "normal-brick-disp-2k.png": material.Height}},
	{"tern_shingle_a", map[string]material.Channel{"tern_shingle_a_albedo.png": material.BaseColor, "tern_shingle_a_normal.png": material.Normal, "tern_shingle_a_gloss.png": material.Glossiness}},
	{"weir", map[string]material.Channel{"maps/weir/basecolor.png": material.BaseColor, "maps/weir/normal.png": material.Normal, "maps/weir/height.png": material.Height}},
	{"silt", map[string]material.Channel{"Silt/Albedo/silt_1001.png": material.BaseColor, "Silt/silt_normal.1001.png": material.Normal}},
	{"kelp", map[string]material.Channel{"albedo_kelp.png": material.BaseColor, "normal_kelp.png": material.Normal, "roughness_kelp.png": material.Roughness}},
}

func TestConventions(t *testing.T) {
	for _, c := range conventions {
		var files []File
		for name, ch := range c.files {
			files = append(files, File{name, lookOf(ch)})
		}
		sets := Sort(files)
		if len(sets) != 1 || sets[0].Name != c.name {
			t.Errorf("%s came out as %d sets: %+v", c.name, len(sets), names(sets))
			continue
		}
		if len(sets[0].Unassigned) > 0 {
			t.Errorf("%s: unassigned %v", c.name, sets[0].Unassigned)
		}
		for _, m := range sets[0].Maps {
			if want := c.files[m.File]; m.Channel != want {
				t.Errorf("%s: taken for %s, want %s (%v)", m.File, m.Channel, want, m.Reasons)
			}
		}
	}
}

func names(sets []Set) (out []string) {
	for _, s := range sets {
		out = append(out, s.Name)
	}
	return out
}

// All conventions thrown on one heap must come apart again, whatever the order.
func TestHeapComesApart(t *testing.T) {
	var files []File
	for _, c := range conventions {
		for name, ch := range c.files {
			files = append(files, File{name, lookOf(ch)})
		}
	}
	want := ""
	for seed := range uint64(5) {
		rng := rand.New(rand.NewPCG(seed, 1))
		rng.Shuffle(len(files), func(i, j int) { files[i], files[j] = files[j], files[i] })
		sets := Sort(files)
		got := fmt.Sprint(names(sets))
		if len(sets) != len(conventions) {
			t.Fatalf("%d sets of %d: %v", len(sets), len(conventions), got)
		}
		if want == "" {
			want = got
		} else if got != want {
			t.Errorf("another order gave %v, not %v", got, want)
		}
	}
}

func TestAttachmentsAndTiers(t *testing.T) {
	small := *lookOf(material.BaseColor)
	small.Info.W, small.Info.H = 32, 32
	sets := Sort([]File{
		{"s/2k/s_col.png", lookOf(material.BaseColor)}, {"s/1k/s_col.png", &small}, {"s/2k/s_nrm.png", lookOf(material.Normal)},
		{"s/s_preview.png", lookOf(material.BaseColor)}, {"s/LICENCE.txt", nil}, {"s/readme.md", nil}, {"s/s.json", nil}, {"s/model.blob", nil},
	})
	if len(sets) != 1 {
		t.Fatalf("%d sets", len(sets))
	}
	got := map[string]string{}
	for _, a := range sets[0].Attachments {
		got[a.File] = a.Kind
	}
	want := map[string]string{"s/1k/s_col.png": "lower_tier", "s/s_preview.png": "preview", "s/LICENCE.txt": "licence", "s/readme.md": "notes", "s/s.json": "notes", "s/model.blob": "other"}
	if fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("attachments %v, want %v", got, want)
	}
}

func TestPixelsDenyNames(t *testing.T) {
	// A colour picture called normal must not be sure; a normal map called colour must not either.
	rough := File{"x_rough.png", lookOf(material.Roughness)}
	for _, m := range append(Sort([]File{{"x_normal.png", lookOf(material.BaseColor)}, rough})[0].Maps, Sort([]File{{"x_color.png", lookOf(material.Normal)}, rough})[0].Maps...) {
		if m.Confidence > 0.9 && m.File == "x_normal.png" && m.Channel == material.Normal {
			t.Errorf("a colour picture is surely a normal map: %+v", m)
		}
		if m.Confidence > 0.9 && m.File == "x_color.png" && m.Channel == material.BaseColor {
			t.Errorf("a normal map is surely a base colour: %+v", m)
		}
	}
}

func TestDirectionMismatchIsSeen(t *testing.T) {
	sets := Sort([]File{{"s_normal_dx.png", lookOf(material.Normal)}})
	m := sets[0].Maps[0]
	if m.Facing != normals.Up || m.Claim != normals.Down {
		t.Errorf("facing %v, claimed %v", m.Facing, m.Claim)
	}
	if !slices.ContainsFunc(m.Reasons, func(r Reason) bool { return r.Kind == "name" && r.Weight < 0 }) {
		t.Errorf("no reason speaks against: %+v", m.Reasons)
	}
}

// Every name that the stations give must be mapped right, with the pixels that they send.
func TestStationsAreMappedRight(t *testing.T) {
	truth := map[string]material.Channel{"basecolor": material.BaseColor, "normal": material.Normal, "roughness": material.Roughness, "height": material.Height, "ao": material.Occlusion, "metallic": material.Metallic, "opacity": material.Opacity,
		"Albedo": material.BaseColor, "NRM": material.Normal, "Gloss": material.Glossiness, "Disp": material.Height, "AmbientOcclusion": material.Occlusion, "Metalness": material.Metallic,
		"diffuse": material.BaseColor, "nrm": material.Normal, "bump": material.Height, "col": material.BaseColor, "gl": material.Normal, "rough": material.Roughness, "disp": material.Height, "occ": material.Occlusion, "metal": material.Metallic, "alpha": material.Opacity}
	w := station.NewWriter()
	var files []File
	sent := map[string]bool{}
	err := station.Deliver(w, station.Order{Sets: len(station.Materials()), Px: 256, Seed: 1}, func(d station.Delivered) error {
		sent[d.Set] = true
		for _, f := range d.Files {
			im, in, err := codec.Decode(f.Data, codec.DefaultLimits)
			if err != nil {
				files = append(files, File{f.Name, nil})
				continue
			}
			l := Measure(im, in)
			files = append(files, File{f.Name, &l})
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	sets := Sort(files)
	if len(sets) != len(sent) {
		t.Errorf("%d sets came out of %d: %v", len(sets), len(sent), names(sets))
	}
	maps := 0
	for _, s := range sets {
		if !sent[s.Name] {
			t.Errorf("a set called %q was never sent", s.Name)
		}
		if len(s.Unassigned) > 0 {
			t.Errorf("%s: unassigned %v", s.Name, s.Unassigned)
		}
		for _, m := range s.Maps {
			maps++
			stem := m.File[:strings.LastIndexByte(m.File, '.')]
			last := stem[strings.LastIndexAny(stem, "_ ")+1:]
			want := truth[last]
			if last == "ORM" {
				want = map[string]material.Channel{"r": material.Occlusion, "g": material.Roughness, "b": material.Metallic}[m.Component]
			}
			if m.Channel != want {
				t.Errorf("%s (%s) was taken for %q, want %q: %v", m.File, m.Component, m.Channel, want, m.Reasons)
			}
			if m.Confidence < 0.9 {
				t.Errorf("%s: only %.2f sure of %s: %+v", m.File, m.Confidence, m.Channel, m.Reasons)
			}
			up := normals.Up
			if last == "NRM" {
				up = normals.Down
			}
			if m.Channel == material.Normal && m.Facing != up {
				t.Errorf("%s faces %v", m.File, m.Facing)
			}
		}
	}
	if maps < 120 {
		t.Errorf("only %d maps", maps)
	}
}

func TestMeasure(t *testing.T) {
	im := raster.New(4, 1, 1, 8)
	copy(im.Ints(0), []uint16{0, 65535, 65535, 0})
	l := Measure(im, codec.Info{W: 4, H: 1, Bits: 8, Components: 1})
	if l.Min[0] != 0 || l.Max[0] != 1 || l.Mean[0] != 0.5 || l.StdDev[0] != 0.5 || l.Extremes != 1 {
		t.Errorf("%+v", l)
	}
}

func FuzzSort(f *testing.F) {
	f.Add("metal_d_01.png\nmetal_n_01.png")
	f.Add("a/b_normal_2k.png\nb.png\nx/y/z_ORM.1001.tga\nreadme.txt")
	f.Fuzz(func(t *testing.T, list string) {
		var files []File
		seen := map[string]int{}
		for i, p := range strings.Split(list, "\n") {
			if seen[p] > 0 {
				continue
			}
			seen[p] = 1
			var l *Look
			if i%4 != 3 {
				l = lookOf(material.All()[i%6])
			}
			files = append(files, File{p, l})
		}
		// Nothing is dropped in silence.
		for _, s := range Sort(files) {
			for _, m := range s.Maps {
				seen[m.File] = 2
				for _, tile := range m.Tiles {
					seen[tile.File] = 2
				}
			}
			for _, a := range s.Attachments {
				seen[a.File] = 2
			}
			for _, u := range s.Unassigned {
				seen[u] = 2
			}
		}
		for p, n := range seen {
			if n != 2 {
				t.Errorf("%q was lost", p)
			}
		}
	})
}

func ExampleSort() {
	sets := Sort([]File{{"rough plaster nrm.png", lookOf(material.Normal)}, {"rough plaster col.png", lookOf(material.BaseColor)}})
	for _, m := range sets[0].Maps {
		fmt.Println(sets[0].Name, m.Channel)
	}
	// Output:
	// rough_plaster base_color
	// rough_plaster normal
}
