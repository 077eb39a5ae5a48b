package releases

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// This file keeps what is decided of a release after it was made: its state, and a corrected
// description. The release itself never changes.

// State is how a release stands.
type State string

// The states that are decided; a release that is not the latest one is superseded.
const (
	Unreviewed State = ""
	Approved   State = "approved"
	Retired    State = "retired" // not to be used any more; still served to those who use it
)

// Description is what may be corrected of a release without a new one.
type Description struct {
	Tags       []string `json:"tags"`
	Categories []string `json:"categories"`
	Contact    string   `json:"contact_class"`
	Licence    string   `json:"licence"`
	Author     string   `json:"author"`
	Rights     string   `json:"rights"`
	Notes      string   `json:"notes"`
}

// Mark is what is decided of a release; the zero value is nothing.
type Mark struct {
	Version     int64
	State       State
	Reason      string
	Replacement int64 // the material to take in place of a retired one; 0 for none
	Correction  *Description
	By          string
	Changed     time.Time
}

// Description of a release, as it counts now.
func (r *Release) Description() Description {
	m := &r.Material
	return Description{m.Tags, m.Categories, m.Contact, m.Licence, m.Author, m.Rights, r.Notes}
}

// Carry gives the release what is decided of it: its description is the corrected one.
func (r *Release) Carry(m Mark) {
	r.Mark = m
	if d := m.Correction; d != nil {
		k := &r.Material
		k.Tags, k.Categories, k.Contact, k.Licence, k.Author, k.Rights, r.Notes = d.Tags, d.Categories, d.Contact, d.Licence, d.Author, d.Rights, d.Notes
	}
}

// keep keeps what is decided of a release, and publishes its card anew if it is the latest; card is nil
// if it is not.
func (s *Service) keep(tx Tx, p people.Principal, r *Release) (card *Card, err error) {
	r.Mark.Version++
	r.Mark.By, r.Mark.Changed = p.Name, s.Now()
	if err := tx.SaveMark(r.ID, r.Mark); err != nil {
		return nil, err
	}
	all, err := tx.ReleasesOf(r.MaterialID)
	if err != nil || len(all) == 0 || all[0].ID != r.ID {
		return nil, err
	}
	c := CardOf(*r)
	return &c, tx.Publish(c)
}

// remark changes what is decided of a release.
func (s *Service) remark(ctx context.Context, p people.Principal, of library.Seen, change func(tx Tx, r *Release) (says string, err error)) (r Release, err error) {
	err = s.Store.Write(ctx, func(tx Tx) error {
		if r, err = tx.Release(of.ID); err != nil {
			return err
		}
		if of.Version != 0 && of.Version != r.Version() {
			return library.ErrStale
		}
		says, err := change(tx, &r)
		if err != nil {
			return err
		}
		card, err := s.keep(tx, p, &r)
		if err != nil {
			return err
		}
		if card != nil {
			tx.After(func() { s.Published(*card) })
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "release", r.Material.Name, fmt.Sprintf("release %d: %s", r.Number, says)))
	})
	return r, err
}

// SetState decides on a release: approved, retired with a reason, or neither.
func (s *Service) SetState(ctx context.Context, p people.Principal, of library.Seen, state State, reason string, replacement int64) (Release, error) {
	if err := p.Need(people.Decide); err != nil {
		return Release{}, err
	}
	reason = strings.TrimSpace(reason)
	switch {
	case !slices.Contains([]State{Unreviewed, Approved, Retired}, state):
		return Release{}, library.Invalid(fmt.Sprintf("A release is approved, retired or neither, not %q.", state))
	case state == Retired && reason == "":
		return Release{}, library.Invalid("Say why it is retired: those who use it will read it.")
	case len(reason) > 1000:
		return Release{}, library.Invalid("The reason has more than 1000 bytes; shorten it.")
	case state != Retired:
		reason, replacement = "", 0
	}
	return s.remark(ctx, p, of, func(tx Tx, r *Release) (string, error) {
		if replacement != 0 {
			if replacement == r.MaterialID {
				return "", library.Invalid("A material can't take its own place.")
			}
			if list, err := tx.ReleasesOf(replacement); err != nil || len(list) == 0 {
				return "", library.Invalid("The material that is to take its place is not in the Library.")
			}
		}
		r.Mark.State, r.Mark.Reason, r.Mark.Replacement = state, reason, replacement
		switch state {
		case Approved:
			return "approved", nil
		case Retired:
			return "retired: " + reason, s.tell(tx, p.Name, r, "release.retired", fmt.Sprintf("%s, release %d, is retired: %s", r.Material.Name, r.Number, reason))
		}
		return "neither approved nor retired", nil
	})
}

// Correct changes the description of a release; its maps and figures stay as they are. The draft
// follows in what it had in common with the release, so that its next release keeps the correction.
func (s *Service) Correct(ctx context.Context, p people.Principal, of library.Seen, d Description) (Release, error) {
	if err := p.Need(people.Contribute); err != nil {
		return Release{}, err
	}
	if err := d.check(); err != nil {
		return Release{}, err
	}
	return s.remark(ctx, p, of, func(tx Tx, r *Release) (string, error) { return "description corrected", s.correct(tx, p, r, d) })
}

func (d *Description) check() error {
	if len(d.Notes) > 4000 || len(d.Rights) > 4000 {
		return library.Invalid("Notes and rights have 4000 bytes at most.")
	}
	d.Notes = strings.TrimSpace(d.Notes)
	d.Tags, d.Categories = kept(d.Tags), kept(d.Categories)
	if len(d.Tags) > 60 || len(d.Categories) > 20 {
		return library.Invalid("At most 60 tags and 20 categories.")
	}
	return nil
}

