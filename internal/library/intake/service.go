// Package intake takes deliveries: it stores what arrives, opens archives, examines files,
// sorts them into sets, recognises scans that are here already, and records what librarians
// decide. Each stage is a job that goes on where it stopped.
package intake

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"aldermoor/core/fact"
	"aldermoor/core/inspect"
	"aldermoor/core/parcel"
	"aldermoor/internal/library"
	"aldermoor/internal/library/events"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/wording"
)

// Service takes deliveries, sorts them into sets, and has their sets decided on.
type Service struct {
	*library.Base
	Store      library.Store[Reader, Tx]
	Events     *events.Service
	Materials  *materials.Service
	Archives   parcel.Limits // of one archive
	WatchRoots []string      // folders in which folders may be watched
	pace       pace
}

// Handlers are the jobs that carry a delivery along, by kind.
func (s *Service) Handlers() map[string]func(ctx context.Context, key string) error {
	return map[string]func(context.Context, string) error{JobOpen: s.open, JobExamine: s.examine, JobSort: s.sort}
}

// JobFailed notes on its delivery or file that a job has failed for good.
func (s *Service) JobFailed(ctx context.Context, kind, key string, problem error) error {
	number, _, _ := strings.Cut(key, " ")
	id, _ := strconv.ParseInt(number, 10, 64)
	switch kind {
	case JobOpen, JobSort:
		return s.Store.Write(ctx, func(tx Tx) error {
			return tx.SetDelivery(id, Failed, "", fmt.Sprintf("It could not be sorted: %v. Retry it, or send it again.", problem))
		})
	case JobExamine:
		return s.Store.Write(ctx, func(tx Tx) error {
			f, err := tx.File(id)
			if err != nil {
				return err
			}
			why := fact.New("not_examined", "file", f.Path, "error", problem.Error())
			f.Problem = wording.Problem(why)
			f.Examined = &inspect.Examined{Path: f.Path, SHA256: f.Blob, Size: f.Size, Problem: &why, Failed: true}
			if err := tx.SaveExamined(f); err != nil {
				return err
			}
			return s.sortIfExamined(tx, f.DeliveryID)
		})
	}
	return nil
}
