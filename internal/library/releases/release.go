package releases

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"aldermoor/core/inspect"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

// Release is a published state of a material. It is never changed.
type Release struct {
	ID         int64
	MaterialID int64
	Number     int
	Notes      string
	By         string
	Override   string // why a lead released it in spite of findings that stop; "" if there were none
	Created    time.Time
	Material   materials.Material // as it was, with the description that counts now
	Mark       Mark               // what was decided of it since
}

// Version rises with what is decided of the release.
func (r *Release) Version() int64 { return r.Mark.Version + 1 }

// ReleaseText is what goes with a release.
type ReleaseText struct {
	Notes    string
	Override string // a lead's reason for releasing in spite of findings that stop

	approved bool // a lead has reviewed it
}

// stopped says what keeps a material from being released, "" for nothing, and whether an
// override was needed.
func (w *ReleaseText) stopped(p people.Principal, m *materials.Material, open []inspect.Finding) (says string, override bool) {
	var stops []string
	cur := m.Current()
	for _, f := range open {
		if f.Severity == inspect.Stop {
			stops = append(stops, wording.Finding(f, &cur.Report))
		}
	}
	switch {
	case len(stops) == 0:
		return "", false
	case !p.May(people.Decide):
		return fmt.Sprintf("%s has %s: %s Fix it, or ask a lead to override.", m.Name, wording.Count(len(stops), "stop finding"), strings.Join(stops, " ")), false
	case strings.TrimSpace(w.Override) == "":
		return fmt.Sprintf("%s has %s: %s Give a reason for the override; it is recorded.", m.Name, wording.Count(len(stops), "stop finding"), strings.Join(stops, " ")), false
	}
	return "", true
}

// Release publishes a material as it was seen, under the next number.
func (s *Service) Release(ctx context.Context, p people.Principal, of library.Seen, w ReleaseText) (r Release, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return r, err
	}
	if len(w.Notes) > 4000 || len(w.Override) > 4000 {
		return r, library.Invalid("The notes have more than 4000 bytes; shorten them.")
	}
	notes, by, id := w.Notes, p.Name, of.ID
	err = s.Store.Write(ctx, func(tx Tx) error {
		if reviewed, err := s.Materials.ReviewNeeded(tx); err != nil {
			return err
		} else if reviewed && !p.May(people.Decide) {
			return library.Invalid("Releases are reviewed in this studio: send the draft to review.")
		}
		list, err := materials.Load(tx, []library.Seen{of})
		if err != nil {
			return err
		}
		m := *list[0]
		if err := m.Ready(); err != nil {
			return err
		}
		namesakes, err := tx.Namesakes(&m)
		if err != nil {
			return err
		}
		stop, override := w.stopped(p, &m, m.Open(s.Materials.Grades(tx), namesakes))
		if stop != "" {
			return library.Invalid(stop)
		}
		if m.Stage != materials.Accepted {
			m.Stage = materials.Accepted
			if err := tx.AddJob(materials.JobPicture, strconv.FormatInt(m.ID, 10), 0); err != nil {
				return err
			}
		}
		m.Released++
		r = Release{MaterialID: id, Number: m.Released, Notes: strings.TrimSpace(notes), By: by, Created: s.Now()}
		if override {
			r.Override = strings.TrimSpace(w.Override)
		}
		m.ReleasedVersion = m.Version + 1 // the version that saving makes
		if err := tx.SaveMaterial(&m); err != nil {
			return err
		}
		r.Material = m.Current()
		r.Material.Finish = materials.Finish{}
		if err := tx.AddRelease(&r); err != nil {
			return err
		}
		if w.approved {
			r.Mark = Mark{Version: 1, State: Approved, By: by, Changed: s.Now()}
			if err := tx.SaveMark(r.ID, r.Mark); err != nil {
				return err
			}
		}
		card := CardOf(r)
		if err := tx.Publish(card); err != nil {
			return err
		}
		tx.After(func() { s.Published(card) })
		if err := tx.RemoveReview(id); err != nil {
			return err
		}
		if s.JobTraits != "" {
			if err := tx.AddJob(s.JobTraits, fmt.Sprintf("%d/%s", id, r.Material.LookKey()), 1); err != nil {
				return err
			}
		}
		if err := s.tell(tx, p.Name, &r, "release.published", fmt.Sprintf("Release %d of %s is out", r.Number, r.Material.Name)); err != nil {
			return err
		}
		if err := tx.AddAudit(people.Entry(s.Now(), by, "release", m.Name, fmt.Sprintf("release %d: %s", r.Number, r.Notes))); err != nil || r.Override == "" {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), by, "override", m.Name, fmt.Sprintf("release %d in spite of its stops: %s", r.Number, r.Override)))
	})
	return r, err
}

