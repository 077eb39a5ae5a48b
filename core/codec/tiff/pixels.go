package tiff

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"math/bits"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"

	"github.com/klauspost/compress/zlib"
	"github.com/klauspost/compress/zstd"
	tifflzw "golang.org/x/image/tiff/lzw"
)

// decode unpacks all strips or tiles into planes.
func (h *Header) decode(b *budget.Budget) (*raster.Image, error) {
	n := min(h.samples, 4)
	if h.photometric == colour && h.samples > 4 {
		n = 4
	}
	size := 2
	if h.Float {
		size = 4
	}
	if err := b.Picture(h.W, h.H, n, size); err != nil {
		return nil, err
	}
	im := raster.New(h.W, h.H, 0, h.Bits)
	for range n {
		if h.Float {
			im.Planes = append(im.Planes, make(raster.Floats, h.W*h.H))
		} else {
			im.Planes = append(im.Planes, make(raster.Ints, h.W*h.H))
		}
	}
	across, down := (h.W+h.tileW-1)/h.tileW, (h.H+h.tileH-1)/h.tileH
	planes, each := 1, h.samples
	if h.planar {
		planes, each = h.samples, 1
	}
	rowBytes := (h.tileW*each*h.stored + 7) / 8
	for plane := range min(planes, n) {
		for ty := range down {
			for tx := range across {
				rows := h.tileH
				if !h.tiled {
					rows = min(h.tileH, h.H-ty*h.tileH)
				}
				if err := b.Take(int64(rowBytes) * int64(rows)); err != nil {
					return nil, err
				}
				raw, err := h.unpack((plane*down+ty)*across+tx, rowBytes*rows, b)
				if err != nil {
					return nil, err
				}
				b.Give(int64(rowBytes) * int64(rows))
				if err := h.predict(raw, rowBytes, each); err != nil {
					return nil, err
				}
				for y := range min(rows, h.H-ty*h.tileH) {
					row := raw[y*rowBytes : (y+1)*rowBytes]
					w := min(h.tileW, h.W-tx*h.tileW)
					at := (ty*h.tileH+y)*h.W + tx*h.tileW
					if h.planar {
						h.spread(im, row, at, w, 1, plane, plane+1)
					} else {
						h.spread(im, row, at, w, each, 0, n)
					}
				}
			}
		}
	}
	return h.finish(im), nil
}

// unpack returns the n bytes of one strip or tile.
func (h *Header) unpack(i, n int, b *budget.Budget) ([]byte, error) {
	at, count := h.offsets[i], uint64(len(h.data))
	if i < len(h.counts) {
		count = h.counts[i]
	}
	if at > uint64(len(h.data)) {
		return nil, fault.Short
	}
	src := h.data[at:]
	if count < uint64(len(src)) {
		src = src[:count]
	}
	if uint64(n)/h.most() > uint64(len(src))+4096 {
		return nil, fault.Short
	}
	if h.fillOrder == 2 {
		src = bytes.Clone(src)
		for i, v := range src {
			src[i] = bits.Reverse8(v)
		}
	}
	out := make([]byte, n)
	var r io.Reader
	switch h.compression {
	case none:
		r = bytes.NewReader(src)
	case lzw:
		z := tifflzw.NewReader(bytes.NewReader(src), tifflzw.MSB, 8)
		defer z.Close()
		r = z
	case deflate, oldZ:
		z, err := zlib.NewReader(bytes.NewReader(src))
		if err != nil {
			return nil, damaged(err)
		}
		r = z
	case packBits:
		return out, unpackBits(out, src)
	case inJPEG:
		return out, h.unpackJPEG(out, src, b)
	case zStandard:
		// A window is as large as its frame says; no writer of pictures takes more.
		const window = 32 << 20
		if err := b.Take(window); err != nil {
			return nil, err
		}
		defer b.Give(window)
		z, err := zstd.NewReader(bytes.NewReader(src), zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true), zstd.WithDecoderMaxWindow(window))
		if err != nil {
			return nil, damaged(err)
		}
		defer z.Close()
		r = z
	}
	if _, err := io.ReadFull(b.Reader(r), out); err != nil {
		if cancelled := b.Err(); cancelled != nil {
			return nil, cancelled
		}
		return nil, damaged(err)
	}
	return out, nil
}

func damaged(err error) error {
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return fault.Short
	}
	return fault.FormatError(fmt.Sprintf("its compressed pixels are damaged (%v)", err))
}

// unpackBits undoes PackBits (TIFF 6.0, section 9).
func unpackBits(out, src []byte) error {
	for len(out) > 0 {
		if len(src) < 2 {
			return fault.Short
		}
		switch k := int(int8(src[0])); {
		case k >= 0:
			k++
			if len(src) < 1+k {
				return fault.Short
			}
			out = out[copy(out, src[1:1+k]):]
			src = src[1+k:]
		case k == -128:
			src = src[1:]
		default:
			k = min(1-k, len(out))
			for i := range k {
				out[i] = src[1]
			}
			out, src = out[k:], src[2:]
		}
	}
	return nil
}

