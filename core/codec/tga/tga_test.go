package tga

import (
	"bytes"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"aldermoor/core/raster"
)

func load(t testing.TB, name string) *raster.Image {
	t.Helper()
	data, err := os.ReadFile(filepath.Join("testdata", name+".tga"))
	if err != nil {
		t.Fatal(err)
	}
	if !Looks(data[:18]) {
		t.Errorf("%s is not recognised", name)
	}
	im, _, err := Decode(data, nil)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return im
}

func TestWrittenByAnother(t *testing.T) {
	want := load(t, "plain")
	for _, k := range []struct {
		at, c int
		v     float64
	}{{0, 0, 0.02}, {0, 2, 1}, {36, 0, 0.9}, {37 * 28, 1, 1}, {37*29 - 1, 2, 0.8}} {
		if got := float64(want.Ints(k.c)[k.at]) / 65535; math.Abs(got-k.v) > 0.003 {
			t.Errorf("component %d of sample %d is %v, want %v", k.c, k.at, got, k.v)
		}
	}
	for name, n := range map[string]int{"runs": 3, "top": 3, "alpha": 4, "grey": 1} {
		got := load(t, name)
		if got.Components() != n {
			t.Errorf("%s has %d components", name, got.Components())
			continue
		}
		for c := range min(n, 3) {
			for i, v := range want.Ints(c) {
				if d := int(got.Ints(c)[i]) - int(v); d > 257 || d < -257 || n < 4 && d != 0 { // straight alpha may have been rounded
					t.Fatalf("%s: component %d, sample %d is %d, want %d", name, c, i, got.Ints(c)[i], v)
				}
			}
		}
	}
}

func header(kind, bits byte, w, h int, rest ...byte) []byte {
	return append([]byte{0, 0, kind, 0, 0, 0, 0, 0, 0, 0, 0, 0, byte(w), byte(w >> 8), byte(h), byte(h >> 8), bits, 0}, rest...)
}

func TestCornersAndDamage(t *testing.T) {
	// Without a flag rows come from the bottom; with one, pixels from the right.
	up := header(3, 8, 2, 2, 1, 2, 3, 4)
	im, _, err := Decode(up, nil)
	if err != nil || im.Ints(0)[0] != 3*257 || im.Ints(0)[3] != 2*257 {
		t.Errorf("from the bottom: %v %v", im, err)
	}
	up[17] = 0x30
	if im, _, _ = Decode(up, nil); im.Ints(0)[0] != 2*257 || im.Ints(0)[2] != 4*257 {
		t.Errorf("from the top right: %v", im.Planes)
	}
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"cut":         {header(2, 24, 100, 100, 1, 2, 3), "ends before"},
		"cut run":     {header(10, 24, 10, 1, 0x89, 1, 2), "ends"},
		"empty":       {header(2, 24, 0, 5), "empty"},
		"palette cut": {append([]byte{0, 1, 1, 0, 0, 0, 1, 24, 0, 0, 0, 0, 1, 0, 1, 0, 8, 0}, 5), "ends"},
	} {
		if _, _, err := Decode(c.data, nil); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if Looks([]byte("this is a text, not a picture")) {
		t.Error("text looks like a picture")
	}
}

func FuzzDecode(f *testing.F) {
	all, _ := filepath.Glob("testdata/*.tga")
	for _, name := range all {
		data, _ := os.ReadFile(name)
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if h, err := ReadHeader(data); err == nil && h.W*h.H < 1<<20 {
			Decode(data, nil)
		}
	})
}

func TestWhatIsWrittenIsRead(t *testing.T) {
	for _, n := range []int{1, 3, 4} {
		im := raster.New(31, 17, n, 8)
		for c := range n {
			for i := range im.Ints(c) {
				im.Ints(c)[i] = uint16((i*5+c*77)%256) * 257
			}
		}
		var b bytes.Buffer
		if err := Encode(&b, im); err != nil {
			t.Fatal(err)
		}
		got, h, err := Decode(b.Bytes(), nil)
		if err != nil || got.W != 31 || got.H != 17 || h.Components != n {
			t.Fatalf("%d components: %v, %+v", n, err, h)
		}
		for c := range n {
			for i, v := range im.Ints(c) {
				if got.Ints(c)[i] != v {
					t.Fatalf("%d components: component %d, sample %d is %d, want %d", n, c, i, got.Ints(c)[i], v)
				}
			}
		}
	}
	if err := Encode(new(bytes.Buffer), raster.New(2, 2, 2, 8)); err == nil {
		t.Error("two components were written")
	}
}
