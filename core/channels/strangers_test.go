package channels

import (
	"math"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/station"
)

// Names that other people give: shared words, bare greys, abbreviations, single letters, other
// scripts and languages, numbers, case, variants. Each file's channel, and how many sets.
func TestNamesOfStrangers(t *testing.T) {
	const B, N, R, M, H, O, S, K = material.BaseColor, material.Normal, material.Roughness, material.Metallic, material.Height, material.Occlusion, material.Specular, material.Mask
	grey := func(mean float64) *Look { l := *lookOf(R); l.Mean = []float64{mean}; return &l }
	greyColours := func() *Look { l := *lookOf(B); l.Spread = 0.001; return &l }
	packed := func() *Look { l := *lookOf(B); l.Likeness, l.Spread = 0.1, 0.3; return &l }
	looks := map[material.Channel]func() *Look{B: func() *Look { return lookOf(B) }, N: func() *Look { return lookOf(N) }, R: func() *Look { return grey(0.4) }, M: func() *Look { return grey(0.4) },
		H: func() *Look { return grey(0.5) }, O: func() *Look { return grey(0.85) }, S: func() *Look { return lookOf(B) }, K: func() *Look { return grey(0.6) }, material.Emissive: func() *Look { return lookOf(B) }}
	for _, c := range []struct {
		title string
		sets  int
		want  map[string]material.Channel
		looks map[string]*Look // where they are not their channel's
	}{
		{"shared words", 1, map[string]material.Channel{"metal plate worn color 3K": B, "metal plate worn normal 3K": N, "metal plate worn roughness 3K": R, "metal plate worn 2K METALNESS": M}, nil},
		{"a bare grey", 1, map[string]material.Channel{"snow": B, "snow_normal": N, "snow_rough": R}, map[string]*Look{"snow": grey(0.9)}},
		{"a bare grey in three components", 1, map[string]material.Channel{"asphalt": B, "asphalt_n": N, "asphalt_r": R}, map[string]*Look{"asphalt": greyColours()}},
		{"a bare grey beside a height", 1, map[string]material.Channel{"wall": B, "wall_hgt": H, "wall_nrml": N}, map[string]*Look{"wall": grey(0.4)}},
		{"abbreviations", 1, map[string]material.Channel{"tile_clr": B, "tile_nrml": N, "tile_rghns": R, "tile_mtl": M, "tile_dsp": H, "tile_rfl": S}, nil},
		{"letters", 1, map[string]material.Channel{"tile_c": B, "tile_n": N, "tile_z": H}, nil},
		{"Japanese", 1, map[string]material.Channel{"石垣_ベースカラー": B, "石垣_法線": N, "石垣_粗さ": R, "石垣_高さ": H}, nil},
		{"without spaces", 1, map[string]material.Channel{"石垣ベースカラー": B, "石垣法線": N, "石垣粗さ": R}, nil},
		{"Chinese", 1, map[string]material.Channel{"砖墙_颜色": B, "砖墙_法线": N, "砖墙_粗糙度": R, "砖墙_金属度": M, "砖墙_高度": H}, nil},
		{"Korean", 1, map[string]material.Channel{"벽돌_색상": B, "벽돌_노멀": N, "벽돌_거칠기": R, "벽돌_높이": H}, nil},
		{"Russian", 1, map[string]material.Channel{"кирпич_цвет": B, "кирпич_нормаль": N, "кирпич_шероховатость": R, "кирпич_высота": H}, nil},
		{"German", 1, map[string]material.Channel{"ziegel_farbe": B, "ziegel_normalen": N, "ziegel_rauheit": R, "ziegel_höhe": H}, nil},
		{"French, decomposed", 1, map[string]material.Channel{"brique_couleur": B, "brique_normale": N, "brique_rugosite\u0301": R, "brique_hauteur": H}, nil},
		{"Spanish", 1, map[string]material.Channel{"ladrillo_color": B, "ladrillo_normales": N, "ladrillo_rugosidad": R, "ladrillo_altura": H}, nil},
		{"Italian", 1, map[string]material.Channel{"muro_colore": B, "muro_normali": N, "muro_rugosità": R, "muro_altezza": H}, nil},
		{"Portuguese", 1, map[string]material.Channel{"muro_cor": B, "muro_normais": N, "muro_rugosidade": R, "muro_altura": H}, nil},
		{"Polish", 1, map[string]material.Channel{"mur_kolor": B, "mur_normalna": N, "mur_szorstkość": R, "mur_wysokość": H}, nil},
		{"numbers", 1, map[string]material.Channel{"x/1": B, "x/2": N}, nil},
		{"case", 2, map[string]material.Channel{"Wall_Color": B, "Wall_Normal": N, "wall_color": B, "wall_normal": N}, nil},
		{"variants", 3, map[string]material.Channel{"wall": B, "wall-a": B, "wall-c": B, "wall_normal": N}, nil},
		{"a cavity", 1, map[string]material.Channel{"wall_col": B, "wall_nrm": N, "wall_cavity": K, "wall_ao": O}, nil},
		{"a lone E", 1, map[string]material.Channel{"lamp_BC": B, "lamp_N": N, "lamp_M": M, "lamp_E": material.Emissive}, nil},
		{"sizes of clothes", 1, map[string]material.Channel{"wall_XL_col": B, "wall_XL_nrm": N}, nil},
		{"a base with a name of its own", 1, map[string]material.Channel{"x/normal": N, "x/height": H, "x/q": B}, nil},
		{"dates and copies", 1, map[string]material.Channel{"20240311_wall_color": B, "20240402_wall_normal": N, "wall_rough - Copy": R}, nil},
		{"tiers in front", 1, map[string]material.Channel{"[2K] Wall - Color": B, "[2K] Wall - Normal": N}, nil},
		{"packed in any order", 1, map[string]material.Channel{"wall_BaseColor": B, "wall_Normal": N, "wall_RHAO": R}, map[string]*Look{"wall_RHAO": packed()}},
	} {
		var files []File
		for name, ch := range c.want {
			look := c.looks[name]
			if look == nil {
				look = looks[ch]()
			}
			files = append(files, File{name + ".png", look})
		}
		sets := Sort(files)
		if len(sets) != c.sets {
			t.Errorf("%s: %d sets, want %d", c.title, len(sets), c.sets)
		}
		got := map[string][]material.Channel{}
		for _, s := range sets {
			for _, m := range s.Maps {
				got[m.File] = append(got[m.File], m.Channel)
			}
		}
		for name, want := range c.want {
			if list := got[name+".png"]; len(list) == 0 || list[0] != want {
				t.Errorf("%s: %s was taken for %v, want %s", c.title, name, list, want)
			}
		}
	}
}

