package channels

import (
	"math"
	"path"
	"slices"
	"strings"
	"testing"
	"unicode"

	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/station"
)

// The corpus: names as strangers give them, on pixels as scanners give them. No
// name in it is known to the code; only the words are.

// style writes a name of several words.
type style func(words ...string) string

func join(sep string, f func(i int, w string) string) style {
	return func(words ...string) string {
		var out []string
		i := 0
		for _, w := range words {
			for part := range strings.FieldsSeq(w) {
				out = append(out, f(i, part))
				i++
			}
		}
		return strings.Join(out, sep)
	}
}

func title(w string) string { r := []rune(w); r[0] = unicode.ToUpper(r[0]); return string(r) }

var (
	snake  = join("_", func(_ int, w string) string { return strings.ToLower(w) })
	kebab  = join("-", func(_ int, w string) string { return strings.ToLower(w) })
	spaced = join(" ", func(_ int, w string) string { return w })
	dotted = join(".", func(_ int, w string) string { return strings.ToLower(w) })
	pascal = join("", func(_ int, w string) string { return title(w) })
	camel  = join("", func(i int, w string) string {
		if i == 0 {
			return strings.ToLower(w)
		}
		return title(w)
	})
	snakeTitle = join("_", func(_ int, w string) string { return title(w) })
	shout      = join("_", func(_ int, w string) string { return strings.ToUpper(w) })
)

type words map[material.Channel]string

// convention is a habit of naming.
type convention struct {
	title string
	words words
	name  func(material, word string) string // the file's name with its folders
	bare  bool                               // the base map has no word at all
}

var long = words{material.BaseColor: "basecolor", material.Normal: "normal", material.Roughness: "roughness", material.Metallic: "metallic", material.Height: "height", material.Occlusion: "ambientocclusion", material.Opacity: "opacity"}
var film = words{material.BaseColor: "diffuse", material.Normal: "normal", material.Roughness: "specularRoughness", material.Metallic: "metalness", material.Height: "displacement", material.Occlusion: "occlusion", material.Opacity: "opacity"}
var short = words{material.BaseColor: "col", material.Normal: "nrm", material.Roughness: "rgh", material.Metallic: "mtl", material.Height: "disp", material.Occlusion: "ao", material.Opacity: "alpha"}
var tiny = words{material.BaseColor: "d", material.Normal: "n", material.Roughness: "r", material.Metallic: "m", material.Height: "h", material.Occlusion: "ao", material.Opacity: "o"}
var two = words{material.BaseColor: "Base Color", material.Normal: "Normal", material.Roughness: "Roughness", material.Metallic: "Metallic", material.Height: "Height", material.Occlusion: "Ambient Occlusion", material.Opacity: "Opacity"}
var glossy = words{material.BaseColor: "albedo", material.Normal: "normals", material.Glossiness: "gloss", material.Metallic: "metalness", material.Height: "bump", material.Occlusion: "occ", material.Opacity: "transparency"}
var smooth = words{material.BaseColor: "Albedo", material.Normal: "Nor", material.Glossiness: "Smoothness", material.Metallic: "Metal", material.Height: "Displace", material.Occlusion: "AO", material.Opacity: "Cutout"}
var shortest = words{material.BaseColor: "bc", material.Normal: "nm", material.Roughness: "ro", material.Metallic: "mt", material.Height: "hgt", material.Occlusion: "occ", material.Opacity: "op"}

func plain(s style, dir bool) func(string, string) string {
	return func(m, w string) string {
		if dir {
			return s(m) + "/" + s(m, w) + ".png"
		}
		return s(m, w) + ".png"
	}
}

