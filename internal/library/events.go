package library

import (
	"fmt"
	"sync"
)

// hub tells whoever listens what has changed, by topic: "delivery:7",
// "material:3", "deliveries", "library". A listener that is slow misses repeats
// of a topic, never its last change.
type hub struct {
	mu        sync.Mutex
	listeners map[*Listener]bool
}

// Listener receives topics.
type Listener struct {
	mu      sync.Mutex
	pending map[string]bool
	Ready   chan struct{} // holds a value when Take has something
}

// Listen starts to listen; stop ends it.
func (s *Service) Listen() (l *Listener, stop func()) {
	l = &Listener{pending: map[string]bool{}, Ready: make(chan struct{}, 1)}
	s.events.mu.Lock()
	defer s.events.mu.Unlock()
	if s.events.listeners == nil {
		s.events.listeners = map[*Listener]bool{}
	}
	s.events.listeners[l] = true
	return l, func() {
		s.events.mu.Lock()
		defer s.events.mu.Unlock()
		delete(s.events.listeners, l)
	}
}

// Take returns the topics that have changed since the last call.
func (l *Listener) Take() []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	out := []string{}
	for t := range l.pending {
		out = append(out, t)
	}
	clear(l.pending)
	return out
}

func (s *Service) changed(format string, args ...any) {
	topic := fmt.Sprintf(format, args...)
	s.events.mu.Lock()
	defer s.events.mu.Unlock()
	for l := range s.events.listeners {
		l.mu.Lock()
		l.pending[topic] = true
		l.mu.Unlock()
		select {
		case l.Ready <- struct{}{}:
		default:
		}
	}
}
