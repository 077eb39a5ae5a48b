package web

import (
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/internal/library/materials"
)

// slates is a draft with four maps, one of them a file that holds two.
func slates() *materials.Material {
	stats := func(n int) inspect.Stats { return inspect.Stats{Mean: make([]float64, n)} }
	return &materials.Material{
		ID: 1, Name: "Slates", Size: scale.Size{W: 1.8, H: 1.2}, SizeSource: scale.FromTag,
		Maps: []materials.Map{
			{ID: 11, Map: material.Map{File: "s/base.png", Component: "rgb", Width: 2048, Height: 1365, Bits: 8}, Channel: material.BaseColor, Confidence: 1, Stats: stats(4)},
			{ID: 12, Map: material.Map{File: "s/height.png", Component: "r", Width: 2048, Height: 1365, Bits: 16}, Channel: material.Height, Confidence: 1, Stats: stats(1)},
			{ID: 13, Map: material.Map{File: "s/pack.png", Component: "g", Width: 1024, Height: 683, Bits: 8}, Channel: material.Roughness, Confidence: 1, Stats: stats(3)},
			{ID: 14, Map: material.Map{File: "s/pack.png", Component: "r", Width: 1024, Height: 683, Bits: 8}, Channel: material.Occlusion, Confidence: 1, Stats: stats(3)},
		},
	}
}

func TestTheWorstFindingComesFirstWithItsPicture(t *testing.T) {
	m := slates()
	m.Report.Findings = []inspect.Finding{
		{Code: "lossy_data", Severity: inspect.Note, Maps: []string{"s/pack.png"}, Says: "lossy"},
		{Code: "size_implausible", Severity: inspect.Warn, Maps: []string{}, Says: "too large"},
		{Code: "seam_y", Severity: inspect.Warn, Maps: []string{}, Says: "no seam"},
		{Code: "depth_implausible", Severity: inspect.Warn, Maps: []string{}, Says: "too deep"},
		{Code: "tier_differs", Severity: inspect.Warn, Maps: []string{"s/height.png", "s/height_1k.png"}, Says: "another"},
		{Code: "missing_roughness", Severity: inspect.Warn, Maps: []string{}, Says: "no picture of what is not there"},
		{Code: "map_empty", Severity: inspect.Stop, Maps: []string{"s/base.png"}, Says: "empty"},
	}
	l := ledgerView(m)
	want := []findingRow{
		{Code: "map_empty", Says: "empty", Word: "Stop: Empty map", Tone: stop, Map: 11},
		{Code: "size_implausible", Says: "too large", Word: "Size implausible", Tone: doubt, Map: 11, Rule: "across"},
		{Code: "seam_y", Says: "no seam", Word: "Seam top/bottom", Tone: doubt, Map: 11, Seam: "down"},
		{Code: "depth_implausible", Says: "too deep", Word: "Depth implausible", Tone: doubt, Map: 12, Rule: "up"},
		{Code: "tier_differs", Says: "another", Word: "Tier differs", Tone: doubt, Map: 12},
		{Code: "missing_roughness", Says: "no picture of what is not there", Word: "No roughness", Tone: doubt},
		{Code: "lossy_data", Says: "lossy", Word: "Lossy data", Map: 14},
	}
	if len(l.Findings) != len(want) {
		t.Fatalf("%d findings are said, of %d", len(l.Findings), len(want))
	}
	for i, f := range l.Findings {
		f.Mend = nil
		if !reflect.DeepEqual(f, want[i]) {
			t.Errorf("finding %d is %+v, not %+v", i, f, want[i])
		}
	}
	m.Report.Findings = []inspect.Finding{{Code: "roughness_as_gloss", Severity: inspect.Warn, Maps: []string{"s/pack.png"}, Says: "wet"}}
	if f := ledgerView(m).Findings[0]; f.Map != 13 || len(f.Answers) != 2 || f.Answers[0].Channel != "glossiness" || f.Mend != nil {
		t.Errorf("a doubt about a channel is asked as %+v", f)
	}
	m.Report.Findings = []inspect.Finding{{Code: "lossy_data"}, {Code: "map_empty", Severity: inspect.Stop}}
	ledgerView(m)
	if m.Report.Findings[0].Code != "lossy_data" {
		t.Error("saying them has changed the report's order")
	}
}

