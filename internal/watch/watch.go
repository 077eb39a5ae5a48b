// Package watch takes in what appears in watched folders.
//
// Each entry of a watched folder (a folder, an archive, a file) becomes a delivery
// once two looks at it, some time apart, have shown the same sizes and times: a file that
// is still being written is not taken, whatever the clock of the machine says that writes
// it. Loose files that stopped changing together are one delivery. What was
// taken is remembered in the transaction that makes the delivery, so nothing is
// taken twice; a file that changes later is delivered anew. Folders are watched by
// the system's notices and, since those do not reach across networks, by looking
// every half minute too.
package watch

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/studio"

	"github.com/fsnotify/fsnotify"
)

// Rest is how long nothing may change before an entry is taken.
const Rest = 3 * time.Second

const poll = 30 * time.Second

// Watcher looks after all watched folders.
type Watcher struct {
	Studio *studio.Studio
	Log    *slog.Logger
	Rest   time.Duration    // 0 for Rest
	Now    func() time.Time // nil for the system's clock

	seen map[string]sight // by path: files that are not taken yet
}

// sight is how a file looked, and since when it has looked like that, by the watcher's own clock.
type sight struct {
	size, changed int64
	since, last   time.Time
}

// itself is who reads the list of folders.
var itself = people.Command("watched folder")

// Run watches until the context ends.
func (w *Watcher) Run(ctx context.Context) error {
	if w.Rest == 0 {
		w.Rest = Rest
	}
	if w.Now == nil {
		w.Now = time.Now
	}
	w.seen = map[string]sight{}
	notices, err := fsnotify.NewWatcher()
	if err != nil {
		w.Log.Warn("the system gives no notices of changed files; folders are looked at every half minute", "error", err)
		notices = &fsnotify.Watcher{}
	} else {
		defer notices.Close()
	}
	changed, _, stop, err := w.Studio.Events.Listen(ctx, itself, 0)
	if err != nil {
		return err
	}
	defer stop()
	look := time.NewTimer(0)
	regular := time.NewTicker(poll)
	defer regular.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-notices.Events:
			look.Reset(w.Rest / 2)
		case err := <-notices.Errors:
			w.Log.Warn("watch folders", "error", err)
		case <-changed.Ready:
			if topics, _ := changed.Take(); slices.Contains(topics, "watches") {
				look.Reset(0)
			}
		case <-regular.C:
			look.Reset(0)
		case <-look.C:
			again, err := w.look(ctx, notices)
			if err != nil && ctx.Err() == nil {
				w.Log.Error("look at watched folders", "error", err)
			}
			if again > 0 {
				look.Reset(again)
			}
		}
	}
}

// look goes through all folders, and says when to look again: 0 for when something
// happens.
func (w *Watcher) look(ctx context.Context, notices *fsnotify.Watcher) (again time.Duration, err error) {
	list, err := w.Studio.Intake.Watches(ctx, itself)
	if err != nil {
		return 0, err
	}
	for _, folder := range list {
		if folder.Paused {
			continue
		}
		problem := ""
		restless, err := w.folder(ctx, folder, notices)
		if ctx.Err() != nil {
			return 0, ctx.Err()
		}
		if err != nil {
			problem = sentence(folder.Path, err)
		}
		if restless {
			again = w.Rest
		}
		if err := w.Studio.Intake.NoteWatch(ctx, folder.ID, problem, restless); err != nil {
			return again, err
		}
	}
	return again, nil
}

func sentence(path string, err error) string {
	if outside := library.Invalid(""); errors.As(err, &outside) {
		return string(outside)
	}
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return fmt.Sprintf("%s is not there. It is taken up again when it comes back.", path)
	case errors.Is(err, fs.ErrPermission):
		return fmt.Sprintf("%s may not be read by the server. Change its permissions.", path)
	}
	return fmt.Sprintf("%s could not be taken in: %v. It is tried again.", path, err)
}