var corpus = []convention{
	{"snake, long words", long, plain(snake, true), false},
	{"snake, flat folder", long, plain(snake, false), false},
	{"camel case, film words", film, plain(camel, true), false},
	{"pascal case", long, plain(pascal, true), false},
	{"title words with underscores", two, plain(snakeTitle, true), false},
	{"kebab, short", short, plain(kebab, true), false},
	{"spaces, two words", two, plain(spaced, true), false},
	{"dots", short, plain(dotted, true), false},
	{"shouting", short, plain(shout, true), false},
	{"one letter", tiny, plain(snake, true), false},
	{"shortest", shortest, plain(snake, true), false},
	{"glossiness", glossy, plain(snake, true), false},
	{"smoothness, pascal", smooth, func(m, w string) string { return pascal(m) + "/" + pascal(m) + "_" + pascal(w) + ".png" }, false},
	{"prefix T_, suffix letter", words{material.BaseColor: "D", material.Normal: "N", material.Roughness: "R", material.Metallic: "M", material.Height: "H", material.Occlusion: "AO", material.Opacity: "O"}, func(m, w string) string { return "T_" + pascal(m) + "_" + w + ".png" }, false},
	{"tx prefix and tier", short, func(m, w string) string { return "tx_" + snake(m) + "_" + w + "_4k.png" }, false},
	{"tier before the word", long, func(m, w string) string { return snake(m) + "_2k_" + w + ".png" }, false},
	{"tier glued to the word", short, func(m, w string) string { return pascal(m) + "_" + strings.ToUpper(w) + "4K.png" }, false},
	{"pixels and bits", long, func(m, w string) string { return snake(m) + "_" + w + "_2048x2048_16bit.png" }, false},
	{"tier in a folder", long, func(m, w string) string { return snake(m) + "/4K/" + snake(m, w) + ".png" }, false},
	{"channel as folder", long, func(m, w string) string { return snake(m) + "/" + w + "/" + snake(m) + ".png" }, false},
	{"channel alone in the set's folder", long, func(m, w string) string { return "scans/" + snake(m) + "/" + w + ".png" }, false},
	{"channel first", long, func(m, w string) string { return w + "_" + snake(m) + ".png" }, false},
	{"map suffix", words{material.BaseColor: "ColorMap", material.Normal: "NormalMap", material.Roughness: "RoughnessMap", material.Metallic: "MetalnessMap", material.Height: "HeightMap", material.Occlusion: "AOMap", material.Opacity: "OpacityMap"}, plain(snakeTitle, true), false},
	{"base without a word", short, plain(snake, true), true},
	{"base without a word, flat", long, plain(kebab, false), true},
	{"udim", long, func(m, w string) string { return snake(m) + "/" + snake(m, w) + ".1001.png" }, false},
	{"udim with underscore", short, func(m, w string) string { return snake(m) + "/" + snake(m, w) + "_1001.png" }, false},
	{"number behind", short, func(m, w string) string { return snake(m) + "_" + w + "_01.png" }, false},
	{"number glued to the material", long, func(m, w string) string { return pascal(m) + "07_" + w + ".png" }, false},
	{"size in the name", long, func(m, w string) string { return snake(m) + "_180x120cm_" + w + ".png" }, false},
	{"colour space behind", words{material.BaseColor: "albedo_srgb", material.Normal: "normal_raw", material.Roughness: "roughness_raw", material.Metallic: "metalness_raw", material.Height: "displacement_raw", material.Occlusion: "occlusion_raw", material.Opacity: "opacity_raw"}, plain(snake, true), false},
	{"direction behind, other separator", words{material.BaseColor: "color", material.Normal: "normal-gl", material.Roughness: "rough", material.Metallic: "metal", material.Height: "height", material.Occlusion: "ao", material.Opacity: "alpha"}, func(m, w string) string { return snake(m) + "_" + w + ".png" }, false},
	{"brackets", short, func(m, w string) string { return spaced(m) + " (" + w + ").png" }, false},
	{"version behind", long, func(m, w string) string { return snake(m) + "_" + w + "_v002.png" }, false},
	{"studio prefix", long, func(m, w string) string { return "PLP_surf_" + pascal(m) + "_" + w + ".png" }, false},
	{"deep folders", long, func(m, w string) string {
		return "deliveries/2026/march/" + snake(m) + "/textures/" + snake(m, w) + ".png"
	}, false},
	{"German-ish abbreviations", words{material.BaseColor: "Dif", material.Normal: "Norm", material.Roughness: "Rou", material.Metallic: "Met", material.Height: "Hgt", material.Occlusion: "Occ", material.Opacity: "Opac"}, plain(snakeTitle, true), false},
}

