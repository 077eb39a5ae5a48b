package normals

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/raster"
)

// hills is an analytic periodic surface: heights in metres over one metre.
func hills(n int, turn float64) raster.Plane {
	h := raster.NewPlane(n, n)
	c, s := math.Cos(turn), math.Sin(turn)
	for y := range n {
		for x := range n {
			u, v := 2*math.Pi*float64(x)/float64(n), 2*math.Pi*float64(y)/float64(n)
			u, v = c*u-s*v, s*u+c*v
			h.Row(y)[x] = float32(0.01*math.Sin(3*u+1)*math.Cos(2*v) + 0.004*math.Sin(7*u-5*v))
		}
	}
	return h
}

// stored is a field as an 8-bit file would hold it.
func stored(f Field) *raster.Image { return f.Image().Quantise(8) }

func TestSlopesMatchTheSurface(t *testing.T) {
	n := 256
	f := FromHeight(hills(n, 0), 1.0/float64(n), 1.0/float64(n), [2]bool{true, true})
	for _, at := range [][2]int{{10, 20}, {100, 77}, {200, 251}} {
		u, v := 2*math.Pi*float64(at[0])/float64(n), 2*math.Pi*float64(at[1])/float64(n)
		wantP := 2 * math.Pi * (0.03*math.Cos(3*u+1)*math.Cos(2*v) + 0.028*math.Cos(7*u-5*v))
		wantQ := 2 * math.Pi * (-0.02*math.Sin(3*u+1)*math.Sin(2*v) - 0.020*math.Cos(7*u-5*v))
		p, q := f.Slopes(at[1]*n+at[0], Up)
		if math.Abs(float64(p)-wantP) > 2e-3 || math.Abs(float64(q)-wantQ) > 2e-3 {
			t.Errorf("at %v: slopes %.4f %.4f, want %.4f %.4f", at, p, q, wantP, wantQ)
		}
	}
}

func TestGuessDirection(t *testing.T) {
	for _, turn := range []float64{0, 0.3, math.Pi / 4, 1.2, math.Pi / 2, 2.5} {
		f := FromHeight(hills(256, turn), 1.0/256, 1.0/256, [2]bool{true, true})
		if d, c := Guess(Read(stored(f), 512)); d != Up || c < 0.8 {
			t.Errorf("turned %.2f: %v with %.2f, want y+", turn, d, c)
		}
		f.Flip()
		if d, c := Guess(Read(stored(f), 512)); d != Down || c < 0.8 {
			t.Errorf("turned %.2f, flipped: %v with %.2f, want y-", turn, d, c)
		}
	}
}

func TestGuessRefusesWhatHasNoDirection(t *testing.T) {
	flat := raster.New(256, 256, 3, 8)
	noise := raster.New(256, 256, 3, 8)
	rng := rand.New(rand.NewPCG(1, 2))
	for i := range flat.Ints(0) {
		flat.Ints(0)[i], flat.Ints(1)[i], flat.Ints(2)[i] = 128*257, 128*257, 65535
		for c := range 2 {
			noise.Ints(c)[i] = uint16(108+rng.IntN(40)) * 257
		}
		noise.Ints(2)[i] = 65535
	}
	if d, c := Guess(Read(flat, 512)); d != Unknown {
		t.Errorf("a flat map has direction %v with %.2f", d, c)
	}
	if d, c := Guess(Read(noise, 512)); d != Unknown {
		t.Errorf("noise has direction %v with %.2f", d, c)
	}
}

func TestDepthIsFoundFromNormalsAndHeight(t *testing.T) {
	for _, depth := range []float64{0.0005, 0.012, 0.2} {
		h := hills(256, 0)
		lo, hi := h.Range()
		v := raster.NewPlane(256, 256)
		for i, m := range h.Pix {
			v.Pix[i] = (m - lo) / (hi - lo)
			h.Pix[i] = v.Pix[i] * float32(depth)
		}
		f := Read(FromHeight(h, 1.5/256, 0.75/256, [2]bool{true, true}).Image().Quantise(16), 0)
		got, trust := Depth(f, Up, v, 1.5/256, 0.75/256)
		if math.Abs(got/depth-1) > 0.01 || trust < 0.99 {
			t.Errorf("depth %v, trust %v; want %v", got, trust, depth)
		}
	}
}

