package studio

import (
	"context"
	"errors"
	"strconv"
	"strings"

	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
)

// Job is a piece of background work as people look at it.
type Job struct {
	library.Job
	About    string // the file, delivery or material that it is about; "" if that is gone
	Delivery int64  // 0 for none
	Material int64  // 0 for none
}

// mostJobs is how many running and failed jobs are listed.
const mostJobs = 200

// Jobs lists the work that runs and what of it failed, and counts what waits by kind.
func (s *Studio) Jobs(ctx context.Context, p people.Principal) (list []Job, waiting map[string]int, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, nil, err
	}
	err = s.store.Read(ctx, func(tx Reader) error {
		some, n, err := tx.Jobs(mostJobs)
		if err != nil {
			return err
		}
		waiting = n
		for _, j := range some {
			k := Job{Job: j}
			if err := k.find(tx); err != nil && !errors.Is(err, library.ErrNotFound) {
				return err
			}
			list = append(list, k)
		}
		return nil
	})
	return list, waiting, err
}

// find says what a job is about, by its key.
func (j *Job) find(tx Reader) error {
	first := j.Key
	if i := strings.IndexAny(first, "/ "); i >= 0 {
		first = first[:i]
	}
	id, err := strconv.ParseInt(first, 10, 64)
	if err != nil {
		return nil // the keys of other kinds name nothing that people know
	}
	switch j.Kind {
	case intake.JobExamine:
		f, err := tx.File(id)
		j.About, j.Delivery = f.Path, f.DeliveryID
		return err
	case intake.JobSort:
		d, err := tx.Delivery(id)
		j.About, j.Delivery = d.Name, id
		return err
	case releases.JobHandoff:
		r, err := tx.Release(id)
		j.About, j.Material = r.Material.Name, r.MaterialID
		return err
	case materials.JobTreat, materials.JobPicture, pictures.JobView, pictures.JobTraits:
		m, err := tx.Material(id)
		j.About, j.Material = m.Name, id
		return err
	}
	return nil
}

// RetryJob does failed work again: of a delivery everything that failed here.
func (s *Studio) RetryJob(ctx context.Context, p people.Principal, id int64) error {
	if err := p.Need(people.Contribute); err != nil {
		return err
	}
	list, _, err := s.Jobs(ctx, p)
	if err != nil {
		return err
	}
	for _, j := range list {
		switch {
		case j.ID != id || j.State != "failed":
		case j.Delivery != 0:
			return s.Intake.Retry(ctx, p, j.Delivery, 0)
		default:
			return s.store.Write(ctx, func(tx Tx) error { return tx.AddJob(j.Kind, j.Key, 1) })
		}
	}
	return library.ErrNotFound
}
