package studio

import (
	"context"
	"fmt"
	"slices"
	"time"

	"aldermoor/internal/library/materials"
)

// Looser finds blobs that nobody names; see blob.Blobs.
type Looser interface {
	Loose(ctx context.Context, known func(sum string) bool, before time.Time, each func(sum string, size int64) (remove bool)) error
}

// looseFor is how long a blob stays that no row names: longer than any upload takes from its first file to its rows.
const looseFor = 48 * time.Hour

// Care removes what has been kept for its time: what was deleted, old notices, steps and sign-ins, and files that
// nothing names any more.
func (s *Studio) Care(ctx context.Context) error {
	if err := s.Notices.Forget(ctx); err != nil {
		return fmt.Errorf("forget old notices: %w", err)
	}
	now := s.Notices.Now()
	for more := true; more; {
		err := s.store.Write(ctx, func(tx Tx) (err error) { more, err = tx.PurgeDeleted(now.Add(-materials.KeptDeleted)); return err })
		if err != nil {
			return fmt.Errorf("remove what was deleted: %w", err)
		}
	}
	if err := s.store.Write(ctx, func(tx Tx) error { return tx.ForgetOld(now) }); err != nil {
		return err
	}
	files, bytes, err := s.Collect(ctx, true, nil)
	if err == nil && files > 0 {
		s.Notices.Log.Info("files that nothing names any more were removed", "files", files, "bytes", bytes)
	}
	return err
}

// Collect finds the files that nothing names any more, tells of each, and with remove removes them.
func (s *Studio) Collect(ctx context.Context, remove bool, tell func(sum string, size int64)) (files int, bytes int64, err error) {
	blobs, ok := s.Notices.Blobs.(Looser)
	if !ok {
		return 0, 0, nil
	}
	if remove {
		var unmade []string
		if err := s.store.Read(ctx, func(tx Reader) (err error) { unmade, err = tx.Unmade(); return err }); err != nil {
			return 0, 0, fmt.Errorf("list what recipes made: %w", err)
		}
		for some := range slices.Chunk(unmade, 1000) { // what is made again meanwhile is named by its map
			if err := s.store.Write(ctx, func(tx Tx) error { return tx.ForgetMade(some) }); err != nil {
				return 0, 0, fmt.Errorf("list what recipes made: %w", err)
			}
		}
	}
	before := s.Notices.Now().Add(-looseFor) // first: what is named after this was put after it, too
	named := map[string]bool{}
	if err := s.store.Read(ctx, func(tx Reader) error { return tx.NamedBlobs(func(sum string) { named[sum] = true }) }); err != nil {
		return 0, 0, fmt.Errorf("list the files that are in use: %w", err)
	}
	err = blobs.Loose(ctx, func(sum string) bool { return named[sum] }, before, func(sum string, size int64) bool {
		files++
		bytes += size
		if tell != nil {
			tell(sum, size)
		}
		return remove
	})
	return files, bytes, err
}
