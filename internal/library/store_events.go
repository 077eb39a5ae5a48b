package library

// EventsReader reads recorded events.
type EventsReader interface {
	// EventsAfter are the events with higher numbers, at most limit, and the lowest
	// number that is still kept.
	EventsAfter(id int64, limit int) (list []Event, oldest int64, err error)
	// LastEvent is the highest number so far.
	LastEvent() (int64, error)
}

// EventsTx forgets them.
type EventsTx interface {
	// ForgetEvents removes those up to a number.
	ForgetEvents(upTo int64) error
}
