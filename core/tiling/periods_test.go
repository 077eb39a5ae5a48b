package tiling_test

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/raster"
	"aldermoor/core/station"
	"aldermoor/core/tiling"
)

// pattern draws stones of random shades and shapes on a lattice that is turned, with
// noise and, if asked for, through JPEG.
func pattern(w, h int, a, b [2]float64, rng *rand.Rand, noise float64, lossy bool) raster.Plane {
	det := a[0]*b[1] - a[1]*b[0]
	p := raster.NewPlane(w, h)
	shade := map[[2]int]float64{}
	for y := range h {
		for x := range w {
			i := (float64(x)*b[1] - float64(y)*b[0]) / det
			j := (float64(y)*a[0] - float64(x)*a[1]) / det
			ci, cj := math.Floor(i), math.Floor(j)
			k := [2]int{int(ci), int(cj)}
			s, ok := shade[k]
			if !ok {
				s = 0.45 + 0.12*rng.NormFloat64()
				shade[k] = s
			}
			d := min(i-ci, ci+1-i, j-cj, cj+1-j) // the joint, soft as a lens sees it
			joint := 1 / (1 + math.Exp((d-0.06)*60))
			p.Pix[y*w+x] = float32(s*(1-joint) + 0.15*joint + noise*rng.NormFloat64() + 0.1*math.Sin(float64(x)/200))
		}
	}
	if !lossy {
		return p
	}
	im := image.NewGray(image.Rect(0, 0, w, h))
	for i, v := range p.Pix {
		im.SetGray(i%w, i/w, color.Gray{uint8(min(max(v, 0), 1) * 255)})
	}
	var buf bytes.Buffer
	jpeg.Encode(&buf, im, &jpeg.Options{Quality: 75})
	back, _ := jpeg.Decode(&buf)
	for i := range p.Pix {
		g, _, _, _ := back.At(i%w, i/w).RGBA()
		p.Pix[i] = float32(g) / 65535
	}
	return p
}

func TestPeriodsOfRandomLattices(t *testing.T) {
	rng := rand.New(rand.NewPCG(21, 22))
	missed := 0
	for n := range 24 {
		turn := (rng.Float64() - 0.5) * 0.9
		wide := 1.0
		if n >= 20 { // so large that half the size is looked at
			wide = 2.1
		}
		la, lb := wide*(22+60*rng.Float64()), wide*(22+60*rng.Float64())
		sin, cos := math.Sincos(turn)
		a, b := [2]float64{la * cos, la * sin}, [2]float64{-lb * sin, lb * cos}
		p := pattern(int(420*wide), int(380*wide), a, b, rng, 0.06*rng.Float64(), n%3 == 0)
		l := tiling.Periods([]raster.Plane{p})
		if l.B == [2]float64{} { // said to be boards
			missed++
		} else if off := apart(l, a, b); off > 0.5 {
			t.Errorf("%d: a cell of %.1f × %.1f turned by %.2f is %.2f px off: %+v", n, la, lb, turn, off, l)
		}
	}
	if missed > 1 {
		t.Errorf("%d of 24 lattices were not found", missed)
	}
}

// apart is how far a found lattice is from the true one, in pixels, whatever pair of
// steps it is given by: cells are equally large, and each true step is a whole
// combination of the found ones. A zero b stands for one direction alone.
func apart(l tiling.Lattice, a, b [2]float64) float64 {
	if b == [2]float64{} {
		if l.B != b {
			return math.Inf(1)
		}
		long := math.Hypot(a[0], a[1]) // along its lines it has no place
		return math.Abs(math.Abs(l.A[0]*a[0]+l.A[1]*a[1])/long - long)
	}
	det, cell := l.A[0]*l.B[1]-l.A[1]*l.B[0], a[0]*b[1]-a[1]*b[0]
	if math.Abs(math.Abs(det/cell)-1) > 0.04 {
		return math.Inf(1)
	}
	off := 0.0
	for _, v := range [][2]float64{a, b} {
		i := math.Round((v[0]*l.B[1] - v[1]*l.B[0]) / det)
		j := math.Round((v[1]*l.A[0] - v[0]*l.A[1]) / det)
		off = max(off, math.Hypot(v[0]-i*l.A[0]-j*l.B[0], v[1]-i*l.A[1]-j*l.B[1]))
	}
	return off
}

// What the stations' surfaces repeat by, as numbers of steps across and down.
var laid = map[string][2][2]float64{
	"slates_round": {{-1. / 18, 1. / 8}, {1. / 18, 1. / 8}}, "jetty_plank": {{1. / 7, 0}}, "flashing_copper": {{1. / 4, 0}},
	"tile_encaustic": {{1. / 4, 0}, {0, 1. / 4}}, "plate_sluice": {{1. / 2, 0}, {0, 1. / 2}}, "lead_rolls": {{1. / 2, 0}},
	"weatherboard_tar": {{0, 1. / 8}}, "hull_clinker": {{0, 1. / 7}}, "setts_moss": {{-1. / 18, 1. / 11}, {1. / 18, 1. / 11}},
	"quarry_glazed": {{1. / 6, 0}, {0, 1. / 6}}, "elm_herringbone": {{1. / 16, 1. / 16}, {-1. / 4, 1. / 4}}, "grating_iron": {{1. / 6, 0}, {-1. / 12, 1. / 6}},
	"rubble_limewash": {}, "mudflat_ripple": {}, "bank_shingle": {}, "path_oyster": {}, "terrazzo_office": {}, "gravel_pea": {}, "chainplate_rust": {},
}

func TestPeriodsOfTheStations(t *testing.T) {
	rng := rand.New(rand.NewPCG(31, 32))
	for _, m := range station.Materials() {
		want, ok := laid[m.Slug]
		if !ok {
			continue
		}
		px := 320 + rng.IntN(120)
		s := station.Take(m, station.Options{Px: px, Seed: uint32(rng.IntN(100))})
		list := planes(s)
		noisy(list, rng, 0.01)
		l := tiling.Periods(append(list[1:2], list[3:6]...))
		if want[0] == [2]float64{} {
			if l.Regular() {
				t.Errorf("%s: a pattern where there is none: %+v", m.Slug, l)
			}
			continue
		}
		w, h := float64(s.W), float64(s.H)
		if off := apart(l, [2]float64{want[0][0] * w, want[0][1] * h}, [2]float64{want[1][0] * w, want[1][1] * h}); off > 0.5 {
			t.Errorf("%s, %d px: %.2f px off: %+v", m.Slug, px, off, l)
		}
	}
}
