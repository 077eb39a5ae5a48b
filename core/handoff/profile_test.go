package handoff

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// form lets a Form be handed over as the usual forms are.
func (f Form) form() Form { return f }

// kinds are materials of every kind that profiles have to cope with, by what is particular
// about them.
func kinds(t testing.TB) map[string]Material {
	t.Helper()
	out := map[string]Material{}
	add := func(name, slug string, change func(m *Material, images map[material.Channel]*raster.Image)) {
		m, images := scanned(t, slug, 64)
		height := raster.New(64, 64*images[material.Normal].H/images[material.Normal].W, 1, 16)
		for i := range height.Ints(0) {
			height.Ints(0)[i] = uint16(i * 15)
		}
		images[material.Height] = height
		m.Put(material.Source{Channel: material.Height, Map: &material.Map{Blob: "height", Component: "rgb", Width: height.W, Height: height.H, Bits: 16}})
		if change != nil {
			change(&m, images)
		}
		m.Licence = "CC-BY-4.0"
		out[name] = m
	}
	put := func(m *Material, images map[material.Channel]*raster.Image, c material.Channel, im *raster.Image) {
		images[c] = im
		m.Put(material.Source{Channel: c, Map: &material.Map{Blob: string(c), Component: "rgb", Width: im.W, Height: im.H, Bits: im.Bits}})
	}
	even := func(w, h int, v ...uint16) *raster.Image {
		im := raster.New(w, h, len(v), 8)
		for c, k := range v {
			for i := range im.Ints(c) {
				im.Ints(c)[i] = k * 257
			}
		}
		return im
	}
	add("plain scan", "gravel_pea", nil)
	add("opacity", "grating_iron", func(m *Material, images map[material.Channel]*raster.Image) {
		put(m, images, material.Metallic, images[material.Roughness])
	})
	add("emission", "slates_round", func(m *Material, images map[material.Channel]*raster.Image) {
		put(m, images, material.Emissive, images[material.BaseColor])
		m.Figures.Emission.Luminance = 300
	})
	add("spec-gloss", "slates_round", func(m *Material, images map[material.Channel]*raster.Image) {
		w, h := images[material.BaseColor].W, images[material.BaseColor].H
		put(m, images, material.Specular, even(w, h, 230, 200, 140))
		put(m, images, material.Glossiness, images[material.Roughness])
		m.Sources = slices.DeleteFunc(m.Sources, func(s material.Source) bool { return s.Channel == material.Roughness })
	})
	add("UDIM", "slates_round", func(m *Material, images map[material.Channel]*raster.Image) {
		for i := range m.Sources {
			s := &m.Sources[i]
			s.Map.Tiles = []material.Tile{{UDIM: "1001", Blob: s.Map.Blob}, {UDIM: "1011", Blob: s.Map.Blob}}
		}
	})
	add("not square", "slates_round", func(m *Material, images map[material.Channel]*raster.Image) {
		for c, im := range images {
			out := &raster.Image{W: im.W, H: im.H / 2, Bits: im.Bits}
			for k := range im.Planes {
				out.Planes = append(out.Planes, im.Ints(k)[:im.W*(im.H/2)])
			}
			images[c] = out
			if s := m.Source(c); s != nil {
				s.Map.Width, s.Map.Height = out.W, out.H
			}
		}
		m.Size = scale.Size{W: 2, H: 1}
	})
	add("no size", "slates_round", func(m *Material, images map[material.Channel]*raster.Image) { m.Size, m.Depth = scale.Size{}, 0 })
	add("figures", "slates_round", func(m *Material, images map[material.Channel]*raster.Image) {
		m.Figures.Tint, m.Figures.Roughness, m.Figures.NormalStrength = [3]float64{0.6, 0.9, 1}, [2]float64{0.9, 0.2}, 1.5
		m.Figures.Coat.Share, m.Figures.Sheen.Share, m.Figures.DiffuseRoughness = 0.4, 0.3, 0.5
		m.Figures.Drift = [2]float64{0.1, -0.2}
		m.Zero = 0.25
		put(m, images, material.Metallic, images[material.Roughness])
		m.Figures.Metallic = 0.5
	})
	add("Y- alone", "slates_round", func(m *Material, images map[material.Channel]*raster.Image) {
		m.Sources = slices.DeleteFunc(m.Sources, func(s material.Source) bool { return s.Channel != material.Normal && s.Channel != material.BaseColor })
		m.Source(material.Normal).Map.Direction = normals.Down
	})
	plain := Material{Material: material.New(scale.Size{W: 1, H: 1}), ID: "1", Slug: "pewter", Name: "Pewter", Number: 1}
	plain.Put(material.Constant(material.BaseColor, 0.5, 0.5, 0.52))
	plain.Put(material.Constant(material.Metallic, 1))
	out["plain finish"] = plain
	return out
}

