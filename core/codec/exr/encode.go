package exr

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"math"

	"aldermoor/core/raster"

	"github.com/klauspost/compress/zlib"
)

// Options says how a picture is written.
type Options struct {
	Type        Type        // Half, or else Float
	Density     [2]float64  // pixels a metre; 0 leaves it out
	Compression Compression // None, RLE, ZIPS or ZIP
	Associate   bool        // multiply colours by the last component, as is meant where that is how much they cover
	Primaries   [8]float64  // chromaticities of red, green, blue and white; 0 leaves them out, which means sRGB's
}

// Encode writes a picture of 1 to 4 components (grey, colour, alpha last) as one
// part of scan lines. Integer samples are scaled to 0..1.
func Encode(w io.Writer, im *raster.Image, o Options) error {
	if o.Type != Half {
		o.Type = Float
	}
	if o.Compression > ZIP {
		return fmt.Errorf("EXR compression %d is not written", o.Compression)
	}
	if n := im.Components(); o.Associate && (n == 2 || n == 4) {
		im = multiplied(im)
	}
	names := map[int][]string{1: {"Y"}, 2: {"Y", "A"}, 3: {"R", "G", "B"}, 4: {"R", "G", "B", "A"}}[im.Components()]
	order := map[int][]int{1: {0}, 2: {1, 0}, 3: {2, 1, 0}, 4: {3, 2, 1, 0}}[im.Components()] // by name
	var b bytes.Buffer
	le := binary.LittleEndian
	u32 := func(v int) []byte { return le.AppendUint32(nil, uint32(v)) }
	b.WriteString(Magic)
	b.Write(u32(2))
	attribute := func(name, kind string, v []byte) {
		b.WriteString(name + "\x00" + kind + "\x00")
		b.Write(u32(len(v)))
		b.Write(v)
	}
	var list []byte
	for _, c := range order {
		list = append(append(list, names[c]...), 0)
		list = append(list, u32(int(o.Type))...)
		list = append(list, 0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0)
	}
	attribute("channels", "chlist", append(list, 0))
	if o.Primaries != [8]float64{} {
		var xy []byte
		for _, v := range o.Primaries {
			xy = append(xy, u32(int(math.Float32bits(float32(v))))...)
		}
		attribute("chromaticities", "chromaticities", xy)
	}
	attribute("compression", "compression", []byte{byte(o.Compression)})
	window := append(append(append(u32(0), u32(0)...), u32(im.W-1)...), u32(im.H-1)...)
	attribute("dataWindow", "box2i", window)
	attribute("displayWindow", "box2i", window)
	attribute("lineOrder", "lineOrder", []byte{0})
	aspect := float32(1)
	if o.Density[0] > 0 && o.Density[1] > 0 && math.Abs(o.Density[0]-o.Density[1]) >= 1 {
		aspect = float32(o.Density[1] / o.Density[0])
	}
	attribute("pixelAspectRatio", "float", u32(int(math.Float32bits(aspect))))
	attribute("screenWindowCenter", "v2f", make([]byte, 8))
	attribute("screenWindowWidth", "float", u32(int(math.Float32bits(1))))
	if o.Density[0] > 0 {
		attribute("xDensity", "float", u32(int(math.Float32bits(float32(o.Density[0]*0.0254)))))
	}
	b.WriteByte(0)

	lines := o.Compression.lines()
	n := (im.H + lines - 1) / lines
	packed := make([][]byte, n)
	raster.Rows(n, func(from, to int) {
		row := make([]float32, im.W)
		for i := from; i < to; i++ {
			packed[i] = pack(im, order, o, i*lines, min((i+1)*lines, im.H), row)
		}
	})
	at := uint64(b.Len() + 8*n)
	for _, p := range packed {
		b.Write(le.AppendUint64(nil, at))
		at += uint64(8 + len(p))
	}
	if _, err := w.Write(b.Bytes()); err != nil {
		return err
	}
	for i, p := range packed {
		if _, err := w.Write(append(append(u32(i*lines), u32(len(p))...), p...)); err != nil {
			return err
		}
	}
	return nil
}

// pack is one chunk of rows y0..y1.
func pack(im *raster.Image, order []int, o Options, y0, y1 int, row []float32) []byte {
	raw := make([]byte, 0, (y1-y0)*len(order)*im.W*o.Type.size())
	for y := y0; y < y1; y++ {
		for _, c := range order {
			im.Row(c, y, row)
			for _, v := range row {
				if o.Type == Half {
					raw = binary.LittleEndian.AppendUint16(raw, raster.ToHalf(v))
				} else {
					raw = binary.LittleEndian.AppendUint32(raw, math.Float32bits(v))
				}
			}
		}
	}
	if o.Compression == None {
		return raw
	}
	sorted := make([]byte, len(raw))
	half := (len(raw) + 1) / 2
	for i, v := range raw {
		sorted[i/2+i%2*half] = v
	}
	for i := len(sorted) - 1; i > 0; i-- {
		sorted[i] = sorted[i] - sorted[i-1] + 128
	}
	if o.Compression == RLE {
		if packed := inRuns(sorted); len(packed) < len(raw) {
			return packed
		}
		return raw
	}
	var b bytes.Buffer
	z, _ := zlib.NewWriterLevel(&b, 4) // the level is valid
	z.Write(sorted)                    // a buffer takes everything
	z.Close()
	if b.Len() >= len(raw) {
		return raw
	}
	return b.Bytes()
}

// inRuns codes bytes in runs: of equal ones as their number less one and the byte, of others as
// their number, negative, and the bytes.
func inRuns(src []byte) (out []byte) {
	for at := 0; at < len(src); {
		end := at + 1
		for end < len(src) && src[end] == src[at] && end-at < 128 {
			end++
		}
		if end-at >= 3 {
			out = append(out, byte(end-at-1), src[at])
			at = end
			continue
		}
		for end < len(src) && end-at < 127 && (end+2 >= len(src) || src[end] != src[end+1] || src[end] != src[end+2]) {
			end++
		}
		out = append(append(out, byte(-(end-at))), src[at:end]...)
		at = end
	}
	return out
}
