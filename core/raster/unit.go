package raster

// Unit returns a float picture with its samples brought into 0..1, and how:
// stored = from + v·(to − from). What lies within 0..1 stays; what lies within −1..1 is
// taken as signed and maps −1 to 0; anything else is stretched to what occurs. Components
// are stretched alike, so that vectors keep their directions and colours their hues; a
// fourth one within 0..1 is an alpha and stays. Samples
// that are not a number become from. Integer pictures are returned as they are.
func (im *Image) Unit() (out *Image, from, to []float32) {
	n := im.Components()
	from, to = make([]float32, n), make([]float32, n)
	lows, highs, whole := make([]float32, n), make([]float32, n), make([]bool, n)
	out = &Image{W: im.W, H: im.H, Bits: im.Bits, Planes: make([]Samples, n)}
	floats := false
	for c, p := range im.Planes {
		lows[c], highs[c], whole[c], floats = p.extent()
		to[c] = 1
	}
	if !floats {
		copy(out.Planes, im.Planes)
		return out, from, to
	}
	colours := n
	if n == 4 {
		if _, _, plain := span(lows[3], highs[3]); plain {
			colours = 3
		}
	}
	lo, hi := float32(0), float32(0)
	for c := range colours {
		lo, hi = min(lo, lows[c]), max(hi, highs[c])
	}
	a, b, _ := span(lo, hi)
	for c, p := range im.Planes {
		if c < colours {
			from[c], to[c] = a, b
		}
		if out.Planes[c] = p; !whole[c] || from[c] != 0 || to[c] != 1 {
			out.Planes[c] = p.stretched(from[c], to[c])
		}
	}
	return out, from, to
}

// Span is a float picture with stored values of from at 0 and of to at 1, cut off there.
// Integer pictures are returned as they are.
func (im *Image) Span(from, to float32) *Image {
	out := &Image{W: im.W, H: im.H, Bits: im.Bits}
	for _, p := range im.Planes {
		out.Planes = append(out.Planes, p.stretched(from, max(to, from+1e-9)))
	}
	return out
}

// Relative is a picture of one component with its samples in 0..1: floats that lie outside, or
// fill less than an eighth of it, as heights in metres do, are stretched to what occurs. Other
// pictures are as Unit has them.
func (im *Image) Relative() *Image {
	if im.Components() == 1 && im.Float() {
		if lo, hi, _, _ := im.Planes[0].Moments(); lo < 0 || hi > 1 || hi-lo < 0.125 {
			return im.Span(float32(lo), float32(hi))
		}
	}
	out, _, _ := im.Unit()
	return out
}

// span is the range that samples between lo and hi are taken to be of; plain says that it
// is 0..1.
func span(lo, hi float32) (from, to float32, plain bool) {
	const slack = 1.0 / 256
	switch {
	case lo >= -slack && hi <= 1+slack:
		return 0, 1, true
	case lo >= -1-slack && hi <= 1+slack:
		return -1, 1, false
	}
	return lo, max(hi, lo+1e-6), false
}