var anyMap = regexp.MustCompile(`maps/[A-Za-z0-9_.<>&;-]+\.(png|jpg|tif|tga|exr)`)

// Every profile of every kind of material: files that open as what material.json says they
// are, descriptions that name files which are there, right checksums, the same bytes twice.
func TestProfilesOfEveryMaterial(t *testing.T) {
	for name, m := range kinds(t) {
		for _, p := range Presets() {
			t.Run(p.ID+" "+name, func(t *testing.T) {
				f := Form{Profile: p.Profile, Label: Label(p.ID, Conventions{})}
				files := written(t, m, f)
				again := written(t, m, f)
				if dir := os.Getenv("ALDERMOOR_KEEP"); dir != "" {
					keep(t, filepath.Join(dir, strings.ReplaceAll(p.ID+" "+name, " ", "-")), files)
				}
				sums := string(files["CHECKSUMS.sha256"])
				for n, data := range files {
					if !bytes.Equal(data, again[n]) {
						t.Errorf("%s has other bytes the second time", n)
					}
					if n != "CHECKSUMS.sha256" && !strings.Contains(sums, fmt.Sprintf("%x  %s\n", sha256.Sum256(data), n)) {
						t.Errorf("the checksum of %s is missing or wrong", n)
					}
				}
				if len(again) != len(files) || len(files) != m.Steps(f) {
					t.Errorf("%d files, then %d, planned %d", len(files), len(again), m.Steps(f))
				}
				var about struct{ Maps []aboutFile }
				if err := json.Unmarshal(files["material.json"], &about); err != nil {
					t.Fatal(err)
				}
				if len(about.Maps) == 0 && name != "plain finish" {
					t.Error("no maps")
				}
				for _, a := range about.Maps {
					in, err := codec.Probe(files[a.File])
					if err != nil {
						t.Errorf("%s: %v", a.File, err)
						continue
					}
					if in.W != a.Width || in.H != a.Height || in.Bits != a.Bits || in.Float != a.Float {
						t.Errorf("%s is %d × %d of %d bits, float %t; material.json says %+v", a.File, in.W, in.H, in.Bits, in.Float, a)
					}
					if len(a.Holds) > 0 && in.Components != len(a.Holds) {
						t.Errorf("%s has %d components, holds %v", a.File, in.Components, a.Holds)
					}
				}
				for n, data := range files {
					if !strings.HasSuffix(n, ".mtlx") && !strings.HasSuffix(n, ".usda") && !strings.HasSuffix(n, ".gltf") {
						continue
					}
					named := anyMap.FindAllString(string(data), -1)
					if len(named) == 0 && name != "plain finish" {
						t.Errorf("%s names no map", n)
					}
					for _, k := range named {
						k = strings.NewReplacer("&lt;UDIM&gt;", "1011", "<UDIM>", "1011").Replace(k)
						if files[k] == nil {
							t.Errorf("%s names %s, which is not there", n, k)
						}
					}
				}
				if glb := files[m.Slug+".glb"]; glb != nil && (string(glb[:4]) != "glTF" || int(le.Uint32(glb[8:])) != len(glb) || len(glb)%4 != 0) {
					t.Error("the GLB has the wrong length")
				}
			})
		}
	}
}

