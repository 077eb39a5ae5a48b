package library

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"aldermoor/core/codec"
	"aldermoor/core/handoff"
	"aldermoor/core/inspect"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// Wording is what goes with a release.
type Wording struct {
	Notes string
	Word  string // a lead's word for releasing what has findings that stop
	By    string
	Lead  bool // whether the word counts
}

// stopped says what keeps a material from being released, "" for nothing, and whether a
// lead's word was needed to let it through.
func (w *Wording) stopped(m *Material) (says string, word bool) {
	var stops []string
	cur := m.Current()
	for _, f := range cur.Report.Findings {
		if f.Severity == inspect.Stop {
			stops = append(stops, f.Says)
		}
	}
	switch {
	case len(stops) == 0:
		return "", false
	case !w.Lead:
		return fmt.Sprintf("%s has %s to its release: %s Mend it, or ask a lead for a word.", m.Name, count(len(stops), "stop"), strings.Join(stops, " ")), false
	case strings.TrimSpace(w.Word) == "":
		return fmt.Sprintf("%s has %s to its release: %s Say why it is let through all the same; it will be recorded.", m.Name, count(len(stops), "stop"), strings.Join(stops, " ")), false
	}
	return "", true
}

// Release publishes a material as it now is, under the next number.
func (s *Service) Release(ctx context.Context, id int64, w Wording) (r Release, err error) {
	if len(w.Notes) > 4000 || len(w.Word) > 4000 {
		return r, Invalid{"The notes have more than 4000 bytes; shorten them."}
	}
	notes, by := w.Notes, w.By
	err = s.Store.Write(ctx, func(tx Tx) error {
		m, err := tx.Material(id)
		if err != nil {
			return err
		}
		switch {
		case len(m.Assigned()) == 0:
			return Invalid{fmt.Sprintf("%s has no maps yet. Assign at least one before it is released.", m.Name)}
		case !m.Changed():
			return Invalid{fmt.Sprintf("%s is just as it was released. Change something first.", m.Name)}
		}
		if says, _ := m.Stuck(); says != "" {
			return Invalid{fmt.Sprintf("The recipe of %s cannot be carried out: %s", m.Name, says)}
		}
		if !m.Settled() {
			return Invalid{fmt.Sprintf("The treatments of %s are still being carried out. Release it when they are done.", m.Name)}
		}
		stop, word := w.stopped(&m)
		if stop != "" {
			return Invalid{stop}
		}
		if m.Stage != Accepted {
			m.Stage = Accepted
			if err := tx.AddJob(JobPicture, strconv.FormatInt(m.ID, 10), 0); err != nil {
				return err
			}
		}
		m.Released++
		r = Release{MaterialID: id, Number: m.Released, Notes: strings.TrimSpace(notes), By: by, Created: s.Now()}
		if word {
			r.Word = strings.TrimSpace(w.Word)
		}
		m.ReleasedVersion = m.Version + 1 // the version that saving makes
		if err := tx.SaveMaterial(&m); err != nil {
			return err
		}
		r.Material = m.Current()
		r.Material.Finish = Finish{}
		if err := tx.AddRelease(&r); err != nil {
			return err
		}
		if err := tx.Publish(cardOf(r)); err != nil {
			return err
		}
		if err := tx.AddAudit(AuditEntry{s.Now(), by, "release", m.Name, fmt.Sprintf("release %d: %s", r.Number, r.Notes)}); err != nil || r.Word == "" {
			return err
		}
		return tx.AddAudit(AuditEntry{s.Now(), by, "let through", m.Name, fmt.Sprintf("release %d in spite of what stops it: %s", r.Number, r.Word)})
	})
	if err != nil {
		return r, err
	}
	s.index.put(cardOf(r))
	s.Wake()
	s.changed("library")
	s.changed("material:%d", id)
	s.changed("deliveries")
	return r, nil
}

// ReleaseByID returns a release.
func (s *Service) ReleaseByID(ctx context.Context, id int64) (r Release, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { r, err = tx.Release(id); return err })
	return r, err
}

