package handoff

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/scale"
	"aldermoor/core/station"
)

// scanned is a release of a station's scan at px pixels.
func scanned(t testing.TB, slug string, px int) (Material, map[material.Channel]*raster.Image) {
	t.Helper()
	for _, m := range station.Materials() {
		if m.Slug != slug {
			continue
		}
		s := station.Take(m, station.Options{Px: px, Seed: 1})
		enc := colour.NewTables()
		var base [3]raster.Plane
		for c, p := range s.Color {
			base[c] = raster.NewPlane(p.W, p.H)
			for i, v := range p.Pix {
				base[c].Pix[i] = enc.Encode(v)
			}
		}
		images := map[material.Channel]*raster.Image{
			material.BaseColor: raster.FromPlanes(base[:]...).Quantise(8),
			material.Normal:    s.Normal.Image().Quantise(16),
			material.Roughness: raster.FromPlanes(s.Roughness).Quantise(8),
			material.Occlusion: raster.FromPlanes(s.Occlusion).Quantise(8),
			material.Opacity:   raster.FromPlanes(s.Opacity).Quantise(8),
		}
		out := Material{Material: material.New(m.Size), ID: "7", Slug: slug, Name: m.Name, Number: 1, Released: time.Unix(1_790_000_000, 0), Licence: "CC0-1.0"}
		out.Depth = s.Depth
		out.Open = func(p *material.Map, udim string, _ int) (*raster.Image, error) {
			return images[material.Channel(p.Address(udim))], nil
		}
		for _, c := range material.All() {
			if im := images[c]; im != nil {
				out.Put(material.Source{Channel: c, Map: &material.Map{Blob: string(c), Component: "rgb", Width: im.W, Height: im.H, Bits: im.Bits, Direction: normals.Up}})
			}
		}
		return out, images
	}
	t.Fatalf("no material %q", slug)
	return Material{}, nil
}

// usual is the form that is taken where no profile is named, in some conventions.
type usual struct {
	Tier      scale.Tier
	Direction normals.Direction
	Gloss     bool
	EXR       bool
}

func (u usual) form() Form {
	p, _ := FindPreset(Scanned)
	c := Conventions{Normal: u.Direction.String(), EXR: u.EXR}
	if u.Gloss {
		c.Roughness = "glossiness"
	}
	return Form{Profile: p.With(c), Tier: u.Tier, Label: Label(Scanned, c)}
}

// written makes a handoff and opens it again.
func written(t *testing.T, m Material, p interface{ form() Form }) map[string][]byte {
	t.Helper()
	var b bytes.Buffer
	if err := Write(context.Background(), &b, m, p.form(), colour.NewTables()); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	out := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(r)
		if err != nil {
			t.Fatal(err)
		}
		name, ok := strings.CutPrefix(f.Name, m.Folder(p.form())+"/")
		if !ok {
			t.Errorf("%s lies outside of the folder", f.Name)
		}
		out[name] = data
	}
	return out
}