func keep(t *testing.T, dir string, files map[string][]byte) {
	t.Helper()
	for name, data := range files {
		at := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(at, data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// What a packed file holds is what the sources hold, in the order and sense that the profile says.
func TestPackedComponents(t *testing.T) {
	m, images := scanned(t, "grating_iron", 64)
	v := 0.25
	p := Profile{Name: "test", Files: []MapFile{{Holds: []Component{{Channel: material.Occlusion}, {Channel: material.Roughness, Invert: true}, {Value: &v}, {Channel: material.Opacity}}, Word: "pack", Format: PNG8},
		{Holds: []Component{{Channel: material.Normal, Part: "g"}, {Channel: material.Normal, Part: "r"}}, Word: "xy", Format: PNG16},
		{Holds: []Component{{Channel: material.Glossiness}}, Format: TIFF16},
		{Holds: []Component{{Channel: material.BaseColor}, {Channel: material.Metallic}}, Format: TGA, Word: "tga"}}}
	p.complete()
	if err := p.Check(); err != nil {
		t.Fatal(err)
	}
	files := written(t, m, Form{Profile: p})
	pack, xy := decoded(t, files["maps/grating_iron-pack.png"]), decoded(t, files["maps/grating_iron-xy.png"])
	gloss, tga := decoded(t, files["maps/grating_iron-glossiness.tif"]), decoded(t, files["maps/grating_iron-tga.tga"])
	for i := range pack.Ints(0) {
		for _, k := range []struct {
			what      string
			got, want uint16
		}{
			{"occlusion", pack.Ints(0)[i], images[material.Occlusion].Ints(0)[i]},
			{"inverted roughness", pack.Ints(1)[i], 65535 - images[material.Roughness].Ints(0)[i]},
			{"value", pack.Ints(2)[i], 64 * 257},
			{"opacity", pack.Ints(3)[i], images[material.Opacity].Ints(0)[i]},
			{"y", xy.Ints(0)[i], images[material.Normal].Ints(1)[i]},
			{"x", xy.Planes[1].(raster.Ints)[i], images[material.Normal].Ints(0)[i]},
			{"glossiness", gloss.Ints(0)[i], 65535 - images[material.Roughness].Ints(0)[i]},
			{"colour", tga.Ints(2)[i], images[material.BaseColor].Ints(2)[i]},
		} {
			if k.got != k.want {
				t.Fatalf("%s of pixel %d is %d, want %d", k.what, i, k.got, k.want)
			}
		}
	}
}

// Whatever form heights leave in, the descriptions' scale and bias give the same metres.
func TestHeightsOfEveryForm(t *testing.T) {
	m := kinds(t)["figures"] // its zero level is a quarter up
	src, _ := m.Open(m.Map(material.Height), "", 0)
	for _, form := range []Height{HeightRange, HeightCentred, HeightMetres} {
		p := Profile{Name: "test", Height: form, Files: []MapFile{{Holds: []Component{{Channel: material.Height}}, Format: EXRFloat}}}
		p.complete()
		files := written(t, m, Form{Profile: p})
		scale, bias := m.heights(form)
		for i, v := range decoded(t, files["maps/slates_round-height.exr"]).Floats(0) {
			want := (float64(src.Planes[0].At(i)) - m.Zero) * m.Depth
			if got := float64(v)*scale + bias; math.Abs(got-want) > 1e-6 {
				t.Fatalf("%s: pixel %d is %.6f m, want %.6f", form, i, got, want)
			}
			if form == HeightMetres && math.Abs(float64(v)-want) > 1e-7 {
				t.Fatalf("pixel %d holds %.6f m, want %.6f", i, v, want)
			}
			if form == HeightCentred && (v < 0 || v > 1) {
				t.Fatalf("pixel %d holds %.4f", i, v)
			}
		}
	}
	m.Depth = 0
	p, _ := FindPreset("film_linear")
	files := written(t, m, Form{Profile: p})
	if files["maps/slates_round_height.exr"] != nil || !bytes.Contains(files["material.json"], []byte("the depth is not known")) {
		t.Error("heights in metres of unknown depth were made up, or left out in silence")
	}
}

// A metal-rough surface that is converted to spec-gloss and back is the same surface.
func TestSpecGlossAndBack(t *testing.T) {
	m, images := scanned(t, "slates_round", 64)
	w, h := images[material.BaseColor].W, images[material.BaseColor].H
	metal := raster.New(w, h, 1, 8)
	for i := range metal.Ints(0) {
		metal.Ints(0)[i] = uint16(i%2) * 65535
	}
	images[material.Metallic] = metal
	m.Put(material.Source{Channel: material.Metallic, Map: &material.Map{Blob: "metallic", Component: "rgb", Width: w, Height: h, Bits: 8}})
	p := Profile{Name: "test", Workflow: SpecGloss, Files: []MapFile{{Holds: []Component{{Channel: material.BaseColor}}, Format: EXRFloat}, {Holds: []Component{{Channel: material.Specular}}, Format: EXRFloat}}}
	p.complete()
	files := written(t, m, Form{Profile: p})
	diffuse, specular := decoded(t, files["maps/slates_round-base_color.exr"]), decoded(t, files["maps/slates_round-specular.exr"])
	for i := range w * h {
		base, k := material.MetalRough([3]float32{diffuse.Floats(0)[i], diffuse.Floats(1)[i], diffuse.Floats(2)[i]}, [3]float32{specular.Floats(0)[i], specular.Floats(1)[i], specular.Floats(2)[i]})
		for c := range base {
			if d := math.Abs(float64(base[c] - tableLinear(images[material.BaseColor].Ints(c)[i]))); d > 0.004 {
				t.Fatalf("pixel %d, component %d is off by %.4f", i, c, d)
			}
		}
		if math.Abs(float64(k)-float64(i%2)) > 0.01 {
			t.Fatalf("pixel %d has a metallic of %.3f", i, k)
		}
	}
}

func tableLinear(v uint16) float32 {
	f := float64(v) / 65535
	if f <= 0.04045 {
		return float32(f / 12.92)
	}
	return float32(math.Pow((f+0.055)/1.055, 2.4))
}

func TestFiguresBesideMaps(t *testing.T) {
	m := kinds(t)["figures"]
	p, _ := FindPreset(Scanned)
	p.Figures = Beside
	files := written(t, m, Form{Profile: p})
	src, _ := m.Open(m.Map(material.BaseColor), "", 0)
	got := decoded(t, files["maps/slates_round-base_color.png"])
	if !slices.Equal(got.Ints(0), src.Ints(0)) {
		t.Error("the tint is in the map")
	}
	if !bytes.Contains(files["material.json"], []byte(`"figures": "beside"`)) || !bytes.Contains(files["material.json"], []byte(`"tint"`)) {
		t.Error("material.json does not say the figures")
	}
	if bytes.Contains(files["slates_round.mtlx"], []byte(`maps/slates_round-base_color.png`)) {
		t.Error("MaterialX shows the surface without its tint")
	}
}

func TestSizesInPixels(t *testing.T) {
	for _, k := range []struct {
		rule       Pixels
		tier       scale.Tier
		w, h       int
		wantW, wtH int
	}{
		{PixelsKept, 0, 3000, 2000, 3000, 2000}, {PixelsKept, scale.T1K, 3000, 2000, 1024, 683},
		{PowerOfTwo, 0, 3000, 2000, 2048, 2048}, {PowerOfTwo, 0, 4000, 2000, 4096, 2048}, {PowerOfTwo, scale.T1K, 3000, 2000, 1024, 512}, {PowerOfTwo, scale.T2K, 1000, 700, 1024, 512},
		{Square, scale.T2K, 3000, 2000, 2048, 2048}, {Square, scale.T4K, 900, 300, 1024, 1024}, {PowerOfTwo, 0, 1, 1, 1, 1},
	} {
		f := Form{Profile: Profile{Pixels: k.rule}, Tier: k.tier}
		if w, h := f.size(k.w, k.h); w != k.wantW || h != k.wtH {
			t.Errorf("%s at %v: %d × %d became %d × %d, want %d × %d", k.rule, k.tier, k.w, k.h, w, h, k.wantW, k.wtH)
		}
	}
}

func TestWhatAProfileCannotSay(t *testing.T) {
	file := `{"holds":[{"channel":"roughness"}],"format":"png"}`
	for text, want := range map[string]string{
		`{`: "not a profile", `{"name":"a","files":[` + file + `],"glow":1}`: "unknown field", `{"name":"a","files":[` + file + `]} x`: "follows",
		`{"name":" ","files":[` + file + `]}`:                                                                               "name",
		`{"name":"a","files":[]}`:                                                                                           "1 to 32 files",
		`{"name":"a","normal":"up","files":[` + file + `]}`:                                                                 `"up" is not one of`,
		`{"name":"a","names":"{material}-{map}","files":[` + file + `]}`:                                                    "there is no {map}",
		`{"name":"a","names":"../{channel}","files":[` + file + `]}`:                                                        "letters, digits",
		`{"name":"a","files":[` + file + `,` + file + `]}`:                                                                  "same name as file 1",
		`{"name":"a","files":[{"holds":[{"channel":"rough"}],"format":"png"}]}`:                                             "no channel",
		`{"name":"a","files":[{"holds":[{"channel":"roughness"}],"format":"bmp"}]}`:                                         "no format",
		`{"name":"a","files":[{"holds":[{"channel":"roughness"},{"channel":"base_color"}],"format":"jpeg"}]}`:               "can't hold 4",
		`{"name":"a","files":[{"holds":[{"value":0.5}],"format":"png"}]}`:                                                   "holds no channel",
		`{"name":"a","files":[{"holds":[{"channel":"mask","value":2}],"format":"png"}]}`:                                    "0 to 1",
		`{"name":"a","files":[{"holds":[{"channel":"roughness","part":"g"}],"format":"png"}]}`:                              "no part",
		`{"name":"a","height":"metres","files":[{"holds":[{"channel":"height"}],"format":"png16"}]}`:                        "float format",
		`{"name":"a","workflow":"spec_gloss","files":[{"holds":[{"channel":"metallic"}],"format":"png"}]}`:                  "no channel metallic",
		`{"name":"a","files":[{"holds":[{"channel":"roughness"}],"format":"png","quality":50}]}`:                            "JPEG alone",
		`{"name":"a","files":[{"holds":[{"channel":"roughness"}],"format":"exr_half","compression":"dwaa"}]}`:               "no compression",
		`{"name":"a","descriptions":["gltf","gltf"],"files":[` + file + `]}`:                                                "twice",
		`{"name":"a","tiers":["3k"],"files":[` + file + `]}`:                                                                `"3k"`,
		`{"name":"a","files":[{"holds":[{"channel":"roughness","optional":true}],"format":"png"}]}`:                         "not optional",
		`{"name":"a","names":"{material}","files":[` + file + `,{"holds":[{"channel":"mask"}],"format":"png","word":"b"}]}`: "without {channel}",
	} {
		_, err := ReadProfile([]byte(text))
		var problem *ProfileError
		if !errors.As(err, &problem) || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", text, err, want)
		}
	}
	for _, p := range Presets() {
		data, err := json.Marshal(p.Profile)
		if err != nil {
			t.Fatal(err)
		}
		got, err := ReadProfile(data)
		if err != nil {
			t.Errorf("%s: %v", p.ID, err)
		}
		again, _ := json.Marshal(got)
		if !bytes.Equal(data, again) {
			t.Errorf("%s came back otherwise:\n%s\n%s", p.ID, data, again)
		}
	}
}

// A profile whose one file has a fixed name still has files of their own for its descriptions.
func TestOneFileWithoutItsChannelInTheName(t *testing.T) {
	p, err := ReadProfile([]byte(`{"name":"a","names":"{material}","files":[{"holds":[{"channel":"roughness"}],"format":"png8"}],"descriptions":["gltf","materialx","usd","glb"]}`))
	if err != nil {
		t.Fatal(err)
	}
	files := written(t, kinds(t)["opacity"], Form{Profile: p})
	if files["maps/grating_iron.png"] == nil || files["maps/grating_iron-base_color-opacity.png"] == nil {
		t.Errorf("%d files", len(files))
	}
}

func FuzzReadProfile(f *testing.F) {
	for _, p := range Presets() {
		data, _ := json.Marshal(p.Profile)
		f.Add(data)
	}
	m := kinds(f)["opacity"]
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := ReadProfile(data)
		if err != nil {
			return
		}
		form := Form{Profile: p}
		for _, it := range m.plan(form).items { // what is accepted can be planned, with names that stay in their folder
			if strings.ContainsAny(it.name, "/\\") || it.name == "" || strings.HasPrefix(it.name, "..") {
				t.Errorf("a file is called %q", it.name)
			}
		}
		m.Estimate(form)
	})
}

