package raster

// Turning is how a picture is turned or mirrored to be shown: x' = A·x + B·y and y' = C·x + D·y of its pixels, from
// the middle, y down.
type Turning struct{ A, B, C, D int }

// TurningOf is what an Exif orientation of 1 to 8 asks for (Exif 2.32, 4.6.4); other figures turn nothing.
func TurningOf(orientation int) Turning {
	switch orientation {
	case 2: // mirrored left to right
		return Turning{-1, 0, 0, 1}
	case 3: // half a turn
		return Turning{-1, 0, 0, -1}
	case 4: // mirrored top to bottom
		return Turning{1, 0, 0, -1}
	case 5: // transposed
		return Turning{0, 1, 1, 0}
	case 6: // a quarter clockwise
		return Turning{0, -1, 1, 0}
	case 7: // transposed over the other diagonal
		return Turning{0, -1, -1, 0}
	case 8: // a quarter anticlockwise
		return Turning{0, 1, -1, 0}
	}
	return Turning{1, 0, 0, 1}
}

// None says whether it turns nothing.
func (t Turning) None() bool { return t == Turning{} || t == Turning{1, 0, 0, 1} }

// Across says whether width and height change places.
func (t Turning) Across() bool { return t.B != 0 }

// Turned is the picture after a turning; itself where that is none.
func (im *Image) Turned(t Turning) *Image {
	if t.None() {
		return im
	}
	w, h := im.W, im.H
	if t.Across() {
		w, h = h, w
	}
	out := &Image{W: w, H: h, Bits: im.Bits, Planes: make([]Samples, len(im.Planes))}
	for c, p := range im.Planes {
		switch p := p.(type) {
		case Ints:
			out.Planes[c] = Ints(turned(p, im.W, im.H, w, h, t))
		case Floats:
			out.Planes[c] = Floats(turned(p, im.W, im.H, w, h, t))
		}
	}
	return out
}

// turned moves samples of w0 × h0 pixels to their places in w × h.
func turned[T any](src []T, w0, h0, w, h int, t Turning) []T {
	dst := make([]T, len(src))
	// The inverse is the transpose: x = A·x' + C·y', y = B·x' + D·y', from the corner that comes first.
	x0, y0 := 0, 0
	if t.A+t.C < 0 {
		x0 = w0 - 1
	}
	if t.B+t.D < 0 {
		y0 = h0 - 1
	}
	step := t.A + t.B*w0
	Rows(h, func(from, to int) {
		for y := from; y < to; y++ {
			at := (y0+t.D*y)*w0 + x0 + t.C*y
			for x := range w {
				dst[y*w+x] = src[at]
				at += step
			}
		}
	})
	return dst
}