func TestAWallSaysHowManyRepeatsItTakes(t *testing.T) {
	for _, c := range []struct {
		across, repeat float64
		says           string
		fits           []string
	}{
		{4.2, 1.8, "2.33 repeats: 2 whole, and 0.60 m left over", []string{"2 of 2.10 m (+16.7 %)", "3 of 1.40 m (−22.2 %)"}},
		{3.6, 1.8, "2 whole repeats", nil},
		{1.8, 1.8, "1 whole repeat", nil},
		{1.0, 1.8, "0.56 of a repeat", []string{"1 of 1.00 m (−44.4 %)"}},
	} {
		m := slates()
		m.Size.W = c.repeat
		var l ledger
		l.lay(m, c.across, 1)
		plain := func(s string) string { return strings.ReplaceAll(s, "\u00a0", " ") }
		got := l.Wall.Across
		if plain(got.Says) != c.says {
			t.Errorf("%.1f m of %.1f m says %q, not %q", c.across, c.repeat, plain(got.Says), c.says)
		}
		var fits []string
		for _, f := range got.Fits {
			fits = append(fits, plain(f.Says))
		}
		for _, want := range c.fits {
			if !slices.Contains(fits, want) {
				t.Errorf("%.1f m of %.1f m offers %q, not %q", c.across, c.repeat, fits, want)
			}
		}
		if len(c.fits) == 0 && len(fits) > 0 {
			t.Errorf("%.1f m of %.1f m comes out whole and is offered %q", c.across, c.repeat, fits)
		}
	}
	var l ledger
	m := slates()
	m.Size = scale.Size{}
	if l.lay(m, 3, 2); l.Wall != nil {
		t.Error("a wall is reckoned without a size")
	}
}

func TestChipsSayWhatTheLensNeeds(t *testing.T) {
	l := ledgerView(slates())
	if len(l.Maps) != 4 {
		t.Fatalf("%d maps are shown", len(l.Maps))
	}
	parts := map[string]int{"base_color": 4, "height": 1, "roughness": 3, "occlusion": 3}
	kinds := map[string]string{"base_color": "colour", "height": "height", "roughness": "data", "occlusion": "data"}
	for _, c := range l.Maps {
		if c.Parts != parts[c.Channel] || c.Kind != kinds[c.Channel] {
			t.Errorf("%s has %d components and is read as %s", c.Title, c.Parts, c.Kind)
		}
	}
	if strings.Join(l.Missing, " ") != "normal" {
		t.Errorf("missing is %q", l.Missing)
	}
}

func TestWordsOfSizesAndTimes(t *testing.T) {
	for _, c := range []struct{ got, want string }{
		{sizeWord(4096, 2731), "4K"}, {sizeWord(8192, 8192), "8K"}, {sizeWord(2300, 1533), "2300 × 1533"}, {sizeWord(512, 512), "512 × 512"},
		{densityIn(599, "px/m"), "599"}, {densityIn(599, "px/cm"), "6.0"}, {densityIn(599, "px/inch"), "15.2"},
		{count(1, "map"), "1 map"}, {count(0, "map"), "0 maps"}, {dateWord("2026-03-07"), "7 March 2026"}, {dateWord("spring"), "spring"},
	} {
		if c.got != c.want {
			t.Errorf("%q, not %q", c.got, c.want)
		}
	}
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	for before, want := range map[time.Duration]string{
		20 * time.Second: "just now", 90 * time.Second: "1 minute ago", 3 * time.Hour: "today, 12:00", 20 * time.Hour: "24 November", 400 * 24 * time.Hour: "21 October 2025",
	} {
		if got := ago(now.Add(-before), now); got != want {
			t.Errorf("%v before it is %q, not %q", before, got, want)
		}
	}
}

func TestALedgerSaysWhatATreatmentMade(t *testing.T) {
	m := slates()
	m.DepthSource, m.Depth = "typed", 0.01
	if l := ledgerView(m); l.DepthHow != "as typed" {
		t.Errorf("a typed depth is said to be %q", l.DepthHow)
	}
	m.Finish.Deeper = 1.5
	if l := ledgerView(m); l.DepthHow != "as typed; a treatment makes it 1.50 times that" {
		t.Errorf("a deepened one is said to be %q", l.DepthHow)
	}
	m.Finish.Deeper, m.DepthSource = 0, "recipe"
	if l := ledgerView(m); l.DepthHow != "made by a treatment" {
		t.Errorf("a made one is said to be %q", l.DepthHow)
	}
}
