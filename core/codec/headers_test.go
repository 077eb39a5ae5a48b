package codec

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"runtime"
	"testing"

	"aldermoor/core/codec/exr"
	"aldermoor/core/raster"
)

// tiffOf makes a little-endian TIFF of the given tags (short or long values).
func tiffOf(tags [][2]uint32, tail int) []byte {
	var b bytes.Buffer
	b.WriteString("II*\x00\x08\x00\x00\x00")
	binary.Write(&b, binary.LittleEndian, uint16(len(tags)))
	for _, t := range tags {
		binary.Write(&b, binary.LittleEndian, uint16(t[0]))
		binary.Write(&b, binary.LittleEndian, uint16(4))
		binary.Write(&b, binary.LittleEndian, uint32(1))
		binary.Write(&b, binary.LittleEndian, t[1])
	}
	b.Write(make([]byte, 4+tail))
	return b.Bytes()
}

// exrOf makes a small sound EXR and then enlarges one of its windows.
func exrOf(t *testing.T, window string, side int32) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := exr.Encode(&b, raster.FromPlanes(raster.NewPlane(4, 4)), exr.Options{Type: exr.Half, Compression: exr.ZIP}); err != nil {
		t.Fatal(err)
	}
	data := b.Bytes()
	at := bytes.Index(data, []byte(window+"\x00box2i\x00"))
	if at < 0 {
		t.Fatal("there is no " + window)
	}
	at += len(window) + 1 + 6 + 4
	binary.LittleEndian.PutUint32(data[at+8:], uint32(side-1))
	binary.LittleEndian.PutUint32(data[at+12:], uint32(side-1))
	return data
}

// What a header claims must not decide what memory is taken.
func TestHeadersAllocateNothing(t *testing.T) {
	png := []byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x40\x00\x00\x00\x40\x00\x08\x02\x00\x00\x00")
	webp := append([]byte("RIFF\x40\x00\x00\x00WEBPVP8L\x30\x00\x00\x00\x2f\xff\xff\xff\x0f"), make([]byte, 60)...)
	for name, data := range map[string][]byte{
		"tiff, tiles of 16384":     tiffOf([][2]uint32{{256, 16}, {257, 16}, {258, 8}, {259, 8}, {262, 1}, {277, 1}, {322, 16384}, {323, 16384}, {324, 8}, {325, 100}}, 200),
		"tiff, tiles of a million": tiffOf([][2]uint32{{256, 16}, {257, 16}, {258, 8}, {259, 8}, {262, 1}, {277, 1}, {322, 1 << 20}, {323, 1 << 20}, {324, 8}, {325, 100}}, 200),
		"tiff, plain tiles":        tiffOf([][2]uint32{{256, 16}, {257, 16}, {258, 8}, {259, 1}, {262, 1}, {277, 1}, {322, 16384}, {323, 16384}, {324, 8}, {325, 100}}, 200),
		"tiff without counts":      tiffOf([][2]uint32{{256, 16384}, {257, 16384}, {258, 8}, {259, 1}, {262, 1}, {277, 1}, {273, 8}}, 200),
		"exr, display window":      exrOf(t, "displayWindow", 5900),
		"exr, data window":         exrOf(t, "dataWindow", 5900),
		"png":                      append(png, make([]byte, 40)...),
		"webp, lossless":           webp,
		"tga":                      append([]byte{0, 0, 10, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0x00, 0x40, 0x00, 0x40, 24, 0}, make([]byte, 100)...),
		"hdr":                      []byte("#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 16384 +X 16384\n\x02\x02\x40\x00"),
		"bmp":                      append([]byte("BM\x80\x00\x00\x00\x00\x00\x00\x00\x36\x00\x00\x00\x28\x00\x00\x00\x00\x40\x00\x00\x00\x40\x00\x00\x01\x00\x18\x00\x00\x00\x00\x00"), make([]byte, 80)...),
		"jpeg":                     []byte("\xff\xd8\xff\xc0\x00\x11\x08\x40\x00\x40\x00\x03\x01\x11\x00\x02\x11\x00\x03\x11\x00\xff\xda\x00\x0c\x03\x01\x00\x02\x00\x03\x00\x00\x3f\x00\x00"),
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, _, err := Decode(data, DefaultLimits)
		runtime.ReadMemStats(&after)
		if got := after.TotalAlloc - before.TotalAlloc; got > 24<<20 {
			t.Errorf("%s: %d bytes made %d MB be taken (%v)", name, len(data), got>>20, err)
		}
		if err == nil {
			t.Errorf("%s: it was read", name)
		}
	}
}

func TestSamplesAreFinite(t *testing.T) {
	p := raster.NewPlane(8, 8)
	for i := range p.Pix {
		p.Pix[i] = 0.5
	}
	p.Pix[20], p.Pix[40] = float32(math.NaN()), float32(math.Inf(-1))
	var b bytes.Buffer
	if err := exr.Encode(&b, raster.FromPlanes(p), exr.Options{Type: exr.Float, Compression: exr.ZIP}); err != nil {
		t.Fatal(err)
	}
	im, in, err := Decode(b.Bytes(), DefaultLimits)
	if err != nil || in.NotFinite != 2 {
		t.Fatal(in.NotFinite, err)
	}
	for i, v := range im.Floats(0) {
		if v != 0.5 {
			t.Errorf("sample %d is %v", i, v)
		}
	}
	// A resolution that is no figure is none.
	data := bytes.Replace(b.Bytes(), []byte("pixelAspectRatio\x00float\x00\x04\x00\x00\x00"), []byte("xDensity\x00float\x00\x04\x00\x00\x00"), 1)
	if len(data) == b.Len() {
		t.Fatal("the header was not changed")
	}
	at := bytes.Index(data, []byte("xDensity\x00float\x00")) + 9 + 6 + 4
	binary.LittleEndian.PutUint32(data[at:], math.Float32bits(float32(math.NaN())))
	if in, err := Probe(data); err != nil || in.Density[0] != 0 {
		t.Error(fmt.Sprint(in.Density))
	}
}
