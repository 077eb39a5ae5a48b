package search

import "aldermoor/internal/library/releases"

// Reader reads the cards of all that is published.
type Reader interface {
	Cards(each func(releases.Card)) error
}
