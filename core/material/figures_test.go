package material_test

import (
	"encoding/json"
	"math"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
)

// Every figure changes what it says, and neutral ones nothing.
func TestFigures(t *testing.T) {
	n := material.Neutral()
	if name, _, _ := n.OutOfRange(); name != "" || n.Recolours() {
		t.Errorf("neutral figures: %s out of range", name)
	}
	if list, _ := n.Implausible(nil, 0); len(list) != 0 {
		t.Errorf("neutral figures are implausible: %v", list)
	}
	text, err := json.Marshal(n)
	if err != nil {
		t.Fatal(err)
	}
	var back material.Figures
	if json.Unmarshal(text, &back); back != n {
		t.Error("figures do not survive JSON")
	}
	f := n
	f.OpacityInvert, f.Opacity = true, 0.5
	if got := f.OpacityOf(0.2); math.Abs(float64(got)-0.4) > 1e-6 {
		t.Errorf("inverted and halved: %.3f", got)
	}
	f.Cutoff = 0.3
	if f.OpacityOf(0.2) != 1 || f.OpacityOf(0.8) != 0 {
		t.Error("the cut-off blends")
	}
	f = n
	f.Tint, f.Grade.Saturation = [3]float64{0.5, 1, 1}, 0
	c := f.Recolour(colour.RGB{0.4, 0.2, 0.2})
	if math.Abs(float64(c[0])-0.2) > 1e-6 || math.Abs(float64(c[2])-0.2) > 1e-6 {
		t.Errorf("recoloured: %v", c)
	}
	f = n
	f.Index = math.NaN()
	if name, _, _ := f.OutOfRange(); name != "index" {
		t.Errorf("an index that is no figure: %q", name)
	}
	f = n
	f.Emission.Temperature = 2700
	if l := f.Emission.Light(); l[0] < l[2]*3 {
		t.Errorf("lamplight is %v", l)
	}
	tr := material.TransmissionFigures{Color: [3]float64{0.5, 1, 0.25}, Distance: 2}
	if s := tr.Absorption(); math.Abs(math.Exp(-2*s[0])-0.5) > 1e-9 || s[1] != 0 {
		t.Errorf("absorption %v", s)
	}
}

// A flipped normal and an inverted roughness are decoded as such.
func TestDecodeWithFigures(t *testing.T) {
	files := pictures{"rough": of(51), "normal": of(178, 178, 220), "metal": of(255)}
	m := material.New(scale.Size{W: 1, H: 1})
	m.Sources = []material.Source{mapped(material.Roughness, "rough", "r", 0), mapped(material.Normal, "normal", "rgb", normals.Up), mapped(material.Metallic, "metal", "r", 0)}
	m.Figures.Roughness, m.Figures.NormalFlip, m.Figures.Metallic = [2]float64{1, 0}, true, 0.5
	p, err := material.Decode(&m, files.open, 0)
	if err != nil {
		t.Fatal(err)
	}
	near(t, "inverted roughness", p.Roughness.Pix[0], 0.8)
	near(t, "half of metallic", p.Metallic.Pix[0], 0.5)
	if p.Normal.Y.Pix[0] >= 0 {
		t.Error("the normal is not flipped")
	}
}

// Every kind of finish has figures that can be and that nature knows, or says that it glows.
func TestFinishes(t *testing.T) {
	seen := map[string]bool{}
	for _, f := range material.Finishes() {
		if seen[f.ID] || f.Title == "" || f.Group == "" || material.FinishOf(f.ID) == nil {
			t.Errorf("%s: id, title or group", f.ID)
		}
		seen[f.ID] = true
		figures, constants := f.Figures(f.Color)
		if name, _, _ := figures.OutOfRange(); name != "" {
			t.Errorf("%s: %s is out of range", f.ID, name)
		}
		base := constants[material.BaseColor]
		if names, values := figures.Implausible(&base, constants[material.Metallic][0]); len(names) > 0 {
			t.Errorf("%s: %v %v", f.ID, names, values)
		}
		if f.Metallic == 1 && (f.Colour || f.Source == "") {
			t.Errorf("%s: a metal's colour is measured, and says where", f.ID)
		}
	}
	if material.FinishOf("nonesuch") != nil {
		t.Error("there is no such kind")
	}
	gold := material.FinishOf("gold")
	if c := gold.Color; !(c[0] > 0.9 && c[1] > 0.6 && c[1] < 0.85 && c[2] < 0.5) {
		t.Errorf("gold reflects %v", c)
	}
}
