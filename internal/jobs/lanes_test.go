package jobs_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"

	"aldermoor/internal/jobs"
)

// recorder notes which jobs are done, and lets each wait until it is told to go on.
type recorder struct {
	mu    sync.Mutex
	order []string
	begun chan string
	on    chan struct{}
}

func (r *recorder) do(ctx context.Context, key string) error {
	r.mu.Lock()
	r.order = append(r.order, key)
	r.mu.Unlock()
	if r.begun != nil {
		r.begun <- key
		select {
		case <-r.on:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return nil
}

// Much work of one person comes between that of others; what is asked for first goes first otherwise.
func TestPeopleTakeTurnsInALane(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetLanes([]jobs.Lane{{Name: "handoffs", Kinds: []string{"handoff"}}})
	r := &recorder{}
	q.Handle("handoff", r.do)
	for i := range 20 {
		jobs.Add(t.Context(), db, "handoff", fmt.Sprint("greedy ", i), 5, "greedy")
	}
	for i := range 2 {
		jobs.Add(t.Context(), db, "handoff", fmt.Sprint("modest ", i), 1, "modest")
	}
	run(t, q, 1)
	if got := strings.Join(r.order[:5], ", "); got != "greedy 0, modest 0, greedy 1, modest 1, greedy 2" || len(r.order) != 22 {
		t.Errorf("%d done, first %s", len(r.order), got)
	}
}

// A lane with a worker of its own goes on while others take all that is shared, and a lane takes no more than its share.
func TestALaneKeepsItsWorker(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetLanes([]jobs.Lane{{Name: "intake", Kinds: []string{"examine"}, Own: 1}, {Name: "references", Kinds: []string{"view"}, Most: 1, Cancels: true}, {Name: "handoffs", Kinds: []string{"handoff"}, Cancels: true}})
	long, quick := &recorder{begun: make(chan string, 10), on: make(chan struct{})}, &recorder{}
	q.Handle("view", long.do)
	q.Handle("handoff", long.do)
	q.Handle("examine", quick.do)
	for i := range 3 {
		jobs.Add(t.Context(), db, "view", fmt.Sprint("view ", i), 9, "a")
	}
	jobs.Add(t.Context(), db, "handoff", "handoff", 1, "a")
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error)
	go func() { done <- q.Run(ctx, 2) }()
	first := []string{<-long.begun, <-long.begun}
	if all := strings.Join(first, " "); !strings.Contains(all, "handoff") || strings.Count(all, "view") != 1 {
		t.Errorf("with two workers %q run", all)
	}
	jobs.Add(t.Context(), db, "examine", "a delivery", 1, "b")
	q.Wake()
	for {
		quick.mu.Lock()
		n := len(quick.order)
		quick.mu.Unlock()
		if n == 1 {
			break
		}
	}
	if _, running := q.Lanes(); running["references"] != 1 || running["handoffs"] != 1 {
		t.Errorf("running: %v", running)
	}
	close(long.on)
	for range 2 {
		<-long.begun
	}
	stop()
	<-done
}

// What was interrupted in a lane that no shared worker serves is taken up by the lane's own.
func TestALaneOfItsOwnTakesUpWhatWasInterrupted(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetLanes([]jobs.Lane{{Name: "hooks", Kinds: []string{"hook"}, Own: 1, Alone: true}})
	told := make(chan string, 1)
	q.Handle("hook", func(_ context.Context, key string) error { told <- key; return nil })
	jobs.Add(t.Context(), db, "hook", "7", 1, "a")
	if _, err := db.ExecContext(t.Context(), `UPDATE jobs SET taken = 1`); err != nil { // the process ended during it
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error)
	go func() { done <- q.Run(ctx, 1) }()
	if key := <-told; key != "7" {
		t.Errorf("told %q", key)
	}
	stop()
	<-done
}

// What runs and what waits can be cancelled, if its lane allows that; it fails with who did it, and others go on.
func TestCancel(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetLanes([]jobs.Lane{{Name: "intake", Kinds: []string{"examine"}}, {Name: "references", Kinds: []string{"view"}, Most: 1, Cancels: true}})
	r := &recorder{begun: make(chan string, 10), on: make(chan struct{})}
	q.Handle("view", r.do)
	var mu sync.Mutex
	failed := map[string]error{}
	q.OnFailure(func(_ context.Context, _, key string, err error) { mu.Lock(); defer mu.Unlock(); failed[key] = err })
	for _, key := range []string{"runs", "waits", "stays"} {
		jobs.Add(t.Context(), db, "view", key, 1, "a")
	}
	jobs.Add(t.Context(), db, "examine", "file", 1, "a")
	id := func(key string) (id int64) {
		if err := read.QueryRow(`SELECT id FROM jobs WHERE key = ?`, key).Scan(&id); err != nil {
			t.Fatal(err)
		}
		return id
	}
	if err := q.Cancel(t.Context(), id("file"), "ada"); !errors.Is(err, jobs.ErrNoCancel) {
		t.Errorf("a delivery's work is cancelled: %v", err)
	}
	db.Exec(`DELETE FROM jobs WHERE key = 'file'`)
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error)
	go func() { done <- q.Run(ctx, 2) }()
	<-r.begun
	for _, key := range []string{"waits", "runs"} {
		if err := q.Cancel(t.Context(), id(key), "ada"); err != nil {
			t.Errorf("cancel what %s: %v", key, err)
		}
	}
	if next := <-r.begun; next != "stays" {
		t.Errorf("next is %q", next)
	}
	close(r.on)
	for n := 3; n > 2; {
		db.QueryRow(`SELECT count(*) FROM jobs`).Scan(&n)
	}
	stop()
	<-done
	for _, key := range []string{"runs", "waits"} {
		var by jobs.Cancelled
		if !errors.As(failed[key], &by) || by.By != "ada" {
			t.Errorf("what %s failed by %v", key, failed[key])
		}
		var state, says string
		if db.QueryRow(`SELECT state, error FROM jobs WHERE key = ?`, key).Scan(&state, &says); state != "failed" || says != "cancelled by ada" {
			t.Errorf("what %s is %s: %s", key, state, says)
		}
	}
	if err := q.Cancel(t.Context(), 999, "ada"); !errors.Is(err, jobs.ErrNoCancel) {
		t.Errorf("a job that is not there: %v", err)
	}
}

