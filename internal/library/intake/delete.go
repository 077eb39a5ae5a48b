package intake

import (
	"context"
	"fmt"
	"strings"

	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

// Delete deletes a delivery and its sets as one step, which can be undone for materials.KeptDeleted. A delivery is kept
// whose sets were released, or whose files are maps of other materials by now.
func (s *Service) Delete(ctx context.Context, p people.Principal, of library.Seen) (step materials.Step, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return step, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		d, err := tx.Delivery(of.ID)
		if err != nil {
			return err
		}
		if of.Version != 0 && of.Version != d.Version {
			return library.ErrStale
		}
		if d.State != Sorted && d.State != Failed {
			return library.Invalid(fmt.Sprintf("%s is still being sorted. Delete it when that is done.", d.Name))
		}
		list, err := tx.MaterialsOf(d.ID)
		if err != nil {
			return err
		}
		own := map[int64]bool{}
		var seen []library.Seen
		var released []string
		for _, m := range list {
			own[m.ID] = true
			seen = append(seen, library.Seen{ID: m.ID, Version: m.Version})
			if m.Released > 0 {
				released = append(released, m.Name)
			}
		}
		if len(released) > 0 {
			return library.Invalid(fmt.Sprintf("%s of %s been released: %s. Delete its other sets one by one.", wording.Count(len(released), "set"), d.Name+map[bool]string{true: " has", false: " have"}[len(released) == 1], names(released)))
		}
		owners, err := tx.OwnersOf(d.ID)
		if err != nil {
			return err
		}
		var others []string
		for _, id := range owners {
			if own[id] {
				continue
			}
			m, err := tx.Material(id)
			if err != nil {
				return err
			}
			if m.DeliveryID != d.ID || m.Stage != materials.Deleted {
				others = append(others, m.Name)
			}
		}
		if len(others) > 0 {
			return library.Invalid(fmt.Sprintf("Files of %s are maps of %s by now. Move or delete these first.", d.Name, names(others)))
		}
		step = materials.Step{DeliveryID: d.ID, Kind: materials.StepDeleteDelivery, Says: d.Name + " deleted", By: p.Name, UserID: p.UserID, At: s.Now()}
		if len(seen) > 0 {
			done, err := s.Materials.DeleteIn(tx, p, materials.StepDeleteDelivery, seen)
			if err != nil {
				return err
			}
			step.ID = done[0].Step
			if err := tx.RenameStep(step.ID, step.Says); err != nil {
				return err
			}
		} else if err := tx.AddStep(&step); err != nil {
			return err
		}
		if err := tx.SetDeliveryDeleted(d.ID, s.Now()); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "delete", d.Name, wording.Count(len(list), "set")))
	})
	return step, err
}

// names are up to three names as a list.
func names(list []string) string {
	if len(list) > 3 {
		return strings.Join(list[:3], ", ") + fmt.Sprintf(" and %d more", len(list)-3)
	}
	return strings.Join(list, ", ")
}
