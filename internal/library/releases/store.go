package releases

import "aldermoor/internal/library/materials"

// Reader reads what is published.
type Reader interface {
	materials.Reader
	Release(id int64) (Release, error)
	ReleasesOf(material int64) ([]Release, error) // latest first
}

// Tx publishes.
type Tx interface {
	Reader
	materials.Tx
	AddRelease(r *Release) error
	Publish(c Card) error
}
