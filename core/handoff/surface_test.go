package handoff

import (
	"encoding/json"
	"fmt"
	"html"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

var namedMaps = regexp.MustCompile(`maps/[a-z0-9_-]+\.(png|exr)`)

// In every form of a handoff each description names the same channels, each by a file that
// is there and that its readers open; where PNG stands in for EXR, both hold the same.
func TestDescriptionsNameTheSameMaps(t *testing.T) {
	m, src := scanned(t, "slates_round", 64)
	height := raster.New(64, 64, 1, 16)
	for i := range height.Ints(0) {
		height.Ints(0)[i] = uint16(i * 16)
	}
	src[material.Height], src[material.Metallic], src[material.Emissive] = height, src[material.Roughness], src[material.BaseColor]
	for _, c := range []material.Channel{material.Height, material.Metallic, material.Emissive} {
		m.Put(material.Source{Channel: c, Map: &material.Map{Blob: string(c), Component: "rgb", Width: 64, Height: 64, Bits: src[c].Bits}})
	}
	for i := range 8 {
		p := usual{Direction: normals.Up, Gloss: i&1 != 0, EXR: i&2 != 0}
		if i&4 != 0 {
			p.Direction = normals.Down
		}
		t.Run(fmt.Sprintf("%s gloss %t exr %t", p.Direction, p.Gloss, p.EXR), func(t *testing.T) {
			files := written(t, m, p)
			for doc, want := range map[string]int{"slates_round.mtlx": 7, "slates_round.usda": 8, "slates_round.gltf": 4} {
				names := map[string]bool{}
				for _, n := range namedMaps.FindAllString(string(files[doc]), -1) {
					names[n] = true
					if files[n] == nil {
						t.Errorf("%s names %s, which is not there", doc, n)
					}
					if doc == "slates_round.gltf" && strings.HasSuffix(n, ".exr") {
						t.Errorf("%s names %s, which not every reader of it opens", doc, n)
					}
					if doc == "slates_round.mtlx" && p.EXR && p.Direction == normals.Up && strings.HasSuffix(n, ".png") {
						t.Errorf("%s names the stand-in %s", doc, n)
					}
				}
				if len(names) != want {
					t.Errorf("%s names %d maps, want %d: %v", doc, len(names), want, names)
				}
			}
		})
	}
}

// A map that slides by 0.3 m to the right and 0.1 m down in a second does so in every description,
// whether its UVs count metres or repeats.
func TestDrift(t *testing.T) {
	m, _ := scanned(t, "slates_round", 64)
	m.Size = scale.Size{W: 1.5, H: 2}
	m.Figures.Drift = [2]float64{0.3, 0.1}
	metres := written(t, m, usual{Direction: normals.Up})
	counted, err := ReadProfile([]byte(`{"name":"a","uv":"repeat","files":[{"holds":[{"channel":"base_color"}],"format":"png8"}],"descriptions":["materialx","usd"]}`))
	if err != nil {
		t.Fatal(err)
	}
	repeats := written(t, m, Form{Profile: counted})
	still := m
	still.Figures.Drift = [2]float64{}
	for name, text := range written(t, still, usual{Direction: normals.Up}) {
		if strings.Contains(name, "slates_round.") && regexp.MustCompile("drift|time").Match(text) {
			t.Errorf("%s speaks of a drift that is not there", name)
		}
	}
	pair := func(doc []byte, pattern string) (a, b float64) {
		t.Helper()
		found := regexp.MustCompile(pattern).FindSubmatch(doc)
		if found == nil {
			t.Fatalf("nothing fits %s in\n%s", pattern, doc)
		}
		a, _ = strconv.ParseFloat(string(found[1]), 64)
		b, _ = strconv.ParseFloat(string(found[2]), 64)
		return a, b
	}
	near := func(what string, x, y, wantX, wantY float64) {
		t.Helper()
		if math.Abs(x-wantX) > 1e-5 || math.Abs(y-wantY) > 1e-5 {
			t.Errorf("%s: %g, %g in a second, want %g, %g", what, x, y, wantX, wantY)
		}
	}
	const node = `<multiply name="drift" type="vector2">\s*<input name="in1" type="vector2" value="([-.0-9]+), ([-.0-9]+)"`
	x, y := pair(metres["slates_round.mtlx"], node) // taken from the coordinates before they are divided by the size; v goes up
	near("MaterialX in metres", x, y, 0.3, -0.1)
	x, y = pair(repeats["slates_round.mtlx"], node)
	near("MaterialX in repeats", x, y, 0.3/1.5, -0.1/2)
	if n, want := strings.Count(string(metres["slates_round.mtlx"]), `<input name="texcoord" type="vector2" nodename="repeats" />`), strings.Count(string(metres["slates_round.mtlx"]), "<image "); n != want || n == 0 {
		t.Errorf("%d of %d images slide", n, want)
	}
	x, y = pair(metres["slates_round.mtlx"], `<divide name="repeats" type="vector2">\s*<input name="in1" type="vector2" nodename="drifted" />\s*<input name="in2" type="vector2" value="([-.0-9]+), ([-.0-9]+)"`)
	near("the size of a repeat", x, y, 1.5, 2)
	for what, doc := range map[string][]byte{"USD in metres": metres["slates_round.usda"], "USD in repeats": repeats["slates_round.usda"]} {
		x, y = pair(doc, `86400: \(([-.0-9]+), ([-.0-9]+)\)`) // an hour at 24 a second; added after the scale
		near(what, x/3600, y/3600, -0.3/1.5, 0.1/2)
	}
	var asset struct {
		Materials []struct{ Extras map[string]any }
	}
	if err := json.Unmarshal(metres["slates_round.gltf"], &asset); err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(asset.Materials[0].Extras["drift"]); got != "[0.3 0.1]" {
		t.Errorf("glTF says a drift of %s", got)
	}
}

// putRamp gives a scan of 64 × 64 pixels a height that rises by 16 a pixel.
func putRamp(m *Material, src map[material.Channel]*raster.Image) {
	height := raster.New(64, 64, 1, 16)
	for i := range height.Ints(0) {
		height.Ints(0)[i] = uint16(i * 16)
	}
	src[material.Height] = height
	m.Put(material.Source{Channel: material.Height, Map: &material.Map{Blob: "height", Component: "rgb", Width: 64, Height: 64, Bits: 16}})
}

// The settings sheet names every map with what it holds, how it is read, and what its numbers mean.
func TestSettingsSheet(t *testing.T) {
	m, src := scanned(t, "slates_round", 64)
	putRamp(&m, src)
	m.Depth, m.Zero = 0.012, 0.25
	m.Name = "Slates <of> the quay"
	for _, p := range Presets() {
		form := Form{Profile: p.Profile}
		files := written(t, m, formed{form})
		page := html.UnescapeString(string(files["settings.html"]))
		if strings.Contains(page, "http") || strings.Contains(page, "<script") {
			t.Errorf("%s: the page is not plain", p.ID)
		}
		var doc struct {
			Files []struct {
				File, Role string
				Extra      bool
			}
		}
		if err := json.Unmarshal(files["material.json"], &doc); err != nil {
			t.Fatal(err)
		}
		for _, f := range doc.Files {
			if f.Role == "map" && strings.Contains(page, f.File) == f.Extra {
				t.Errorf("%s: %s is not told as it should be", p.ID, f.File)
			}
		}
		want := map[string][]string{"as_scanned": {"Y+: green points up", "12 mm from black to white, zero level at 0.25", "colour: sRGB"}, "game_y_minus": {"Y−: green points down", "red roughness, green occlusion, blue metallic, alpha height"},
			"film_linear": {"metres from the zero level", "colour: linear light"}, "archviz_8_bit": {"18 mm from black to white, zero level at 0.5", "1 is smooth"}}[p.ID]
		for _, w := range want {
			if !strings.Contains(page, w) {
				t.Errorf("%s does not say %q:\n%s", p.ID, w, page)
			}
		}
	}
}

// Heights around mid grey are so where the depth is not known, too: the zero level lies at a half.
func TestCentredHeightsOfUnknownDepth(t *testing.T) {
	m, src := scanned(t, "slates_round", 64)
	putRamp(&m, src)
	m.Depth, m.Zero = 0, 0.25
	p, _ := FindPreset("archviz_8_bit")
	got := decoded(t, written(t, m, formed{Form{Profile: p}})["maps/slates_round_height_source.png"]).Ints(0)
	for _, i := range []int{0, 1024, 4000} {
		want := 0.5 + (float64(i*16)/65535-0.25)/1.5
		if v := float64(got[i]) / 65535; math.Abs(v-want) > 0.003 {
			t.Errorf("sample %d is %.4f, want %.4f", i, v, want)
		}
	}
}
