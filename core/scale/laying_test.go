package scale

import (
	"fmt"
	"math"
	"testing"
)

func TestFitsComeOutWhole(t *testing.T) {
	for _, c := range []struct {
		surface, repeat float64
		n               []int
	}{{4.2, 1.8, []int{2, 3}}, {4.2, 1.71, []int{3, 2}}, {4.2, 1.4, []int{3}}, {0.5, 1.8, []int{1}}, {10, 0.3, []int{33, 34}}, {10, 0.295, []int{34, 33}}, {3, 1, []int{3}}} {
		got := Fits(c.surface, c.repeat)
		if len(got) != len(c.n) {
			t.Errorf("%+v: %+v", c, got)
			continue
		}
		for i, f := range got {
			if f.N != c.n[i] || math.Abs(float64(f.N)*f.Repeat-c.surface) > 1e-12 || math.Abs(f.Repeat/c.repeat-1-f.Change) > 1e-12 {
				t.Errorf("%+v: %+v", c, f)
			}
		}
	}
	if l := Lay(4.2, 1.4); l.Whole != 3 || l.Left > 1e-9 {
		t.Errorf("%+v", l)
	}
}

func ExampleLay() {
	l := Lay(4.2, 1.8)
	fmt.Printf("%.2f repeats, %d whole, %.2f m left over\n", l.Repeats, l.Whole, l.Left)
	for _, f := range Fits(4.2, 1.8) {
		fmt.Printf("%d at %.2f m, %+.1f %%\n", f.N, f.Repeat, 100*f.Change)
	}
	// Output:
	// 2.33 repeats, 2 whole, 0.60 m left over
	// 2 at 2.10 m, +16.7 %
	// 3 at 1.40 m, -22.2 %
}