// corpusMaterials are names, some of which look like channels, on scans that
// differ in kind.
var corpusMaterials = []struct{ name, scan string }{
	{"tern slate", "slates_round"}, {"metal plate", "plate_sluice"}, {"rough plaster", "limewash_crack"}, {"normal brick", "rubble_limewash"},
	{"plate metal", "flashing_copper"}, {"glossy tile 03", "quarry_glazed"}, {"height marker", "jetty_plank"}, {"Old Oak 02", "elm_herringbone"},
	{"color chalk", "chalk_rammed"}, {"mask cloth", "sailcloth"}, {"bump strip", "weatherboard_tar"}, {"deep moss", "setts_moss"}, {"iron grate", "grating_iron"}, {"rope b", "rope_mat"},
}

// looks of a scan's maps.
func looksOf(t testing.TB, slug string) map[material.Channel]*Look {
	t.Helper()
	all := station.Materials()
	i := slices.IndexFunc(all, func(m station.Material) bool { return m.Slug == slug })
	s := station.Take(all[i], station.Options{Px: 192, Seed: 5})
	look := func(im *raster.Image, bits int) *Look {
		q := im.Quantise(bits)
		l := Measure(q, codec.Info{Format: codec.PNG, W: q.W, H: q.H, Bits: bits, Components: q.Components()})
		return &l
	}
	one := func(p raster.Plane) *raster.Image { return raster.FromPlanes(p) }
	gloss := raster.NewPlane(s.W, s.H)
	lo, hi := s.Height.Range()
	height := raster.NewPlane(s.W, s.H)
	for i := range gloss.Pix {
		gloss.Pix[i] = 1 - s.Roughness.Pix[i]
		height.Pix[i] = (s.Height.Pix[i] - lo) / (hi - lo)
	}
	colour := raster.FromPlanes(s.Color[:]...)
	for c := range colour.Planes {
		p := colour.Floats(c)
		for i, v := range p {
			p[i] = encode(v)
		}
	}
	out := map[material.Channel]*Look{material.BaseColor: look(colour, 8), material.Normal: look(s.Normal.Image(), 8), material.Roughness: look(one(s.Roughness), 8), material.Glossiness: look(one(gloss), 8),
		material.Height: look(one(height), 16), material.Occlusion: look(one(s.Occlusion), 8)}
	if s.Metal {
		out[material.Metallic] = look(one(s.Metallic), 8)
	}
	if s.Cutout {
		out[material.Opacity] = look(one(s.Opacity), 8)
	}
	return out
}

// encode is near enough to sRGB for a look.
func encode(v float32) float32 { return float32(math.Sqrt(float64(v))) }

