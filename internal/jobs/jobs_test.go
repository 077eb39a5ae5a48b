package jobs_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"aldermoor/internal/jobs"
	"aldermoor/internal/store"
)

func database(t testing.TB) (db, read *sql.DB) {
	t.Helper()
	s, err := store.Open(t.Context(), t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s.DB(), s.Reads()
}

// run works on the queue until it is empty but for failed jobs.
func run(t *testing.T, q *jobs.Queue, workers int) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Minute)
	done := make(chan error)
	go func() { done <- q.Run(ctx, workers) }()
	for ctx.Err() == nil {
		if n, err := q.Waiting(ctx); err == nil && n == 0 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	if ctx.Err() != nil {
		t.Error("the queue was never empty")
	}
	cancel()
	<-done
}

func TestEachJobOnceInOrderOfPriority(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	var mu sync.Mutex
	var order []string
	q.Handle("note", func(_ context.Context, key string) error {
		mu.Lock()
		defer mu.Unlock()
		order = append(order, key)
		return nil
	})
	for i, p := range []int{0, 2, 1, 2} {
		if err := jobs.Add(t.Context(), db, "note", fmt.Sprint(i), p, ""); err != nil {
			t.Fatal(err)
		}
	}
	jobs.Add(t.Context(), db, "note", "3", 2, "") // again: no second job
	run(t, q, 1)
	if got := fmt.Sprint(order); got != "[1 3 2 0]" {
		t.Error(got)
	}
}

func TestRetriesThenFails(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	tries := map[string]int{}
	var mu sync.Mutex
	q.Handle("flaky", func(_ context.Context, key string) error {
		mu.Lock()
		defer mu.Unlock()
		tries[key]++
		switch {
		case key == "twice" && tries[key] < 2:
			return errors.New("not yet")
		case key == "never":
			return jobs.Permanent{Err: errors.New("never")}
		case key == "panics":
			panic("oh")
		}
		return nil
	})
	var failed []string
	q.OnFailure(func(_ context.Context, kind, key string, err error) {
		mu.Lock()
		defer mu.Unlock()
		failed = append(failed, key)
	})
	for _, k := range []string{"twice", "never", "panics"} {
		jobs.Add(t.Context(), db, "flaky", k, 0, "")
	}
	jobs.Add(t.Context(), db, "unknown kind", "x", 0, "")
	run(t, q, 2)
	if tries["twice"] != 2 || tries["never"] != 1 || tries["panics"] != 1 || len(failed) != 3 {
		t.Errorf("tries %v, failed %v", tries, failed)
	}
}

// A job whose worker died with the process is done by the next one.
func TestInterruptedJobIsDoneAgain(t *testing.T) {
	db, read := database(t)
	jobs.Add(t.Context(), db, "slow", "a", 0, "")
	first := jobs.New(db, read, slog.New(slog.DiscardHandler))
	started := make(chan bool)
	first.Handle("slow", func(ctx context.Context, _ string) error {
		close(started)
		<-ctx.Done()
		return ctx.Err()
	})
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan error)
	go func() { ended <- first.Run(ctx, 1) }()
	<-started
	if first.Running() != 1 {
		t.Error("the job is not counted as running")
	}
	cancel()
	<-ended
	second := jobs.New(db, read, slog.New(slog.DiscardHandler))
	did := 0
	second.Handle("slow", func(context.Context, string) error { did++; return nil })
	run(t, second, 1)
	if did != 1 {
		t.Errorf("done %d times", did)
	}
}

// A full disk is not the job's fault: it waits, however often, and goes on when there is room.
func TestAJobWaitsForRoom(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetRoomPause(time.Millisecond)
	tries := 0
	q.Handle("write", func(context.Context, string) error {
		if tries++; tries < 2 {
			return fmt.Errorf("write: %w", syscall.ENOSPC)
		}
		return nil
	})
	q.OnFailure(func(_ context.Context, _, _ string, err error) { t.Errorf("it failed for good: %v", err) })
	if err := jobs.Add(t.Context(), db, "write", "a", 0, ""); err != nil {
		t.Fatal(err)
	}
	run(t, q, 1)
	var failed int
	db.QueryRow(`SELECT count(*) FROM jobs`).Scan(&failed)
	if tries != 2 || failed != 0 {
		t.Errorf("%d tries, %d left", tries, failed)
	}
}

// A database that cannot grow is a full disk too: the job waits and is done when there is room.
func TestAJobWaitsForRoomInTheDatabase(t *testing.T) {
	db, read := database(t)
	var pages int
	if err := db.QueryRow(`PRAGMA page_count`).Scan(&pages); err != nil {
		t.Fatal(err)
	}
	limit := func(n int) {
		if _, err := db.Exec(fmt.Sprintf(`PRAGMA max_page_count = %d`, n)); err != nil {
			t.Fatal(err)
		}
	}
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.SetRoomPause(time.Millisecond)
	tried := 0
	q.Handle("grow", func(ctx context.Context, key string) error {
		if tried++; tried == 2 {
			limit(1 << 20)
		}
		_, err := db.ExecContext(ctx, `CREATE TABLE big AS SELECT zeroblob(1000000) AS b`)
		return err
	})
	if err := jobs.Add(t.Context(), db, "grow", "1", 0, ""); err != nil {
		t.Fatal(err)
	}
	limit(pages + 8)
	run(t, q, 1)
	var n, failed int
	if err := db.QueryRow(`SELECT count(*), (SELECT count(*) FROM jobs) FROM big`).Scan(&n, &failed); err != nil || n != 1 || failed != 0 {
		t.Errorf("%d rows, %d jobs left after %d tries: %v", n, failed, tried, err)
	}
	if tried != 2 {
		t.Errorf("tried %d times", tried)
	}
}

