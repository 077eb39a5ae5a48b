// Package dds reads DDS files (DirectDraw Surface): their largest picture, uncompressed with 8 to 32 bits a
// pixel or as half or single floats, or block-compressed as BC1 to BC7 (Direct3D 11.3 functional
// specification, section 19.5). Further mips, faces and slices are passed over.
package dds

import (
	"encoding/binary"
	"fmt"
	"math"
	"math/bits"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"
)

// Magic begins every DDS file.
const Magic = "DDS "

const (
	headerSize = 128
	dx10Size   = 20
)

// form is how pixels are stored.
type form int

const (
	plain   form = iota // by masks
	halves              // four half floats
	singles             // four floats
	words               // four 16-bit integers
	bc1
	bc2
	bc3
	bc4
	bc5
	bc6
	bc7
)

// Header is what the file says of its picture.
type Header struct {
	W, H       int
	Components int
	Bits       int // a sample: 8, 16 or 32
	Float      bool

	form   form
	pixel  int       // bits a pixel, of plain
	masks  [4]uint32 // of red, green, blue and alpha
	signed bool      // BC4, BC5 and BC6H with signed values
	body   int       // where the pixels begin
}

// ReadHeader reads the header.
func ReadHeader(data []byte) (Header, error) {
	if len(data) < headerSize {
		return Header{}, fault.Short
	}
	u := func(at int) uint32 { return binary.LittleEndian.Uint32(data[at:]) }
	h := Header{W: int(u(16)), H: int(u(12)), Components: 4, Bits: 8, body: headerSize}
	if string(data[:4]) != Magic || u(4) != 124 || h.W <= 0 || h.H <= 0 || h.W > 1<<20 || h.H > 1<<20 {
		return h, fault.FormatError("the header of the DDS file is damaged")
	}
	flags, code := u(80), string(data[84:88])
	switch {
	case flags&4 != 0: // a four-character code
		if code == "DX10" {
			if len(data) < headerSize+dx10Size {
				return h, fault.Short
			}
			h.body += dx10Size
			return h, h.byNumber(u(headerSize))
		}
		return h, h.byCode(code, u(84))
	case flags&(0x40|0x20000|2) != 0: // colour, luminance or alpha alone
		h.pixel = int(u(88))
		h.masks = [4]uint32{u(92), u(96), u(100), u(104)}
		if flags&0x20000 != 0 {
			h.masks[1], h.masks[2] = h.masks[0], h.masks[0]
			h.Components = 1
		}
		if flags&2 != 0 && flags&0x40 == 0 && h.masks[0] == 0 {
			h.masks[0], h.Components = h.masks[3], 1
		}
		if flags&1 == 0 {
			h.masks[3] = 0
		}
		if h.Components == 4 && h.masks[3] == 0 {
			h.Components = 3
		}
		if h.pixel%8 != 0 || h.pixel < 8 || h.pixel > 32 || h.masks[0] == 0 {
			return h, unsupported
		}
		return h, nil
	}
	return h, unsupported
}

const unsupported = fault.UnsupportedError("this kind of DDS is not read: save it uncompressed or as BC1 to BC7, or as PNG")

func (h *Header) byCode(code string, number uint32) error {
	switch code {
	case "DXT1":
		h.form = bc1
	case "DXT2", "DXT3":
		h.form = bc2
	case "DXT4", "DXT5":
		h.form = bc3
	case "ATI1", "BC4U", "BC4S":
		h.form, h.Components, h.signed = bc4, 1, code == "BC4S"
	case "ATI2", "BC5U", "BC5S":
		h.form, h.Components, h.signed = bc5, 3, code == "BC5S"
	default:
		switch number {
		case 36:
			h.form, h.Bits = words, 16
		case 113:
			h.form, h.Bits, h.Float = halves, 16, true
		case 116:
			h.form, h.Bits, h.Float = singles, 32, true
		default:
			return unsupported
		}
	}
	return nil
}