func decoded(t *testing.T, data []byte) *raster.Image {
	t.Helper()
	im, _, err := codec.Decode(data, codec.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	return im
}

func TestSourceTierKeepsSamplesExactly(t *testing.T) {
	m, src := scanned(t, "slates_round", 128)
	files := written(t, m, usual{Direction: normals.Up})
	for c, im := range src {
		got := decoded(t, files["maps/slates_round-"+string(c)+".png"])
		for k := range im.Planes {
			for i, v := range im.Ints(k) {
				if got.Ints(min(k, len(got.Planes)-1))[i] != v {
					t.Fatalf("%s: sample %d changed from %d to %d", c, i, v, got.Ints(k)[i])
				}
			}
		}
		if in, _ := codec.Probe(files["maps/slates_round-"+string(c)+".png"]); in.Bits != im.Bits {
			t.Errorf("%s: %d bits, want %d", c, in.Bits, im.Bits)
		}
	}
}

// Normals that leave z out, or keep x in the alpha, leave with all three components.
func TestNormalsLeaveWhole(t *testing.T) {
	m, images := scanned(t, "slates_round", 64)
	whole := images[material.Normal]
	flat := raster.NewPlane(whole.W, whole.H)
	one := filter.Map(flat, func(float32) float32 { return 1 })
	_, encode := colour.Curves()
	for name, im := range map[string]*raster.Image{
		"blue 0": raster.FromPlanes(whole.Plane(0), whole.Plane(1), flat), "blue 1": raster.FromPlanes(whole.Plane(0), whole.Plane(1), one), "two": raster.FromPlanes(whole.Plane(0), whole.Plane(1)),
		"swapped": raster.FromPlanes(whole.Plane(1), whole.Plane(0), whole.Plane(2)), "curve": raster.FromPlanes(filter.Map(whole.Plane(0), encode), filter.Map(whole.Plane(1), encode), filter.Map(whole.Plane(2), encode)),
		"x in alpha": raster.FromPlanes(one, whole.Plane(1), one, whole.Plane(0)), "y repeated, x in alpha": raster.FromPlanes(whole.Plane(1), whole.Plane(1), whole.Plane(1), whole.Plane(0)),
	} {
		images[material.Normal] = im.Quantise(16)
		m.Source(material.Normal).Map.Swapped, m.Source(material.Normal).Map.Curve = name == "swapped", name == "curve"
		got := decoded(t, written(t, m, usual{Direction: normals.Up})["maps/slates_round-normal.png"])
		for c := range 3 {
			for i := range flat.Pix {
				if d := math.Abs(float64(got.Planes[c].At(i) - whole.Planes[c].At(i))); d > 0.01 {
					t.Fatalf("%s: component %d of pixel %d is off by %.3f", name, c, i, d)
				}
			}
		}
	}
}

// What finer normals lose goes into roughness even where its own map has the size already.
func TestSpreadGoesIntoSmallRoughness(t *testing.T) {
	m, images := scanned(t, "gravel_pea", 128)
	rough := images[material.Roughness]
	small := raster.FromPlanes(rough.Plane(0).Resample(32, 32*rough.H/rough.W, raster.Area)).Quantise(8)
	images[material.Roughness] = small
	m.Source(material.Roughness).Map.Width, m.Source(material.Roughness).Map.Height = small.W, small.H
	got := decoded(t, written(t, m, usual{Direction: normals.Up})["maps/gravel_pea-roughness.png"])
	if a, b := got.Plane(0).Mean(), small.Plane(0).Mean(); got.W != 32 || a < b+0.005 {
		t.Errorf("roughness %.4f at %d px, was %.4f", a, got.W, b)
	}
}

func TestDownHasItsGreenInverted(t *testing.T) {
	m, src := scanned(t, "slates_round", 128)
	files := written(t, m, usual{Direction: normals.Down, Gloss: true})
	got := decoded(t, files["maps/slates_round-normal.png"])
	for i, v := range src[material.Normal].Ints(1) {
		if got.Ints(1)[i] != 65535-v {
			t.Fatalf("green %d came out as %d", v, got.Ints(1)[i])
		}
	}
	gloss := decoded(t, files["maps/slates_round-glossiness.png"])
	for i, v := range src[material.Roughness].Ints(0) {
		if gloss.Ints(0)[i] != 65535-v {
			t.Fatalf("roughness %d came out as glossiness %d", v, gloss.Ints(0)[i])
		}
	}
	if files["maps/slates_round-normal-yplus.png"] == nil || files["maps/slates_round-roughness.png"] != nil {
		t.Error("the Y+ map for the descriptions is missing, or roughness came along with glossiness")
	}
}

// As OpenEXR colours are light, heights are float, and what only glTF reads stays PNG.
func TestEXRHoldsLight(t *testing.T) {
	m, src := scanned(t, "slates_round", 128)
	height := raster.New(128, 128, 1, 16)
	for i := range height.Ints(0) {
		height.Ints(0)[i] = uint16(i * 4)
	}
	src[material.Height] = height
	m.Put(material.Source{Channel: material.Height, Map: &material.Map{Blob: "height", Component: "rgb", Width: 128, Height: 128, Bits: 16}})
	for _, d := range []normals.Direction{normals.Up, normals.Down} {
		files := written(t, m, usual{Direction: d, EXR: true})
		base := decoded(t, files["maps/slates_round-base_color.exr"])
		tables := colour.NewTables()
		for i, v := range src[material.BaseColor].Ints(1) {
			want := tables.Linear(float32(v) / 65535)
			if got := base.Floats(1)[i]; math.Abs(float64(got-want)) > 0.001*float64(want)+1e-6 { // half: 11 bits
				t.Fatalf("%d came out as %.5f, want %.5f", v, got, want)
			}
		}
		for i, v := range decoded(t, files["maps/slates_round-height.exr"]).Floats(0) {
			if uint16(v*65535+0.5) != height.Ints(0)[i] {
				t.Fatalf("height %d came out as %.7f", height.Ints(0)[i], v)
			}
		}
		green := decoded(t, files["maps/slates_round-normal.exr"]).Floats(1)
		for i, v := range src[material.Normal].Ints(1) {
			want := float64(v) / 65535
			if d == normals.Down {
				want = 1 - want
			}
			if math.Abs(float64(green[i])-want) > 0.0006 {
				t.Fatalf("green %.4f came out as %.4f", want, green[i])
			}
		}
		for _, doc := range []string{"slates_round.mtlx", "slates_round.gltf", "slates_round.usda"} {
			names := regexp.MustCompile(`maps/[a-z0-9_-]+\.(png|exr)`).FindAllString(string(files[doc]), -1)
			if len(names) < 3 {
				t.Errorf("%s names %v", doc, names)
			}
			for _, n := range names {
				if files[n] == nil {
					t.Errorf("%s names %s, which is not there", doc, n)
				}
				if doc == "slates_round.gltf" && strings.HasSuffix(n, ".exr") {
					t.Errorf("glTF names %s, which it can't read", n)
				}
			}
		}
		if !bytes.Contains(files["slates_round.mtlx"], []byte(`base_color.exr" colorspace="lin_rec709"`)) {
			t.Error("MaterialX takes light for sRGB")
		}
	}
}

// Every UDIM tile comes along, each with its own pixels, and the descriptions name all of them.
func TestTilesComeAlong(t *testing.T) {
	m, src := scanned(t, "slates_round", 64)
	tiles := map[material.Channel]*raster.Image{}
	for c, im := range src {
		tiles[c] = im
	}
	for _, s := range m.Sources {
		first, flipped := src[s.Channel], *src[s.Channel]
		flipped.Planes = nil
		for c := range first.Planes {
			q := slices.Clone(first.Ints(c))
			slices.Reverse(q)
			flipped.Planes = append(flipped.Planes, q)
		}
		second := string(s.Channel) + ".1002"
		tiles[material.Channel(second)] = &flipped
		s.Map.Tiles = []material.Tile{{UDIM: "1001", Blob: s.Map.Blob}, {UDIM: "1002", Blob: second}}
	}
	m.Open = func(p *material.Map, udim string, _ int) (*raster.Image, error) {
		return tiles[material.Channel(p.Address(udim))], nil
	}
	files := written(t, m, usual{Direction: normals.Up})
	for c, im := range src {
		a, b := decoded(t, files["maps/slates_round-"+string(c)+".1001.png"]), decoded(t, files["maps/slates_round-"+string(c)+".1002.png"])
		last := len(im.Ints(0)) - 1
		if a.Ints(0)[5] != im.Ints(0)[5] || b.Ints(0)[5] != im.Ints(0)[last-5] {
			t.Errorf("%s: the tiles are not their own", c)
		}
	}
	if !bytes.Contains(files["slates_round.mtlx"], []byte(`maps/slates_round-normal.&lt;UDIM&gt;.png`)) || !bytes.Contains(files["slates_round.usda"], []byte("@./maps/slates_round-normal.<UDIM>.png@")) {
		t.Errorf("the descriptions do not name all tiles: %s", regexp.MustCompile(`maps/[^"@]*normal[^"@]*`).FindAll(append(files["slates_round.mtlx"], files["slates_round.usda"]...), -1))
	}
	if !bytes.Contains(files["slates_round.gltf"], []byte("normal.1001.png")) {
		t.Error("glTF does not name the first tile")
	}
}

func TestSmallerTierKeepsTheMeanOfLight(t *testing.T) {
	m, src := scanned(t, "tile_encaustic", 2048)
	files := written(t, m, usual{Tier: scale.T1K, Direction: normals.Up})
	got := decoded(t, files["maps/tile_encaustic-base_color.png"])
	if got.W != 1024 || got.H != 1024 {
		t.Fatalf("%d × %d", got.W, got.H)
	}
	tab := colour.NewTables()
	light := func(im *raster.Image, c int) (sum float64) {
		for _, v := range im.Ints(c) {
			sum += float64(tab.Linear16(v))
		}
		return sum / float64(len(im.Ints(c)))
	}
	for c := range 3 {
		a, b := light(src[material.BaseColor], c), light(got, c)
		if math.Abs(b/a-1) > 0.005 {
			t.Errorf("component %d: linear mean %.5f became %.5f", c, a, b)
		}
	}
	n := normals.Read(decoded(t, files["maps/tile_encaustic-normal.png"]), 0)
	if d, _ := normals.Guess(n); d != normals.Up {
		t.Errorf("the smaller normals point %v", d)
	}
}

func TestChecksumsAndRelativeNames(t *testing.T) {
	m, _ := scanned(t, "grating_iron", 128)
	files := written(t, m, usual{Direction: normals.Down})
	lines := strings.Split(strings.TrimSpace(string(files["CHECKSUMS.sha256"])), "\n")
	if len(lines) != len(files)-1 {
		t.Errorf("%d checksums for %d files", len(lines), len(files)-1)
	}
	for _, l := range lines {
		sum, name, _ := strings.Cut(l, "  ")
		if got := fmt.Sprintf("%x", sha256.Sum256(files[name])); got != sum {
			t.Errorf("%s: the checksum is wrong", name)
		}
	}
	var doc struct {
		Images []struct{ URI string }
	}
	if err := json.Unmarshal(files["grating_iron.gltf"], &doc); err != nil {
		t.Fatal(err)
	}
	for _, im := range doc.Images {
		if files[im.URI] == nil {
			t.Errorf("the glTF points at %s, which is not there", im.URI)
		}
	}
	d := xml.NewDecoder(bytes.NewReader(files["grating_iron.mtlx"]))
	for {
		tok, err := d.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatalf("MaterialX: %v", err)
		}
		if e, ok := tok.(xml.StartElement); ok && e.Name.Local == "input" {
			attr := map[string]string{}
			for _, a := range e.Attr {
				attr[a.Name.Local] = a.Value
			}
			if attr["type"] == "filename" && files[attr["value"]] == nil {
				t.Errorf("the MaterialX points at %s, which is not there", attr["value"])
			}
		}
	}
	for part := range strings.SplitSeq(string(files["grating_iron.usda"]), "@./") {
		if name, _, ok := strings.Cut(part, "@"); ok && strings.HasPrefix(name, "maps/") && files[name] == nil {
			t.Errorf("the USD points at %s, which is not there", name)
		}
	}
	if !strings.Contains(string(files["LICENCE.txt"]), "CC0-1.0") {
		t.Error("the licence is not named")
	}
}

