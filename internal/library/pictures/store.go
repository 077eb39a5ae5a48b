package pictures

import "aldermoor/internal/library/releases"

// Reader reads what is pictured.
type Reader interface {
	releases.Reader
	MaterialOfMap(id int64) (int64, error)
	Props(kind PropKind) ([]Prop, error) // by name
	Prop(kind PropKind, id int64) (Prop, error)
}

// Tx asks for pictures, and keeps props.
type Tx interface {
	Reader
	releases.Tx
	PutTraits(look string, data []byte) error
	AddProp(p *Prop) error // in place of one of the same kind and name
	RemoveProp(id int64) error
}
