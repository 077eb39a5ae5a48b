package inspect

import (
	"slices"
	"strings"
	"testing"
)

// Awkward deliveries, each as a librarian would sort it: "file look" and what it is. "?" is left open or not sure,
// "-" an attachment, "a+b" components of one file. Sets are how many there are.
func TestAwkwardDeliveries(t *testing.T) {
	wrong, all := 0, 0
	for _, c := range []struct {
		title string
		sets  int
		files map[string]string // path and look (in brackets), to what it is
	}{
		{"a lone gloss", 1, map[string]string{"engine_gloss.png (gloss)": "glossiness"}},
		{"a lone coloured gloss", 1, map[string]string{"engine_gloss.png (spec colour)": "glossiness"}},
		{"lone masks", 1, map[string]string{"masks.png (mask)": "mask"}},
		{"data beside a base", 1, map[string]string{"hull.png (base)": "base_color", "hull_data.png (orm)": "occlusion+roughness+metallic"}},
		{"an unknown word beside a bare name", 1, map[string]string{"crane.png (base)": "base_color", "crane_gm.png (glow)": "?"}},
		{"UDIM by u and v", 1, map[string]string{"hull_u1_v1_col.png (base)": "base_color", "hull_u2_v1_col.png (base red)": "base_color", "hull_u1_v1_nrm.png (normal)": "normal", "hull_u2_v1_nrm.png (normal)": "normal"}},
		{"UDIM from 0", 1, map[string]string{"hull_col_u0_v0.png (base)": "base_color", "hull_col_u1_v0.png (base red)": "base_color"}},
		{"UDIM without 1001", 1, map[string]string{"hull_col.1011.png (base)": "base_color", "hull_col.1012.png (base red)": "base_color", "hull_nrm.1011.png (normal)": "normal", "hull_nrm.1012.png (normal)": "normal"}},
		{"a folder a tile", 1, map[string]string{"1001/hull_col.png (base)": "base_color", "1002/hull_col.png (base red)": "base_color", "1001/hull_nrm.png (normal)": "normal", "1002/hull_nrm.png (normal)": "normal"}},
		{"tiers in front", 1, map[string]string{"1024_wall_col.png (base)": "base_color", "512_wall_col.png (base half)": "-", "1024_wall_nrm.png (normal)": "normal", "512_wall_nrm.png (normal half)": "-"}},
		{"levels of detail", 1, map[string]string{"wall_col_LOD0.png (base)": "base_color", "wall_col_LOD1.png (base half)": "-", "wall_nrm_LOD0.png (normal)": "normal", "wall_nrm_LOD1.png (normal half)": "-"}},
		{"mips", 1, map[string]string{"wall_col_mip0.png (base)": "base_color", "wall_col_mip1.png (base half)": "-"}},
		{"twice", 1, map[string]string{"wall_col@2x.png (base)": "base_color", "wall_col.png (base half)": "-"}},
		{"letters of strips", 3, map[string]string{"strip8a.png (base)": "base_color", "strip8b.png (base red)": "base_color", "strip8c.png (base blue)": "base_color"}},
		{"worn and new", 2, map[string]string{"panel_new_col.png (base red)": "base_color", "panel_worn_col.png (base blue)": "base_color", "panel_nrm.png (normal)": "normal"}},
		{"a wet version of one map", 2, map[string]string{"wall_col.png (base)": "base_color", "wall_nrm.png (normal)": "normal", "wall_rough.png (rough)": "roughness", "wall_wet_rough.png (rough)": "roughness"}},
		{"coat and sheen", 1, map[string]string{"car_basecolor.png (base)": "base_color", "car_coat_roughness.png (rough)": "coat", "car_sheen_color.png (base red)": "sheen", "car_normal.png (normal)": "normal"}},
		{"a coloured roughness", 1, map[string]string{"hull_basecolor.png (base)": "base_color", "hull_roughness.png (orm)": "occlusion+roughness+metallic"}},
		{"packed with a trailing letter", 1, map[string]string{"T_hull_BC.png (base)": "base_color", "T_hull_N.png (normal)": "normal", "T_hull_ORMx.png (orm)": "occlusion+roughness+metallic"}},
		{"packed by words between dots", 1, map[string]string{"hull.albedo.png (base)": "base_color", "hull.occlusion.roughness.metallic.png (orm)": "occlusion+roughness+metallic"}},
		{"packed as params", 1, map[string]string{"hull_albedo.png (base)": "base_color", "hull_params.png (orm)": "occlusion+roughness+metallic"}},
		{"digits in names", 2, map[string]string{"m16_col.png (base)": "base_color", "m16_nrm.png (normal)": "normal", "oak32_col.png (base)": "base_color", "oak32_nrm.png (normal)": "normal"}},
		{"percent signs", 1, map[string]string{"old%20oak_col.png (base)": "base_color", "old%20oak_nrm.png (normal)": "normal"}},
		{"brackets and dates", 1, map[string]string{"[2024-05-01] oak (base color).png (base)": "base_color", "[2024-05-01] oak (normal).png (normal)": "normal", "[2024-05-01] oak (roughness).png (rough)": "roughness"}},
		{"colour spaces", 1, map[string]string{"oak_basecolor_sRGB.png (base)": "base_color", "oak_roughness_linear.png (rough)": "roughness", "oak_normal_raw.png (normal)": "normal"}},
		{"wear and edges", 1, map[string]string{"hull_col.png (base)": "base_color", "hull_nrm.png (normal)": "normal", "hull_wear.png (metal)": "-", "hull_edges.png (metal)": "-", "hull_curvature.png (spec)": "mask", "hull_position.png (mask)": "-"}},
		{"two occlusions of names", 1, map[string]string{"ao/north_dock.png (ao)": "occlusion", "col/north_dock.png (base)": "base_color", "nrm/north_dock.png (normal)": "normal"}},
		{"one folder of occlusions alone", 2, map[string]string{"ao/north_dock.png (ao)": "occlusion", "ao/south_pier.png (ao)": "occlusion"}},
		{"numbered paint", 4, map[string]string{"paint_01_col.png (base)": "base_color", "paint_02_col.png (base red)": "base_color", "paint_03_col.png (base blue)": "base_color", "paint_04_col.png (base grey)": "base_color", "paint_nrm.png (normal)": "normal", "paint_rough.png (rough)": "roughness"}},
		{"a material that is called metal", 3, map[string]string{"wall.png (base)": "base_color", "wall_n.png (normal)": "normal", "wall_metal.png (base red)": "base_color", "pipe_metal.png (base blue)": "base_color"}},
		{"letters in an order that the pixels are not in", 1, map[string]string{"hull_albedo.png (base)": "base_color", "hull_normal.png (normal)": "normal", "hull_mro.png (orm)": "?"}},
		{"a camera's numbers", 2, map[string]string{"IMG_0021.png (base)": "?", "IMG_0022.png (normal)": "normal", "IMG_0023.png (height)": "?", "IMG_0031.png (base red)": "?"}},
		{"a grey without a word beside normals", 1, map[string]string{"snow.png (base grey)": "base_color", "snow_n.png (normal)": "normal"}},
	} {
		h := &held{}
		w := wares()[3]
		for key := range c.files {
			file, look, _ := strings.Cut(strings.TrimSuffix(key, ")"), ".png (")
			h.files = append(h.files, Examined{Path: file + ".png", Look: w.looks[look]})
		}
		r := Assemble(h.files, Copies{})
		got, sure := map[string][]string{}, map[string]bool{}
		for _, s := range r.Sets {
			for _, m := range s.Maps {
				files := []string{m.File}
				for _, u := range m.Tiles {
					if u.File != m.File {
						files = append(files, u.File)
					}
				}
				for _, f := range files {
					if m.Shared == "" {
						got[f] = append(got[f], string(m.Channel))
						sure[f] = sure[f] || m.Confidence >= 0.9
					}
				}
			}
			for _, a := range s.Attachments {
				got[a.File] = append(got[a.File], "-")
			}
		}
		if c.title == "a wet version of one map" && len(r.Sets) == 2 {
			for _, s := range r.Sets {
				if len(s.Maps) != 3 {
					t.Errorf("%s has %d maps, want 3, own or shared", s.Name, len(s.Maps))
				}
			}
		}
		bad := 0
		for key, want := range c.files {
			file, _, _ := strings.Cut(key, " (")
			if at := strings.LastIndex(key, " ("); at > 0 {
				file = key[:at]
			}
			list := got[file]
			slices.Sort(list)
			parts := strings.Split(want, "+")
			slices.Sort(parts)
			all++
			if want == "?" && !sure[file] || slices.Equal(list, parts) {
				continue
			}
			bad++
			wrong++
			t.Logf("%s: %s is %v (sure %v), want %s", c.title, file, list, sure[file], want)
		}
		if len(r.Sets) != c.sets {
			t.Logf("%s: %d sets, want %d", c.title, len(r.Sets), c.sets)
			wrong++
		}
	}
	t.Logf("%d of %d files and sets are wrong", wrong, all)
	if wrong > 0 {
		t.Errorf("%d are wrong", wrong)
	}
}