// Estimates lie within the error that is stated with them.
func TestEstimatesOfProfiles(t *testing.T) {
	for _, slug := range []string{"jetty_plank", "gravel_pea", "tile_encaustic"} {
		m, _ := scanned(t, slug, 512)
		for _, s := range m.Sources {
			var b bytes.Buffer
			im, _ := m.Open(s.Map, "", 0)
			codec.EncodePNG(&b, im, codec.PNGOptions{})
			s.Map.Ratio = float64(b.Len()) / float64(im.W*im.H*im.Components()*im.Bits/8)
		}
		for _, p := range Presets() {
			form := Form{Profile: p.Profile}
			var truth int64
			for _, data := range written(t, m, form) {
				truth += int64(len(data))
			}
			got := float64(m.Estimate(form).Fetch) / float64(truth)
			t.Logf("%-16s %-16s %8d bytes, estimated %.2f of them", slug, p.ID, truth, got)
			if math.Abs(got-1) > EstimateError {
				t.Errorf("%s as %s: estimated %.2f of the truth", slug, p.ID, got)
			}
		}
	}
}

// Normals of 16 bits come out of the film profile as exact as they went in.
func TestFilmNormalsKeepTheirBits(t *testing.T) {
	m, src := scanned(t, "slates_round", 128)
	film, _ := FindPreset("film_linear")
	files := written(t, m, formed{Form{Profile: film}})
	for name, data := range files {
		if !strings.Contains(name, "normal") {
			continue
		}
		got := decoded(t, data)
		f := normals.Read(src[material.Normal], 0)
		if m.Map(material.Normal).Direction == normals.Down {
			f.Flip()
		}
		want := f.Image()
		for c := range 3 {
			for i, v := range got.Floats(c) {
				if d := math.Abs(float64(v - want.Floats(c)[i])); d > 0.5/65535 {
					t.Fatalf("%s: component %d of pixel %d is off by %.2f steps of 16 bits", name, c, i, d*65535)
				}
			}
		}
		return
	}
	t.Error("there are no normals")
}
