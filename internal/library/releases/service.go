// Package releases publishes materials as numbered releases that never change, and makes the
// files of handoffs.
package releases

import (
	"context"

	"aldermoor/internal/library"
	"aldermoor/internal/library/events"
	"aldermoor/internal/library/materials"
)

// Service publishes materials and hands them out.
type Service struct {
	*library.Base
	Store     library.Store[Reader, Tx]
	Events    *events.Service
	Materials *materials.Service
	Published func(Card)                                                                           // is told of each release once it is committed
	Used      func(material int64, people int)                                                     // is told how many use a material, after each handoff
	Tell      func(ctx context.Context, by string, material int64, event, text, href string) error // tells those who took it
	Notify    func(ctx context.Context, person, text, href string) error                           // tells one person
	JobTraits string                                                                               // the kind of job that works out how a release is found
	handoffs  library.Progress
}

// Handlers are the jobs of releases, by kind.
func (s *Service) Handlers() map[string]func(ctx context.Context, key string) error {
	return map[string]func(context.Context, string) error{JobHandoff: s.handoff}
}

// JobFailed tells who waits for a handoff that it has failed for good.
func (s *Service) JobFailed(_ context.Context, kind, key string, problem error) error {
	if kind == JobHandoff {
		s.handoffs.Set(key, 0, 0, problem)
	}
	return nil
}

// tell tells those who took a material what has become of it. That it could not be told undoes nothing.
func (s *Service) tell(ctx context.Context, by string, r *Release, event, text string) {
	if s.Tell == nil {
		return
	}
	if err := s.Tell(ctx, by, r.MaterialID, event, text, "/library/"+r.Material.Slug); err != nil {
		s.Log.Error("tell who took a material", "error", err)
	}
}
