package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"sync"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/parcel"
	"aldermoor/internal/blob"
	"aldermoor/internal/jobs"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/store"
	"aldermoor/internal/watch"
	"aldermoor/internal/web"
)

// app is the parts of a running Aldermoor, wired together.
type app struct {
	dir    string
	store  *store.Store
	disk   *blob.Disk
	queue  *jobs.Queue
	studio *studio.Studio
	log    *slog.Logger
	unlock func()

	loaded      <-chan error // how reading the Library went
	stopLoading func()
	workers     int // that all jobs share
}

// limits are what strangers' files may ask for; each is a flag of serve.
type limits struct {
	megapixels, fileMB, archiveGB, archiveFiles, derivedGB, memoryMB, workers int
}

func defaultLimits() limits {
	return limits{codec.DefaultLimits.Pixels >> 20, int(codec.DefaultLimits.Bytes >> 20), int(parcel.DefaultLimits.Bytes >> 30), parcel.DefaultLimits.Entries, blob.DefaultDerivedBytes >> 30,
		studio.DefaultMemory >> 20, 2}
}

// openApp opens a data folder, which one process may use at a time.
func openApp(ctx context.Context, dir string, l limits, log *slog.Logger) (*app, error) {
	if dir == "" {
		return nil, errors.New("say where the data is: --data DIR, or the environment variable ALDERMOOR_DATA")
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("make the data folder: %w", err)
	}
	unlock, err := lockFolder(filepath.Join(dir, "aldermoor.lock"))
	if err != nil {
		return nil, fmt.Errorf("the data folder %q is in use by another Aldermoor: %w", dir, err)
	}
	a := &app{dir: dir, log: log, unlock: unlock}
	if a.store, err = store.Open(ctx, dir); err != nil {
		unlock()
		return nil, err
	}
	if a.disk, err = blob.Open(dir, int64(l.derivedGB)<<30); err != nil {
		a.close()
		return nil, err
	}
	a.queue = jobs.New(a.store.DB(), a.store.Reads(), log)
	a.studio = studio.New(studio.Config{Post: postHook, Store: a.store, Blobs: a.disk.Blobs, Derived: a.disk.Derived, Scratch: a.disk.Scratch, Log: log, Wake: a.queue.Wake, Jobs: a.queue.Waiting,
		Cancel: a.queue.Cancel, Ending: a.queue.Cancelling, Lanes: a.lanes,
		Pictures: codec.Limits{Pixels: l.megapixels << 20, Bytes: int64(l.fileMB) << 20, Memory: codec.DefaultLimits.Memory},
		Memory:   int64(l.memoryMB) << 20,
		Archives: parcel.Limits{Entries: l.archiveFiles, Bytes: int64(l.archiveGB) << 30, Ratio: parcel.DefaultLimits.Ratio}})
	for kind, h := range a.studio.Handlers() {
		a.queue.Handle(kind, h)
	}
	a.queue.OnFailure(a.studio.JobFailed)
	a.queue.OnPerson(func(ctx context.Context, who, lane string) context.Context {
		return studio.Context(ctx, who, lane, jobs.GiveBack, a.queue.Busy)
	})
	a.workers = max(1, l.workers)
	var lanes []jobs.Lane
	for _, k := range studio.Lanes(a.workers) {
		lanes = append(lanes, jobs.Lane(k))
	}
	a.queue.SetLanes(lanes)
	if os.Getenv("GOGC") == "" {
		// The Library stays in memory: garbage beside it may take a third as much, not as much again.
		debug.SetGCPercent(35)
	}
	loading, stop := context.WithCancel(ctx)
	a.stopLoading, a.loaded = stop, a.studio.Search.Load(loading)
	return a, nil
}

// lanes are those of the queue, with how much runs in each.
func (a *app) lanes() (list []studio.Lane, running map[string]int) {
	lanes, running := a.queue.Lanes()
	for _, l := range lanes {
		list = append(list, studio.Lane(l))
	}
	return list, running
}

// openFolders lets folders be watched within the given ones.
func (a *app) openFolders(roots []string) error {
	for _, r := range roots {
		abs, err := filepath.Abs(r)
		if err != nil {
			return fmt.Errorf("open %q for watching: %w", r, err)
		}
		a.studio.Intake.WatchRoots = append(a.studio.Intake.WatchRoots, abs)
	}
	return nil
}

func (a *app) close() {
	if a.loaded != nil {
		a.stopLoading()
		<-a.loaded
	}
	if err := a.store.Close(); err != nil {
		a.log.Error("close the database", "error", err)
	}
	a.unlock()
}

