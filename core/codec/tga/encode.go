package tga

import (
	"encoding/binary"
	"errors"
	"io"

	"aldermoor/core/raster"
)

// Encode writes an integer picture of 1, 3 or 4 components (grey, colour, colour and alpha)
// with 8 bits a sample, plain, from the top.
func Encode(w io.Writer, im *raster.Image) error {
	n := im.Components()
	if n != 1 && n != 3 && n != 4 {
		return errors.New("TGA holds one, three or four components")
	}
	if im.W > 65535 || im.H > 65535 {
		return errors.New("TGA holds 65,535 pixels a side at most")
	}
	head := make([]byte, headerSize, headerSize+n*im.W*im.H)
	head[2] = map[bool]byte{true: 3, false: 2}[n == 1]
	binary.LittleEndian.PutUint16(head[12:], uint16(im.W))
	binary.LittleEndian.PutUint16(head[14:], uint16(im.H))
	head[16], head[17] = byte(8*n), 0x20 // the first row is the top one
	if n == 4 {
		head[17] |= 8
	}
	out := head[:cap(head)]
	order := map[int][]int{1: {0}, 3: {2, 1, 0}, 4: {2, 1, 0, 3}}[n]
	raster.Rows(im.H, func(y0, y1 int) {
		for k, c := range order {
			p := im.Ints(c)
			for i := y0 * im.W; i < y1*im.W; i++ {
				out[headerSize+i*n+k] = byte(p[i] >> 8)
			}
		}
	})
	_, err := w.Write(out)
	return err
}
