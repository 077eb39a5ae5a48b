// Package events tells pages and programs what has changed, by the numbered events that
// transactions record.
package events

import (
	"context"
	"fmt"
	"sync"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// eventsKept is how many events are kept for listeners that resume; those who were away longer
// load everything anew.
const eventsKept = 20_000

// Service tells listeners what has changed. A slow listener misses repeats of a topic,
// never its last change.
type Service struct {
	*library.Base
	Store     library.Store[Reader, Tx]
	Wake      func() // tells the job queue that there is work
	mu        sync.Mutex
	listeners map[*Listener]bool
	latest    int64 // the last event that was published, once known
}

// Latest is the number of the last event, for a page to listen from: what changes while it is
// drawn and sent reaches it all the same.
func (s *Service) Latest(ctx context.Context) int64 {
	s.mu.Lock()
	latest := s.latest
	s.mu.Unlock()
	if latest > 0 {
		return latest
	}
	err := s.Store.Read(ctx, func(tx Reader) (err error) { latest, err = tx.LastEvent(); return err })
	if err != nil {
		return 0
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.latest = max(s.latest, latest)
	return latest // not what came since it was read
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
func (s *Service) Listen(ctx context.Context, p people.Principal, after int64) (l *Listener, gap bool, stop func(), err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, false, nil, err
	}
	l = &Listener{pending: map[string]bool{}, Ready: make(chan struct{}, 1)}
	s.mu.Lock()
	if s.listeners == nil {
		s.listeners = map[*Listener]bool{}
	}
	s.listeners[l] = true
	s.mu.Unlock()
	stop = func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		delete(s.listeners, l)
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		last, err := tx.LastEvent()
		if err != nil || after <= 0 {
			l.add(library.Event{ID: last})
			return err
		}
		list, oldest, err := tx.EventsAfter(after, eventsKept)
		if gap = after > last || oldest > after+1; gap {
			l.add(library.Event{ID: last})
			return err
		}
		for _, e := range list {
			l.add(e)
		}
		l.add(library.Event{ID: after})
		return err
	})
	if err != nil {
		stop()
		return nil, false, nil, err
	}
	return l, gap, stop, nil
}

func (l *Listener) add(e library.Event) {
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

// Published tells listeners of a commit.
func (s *Service) Published(list []library.Event) {
	for _, e := range list {
		if e.Topic == "jobs" {
			s.Wake()
		}
	}
	s.mu.Lock()
	for _, e := range list {
		s.latest = max(s.latest, e.ID)
	}
	for l := range s.listeners {
		for _, e := range list {
			l.add(e)
		}
	}
	s.mu.Unlock()
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

// Progressed tells of progress that is in no transaction: it has no number, and a listener that
// was away does not miss it.
func (s *Service) Progressed(format string, args ...any) {
	topic := fmt.Sprintf(format, args...)
	s.mu.Lock()
	defer s.mu.Unlock()
	for l := range s.listeners {
		l.add(library.Event{Topic: topic})
	}
}