// byNumber reads a DXGI format.
func (h *Header) byNumber(n uint32) error {
	switch n {
	case 2:
		h.form, h.Bits, h.Float = singles, 32, true
	case 10:
		h.form, h.Bits, h.Float = halves, 16, true
	case 11:
		h.form, h.Bits = words, 16
	case 28, 29:
		h.pixel, h.masks = 32, [4]uint32{0xff, 0xff00, 0xff0000, 0xff000000}
	case 49:
		h.pixel, h.masks, h.Components = 16, [4]uint32{0xff, 0xff00}, 3
	case 61:
		h.pixel, h.masks, h.Components = 8, [4]uint32{0xff}, 1
	case 85:
		h.pixel, h.masks, h.Components = 16, [4]uint32{0xf800, 0x7e0, 0x1f}, 3
	case 87, 91:
		h.pixel, h.masks = 32, [4]uint32{0xff0000, 0xff00, 0xff, 0xff000000}
	case 88, 93:
		h.pixel, h.masks, h.Components = 32, [4]uint32{0xff0000, 0xff00, 0xff}, 3
	case 70, 71, 72:
		h.form = bc1
	case 73, 74, 75:
		h.form = bc2
	case 76, 77, 78:
		h.form = bc3
	case 79, 80, 81:
		h.form, h.Components, h.signed = bc4, 1, n == 81
	case 82, 83, 84:
		h.form, h.Components, h.signed = bc5, 3, n == 84
	case 97, 98, 99:
		h.form = bc7
	case 94, 95, 96:
		h.form, h.Components, h.Bits, h.Float, h.signed = bc6, 3, 16, true, n == 96
	default:
		return unsupported
	}
	return nil
}

// blockSize is the bytes of a block of 4 × 4 pixels, 0 where pixels stand by themselves.
func (h *Header) blockSize() int {
	switch h.form {
	case bc1, bc4:
		return 8
	case bc2, bc3, bc5, bc6, bc7:
		return 16
	}
	return 0
}

// Decode reads the picture. An alpha that is opaque throughout is dropped. Two components come as three with the
// last one empty.
func Decode(data []byte, b *budget.Budget) (*raster.Image, Header, error) {
	h, err := ReadHeader(data)
	if err != nil {
		return nil, h, err
	}
	p := data[h.body:]
	size := h.blockSize()
	need := (h.W + 3) / 4 * ((h.H + 3) / 4) * size
	if size == 0 {
		bytes := map[form]int{plain: h.pixel / 8, halves: 8, words: 8, singles: 16}[h.form]
		need = h.W * h.H * bytes
	}
	if len(p) < need {
		return nil, h, fault.FormatError(fmt.Sprintf("the header says %d × %d pixels, but the file ends before them: it was cut off or is still being written", h.W, h.H))
	}
	width := 2
	if h.Float {
		width = 4
	}
	if err := b.Picture(h.W, h.H, h.Components, width); err != nil {
		return nil, h, err
	}
	var im *raster.Image
	switch {
	case h.form == bc6:
		im = h.floatBlocks(p)
	case h.Float:
		im = h.floats(p)
	case size > 0:
		im = h.blocks(p, size)
	default:
		im = h.pixels(p)
	}
	if im.Components() == 4 && !h.Float && opaque(im.Ints(3)) {
		im = im.Select(0, 1, 2)
	}
	h.Components = im.Components()
	return im, h, nil
}

func opaque(a raster.Ints) bool {
	for _, v := range a {
		if v != 65535 {
			return false
		}
	}
	return true
}

func (h *Header) floats(p []byte) *raster.Image {
	im := raster.NewFloat(h.W, h.H, 4, h.Bits)
	for c := range 4 {
		out := im.Floats(c)
		for i := range out {
			if h.form == halves {
				out[i] = raster.Half(binary.LittleEndian.Uint16(p[(4*i+c)*2:]))
			} else {
				out[i] = math.Float32frombits(binary.LittleEndian.Uint32(p[(4*i+c)*4:]))
			}
		}
	}
	return im
}

func (h *Header) pixels(p []byte) *raster.Image {
	im := raster.New(h.W, h.H, h.Components, h.Bits)
	n := h.W * h.H
	for c := range h.Components {
		out := im.Ints(c)
		if h.form == words {
			for i := range n {
				out[i] = binary.LittleEndian.Uint16(p[(4*i+c)*2:])
			}
			continue
		}
		mask := h.masks[c]
		if mask == 0 {
			continue
		}
		shift, most := bits.TrailingZeros32(mask), uint64(mask>>bits.TrailingZeros32(mask))
		step := h.pixel / 8
		for i := range n {
			var v uint32
			for k := range step {
				v |= uint32(p[i*step+k]) << (8 * k)
			}
			out[i] = uint16((uint64(v&mask>>shift)*65535 + most/2) / most)
		}
	}
	return im
}

