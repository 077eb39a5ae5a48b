package dds

import (
	"strings"

	"aldermoor/core/raster"
)

// BC6H as in the Direct3D 11.3 functional specification, section 19.5.14: three half floats, fourteen modes with
// one or two pairs of colours.

// floatMode is how the bits of a block of BC6H are shared out.
type floatMode struct {
	base   int    // bits of the first colour's components
	deltas [3]int // bits of the components of the others
	whole  bool   // the others are colours, not differences from the first
	layout string
	fields []field
}

// field is one run of bits: of component c of colour e, from bit low on; backwards where the highest comes first.
type field struct {
	e, c, low, n int
	backwards    bool
}

// The layouts by the mode's number: the fields as they stand in the block, the lowest bit first. Of "gy3-0" g is the
// component, y the third of the colours w, x, y and z, 3 its highest bit here and 0 its lowest; "gw10-11" has
// the highest first.
var floatModes = map[int]*floatMode{
	0:  {10, [3]int{5, 5, 5}, false, "gy4 by4 bz4 rw9-0 gw9-0 bw9-0 rx4-0 gz4 gy3-0 gx4-0 bz0 gz3-0 bx4-0 bz1 by3-0 ry4-0 bz2 rz4-0 bz3", nil},
	1:  {7, [3]int{6, 6, 6}, false, "gy5 gz4 gz5 rw6-0 bz0 bz1 by4 gw6-0 by5 bz2 gy4 bw6-0 bz3 bz5 bz4 rx5-0 gy3-0 gx5-0 gz3-0 bx5-0 by3-0 ry5-0 rz5-0", nil},
	2:  {11, [3]int{5, 4, 4}, false, "rw9-0 gw9-0 bw9-0 rx4-0 rw10 gy3-0 gx3-0 gw10 bz0 gz3-0 bx3-0 bw10 bz1 by3-0 ry4-0 bz2 rz4-0 bz3", nil},
	6:  {11, [3]int{4, 5, 4}, false, "rw9-0 gw9-0 bw9-0 rx3-0 rw10 gz4 gy3-0 gx4-0 gw10 gz3-0 bx3-0 bw10 bz1 by3-0 ry3-0 bz0 bz2 rz3-0 gy4 bz3", nil},
	10: {11, [3]int{4, 4, 5}, false, "rw9-0 gw9-0 bw9-0 rx3-0 rw10 by4 gy3-0 gx3-0 gw10 bz0 gz3-0 bx4-0 bw10 by3-0 ry3-0 bz1 bz2 rz3-0 bz4 bz3", nil},
	14: {9, [3]int{5, 5, 5}, false, "rw8-0 by4 gw8-0 gy4 bw8-0 bz4 rx4-0 gz4 gy3-0 gx4-0 bz0 gz3-0 bx4-0 bz1 by3-0 ry4-0 bz2 rz4-0 bz3", nil},
	18: {8, [3]int{6, 5, 5}, false, "rw7-0 gz4 by4 gw7-0 bz2 gy4 bw7-0 bz3 bz4 rx5-0 gy3-0 gx4-0 bz0 gz3-0 bx4-0 bz1 by3-0 ry5-0 rz5-0", nil},
	22: {8, [3]int{5, 6, 5}, false, "rw7-0 bz0 by4 gw7-0 gy5 gy4 bw7-0 gz5 bz4 rx4-0 gz4 gy3-0 gx5-0 gz3-0 bx4-0 bz1 by3-0 ry4-0 bz2 rz4-0 bz3", nil},
	26: {8, [3]int{5, 5, 6}, false, "rw7-0 bz1 by4 gw7-0 by5 gy4 bw7-0 bz5 bz4 rx4-0 gz4 gy3-0 gx4-0 bz0 gz3-0 bx5-0 by3-0 ry4-0 bz2 rz4-0 bz3", nil},
	30: {6, [3]int{6, 6, 6}, true, "rw5-0 gz4 bz0 bz1 by4 gw5-0 gy5 by5 bz2 gy4 bw5-0 gz5 bz3 bz5 bz4 rx5-0 gy3-0 gx5-0 gz3-0 bx5-0 by3-0 ry5-0 rz5-0", nil},
	3:  {10, [3]int{10, 10, 10}, true, "rw9-0 gw9-0 bw9-0 rx9-0 gx9-0 bx9-0", nil},
	7:  {11, [3]int{9, 9, 9}, false, "rw9-0 gw9-0 bw9-0 rx8-0 rw10 gx8-0 gw10 bx8-0 bw10", nil},
	11: {12, [3]int{8, 8, 8}, false, "rw9-0 gw9-0 bw9-0 rx7-0 rw10-11 gx7-0 gw10-11 bx7-0 bw10-11", nil},
	15: {16, [3]int{4, 4, 4}, false, "rw9-0 gw9-0 bw9-0 rx3-0 rw10-15 gx3-0 gw10-15 bx3-0 bw10-15", nil},
}

