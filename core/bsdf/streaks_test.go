package bsdf

import (
	"math"
	"math/rand/v2"
	"testing"

	"aldermoor/core/geom"
)

// A white metal under a white sky is white, however its highlights are drawn out and from wherever it is seen.
func TestStretchedMetalsReturnWhatTheyReceive(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 3))
	var worst, sum float64
	const views, samples = 400, 6000
	for k := range views {
		s := &Surface{Color: geom.Grey(1), Edge: geom.Grey(1), Metallic: 1, Roughness: 0.05 + 0.95*rng.Float32(), Anisotropy: 2*rng.Float32() - 1}
		if k%4 == 0 {
			s.Anisotropy = 0.9
		}
		cos, azimuth := 0.05+0.95*rng.Float32(), 2*math.Pi*rng.Float64()
		r := sqrt(1 - cos*cos)
		wo := geom.Vec(r*float32(math.Cos(azimuth)), r*float32(math.Sin(azimuth)), cos)
		c, g := Shared().Prepare(s, wo), lobe(s.Roughness, s.Anisotropy)
		var out float64
		for i := range samples { // half of them by the lobe, half by the cosine
			u, v := hammersley(i/2, samples/2)
			var wi geom.V3
			if i%2 == 0 {
				h := g.sample(wo, u, v)
				wi = h.Scale(2 * wo.Dot(h)).Sub(wo)
			} else {
				z := sqrt(1 - v)
				sin, cos := math.Sincos(2 * math.Pi * float64(u))
				wi = geom.Vec(sqrt(v)*float32(cos), sqrt(v)*float32(sin), z)
			}
			if wi.Z <= 0 {
				continue
			}
			pdf := 0.5*g.pdf(wo, wi.Add(wo).Unit()) + 0.5*wi.Z/math.Pi
			out += float64(c.Reflected(wi).X / pdf)
		}
		off := math.Abs(out/samples - 1)
		sum += off
		if worst = max(worst, off); off > 0.0125 {
			t.Errorf("roughness %.2f, anisotropy %.2f, seen at %.2f and %.0f°: returns %.3f", s.Roughness, s.Anisotropy, cos, azimuth*180/math.Pi, out/samples)
		}
	}
	if t.Logf("off by %.4f at most, %.4f in the mean", worst, sum/views); sum/views > 0.0025 {
		t.Error("too much is lost or made in the mean")
	}
}

func BenchmarkStreaks(b *testing.B) {
	for b.Loop() {
		newStreaks()
	}
}
