package scale

import (
	"encoding/json"
	"math"
	"os"
	"testing"
)

// The table is the browser tests' as well: what people type means the same everywhere.
func TestFigures(t *testing.T) {
	var table struct {
		Understood []struct {
			Text  string
			Kind  Kind
			Value float64
		}
		Refused []struct {
			Text string
			Kind Kind
		}
	}
	data, err := os.ReadFile("testdata/figures.json")
	if err == nil {
		err = json.Unmarshal(data, &table)
	}
	if err != nil || len(table.Understood) < 20 || len(table.Refused) < 10 {
		t.Fatal(err, len(table.Understood), len(table.Refused))
	}
	for _, c := range table.Understood {
		if v, err := ParseFigure(c.Text, c.Kind); err != nil || math.Abs(v-c.Value) > 1e-9*max(1, math.Abs(c.Value)) {
			t.Errorf("%s %q is %v, want %v: %v", c.Kind, c.Text, v, c.Value, err)
		}
	}
	for _, c := range table.Refused {
		if v, err := ParseFigure(c.Text, c.Kind); err == nil {
			t.Errorf("%s %q is taken for %v", c.Kind, c.Text, v)
		}
	}
}

func FuzzParseFigure(f *testing.F) {
	for _, s := range []string{"6 ft 2 in", "1 3/4\"", "−0,3", "25 %", "30°", "((1", "1/0"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		for _, k := range []Kind{Length, Shift, Number, Degrees, Share} {
			if v, err := ParseFigure(s, k); err == nil && (math.IsNaN(v) || math.IsInf(v, 0)) {
				t.Errorf("%s %q is %v", k, s, v)
			}
		}
	})
}
