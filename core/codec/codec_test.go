package codec

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"testing"

	"aldermoor/core/raster"

	"golang.org/x/image/bmp"
	"golang.org/x/image/tiff"
)

// gradient fills a picture with values that differ in each sample.
func gradient(w, h, n, bits int) *raster.Image {
	im := raster.New(w, h, n, bits)
	for c := range n {
		for i := range im.Ints(c) {
			v := uint16((i*2654435761 + c*40503) >> 7)
			if bits == 8 {
				v = v >> 8 * 257
			}
			im.Ints(c)[i] = v
		}
	}
	return im
}

func same(t *testing.T, name string, got, want *raster.Image) {
	t.Helper()
	if got.W != want.W || got.H != want.H || got.Components() != want.Components() {
		t.Fatalf("%s: %d×%d×%d, want %d×%d×%d", name, got.W, got.H, got.Components(), want.W, want.H, want.Components())
	}
	for c := range want.Planes {
		for i, v := range want.Ints(c) {
			if got.Ints(c)[i] != v {
				t.Fatalf("%s: component %d, sample %d is %d, want %d", name, c, i, got.Ints(c)[i], v)
			}
		}
	}
}

func TestPNGRoundTrip(t *testing.T) {
	for _, bits := range []int{8, 16} {
		for n := 1; n <= 4; n++ {
			name := fmt.Sprintf("%d components of %d bits", n, bits)
			want := gradient(37, 23, n, bits)
			var buf bytes.Buffer
			if err := EncodePNG(&buf, want, PNGOptions{Density: [2]float64{2000, 1000}, SRGB: true}); err != nil {
				t.Fatal(err)
			}
			got, in, err := Decode(buf.Bytes(), DefaultLimits)
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			if in.Density != [2]float64{2000, 1000} || in.Profile != "sRGB" || in.Bits != bits {
				t.Errorf("%s: read back as %+v", name, in)
			}
			same(t, name, got, want)
		}
	}
}

// rawPNG builds a PNG of any colour type and depth from unfiltered rows.
func rawPNG(w, h int, depth, kind byte, rows []byte, extra ...[]byte) []byte {
	var b bytes.Buffer
	b.WriteString("\x89PNG\r\n\x1a\n")
	chunk := func(name string, body []byte) {
		binary.Write(&b, binary.BigEndian, uint32(len(body)))
		body = append([]byte(name), body...)
		b.Write(body)
		binary.Write(&b, binary.BigEndian, crc32.ChecksumIEEE(body))
	}
	head := binary.BigEndian.AppendUint32(nil, uint32(w))
	head = binary.BigEndian.AppendUint32(head, uint32(h))
	chunk("IHDR", append(head, depth, kind, 0, 0, 0))
	for _, e := range extra {
		chunk(string(e[:4]), e[4:])
	}
	var z bytes.Buffer
	zw := zlib.NewWriter(&z)
	zw.Write(rows)
	zw.Close()
	chunk("IDAT", z.Bytes())
	chunk("IEND", nil)
	return b.Bytes()
}