func TestEstimateIsNearTheTruth(t *testing.T) {
	m, _ := scanned(t, "jetty_plank", 512)
	for _, s := range m.Sources {
		var b bytes.Buffer
		im, _ := m.Open(s.Map, "", 0)
		codec.EncodePNG(&b, im, codec.PNGOptions{})
		s.Map.Ratio = float64(b.Len()) / float64(im.W*im.H*im.Components()*im.Bits/8)
	}
	var b bytes.Buffer
	p := usual{Direction: normals.Up}
	if err := Write(context.Background(), &b, m, p.form(), colour.NewTables()); err != nil {
		t.Fatal(err)
	}
	if got := m.Estimate(p.form()); math.Abs(float64(got.Fetch)/float64(b.Len())-1) > 0.25 {
		t.Errorf("estimated %d bytes, wrote %d", got.Fetch, b.Len())
	}
}

func ExampleMaterial_Folder() {
	fmt.Println(Material{Slug: "slates", Number: 2}.Folder(usual{Tier: scale.T4K}.form()))
	// Output: slates-r2-4k
}

// A height in metres leaves over the whole of 0..1, with the depth that makes it true.
func TestMetricHeightsFillTheRange(t *testing.T) {
	m, images := scanned(t, "slates_round", 64)
	rough := images[material.Roughness]
	metres := filter.Map(rough.Plane(0), func(v float32) float32 { return v*0.012 - 0.004 })
	lo, hi := metres.Range()
	images[material.Height] = raster.FromPlanes(metres)
	m.Depth = float64(hi - lo)
	m.Put(material.Source{Channel: material.Height, Map: &material.Map{Blob: "height", Component: "r", Width: rough.W, Height: rough.H, Bits: 32, Float: true, Span: [2]float64{float64(lo), float64(hi)}}})
	files := written(t, m, usual{Direction: normals.Up})
	a, b := decoded(t, files["maps/slates_round-height.png"]).Plane(0).Range()
	if a > 0.001 || b < 0.999 {
		t.Errorf("the height fills %.3f to %.3f", a, b)
	}
	var about struct {
		Depth float64 `json:"depth_m"`
	}
	if err := json.Unmarshal(files["material.json"], &about); err != nil || math.Abs(about.Depth-float64(hi-lo)) > 1e-6 {
		t.Errorf("depth %v, want %v: %v", about.Depth, hi-lo, err)
	}
}

