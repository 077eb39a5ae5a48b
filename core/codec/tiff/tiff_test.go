package tiff

import (
	"bytes"
	"encoding/binary"
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
		"cut":      {data[:len(data)/2], "ends too early"},
		"old JPEG": {patch(3, 6), "JPEG as of 1992"},
		"no JPEG":  {patch(3, 7), "JPEG"},
		"unknown":  {patch(3, 99), "compression 99"},
		"big":      {append([]byte("II\x2b\x00\x04\x00"), data[6:]...), "offsets of 8 bytes"},
		"YCbCr":    {patch(6, 6), "YCbCr"},
	} {
		if _, _, err := Decode(c.data); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want something of %q", name, err, c.says)
		}
	}
}

// asBig is a little-endian TIFF as BigTIFF: the file moved back by room, under a directory of 64 bits.
func asBig(t *testing.T, data []byte) []byte {
	t.Helper()
	const room = 4096
	le := binary.LittleEndian
	at := le.Uint32(data[4:])
	n := uint64(le.Uint16(data[at:]))
	out := append(le.AppendUint64([]byte("II\x2b\x00\x08\x00\x00\x00"), 16), le.AppendUint64(nil, n)...)
	var lists []byte // behind the moved file
	for i := range n {
		e := data[uint64(at)+2+12*i:][:12]
		tag, kind, count := le.Uint16(e), le.Uint16(e[2:]), uint64(le.Uint32(e[4:]))
		size := sizes[kind] * count
		value := make([]byte, 8)
		copy(value, e[8:12])
		where := uint64(le.Uint32(e[8:]))
		switch {
		case (tag == tagOffsets || tag == tagTileOffsets) && size <= 4:
			kind = 16
			le.PutUint64(value, where+room)
		case tag == tagOffsets || tag == tagTileOffsets:
			kind = 16
			le.PutUint64(value, uint64(room+len(data)+len(lists)))
			for k := range count {
				v := uint64(le.Uint32(data[where+4*k:]))
				lists = le.AppendUint64(lists, v+room)
			}
		case size > 8:
			le.PutUint64(value, where+room)
		case size > 4: // it fits into the entry now
			copy(value, data[where:where+size])
		}
		out = le.AppendUint16(le.AppendUint16(out, tag), kind)
		out = append(le.AppendUint64(out, count), value...)
	}
	out = le.AppendUint64(out, 0)
	if len(out) > room {
		t.Fatal("the directory is too long")
	}
	out = append(out, make([]byte, room-len(out))...)
	return append(append(out, data...), lists...)
}

func TestBigTIFF(t *testing.T) {
	all, _ := filepath.Glob("testdata/*.tif")
	read := 0
	for _, name := range all {
		data, err := os.ReadFile(name)
		if err != nil || string(data[:2]) != "II" {
			continue
		}
		want, wh, err := Decode(data)
		if err != nil {
			continue
		}
		got, h, err := Decode(asBig(t, data))
		if err != nil || h.W != wh.W || h.Density != wh.Density || got.Components() != want.Components() {
			t.Errorf("%s: %v", name, err)
			continue
		}
		read++
		for c := range want.Planes {
			for i := range want.W * want.H {
				if got.Planes[c].At(i) != want.Planes[c].At(i) {
					t.Fatalf("%s: sample %d of component %d differs", name, i, c)
				}
			}
		}
	}
	if read < 5 {
		t.Errorf("only %d files were read", read)
	}
}

// Signed samples keep their order: the least is 0, the middle a half.
func TestSignedSamples(t *testing.T) {
	le := binary.LittleEndian
	for bits, want := range map[int][3]uint16{8: {0, 0x8080, 0xffff}, 16: {0, 0x8000, 0xffff}, 32: {0, 0x8000, 0xffff}} {
		size := bits / 8
		out := append([]byte("II*\x00"), 8, 0, 0, 0)
		entries := [][3]uint32{{tagWidth, 3, 3}, {tagHeight, 3, 1}, {tagBits, 3, uint32(bits)}, {tagCompression, 3, 1}, {tagPhotometric, 3, 1}, {tagOffsets, 4, 0}, {tagSamples, 3, 1}, {tagRows, 3, 1}, {tagCounts, 4, uint32(3 * size)}, {tagFormat, 3, 2}}
		out = le.AppendUint16(out, uint16(len(entries)))
		for _, e := range entries {
			if e[0] == tagOffsets {
				e[2] = uint32(8 + 2 + 12*len(entries) + 4)
			}
			out = le.AppendUint32(le.AppendUint32(le.AppendUint16(le.AppendUint16(out, uint16(e[0])), uint16(e[1])), 1), e[2])
		}
		out = append(out, 0, 0, 0, 0)
		least := uint64(1) << (bits - 1)
		for _, v := range []uint64{least, 0, least - 1} {
			out = append(out, le.AppendUint64(nil, v)[:size]...)
		}
		im, _, err := Decode(out)
		if err != nil {
			t.Errorf("%d bits: %v", bits, err)
			continue
		}
		for i, w := range want {
			if got := im.Ints(0)[i]; got != w {
				t.Errorf("%d bits: sample %d is %#x, want %#x", bits, i, got, w)
			}
		}
	}
}

func FuzzDecode(f *testing.F) {
	all, _ := filepath.Glob("testdata/*.tif")
	for _, name := range all {
		data, _ := os.ReadFile(name)
		f.Add(data)
		if len(all) > 0 && name == all[0] && string(data[:2]) == "II" {
			f.Add(append([]byte("II\x2b\x00\x08\x00\x00\x00\x10\x00\x00\x00\x00\x00\x00\x00"), data...))
		}
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if h, err := ReadHeader(data); err != nil || h.W*h.H > 1<<20 || h.tileW*h.tileH > 1<<20 {
			return
		}
		Decode(data)
	})
}
