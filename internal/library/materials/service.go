// Package materials keeps drafts: what is known of a material, its maps, its recipe and what
// that made, the steps by which people changed it and how they are undone, the studio's
// standards, reduced copies, and the prints by which a scan is recognised.
//
// Every change is a step with the exact parts before and after; what is computed over full
// maps is a job. How materials arrive is intake's, how they are published releases'.
package materials

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"aldermoor/internal/library"
	"aldermoor/internal/library/events"
)

// Service keeps drafts: what is known of them, their steps, recipes and prints.
type Service struct {
	*library.Base
	Store   library.Store[Reader, Tx]
	Events  *events.Service
	prints  prints
	mending library.Progress
	tried   sheets
}

// Handlers are the jobs of drafts, by kind.
func (s *Service) Handlers() map[string]func(ctx context.Context, key string) error {
	return map[string]func(context.Context, string) error{JobTreat: s.treat, JobGrade: s.grade}
}

// JobFailed notes on its material that a recipe has failed for good.
func (s *Service) JobFailed(ctx context.Context, kind, key string, problem error) error {
	if kind != JobTreat {
		return nil
	}
	number, want, _ := strings.Cut(key, " ")
	id, _ := strconv.ParseInt(number, 10, 64)
	return s.Store.Write(ctx, func(tx Tx) error {
		m, err := tx.Material(id)
		if err != nil || m.wants() != want {
			return err
		}
		m.Finish.Tried, m.Finish.Failed = want, true
		m.Finish.Problem = fmt.Sprintf("The recipe could not be carried out: %v. Retry it.", problem)
		return tx.SaveMaterial(&m)
	})
}