// Light above 1 leaves with its hue, and its strength in every description.
func TestEmissiveStrength(t *testing.T) {
	m, images := scanned(t, "slates_round", 64)
	w, h := images[material.Roughness].W, images[material.Roughness].H
	glow := raster.NewFloat(w, h, 3, 32)
	for c, v := range []float32{8, 3.2, 0.8} {
		for i := range glow.Floats(c) {
			glow.Floats(c)[i] = v
		}
	}
	images[material.Emissive] = glow
	m.Put(material.Source{Channel: material.Emissive, Map: &material.Map{Blob: "emissive", Component: "rgb", Width: w, Height: h, Bits: 32, Float: true, Span: [2]float64{0, 8}}})
	files := written(t, m, usual{Direction: normals.Up})
	got := decoded(t, files["maps/slates_round-emissive.png"])
	tables := colour.NewTables()
	for c, want := range []float64{1, 0.4, 0.1} {
		if v := float64(tables.Linear(got.Planes[c].At(5))); math.Abs(v-want) > 0.005 {
			t.Errorf("component %d is %.3f, want %.3f", c, v, want)
		}
	}
	for file, want := range map[string]string{"slates_round.gltf": `"emissiveStrength": 8`, "slates_round.mtlx": `name="emission" type="float" value="8"`, "slates_round.usda": "inputs:scale = (8, 8, 8, 1)", "material.json": `"emissive_strength": 8`} {
		if !bytes.Contains(files[file], []byte(want)) {
			t.Errorf("%s does not say %s", file, want)
		}
	}
}

