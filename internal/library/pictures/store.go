package pictures

import (
	"time"

	"aldermoor/internal/library/releases"
)

// Reader reads what is pictured.
type Reader interface {
	releases.Reader
	MaterialOfMap(id int64) (int64, error)
	Props(kind PropKind) ([]Prop, error)        // by name
	Prop(kind PropKind, id int64) (Prop, error) // one that was deleted too
	DeletedProps(after time.Time) ([]Prop, error)
}

// Tx asks for pictures, and keeps props.
type Tx interface {
	Reader
	releases.Tx
	PutTraits(look string, data []byte) error
	AddProp(p *Prop) error // in place of one of the same kind and name
	SaveProp(p Prop) error // whether it is deleted; ErrStale if its name is taken
}
