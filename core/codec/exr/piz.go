package exr

import (
	"encoding/binary"

	"aldermoor/core/codec/fault"
)

// piz packs 16-bit words: those that occur are numbered, the numbers go through a
// wavelet, and that through Huffman coding.
func (u *unpacker) piz(src []byte) error {
	r := &reader{p: src}
	lo, hi := int(r.u16()), int(r.u16())
	var bitmap [8192]byte
	if hi >= len(bitmap) {
		return fault.FormatError("a chunk's table of values is damaged")
	}
	if lo <= hi {
		copy(bitmap[lo:hi+1], r.take(hi-lo+1))
	}
	var back [65536]uint16
	n := 0
	for i := range 65536 {
		if i == 0 || bitmap[i>>3]&(1<<(i&7)) != 0 {
			back[n] = uint16(i)
			n++
		}
	}
	packed := r.take(int(r.u32()))
	if r.short {
		return fault.FormatError("a chunk of pixels is cut short")
	}
	words := len(u.out) / 2
	if cap(u.wide) < words {
		u.wide = make([]uint16, words)
	}
	v := u.wide[:words]
	if err := u.huf.decode(packed, v); err != nil {
		return err
	}
	at := 0
	for c, ch := range u.part.Channels {
		size, w, h := ch.Type.size()/2, u.lay.w[c], u.lay.h[c]
		plane := v[at : at+w*h*size]
		at += len(plane)
		for k := range size {
			unwave(plane[k:], w, size, h, w*size, n-1)
		}
		for y := range h {
			dst := u.out[u.lay.rows[c][y]:]
			for i, q := range plane[y*w*size : (y+1)*w*size] {
				binary.LittleEndian.PutUint16(dst[2*i:], back[q])
			}
		}
	}
	return nil
}

// unwave inverts the two-dimensional Haar-like wavelet of nx × ny values that lie
// ox and oy apart; most is the largest value.
func unwave(v []uint16, nx, ox, ny, oy, most int) {
	undo := unpair16
	if most < 1<<14 {
		undo = unpair14
	}
	p := 1
	for p <= min(nx, ny) {
		p <<= 1
	}
	p >>= 1
	p2 := p
	for p >>= 1; p >= 1; p >>= 1 {
		ox1, ox2, oy1, oy2 := ox*p, ox*p2, oy*p, oy*p2
		y := 0
		for ; y <= oy*(ny-p2); y += oy2 {
			x := y
			for ; x <= y+ox*(nx-p2); x += ox2 {
				i00, i10 := undo(v[x], v[x+oy1])
				i01, i11 := undo(v[x+ox1], v[x+oy1+ox1])
				v[x], v[x+ox1] = undo(i00, i01)
				v[x+oy1], v[x+oy1+ox1] = undo(i10, i11)
			}
			if nx&p != 0 {
				v[x], v[x+oy1] = undo(v[x], v[x+oy1])
			}
		}
		if ny&p != 0 {
			x := y
			for ; x <= y+ox*(nx-p2); x += ox2 {
				v[x], v[x+ox1] = undo(v[x], v[x+ox1])
			}
		}
		p2 = p
	}
}

// unpair14 gives back two values of at most 14 bits from their mean and difference.
func unpair14(l, h uint16) (a, b uint16) {
	hi := int32(int16(h))
	ai := int32(int16(l)) + hi&1 + hi>>1
	return uint16(ai), uint16(ai - hi)
}

// unpair16 is the same modulo 2¹⁶.
func unpair16(l, h uint16) (a, b uint16) {
	m, d := int32(l), int32(h)
	bb := (m - d>>1) & 0xffff
	return uint16(d + bb - 0x8000), uint16(bb)
}

const (
	shortRun = 59 // a code length that means 2.. unused codes
	longRun  = 63 // one that means 6.. unused codes, in the next byte
	maxBits  = 58
	fastBits = 13
)

// huffman decodes the canonical Huffman coding of PIZ and DWA: 16-bit symbols,
// the last of which repeats the word before it.
type huffman struct {
	length [65537]byte
	first  [maxBits + 2]uint64 // first code of each length
	start  [maxBits + 2]int    // where its symbols begin in sorted
	count  [maxBits + 2]int
	sorted []int32
	fast   [1 << fastBits]uint32 // symbol<<8 | length, 0 for longer codes
	bits   uint64
	have   uint
	p      []byte
}

