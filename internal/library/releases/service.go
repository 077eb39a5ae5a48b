// Package releases publishes materials as numbered releases that never change, and makes the
// files of handoffs.
package releases

import (
	"context"

	"aldermoor/internal/library"
	"aldermoor/internal/library/events"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/notices"
)

// Service publishes materials and hands them out.
type Service struct {
	*library.Base
	Store     library.Store[Reader, Tx]
	Events    *events.Service
	Materials *materials.Service
	Published func(Card)                       // is told of each release once it is committed
	Used      func(material int64, people int) // is told how many use a material, after each handoff
	Notices   *notices.Service
	JobTraits string // the kind of job that works out how a release is found
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

// tell tells those who took a material what has become of it, in the transaction in which that happens.
func (s *Service) tell(tx Tx, by string, r *Release, event, text string) error {
	return s.Notices.TellTakers(tx, notices.News{Event: event, By: by, Material: r.MaterialID, Release: r.ID, Number: r.Number, Text: text, Page: "/library/" + r.Material.Slug})
}
