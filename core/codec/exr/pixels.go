package exr

import (
	"encoding/binary"
	"fmt"
	"math"
	"runtime"
	"sync"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"
)

// Read returns the samples of the part's channels in the order of Channels, each
// W × H, from the top. want says which channels are needed; nil for all.
func (f *File) Read(part int, want func(Channel) bool, b *budget.Budget) ([][]float32, error) {
	p := &f.Parts[part]
	raw := int64(0)
	for _, c := range p.Channels {
		raw += int64(c.Type.size()) * int64(samples(p.data.x0, p.data.x1, c.sx)) * int64(samples(p.data.y0, p.data.y1, c.sy))
	}
	// Deflate stays under 1032:1; the lossy and run-length ways pack further only
	// where they deflate what they have packed, so allow them the square of sixteen.
	most := int64(1100)
	switch p.Compression {
	case None:
		most = 1
	case PIZ, DWAA, DWAB:
		most = 1 << 16
	}
	// A crop of a larger picture leaves most of its display window empty; nothing that
	// is a map leaves all but a sixteenth.
	if shown, held := int64(p.W)*int64(p.H), int64(p.data.w())*int64(p.data.h()); shown > 16*held+1<<20 {
		return nil, fault.FormatError(fmt.Sprintf("its display window of %d × %d pixels is far larger than its picture of %d × %d", p.W, p.H, p.data.w(), p.data.h()))
	}
	// What lies around the picture is cut off: a rim, not most of it.
	if shown, held := int64(p.W)*int64(p.H), int64(p.data.w())*int64(p.data.h()); held > 4*shown+1<<20 {
		return nil, fault.FormatError(fmt.Sprintf("its picture of %d × %d pixels is far larger than its display window of %d × %d", p.data.w(), p.data.h(), p.W, p.H))
	}
	if raw/most > int64(len(f.bytes)) {
		return nil, fault.FormatError(fmt.Sprintf("the header says %d × %d pixels in %d channels, but the file is far too short for them", p.W, p.H, len(p.Channels)))
	}
	planes := make([][]float32, len(p.Channels))
	for i, c := range p.Channels {
		if want == nil || want(c) {
			if err := b.Picture(p.W, p.H, 1, 4); err != nil {
				return nil, err
			}
			planes[i] = make([]float32, p.W*p.H)
		}
	}
	jobs := p.plan()
	// Each that unpacks has a chunk packed and unpacked, and what lies between.
	scratch := 3 * int64(runtime.GOMAXPROCS(0)) * p.largestChunk()
	if err := b.Take(scratch); err != nil {
		return nil, err
	}
	defer b.Give(scratch)
	var mu sync.Mutex
	var failed error
	raster.Rows(len(jobs), func(from, to int) {
		u := unpacker{part: p}
		for i := from; i < to; i++ {
			err := b.Err()
			if err == nil {
				err = f.chunk(&u, part, i, jobs[i], planes)
			}
			if err != nil {
				mu.Lock()
				if failed == nil {
					failed = err
				}
				mu.Unlock()
				return
			}
		}
	})
	for i, c := range p.Channels {
		if c.reduced() && planes[i] != nil {
			widen(planes[i], p.W, p.H, -p.display.x0, -p.display.y0, c.sx, c.sy)
		}
	}
	return planes, failed
}

// place puts the samples of a channel of reduced resolution where they belong in a row that begins at pixel left.
func (c Channel) place(src []byte, b box, row []float32, left int) {
	for x := b.x0; x <= b.x1; x++ {
		if x%c.sx != 0 {
			continue
		}
		v := float32(0)
		switch c.Type {
		case Half:
			v = raster.Half(binary.LittleEndian.Uint16(src))
		case Float:
			v = math.Float32frombits(binary.LittleEndian.Uint32(src))
		default:
			v = float32(binary.LittleEndian.Uint32(src))
		}
		src = src[c.Type.size():]
		if x >= left && x < left+len(row) {
			row[x-left] = v
		}
	}
}

// largestChunk is the bytes of the largest chunk, unpacked.
func (p *Part) largestChunk() (n int64) {
	w, h := p.data.w(), min(p.Compression.lines(), p.data.h())
	if p.tiled {
		w, h = min(p.tileW, w), min(p.tileH, p.data.h())
	}
	for _, c := range p.Channels {
		n += int64(c.Type.size()) * int64(w) * int64(h)
	}
	return n
}

// plan lists the rectangles, in data coordinates, that the first chunks hold: all
// of the picture at its largest level.
func (p *Part) plan() []box {
	var out []box
	if !p.tiled {
		n := p.Compression.lines()
		for y := p.data.y0; y <= p.data.y1; y += n {
			out = append(out, box{p.data.x0, y, p.data.x1, min(y+n-1, p.data.y1)})
		}
		return out
	}
	for y := p.data.y0; y <= p.data.y1; y += p.tileH {
		for x := p.data.x0; x <= p.data.x1; x += p.tileW {
			out = append(out, box{x, y, min(x+p.tileW-1, p.data.x1), min(y+p.tileH-1, p.data.y1)})
		}
	}
	return out
}

// chunk unpacks the i-th chunk into the planes.
func (f *File) chunk(u *unpacker, part, i int, b box, planes [][]float32) error {
	p := u.part
	at := p.offsets[i]
	if at == 0 || at > uint64(len(f.bytes)) {
		return fault.Short
	}
	r := &reader{p: f.bytes[at:]}
	if f.multi && int(r.u32()) != part {
		return fault.FormatError("a chunk belongs to another part than its place says")
	}
	if p.tiled {
		tx, ty, lx, ly := int(r.u32()), int(r.u32()), r.u32(), r.u32()
		if lx != 0 || ly != 0 || p.data.x0+tx*p.tileW != b.x0 || p.data.y0+ty*p.tileH != b.y0 {
			return fault.FormatError("a tile is not where the file's table says")
		}
	} else if y := int(int32(r.u32())); y != b.y0 {
		return fault.FormatError("rows are not where the file's table says")
	}
	n := int(int32(r.u32()))
	if n < 0 || n > len(r.p) {
		return fault.Short
	}
	raw, err := u.unpack(r.take(n), b)
	if err != nil {
		return err
	}
	// Rows of channels into planes, cut to the display window.
	for y := b.y0; y <= b.y1; y++ {
		for c, ch := range p.Channels {
			if !ch.in(y) {
				continue
			}
			size := ch.Type.size() * u.lay.w[c]
			src := raw[:size]
			raw = raw[size:]
			oy := y - p.display.y0
			if ch.reduced() && planes[c] != nil && oy >= 0 && oy < p.H {
				ch.place(src, b, planes[c][oy*p.W:(oy+1)*p.W], p.display.x0)
				continue
			}
			if planes[c] == nil || oy < 0 || oy >= p.H {
				continue
			}
			x0, x1 := max(b.x0, p.display.x0), min(b.x1, p.display.x1)
			if x1 < x0 {
				continue
			}
			src = src[(x0-b.x0)*ch.Type.size():]
			dst := planes[c][oy*p.W+x0-p.display.x0:][:x1-x0+1]
			switch ch.Type {
			case Half:
				for x := range dst {
					dst[x] = raster.Half(binary.LittleEndian.Uint16(src[2*x:]))
				}
			case Float:
				for x := range dst {
					dst[x] = math.Float32frombits(binary.LittleEndian.Uint32(src[4*x:]))
				}
			default:
				for x := range dst {
					dst[x] = float32(binary.LittleEndian.Uint32(src[4*x:]))
				}
			}
		}
	}
	return nil
}
