package library

import (
	"log/slog"
	"sync"
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
	Log      *slog.Logger
	Now      func() time.Time
	Pictures codec.Limits  // of one picture
	Archives parcel.Limits // of one archive
	Wake     func()        // tells the job queue that there is work

	WatchRoots []string // folders in which folders may be watched
}

// Service is the application.
type Service struct {
	Config
	tables   *colour.Tables
	renderer func() *shade.Renderer
	render   chan struct{} // a slot a picture in the making
	index    index
	prints   prints
	events   hub
	making   locks
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
	return &Service{Config: c, tables: colour.NewTables(), renderer: sync.OnceValue(shade.NewRenderer), render: make(chan struct{}, 2)}
}

// prints are those of all materials.
type prints struct {
	mu   sync.Mutex
	read bool
	likeness.Index
}

// locks lets one at a time make a thing, by name.
type locks struct {
	mu   sync.Mutex
	held map[string]*lock
}

type lock struct {
	sync.Mutex
	users int
}

func (l *locks) lock(name string) (unlock func()) {
	l.mu.Lock()
	if l.held == nil {
		l.held = map[string]*lock{}
	}
	k := l.held[name]
	if k == nil {
		k = &lock{}
		l.held[name] = k
	}
	k.users++
	l.mu.Unlock()
	k.Lock()
	return func() {
		k.Unlock()
		l.mu.Lock()
		if k.users--; k.users == 0 {
			delete(l.held, name)
		}
		l.mu.Unlock()
	}
}
