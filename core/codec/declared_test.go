package codec

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/jpeg"
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/codec/tiff"
	"aldermoor/core/raster"
)

// webP is a lossless picture in the extended form with one more chunk.
func webP(t *testing.T, kind string, body []byte) []byte {
	t.Helper()
	plain, err := os.ReadFile("testdata/lossless.webp")
	if err != nil {
		t.Fatal(err)
	}
	in, err := Probe(plain)
	if err != nil {
		t.Fatal(err)
	}
	u32 := binary.LittleEndian.AppendUint32
	flags := map[string]byte{"ICCP": 0x20, "EXIF": 0x08}[kind]
	extended := append(u32([]byte("VP8X"), 10), flags, 0, 0, 0)
	for _, side := range []int{in.W - 1, in.H - 1} {
		extended = append(extended, byte(side), byte(side>>8), byte(side>>16))
	}
	chunk := append(u32([]byte(kind), uint32(len(body))), body...)
	if len(body)%2 == 1 {
		chunk = append(chunk, 0)
	}
	all := slices.Concat([]byte("WEBP"), extended, chunk, plain[12:])
	return append(u32([]byte("RIFF"), uint32(len(all))), all...)
}

// number is a PNG's figure in hundred-thousandths.
func number(v ...float64) string {
	var b []byte
	for _, x := range v {
		b = binary.BigEndian.AppendUint32(b, uint32(math.Round(x*100000)))
	}
	return string(b)
}

// What a PNG declares of its colours: by number before all, else by a profile, else as sRGB, else by gamma and primaries.
func TestDeclaredColour(t *testing.T) {
	var p bytes.Buffer
	im := raster.New(2, 1, 3, 8)
	for c := range 3 {
		im.Ints(c)[0] = 128 * 257
	}
	im.Ints(0)[1] = 65535
	if err := EncodePNG(&p, im, PNGOptions{}); err != nil {
		t.Fatal(err)
	}
	linear, srgb := [2]string{"gAMA", number(1)}, [2]string{"sRGB", "\x00"}
	p3 := [2]string{"cHRM", number(0.3127, 0.329, 0.68, 0.32, 0.265, 0.69, 0.15, 0.06)}
	code := func(b string) [2]string { return [2]string{"cICP", b} }
	const plain = 128
	for _, c := range []struct {
		what    string
		chunks  [][2]string
		grey    float64 // what the first pixel is in sRGB, of 255
		red     float64 // red of the second
		unread  bool
		profile string
	}{
		{"nothing", nil, plain, 255, false, ""},
		{"sRGB, and its gamma", [][2]string{srgb, {"gAMA", number(0.45455)}}, plain, 255, false, "sRGB"},
		{"the gamma of sRGB alone", [][2]string{{"gAMA", number(0.45455)}}, plain, 255, false, ""},
		{"light", [][2]string{linear}, 188, 255, false, ""},                          // 0.502 encoded: 1.055·0.502^(1/2.4) − 0.055 = 0.737
		{"gamma 1.8", [][2]string{{"gAMA", number(1 / 1.8)}}, 146.4, 255, false, ""}, // 0.502^1.8 = 0.2892, encoded 0.574
		{"sRGB beats a gamma", [][2]string{srgb, linear}, plain, 255, false, "sRGB"}, //
		{"wide primaries", [][2]string{p3}, plain, 255, false, ""},                   // grey stays; red is out of the gamut
		{"by number: sRGB", [][2]string{linear, code("\x01\x0d\x00\x01")}, plain, 255, false, "BT.709, sRGB"},
		{"by number: light", [][2]string{srgb, code("\x01\x08\x00\x01")}, 188, 255, false, "BT.709, linear"},
		{"by number: wide", [][2]string{code("\x0c\x0d\x00\x01")}, plain, 255, false, "Display P3, sRGB"},
		{"by number: for screens", [][2]string{code("\x09\x10\x00\x01")}, plain, 255, true, "BT.2020, PQ"},
	} {
		got, in, err := Decode(chunked(p.Bytes(), c.chunks...), DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", c.what, err)
			continue
		}
		if in.Gamut != nil {
			got = in.Gamut.Convert(got, in.Float)
		}
		g, r := float64(got.Ints(0)[0])/257, float64(got.Ints(0)[1])/257
		if math.Abs(g-c.grey) > 0.6 || math.Abs(r-c.red) > 0.6 || in.Unread != c.unread || in.Profile != c.profile {
			t.Errorf("%s: grey %.1f, red %.1f, unread %v, profile %q; want %v", c.what, g, r, in.Unread, in.Profile, c)
		}
	}
	// A wide red has more red than sRGB can show: what is a half of it is more than a half.
	half := raster.New(1, 1, 3, 8)
	half.Ints(0)[0] = 128 * 257
	p.Reset()
	if err := EncodePNG(&p, half, PNGOptions{}); err != nil {
		t.Fatal(err)
	}
	got, in, err := Decode(chunked(p.Bytes(), p3), DefaultLimits)
	if err != nil || in.Gamut == nil {
		t.Fatalf("no gamut: %v", err)
	}
	// 1.2249 times the light of 128: 0.2159·1.2249 = 0.2644, encoded 0.5512.
	if v := float64(in.Gamut.Convert(got, false).Ints(0)[0]) / 257; math.Abs(v-140.6) > 0.6 {
		t.Errorf("a half of the wide red is %.1f, want 140.6", v)
	}
}

