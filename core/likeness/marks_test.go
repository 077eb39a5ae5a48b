package likeness_test

import (
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"testing"
	"time"

	"aldermoor/core/likeness"
	"aldermoor/core/raster"
	"aldermoor/core/station"
)

func lightness(s *station.Scan) raster.Plane {
	l := raster.NewPlane(s.W, s.H)
	for i := range l.Pix {
		l.Pix[i] = float32(math.Sqrt(float64(0.2126*s.Color[0].Pix[i] + 0.7152*s.Color[1].Pix[i] + 0.0722*s.Color[2].Pix[i])))
	}
	return l
}

// cut takes a part of a picture, brings it to another size, turns it clockwise by
// quarters and changes its brightness a little.
func cut(p raster.Plane, x0, y0, w, h, quarters int, size float64, rng *rand.Rand) raster.Plane {
	out := raster.NewPlane(min(w, p.W-x0), min(h, p.H-y0))
	for y := range out.H {
		copy(out.Row(y), p.Row(y0 + y)[x0:])
	}
	out = out.Resample(int(float64(out.W)*size), int(float64(out.H)*size), raster.Area)
	for range quarters {
		was := out
		out = raster.NewPlane(was.H, was.W)
		for y := range was.H {
			for x := range was.W {
				out.Pix[x*out.W+out.W-1-y] = was.Pix[y*was.W+x]
			}
		}
	}
	gain := float32(0.85 + 0.3*rng.Float64())
	for i := range out.Pix {
		out.Pix[i] = out.Pix[i]*gain + float32(rng.NormFloat64())*0.01
	}
	return out
}

// The likeliest answer that holds when it is laid on the whole.
func confirm(x *likeness.Index, p raster.Plane, whole func(id int64) raster.Plane) (likeness.Part, float64, bool) {
	for _, part := range x.FindParts(p, 3, nil) {
		at, score := likeness.Register(whole(part.ID), p, part)
		if score >= likeness.SamePart {
			return at, score, true
		}
	}
	return likeness.Part{}, 0, false
}

func TestPartsOfScansAreKnown(t *testing.T) {
	var x likeness.Index
	var all []station.Material
	for i, m := range station.Materials() {
		if i%2 == 0 {
			all = append(all, m)
		}
	}
	wholes := map[int64]raster.Plane{}
	whole := func(id int64) raster.Plane { return wholes[id] }
	for i, m := range all {
		l := lightness(station.Take(m, station.Options{Px: 512, Seed: 1}))
		wholes[int64(i)] = l
		x.Put(int64(i), likeness.Print{Marks: likeness.Marks(l), W: l.W, H: l.H})
	}
	rng := rand.New(rand.NewPCG(4, 5))
	asked, known := 0, 0
	for i, m := range all {
		l := wholes[int64(i)]
		for try := range 4 {
			share := 0.42 + 0.5*rng.Float64()
			w, h := int(float64(l.W)*share), int(float64(l.H)*share)
			x0, y0 := rng.IntN(l.W-w+1), rng.IntN(l.H-h+1)
			asked++
			at, score, ok := confirm(&x, cut(l, x0, y0, w, h, try, 0.6+rng.Float64(), rng), whole)
			if !ok {
				t.Logf("%s: a part of %.2f is not known", m.Slug, share)
				continue
			}
			if at.ID != int64(i) {
				t.Errorf("%s: taken for %s (%.3f)", m.Slug, all[at.ID].Slug, score)
				continue
			}
			known++
			wrong := max(math.Abs(at.X-float64(x0)/float64(l.W)), math.Abs(at.Y-float64(y0)/float64(l.H)), math.Abs(at.W-share))
			if (at.Quarters+try)%4 != 0 || wrong > 0.03 {
				t.Logf("%s: part %.2f at %d %d, turned by %d: %+v, %.3f off", m.Slug, share, x0, y0, try, at, wrong)
			}
		}
		// Another scan of such a surface is another material.
		fresh := lightness(station.Take(m, station.Options{Px: 512, Seed: 9}))
		if at, score, ok := confirm(&x, fresh, whole); ok && at.ID != int64(i) { // one pattern printed twice is no fault
			t.Errorf("a fresh %s is taken for a part of %s (%.3f)", m.Slug, all[at.ID].Slug, score)
		}
	}
	t.Logf("%d of %d parts were known", known, asked)
	if float64(known) < 0.8*float64(asked) {
		t.Errorf("only %d of %d parts were known", known, asked)
	}
}

