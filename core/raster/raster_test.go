package raster

import (
	"fmt"
	"math"
	"testing"
)

func ramp(w, h int) Plane {
	p := NewPlane(w, h)
	for i := range p.Pix {
		p.Pix[i] = float32((i*7919)%1000) / 1000
	}
	return p
}

func TestResampleKeepsMean(t *testing.T) {
	for _, f := range []Filter{Area, Lanczos} {
		for _, to := range [][2]int{{64, 48}, {32, 24}, {16, 12}, {8, 6}} {
			p := ramp(128, 96)
			got := p.Resample(to[0], to[1], f).Mean()
			if math.Abs(got-p.Mean()) > 1e-5 {
				t.Errorf("filter %d to %v: mean %.6f, want %.6f", f, to, got, p.Mean())
			}
		}
	}
}

func TestResampleOfConstantIsConstant(t *testing.T) {
	p := NewPlane(50, 30)
	for i := range p.Pix {
		p.Pix[i] = 0.25
	}
	for _, f := range []Filter{Area, Lanczos} {
		lo, hi := p.Resample(17, 11, f).Range()
		if math.Abs(float64(lo)-0.25) > 1e-6 || math.Abs(float64(hi)-0.25) > 1e-6 {
			t.Errorf("filter %d: range %v..%v, want 0.25", f, lo, hi)
		}
	}
}

// A wave finer than the new sampling can carry must vanish, not turn into a coarser one.
func TestLanczosRemovesWhatCannotBeCarried(t *testing.T) {
	p := NewPlane(256, 8)
	for y := range p.H {
		for x := range p.W {
			p.Row(y)[x] = float32(math.Cos(2 * math.Pi * float64(x) * 100 / 256))
		}
	}
	lo, hi := p.Resample(64, 8, Lanczos).Range()
	if hi-lo > 0.06 {
		t.Errorf("a wave of 100 cycles at 64 samples left %.3f of 2", hi-lo)
	}
}

func TestQuantiseIsExactForIntegers(t *testing.T) {
	im := New(256, 1, 1, 8)
	for i := range im.Ints(0) {
		im.Ints(0)[i] = uint16(i * 257)
	}
	back := FromPlanes(im.Plane(0)).Quantise(8)
	for i, v := range back.Ints(0) {
		if v != uint16(i*257) {
			t.Fatalf("level %d came back as %d", i, v)
		}
	}
}

func TestReducedAgreesWithResample(t *testing.T) {
	for _, size := range [][2]int{{64, 32}, {60, 31}, {16, 16}} {
		im := FromPlanes(ramp(size[0], size[1])).Quantise(16)
		w, h := Fit(im.W, im.H, 16)
		want := im.Plane(0).Resample(w, h, Area)
		got := im.Reduced(0, 16)
		for i := range want.Pix {
			if math.Abs(float64(want.Pix[i]-got.Pix[i])) > 1e-5 {
				t.Fatalf("%v: pixel %d is %v, want %v", size, i, got.Pix[i], want.Pix[i])
			}
		}
	}
}

func TestSampleWraps(t *testing.T) {
	p := Plane{2, 1, []float32{0, 1}}
	for _, c := range []struct{ u, want float32 }{{0.25, 0}, {0.75, 1}, {0.5, 0.5}, {0, 0.5}, {1, 0.5}, {-0.25, 1}, {7.25, 0}} {
		if got := p.Sample(c.u, 0.5); math.Abs(float64(got-c.want)) > 1e-6 {
			t.Errorf("at %v: %v, want %v", c.u, got, c.want)
		}
	}
}

func TestRowsCoversEachRowOnce(t *testing.T) {
	for _, h := range []int{1, 2, 3, 17, 1000} {
		hit := make([]int32, h)
		Rows(h, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				hit[y]++
			}
		})
		for y, n := range hit {
			if n != 1 {
				t.Fatalf("height %d: row %d was visited %d times", h, y, n)
			}
		}
	}
}

func ExamplePlane_Resample() {
	p := Plane{4, 1, []float32{0, 1, 0.5, 0.5}}
	fmt.Println(p.Resample(2, 1, Area).Pix)
	// Output: [0.5 0.5]
}

func BenchmarkReduced(b *testing.B) {
	im := New(2048, 2048, 1, 8)
	for b.Loop() {
		im.Reduced(0, 512)
	}
}
