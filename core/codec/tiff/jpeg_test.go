package tiff

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/jpeg"
	"math"
	"testing"

	"github.com/klauspost/compress/zstd"
)

// stripped is a little-endian TIFF of 8 bits whose strips or tiles are packed already.
func stripped(w, h, side int, tiled bool, samples, photometric, compression uint32, tables []byte, parts [][]byte) []byte {
	le := binary.LittleEndian
	type entry struct {
		tag, kind uint16
		values    []uint32
		data      []byte
	}
	var offsets, counts []uint32
	for _, p := range parts {
		counts = append(counts, uint32(len(p)))
		offsets = append(offsets, 0)
	}
	bits := make([]uint32, samples)
	for i := range bits {
		bits[i] = 8
	}
	entries := []entry{{256, 4, []uint32{uint32(w)}, nil}, {257, 4, []uint32{uint32(h)}, nil}, {258, 3, bits, nil}, {259, 3, []uint32{compression}, nil}, {262, 3, []uint32{photometric}, nil}}
	if tiled {
		entries = append(entries, entry{277, 3, []uint32{samples}, nil}, entry{322, 4, []uint32{uint32(side)}, nil}, entry{323, 4, []uint32{uint32(side)}, nil},
			entry{324, 4, offsets, nil}, entry{325, 4, counts, nil})
	} else {
		entries = append(entries, entry{273, 4, offsets, nil}, entry{277, 3, []uint32{samples}, nil}, entry{278, 4, []uint32{uint32(side)}, nil}, entry{279, 4, counts, nil})
	}
	if tables != nil {
		entries = append(entries, entry{347, 7, nil, tables})
	}
	at := 8 + 2 + 12*len(entries) + 4
	var extra []byte
	var out bytes.Buffer
	write := func() {
		out.Reset()
		extra = nil
		out.WriteString("II*\x00\x08\x00\x00\x00")
		binary.Write(&out, le, uint16(len(entries)))
		for _, e := range entries {
			data, n := e.data, len(e.data)
			if e.data == nil {
				n = len(e.values)
				for _, v := range e.values {
					if e.kind == 3 {
						data = le.AppendUint16(data, uint16(v))
					} else {
						data = le.AppendUint32(data, v)
					}
				}
			}
			binary.Write(&out, le, e.tag)
			binary.Write(&out, le, e.kind)
			binary.Write(&out, le, uint32(n))
			if len(data) <= 4 {
				out.Write(append(data, 0, 0, 0, 0)[:4])
				continue
			}
			binary.Write(&out, le, uint32(at+len(extra)))
			extra = append(extra, data...)
		}
		out.Write([]byte{0, 0, 0, 0})
		out.Write(extra)
	}
	write()
	place := uint32(out.Len())
	for i, p := range parts {
		offsets[i] = place
		place += uint32(len(p))
	}
	write()
	for _, p := range parts {
		out.Write(p)
	}
	return out.Bytes()
}

// slow is a colour that changes slowly, as JPEG keeps it.
func slow(x, y int) color.RGBA {
	return color.RGBA{uint8(60 + 2*x), uint8(90 + y), uint8(150 - x), 255}
}

// cut takes the tables out of a JPEG stream: what all strips share, and the rest.
func cut(data []byte) (tables, rest []byte) {
	tables, rest = []byte("\xff\xd8"), []byte("\xff\xd8")
	for p := data[2:]; len(p) > 4; {
		n := int(p[2])<<8 | int(p[3]) + 2
		switch {
		case p[1] == 0xda:
			return append(tables, 0xff, 0xd9), append(rest, p...)
		case p[1] == 0xdb || p[1] == 0xc4:
			tables = append(tables, p[:n]...)
		default:
			rest = append(rest, p[:n]...)
		}
		p = p[n:]
	}
	return nil, nil
}

