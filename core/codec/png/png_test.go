package png

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	stdpng "image/png"
	"math/rand/v2"
	"strings"
	"testing"

	"aldermoor/core/raster"
)

// texture is a smooth picture with some noise, so that every filter gets chosen.
func texture(w, h, n, bits int) *raster.Image {
	rng := rand.New(rand.NewPCG(uint64(w), uint64(n)))
	im := raster.New(w, h, n, bits)
	for c := range n {
		for i := range im.Ints(c) {
			x, y := i%w, i/w
			v := uint16(x*900+y*700*(c+1)) + uint16(rng.IntN(40))
			if y > h/2 {
				v = uint16(rng.IntN(65536))
			}
			if bits == 8 {
				v = v >> 8 * 257
			}
			im.Ints(c)[i] = v
		}
	}
	return im
}

// What is written here must be read by the standard library, and the other way round.
func TestAgreesWithTheStandardLibrary(t *testing.T) {
	for _, bits := range []int{8, 16} {
		for n := 1; n <= 4; n++ {
			name := fmt.Sprintf("%d components of %d bits", n, bits)
			want := texture(61, 47, n, bits)
			var b bytes.Buffer
			if err := Encode(&b, want, Options{Density: [2]float64{1000, 1000}, SRGB: n >= 3}); err != nil {
				t.Fatal(err)
			}
			std, err := stdpng.Decode(bytes.NewReader(b.Bytes()))
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			got, _, err := Decode(b.Bytes())
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			for i := range want.Ints(0) {
				px := color.NRGBA64Model.Convert(std.At(i%61, i/61)).(color.NRGBA64)
				all := []uint16{px.R, px.G, px.B, px.A}
				if n == 2 {
					all[1] = px.A
				}
				for c := range n {
					if v := want.Ints(c)[i]; got.Ints(c)[i] != v || n%2 == 1 && all[c] != v {
						t.Fatalf("%s: component %d, sample %d: %d here, %d by the standard library, want %d", name, c, i, got.Ints(c)[i], all[c], v)
					}
				}
			}
			b.Reset()
			if err := stdpng.Encode(&b, std); err != nil {
				t.Fatal(err)
			}
			if got, _, err = Decode(b.Bytes()); err != nil || got.Ints(0)[700] != want.Ints(0)[700] {
				t.Errorf("%s, written by the standard library: %v", name, err)
			}
		}
	}
}

func TestPalettesAndTransparency(t *testing.T) {
	p := image.NewPaletted(image.Rect(0, 0, 5, 3), color.Palette{color.NRGBA{10, 20, 30, 255}, color.NRGBA{200, 100, 50, 128}, color.NRGBA{0, 0, 0, 255}})
	p.Pix[7] = 1
	var b bytes.Buffer
	stdpng.Encode(&b, p)
	im, h, err := Decode(b.Bytes())
	if err != nil || im.Components() != 4 || im.Ints(0)[7] != 200*257 || im.Ints(3)[7] != 128*257 || im.Ints(2)[0] != 30*257 || h.Bits != 8 {
		t.Errorf("%v %+v", err, im)
	}
}

func TestDamage(t *testing.T) {
	var b bytes.Buffer
	if err := Encode(&b, texture(80, 80, 3, 8), Options{}); err != nil {
		t.Fatal(err)
	}
	good := b.Bytes()
	change := func(at int, v byte) []byte { d := bytes.Clone(good); d[at] ^= v; return d }
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"cut in the pixels":   {good[:len(good)/2], "ends too early"},
		"cut before them":     {good[:40], "ends too early"},
		"a flipped bit":       {change(len(good)/2, 4), "checksum"},
		"a flipped dimension": {change(17, 4), "checksum"},
		"no header":           {append(bytes.Clone(good[:8]), good[33:]...), "does not begin with its header"},
	} {
		if _, _, err := Decode(c.data); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func FuzzDecode(f *testing.F) {
	for n := 1; n <= 4; n++ {
		var b bytes.Buffer
		Encode(&b, texture(9, 7, n, 8*(1+n%2)), Options{})
		f.Add(b.Bytes())
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		h, err := ReadHeader(data)
		if err != nil || h.W > 1<<12 || h.H > 1<<12 {
			return
		}
		if im, _, err := Decode(data); err == nil && (im.W != h.W || im.H != h.H) {
			t.Errorf("%d × %d, want %d × %d", im.W, im.H, h.W, h.H)
		}
	})
}

func BenchmarkDecode(b *testing.B) {
	im := texture(2048, 2048, 3, 8)
	for i := range im.Ints(0) { // smooth throughout, as maps are
		im.Ints(0)[i], im.Ints(1)[i] = uint16(i%2048*16)>>8*257, uint16(i/2048*16)>>8*257
	}
	var buf bytes.Buffer
	if err := Encode(&buf, im, Options{}); err != nil {
		b.Fatal(err)
	}
	b.Run("here", func(b *testing.B) {
		b.SetBytes(3 * 2048 * 2048)
		for b.Loop() {
			Decode(buf.Bytes())
		}
	})
	b.Run("standard library", func(b *testing.B) {
		b.SetBytes(3 * 2048 * 2048)
		for b.Loop() {
			stdpng.Decode(bytes.NewReader(buf.Bytes()))
		}
	})
}
