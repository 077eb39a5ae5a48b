package library

import (
	"context"
	"time"
)

// Store keeps rows. Write runs f in a transaction that no other write overlaps, and keeps
// what it did only if it returns nil. Read runs f on a state that does not change under
// it. R and W are what a subject asks of a transaction; what is not there gives
// ErrNotFound.
type Store[R, W any] interface {
	Write(ctx context.Context, f func(W) error) error
	Read(ctx context.Context, f func(R) error) error
}

// Recorder is what every transaction that writes can note beside its rows.
type Recorder interface {
	// AddJob makes sure that a job will be done; see internal/jobs.
	AddJob(kind, key string, priority int) error
	// Changed adds a topic to what the transaction changed, once.
	Changed(topic string)
	// After does something once the transaction has been committed, in the order of the commits: what is kept in memory
	// of what it wrote. It holds up the next commit.
	After(f func())
}

// Event says that something has changed. Topics are "deliveries", "delivery:7",
// "material:3", "library", "rules", "watches", "standards" and "people"; numbers rise in
// the order of the commits.
type Event struct {
	ID    int64
	Topic string
	At    time.Time
}

// View is a store as a subject sees it: r and w narrow what its transactions can do.
func View[R, W, AllR, AllW any](s Store[AllR, AllW], r func(AllR) R, w func(AllW) W) Store[R, W] {
	return view[R, W, AllR, AllW]{s, r, w}
}

type view[R, W, AllR, AllW any] struct {
	of Store[AllR, AllW]
	r  func(AllR) R
	w  func(AllW) W
}

func (v view[R, W, AllR, AllW]) Write(ctx context.Context, f func(W) error) error {
	return v.of.Write(ctx, func(t AllW) error { return f(v.w(t)) })
}

func (v view[R, W, AllR, AllW]) Read(ctx context.Context, f func(R) error) error {
	return v.of.Read(ctx, func(t AllR) error { return f(v.r(t)) })
}

// Job is a piece of background work: see internal/jobs.
type Job struct {
	ID        int64
	Kind, Key string
	State     string // running or failed
	Attempts  int    // that ended in an error
	Error     string // of the last one
	Who       string // whose work it is; "" for the server's own
}
