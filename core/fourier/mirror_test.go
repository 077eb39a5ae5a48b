package fourier

import (
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/raster"
)

// Both mirrored transforms are the sums that their definition says, for even, odd and prime
// lengths, and Undo takes the even one back.
func TestMirroredLines(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for _, n := range [][2]int{{8, 6}, {15, 7}, {37, 33}, {1, 1}, {64, 41}} {
		w, h := n[0], n[1]
		p := raster.NewPlane(w, h)
		for i := range p.Pix {
			p.Pix[i] = float32(rng.NormFloat64())
		}
		for m, f := range map[Mirror]func(float64) float64{Even: math.Cos, Odd: math.Sin} {
			rows, columns := cloned(p), cloned(p)
			m.Rows(rows)
			m.Columns(columns)
			for y := range h {
				for x := range w {
					var r, c float64
					for i := range w {
						r += float64(p.Pix[y*w+i]) * f(math.Pi*float64(x)*(float64(i)+0.5)/float64(w))
					}
					for i := range h {
						c += float64(p.Pix[i*w+x]) * f(math.Pi*float64(y)*(float64(i)+0.5)/float64(h))
					}
					if math.Abs(r-float64(rows.Pix[y*w+x])) > 2e-5 || math.Abs(c-float64(columns.Pix[y*w+x])) > 2e-5 {
						t.Fatalf("%v %d×%d at %d, %d: %v and %v, want %v and %v", m, w, h, x, y, rows.Pix[y*w+x], columns.Pix[y*w+x], r, c)
					}
				}
			}
		}
		back := cloned(p)
		Even.Rows(back)
		Even.Columns(back)
		Undo(back)
		for i, v := range back.Pix {
			if math.Abs(float64(v-p.Pix[i])) > 1e-5 {
				t.Fatalf("%d×%d: %v came back as %v", w, h, p.Pix[i], v)
			}
		}
	}
}

func cloned(p raster.Plane) raster.Plane {
	out := raster.NewPlane(p.W, p.H)
	copy(out.Pix, p.Pix)
	return out
}
