package library

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

// waits returns when so many wait at a gate.
func (g *gate) waits(n int) {
	for {
		g.mu.Lock()
		now := g.n
		g.mu.Unlock()
		if now == n {
			return
		}
	}
}

// People take turns, however much one of them asks for, and each may have a quarter of the queue.
func TestPeopleTakeTurns(t *testing.T) {
	g := NewGate(1, 12)
	hold := make(chan struct{})
	var all sync.WaitGroup
	all.Go(func() { g.Do(t.Context(), func() error { <-hold; return nil }) })
	for {
		g.mu.Lock()
		busy := g.free == 0
		g.mu.Unlock()
		if busy {
			break
		}
	}
	var mu sync.Mutex
	var order []string
	wait := func(who string, n int) {
		all.Go(func() {
			g.Do(WithPerson(t.Context(), who), func() error {
				mu.Lock()
				defer mu.Unlock()
				order = append(order, who)
				return nil
			})
		})
		g.waits(n)
	}
	for i := range 3 {
		wait("ada", i+1)
	}
	if err := g.Do(WithPerson(t.Context(), "ada"), func() error { return nil }); !errors.Is(err, ErrBusy) {
		t.Errorf("a fourth of twelve places for one person: %v", err)
	}
	wait("ben", 4)
	wait("cy", 5)
	gone, leave := context.WithCancel(WithPerson(t.Context(), "dora"))
	all.Go(func() {
		if err := g.Do(gone, func() error { return nil }); !errors.Is(err, context.Canceled) {
			t.Errorf("who left was served: %v", err)
		}
	})
	g.waits(6)
	leave()
	g.waits(5)
	close(hold)
	all.Wait()
	if got := fmt.Sprint(order); got != "[ada ben cy ada ada]" {
		t.Errorf("served in the order %s", got)
	}
	if g.free != 1 || g.n != 0 || len(g.turns) != 0 {
		t.Errorf("left with %d free, %d waiting", g.free, g.n)
	}
}

// Who has all places but one does not get that one; somebody else does, at once.
func TestOnePlaceIsForOthers(t *testing.T) {
	g := NewGate(2, 12)
	hold, in := make(chan struct{}), make(chan struct{}, 9)
	var all sync.WaitGroup
	ada := func() {
		all.Go(func() {
			g.Do(WithPerson(t.Context(), "ada"), func() error { in <- struct{}{}; <-hold; return nil })
		})
	}
	ada()
	<-in
	ada()
	g.waits(1)
	if err := g.Do(WithPerson(t.Context(), "ben"), func() error { return nil }); err != nil {
		t.Error(err)
	}
	select {
	case <-in:
		t.Error("ada has both places")
	default:
	}
	close(hold)
	all.Wait()
	if g.free != 2 || g.n != 0 || len(g.held) != 0 {
		t.Errorf("left with %d free, %d waiting, held %v", g.free, g.n, g.held)
	}
}

// A place that is given to somebody who has just left goes on to the next one.
func TestNoPlaceIsLost(t *testing.T) {
	g := NewGate(2, 400)
	var all sync.WaitGroup
	for i := range 300 {
		all.Go(func() {
			ctx, leave := context.WithCancel(WithPerson(t.Context(), fmt.Sprint(i%7)))
			if i%3 == 0 {
				go leave()
			}
			g.Do(ctx, func() error { return nil })
			leave()
		})
	}
	all.Wait()
	if g.free != 2 || g.n != 0 {
		t.Errorf("%d of 2 places are free, %d wait", g.free, g.n)
	}
}

// Pictures together stay within the bound, and one that is larger waits for all of it.
func TestMemoryIsBounded(t *testing.T) {
	m := NewMemory(100)
	var mu sync.Mutex
	var now, most int64
	var all sync.WaitGroup
	for i := range 60 {
		all.Go(func() {
			n := int64(10 + i)
			if i == 30 {
				n = 1000
			}
			release, err := m.Reserve(t.Context(), n)
			if err != nil {
				t.Error(err)
				return
			}
			mu.Lock()
			now += min(n, 100)
			most = max(most, now)
			mu.Unlock()
			mu.Lock()
			now -= min(n, 100)
			mu.Unlock()
			release()
		})
	}
	all.Wait()
	if most > 100 {
		t.Errorf("%d at a time of 100", most)
	}
}

// Work in slices waits between its parts while something urgent is done, and no longer than that.
func TestWorkGivesWay(t *testing.T) {
	var urgent atomic.Bool
	turns := 0
	ctx, stop := context.WithCancel(InSlices(t.Context(), func(context.Context) { turns++ }, urgent.Load))
	GiveWay(t.Context()) // of no slices: nothing
	GiveWay(ctx)         // nothing is urgent
	urgent.Store(true)
	time.Sleep(5 * time.Millisecond)
	worked := time.Now()
	GiveWay(ctx)
	if rested := time.Since(worked); rested < 15*time.Millisecond {
		t.Errorf("it rested for %v after 5 ms of work", rested)
	}
	// A long part, and what is urgent ends soon; or the work itself.
	time.Sleep(50 * time.Millisecond)
	time.AfterFunc(10*time.Millisecond, func() { urgent.Store(false) })
	GiveWay(ctx)
	urgent.Store(true)
	stop()
	GiveWay(ctx)
	if turns != 4 {
		t.Errorf("others were let have their turn %d times of 4", turns)
	}
}
