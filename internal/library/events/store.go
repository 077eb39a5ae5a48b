package events

import "aldermoor/internal/library"

// Reader reads recorded events.
type Reader interface {
	// EventsAfter are the events with higher numbers, at most limit, and the lowest
	// number that is still kept.
	EventsAfter(id int64, limit int) (list []library.Event, oldest int64, err error)
	// LastEvent is the highest number so far.
	LastEvent() (int64, error)
}

// Tx forgets them.
type Tx interface {
	// ForgetEvents removes those up to a number.
	ForgetEvents(upTo int64) error
}
