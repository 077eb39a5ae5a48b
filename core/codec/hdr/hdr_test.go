package hdr

import (
	"math"
	"os"
	"strings"
	"testing"

	"aldermoor/core/codec/exr"
)

func TestWrittenByAnother(t *testing.T) {
	truth, err := os.ReadFile("testdata/truth.exr")
	if err != nil {
		t.Fatal(err)
	}
	want, _, err := exr.Decode(truth)
	if err != nil {
		t.Fatal(err)
	}
	data, _ := os.ReadFile("testdata/plain.hdr")
	im, h, err := Decode(data, nil)
	if err != nil || h.W != 37 || h.H != 29 {
		t.Fatalf("%v, %d × %d", err, h.W, h.H)
	}
	for i := range im.Floats(0) {
		most := max(want.Floats(0)[i], want.Floats(1)[i], want.Floats(2)[i])
		for c := range 3 { // a common exponent with 8 bits: one part in 128 of the brightest
			if d := math.Abs(float64(im.Floats(c)[i] - want.Floats(c)[i])); d > float64(most)/127 {
				t.Fatalf("component %d, sample %d is %v, want %v", c, i, im.Floats(c)[i], want.Floats(c)[i])
			}
		}
	}
	// Too narrow for run-length coding: written flat.
	narrow, _ := os.ReadFile("testdata/narrow.hdr")
	if im, _, err = Decode(narrow, nil); err != nil || im.W != 6 || !(im.Floats(0)[0] > 0) {
		t.Errorf("%v", err)
	}
}

func TestOldRunsExposureAndCorners(t *testing.T) {
	body := "\x80\x40\x20\x81" + "\x01\x01\x01\x03" + "\x10\x20\x30\x80" // a pixel, three more of it, another
	im, _, err := Decode([]byte("#?RADIANCE\nEXPOSURE=2\nFORMAT=32-bit_rle_rgbe\n\n-Y 1 +X 5\n"+body), nil)
	if err != nil {
		t.Fatal(err)
	}
	if im.Floats(0)[3] != 0.5 || im.Floats(1)[0] != 0.25 || im.Floats(2)[4] != 0.09375 {
		t.Errorf("%v", im.Planes)
	}
	im, _, err = Decode([]byte("#?RGBE\n\n+Y 2 -X 1\n"+"\x80\x40\x20\x81"+"\x10\x20\x30\x80"), nil)
	if err != nil || im.Floats(0)[1] != 1 {
		t.Errorf("from the bottom: %v %v", im, err)
	}
}

func TestRefusals(t *testing.T) {
	for text, says := range map[string]string{
		"#?RADIANCE\nFORMAT=32-bit_rle_xyze\n\n-Y 1 +X 1\nabcd": "xyze",
		"#?RADIANCE\n\n+X 5 -Y 5\n":                             "columns",
		"#?RADIANCE\n\n-Y 9 +X 9\nabcd":                         "far too short",
		"#?RADIANCE\n\n-Y 1 +X 9\nabcdefgh":                     "ends too early",
		"#?RADIANCE\n\n-Y 90000 +X 90000\nabcd":                 "far too short",
		"#?RADIANCE\n":                                          "never ends",
		"#?RADIANCE\n\nlarge\n":                                 "how large",
	} {
		if _, _, err := Decode([]byte(text), nil); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	for _, name := range []string{"plain", "narrow"} {
		data, _ := os.ReadFile("testdata/" + name + ".hdr")
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if h, err := ReadHeader(data); err == nil && h.W*h.H < 1<<20 {
			Decode(data, nil)
		}
	})
}
