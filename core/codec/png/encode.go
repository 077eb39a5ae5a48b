package png

import (
	"bytes"
	"encoding/binary"
	"hash/adler32"
	"hash/crc32"
	"io"
	"math"
	"runtime"

	"aldermoor/core/raster"

	"github.com/klauspost/compress/flate"
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
	level := 3
	if o.Small {
		level = 6
	}
	if err := deflated(&chunks{w: w}, im, n, deep, level); err != nil {
		return err
	}
	return write(w, "IEND", nil)
}

// blockBytes is how much is filtered and deflated as one piece. It is fixed, so that a
// picture is written the same on any number of cores.
const blockBytes = 1 << 20

// deflated writes the pixels as one zlib stream. Blocks of rows are filtered and deflated
// on every core: each knows the last 32 KiB before it as its dictionary, and ends on a
// whole byte (RFC 1951, 3.2.3), so that they can be joined.
func deflated(body *chunks, im *raster.Image, n int, deep bool, level int) error {
	bpp := n
	if deep {
		bpp = 2 * n
	}
	each := min(im.H, max(1, blockBytes/(bpp*im.W+1)))
	count := (im.H + each - 1) / each
	sum := adler32.New()
	if _, err := body.Write([]byte{0x78, 0x9c}); err != nil {
		return err
	}
	var before []byte // the last of what was filtered so far
	lanes := runtime.GOMAXPROCS(0)
	for first := 0; first < count; first += lanes {
		some := min(lanes, count-first)
		plain, packed := make([][]byte, some), make([]bytes.Buffer, some)
		errs := make([]error, some)
		raster.Each(some, func(i int) {
			plain[i] = filtered(im, n, deep, (first+i)*each, min(im.H, (first+i+1)*each))
		})
		raster.Each(some, func(i int) {
			dict := before
			if i > 0 {
				dict = tail(plain[i-1])
			}
			errs[i] = pack(&packed[i], plain[i], dict, level, first+i == count-1)
		})
		for i := range some {
			if errs[i] != nil {
				return errs[i]
			}
			sum.Write(plain[i])
			if _, err := body.Write(packed[i].Bytes()); err != nil {
				return err
			}
		}
		before = tail(plain[some-1])
	}
	if _, err := body.Write(sum.Sum(nil)); err != nil {
		return err
	}
	return body.flush()
}

func tail(p []byte) []byte { return p[max(0, len(p)-1<<15):] }

func pack(to *bytes.Buffer, plain, dict []byte, level int, last bool) error {
	z, err := flate.NewWriterDict(to, level, dict)
	if err != nil {
		return err
	}
	if _, err := z.Write(plain); err != nil {
		return err
	}
	if last {
		return z.Close()
	}
	return z.Flush()
}

// filtered is rows y0 to y1, each by the filter whose result has the least sum of
// absolute values, as the standard advises (12.7).
func filtered(im *raster.Image, n int, deep bool, y0, y1 int) []byte {
	bpp := n
	if deep {
		bpp = 2 * n
	}
	size := bpp * im.W
	out := make([]byte, 0, (y1-y0)*(size+1))
	row, above := make([]byte, size), make([]byte, size)
	if y0 > 0 {
		interleave(above, im, n, deep, y0-1)
	}
	var tries [3][]byte
	for i := range tries {
		tries[i] = make([]byte, size+1)
	}
	tries[0][0], tries[1][0], tries[2][0] = 1, 2, 4
	for y := y0; y < y1; y++ {
		interleave(row, im, n, deep, y)
		best, least := 0, math.MaxInt
		for k := range tries {
			if sum := filter(tries[k][0], tries[k][1:], row, above, bpp); sum < least {
				best, least = k, sum
			}
		}
		out = append(out, tries[best]...)
		row, above = above, row
	}
	return out
}

// interleave writes row y of a picture as PNG stores it.
func interleave(row []byte, im *raster.Image, n int, deep bool, y int) {
	for c := range im.Planes {
		src := im.Ints(c)[y*im.W : (y+1)*im.W]
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
}

// filter writes a row filtered in one of the ways 1, 2 and 4, and returns the sum of the
// absolute values.
func filter(kind byte, out, row, above []byte, bpp int) (sum int) {
	size := len(row)
	switch kind {
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
	return sum
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
