package material_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// pictures opens maps by their address.
type pictures map[string]*raster.Image

func (p pictures) open(m *material.Map, udim string, _ int) (*raster.Image, error) {
	return p[m.Address(udim)], nil
}

func of(values ...uint16) *raster.Image {
	im := raster.New(2, 2, len(values), 8)
	for c, v := range values {
		for i := range 4 {
			im.Ints(c)[i] = v * 257
		}
	}
	return im
}

func mapped(c material.Channel, blob, component string, d normals.Direction) material.Source {
	return material.Source{Channel: c, Map: &material.Map{Blob: blob, Component: component, Width: 2, Height: 2, Bits: 8, Direction: d}}
}

func near(t *testing.T, what string, got float32, want float64) {
	t.Helper()
	if math.Abs(float64(got)-want) > 1e-4 {
		t.Errorf("%s is %.5f, want %.5f", what, got, want)
	}
}

// Every channel is read as what it means: light, metres, Y+, roughness.
func TestDecode(t *testing.T) {
	files := pictures{"base": of(188, 188, 188), "pack": of(255, 51, 102), "normal": of(178, 128, 220), "height": of(204)}
	m := material.New(scale.Size{W: 2, H: 2})
	m.Depth, m.Zero = 0.01, 0.5
	m.Sources = []material.Source{mapped(material.BaseColor, "base", "rgb", 0), mapped(material.Glossiness, "pack", "g", 0), mapped(material.Metallic, "pack", "b", 0),
		mapped(material.Normal, "normal", "rgb", normals.Down), mapped(material.Height, "height", "rgb", 0), material.Constant(material.Occlusion, 0.7)}
	p, err := material.Decode(&m, files.open, 0)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "base colour", p.Color[1].Pix[3], float64(colour.Linear(188.0/255)))
	near(t, "roughness", p.Roughness.Pix[0], 0.8)
	near(t, "metallic", p.Metallic.Pix[0], 0.4)
	near(t, "height", p.Height.Pix[0], 0.003)
	near(t, "occlusion", p.Occlusion.Pix[0], 0.7)
	if files["normal"].Ints(0)[0] != 178*257 {
		t.Error("Decode has changed a picture")
	}
	steep, _ := p.Normal.Slopes(0, normals.Up)
	if w, h := p.Largest(); w != 2 || h != 2 {
		t.Errorf("the largest plane has %d × %d", w, h)
	}

	m.Figures = material.Neutral()
	m.Figures.Tint, m.Figures.Roughness, m.Figures.NormalStrength, m.Figures.Opacity = [3]float64{1, 0.5, 1}, [2]float64{0.1, 0.6}, 3, 0.5
	m.Put(material.Constant(material.Opacity, 0.8))
	if p, err = material.Decode(&m, files.open, 0); err != nil {
		t.Fatal(err)
	}
	near(t, "tinted base colour", p.Color[1].Pix[3], float64(colour.Linear(188.0/255))/2)
	near(t, "roughness within a range", p.Roughness.Pix[0], 0.5)
	near(t, "opacity", p.Opacity.Pix[0], 0.4)
	steeper, _ := p.Normal.Slopes(0, normals.Up)
	near(t, "three times the slope", steeper, 3*float64(steep))

	m.Depth = 0
	if p, _ = material.Decode(&m, files.open, 0); p.Height.W != 0 {
		t.Error("a height of unknown depth was read")
	}
	broken := func(*material.Map, string, int) (*raster.Image, error) { return nil, errors.New("the disk is gone") }
	if _, err = material.Decode(&m, broken, 0); err == nil {
		t.Error("a map that cannot be opened is no error")
	}
}

