package stats_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/stats"
)

func TestCorrelation(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for _, want := range []float64{-0.9, -0.3, 0, 0.5, 0.99} {
		var p stats.Pairs
		for range 200_000 {
			a, b := rng.NormFloat64(), rng.NormFloat64()
			p.Add(3+a, want*a+math.Sqrt(1-want*want)*b)
		}
		if r, ok := p.Correlation(1e-6); !ok || math.Abs(r-want) > 0.01 {
			t.Errorf("correlation %v, want %v", r, want)
		}
	}
	var flat, none stats.Pairs
	for i := range 10 {
		flat.Add(float64(i), 0.5)
	}
	for _, p := range []stats.Pairs{flat, none} {
		if r, ok := p.Correlation(1e-6); ok || r != 0 {
			t.Errorf("something flat correlates by %v", r)
		}
	}
}

func TestSpreadLeavesOutliersOut(t *testing.T) {
	var v []float64
	for i := range 1000 {
		v = append(v, math.Erfinv(2*(float64(i)+0.5)/1000-1)*math.Sqrt2*0.7) // normal, in order
	}
	for i := range 50 {
		v[999-i] = 1e6
	}
	if s := stats.Spread(v); math.Abs(s-0.7) > 0.02 {
		t.Errorf("spread %v, want 0.7", s)
	}
}

func TestVertexOfAParabola(t *testing.T) {
	for _, x := range []float64{-0.5, -0.21, 0, 0.4} {
		f := func(at float64) float64 { return 2 - 1.5*(at-x)*(at-x) }
		at, above := stats.Vertex(f(-1), f(0), f(1))
		if math.Abs(at-x) > 1e-12 || math.Abs(f(0)+above-2) > 1e-12 {
			t.Errorf("top at %v by %v, want %v", at, above, x)
		}
	}
	if at, above := stats.Vertex(1, 0, 1); at != 0 || above != 0 {
		t.Errorf("a valley has a top at %v", at)
	}
}

func ExampleMedian() {
	fmt.Println(stats.Median([]float64{9, 1, 4}))
	// Output: 4
}
