package station

import (
	"bytes"
	"fmt"
	"math"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/normals"
)

func TestSameSeedSameFiles(t *testing.T) {
	w := NewWriter()
	run := func(seed uint32) (all []File) {
		err := Deliver(w, Order{Sets: 8, Px: 64, Seed: seed}, func(d Delivered) error { all = append(all, d.Files...); return nil })
		if err != nil {
			t.Fatal(err)
		}
		return all
	}
	a, b, c := run(1), run(1), run(2)
	differ := 0
	for i := range a {
		if a[i].Name != b[i].Name || !bytes.Equal(a[i].Data, b[i].Data) {
			t.Errorf("%s differs between two runs of one seed", a[i].Name)
		}
		if !bytes.Equal(a[i].Data, c[i].Data) {
			differ++
		}
	}
	if differ < len(a)/2 {
		t.Errorf("another seed changed only %d of %d files", differ, len(a))
	}
}

// The direction test of core/normals must be right on every material, however it lies under the scanner.
func TestDirectionOfEveryMaterial(t *testing.T) {
	for _, m := range Materials() {
		for _, turn := range []float64{0, math.Pi / 2, 0.5, 2.2} {
			s := Take(m, Options{Px: 256, Seed: 3, Turn: turn})
			im := s.Normal.Image().Quantise(8)
			d, c := normals.Guess(normals.Read(im, 512))
			if d != normals.Up {
				t.Errorf("%s turned %.1f: %v with %.2f, want y+", m.Slug, turn, d, c)
			}
			if d, c = normals.Guess(normals.Read(flipped(im).Quantise(8), 512)); d != normals.Down {
				t.Errorf("%s turned %.1f and flipped: %v with %.2f, want y-", m.Slug, turn, d, c)
			}
		}
	}
}

func TestMaterialsTileAndArePhysical(t *testing.T) {
	for _, m := range Materials() {
		s := Take(m, Options{Px: 256, Seed: 1})
		if math.Abs(float64(s.W)/float64(s.H)-m.Size.W/m.Size.H) > 0.01 {
			t.Errorf("%s: %d×%d px for %v", m.Slug, s.W, s.H, m.Size)
		}
		if s.Depth < 1e-4 || s.Depth > 0.15 {
			t.Errorf("%s: a depth of %.4f m", m.Slug, s.Depth)
		}
		// The step across the wrap must be no larger than the largest inside.
		var inside, across float64
		for x := range s.W {
			var step float64
			for y := range s.H {
				row := s.Color[1].Row(y)
				step += math.Abs(float64(row[x] - row[(x+s.W-1)%s.W]))
			}
			if x == 0 {
				across = step
			} else {
				inside = max(inside, step)
			}
		}
		if across > 1.3*inside {
			t.Errorf("%s: the step across the edge is %.1f, the largest inside %.1f", m.Slug, across, inside)
		}
		depth, trust := normals.Depth(s.Normal, normals.Up, s.relative(), m.Size.W/float64(s.W), m.Size.H/float64(s.H))
		if trust < 0.97 || math.Abs(depth/s.Depth-1) > 0.05 {
			t.Errorf("%s: normals and height give %.2f mm (%.3f), truth is %.2f mm", m.Slug, depth*1000, trust, s.Depth*1000)
		}
	}
}

func TestFilesCarryTheirStationsHabits(t *testing.T) {
	w := NewWriter()
	for _, m := range Materials() {
		files, err := w.Files(Take(m, Options{Px: 64, Seed: 1}), m.Slug)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range files {
			in, err := codec.Probe(f.Data)
			if err != nil {
				continue // sidecars and licences
			}
			if tagged := in.Density[0] > 0; tagged != (m.Station == QuayRig) {
				t.Errorf("%s of %s: resolution tag %v", f.Name, m.Station, in.Density)
			}
			if m.Station == QuayRig && math.Abs(float64(in.W)/in.Density[0]-m.Size.W) > 0.02*m.Size.W {
				t.Errorf("%s: the tag gives %.3f m, truth is %.3f", f.Name, float64(in.W)/in.Density[0], m.Size.W)
			}
		}
	}
}

func TestParseFaults(t *testing.T) {
	if got, err := ParseFaults("seam, baked-light"); err != nil || fmt.Sprint(got) != "[seam baked-light]" {
		t.Error(got, err)
	}
	if _, err := ParseFaults("gremlins"); err == nil {
		t.Error("gremlins are not a fault")
	}
}

func ExampleTake() {
	m := Materials()[0]
	s := Take(m, Options{Px: 512, Seed: 1})
	fmt.Printf("%s: %d×%d px, %.2f × %.2f m\n", s.Name, s.W, s.H, s.Size.W, s.Size.H)
	// Output: Hung slates, round ends: 512×341 px, 1.71 × 1.14 m
}
