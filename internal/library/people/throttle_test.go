package people

import (
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

func TestThrottleGrowsAndForgets(t *testing.T) {
	var th throttle
	now := time.Unix(1000, 0)
	for i := range freeTries {
		if w := th.try(now, "a"); w > 0 {
			t.Errorf("try %d has to wait %v", i+1, w)
		}
	}
	first := th.try(now, "a")
	now = now.Add(first)
	if w := th.try(now, "a"); w > 0 {
		t.Errorf("after waiting it has to wait another %v", w)
	}
	if second := th.try(now, "a"); first <= 0 || second <= first {
		t.Errorf("%v, then %v", first, second)
	}
	if th.try(now, "b") > 0 {
		t.Error("another account or address is slowed down too")
	}
	if th.try(now.Add(time.Hour), "a") > 0 {
		t.Error("never forgiven")
	}
	th.clear("a")
	if th.try(now, "a") > 0 {
		t.Error("the right password does not end it")
	}
}

// Forty guesses at once are no more than forty one after the other.
func TestThrottleCountsTriesThatAreUnderWay(t *testing.T) {
	var th throttle
	var passed atomic.Int64
	var wg sync.WaitGroup
	for range 40 {
		wg.Go(func() {
			if th.try(time.Unix(1000, 0), "a") == 0 {
				passed.Add(1)
			}
		})
	}
	wg.Wait()
	if passed.Load() != freeTries {
		t.Errorf("%d of 40 guesses at once passed", passed.Load())
	}
}

func TestThrottleKeepsWithinItsMemory(t *testing.T) {
	var th throttle
	now := time.Unix(1000, 0)
	for i := range 3 * rememberAt {
		th.try(now.Add(time.Duration(i)*time.Millisecond), fmt.Sprint("name ", i))
	}
	if n := len(th.tries); n > rememberAt+1000 {
		t.Errorf("%d keys are kept", n)
	}
}
