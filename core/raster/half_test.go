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
			if got := out.Floats(0)[i]; math.Abs(float64(got-v)) > 1e-6 {
				t.Errorf("%s: sample %d is %v, want %v", name, i, got, v)
			}
		}
	}
	im := New(2, 2, 1, 8)
	im.Ints(0)[3] = 65535
	if out, from, to := im.Unit(); from[0] != 0 || to[0] != 1 || &out.Ints(0)[0] != &im.Ints(0)[0] {
		t.Error("an integer picture was changed")
	}
}

// Components are brought into 0..1 alike: vectors keep their directions, colours their hues.
// An alpha stays.
func TestUnitKeepsDirectionsAndHues(t *testing.T) {
	one := func(v ...float32) *Image {
		var planes []Plane
		for _, x := range v {
			planes = append(planes, Plane{1, 1, []float32{x}})
		}
		return FromPlanes(planes...)
	}
	n, _, _ := one(0.6, 0, 0.8).Unit() // all within 0..1 as it happens: another pixel shows the sign
	both := FromPlanes(Plane{2, 1, []float32{0.6, -0.6}}, Plane{2, 1, []float32{0, 0}}, Plane{2, 1, []float32{0.8, 0.8}})
	signed, from, to := both.Unit()
	for c, want := range []float32{0.8, 0.5, 0.9} {
		if got := signed.Floats(c)[0]; math.Abs(float64(got-want)) > 1e-6 || from[c] != -1 || to[c] != 1 {
			t.Errorf("component %d of a signed vector is %v, want %v", c, got, want)
		}
	}
	if n.Floats(0)[0] != 0.6 {
		t.Error("what lies within 0..1 was changed")
	}
	bright, _, _ := one(8, 3.2, 0.8, 0.5).Unit()
	for c, want := range []float32{1, 0.4, 0.1, 0.5} {
		if got := bright.Floats(c)[0]; math.Abs(float64(got-want)) > 1e-6 {
			t.Errorf("component %d of a bright colour is %v, want %v", c, got, want)
		}
	}
}

// A picture that is made larger stays within what it had, in both directions.
func TestAreaNeverOvershoots(t *testing.T) {
	p := NewPlane(8, 8)
	for y := range 8 {
		for x := 4; x < 8; x++ {
			p.Row(y)[x] = 1
		}
	}
	for _, n := range []int{9, 13, 16, 40} {
		q := p.Resample(n, n, Area)
		lo, hi := q.Range()
		if lo < 0 || hi > 1 || math.Abs(q.Mean()-0.5) > 0.02 {
			t.Errorf("at %d: %v to %v, %.3f on average", n, lo, hi, q.Mean())
		}
	}
}

// Moments and Reduced say the same of integers and of floats of the same values; Select and
// Reduced keep to what they say about sharing.
func TestSamples(t *testing.T) {
	ints := New(320, 256, 2, 16)
	for i := range ints.Ints(0) {
		ints.Ints(0)[i], ints.Ints(1)[i] = uint16(i*7919), uint16(i)
	}
	floats := FromPlanes(ints.Plane(0), ints.Plane(1))
	for c := range 2 {
		a0, a1, am, as := ints.Planes[c].Moments()
		b0, b1, bm, bs := floats.Planes[c].Moments()
		for k, d := range []float64{a0 - b0, a1 - b1, am - bm, as - bs} {
			if math.Abs(d) > 1e-6 {
				t.Errorf("component %d, moment %d differs by %g", c, k, d)
			}
		}
		p, q := ints.Reduced(c, 80), floats.Reduced(c, 80)
		for i, v := range p.Pix {
			if math.Abs(float64(v-q.Pix[i])) > 1e-5 {
				t.Fatalf("component %d, sample %d: %v from integers, %v from floats", c, i, v, q.Pix[i])
			}
		}
	}
	own := floats.Reduced(0, 4096)
	own.Pix[0] = 7
	if floats.Floats(0)[0] == 7 {
		t.Error("Reduced shares its samples")
	}
	if two := ints.Select(1, 0, 1); two.Components() != 3 || &two.Ints(2)[0] != &ints.Ints(1)[0] || two.Bytes() != 6*320*256 {
		t.Error("Select copies")
	}
}