// serve answers on a listener and works on jobs until the context ends.
func (a *app) serve(ctx context.Context, l net.Listener, c web.Config, t tlsFiles) error {
	c.Studio, c.Sessions, c.Repeats, c.Log = a.studio, a.store.Sessions(), a.store.Repeats(), a.log
	c.Uploads = filepath.Join(a.dir, "uploads")
	c.Ready = func(ctx context.Context) error {
		if !a.studio.Search.Loaded() {
			return errors.New("the Library is being read")
		}
		return a.store.Read(ctx, func(tx studio.Reader) error { _, err := tx.LastEvent(); return err })
	}
	s, err := web.New(c)
	if err != nil {
		return err
	}
	// Requests outlive the signal to stop by a while: they run on a context of their own.
	requests, abandon := context.WithCancel(context.WithoutCancel(ctx))
	defer abandon()
	h := &http.Server{MaxHeaderBytes: web.MostHeaders, Handler: s.Handler(), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute,
		ErrorLog: slog.NewLogLogger(a.log.Handler(), slog.LevelWarn), BaseContext: func(net.Listener) context.Context { return requests }}
	h.RegisterOnShutdown(s.EndStreams)
	outer := ctx
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	var wg sync.WaitGroup
	var unread error
	wg.Go(func() {
		if unread = <-a.loaded; unread != nil {
			cancel() // nothing can be found, so nothing is served
			return
		}
		many, err := a.studio.Releases.Recard(ctx)
		if err == nil && many {
			err = <-a.studio.Search.Load(ctx)
		}
		if err != nil && ctx.Err() == nil {
			a.log.Error("renew the Library's cards", "error", err)
		}
		if err := a.studio.Pictures.DescribeAll(ctx); err != nil && ctx.Err() == nil {
			a.log.Error("ask for what is not described yet", "error", err)
		}
	})
	wg.Go(func() {
		if err := a.queue.Run(ctx, a.workers); err != nil {
			a.log.Error("work on jobs", "error", err)
		}
	})
	wg.Go(func() {
		for tick := time.NewTicker(15 * time.Second); ; {
			if err := a.studio.Releases.RunDue(ctx); err != nil && ctx.Err() == nil {
				a.log.Error("release what is due", "error", err)
			}
			a.studio.Search.Settle()
			if !a.studio.Search.Loaded() {
				// nothing can be found yet
			} else if err := s.TellSearches(ctx); err != nil && ctx.Err() == nil {
				a.log.Error("tell what is new in saved searches", "error", err)
			}
			select {
			case <-ctx.Done():
				tick.Stop()
				return
			case <-tick.C:
			}
		}
	})
	wg.Go(func() {
		for tick := time.NewTicker(careEvery); ; {
			select {
			case <-ctx.Done():
				tick.Stop()
				return
			case <-tick.C:
			}
			s.ForgetUploads()
			if err := a.studio.Care(ctx); err != nil && ctx.Err() == nil {
				a.log.Error("remove what has been kept for its time", "error", err)
			}
		}
	})
	wg.Go(func() {
		if err := (&watch.Watcher{Studio: a.studio, Log: a.log}).Run(ctx); err != nil {
			a.log.Error("watch folders", "error", err)
		}
	})
	wg.Go(func() {
		<-ctx.Done()
		end, done := context.WithTimeout(context.WithoutCancel(ctx), stopWithin)
		defer done()
		if err := h.Shutdown(end); err != nil {
			a.log.Warn("requests were cut off", "error", err)
			abandon()
			h.Close()
		}
	})
	if t.cert != "" {
		err = h.ServeTLS(l, t.cert, t.key)
	} else {
		err = h.Serve(l)
	}
	stopped := outer.Err() != nil
	cancel()
	wg.Wait()
	if unread != nil && !stopped {
		return fmt.Errorf("read the Library: %w", unread)
	}
	if errors.Is(err, http.ErrServerClosed) {
		return nil
	}
	return err
}

// careEvery is how often what has been kept for its time is removed.
const careEvery = 6 * time.Hour

// stopWithin is how long requests may go on after the signal to stop.
const stopWithin = 10 * time.Second

// tlsFiles are a certificate and its key; empty for none.
type tlsFiles struct{ cert, key string }

// logger writes structured lines to standard error.
func logger(verbose bool) *slog.Logger {
	level := slog.LevelInfo
	if verbose {
		level = slog.LevelDebug
	}
	return slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level}))
}

// env is an environment variable, or what stands in for it.
func env(name, missing string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return missing
}

// loopback says whether an address is reached from this machine alone.
func loopback(addr net.Addr) bool {
	host, _, err := net.SplitHostPort(addr.String())
	return err == nil && net.ParseIP(host).IsLoopback()
}
