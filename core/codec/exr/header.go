// Package exr reads and writes OpenEXR (OpenEXR File Layout, Academy Software
// Foundation 2023): scan lines and tiles, half, float and uint samples, every
// compression of the standard (none, RLE, ZIPS, ZIP, PIZ, PXR24, B44, B44A, DWAA,
// DWAB), layers and several parts in one file.
//
// Pixels are given in the display window: what the data window leaves out is
// zero. Of a pyramid the largest level is read. It leaves out deep pixels and
// channels of reduced resolution, and says so.
package exr

import (
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strings"

	"aldermoor/core/codec/fault"
)

// Magic is how every file begins.
const Magic = "\x76\x2f\x31\x01"

// Type is the type of a channel's samples.
type Type int32

// The types.
const (
	Uint  Type = 0
	Half  Type = 1
	Float Type = 2
)

func (t Type) size() int {
	if t == Half {
		return 2
	}
	return 4
}

// Compression is how chunks are packed.
type Compression byte

// The compressions of the standard.
const (
	None Compression = iota
	RLE
	ZIPS
	ZIP
	PIZ
	PXR24
	B44
	B44A
	DWAA
	DWAB
)

// lines are how many rows a chunk of scan lines holds.
func (c Compression) lines() int {
	switch c {
	case ZIP, PXR24:
		return 16
	case PIZ, B44, B44A, DWAA:
		return 32
	case DWAB:
		return 256
	}
	return 1
}

// Channel is one channel of a part.
type Channel struct {
	Name   string
	Type   Type
	linear bool // perceptually linear already (pLinear)
	sx, sy int  // it has samples at every sx-th pixel of every sy-th row
}

// box is a rectangle of pixels, both corners within it.
type box struct{ x0, y0, x1, y1 int }

func (b box) w() int { return b.x1 - b.x0 + 1 }
func (b box) h() int { return b.y1 - b.y0 + 1 }

// Part is one picture of a file.
type Part struct {
	Name        string
	W, H        int        // of the display window
	Density     [2]float64 // pixels a metre (from xDensity, pixels an inch), or 0
	Compression Compression
	Channels    []Channel

	Primaries [8]float64 // chromaticities x and y of red, green, blue and white; all 0 if it says none

	data, display box
	tiled         bool
	tileW, tileH  int
	levels        int // 0 one, 1 mip, 2 rip
	roundUp       bool
	offsets       []uint64
	aspect        float32
}

// File is what the headers say.
type File struct {
	Parts []Part
	multi bool
	bytes []byte
}

// Open reads the headers and the tables of offsets.
func Open(data []byte) (*File, error) {
	r := &reader{p: data}
	if string(r.take(4)) != Magic {
		return nil, fault.FormatError("this is not an OpenEXR file")
	}
	flags := r.u32()
	if flags&0xff != 2 {
		return nil, fault.UnsupportedError(fmt.Sprintf("OpenEXR version %d is not read", flags&0xff))
	}
	if flags&0x800 != 0 {
		return nil, fault.UnsupportedError("it holds deep pixels, which are no map")
	}
	f := &File{multi: flags&0x1000 != 0, bytes: data}
	for {
		p, more, err := readPart(r, flags&0x200 != 0)
		if err != nil {
			return nil, err
		}
		if !more {
			break
		}
		f.Parts = append(f.Parts, p)
		if !f.multi {
			break
		}
		if len(f.Parts) > 1024 {
			return nil, fault.FormatError("it claims more than a thousand parts")
		}
	}
	if len(f.Parts) == 0 {
		return nil, fault.FormatError("the file has no picture")
	}
	for i := range f.Parts {
		n := f.Parts[i].chunks()
		if n*8 > len(r.p) {
			return nil, fault.Short
		}
		f.Parts[i].offsets = make([]uint64, n)
		for k := range f.Parts[i].offsets {
			f.Parts[i].offsets[k] = r.u64()
		}
	}
	if r.short {
		return nil, fault.Short
	}
	return f, nil
}