func TestJPEGInStripsAndTiles(t *testing.T) {
	const w, h = 50, 41
	for _, c := range []struct {
		name   string
		tiled  bool
		shared bool // tables
		grey   bool
		rgb    bool // its components are not YCbCr
	}{{"strips", false, false, false, false}, {"strips with shared tables", false, true, false, false}, {"tiles", true, true, false, false}, {"grey", false, true, true, false}, {"RGB", true, false, false, true}} {
		const side = 16
		var parts [][]byte
		var tables []byte
		for y0 := 0; y0 < h; y0 += side {
			for x0 := 0; x0 < w; x0 += side {
				x1, y1 := x0+side, y0+side
				if !c.tiled {
					x1, y1 = w, min(y1, h)
				}
				var im image.Image
				switch r := image.Rect(0, 0, x1-x0, y1-y0); {
				case c.grey:
					g := image.NewGray(r)
					for i := range g.Pix {
						g.Pix[i] = slow(x0+i%r.Dx(), y0+i/r.Dx()).R
					}
					im = g
				case c.rgb:
					q := image.NewYCbCr(r, image.YCbCrSubsampleRatio444)
					for i := range q.Y {
						k := slow(x0+i%q.YStride, y0+i/q.YStride)
						q.Y[i], q.Cb[i], q.Cr[i] = k.R, k.G, k.B
					}
					im = q
				default:
					q := image.NewRGBA(r)
					for y := range r.Dy() {
						for x := range r.Dx() {
							q.SetRGBA(x, y, slow(x0+x, y0+y))
						}
					}
					im = q
				}
				var b bytes.Buffer
				if err := jpeg.Encode(&b, im, &jpeg.Options{Quality: 98}); err != nil {
					t.Fatal(err)
				}
				part := b.Bytes()
				if c.shared {
					tables, part = cut(part)
				}
				parts = append(parts, part)
				if !c.tiled {
					break
				}
			}
		}
		samples, photometric := uint32(3), uint32(6)
		if c.grey {
			samples, photometric = 1, 1
		} else if c.rgb {
			photometric = 2
		}
		im, _, err := Decode(stripped(w, h, side, c.tiled, samples, photometric, 7, tables, parts))
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		if im.W != w || im.H != h || im.Components() != int(samples) {
			t.Errorf("%s: %d × %d, %d components", c.name, im.W, im.H, im.Components())
			continue
		}
		slack := 6.0
		if c.rgb {
			slack = 14 // its second and third component are at half the resolution
		}
		for y := range h {
			for x := range w {
				k := slow(x, y)
				for i, want := range []uint8{k.R, k.G, k.B}[:samples] {
					if v := float64(im.Ints(i)[y*w+x]) / 257; math.Abs(v-float64(want)) > slack {
						t.Fatalf("%s: component %d at %d, %d is %.0f, want %d", c.name, i, x, y, v, want)
					}
				}
			}
		}
	}
	if _, _, err := Decode(stripped(8, 8, 8, false, 3, 6, 7, nil, [][]byte{[]byte("\xff\xd8 no JPEG at all")})); err == nil {
		t.Error("damaged JPEG is read")
	}
}

func TestZstandard(t *testing.T) {
	const w, h = 40, 30
	plain := make([]byte, w*h*3)
	for i := range plain {
		plain[i] = byte(i * 7 / 3)
	}
	z, _ := zstd.NewWriter(nil)
	var parts [][]byte
	for y := 0; y < h; y += 8 {
		parts = append(parts, z.EncodeAll(plain[y*w*3:min((y+8)*w*3, len(plain))], nil))
	}
	data := stripped(w, h, 8, false, 3, 2, 50000, nil, parts)
	im, _, err := Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	for i, v := range plain {
		if got := im.Ints(i % 3)[i/3]; got != uint16(v)*257 {
			t.Fatalf("byte %d is %d, want %d", i, got/257, v)
		}
	}
	for n := range len(data) {
		Decode(data[:n]) // cut off anywhere: refused, or read in part, without a panic
	}
}
