package studio

import (
	"context"
	"errors"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/notices"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
)

// Lane is work that the same people wait for: see jobs.Lane.
type Lane struct {
	Name     string
	Kinds    []string
	Most     int             // jobs at a time; 0 for no bound
	Deadline time.Duration   // of one job
	Cancels  bool            // its jobs may be cancelled
	Own      int             // workers of its own beside those that all share
	Alone    bool            // no other worker takes its jobs
	Harmless bool            // its jobs cannot end the process: an end of it during one is not counted
	Pauses   []time.Duration // after each error but the last one; nil for the default
}

// The lanes' names.
const (
	LaneIntake     = "intake"
	LanePictures   = "pictures"
	LaneTreatments = "treatments"
	LaneHandoffs   = "handoffs"
	LaneReferences = "references"
	LaneHooks      = "webhooks"
	LaneCare       = "care"
)

// Lanes are the lanes of a server with so many shared workers: what is long never has all of them, deliveries have a
// worker of their own, and webhooks four, since their receivers may be silent.
func Lanes(workers int) []Lane {
	long := max(1, workers-1)
	return []Lane{
		{Name: LaneIntake, Kinds: []string{intake.JobOpen, intake.JobExamine, intake.JobSort}, Deadline: 6 * time.Hour, Own: 1},
		{Name: LanePictures, Kinds: []string{materials.JobPicture, pictures.JobTraits}, Deadline: time.Hour, Cancels: true},
		{Name: LaneTreatments, Kinds: []string{materials.JobTreat}, Most: long, Deadline: 2 * time.Hour, Cancels: true},
		{Name: LaneHandoffs, Kinds: []string{releases.JobHandoff}, Most: long, Deadline: 2 * time.Hour, Cancels: true},
		{Name: LaneReferences, Kinds: []string{pictures.JobView}, Most: 1, Deadline: 2 * time.Hour, Cancels: true},
		{Name: LaneHooks, Kinds: []string{notices.JobHook}, Deadline: 5 * time.Minute, Own: 4, Alone: true, Harmless: true, Pauses: hookPauses()},
		{Name: LaneCare, Kinds: []string{materials.JobGrade}, Most: 1, Deadline: 6 * time.Hour},
	}
}

// hookPauses are the pauses between tries of a receiver that does not answer: from ten seconds on each twice as long,
// six hours at most, for four days.
func hookPauses() (list []time.Duration) {
	sum := time.Duration(0)
	for pause := 10 * time.Second; sum < 4*24*time.Hour; pause = min(2*pause, 6*time.Hour) {
		list = append(list, pause)
		sum += pause
	}
	return list
}

// Context is the context of a job of a lane: whose work it is, and that long work gives its worker back between its parts
// (giveBack, as jobs.GiveBack) and slows down while a delivery is being sorted.
func Context(ctx context.Context, who, lane string, giveBack func(context.Context), busy func(lane string) bool) context.Context {
	ctx = library.WithPerson(ctx, who)
	return library.InSlices(ctx, giveBack, func() bool { return lane != LaneIntake && busy(LaneIntake) })
}

// LaneState is a lane as people look at it.
type LaneState struct {
	Lane
	Running, Waiting int
}

// LaneStates are the lanes, with what runs and waits in them.
func (s *Studio) LaneStates(ctx context.Context, p people.Principal, waiting map[string]int) (list []LaneState, err error) {
	if err := p.Need(people.SeeDrafts); err != nil || s.lanes == nil {
		return nil, err
	}
	lanes, running := s.lanes()
	for _, l := range lanes {
		k := LaneState{Lane: l, Running: running[l.Name]}
		for _, kind := range l.Kinds {
			k.Waiting += waiting[kind]
		}
		list = append(list, k)
	}
	return list, nil
}

// Cancels says whether work of a kind may be cancelled.
func (s *Studio) Cancels(kind string) bool {
	for _, l := range Lanes(1) {
		for _, k := range l.Kinds {
			if k == kind {
				return l.Cancels && s.cancel != nil
			}
		}
	}
	return false
}

// Ending says whether a job that runs has been cancelled.
func (s *Studio) Ending(id int64) bool { return s.ending != nil && s.ending(id) }

// CancelJob ends work that waits or runs: it counts as failed, and can be retried.
func (s *Studio) CancelJob(ctx context.Context, p people.Principal, id int64) error {
	if err := p.Need(people.Contribute); err != nil {
		return err
	}
	if s.cancel == nil {
		return library.ErrNotFound
	}
	err := s.cancel(ctx, id, p.Name)
	if err != nil && !errors.Is(err, context.Canceled) {
		return library.Invalid("This work can't be cancelled, or has ended.")
	}
	return err
}