// material.json has every file with its role and checksum; what is not known is said to be.
func TestWhatMaterialJSONSays(t *testing.T) {
	m, _ := scanned(t, "slates_round", 64)
	m.MaterialID, m.SizeSource, m.Licence, m.Author = "12", "sidecar", "CC-BY-4.0", "A. Gull"
	m.Source(material.Normal).Map.Direction = normals.Unknown
	files := written(t, m, usual{Tier: scale.T8K, Direction: normals.Down, Gloss: true})
	var about struct {
		MaterialID  string            `json:"material_id"`
		SizeSource  string            `json:"size_source"`
		Workflow    string            `json:"workflow"`
		Tier        string            `json:"tier"`
		Conventions map[string]string `json:"conventions"`
		Files       []aboutFile       `json:"files"`
	}
	if err := json.Unmarshal(files["material.json"], &about); err != nil {
		t.Fatal(err)
	}
	if about.MaterialID != "12" || about.SizeSource != "sidecar" || about.Workflow != "metal_rough" || about.Tier != "source" || about.Conventions["normal"] != "unknown" {
		t.Errorf("%+v", about)
	}
	roles := map[string]int{}
	for _, f := range about.Files {
		roles[f.Role]++
		if sum := fmt.Sprintf("%x", sha256.Sum256(files[f.File])); f.SHA256 != sum || f.Bytes != int64(len(files[f.File])) {
			t.Errorf("%s: %s of %d bytes, is %s of %d", f.File, f.SHA256, f.Bytes, sum, len(files[f.File]))
		}
	}
	if len(about.Files) != len(files)-2 || roles["description"] != 3 || roles["licence"] != 1 || roles["map"] < 5 {
		t.Errorf("%d of %d files: %v", len(about.Files), len(files), roles)
	}
	if text := string(files["LICENCE.txt"]); !strings.Contains(text, "Name the author") || !strings.Contains(text, "by A. Gull, CC-BY-4.0") || !strings.Contains(text, "/CC-BY-4.0.html") {
		t.Errorf("%s", text)
	}
	if f := m.Folder(usual{Tier: scale.T8K, Direction: normals.Down, Gloss: true}.form()); f != "slates_round-r1-source-yminus-gloss" {
		t.Error(f)
	}
}

// Colours of another gamut leave as sRGB, in integers and in floats.
func TestGamutsLeaveAsSRGB(t *testing.T) {
	m, images := scanned(t, "slates_round", 64)
	base := images[material.BaseColor]
	g := colour.Gamut{Curve: colour.Curve{G: 2.2, A: 1}, Matrix: [9]float64{1.3984, -0.3984, 0, 0, 1, 0, 0, -0.0429, 1.0429}}
	linear, _ := colour.Curves()
	light, coded := make([]raster.Plane, 3), make([]raster.Plane, 3)
	for c := range light {
		light[c], coded[c] = raster.NewPlane(base.W, base.H), raster.NewPlane(base.W, base.H)
	}
	for i := range light[0].Pix {
		r, gr, b := float64(linear(base.Planes[0].At(i))), float64(linear(base.Planes[1].At(i))), float64(linear(base.Planes[2].At(i)))
		for c, v := range [3]float64{(r + 0.3984*gr) / 1.3984, gr, (b + 0.0429*gr) / 1.0429} { // the matrix undone
			light[c].Pix[i], coded[c].Pix[i] = float32(v), float32(math.Pow(v, 1/2.2))
		}
	}
	p := m.Source(material.BaseColor).Map
	p.Gamut = &g
	for name, im := range map[string]*raster.Image{"integers": raster.FromPlanes(coded...).Quantise(16), "floats": raster.FromPlanes(light...)} {
		images[material.BaseColor], p.Float = im, name == "floats"
		got := decoded(t, written(t, m, usual{Direction: normals.Up})["maps/slates_round-base_color.png"])
		for c := range 3 {
			for i := range base.W * base.H {
				if d := math.Abs(float64(got.Planes[c].At(i) - base.Planes[c].At(i))); d > 0.006 {
					t.Fatalf("%s: component %d of pixel %d is off by %.4f", name, c, i, d)
				}
			}
		}
	}
}

