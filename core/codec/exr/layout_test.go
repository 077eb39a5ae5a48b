package exr

import (
	"bytes"
	"encoding/binary"
	"math"
	"testing"

	"github.com/klauspost/compress/zlib"
)

// chromatic is a picture of luminance and chroma, whose chroma has half the resolution: of w × h pixels from x0, y0
// on, by a function of the pixel.
func chromatic(t *testing.T, packing Compression, w, h, x0, y0 int, at func(x, y int) [3]float64) []byte {
	t.Helper()
	var b bytes.Buffer
	le := binary.LittleEndian
	u32 := func(v int) []byte { return le.AppendUint32(nil, uint32(v)) }
	attribute := func(name, kind string, v []byte) {
		b.WriteString(name + "\x00" + kind + "\x00")
		b.Write(u32(len(v)))
		b.Write(v)
	}
	b.WriteString(Magic)
	b.Write(u32(2))
	var list []byte
	for _, c := range []struct {
		name string
		step int
	}{{"BY", 2}, {"RY", 2}, {"Y", 1}} {
		list = append(append(list, c.name...), 0)
		list = append(append(list, u32(int(Float))...), 0, 0, 0, 0)
		list = append(append(list, u32(c.step)...), u32(c.step)...)
	}
	attribute("channels", "chlist", append(list, 0))
	attribute("compression", "compression", []byte{byte(packing)})
	window := append(append(append(u32(x0), u32(y0)...), u32(x0+w-1)...), u32(y0+h-1)...)
	attribute("dataWindow", "box2i", window)
	attribute("displayWindow", "box2i", window)
	b.WriteByte(0)
	var chunks [][]byte
	for y := y0; y < y0+h; y += packing.lines() {
		var raw []byte
		for row := y; row < min(y+packing.lines(), y0+h); row++ {
			for c := range 3 {
				for x := x0; x < x0+w; x++ {
					if c == 2 || x%2 == 0 && row%2 == 0 {
						raw = le.AppendUint32(raw, math.Float32bits(float32(at(x, row)[c])))
					}
				}
			}
		}
		if packing == ZIP {
			sorted := make([]byte, len(raw))
			for i, v := range raw {
				sorted[i/2+i%2*((len(raw)+1)/2)] = v
			}
			for i := len(sorted) - 1; i > 0; i-- {
				sorted[i] += 128 - sorted[i-1]
			}
			var z bytes.Buffer
			k := zlib.NewWriter(&z)
			k.Write(sorted)
			k.Close()
			if z.Len() < len(raw) {
				raw = z.Bytes()
			}
		}
		chunks = append(chunks, append(append(u32(y), u32(len(raw))...), raw...))
	}
	offset := b.Len() + 8*len(chunks)
	for _, c := range chunks {
		b.Write(le.AppendUint64(nil, uint64(offset)))
		offset += len(c)
	}
	for _, c := range chunks {
		b.Write(c)
	}
	return b.Bytes()
}

// Luminance and chroma of half the resolution come as red, green and blue, wherever the picture begins.
func TestChromaOfReducedResolution(t *testing.T) {
	colour := func(x, y int) [3]float64 { // slow, so that what lies between samples is known
		return [3]float64{0.3 + 0.01*float64(x), 0.4 + 0.005*float64(y), 0.2 + 0.004*float64(x)}
	}
	for _, packing := range []Compression{None, ZIP} {
		for _, at := range [][4]int{{20, 18, 0, 0}, {21, 19, -4, 6}, {1, 1, 0, 0}, {2, 40, 8, -2}} {
			data := chromatic(t, packing, at[0], at[1], at[2], at[3], func(x, y int) [3]float64 {
				c := colour(x, y)
				l := 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2]
				return [3]float64{c[2]/l - 1, c[0]/l - 1, l}
			})
			im, f, err := Decode(data)
			if err != nil {
				t.Fatalf("%v from %v: %v", packing, at, err)
			}
			if im.Components() != 3 || len(f.Layers()) != 1 || im.W != at[0] || im.H != at[1] {
				t.Fatalf("%v from %v: %d components in %d layers", packing, at, im.Components(), len(f.Layers()))
			}
			for y := range im.H {
				for x := range im.W {
					want := colour(x+at[2], y+at[3])
					for c := range 3 {
						slack := 0.004
						if x == im.W-1 || y == im.H-1 { // nothing lies behind the last
							slack = 0.02
						}
						if v := float64(im.Floats(c)[y*im.W+x]); math.Abs(v-want[c]) > slack {
							t.Fatalf("%v from %v: component %d at %d, %d is %.4f, want %.4f", packing, at, c, x, y, v, want[c])
						}
					}
				}
			}
		}
	}
	if _, _, err := Decode(chromatic(t, DWAA, 4, 4, 0, 0, colour)); err == nil {
		t.Error("chroma of reduced resolution in DWA is read")
	}
	if _, _, err := Decode(chromatic(t, None, 4, 4, 1, 0, colour)); err == nil {
		t.Error("a picture that begins between the samples of its chroma is read")
	}
}