func TestPartsAreFoundAmongAHundredThousand(t *testing.T) {
	var x likeness.Index
	rng := rand.New(rand.NewPCG(6, 7))
	l := lightness(station.Take(station.Materials()[0], station.Options{Px: 512, Seed: 1}))
	real := likeness.Marks(l)
	for i := range int64(100_000) {
		p := likeness.Print{W: 4096, H: 4096}
		for range len(real) {
			p.Marks = append(p.Marks, likeness.Mark{X: uint8(rng.IntN(112) + 8), Y: uint8(rng.IntN(112) + 8), Bits: rng.Uint64()})
		}
		if i == 77_777 {
			p.Marks, p.W, p.H = real, l.W, l.H
		}
		x.Put(i, p)
	}
	part := cut(l, 40, 60, 300, 300, 1, 1, rng)
	start := time.Now()
	found := x.FindParts(part, 3, nil)
	for range 4 {
		x.FindParts(part, 3, nil)
	}
	each := time.Since(start) / 5
	t.Logf("%v a search", each)
	if each > 150*time.Millisecond { // 50 on a quiet machine
		t.Errorf("a search takes %v", each)
	}
	if len(found) == 0 || found[0].ID != 77_777 {
		t.Errorf("%+v", found)
	}
}

// The same question has the same answer, a surface that repeats is no dearer than another,
// and what is replaced again and again leaves nothing behind.
func TestFindPartsIsSteady(t *testing.T) {
	var x likeness.Index
	grid := raster.NewPlane(512, 512) // every place of it looks like 255 others
	for y := range 512 {
		for x := range 512 {
			grid.Row(y)[x] = float32((x%32)*(y%32)%29) / 29
		}
	}
	for id := range int64(12) {
		x.Put(id, likeness.Print{W: 512, H: 512, Marks: likeness.Marks(grid)})
	}
	first := x.FindParts(grid, 3, nil)
	for range 5 {
		if again := x.FindParts(grid, 3, nil); !slices.Equal(again, first) {
			t.Fatalf("%+v, and then %+v", first, again)
		}
	}
	var m1, m2 runtime.MemStats
	marks := likeness.Marks(grid)
	for i := range 4000 {
		x.Put(7, likeness.Print{W: 512, H: 512, Marks: marks})
		if i == 400 {
			runtime.GC()
			runtime.ReadMemStats(&m1)
		}
	}
	runtime.GC()
	runtime.ReadMemStats(&m2)
	if grown := int64(m2.HeapAlloc) - int64(m1.HeapAlloc); grown > 4<<20 {
		t.Errorf("3600 replaced prints left %d bytes", grown)
	}
	runtime.KeepAlive(&x)
}

func BenchmarkRegister(b *testing.B) {
	all := station.Materials()
	rng := rand.New(rand.NewPCG(1, 1))
	whole := lightness(station.Take(all[1], station.Options{Px: 512, Seed: 1}))
	other := lightness(station.Take(all[2], station.Options{Px: 512, Seed: 1}))
	part := cut(whole, 100, 50, 300, 300, 0, 1, rng)
	at := likeness.Part{X: 0.2, Y: 0.1, W: 0.58, H: 0.58}
	b.Run("right", func(b *testing.B) {
		for b.Loop() {
			likeness.Register(whole, part, at)
		}
	})
	b.Run("wrong", func(b *testing.B) {
		for b.Loop() {
			likeness.Register(other, part, at)
		}
	})
}
