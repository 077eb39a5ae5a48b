package releases

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"aldermoor/core/handoff"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// A handoff is a manifest over files that are made once, by a job. The zip, and every
// other way to carry it, is made of those files.

// JobHandoff makes the files of a release's handoff.
const JobHandoff = "handoff"

// Handoff is a release as core/handoff takes it.
func (s *Service) Handoff(r *Release) handoff.Material {
	m := &r.Material
	return handoff.Material{Material: m.Surface(), ID: fmt.Sprint(r.ID), MaterialID: fmt.Sprint(m.ID), SizeSource: string(m.SizeSource), Slug: m.Slug, Name: m.Name, Number: r.Number, Released: r.Created, Notes: r.Notes,
		Categories: m.Categories, Tags: m.Tags, Contact: m.Contact, Licence: m.Licence, Author: m.Author,
		Rights: m.Rights, Station: m.Station, Captured: m.Captured,
		Open: func(p *material.Map, udim string, _ int) (*raster.Image, error) {
			return s.Materials.Whole(p.Address(udim), p.Layer)
		}}
}

// handoffKey names a handoff's job: the release, and the order's words.
func handoffKey(release int64, o Order) string { return fmt.Sprintf("%d %s", release, o.words()) }

func parseHandoffKey(key string) (release int64, o Order, err error) {
	w := strings.Fields(key)
	if len(w) != 6 {
		return 0, o, fmt.Errorf("%q names no handoff", key)
	}
	if release, err = strconv.ParseInt(w[0], 10, 64); err == nil {
		o, err = ParseOrder(w[1], w[2], w[3], w[4], w[5])
	}
	return release, o, err
}

// handoffFolder is where a handoff's files are kept: under what they are made of, so that all
// who ask for the same share them. Another version of the writer keeps its own.
func handoffFolder(r *Release, f handoff.Form) string {
	data, err := json.Marshal(struct {
		handoff.Form
		Description any
	}{f, r.Mark.Correction})
	if err != nil {
		panic(fmt.Sprintf("releases: the form of a handoff: %v", err)) // plain words and numbers
	}
	sum := sha256.Sum256(data)
	return fmt.Sprintf("handoff/w%d/%d-%s-%x", handoff.Version, r.ID, strings.ToLower(f.Tier.String()), sum[:8])
}

// Made is a handoff whose files are there.
type Made struct {
	Folder string         `json:"folder"`
	Files  []handoff.File `json:"files"`
	Sums   []uint32       `json:"crc32"` // of the files, for the zip

	where   string
	at      time.Time
	derived library.Derived
}

// made reads a handoff's manifest; ok is false if it is not there or a file of it is not.
func (s *Service) made(where string, at time.Time) (m Made, ok bool) {
	data, ok := s.Derived.Get(where + "/manifest.json")
	if !ok || json.Unmarshal(data, &m) != nil || len(m.Sums) != len(m.Files) {
		return m, false
	}
	m.where, m.at, m.derived = where, at, s.Derived
	for i := range m.Files {
		m.Files[i].CRC32 = m.Sums[i]
		if !s.Derived.Has(m.name(m.Files[i].Path)) {
			return m, false
		}
	}
	return m, true
}

func (m *Made) name(file string) string { return m.where + "/files/" + file }

// Open opens one file of the handoff.
func (m *Made) Open(file string) (library.Blob, error) {
	for _, f := range m.Files {
		if f.Path == file {
			return m.derived.Open(m.name(file))
		}
	}
	return nil, library.ErrNotFound
}

// Zip opens the handoff as a zip; close it when it has been read.
func (m *Made) Zip() (a *handoff.Archive, close func(), err error) {
	var open []io.Closer
	close = func() {
		for _, c := range open {
			c.Close()
		}
	}
	var parts []handoff.Part
	for _, f := range m.Files {
		b, err := m.derived.Open(m.name(f.Path))
		if err != nil {
			close()
			return nil, nil, err
		}
		open = append(open, b)
		parts = append(parts, handoff.Part{File: f, R: b})
	}
	return handoff.NewArchive(m.Folder, m.at, parts), close, nil
}

// Took records that somebody takes a handoff that was made while they only looked.
func (s *Service) Took(ctx context.Context, p people.Principal, r *Release, o Order) error {
	return s.noteTaken(ctx, p, r, o)
}

// Pending is a handoff that is being made.
type Pending struct{ Done, Of int }

func (p Pending) Error() string { return fmt.Sprintf("being made: %d of %d files", p.Done, p.Of) }