func readPart(r *reader, tiled bool) (p Part, more bool, err error) {
	seen := map[string]bool{}
	p.aspect = 1
	for {
		name := r.text()
		if name == "" {
			break
		}
		kind := r.text()
		n := int(r.u32())
		if n < 0 || n > len(r.p) || r.short {
			return p, false, fault.Short
		}
		v := &reader{p: r.take(n)}
		seen[name] = true
		switch name {
		case "channels":
			if err := p.readChannels(v); err != nil {
				return p, false, err
			}
		case "compression":
			p.Compression = Compression(v.u8())
			if p.Compression > DWAB {
				return p, false, fault.UnsupportedError(fmt.Sprintf("OpenEXR compression %d is not read: save it with ZIP", p.Compression))
			}
		case "dataWindow":
			p.data = v.box()
		case "displayWindow":
			p.display = v.box()
		case "tiles":
			p.tiled, p.tileW, p.tileH = true, int(v.u32()), int(v.u32())
			mode := v.u8()
			p.levels, p.roundUp = int(mode&15), mode>>4 == 1
		case "name":
			p.Name = string(v.p)
		case "type":
			switch s := string(v.p); s {
			case "scanlineimage", "tiledimage":
			default:
				return p, false, fault.UnsupportedError(fmt.Sprintf("its part is of type %q, which is no map", s))
			}
		case "xDensity":
			p.Density[0] = float64(v.f32()) / 0.0254
		case "pixelAspectRatio":
			p.aspect = v.f32()
		case "chromaticities":
			for i := range p.Primaries {
				p.Primaries[i] = float64(v.f32())
			}
		}
		_ = kind
		if v.short {
			return p, false, fault.FormatError(fmt.Sprintf("its attribute %q is cut short", name))
		}
	}
	if len(seen) == 0 {
		if r.short {
			return p, false, fault.Short
		}
		return p, false, nil
	}
	if !seen["channels"] || !seen["dataWindow"] || !seen["displayWindow"] || !seen["compression"] {
		return p, false, fault.FormatError("the header lacks its channels, windows or compression")
	}
	if tiled && !p.tiled || p.tiled && (p.tileW <= 0 || p.tileH <= 0 || p.tileW > 1<<16 || p.tileH > 1<<16 || p.levels > 2) {
		return p, false, fault.FormatError("the header of a tiled file does not describe its tiles")
	}
	for _, b := range []box{p.data, p.display} {
		if b.x1 < b.x0 || b.y1 < b.y0 || b.w() > 1<<20 || b.h() > 1<<20 || b.x0 < -1<<24 || b.y0 < -1<<24 {
			return p, false, fault.FormatError("the header gives its picture an impossible window")
		}
	}
	for _, c := range p.Channels {
		switch {
		case c.reduced() && (p.tiled || p.Compression >= DWAA):
			return p, false, fault.UnsupportedError(fmt.Sprintf("its channel %q has reduced resolution, in tiles or as DWA: save it as plain RGB", printable(c.Name)))
		case p.data.x0%c.sx != 0 || p.data.y0%c.sy != 0:
			return p, false, fault.FormatError(fmt.Sprintf("its picture does not begin with a sample of its channel %q", printable(c.Name)))
		}
	}
	p.W, p.H = p.display.w(), p.display.h()
	if p.Density[0] > 0 {
		p.Density[1] = p.Density[0]
		if p.aspect > 0.01 && p.aspect < 100 {
			p.Density[1] = p.Density[0] * float64(p.aspect)
		}
	}
	return p, true, nil
}

func (p *Part) readChannels(v *reader) error {
	for {
		name := v.text()
		if name == "" {
			break
		}
		c := Channel{Name: name, Type: Type(v.u32())}
		c.linear = v.u8() != 0
		v.take(3)
		sx, sy := v.u32(), v.u32()
		if v.short || c.Type < Uint || c.Type > Float {
			return fault.FormatError(fmt.Sprintf("its channel %q is described wrongly", printable(name)))
		}
		if sx < 1 || sy < 1 || sx > 64 || sy > 64 {
			return fault.FormatError(fmt.Sprintf("its channel %q is described wrongly", printable(name)))
		}
		c.sx, c.sy = int(sx), int(sy)
		if len(p.Channels) >= 1024 {
			return fault.FormatError("it claims more than a thousand channels")
		}
		p.Channels = append(p.Channels, c)
	}
	if len(p.Channels) == 0 {
		return fault.FormatError("it has no channels")
	}
	if !slices.IsSortedFunc(p.Channels, func(a, b Channel) int { return strings.Compare(a.Name, b.Name) }) {
		return fault.FormatError("its channels are out of order")
	}
	return nil
}

func printable(s string) string {
	return strings.Map(func(r rune) rune {
		if r < 32 || r == 127 || r == 0xfffd {
			return '?'
		}
		return r
	}, s)
}

// chunks is how many chunks the part has, all levels counted.
func (p *Part) chunks() int {
	if !p.tiled {
		return (p.data.h() + p.Compression.lines() - 1) / p.Compression.lines()
	}
	w, h := p.data.w(), p.data.h()
	tiles := func(w, h int) int { return ((w + p.tileW - 1) / p.tileW) * ((h + p.tileH - 1) / p.tileH) }
	half := func(v int) int {
		if p.roundUp {
			return max((v+1)/2, 1)
		}
		return max(v/2, 1)
	}
	switch p.levels {
	case 1:
		n := tiles(w, h)
		for w > 1 || h > 1 {
			w, h = half(w), half(h)
			n += tiles(w, h)
		}
		return n
	case 2:
		n := 0
		for y := h; ; y = half(y) {
			for x := w; ; x = half(x) {
				n += tiles(x, y)
				if x == 1 {
					break
				}
			}
			if y == 1 {
				return n
			}
		}
	}
	return tiles(w, h)
}

// reader walks over little-endian values. Past the end it gives zeros and
// remembers that it was short.
type reader struct {
	p     []byte
	short bool
}

func (r *reader) take(n int) []byte {
	if n < 0 || n > len(r.p) {
		r.short, r.p = true, nil
		return make([]byte, min(max(n, 0), 64))
	}
	b := r.p[:n]
	r.p = r.p[n:]
	return b
}

func (r *reader) u8() byte     { return r.take(1)[0] }
func (r *reader) u16() uint16  { return binary.LittleEndian.Uint16(r.take(2)) }
func (r *reader) u32() uint32  { return binary.LittleEndian.Uint32(r.take(4)) }
func (r *reader) u64() uint64  { return binary.LittleEndian.Uint64(r.take(8)) }
func (r *reader) f32() float32 { return math.Float32frombits(r.u32()) }

func (r *reader) box() box {
	v := func() int { return int(int32(r.u32())) }
	return box{v(), v(), v(), v()}
}

// text reads up to a zero byte; names have at most 255 bytes.
func (r *reader) text() string {
	for i, b := range r.p[:min(len(r.p), 256)] {
		if b == 0 {
			s := string(r.p[:i])
			r.p = r.p[i+1:]
			return s
		}
	}
	r.short, r.p = true, nil
	return ""
}
