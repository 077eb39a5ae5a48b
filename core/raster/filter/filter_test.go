package filter_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

func noise(w, h int) raster.Plane {
	rng := rand.New(rand.NewPCG(uint64(w), uint64(h)))
	p := raster.NewPlane(w, h)
	for i := range p.Pix {
		p.Pix[i] = rng.Float32()
	}
	return p
}

// Both boxes against their definitions, on sizes smaller and larger than the box.
func TestBoxes(t *testing.T) {
	for _, size := range [][2]int{{1, 1}, {3, 40}, {40, 3}, {31, 17}} {
		for _, r := range []int{1, 2, 7} {
			p := noise(size[0], size[1])
			wrapped, inside := filter.Box(p, r), filter.BoxInside(p, r)
			rx, ry := min(r, (p.W-1)/2), min(r, (p.H-1)/2)
			for y := range p.H {
				for x := range p.W {
					var sum, n, within, many float64
					for dy := -r; dy <= r; dy++ {
						for dx := -r; dx <= r; dx++ {
							if max(dx, -dx) <= rx && max(dy, -dy) <= ry {
								sum += float64(p.At(x+dx, y+dy))
								n++
							}
							if x+dx >= 0 && x+dx < p.W && y+dy >= 0 && y+dy < p.H {
								within += float64(p.At(x+dx, y+dy))
								many++
							}
						}
					}
					if d := math.Abs(float64(wrapped.At(x, y)) - sum/n); d > 1e-5 {
						t.Fatalf("%v, box of %d at %d, %d: off by %g", size, r, x, y, d)
					}
					if d := math.Abs(float64(inside.At(x, y)) - within/many); d > 1e-5 {
						t.Fatalf("%v, box of %d inside at %d, %d: off by %g", size, r, x, y, d)
					}
				}
			}
		}
	}
}

// A point becomes a hill of the variance that was asked for, and nothing is lost.
func TestGaussiansHaveTheirWidth(t *testing.T) {
	for _, sigma := range []float64{0.8, 2, 5, 11.3} {
		for name, blur := range map[string]func(raster.Plane, float64) raster.Plane{"wrapped": filter.Gaussian, "inside": filter.GaussianInside} {
			if name == "inside" && sigma > 5 {
				continue // it is for a few pixels
			}
			p := raster.NewPlane(201, 201)
			p.Pix[100*201+100] = 1
			var sum, variance float64
			for i, v := range blur(p, sigma).Pix {
				x := float64(i%201 - 100)
				sum += float64(v)
				variance += x * x * float64(v)
			}
			if math.Abs(sum-1) > 1e-4 || math.Abs(math.Sqrt(variance)-sigma) > 0.08*sigma+0.02 {
				t.Errorf("%s, %v: sum %v, width %v", name, sigma, sum, math.Sqrt(variance))
			}
		}
	}
}

// Where an axis does not wrap, what stands at one edge does not bleed over the other.
func TestGaussianOn(t *testing.T) {
	p := raster.NewPlane(40, 30)
	for y := range 30 {
		p.Row(y)[39] = 1
	}
	both, across := filter.GaussianOn(p, 3, [2]bool{true, true}), filter.GaussianOn(p, 3, [2]bool{false, true})
	if both.At(0, 5) < 0.05 || across.At(0, 5) > 1e-6 || across.At(39, 5) < both.At(39, 5) {
		t.Errorf("%v and %v at the left edge", both.At(0, 5), across.At(0, 5))
	}
	if math.Abs(across.Mean()-p.Mean()) > 1e-4 {
		t.Errorf("the mean %v became %v", p.Mean(), across.Mean())
	}
}

func TestSteepness(t *testing.T) {
	p := raster.NewPlane(20, 10)
	for i := range p.Pix {
		p.Pix[i] = 3*float32(i%20) + 4*float32(i/20)
	}
	open, wrapped := filter.Steepness(p, false), filter.Steepness(p, true)
	if open.At(5, 5) != 10 || wrapped.At(5, 5) != 10 || open.At(0, 5) != 0 || open.At(5, 9) != 0 {
		t.Errorf("a plane of slope 5: %v, %v; at its edges %v, %v", open.At(5, 5), wrapped.At(5, 5), open.At(0, 5), open.At(5, 9))
	}
	if want := float32(math.Hypot(3-3*19, 8)); math.Abs(float64(wrapped.At(0, 5)-want)) > 1e-4 {
		t.Errorf("across the edge %v, want %v", wrapped.At(0, 5), want)
	}
	flat := raster.NewPlane(3, 3)
	filter.Saturate(flat)
	if flat.Pix[4] != 0 {
		t.Error("nothing became something")
	}
}

func ExampleLuma() {
	white := raster.Plane{W: 1, H: 1, Pix: []float32{1}}
	fmt.Printf("%.2f\n", filter.Luma([]raster.Plane{white, white, white}).Pix[0])
	// Output: 1.00
}
