package colour

import (
	"fmt"
	"math"
	"testing"
)

func near(t *testing.T, what string, got, want, tol float64) {
	t.Helper()
	if math.Abs(got-want) > tol {
		t.Errorf("%s: %.6f, want %.6f", what, got, want)
	}
}

// The known points are those of IEC 61966-2-1: the foot of the curve, mid grey, and both ends.
func TestTransferFunction(t *testing.T) {
	for _, c := range []struct{ code, light float64 }{{0, 0}, {1, 1}, {0.04045, 0.0031308}, {0.5, 0.2140411}, {0.735357, 0.5}} {
		near(t, "linear", float64(Linear(float32(c.code))), c.light, 1e-5)
		near(t, "code", float64(Encode(float32(c.light))), c.code, 1e-5)
	}
}

func TestTablesAgreeWithTheFunction(t *testing.T) {
	tab := NewTables()
	for i := range 4097 {
		v := float32(i) / 4096
		near(t, "linear", float64(tab.Linear(v)), float64(Linear(v)), 2e-5)
		near(t, "code", float64(tab.Encode(v)), float64(Encode(v)), 0.125/255)
	}
	if tab.Encode(2) != 1 || tab.Encode(-1) != 0 {
		t.Error("out of range is not clamped")
	}
}

// Reference values from Ottosson's article, XYZ (0.950,1,1.089) being white.
func TestCurvesAgreeWithTheFunction(t *testing.T) {
	linear, encode := Curves()
	for i := range 200_001 {
		v := float32(i) / 200_000
		if d := math.Abs(float64(linear(v) - Linear(v))); d > 2e-6 {
			t.Fatalf("light of %v is off by %g", v, d)
		}
		if d := math.Abs(float64(encode(v) - Encode(v))); d > 2e-6 {
			t.Fatalf("code of %v is off by %g", v, d)
		}
	}
	if v := encode(1.7); math.Abs(float64(v-Encode(1.7))) > 1e-5 {
		t.Errorf("beyond white: %v", v)
	}
}

// BenchmarkCurves holds the tables against the function, there and back.
func BenchmarkCurves(b *testing.B) {
	linear, encode := Curves()
	for name, f := range map[string]func(float32) float32{
		"tables":   func(v float32) float32 { return encode(linear(v)) },
		"function": func(v float32) float32 { return Encode(Linear(v)) },
	} {
		b.Run(name, func(b *testing.B) {
			v := float32(0)
			for b.Loop() {
				if v += 0.001; v > 1 {
					v = 0
				}
				f(v)
			}
		})
	}
}

func TestOKLab(t *testing.T) {
	l, a, b := OKLab(RGB{1, 1, 1})
	near(t, "white L", l, 1, 1e-4)
	near(t, "white a", a, 0, 1e-4)
	near(t, "white b", b, 0, 1e-4)
	for _, c := range []RGB{{0.2, 0.5, 0.1}, {0.9, 0.05, 0.3}, {0, 0, 1}} {
		back := FromOKLab(OKLab(c))
		for i := range c {
			near(t, "there and back", float64(back[i]), float64(c[i]), 1e-4)
		}
	}
}

// sRGB primaries in Lab, as Lindbloom's calculator tabulates them.
func TestLab(t *testing.T) {
	for _, c := range []struct {
		in      RGB
		l, a, b float64
	}{
		{RGB{1, 1, 1}, 100, 0, 0},
		{RGB{1, 0, 0}, 53.2408, 80.0925, 67.2032},
		{RGB{0, 0, 1}, 32.2970, 79.1875, -107.8602},
		{RGB{0.2140411, 0.2140411, 0.2140411}, 53.3890, 0, 0},
	} {
		l, a, b := Lab(c.in)
		near(t, "L", l, c.l, 0.02)
		near(t, "a", a, c.a, 0.05)
		near(t, "b", b, c.b, 0.05)
	}
}

func TestWhatIsNoColourIsSaid(t *testing.T) {
	for _, text := range []string{"#zzzzzz", "#12345", "123456#", "#1234567", "", "#+12345", "#0x1234"} {
		if c, ok := ParseHex(text); ok || c != (RGB{}) {
			t.Errorf("%q is %v", text, c)
		}
	}
	if c, ok := ParseHex("#FF8000"); !ok || c[0] != 1 || c[2] != 0 {
		t.Errorf("%v, %v", c, ok)
	}
}

func ExampleHex() {
	c := Hex("#777777")
	l, _, _ := Lab(c)
	fmt.Printf("L* %.0f\n", l)
	// Output: L* 50
}
