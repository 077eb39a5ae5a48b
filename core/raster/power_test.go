package raster_test

import (
	"math"
	"testing"

	"aldermoor/core/raster"
)

func TestPower(t *testing.T) {
	for _, e := range []float64{1.0 / 3, 2.2 / 3, 1 / 2.2, 1 / 2.4, 2.2, 2.4, 3} {
		curve := raster.Power(e)
		for i := range 50_003 {
			v := float32(i) / 50_000
			want := math.Pow(float64(v), e)
			if d := math.Abs(float64(curve(v)) - want); d > 1e-6 {
				t.Fatalf("%v^%v is off by %g", v, e, d)
			}
		}
		if curve(-1) != 0 || curve(0) != 0 || math.Abs(float64(curve(4))-math.Pow(4, e)) > 1e-5 {
			t.Errorf("%v: %v %v %v", e, curve(-1), curve(0), curve(4))
		}
	}
}
