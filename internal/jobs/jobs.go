// Package jobs is a durable work queue in the application's database.
//
// A job is a row: a kind, and a key that says what it is about. It is added in the
// transaction that makes it necessary, so it can be neither forgotten nor run for
// something that never happened. Every job must be safe to run twice. One that fails is
// tried again with a growing pause, then kept as failed until somebody retries it. One
// that is asked for while it runs is run once more.
//
// A job is counted when it is taken. If the process ends during it, it is taken again,
// but alone, and after others, fifty at most: after three times it is failed, as it may be what
// ends the process. Which job is next: see Lane.
package jobs

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
)

const (
	takes = 3           // ends of the process until a job is failed
	idle  = time.Second // between looks for delayed jobs
	// suspectEvery is how many jobs a suspect waits for at most.
	suspectEvery = 50
	// lostAfter is how often jobs are looked for that count as running and are not.
	lostAfter = 30 * time.Second
	// fullPause is how long a job waits when the disk is full.
	fullPause = 5 * time.Second
)

// pauses are how long a job waits after each error but the last one, unless its lane says otherwise.
var pauses = []time.Duration{500 * time.Millisecond, 2 * time.Second, 8 * time.Second}

// Execer is a transaction or database.
type Execer interface {
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// Add puts a job into the queue. A waiting job of the same kind and key is not added
// again; a running one is run once more when it has ended; a failed one gets another
// chance. Of one person's, higher priorities go first; who is "" for the server's own work.
func Add(ctx context.Context, tx Execer, kind, key string, priority int, who string) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO jobs (kind, key, priority, run_at, who) VALUES (?, ?, ?, 0, ?)
		ON CONFLICT (kind, key) DO UPDATE SET priority = max(priority, excluded.priority),
			again = (state = 'running'),
			attempts = CASE state WHEN 'failed' THEN 0 ELSE attempts END,
			taken = CASE state WHEN 'failed' THEN 0 ELSE taken END,
			run_at = CASE state WHEN 'failed' THEN 0 ELSE run_at END,
			state = CASE state WHEN 'failed' THEN 'waiting' ELSE state END`, kind, key, priority, who)
	if err != nil {
		return fmt.Errorf("add job %s %s: %w", kind, key, err)
	}
	return nil
}

// Hurry adds a job, or ends its pause if it waits to be tried again.
func Hurry(ctx context.Context, tx Execer, kind, key string, priority int, who string) error {
	if err := Add(ctx, tx, kind, key, priority, who); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `UPDATE jobs SET run_at = 0, attempts = 0 WHERE kind = ? AND key = ? AND state = 'waiting'`, kind, key); err != nil {
		return fmt.Errorf("hurry job %s %s: %w", kind, key, err)
	}
	return nil
}

// Permanent marks an error that trying again cannot mend.
type Permanent struct{ Err error }

func (p Permanent) Error() string { return p.Err.Error() }
func (p Permanent) Unwrap() error { return p.Err }

// ErrTaken says that the process ended several times while a job was running.
var ErrTaken = errors.New("the program ended three times while this was being done")

// Handler does the work of one kind of job.
type Handler func(ctx context.Context, key string) error

// Queue runs jobs.
type Queue struct {
	db, read *sql.DB
	log      *slog.Logger
	handlers map[string]Handler
	failed   func(ctx context.Context, kind, key string, err error)
	wake     chan struct{}
	alone    *solo // taken by a job that may end the process
	running  atomic.Int64
	looks    atomic.Int64 // for a job, by which suspects get their turn
	lanes    []Lane
	person   func(ctx context.Context, who, lane string) context.Context

	workers sync.WaitGroup
	room    time.Duration // how long a job waits when the disk is full
	slice   time.Duration // how long a job has its worker until it may give it back

	mu     sync.Mutex // held while a job is taken
	held   map[int64]*held
	parked map[string][]*held // jobs that gave back a worker, the longest ago first; by the lane that the worker belongs to
	served map[string]int     // when it was a lane's turn, or somebody's in a lane
	turn   int

	Done     atomic.Int64 // jobs finished since the start
	Failures atomic.Int64 // attempts that ended in an error
}

// New makes a queue on a database: db for its serialised writes, read for looking.
func New(db, read *sql.DB, log *slog.Logger) *Queue {
	return &Queue{db: db, read: read, log: log, handlers: map[string]Handler{}, wake: make(chan struct{}, 1), held: map[int64]*held{}, served: map[string]int{},
		alone: newSolo(), parked: map[string][]*held{}, slice: slice, room: fullPause,
		person: func(ctx context.Context, _, _ string) context.Context { return ctx },
		failed: func(context.Context, string, string, error) {}}
}

// Handle sets who does a kind of job. It must be called before Run.
func (q *Queue) Handle(kind string, h Handler) { q.handlers[kind] = h }

// OnPerson sets how a job's context is told whose work it is, and in which lane.
func (q *Queue) OnPerson(f func(ctx context.Context, who, lane string) context.Context) { q.person = f }

// OnFailure sets what happens when a job has failed for good.
func (q *Queue) OnFailure(f func(ctx context.Context, kind, key string, err error)) { q.failed = f }

// Wake tells the workers that jobs were added.
func (q *Queue) Wake() {
	select {
	case q.wake <- struct{}{}:
	default:
	}
}

// Running is how many jobs are being worked on.
func (q *Queue) Running() int { return int(q.running.Load()) }

// Run works until the context ends, and returns when the last job has stopped. Jobs that
// an earlier process left running are taken up again: a data folder has one server at a
// time. Beside the workers that all lanes share, some lanes have some of their own.
func (q *Queue) Run(ctx context.Context, workers int) error {
	if _, err := q.db.ExecContext(ctx, `UPDATE jobs SET state = 'waiting' WHERE state = 'running'`); err != nil {
		return fmt.Errorf("take over jobs: %w", err)
	}
	for range workers {
		q.workers.Go(func() { q.work(ctx, "") })
	}
	for _, l := range q.lanes {
		for range l.Own {
			q.workers.Go(func() { q.work(ctx, l.Name) })
		}
	}
	q.workers.Go(func() { q.watch(ctx) })
	q.workers.Wait()
	return nil
}

// watch takes up jobs that count as running and that this process does not hold: nothing else would.
func (q *Queue) watch(ctx context.Context) {
	look := time.NewTicker(lostAfter)
	defer look.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-look.C:
		}
		if n, err := q.reclaim(ctx); err != nil && ctx.Err() == nil {
			q.log.Error("look for lost jobs", "error", err)
		} else if n > 0 {
			q.log.Warn("jobs that nobody did are taken up again", "jobs", n)
			q.Wake()
		}
	}
}

// reclaim lets jobs wait again that count as running and that this process does not hold.
func (q *Queue) reclaim(ctx context.Context) (n int64, err error) {
	q.mu.Lock()
	defer q.mu.Unlock()
	ids := "0"
	for id := range q.held {
		ids += fmt.Sprintf(", %d", id)
	}
	r, err := q.db.ExecContext(ctx, `UPDATE jobs SET state = 'waiting' WHERE state = 'running' AND id NOT IN (`+ids+`)`)
	if err != nil {
		return 0, err
	}
	return r.RowsAffected()
}

// work does jobs; of one lane alone, if it is named.
func (q *Queue) work(ctx context.Context, only string) {
	look := time.NewTicker(idle)
	defer look.Stop()
	for ctx.Err() == nil {
		did, err := q.next(ctx, only)
		if did {
			continue
		}
		if err != nil && ctx.Err() == nil {
			q.log.Error("take a job", "error", err)
			if full(err) {
				select {
				case <-ctx.Done():
				case <-time.After(q.room):
				}
				continue
			}
		}
		select {
		case <-ctx.Done():
		case <-q.wake:
		case <-look.C:
		}
	}
}

// next does a part of a job: of one that gave its worker back and of one that waits by turns.
func (q *Queue) next(ctx context.Context, only string) (did bool, err error) {
	// A suspect waits until nothing else does, but not behind any number of others.
	if only == "" && q.looks.Add(1)%suspectEvery == 0 {
		if did, err = q.oneAlone(ctx); did || err != nil {
			return did, err
		}
	}
	if did, err = q.oneBeside(ctx, false, only); err != nil {
		return did, err
	}
	if q.goOn(only) || did {
		return true, nil
	}
	if only == "" {
		return q.oneAlone(ctx)
	}
	if l, ok := q.lane(only); !ok || !l.Alone {
		return false, nil
	}
	return q.oneBeside(ctx, true, only) // nobody else takes what was interrupted in this lane
}

// oneBeside begins a job beside others, if one is ready.
func (q *Queue) oneBeside(ctx context.Context, suspect bool, only string) (bool, error) {
	if n, err := q.ready(ctx, suspect); n == 0 || err != nil {
		return false, err
	}
	if q.waits(only) == 0 {
		q.alone.enter()
	} else if !q.alone.tryEnter() { // who waits to be alone waits for those that gave their workers back
		return false, nil
	}
	return q.one(ctx, suspect, only, q.alone.leave)
}

// oneAlone does a suspect while nothing else is done, if one is ready.
func (q *Queue) oneAlone(ctx context.Context) (bool, error) {
	if n, err := q.ready(ctx, true); n == 0 || err != nil {
		return false, err
	}
	for q.goOn("") { // nobody else might
	}
	q.alone.enterAlone()
	return q.one(ctx, true, "", q.alone.leaveAlone)
}

// one takes a job and does it, until it gives the worker back or ends; then ended is called.
func (q *Queue) one(ctx context.Context, suspect bool, only string, ended func()) (bool, error) {
	ctx, cancel := context.WithCancelCause(ctx)
	j, h, err := q.take(ctx, suspect, only, cancel)
	if err != nil {
		cancel(nil)
		ended()
		if errors.Is(err, sql.ErrNoRows) {
			err = nil
		}
		return false, err
	}
	q.Wake() // perhaps there is more
	q.workers.Go(func() {
		defer cancel(nil)
		q.do(ctx, j, h)
		ended()
		h.back <- struct{}{}
	})
	<-h.back
	return true, nil
}

// ready counts, without the writer, whether there is a job to take: 0 or 1.
func (q *Queue) ready(ctx context.Context, suspect bool) (n int, err error) {
	which := `jobs WHERE state = 'waiting' AND taken = 0`
	if suspect {
		which = `jobs INDEXED BY jobs_suspect WHERE state = 'waiting' AND taken > 0`
	}
	err = q.read.QueryRowContext(ctx, `SELECT count(*) FROM (SELECT 1 FROM `+which+` AND run_at <= ? LIMIT 1)`, time.Now().UnixMilli()).Scan(&n)
	return n, err
}

type job struct {
	id              int64
	kind, key, who  string
	attempts, taken int
	lane            Lane
}

// take takes the job whose turn it is; sql.ErrNoRows if there is none that may run.
func (q *Queue) take(ctx context.Context, suspect bool, only string, cancel context.CancelCauseFunc) (j job, h *held, err error) {
	q.mu.Lock()
	defer q.mu.Unlock()
	now := time.Now().UnixMilli()
	kinds, err := q.distinct(ctx, "kind", "")
	if err != nil {
		return j, nil, err
	}
	for _, l := range q.order(only) {
		id, err := q.nextOf(ctx, l, kinds, suspect, now)
		if err != nil {
			return j, nil, err
		}
		if id == 0 {
			continue
		}
		counts := 1
		if l.Harmless {
			counts = 0
		}
		err = q.db.QueryRowContext(ctx, `UPDATE jobs SET state = 'running', taken = taken + ?, again = 0
			WHERE id = ? AND state = 'waiting' RETURNING id, kind, key, who, attempts, taken`, counts, id).Scan(&j.id, &j.kind, &j.key, &j.who, &j.attempts, &j.taken)
		if errors.Is(err, sql.ErrNoRows) {
			continue // it was cancelled meanwhile
		}
		if err != nil {
			return j, nil, err
		}
		j.lane = l
		h = &held{queue: q, lane: l.Name, who: j.who, only: only, since: time.Now(), cancel: cancel, on: make(chan struct{}, 1), back: make(chan struct{}, 1)}
		q.held[j.id] = h
		q.serve(l, j.who)
		return j, h, nil
	}
	return j, nil, sql.ErrNoRows
}

func (q *Queue) do(ctx context.Context, j job, h *held) {
	q.running.Add(1)
	defer q.running.Add(-1)
	var err error
	if j.taken > takes {
		err = Permanent{ErrTaken}
	} else {
		err = q.within(q.person(context.WithValue(ctx, holdKey{}, h), j.who, j.lane.Name), j, h)
	}
	q.mu.Lock()
	by := h.cancelled
	q.mu.Unlock()
	stopping := ctx.Err() != nil && by == ""
	if by != "" && err != nil {
		err = Permanent{Cancelled{by}}
	}
	q.end(ctx, j, err, stopping)
	q.mu.Lock()
	if q.held[j.id] == h { // it may have been taken again since its end was written
		delete(q.held, j.id)
	}
	q.mu.Unlock()
}

// within runs a job, until its lane's deadline at most.
func (q *Queue) within(ctx context.Context, j job, h *held) error {
	if j.lane.Deadline == 0 {
		return q.call(ctx, j.kind, j.key)
	}
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	h.clock = newClock(j.lane.Deadline, func() { cancel(ErrTooLong) })
	defer h.clock.pause()
	err := q.call(ctx, j.kind, j.key)
	if err != nil && context.Cause(ctx) == ErrTooLong {
		return Permanent{ErrTooLong}
	}
	return err
}

// end writes down how a job ended: even while stopping, and for as long as it takes otherwise, since a job that counts
// as running is done by nobody.
func (q *Queue) end(ctx context.Context, j job, err error, stopping bool) {
	kept := context.WithoutCancel(ctx)
	for pause := 50 * time.Millisecond; ; pause = min(2*pause, 5*time.Second) {
		once, cancel := context.WithTimeout(kept, 10*time.Second)
		problem := q.note(once, j, err, stopping)
		cancel()
		if problem == nil {
			return
		}
		q.log.Error("note the end of a job", "kind", j.kind, "key", j.key, "error", problem)
		if stopping || ctx.Err() != nil {
			return // the next process takes it up
		}
		time.Sleep(pause)
	}
}

// note writes down how a job ended.
func (q *Queue) note(ctx context.Context, j job, err error, stopping bool) error {
	set := func(query string, args ...any) error {
		_, err := q.db.ExecContext(ctx, `UPDATE jobs SET again = 0, `+query+` WHERE id = ?`, append(args, j.id)...)
		return err
	}
	after := func(d time.Duration) int64 { return time.Now().Add(d).UnixMilli() }
	var last Permanent
	switch {
	case err == nil:
		q.Done.Add(1)
		r, err := q.db.ExecContext(ctx, `DELETE FROM jobs WHERE id = ? AND again = 0`, j.id)
		if err != nil {
			return err
		}
		if n, err := r.RowsAffected(); n > 0 || err != nil {
			return err
		}
		return set(`state = 'waiting', taken = 0, attempts = 0, run_at = 0`) // asked for while it ran
	case stopping && !errors.As(err, &last):
		return set(`state = 'waiting', taken = max(0, taken - 1)`)
	case full(err): // not the job's fault: it waits for room
		q.Failures.Add(1)
		q.log.Error("the disk is full; the job waits for room", "kind", j.kind, "key", j.key)
		return set(`state = 'waiting', taken = 0, run_at = ?, error = ?`, after(q.room), err.Error())
	case j.attempts >= len(j.lane.pauses()) || errors.As(err, &last):
		q.Failures.Add(1)
		q.log.Error("job failed", "kind", j.kind, "key", j.key, "error", err)
		q.failed(ctx, j.kind, j.key, err)
		return set(`state = 'failed', attempts = attempts + 1, error = ?`, err.Error())
	}
	q.Failures.Add(1)
	q.log.Warn("job will be tried again", "kind", j.kind, "key", j.key, "attempt", j.attempts+1, "error", err)
	return set(`state = 'waiting', taken = 0, attempts = attempts + 1, run_at = ?, error = ?`, after(j.lane.pauses()[j.attempts]), err.Error())
}

// full says whether an error is that of a full disk: of a file, or of the database,
// which has a code of its own for it (SQLITE_FULL).
func full(err error) bool {
	var coded interface{ Code() int }
	return errors.Is(err, syscall.ENOSPC) || errors.As(err, &coded) && coded.Code() == 13
}

// call runs the handler; a panic in it is an error of the job, not the end of the server.
func (q *Queue) call(ctx context.Context, kind, key string) (err error) {
	h := q.handlers[kind]
	if h == nil {
		return Permanent{fmt.Errorf("nothing handles jobs of kind %q", kind)}
	}
	defer func() {
		if p := recover(); p != nil {
			q.log.Error("panic in a job", "kind", kind, "key", key, "panic", p)
			err = Permanent{fmt.Errorf("internal error: %v", p)}
		}
	}()
	return h(ctx, key)
}

// Waiting counts the jobs that are not finished.
func (q *Queue) Waiting(ctx context.Context) (n int, err error) {
	err = q.read.QueryRowContext(ctx, `SELECT count(*) FROM jobs WHERE state <> 'failed'`).Scan(&n)
	return n, err
}

// Queryer is a transaction or database to read from.
type Queryer interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

// Entry is a job as people look at it.
type Entry struct {
	ID        int64
	Kind, Key string
	State     string // waiting, running or failed
	Attempts  int    // that ended in an error
	Error     string // of the last attempt; "" if there is none
	Who       string // whose work it is; "" for the server's own
}

// List gives the jobs that run and those that failed, most of them n, and how many wait of
// each kind.
func List(ctx context.Context, db Queryer, n int) (list []Entry, waiting map[string]int, err error) {
	rows, err := db.QueryContext(ctx, `SELECT id, kind, key, state, attempts, error, who FROM jobs WHERE state <> 'waiting' ORDER BY state DESC, id LIMIT ?`, n)
	if err != nil {
		return nil, nil, fmt.Errorf("list jobs: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var e Entry
		if err := rows.Scan(&e.ID, &e.Kind, &e.Key, &e.State, &e.Attempts, &e.Error, &e.Who); err != nil {
			return nil, nil, fmt.Errorf("list jobs: %w", err)
		}
		list = append(list, e)
	}
	if err := rows.Err(); err != nil {
		return nil, nil, fmt.Errorf("list jobs: %w", err)
	}
	kinds, err := db.QueryContext(ctx, `SELECT kind, count(*) FROM jobs WHERE state = 'waiting' GROUP BY kind`)
	if err != nil {
		return nil, nil, fmt.Errorf("count jobs: %w", err)
	}
	defer kinds.Close()
	waiting = map[string]int{}
	for kinds.Next() {
		var kind string
		var n int
		if err := kinds.Scan(&kind, &n); err != nil {
			return nil, nil, fmt.Errorf("count jobs: %w", err)
		}
		waiting[kind] = n
	}
	return list, waiting, kinds.Err()
}
