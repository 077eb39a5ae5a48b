package treat

import (
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// exhaustive is what the cheapest line through a grid costs, by trying all.
func exhaustive(e []float32, n, h int) float64 {
	best := make([]float64, n)
	for x := range best {
		best[x] = float64(e[x])
	}
	var walk func(y, x int, so float64) float64
	walk = func(y, x int, so float64) float64 {
		if y == h-1 {
			return so
		}
		least := math.Inf(1)
		for d := -2; d <= 2; d++ {
			if to := x + d; to >= 0 && to < n {
				k := float64(e[(y+1)*n+to])
				least = min(least, walk(y+1, to, so+k+0.15*k*math.Abs(float64(d))))
			}
		}
		return least
	}
	least := math.Inf(1)
	for x := range n {
		least = min(least, walk(0, x, float64(e[x])))
	}
	return least
}

func TestTheCheapestLineIsTheCheapest(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 11))
	for range 40 {
		n, h := 3+rng.IntN(4), 3+rng.IntN(4)
		e := make([]float32, n*h)
		for i := range e {
			e[i] = rng.Float32()
		}
		line, cost := descend(e, n, h, 0, -1)
		if want := exhaustive(e, n, h); math.Abs(cost-want) > 1e-5 {
			t.Fatalf("%d × %d: a line of %.5f, though there is one of %.5f", n, h, cost, want)
		}
		sum := float64(e[line[0]])
		for y := 1; y < h; y++ {
			d := math.Abs(float64(line[y] - line[y-1]))
			if d > 2 {
				t.Fatalf("the line leaps by %v", d)
			}
			sum += float64(e[y*n+line[y]]) * (1 + 0.15*d)
		}
		if math.Abs(sum-cost) > 1e-4 {
			t.Fatalf("the line costs %.5f, not the %.5f that is said", sum, cost)
		}
	}
}

func TestAClosedLineEndsWhereItBegan(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 5))
	for range 20 {
		n, h, first := 9, 24, rng.IntN(24)
		e := make([]float32, n*h)
		for i := range e {
			e[i] = rng.Float32()
		}
		at := rng.IntN(n)
		line, _ := descend(e, n, h, first, at)
		if line[first] != at {
			t.Fatalf("it begins at %d, not at %d", line[first], at)
		}
		for y := range line {
			if d := line[(y+1)%h] - line[y]; d < -2 || d > 2 {
				t.Fatalf("round the edge it leaps by %d in row %d", d, y)
			}
		}
	}
}

// A picture that repeats after w pixels and was scanned a little further is closed by
// just the overlap, and comes out as it is.
func TestTheTrueOverlapIsFound(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 9))
	for _, over := range []int{19, 34, 52} {
		const w, h = 240, 160
		tile := raster.NewPlane(w, h)
		for i := range tile.Pix {
			tile.Pix[i] = rng.Float32()
		}
		tile = filter.Gaussian(tile, 2)
		scan := raster.NewPlane(w+over, h)
		for y := range h {
			for x := range scan.W {
				scan.Pix[y*scan.W+x] = tile.Pix[y*w+x%w] + 0.002*rng.Float32()
			}
		}
		c := cut{}
		if !c.find([]raster.Plane{scan}, 0.3) {
			t.Fatal("nothing was found")
		}
		if got := c.overlap(scan.W); got != over {
			t.Errorf("an overlap of %d px was found as %d", over, got)
			continue
		}
		out := c.compose(scan)
		var worst float64
		for i, v := range out.Pix {
			worst = max(worst, math.Abs(float64(v-tile.Pix[i])))
		}
		if out.W != w || worst > 0.01 {
			t.Errorf("closed, it is %d px wide and differs from the truth by %.4f", out.W, worst)
		}
	}
}

func TestWhatIsTooSmallIsNotCut(t *testing.T) {
	for _, size := range [][2]int{{47, 100}, {100, 15}, {1, 1}} {
		c := cut{}
		if c.find([]raster.Plane{raster.NewPlane(size[0], size[1])}, 0.3) {
			t.Errorf("%v was cut", size)
		}
	}
}
