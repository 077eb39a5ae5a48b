package likeness_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"
	"time"

	"aldermoor/core/likeness"
	"aldermoor/core/raster"
	"aldermoor/core/station"
)

func small(p raster.Plane, f func(float64) float64) []byte {
	q := p.Resample(likeness.Side, likeness.Side, raster.Area)
	out := make([]byte, len(q.Pix))
	for i, v := range q.Pix {
		out[i] = byte(min(max(f(float64(v)), 0), 1)*255 + 0.5)
	}
	return out
}

func same(v float64) float64 { return v }

// print of a scan as it is delivered.
func printOf(s *station.Scan, bright func(float64) float64) likeness.Print {
	lo, hi := s.Height.Range()
	h := raster.NewPlane(s.W, s.H)
	l := raster.NewPlane(s.W, s.H)
	for i, v := range s.Height.Pix {
		h.Pix[i] = (v - lo) / (hi - lo)
		l.Pix[i] = float32(math.Sqrt(float64(0.2126*s.Color[0].Pix[i] + 0.7152*s.Color[1].Pix[i] + 0.0722*s.Color[2].Pix[i])))
	}
	return likeness.Print{Lightness: small(l, bright), Height: small(h, same), Rough: small(s.Roughness, same)}
}

func turned(p likeness.Print) likeness.Print {
	turn := func(b []byte) []byte {
		if b == nil {
			return nil
		}
		out := make([]byte, len(b))
		for y := range likeness.Side {
			for x := range likeness.Side {
				out[x*likeness.Side+likeness.Side-1-y] = b[y*likeness.Side+x]
			}
		}
		return out
	}
	return likeness.Print{Lightness: turn(p.Lightness), Height: turn(p.Height), Rough: turn(p.Rough)}
}

// All of the stations' materials in two states each: every one is recognised in its other forms, and none in another.
func TestEveryScanIsKnownAgainAndNoOther(t *testing.T) {
	var x likeness.Index
	all := station.Materials()
	scans := map[int64]*station.Scan{}
	for i, m := range all {
		for seed := range uint32(2) {
			id := int64(i)*2 + int64(seed)
			scans[id] = station.Take(m, station.Options{Px: 256, Seed: seed + 1})
			x.Put(id, printOf(scans[id], same))
		}
	}
	forms, known := 0, 0
	rng := rand.New(rand.NewPCG(8, 9))
	for i, m := range all {
		id := int64(i) * 2
		tier := printOf(scans[id], same)
		for _, b := range [][]byte{tier.Lightness, tier.Height, tier.Rough} {
			for k := range b { // averaged and encoded again: a step up or down
				b[k] = byte(min(max(int(b[k])+rng.IntN(3)-1, 0), 255))
			}
		}
		for name, p := range map[string]likeness.Print{
			"the same": printOf(scans[id], same), "smaller, and lossy": tier, "darker": printOf(scans[id], func(v float64) float64 { return 0.7 * v }),
			"brighter": printOf(scans[id], func(v float64) float64 { return 0.15 + 0.8*v }), "turned": turned(printOf(scans[id], same)), "turned twice": turned(turned(printOf(scans[id], same))),
			"colour alone": {Lightness: printOf(scans[id], same).Lightness},
		} {
			forms++
			got, ok := x.Find(p, nil)
			switch {
			case ok && got.ID/2 != int64(i):
				t.Errorf("%s, %s: taken for %s (%.3f)", m.Slug, name, all[got.ID/2].Slug, got.Likeness)
			case ok:
				known++
			default:
				t.Logf("%s, %s: not known again", m.Slug, name)
			}
			if name == "turned" && ok && got.ID == id && got.Quarters == 0 && got.Likeness < 0.999 {
				t.Errorf("%s: the turn was not noticed", m.Slug)
			}
		}
		// A fresh scan of the same kind of surface is another material.
		fresh := printOf(station.Take(m, station.Options{Px: 256, Seed: 77}), same)
		if got, ok := x.Find(fresh, nil); ok && got.ID/2 != int64(i) {
			t.Errorf("a fresh %s is taken for %s (%.3f)", m.Slug, all[got.ID/2].Slug, got.Likeness)
		}
	}
	t.Logf("%d of %d forms were known again", known, forms)
	if float64(known) < 0.97*float64(forms) {
		t.Errorf("only %d of %d forms were known again", known, forms)
	}
}

func noise(rng *rand.Rand) likeness.Print {
	b := make([]byte, 2*likeness.Side*likeness.Side)
	for i := range b {
		b[i] = byte(rng.IntN(256))
	}
	return likeness.Print{Lightness: b[:len(b)/2], Height: b[len(b)/2:]}
}

func TestAHundredThousandAreSearchedInTime(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	var x likeness.Index
	var some likeness.Print
	for i := range int64(100_000) {
		p := noise(rng)
		x.Put(i, p)
		if i == 77_777 {
			some = p
		}
	}
	each := time.Hour // the least of several: a busy machine is not what is measured
	for range 9 {
		start := time.Now()
		if m, ok := x.Find(turned(some), nil); !ok || m.ID != 77_777 || m.Quarters != 1 {
			t.Fatalf("%+v %v", m, ok)
		}
		each = min(each, time.Since(start))
	}
	t.Logf("%v a search", each)
	if each > 100*time.Millisecond {
		t.Errorf("a search takes %v", each)
	}
	if _, ok := x.Find(noise(rng), nil); ok {
		t.Error("noise was known")
	}
	if _, ok := x.Find(likeness.Print{Lightness: make([]byte, likeness.Side*likeness.Side)}, nil); ok {
		t.Error("an even surface was known")
	}
}

func ExampleIndex_Find() {
	var x likeness.Index
	p := noise(rand.New(rand.NewPCG(3, 4)))
	x.Put(12, p)
	m, ok := x.Find(turned(p), nil)
	fmt.Println(m.ID, m.Quarters, ok)
	// Output: 12 1 true
}
