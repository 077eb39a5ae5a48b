package raster

import "math"

// Unit returns a float picture with its samples brought into 0..1, component by
// component, and how: stored = from + v·(to − from). What lies within 0..1 stays;
// what lies within −1..1 is taken as signed and maps −1 to 0; anything else is
// stretched to what occurs. Samples that are no number become from. Integer
// pictures are returned as they are.
func (im *Image) Unit() (out *Image, from, to []float32) {
	n := im.Components()
	from, to = make([]float32, n), make([]float32, n)
	for c := range to {
		to[c] = 1
	}
	if !im.Float {
		return im, from, to
	}
	out = &Image{W: im.W, H: im.H, Bits: im.Bits, Float: true, F32: make([][]float32, n)}
	for c, p := range im.F32 {
		lo, hi, odd := float32(0), float32(0), false
		for _, v := range p {
			if !(math.Abs(float64(v)) <= math.MaxFloat32) {
				odd = true
				continue
			}
			lo, hi = min(lo, v), max(hi, v)
		}
		const slack = 1.0 / 256
		switch {
		case lo >= -slack && hi <= 1+slack:
			from[c], to[c] = 0, 1
		case lo >= -1-slack && hi <= 1+slack:
			from[c], to[c] = -1, 1
		default:
			from[c], to[c] = lo, max(hi, lo+1e-6)
		}
		if !odd && from[c] == 0 && to[c] == 1 {
			out.F32[c] = p
			continue
		}
		q := make([]float32, len(p))
		k, off := 1/(to[c]-from[c]), from[c]
		Rows(im.H, func(y0, y1 int) {
			for i := y0 * im.W; i < y1*im.W; i++ {
				if v := (p[i] - off) * k; v >= 0 { // false for what is no number
					q[i] = min(v, 1)
				}
			}
		})
		out.F32[c] = q
	}
	return out, from, to
}