func TestResampleRenormalisesAndTellsWhatWasLost(t *testing.T) {
	f := FromHeight(hills(256, 0), 1.0/2560, 1.0/2560, [2]bool{true, true}) // ten times as steep
	g, length := f.Resample(32, 32)
	lost := 0.0
	for i := range g.X.Pix {
		x, y, z := g.X.Pix[i], g.Y.Pix[i], g.Z.Pix[i]
		if l := x*x + y*y + z*z; math.Abs(float64(l)-1) > 1e-5 {
			t.Fatalf("normal %d has length %v", i, l)
		}
		lost = max(lost, float64(1-length.Pix[i]))
	}
	if lost < 0.01 {
		t.Errorf("averaging a steep surface lost only %v", lost)
	}
	if Widen(0.3, 1) != 0.3 && math.Abs(float64(Widen(0.3, 1))-0.3) > 1e-6 {
		t.Error("nothing lost, but roughness changed")
	}
	if Widen(0.3, 0.9) <= 0.3 {
		t.Error("detail was lost, but roughness did not grow")
	}
	// Slopes of a known variance, averaged: a mirror becomes as rough as their spread, α² = 2σ².
	rng := rand.New(rand.NewPCG(5, 6))
	for _, sigma := range []float64{0.03, 0.1, 0.2} {
		var x, y, z float64
		const n = 200_000
		for range n {
			p, q := sigma*rng.NormFloat64(), sigma*rng.NormFloat64()
			l := math.Sqrt(1 + p*p + q*q)
			x, y, z = x-p/l/n, y-q/l/n, z+1/l/n
		}
		r := math.Sqrt(x*x + y*y + z*z)
		if got, want := math.Pow(float64(Widen(0, float32(r))), 4), 2*sigma*sigma; math.Abs(got/want-1) > 0.08 {
			t.Errorf("slopes of σ %.2f give α² = %.5f, want %.5f", sigma, got, want)
		}
	}
}

// A ramp that does not tile has its own slope at the edges too: its far side is no cliff.
func TestEdgesThatDoNotWrap(t *testing.T) {
	h := raster.NewPlane(32, 24)
	for y := range 24 {
		for x := range 32 {
			h.Row(y)[x] = 0.002*float32(x) + 0.001*float32(y)
		}
	}
	f := FromHeight(h, 0.01, 0.01, [2]bool{false, false})
	for i := range f.X.Pix {
		p, q := f.Slopes(i, Up)
		if math.Abs(float64(p)-0.2) > 1e-4 || math.Abs(float64(q)-0.1) > 1e-4 {
			t.Fatalf("at %d, %d the slopes are %.3f and %.3f, want 0.2 and 0.1", i%32, i/32, p, q)
		}
	}
	if p, _ := FromHeight(h, 0.01, 0.01, [2]bool{true, true}).Slopes(0, Up); p > 0 {
		t.Error("a ramp that is said to tile has its cliff")
	}
}

func ExampleGuess() {
	f := FromHeight(hills(256, 0), 1.0/256, 1.0/256, [2]bool{true, true})
	d, _ := Guess(f)
	fmt.Println(d)
	f.Flip()
	d, _ = Guess(f)
	fmt.Println(d)
	// Output:
	// y+
	// y-
}

// Enlarged normals have lost nothing, however short what lies between two of them is.
func TestEnlargedNormalsLoseNothing(t *testing.T) {
	f := FromHeight(hills(32, 0), 1.0/320, 1.0/320, [2]bool{true, true})
	_, length := f.Resample(128, 128)
	for i, l := range length.Pix {
		if l != 1 {
			t.Fatalf("vector %d is said to be %.4f long", i, l)
		}
	}
}
