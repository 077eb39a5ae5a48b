package people

import (
	"fmt"
	"net/netip"
	"strings"
	"sync"
	"time"
)

// TooMany says that there were too many wrong tries, and for how long more are refused.
type TooMany struct{ Wait time.Duration }

func (t TooMany) Error() string {
	return fmt.Sprintf("Too many wrong tries. Wait %d seconds and try again.", int(t.Wait.Seconds())+1)
}

// throttle slows down guessing of passwords. A try counts as wrong from its beginning, so that many at once do not all
// get through; the right password takes it back.
type throttle struct {
	mu    sync.Mutex
	tries map[string]*tries
}

type tries struct {
	n     int
	until time.Time
}

// rate is how many wrong tries are free, and how long one waits after more at most.
type rate struct {
	free    int
	longest time.Duration
}

// The rates of tries. An account from an address: who guesses is slowed down there, and nobody can lock an account out
// from elsewhere, nor everybody behind one address. An address, whichever accounts it tries: many people may share it.
// An account, from wherever: so short a wait that its owner still gets in.
var (
	ofPair    = rate{5, 15 * time.Minute}
	ofAddress = rate{50, 15 * time.Minute}
	ofAccount = rate{40, 20 * time.Second}
)

const rememberAt = 20_000 // keys; beyond, those that are free again are forgotten at once

// keysOf are the keys of a try to enter an account from an address, each with its rate. Addresses of version 6 count by
// their network: one machine has as many as it likes.
func keysOf(account, address string) map[string]rate {
	if ip, err := netip.ParseAddr(address); err == nil && ip.Is6() && !ip.Is4In6() {
		if net, err := ip.Prefix(64); err == nil {
			address = net.String()
		}
	}
	account = strings.ToLower(account)
	return map[string]rate{account + " from " + address: ofPair, "from " + address: ofAddress, account: ofAccount}
}

// all counts a try under several keys, or says how long to wait before the next: then none is counted.
func (t *throttle) all(now time.Time, keys map[string]rate) (wait time.Duration) {
	t.mu.Lock()
	for key := range keys {
		if k := t.tries[key]; k != nil {
			wait = max(wait, k.until.Sub(now))
		}
	}
	t.mu.Unlock()
	if wait > 0 {
		return wait
	}
	for key, r := range keys { // of many at once those that came meanwhile are refused here
		wait = max(wait, t.try(now, key, r))
	}
	return wait
}

// right takes a try back that was right: the pair starts anew, the others have one less.
func (t *throttle) right(keys map[string]rate) {
	for key, r := range keys {
		if r == ofPair {
			t.clear(key)
			continue
		}
		t.mu.Lock()
		if k := t.tries[key]; k != nil {
			if k.n--; k.n < r.free {
				k.until = time.Time{}
			}
		}
		t.mu.Unlock()
	}
}

// try counts a try, or says how long to wait before the next.
func (t *throttle) try(now time.Time, key string, r rate) (wait time.Duration) {
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
	if k.n++; k.n >= r.free {
		k.until = now.Add(min(r.longest, time.Second<<min(k.n-r.free+1, 10)))
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

// hourly bounds how often something is noted: what strangers can make happen must not fill the database.
type hourly struct {
	mu    sync.Mutex
	since time.Time
	n     int
}

// mostFailures is how many failed sign-ins of an hour are written to the audit.
const mostFailures = 1000

// note says whether there is room for one more.
func (h *hourly) note(now time.Time) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	if now.Sub(h.since) >= time.Hour {
		h.since, h.n = now, 0
	}
	h.n++
	return h.n <= mostFailures
}
