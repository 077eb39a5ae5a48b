package shade

// heights is a height field in metres above the zero level, with its border repeated around it: marching
// reads it many times for each texel that is shaded, so that looking it up has no special cases. One
// without samples is flat.
type heights struct {
	w, h int
	pix  []float32 // rows of w + 2, h + 2 of them
}

func newHeights(w, h int) heights { return heights{w, h, make([]float32, (w+2)*(h+2))} }

// row is row y without its border.
func (f *heights) row(y int) []float32 {
	if f.pix == nil {
		return nil
	}
	from := (y+1)*(f.w+2) + 1
	return f.pix[from : from+f.w]
}

// wrap fills the border.
func (f *heights) wrap() {
	side := f.w + 2
	for y := 1; y <= f.h; y++ {
		row := f.pix[y*side : (y+1)*side]
		row[0], row[side-1] = row[f.w], row[1]
	}
	copy(f.pix[:side], f.pix[f.h*side:])
	copy(f.pix[(f.h+1)*side:], f.pix[side:2*side])
}

// at is the height at (u, v) in repeats, linear between samples.
func (f *heights) at(u, v float32) float32 {
	if u -= float32(int32(u)); u < 0 {
		u++
	}
	if v -= float32(int32(v)); v < 0 {
		v++
	}
	x, y := u*float32(f.w)+0.5, v*float32(f.h)+0.5
	i, j := int32(x), int32(y)
	fx, fy := x-float32(i), y-float32(j)
	side := f.w + 2
	k := int(j)*side + int(i)
	if uint(k+side+1) >= uint(len(f.pix)) { // flat
		return 0
	}
	a, c := f.pix[k], f.pix[k+side]
	top, low := a+(f.pix[k+1]-a)*fx, c+(f.pix[k+side+1]-c)*fx
	return top + (low-top)*fy
}

// half is the field at half its size: each sample is the mean of what it covers.
func (f *heights) half(w, h int) heights {
	if f.pix == nil {
		return heights{w: w, h: h}
	}
	out := newHeights(w, h)
	even := f.w == 2*w && f.h == 2*h
	for y := range h {
		j0, j1, ky := covered(y, f.h, h)
		to := out.row(y)
		if even {
			a, b := f.row(2*y), f.row(2*y+1)
			for x := range to {
				to[x] = 0.25 * (a[2*x] + a[2*x+1] + b[2*x] + b[2*x+1])
			}
			continue
		}
		for x := range to {
			i0, i1, kx := covered(x, f.w, w)
			for j := j0; j < j1; j++ {
				from := f.row(j)
				for i := i0; i < i1; i++ {
					to[x] += from[i] * kx[i-i0] * ky[j-j0]
				}
			}
		}
	}
	out.wrap()
	return out
}
