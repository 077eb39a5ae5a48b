package codec

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/jpeg"
	"math"
	"slices"
	"testing"

	"aldermoor/core/codec/exr"
	"aldermoor/core/raster"
)

const packet = `<?xpacket begin="" id="x"?><x:xmpmeta xmlns:x="x:meta"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:h="h:h" h:Headline="Wall"><dc:description><rdf:Alt><rdf:li xml:lang="x-default">covers 2 x 1.5 m</rdf:li></rdf:Alt></dc:description><dc:format>image/jpeg</dc:format></rdf:Description></rdf:RDF></x:xmpmeta>`

// chunked puts chunks behind a PNG's header.
func chunked(data []byte, chunks ...[2]string) []byte {
	out := slices.Clone(data[:33])
	for _, c := range chunks {
		body := append([]byte(c[0]), c[1]...)
		out = binary.BigEndian.AppendUint32(out, uint32(len(c[1])))
		out = binary.BigEndian.AppendUint32(append(out, body...), crc32.ChecksumIEEE(body))
	}
	return append(out, data[33:]...)
}

// segmented puts segments behind a JPEG's first marker.
func segmented(data []byte, segments ...[]byte) []byte {
	out := slices.Clone(data[:2])
	for _, s := range segments {
		out = append(out, 0xff, s[0])
		out = append(binary.BigEndian.AppendUint16(out, uint16(len(s)+1)), s[1:]...)
	}
	return append(out, data[2:]...)
}

// wide is a profile of a wide gamut with a gamma of 2.2 (219.92/100 in 8.8 fixed point).
func wide() []byte {
	p := make([]byte, 128)
	copy(p[16:], "RGB XYZ ")
	u32 := binary.BigEndian.AppendUint32
	xyz := [3][3]float64{{0.60974, 0.31111, 0.01947}, {0.20528, 0.62567, 0.06087}, {0.14919, 0.06322, 0.74457}}
	p = u32(p, 6)
	var data []byte
	for i, name := range []string{"rXYZ", "gXYZ", "bXYZ", "rTRC", "gTRC", "bTRC"} {
		body := []byte("curv\x00\x00\x00\x00\x00\x00\x00\x01\x02\x33")
		if i < 3 {
			body = []byte("XYZ \x00\x00\x00\x00")
			for _, v := range xyz[i] {
				body = u32(body, uint32(v*65536))
			}
		}
		p = u32(u32(append(p, name...), uint32(132+72+len(data))), uint32(len(body)))
		data = append(data, body...)
	}
	return append(p, data...)
}

