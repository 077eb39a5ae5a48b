package codec

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/jpeg"
	"slices"
	"testing"

	"aldermoor/core/raster"
)

const packet = `<?xpacket begin="" id="x"?><x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:photoshop="http://ns.adobe.com/photoshop/1.0/" photoshop:Headline="Wall"><dc:description><rdf:Alt><rdf:li xml:lang="x-default">covers 2 x 1.5 m</rdf:li></rdf:Alt></dc:description><dc:format>image/jpeg</dc:format></rdf:Description></rdf:RDF></x:xmpmeta>`

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
		"iTXt with XMP":  {chunked(p.Bytes(), [2]string{"iTXt", "XML:com.adobe.xmp\x00\x00\x00\x00\x00" + packet}), []string{"Wall", "covers 2 x 1.5 m"}},
		"iTXt, short":    {chunked(p.Bytes(), [2]string{"iTXt", "Description\x00\x00"}, [2]string{"tEXt", "x"}), nil},
		"JPEG comment":   {segmented(j.Bytes(), append([]byte{0xfe}, "size 1.8 m"...)), []string{"size 1.8 m"}},
		"JPEG with XMP":  {segmented(j.Bytes(), append([]byte{0xe1}, "http://ns.adobe.com/xap/1.0/\x00"+packet...)), []string{"Wall", "covers 2 x 1.5 m"}},
		"JPEG with IPTC": {segmented(j.Bytes(), append([]byte{0xed}, "Photoshop 3.0\x00"+string(block)+string(iptc)...)), []string{caption}},
		"IPTC cut off":   {segmented(j.Bytes(), append([]byte{0xed}, "Photoshop 3.0\x00"+string(block)+string(iptc[:9])...)), nil},
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
}
