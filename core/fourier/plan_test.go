package fourier

import (
	"math"
	"math/cmplx"
	"math/rand/v2"
	"slices"
	"testing"

	gonum "gonum.org/v1/gonum/dsp/fourier"
)

// Every length up to a few hundred, against the definition.
func TestEveryLength(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 1))
	for n := 1; n <= 260; n++ {
		x := make([]complex128, 3*n) // three lines side by side
		for i := range x {
			x[i] = complex(rng.NormFloat64(), rng.NormFloat64())
		}
		got := slices.Clone(x)
		newPlan(n).transform(got, 3)
		for _, k := range []int{0, min(1, n-1), n / 3, n - 1} {
			for line := range 3 {
				var want complex128
				for j := range n {
					s, c := math.Sincos(-2 * math.Pi * float64(j*k%n) / float64(n))
					want += x[j*3+line] * complex(c, s)
				}
				if d := cmplx.Abs(got[k*3+line] - want); d > 1e-10*float64(n) {
					t.Fatalf("length %d, line %d, frequency %d: off by %g", n, line, k, d)
				}
			}
		}
	}
}

// BenchmarkForward holds the transform of a plane of 1024 × 1024 against gonum's.
func BenchmarkForward(b *testing.B) {
	g := New(1024, 1024)
	for i := range g.V {
		g.V[i] = complex(float64(i%97), 0)
	}
	b.Run("ours", func(b *testing.B) {
		for b.Loop() {
			g.Forward()
		}
	})
	b.Run("gonum's, one direction alone", func(b *testing.B) {
		f := gonum.NewCmplxFFT(1024)
		for b.Loop() {
			for y := range 1024 {
				row := g.V[y*1024 : (y+1)*1024]
				f.Coefficients(row, row)
			}
		}
	})
}
