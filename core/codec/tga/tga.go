// Package tga reads TGA files (version 2.0, 1991): grey, colour and palette
// with 8, 15, 16, 24 or 32 bits a pixel, plain or run-length coded, from any
// corner. Since the format has no signature, Looks judges a header by whether all
// of it makes sense.
package tga

import (
	"encoding/binary"
	"fmt"

	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"
)

const headerSize = 18

// Header is what the first 18 bytes say.
type Header struct {
	W, H       int
	Components int

	kind, pixel, descriptor byte
	mapFirst, mapLength     int
	mapBits                 byte
	body                    int // where the palette begins
}

// Looks says whether the first bytes of a file (18 are enough) make sense as a
// TGA header.
func Looks(head []byte) bool {
	if len(head) < headerSize {
		return false
	}
	h, err := ReadHeader(head)
	if err != nil || h.descriptor&0xc0 != 0 {
		return false
	}
	if head[1] == 0 && (head[3]|head[4]|head[5]|head[6]) != 0 {
		return false
	}
	return h.W > 0 && h.H > 0
}

// ReadHeader reads the header.
func ReadHeader(data []byte) (Header, error) {
	if len(data) < headerSize {
		return Header{}, fault.Short
	}
	h := Header{kind: data[2], pixel: data[16], descriptor: data[17], mapBits: data[7], body: headerSize + int(data[0])}
	h.mapFirst, h.mapLength = int(binary.LittleEndian.Uint16(data[3:])), int(binary.LittleEndian.Uint16(data[5:]))
	h.W, h.H = int(binary.LittleEndian.Uint16(data[12:])), int(binary.LittleEndian.Uint16(data[14:]))
	alpha := h.descriptor&15 > 0
	fits := false
	switch h.kind &^ 8 {
	case 1:
		fits = h.pixel == 8 && data[1] == 1 && (h.mapBits == 15 || h.mapBits == 16 || h.mapBits == 24 || h.mapBits == 32)
		h.Components = 3
		if h.mapBits == 32 {
			h.Components = 4
		}
	case 2:
		fits = h.pixel == 15 || h.pixel == 16 || h.pixel == 24 || h.pixel == 32
		h.Components = 3
		if h.pixel == 32 {
			h.Components = 4
		}
	case 3:
		fits = h.pixel == 8 || h.pixel == 16 && alpha
		h.Components = int(h.pixel) / 8
	}
	if !fits || data[1] > 1 || h.kind > 11 {
		return h, fault.UnsupportedError("this kind of TGA is not read: save it with 8, 24 or 32 bits")
	}
	return h, nil
}

// Decode reads the picture. An alpha that is opaque or empty throughout is
// dropped: many writers leave it at zero.
func Decode(data []byte) (*raster.Image, Header, error) {
	h, err := ReadHeader(data)
	if err != nil {
		return nil, h, err
	}
	if h.W == 0 || h.H == 0 {
		return nil, h, fault.FormatError("the header says that the picture is empty")
	}
	size := (int(h.pixel) + 7) / 8
	p := data[min(h.body, len(data)):]
	var colours []byte
	entry := (int(h.mapBits) + 7) / 8
	if data[1] == 1 {
		if n := h.mapLength * entry; n <= len(p) {
			colours, p = p[:n], p[n:]
		} else {
			return nil, h, fault.Short
		}
	}
	n := h.W * h.H
	least := n * size
	if h.kind >= 9 {
		least = (n + 127) / 128 * (1 + size)
	}
	if len(p) < least {
		return nil, h, fault.FormatError(fmt.Sprintf("the header says %d × %d pixels, but the file ends before them: it was cut off or is still being written", h.W, h.H))
	}
	im := raster.New(h.W, h.H, h.Components, 8)
	planes := make([]raster.Ints, h.Components)
	for c := range planes {
		planes[c] = im.Ints(c)
	}
	put := func(i int, px []byte) {
		x, y := i%h.W, i/h.W
		if h.descriptor&0x20 == 0 { // rows from the bottom
			y = h.H - 1 - y
		}
		if h.descriptor&0x10 != 0 {
			x = h.W - 1 - x
		}
		o := y*h.W + x
		if h.kind&^8 == 1 {
			k := (int(px[0]) - h.mapFirst) * entry
			if k < 0 || k+entry > len(colours) {
				return
			}
			px = colours[k : k+entry]
		}
		switch {
		case h.kind&^8 == 3:
			for c := range px {
				planes[c][o] = uint16(px[c]) * 257
			}
		case len(px) == 2:
			v := binary.LittleEndian.Uint16(px)
			for c := range 3 {
				planes[c][o] = uint16(uint32(v>>(10-5*c)&31) * 65535 / 31)
			}
		default:
			planes[0][o], planes[1][o], planes[2][o] = uint16(px[2])*257, uint16(px[1])*257, uint16(px[0])*257
			if len(px) == 4 {
				planes[3][o] = uint16(px[3]) * 257
			}
		}
	}
	if h.kind < 9 {
		for i := range n {
			put(i, p[i*size:(i+1)*size])
		}
	} else {
		for i := 0; i < n; {
			if len(p) < 1+size {
				return nil, h, fault.Short
			}
			run, k := p[0]&0x80 != 0, min(int(p[0]&0x7f)+1, n-i)
			p = p[1:]
			for j := range k {
				if len(p) < size {
					return nil, h, fault.Short
				}
				put(i, p[:size])
				i++
				if !run || j == k-1 {
					p = p[size:]
				}
			}
		}
	}
	dropPlainAlpha(im)
	h.Components = im.Components()
	return im, h, nil
}

func dropPlainAlpha(im *raster.Image) {
	n := len(im.Planes)
	if n != 2 && n != 4 {
		return
	}
	first := im.Ints(n - 1)[0]
	if first != 0 && first != 65535 {
		return
	}
	for _, v := range im.Ints(n - 1) {
		if v != first {
			return
		}
	}
	im.Planes = im.Planes[:n-1]
}