func TestCorpus(t *testing.T) {
	looks := map[string]map[material.Channel]*Look{}
	for _, m := range corpusMaterials {
		looks[m.scan] = looksOf(t, m.scan)
	}
	type score struct{ maps, right, sure, sureRight, sets, setsRight int }
	var all score
	for _, c := range corpus {
		var s score
		var files []File
		truth := map[string]material.Channel{}
		owner := map[string]string{}
		for _, m := range corpusMaterials {
			for ch, l := range looks[m.scan] {
				word, ok := c.words[ch]
				if !ok {
					continue
				}
				file := c.name(m.name, word)
				if c.bare && ch == material.BaseColor {
					file = strings.TrimRight(strings.Replace(c.name(m.name, "§"), "§", "", 1), "")
					ext := path.Ext(file)
					file = strings.TrimRight(strings.TrimSuffix(file, ext), "_- .") + ext
				}
				files = append(files, File{Path: file, Look: l})
				truth[file], owner[file] = ch, m.name
			}
		}
		got := map[string]Map{}
		for _, set := range Sort(files) {
			owners := map[string]bool{}
			for _, m := range set.Maps {
				got[m.File] = m
				owners[owner[m.File]] = true
			}
			for _, u := range set.Unassigned {
				owners[owner[u]] = true
			}
			s.sets++
			if len(owners) == 1 {
				s.setsRight++
			} else {
				t.Logf("%s: the set %q mixes %v", c.title, set.Name, owners)
			}
		}
		for file, want := range truth {
			m := got[file]
			s.maps++
			right := m.Channel == want
			if right {
				s.right++
			} else {
				t.Logf("%s: %s taken for %q at %.2f, is %s", c.title, file, m.Channel, m.Confidence, want)
			}
			if m.Confidence >= 0.9 {
				s.sure++
				if right {
					s.sureRight++
				} else {
					t.Errorf("%s: %s is surely %q (%.2f) but is %s", c.title, file, m.Channel, m.Confidence, want)
				}
			}
		}
		t.Logf("%-36s %3d of %3d maps right, %3d sure of which %3d right; %2d sets of %d materials", c.title, s.right, s.maps, s.sure, s.sureRight, s.sets, len(corpusMaterials))
		if s.sets != len(corpusMaterials) || s.setsRight != s.sets {
			t.Errorf("%s: %d sets, %d of one material, want %d", c.title, s.sets, s.setsRight, len(corpusMaterials))
		}
		if float64(s.right) < 0.95*float64(s.maps) {
			t.Errorf("%s: only %d of %d maps right", c.title, s.right, s.maps)
		}
		all.maps, all.right, all.sure, all.sureRight = all.maps+s.maps, all.right+s.right, all.sure+s.sure, all.sureRight+s.sureRight
	}
	t.Logf("altogether %d maps in %d conventions: %.2f %% right; %.1f %% sure, of which %.3f %% right", all.maps, len(corpus),
		100*float64(all.right)/float64(all.maps), 100*float64(all.sure)/float64(all.maps), 100*float64(all.sureRight)/float64(all.sure))
	if float64(all.sureRight) < 0.99*float64(all.sure) || float64(all.right) < 0.98*float64(all.maps) || float64(all.sure) < 0.75*float64(all.maps) {
		t.Errorf("%+v", all)
	}
}

// pixels makes a picture's look out of a function of each component in 0..1.
func pixelsOf(n, bits int, f func(x, y float64, c int) float64) *Look {
	const size = 128
	im := &raster.Image{W: size, H: size, Bits: 32}
	for c := range n {
		p := make([]float32, size*size)
		for i := range p {
			p[i] = float32(f(float64(i%size)/size, float64(i/size)/size, c))
		}
		im.Planes = append(im.Planes, raster.Floats(p))
	}
	q := im.Quantise(bits)
	l := Measure(q, codec.Info{Format: codec.PNG, W: size, H: size, Bits: bits, Components: n})
	return &l
}

