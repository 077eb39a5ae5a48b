package shade

import (
	"math"

	"aldermoor/core/raster"
)

// Occlusion works out how much of the sky each point of a height field sees,
// 0..1, cosine-weighted, from the horizon in sixteen directions (Bavoil & Sainz
// 2008, without the tangent term). Heights and pitch (metres a pixel on each
// axis) are in true proportion; reach is how far in metres a neighbour can
// shade. wraps says for each axis whether the map repeats: beyond an edge that does
// not, nothing stands in the light.
func Occlusion(h raster.Plane, pitchX, pitchY, reach float64, wraps [2]bool) raster.Plane {
	const directions = 16
	type offset struct {
		dx, dy int
		over   float32 // 1 / distance
	}
	var rays [directions][]offset
	for k := range rays {
		s, c := math.Sincos((float64(k) + 0.37) * 2 * math.Pi / directions)
		last := offset{}
		for d := 1.0; ; d *= 1.18 {
			dx, dy := int(math.Round(d*c)), int(math.Round(d*s))
			metres := math.Hypot(float64(dx)*pitchX, float64(dy)*pitchY)
			if metres > reach || d > float64(max(h.W, h.H))/2 {
				break
			}
			if o := (offset{dx, dy, float32(1 / metres)}); o.dx != last.dx || o.dy != last.dy {
				rays[k] = append(rays[k], o)
				last = o
			}
		}
	}
	out := raster.NewPlane(h.W, h.H)
	raster.Rows(h.H, func(y0, y1 int) {
		steep := make([]float32, h.W)
		for y := y0; y < y1; y++ {
			here, open := h.Row(y), out.Row(y)
			for _, ray := range rays {
				clear(steep)
				for _, o := range ray {
					if !wraps[1] && uint(y+o.dy) >= uint(h.H) {
						continue
					}
					row := h.Row(((y+o.dy)%h.H + h.H) % h.H)
					// The row shifted by dx, in the two runs that do not wrap.
					cut := ((o.dx % h.W) + h.W) % h.W
					if wraps[0] || o.dx >= 0 {
						climb(steep[:h.W-cut], row[cut:], here[:h.W-cut], o.over)
					}
					if wraps[0] || o.dx < 0 {
						climb(steep[h.W-cut:], row[:cut], here[h.W-cut:], o.over)
					}
				}
				for x, t := range steep {
					// The horizon stands at atan(t); what is open of the cosine-weighted
					// sky above it is 1 − sin².
					open[x] += 1 / (1 + t*t)
				}
			}
			for x := range open {
				open[x] /= directions
			}
		}
	})
	return out
}

// climb raises each horizon to what is seen over there from here.
func climb(steep, there, here []float32, over float32) {
	there, here = there[:len(steep)], here[:len(steep)]
	for i, t := range steep {
		if k := (there[i] - here[i]) * over; k > t {
			steep[i] = k
		}
	}
}
