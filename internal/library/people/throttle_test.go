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
	for i := range ofPair.free {
		if w := th.try(now, "a", ofPair); w > 0 {
			t.Errorf("try %d has to wait %v", i+1, w)
		}
	}
	first := th.try(now, "a", ofPair)
	now = now.Add(first)
	if w := th.try(now, "a", ofPair); w > 0 {
		t.Errorf("after waiting it has to wait another %v", w)
	}
	if second := th.try(now, "a", ofPair); first <= 0 || second <= first {
		t.Errorf("%v, then %v", first, second)
	}
	if th.try(now, "b", ofPair) > 0 {
		t.Error("another account or address is slowed down too")
	}
	if th.try(now.Add(time.Hour), "a", ofPair) > 0 {
		t.Error("never forgiven")
	}
	th.clear("a")
	if th.try(now, "a", ofPair) > 0 {
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
			if th.try(time.Unix(1000, 0), "a", ofPair) == 0 {
				passed.Add(1)
			}
		})
	}
	wg.Wait()
	if passed.Load() != int64(ofPair.free) {
		t.Errorf("%d of 40 guesses at once passed", passed.Load())
	}
}

func TestThrottleKeepsWithinItsMemory(t *testing.T) {
	var th throttle
	now := time.Unix(1000, 0)
	for i := range 3 * rememberAt {
		th.try(now.Add(time.Duration(i)*time.Millisecond), fmt.Sprint("name ", i), ofPair)
	}
	if n := len(th.tries); n > rememberAt+1000 {
		t.Errorf("%d keys are kept", n)
	}
}

// Who tries many accounts from one address, and who tries one account from many, is slowed down too; the owner of the
// account still gets in, and so do those who share the address.
func TestThrottleByAddressAndByAccount(t *testing.T) {
	var th throttle
	now := time.Unix(1000, 0)
	passed := 0
	for i := range 300 {
		if th.all(now, keysOf(fmt.Sprint("name ", i), "2001:db8::"+fmt.Sprint(i))) == 0 { // one network
			passed++
		}
	}
	if passed != ofAddress.free {
		t.Errorf("%d accounts are tried from one network", passed)
	}
	th, passed = throttle{}, 0
	for i := range 300 {
		if th.all(now, keysOf("Ada", fmt.Sprintf("10.0.0.%d", i))) == 0 {
			passed++
		}
	}
	if passed != ofAccount.free {
		t.Errorf("one account is tried from %d addresses", passed)
	}
	if wait := th.all(now, keysOf("ada", "192.0.2.7")); wait <= 0 || wait > ofAccount.longest {
		t.Errorf("its owner waits %v", wait)
	}
	th = throttle{}
	for i := range 500 { // a whole studio behind one address signs in
		keys := keysOf(fmt.Sprint("artist ", i%200), "192.0.2.1")
		if wait := th.all(now, keys); wait > 0 {
			t.Fatalf("sign-in %d waits %v", i, wait)
		}
		th.right(keys)
	}
}

func TestFailuresThatAreNotedAreBounded(t *testing.T) {
	var h hourly
	n := 0
	for range 5000 {
		if h.note(time.Unix(1000, 0)) {
			n++
		}
	}
	if n != mostFailures || !h.note(time.Unix(1000+3600, 0)) {
		t.Errorf("%d are noted in an hour", n)
	}
}