// predict undoes differencing, in place (TIFF 6.0, section 14; Technical Note 3).
func (h *Header) predict(raw []byte, rowBytes, each int) error {
	switch h.predictor {
	case 1:
		return nil
	case 2:
		if h.stored != 8 && h.stored != 16 && h.stored != 32 {
			return fault.UnsupportedError(fmt.Sprintf("differencing of %d-bit samples is not read", h.stored))
		}
	case 3:
		if !h.Float {
			return fault.FormatError("whole numbers are differenced as if they were floats")
		}
	default:
		return fault.UnsupportedError(fmt.Sprintf("TIFF predictor %d is not read", h.predictor))
	}
	size := h.stored / 8
	tmp := make([]byte, rowBytes)
	for ; len(raw) >= rowBytes && rowBytes > 0; raw = raw[rowBytes:] {
		row := raw[:rowBytes]
		switch {
		case h.predictor == 3:
			for i := each; i < len(row); i++ {
				row[i] += row[i-each]
			}
			// Bytes lie by significance, most significant first: gather them.
			copy(tmp, row)
			n := rowBytes / size
			for i := range n {
				for b := range size {
					to := b
					if h.order.Uint16([]byte{1, 0}) == 1 {
						to = size - 1 - b
					}
					row[i*size+to] = tmp[b*n+i]
				}
			}
		case size == 1:
			for i := each; i < len(row); i++ {
				row[i] += row[i-each]
			}
		case size == 2:
			for i := 2 * each; i+1 < len(row); i += 2 {
				h.order.PutUint16(row[i:], h.order.Uint16(row[i:])+h.order.Uint16(row[i-2*each:]))
			}
		default:
			for i := 4 * each; i+3 < len(row); i += 4 {
				h.order.PutUint32(row[i:], h.order.Uint32(row[i:])+h.order.Uint32(row[i-4*each:]))
			}
		}
	}
	return nil
}

// spread writes w pixels of a row, each of n samples, to planes from..to.
func (h *Header) spread(im *raster.Image, row []byte, at, w, n, from, to int) {
	for c := from; c < to; c++ {
		k := c - from
		switch {
		case h.Float && h.stored == 32:
			dst := im.Floats(c)[at : at+w]
			for x := range dst {
				dst[x] = math.Float32frombits(h.order.Uint32(row[4*(x*n+k):]))
			}
		case h.Float:
			dst := im.Floats(c)[at : at+w]
			for x := range dst {
				dst[x] = raster.Half(h.order.Uint16(row[2*(x*n+k):]))
			}
		case h.stored == 8 && h.photometric != palette:
			dst := im.Ints(c)[at : at+w]
			for x := range dst {
				dst[x] = uint16(row[x*n+k]) * 257
			}
		case h.stored == 16:
			dst := im.Ints(c)[at : at+w]
			for x := range dst {
				dst[x] = h.order.Uint16(row[2*(x*n+k):])
			}
		case h.stored == 32:
			dst := im.Ints(c)[at : at+w]
			for x := range dst {
				dst[x] = uint16(h.order.Uint32(row[4*(x*n+k):]) >> 16)
			}
		default:
			dst := im.Ints(c)[at : at+w]
			most := uint32(1)<<h.stored - 1
			for x := range dst {
				bit := (x*n + k) * h.stored
				v := uint32(row[bit/8]>>(8-h.stored-bit%8)) & most
				if h.photometric == palette {
					dst[x] = uint16(v)
				} else {
					dst[x] = uint16(v * 65535 / most)
				}
			}
		}
	}
}

// finish turns what was stored into grey or colour with straight alpha.
func (h *Header) finish(im *raster.Image) *raster.Image {
	if h.signed {
		for c := range im.Planes {
			p := im.Ints(c)
			for i := range p {
				if p[i] ^= 0x8000; h.stored == 8 { // 8 bits were repeated
					p[i] = p[i]>>8 | p[i]&0xff00
				}
			}
		}
	}
	switch h.photometric {
	case whiteIsZero:
		if grey, ok := im.Planes[0].(raster.Ints); ok {
			for i, v := range grey {
				grey[i] = 65535 - v
			}
		}
	case palette:
		index, n := im.Ints(0), len(h.colours)/3
		im.Planes = nil
		for c := range 3 {
			plane := make(raster.Ints, len(index))
			for i, v := range index {
				plane[i] = uint16(h.colours[c*n+int(v)])
			}
			im.Planes = append(im.Planes, plane)
		}
	case cmyk:
		k, ok := im.Planes[3].(raster.Ints)
		if !ok {
			break
		}
		for c := range 3 {
			plane := im.Ints(c)
			for i, v := range plane {
				plane[i] = uint16((65535 - uint32(v)) * (65535 - uint32(k[i])) / 65535)
			}
		}
		im.Planes = im.Planes[:3]
	}
	if n := im.Components(); n == 2 || n == 4 {
		h.straighten(im, n)
	}
	if h.photometric <= blackIsZero && im.Components() == 3 { // grey and two extras
		im.Planes = im.Planes[:1]
	}
	return im
}

// straighten divides the other n−1 components by an associated alpha, the last one, and
// drops one that is opaque.
func (h *Header) straighten(im *raster.Image, n int) {
	opaque := true
	switch alpha := im.Planes[n-1].(type) {
	case raster.Floats:
		for i, a := range alpha {
			opaque = opaque && a == 1
			for c := 0; h.premultiplied && a > 0 && c < n-1; c++ {
				im.Floats(c)[i] /= a
			}
		}
	case raster.Ints:
		for i, a := range alpha {
			opaque = opaque && a == 65535
			for c := 0; h.premultiplied && a > 0 && a < 65535 && c < n-1; c++ {
				p := im.Ints(c)
				p[i] = uint16(min(uint32(p[i])*65535/uint32(a), 65535))
			}
		}
	}
	if opaque {
		im.Planes = im.Planes[:n-1]
	}
}
