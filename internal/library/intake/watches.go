package intake

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// Watch is a folder whose contents are taken in by themselves.
type Watch struct {
	ID       int64
	Version  int64
	Path     string
	Station  string // whose deliveries they are
	Paused   bool
	Problem  string // why it cannot be read just now, as a sentence
	Restless bool   // something in it is still being written
	Taken    int    // files taken so far
	Looked   time.Time
}

// Taken is a file of a watched folder as it was when it was taken.
type Taken struct {
	Path    string
	Size    int64
	Changed int64 // nanoseconds since 1970
}

// Watches are all watched folders.
func (s *Service) Watches(ctx context.Context, p people.Principal) (list []Watch, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Watches(); return err })
	return list, err
}

// AddWatch starts to watch a folder, which must lie in one of those that the
// administrator has opened for it, whatever links lead there.
func (s *Service) AddWatch(ctx context.Context, p people.Principal, path, station string) (Watch, error) {
	w := Watch{Path: filepath.Clean(strings.TrimSpace(path)), Station: strings.TrimSpace(station)}
	if err := p.Need(people.Contribute); err != nil {
		return w, err
	}
	if !filepath.IsAbs(w.Path) {
		return w, library.Invalid(fmt.Sprintf("%q is not a whole path on the server. Begin it with %c.", path, filepath.Separator))
	}
	if err := s.MayWatch(w.Path); err != nil {
		return w, err
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		all, err := tx.Watches()
		if err != nil {
			return err
		}
		for _, o := range all {
			if o.Path == w.Path {
				return library.Invalid(fmt.Sprintf("%s is watched already.", w.Path))
			}
		}
		if err := tx.SaveWatch(&w); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "folder watched", w.Path, w.Station))
	})
	return w, err
}

// MayWatch says why a folder, or a file in one, may not be read: it must lie in a folder
// that the administrator has opened, with all links followed. What does not exist is
// judged by where it would lie.
func (s *Service) MayWatch(path string) error {
	if len(s.WatchRoots) == 0 {
		return library.Invalid("No folder has been opened for watching. The administrator does that with --watch-root DIR when starting the server.")
	}
	real := resolved(path)
	for _, root := range s.WatchRoots {
		if inside(resolved(root), real) {
			return nil
		}
	}
	return library.Invalid(fmt.Sprintf("%s lies outside the folders that may be watched: %s.", path, strings.Join(s.WatchRoots, ", ")))
}

// resolved is a path with its links followed, as far as it exists.
func resolved(path string) string {
	if real, err := filepath.EvalSymlinks(path); err == nil {
		return real
	}
	if up := filepath.Dir(path); up != path {
		return filepath.Join(resolved(up), filepath.Base(path))
	}
	return path
}

func inside(root, path string) bool {
	rel, err := filepath.Rel(root, path)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}

// ChangeWatch pauses a folder, resumes it, or looks at it at once.
func (s *Service) ChangeWatch(ctx context.Context, p people.Principal, of library.Seen, paused bool) (w Watch, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return w, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if w, err = watchSeen(tx, of); err != nil {
			return err
		}
		w.Paused, w.Restless = paused, false
		return tx.SaveWatch(&w)
	})
	return w, err
}

func watchSeen(tx Reader, of library.Seen) (Watch, error) {
	w, err := watchOf(tx, of.ID)
	if err == nil && of.Version != 0 && of.Version != w.Version {
		err = library.ErrStale
	}
	return w, err
}

func watchOf(tx Reader, id int64) (Watch, error) {
	all, err := tx.Watches()
	if err != nil {
		return Watch{}, err
	}
	for _, w := range all {
		if w.ID == id {
			return w, nil
		}
	}
	return Watch{}, library.ErrNotFound
}

// RemoveWatch stops watching a folder. What was taken stays.
func (s *Service) RemoveWatch(ctx context.Context, p people.Principal, of library.Seen) error {
	if err := p.Need(people.Contribute); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		w, err := watchSeen(tx, of)
		if err != nil {
			return err
		}
		if err := tx.RemoveWatch(of.ID); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "folder no longer watched", w.Path, w.Station))
	})
}

// NoteWatch keeps what a look at a folder showed.
func (s *Service) NoteWatch(ctx context.Context, id int64, problem string, restless bool) error {
	return s.Store.Write(ctx, func(tx Tx) error {
		w, err := watchOf(tx, id)
		if err != nil {
			return nil // removed meanwhile
		}
		if w.Problem != problem || w.Restless != restless {
			tx.Changed("watches")
		}
		w.Problem, w.Restless, w.Looked = problem, restless, s.Now()
		return tx.NoteWatch(w)
	})
}

// TakenFrom are the files taken from a folder so far, by path.
func (s *Service) TakenFrom(ctx context.Context, watch int64) (files map[string]Taken, err error) {
	err = s.Store.Read(ctx, func(tx Reader) (err error) { files, err = tx.TakenFrom(watch); return err })
	return files, err
}

// ReceiveWatched makes a delivery of files of a watched folder and remembers, in
// the same transaction, that they were taken.
func (s *Service) ReceiveWatched(ctx context.Context, w Watch, name string, files []Taken, next func() (Incoming, error)) (Delivery, error) {
	return s.receive(ctx, people.Command("watched folder"), next, func() (string, string) {
		if name == "" {
			name = filepath.Base(w.Path)
		}
		return materials.TitleOf(name), w.Station
	}, func(tx Tx) error {
		tx.Changed("watches")
		return tx.AddTaken(w.ID, files)
	})
}
