// Package jobs is a durable work queue in the application's database.
//
// A job is a row: a kind, and a key that says what it is about. It is added in
// the transaction that makes it necessary, so it can be neither forgotten nor
// run for something that never happened. A worker takes it under a lease that it
// renews; if the process dies the lease ends and another takes it. Every job
// must therefore be safe to run twice. A job that fails is tried again with a
// growing pause, then kept as failed.
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
	lease   = 30 * time.Second
	tries   = 4
	backOff = 500 * time.Millisecond
	// fullPause is how long a job waits when the disk is full.
	fullPause = 5 * time.Second
)

// Execer is a transaction or database.
type Execer interface {
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
}

// Add puts a job into the queue. A job of the same kind and key that has not
// been finished is not added again; one that had failed gets another chance.
// Higher priorities go first.
func Add(ctx context.Context, tx Execer, kind, key string, priority int) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO jobs (kind, key, priority, run_at) VALUES (?, ?, ?, 0)
		ON CONFLICT (kind, key) DO UPDATE SET state = 'waiting', attempts = 0, run_at = 0 WHERE state = 'failed'`, kind, key, priority)
	if err != nil {
		return fmt.Errorf("add job %s %s: %w", kind, key, err)
	}
	return nil
}

// Permanent marks an error that trying again cannot mend.
type Permanent struct{ Err error }

func (p Permanent) Error() string { return p.Err.Error() }
func (p Permanent) Unwrap() error { return p.Err }

// Handler does the work of one kind of job.
type Handler func(ctx context.Context, key string) error

// Queue runs jobs.
type Queue struct {
	db       *sql.DB
	log      *slog.Logger
	handlers map[string]Handler
	failed   func(ctx context.Context, kind, key string, err error)
	wake     chan struct{}
	running  atomic.Int64
	Done     atomic.Int64 // jobs finished since the start
	Failures atomic.Int64 // attempts that ended in an error
}

// New makes a queue on a database whose writes are serialised.
func New(db *sql.DB, log *slog.Logger) *Queue {
	return &Queue{db: db, log: log, handlers: map[string]Handler{}, wake: make(chan struct{}, 1),
		failed: func(context.Context, string, string, error) {}}
}

// Handle sets who does a kind of job. It must be called before Run.
func (q *Queue) Handle(kind string, h Handler) { q.handlers[kind] = h }

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

// Run works until the context ends, and returns when the last job has stopped.
// Leases left by an earlier process are ended first: a data folder has one
// server at a time.
func (q *Queue) Run(ctx context.Context, workers int) error {
	if _, err := q.db.ExecContext(ctx, `UPDATE jobs SET state = 'waiting', lease = 0 WHERE state = 'running'`); err != nil {
		return fmt.Errorf("take over jobs: %w", err)
	}
	var wg sync.WaitGroup
	for range workers {
		wg.Go(func() { q.work(ctx) })
	}
	wg.Wait()
	return nil
}

func (q *Queue) work(ctx context.Context) {
	idle := time.NewTicker(250 * time.Millisecond)
	defer idle.Stop()
	for ctx.Err() == nil {
		id, kind, key, attempts, err := q.take(ctx)
		if err == nil {
			q.Wake() // perhaps there is more
			q.do(ctx, id, kind, key, attempts)
			continue
		}
		if !errors.Is(err, sql.ErrNoRows) && ctx.Err() == nil {
			q.log.Error("take a job", "error", err)
			if full(err) {
				select {
				case <-ctx.Done():
				case <-time.After(fullPause):
				}
				continue
			}
		}
		select {
		case <-ctx.Done():
		case <-q.wake:
		case <-idle.C:
		}
	}
}

func (q *Queue) take(ctx context.Context) (id int64, kind, key string, attempts int, err error) {
	now := time.Now()
	err = q.db.QueryRowContext(ctx, `UPDATE jobs SET state = 'running', lease = ?, attempts = attempts + 1
		WHERE id = (SELECT id FROM jobs WHERE (state = 'waiting' AND run_at <= ?) OR (state = 'running' AND lease < ?)
			ORDER BY priority DESC, id LIMIT 1)
		RETURNING id, kind, key, attempts`, now.Add(lease).UnixMilli(), now.UnixMilli(), now.UnixMilli()).Scan(&id, &kind, &key, &attempts)
	return id, kind, key, attempts, err
}

func (q *Queue) do(ctx context.Context, id int64, kind, key string, attempts int) {
	q.running.Add(1)
	defer q.running.Add(-1)
	renew, stop := context.WithCancel(ctx)
	defer stop()
	go func() {
		t := time.NewTicker(lease / 3)
		defer t.Stop()
		for {
			select {
			case <-renew.Done():
				return
			case <-t.C:
				q.db.ExecContext(renew, `UPDATE jobs SET lease = ? WHERE id = ?`, time.Now().Add(lease).UnixMilli(), id)
			}
		}
	}()
	err := q.call(ctx, kind, key)
	stop()
	// What was done must be written down even while stopping.
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer cancel()
	var last Permanent
	switch {
	case err == nil:
		q.Done.Add(1)
		_, err = q.db.ExecContext(end, `DELETE FROM jobs WHERE id = ?`, id)
	case ctx.Err() != nil:
		_, err = q.db.ExecContext(end, `UPDATE jobs SET state = 'waiting', attempts = attempts - 1 WHERE id = ?`, id)
	case full(err): // not the job's fault: it waits for room
		q.Failures.Add(1)
		q.log.Error("the disk is full; the job waits for room", "kind", kind, "key", key)
		_, err = q.db.ExecContext(end, `UPDATE jobs SET state = 'waiting', attempts = attempts - 1, run_at = ?, error = ? WHERE id = ?`, time.Now().Add(fullPause).UnixMilli(), err.Error(), id)
	case attempts >= tries || errors.As(err, &last):
		q.Failures.Add(1)
		q.log.Error("job failed", "kind", kind, "key", key, "error", err)
		q.failed(end, kind, key, err)
		_, err = q.db.ExecContext(end, `UPDATE jobs SET state = 'failed', error = ? WHERE id = ?`, err.Error(), id)
	default:
		q.Failures.Add(1)
		q.log.Warn("job will be tried again", "kind", kind, "key", key, "attempt", attempts, "error", err)
		pause := backOff << (2 * (attempts - 1))
		_, err = q.db.ExecContext(end, `UPDATE jobs SET state = 'waiting', run_at = ?, error = ? WHERE id = ?`, time.Now().Add(pause).UnixMilli(), err.Error(), id)
	}
	if err != nil {
		q.log.Error("note the end of a job", "kind", kind, "key", key, "error", err)
	}
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
		return Permanent{fmt.Errorf("nobody does jobs of kind %q", kind)}
	}
	defer func() {
		if p := recover(); p != nil {
			err = Permanent{fmt.Errorf("job %s %s: panic: %v", kind, key, p)}
		}
	}()
	return h(ctx, key)
}

// Waiting counts the jobs that are not finished.
func (q *Queue) Waiting(ctx context.Context) (n int, err error) {
	err = q.db.QueryRowContext(ctx, `SELECT count(*) FROM jobs WHERE state <> 'failed'`).Scan(&n)
	return n, err
}
