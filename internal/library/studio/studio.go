// Package studio is the whole application, wired: each subject with the store as it sees it
// and the subjects that it builds on; the jobs of all; the counts in the bar on top.
package studio

import (
	"cmp"
	"context"
	"log/slog"
	"maps"
	"runtime"
	"sync"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/colour"
	"aldermoor/core/parcel"
	"aldermoor/internal/library"
	"aldermoor/internal/library/collections"
	"aldermoor/internal/library/events"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/notices"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/requests"
	"aldermoor/internal/library/search"
)

// Config is what a Studio is made of.
type Config struct {
	Store    Store
	Blobs    library.Blobs
	Derived  library.Derived
	Scratch  library.Scratch
	Log      *slog.Logger
	Now      func() time.Time
	Pictures codec.Limits                                // of one picture
	Archives parcel.Limits                               // of one archive
	Memory   int64                                       // bytes that decoded pictures may take at a time; 0 for the default
	Wake     func()                                      // tells the job queue that there is work
	Jobs     func(context.Context) (left int, err error) // counts the jobs that are not done
	Cancel   func(ctx context.Context, id int64, by string) error
	Ending   func(id int64) bool // whether a job that runs has been cancelled
	Lanes    func() (lanes []Lane, running map[string]int)

	Post       notices.Poster // sends webhooks; nil sends none
	WatchRoots []string       // folders in which folders may be watched
	Demo       bool           // the demo's password opens accounts
}

// DefaultMemory is how many bytes decoded pictures may take at a time, unless that is set.
const DefaultMemory = 2 << 30

// Studio is the whole application: its subjects, each with those that it builds on.
type Studio struct {
	People      *people.Service
	Events      *events.Service
	Notices     *notices.Service
	Materials   *materials.Service
	Intake      *intake.Service
	Releases    *releases.Service
	Search      *search.Service
	Collections *collections.Service
	Requests    *requests.Service
	Pictures    *pictures.Service

	store  Store
	jobs   func(context.Context) (int, error)
	cancel func(ctx context.Context, id int64, by string) error
	ending func(id int64) bool
	lanes  func() (lanes []Lane, running map[string]int)
	pulse  pulse
}

// New makes a Studio. Search must be loaded before the Library is shown.
func New(c Config) *Studio {
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
	b := &library.Base{Blobs: c.Blobs, Derived: c.Derived, Scratch: c.Scratch, Log: c.Log, Now: c.Now, Pictures: c.Pictures,
		Tables: colour.NewTables(), Memory: library.NewMemory(cmp.Or(c.Memory, DefaultMemory)), Work: library.NewGate(runtime.GOMAXPROCS(0), 400)}
	s := &Studio{store: c.Store, jobs: c.Jobs, cancel: c.Cancel, ending: c.Ending, lanes: c.Lanes}
	s.People = &people.Service{Base: b, Demo: c.Demo,
		Store: library.View(c.Store, func(r Reader) people.Reader { return r }, func(t Tx) people.Tx { return t })}
	s.Events = &events.Service{Base: b, Wake: c.Wake,
		Store: library.View(c.Store, func(r Reader) events.Reader { return r }, func(t Tx) events.Tx { return t })}
	s.Notices = &notices.Service{Base: b, Post: c.Post,
		Store: library.View(c.Store, func(r Reader) notices.Reader { return r }, func(t Tx) notices.Tx { return t })}
	s.Materials = &materials.Service{Base: b, Events: s.Events,
		Store: library.View(c.Store, func(r Reader) materials.Reader { return r }, func(t Tx) materials.Tx { return t })}
	s.Intake = &intake.Service{Base: b, Events: s.Events, Materials: s.Materials, Archives: c.Archives, WatchRoots: c.WatchRoots,
		Store: library.View(c.Store, func(r Reader) intake.Reader { return r }, func(t Tx) intake.Tx { return t })}
	s.Search = &search.Service{Base: b,
		Store: library.View(c.Store, func(r Reader) search.Reader { return r }, func(t Tx) search.Tx { return t })}
	s.Collections = &collections.Service{Base: b, Notices: s.Notices,
		Store: library.View(c.Store, func(r Reader) collections.Reader { return r }, func(t Tx) collections.Tx { return t })}
	s.Requests = &requests.Service{Base: b, Notices: s.Notices,
		Store: library.View(c.Store, func(r Reader) requests.Reader { return r }, func(t Tx) requests.Tx { return t })}
	s.Releases = &releases.Service{Base: b, Events: s.Events, Materials: s.Materials, Published: s.Search.Put, Used: s.Search.Used, Notices: s.Notices, JobTraits: pictures.JobTraits,
		Store: library.View(c.Store, func(r Reader) releases.Reader { return r }, func(t Tx) releases.Tx { return t })}
	s.Pictures = &pictures.Service{Base: b, Events: s.Events, Materials: s.Materials, Releases: s.Releases, Search: s.Search,
		Store: library.View(c.Store, func(r Reader) pictures.Reader { return r }, func(t Tx) pictures.Tx { return t })}
	if c.Store != nil {
		c.Store.OnCommit(func(list []library.Event) {
			s.pulse.stale()
			s.Events.Published(list)
		})
	}
	return s
}

