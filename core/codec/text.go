package codec

import (
	"bytes"
	"encoding/xml"
	"strings"
	"unicode/utf8"
)

// This file gathers what people wrote into a picture: captions and descriptions, in which a size
// may stand. It never fails: what cannot be read is left out.

const (
	mostTexts = 8    // texts that are kept of a file
	textBytes = 2000 // bytes that are kept of each
)

// addText keeps a text, unless it is empty or there are enough.
func (in *Info) addText(text string) {
	text = strings.Join(strings.Fields(strings.ToValidUTF8(text, " ")), " ")
	if text == "" || len(in.Text) >= mostTexts {
		return
	}
	if len(text) > textBytes {
		text = text[:textBytes]
		for !utf8.ValidString(text) {
			text = text[:len(text)-1]
		}
	}
	in.Text = append(in.Text, text)
}

// addXMP keeps the titles, descriptions and captions of an XMP packet (ISO 16684-1).
func (in *Info) addXMP(packet []byte) {
	d := xml.NewDecoder(bytes.NewReader(packet))
	d.Strict = false
	depth := 0 // within an element that holds what people wrote
	for {
		t, err := d.Token()
		if err != nil {
			return
		}
		switch t := t.(type) {
		case xml.StartElement:
			for _, a := range t.Attr {
				if written(a.Name.Local) {
					in.addText(a.Value)
				}
			}
			if depth > 0 || written(t.Name.Local) {
				depth++
			}
		case xml.EndElement:
			depth = max(0, depth-1)
		case xml.CharData:
			if depth > 0 {
				in.addText(string(t))
			}
		}
	}
}

// written says whether an element or attribute holds what people wrote. (RDF's Description, with a
// capital, holds everything.)
func written(name string) bool {
	switch name {
	case "title", "description", "Headline", "Caption", "UserComment", "ImageDescription", "Instructions":
		return true
	}
	return false
}

// addIPTC keeps the title, headline and caption of IPTC data (IIM 4.2, record 2).
func (in *Info) addIPTC(data []byte) {
	for len(data) >= 5 && data[0] == 0x1c {
		n := int(data[3])<<8 | int(data[4])
		if n > len(data)-5 {
			return
		}
		if data[1] == 2 && (data[2] == 5 || data[2] == 105 || data[2] == 120) {
			in.addText(string(data[5 : 5+n]))
		}
		data = data[5+n:]
	}
}

// resource is what each block of a JPEG's APP13 segment begins with.
const resource = "8BIM"

// addResources looks for IPTC data in the blocks that a JPEG's APP13 segment holds.
func (in *Info) addResources(body []byte) {
	for len(body) >= 12 && bytes.HasPrefix(body, []byte(resource)) {
		id := int(body[4])<<8 | int(body[5])
		name := (1 + int(body[6]) + 1) &^ 1 // a length and that many bytes, even
		if 6+name+4 > len(body) {
			return
		}
		p := body[6+name:]
		n := int(p[0])<<24 | int(p[1])<<16 | int(p[2])<<8 | int(p[3])
		if n < 0 || n > len(p)-4 {
			return
		}
		if id == 0x0404 {
			in.addIPTC(p[4 : 4+n])
		}
		body = p[min(len(p), 4+(n+1)&^1):]
	}
}
