package pictures

import "aldermoor/internal/library/releases"

// Reader reads what is pictured.
type Reader interface {
	releases.Reader
	MaterialOfMap(id int64) (int64, error)
	Environments() ([]Environment, error) // by name
	Environment(id int64) (Environment, error)
}

// Tx asks for pictures, and keeps light.
type Tx interface {
	Reader
	releases.Tx
	AddEnvironment(e *Environment) error // in place of one of the same name
	RemoveEnvironment(id int64) error
}
