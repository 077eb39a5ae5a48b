package library

import (
	"aldermoor/core/codec"
	"aldermoor/core/colour"
	"log/slog"
	"time"
)

// Base is what every subject works with.
type Base struct {
	Blobs    Blobs
	Derived  Derived
	Scratch  Scratch
	Log      *slog.Logger
	Now      func() time.Time
	Pictures codec.Limits // of one picture
	Tables   *colour.Tables
	Work     Gate // heavy work that somebody waits for
	Making   Locks
}
