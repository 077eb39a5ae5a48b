package library

import (
	"context"
	"errors"
	"log/slog"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/colour"
	"aldermoor/core/likeness"
	"aldermoor/core/parcel"
	"aldermoor/core/shade"
)

// Config is what a Service is made of.
type Config struct {
	Store    Store
	Blobs    Blobs
	Derived  Derived
	Scratch  Scratch
	Log      *slog.Logger
	Now      func() time.Time
	Pictures codec.Limits                                // of one picture
	Archives parcel.Limits                               // of one archive
	Wake     func()                                      // tells the job queue that there is work
	Jobs     func(context.Context) (left int, err error) // counts the jobs that are not done

	WatchRoots []string // folders in which folders may be watched
	Demo       bool     // the demo's password opens accounts
}

// Service is the application.
type Service struct {
	Config
	tables   *colour.Tables
	renderer func() *shade.Renderer
	work     gate
	index    index
	loaded   atomic.Bool
	prints   prints
	events   hub
	making   locks
	handoffs progress
	guard    throttle
	pace     pace
	mending  progress
	opened   opened
}

// New makes a Service. Load must be called before the Library is shown.
func New(c Config) *Service {
	if c.Now == nil {
		c.Now = time.Now
	}
	if c.Log == nil {
		c.Log = slog.New(slog.DiscardHandler)
	}
	if c.Wake == nil {
		c.Wake = func() {}
	}
	if c.Pictures.Pixels == 0 {
		c.Pictures = codec.DefaultLimits
	}
	if c.Archives.Entries == 0 {
		c.Archives = parcel.DefaultLimits
	}
	s := &Service{Config: c, tables: colour.NewTables(), renderer: sync.OnceValue(shade.NewRenderer), work: newGate(runtime.GOMAXPROCS(0), 400)}
	if c.Store != nil {
		c.Store.OnCommit(s.published)
	}
	return s
}

// prints are those of all materials.
type prints struct {
	mu   sync.Mutex
	read bool
	likeness.Index
}

// ErrBusy says that too much is being asked for at once.
var ErrBusy = errors.New("too many pictures are being asked for at once")

// gate lets a few at a time do heavy work that somebody waits for: rendering and
// decoding. Whoever leaves gives up the place in the queue; a full queue turns away.
type gate struct {
	slots chan struct{}
	queue chan struct{}
}

func newGate(n, waiting int) gate {
	return gate{make(chan struct{}, n), make(chan struct{}, n+waiting)}
}

// do runs f when there is a slot.
func (g gate) do(ctx context.Context, f func() error) error {
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

// derived is a small derived file, made if it is not there: by one at a time, and within
// the limit of what is made at once.
func (s *Service) derived(ctx context.Context, name string, make func() ([]byte, error)) (data []byte, err error) {
	if data, ok := s.Derived.Get(name); ok {
		return data, nil
	}
	unlock, err := s.making.lock(ctx, name)
	if err != nil {
		return nil, err
	}
	defer unlock()
	if data, ok := s.Derived.Get(name); ok {
		return data, nil
	}
	err = s.work.do(ctx, func() error {
		if data, err = make(); err != nil {
			return err
		}
		return s.Derived.Put(name, data)
	})
	return data, err
}

// locks lets one at a time make a thing, by name.
type locks struct {
	mu   sync.Mutex
	held map[string]*lock
}

type lock struct {
	taken chan struct{} // holds a value while somebody has it
	users int
}

// lock waits until nobody else has the name, or the context ends.
func (l *locks) lock(ctx context.Context, name string) (unlock func(), err error) {
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

// progress is how far long work is, by what it is about.
type progress struct {
	mu sync.Mutex
	at map[string]*stage
}

// stage is the state of one piece of work.
type stage struct {
	done, of int
	err      error
	changed  chan struct{} // closed at each change
}

// set notes how far work is; of 0 ends it, with an error or none.
func (p *progress) set(key string, done, of int, err error) {
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

// get is how far work is; 0 of 0 if none is known.
func (p *progress) get(key string) (done, of int, changed <-chan struct{}, err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if k := p.at[key]; k != nil {
		return k.done, k.of, k.changed, k.err
	}
	return 0, 0, nil, nil
}
