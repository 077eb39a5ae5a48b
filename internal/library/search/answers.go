package search

import (
	"sync"
)

// answers keeps what was found lately, until something is published: many artists look at
// the same pages. What it gives is shared and must not be changed.
type answers struct {
	mu      sync.Mutex
	kept    map[string]Found
	spreads map[Measure]Histogram
}

func (a *answers) spread(m Measure) (Histogram, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	h, ok := a.spreads[m]
	return h, ok
}

func (a *answers) putSpread(m Measure, h Histogram) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.spreads == nil {
		a.spreads = map[Measure]Histogram{}
	}
	a.spreads[m] = h
}

// answersKept is how many answers are kept, each of up to 200 cards and its counts.
const answersKept = 512

func (a *answers) get(key string) (Found, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	f, ok := a.kept[key]
	return f, ok
}

func (a *answers) put(key string, f Found) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.kept == nil || len(a.kept) >= answersKept {
		a.kept = map[string]Found{}
	}
	a.kept[key] = f
}

func (a *answers) forget() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.kept, a.spreads = nil, nil
}