// folder looks at one watched folder and takes what has stopped changing. What cannot be read is told, and keeps
// nothing else from being taken.
func (w *Watcher) folder(ctx context.Context, folder intake.Watch, notices *fsnotify.Watcher) (restless bool, err error) {
	if err := w.Studio.Intake.MayWatch(folder.Path); err != nil { // it may have become a link
		return false, err
	}
	taken, err := w.Studio.Intake.TakenFrom(ctx, folder.ID)
	if err != nil {
		return false, err
	}
	entries, err := os.ReadDir(folder.Path)
	if err != nil {
		return false, err
	}
	listen(notices, folder.Path)
	var loose []intake.Taken
	looseRest := true
	var problem error
	for _, e := range entries {
		if strings.HasPrefix(e.Name(), ".") {
			continue
		}
		fresh, rests, err := w.fresh(folder.Path, e.Name(), taken, notices)
		switch {
		case err != nil:
			problem = cmp.Or(problem, err)
		case len(fresh) == 0:
		case !rests:
			restless = true
			looseRest = looseRest && e.IsDir()
		case e.IsDir():
			if err := w.take(ctx, folder, e.Name(), fresh); err != nil {
				problem = cmp.Or(problem, err)
			}
		default:
			loose = append(loose, fresh...)
		}
		if ctx.Err() != nil {
			return restless, ctx.Err()
		}
	}
	if len(loose) > 0 && looseRest {
		if err := w.take(ctx, folder, "", loose); err != nil {
			problem = cmp.Or(problem, err)
		}
	}
	w.forget()
	return restless, problem
}

// forget removes sights of files that were taken, or are gone.
func (w *Watcher) forget() {
	now := w.Now()
	for path, k := range w.seen {
		if now.Sub(k.last) > sightsKept {
			delete(w.seen, path)
		}
	}
}

// sightsKept is how long it is remembered how a file looked that is not seen any more.
const sightsKept = 10 * poll

// fresh are the files under an entry that have not been taken as they are now, and
// whether all of them have stopped changing.
func (w *Watcher) fresh(root, name string, taken map[string]intake.Taken, notices *fsnotify.Watcher) (files []intake.Taken, rests bool, err error) {
	rests = true
	err = filepath.WalkDir(filepath.Join(root, name), func(p string, d fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) {
			return nil // it was moved away meanwhile
		}
		if err != nil {
			return err
		}
		if d.IsDir() {
			listen(notices, p)
			return nil
		}
		if !d.Type().IsRegular() || strings.HasPrefix(d.Name(), ".") {
			return nil
		}
		info, err := d.Info()
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(root, p)
		if err != nil {
			return err
		}
		f := intake.Taken{Path: filepath.ToSlash(rel), Size: info.Size(), Changed: info.ModTime().UnixNano()}
		if taken[f.Path] == f {
			return nil
		}
		if !w.rests(p, f) {
			rests = false
		}
		files = append(files, f)
		return nil
	})
	return files, rests, err
}

// rests says whether a file looks as it did at least Rest ago; an empty one ten times as long ago, since it may have
// been made before its contents come.
func (w *Watcher) rests(path string, f intake.Taken) bool {
	now := w.Now()
	k, ok := w.seen[path]
	if !ok || k.size != f.Size || k.changed != f.Changed {
		k = sight{f.Size, f.Changed, now, now}
	}
	k.last = now
	w.seen[path] = k
	rest := w.Rest
	if f.Size == 0 {
		rest *= 10
	}
	return now.Sub(k.since) >= rest
}

func listen(notices *fsnotify.Watcher, dir string) {
	if notices.Events != nil {
		notices.Add(dir) // told of twice it watches once; what it cannot watch is polled
	}
}

// take makes a delivery of files. They are opened within the folder: a link that leads out
// of it is refused, even one that took a file's place a moment ago.
func (w *Watcher) take(ctx context.Context, folder intake.Watch, name string, files []intake.Taken) error {
	root, err := os.OpenRoot(folder.Path)
	if err != nil {
		return err
	}
	defer root.Close()
	next := 0
	var open *os.File
	defer func() {
		if open != nil {
			open.Close()
		}
	}()
	d, err := w.Studio.Intake.ReceiveWatched(ctx, folder, name, files, func() (intake.Incoming, error) {
		if open != nil {
			open.Close()
			open = nil
		}
		if next == len(files) {
			return intake.Incoming{}, io.EOF
		}
		f := files[next]
		next++
		var err error
		open, err = root.Open(filepath.FromSlash(f.Path))
		return intake.Incoming{Path: f.Path, R: open}, err
	})
	if err == nil {
		w.Log.Info("taken from a watched folder", "folder", folder.Path, "delivery", d.ID, "files", len(files))
	}
	return err
}
