// Package sidecar reads documents about files: what a delivery says in text of which file is which map,
// which belong together, how one is packed, how large the scanned patch is, whose it is and under what
// licence. It knows the layouts of glTF, MTL, MaterialX and USD text, and reads JSON, XML, YAML, CSV, ini,
// brace-and-line scripts and plain text by what they have in common: words that name a channel beside words
// that name a file.
//
// A document is read by itself; which files of the delivery it means is settled later (Resolve). It states,
// and the reader believes: whether the pixels agree is for the packages above. Text is bounded: see Limits.
package sidecar

import (
	"bytes"
	"cmp"
	"path"
	"strings"
	"unicode/utf8"

	"aldermoor/core/material"
	"aldermoor/core/scale"
)

// Limits are how much of one document is read.
const (
	MostBytes    = 4 << 20 // of text
	mostItems    = 200_000 // values and containers
	mostDepth    = 64      // containers within one another
	mostMentions = 20_000  // of files
	mostText     = 1024    // bytes of one value
)

// Document is what one file says about others.
type Document struct {
	Mentions []Mention `json:"mentions,omitempty"`
	Facts    Facts     `json:"facts"`            // of all that it is about
	Groups   []Facts   `json:"groups,omitempty"` // of single groups, by their number from 1 on; empty ones say nothing
}

// Mention is one place where a document names a file.
type Mention struct {
	File      string             `json:"file"`                // as it is written, with slashes
	Whole     string             `json:"whole,omitempty"`     // with words before it, which may be part of the name: "normal wall.png"
	Before    bool               `json:"before,omitempty"`    // only those words say what it is
	Channel   material.Channel   `json:"channel,omitempty"`   // what the document says that it is; None if it does not
	Weight    float64            `json:"weight,omitempty"`    // how plainly, 0..1
	Component string             `json:"component,omitempty"` // the one component that is meant: r, g, b or a; "" for the colours
	Packing   []material.Channel `json:"packing,omitempty"`   // of the components of a packed map, None for what is not said
	Side      string             `json:"side,omitempty"`      // the direction of normals: y+, y- or ""
	Word      string             `json:"word,omitempty"`      // the word that says so
	Group     int                `json:"group,omitempty"`     // mentions of one group belong together; 0 is none
	Primary   bool               `json:"primary,omitempty"`   // what the group is about, said without a channel
}

// Facts are the figures and names that a document states. Lengths are metres; 0 and "" are not said.
type Facts struct {
	Width    float64 `json:"width,omitempty"`
	Height   float64 `json:"height,omitempty"`
	Depth    float64 `json:"depth,omitempty"`
	PerMetre float64 `json:"per_metre,omitempty"` // pixels
	Licence  string  `json:"licence,omitempty"`
	Author   string  `json:"author,omitempty"`
	Captured string  `json:"captured,omitempty"`
	Station  string  `json:"station,omitempty"`
}

// Empty says whether nothing is stated.
func (f Facts) Empty() bool { return f == Facts{} }

// Or is f, and what it does not say by g.
func (f Facts) Or(g Facts) Facts {
	if f.Width == 0 && f.Height == 0 && f.PerMetre == 0 {
		f.Width, f.Height, f.PerMetre = g.Width, g.Height, g.PerMetre
	}
	f.Depth = cmp.Or(f.Depth, g.Depth)
	f.Licence, f.Author = cmp.Or(f.Licence, g.Licence), cmp.Or(f.Author, g.Author)
	f.Captured, f.Station = cmp.Or(f.Captured, g.Captured), cmp.Or(f.Station, g.Station)
	return f
}

// Sidecar is the same in the form of a station's own sidecar.
func (f Facts) Sidecar() scale.Sidecar {
	return scale.Sidecar{WidthM: f.Width, HeightM: f.Height, DPI: f.PerMetre * scale.Inch, DepthMM: f.Depth * 1000,
		Captured: f.Captured, Station: f.Station, Author: f.Author, Licence: f.Licence}
}

// Endings are those of files that can be documents about files.
var Endings = []string{".json", ".gltf", ".mtl", ".mtlx", ".usda", ".usd", ".xml", ".yaml", ".yml", ".csv", ".tsv", ".ini", ".cfg", ".conf", ".toml", ".txt", ".md", ".mat", ".material", ".shader", ".meta", ".info", ".properties", ".list"}

// Text says whether bytes, the first of a file or all, can be text.
func Text(head []byte) bool {
	if bytes.IndexByte(head, 0) >= 0 {
		return false
	}
	for len(head) > 0 {
		r, n := utf8.DecodeRune(head)
		if r == utf8.RuneError && n == 1 && len(head) > utf8.UTFMax {
			return false
		}
		head = head[n:]
	}
	return true
}

// Read reads the text of a document. ok is false if it names no file and states no figure. It does not
// fail: what cannot be parsed in a known layout is read line by line.
func Read(name string, text []byte) (d Document, ok bool) {
	if len(text) > MostBytes {
		text = text[:MostBytes]
	}
	text = bytes.TrimPrefix(text, []byte("\xef\xbb\xbf"))
	ending := strings.ToLower(path.Ext(name))
	start := bytes.TrimLeft(text, " \t\r\n")
	b := &builder{}
	switch {
	case len(start) == 0:
		return d, false
	case start[0] == '{' || start[0] == '[':
		tree, whole := parseJSON(b, start)
		if whole {
			if d.gltf(start) {
				break
			}
			d.tree(tree)
			break
		}
		if b = (&builder{}); start[0] == '[' { // sections of an ini file
			d.tree(parseLines(b, string(start)))
			break
		}
		d.tree(parseBraces(b, start))
	case start[0] == '<':
		if d.materialX(start) {
			break
		}
		d.tree(parseXML(b, start))
	case bytes.HasPrefix(start, []byte("#usda")):
		d.usd(string(start))
	case ending == ".mtl" || bytes.HasPrefix(start, []byte("newmtl ")) || bytes.Contains(start, []byte("\nnewmtl ")):
		d.tree(parseMTL(b, string(start)))
	default:
		if tree, is := parseTable(b, string(start), ending); is {
			d.tree(tree)
		} else if bytes.ContainsAny(start, "{") && bytes.ContainsAny(start, "}") {
			d.tree(parseBraces(b, start))
		} else {
			d.tree(parseLines(b, string(start)))
		}
	}
	return d, len(d.Mentions) > 0 || !d.Facts.Empty()
}
