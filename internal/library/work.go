package library

import (
	"context"
	"errors"
	"runtime/debug"
	"sync"

	"golang.org/x/sync/semaphore"
)

// ErrBusy says that too much is being asked for at once.
var ErrBusy = errors.New("too many pictures are being asked for at once")

// Gate lets a few at a time do heavy work that somebody waits for: rendering and
// decoding. A caller whose context ends gives up its place in the queue; a full queue turns away.
type Gate struct {
	slots chan struct{}
	queue chan struct{}
}

// NewGate lets n at a time do work, and so many more wait.
func NewGate(n, waiting int) Gate {
	return Gate{make(chan struct{}, n), make(chan struct{}, n+waiting)}
}

// Do runs f when there is a slot.
func (g Gate) Do(ctx context.Context, f func() error) error {
	select {
	case g.queue <- struct{}{}:
		defer func() { <-g.queue }()
	default:
		return ErrBusy
	}
	select {
	case g.slots <- struct{}{}:
		defer func() { <-g.slots }()
	case <-ctx.Done():
		return ctx.Err()
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	return f()
}

// Derive gives a small derived file, made if it is not there: by one at a time, and within
// the limit of what is made at once.
func (s *Base) Derive(ctx context.Context, name string, make func() ([]byte, error)) (data []byte, err error) {
	if data, ok := s.Derived.Get(name); ok {
		return data, nil
	}
	unlock, err := s.Making.Lock(ctx, name)
	if err != nil {
		return nil, err
	}
	defer unlock()
	if data, ok := s.Derived.Get(name); ok {
		return data, nil
	}
	err = s.Work.Do(ctx, func() error {
		if data, err = make(); err != nil {
			return err
		}
		return s.Derived.Put(name, data)
	})
	return data, err
}

// Locks lets one at a time make a thing, by name.
type Locks struct {
	mu   sync.Mutex
	held map[string]*lock
}

type lock struct {
	taken chan struct{} // holds a value while somebody has it
	users int
}

// Lock waits until nobody else has the name, or the context ends.
func (l *Locks) Lock(ctx context.Context, name string) (unlock func(), err error) {
	l.mu.Lock()
	if l.held == nil {
		l.held = map[string]*lock{}
	}
	k := l.held[name]
	if k == nil {
		k = &lock{taken: make(chan struct{}, 1)}
		l.held[name] = k
	}
	k.users++
	l.mu.Unlock()
	leave := func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		if k.users--; k.users == 0 {
			delete(l.held, name)
		}
	}
	select {
	case k.taken <- struct{}{}:
		return func() { <-k.taken; leave() }, nil
	case <-ctx.Done():
		leave()
		return nil, ctx.Err()
	}
}

// Progress is how far long work is, by what it is about.
type Progress struct {
	mu sync.Mutex
	at map[string]*stage
}

// stage is the state of one piece of work.
type stage struct {
	done, of int
	err      error
	changed  chan struct{} // closed at each change
}

// Set notes how far work is; of 0 ends it, with an error or none.
func (p *Progress) Set(key string, done, of int, err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.at == nil {
		p.at = map[string]*stage{}
	}
	k := p.at[key]
	if k != nil {
		close(k.changed)
	}
	if of == 0 && err == nil {
		delete(p.at, key)
		return
	}
	p.at[key] = &stage{done, of, err, make(chan struct{})}
}

// Get is how far work is; 0 of 0 if none is known.
func (p *Progress) Get(key string) (done, of int, changed <-chan struct{}, err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if k := p.at[key]; k != nil {
		return k.done, k.of, k.changed, k.err
	}
	return 0, 0, nil, nil
}

// Memory bounds how many bytes decoded pictures take at a time: more wait. A picture larger than the bound has all of
// it for itself.
type Memory struct {
	free *semaphore.Weighted
	most int64
}

// NewMemory is a bound of so many bytes.
func NewMemory(most int64) *Memory { return &Memory{semaphore.NewWeighted(most), most} }

// Reserve waits for n bytes; release gives them back. A nil Memory has no bound.
func (m *Memory) Reserve(ctx context.Context, n int64) (release func(), err error) {
	if m == nil {
		return func() {}, nil
	}
	n = min(max(n, 0), m.most)
	if err := m.free.Acquire(ctx, n); err != nil {
		return nil, err
	}
	return func() {
		if n >= m.most/4 {
			debug.FreeOSMemory() // what the next one takes must not come beside what this one left
		}
		m.free.Release(n)
	}, nil
}
