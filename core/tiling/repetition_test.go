package tiling_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/raster"
	"aldermoor/core/tiling"
)

// grain is a surface without anything wide.
func grain(n int, seed uint64) raster.Plane {
	rng := rand.New(rand.NewPCG(seed, 3))
	p := raster.NewPlane(n, n)
	for i := range p.Pix {
		p.Pix[i] = 0.5 + float32(rng.NormFloat64())*0.05
	}
	return p
}

// stain darkens a round spot, wrapped.
func stain(p raster.Plane, x, y, radius, by float64) raster.Plane {
	out := raster.NewPlane(p.W, p.H)
	for j := range p.H {
		for i := range p.W {
			dx, dy := math.Mod(float64(i)/float64(p.W)-x+1.5, 1)-0.5, math.Mod(float64(j)/float64(p.H)-y+1.5, 1)-0.5
			out.Pix[j*p.W+i] = p.Pix[j*p.W+i] - float32(by*math.Exp(-(dx*dx+dy*dy)/(2*radius*radius)))
		}
	}
	return out
}

func TestABlotchIsFoundWhereItIs(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	for i := range 12 {
		x, y, radius := rng.Float64(), rng.Float64(), 0.04+0.06*rng.Float64()
		r := tiling.Repeats(stain(grain(256, uint64(i)), x, y, radius, 0.2), tiling.Lattice{})
		if len(r.Blobs) == 0 || r.Blobs[0].Excess > -2 {
			t.Fatalf("a blotch of %.2f is not found: %+v", radius, r.Blobs)
		}
		b := r.Blobs[0]
		dx, dy := math.Mod(b.X-x+1.5, 1)-0.5, math.Mod(b.Y-y+1.5, 1)-0.5
		if math.Hypot(dx, dy) > 0.03 || b.Radius < radius/2 || b.Radius > 3*radius {
			t.Errorf("found at %.2f %.2f of %.3f, is at %.2f %.2f of %.3f", b.X, b.Y, b.Radius, x, y, radius)
		}
	}
}

func TestRepetitionShowsWhereAnEyeSeesIt(t *testing.T) {
	clean, blotched := tiling.Repeats(grain(256, 4), tiling.Lattice{}), tiling.Repeats(stain(grain(256, 4), 0.3, 0.6, 0.08, 0.25), tiling.Lattice{})
	if d, ok := clean.From(1, 1); ok {
		t.Errorf("grain alone shows its repeats from %.1f m: %+v", d, clean.Rings)
	}
	near, ok := blotched.From(1, 1)
	if !ok {
		t.Fatalf("a blotch does not show: %+v", blotched)
	}
	// Twice as large is seen from twice as far; a fainter one later or not at all.
	if twice, _ := blotched.From(2, 1); math.Abs(twice/near-2) > 0.1 {
		t.Errorf("of twice the size it shows from %.1f m, of once from %.1f", twice, near)
	}
	faint := tiling.Repeats(stain(grain(256, 4), 0.3, 0.6, 0.08, 0.06), tiling.Lattice{})
	if d, ok := faint.From(1, 1); ok && d <= near {
		t.Errorf("a faint one shows from %.1f m, a strong one from %.1f", d, near)
	}
	// One repeat alone is no repetition, and beyond acuity nothing is seen.
	if blotched.Shows(2, 3) != 0 || blotched.Shows(2, 2e4) > 1 {
		t.Errorf("shows by %.2f and %.2f", blotched.Shows(2, 3), blotched.Shows(2, 2e4))
	}
}

// A pattern is meant; only what breaks it shows that it repeats.
func TestAPatternIsNoRepetition(t *testing.T) {
	p := grain(256, 8)
	for y := range 256 {
		for x := range 256 {
			p.Pix[y*256+x] += 0.15 * float32(math.Sin(2*math.Pi*float64(x)/64)*math.Sin(2*math.Pi*float64(y)/64))
		}
	}
	lattice := tiling.Lattice{A: [2]float64{64, 0}, B: [2]float64{0, 64}, Confidence: 0.9}
	with, without := tiling.Repeats(p, lattice), tiling.Repeats(p, tiling.Lattice{})
	if _, ok := with.From(2, 1); ok {
		t.Error("the pattern itself is called a repetition")
	}
	if _, ok := without.From(2, 1); !ok {
		t.Error("the test's pattern would not show")
	}
	if r := tiling.Repeats(stain(p, 0.5, 0.5, 0.08, 0.25), lattice); len(r.Blobs) == 0 || math.Abs(r.Blobs[0].X-0.5) > 0.04 {
		t.Errorf("a stain on the pattern is not found: %+v", r.Blobs)
	}
}

func ExampleRepetition_Shows() {
	r := tiling.Repetition{Rings: [8]float64{0.05}}
	fmt.Printf("%.1f from near, %.1f from 50 m\n", r.Shows(2, 1), r.Shows(2, 50))
	// Output: 0.0 from near, 2.2 from 50 m
}
