package fourier_test

import (
	"fmt"
	"math"
	"math/cmplx"
	"math/rand/v2"
	"testing"

	"aldermoor/core/fourier"
	"aldermoor/core/raster"
)

func TestThereAndBack(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	for _, size := range [][2]int{{64, 48}, {37, 19}, {1, 8}, {13, 1}, {103, 61}, {721, 2}} {
		p := raster.NewPlane(size[0], size[1])
		for i := range p.Pix {
			p.Pix[i] = rng.Float32()
		}
		g := fourier.Of(p, p.W, p.H)
		g.Forward()
		if mean := real(g.V[0]) / float64(len(p.Pix)); math.Abs(mean-p.Mean()) > 1e-6 {
			t.Errorf("%v: mean %v, want %v", size, mean, p.Mean())
		}
		g.Inverse()
		for i, v := range g.Real(p.W, p.H).Pix {
			if math.Abs(float64(v-p.Pix[i])) > 1e-6 {
				t.Fatalf("%v: sample %d came back as %v, not %v", size, i, v, p.Pix[i])
			}
		}
	}
}

// A wave of 3 cycles across and 2 down has its energy there and nowhere else.
func TestAWaveIsOneFrequency(t *testing.T) {
	p := raster.NewPlane(40, 30)
	for y := range p.H {
		for x := range p.W {
			p.Pix[y*p.W+x] = float32(math.Cos(2 * math.Pi * (3*float64(x)/40 + 2*float64(y)/30)))
		}
	}
	g := fourier.Of(p, 40, 30)
	g.Forward()
	for y := range 30 {
		for x := range 40 {
			want := 0.0
			if x == 3 && y == 2 || x == 37 && y == 28 {
				want = 600
			}
			if got := cmplx.Abs(g.V[y*40+x]); math.Abs(got-want) > 1e-3 {
				t.Errorf("%d %d: %v, want %v", x, y, got, want)
			}
		}
	}
}

// Awkward lengths go another way; it must lead to the same place.
func TestAwkwardLengths(t *testing.T) {
	p := raster.NewPlane(103, 1)
	for x := range p.Pix {
		p.Pix[x] = float32(math.Sin(float64(x*x) * 0.7))
	}
	g := fourier.Of(p, 103, 1)
	g.Forward()
	for k := range 103 {
		var want complex128
		for x, v := range p.Pix {
			want += complex(float64(v), 0) * cmplx.Exp(complex(0, -2*math.Pi*float64(k*x)/103))
		}
		if cmplx.Abs(g.V[k]-want) > 1e-9 {
			t.Errorf("frequency %d: %v, want %v", k, g.V[k], want)
		}
	}
}

func ExampleSize() {
	fmt.Println(fourier.Size(97), fourier.Size(128), fourier.Frequency(3, 8), fourier.Frequency(7, 8))
	// Output: 100 128 3 -1
}
