// Package hdr reads Radiance HDR pictures (Ward 1991): flat, old and adaptive
// run-length coding, as linear light in three float components.
package hdr

import (
	"bytes"
	"fmt"
	"math"
	"strconv"
	"strings"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"
)

// Header is what the text at the beginning says.
type Header struct {
	W, H     int
	Exposure float64 // what the stored values were multiplied by; 1 if it is not said

	flipX, flipY bool
	body         []byte
}

// Looks says whether the first bytes are those of such a file.
func Looks(head []byte) bool {
	return bytes.HasPrefix(head, []byte("#?RADIANCE")) || bytes.HasPrefix(head, []byte("#?RGBE"))
}

// ReadHeader reads the text before the pixels.
func ReadHeader(data []byte) (Header, error) {
	h := Header{Exposure: 1}
	line := func() (string, bool) {
		i := bytes.IndexByte(data, '\n')
		if i < 0 || i > 4096 {
			return "", false
		}
		s := string(data[:i])
		data = data[i+1:]
		return strings.TrimSuffix(s, "\r"), true
	}
	for n := 0; ; n++ {
		s, ok := line()
		if !ok || n > 1000 {
			return h, fault.FormatError("the HDR header never ends")
		}
		if s == "" {
			break
		}
		key, v, _ := strings.Cut(s, "=")
		switch key {
		case "FORMAT":
			if v != "32-bit_rle_rgbe" {
				return h, fault.UnsupportedError(fmt.Sprintf("HDR with pixels of kind %q is not read: save it as RGBE", v))
			}
		case "EXPOSURE":
			if e, err := strconv.ParseFloat(strings.TrimSpace(v), 64); err == nil && e > 0 && !math.IsInf(e, 0) {
				h.Exposure *= e
			}
		}
	}
	s, ok := line()
	f := strings.Fields(s)
	if !ok || len(f) != 4 || len(f[0]) != 2 || len(f[2]) != 2 {
		return h, fault.FormatError("the HDR file does not say how large its picture is")
	}
	if f[0][1] != 'Y' || f[2][1] != 'X' {
		return h, fault.UnsupportedError("the HDR picture is stored in columns: save it in rows")
	}
	var err1, err2 error
	h.H, err1 = strconv.Atoi(f[1])
	h.W, err2 = strconv.Atoi(f[3])
	if err1 != nil || err2 != nil || h.W <= 0 || h.H <= 0 || h.W > 1<<20 || h.H > 1<<20 {
		return h, fault.FormatError(fmt.Sprintf("the header says %s × %s pixels", f[3], f[1]))
	}
	h.flipY, h.flipX = f[0][0] == '+', f[2][0] == '-'
	h.body = data
	return h, nil
}

// Decode reads the picture as linear light, exposure undone.
func Decode(data []byte, b *budget.Budget) (*raster.Image, Header, error) {
	h, err := ReadHeader(data)
	if err != nil {
		return nil, h, err
	}
	// An adaptive run of 127 takes two bytes, an old run of 255·256³ four.
	if h.W*h.H/64 > len(h.body)+64 && !bytes.Contains(h.body[:min(len(h.body), 64)], []byte{1, 1, 1}) {
		return nil, h, fault.FormatError(fmt.Sprintf("the header says %d × %d pixels, but the file is far too short for them", h.W, h.H))
	}
	if least := 4 * min(h.W, 2); h.H > len(h.body)/least { // a row takes a pixel and a run at least
		return nil, h, fault.FormatError(fmt.Sprintf("the header says %d × %d pixels, but the file is far too short for them", h.W, h.H))
	}
	if err := b.Picture(h.W, h.H, 3, 4); err != nil {
		return nil, h, err
	}
	im := raster.NewFloat(h.W, h.H, 3, 32)
	var scale [256]float32
	for e := 1; e < 256; e++ {
		scale[e] = float32(math.Ldexp(1, e-136) / h.Exposure)
	}
	row := make([]byte, 4*h.W)
	rgb := [3]raster.Floats{im.Floats(0), im.Floats(1), im.Floats(2)}
	p := h.body
	for y := range h.H {
		if p, err = readRow(p, row, h.W); err == nil {
			err = b.Err()
		}
		if err != nil {
			return nil, h, err
		}
		to := y
		if h.flipY {
			to = h.H - 1 - y
		}
		for x := range h.W {
			o := to*h.W + x
			if h.flipX {
				o = to*h.W + h.W - 1 - x
			}
			k := scale[row[4*x+3]]
			for c := range 3 {
				rgb[c][o] = float32(row[4*x+c]) * k
			}
		}
	}
	return im, h, nil
}

// readRow fills row with RGBE pixels and returns what is left.
func readRow(p, row []byte, w int) ([]byte, error) {
	if len(p) < 4 {
		return p, fault.Short
	}
	if w >= 8 && w < 32768 && p[0] == 2 && p[1] == 2 && int(p[2])<<8|int(p[3]) == w {
		p = p[4:]
		for c := range 4 {
			for x := 0; x < w; {
				if len(p) < 2 {
					return p, fault.Short
				}
				n, run := int(p[0]), false
				p = p[1:]
				if n > 128 {
					n, run = n-128, true
				}
				if n == 0 || x+n > w {
					return p, fault.FormatError("a run of pixels is longer than its row")
				}
				if !run && len(p) < n {
					return p, fault.Short
				}
				for i := range n {
					if run {
						row[4*(x+i)+c] = p[0]
					} else {
						row[4*(x+i)+c] = p[i]
					}
				}
				if run {
					p = p[1:]
				} else {
					p = p[n:]
				}
				x += n
			}
		}
		return p, nil
	}
	shift := 0
	for x := 0; x < w; {
		if len(p) < 4 {
			return p, fault.Short
		}
		if p[0] == 1 && p[1] == 1 && p[2] == 1 && x > 0 {
			n := int(p[3]) << shift
			if n > w-x || shift > 16 {
				return p, fault.FormatError("a run of pixels is longer than its row")
			}
			for range n {
				copy(row[4*x:4*x+4], row[4*x-4:4*x])
				x++
			}
			shift += 8
		} else {
			copy(row[4*x:], p[:4])
			x++
			shift = 0
		}
		p = p[4:]
	}
	return p, nil
}
