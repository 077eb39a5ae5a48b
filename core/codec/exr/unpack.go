package exr

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"

	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"

	"github.com/klauspost/compress/zlib"
)

// unpacker unpacks chunks one after another and keeps its scratch space between
// them.
type unpacker struct {
	part *Part
	out  []byte
	tmp  []byte
	in   bytes.Reader
	z    io.ReadCloser
	huf  huffman
	wide []uint16
	lay  layout
}

// unpack returns the chunk's pixels, those of b, as they lie in a plain file: as layout has them, little-endian. The
// result is valid until the next call.
func (u *unpacker) unpack(src []byte, b box) ([]byte, error) {
	u.lay.of(u.part.Channels, b)
	n := u.lay.bytes
	if len(src) == n || u.part.Compression == None {
		if len(src) != n { // packed chunks are never larger than plain ones
			return nil, fault.FormatError("rows have another length than their size needs")
		}
		return src, nil
	}
	u.out = sized(u.out, n)
	var err error
	switch u.part.Compression {
	case RLE:
		u.tmp = sized(u.tmp, n)
		if err = unrun(u.tmp, src); err == nil {
			restore(u.out, u.tmp)
		}
	case ZIPS, ZIP:
		u.tmp = sized(u.tmp, n)
		if err = u.inflate(u.tmp, src); err == nil {
			restore(u.out, u.tmp)
		}
	case PXR24:
		err = u.pxr24(src, b)
	case PIZ:
		err = u.piz(src)
	case B44, B44A:
		err = u.b44(src)
	case DWAA, DWAB:
		err = u.dwa(src, b.w(), b.h())
	}
	return u.out, err
}

func sized(b []byte, n int) []byte {
	if cap(b) < n {
		return make([]byte, n)
	}
	return b[:n]
}

// inflate fills dst.
func (u *unpacker) inflate(dst, src []byte) error {
	if len(dst) == 0 {
		return nil
	}
	u.in.Reset(src)
	var err error
	if u.z == nil {
		u.z, err = zlib.NewReader(&u.in)
	} else {
		err = u.z.(zlib.Resetter).Reset(&u.in, nil)
	}
	if err == nil {
		_, err = io.ReadFull(u.z, dst)
	}
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return fault.FormatError("a chunk of pixels is cut short")
	case err != nil:
		u.z = nil
		return fault.FormatError(fmt.Sprintf("its compressed pixels are damaged (%v)", err))
	}
	return nil
}

// restore undoes what is done to bytes before deflating: differences, and the
// halves that even and odd bytes were sorted into. src is changed.
func restore(dst, src []byte) {
	for i := 1; i < len(src); i++ {
		src[i] += src[i-1] - 128
	}
	half := (len(src) + 1) / 2
	a, b := src[:half], src[half:]
	for i, v := range b {
		dst[2*i], dst[2*i+1] = a[i], v
	}
	if len(a) > len(b) {
		dst[len(dst)-1] = a[len(a)-1]
	}
}

// unrun undoes run-length coding: it must fill dst exactly.
func unrun(dst, src []byte) error {
	bad := fault.FormatError("a run of bytes does not fit its chunk")
	for len(src) > 0 {
		n := int(int8(src[0]))
		if n < 0 {
			n = -n
			if n+1 > len(src) || n > len(dst) {
				return bad
			}
			copy(dst, src[1:n+1])
			dst, src = dst[n:], src[n+1:]
			continue
		}
		n++
		if len(src) < 2 || n > len(dst) {
			return bad
		}
		for i := range n {
			dst[i] = src[1]
		}
		dst, src = dst[n:], src[2:]
	}
	if len(dst) > 0 {
		return bad
	}
	return nil
}

