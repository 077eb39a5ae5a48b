package png

import (
	"fmt"
	"io"
	"runtime"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"
)

// unpacker turns filtered rows into planes.
type unpacker struct {
	h      *Header
	im     *raster.Image
	budget *budget.Budget
}

// pass reads w × h pixels and spreads them over the picture from (x0, y0) in
// steps of (dx, dy).
func (u *unpacker) pass(r io.Reader, w, h, x0, y0, dx, dy int) error {
	n := u.h.rowBytes(w)
	bpp := max(1, u.h.stored()*int(u.h.depth)/8)
	// Several rows at a time, so that the inflater is not asked for every one.
	block := min(h, max(1, 1<<18/(n+1)))
	if err := u.budget.Take(int64(block+1) * int64(n+1)); err != nil {
		return err
	}
	buf := make([]byte, block*(n+1))
	above := make([]byte, n)
	for y := 0; y < h; y += block {
		rows := min(block, h-y)
		if _, err := io.ReadFull(r, buf[:rows*(n+1)]); err != nil {
			return inflating(err)
		}
		for k := range rows {
			line := buf[k*(n+1) : (k+1)*(n+1)]
			if err := unfilter(line[0], line[1:], above, bpp); err != nil {
				return err
			}
			copy(above, line[1:])
			u.spread(line[1:], w, y0+(y+k)*dy, x0, dx)
		}
		runtime.Gosched() // a server goes on answering
		if err := u.budget.Err(); err != nil {
			return err
		}
	}
	return nil
}

// unfilter restores a row (PNG, 9.2).
func unfilter(kind byte, row, above []byte, bpp int) error {
	above = above[:len(row)]
	switch kind {
	case 0:
	case 1:
		for i := bpp; i < len(row); i++ {
			row[i] += row[i-bpp]
		}
	case 2:
		for i, a := range above {
			row[i] += a
		}
	case 3:
		for i := range min(bpp, len(row)) {
			row[i] += above[i] / 2
		}
		for i := bpp; i < len(row); i++ {
			row[i] += byte((int(row[i-bpp]) + int(above[i])) / 2)
		}
	case 4:
		for i := range min(bpp, len(row)) {
			row[i] += above[i]
		}
		k := 0
		for ; k+1 < bpp && k+1 < len(row); k += 2 {
			paethTwo(row, above, bpp, k)
		}
		for ; k < bpp; k++ {
			paeth(row, above, bpp, k)
		}
	default:
		return fault.FormatError(fmt.Sprintf("a row is filtered in way %d, which does not exist", kind))
	}
	return nil
}

// paeth restores every bpp-th byte from k on: keeping one component at a time leaves its
// left and upper-left neighbours in registers. It is predict in another form: with lo and
// hi of the left and upper neighbours, 3·c − (a + b) above hi means lo, below lo means hi,
// and the upper-left one else.
func paeth(row, above []byte, bpp, k int) {
	if k >= len(row) {
		return
	}
	above = above[:len(row)]
	a, c := int32(row[k]), int32(above[k])
	for i := k + bpp; i < len(row); i += bpp {
		b := int32(above[i])
		t := 3*c - a - b
		lo, hi := min(a, b), max(a, b)
		v := c
		if hi <= t {
			v = lo
		}
		if t <= lo {
			v = hi
		}
		a = (int32(row[i]) + v) & 255
		row[i] = byte(a)
		c = b
	}
}

// paethTwo restores two neighbouring bytes of each bpp at a time: each waits for its own
// left neighbour alone, so that the processor works on both.
func paethTwo(row, above []byte, bpp, k int) {
	above = above[:len(row)]
	a, c := int32(row[k]), int32(above[k])
	d, f := int32(row[k+1]), int32(above[k+1])
	for i := k + bpp; i+1 < len(row); i += bpp {
		b, e := int32(above[i]), int32(above[i+1])
		t, u := 3*c-a-b, 3*f-d-e
		lo, hi, low, high := min(a, b), max(a, b), min(d, e), max(d, e)
		v, w := c, f
		if hi <= t {
			v = lo
		}
		if high <= u {
			w = low
		}
		if t <= lo {
			v = hi
		}
		if u <= low {
			w = high
		}
		a = (int32(row[i]) + v) & 255
		d = (int32(row[i+1]) + w) & 255
		row[i], row[i+1] = byte(a), byte(d)
		c, f = b, e
	}
}

