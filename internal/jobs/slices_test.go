package jobs_test

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"aldermoor/internal/jobs"
)

// parts is a handler of jobs of several parts, which gives its worker back between them, and the order of all parts.
type parts struct {
	mu    sync.Mutex
	order []string
	most  int // at a time
	now   int
	n     int
}

func (p *parts) do(ctx context.Context, key string) error {
	for range p.n {
		p.mu.Lock()
		p.now++
		p.most = max(p.most, p.now)
		p.order = append(p.order, key)
		p.now--
		p.mu.Unlock()
		jobs.GiveBack(ctx)
		if err := ctx.Err(); err != nil {
			return err
		}
	}
	return nil
}

// One worker and long jobs of four people: all go on in turns, what is short comes between them, and of one person's jobs
// the second begins when the first has ended.
func TestLongJobsGiveTheirWorkerBack(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetSlice(0)
	q.SetLanes([]jobs.Lane{{Name: "references", Kinds: []string{"view"}, Most: 1}, {Name: "pictures", Kinds: []string{"picture"}}})
	long, short := &parts{n: 40}, &recorder{}
	q.Handle("view", long.do)
	q.Handle("picture", func(ctx context.Context, key string) error {
		long.mu.Lock()
		long.order = append(long.order, key)
		long.mu.Unlock()
		return short.do(ctx, key)
	})
	for _, key := range []string{"a 1", "a 2", "b 1", "c 1", "d 1"} {
		jobs.Add(t.Context(), db, "view", key, 1, key[:1])
	}
	for i := range 5 {
		jobs.Add(t.Context(), db, "picture", fmt.Sprint("e ", i), 1, "e")
	}
	run(t, q, 1)
	count := map[string]int{}
	for _, k := range long.order {
		count[k]++
	}
	for _, key := range []string{"a 1", "a 2", "b 1", "c 1", "d 1"} {
		if count[key] != long.n {
			t.Errorf("%s did %d parts of %d", key, count[key], long.n)
		}
	}
	last := func(key string) int {
		for i := len(long.order) - 1; i >= 0; i-- {
			if long.order[i] == key {
				return i
			}
		}
		return -1
	}
	if at := slices.Index(long.order, "b 1"); at > last("a 1") || at > 12 {
		t.Errorf("b's job began after %d parts, when a's had ended: %s", at, strings.Join(long.order[:at+1], ", "))
	}
	if at := slices.Index(long.order, "a 2"); at < last("a 1") {
		t.Errorf("a's second job began while the first waited for its turn")
	}
	if at := last("e 4"); at < 0 || at > 60 {
		t.Errorf("the short jobs were done after %d parts of %d", at, len(long.order))
	}
}

// A job that has had its worker for less than a slice keeps it.
func TestShortJobsKeepTheirWorker(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetSlice(time.Hour)
	p := &parts{n: 5}
	q.Handle("view", p.do)
	jobs.Add(t.Context(), db, "view", "a", 1, "a")
	jobs.Add(t.Context(), db, "view", "b", 1, "b")
	run(t, q, 1)
	if got := strings.Join(p.order, ""); got != "aaaaabbbbb" {
		t.Errorf("they were done as %s", got)
	}
	jobs.GiveBack(t.Context()) // outside of a job: nothing
}

// A job that waits for its turn is cancelled at once; the one that has its worker goes on, and others after it.
func TestCancelWhileWaitingForATurn(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetSlice(0)
	q.SetLanes([]jobs.Lane{{Name: "references", Kinds: []string{"view"}, Cancels: true}, {Name: "handoffs", Kinds: []string{"handoff"}}})
	begun, ended, on := make(chan struct{}), make(chan error, 1), make(chan struct{})
	var after atomic.Int64
	q.Handle("view", func(ctx context.Context, _ string) error {
		jobs.GiveBack(ctx)
		ended <- ctx.Err()
		return ctx.Err()
	})
	q.Handle("handoff", func(_ context.Context, key string) error {
		if key == "first" {
			close(begun)
			<-on
		}
		after.Add(1)
		return nil
	})
	jobs.Add(t.Context(), db, "view", "long", 9, "a")
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error)
	go func() { done <- q.Run(ctx, 1) }()
	// The view runs first: only then is there something for its worker to go to.
	jobs.Add(t.Context(), db, "handoff", "first", 1, "b")
	q.Wake()
	<-begun
	list, _, err := jobs.List(t.Context(), read, 10)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range list {
		if e.Kind == "view" {
			if err := q.Cancel(t.Context(), e.ID, "c"); err != nil {
				t.Error(err)
			}
			if err := <-ended; !errors.Is(err, context.Canceled) {
				t.Errorf("the view ended with %v", err)
			}
		}
	}
	close(on)
	jobs.Add(t.Context(), db, "handoff", "second", 1, "b")
	for after.Load() < 2 {
		q.Wake()
		time.Sleep(time.Millisecond)
	}
	stop()
	<-done
}

// Who must be alone waits for those inside and for those who come in on their behalf, and keeps new ones out.
func TestAJobThatEndsTheProcessRunsAlone(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetSlice(0)
	var inside, beside atomic.Int64
	q.Handle("view", func(ctx context.Context, key string) error {
		inside.Add(1)
		defer inside.Add(-1)
		for range 20 {
			jobs.GiveBack(ctx)
		}
		return nil
	})
	q.Handle("suspect", func(context.Context, string) error {
		beside.Store(max(beside.Load(), inside.Load()))
		return nil
	})
	for i := range 60 {
		jobs.Add(t.Context(), db, "view", fmt.Sprint(i), 1, fmt.Sprint(i%7))
	}
	jobs.Add(t.Context(), db, "suspect", "it", 1, "z")
	if _, err := db.ExecContext(t.Context(), `UPDATE jobs SET taken = 1 WHERE kind = 'suspect'`); err != nil {
		t.Fatal(err)
	}
	run(t, q, 3)
	if n := beside.Load(); n > 0 || q.Failures.Load() > 0 {
		t.Errorf("%d jobs ran beside it (%d failures)", n, q.Failures.Load())
	}
}