// pxr24 keeps 24 bits of floats; differences by byte planes, deflated.
func (u *unpacker) pxr24(src []byte, b box) error {
	n := 0
	for i, c := range u.part.Channels {
		n += map[Type]int{Uint: 4, Half: 2, Float: 3}[c.Type] * u.lay.w[i] * u.lay.h[i]
	}
	u.tmp = sized(u.tmp, n)
	if err := u.inflate(u.tmp, src); err != nil {
		return err
	}
	p, out := u.tmp, u.out
	for y := b.y0; y <= b.y1; y++ {
		for i, c := range u.part.Channels {
			if !c.in(y) {
				continue
			}
			var v uint32
			w := u.lay.w[i]
			switch c.Type {
			case Uint:
				for x := range w {
					v += uint32(p[x])<<24 | uint32(p[w+x])<<16 | uint32(p[2*w+x])<<8 | uint32(p[3*w+x])
					binary.LittleEndian.PutUint32(out[4*x:], v)
				}
				p, out = p[4*w:], out[4*w:]
			case Half:
				for x := range w {
					v += uint32(p[x])<<8 | uint32(p[w+x])
					binary.LittleEndian.PutUint16(out[2*x:], uint16(v))
				}
				p, out = p[2*w:], out[2*w:]
			case Float:
				for x := range w {
					v += uint32(p[x])<<24 | uint32(p[w+x])<<16 | uint32(p[2*w+x])<<8
					binary.LittleEndian.PutUint32(out[4*x:], v)
				}
				p, out = p[3*w:], out[4*w:]
			}
		}
	}
	return nil
}

// b44 packs blocks of 4 × 4 halves into 14 bytes, flat ones into 3; other types
// are plain.
func (u *unpacker) b44(src []byte) error {
	short := fault.FormatError("a chunk of pixels is cut short")
	for c, ch := range u.part.Channels {
		w, h, rows := u.lay.w[c], u.lay.h[c], u.lay.rows[c]
		if ch.Type != Half {
			n := ch.Type.size() * w
			if len(src) < n*h {
				return short
			}
			for y := range h {
				copy(u.out[rows[y]:], src[y*n:(y+1)*n])
			}
			src = src[n*h:]
			continue
		}
		for y := 0; y < h; y += 4 {
			for x := 0; x < w; x += 4 {
				if len(src) < 3 {
					return short
				}
				var s [16]uint16
				if src[2] == 0xfc {
					flatBlock(src, &s)
					src = src[3:]
				} else {
					if len(src) < 14 {
						return short
					}
					block(src, &s)
					src = src[14:]
				}
				for i, v := range s {
					if yy, xx := y+i/4, x+i%4; yy < h && xx < w {
						if ch.linear {
							v = expHalf(v)
						}
						binary.LittleEndian.PutUint16(u.out[rows[yy]+2*xx:], v)
					}
				}
			}
		}
	}
	return nil
}

func block(b []byte, s *[16]uint16) {
	shift := b[2] >> 2
	bias := uint16(0x20) << shift
	v := func(k byte) uint16 { return uint16(k&0x3f)<<shift - bias }
	s[0] = uint16(b[0])<<8 | uint16(b[1])
	s[4] = s[0] + v(b[2]<<4|b[3]>>4)
	s[8] = s[4] + v(b[3]<<2|b[4]>>6)
	s[12] = s[8] + v(b[4])
	for i := range 3 { // columns to the right, each from the one before
		q := b[5+3*i:]
		s[i+1] = s[i] + v(q[0]>>2)
		s[i+5] = s[i+4] + v(q[0]<<4|q[1]>>4)
		s[i+9] = s[i+8] + v(q[1]<<2|q[2]>>6)
		s[i+13] = s[i+12] + v(q[2])
	}
	for i := range s {
		s[i] = unsort(s[i])
	}
}

func flatBlock(b []byte, s *[16]uint16) {
	v := unsort(uint16(b[0])<<8 | uint16(b[1]))
	for i := range s {
		s[i] = v
	}
}

// unsort turns the order-preserving code of a half back into the half.
func unsort(v uint16) uint16 {
	if v&0x8000 != 0 {
		return v & 0x7fff
	}
	return ^v
}

// expHalf undoes the logarithm that B44 takes of perceptually linear channels.
func expHalf(v uint16) uint16 {
	x := float64(raster.Half(v))
	switch {
	case math.IsNaN(x) || math.IsInf(x, 0):
		return 0
	case x >= 8*math.Log(65504):
		return 0x7bff
	}
	return raster.ToHalf(float32(math.Exp(x / 8)))
}
