package search

import (
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/releases"
)

// Reader reads the cards of all that is published, and what is known of how it looks.
type Reader interface {
	Uses(each func(material int64, people int)) error // how many people took each material
	Cards(each func(releases.Card)) error
	Traits(each func(look string, data []byte)) error
	Setting(name string, to any) (version int64, err error)
}

// Tx keeps how things look, and the studio's synonyms.
type Tx interface {
	Reader
	materials.Tx
	PutTraits(look string, data []byte) error
}