// Float sources (OpenEXR, HDR) come out as integers in the same conventions: light is encoded, data kept, signed
// normals brought to 0..1.
func TestFloatSources(t *testing.T) {
	m, images := scanned(t, "slates_round", 64)
	tables := colour.NewTables()
	floats := map[string]*raster.Image{}
	for _, s := range m.Sources {
		im := images[s.Channel]
		var planes []raster.Plane
		for c := range im.Components() {
			p := im.Plane(c)
			for k, v := range p.Pix {
				switch s.Channel {
				case material.BaseColor:
					p.Pix[k] = tables.Linear(v)
				case material.Normal:
					p.Pix[k] = 2*v - 1
				}
			}
			planes = append(planes, p)
		}
		float := raster.FromPlanes(planes...)
		float.Bits = 16
		s.Map.Bits, floats[s.Map.Blob] = 16, float
	}
	m.Open = func(p *material.Map, _ string, _ int) (*raster.Image, error) { return floats[p.Blob], nil }
	for _, tier := range []scale.Tier{scale.SourceTier, 32} {
		files := written(t, m, usual{Tier: tier, Direction: normals.Up})
		for _, c := range []material.Channel{material.BaseColor, material.Normal, material.Roughness} {
			name := ""
			for f := range files {
				if strings.HasSuffix(f, "-"+string(c)+".png") {
					name = f
				}
			}
			got, in, err := codec.Decode(files[name], codec.DefaultLimits)
			if err != nil {
				t.Fatalf("%s: %v", c, err)
			}
			if in.Bits != 16 {
				t.Errorf("%s has %d bits", c, in.Bits)
			}
			want := images[c]
			if tier != scale.SourceTier {
				if got.W != 32 {
					t.Errorf("%s is %d wide", c, got.W)
				}
				continue
			}
			var worst float64
			for k := range got.Planes {
				a, b := got.Plane(k), want.Plane(k)
				for i := range b.Pix {
					worst = max(worst, math.Abs(float64(a.Pix[i]-b.Pix[i])))
				}
			}
			if worst > 0.004 {
				t.Errorf("%s is %.4f off", c, worst)
			}
		}
	}
}

func TestGlossBecomesRoughnessAndBack(t *testing.T) {
	m, images := scanned(t, "slates_round", 32)
	m.Source(material.Roughness).Channel = material.Glossiness
	for gloss, name := range map[bool]string{true: "glossiness", false: "roughness"} {
		for f, data := range written(t, m, usual{Direction: normals.Up, Gloss: gloss}) {
			if !strings.HasSuffix(f, "-"+name+".png") {
				continue
			}
			got, _, err := codec.Decode(data, codec.DefaultLimits)
			if err != nil {
				t.Fatal(err)
			}
			want := images[material.Roughness].Ints(0)[77]
			if !gloss {
				want = 65535 - want
			}
			if got.Ints(0)[77] != want {
				t.Errorf("%s: %d, want %d", name, got.Ints(0)[77], want)
			}
		}
	}
}

func TestWhatCannotBeLoadedStopsTheHandoff(t *testing.T) {
	m, _ := scanned(t, "slates_round", 32)
	open := m.Open
	m.Open = func(p *material.Map, udim string, n int) (*raster.Image, error) {
		if p.Blob == "normal" {
			return nil, fmt.Errorf("the disk is gone")
		}
		return open(p, udim, n)
	}
	err := Write(context.Background(), io.Discard, m, usual{Direction: normals.Up}.form(), colour.NewTables())
	if err == nil || !strings.Contains(err.Error(), "the disk is gone") || !strings.Contains(err.Error(), "normal") {
		t.Error(err)
	}
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	m, _ = scanned(t, "slates_round", 32)
	if err := Write(gone, io.Discard, m, usual{Direction: normals.Up}.form(), colour.NewTables()); err == nil {
		t.Error("a handoff went on for nobody")
	}
}

