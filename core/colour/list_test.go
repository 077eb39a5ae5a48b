package colour_test

import (
	"fmt"
	"math"
	"testing"

	"aldermoor/core/colour"
)

func TestParseList(t *testing.T) {
	list, problems := colour.ParseList("name;r;g;b\nHarbour blue, #2f4f6f\nc9b48f\nslategray, #fff\nred, blue\n#f00, 00f\n\"Lamp red\";150;32;28\n1,2,3\n// a comment\n\nnonesuch\nrgb(1,2,3)\n")
	if len(list) != 9 {
		t.Fatalf("%d colours: %v", len(list), list)
	}
	if list[0].Name != "Harbour blue" || list[2].Name != "slategray" || list[3].Name != "red" || list[4].Name != "blue" || list[5].Name != "" || list[7].Name != "Lamp red" {
		t.Errorf("names: %v", list)
	}
	if math.Abs(float64(list[7].Color[0]-colour.Linear(150./255))) > 1e-6 || math.Abs(float64(list[2].Color[0])-1) > 1e-5 {
		t.Errorf("colours: %v", list)
	}
	if len(problems) != 2 || problems[0] != "Line 11 is no colour: nonesuch" {
		t.Errorf("problems: %q", problems)
	}
}

// Grading follows ASC CDL: slope, offset, power, then saturation about the luma.
func TestGrade(t *testing.T) {
	g := colour.NoGrade()
	c := colour.RGB{0.2, 0.4, 0.6}
	if g.Apply(c) != c {
		t.Error("no grade changes a colour")
	}
	g.Slope, g.Offset, g.Power = [3]float64{2, 1, 1}, [3]float64{0, 0.1, -0.7}, [3]float64{1, 2, 1}
	got := g.Apply(c)
	for i, want := range []float64{0.4, 0.25, 0} {
		if math.Abs(float64(got[i])-want) > 1e-6 {
			t.Errorf("component %d is %.4f, want %.4f", i, got[i], want)
		}
	}
	g = colour.NoGrade()
	g.Saturation = 0
	if got := g.Apply(c); math.Abs(float64(got[0]-got[2])) > 1e-6 || math.Abs(float64(got[0]-colour.Luminance(c))) > 1e-6 {
		t.Errorf("without saturation: %v", got)
	}
}

// Known points of the daylight and Planckian loci: D65 is white, lamplight is warm.
func TestTemperature(t *testing.T) {
	white := colour.Temperature(6504)
	for i, v := range white {
		if math.Abs(float64(v)-1) > 0.02 {
			t.Errorf("daylight of 6,504 K: component %d is %.3f", i, v)
		}
	}
	last := float32(math.Inf(1))
	for _, k := range []float64{1700, 2700, 3500, 4200, 5000, 7000, 12000} {
		c := colour.Temperature(k)
		ratio := c[0] / max(c[2], 1e-6)
		if ratio >= last || math.Abs(float64(colour.Luminance(c))-1) > 1e-5 {
			t.Errorf("at %.0f K red over blue is %.3f, luminance %.4f", k, ratio, colour.Luminance(c))
		}
		last = ratio
	}
}

func ExampleDifference() {
	a, _ := colour.ParseHex("#2f4f6f")
	b, _ := colour.ParseHex("#2f4f70")
	fmt.Printf("%.2f\n", colour.Difference(a, b))
	// Output: 0.34
}
