package exr

// layout is where the samples of a chunk lie once it is unpacked: row by row, in each row channel by channel.
// Channels of reduced resolution have samples at every sx-th pixel of every sy-th row alone.
type layout struct {
	w, h  []int   // samples across and rows, by channel
	rows  [][]int // where each row of a channel begins
	row   int     // bytes of a row with samples of all channels
	bytes int
}

// of is the layout of the pixels of b.
func (l *layout) of(channels []Channel, b box) {
	if len(l.rows) != len(channels) {
		l.rows, l.w, l.h = make([][]int, len(channels)), make([]int, len(channels)), make([]int, len(channels))
	}
	l.row, l.bytes = 0, 0
	for c, ch := range channels {
		l.rows[c] = l.rows[c][:0]
		l.w[c], l.h[c] = samples(b.x0, b.x1, ch.sx), samples(b.y0, b.y1, ch.sy)
		l.row += ch.Type.size() * l.w[c]
	}
	for y := b.y0; y <= b.y1; y++ {
		for c, ch := range channels {
			if ch.in(y) {
				l.rows[c] = append(l.rows[c], l.bytes)
				l.bytes += ch.Type.size() * l.w[c]
			}
		}
	}
}

// in says whether a channel has samples in row y.
func (c Channel) in(y int) bool { return c.sy == 1 || y%c.sy == 0 }

// reduced says whether a channel has fewer samples than the picture has pixels.
func (c Channel) reduced() bool { return c.sx > 1 || c.sy > 1 }

// samples is how many multiples of step there are from a to b.
func samples(a, b, step int) int {
	if step == 1 {
		return b - a + 1
	}
	return floorDiv(b, step) - floorDiv(a-1, step)
}

func floorDiv(a, b int) int {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// widen fills a plane of w pixels a row, whose samples lie at every sx-th pixel of every sy-th row from x0, y0 on, by
// interpolation between them.
func widen(p []float32, w, h, x0, y0, sx, sy int) {
	between := func(n, at, step int, get func(i int) float32, set func(i int, v float32)) {
		for i := range n {
			k := i - at
			r := ((k % step) + step) % step
			a, b := i-r, i-r+step
			switch {
			case r == 0:
			case a < 0:
				set(i, get(b))
			case b >= n:
				set(i, get(a))
			default:
				t := float32(r) / float32(step)
				set(i, get(a)+(get(b)-get(a))*t)
			}
		}
	}
	for y := range h {
		if ((y-y0)%sy+sy)%sy == 0 && sx > 1 && w > 1 {
			row := p[y*w : (y+1)*w]
			between(w, x0, sx, func(i int) float32 { return row[min(i, w-1)] }, func(i int, v float32) { row[i] = v })
		}
	}
	if sy == 1 {
		return
	}
	for x := range w {
		between(h, y0, sy, func(i int) float32 { return p[min(i, h-1)*w+x] }, func(i int, v float32) { p[i*w+x] = v })
	}
}

// colours makes red, green and blue of luminance and the differences of red and blue from it, as shares of it
// (OpenEXR, Luminance/Chroma Images), in planes of their own. weights are those of red and blue in the luminance.
func colours(y, ry, by []float32, weights [2]float64) (r, g, b []float32) {
	r, g, b = make([]float32, len(y)), make([]float32, len(y)), make([]float32, len(y))
	wr, wb := float32(weights[0]), float32(weights[1])
	wg := 1 - wr - wb
	for i, v := range y {
		r[i], b[i] = (ry[i]+1)*v, (by[i]+1)*v
		g[i] = (v - r[i]*wr - b[i]*wb) / wg
	}
	return r, g, b
}