// A variant has its parent's values but for what it states; the parent's changes flow through, and another parent can be put in its place.
func TestResolve(t *testing.T) {
	oak := material.New(scale.Size{W: 1.2, H: 1.2})
	oak.Sources = []material.Source{mapped(material.BaseColor, "oak", "rgb", 0), mapped(material.Roughness, "rough", "r", 0)}
	oak.Depth = 0.002
	tint, strength, small := [3]float64{0.3, 0.2, 0.1}, 2.0, scale.Size{W: 0.6, H: 0.6}
	dark := material.Overrides{Tint: &tint, NormalStrength: &strength}
	wet := material.Overrides{Sources: []material.Source{material.Constant(material.Roughness, 0.1)}, Size: &small}

	v := material.Resolve(oak, dark, wet)
	if v.Figures.Tint != tint || v.Figures.NormalStrength != 2 || v.Size != small || v.Map(material.BaseColor).Blob != "oak" || v.Map(material.Roughness) != nil || v.Source(material.Roughness).Value[0] != 0.1 || v.Depth != 0.002 {
		t.Errorf("%+v", v)
	}
	if oak.Map(material.Roughness) == nil || oak.Figures != material.Neutral() {
		t.Error("the parent was changed")
	}
	oak.Depth = 0.004
	if material.Resolve(oak, dark, wet).Depth != 0.004 {
		t.Error("the parent's change does not flow through")
	}
	elm := material.New(scale.Size{W: 2, H: 2})
	elm.Sources = []material.Source{mapped(material.BaseColor, "elm", "rgb", 0)}
	if v = material.Resolve(elm, dark); v.Map(material.BaseColor).Blob != "elm" || v.Figures.Tint != tint || v.Size.W != 2 {
		t.Errorf("under another parent: %+v", v)
	}
	dark.Tint = nil
	if material.Resolve(oak, dark).Figures.Tint != [3]float64{1, 1, 1} {
		t.Error("an override cannot be reset")
	}

	// As they are kept in rows.
	data, err := json.Marshal(wet)
	if err != nil {
		t.Fatal(err)
	}
	var back material.Overrides
	if err := json.Unmarshal(data, &back); err != nil || *back.Size != small || back.Sources[0].Value[0] != 0.1 || back.Depth != nil {
		t.Errorf("%s became %+v (%v)", data, back, err)
	}
}

func TestWorkflowAndExtent(t *testing.T) {
	m := material.New(scale.Size{})
	if m.Workflow() != "plain" || m.Extent() != (scale.Size{W: 1, H: 1}) {
		t.Errorf("nothing at all is %s, %v", m.Workflow(), m.Extent())
	}
	wide := mapped(material.Specular, "s", "rgb", 0)
	wide.Map.Width = 4
	m.Sources = []material.Source{wide, mapped(material.Glossiness, "g", "r", 0)}
	if m.Workflow() != "spec_gloss" || m.Extent() != (scale.Size{W: 1, H: 0.5}) {
		t.Errorf("%s, %v", m.Workflow(), m.Extent())
	}
	m.Put(mapped(material.Metallic, "m", "r", 0))
	if m.Workflow() != "metal_rough" || len(m.Mapped()) != 3 {
		t.Errorf("%s, %v", m.Workflow(), m.Mapped())
	}
}

// Known surfaces come out as what they are: gold a metal of its colour, plaster none.
func TestMetalRough(t *testing.T) {
	for name, c := range map[string]struct {
		diffuse, specular, base [3]float32
		metallic                float32
	}{
		"gold":    {[3]float32{0, 0, 0}, [3]float32{1, 0.77, 0.34}, [3]float32{1, 0.77, 0.34}, 1},
		"plaster": {[3]float32{0.5, 0.4, 0.3}, [3]float32{0.04, 0.04, 0.04}, [3]float32{0.5, 0.4, 0.3}, 0},
		"soot":    {[3]float32{0.02, 0.02, 0.02}, [3]float32{0.02, 0.02, 0.02}, [3]float32{0.0204, 0.0204, 0.0204}, 0},
	} {
		base, metallic := material.MetalRough(c.diffuse, c.specular)
		if math.Abs(float64(metallic-c.metallic)) > 0.02 {
			t.Errorf("%s has a metallic of %.3f", name, metallic)
		}
		for k := range base {
			if math.Abs(float64(base[k]-c.base[k])) > 0.02 {
				t.Errorf("%s: component %d is %.3f, want %.3f", name, k, base[k], c.base[k])
			}
		}
	}
	// What metal-rough gives and back: mixtures keep their light.
	for m := float32(0); m <= 1; m += 0.25 {
		want := [3]float32{0.6, 0.5, 0.4}
		var diffuse, specular [3]float32
		most := float32(0)
		for k, v := range want {
			specular[k] = 0.04 + (v-0.04)*m
			most = max(most, specular[k])
		}
		for k, v := range want {
			diffuse[k] = v * (1 - 0.04) * (1 - m) / (1 - most)
		}
		base, metallic := material.MetalRough(diffuse, specular)
		if math.Abs(float64(metallic-m)) > 0.12 || math.Abs(float64(base[0]-want[0])) > 0.08 {
			t.Errorf("a metallic of %.2f became %.2f, the colour %.2f", m, metallic, base[0])
		}
	}
}