// A channel with one value everywhere has no file: the descriptions give the value. Figures are in the maps that are handed out.
func TestConstantsAndFigures(t *testing.T) {
	m, images := scanned(t, "slates_round", 64)
	m.Figures = material.Neutral()
	m.Figures.Tint, m.Figures.Roughness, m.Figures.NormalStrength = [3]float64{0.5, 1, 1}, [2]float64{0.2, 0.6}, 2
	m.Put(material.Constant(material.Metallic, 0.25))
	m.Put(material.Constant(material.Emissive, 0.1, 0.2, 0.3))
	files := written(t, m, usual{Direction: normals.Up})
	tables := colour.NewTables()
	base, rough := decoded(t, files["maps/slates_round-base_color.png"]), decoded(t, files["maps/slates_round-roughness.png"])
	for i := range base.Ints(0) {
		was := tables.Linear16(images[material.BaseColor].Ints(0)[i])
		if got := tables.Linear16(base.Ints(0)[i]); math.Abs(float64(got-was/2)) > 0.006 {
			t.Fatalf("red %.4f came out as %.4f under a tint of half", was, got)
		}
		want := 0.2 + 0.4*images[material.Roughness].Planes[0].At(i)
		if got := rough.Planes[0].At(i); math.Abs(float64(got-want)) > 0.003 {
			t.Fatalf("roughness came out as %.4f, want %.4f", got, want)
		}
	}
	was, got := normals.Read(images[material.Normal], 0), normals.Read(decoded(t, files["maps/slates_round-normal.png"]), 0)
	var steep, want float64
	for i := range was.X.Pix {
		p, _ := was.Slopes(i, normals.Up)
		q, _ := got.Slopes(i, normals.Up)
		steep, want = steep+math.Abs(float64(q)), want+2*math.Abs(float64(p))
	}
	if math.Abs(steep/want-1) > 0.02 {
		t.Errorf("the slopes are %.3f of what they should be", steep/want)
	}
	for file, texts := range map[string][]string{
		"slates_round.mtlx": {`name="metalness" type="float" value="0.25"`, `name="emission_color" type="color3" value="0.1, 0.2, 0.3"`},
		"slates_round.usda": {"float inputs:metallic = 0.25", "color3f inputs:emissiveColor = (0.1, 0.2, 0.3)"},
		"slates_round.gltf": {`"emissiveFactor": [`},
		"material.json":     {`"metallic": 0.25`},
	} {
		for _, text := range texts {
			if !bytes.Contains(files[file], []byte(text)) {
				t.Errorf("%s does not say %s", file, text)
			}
		}
	}
	if packed := decoded(t, files["maps/slates_round-occlusion-roughness-metallic.png"]); packed.Ints(2)[9] != 64*257 {
		t.Errorf("the packed map holds a metallic of %d", packed.Ints(2)[9]/257)
	}
}

// Metals of the spec-gloss workflow do not turn black in descriptions that know metal-rough only.
func TestSpecGlossIsConverted(t *testing.T) {
	m, images := scanned(t, "slates_round", 64)
	gold := raster.New(images[material.BaseColor].W, images[material.BaseColor].H, 3, 8)
	for i := range gold.Ints(0) {
		gold.Ints(0)[i], gold.Ints(1)[i], gold.Ints(2)[i] = 255*257, 226*257, 155*257
	}
	images[material.Specular], images[material.Glossiness] = gold, images[material.Roughness]
	images[material.BaseColor] = raster.New(gold.W, gold.H, 3, 8)
	m.Sources = nil
	for _, c := range []material.Channel{material.BaseColor, material.Specular, material.Glossiness} {
		m.Put(material.Source{Channel: c, Map: &material.Map{Blob: string(c), Component: "rgb", Width: gold.W, Height: gold.H, Bits: 8}})
	}
	for _, p := range []usual{{Direction: normals.Up}, {Direction: normals.Up, EXR: true}} {
		files := written(t, m, p)
		base, packed := decoded(t, files["maps/slates_round-metal_rough-base_color.png"]), decoded(t, files["maps/slates_round-occlusion-roughness-metallic.png"])
		if r, g, b := base.Ints(0)[9]/257, base.Ints(1)[9]/257, base.Ints(2)[9]/257; r < 253 || g < 223 || g > 229 || b < 150 || b > 160 {
			t.Errorf("gold became %d %d %d", r, g, b)
		}
		if packed.Ints(2)[9] < 65000 {
			t.Errorf("gold has a metallic of %d", packed.Ints(2)[9])
		}
		for _, doc := range []string{"slates_round.gltf", "slates_round.mtlx", "slates_round.usda"} {
			if !bytes.Contains(files[doc], []byte("maps/slates_round-metal_rough-base_color.png")) {
				t.Errorf("%s names the diffuse map", doc)
			}
		}
	}
}

// A plain finish, a material without maps, is handed out as its descriptions alone.
func TestPlainFinish(t *testing.T) {
	m := Material{Material: material.New(scale.Size{W: 1, H: 1}), ID: "1", Slug: "pewter", Name: "Pewter", Number: 1, Released: time.Unix(1_790_000_000, 0)}
	for _, s := range []material.Source{material.Constant(material.BaseColor, 0.5, 0.5, 0.52), material.Constant(material.Roughness, 0.4), material.Constant(material.Metallic, 1)} {
		m.Put(s)
	}
	files := written(t, m, usual{Direction: normals.Up})
	var doc struct {
		Textures  []any
		Materials []struct {
			PBR struct {
				BaseColorFactor                 []float64
				RoughnessFactor, MetallicFactor float64
			} `json:"pbrMetallicRoughness"`
		}
	}
	if err := json.Unmarshal(files["pewter.gltf"], &doc); err != nil {
		t.Fatal(err)
	}
	if pbr := doc.Materials[0].PBR; pbr.RoughnessFactor != 0.4 || pbr.MetallicFactor != 1 || len(pbr.BaseColorFactor) != 4 || pbr.BaseColorFactor[2] != 0.52 || len(doc.Textures) > 0 {
		t.Errorf("%+v", doc)
	}
	if !bytes.Contains(files["pewter.mtlx"], []byte(`name="base_color" type="color3" value="0.5, 0.5, 0.52"`)) || bytes.Contains(files["pewter.mtlx"], []byte("nodegraph")) {
		t.Errorf("%s", files["pewter.mtlx"])
	}
}