// Handlers are the jobs that the studio does, by kind.
func (s *Studio) Handlers() map[string]func(ctx context.Context, key string) error {
	all := map[string]func(context.Context, string) error{}
	for _, some := range []map[string]func(context.Context, string) error{s.Materials.Handlers(), s.Intake.Handlers(), s.Releases.Handlers(), s.Pictures.Handlers(), s.Notices.Handlers()} {
		maps.Copy(all, some)
	}
	return all
}

// JobFailed notes where people see it that a job has failed for good.
func (s *Studio) JobFailed(ctx context.Context, kind, key string, problem error) {
	for _, note := range []func(ctx context.Context, kind, key string, problem error) error{s.Materials.JobFailed, s.Intake.JobFailed, s.Releases.JobFailed, s.Pictures.JobFailed, s.Notices.JobFailed} {
		if err := note(ctx, kind, key, problem); err != nil {
			s.Events.Log.Error("note a failed job", "kind", kind, "key", key, "error", err)
		}
	}
}

// Counts are the figures in the bar on top.
type Counts struct {
	Intake  int // sets that are not accepted yet
	Bench   int // accepted drafts that are not released as they are
	Library int // published materials
	Jobs    int // jobs left

	Done float64       // the share of the work under way that is done, by jobs
	Left time.Duration // until it is done at the pace so far; 0 if that is not known
}

// pulse keeps the counts for a moment: every page shows them, and counting for each would
// cost more than the pages.
type pulse struct {
	mu     sync.Mutex
	counts Counts
	at     time.Time // when they were counted
	old    bool      // something has changed since

	most   int       // the most jobs that were left since the last time there were none
	mostAt time.Time // when
}

// track notes how far the work has come.
func (p *pulse) track(c *Counts, now time.Time) {
	if c.Jobs == 0 {
		p.most = 0
		return
	}
	if c.Jobs >= p.most {
		p.most, p.mostAt = c.Jobs, now
	}
	done := p.most - c.Jobs
	c.Done = float64(done) / float64(p.most)
	if took := now.Sub(p.mostAt); done > 0 && took > 2*time.Second {
		c.Left = time.Duration(float64(took) / float64(done) * float64(c.Jobs)).Round(time.Second)
	}
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
func (s *Studio) Counts(ctx context.Context) (Counts, error) {
	p := &s.pulse
	p.mu.Lock()
	defer p.mu.Unlock()
	age := time.Since(p.at)
	if age < pulseFor || !p.old && age < 20*pulseFor {
		return p.counts, nil
	}
	c := Counts{Library: s.Search.Size()}
	p.old = false
	err := s.store.Read(ctx, func(tx Reader) (err error) { c.Intake, c.Bench, err = tx.CountMaterials(); return err })
	if err == nil && s.jobs != nil {
		c.Jobs, err = s.jobs(ctx)
	}
	if err != nil {
		p.old = true
		return p.counts, err
	}
	p.at = time.Now()
	p.track(&c, p.at)
	p.counts = c
	return c, nil
}