// Releases are a material's releases, the latest first.
func (s *Service) Releases(ctx context.Context, material int64) (list []Release, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { list, err = tx.ReleasesOf(material); return err })
	return list, err
}

// Handoff is a release as core/handoff takes it.
func (s *Service) Handoff(r *Release) handoff.Material {
	m := &r.Material
	out := handoff.Material{ID: fmt.Sprint(r.ID), Slug: m.Slug, Name: m.Name, Number: r.Number, Released: r.Created, Notes: r.Notes,
		Size: m.Size, Depth: m.Depth, Categories: m.Categories, Tags: m.Tags, Contact: m.Contact, Licence: m.Licence, Author: m.Author,
		Rights: m.Rights, Station: m.Station, Captured: m.Captured}
	for _, p := range m.Assigned() {
		load := func(blob string) func() (*raster.Image, error) {
			return func() (*raster.Image, error) {
				data, err := s.Blobs.Read(blob)
				if err != nil {
					return nil, err
				}
				im, _, err := codec.DecodeLayer(data, p.Layer, s.Pictures)
				return im, err
			}
		}
		hm := handoff.Map{Channel: p.Channel, Component: p.Component, W: p.Width, H: p.Height, Bits: p.Bits, Direction: p.Direction, Ratio: p.Ratio, Load: load(p.Blob)}
		for _, t := range p.Tiles {
			hm.Tiles = append(hm.Tiles, handoff.Tile{UDIM: t.UDIM, Load: load(t.Blob)})
		}
		out.Maps = append(out.Maps, hm)
	}
	return out
}

// ParseProfile reads the conventions of a handoff from the words of contracts.md.
func ParseProfile(tier, normal, roughness, format string) (p handoff.Profile, err error) {
	if p.Tier, err = scale.ParseTier(firstOf(tier, "source")); err != nil {
		return p, Invalid{err.Error() + "."}
	}
	if p.Direction = normals.ParseDirection(strings.ReplaceAll(firstOf(normal, "y+"), " ", "+")); p.Direction == normals.Unknown {
		return p, Invalid{fmt.Sprintf("A normal map points y+ or y-, not %q.", normal)}
	}
	switch firstOf(roughness, "roughness") {
	case "roughness":
	case "glossiness":
		p.Gloss = true
	default:
		return p, Invalid{fmt.Sprintf("Take roughness or glossiness, not %q.", roughness)}
	}
	switch firstOf(format, "png") {
	case "png":
	case "exr":
		p.EXR = true
	default:
		return p, Invalid{fmt.Sprintf("Maps are handed over as png or exr, not %q.", format)}
	}
	return p, nil
}

// HandoffFile makes the zip of a release unless it is there, and opens it. The
// name is for whoever saves it.
func (s *Service) HandoffFile(ctx context.Context, r *Release, p handoff.Profile) (f *os.File, name string, err error) {
	hm := s.Handoff(r)
	rough := "r"
	if p.Gloss {
		rough = "g"
	}
	if p.EXR {
		rough += "-exr"
	}
	key := fmt.Sprintf("handoff/%d/%s-%s-%s.zip", r.ID, strings.ToLower(p.Tier.String()), strings.NewReplacer("+", "up", "-", "down").Replace(p.Direction.String()), rough)
	defer s.making.lock(key)()
	path, ok := s.Blobs.DerivedPath(key)
	if !ok {
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			return nil, "", err
		}
		tmp, err := os.CreateTemp(filepath.Dir(path), "making-*")
		if err != nil {
			return nil, "", err
		}
		defer os.Remove(tmp.Name())
		err = handoff.Write(ctx, tmp, hm, p, s.tables)
		if e := tmp.Close(); err == nil {
			err = e
		}
		if err == nil {
			err = os.Rename(tmp.Name(), path)
		}
		if err != nil {
			return nil, "", err
		}
	}
	f, err = os.Open(path)
	return f, hm.Folder(p) + ".zip", err
}