// What is asked for while a job runs is not done by what runs already: it is run once more.
func TestAJobAskedForWhileItRunsIsRunOnceMore(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	runs := 0
	q.Handle("draw", func(ctx context.Context, key string) error {
		if runs++; runs == 1 {
			for range 3 {
				if err := jobs.Add(ctx, db, "draw", key, 0, ""); err != nil {
					return err
				}
			}
		}
		return nil
	})
	jobs.Add(t.Context(), db, "draw", "a", 0, "")
	run(t, q, 2)
	if runs != 2 {
		t.Errorf("run %d times, want 2", runs)
	}
	var left int
	if db.QueryRow(`SELECT count(*) FROM jobs`).Scan(&left); left != 0 {
		t.Errorf("%d jobs are left", left)
	}
}

// A job that ends the process each time is failed after three times, and does not take the
// others down with it; a retry gives it three more.
func TestAJobThatEndsTheProcessIsFailed(t *testing.T) {
	db, read := database(t)
	for _, key := range []string{"innocent", "poison"} {
		jobs.Add(t.Context(), db, "work", key, 0, "")
	}
	did := map[string]int{}
	var failed error
	// session works on the queue, and with dies ends as a process does that is killed.
	session := func(dies bool) {
		q := jobs.New(db, read, slog.New(slog.DiscardHandler))
		ctx, cancel := context.WithCancel(t.Context())
		var mu sync.Mutex
		died := make(chan bool, 1)
		q.Handle("work", func(ctx context.Context, key string) error {
			mu.Lock()
			did[key]++
			mu.Unlock()
			if key == "poison" && dies {
				died <- true
				select {} // the process is gone
			}
			if dies {
				select {
				case <-ctx.Done(): // taken with the process
				case <-time.After(30 * time.Millisecond):
				}
			}
			return nil
		})
		q.OnFailure(func(_ context.Context, _, key string, err error) {
			if key != "poison" {
				t.Errorf("%s was failed", key)
			}
			failed = err
		})
		go q.Run(ctx, 2)
		select {
		case <-died:
		case <-time.After(3 * time.Second):
		}
		cancel()
		time.Sleep(50 * time.Millisecond)
	}
	for range 3 {
		session(true)
	}
	session(true)
	if did["poison"] != 3 || !errors.Is(failed, jobs.ErrTaken) || did["innocent"] != 1 {
		t.Errorf("the poison ran %d times, the innocent %d; failed by %v", did["poison"], did["innocent"], failed)
	}
	jobs.Add(t.Context(), db, "work", "poison", 0, "")
	session(false)
	var left int
	if db.QueryRow(`SELECT count(*) FROM jobs`).Scan(&left); did["poison"] != 4 || left != 0 {
		t.Errorf("after a retry: run %d times, %d left", did["poison"], left)
	}
}

// What failed is listed with its error, what waits is counted, and asking again clears it.
func TestList(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	q.Handle("bad", func(context.Context, string) error { return jobs.Permanent{Err: errors.New("no such thing")} })
	if err := jobs.Add(t.Context(), db, "bad", "7", 0, ""); err != nil {
		t.Fatal(err)
	}
	run(t, q, 1)
	for _, key := range []string{"1", "2"} {
		if err := jobs.Add(t.Context(), db, "good", key, 0, ""); err != nil {
			t.Fatal(err)
		}
	}
	list, waiting, err := jobs.List(t.Context(), read, 10)
	if err != nil || len(list) != 1 || list[0].Key != "7" || list[0].State != "failed" || list[0].Error != "no such thing" || waiting["good"] != 2 || len(waiting) != 1 {
		t.Fatalf("%+v, %v, %v", list, waiting, err)
	}
	if err := jobs.Add(t.Context(), db, "bad", "7", 0, ""); err != nil {
		t.Fatal(err)
	}
	if list, waiting, err = jobs.List(t.Context(), read, 10); err != nil || len(list) != 0 || waiting["bad"] != 1 {
		t.Errorf("asked for again: %+v, %v, %v", list, waiting, err)
	}
}

// A job that is asked for again while it runs is taken by another worker as soon as its end is written: both are held.
func TestAskedForAgainByTwoWorkers(t *testing.T) {
	db, read := database(t)
	q := jobs.New(db, read, slog.New(slog.DiscardHandler))
	var n atomic.Int64
	q.Handle("note", func(ctx context.Context, _ string) error {
		if n.Add(1) < 100 {
			return jobs.Add(ctx, db, "note", "again", 1, "")
		}
		return nil
	})
	jobs.Add(t.Context(), db, "note", "again", 1, "")
	run(t, q, 4)
	if n.Load() != 100 || q.Failures.Load() > 0 {
		t.Errorf("done %d times of 100, %d failures", n.Load(), q.Failures.Load())
	}
}