// Light of another gamut is light of sRGB's, from the whole file and from a reduced copy, which
// holds it in integers.
func TestLightOfAnotherGamut(t *testing.T) {
	whole := raster.NewFloat(4, 4, 3, 32)
	for c, v := range []float32{0.5, 0.25, 0.125} {
		for i := range whole.Floats(c) {
			whole.Floats(c)[i] = v
		}
	}
	want := [3]float64{1.2249*0.5 - 0.2249*0.25, -0.0421*0.5 + 1.0421*0.25, -0.0196*0.5 - 0.0786*0.25 + 1.0983*0.125}
	for name, im := range map[string]*raster.Image{"whole": whole, "reduced": whole.Quantise(16)} {
		m := material.New(scale.Size{W: 1, H: 1})
		m.Put(material.Source{Channel: material.BaseColor, Map: &material.Map{Component: "rgb", Width: 4, Height: 4, Float: true,
			Gamut: &colour.Gamut{Matrix: [9]float64{1.2249, -0.2249, 0, -0.0421, 1.0421, 0, -0.0196, -0.0786, 1.0983}}}})
		out, err := material.Decode(&m, func(*material.Map, string, int) (*raster.Image, error) { return im, nil }, 0)
		if err != nil {
			t.Fatal(err)
		}
		for c := range want {
			if d := math.Abs(float64(out.Color[c].Pix[3]) - want[c]); d > 1e-3 {
				t.Errorf("%s: component %d is %.4f, want %.4f", name, c, out.Color[c].Pix[3], want[c])
			}
		}
	}
}

func ExampleResolve() {
	slate := material.New(scale.Size{W: 1.8, H: 1.2})
	slate.Put(material.Constant(material.BaseColor, 0.08, 0.08, 0.09))
	wet := [2]float64{0, 0.4}
	v := material.Resolve(slate, material.Overrides{Roughness: &wet})
	fmt.Println(v.Size.W, v.Figures.Roughness, v.Source(material.BaseColor).Value)
	// Output: 1.8 [0 0.4] [0.08 0.08 0.09]
}

// A colour of floats with one sample a little below black keeps all others; heights and vectors keep their range.
func TestSamplesOutOfRange(t *testing.T) {
	im := raster.NewFloat(4, 4, 3, 32)
	for c := range 3 {
		for i := range im.Floats(c) {
			im.Floats(c)[i] = 0.25
		}
	}
	im.Floats(1)[5], im.Floats(2)[6] = -0.006, 3
	m := material.New(scale.Size{W: 1, H: 1})
	p := &material.Map{Blob: "a", Component: "rgb", Width: 4, Height: 4, Bits: 32, Float: true}
	m.Put(material.Source{Channel: material.BaseColor, Map: p})
	planes, err := material.Decode(&m, func(*material.Map, string, int) (*raster.Image, error) { return im, nil }, 0)
	if err != nil {
		t.Fatal(err)
	}
	for c, want := range [][2]float32{{0.25, 0.25}, {0.25, 0}, {0.25, 0.25}} {
		if q := planes.Color[c].Pix; q[0] != want[0] || q[5] != want[1] || q[6] != map[bool]float32{true: 1, false: 0.25}[c == 2] {
			t.Errorf("component %d: %v", c, q)
		}
	}
	if out := p.Picture(material.Height, im); out.Floats(2)[6] != 1 || out.Floats(1)[5] != 0 {
		t.Errorf("heights are cut off: %v", out.Floats(2))
	}
}

// A colour map of grey and alpha is grey: its alpha is no green or blue.
func TestGreyWithAlphaIsGrey(t *testing.T) {
	im := raster.New(4, 4, 2, 8)
	for i := range im.Ints(0) {
		im.Ints(0)[i], im.Ints(1)[i] = 65535, 12000
	}
	m := material.New(scale.Size{W: 1, H: 1})
	m.Put(material.Source{Channel: material.BaseColor, Map: &material.Map{Blob: "a", Component: "rgb", Width: 4, Height: 4, Bits: 8}})
	planes, err := material.Decode(&m, func(*material.Map, string, int) (*raster.Image, error) { return im, nil }, 0)
	if err != nil {
		t.Fatal(err)
	}
	for c := range 3 {
		if planes.Color[c].Pix[3] != 1 {
			t.Errorf("component %d is %.3f", c, planes.Color[c].Pix[3])
		}
	}
}