// predict is the Paeth predictor of a byte from its left, upper and upper-left
// neighbours (PNG, 9.4).
func predict(a, b, c int32) int32 {
	pa, pb := b-c, a-c
	pc := abs(pa + pb)
	pa, pb = abs(pa), abs(pb)
	if pa <= pb && pa <= pc {
		return a
	}
	if pb <= pc {
		return b
	}
	return c
}

func abs(v int32) int32 {
	m := v >> 31
	return (v ^ m) - m
}

// spread writes a row's samples to the planes.
func (u *unpacker) spread(row []byte, w, y, x0, dx int) {
	h, im := u.h, u.im
	at := y * im.W
	if h.kind == indexed || h.depth < 8 || h.alpha != nil {
		u.spreadSlow(row, w, at+x0, dx)
		return
	}
	n := len(im.Planes)
	if dx == 1 && x0 == 0 && (n == 1 || n == 3) {
		u.spreadWhole(row, w, at)
		return
	}
	if h.depth == 8 {
		for c := range n {
			plane := im.Ints(c)
			for x, o := 0, at+x0; x < w; x, o = x+1, o+dx {
				plane[o] = uint16(row[x*n+c]) * 257
			}
		}
		return
	}
	for c := range n {
		plane := im.Ints(c)
		for x, o := 0, at+x0; x < w; x, o = x+1, o+dx {
			i := 2 * (x*n + c)
			plane[o] = uint16(row[i])<<8 | uint16(row[i+1])
		}
	}
}

// spreadWhole is spread for whole rows of grey or of red, green and blue: nearly all are.
func (u *unpacker) spreadWhole(row []byte, w, at int) {
	im := u.im
	r := im.Ints(0)[at : at+w]
	if len(im.Planes) == 1 {
		if u.h.depth == 8 {
			for x, v := range row[:len(r)] {
				r[x] = uint16(v) * 257
			}
			return
		}
		for x := range r {
			v := row[2*x : 2*x+2 : 2*x+2]
			r[x] = uint16(v[0])<<8 | uint16(v[1])
		}
		return
	}
	g, b := im.Ints(1)[at : at+w][:len(r)], im.Ints(2)[at : at+w][:len(r)]
	if u.h.depth == 8 {
		for x := range r {
			v := row[3*x : 3*x+3 : 3*x+3]
			r[x], g[x], b[x] = uint16(v[0])*257, uint16(v[1])*257, uint16(v[2])*257
		}
		return
	}
	for x := range r {
		v := row[6*x : 6*x+6 : 6*x+6]
		r[x], g[x], b[x] = uint16(v[0])<<8|uint16(v[1]), uint16(v[2])<<8|uint16(v[3]), uint16(v[4])<<8|uint16(v[5])
	}
}

// spreadSlow handles palettes, few bits, and single transparent colours.
func (u *unpacker) spreadSlow(row []byte, w, at, dx int) {
	h, n := u.h, u.h.stored()
	var planes [4]raster.Ints
	p := planes[:u.im.Components()]
	for c := range p {
		p[c] = u.im.Ints(c)
	}
	var v [4]uint16 // as stored, without scaling
	for x := range w {
		for c := range n {
			switch h.depth {
			case 16:
				i := 2 * (x*n + c)
				v[c] = uint16(row[i])<<8 | uint16(row[i+1])
			case 8:
				v[c] = uint16(row[x*n+c])
			default:
				bit := x * int(h.depth)
				v[c] = uint16(row[bit/8]>>(8-int(h.depth)-bit%8)) & (1<<h.depth - 1)
			}
		}
		o := at + x*dx
		switch h.kind {
		case indexed:
			i := int(v[0])
			if 3*i+2 < len(h.palette) {
				for c := range 3 {
					p[c][o] = uint16(h.palette[3*i+c]) * 257
				}
			}
			if len(p) == 4 {
				p[3][o] = 65535
				if i < len(h.alpha) {
					p[3][o] = uint16(h.alpha[i]) * 257
				}
			}
		default:
			clear := len(p) == n+1 // tRNS: one colour is transparent
			for c := range n {
				if clear && v[c] != uint16(h.alpha[2*c])<<8|uint16(h.alpha[2*c+1]) {
					clear = false
				}
				p[c][o] = uint16(uint32(v[c]) * 65535 / (1<<h.depth - 1))
			}
			if len(p) == n+1 {
				p[n][o] = 65535
				if clear {
					p[n][o] = 0
				}
			}
		}
	}
}
