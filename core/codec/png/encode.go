package png

import (
	"encoding/binary"
	"hash/crc32"
	"io"
	"math"

	"aldermoor/core/raster"

	"github.com/klauspost/compress/zlib"
)

// Options says what is written beside the pixels.
type Options struct {
	Density [2]float64 // pixels a metre, for the resolution tag; 0 leaves it out
	SRGB    bool       // declare the samples as sRGB; data say nothing of colour, so that nobody converts them
	Small   bool       // smaller file, slower
}

// Encode writes an integer picture of 1 to 4 components with 8 or 16 bits a
// sample after im.Bits.
func Encode(w io.Writer, im *raster.Image, o Options) error {
	n, deep := im.Components(), im.Bits > 8
	head := binary.BigEndian.AppendUint32(nil, uint32(im.W))
	head = binary.BigEndian.AppendUint32(head, uint32(im.H))
	depth := byte(8)
	if deep {
		depth = 16
	}
	head = append(head, depth, [5]byte{0, grey, greyAlpha, rgb, rgbAlpha}[n], 0, 0, 0)
	if _, err := io.WriteString(w, Signature); err != nil {
		return err
	}
	if err := write(w, "IHDR", head); err != nil {
		return err
	}
	if o.Density[0] > 0 && o.Density[1] > 0 {
		x, y := o.Density[0], o.Density[1]
		if math.Abs(x-y) < 1 { // square, but for whole pixels at the edge
			x = (x + y) / 2
			y = x
		}
		b := binary.BigEndian.AppendUint32(nil, uint32(math.Round(x)))
		b = binary.BigEndian.AppendUint32(b, uint32(math.Round(y)))
		if err := write(w, "pHYs", append(b, 1)); err != nil {
			return err
		}
	}
	if o.SRGB {
		if err := write(w, "sRGB", []byte{0}); err != nil {
			return err
		}
	}
	body := &chunks{w: w}
	level := 3
	if o.Small {
		level = 6
	}
	z, err := zlib.NewWriterLevel(body, level)
	if err != nil {
		return err
	}
	if err := rows(z, im, n, deep); err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return err
	}
	if err := body.flush(); err != nil {
		return err
	}
	return write(w, "IEND", nil)
}

// rows filters and writes all rows: for each the filter whose result has the
// least sum of absolute values, as the standard advises (12.7).
func rows(z io.Writer, im *raster.Image, n int, deep bool) error {
	bpp := n
	if deep {
		bpp = 2 * n
	}
	size := bpp * im.W
	row, above := make([]byte, size), make([]byte, size)
	var tries [3][]byte
	for i := range tries {
		tries[i] = make([]byte, size+1)
	}
	tries[0][0], tries[1][0], tries[2][0] = 1, 2, 4
	for y := range im.H {
		for c, plane := range im.U16 {
			src := plane[y*im.W : (y+1)*im.W]
			if deep {
				for x, v := range src {
					i := 2 * (x*n + c)
					row[i], row[i+1] = byte(v>>8), byte(v)
				}
				continue
			}
			for x, v := range src {
				row[x*n+c] = byte(v >> 8)
			}
		}
		best, least := 0, math.MaxInt
		for k := range tries {
			out := tries[k][1:]
			sum := 0
			switch tries[k][0] {
			case 1:
				copy(out[:bpp], row)
				for i := bpp; i < size; i++ {
					out[i] = row[i] - row[i-bpp]
				}
			case 2:
				for i, v := range row {
					out[i] = v - above[i]
				}
			case 4:
				for i := range bpp {
					out[i] = row[i] - above[i]
				}
				for i := bpp; i < size; i++ {
					out[i] = row[i] - byte(predict(int32(row[i-bpp]), int32(above[i]), int32(above[i-bpp])))
				}
			}
			for _, v := range out {
				s := int(int8(v))
				sum += max(s, -s)
			}
			if sum < least {
				best, least = k, sum
			}
		}
		if _, err := z.Write(tries[best]); err != nil {
			return err
		}
		row, above = above, row
	}
	return nil
}

// chunks gathers what is written into IDAT chunks.
type chunks struct {
	w   io.Writer
	buf []byte
}

func (c *chunks) Write(p []byte) (int, error) {
	c.buf = append(c.buf, p...)
	if len(c.buf) >= 1<<20 {
		return len(p), c.flush()
	}
	return len(p), nil
}

func (c *chunks) flush() error {
	if len(c.buf) == 0 {
		return nil
	}
	err := write(c.w, "IDAT", c.buf)
	c.buf = c.buf[:0]
	return err
}

func write(w io.Writer, kind string, body []byte) error {
	head := binary.BigEndian.AppendUint32(make([]byte, 0, 8), uint32(len(body)))
	head = append(head, kind...)
	sum := crc32.Update(crc32.ChecksumIEEE([]byte(kind)), crc32.IEEETable, body)
	for _, p := range [][]byte{head, body, binary.BigEndian.AppendUint32(nil, sum)} {
		if _, err := w.Write(p); err != nil {
			return err
		}
	}
	return nil
}
