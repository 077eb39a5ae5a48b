package materials

import (
	"encoding/json"
	"strings"
	"testing"

	"aldermoor/core/inspect"
	"aldermoor/core/material"
)

// Figures are changed in part, put back by null, and refused where they have no meaning.
func TestSetFigures(t *testing.T) {
	m := &Material{}
	change := func(text string) error { return m.setFigures(json.RawMessage(text)) }
	if err := change(`{"tint":[0.5,1,1],"coat":{"share":1},"constants":{"base_color":[0.2,0.2,0.2]}}`); err != nil {
		t.Fatal(err)
	}
	if m.Figures.Tint[0] != 0.5 || m.Figures.Coat.Share != 1 || m.Figures.Coat.Index != 1.5 || m.Figures.Constants[material.BaseColor][1] != 0.2 {
		t.Errorf("%+v", m.Figures)
	}
	look := m.LookKey()
	if err := change(`{"coat":{"roughness":0.3},"tint":null}`); err != nil {
		t.Fatal(err)
	}
	if m.Figures.Tint[0] != 1 || m.Figures.Coat.Share != 1 || m.Figures.Coat.Roughness != 0.3 || m.LookKey() == look {
		t.Errorf("%+v", m.Figures)
	}
	for _, bad := range []string{`{"shine":1}`, `{"coat":{"thickness":1}}`, `{"index":0.2}`, `{"roughness":[0,"x"]}`, `[]`, `{"constants":{"height":[1,1,1]}}`, `{"constants":{"roughness":[2,2,2]}}`, `{"emission":{"luminance":-1}}`} {
		before := *m.Figures
		if err := change(bad); err == nil || !strings.HasSuffix(err.Error(), ".") {
			t.Errorf("%s: %v", bad, err)
		}
		if m.Figures.Coat != before.Coat || m.Figures.Index != before.Index {
			t.Errorf("%s changed something", bad)
		}
	}
	if err := change(`{"coat":null,"constants":{"base_color":null}}`); err != nil || m.Figures != nil {
		t.Errorf("all put back: %+v (%v)", m.Figures, err)
	}
}

// Without a map a range with equal ends is the one value that it is, one figure does for all three, and a value
// takes a range back; with a map ranges stay ranges.
func TestRangesWithoutMaps(t *testing.T) {
	m := &Material{}
	change := func(text string) {
		t.Helper()
		if err := m.setFigures(json.RawMessage(text)); err != nil {
			t.Fatal(err)
		}
	}
	rough := func() float64 {
		s := m.Surface()
		return s.Source(material.Roughness).Value[0]
	}
	change(`{"roughness":[0.8,0.8]}`)
	if rough() != 0.8 || m.Figures.Roughness != material.Neutral().Roughness {
		t.Errorf("%+v", m.Figures)
	}
	change(`{"roughness":[0.2,0.9]}`)
	if rough() != 0.8 || m.Figures.Roughness[1] != 0.9 { // it waits for a map
		t.Errorf("%+v", m.Figures)
	}
	change(`{"constants":{"roughness":0.3,"metallic":1}}`)
	if rough() != 0.3 || m.Figures.Roughness != material.Neutral().Roughness || m.Figures.Constants[material.Metallic] != [3]float64{1, 1, 1} {
		t.Errorf("%+v", m.Figures)
	}
	mapOf := func(s material.Material) *material.Map { return s.Map(material.Roughness) }
	m.Maps = []Map{{ID: 1, Map: material.Map{Blob: "b", Component: "r", Width: 4, Height: 4}, Channel: material.Roughness}}
	change(`{"roughness":[0.5,0.5]}`)
	if m.Figures.Roughness != [2]float64{0.5, 0.5} || mapOf(m.Surface()) == nil {
		t.Errorf("%+v", m.Figures)
	}
}

// What nature does not know is a finding, and goes with the figure.
func TestImplausibleFigures(t *testing.T) {
	m := &Material{Name: "Glass"}
	if err := m.setFigures([]byte(`{"index":3.5,"constants":{"base_color":[0.95,0.95,0.95],"roughness":[0.5,0.5,0.5]}}`)); err != nil {
		t.Fatal(err)
	}
	r := &inspect.Set{Findings: []inspect.Finding{{Code: "missing_base_color"}, {Code: "size_unknown"}}}
	m.weighFigures(r)
	if len(r.Findings) != 2 || r.Findings[0].Code != "figure_implausible" || r.Findings[1].Figures.Text("figure") != "albedo" {
		t.Errorf("%+v", r.Findings)
	}
	m.Figures = nil
	if m.weighFigures(r); len(r.Findings) != 0 {
		t.Errorf("%+v", r.Findings)
	}
}
