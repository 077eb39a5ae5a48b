package library

import (
	"context"
	"fmt"
	"sync"
	"time"
)

// Event says that something has changed. Topics are "deliveries", "delivery:7",
// "material:3", "library", "rules", "watches", "standards" and "people"; numbers rise in
// the order of the commits.
type Event struct {
	ID    int64
	Topic string
	At    time.Time
}

// eventsKept is how many events are kept for whoever resumes; those who were away longer
// load everything anew.
const eventsKept = 20_000

// hub tells whoever listens what has changed. A slow listener misses repeats of a topic,
// never its last change.
type hub struct {
	mu        sync.Mutex
	listeners map[*Listener]bool
	pulse     pulse
}

// Listener receives topics.
type Listener struct {
	mu      sync.Mutex
	last    int64
	pending map[string]bool
	Ready   chan struct{} // holds a value when Take has something
}

// Listen starts to listen from the event after the given number, or from now on if that
// is 0. gap says that events after that number are no longer kept, so that everything
// must be loaded anew. stop ends it.
func (s *Service) Listen(ctx context.Context, p Principal, after int64) (l *Listener, gap bool, stop func(), err error) {
	if err := p.need(Enter); err != nil {
		return nil, false, nil, err
	}
	l = &Listener{pending: map[string]bool{}, Ready: make(chan struct{}, 1)}
	s.events.mu.Lock()
	if s.events.listeners == nil {
		s.events.listeners = map[*Listener]bool{}
	}
	s.events.listeners[l] = true
	s.events.mu.Unlock()
	stop = func() {
		s.events.mu.Lock()
		defer s.events.mu.Unlock()
		delete(s.events.listeners, l)
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		last, err := tx.LastEvent()
		if err != nil || after <= 0 {
			l.add(Event{ID: last})
			return err
		}
		list, oldest, err := tx.EventsAfter(after, eventsKept)
		if gap = after > last || oldest > after+1; gap {
			l.add(Event{ID: last})
			return err
		}
		for _, e := range list {
			l.add(e)
		}
		l.add(Event{ID: after})
		return err
	})
	if err != nil {
		stop()
		return nil, false, nil, err
	}
	return l, gap, stop, nil
}

func (l *Listener) add(e Event) {
	l.mu.Lock()
	l.last = max(l.last, e.ID)
	if e.Topic != "" {
		l.pending[e.Topic] = true
	}
	l.mu.Unlock()
	if e.Topic == "" {
		return
	}
	select {
	case l.Ready <- struct{}{}:
	default:
	}
}

// Take returns the topics that have changed since the last call, and the number of the
// last event.
func (l *Listener) Take() (topics []string, last int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	topics = []string{}
	for t := range l.pending {
		topics = append(topics, t)
	}
	clear(l.pending)
	return topics, l.last
}

// published tells listeners of a commit.
func (s *Service) published(list []Event) {
	s.events.pulse.stale()
	for _, e := range list {
		if e.Topic == "jobs" {
			s.Wake()
		}
	}
	s.events.mu.Lock()
	for l := range s.events.listeners {
		for _, e := range list {
			l.add(e)
		}
	}
	s.events.mu.Unlock()
	if n := len(list); n > 0 && list[n-1].ID/1000 != list[0].ID/1000 || n > 0 && list[n-1].ID%1000 == 0 {
		s.forgetEvents(list[n-1].ID)
	}
}

// forgetEvents removes old events now and then.
func (s *Service) forgetEvents(last int64) {
	go func() {
		if err := s.Store.Write(context.Background(), func(tx Tx) error { return tx.ForgetEvents(last - eventsKept) }); err != nil {
			s.Log.Warn("forget old events", "error", err)
		}
	}()
}

// progressed tells of progress that is in no transaction: it has no number, and whoever
// was away does not miss it.
func (s *Service) progressed(format string, args ...any) {
	topic := fmt.Sprintf(format, args...)
	s.events.mu.Lock()
	defer s.events.mu.Unlock()
	for l := range s.events.listeners {
		l.add(Event{Topic: topic})
	}
}

// Counts are the figures in the bar on top.
type Counts struct {
	Intake  int // sets that are not accepted yet
	Bench   int // accepted drafts that are not released as they are
	Library int // published materials
	Jobs    int // jobs left
}

// pulse keeps the counts for a moment: every page shows them, and counting for each would
// cost more than the pages.
type pulse struct {
	mu     sync.Mutex
	counts Counts
	at     time.Time // when they were counted
	old    bool      // something has changed since
}

// pulseFor is how long counts are shown after something has changed.
const pulseFor = 250 * time.Millisecond

func (p *pulse) stale() {
	p.mu.Lock()
	p.old = true
	p.mu.Unlock()
}

// Counts says how much there is to do and to find. It is at most a quarter of a second
// old.
func (s *Service) Counts(ctx context.Context) (Counts, error) {
	p := &s.events.pulse
	p.mu.Lock()
	defer p.mu.Unlock()
	age := time.Since(p.at)
	if age < pulseFor || !p.old && age < 20*pulseFor {
		return p.counts, nil
	}
	c := Counts{Library: s.index.size()}
	p.old = false
	err := s.Store.Read(ctx, func(tx Reader) (err error) { c.Intake, c.Bench, err = tx.CountMaterials(); return err })
	if err == nil && s.Jobs != nil {
		c.Jobs, err = s.Jobs(ctx)
	}
	if err != nil {
		p.old = true
		return p.counts, err
	}
	p.counts, p.at = c, time.Now()
	return c, nil
}