func TestPNGKinds(t *testing.T) {
	for _, c := range []struct {
		name string
		data []byte
		want [][]uint16
	}{
		{"1-bit grey", rawPNG(4, 1, 1, 0, []byte{0, 0b10100000}), [][]uint16{{65535, 0, 65535, 0}}},
		{"2-bit grey", rawPNG(4, 1, 2, 0, []byte{0, 0b00011011}), [][]uint16{{0, 21845, 43690, 65535}}},
		{"4-bit grey", rawPNG(2, 1, 4, 0, []byte{0, 0x0f}), [][]uint16{{0, 65535}}},
		{"16-bit grey", rawPNG(2, 1, 16, 0, []byte{0, 0x12, 0x34, 0xff, 0xfe}), [][]uint16{{0x1234, 0xfffe}}},
		{"palette", rawPNG(2, 1, 8, 3, []byte{0, 1, 0}, []byte("PLTE\x01\x02\x03\x0a\x0b\x0c")), [][]uint16{{10 * 257, 257}, {11 * 257, 2 * 257}, {12 * 257, 3 * 257}}},
		{"grey and alpha", rawPNG(2, 1, 8, 4, []byte{0, 7, 9, 8, 255}), [][]uint16{{7 * 257, 8 * 257}, {9 * 257, 65535}}},
		{"16-bit colour", rawPNG(1, 1, 16, 2, []byte{0, 1, 2, 3, 4, 5, 6}), [][]uint16{{0x0102}, {0x0304}, {0x0506}}},
		{"alpha that is opaque", rawPNG(1, 1, 8, 6, []byte{0, 1, 2, 3, 255}), [][]uint16{{257}, {514}, {771}}},
	} {
		im, _, err := Decode(c.data, DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		want := &raster.Image{W: len(c.want[0]), H: 1}
		for _, p := range c.want {
			want.Planes = append(want.Planes, raster.Ints(p))
		}
		same(t, c.name, im, want)
	}
}

func TestOtherFormats(t *testing.T) {
	src := image.NewNRGBA(image.Rect(0, 0, 40, 24))
	for y := range 24 {
		for x := range 40 {
			src.SetNRGBA(x, y, color.NRGBA{uint8(6 * x), uint8(10 * y), 90, 255})
		}
	}
	write := map[string]func(*bytes.Buffer) error{
		"jpg": func(b *bytes.Buffer) error { return jpeg.Encode(b, src, &jpeg.Options{Quality: 95}) },
		"bmp": func(b *bytes.Buffer) error { return bmp.Encode(b, src) },
		"tif": func(b *bytes.Buffer) error {
			return tiff.Encode(b, src, &tiff.Options{Compression: tiff.Deflate, Predictor: true})
		},
	}
	for name, enc := range write {
		var b bytes.Buffer
		if err := enc(&b); err != nil {
			t.Fatal(err)
		}
		im, in, err := Decode(b.Bytes(), DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if string(in.Format) != name || in.W != 40 || in.H != 24 || in.Components != 3 {
			t.Errorf("%s: probed as %+v", name, in)
		}
		for i := range im.Ints(0) {
			x, y := i%40, i/40
			if math.Abs(float64(im.Ints(0)[i]/257)-float64(6*x)) > 9 || math.Abs(float64(im.Ints(1)[i]/257)-float64(10*y)) > 9 {
				t.Fatalf("%s: wrong colour at %d,%d", name, x, y)
			}
		}
	}
	var b bytes.Buffer
	g := image.NewGray16(image.Rect(0, 0, 3, 1))
	g.SetGray16(1, 0, color.Gray16{0x1235})
	tiff.Encode(&b, g, nil)
	if im, in, err := Decode(b.Bytes(), DefaultLimits); err != nil || in.Bits != 16 || im.Ints(0)[1] != 0x1235 {
		t.Errorf("16-bit TIFF: %+v, %v", in, err)
	}
}

// A lossless WebP of 2 × 1 pixels, written by hand after its specification: one colour.
func TestWebP(t *testing.T) {
	data, err := os.ReadFile(filepath.Join("testdata", "dot.webp"))
	if err != nil {
		t.Fatal(err)
	}
	im, in, err := Decode(data, DefaultLimits)
	if err != nil || in.Format != WebP || im.W < 1 {
		t.Fatalf("%+v, %v", in, err)
	}
}

// The same picture with and without loss has the same colours: lossy WebP is not read with
// JPEG's range, which washes it out.
func TestLossyWebPHasItsColours(t *testing.T) {
	var im [2]*raster.Image
	for i, name := range []string{"lossless.webp", "lossy.webp"} {
		data, err := os.ReadFile(filepath.Join("testdata", name))
		if err != nil {
			t.Fatal(err)
		}
		if im[i], _, err = Decode(data, DefaultLimits); err != nil {
			t.Fatal(err)
		}
	}
	for c := range 3 {
		a, b := im[0].Plane(c), im[1].Plane(c)
		var off float64
		for i, v := range a.Pix {
			off += math.Abs(float64(v-b.Pix[i])) / float64(len(a.Pix))
		}
		if d := a.Mean() - b.Mean(); math.Abs(d) > 0.004 || off > 0.02 {
			t.Errorf("component %d: %.3f off in the mean, %.3f on average", c, d, off)
		}
	}
}

func TestJPEGDensity(t *testing.T) {
	var b bytes.Buffer
	jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, 8, 8)), nil)
	jfif := []byte{0xff, 0xe0, 0, 16, 'J', 'F', 'I', 'F', 0, 1, 2, 1, 0x01, 0x2c, 0x01, 0x2c, 0, 0}
	data := append(append([]byte{0xff, 0xd8}, jfif...), b.Bytes()[2:]...)
	in, err := Probe(data)
	if err != nil || math.Abs(in.Density[0]-300/0.0254) > 1e-6 || in.Components != 1 {
		t.Errorf("%+v, %v", in, err)
	}
	data[15] = 72
	data[14] = 0
	data[17] = 72
	data[16] = 0
	if in, _ := Probe(data); in.Density[0] != 0 {
		t.Errorf("72 px an inch was taken for a measurement: %v", in.Density)
	}
}

