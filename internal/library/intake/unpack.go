package intake

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"aldermoor/core/parcel"
	"aldermoor/internal/library"
)

// open unpacks a delivery's archives and lists its files, parcel by parcel. What was
// listed before a stop or a full disk is not unpacked again.
func (s *Service) open(ctx context.Context, key string) error {
	id, _ := strconv.ParseInt(key, 10, 64)
	var parcels []Parcel
	var files []File
	var d Delivery
	err := s.Store.Read(ctx, func(tx Reader) (err error) {
		if d, err = tx.Delivery(id); err != nil {
			return err
		}
		if parcels, err = tx.Parcels(id); err != nil {
			return err
		}
		files, err = tx.Files(id)
		return err
	})
	if errors.Is(err, library.ErrNotFound) || err == nil && d.State != Receiving {
		return nil // done before
	}
	if err != nil {
		return err
	}
	for _, p := range parcels {
		if p.Opened {
			continue
		}
		had := map[string]bool{}
		for _, f := range files {
			if f.ParcelID == p.ID {
				had[f.Entry] = true
			}
		}
		if err := s.openParcel(ctx, p, had); err != nil {
			return fmt.Errorf("open %s: %w", p.Path, err)
		}
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		if now, err := tx.Delivery(id); err != nil || now.State != Receiving {
			return err
		}
		if err := tx.SetDelivery(id, Sorting, d.Station, ""); err != nil {
			return err
		}
		return s.sortIfExamined(tx, id)
	})
}

// openParcel lists what a parcel holds: itself, or the files of the archive that it is,
// but for those that it had before.
func (s *Service) openParcel(ctx context.Context, p Parcel, had map[string]bool) error {
	var files []File
	flush := func(last bool) error {
		err := s.Store.Write(ctx, func(tx Tx) error {
			for i := range files {
				if err := addFile(tx, &p, &files[i]); err != nil {
					return err
				}
				if f := files[i]; f.Problem == "" {
					if err := tx.AddJob(JobExamine, strconv.FormatInt(f.ID, 10), 1); err != nil {
						return err
					}
				}
			}
			p.Opened = last
			return tx.SetParcel(p)
		})
		files = files[:0]
		return err
	}
	err := s.unpack(ctx, p, func(f File) error {
		if had[f.Entry] {
			return nil
		}
		had[f.Entry] = true
		files = append(files, f)
		library.GiveWay(ctx)
		if len(files) < batch {
			return nil
		}
		return flush(false)
	}, had)
	if err != nil {
		return err
	}
	return flush(true)
}

// addFile adds a file of a parcel to its delivery. Where its path is taken by a file of
// another parcel, all files of the parcel move into a folder named after it.
func addFile(tx Tx, p *Parcel, f *File) error {
	f.DeliveryID, f.ParcelID = p.DeliveryID, p.ID
	f.Path = path.Join(p.Folder, f.Entry)
	err := tx.AddFile(f)
	if !errors.Is(err, library.ErrStale) {
		return err
	}
	files, err := tx.Files(p.DeliveryID)
	if err != nil {
		return err
	}
	taken := map[string]bool{}
	for _, o := range files {
		if o.Path == f.Path && o.Blob == f.Blob && f.Problem == "" && f.Entry == p.Path {
			*f = o // the very same file was sent twice under one name
			return nil
		}
		taken[o.Path] = true
		if dir, _, ok := strings.Cut(o.Path, "/"); ok {
			taken[dir] = true
		}
	}
	if p.Folder == "" {
		p.Folder = free(stemOf(p.Path), taken)
		for _, o := range files {
			if o.ParcelID == p.ID {
				o.Path = path.Join(p.Folder, o.Entry)
				if err := tx.MoveFile(o); err != nil {
					return err
				}
			}
		}
		f.Path = path.Join(p.Folder, f.Entry)
	} else {
		ext := path.Ext(f.Path)
		f.Path = free(strings.TrimSuffix(f.Path, ext), taken) + ext
	}
	return tx.AddFile(f)
}

// free is a name that is not taken: the wanted one, or with a number.
func free(want string, taken map[string]bool) string {
	name := want
	for i := 2; taken[name]; i++ {
		name = fmt.Sprintf("%s-%d", want, i)
	}
	return name
}

// unpack gives what a parcel holds to take. The error is of this server, such as a full
// disk; what is wrong with the parcel is a problem of a file. Entries in had are passed
// over.
func (s *Service) unpack(ctx context.Context, p Parcel, take func(File) error, had map[string]bool) error {
	f, err := s.Blobs.Open(p.Blob)
	if err != nil {
		return err
	}
	defer f.Close()
	head := make([]byte, 512)
	n, err := f.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return err
	}
	whole := File{Entry: p.Path, Blob: p.Blob, Size: p.Size}
	if foreign := parcel.Foreign(head[:n]); foreign != "" {
		whole.Problem = p.Path + " " + parcel.NotOpened(foreign) + "."
		return take(whole)
	}
	kind := parcel.Recognise(head[:n])
	if kind == parcel.None {
		return take(whole)
	}
	limits := s.Archives
	limits.Aside = s.Scratch.Keep
	times := map[string]int{}
	problems, err := parcel.Unpack(kind, f, p.Size, limits, func(name string, r io.Reader) error {
		if times[name]++; times[name] > 1 { // one path twice in one archive
			ext := path.Ext(name)
			name = fmt.Sprintf("%s-%d%s", strings.TrimSuffix(name, ext), times[name], ext)
		}
		if had[name] {
			return nil
		}
		sum, n, err := s.Blobs.Put(ctx, r)
		if err != nil {
			return err
		}
		return take(File{Entry: name, Blob: sum, Size: n})
	})
	var damaged parcel.Damaged
	var over parcel.LimitError
	if err != nil && !errors.As(err, &damaged) && !errors.As(err, &over) {
		return err
	}
	if err != nil {
		whole.Problem = fmt.Sprintf("%s: %v.", p.Path, strings.TrimSuffix(err.Error(), "."))
		if err := take(whole); err != nil {
			return err
		}
	}
	for _, q := range problems {
		name := strings.Map(printable, q.Name)
		if err := take(File{Entry: p.Path + "/" + name, Problem: fmt.Sprintf("%s in %s %s.", name, p.Path, strings.TrimSuffix(q.Says, "."))}); err != nil {
			return err
		}
	}
	return nil
}

func printable(r rune) rune {
	if r < 32 || r == 127 {
		return '·'
	}
	return r
}
