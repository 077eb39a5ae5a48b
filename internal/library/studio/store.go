package studio

import (
	"time"

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
	// KnownBlobs calls f with each blob that must be there: a column names it.
	KnownBlobs(f func(sum string)) error
	// NamedBlobs calls f with each blob that anything names, releases and steps too; with some of them several times.
	NamedBlobs(f func(sum string)) error
	// Unmade are blobs that recipes have made and that nothing names any more.
	Unmade() ([]string, error)
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
	// PurgeDeleted removes for good what was deleted before a moment, some of it at a time.
	PurgeDeleted(before time.Time) (more bool, err error)
	// ForgetOld removes rows that only tell what was, after their time.
	ForgetOld(now time.Time) error
	// ForgetMade takes blobs off the list of what recipes have made.
	ForgetMade(list []string) error
}

// Store keeps rows.
type Store interface {
	library.Store[Reader, Tx]
	// OnCommit sets what is told the topics of each committed transaction, in the order
	// of the commits.
	OnCommit(f func([]library.Event))
}