// 72 and 96 pixels an inch are what programs write by themselves: no evidence in any format.
func TestDefaultDensityIsNoEvidence(t *testing.T) {
	for dpi, kept := range map[float64]bool{72: false, 96: false, 300: true, 71: true} {
		var b bytes.Buffer
		perMetre := math.Round(dpi / 0.0254)
		if err := EncodePNG(&b, raster.New(16, 16, 1, 8), PNGOptions{Density: [2]float64{perMetre, perMetre}}); err != nil {
			t.Fatal(err)
		}
		if in, err := Probe(b.Bytes()); err != nil || (in.Density[0] > 0) != kept {
			t.Errorf("%v dpi: %v, %v", dpi, in.Density, err)
		}
	}
}

func TestRefusals(t *testing.T) {
	whole := rawPNG(64, 64, 8, 0, make([]byte, 64*65))
	var format FormatError
	var unsupported UnsupportedError
	var limit LimitError
	for _, c := range []struct {
		name string
		data []byte
		as   any
	}{
		{"cut file", whole[:len(whole)/2], &format},
		{"huge header", rawPNG(16000, 16000, 8, 0, []byte{0}), &format},
		{"over the limit", rawPNG(60000, 60000, 8, 0, []byte{0}), &limit},
		{"text", []byte("this is not a picture at all, just words"), &unsupported},
		{"empty", nil, &unsupported},
	} {
		_, _, err := Decode(c.data, DefaultLimits)
		if err == nil || !errors.As(err, c.as) {
			t.Errorf("%s: %v", c.name, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(rawPNG(4, 1, 2, 0, []byte{0, 0b00011011}))
	var b bytes.Buffer
	src := image.NewGray(image.Rect(0, 0, 9, 9))
	jpeg.Encode(&b, src, nil)
	f.Add(bytes.Clone(b.Bytes()))
	b.Reset()
	tiff.Encode(&b, src, nil)
	f.Add(bytes.Clone(b.Bytes()))
	b.Reset()
	bmp.Encode(&b, src)
	f.Add(bytes.Clone(b.Bytes()))
	b.Reset()
	png.Encode(&b, src)
	f.Add(bytes.Clone(b.Bytes()))
	f.Fuzz(func(t *testing.T, data []byte) {
		var im *raster.Image
		var in Info
		var err error
		if spent := metered(func() { im, in, err = Decode(data, Limits{Pixels: 1 << 20, Bytes: 1 << 20, Memory: 64 << 20}) }); spent > 256<<20 {
			t.Errorf("%d bytes took %d MB", len(data), spent>>20)
		}
		if err == nil && (im.W != in.W || im.H != in.H || im.Components() != in.Components) {
			t.Errorf("%+v disagrees with a picture of %d×%d×%d", in, im.W, im.H, im.Components())
		}
	})
}

func ExampleProbe() {
	var b bytes.Buffer
	EncodePNG(&b, raster.New(2048, 1024, 3, 16), PNGOptions{Density: [2]float64{1024, 1024}})
	in, _ := Probe(b.Bytes())
	fmt.Printf("%s %d×%d, %d bit, %.1f m wide\n", in.Format, in.W, in.H, in.Bits, float64(in.W)/in.Density[0])
	// Output: png 2048×1024, 16 bit, 2.0 m wide
}
