package intake

import (
	"context"
	"errors"
	"strconv"

	"aldermoor/core/inspect"
	"aldermoor/core/raster"
	"aldermoor/internal/library"
	"aldermoor/internal/wording"
)

// sortIfExamined adds the sorting job once a delivery has been opened and its last file
// has been looked at.
func (s *Service) sortIfExamined(tx Tx, delivery int64) error {
	d, err := tx.Delivery(delivery)
	if err != nil || d.State != Sorting {
		return err
	}
	if left, err := tx.Unexamined(delivery); left || err != nil {
		return err
	}
	return tx.AddJob(JobSort, strconv.FormatInt(delivery, 10), 2)
}

// examine looks at one file, in one decode.
func (s *Service) examine(ctx context.Context, key string) error {
	id, _ := strconv.ParseInt(key, 10, 64)
	var f File
	err := s.Store.Read(ctx, func(tx Reader) (err error) { f, err = tx.File(id); return err })
	if errors.Is(err, library.ErrNotFound) || err == nil && f.Examined != nil {
		return nil
	}
	if err != nil {
		return err
	}
	from := s.Now()
	e, err := s.look(ctx, &f)
	if err != nil {
		return err
	}
	s.pace.add(from, s.Now(), f.Size)
	f.Examined = &e
	if e.Problem != nil {
		f.Problem = wording.Problem(*e.Problem)
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.SaveExamined(f); err != nil {
			return err
		}
		return s.sortIfExamined(tx, f.DeliveryID)
	})
}

func (s *Service) look(ctx context.Context, f *File) (inspect.Examined, error) {
	b, err := s.Blobs.Open(f.Blob)
	if err != nil {
		return inspect.Examined{}, err
	}
	defer b.Close()
	return inspect.Examine(f.Path, inspect.Source{ReaderAt: b, Size: b.Size(), SHA256: f.Blob, Reserve: func(n int64) (func(), error) { return s.Memory.Reserve(ctx, n) }}, s.Pictures.Until(ctx), func(layer string, im *raster.Image) error {
		ratio, err := s.Materials.PutLevel(f.Blob, layer, im)
		f.Ratio = max(f.Ratio, ratio)
		return err
	})
}
