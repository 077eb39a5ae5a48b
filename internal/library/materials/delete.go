package materials

import (
	"context"
	"fmt"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

// The kinds of steps that delete.
const (
	StepDelete         = "delete"          // drafts
	StepDeleteDelivery = "delete delivery" // a delivery, and its sets
)

// KeptDeleted is how long what was deleted can be restored.
const KeptDeleted = 30 * 24 * time.Hour

// Delete deletes drafts as one step, which can be undone for KeptDeleted. What has been released is retired instead.
func (s *Service) Delete(ctx context.Context, p people.Principal, seen []library.Seen) (step int64, err error) {
	if len(seen) == 0 || len(seen) > MostAtOnce {
		return 0, library.Invalid(fmt.Sprintf("Choose 1 to %d materials.", MostAtOnce))
	}
	done, err := s.Edit(ctx, p, StepDelete, seen, func(tx Tx, list []*Material) (string, error) { return s.delete(tx, p, list) })
	if err != nil {
		return 0, err
	}
	return done[0].Step, nil
}

// DeleteIn is Delete within a transaction, as a step of another kind.
func (s *Service) DeleteIn(tx Tx, p people.Principal, kind string, seen []library.Seen) ([]Material, error) {
	return s.EditIn(tx, p, kind, seen, func(tx Tx, list []*Material) (string, error) { return s.delete(tx, p, list) })
}

func (s *Service) delete(tx Tx, p people.Principal, list []*Material) (says string, err error) {
	for _, m := range list {
		if m.Released > 0 {
			return "", library.Invalid(fmt.Sprintf("%s has been released. Retire it instead: those who use it keep what they took.", m.Name))
		}
		m.Stage = Deleted
	}
	says = wording.Count(len(list), "draft")
	if len(list) == 1 {
		says = list[0].Name
	}
	return says + " deleted", tx.AddAudit(people.Entry(s.Now(), p.Name, "delete", says, ""))
}

// Deletions are the steps of the last KeptDeleted that deleted something and were not undone, the latest first.
func (s *Service) Deletions(ctx context.Context, p people.Principal) (list []Step, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) {
		list, err = tx.Deletions(s.Now().Add(-KeptDeleted), mostDeletions)
		return err
	})
	return list, err
}

// mostDeletions is how many deletions are listed.
const mostDeletions = 500