// What pixels say where names say nothing, or the wrong thing.
func TestPixelsOfUnusualMaps(t *testing.T) {
	scan := looksOf(t, "plate_sluice")
	all := station.Materials()
	i := slices.IndexFunc(all, func(m station.Material) bool { return m.Slug == "plate_sluice" })
	s := station.Take(all[i], station.Options{Px: 192, Seed: 5})
	measure := func(planes ...raster.Plane) *Look {
		q := raster.FromPlanes(planes...).Quantise(8)
		l := Measure(q, codec.Info{Format: codec.PNG, W: q.W, H: q.H, Bits: 8, Components: len(planes)})
		return &l
	}
	empty := raster.NewPlane(s.W, s.H)
	n := s.Normal.Image()
	metal := raster.NewPlane(s.W, s.H) // painted over or bare, nothing between
	for i, v := range s.Metallic.Pix {
		if v > 0.1 {
			metal.Pix[i] = 1
		}
	}
	packed := measure(s.Occlusion, s.Roughness, metal)
	twoParts := measure(n.Plane(0), n.Plane(1))
	emptyBlue := measure(n.Plane(0), n.Plane(1), empty)
	ball := pixelsOf(3, 8, func(x, y float64, c int) float64 { // unit vectors of a whole ball
		a, b := 2*3.14159*x, 3.14159*y
		v := [3]float64{math.Sin(b) * math.Cos(a), math.Cos(b), math.Sin(b) * math.Sin(a)}
		return (v[c] + 1) / 2
	})
	for _, c := range []struct {
		file string
		look *Look
		want string // "component channel", in order, or "" for nothing
		sure bool
	}{
		{"slab_ORM.png", packed, "r occlusion g roughness b metallic", true},
		{"slab_aorm.png", packed, "r occlusion g roughness b metallic", true},
		{"slab_OcclusionRoughnessMetallic.png", packed, "r occlusion g roughness b metallic", true},
		{"slab_ao_rough_metal.png", packed, "r occlusion g roughness b metallic", true},
		{"slab_MetallicRoughness.png", packed, "g roughness b metallic", true},
		{"slab_mixed.png", packed, "r occlusion g roughness b metallic", false},
		{"slab_normal.png", twoParts, "rgb normal", true},
		{"slab_nrm.png", emptyBlue, "rgb normal", true},
		{"slab_normal.png", ball, "", false},
		{"slab_roughness.png", scan[material.BaseColor], "rgb roughness", false}, // a name that the pixels deny is never sure
		{"slab_normal.png", scan[material.BaseColor], "", false},
	} {
		var got []string
		sure := true
		sets := Sort([]File{{c.file, c.look}, {"slab_col.png", scan[material.BaseColor]}, {"slab_disp.png", scan[material.Height]}})
		for _, m := range sets[0].Maps {
			if m.File == c.file {
				got = append(got, m.Component+" "+string(m.Channel))
				sure = sure && m.Confidence >= 0.9
			}
		}
		slices.SortFunc(got, func(a, b string) int { return strings.Index("rgba", a[:1]) - strings.Index("rgba", b[:1]) })
		if s := strings.Join(got, " "); s != c.want && !(c.want == "" && !sure) {
			t.Errorf("%s: %q, want %q", c.file, s, c.want)
		}
		if sure != c.sure && c.want != "" {
			t.Errorf("%s: sure %v, want %v", c.file, sure, c.sure)
		}
		if c.look == ball && len(sets[0].Refused) != 1 {
			t.Errorf("object-space normals are not refused in words: %+v", sets[0].Refused)
		}
	}
	for _, l := range []*Look{twoParts, emptyBlue} {
		if l.Direction != normals.Up {
			t.Errorf("two components face %v", l.Direction)
		}
	}
}

func TestAlphas(t *testing.T) {
	s := looksOf(t, "grating_iron")
	with := func(of material.Channel, alpha *Look) *Look {
		l := *s[of]
		l.Info.Components++
		for len(l.Mean) < 3 {
			l.Min, l.Max, l.Mean, l.StdDev = append(l.Min, l.Min[0]), append(l.Max, l.Max[0]), append(l.Mean, l.Mean[0]), append(l.StdDev, l.StdDev[0])
		}
		l.Info.Components = 4
		l.Min, l.Max, l.Mean, l.StdDev = append(slices.Clone(l.Min), alpha.Min[0]), append(slices.Clone(l.Max), alpha.Max[0]), append(slices.Clone(l.Mean), alpha.Mean[0]), append(slices.Clone(l.StdDev), alpha.StdDev[0])
		l.AlphaRelief, _ = alpha.relief(l)
		return &l
	}
	for _, c := range []struct {
		file string
		look *Look
		want material.Channel
	}{
		{"g_basecolor.png", with(material.BaseColor, s[material.Opacity]), material.Opacity},
		{"g_albedo_opacity.png", with(material.BaseColor, s[material.Opacity]), material.Opacity},
		{"g_albedo_roughness.png", with(material.BaseColor, s[material.Roughness]), material.Roughness},
		{"g_normal.png", with(material.Normal, s[material.Height]), material.Height},
		{"g_normal.png", with(material.Normal, s[material.Roughness]), material.Glossiness},
		{"g_normal_height.png", with(material.Normal, s[material.Height]), material.Height},
		{"g_metallic_smoothness.png", with(material.Metallic, s[material.Glossiness]), material.Glossiness},
	} {
		got := ""
		for _, m := range Sort([]File{{c.file, c.look}})[0].Maps {
			got += " " + m.Component + " " + string(m.Channel)
		}
		if !strings.Contains(got, " a "+string(c.want)) {
			t.Errorf("%s: the alpha is not %s:%s", c.file, c.want, got)
		}
	}
}

