package studio

import (
	"aldermoor/internal/library"
	"aldermoor/internal/library/collections"
	"aldermoor/internal/library/events"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/notices"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/requests"
	"aldermoor/internal/library/search"
)

// Reader is all that can be asked within a transaction.
type Reader interface {
	people.Reader
	notices.Reader
	events.Reader
	intake.Reader
	releases.Reader
	search.Reader
	collections.Reader
	requests.Reader
	pictures.Reader
	// Jobs lists what runs and what failed, n at most, and counts what waits by kind.
	Jobs(n int) (list []library.Job, waiting map[string]int, err error)
	CountMaterials() (unseen, unreleased int, err error)
	// KnownBlobs calls f with each blob that a row names.
	KnownBlobs(f func(sum string)) error
}

// Tx is all that can be done within a transaction that writes.
type Tx interface {
	Reader
	people.Tx
	notices.Tx
	events.Tx
	intake.Tx
	releases.Tx
	search.Tx
	collections.Tx
	requests.Tx
	pictures.Tx
}

// Store keeps rows.
type Store interface {
	library.Store[Reader, Tx]
	// OnCommit sets what is told the topics of each committed transaction, in the order
	// of the commits.
	OnCommit(f func([]library.Event))
}
