package tiff

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"math"

	"aldermoor/core/raster"

	"github.com/klauspost/compress/zlib"
)

// Options says how a picture is written.
type Options struct {
	Deflate bool       // Deflate with a predictor; plain samples otherwise
	Density [2]float64 // pixels a metre; 0 leaves it out
}

// stripBytes is about how much a strip holds. It is fixed, so that a picture is written the
// same on any number of cores.
const stripBytes = 1 << 20

// Encode writes a picture of 1 to 4 components (grey, colour, alpha last, not
// premultiplied) in strips, little-endian: integers with 8 or 16 bits after im.Bits, floats
// with 32.
func Encode(w io.Writer, im *raster.Image, o Options) error {
	n, float := im.Components(), im.Float()
	bytesEach := 1
	switch {
	case float:
		bytesEach = 4
	case im.Bits > 8:
		bytesEach = 2
	}
	row := im.W * n * bytesEach
	each := max(1, min(im.H, stripBytes/row))
	count := (im.H + each - 1) / each
	strips := make([][]byte, count)
	raster.Each(count, func(i int) { strips[i] = strip(im, i*each, min(im.H, (i+1)*each), bytesEach, o.Deflate) })

	le := binary.LittleEndian
	type entry struct {
		tag, kind uint16
		count     int
		data      []byte
	}
	var entries []entry
	short := func(tag uint16, v ...uint16) {
		var b []byte
		for _, k := range v {
			b = le.AppendUint16(b, k)
		}
		entries = append(entries, entry{tag, 3, len(v), b})
	}
	long := func(tag uint16, v ...uint32) {
		var b []byte
		for _, k := range v {
			b = le.AppendUint32(b, k)
		}
		entries = append(entries, entry{tag, 4, len(v), b})
	}
	many := func(v uint16) []uint16 {
		out := make([]uint16, n)
		for i := range out {
			out[i] = v
		}
		return out
	}
	long(tagWidth, uint32(im.W))
	long(tagHeight, uint32(im.H))
	short(tagBits, many(uint16(8*bytesEach))...)
	short(tagCompression, map[bool]uint16{true: deflate, false: none}[o.Deflate])
	short(tagPhotometric, map[bool]uint16{true: colour, false: blackIsZero}[n > 2])
	offsets, counts := make([]uint32, count), make([]uint32, count)
	at := uint64(8)
	for i, s := range strips {
		offsets[i], counts[i] = uint32(at), uint32(len(s))
		at += uint64(len(s)+1) &^ 1
	}
	if at > 1<<32-1<<20 {
		return errors.New("the picture is too large for TIFF; take another format")
	}
	long(tagOffsets, offsets...)
	short(tagSamples, uint16(n))
	long(tagRows, uint32(each))
	long(tagCounts, counts...)
	if o.Density[0] > 0 && o.Density[1] > 0 {
		for i, tag := range []uint16{tagXRes, tagYRes} { // pixels a centimetre, to a thousandth
			v := le.AppendUint32(nil, uint32(min(math.Round(o.Density[i]*10), math.MaxUint32)))
			entries = append(entries, entry{tag, 5, 1, le.AppendUint32(v, 1000)})
		}
	}
	short(tagPlanar, 1)
	if o.Density[0] > 0 && o.Density[1] > 0 {
		short(tagUnit, 3)
	}
	if o.Deflate {
		short(tagPredictor, map[bool]uint16{true: 3, false: 2}[float])
	}
	if n == 2 || n == 4 {
		short(tagExtra, 2)
	}
	short(tagFormat, many(map[bool]uint16{true: 3, false: 1}[float])...)

	var dir, beyond bytes.Buffer
	dir.Write(le.AppendUint16(nil, uint16(len(entries))))
	after := at + 2 + 12*uint64(len(entries)) + 4
	for _, e := range entries {
		b := le.AppendUint16(le.AppendUint16(nil, e.tag), e.kind)
		b = le.AppendUint32(b, uint32(e.count))
		if len(e.data) <= 4 {
			b = append(append(b, e.data...), make([]byte, 4-len(e.data))...)
		} else {
			b = le.AppendUint32(b, uint32(after)+uint32(beyond.Len()))
			beyond.Write(e.data)
		}
		dir.Write(b)
	}
	dir.Write(make([]byte, 4))
	if _, err := w.Write(le.AppendUint32([]byte("II*\x00"), uint32(at))); err != nil {
		return err
	}
	for _, s := range strips {
		if len(s)%2 == 1 {
			s = append(s, 0)
		}
		if _, err := w.Write(s); err != nil {
			return err
		}
	}
	_, err := w.Write(append(dir.Bytes(), beyond.Bytes()...))
	return err
}

// strip is rows y0 to y1 as they are stored.
func strip(im *raster.Image, y0, y1, size int, packed bool) []byte {
	n := im.Components()
	line := im.W * n * size
	out := make([]byte, 0, (y1-y0)*line)
	row, scratch := make([]byte, line), make([]byte, line)
	for y := y0; y < y1; y++ {
		for c := range n {
			switch p := im.Planes[c].(type) {
			case raster.Ints:
				for x, v := range p[y*im.W : (y+1)*im.W] {
					if i := (x*n + c) * size; size == 1 {
						row[i] = byte(v >> 8)
					} else {
						row[i], row[i+1] = byte(v), byte(v>>8)
					}
				}
			case raster.Floats:
				for x, v := range p[y*im.W : (y+1)*im.W] {
					binary.LittleEndian.PutUint32(row[(x*n+c)*4:], math.Float32bits(v))
				}
			}
		}
		if packed {
			predict(row, scratch, n, size)
		}
		out = append(out, row...)
	}
	if !packed {
		return out
	}
	var b bytes.Buffer
	z, _ := zlib.NewWriterLevel(&b, 4) // the level is valid
	z.Write(out)                       // a buffer takes everything
	z.Close()
	return b.Bytes()
}

// predict leaves of a row the differences to the pixel before: of integers as such, of
// floats byte by byte, the most significant bytes first (TIFF Technical Note 3).
func predict(row, scratch []byte, n, size int) {
	switch size {
	case 1:
		for i := len(row) - 1; i >= n; i-- {
			row[i] -= row[i-n]
		}
	case 2:
		le := binary.LittleEndian
		for i := len(row) - 2; i >= 2*n; i -= 2 {
			le.PutUint16(row[i:], le.Uint16(row[i:])-le.Uint16(row[i-2*n:]))
		}
	case 4:
		samples := len(row) / 4
		for i := range samples {
			for k := range 4 {
				scratch[k*samples+i] = row[4*i+3-k]
			}
		}
		for i := len(row) - 1; i >= n; i-- {
			scratch[i] -= scratch[i-n]
		}
		copy(row, scratch)
	}
}
