package intake

import (
	"context"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"aldermoor/core/parcel"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// The kinds of jobs that carry a delivery along: its archives are opened, each
// file is examined, then all are sorted.
const (
	JobOpen    = "open"
	JobExamine = "examine"
	JobSort    = "sort"
)

// Incoming is one file on its way in.
type Incoming struct {
	Path string
	R    io.Reader // its bytes, or
	File string    // where it lies already, on the same disk; it is left there
}

// Receive takes a delivery: next is asked for files until it returns io.EOF. The
// delivery exists once all its files are safely stored, or not at all. label is
// asked last for its name and station, either of which may be empty.
func (s *Service) Receive(ctx context.Context, p people.Principal, next func() (Incoming, error), label func() (name, station string)) (Delivery, error) {
	return s.receive(ctx, p, next, label, func(Tx) error { return nil })
}

// receive is Receive with something else to be written in the same transaction.
func (s *Service) receive(ctx context.Context, p people.Principal, next func() (Incoming, error), label func() (name, station string), also func(Tx) error) (Delivery, error) {
	d := Delivery{State: Receiving, Created: s.Now(), By: p.Name}
	if err := p.Need(people.Contribute); err != nil {
		return d, err
	}
	var parcels []Parcel
	for {
		in, err := next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return d, err
		}
		clean, err := parcel.CleanName(in.Path)
		if err != nil {
			return d, library.Invalid(fmt.Sprintf("The file %q %v.", in.Path, err))
		}
		var sum string
		var n int64
		if in.File != "" {
			sum, n, err = s.Blobs.Adopt(ctx, in.File)
		} else {
			sum, n, err = s.Blobs.Put(ctx, in.R)
		}
		if err != nil {
			return d, fmt.Errorf("receive %q: %w", clean, err)
		}
		if !parcel.Ignored(clean) {
			parcels = append(parcels, Parcel{Path: clean, Blob: sum, Size: n})
		}
	}
	if len(parcels) == 0 {
		return d, library.Invalid("No file was sent. Drop files, a folder or an archive, or send them as multipart fields called file.")
	}
	if d.Name, d.Station = label(); d.Name == "" {
		d.Name = deliveryName(parcels)
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.AddDelivery(&d); err != nil {
			return err
		}
		for i := range parcels {
			parcels[i].DeliveryID = d.ID
			if err := tx.AddParcel(&parcels[i]); err != nil {
				return err
			}
		}
		if err := also(tx); err != nil {
			return err
		}
		return tx.AddJob(JobOpen, strconv.FormatInt(d.ID, 10), 3)
	})
	if err != nil {
		return d, fmt.Errorf("receive delivery %q: %w", d.Name, err)
	}
	return d, nil
}

func deliveryName(p []Parcel) string {
	first := p[0].Path
	if dir, _, ok := strings.Cut(first, "/"); ok {
		return materials.TitleOf(dir)
	}
	stem := stemOf(first)
	if len(p) > 1 {
		return fmt.Sprintf("%s and %d more", materials.TitleOf(stem), len(p)-1)
	}
	return materials.TitleOf(stem)
}

// stemOf is a file's name without folders and endings.
func stemOf(file string) string {
	name := path.Base(file)
	return strings.TrimSuffix(strings.TrimSuffix(name, path.Ext(name)), ".tar")
}
