package releases

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Schedule is a batch of drafts that is to be released at a time, each as it was seen.
type Schedule struct {
	ID        int64
	Due       time.Time
	Notes     string
	Materials []library.Seen
	By        string
	Role      people.Role
	Done      bool
	Result    string // what became of it, in a sentence
}

// MostScheduled is how many drafts one batch holds.
const MostScheduled = 500

// Schedules are the latest batches, those that wait first.
func (s *Service) Schedules(ctx context.Context, p people.Principal) (list []Schedule, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Schedules(50); return err })
	return list, err
}

// ownerNow is who scheduled a batch, with the rights that the account has now: none if it is closed, and no more than
// it had then.
func (s *Service) ownerNow(ctx context.Context, k Schedule) (p people.Principal, err error) {
	var u people.User
	err = s.Store.Read(ctx, func(tx Reader) (err error) { u, err = tx.UserNamed(k.By); return err })
	if errors.Is(err, library.ErrNotFound) || err == nil && u.Disabled {
		return people.As(k.By, people.Artist), nil
	}
	return people.As(k.By, people.Lower(u.Role, k.Role)), err
}

// AddSchedule has drafts released at a time, by the rights that the principal then has.
func (s *Service) AddSchedule(ctx context.Context, p people.Principal, list []library.Seen, due time.Time, notes string) (k Schedule, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return k, err
	}
	switch now := s.Now(); {
	case len(list) == 0 || len(list) > MostScheduled:
		return k, library.Invalid(fmt.Sprintf("A batch holds 1 to %d materials.", MostScheduled))
	case !due.After(now):
		return k, library.Invalid("That time has passed. Choose a later one, or release at once.")
	case due.After(now.AddDate(1, 0, 0)):
		return k, library.Invalid("A batch waits for a year at most.")
	case len(notes) > 4000:
		return k, library.Invalid("The notes have more than 4000 bytes; shorten them.")
	}
	k = Schedule{Due: due, Notes: strings.TrimSpace(notes), Materials: list, By: p.Name, Role: p.Role}
	err = s.Store.Write(ctx, func(tx Tx) error {
		for i, of := range list {
			m, err := tx.Material(of.ID)
			if err != nil {
				return err
			}
			if of.Version == 0 {
				list[i].Version = m.Version
			}
		}
		if err := tx.AddSchedule(&k); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "schedule", fmt.Sprintf("%d materials", len(list)), "due "+due.UTC().Format(time.RFC3339)))
	})
	return k, err
}

// RemoveSchedule takes a batch back that is not done yet.
func (s *Service) RemoveSchedule(ctx context.Context, p people.Principal, id int64) error {
	if err := p.Need(people.Contribute); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.RemoveSchedule(id); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "schedule", fmt.Sprintf("batch %d", id), "taken back"))
	})
}

// RunDue releases the batches that are due. The person who scheduled a batch gets a notice with the
// result. It is safe to run again after an interruption: a draft that was released already is skipped.
func (s *Service) RunDue(ctx context.Context) error {
	var due []Schedule
	if err := s.Store.Read(ctx, func(tx Reader) (err error) { due, err = tx.DueSchedules(s.Now()); return err }); err != nil {
		return err
	}
	for _, k := range due {
		owner, err := s.ownerNow(ctx, k)
		if err != nil {
			return err
		}
		var refused []string
		made, refusals, err := s.ReleaseMany(ctx, owner, k.Materials, ReleaseText{Notes: k.Notes})
		for _, r := range refusals {
			refused = append(refused, r.Says)
		}
		switch rights := (people.Forbidden{}); {
		case errors.As(err, &rights):
			refused = []string{fmt.Sprintf("The account %s may not release any more.", k.By)}
		case err != nil:
			return err
		}
		says := fmt.Sprintf("%d of %d released.", len(made), len(k.Materials))
		if len(refused) > 0 {
			says += " " + strings.Join(refused[:min(len(refused), 5)], " ")
		}
		err = s.Store.Write(ctx, func(tx Tx) error {
			if err := tx.EndSchedule(k.ID, says); err != nil {
				return err
			}
			return s.Notices.Tell(tx, k.By, "Your batch: "+says, "/reviews")
		})
		if err != nil {
			return err
		}
	}
	return nil
}
