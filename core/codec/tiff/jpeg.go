package tiff

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/fault"
)

// unpackJPEG fills out with the samples of a strip or tile that is a JPEG stream of its own, but for tables that all
// of them share (Technical Note 2: abbreviated streams).
func (h *Header) unpackJPEG(out, src []byte, b *budget.Budget) error {
	const start, end = "\xff\xd8", "\xff\xd9"
	if !bytes.HasPrefix(src, []byte(start)) {
		return fault.FormatError("its JPEG pixels do not begin as JPEG does")
	}
	if tables := h.tables; bytes.HasPrefix(tables, []byte(start)) {
		tables = bytes.TrimSuffix(tables[2:], []byte(end))
		src = append(append([]byte(start), tables...), src[2:]...)
	}
	c, err := jpeg.DecodeConfig(bytes.NewReader(src))
	if err != nil {
		return damaged(err)
	}
	each := h.samples
	if h.planar {
		each = 1
	}
	rows := len(out) / max(1, h.tileW*each)
	if c.Width < min(h.tileW, h.W) || c.Width > h.tileW+15 || c.Height > rows+15 {
		return fault.FormatError(fmt.Sprintf("a part of its JPEG pixels has %d × %d pixels, which does not fit", c.Width, c.Height))
	}
	if err := b.Picture(c.Width, c.Height, each, 1); err != nil {
		return err
	}
	defer b.Give(int64(c.Width) * int64(c.Height) * int64(each))
	im, err := jpeg.Decode(b.Reader(bytes.NewReader(src)))
	if err != nil {
		if cancelled := b.Err(); cancelled != nil {
			return cancelled
		}
		return damaged(err)
	}
	w, height := min(c.Width, h.tileW), min(c.Height, rows)
	for y := range height {
		row := out[y*h.tileW*each:][:w*each]
		switch s := im.(type) {
		case *image.Gray:
			if each != 1 {
				return h.differs(1)
			}
			copy(row, s.Pix[y*s.Stride:][:w])
		case *image.YCbCr:
			if each != 3 {
				return h.differs(3)
			}
			for x := range w {
				yi, ci := s.YOffset(x, y), s.COffset(x, y)
				if h.photometric == yCbCr {
					row[3*x], row[3*x+1], row[3*x+2] = color.YCbCrToRGB(s.Y[yi], s.Cb[ci], s.Cr[ci])
				} else { // the components are the colours themselves
					row[3*x], row[3*x+1], row[3*x+2] = s.Y[yi], s.Cb[ci], s.Cr[ci]
				}
			}
		case *image.RGBA: // a stream that says so itself
			if each != 3 {
				return h.differs(3)
			}
			for x := range w {
				copy(row[3*x:3*x+3], s.Pix[y*s.Stride+4*x:])
			}
		default:
			return fault.UnsupportedError("its JPEG pixels are of a kind that is not read: save it with LZW or without compression")
		}
	}
	return nil
}

func (h *Header) differs(n int) error {
	return fault.FormatError(fmt.Sprintf("its JPEG pixels have %d components, its header says %d", n, h.samples))
}
