package releases

import "aldermoor/internal/library/materials"

// Reader reads what is published.
type Reader interface {
	materials.Reader
	Release(id int64) (Release, error)
	ReleasesOf(material int64) ([]Release, error) // latest first
	Profiles() ([]Profile, error)                 // the latest version of each that is offered, by id
	Profile(id string, version int) (Profile, error)
}

// Tx publishes.
type Tx interface {
	Reader
	materials.Tx
	AddRelease(r *Release) error
	Publish(c Card) error
	AddProfile(p Profile) error
	RemoveProfile(id string) error
}
