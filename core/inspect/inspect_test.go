package inspect

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/jpeg"
	"math"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/station"
)

// examine runs a delivered set through both steps.
func examine(t *testing.T, files []station.File) Report {
	t.Helper()
	levels := map[string]*raster.Image{}
	var all []Examined
	for _, f := range files {
		var im *raster.Image
		e, err := Examine(f.Name, SourceOf(f.Data), codec.DefaultLimits, func(_ string, p *raster.Image) error { im = p; return nil })
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, e)
		levels[f.Name] = im
	}
	return Assemble(all, Copies{
		Reduced: func(file, _ string) *raster.Image { return levels[file] },
		Close:   func(file, _ string) *raster.Image { return CloseUp(levels[file]) },
	})
}

func codes(s Set) string {
	var out []string
	for _, f := range s.Findings {
		out = append(out, f.Code)
	}
	return strings.Join(out, " ")
}

// What the stations know to be true must come out: size, depth, and nothing found on clean sets.
func TestTruthOfTheStations(t *testing.T) {
	w := station.NewWriter()
	for _, m := range station.Materials() {
		s := station.Take(m, station.Options{Px: 256, Seed: 1})
		files, err := w.Files(s, m.Slug)
		if err != nil {
			t.Fatal(err)
		}
		r := examine(t, files)
		if len(r.Sets) != 1 || len(r.Failed) != 0 {
			t.Fatalf("%s: %d sets, failed %v", m.Slug, len(r.Sets), r.Failed)
		}
		got := r.Sets[0]
		if m.Station == station.Archive {
			if got.Size.Width != nil || !strings.Contains(codes(got), "size_unknown") {
				t.Errorf("%s: a size came from nowhere: %+v", m.Slug, got.Size)
			}
			continue
		}
		if math.Abs(*got.Size.Width/m.Size.W-1) > 0.01 || math.Abs(*got.Size.Height/m.Size.H-1) > 0.01 {
			t.Errorf("%s: %.3f × %.3f m, truth is %v", m.Slug, *got.Size.Width, *got.Size.Height, m.Size)
		}
		if got.Depth == nil || math.Abs(got.Depth.Value/s.Depth-1) > 0.05 {
			t.Errorf("%s: depth %+v, truth is %.4f", m.Slug, got.Depth, s.Depth)
		}
		if c := codes(got); c != "" {
			t.Errorf("%s is clean, but: %s: %v", m.Slug, c, got.Findings)
		}
	}
}

func TestPlantedFaultsAreFound(t *testing.T) {
	w := station.NewWriter()
	// A lamp's light ends at the edges too.
	for fault, want := range map[station.Fault]string{
		station.WrongDirection: "normal_direction_mismatch", station.ColourManaged: "data_colour_managed", station.BandedHeight: "height_8bit",
		station.BakedLight: "baked_light seam_x seam_y", station.Seam: "seam_x",
	} {
		s := station.Take(station.Materials()[0], station.Options{Px: 256, Seed: 1, Fault: fault})
		files, err := w.Files(s, "slates")
		if err != nil {
			t.Fatal(err)
		}
		if got := codes(examine(t, files).Sets[0]); got != want {
			t.Errorf("%s: found %q, want %q", fault, got, want)
		}
	}
}

// A map named roughness that holds glossiness is told where its level, its hollows or its
// metal show it, as they do on most sets; a clean set is never flagged.
func TestGlossNamedRoughness(t *testing.T) {
	if testing.Short() {
		t.Skip("half a minute")
	}
	w := station.NewWriter()
	told, of := 0, 0
	for _, m := range station.Materials() {
		for _, fault := range []station.Fault{station.NoFault, station.GlossAsRoughness} {
			s := station.Take(m, station.Options{Px: 256, Seed: 7, Fault: fault})
			files, err := w.Files(s, m.Slug)
			if err != nil {
				t.Fatal(err)
			}
			set := examine(t, files).Sets[0]
			found := strings.Contains(codes(set), "roughness_as_gloss")
			switch named := slices.ContainsFunc(set.Maps, func(k Map) bool { return k.Channel == material.Roughness }); {
			case !named: // a station that says glossiness
			case fault == station.NoFault && found:
				t.Errorf("%s is roughness: %v", m.Slug, set.Findings)
			case fault == station.GlossAsRoughness:
				of++
				if found {
					told++
				}
				// Those that the demo plants, and those on which everything speaks for it.
				if sure := []string{"weatherboard_tar", "rubble_limewash", "chainplate_rust", "grating_iron", "quarry_glazed"}; slices.Contains(sure, m.Slug) && !found {
					t.Errorf("%s: the gloss was not told", m.Slug)
				}
			}
		}
	}
	t.Logf("%d of %d told", told, of)
	if 10*told < 6*of {
		t.Errorf("only %d of %d are told", told, of)
	}
}