func init() {
	for _, m := range floatModes {
		for _, s := range strings.Fields(m.layout) {
			m.fields = append(m.fields, fieldOf(s))
		}
	}
}

func fieldOf(s string) field {
	number := func(s string) (v int) {
		for _, r := range s {
			v = 10*v + int(r-'0')
		}
		return v
	}
	from, to, _ := strings.Cut(s[2:], "-")
	hi := number(from)
	low := hi
	if to != "" {
		low = number(to)
	}
	f := field{e: strings.IndexByte("wxyz", s[1]), c: strings.IndexByte("rgb", s[0]), low: min(hi, low), n: max(hi, low) - min(hi, low) + 1}
	f.backwards = low > hi
	return f
}

// floatBlocks decodes blocks of 4 × 4 pixels of half floats.
func (h *Header) floatBlocks(p []byte) *raster.Image {
	im := raster.NewFloat(h.W, h.H, 3, 16)
	planes := [3]raster.Floats{im.Floats(0), im.Floats(1), im.Floats(2)}
	across := (h.W + 3) / 4
	raster.Rows((h.H+3)/4, func(from, to int) {
		var px [16][3]uint16
		for by := from; by < to; by++ {
			for bx := range across {
				decodeBC6H(p[(by*across+bx)*16:][:16], h.signed, &px)
				for i := range 16 {
					x, y := 4*bx+i%4, 4*by+i/4
					if x >= h.W || y >= h.H {
						continue
					}
					for c := range planes {
						planes[c][y*h.W+x] = raster.Half(px[i][c])
					}
				}
			}
		}
	})
	return im
}

// decodeBC6H decodes a block of 16 bytes to half floats; a reserved mode is black.
func decodeBC6H(b []byte, signed bool, px *[16][3]uint16) {
	s := stream{b: b}
	number := s.take(2)
	if number > 1 {
		number |= s.take(3) << 2
	}
	m := floatModes[number]
	if m == nil {
		*px = [16][3]uint16{}
		return
	}
	var ends [4][3]int
	for _, f := range m.fields {
		v := s.take(f.n)
		if f.backwards {
			turned := 0
			for range f.n {
				turned, v = turned<<1|v&1, v>>1
			}
			v = turned
		}
		ends[f.e][f.c] |= v << f.low
	}
	subsets, partition, wide := 1, 0, 4
	if number&3 != 3 {
		subsets, partition, wide = 2, s.take(5), 3
	}
	for e := range 2 * subsets {
		for c := range 3 {
			v := &ends[e][c]
			if e > 0 && (!m.whole || signed) {
				*v = extend(*v, m.deltas[c])
			}
			if e > 0 && !m.whole {
				*v = (*v + ends[0][c]) & (1<<m.base - 1)
			}
			if signed {
				*v = extend(*v, m.base)
			}
		}
	}
	for e := range 2 * subsets {
		for c := range 3 {
			ends[e][c] = unquantized(ends[e][c], m.base, signed)
		}
	}
	for i := range 16 {
		n := wide
		if anchored(subsets, partition, i) {
			n--
		}
		w := weights[wide][s.take(n)]
		k := 2 * subset(subsets, partition, i)
		for c := range 3 {
			px[i][c] = half(((64-w)*ends[k][c]+w*ends[k+1][c]+32)>>6, signed)
		}
	}
}

// extend reads the lowest n bits of v as a signed number.
func extend(v, n int) int { return int(int64(v) << (64 - n) >> (64 - n)) }

// unquantized spreads a component of n bits over 16, or over 15 and a sign.
func unquantized(v, n int, signed bool) int {
	most := 1<<n - 1
	switch {
	case !signed && n >= 15, signed && n >= 16, v == 0:
		return v
	case !signed && v == most:
		return 0xffff
	case !signed:
		return (v<<15 + 0x4000) >> (n - 1)
	case v < 0:
		return -unquantized(-v, n, true)
	case v >= most>>1:
		return 0x7fff
	}
	return (v<<15 + 0x4000) >> (n - 1)
}

// half scales a value between two endpoints to the bits of a half float.
func half(v int, signed bool) uint16 {
	switch {
	case !signed:
		return uint16(v * 31 >> 6)
	case v < 0:
		return uint16(-v*31>>5) | 0x8000
	}
	return uint16(v * 31 >> 5)
}
