// Package library is the application: its rules, a package a subject. The subjects, each of
// which may use those before it, are people, events, materials, intake, releases, search and
// pictures; studio wires them.
//
// This package has what they share: errors, versions that were seen, stores and files as
// interfaces, and bounded work.
package library

import (
	"log/slog"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/colour"
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
	Memory   *Memory // of pictures that are decoded
	Work     Gate    // heavy work that somebody waits for
	Making   Locks
}
