package codec

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"runtime"
	"strings"
	"testing"

	"aldermoor/core/codec/exr"
	"aldermoor/core/raster"
)

// metered is what f allocates in all.
func metered(f func()) int64 {
	var a, b runtime.MemStats
	runtime.ReadMemStats(&a)
	f()
	runtime.ReadMemStats(&b)
	return int64(b.TotalAlloc - a.TotalAlloc)
}

// chunkOf is a PNG chunk.
func chunkOf(kind string, body []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, uint32(len(body)))
	out = append(append(out, kind...), body...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[4:]))
}

// wideEXR is an OpenEXR file of one packed channel whose data window is that much larger than its display
// window, filled with what it is given.
func wideEXR(t *testing.T, packing exr.Compression, side int32, fill int) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := exr.Encode(&b, raster.NewFloat(16, 16, 1, 16), exr.Options{Type: exr.Half, Compression: exr.ZIP}); err != nil {
		t.Fatal(err)
	}
	data := b.Bytes()
	at := bytes.Index(data, []byte("dataWindow\x00box2i\x00"))
	if at < 0 {
		t.Fatal("no data window")
	}
	for k, v := range []int32{0, 0, side - 1, side - 1} {
		binary.LittleEndian.PutUint32(data[at+len("dataWindow\x00box2i\x00")+4+4*k:], uint32(v))
	}
	at = bytes.Index(data, []byte("compression\x00compression\x00"))
	data[at+len("compression\x00compression\x00")+4] = byte(packing)
	return append(data, make([]byte, fill)...)
}

// repeatedTIFF is a TIFF whose directory names one list over and over.
func repeatedTIFF(entries, values int) []byte {
	le := binary.LittleEndian
	out := append([]byte("II*\x00"), 8, 0, 0, 0)
	out = le.AppendUint16(out, uint16(entries))
	list := 8 + 2 + 12*entries + 4
	for range entries {
		out = le.AppendUint16(out, 273) // offsets of strips
		out = le.AppendUint16(out, 4)
		out = le.AppendUint32(out, uint32(values))
		out = le.AppendUint32(out, uint32(list))
	}
	return append(append(out, 0, 0, 0, 0), make([]byte, 4*values)...)
}

// Files that claim far more than they hold are refused by a sentence, and take no memory for the claim.
func TestLyingFilesAreRefused(t *testing.T) {
	// A header of 16384 × 16384, and nothing to fill it with.
	png := append([]byte("\x89PNG\r\n\x1a\n"), chunkOf("IHDR", []byte{0, 0, 64, 0, 0, 0, 64, 0, 8, 6, 0, 0, 0})...)
	png = append(append(png, chunkOf("IDAT", []byte{0x78, 0x9c, 3, 0, 0, 0, 0, 1})...), chunkOf("IEND", nil)...)
	for name, data := range map[string][]byte{
		"HDR of runs":                     []byte("#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 16384 +X 16384\n\x01\x02\x03\x04\x01\x01\x01\xff"),
		"HDR of flat rows":                []byte("#?RADIANCE\n\n-Y 250 +X 1000000\n" + strings.Repeat("\x01\x02\x03\x04\x01\x01\x01\xff\x01\x01\x01\xff\x01\x01\x01\x0f", 250)),
		"PNG":                             png,
		"OpenEXR, PIZ, wide data":         wideEXR(t, exr.PIZ, 1<<20, 700<<10),
		"OpenEXR, ZIP, wide data":         wideEXR(t, exr.ZIP, 60_000, 700<<10),
		"TIFF of one list many times":     repeatedTIFF(60_000, 200_000),
		"a second, empty list of opacity": append(append(append([]byte("\x89PNG\r\n\x1a\n"), chunkOf("IHDR", []byte{0, 0, 0, 1, 0, 0, 0, 1, 8, 0, 0, 0, 0})...), append(chunkOf("tRNS", []byte{0, 1}), chunkOf("tRNS", nil)...)...), chunkOf("IEND", nil)...),
		"DDS":                             append([]byte("DDS \x7c\x00\x00\x00\x00\x00\x00\x00\x00\x40\x00\x00\x00\x40\x00\x00"), make([]byte, 200)...),
		"TGA of 65535 × 4000, cut off":    append([]byte{0, 0, 10, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0xff, 0xff, 0xa0, 0x0f, 32, 8}, make([]byte, 100)...),
		"BMP of 30000 × 8000, cut off":    append([]byte("BM\x00\x00\x00\x00\x00\x00\x00\x00\x36\x00\x00\x00\x28\x00\x00\x00\x30\x75\x00\x00\x40\x1f\x00\x00\x01\x00\x18\x00"), make([]byte, 60)...),
		"WebP of 16383 × 16383, cut off":  []byte("RIFF\x20\x00\x00\x00WEBPVP8L\x14\x00\x00\x00\x2f\xfe\xff\xff\x0f\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00"),
	} {
		var err error
		got := metered(func() {
			f, e := Open(data, DefaultLimits)
			if err = e; e == nil {
				_, _, err = f.Decode("")
			}
		})
		var format FormatError
		var limit LimitError
		var unsupported UnsupportedError
		if !errors.As(err, &format) && !errors.As(err, &limit) && !errors.As(err, &unsupported) {
			t.Errorf("%s (%d bytes): %v", name, len(data), err)
		}
		if got > 300<<20 {
			t.Errorf("%s (%d bytes): %d MB were allocated", name, len(data), got>>20)
		}
	}
}

// A picture that is really flat is read, however well it packs.
func TestFlatPicturesAreRead(t *testing.T) {
	var b bytes.Buffer
	if err := EncodePNG(&b, raster.New(4096, 4096, 3, 8), PNGOptions{}); err != nil {
		t.Fatal(err)
	}
	if im, _, err := Decode(b.Bytes(), DefaultLimits); err != nil || im.W != 4096 {
		t.Error(fmt.Sprint(b.Len(), " bytes"), err)
	}
}

// Reading ends with the context, as an error of its own: nothing is wrong with the file.
func TestReadingIsCancelled(t *testing.T) {
	var files [][]byte
	var b bytes.Buffer
	if err := EncodePNG(&b, raster.New(512, 512, 3, 8), PNGOptions{}); err != nil {
		t.Fatal(err)
	}
	files = append(files, bytes.Clone(b.Bytes()))
	b.Reset()
	if err := EncodeJPEG(&b, raster.New(512, 512, 3, 8), 90); err != nil {
		t.Fatal(err)
	}
	files = append(files, bytes.Clone(b.Bytes()))
	b.Reset()
	if err := exr.Encode(&b, raster.NewFloat(512, 512, 3, 16), exr.Options{Type: exr.Half, Compression: exr.ZIP}); err != nil {
		t.Fatal(err)
	}
	files = append(files, bytes.Clone(b.Bytes()))
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	for _, data := range files {
		if _, in, err := Decode(data, DefaultLimits.Until(ctx)); !errors.Is(err, context.Canceled) {
			t.Errorf("%s: %v", in.Format, err)
		}
	}
}
