package materials

import (
	"encoding/json"
	"slices"
	"testing"

	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
)

func TestSlug(t *testing.T) {
	for in, want := range map[string]string{"Hung slates, round ends": "hung-slates-round-ends", "  Ärmel / Öl  ": "aermel-oel", "日本": "material", "a--b__c": "a-b-c", "Café №3": "cafe-3"} {
		if got := Slug(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

func TestSizeTypedByHand(t *testing.T) {
	m := Material{Maps: []Map{{Channel: material.BaseColor, Map: material.Map{Width: 2048, Height: 1024}, Stats: inspect.Stats{Mean: []float64{1, 1, 1}}}}, Relief: inspect.Depth{Value: 0.01, Confidence: 0.9}}
	w := Length(3)
	if err := m.apply(Change{Width: &w}); err != nil {
		t.Fatal(err)
	}
	if m.Size != (scale.Size{W: 3, H: 1.5}) || m.SizeSource != scale.FromPerson || m.Depth != 0.03 {
		t.Errorf("%+v, depth %v: the height and the depth must follow", m.Size, m.Depth)
	}
	h := Length(2)
	m.apply(Change{Height: &h}) // now one axis alone
	if m.Size != (scale.Size{W: 3, H: 2}) {
		t.Errorf("%+v", m.Size)
	}
	keep := true
	w = 6
	m.apply(Change{Width: &w, KeepRatio: &keep})
	if m.Size != (scale.Size{W: 6, H: 4}) {
		t.Errorf("%+v", m.Size)
	}
	source := "sidecar"
	if err := m.apply(Change{SizeSource: &source}); err == nil {
		t.Error("evidence that does not exist was taken")
	}
}

// What is packed for the Lit lens is made anew for other maps alone; size and depth count where slopes come from heights.
func TestMapsKeyLeavesFiguresOut(t *testing.T) {
	height := Map{Map: material.Map{Blob: "h", Component: "r"}, Channel: material.Height}
	normal := Map{Map: material.Map{Blob: "n", Component: "rgb"}, Channel: material.Normal}
	m := Material{Size: scale.Size{W: 1, H: 1}, Depth: 0.01, Maps: []Map{height, normal}}
	k := m.MapsKey()
	f := NewFigures()
	f.Metallic = 0.5
	m.Figures, m.Size.W, m.Depth = &f, 2, 0.02
	if m.MapsKey() != k {
		t.Error("figures, size or depth change the maps")
	}
	m.Maps[1].Direction = normals.Down
	if m.MapsKey() == k {
		t.Error("a direction does not change the maps")
	}
	m.Maps = m.Maps[:1]
	k = m.MapsKey()
	m.Size.W = 3
	if m.MapsKey() == k {
		t.Error("a size does not change slopes that come from heights")
	}
}

func TestLookKeyFollowsWhatIsSeen(t *testing.T) {
	m := Material{Size: scale.Size{W: 1, H: 1}, Maps: []Map{{Map: material.Map{Blob: "a", Component: "rgb"}, Channel: material.BaseColor}}}
	k := m.LookKey()
	m.Name, m.Tags = "Other", []string{"x"}
	if m.LookKey() != k {
		t.Error("a name changes the look")
	}
	m.Size.W = 2
	if m.LookKey() == k {
		t.Error("a size does not change the look")
	}
}

// A doubt about a channel ends when a person says what the map is, and is back when that
// is taken back.
func TestAnAnswerSettlesADoubt(t *testing.T) {
	doubt := inspect.Finding{Code: "roughness_as_gloss", Severity: inspect.Warn, Maps: []string{"s/rough.png"}, Says: "it looks wet"}
	m := Material{Maps: []Map{{ID: 1, Map: material.Map{File: "s/rough.png", Component: "r", Width: 64, Height: 64, Bits: 8}, Channel: material.Roughness, Format: "png"}}}
	m.Report.Findings = []inspect.Finding{doubt}
	asked := func() bool {
		m.recheck(nil)
		return slices.ContainsFunc(m.Report.Findings, func(f inspect.Finding) bool { return f.Code == doubt.Code })
	}
	if !asked() {
		t.Fatal("it is not asked")
	}
	before := m.Maps[0]
	m.Assign(1, material.Glossiness, "lena")
	if asked() {
		t.Error("it is glossiness by a person's word, and asked all the same")
	}
	m.Maps[0] = before
	if !asked() {
		t.Error("the answer was taken back, and it is asked no more")
	}
	m.Assign(1, material.Roughness, "lena")
	if asked() {
		t.Error("it is roughness by a person's word, and asked all the same")
	}
	m.Maps[0] = before
	if !asked() || len(m.Report.Settled) != 0 {
		t.Errorf("asked %v, settled %v", asked(), m.Report.Settled)
	}
	// Of what a recipe made of that map the same answer holds.
	made := m.Maps[0]
	made.ID = 0
	m.Finish.Maps, m.Finish.Report.Findings = []Map{made}, []inspect.Finding{doubt}
	m.Assign(1, material.Roughness, "lena")
	m.recheck(nil)
	if slices.ContainsFunc(m.Finish.Report.Findings, func(f inspect.Finding) bool { return f.Code == doubt.Code }) {
		t.Error("the answer does not hold for the treated map")
	}
	m.Maps[0], m.Finish = before, Finish{}
	asked()
	for _, f := range m.Report.Findings {
		if f.Code == doubt.Code && (f.Says != doubt.Says || f.Severity != inspect.Warn) {
			t.Errorf("it came back as %+v", f)
		}
	}
}

func TestWhatIsKnownIsSaid(t *testing.T) {
	for _, c := range []struct {
		known Known
		says  string
	}{
		{Known{Name: "Slates", Files: true}, "These files are here already, in Slates."},
		{Known{Name: "Slates", Wider: 4096}, "This is the scan of Slates, but smaller (2048 px against 4096)."},
		{Known{Name: "Slates", Wider: 1024, Quarters: 1}, "This is the scan of Slates, but larger (2048 px against 1024), turned by 90°."},
		{Known{Name: "Slates", Wider: 2048}, "This is the scan of Slates, in another encoding."},
		{Known{Name: "Slates", Part: &Area{0, 0, 0.99, 1.02}}, "This shows the same as the scan of Slates, in another light or colour."},
		{Known{Name: "Slates", Part: &Area{-0.1, 0, 1.4, 1.2}}, "This shows more of the scan of Slates: 1.4 times as wide, 1.2 times as high."},
		{Known{Name: "Slates", Part: &Area{0.1, 0.2, 0.5, 0.4}, Quarters: 2}, "This is a part of the scan of Slates: 50 % of its width, 40 % of its height, turned by 180°."},
		{Known{Name: "Slates", Part: &Area{0.1, 0.2, 0.5, 0.4}}, "This is a part of the scan of Slates: 50 % of its width, 40 % of its height."},
	} {
		if got := c.known.Says(2048, 1365); got != c.says {
			t.Errorf("%+v says %q, not %q", c.known, got, c.says)
		}
	}
}

func TestTheAuditSaysChangesInWords(t *testing.T) {
	was := map[string]json.RawMessage{"tags": json.RawMessage(`[]`), "name": json.RawMessage(`"Setts"`), "depth": json.RawMessage(`null`), "zero": json.RawMessage(`0.5`), "figures": json.RawMessage(`{"roughness":[0,1],"coat":{"weight":0},"tint":[1,1,1]}`)}
	now := map[string]json.RawMessage{"tags": json.RawMessage(`["moss","wet"]`), "name": json.RawMessage(`""`), "depth": json.RawMessage(`{"m":0.02}`), "zero": json.RawMessage(`0.25`), "figures": json.RawMessage(`{"roughness":[0.2,1],"coat":{"weight":0.5},"tint":[1,1,1]}`)}
	if got, want := changes(was, now, []string{"depth", "figures", "name", "tags", "zero"}), `depth: none → {"m":0.02}; figures, coat, weight: 0 → 0.5; figures, roughness: [0,1] → [0.2,1]; name: Setts → none; tags: none → moss, wet; zero: 0.5 → 0.25`; got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
}
