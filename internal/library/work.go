package library

import (
	"context"
	"errors"
	"runtime/debug"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/semaphore"
)

// ErrBusy says that too much is being asked for at once.
var ErrBusy = errors.New("too many pictures are being asked for at once")

// Gate lets a few at a time do heavy work that somebody waits for: rendering and decoding. Those who wait take turns,
// so that one who asks for much delays nobody else; one place is never taken by who has all the others; too many of one
// person's, or of all, are turned away. A caller whose context ends gives up its place.
type Gate struct{ *gate }

type gate struct {
	mu      sync.Mutex
	free    int
	most    int            // that wait
	share   int            // of one person
	each    int            // at work at a time, of one person
	held    map[string]int // at work, by person
	n       int            // that wait now
	waiting map[string][]chan struct{}
	turns   []string // who waits, in the order of their turns
}

// NewGate lets n at a time do work, and so many more wait, a quarter of them of one person.
func NewGate(n, waiting int) Gate {
	return Gate{&gate{free: n, most: waiting, share: max(1, waiting/4), each: max(1, n-1), held: map[string]int{}, waiting: map[string][]chan struct{}{}}}
}

type personKey struct{}

// WithPerson says whose work is done in a context: a name, or an address of somebody without one.
func WithPerson(ctx context.Context, who string) context.Context {
	return context.WithValue(ctx, personKey{}, who)
}

// PersonOf is whose work is done in a context; "" for the server's own.
func PersonOf(ctx context.Context) string {
	who, _ := ctx.Value(personKey{}).(string)
	return who
}

type slicesKey struct{}

// slices are the parts of long work between which it gives way.
type workSlices struct {
	giveBack func(context.Context)
	urgent   func() bool
	mu       sync.Mutex
	began    time.Time // the part that is under way
}

// InSlices says that work done in a context gives way (GiveWay): giveBack lets others of its kind have their turn, and
// while something more urgent is being done the work slows down.
func InSlices(ctx context.Context, giveBack func(context.Context), urgent func() bool) context.Context {
	return context.WithValue(ctx, slicesKey{}, &workSlices{giveBack: giveBack, urgent: urgent, began: time.Now()})
}

// giveWayLook is how often work that gives way looks whether it may go on.
const giveWayLook = 20 * time.Millisecond

// GiveWay is called by long work between its parts. It returns when the work has its turn again; while something more
// urgent is being done it then waits for seven times as long as the part took, so that the work goes on at an eighth of its
// speed.
func GiveWay(ctx context.Context) {
	k, _ := ctx.Value(slicesKey{}).(*workSlices)
	if k == nil {
		return
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	wait := 7 * time.Since(k.began)
	k.giveBack(ctx)
	for left := wait; left > 0 && k.urgent() && ctx.Err() == nil; left -= giveWayLook {
		select {
		case <-ctx.Done():
		case <-time.After(min(left, giveWayLook)):
		}
	}
	k.began = time.Now()
}

// Do runs f when it is its turn.
func (g Gate) Do(ctx context.Context, f func() error) error {
	who := PersonOf(ctx)
	if err := g.enter(ctx, who); err != nil {
		return err
	}
	defer g.leave(who)
	if err := ctx.Err(); err != nil {
		return err
	}
	return f()
}

func (g *gate) enter(ctx context.Context, who string) error {
	g.mu.Lock()
	if g.free > 0 && g.held[who] < g.each {
		g.free--
		g.held[who]++
		g.mu.Unlock()
		return nil
	}
	if g.n >= g.most || len(g.waiting[who]) >= g.share {
		g.mu.Unlock()
		return ErrBusy
	}
	turn := make(chan struct{}, 1)
	if len(g.waiting[who]) == 0 {
		g.turns = append(g.turns, who)
	}
	g.waiting[who] = append(g.waiting[who], turn)
	g.n++
	g.mu.Unlock()
	select {
	case <-turn:
		return nil
	case <-ctx.Done():
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	if i := slices.Index(g.waiting[who], turn); i >= 0 {
		g.remove(who, i)
	} else { // it was given its turn meanwhile
		g.end(who)
	}
	return ctx.Err()
}

func (g *gate) leave(who string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.end(who)
}

// end frees the place of a person, and gives the free places to whose turn it is.
func (g *gate) end(who string) {
	g.free++
	if g.held[who]--; g.held[who] == 0 {
		delete(g.held, who)
	}
	for g.free > 0 {
		i := slices.IndexFunc(g.turns, func(k string) bool { return g.held[k] < g.each })
		if i < 0 {
			return
		}
		next := g.turns[i]
		g.turns = append(slices.Delete(g.turns, i, i+1), next) // all others come before the next one of this person's
		turn := g.waiting[next][0]
		g.remove(next, 0)
		g.free--
		g.held[next]++
		turn <- struct{}{}
	}
}

// remove takes one off those of a person that wait.
func (g *gate) remove(who string, i int) {
	g.n--
	if g.waiting[who] = slices.Delete(g.waiting[who], i, i+1); len(g.waiting[who]) == 0 {
		delete(g.waiting, who)
		g.turns = slices.DeleteFunc(g.turns, func(k string) bool { return k == who })
	}
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