// blocks decodes blocks of 4 × 4 pixels.
func (h *Header) blocks(p []byte, size int) *raster.Image {
	im := raster.New(h.W, h.H, h.Components, 8)
	planes := make([]raster.Ints, h.Components)
	for c := range planes {
		planes[c] = im.Ints(c)
	}
	across := (h.W + 3) / 4
	raster.Rows((h.H+3)/4, func(from, to int) {
		var px [16][4]uint8
		for by := from; by < to; by++ {
			for bx := range across {
				h.block(p[(by*across+bx)*size:][:size], &px)
				for i := range 16 {
					x, y := 4*bx+i%4, 4*by+i/4
					if x >= h.W || y >= h.H {
						continue
					}
					for c := range planes {
						planes[c][y*h.W+x] = uint16(px[i][c]) * 257
					}
				}
			}
		}
	})
	return im
}

func (h *Header) block(b []byte, px *[16][4]uint8) {
	switch h.form {
	case bc1:
		colours(b, px, true)
	case bc2:
		colours(b[8:], px, false)
		for i := range 16 {
			px[i][3] = b[i/2] >> (4 * (i % 2)) & 15 * 17
		}
	case bc3:
		colours(b[8:], px, false)
		ramp(b, px, 3, false)
	case bc4:
		ramp(b, px, 0, h.signed)
	case bc5:
		ramp(b, px, 0, h.signed)
		ramp(b[8:], px, 1, h.signed)
		for i := range 16 {
			px[i][2] = 0
		}
	case bc7:
		decodeBC7(b, px)
	}
}

// colours decodes a block of BC1: two colours of 5, 6 and 5 bits, and two bits a pixel. With punched, a first
// colour that is not larger leaves the last index transparent black.
func colours(b []byte, px *[16][4]uint8, punched bool) {
	c0, c1 := binary.LittleEndian.Uint16(b), binary.LittleEndian.Uint16(b[2:])
	var table [4][4]uint8
	for k, c := range [2]uint16{c0, c1} {
		r, g, bl := uint8(c>>11), uint8(c>>5&63), uint8(c&31)
		table[k] = [4]uint8{r<<3 | r>>2, g<<2 | g>>4, bl<<3 | bl>>2, 255}
	}
	for c := range 3 {
		a, z := int(table[0][c]), int(table[1][c])
		if c0 > c1 || !punched {
			table[2][c], table[3][c] = uint8((2*a+z)/3), uint8((a+2*z)/3)
		} else {
			table[2][c] = uint8((a + z) / 2)
		}
	}
	table[2][3], table[3][3] = 255, 255
	if punched && c0 <= c1 {
		table[3] = [4]uint8{}
	}
	index := binary.LittleEndian.Uint32(b[4:])
	for i := range 16 {
		px[i] = table[index>>(2*i)&3]
	}
}

// ramp decodes a block of BC4 into component c: two values and three bits a pixel.
func ramp(b []byte, px *[16][4]uint8, c int, signed bool) {
	a, z := int(b[0]), int(b[1])
	lo, hi := 0, 255
	if signed {
		a, z = max(int(int8(b[0])), -127), max(int(int8(b[1])), -127)
		lo, hi = -127, 127
	}
	table := [8]int{a, z}
	if a > z {
		for k := 1; k < 7; k++ {
			table[k+1] = ((7-k)*a + k*z) / 7
		}
	} else {
		for k := 1; k < 5; k++ {
			table[k+1] = ((5-k)*a + k*z) / 5
		}
		table[6], table[7] = lo, hi
	}
	index := uint64(b[2]) | uint64(b[3])<<8 | uint64(b[4])<<16 | uint64(b[5])<<24 | uint64(b[6])<<32 | uint64(b[7])<<40
	for i := range 16 {
		v := table[index>>(3*i)&7]
		if signed {
			v = ((v+127)*255 + 127) / 254
		}
		px[i][c] = uint8(v)
	}
}
