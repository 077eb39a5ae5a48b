package tiff

import (
	"bytes"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"aldermoor/core/raster"
)

func load(t testing.TB, name string) (*raster.Image, Header) {
	t.Helper()
	data, err := os.ReadFile(filepath.Join("testdata", name+".tif"))
	if err != nil {
		t.Fatal(err)
	}
	im, h, err := Decode(data)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return im, h
}

// The files hold one picture, written by other programs in every way that is read.
func TestEveryWayOfStoring(t *testing.T) {
	for _, kind := range []string{"uint8", "uint16", "float", "half"} {
		want, h := load(t, "plain-"+kind)
		if want.W != 37 || want.H != 29 || want.Components() != 3 || h.Float != (kind == "float" || kind == "half") {
			t.Fatalf("plain %s: %d × %d, %d components, float %v", kind, want.W, want.H, want.Components(), h.Float)
		}
		// The corners are known: the pattern is a bilinear fill.
		for _, k := range []struct {
			at, c int
			v     float64
		}{{0, 0, 0.02}, {0, 1, 0.3}, {36, 0, 0.9}, {37 * 28, 2, 0.05}, {37*29 - 1, 2, 0.8}} {
			p := want.Plane(k.c)
			if got := float64(p.Pix[k.at]); math.Abs(got-k.v) > 0.003 {
				t.Errorf("plain %s: component %d of sample %d is %v, want %v", kind, k.c, k.at, got, k.v)
			}
		}
		all, _ := filepath.Glob("testdata/*-" + kind + ".tif")
		if len(all) < 6 {
			t.Fatalf("%s: only %v", kind, all)
		}
		for _, file := range all {
			name := strings.TrimSuffix(filepath.Base(file), ".tif")
			if strings.HasPrefix(name, "alpha") || strings.HasPrefix(name, "grey") {
				continue
			}
			got, _ := load(t, name)
			for c := range 3 {
				a, b := got.Plane(c), want.Plane(c)
				for i := range b.Pix {
					if a.Pix[i] != b.Pix[i] {
						t.Fatalf("%s: component %d, sample %d is %v, want %v", name, c, i, a.Pix[i], b.Pix[i])
					}
				}
			}
		}
	}
}

func TestGreyAlphaAndDensity(t *testing.T) {
	want, _ := load(t, "plain-uint16")
	grey, h := load(t, "grey-uint16")
	if grey.Components() != 1 || h.Bits != 16 || grey.Ints(0)[100] != want.Ints(0)[100] {
		t.Errorf("grey: %d components of %d bits", grey.Components(), h.Bits)
	}
	a, _ := load(t, "alpha-uint8")
	if a.Components() != 4 || a.Ints(3)[0] != 65535 || a.Ints(3)[len(a.Ints(3))-1] != 51*257 {
		t.Errorf("alpha: %d components, %v", a.Components(), a.Ints(3)[:1])
	}
	if _, h = load(t, "density"); math.Abs(h.Density[0]-300/0.0254) > 1 || math.Abs(h.Density[1]-300/0.0254) > 1 {
		t.Errorf("density %v", h.Density)
	}
}

func TestRefusals(t *testing.T) {
	data, _ := os.ReadFile("testdata/lzw-uint8.tif")
	patch := func(tag byte, v byte) []byte { // sets the value of a one-value SHORT tag of the 25x group
		d := bytes.Clone(data)
		if i := bytes.Index(d, []byte{tag, 1, 3, 0, 1, 0, 0, 0}); i > 0 {
			d[i+8] = v
		}
		return d
	}
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"cut":         {data[:len(data)/2], "ends too early"},
		"jpeg inside": {patch(3, 7), "JPEG inside"},
		"unknown":     {patch(3, 99), "compression 99"},
		"big":         {append([]byte("II\x2b\x00"), data[4:]...), "BigTIFF"},
		"YCbCr":       {patch(6, 6), "YCbCr"},
	} {
		if _, _, err := Decode(c.data); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want something of %q", name, err, c.says)
		}
	}
}

func FuzzDecode(f *testing.F) {
	all, _ := filepath.Glob("testdata/*.tif")
	for _, name := range all {
		data, _ := os.ReadFile(name)
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if h, err := ReadHeader(data); err != nil || h.W*h.H > 1<<20 || h.tileW*h.tileH > 1<<20 {
			return
		}
		Decode(data)
	})
}
