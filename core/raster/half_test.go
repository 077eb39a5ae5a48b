package raster

import (
	"math"
	"testing"
)

func TestHalvesRoundTrip(t *testing.T) {
	for i := range 65536 {
		h := uint16(i)
		v := Half(h)
		if v != v {
			continue
		}
		if got := ToHalf(v); got != h {
			t.Fatalf("%#04x is %v, and that is %#04x", h, v, got)
		}
	}
	for v, want := range map[float32]uint16{1: 0x3c00, -2: 0xc000, 65504: 0x7bff, 65520: 0x7c00, 1e30: 0x7c00, 6e-8: 1, 2e-8: 0, 0.333251953125: 0x3555, 1 + 1.0/2048: 0x3c00, 1 + 3.0/2048: 0x3c02} {
		if got := ToHalf(v); got != want {
			t.Errorf("%v is %#04x, want %#04x", v, got, want)
		}
	}
	if v := Half(ToHalf(float32(math.NaN()))); v == v {
		t.Error("not a number became one")
	}
}

func TestUnit(t *testing.T) {
	inf := float32(math.Inf(1))
	for name, c := range map[string]struct {
		in, want []float32
		from, to float32
	}{
		"within":    {[]float32{0, 0.25, 1}, []float32{0, 0.25, 1}, 0, 1},
		"signed":    {[]float32{-0.5, 0, 0.8}, []float32{0.25, 0.5, 0.9}, -1, 1},
		"beyond":    {[]float32{0, 2, 4}, []float32{0, 0.5, 1}, 0, 4},
		"both":      {[]float32{-2, 0, 6}, []float32{0, 0.25, 1}, -2, 6},
		"no number": {[]float32{0.5, inf, float32(math.NaN())}, []float32{0.5, 1, 0}, 0, 1},
	} {
		im := FromPlanes(Plane{3, 1, c.in})
		out, from, to := im.Unit()
		if from[0] != c.from || to[0] != c.to {
			t.Errorf("%s: from %v to %v", name, from, to)
		}
		for i, v := range c.want {
			if got := out.F32[0][i]; math.Abs(float64(got-v)) > 1e-6 {
				t.Errorf("%s: sample %d is %v, want %v", name, i, got, v)
			}
		}
	}
	if im := New(2, 2, 1, 8); func() *Image { o, _, _ := im.Unit(); return o }() != im {
		t.Error("an integer picture was changed")
	}
}
