package web

import (
	"cmp"
	"crypto/sha256"
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// How often a token may ask: what no honest program reaches, but one in a loop does.
const (
	tokenRate  = 200  // requests a second, over time
	tokenBurst = 1000 // at once, after a pause
	mostTokens = 2000 // that are remembered
)

// rates bound how often each token asks. Tokens are told apart by their hashes, known or not.
type rates struct {
	perSecond int // 0 for tokenRate
	mu        sync.Mutex
	all       map[[32]byte]*rate.Limiter
}

// tooFast says that a token asks too often, and for how long to wait.
type tooFast struct{ wait time.Duration }

func (t tooFast) Error() string { return "too many requests" }

// wait counts a request with a token, or says how long it should have waited.
func (r *rates) wait(token string, now time.Time) time.Duration {
	key := sha256.Sum256([]byte(token))
	r.mu.Lock()
	defer r.mu.Unlock()
	l := r.all[key]
	if l == nil {
		if r.all == nil || len(r.all) >= mostTokens {
			r.forget(now)
		}
		l = rate.NewLimiter(rate.Limit(cmp.Or(max(r.perSecond, 0), tokenRate)), tokenBurst)
		r.all[key] = l
	}
	k := l.ReserveN(now, 1)
	if wait := k.DelayFrom(now); wait > 0 {
		k.CancelAt(now)
		return wait
	}
	return 0
}

// forget drops tokens that have rested; all of them, if none has.
func (r *rates) forget(now time.Time) {
	kept := map[[32]byte]*rate.Limiter{}
	for key, l := range r.all {
		if l.TokensAt(now) < tokenBurst {
			kept[key] = l
		}
	}
	if len(kept) >= mostTokens {
		clear(kept)
	}
	r.all = kept
}