func (f *huffman) decode(src []byte, out []uint16) error {
	damaged := fault.FormatError("a chunk's Huffman code is damaged")
	if len(src) == 0 && len(out) == 0 {
		return nil
	}
	r := &reader{p: src}
	from, to := int(r.u32()), int(r.u32())
	r.u32()
	nbits := int64(r.u32())
	r.u32()
	if r.short || from < 0 || from > 65536 || to < from || to > 65536 {
		return damaged
	}
	f.p, f.bits, f.have = r.p, 0, 0
	if !f.readLengths(from, to) || !f.build(from, to) {
		return damaged
	}
	// The words begin at the next whole byte.
	f.p = r.p[len(r.p)-len(f.p)-int(f.have/8):]
	f.bits, f.have = 0, 0
	used := int64(0)
	for i := 0; i < len(out); {
		s, l, ok := f.symbol()
		if used += int64(l); !ok || used > nbits {
			return damaged
		}
		if s != int32(to) {
			out[i] = uint16(s)
			i++
			continue
		}
		n, ok := f.take(8)
		if used += 8; !ok || i == 0 || i+int(n) > len(out) || used > nbits {
			return damaged
		}
		for range n {
			out[i] = out[i-1]
			i++
		}
	}
	return nil
}

// readLengths reads the lengths of the codes of the symbols from..to, in which runs of
// unused symbols are packed.
func (f *huffman) readLengths(from, to int) bool {
	clear(f.length[:])
	clear(f.count[:])
	for i := from; i <= to; i++ {
		l, ok := f.take(6)
		if !ok {
			return false
		}
		run := 0
		switch {
		case l == longRun:
			n, ok := f.take(8)
			if !ok {
				return false
			}
			run = int(n) + 6
		case l >= shortRun:
			run = int(l) - shortRun + 2
		default:
			f.length[i] = byte(l)
			f.count[l]++
			continue
		}
		if i+run > to+1 {
			return false
		}
		i += run - 1
	}
	return true
}

// build orders the symbols by their codes and fills the table of the short ones.
func (f *huffman) build(from, to int) bool {
	f.count[0] = 0
	// Longer codes have smaller values.
	var c uint64
	at := 0
	for l := maxBits; l > 0; l-- {
		f.first[l], f.start[l] = c, at
		at += f.count[l]
		c = (c + uint64(f.count[l])) >> 1
	}
	if cap(f.sorted) < at {
		f.sorted = make([]int32, at)
	}
	f.sorted = f.sorted[:at]
	var next [maxBits + 2]int
	clear(f.fast[:])
	for s := from; s <= to; s++ {
		l := int(f.length[s])
		if l == 0 {
			continue
		}
		f.sorted[f.start[l]+next[l]] = int32(s)
		code := f.first[l] + uint64(next[l])
		next[l]++
		if l <= fastBits {
			if code>>l != 0 {
				return false
			}
			lo := code << (fastBits - l)
			for k := lo; k < lo+1<<(fastBits-l); k++ {
				f.fast[k] = uint32(s)<<8 | uint32(l)
			}
		}
	}
	return true
}

// fill makes sure of at least 57 bits while there are any.
func (f *huffman) fill() {
	for f.have <= 56 && len(f.p) > 0 {
		f.bits |= uint64(f.p[0]) << (56 - f.have)
		f.p = f.p[1:]
		f.have += 8
	}
}

func (f *huffman) take(n uint) (uint64, bool) {
	f.fill()
	if f.have < n {
		return 0, false
	}
	v := f.bits >> (64 - n)
	f.bits <<= n
	f.have -= n
	return v, true
}

func (f *huffman) symbol() (s int32, l int, ok bool) {
	f.fill()
	if k := f.fast[f.bits>>(64-fastBits)]; k != 0 {
		l = int(k & 255)
		if uint(l) > f.have {
			return 0, l, false
		}
		f.bits <<= uint(l)
		f.have -= uint(l)
		return int32(k >> 8), l, true
	}
	for l = fastBits + 1; l <= maxBits && uint(l) <= f.have; l++ {
		if f.count[l] == 0 {
			continue
		}
		if k := f.bits>>(64-uint(l)) - f.first[l]; k < uint64(f.count[l]) {
			f.bits <<= uint(l)
			f.have -= uint(l)
			return f.sorted[f.start[l]+int(k)], l, true
		}
	}
	return 0, l, false
}
