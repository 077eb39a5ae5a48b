package dds

import (
	"encoding/binary"
	"hash/crc32"
	"math"
	"testing"

	"aldermoor/core/raster"
)

// file is a DDS file of w × h pixels with a four-character code, or with a number of the newer header.
func file(w, h int, code string, number uint32, body []byte) []byte {
	out := make([]byte, headerSize)
	copy(out, Magic)
	put := func(at int, v uint32) { binary.LittleEndian.PutUint32(out[at:], v) }
	put(4, 124)
	put(12, uint32(h))
	put(16, uint32(w))
	put(76, 32)
	put(80, 4)
	copy(out[84:], code)
	if code == "DX10" {
		more := make([]byte, dx10Size)
		binary.LittleEndian.PutUint32(more, number)
		out = append(out, more...)
	}
	return append(out, body...)
}

// noise is n bytes of a linear congruential generator.
func noise(n int) []byte {
	out, v := make([]byte, n), uint32(7)
	for i := range out {
		v = v*1664525 + 1013904223
		out[i] = byte(v >> 24)
	}
	return out
}

func sum(im *raster.Image) uint32 {
	c := crc32.NewIEEE()
	for i := range im.W * im.H {
		for k := range im.Components() {
			c.Write([]byte{byte(im.Ints(k)[i] >> 8)})
		}
	}
	return c.Sum32()
}

// Blocks of noise, with the checksums of what another decoder makes of the same bytes.
func TestBlocks(t *testing.T) {
	seven := noise(64 * 16)
	for i := range 64 { // each mode in turn
		m := i % 8
		seven[16*i] = seven[16*i]&^(1<<(m+1)-1) | 1<<m
	}
	for _, c := range []struct {
		code   string
		number uint32
		body   []byte
		comps  int
		want   uint32
	}{
		{"DXT1", 0, noise(64 * 8), 4, wantBC1}, {"DXT3", 0, noise(64 * 16), 4, wantBC2}, {"DXT5", 0, noise(64 * 16), 4, wantBC3},
		{"ATI1", 0, noise(64 * 8), 1, wantBC4}, {"ATI2", 0, noise(64 * 16), 3, wantBC5}, {"DX10", 98, seven, 4, wantBC7},
	} {
		im, h, err := Decode(file(32, 32, c.code, c.number, c.body), nil)
		if err != nil || h.Components != c.comps || sum(im) != c.want {
			t.Errorf("%s %d: %d components, %#x, want %#x, %v", c.code, c.number, h.Components, sum(im), c.want, err)
		}
	}
}

// Blocks of noise of each mode of BC6H, with the checksums of what another decoder makes of the same bytes.
func TestFloatBlocks(t *testing.T) {
	modes := []int{0, 1, 2, 6, 10, 14, 18, 22, 26, 30, 3, 7, 11, 15}
	body := noise(1024 * 16)
	for i := range 1024 {
		b := &body[16*i]
		if n := modes[i%len(modes)]; n < 2 {
			*b = *b&^3 | byte(n)
		} else {
			*b = *b&^31 | byte(n)
		}
	}
	for number, want := range map[uint32]uint32{95: wantUnsigned6, 96: wantSigned6} {
		im, h, err := Decode(file(128, 128, "DX10", number, body), nil)
		if err != nil || h.Components != 3 || !h.Float || h.Bits != 16 {
			t.Fatal(h, err)
		}
		crc := crc32.NewIEEE()
		for i := range 128 * 128 {
			for c := range 3 {
				crc.Write(binary.LittleEndian.AppendUint32(nil, math.Float32bits(im.Floats(c)[i])))
			}
		}
		if crc.Sum32() != want {
			t.Errorf("%d: %#x, want %#x", number, crc.Sum32(), want)
		}
	}
	for number, m := range floatModes {
		var seen [4][3]int
		n := 0
		for _, f := range m.fields {
			seen[f.e][f.c] |= (1<<f.n - 1) << f.low
			n += f.n
		}
		want := 60 // of 65 before the indices, without the mode's five
		switch {
		case number < 2:
			want = 75 // of 82, without two of the mode and five of the partition
		case number&3 != 3:
			want = 72
		}
		if seen[0][0] != 1<<m.base-1 || n != want {
			t.Errorf("mode %d: %d bits of endpoints, %b", number, n, seen)
		}
	}
}

// The pixel with the shorter index lies in the subset that it is the first of.
func TestAnchorsLieInTheirSubsets(t *testing.T) {
	for p := range 64 {
		if subset(2, p, 0) != 0 || subset(2, p, int(anchorTwo[p])) != 1 || subset(3, p, 0) != 0 || subset(3, p, int(anchorThree[0][p])) != 1 || subset(3, p, int(anchorThree[1][p])) != 2 {
			t.Errorf("partition %d", p)
		}
	}
}

// Pixels by masks, and signed components.
func TestPlainPixels(t *testing.T) {
	data := file(2, 1, "", 0, []byte{1, 2, 3, 255, 4, 5, 6, 255})
	put := func(at int, v uint32) { binary.LittleEndian.PutUint32(data[at:], v) }
	put(80, 0x41)
	put(88, 32)
	put(92, 0xff0000)
	put(96, 0xff00)
	put(100, 0xff)
	put(104, 0xff000000)
	im, h, err := Decode(data, nil)
	if err != nil || h.Components != 3 || im.Ints(0)[0] != 3*257 || im.Ints(2)[1] != 4*257 {
		t.Error(h, err)
	}
	im, _, err = Decode(file(4, 4, "BC5S", 0, []byte{127, 129, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}), nil)
	if err != nil || im.Ints(0)[0] != 65535 || im.Ints(1)[0] != 128*257 {
		t.Error(im.Ints(0)[0], im.Ints(1)[0], err)
	}
	if _, _, err := Decode(file(64, 64, "DXT1", 0, make([]byte, 8)), nil); err == nil {
		t.Error("a file that was cut off was read")
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(file(4, 4, "DXT5", 0, noise(16)))
	f.Add(file(5, 3, "DX10", 98, noise(64)))
	f.Add(file(5, 3, "DX10", 95, noise(64)))
	f.Add(file(3, 3, "DX10", 28, noise(36)))
	f.Add(file(2, 2, "", 0, noise(16)))
	f.Fuzz(func(t *testing.T, data []byte) {
		if h, err := ReadHeader(data); err != nil || h.W*h.H > 1<<20 {
			return
		}
		im, h, err := Decode(data, nil)
		if err == nil && (im.W != h.W || im.H != h.H || im.Components() != h.Components) {
			t.Errorf("%+v", h)
		}
	})
}

const wantUnsigned6, wantSigned6 = 0xe939d97d, 0x2a7af3af

const wantBC1, wantBC2, wantBC3, wantBC4, wantBC5, wantBC7 = 0xabf2e7a4, 0xa33571a3, 0xdbfd41a, 0xc5033a3d, 0x64945f59, 0x625608a0
