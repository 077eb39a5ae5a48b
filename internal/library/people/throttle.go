package people

import (
	"fmt"
	"sync"
	"time"
)

// TooMany says that there were too many wrong tries, and for how long more are refused.
type TooMany struct{ Wait time.Duration }

func (t TooMany) Error() string {
	return fmt.Sprintf("Too many wrong tries. Wait %d seconds and try again.", int(t.Wait.Seconds())+1)
}

// throttle slows down guessing of passwords. Its keys are an account and an address
// together: nobody can lock an account out from elsewhere, nor everybody behind one
// address. A try counts as wrong from its beginning, so that many at once do not all get
// through; the right password clears the count.
type throttle struct {
	mu    sync.Mutex
	tries map[string]*tries
}

type tries struct {
	n     int
	until time.Time
}

const (
	freeTries  = 5
	longest    = 15 * time.Minute
	rememberAt = 20_000 // keys; beyond, those that are free again are forgotten at once
)

// try counts a try, or says how long to wait before the next.
func (t *throttle) try(now time.Time, key string) (wait time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.tries == nil {
		t.tries = map[string]*tries{}
	}
	k := t.tries[key]
	if k != nil {
		if wait = k.until.Sub(now); wait > 0 {
			return wait
		}
	} else {
		t.forget(now)
		k = &tries{}
		t.tries[key] = k
	}
	if k.n++; k.n >= freeTries {
		k.until = now.Add(min(longest, time.Second<<min(k.n-freeTries+1, 10)))
	} else {
		k.until = now
	}
	return 0
}

// clear ends the count for a key.
func (t *throttle) clear(key string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.tries, key)
}

// forget drops keys that have been free for an hour, or for any time if there are many.
func (t *throttle) forget(now time.Time) {
	free := time.Hour
	if len(t.tries) > rememberAt {
		free = 0
	}
	if len(t.tries)%256 != 255 && free > 0 {
		return // now and then is enough
	}
	for k, v := range t.tries {
		if now.Sub(v.until) > free {
			delete(t.tries, k)
		}
	}
}
