// Package png reads and writes PNG (Portable Network Graphics, third edition,
// W3C 2025): every colour type, depth and interlacing, 16 bits kept, and with
// them what the file says of its resolution and colour.
//
// It stands beside the standard library's reader because it inflates faster,
// unpacks straight into planes, and reads the chunks that the standard one skips.
package png

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"strings"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"

	"github.com/klauspost/compress/zlib"
)

// Signature is how every PNG begins.
const Signature = "\x89PNG\r\n\x1a\n"

// Header is what the chunks before the pixels say.
type Header struct {
	W, H       int
	Bits       int        // bits a sample of the picture: 1..16; 8 for a palette
	Components int        // 1 grey, 2 grey and alpha, 3 colour, 4 colour and alpha
	Density    [2]float64 // pixels a metre, or 0
	Text       []string   // of textual chunks, eight at most
	Profile    string     // name of the embedded profile, "sRGB" if declared, or ""
	ICC        []byte     // the embedded profile itself, inflated up to 1 MiB, or nil
	Gamma      float64    // file gamma, or 0
	Primaries  [8]float64 // of cHRM: x and y of red, green, blue and white, or 0
	Code       []byte     // of cICP: primaries, transfer, matrix and range by number (ITU-T H.273), or nil
	Exif       []byte     // of eXIf, or nil

	depth, kind byte // bits an index or sample as stored; colour type
	interlaced  bool
	palette     []byte      // 3 bytes an entry
	alpha       []byte      // tRNS
	src         io.ReaderAt // the file
	at, size    int64       // where its first IDAT begins, and its bytes
}

// most is the largest chunk before the pixels that is looked at; larger ones are skipped.
const most = 16 << 20

// The colour types.
const (
	grey      = 0
	rgb       = 2
	indexed   = 3
	greyAlpha = 4
	rgbAlpha  = 6
)

// ReadHeader reads the chunks before the pixels of a file that is held in data.
func ReadHeader(data []byte) (Header, error) { return Open(bytes.NewReader(data), int64(len(data))) }

// Open reads the chunks before the pixels of a file of size bytes. The file is kept: Decode reads the pixels from it.
func Open(r io.ReaderAt, size int64) (Header, error) {
	h := Header{src: r, size: size}
	var head [len(Signature)]byte
	if n, err := r.ReadAt(head[:], 0); n < len(head) && err != io.EOF {
		return h, err
	}
	if string(head[:]) != Signature {
		return h, fault.FormatError("this is not a PNG file")
	}
	for at := int64(len(Signature)); ; {
		kind, body, next, err := chunk(r, at, size)
		if err != nil {
			return h, err
		}
		if kind != "IHDR" && h.W == 0 {
			return h, fault.FormatError("the PNG does not begin with its header")
		}
		switch kind {
		case "IDAT", "IEND":
			h.at = at
			if h.kind == indexed && h.palette == nil {
				return h, fault.FormatError("the picture has indexed colours but no palette")
			}
			return h, nil
		case "IHDR":
			err = h.read(body)
		case "PLTE":
			if len(body)%3 != 0 || len(body) > 768 || len(body) == 0 {
				err = fault.FormatError(fmt.Sprintf("the palette has %d bytes", len(body)))
			}
			h.palette = body
		case "tRNS":
			if h.alpha == nil && (h.kind == grey && len(body) >= 2 || h.kind == rgb && len(body) >= 6 || h.kind == indexed && len(body) > 0) {
				h.alpha = body
				h.Components = map[byte]int{grey: 2, rgb: 4, indexed: 4}[h.kind]
			}
		case "pHYs":
			if len(body) == 9 && body[8] == 1 {
				h.Density = [2]float64{float64(binary.BigEndian.Uint32(body)), float64(binary.BigEndian.Uint32(body[4:]))}
			}
		case "tEXt", "iTXt":
			if t := text(kind, body); t != "" && len(h.Text) < 8 {
				h.Text = append(h.Text, t)
			}
		case "sRGB":
			h.Profile = "sRGB"
		case "gAMA":
			if len(body) == 4 {
				h.Gamma = float64(binary.BigEndian.Uint32(body)) / 100000
			}
		case "cHRM":
			if len(body) == 32 { // white first
				for i := range h.Primaries {
					h.Primaries[(i+6)%8] = float64(binary.BigEndian.Uint32(body[4*i:])) / 100000
				}
			}
		case "cICP":
			if len(body) == 4 {
				h.Code = body
			}
		case "eXIf":
			h.Exif = body
		case "iCCP":
			if i := bytes.IndexByte(body, 0); i > 0 && i < 80 && i+2 < len(body) {
				h.Profile = string(body[:i])
				if z, err := zlib.NewReader(bytes.NewReader(body[i+2:])); err == nil {
					h.ICC, _ = io.ReadAll(io.LimitReader(z, 1<<20))
				}
			}
		}
		if err != nil {
			return h, err
		}
		at = next
	}
}