// Pictures come as their orientation says, whichever format it stands in, and their sizes and resolutions with them.
func TestOrientation(t *testing.T) {
	tags := func(turn uint32) []byte { return tiffOf([][2]uint32{{274, turn}}, 0) }
	bright := image.NewGray(image.Rect(0, 0, 24, 16)) // its first eight rows and columns are white
	for y := range 8 {
		for x := range 8 {
			bright.Pix[y*bright.Stride+x] = 255
		}
	}
	var j, p, f bytes.Buffer
	if err := jpeg.Encode(&j, bright, &jpeg.Options{Quality: 100}); err != nil {
		t.Fatal(err)
	}
	im := raster.New(24, 16, 1, 8)
	for i, v := range bright.Pix {
		im.Ints(0)[i] = uint16(v) * 257
	}
	if err := EncodePNG(&p, im, PNGOptions{Density: [2]float64{1000, 2000}}); err != nil {
		t.Fatal(err)
	}
	if err := tiff.Encode(&f, im, tiff.Options{Density: [2]float64{1000, 2000}}); err != nil {
		t.Fatal(err)
	}
	corner := map[int][2]int{1: {0, 0}, 2: {1, 0}, 3: {1, 1}, 4: {0, 1}, 5: {0, 0}, 6: {1, 0}, 7: {1, 1}, 8: {0, 1}} // where the white lies
	for turn := 1; turn <= 8; turn++ {
		exif := tags(uint32(turn))
		for name, data := range map[string][]byte{
			"JPEG": segmented(j.Bytes(), append([]byte("\xe1Exif\x00\x00"), exif...)),
			"PNG":  chunked(p.Bytes(), [2]string{"eXIf", string(exif)}),
			"TIFF": turnedTIFF(t, f.Bytes(), turn),
		} {
			got, in, err := Decode(data, DefaultLimits)
			if err != nil {
				t.Errorf("%s, %d: %v", name, turn, err)
				continue
			}
			probed, err := Probe(data)
			w, h := 24, 16
			if turn >= 5 {
				w, h = h, w
			}
			if got.W != w || got.H != h || in.W != w || probed.W != w || probed.H != h || err != nil {
				t.Errorf("%s, %d: %d × %d, said %d × %d, probed %d × %d", name, turn, got.W, got.H, in.W, in.H, probed.W, probed.H)
				continue
			}
			x, y := 4+corner[turn][0]*(w-8), 4+corner[turn][1]*(h-8)
			if at := got.Ints(0)[y*w+x]; at < 60000 {
				t.Errorf("%s, %d: %d at %d, %d, where the white should be", name, turn, at, x, y)
			}
			if d := probed.Density; name != "JPEG" && (math.Abs(d[0]-map[bool]float64{false: 1000, true: 2000}[turn >= 5]) > 1) {
				t.Errorf("%s, %d: resolution %v", name, turn, d)
			}
		}
	}
	if in, err := Probe(webP(t, "EXIF", append([]byte("Exif\x00\x00"), tags(6)...))); err != nil || in.Turn != 6 {
		t.Errorf("WebP: turn %d: %v", in.Turn, err)
	}
}

// turnedTIFF puts an orientation into a TIFF in place of a tag that it can do without.
func turnedTIFF(t *testing.T, data []byte, turn int) []byte {
	t.Helper()
	out := slices.Clone(data)
	h, err := tiff.ReadHeader(out)
	if err != nil || h.Turn != 0 {
		t.Fatalf("turn %d: %v", h.Turn, err)
	}
	order := binary.ByteOrder(binary.LittleEndian)
	if out[0] == 'M' {
		order = binary.BigEndian
	}
	at := order.Uint32(out[4:])
	for i := range uint32(order.Uint16(out[at:])) {
		if e := out[at+2+12*i:]; order.Uint16(e) == 284 { // how planes lie: pixel by pixel is the default
			order.PutUint16(e, 274)
			order.PutUint16(e[2:], 3)
			order.PutUint32(e[4:], 1)
			order.PutUint16(e[8:], uint16(turn))
			return out
		}
	}
	t.Fatal("there is no such tag")
	return nil
}

// JPEG of 12 bits gets a sentence that says what to do.
func TestDeepJPEGIsNamed(t *testing.T) {
	var j bytes.Buffer
	if err := jpeg.Encode(&j, image.NewGray(image.Rect(0, 0, 16, 16)), nil); err != nil {
		t.Fatal(err)
	}
	data := j.Bytes()
	at := bytes.Index(data, []byte{0xff, 0xc0})
	data[at+4] = 12
	if _, err := Probe(data); err == nil || !strings.Contains(err.Error(), "more than 8 bits") {
		t.Errorf("JPEG of 12 bits: %v", err)
	}
}