// correct gives a release another description, and its draft too where that had the same.
func (s *Service) correct(tx Tx, p people.Principal, r *Release, d Description) error {
	was := r.Description()
	r.Mark.Correction = &d
	r.Carry(r.Mark)
	m, err := tx.Material(r.MaterialID)
	if err != nil {
		return err
	}
	_, err = s.Materials.EditIn(tx, p, "edit", []library.Seen{{ID: m.ID, Version: m.Version}}, func(_ materials.Tx, list []*materials.Material) (string, error) {
		m := list[0]
		same := !m.Changed()
		if slices.Equal(m.Tags, was.Tags) {
			m.Tags = d.Tags
		}
		if slices.Equal(m.Categories, was.Categories) {
			m.Categories = d.Categories
		}
		for _, k := range []struct {
			to       *string
			was, now string
		}{{&m.Contact, was.Contact, d.Contact}, {&m.Licence, was.Licence, d.Licence}, {&m.Author, was.Author, d.Author}, {&m.Rights, was.Rights, d.Rights}} {
			if *k.to == k.was {
				*k.to = k.now
			}
		}
		if same {
			m.ReleasedVersion = m.Version + 1 // still as released, once it is saved
		}
		return "description of " + m.Name, nil
	})
	return err
}

// MostCorrected is how many releases are corrected at once.
const MostCorrected = 500

// CorrectMany adds and takes away tags and categories, or sets licence, author, rights or contact
// class, of the latest releases of several materials: of all, or of none. It returns what the
// descriptions were, to be put back with Restore.
func (s *Service) CorrectMany(ctx context.Context, p people.Principal, list []int64, c materials.BulkChange) (was map[int64]Earlier, err error) {
	return s.describeMany(ctx, p, list, func(_ *Release, d Description) (Description, error) {
		d.Tags, d.Categories = materials.Merged(d.Tags, c.AddTags, c.RemoveTags), materials.Merged(d.Categories, c.AddCategories, c.RemoveCategories)
		for _, k := range []struct{ to, from *string }{{&d.Licence, c.Licence}, {&d.Author, c.Author}, {&d.Rights, c.Rights}, {&d.Contact, c.Contact}} {
			if k.from != nil {
				*k.to = strings.TrimSpace(*k.from)
			}
		}
		return d, nil
	})
}

// Earlier is what a description was before it was changed, and the version of the release that the change made.
type Earlier struct {
	Description
	Version int64 `json:"version"`
}

// Restore puts descriptions back as they were; ErrStale if one has been changed again since, unless its version is 0.
func (s *Service) Restore(ctx context.Context, p people.Principal, was map[int64]Earlier) error {
	ctx = context.WithoutCancel(ctx) // what was begun is finished, even if nobody waits for it any longer
	for some := range slices.Chunk(slices.Sorted(maps.Keys(was)), MostCorrected) {
		_, err := s.describeMany(ctx, p, some, func(r *Release, _ Description) (Description, error) {
			k := was[r.ID]
			if k.Version != 0 && k.Version != r.Version() {
				return k.Description, library.ErrStale
			}
			return k.Description, nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) describeMany(ctx context.Context, p people.Principal, list []int64, change func(r *Release, d Description) (Description, error)) (was map[int64]Earlier, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return nil, err
	}
	if len(list) == 0 || len(list) > MostCorrected {
		return nil, library.Invalid(fmt.Sprintf("Choose 1 to %d materials.", MostCorrected))
	}
	was = map[int64]Earlier{}
	err = s.Store.Write(ctx, func(tx Tx) error {
		for _, id := range list {
			r, err := tx.Release(id)
			if err != nil {
				return err
			}
			before := r.Description()
			d, err := change(&r, before)
			if err != nil {
				return err
			}
			if err := d.check(); err != nil {
				return err
			}
			if err := s.correct(tx, p, &r, d); err != nil {
				return err
			}
			card, err := s.keep(tx, p, &r)
			if err != nil {
				return err
			}
			was[id] = Earlier{before, r.Version()}
			if card != nil {
				tx.After(func() { s.Published(*card) })
			}
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "release", fmt.Sprintf("%d releases", len(list)), "descriptions corrected"))
	})
	return was, err
}

// kept are words without blanks, each once.
func kept(list []string) []string {
	out := []string{}
	for _, w := range list {
		if w = strings.TrimSpace(w); w != "" && !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	return out
}

// fewCards is up to how many renewed cards are told one by one; of more the Library is read anew.
const fewCards = 500

// Recard writes the cards that an earlier version kept in the form of this one, some at a time, and
// says whether there were so many that the Library is to be read anew.
func (s *Service) Recard(ctx context.Context) (many bool, err error) {
	var cards []Card
	for {
		n := 0
		err := s.Store.Write(ctx, func(tx Tx) error {
			old, err := tx.OldCards(cardForm, 100)
			if err != nil {
				return err
			}
			for _, id := range old {
				r, err := tx.Release(id)
				if err != nil {
					return err
				}
				c := CardOf(r)
				if err := tx.Publish(c); err != nil {
					return err
				}
				if len(cards) <= fewCards {
					cards = append(cards, c)
				}
			}
			n = len(old)
			return nil
		})
		switch {
		case err != nil:
			return false, err
		case n == 0 && len(cards) > fewCards:
			return true, nil
		case n == 0:
			for _, c := range cards {
				s.Published(c)
			}
			return false, nil
		}
		select { // leaves room for other writes
		case <-ctx.Done():
			return false, ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
	}
}