// text is what a textual chunk says, behind its keyword (11.3.3). What is compressed is left out.
func text(kind string, body []byte) string {
	i := bytes.IndexByte(body, 0)
	if i < 1 || i > 79 || len(body) > 1<<16 {
		return ""
	}
	body = body[i+1:]
	if kind == "tEXt" { // Latin-1
		var b strings.Builder
		for _, c := range body {
			b.WriteRune(rune(c))
		}
		return b.String()
	}
	if len(body) < 2 || body[0] != 0 {
		return ""
	}
	body = body[2:]
	for range 2 { // a language tag and the keyword in it
		i := bytes.IndexByte(body, 0)
		if i < 0 {
			return ""
		}
		body = body[i+1:]
	}
	return string(body)
}

// chunk reads the chunk that begins at a place; next is where the one behind it does. The bodies of pixels and of what
// is too large are left out, the checksums of all others checked.
func chunk(r io.ReaderAt, at, size int64) (kind string, body []byte, next int64, err error) {
	var head [8]byte
	if at+12 > size {
		return "", nil, 0, fault.Short
	}
	if n, err := r.ReadAt(head[:], at); n < len(head) {
		return "", nil, 0, reading(err)
	}
	n := int64(binary.BigEndian.Uint32(head[:]))
	if kind, next = string(head[4:]), at+12+n; next > size {
		return "", nil, 0, fault.Short
	}
	if kind == "IDAT" || n > most {
		return kind, nil, next, nil
	}
	all := make([]byte, 4+n+4)
	if k, err := r.ReadAt(all, at+4); k < len(all) {
		return "", nil, 0, reading(err)
	}
	if crc32.ChecksumIEEE(all[:4+n]) != binary.BigEndian.Uint32(all[4+n:]) {
		return "", nil, 0, damagedChunk(kind)
	}
	return kind, all[4 : 4+n], next, nil
}

func damagedChunk(kind string) error {
	return fault.FormatError(fmt.Sprintf("its part %q is damaged: the checksum does not fit", printable(kind)))
}

// reading is an error of the file's reader; the end of the file is its damage.
func reading(err error) error {
	if err == nil || errors.Is(err, io.EOF) {
		return fault.Short
	}
	return err
}

func printable(s string) string {
	out := []byte(s)
	for i, b := range out {
		if b < 32 || b > 126 {
			out[i] = '?'
		}
	}
	return string(out)
}

