package intake

import (
	"context"
	"errors"
	"slices"
	"time"

	"aldermoor/core/inspect"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// Delivery is what arrived at one time.
type Delivery struct {
	ID            int64
	Version       int64 // rises with every change of it or of its sets
	Name, Station string
	State         State
	Error         string
	Created       time.Time
	By            string

	Files, Examined, Failed int           // counts of files
	Bytes                   int64         // of all files
	Ahead                   int64         // bytes of the files that are to be looked at yet
	Left                    time.Duration // how long that will take, 0 if not known
	Sets, Doubtful, Waiting int           // sets; those with doubts not yet accepted; those not yet accepted
}

// State is how far a delivery is.
type State string

// The states of a delivery.
const (
	Receiving State = "receiving"
	Sorting   State = "sorting"
	Sorted    State = "sorted"
	Failed    State = "failed"
)

// Progress is 0..1.
func (d Delivery) Progress() float64 {
	switch {
	case d.State == Sorted || d.State == Failed:
		return 1
	case d.Files == 0:
		return 0
	}
	return 0.98 * float64(d.Examined) / float64(d.Files)
}

// Parcel is a file as it was sent, before archives are opened.
type Parcel struct {
	ID, DeliveryID int64
	Path, Blob     string
	Size           int64
	Opened         bool   // its files are listed
	Folder         string // before the paths of its files; "" unless they would be doubled
}

// File is one file of a delivery.
type File struct {
	ID, DeliveryID int64
	ParcelID       int64
	Entry          string // its path within the parcel
	Path, Blob     string
	Size           int64
	Examined       *inspect.Examined
	Ratio          float64 // compressed over raw bytes
	Problem        string
}

// DeliveryReport is a delivery with its materials and failures, for Intake and
// the API.
type DeliveryReport struct {
	Delivery
	Materials []materials.Material
	Here      map[int64]materials.Material // those that sets of it are known as, by their id
	Failures  []inspect.Failure
	Retry     bool // something failed here, not in the files: it can be retried
}

// Delivery returns a delivery with everything in it: doubtful materials first.
func (s *Service) Delivery(ctx context.Context, p people.Principal, id int64) (r DeliveryReport, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return r, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) {
		if r.Delivery, err = tx.Delivery(id); err != nil {
			return err
		}
		if r.Materials, err = tx.MaterialsOf(id); err != nil {
			return err
		}
		r.Here = map[int64]materials.Material{}
		for _, m := range r.Materials {
			if m.Known == nil {
				continue
			}
			here, err := tx.Material(m.Known.Material)
			if err != nil && !errors.Is(err, library.ErrNotFound) {
				return err
			}
			r.Here[m.Known.Material] = here
		}
		files, err := tx.Files(id)
		for _, f := range files {
			if f.Problem != "" {
				r.Retry = r.Retry || f.Examined != nil && f.Examined.Failed
				r.Failures = append(r.Failures, inspect.Failure{File: f.Path, Error: f.Problem})
			}
		}
		return err
	})
	r.Retry = r.Retry || r.State == Failed
	r.Left = s.pace.left(r.Ahead, s.Now())
	slices.SortStableFunc(r.Materials, func(a, b materials.Material) int { return b.Doubts - a.Doubts })
	return r, err
}

// DeliveryQuery asks for deliveries, the latest first.
type DeliveryQuery struct {
	Text string // in the name or the station
	Page int    // from 1
	Per  int    // at most 500
}

// Deliveries are a page of deliveries, and how many there are.
func (s *Service) Deliveries(ctx context.Context, p people.Principal, q DeliveryQuery) (list []Delivery, total int, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, 0, err
	}
	q.Page, q.Per = max(1, min(q.Page, 1_000_000)), max(1, min(q.Per, 500))
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, total, err = tx.Deliveries(q); return err })
	for i := range list {
		list[i].Left = s.pace.left(list[i].Ahead, s.Now())
	}
	return list, total, err
}