func TestTilesTiersAndMirrors(t *testing.T) {
	s := looksOf(t, "slates_round")
	other := looksOf(t, "hurdle_willow")
	small := func(l *Look) *Look { c := *l; c.Info.W, c.Info.H = c.Info.W/2, c.Info.H/2; return &c }
	flipped := *s[material.Normal]
	flipped.Direction = normals.Down
	flipped.Thumb = slices.Clone(flipped.Thumb)
	flipped.Thumb[1] = slices.Clone(flipped.Thumb[1])
	for i, v := range flipped.Thumb[1] {
		flipped.Thumb[1][i] = 255 - v
	}
	sets := Sort([]File{
		{"u/u_col.1002.png", s[material.BaseColor]}, {"u/u_col.1001.png", s[material.BaseColor]}, {"u/u_col.1011.png", s[material.BaseColor]}, {"u/u_nrm.1001.png", s[material.Normal]}, {"u/u_nrm.1002.png", s[material.Normal]},
		{"t/t_col_2k.png", s[material.BaseColor]}, {"t/t_col_1k.png", small(s[material.BaseColor])}, {"t/t_disp_2k.png", s[material.Height]}, {"t/t_disp_1k.png", small(other[material.Height])},
		{"d/d_normal_gl.png", s[material.Normal]}, {"d/d_normal_dx.png", &flipped}, {"d/d_color.png", s[material.BaseColor]},
	})
	if len(sets) != 3 {
		t.Fatalf("%d sets: %v", len(sets), names(sets))
	}
	for _, set := range sets {
		switch set.Name {
		case "u":
			if len(set.Maps) != 2 || len(set.Maps[0].Tiles) != 3 || set.Maps[0].File != "u/u_col.1001.png" || len(set.Maps[1].Tiles) != 2 {
				t.Errorf("tiles: %d maps, %v", len(set.Maps), set.Maps[0].Tiles)
			}
		case "t":
			if len(set.Unlike) != 1 || set.Unlike[0][1] != "t/t_disp_1k.png" || len(set.Attachments) != 2 {
				t.Errorf("tiers: %v %v", set.Unlike, set.Attachments)
			}
		case "d":
			if n := set.Map(material.Normal); n == nil || n.Facing != normals.Up || len(set.Unlike) != 0 || len(set.Attachments) != 1 {
				t.Errorf("directions: %+v %v %v", n.File, set.Unlike, set.Attachments)
			}
		}
	}
}

func TestPreviewsByTheirPixels(t *testing.T) {
	s := looksOf(t, "slates_round")
	render := pixelsOf(3, 8, func(x, y float64, c int) float64 {
		if (x-0.5)*(x-0.5)+(y-0.5)*(y-0.5) < 0.16 {
			return 0.3 + 0.4*x*y + 0.1*float64(c)
		}
		return 0.9
	})
	set := Sort([]File{{"s/s_col.png", s[material.BaseColor]}, {"s/s_nrm.png", s[material.Normal]}, {"s/s.png", render}})[0]
	if len(set.Maps) != 2 || len(set.Attachments) != 1 || set.Attachments[0].Kind != "preview" {
		t.Errorf("%d maps, %v %v", len(set.Maps), set.Attachments, set.Unassigned)
	}
}