// A job that counts as running, and that nobody does, is taken up again; one that is done is left alone.
func TestLostJobsAreTakenUp(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	r := &recorder{begun: make(chan string, 10), on: make(chan struct{})}
	q.Handle("draw", r.do)
	jobs.Add(t.Context(), db, "draw", "held", 1, "")
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error)
	go func() { done <- q.Run(ctx, 2) }()
	<-r.begun
	jobs.Add(t.Context(), db, "draw", "lost", 1, "")
	if key := <-r.begun; key != "lost" {
		t.Fatal(key)
	}
	jobs.Add(t.Context(), db, "draw", "gone", 1, "")
	if _, err := db.Exec(`UPDATE jobs SET state = 'running' WHERE key = 'gone'`); err != nil { // as after a stall
		t.Fatal(err)
	}
	if n, err := q.Reclaim(t.Context()); n != 1 || err != nil {
		t.Errorf("%d jobs are taken up: %v", n, err)
	}
	close(r.on)
	if key := <-r.begun; key != "gone" {
		t.Error(key)
	}
	stop()
	<-done
}

// With a hundred thousand jobs waiting, taking one looks at a few of them.
func BenchmarkTake(b *testing.B) {
	db, read := database(b)
	tx, _ := db.Begin()
	for i := range 100_000 {
		jobs.Add(b.Context(), tx, []string{"picture", "examine", "handoff"}[i%3], fmt.Sprint(i), i%4, fmt.Sprint("person ", i%50))
	}
	tx.Commit()
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetLanes([]jobs.Lane{{Name: "intake", Kinds: []string{"examine"}}, {Name: "pictures", Kinds: []string{"picture"}}})
	n, enough := 0, make(chan bool)
	for _, kind := range []string{"picture", "examine", "handoff"} {
		q.Handle(kind, func(context.Context, string) error {
			if n++; n == b.N {
				close(enough)
			}
			return nil
		})
	}
	ctx, stop := context.WithCancel(b.Context())
	b.ResetTimer()
	done := make(chan error)
	go func() { done <- q.Run(ctx, 1) }()
	<-enough
	stop()
	<-done
}