// Take returns a release's handoff. If it has to be made first, it waits for that up to
// the given time; then the error is of type Pending and the work goes on.
func (s *Service) Take(ctx context.Context, p people.Principal, r *Release, o Order, wait time.Duration) (m Made, err error) {
	if err := p.Need(people.Enter); err != nil {
		return m, err
	}
	form, err := s.Form(ctx, p, &o)
	if err != nil {
		return m, err
	}
	key, where := handoffKey(r.ID, o), handoffFolder(r, form)
	if m, ok := s.made(where, r.Created); ok {
		return m, s.noteTaken(ctx, p, r, o)
	}
	if done, of, _, failed := s.handoffs.Get(key); of == 0 || failed != nil || !s.atWork(ctx, key) {
		s.handoffs.Set(key, done, s.Handoff(r).Steps(form), nil) // before the job, which may end at once
		if err := s.Store.Write(ctx, func(tx Tx) error { return tx.AddJob(JobHandoff, key, 5) }); err != nil {
			s.handoffs.Set(key, 0, 0, nil)
			return m, err
		}
	}
	end := time.NewTimer(wait)
	defer end.Stop()
	for {
		done, of, changed, failed := s.handoffs.Get(key)
		if failed != nil {
			return m, library.Invalid(fmt.Sprintf("The handoff of %s could not be made: %v. Try again, or ask the librarian.", r.Material.Name, failed))
		}
		if m, ok := s.made(where, r.Created); ok {
			return m, s.noteTaken(ctx, p, r, o)
		}
		if changed == nil { // it ended, and its files went again
			return m, Pending{done, of}
		}
		select {
		case <-changed:
		case <-end.C:
			return m, Pending{done, of}
		case <-ctx.Done():
			return m, ctx.Err()
		}
	}
}

// atWork says whether a handoff's job is there: progress without one would never end.
func (s *Service) atWork(ctx context.Context, key string) (is bool) {
	err := s.Store.Read(ctx, func(tx Reader) (err error) { is, err = tx.HasJob(JobHandoff, key); return err })
	return is || err != nil
}

// Exact is what a handoff takes to fetch, if it has been made.
func (s *Service) Exact(r *Release, f handoff.Form) (bytes int64, ok bool) {
	m, ok := s.made(handoffFolder(r, f), r.Created)
	for _, k := range m.Files {
		bytes += k.Size
	}
	return bytes, ok
}

// noteTaken records who took what.
func (s *Service) noteTaken(ctx context.Context, p people.Principal, r *Release, o Order) error {
	if o.Looking {
		return nil
	}
	users := 0
	err := s.Store.Write(ctx, func(tx Tx) (err error) {
		if err := tx.AddTaking(Taking{MaterialID: r.MaterialID, ReleaseID: r.ID, Person: p.Name, Form: o.Says(), Last: s.Now()}); err != nil {
			return err
		}
		if users, err = tx.UsersOf(r.MaterialID); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "download", r.Material.Name, fmt.Sprintf("release %d, %s", r.Number, o.Says())))
	})
	if err == nil && s.Used != nil {
		s.Used(r.MaterialID, users)
	}
	return err
}

// handoff makes the files of a handoff, and last its manifest.
func (s *Service) handoff(ctx context.Context, key string) error {
	id, o, err := parseHandoffKey(key)
	if err != nil { // a job of an earlier version; a new request makes a new job
		s.Log.Warn("a handoff is not made", "error", err)
		return nil
	}
	var r Release
	err = s.Store.Read(ctx, func(tx Reader) (err error) { r, err = tx.Release(id); return err })
	if errors.Is(err, library.ErrNotFound) {
		s.handoffs.Set(key, 0, 0, nil)
		return nil
	}
	if err != nil {
		return err
	}
	form, err := s.Form(ctx, people.Command("handoff"), &o)
	if err != nil {
		return err
	}
	where := handoffFolder(&r, form)
	if _, ok := s.made(where, r.Created); ok {
		s.handoffs.Set(key, 0, 0, nil)
		return nil
	}
	hm := s.Handoff(&r)
	m := Made{Folder: hm.Folder(form), where: where}
	of := hm.Steps(form)
	s.handoffs.Set(key, 0, of, nil)
	err = handoff.Make(ctx, hm, form, s.Tables, func(file string, data []byte) error {
		f := handoff.FileOf(file, data)
		m.Files, m.Sums = append(m.Files, f), append(m.Sums, f.CRC32)
		err := s.Derived.Keep(m.name(file), func(to *os.File) error { _, err := to.Write(data); return err })
		s.handoffs.Set(key, len(m.Files), of, nil)
		library.GiveWay(ctx)
		return err
	})
	if err != nil {
		return err
	}
	data, err := json.Marshal(m)
	if err != nil {
		return err
	}
	if err := s.Derived.Put(where+"/manifest.json", data); err != nil {
		return err
	}
	s.handoffs.Set(key, 0, 0, nil)
	return nil
}
