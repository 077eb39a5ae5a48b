package jobs

import (
	"context"
	"slices"
	"sync"
	"time"
)

const (
	// slice is how long a job has its worker until it gives it back, if other work waits.
	slice = 2 * time.Second
	// mostParked is how many jobs of a lane wait for a worker that they gave back before no other of it begins: each keeps
	// what it has in memory.
	mostParked = 3
)

type holdKey struct{}

// GiveBack gives the worker of the job whose context this is to other work that waits, if the job has had it for two
// seconds, and returns when it is the job's turn again. Long jobs call it between their parts, and keep what they have in
// memory meanwhile; time that passes until then does not count towards the lane's deadline. Jobs that gave their workers
// back and those that wait take turns, so that neither kind delays the other for ever.
func GiveBack(ctx context.Context) {
	if h, _ := ctx.Value(holdKey{}).(*held); h != nil {
		h.queue.giveBack(ctx, h)
	}
}

func (q *Queue) giveBack(ctx context.Context, h *held) {
	h.part.Lock() // several parts of a job may end at the same time
	defer h.part.Unlock()
	if time.Since(h.since) < q.slice || ctx.Err() != nil {
		return
	}
	h.clock.pause()
	q.mu.Lock()
	h.parked = true
	q.parked[h.only] = append(q.parked[h.only], h)
	q.mu.Unlock()
	h.back <- struct{}{}
	select {
	case <-h.on:
	case <-ctx.Done(): // it ends now, without a worker
		q.mu.Lock()
		if h.parked {
			h.parked = false
			q.parked[h.only] = slices.DeleteFunc(q.parked[h.only], func(k *held) bool { return k == h })
		}
		q.mu.Unlock()
	}
	h.clock.resume()
	h.since = time.Now()
}

// goOn lets the job that gave a worker back longest ago have one again, until it gives it back or ends.
func (q *Queue) goOn(only string) bool {
	q.mu.Lock()
	list := q.parked[only]
	if len(list) == 0 {
		q.mu.Unlock()
		return false
	}
	h := list[0]
	h.parked = false
	q.parked[only] = slices.Delete(list, 0, 1)
	h.on <- struct{}{}
	q.mu.Unlock()
	<-h.back
	return true
}

// waits is how many jobs gave back a worker of a lane, or of those that all share.
func (q *Queue) waits(only string) int {
	q.mu.Lock()
	defer q.mu.Unlock()
	return len(q.parked[only])
}

// clock counts the time that a job works towards its deadline.
type clock struct {
	timer *time.Timer
	left  time.Duration
	since time.Time
}

// newClock calls f after a time of work.
func newClock(d time.Duration, f func()) *clock {
	return &clock{timer: time.AfterFunc(d, f), left: d, since: time.Now()}
}

func (c *clock) pause() {
	if c != nil && c.timer.Stop() {
		c.left -= time.Since(c.since)
	}
}

func (c *clock) resume() {
	if c != nil && c.left > 0 {
		c.since = time.Now()
		c.timer.Reset(c.left)
	}
}

// solo lets jobs work beside each other, or one alone. Who waits to be alone keeps others from coming in.
type solo struct {
	mu      sync.Mutex
	changed *sync.Cond
	inside  int
	waiting int // to be alone
	taken   bool
}

func newSolo() *solo {
	s := &solo{}
	s.changed = sync.NewCond(&s.mu)
	return s
}

// enter comes in beside others.
func (s *solo) enter() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for s.taken || s.waiting > 0 {
		s.changed.Wait()
	}
	s.inside++
}

// tryEnter comes in beside others, if it need not wait for that.
func (s *solo) tryEnter() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.taken || s.waiting > 0 {
		return false
	}
	s.inside++
	return true
}

// leave is the end of enter and of tryEnter.
func (s *solo) leave() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.inside--
	s.changed.Broadcast()
}

// enterAlone comes in when nobody else is inside.
func (s *solo) enterAlone() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.waiting++
	for s.taken || s.inside > 0 {
		s.changed.Wait()
	}
	s.waiting--
	s.taken = true
}

// leaveAlone is the end of enterAlone.
func (s *solo) leaveAlone() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.taken = false
	s.changed.Broadcast()
}
