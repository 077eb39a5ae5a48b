package library

import "errors"

// ErrNotFound says that there is no such thing.
var ErrNotFound = errors.New("not found")

// ErrStale says that the thing has changed since the version that a write was made for.
var ErrStale = errors.New("changed by somebody else")

// Invalid is something that a person asked for and that can't be; it says why
// and what to do.
type Invalid string

func (e Invalid) Error() string { return string(e) }

// Seen is a material and the version of it that a write was made for; 0 for whatever
// there is.
type Seen struct {
	ID      int64 `json:"id"`
	Version int64 `json:"version"`
}