// A variant that came as a base colour alone shares the other maps of its stem, and says so.
func TestVariantsShareMaps(t *testing.T) {
	const B, N, R = material.BaseColor, material.Normal, material.Roughness
	wide := *lookOf(B)
	wide.Info.W *= 2
	sets := Sort([]File{{"wall.png", lookOf(B)}, {"wall_normal.png", lookOf(N)}, {"wall_rough.png", lookOf(R)}, {"wall-a.png", lookOf(B)}, {"wall-b.png", lookOf(B)}, {"wall-c.png", &wide}, {"fence-a.png", lookOf(B)}})
	got := map[string]string{}
	for _, s := range sets {
		for _, m := range s.Maps {
			got[s.Name] += string(m.Channel) + " " + m.File + " " + m.Shared + "; "
		}
	}
	for name, want := range map[string]string{
		"wall":   "base_color wall.png ; normal wall_normal.png ; roughness wall_rough.png ; ",
		"wall_a": "base_color wall-a.png ; normal wall_normal.png wall; roughness wall_rough.png wall; ",
		"wall_b": "base_color wall-b.png ; normal wall_normal.png wall; roughness wall_rough.png wall; ",
		"wall_c": "base_color wall-c.png ; ", "fence_a": "base_color fence-a.png ; ",
	} {
		if got[name] != want {
			t.Errorf("%s: %q, want %q", name, got[name], want)
		}
	}
}

// What is no map, and what has no channel, says why.
func TestReasonsForTheRest(t *testing.T) {
	half := func(l *Look, thumb byte) *Look {
		c := *l
		c.Info.W, c.Info.H, c.Thumb = c.Info.W/2, c.Info.H/2, [][]byte{{thumb}, {thumb}, {thumb}}
		return &c
	}
	whole := *lookOf(material.BaseColor)
	whole.Thumb = [][]byte{{100}, {100}, {100}}
	ball := *lookOf(material.BaseColor)
	ball.Border = 0
	set := Sort([]File{{"w/w_col_2k.png", &whole}, {"w/w_col_1k.png", half(&whole, 100)}, {"w/w_col.png", half(&whole, 200)}, {"w/w_nrm.png", lookOf(material.Normal)}, {"w/w_diffuse.png", half(&whole, 180)},
		{"w/w.png", &ball}, {"w/w_preview.png", lookOf(material.BaseColor)}, {"w/licence.txt", nil}, {"w/x.bin", nil}})[0]
	got := map[string]string{}
	for _, a := range set.Attachments {
		got[a.File] = a.Kind + " " + a.Reasons[0].Code
	}
	for file, why := range set.Why {
		got[file] = "? " + why[len(why)-1].Code
	}
	want := map[string]string{"w/w_col_1k.png": "lower_tier same_smaller", "w/w_col.png": "? channel_taken", "w/w_diffuse.png": "? in_colour",
		"w/w.png": "preview plain_border", "w/w_preview.png": "preview preview_word", "w/licence.txt": "licence file_word", "w/x.bin": "other file_ending"}
	for file, w := range want {
		if got[file] != w {
			t.Errorf("%s: %q, want %q", file, got[file], w)
		}
	}
}

