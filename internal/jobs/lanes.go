package jobs

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"
)

// Lane is work of some kinds that the same people wait for. Lanes share the workers evenly: of those with work that may
// run, the one with the fewest running jobs goes first. Within a lane people take turns.
type Lane struct {
	Name     string
	Kinds    []string
	Most     int             // jobs at a time; 0 for no bound
	Deadline time.Duration   // of one job; 0 for none
	Cancels  bool            // its jobs may be cancelled
	Own      int             // workers of its own beside those that all share
	Alone    bool            // no other worker takes its jobs
	Harmless bool            // its jobs cannot end the process: an end of it during one is not counted
	Pauses   []time.Duration // after each error but the last one; nil for the default
}

func (l *Lane) pauses() []time.Duration {
	if l.Pauses != nil {
		return l.Pauses
	}
	return pauses
}

// others is the lane of kinds that no lane names.
const others = ""

// SetLanes sets the lanes. It must be called before Run.
func (q *Queue) SetLanes(lanes []Lane) {
	q.lanes = slices.Clone(lanes)
}

// lane is a lane by its name.
func (q *Queue) lane(name string) (Lane, bool) {
	i := slices.IndexFunc(q.lanes, func(l Lane) bool { return l.Name == name })
	if i < 0 {
		return Lane{}, false
	}
	return q.lanes[i], true
}

// laneOf is the lane of a kind.
func (q *Queue) laneOf(kind string) Lane {
	for _, l := range q.lanes {
		if slices.Contains(l.Kinds, kind) {
			return l
		}
	}
	return Lane{Name: others}
}

// Lanes are the lanes, each with how many of its jobs run.
func (q *Queue) Lanes() (lanes []Lane, running map[string]int) {
	q.mu.Lock()
	defer q.mu.Unlock()
	running = map[string]int{}
	for _, h := range q.held {
		running[h.lane]++
	}
	return slices.Clone(q.lanes), running
}

// Busy says whether a job of a lane runs.
func (q *Queue) Busy(lane string) bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	for _, h := range q.held {
		if h.lane == lane {
			return true
		}
	}
	return false
}

// Cancelling says whether a job that runs has been cancelled: it ends as soon as its work looks.
func (q *Queue) Cancelling(id int64) bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	h := q.held[id]
	return h != nil && h.cancelled != ""
}

// held is a job that this process runs.
type held struct {
	queue     *Queue
	lane, who string
	only      string // the lane that its worker belongs to; "" for those that all share
	cancel    context.CancelCauseFunc
	cancelled string // by whom; "" for nobody
	parked    bool   // it gave its worker back and waits for its turn
	clock     *clock // towards its deadline; nil if it has none

	on   chan struct{} // tells it to go on
	back chan struct{} // tells its worker that it gave it back, or has ended

	part  sync.Mutex // held while one of its parts gives the worker back
	since time.Time  // it has its worker
}

// Cancelled is the error of a job that somebody has cancelled.
type Cancelled struct{ By string }

func (c Cancelled) Error() string { return "cancelled by " + c.By }

// ErrTooLong is the error of a job that did not end by its lane's deadline.
var ErrTooLong = errors.New("it took longer than such work may take")

// ErrNoCancel says that a job is not of a kind that may be cancelled, or has ended.
var ErrNoCancel = errors.New("this work cannot be cancelled, or has ended")

// Cancel ends a job that waits or runs: it fails with the error Cancelled, and can be retried.
func (q *Queue) Cancel(ctx context.Context, id int64, by string) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	var kind, key, state string
	err := q.read.QueryRowContext(ctx, `SELECT kind, key, state FROM jobs WHERE id = ?`, id).Scan(&kind, &key, &state)
	if errors.Is(err, sql.ErrNoRows) || err == nil && !q.laneOf(kind).Cancels {
		return ErrNoCancel
	}
	if err != nil {
		return fmt.Errorf("cancel job %d: %w", id, err)
	}
	if h := q.held[id]; h != nil {
		h.cancelled = by
		h.cancel(Cancelled{by})
		return nil
	}
	r, err := q.db.ExecContext(ctx, `UPDATE jobs SET state = 'failed', error = ? WHERE id = ? AND state = 'waiting'`, Cancelled{by}.Error(), id)
	if err != nil {
		return fmt.Errorf("cancel job %d: %w", id, err)
	}
	if n, err := r.RowsAffected(); err != nil || n == 0 {
		return cmp.Or(err, ErrNoCancel)
	}
	q.failed(ctx, kind, key, Cancelled{by})
	return nil
}