func (h *Header) read(b []byte) error {
	if len(b) != 13 || h.W != 0 {
		return fault.FormatError("the PNG's header is damaged")
	}
	h.W, h.H = int(binary.BigEndian.Uint32(b)), int(binary.BigEndian.Uint32(b[4:]))
	h.depth, h.kind, h.interlaced = b[8], b[9], b[12] == 1
	if h.W <= 0 || h.H <= 0 || h.W > 1<<24 || h.H > 1<<24 {
		return fault.FormatError(fmt.Sprintf("the header says %d × %d pixels", h.W, h.H))
	}
	if b[10] != 0 || b[11] != 0 || b[12] > 1 {
		return fault.UnsupportedError("the PNG uses a compression, filter or interlacing that is in no standard")
	}
	components, ok := map[byte]int{grey: 1, greyAlpha: 2, rgb: 3, indexed: 3, rgbAlpha: 4}[h.kind]
	fits := h.depth == 8 || h.depth == 16 && h.kind != indexed || (h.depth == 1 || h.depth == 2 || h.depth == 4) && (h.kind == grey || h.kind == indexed)
	if !ok || !fits {
		return fault.FormatError(fmt.Sprintf("colour type %d with %d bits does not exist in PNG", h.kind, h.depth))
	}
	h.Components, h.Bits = components, int(h.depth)
	if h.kind == indexed {
		h.Bits = 8
	}
	return nil
}

// stored is the number of samples of a pixel in the file.
func (h *Header) stored() int {
	return map[byte]int{grey: 1, greyAlpha: 2, rgb: 3, indexed: 1, rgbAlpha: 4}[h.kind]
}

func (h *Header) rowBytes(w int) int { return (w*h.stored()*int(h.depth) + 7) / 8 }

// Decode reads the pixels. An alpha that is opaque throughout is dropped.
func Decode(data []byte) (*raster.Image, Header, error) {
	h, err := ReadHeader(data)
	if err != nil {
		return nil, h, err
	}
	im, err := h.Decode(nil)
	return im, h, err
}

// Decode reads the pixels of the file that the header was read from, and sets its
// components to what they have.
func (h *Header) Decode(b *budget.Budget) (*raster.Image, error) {
	raw := int64(h.H) * int64(h.rowBytes(h.W)+1)
	if raw/1032 > h.size-h.at+64 { // deflate's best (RFC 1951: 258 bytes by 2 bits)
		return nil, fault.FormatError(fmt.Sprintf("the header says %d × %d pixels, but the file is far too short for them", h.W, h.H))
	}
	packed := newPixels(h.src, h.at, h.size)
	z, err := zlib.NewReader(packed.Reader) // itself: inflating has a fast way for it
	if err != nil {
		return nil, packed.rather(inflating(err))
	}
	if err := b.Picture(h.W, h.H, h.Components, 2); err != nil {
		return nil, err
	}
	im := raster.New(h.W, h.H, h.Components, h.Bits)
	u := unpacker{h: h, im: im, budget: b}
	if !h.interlaced {
		err = u.pass(z, h.W, h.H, 0, 0, 1, 1)
	} else {
		for _, p := range [7][4]int{{0, 0, 8, 8}, {4, 0, 8, 8}, {0, 4, 4, 8}, {2, 0, 4, 4}, {0, 2, 2, 4}, {1, 0, 2, 2}, {0, 1, 1, 2}} {
			w, hh := (h.W-p[0]+p[2]-1)/p[2], (h.H-p[1]+p[3]-1)/p[3]
			if w > 0 && hh > 0 && err == nil {
				err = u.pass(z, w, hh, p[0], p[1], p[2], p[3])
			}
		}
	}
	if err = packed.rather(err); err != nil {
		return nil, err
	}
	dropOpaque(im)
	h.Components = im.Components()
	return im, nil
}

func inflating(err error) error {
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		return fault.Short
	}
	return fault.FormatError(fmt.Sprintf("its compressed pixels are damaged (%v)", err))
}

// dropOpaque removes an alpha plane of full opacity.
func dropOpaque(im *raster.Image) {
	n := len(im.Planes)
	if n != 2 && n != 4 {
		return
	}
	for _, v := range im.Ints(n - 1) {
		if v != 65535 {
			return
		}
	}
	im.Planes = im.Planes[:n-1]
}