// Tiles of one normal map that face apart are said to; a version is read from the name.
func TestTilesThatFaceApart(t *testing.T) {
	down := *lookOf(material.Normal)
	down.Direction = normals.Down
	set := Sort([]File{{"u_nrm_v002.1001.png", lookOf(material.Normal)}, {"u_nrm_v002.1002.png", &down}, {"u_col_20240311.1001.png", lookOf(material.BaseColor)}})[0]
	if len(set.Turned) != 1 || set.Turned[0][1] != "u_nrm_v002.1002.png" {
		t.Errorf("turned: %v", set.Turned)
	}
	if n, b := set.Map(material.Normal), set.Map(material.BaseColor); n == nil || b == nil || n.Version != "v002" || b.Version != "20240311" {
		t.Errorf("%+v %+v", n, b)
	}
}

// Normals that were saved with a curve, or with x and y in each other's place, are normals all the
// same, whatever they are called, and their direction is told; those that are neither are not said to be.
func TestCurvedAndSwappedNormals(t *testing.T) {
	for _, m := range station.Materials() {
		s := station.Take(m, station.Options{Px: 256, Seed: 3})
		n := s.Normal.Image()
		x, y, z := n.Plane(0), n.Plane(1), n.Plane(2)
		_, encode := colour.Curves()
		bent := func(p raster.Plane) raster.Plane { return filter.Map(p, encode) }
		look := func(planes ...raster.Plane) *Look {
			q := raster.FromPlanes(planes...).Quantise(8)
			l := Measure(q, codec.Info{Format: codec.PNG, W: q.W, H: q.H, Bits: 8, Components: 3})
			return &l
		}
		plain, curved, swapped := look(x, y, z), look(bent(x), bent(y), bent(z)), look(y, x, z)
		if plain.Curve || plain.Swapped || !curved.Curve || curved.Swapped || swapped.Curve {
			t.Errorf("%s: plain %v %v, curved %v %v, swapped %v %v", m.Slug, plain.Curve, plain.Swapped, curved.Curve, curved.Swapped, swapped.Curve, swapped.Swapped)
		}
		if plain.Direction == normals.Up && plain.DirectionConfidence > 0.95 && (curved.Direction != normals.Up || swapped.Swapped && swapped.Direction != normals.Up) {
			t.Errorf("%s: curved %v, swapped %v", m.Slug, curved.Direction, swapped.Direction)
		}
		for _, l := range []*Look{curved, swapped} {
			set := Sort([]File{{"w_nrm.png", l}, {"w.png", lookOf(material.BaseColor)}, {"w_rough.png", lookOf(material.Roughness)}})[0]
			if got := set.Map(material.Normal); got == nil || got.Confidence < 0.9 {
				t.Errorf("%s: %+v", m.Slug, got)
			}
		}
	}
}

// Numbers that count halvings are tiers if the pictures are the same, smaller; else they are names.
func TestNumbersThatCountHalvings(t *testing.T) {
	looks, other := looksOf(t, "slates_round"), looksOf(t, "hurdle_willow")
	scaled := func(l *Look, by int) *Look { c := *l; c.Info.W, c.Info.H = c.Info.W/by, c.Info.H/by; return &c }
	base, normal := looks[material.BaseColor], looks[material.Normal]
	sets := Sort([]File{
		{"wall_diff.png", base}, {"wall_diff_-1.png", scaled(base, 2)}, {"wall_diff_-2.png", scaled(base, 4)}, {"wall_nrm.png", normal}, {"wall_nrm_-1.png", scaled(normal, 2)},
	})
	if len(sets) != 1 || len(sets[0].Maps) != 2 || len(sets[0].Attachments) != 3 || len(sets[0].Unassigned) != 0 {
		t.Fatalf("%d sets: %v with %v", len(sets), names(sets), sets[0].Attachments)
	}
	for _, a := range sets[0].Attachments {
		if a.Kind != "lower_tier" {
			t.Errorf("%s is %s", a.File, a.Kind)
		}
	}
	sets = Sort([]File{{"wall_1_diff.png", base}, {"wall_1_nrm.png", normal}, {"wall_2_diff.png", scaled(other[material.BaseColor], 2)}, {"wall_2_nrm.png", scaled(other[material.Normal], 2)}})
	if len(sets) != 2 || len(sets[0].Maps) != 2 || len(sets[1].Maps) != 2 {
		t.Errorf("two materials became %d sets: %v", len(sets), names(sets))
	}
}

