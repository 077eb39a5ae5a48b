package blob

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"time"
)

// Loose calls each with every blob that known does not know and that was last put before a moment, with its size, and
// removes it where each says so. A blob is put before a row names it, so the moment must lie further back than putting
// files and writing their rows ever takes.
func (s *Blobs) Loose(ctx context.Context, known func(sum string) bool, before time.Time, each func(sum string, size int64) (remove bool)) error {
	return filepath.WalkDir(s.dir, func(p string, d fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case ctx.Err() != nil:
			return ctx.Err()
		case d.IsDir():
			return nil
		}
		sum := filepath.Base(filepath.Dir(p)) + filepath.Base(p)
		if len(sum) != 64 || known(sum) {
			return nil
		}
		info, err := d.Info()
		if err != nil || !info.ModTime().Before(before) || !each(sum, info.Size()) {
			return nil
		}
		return s.removeOld(p, before)
	})
}

// removeOld removes a blob unless it has been put again meanwhile.
func (s *Blobs) removeOld(p string, before time.Time) error {
	s.placing.Lock()
	defer s.placing.Unlock()
	if info, err := os.Stat(p); err != nil || !info.ModTime().Before(before) {
		return nil
	}
	return os.Remove(p)
}
