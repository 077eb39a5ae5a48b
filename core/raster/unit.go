package raster

// Unit returns the picture with its samples brought into 0..1, component by
// component, and how: stored = from + v·(to − from). Floats within 0..1 stay;
// what lies within −1..1 is taken as signed and maps −1 to 0; anything else is
// stretched to what occurs. Samples that are not a number become from. Integer
// pictures are returned as they are.
func (im *Image) Unit() (out *Image, from, to []float32) {
	n := im.Components()
	from, to = make([]float32, n), make([]float32, n)
	out = &Image{W: im.W, H: im.H, Bits: im.Bits, Planes: make([]Samples, n)}
	for c, p := range im.Planes {
		out.Planes[c], from[c], to[c] = p.unit()
	}
	return out, from, to
}
