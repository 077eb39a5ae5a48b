package library

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"aldermoor/core/channels"
)

// Resend takes a file again that could not be read, in the place of what came
// under the same path. The delivery is sorted anew; what has been decided of its
// sets stays, and the file finds its place in the set that it belongs to.
func (s *Service) Resend(ctx context.Context, delivery int64, path string, r io.Reader, by string) error {
	sum, n, err := s.Blobs.Put(ctx, r)
	if err != nil {
		return fmt.Errorf("receive %q again: %w", path, err)
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		d, err := tx.Delivery(delivery)
		if err != nil {
			return err
		}
		if d.State != Sorted {
			return Invalid{"This delivery is still being sorted. Send the file again when that is done."}
		}
		files, err := tx.Files(delivery)
		if err != nil {
			return err
		}
		for _, f := range files {
			if f.Path != path {
				continue
			}
			if f.Problem == "" {
				return Invalid{fmt.Sprintf("%s was read without trouble. Send a new state of it as a delivery of its own.", path)}
			}
			f.Blob, f.Size, f.Problem, f.Examined = sum, n, "", nil
			if err := tx.ReplaceFile(f); err != nil {
				return err
			}
			if err := tx.SetDelivery(delivery, Sorting, "", ""); err != nil {
				return err
			}
			if err := tx.AddAudit(AuditEntry{s.Now(), by, "file sent again", path, d.Name}); err != nil {
				return err
			}
			return tx.AddJob(JobExamine, strconv.FormatInt(f.ID, 10), 1)
		}
		return ErrNotFound
	})
	if errors.Is(err, ErrNotFound) {
		return Invalid{fmt.Sprintf("No file called %s came in this delivery.", path)}
	}
	if err == nil {
		s.Wake()
		s.changed("deliveries")
		s.changed("delivery:%d", delivery)
	}
	return err
}

// sameSet is the material that an earlier sorting made of the set, or nil. A key is
// a running number, a space, and the set's name.
func sameSet(had []Material, key string) *Material {
	_, name, _ := strings.Cut(key, " ")
	for i := range had {
		if _, old, _ := strings.Cut(had[i].SetKey, " "); old == name {
			return &had[i]
		}
	}
	return nil
}

// complete adds to a material the maps of files that it has none of yet. A map
// whose channel is taken waits beside the others.
func (s *Service) complete(tx Tx, m *Material, maps []Map) error {
	added := false
	had := map[int64]bool{}
	for _, p := range m.Maps {
		had[p.FileID] = true
	}
	for _, p := range maps {
		if had[p.FileID] {
			continue
		}
		if p.Channel != channels.None && m.Map(p.Channel) != nil {
			p.Channel, p.Confidence = channels.None, 0
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
	m.recheck(s.grades(tx))
	m.Updated = s.Now()
	if err := s.follow(tx, m); err != nil {
		return err
	}
	if err := tx.SaveMaterial(m); err != nil {
		return err
	}
	if m.Stage == Accepted {
		return tx.AddJob(JobPicture, strconv.FormatInt(m.ID, 10), 0)
	}
	return nil
}
