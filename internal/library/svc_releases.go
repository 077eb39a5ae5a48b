package library

import "context"

// Releases publishes materials and hands them out.
type Releases struct {
	*Base
	Store     Store[ReleasesReader, ReleasesTx]
	Events    *Events
	Materials *Materials
	Published func(Card) // is told of each release once it is committed
	handoffs  Progress
}

// Handlers are the jobs of releases, by kind.
func (s *Releases) Handlers() map[string]func(ctx context.Context, key string) error {
	return map[string]func(context.Context, string) error{JobHandoff: s.handoff}
}

// JobFailed tells who waits for a handoff that it has failed for good.
func (s *Releases) JobFailed(_ context.Context, kind, key string, problem error) error {
	if kind == JobHandoff {
		s.handoffs.Set(key, 0, 0, problem)
	}
	return nil
}
