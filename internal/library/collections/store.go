package collections

import (
	"time"

	"aldermoor/internal/library/notices"
)

// Reader reads what people keep.
type Reader interface {
	notices.Reader
	Collections(owner string) ([]Collection, error) // the owner's and the shared ones, without items
	Collection(id int64) (Collection, error)        // with its items in order
	Stars(owner string) (Collection, error)         // favourites
	Searches(owner string) ([]Search, error)
	AllSearches() ([]Search, error)
	LookedAt(person string, n int) ([]int64, error) // materials, the last first
}

// Tx changes it.
type Tx interface {
	Reader
	notices.Tx
	AddCollection(c *Collection) error
	SaveCollection(c *Collection) error // with its items; raises the version
	RemoveCollection(id int64) error
	AddSearch(s *Search) error
	SaveSearch(s *Search) error
	RemoveSearch(owner string, id int64) error
	AddLook(person string, material int64, at time.Time, keep int) error // the last ones are kept
}