// Names that other formats stumble over, a size that is not known, and a tile that one map lacks.
func TestAwkwardMaterials(t *testing.T) {
	m, _ := scanned(t, "slates_round", 64)
	for _, slug := range []string{"maps", "surface", "relief"} {
		m.Slug, m.Name = slug, "Slates --- round -"
		files := written(t, m, usual{Direction: normals.Up})
		seen := map[string]bool{}
		d := xml.NewDecoder(bytes.NewReader(files[slug+".mtlx"]))
		for depth := 0; ; {
			tok, err := d.Token()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatalf("%s: MaterialX: %v", slug, err)
			}
			switch e := tok.(type) {
			case xml.StartElement:
				for _, a := range e.Attr {
					if depth == 1 && a.Name.Local == "name" {
						if seen[a.Value] {
							t.Errorf("%s: two nodes are called %q", slug, a.Value)
						}
						seen[a.Value] = true
					}
				}
				depth++
			case xml.EndElement:
				depth--
			}
		}
	}
	m.Slug, m.Size = "slates", scale.Size{}
	files := written(t, m, usual{Direction: normals.Up})
	for _, name := range []string{"slates.mtlx", "slates.usda", "slates.gltf", "material.json"} {
		if bytes.Contains(files[name], []byte(`name="metres"`)) || bytes.Contains(files[name], []byte("One repeat is")) || bytes.Contains(files[name], []byte("width_m")) {
			t.Errorf("%s states a size that is not known", name)
		}
	}
	if bytes.Count(files["slates.gltf"], []byte("occlusion-roughness-metallic.png")) != 1 {
		t.Error("the packed map is listed more than once")
	}
	if u := files["slates.usda"]; !bytes.Contains(u, []byte("outputs:displacement.connect = </slates/material/surface.outputs:displacement>")) || !bytes.Contains(u, []byte("rel material:binding = </slates/material>")) {
		t.Errorf("USD: the displacement or the quad is not bound:\n%s", u)
	}

	for _, s := range m.Sources {
		s.Map.Tiles = []material.Tile{{UDIM: "1001", Blob: s.Map.Blob}, {UDIM: "1002", Blob: s.Map.Blob}}
	}
	m.Map(material.Occlusion).Tiles = m.Map(material.Occlusion).Tiles[:1]
	m.Map(material.Opacity).Tiles = m.Map(material.Opacity).Tiles[:1]
	files = written(t, m, usual{Direction: normals.Up})
	if files["maps/slates-occlusion.1002.png"] != nil || files["maps/slates-occlusion.1001.png"] == nil || files["maps/slates-base_color.1002.png"] == nil {
		t.Error("a tile that is not there got another's pixels")
	}
	if cut := decoded(t, files["maps/slates-base_color-opacity.1002.png"]); cut.Components() == 4 && cut.Ints(3)[0] != 65535 {
		t.Error("where the opacity has no tile the surface is clear")
	}
}

// Made smaller, a cut-out keeps the colour of what is there: the ground behind it does not show at its edges.
func TestCutOutsHaveNoFringes(t *testing.T) {
	const n = 2048
	colours, opacity := raster.New(n, n, 3, 8), raster.New(n, n, 1, 8)
	for i := range n * n {
		if (i%n/3+i/n/3)%2 == 0 { // a leaf of red in front of black, by squares of three pixels
			colours.Ints(0)[i], opacity.Ints(0)[i] = 65535, 65535
		}
	}
	images := map[string]*raster.Image{"c": colours, "o": opacity}
	m := Material{Material: material.New(scale.Size{W: 1, H: 1}), Slug: "leaf", Name: "Leaf", Number: 1,
		Open: func(p *material.Map, _ string, _ int) (*raster.Image, error) { return images[p.Blob], nil }}
	m.Put(material.Source{Channel: material.BaseColor, Map: &material.Map{Blob: "c", Component: "rgb", Width: n, Height: n, Bits: 8}})
	m.Put(material.Source{Channel: material.Opacity, Map: &material.Map{Blob: "o", Component: "r", Width: n, Height: n, Bits: 8}})
	files := written(t, m, usual{Tier: scale.T1K, Direction: normals.Up})
	small, there := decoded(t, files["maps/leaf-base_color.png"]), decoded(t, files["maps/leaf-opacity.png"])
	for i, v := range small.Ints(0) {
		if there.Ints(0)[i] > 257 && v < 65000 {
			t.Fatalf("pixel %d is %d where %d of it is there", i, v, there.Ints(0)[i])
		}
	}
}
