// Package tga reads and writes TGA files (version 2.0, 1991): grey, colour and palette
// with 8, 15, 16, 24 or 32 bits a pixel, plain or run-length coded, from any
// corner. Since the format has no signature, Looks judges a header by whether all
// of it makes sense.
package tga

import (
	"encoding/binary"
	"fmt"

	"aldermoor/core/codec/budget"
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
func Decode(data []byte, b *budget.Budget) (*raster.Image, Header, error) {
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
	if err := b.Picture(h.W, h.H, h.Components, 2); err != nil {
		return nil, h, err
	}
	im := raster.New(h.W, h.H, h.Components, 8)
	d := decoder{h: h, colours: colours, entry: entry}
	for c := range h.Components {
		d.planes = append(d.planes, im.Ints(c))
	}
	if h.kind < 9 {
		for i := range n {
			d.put(i, p[i*size:(i+1)*size])
		}
	} else if !d.runs(p, size, n) {
		return nil, h, fault.Short
	}
	dropPlainAlpha(im)
	h.Components = im.Components()
	return im, h, nil
}

// decoder puts pixels where they belong.
type decoder struct {
	h       Header
	colours []byte // of a palette, entry bytes each
	entry   int
	planes  []raster.Ints
}

// put writes the i-th stored pixel.
func (d *decoder) put(i int, px []byte) {
	x, y := i%d.h.W, i/d.h.W
	if d.h.descriptor&0x20 == 0 { // rows from the bottom
		y = d.h.H - 1 - y
	}
	if d.h.descriptor&0x10 != 0 {
		x = d.h.W - 1 - x
	}
	o := y*d.h.W + x
	if d.h.kind&^8 == 1 {
		k := (int(px[0]) - d.h.mapFirst) * d.entry
		if k < 0 || k+d.entry > len(d.colours) {
			return
		}
		px = d.colours[k : k+d.entry]
	}
	switch {
	case d.h.kind&^8 == 3:
		for c := range px {
			d.planes[c][o] = uint16(px[c]) * 257
		}
	case len(px) == 2:
		v := binary.LittleEndian.Uint16(px)
		for c := range 3 {
			d.planes[c][o] = uint16(uint32(v>>(10-5*c)&31) * 65535 / 31)
		}
	default:
		d.planes[0][o], d.planes[1][o], d.planes[2][o] = uint16(px[2])*257, uint16(px[1])*257, uint16(px[0])*257
		if len(px) == 4 {
			d.planes[3][o] = uint16(px[3]) * 257
		}
	}
}

// runs unpacks n run-length coded pixels of size bytes; it is false if p ends before them.
func (d *decoder) runs(p []byte, size, n int) bool {
	for i := 0; i < n; {
		if len(p) < 1+size {
			return false
		}
		run, k := p[0]&0x80 != 0, min(int(p[0]&0x7f)+1, n-i)
		p = p[1:]
		for j := range k {
			if len(p) < size {
				return false
			}
			d.put(i, p[:size])
			i++
			if !run || j == k-1 {
				p = p[size:]
			}
		}
	}
	return true
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