// A profile with a matrix and curves is read from PNG and JPEG, there in several pieces; others
// are said not to be.
func TestGamutsOfFiles(t *testing.T) {
	var p, j, z bytes.Buffer
	if err := EncodePNG(&p, raster.New(4, 4, 3, 8), PNGOptions{}); err != nil {
		t.Fatal(err)
	}
	if err := jpeg.Encode(&j, image.NewRGBA(image.Rect(0, 0, 8, 8)), nil); err != nil {
		t.Fatal(err)
	}
	icc := wide()
	w := zlib.NewWriter(&z)
	w.Write(icc)
	w.Close()
	piece := func(k byte, part []byte) []byte {
		return append(append([]byte{0xe2}, "ICC_PROFILE\x00"+string([]byte{k, 2})...), part...)
	}
	for name, c := range map[string]struct {
		data   []byte
		gamut  bool
		unread bool
	}{
		"PNG":            {chunked(p.Bytes(), [2]string{"iCCP", "Wide\x00\x00" + z.String()}), true, false},
		"JPEG in pieces": {segmented(j.Bytes(), piece(1, icc[:150]), piece(2, icc[150:])), true, false},
		"JPEG cut off":   {segmented(j.Bytes(), piece(1, icc[:150])), false, true},
		"PNG without":    {p.Bytes(), false, false},
		"WebP":           {webP(t, "ICCP", icc), true, false},
		"WebP cut off":   {webP(t, "ICCP", icc[:150]), false, true},
	} {
		f, err := Open(c.data, DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if g := f.Info.Gamut; (g != nil) != c.gamut || f.Info.Unread != c.unread || g != nil && math.Abs(g.Matrix[0]-1.3984) > 0.003 {
			t.Errorf("%s: %+v, unread %v", name, g, f.Info.Unread)
		}
	}
	var e bytes.Buffer
	if err := exr.Encode(&e, raster.NewFloat(2, 2, 3, 32), exr.Options{Type: exr.Float, Compression: exr.ZIP}); err != nil {
		t.Fatal(err)
	}
	attribute := []byte("chromaticities\x00chromaticities\x00\x20\x00\x00\x00")
	for _, v := range []float32{0.68, 0.32, 0.265, 0.69, 0.15, 0.06, 0.3127, 0.329} {
		attribute = binary.LittleEndian.AppendUint32(attribute, math.Float32bits(v))
	}
	f, err := Open(slices.Concat(e.Bytes()[:8], attribute, shifted(e.Bytes()[8:], 2, len(attribute))), DefaultLimits)
	if err != nil || f.Info.Gamut == nil || math.Abs(f.Info.Gamut.Matrix[0]-1.2249) > 0.003 {
		t.Errorf("OpenEXR: %+v: %v", f.Info.Gamut, err)
	}
}

// shifted is the rest of an OpenEXR file of a few lines behind its first eight bytes, whose table of
// offsets is moved on by n.
func shifted(rest []byte, lines, n int) []byte {
	out := slices.Clone(rest)
	at := bytes.Index(out, []byte("screenWindowWidth\x00float\x00")) + len("screenWindowWidth\x00float\x00") + 8
	for out[at] != 0 { // further attributes
		at++
	}
	at++
	binary.LittleEndian.PutUint64(out[at:], binary.LittleEndian.Uint64(out[at:])+uint64(n))
	return out
}

// What people wrote into a file is found, whatever form it has; broken forms are left out.
func TestTextsInFiles(t *testing.T) {
	var p, j bytes.Buffer
	if err := EncodePNG(&p, raster.New(4, 4, 1, 8), PNGOptions{}); err != nil {
		t.Fatal(err)
	}
	if err := jpeg.Encode(&j, image.NewGray(image.Rect(0, 0, 8, 8)), nil); err != nil {
		t.Fatal(err)
	}
	caption := "patch of 2x2 m"
	iptc := append([]byte{0x1c, 2, 120, 0, byte(len(caption))}, caption...)
	block := append([]byte("8BIM\x04\x04\x00\x00\x00\x00\x00"), byte(len(iptc)))
	for name, c := range map[string]struct {
		data []byte
		want []string
	}{
		"tEXt":           {chunked(p.Bytes(), [2]string{"tEXt", "Comment\x00size 1.8 m"}), []string{"size 1.8 m"}},
		"tEXt, Latin-1":  {chunked(p.Bytes(), [2]string{"tEXt", "Comment\x00Gr\xf6\xdfe 2 m"}), []string{"Größe 2 m"}},
		"iTXt":           {chunked(p.Bytes(), [2]string{"iTXt", "Description\x00\x00\x00de\x00\x00Größe 2 m"}), []string{"Größe 2 m"}},
		"iTXt with XMP":  {chunked(p.Bytes(), [2]string{"iTXt", "XML:xmp\x00\x00\x00\x00\x00" + packet}), []string{"Wall", "covers 2 x 1.5 m"}},
		"iTXt, short":    {chunked(p.Bytes(), [2]string{"iTXt", "Description\x00\x00"}, [2]string{"tEXt", "x"}), nil},
		"JPEG comment":   {segmented(j.Bytes(), append([]byte{0xfe}, "size 1.8 m"...)), []string{"size 1.8 m"}},
		"JPEG with XMP":  {segmented(j.Bytes(), append([]byte{0xe1}, "a name of it\x00"+packet...)), []string{"Wall", "covers 2 x 1.5 m"}},
		"JPEG with IPTC": {segmented(j.Bytes(), append([]byte{0xed}, "resources\x00"+string(block)+string(iptc)...)), []string{caption}},
		"IPTC cut off":   {segmented(j.Bytes(), append([]byte{0xed}, "resources\x00"+string(block)+string(iptc[:9])...)), nil},
	} {
		f, err := Open(c.data, DefaultLimits)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		if !slices.Equal(f.Info.Text, c.want) {
			t.Errorf("%s: %q, want %q", name, f.Info.Text, c.want)
		}
	}
	// TIFF, whose IPTC data is counted in bytes by some programs and in longs by others.
	for kind, size := range map[uint16]int{7: 1, 4: 4} {
		data := append(slices.Clone(iptc), make([]byte, -len(iptc)&3)...)
		f, err := Open(tagged(33723, kind, len(data)/size, data), DefaultLimits)
		if err != nil || !slices.Equal(f.Info.Text, []string{caption}) {
			t.Errorf("TIFF with IPTC of type %d: %q, %v", kind, f.Info.Text, err)
		}
	}
}

// tagged is a TIFF file of one grey pixel with one more tag.
func tagged(tag, kind uint16, count int, data []byte) []byte {
	out := []byte{'I', 'I', 42, 0, 8, 0, 0, 0}
	tags := [][4]int{{256, 3, 1, 1}, {257, 3, 1, 1}, {258, 3, 1, 8}, {259, 3, 1, 1}, {262, 3, 1, 1}, {273, 4, 1, 0}, {278, 3, 1, 1}, {279, 4, 1, 1}, {int(tag), int(kind), count, 0}}
	end := 8 + 2 + 12*len(tags) + 4
	tags[5][3], tags[8][3] = end, end+2
	out = binary.LittleEndian.AppendUint16(out, uint16(len(tags)))
	for _, t := range tags {
		out = binary.LittleEndian.AppendUint16(out, uint16(t[0]))
		out = binary.LittleEndian.AppendUint16(out, uint16(t[1]))
		out = binary.LittleEndian.AppendUint32(out, uint32(t[2]))
		out = binary.LittleEndian.AppendUint32(out, uint32(t[3]))
	}
	return append(append(out, 0, 0, 0, 0, 128, 0), data...)
}
