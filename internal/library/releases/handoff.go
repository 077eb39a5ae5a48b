package releases

import (
	"cmp"
	"context"
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
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
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

// ParseProfile reads the conventions of a handoff from the words of contracts.md.
func ParseProfile(tier, normal, roughness, format string) (p handoff.Profile, err error) {
	if p.Tier, err = scale.ParseTier(cmp.Or(tier, "source")); err != nil {
		return p, library.Invalid(err.Error() + ".")
	}
	if p.Direction = normals.ParseDirection(strings.ReplaceAll(cmp.Or(normal, "y+"), " ", "+")); p.Direction == normals.Unknown {
		return p, library.Invalid(fmt.Sprintf("A normal map points y+ or y-, not %q.", normal))
	}
	switch cmp.Or(roughness, "roughness") {
	case "roughness":
	case "glossiness":
		p.Gloss = true
	default:
		return p, library.Invalid(fmt.Sprintf("Take roughness or glossiness, not %q.", roughness))
	}
	switch cmp.Or(format, "png") {
	case "png":
	case "exr":
		p.EXR = true
	default:
		return p, library.Invalid(fmt.Sprintf("Maps are handed over as png or exr, not %q.", format))
	}
	return p, nil
}

// profileWords are a profile's conventions as ParseProfile reads them.
func profileWords(p handoff.Profile) [4]string {
	out := [4]string{strings.ToLower(p.Tier.String()), p.Direction.String(), "roughness", "png"}
	if p.Gloss {
		out[2] = "glossiness"
	}
	if p.EXR {
		out[3] = "exr"
	}
	return out
}

// handoffKey names a handoff's job: the release, and its profile's words.
func handoffKey(release int64, p handoff.Profile) string {
	w := profileWords(p)
	return fmt.Sprintf("%d %s", release, strings.Join(w[:], " "))
}

func parseHandoffKey(key string) (release int64, p handoff.Profile, err error) {
	w := strings.Fields(key)
	if len(w) != 5 {
		return 0, p, fmt.Errorf("%q names no handoff", key)
	}
	if release, err = strconv.ParseInt(w[0], 10, 64); err == nil {
		p, err = ParseProfile(w[1], w[2], w[3], w[4])
	}
	return release, p, err
}

// handoffFolder is where a handoff's files are kept; another version of the writer keeps
// its own.
func handoffFolder(key string) string {
	name := strings.NewReplacer(" ", "-", "y+", "up", "y-", "down").Replace(key)
	return fmt.Sprintf("handoff/w%d/%s", handoff.Version, name)
}

// Made is a handoff whose files are there.
type Made struct {
	Folder string         `json:"folder"`
	Files  []handoff.File `json:"files"`
	Sums   []uint32       `json:"crc32"` // of the files, for the zip

	key     string
	at      time.Time
	derived library.Derived
}

// made reads a handoff's manifest; ok is false if it is not there or a file of it is not.
func (s *Service) made(key string, at time.Time) (m Made, ok bool) {
	data, ok := s.Derived.Get(handoffFolder(key) + "/manifest.json")
	if !ok || json.Unmarshal(data, &m) != nil || len(m.Sums) != len(m.Files) {
		return m, false
	}
	m.key, m.at, m.derived = key, at, s.Derived
	for i := range m.Files {
		m.Files[i].CRC32 = m.Sums[i]
		if !s.Derived.Has(m.name(m.Files[i].Path)) {
			return m, false
		}
	}
	return m, true
}

func (m *Made) name(file string) string { return handoffFolder(m.key) + "/files/" + file }

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

// Pending is a handoff that is being made.
type Pending struct{ Done, Of int }

func (p Pending) Error() string { return fmt.Sprintf("being made: %d of %d files", p.Done, p.Of) }

// Take returns a release's handoff. If it has to be made first, it waits for that up to
// the given time; then the error is of type Pending and the work goes on.
func (s *Service) Take(ctx context.Context, p people.Principal, r *Release, profile handoff.Profile, wait time.Duration) (m Made, err error) {
	if err := p.Need(people.Enter); err != nil {
		return m, err
	}
	key := handoffKey(r.ID, profile)
	if m, ok := s.made(key, r.Created); ok {
		return m, s.noteTaken(ctx, p, r, key)
	}
	if done, of, _, failed := s.handoffs.Get(key); of == 0 || failed != nil {
		s.handoffs.Set(key, done, s.stepsOf(r, profile), nil)
		if err := s.Store.Write(ctx, func(tx Tx) error { return tx.AddJob(JobHandoff, key, 5) }); err != nil {
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
		if m, ok := s.made(key, r.Created); ok {
			return m, s.noteTaken(ctx, p, r, key)
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

func (s *Service) stepsOf(r *Release, p handoff.Profile) int { hm := s.Handoff(r); return hm.Steps(p) }

// noteTaken records who took what.
func (s *Service) noteTaken(ctx context.Context, p people.Principal, r *Release, key string) error {
	_, words, _ := strings.Cut(key, " ")
	return s.Store.Write(ctx, func(tx Tx) error {
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "download", r.Material.Name, fmt.Sprintf("release %d, %s", r.Number, words)))
	})
}

// handoff makes the files of a handoff, and last its manifest.
func (s *Service) handoff(ctx context.Context, key string) error {
	id, profile, err := parseHandoffKey(key)
	if err != nil {
		return err
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
	if _, ok := s.made(key, r.Created); ok {
		s.handoffs.Set(key, 0, 0, nil)
		return nil
	}
	hm := s.Handoff(&r)
	m := Made{Folder: hm.Folder(profile), key: key}
	of := hm.Steps(profile)
	s.handoffs.Set(key, 0, of, nil)
	err = handoff.Make(ctx, hm, profile, s.Tables, func(file string, data []byte) error {
		f := handoff.FileOf(file, data)
		m.Files, m.Sums = append(m.Files, f), append(m.Sums, f.CRC32)
		err := s.Derived.Keep(m.name(file), func(to *os.File) error { _, err := to.Write(data); return err })
		s.handoffs.Set(key, len(m.Files), of, nil)
		return err
	})
	if err != nil {
		return err
	}
	data, err := json.Marshal(m)
	if err != nil {
		return err
	}
	if err := s.Derived.Put(handoffFolder(key)+"/manifest.json", data); err != nil {
		return err
	}
	s.handoffs.Set(key, 0, 0, nil)
	return nil
}
