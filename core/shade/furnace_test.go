package shade

import (
	"math"
	"testing"

	"aldermoor/core/geom"
)

// hemisphere integrates f over directions above z, by the midpoint rule.
func hemisphere(f func(d geom.V3) float64) (sum float64) {
	const rows, columns = 400, 400
	for i := range rows {
		z := (float64(i) + 0.5) / rows
		r := math.Sqrt(1 - z*z)
		for j := range columns {
			sin, cos := math.Sincos(2 * math.Pi * (float64(j) + 0.5) / columns)
			sum += f(geom.V3{float32(r * cos), float32(r * sin), float32(z)})
		}
	}
	return sum * 2 * math.Pi / (rows * columns)
}

func viewAt(nv float32) geom.V3 { return geom.V3{sqrt(1 - nv*nv), 0, nv} }

// The table of the specular lobe is what numeric integration of the same lobe gives.
func TestTheSplitSumIsTheIntegral(t *testing.T) {
	l := Daylight()
	for _, rough := range []float32{0.35, 0.5, 0.75, 1} {
		for _, nv := range []float32{0.15, 0.4, 0.7, 0.95} {
			view, a := viewAt(nv), rough*rough
			lobeOf := func(f func(vh float32) float32) float64 {
				return hemisphere(func(d geom.V3) float64 {
					half := d.Add(view).Unit()
					return float64(ggx(half[2], a) * smith(nv, d[2], a) * f(view.Dot(half)) * d[2])
				})
			}
			scale, bias := l.splitSum(nv, rough)
			whole, rim := lobeOf(func(float32) float32 { return 1 }), lobeOf(func(vh float32) float32 { return fifth(1 - vh) })
			if math.Abs(float64(scale+bias)-whole) > 0.015 || math.Abs(float64(bias)-rim) > 0.01 {
				t.Errorf("roughness %.2f at %.2f: %.4f and %.4f, integrated %.4f and %.4f", rough, nv, scale+bias, bias, whole, rim)
			}
		}
	}
}

// Under the sun from anywhere, a white surface returns what it gets and no more: metal all of it,
// as what scatters several times is given back, anything else nearly.
func TestWhiteUnderASunFromEverywhere(t *testing.T) {
	for _, c := range []struct {
		metallic    float32
		least, most float64
	}{{1, 0.93, 1.03}, {0, 0.95, 1.03}} {
		for _, rough := range []float32{0.4, 0.7, 1} {
			for _, nv := range []float32{0.3, 0.6, 0.95} {
				p := point{color: geom.V3{1, 1, 1}, specular: geom.V3{0.04, 0.04, 0.04}, normal: geom.V3{0, 0, 1}, view: viewAt(nv), roughness: rough, metallic: c.metallic, occlusion: 1}
				l := Daylight()
				l.sunLight = geom.V3{1, 1, 1}
				dark := l.light(p)
				p.sunlit = 1
				got := hemisphere(func(d geom.V3) float64 {
					l.sun = d
					return float64(l.light(p)[1] - dark[1])
				}) / math.Pi
				if got < c.least || got > c.most {
					t.Errorf("metallic %.0f, roughness %.1f, at %.2f: %.3f of the light comes back", c.metallic, rough, nv, got)
				}
			}
		}
	}
}

// Swapping the light and the eye changes nothing.
func TestReciprocity(t *testing.T) {
	for _, a := range []float32{0.05, 0.3, 1} {
		for _, pair := range [][2]float32{{0.2, 0.9}, {0.5, 0.6}} {
			if x, y := smith(pair[0], pair[1], a), smith(pair[1], pair[0], a); math.Abs(float64(x-y)) > 1e-6 {
				t.Errorf("α %.2f: %v and %v", a, x, y)
			}
		}
	}
}