// Refusal is why one of several materials was not released.
type Refusal struct {
	ID   int64 // of the material
	Says string
}

// ReleaseMany releases several materials as they were seen, each on its own, and says which were refused and why. The
// error is of what concerns all of them.
func (s *Service) ReleaseMany(ctx context.Context, p people.Principal, list []library.Seen, w ReleaseText) (made []Release, refused []Refusal, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return nil, nil, err
	}
	for _, of := range list {
		r, err := s.Release(ctx, p, of, w)
		var why library.Invalid
		switch {
		case err == nil:
			made = append(made, r)
		case errors.As(err, &why):
			refused = append(refused, Refusal{of.ID, string(why)})
		case errors.Is(err, library.ErrStale):
			refused = append(refused, Refusal{of.ID, fmt.Sprintf("Material %d has changed since.", of.ID)})
		case errors.Is(err, library.ErrNotFound):
			refused = append(refused, Refusal{of.ID, fmt.Sprintf("Material %d is not there any more.", of.ID)})
		default:
			return made, refused, err
		}
	}
	return made, refused, nil
}

// Outlook is what a release of a material would be, and what is open in it.
type Outlook struct {
	ID      int64
	Name    string
	Number  int               // that the release would have
	Refused string            // why it can't be released; "" if it can
	Open    []inspect.Finding // warnings and stops; a lead may override stops
}

// Outlooks say what a release of several materials as they were seen would do, without doing it.
func (s *Service) Outlooks(ctx context.Context, p people.Principal, list []library.Seen) (out []Outlook, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		reviewed, err := s.Materials.ReviewNeeded(tx)
		if err != nil {
			return err
		}
		g := s.Materials.Grades(tx)
		for _, of := range list {
			m, err := tx.Material(of.ID)
			if errors.Is(err, library.ErrNotFound) || err == nil && m.Stage == materials.Deleted {
				out = append(out, Outlook{ID: of.ID, Refused: fmt.Sprintf("Material %d is not there any more.", of.ID)})
				continue
			}
			if err != nil {
				return err
			}
			namesakes, err := tx.Namesakes(&m)
			if err != nil {
				return err
			}
			k := Outlook{ID: m.ID, Name: m.Name, Number: m.Released + 1, Open: m.Open(g, namesakes)}
			switch err := m.Ready(); {
			case reviewed && !p.May(people.Decide):
				k.Refused = "Releases are reviewed in this studio: send the draft to review."
			case of.Version != 0 && of.Version != m.Version:
				k.Refused = fmt.Sprintf("%s has changed since.", m.Name)
			case err != nil:
				k.Refused = err.Error()
			case !p.May(people.Decide) && slices.ContainsFunc(k.Open, func(f inspect.Finding) bool { return f.Severity == inspect.Stop }):
				k.Refused, _ = (&ReleaseText{}).stopped(p, &m, k.Open)
			}
			out = append(out, k)
		}
		return nil
	})
	return out, err
}

// ReleaseByID returns a release.
func (s *Service) ReleaseByID(ctx context.Context, p people.Principal, id int64) (r Release, err error) {
	if err := p.Need(people.Enter); err != nil {
		return r, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { r, err = tx.Release(id); return err })
	return r, err
}

// Releases are a material's releases, the latest first.
func (s *Service) Releases(ctx context.Context, p people.Principal, material int64) (list []Release, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.ReleasesOf(material); return err })
	return list, err
}