// order are the lanes that a worker may take from, the one whose turn it is first: only the one that it belongs to, or
// those that share workers.
func (q *Queue) order(only string) (lanes []Lane) {
	running, parked := map[string]int{}, map[string]int{}
	for _, h := range q.held {
		if h.parked {
			parked[h.lane]++
		} else {
			running[h.lane]++
		}
	}
	all := append(slices.Clone(q.lanes), Lane{Name: others})
	for _, l := range all {
		if only != "" && l.Name != only || only == "" && l.Alone {
			continue
		}
		if (l.Most == 0 || running[l.Name] < l.Most) && parked[l.Name] < mostParked {
			lanes = append(lanes, l)
		}
	}
	slices.SortStableFunc(lanes, func(a, b Lane) int {
		return cmp.Or(running[a.Name]-running[b.Name], cmp.Compare(q.served["lane "+a.Name], q.served["lane "+b.Name]))
	})
	return lanes
}

// distinct are the values of a column of waiting jobs, each found by its index alone: there may be many jobs, of few
// kinds and people.
func (q *Queue) distinct(ctx context.Context, column, where string, args ...any) (list []string, err error) {
	twice := append(slices.Clone(args), args...)
	rows, err := q.read.QueryContext(ctx, `WITH RECURSIVE d(v) AS (
		SELECT min(`+column+`) FROM jobs WHERE state = 'waiting'`+where+`
		UNION ALL SELECT (SELECT min(`+column+`) FROM jobs WHERE state = 'waiting'`+where+` AND `+column+` > d.v) FROM d WHERE d.v IS NOT NULL)
		SELECT v FROM d WHERE v IS NOT NULL`, twice...)
	if err != nil {
		return nil, fmt.Errorf("look for jobs: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var v string
		if err := rows.Scan(&v); err != nil {
			return nil, fmt.Errorf("look for jobs: %w", err)
		}
		list = append(list, v)
	}
	return list, rows.Err()
}

// nextOf is the job of a lane whose turn it is; kinds are those that wait. Its id is 0 if none of them may run now.
func (q *Queue) nextOf(ctx context.Context, l Lane, kinds []string, suspect bool, now int64) (id int64, err error) {
	byPerson := map[string][]string{}
	for _, kind := range kinds {
		if q.laneOf(kind).Name != l.Name {
			continue
		}
		people, err := q.distinct(ctx, "who", " AND kind = ?", kind)
		if err != nil {
			return 0, err
		}
		for _, who := range people {
			byPerson[who] = append(byPerson[who], kind)
		}
	}
	for _, h := range q.held {
		if h.parked && h.lane == l.Name {
			delete(byPerson, h.who) // one of theirs has begun and waits for its turn
		}
	}
	people := slices.SortedFunc(maps.Keys(byPerson), func(a, b string) int {
		return cmp.Or(cmp.Compare(q.served[l.Name+" "+a], q.served[l.Name+" "+b]), strings.Compare(a, b))
	})
	sign := "= 0"
	if suspect {
		sign = "> 0"
	}
	for _, who := range people {
		best := 0
		for _, kind := range byPerson[who] {
			var one int64
			var priority int
			err := q.read.QueryRowContext(ctx, `SELECT id, priority FROM jobs WHERE state = 'waiting' AND kind = ? AND who = ? AND taken `+sign+` AND run_at <= ?
				ORDER BY priority DESC, id LIMIT 1`, kind, who, now).Scan(&one, &priority)
			if errors.Is(err, sql.ErrNoRows) {
				continue
			}
			if err != nil {
				return 0, fmt.Errorf("look for jobs: %w", err)
			}
			if id == 0 || priority > best || priority == best && one < id {
				id, best = one, priority
			}
		}
		if id != 0 {
			return id, nil
		}
	}
	return 0, nil
}

// serve notes that it was somebody's turn.
func (q *Queue) serve(l Lane, who string) {
	q.turn++
	q.served["lane "+l.Name], q.served[l.Name+" "+who] = q.turn, q.turn
}
