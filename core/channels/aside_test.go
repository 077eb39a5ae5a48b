package channels

import (
	"testing"

	"aldermoor/core/material"
)

// What is no map of a surface says what it is, and a copy never takes the original's place.
func TestNoMaps(t *testing.T) {
	base, normal := lookOf(material.BaseColor), lookOf(material.Normal)
	base.Thumb, normal.Thumb = [][]byte{{10, 200}, {40, 90}, {60, 70}}, [][]byte{{120, 130}, {130, 120}, {255, 250}}
	sky := *base
	sky.Info.Float, sky.Info.W, sky.Info.H, sky.Max = true, 2048, 1024, []float64{40, 30, 20}
	set := Sort([]File{{"w/wall_col.png", base}, {"w/wall_col - Copy.png", base}, {"w/Copy of wall_nrm.png", normal}, {"w/wall_nrm.png", normal}, {"w/wall_nrm (2).png", normal},
		{"w/noon.hdr", &sky}, {"w/wall_lightmap.png", base}, {"w/wall_reference.jpg", base}, {"w/greycard.jpg", base}})
	if len(set) != 1 {
		t.Fatalf("%d sets", len(set))
	}
	s := set[0]
	if m := s.Map(material.BaseColor); m == nil || m.File != "w/wall_col.png" {
		t.Errorf("base colour: %+v", m)
	}
	if m := s.Map(material.Normal); m == nil || m.File != "w/wall_nrm.png" {
		t.Errorf("normal: %+v", m)
	}
	got := map[string]string{}
	for _, a := range s.Attachments {
		got[a.File] = a.Reasons[0].Code
	}
	for file, code := range map[string]string{"w/wall_col - Copy.png": "same_picture", "w/Copy of wall_nrm.png": "same_picture", "w/wall_nrm (2).png": "same_picture",
		"w/noon.hdr": "environment", "w/wall_lightmap.png": "baked_light", "w/wall_reference.jpg": "reference", "w/greycard.jpg": "chart"} {
		if got[file] != code {
			t.Errorf("%s: %q, want %q (unassigned %v)", file, got[file], code, s.Unassigned)
		}
	}
	// Without an original beside it a number in brackets is the material's own.
	if sets := Sort([]File{{"tile (1).png", base}, {"tile (2).png", base}}); len(sets) != 2 {
		t.Errorf("%d sets of two pictures", len(sets))
	}
}

// The words of a delivery's own: one that nobody knows is asked once, one that a dictionary has for several
// channels means what its pixels show here.
func TestHabits(t *testing.T) {
	rough, glow := lookOf(material.Roughness), *lookOf(material.BaseColor)
	glow.Dark, glow.Mean = 0.9, []float64{0.05, 0.03, 0.02}
	var files []File
	for _, n := range []string{"crane", "dock", "barge", "winch"} {
		files = append(files, File{n + ".png", lookOf(material.BaseColor)}, File{n + "_n.png", lookOf(material.Normal)}, File{n + "_g.png", &glow}, File{n + "_qx.png", rough})
	}
	sets := Sort(files)
	if len(sets) != 4 {
		t.Fatalf("%d sets, want 4", len(sets))
	}
	for _, s := range sets {
		if m := s.Map(material.Emissive); m == nil || m.File != s.Name+"_g.png" {
			t.Errorf("%s: _g is not taken for what glows: %+v", s.Name, s.Maps)
		}
		asked := false
		for _, m := range s.Maps {
			if m.File == s.Name+"_qx.png" {
				for _, r := range m.Reasons {
					asked = asked || (r.Code == "habit_open" || r.Code == "habit_unknown") && r.Values.Text("word") == "qx" && r.Values.Num("files") == 4
				}
				if m.Confidence >= 0.9 {
					t.Errorf("%s is surely %s", m.File, m.Channel)
				}
			}
		}
		for _, r := range s.Why[s.Name+"_qx.png"] {
			asked = asked || r.Code == "habit_unknown"
		}
		if !asked {
			t.Errorf("%s: nobody asks what qx means", s.Name)
		}
	}
}

// Two collections of one delivery may mean different things by one letter.
func TestHabitsOfTwoHands(t *testing.T) {
	gloss, glow := lookOf(material.Roughness), *lookOf(material.BaseColor)
	glow.Dark, glow.Mean = 0.9, []float64{0.05, 0.03, 0.02}
	var files []File
	for i, dir := range []string{"north", "south"} {
		for k := range 10 {
			n := dir + "/" + unheard(40+k*13+i)
			files = append(files, File{n + ".png", lookOf(material.BaseColor)}, File{n + "_n.png", lookOf(material.Normal)}, File{n + "_g.png", []*Look{gloss, &glow}[i]})
		}
	}
	got := map[material.Channel]int{}
	for _, s := range Sort(files) {
		for _, m := range s.Maps {
			if len(m.File) > 6 && m.File[len(m.File)-6:] == "_g.png" {
				got[m.Channel]++
			}
		}
	}
	if got[material.Glossiness] != 10 || got[material.Emissive] != 10 {
		t.Errorf("%v", got)
	}
}

// Where a plain name and its pixels disagree the name stands, and somebody is asked.
func TestNamesGoBeforeHints(t *testing.T) {
	washed := *lookOf(material.Normal)
	washed.UnitLength, washed.Lit, washed.Blue, washed.Spread = 0.2, []float64{0.5, 0.5, 0.85}, 1, 0.3
	s := Sort([]File{{"w_col.png", lookOf(material.BaseColor)}, {"w_normal.png", &washed}, {"w_gloss.png", lookOf(material.BaseColor)}})
	if len(s) != 1 || s[0].Map(material.Normal) == nil || s[0].Map(material.Glossiness) == nil || s[0].Map(material.Glossiness).Confidence >= 0.9 {
		t.Errorf("%+v", s)
	}
	// A plain colour as long as a unit vector is a colour.
	plain := *lookOf(material.BaseColor)
	plain.UnitLength, plain.Octants, plain.Lit = 0.99, 1, []float64{0.2, 0.3, 0.75}
	for _, name := range []string{"leather.png", "leather_color.png"} {
		if s := Sort([]File{{name, &plain}}); s[0].Map(material.BaseColor) == nil {
			t.Errorf("%s: %+v %v", name, s[0].Maps, s[0].Unassigned)
		}
	}
}
