package channels

import (
	"strings"

	"aldermoor/core/material"
)

// Spelling is what words say of a map.
type Spelling struct {
	Channel material.Channel   // None if they name none, or several
	Weight  float64            // how plainly they name it, 0..1
	Packing []material.Channel // of a packed map, by component
	Side    string             // the direction of normals: y+, y- or ""
}

// Spell reads words outside a file's name, such as the key of a document ("baseColorTexture") or what stands
// beside a file in a sentence.
func Spell(text string) Spelling {
	text = strings.Map(func(r rune) rune {
		if r == '/' || r == '.' || r == ':' {
			return ' '
		}
		return r
	}, text)
	words := roles(split("zz_"+text), nil)
	n := Name{stem: []rune(text), all: words, words: words[1:]}
	n.note()
	s := Spelling{Side: n.Side}
	if s.Packing, _ = n.packing(); s.Packing != nil {
		s.Weight = 0.9
		return s
	}
	s.Channel, s.Weight, _ = n.claim()
	return s
}
