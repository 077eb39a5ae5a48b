package library

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
	"time"
)

// Watch is a folder whose contents are taken in by themselves.
type Watch struct {
	ID       int64
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
func (s *Service) Watches(ctx context.Context) (list []Watch, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { list, err = tx.Watches(); return err })
	return list, err
}

// AddWatch starts to watch a folder, which must lie in one of those that the
// administrator has opened for it.
func (s *Service) AddWatch(ctx context.Context, path, station, by string) (Watch, error) {
	w := Watch{Path: filepath.Clean(strings.TrimSpace(path)), Station: strings.TrimSpace(station)}
	if !filepath.IsAbs(w.Path) {
		return w, Invalid{fmt.Sprintf("%q is not a whole path on the server. Begin it with %c.", path, filepath.Separator)}
	}
	if len(s.WatchRoots) == 0 {
		return w, Invalid{"No folder has been opened for watching. The administrator does that with --watch-root DIR when starting the server."}
	}
	inside := false
	for _, root := range s.WatchRoots {
		rel, err := filepath.Rel(root, w.Path)
		inside = inside || err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
	}
	if !inside {
		return w, Invalid{fmt.Sprintf("%s lies outside the folders that may be watched: %s.", w.Path, strings.Join(s.WatchRoots, ", "))}
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		all, err := tx.Watches()
		if err != nil {
			return err
		}
		for _, o := range all {
			if o.Path == w.Path {
				return Invalid{fmt.Sprintf("%s is watched already.", w.Path)}
			}
		}
		if err := tx.SaveWatch(&w); err != nil {
			return err
		}
		return tx.AddAudit(AuditEntry{s.Now(), by, "folder watched", w.Path, w.Station})
	})
	s.changed("watches")
	return w, err
}

// ChangeWatch pauses a folder, goes on with it, or looks at it at once.
func (s *Service) ChangeWatch(ctx context.Context, id int64, paused bool) error {
	err := s.Store.Write(ctx, func(tx Tx) error {
		w, err := watchOf(tx, id)
		if err != nil {
			return err
		}
		w.Paused, w.Restless = paused, false
		return tx.SaveWatch(&w)
	})
	s.changed("watches")
	return err
}

func watchOf(tx Tx, id int64) (Watch, error) {
	all, err := tx.Watches()
	if err != nil {
		return Watch{}, err
	}
	for _, w := range all {
		if w.ID == id {
			return w, nil
		}
	}
	return Watch{}, ErrNotFound
}

// RemoveWatch stops watching a folder. What was taken stays.
func (s *Service) RemoveWatch(ctx context.Context, id int64, by string) error {
	err := s.Store.Write(ctx, func(tx Tx) error {
		w, err := watchOf(tx, id)
		if err != nil {
			return err
		}
		if err := tx.RemoveWatch(id); err != nil {
			return err
		}
		return tx.AddAudit(AuditEntry{s.Now(), by, "folder no longer watched", w.Path, w.Station})
	})
	s.changed("watches")
	return err
}

// NoteWatch keeps what a look at a folder showed.
func (s *Service) NoteWatch(ctx context.Context, id int64, problem string, restless bool) error {
	changed := false
	err := s.Store.Write(ctx, func(tx Tx) error {
		w, err := watchOf(tx, id)
		if err != nil {
			return nil // removed meanwhile
		}
		changed = w.Problem != problem || w.Restless != restless
		w.Problem, w.Restless, w.Looked = problem, restless, s.Now()
		return tx.SaveWatch(&w)
	})
	if changed {
		s.changed("folders")
	}
	return err
}

// TakenFrom are the files taken from a folder so far, by path.
func (s *Service) TakenFrom(ctx context.Context, watch int64) (files map[string]Taken, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { files, err = tx.TakenFrom(watch); return err })
	return files, err
}

// ReceiveWatched makes a delivery of files of a watched folder and remembers, in
// the same transaction, that they were taken.
func (s *Service) ReceiveWatched(ctx context.Context, w Watch, name string, files []Taken, next func() (Incoming, error)) (Delivery, error) {
	d, err := s.receive(ctx, "watched folder", next, func() (string, string) {
		if name == "" {
			name = filepath.Base(w.Path)
		}
		return TitleOf(name), w.Station
	}, func(tx Tx) error { return tx.AddTaken(w.ID, files) })
	if err == nil {
		s.changed("folders")
	}
	return d, err
}