// Where normals do not tell by themselves that x and y are in each other's place, the height does;
// it never says so of normals that are in order.
func TestHeightTellsSwappedNormals(t *testing.T) {
	alone, together := 0, 0
	for _, m := range station.Materials() {
		s := station.Take(m, station.Options{Px: 256, Seed: 5})
		n := s.Normal.Image()
		look := func(planes ...raster.Plane) *Look {
			q := raster.FromPlanes(planes...).Quantise(16)
			l := Measure(q, codec.Info{Format: codec.PNG, W: q.W, H: q.H, Bits: 16, Components: len(planes)})
			return &l
		}
		height := look(s.Height)
		for _, swapped := range []bool{false, true} {
			normal := look(n.Plane(0), n.Plane(1), n.Plane(2))
			if swapped {
				normal = look(n.Plane(1), n.Plane(0), n.Plane(2))
			}
			if swapped { // as of surfaces that don't tell
				told := normal.Swapped
				if told {
					alone++
				}
				normal.Swapped, normal.Direction, normal.DirectionConfidence = false, normals.Unknown, 0
				normal.Relief = slopesOf(normals.Read(raster.FromPlanes(n.Plane(1), n.Plane(0), n.Plane(2)), 0))
			}
			set := Sort([]File{{"w_normal.png", normal}, {"w_basecolor.png", lookOf(material.BaseColor)}, {"w_height.png", height}})[0]
			got := set.Map(material.Normal)
			if got == nil || set.Map(material.Height) == nil {
				t.Fatalf("%s, swapped %v: %v, unassigned %v", m.Slug, swapped, set.Maps, set.Unassigned)
			}
			switch {
			case !swapped && got.Look.Swapped:
				t.Errorf("%s: normals in order are said to be swapped", m.Slug)
			case swapped && got.Look.Swapped:
				together++
				if got.Facing != normals.Up {
					t.Errorf("%s: read as %s", m.Slug, got.Facing)
				}
			}
		}
	}
	t.Logf("told of %d materials: %d by themselves, %d by their height alone", len(station.Materials()), alone, together)
	if together < len(station.Materials())*3/4 {
		t.Errorf("%d of %d are told by their height", together, len(station.Materials()))
	}
}

// A normal map of a whole object beside one of the surface is kept and asks nobody.
func TestObjectSpaceBesideTangentSpace(t *testing.T) {
	whole := raster.New(64, 64, 3, 8)
	for i := range 64 * 64 {
		a, b := 2*math.Pi*float64(i%64)/64, math.Pi*(float64(i/64)+0.5)/64
		for c, v := range []float64{math.Sin(b) * math.Cos(a), math.Sin(b) * math.Sin(a), math.Cos(b)} {
			whole.Ints(c)[i] = uint16(math.Round((v+1)/2*255)) * 257
		}
	}
	sphere := Measure(whole, codec.Info{Format: codec.PNG, W: 64, H: 64, Bits: 8, Components: 3})
	set := Sort([]File{{"w_normal.png", lookOf(material.Normal)}, {"w_normal_ws.png", &sphere}, {"w_basecolor.png", lookOf(material.BaseColor)}})[0]
	if len(set.Unassigned) != 0 || len(set.Refused) != 0 || len(set.Attachments) != 1 || set.Attachments[0].Reasons[0].Code != "object_space" {
		t.Errorf("attachments %v, unassigned %v, refused %v, why %v", set.Attachments, set.Unassigned, set.Refused, set.Why)
	}
	set = Sort([]File{{"w_normal.png", &sphere}, {"w_basecolor.png", lookOf(material.BaseColor)}})[0]
	if len(set.Refused) != 1 || len(set.Attachments) != 0 {
		t.Errorf("alone: attachments %v, refused %v", set.Attachments, set.Refused)
	}
}
