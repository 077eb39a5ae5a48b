package intake

import (
	"context"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"

	"aldermoor/core/material"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// Resend takes a file or an archive again that could not be read, in the place of what
// came under the same path. The delivery is sorted anew; what has been decided of its
// sets stays, and the file finds its place in the set that it belongs to.
func (s *Service) Resend(ctx context.Context, p people.Principal, delivery, version int64, name string, r io.Reader) error {
	if err := p.Need(people.Contribute); err != nil {
		return err
	}
	sum, n, err := s.Blobs.Put(ctx, r)
	if err != nil {
		return fmt.Errorf("receive %q again: %w", name, err)
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if err := deliverySeen(tx, delivery, version); err != nil {
			return err
		}
		d, err := settledDelivery(tx, delivery)
		if err != nil {
			return err
		}
		files, err := tx.Files(delivery)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(files, func(f File) bool { return f.Path == name })
		if i < 0 {
			return library.Invalid(fmt.Sprintf("No file called %s came in this delivery.", name))
		}
		if files[i].Problem == "" {
			return library.Invalid(fmt.Sprintf("%s was read without trouble. Send a new version of it as a delivery of its own.", name))
		}
		if err := s.replace(tx, files[i], sum, n, files); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "file sent again", name, d.Name))
	})
	return err
}

// settledDelivery is a delivery that nothing is being done to.
func settledDelivery(tx Reader, id int64) (Delivery, error) {
	d, err := tx.Delivery(id)
	if err == nil && d.State != Sorted && d.State != Failed {
		err = library.Invalid("This delivery is still being sorted. Try again when that is done.")
	}
	return d, err
}

// replace puts other contents in the place of a file with a problem. An archive is opened
// anew: what came out of it before stays.
func (s *Service) replace(tx Tx, f File, sum string, n int64, files []File) error {
	parcels, err := tx.Parcels(f.DeliveryID)
	if err != nil {
		return err
	}
	for _, p := range parcels {
		if p.ID != f.ParcelID || p.Path != f.Entry {
			continue
		}
		p.Blob, p.Size, p.Opened = sum, n, false
		if err := tx.SetParcel(p); err != nil {
			return err
		}
		for _, o := range files {
			if o.ParcelID == p.ID && o.Problem != "" {
				if err := tx.RemoveFile(o.ID); err != nil {
					return err
				}
			}
		}
		return s.reopen(tx, f.DeliveryID)
	}
	f.Blob, f.Size = sum, n
	if err := tx.ReplaceFile(f); err != nil {
		return err
	}
	if err := tx.SetDelivery(f.DeliveryID, Sorting, "", ""); err != nil {
		return err
	}
	return tx.AddJob(JobExamine, strconv.FormatInt(f.ID, 10), 1)
}

func (s *Service) reopen(tx Tx, delivery int64) error {
	if err := tx.SetDelivery(delivery, Receiving, "", ""); err != nil {
		return err
	}
	return tx.AddJob(JobOpen, strconv.FormatInt(delivery, 10), 3)
}

// Retry does again what failed of a delivery for reasons that were not in its files: its
// unpacking, the examination of files, its sorting.
func (s *Service) Retry(ctx context.Context, p people.Principal, delivery, version int64) error {
	if err := p.Need(people.Contribute); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		if err := deliverySeen(tx, delivery, version); err != nil {
			return err
		}
		d, err := settledDelivery(tx, delivery)
		if err != nil {
			return err
		}
		parcels, err := tx.Parcels(delivery)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(parcels, func(p Parcel) bool { return !p.Opened }) {
			return s.reopen(tx, delivery)
		}
		files, err := tx.Files(delivery)
		if err != nil {
			return err
		}
		some := d.State == Failed
		for _, f := range files {
			if f.Examined != nil && f.Examined.Failed || f.Examined == nil && f.Problem == "" {
				some = true
				if err := tx.ReplaceFile(f); err != nil {
					return err
				}
				if err := tx.AddJob(JobExamine, strconv.FormatInt(f.ID, 10), 1); err != nil {
					return err
				}
			}
		}
		if !some {
			return nil // nothing failed here
		}
		if err := tx.SetDelivery(delivery, Sorting, "", ""); err != nil {
			return err
		}
		return s.sortIfExamined(tx, delivery)
	})
}

// sameSets finds for each set the material that an earlier sorting made of it: the one
// that shares most files with it, each at most once; nil for none.
func sameSets(had, made []materials.Material) []*materials.Material {
	type pair struct{ had, made, shared int }
	var pairs []pair
	owner := map[int64][]int{}
	for i := range had {
		for _, p := range had[i].Maps {
			if !slices.Contains(owner[p.FileID], i) {
				owner[p.FileID] = append(owner[p.FileID], i)
			}
		}
	}
	for k := range made {
		shared, seen := map[int]int{}, map[int64]bool{}
		for _, p := range made[k].Maps {
			if seen[p.FileID] {
				continue
			}
			seen[p.FileID] = true
			for _, i := range owner[p.FileID] {
				shared[i]++
			}
		}
		for i, n := range shared {
			pairs = append(pairs, pair{i, k, n})
		}
	}
	slices.SortFunc(pairs, func(a, b pair) int {
		if a.shared != b.shared {
			return b.shared - a.shared
		}
		return (a.had-b.had)*len(made) + a.made - b.made
	})
	out := make([]*materials.Material, len(made))
	used := make([]bool, len(had))
	for _, p := range pairs {
		if out[p.made] == nil && !used[p.had] {
			out[p.made], used[p.had] = &had[p.had], true
		}
	}
	// A set whose only file could not be read had no maps: it is told by where it lies.
	for k := range made {
		for i := range had {
			if out[k] == nil && !used[i] && len(had[i].Maps) == 0 && had[i].Name == made[k].Name && folderOf(&made[k]) == attachedIn(&had[i]) {
				out[k], used[i] = &had[i], true
			}
		}
	}
	return out
}

func folderOf(m *materials.Material) string {
	if len(m.Maps) == 0 {
		return ""
	}
	return path.Dir(m.Maps[0].File)
}

func attachedIn(m *materials.Material) string {
	if len(m.Report.Attachments) == 0 {
		return ""
	}
	return path.Dir(m.Report.Attachments[0].File)
}

// complete adds to a material the maps of files that it has none of yet. A map whose
// channel is taken waits beside the others.
func (s *Service) complete(tx Tx, m *materials.Material, maps []materials.Map) error {
	added := false
	had := map[int64]bool{}
	for _, p := range m.Maps {
		had[p.FileID] = true
	}
	look := m.LookKey()
	for _, p := range maps {
		if had[p.FileID] {
			continue
		}
		if p.Channel != material.None && m.Map(p.Channel) != nil {
			p.Channel, p.Confidence = material.None, 0
		}
		if err := tx.AddMap(m.ID, &p); err != nil {
			return err
		}
		m.Maps = append(m.Maps, p)
		added = true
	}
	if !added {
		return nil
	}
	return s.Materials.Save(tx, m, nil, look, m.Stage)
}