func TestBadFilesEachGetAReason(t *testing.T) {
	var good bytes.Buffer
	codec.EncodePNG(&good, raster.New(64, 64, 3, 8), codec.PNGOptions{SRGB: true})
	var jpg bytes.Buffer
	jpeg.Encode(&jpg, image.NewNRGBA(image.Rect(0, 0, 64, 64)), nil)
	r := examine(t, []station.File{
		{Name: "s_col.png", Data: good.Bytes()},
		{Name: "s_cut_normal.png", Data: good.Bytes()[:60]},
		{Name: "s_ao.png", Data: []byte("MZ this is a program")},
		{Name: "s_rough.tif", Data: nil},
		{Name: "s_metal.png", Data: jpg.Bytes()},
		{Name: "material.json", Data: []byte(`{"width_m": "wide"}`)},
		{Name: "readme.txt", Data: []byte("hello")},
	})
	if len(r.Failed) != 4 {
		t.Fatalf("%d failures: %+v", len(r.Failed), r.Failed)
	}
	for _, f := range r.Failed {
		if f.Why.Code == "" || f.Why.Values.Text("file") != f.File || f.Error != "" {
			t.Errorf("no reason that names the file: %+v", f)
		}
	}
	if len(r.Sets) != 1 || !strings.Contains(codes(r.Sets[0]), "wrong_ending") {
		t.Errorf("%+v", r.Sets)
	}
}

// The JSON keys are a contract.
func TestKeysAreStable(t *testing.T) {
	var good bytes.Buffer
	codec.EncodePNG(&good, raster.New(8, 8, 3, 8), codec.PNGOptions{})
	data, err := json.Marshal(examine(t, []station.File{{Name: "a_col.png", Data: good.Bytes()}}))
	if err != nil {
		t.Fatal(err)
	}
	var got map[string][]map[string]any
	if err := json.Unmarshal(data, &got); err != nil {
		t.Fatal(err)
	}
	set := got["sets"][0]
	for _, key := range strings.Fields("name maps attachments unassigned workflow size size_evidence density_px_per_m depth_m tiling period_px findings") {
		if _, ok := set[key]; !ok {
			t.Errorf("the set has no key %q", key)
		}
	}
	m := set["maps"].([]any)[0].(map[string]any)
	for _, key := range strings.Fields("file component channel confidence reasons width height bits float encoding udim direction direction_confidence stats") {
		if _, ok := m[key]; !ok {
			t.Errorf("the map has no key %q", key)
		}
	}
	if set["depth_m"] != nil || m["udim"] != nil || set["size"].(map[string]any)["width_m"] != nil {
		t.Errorf("what is not known is not null: %s", data)
	}
}

func ExampleAssemble() {
	w := station.NewWriter()
	files, _ := w.Files(station.Take(station.Materials()[0], station.Options{Px: 256, Seed: 1}), "slates")
	var all []Examined
	for _, f := range files {
		e, _ := Examine(f.Name, SourceOf(f.Data), codec.DefaultLimits, nil)
		all = append(all, e)
	}
	for _, s := range Assemble(all, Copies{}).Sets {
		fmt.Printf("%s: %d maps, %.2f m wide\n", s.Name, len(s.Maps), *s.Size.Width)
	}
	// Output: slates: 5 maps, 1.71 m wide
}
