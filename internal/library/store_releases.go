package library

// ReleasesReader reads what is published.
type ReleasesReader interface {
	MaterialsReader
	Release(id int64) (Release, error)
	ReleasesOf(material int64) ([]Release, error) // latest first
}

// ReleasesTx publishes.
type ReleasesTx interface {
	ReleasesReader
	MaterialsTx
	AddRelease(r *Release) error
	Publish(c Card) error
}
