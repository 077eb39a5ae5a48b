package tiling_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/raster"
	"aldermoor/core/tiling"
)

// grey is how a surface without hues is seen.
func grey(p raster.Plane) tiling.Sight {
	return tiling.Sight{p, raster.NewPlane(p.W, p.H), raster.NewPlane(p.W, p.H)}
}

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
		r := tiling.Repeats(grey(stain(grain(256, uint64(i)), x, y, radius, 0.2)), tiling.Lattice{})
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
	clean, blotched := tiling.Repeats(grey(grain(256, 4)), tiling.Lattice{}), tiling.Repeats(grey(stain(grain(256, 4), 0.3, 0.6, 0.08, 0.25)), tiling.Lattice{})
	if d, ok := clean.From(1, 1); ok {
		t.Errorf("grain alone shows its repeats from %.1f m: %+v", d, clean.Bands)
	}
	near, ok := blotched.From(1, 1)
	if !ok {
		t.Fatalf("a blotch does not show: %+v", blotched)
	}
	// Twice as large is seen from twice as far; a fainter one later or not at all.
	if twice, _ := blotched.From(2, 1); math.Abs(twice/near-2) > 0.1 {
		t.Errorf("of twice the size it shows from %.1f m, of once from %.1f", twice, near)
	}
	faint := tiling.Repeats(grey(stain(grain(256, 4), 0.3, 0.6, 0.08, 0.06)), tiling.Lattice{})
	if a, b := faint.Shows(1, 3), blotched.Shows(1, 3); a >= b/2 {
		t.Errorf("a faint one shows by %.2f, a strong one by %.2f", a, b)
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
			p.Pix[y*256+x] += 0.15 * float32(math.Sin(2*math.Pi*float64(x)/128)*math.Sin(2*math.Pi*float64(y)/128))
		}
	}
	lattice := tiling.Lattice{A: [2]float64{128, 0}, B: [2]float64{0, 128}, Confidence: 0.9}
	with, without := tiling.Repeats(grey(p), lattice), tiling.Repeats(grey(p), tiling.Lattice{})
	if _, ok := with.From(2, 1); ok {
		t.Error("the pattern itself is called a repetition")
	}
	if _, ok := without.From(2, 1); !ok {
		t.Error("the test's pattern would not show")
	}
	if r := tiling.Repeats(grey(stain(p, 0.5, 0.5, 0.08, 0.25)), lattice); len(r.Blobs) == 0 || math.Abs(r.Blobs[0].X-0.5) > 0.04 {
		t.Errorf("a stain on the pattern is not found: %+v", r.Blobs)
	}
}

func ExampleRepetition_Shows() {
	r := tiling.Repetition{Bands: []tiling.Band{{Cycles: 1.2, Contrast: 0.03, Peak: 2}, {Cycles: 9.6, Contrast: 0.02, Peak: 3}}}
	fmt.Printf("%.0f from near, %.1f from 5 m\n", r.Shows(2, 1), r.Shows(2, 5))
	// Output: 0 from near, 3.9 from 5 m
}
