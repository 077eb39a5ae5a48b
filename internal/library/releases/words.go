package releases

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// WordKind is a kind of words that materials are filed under.
type WordKind string

// The kinds.
const (
	Tag      WordKind = "tag"
	Category WordKind = "category"
)

// branch stands between the parts of a category's path.
const branch = " / "

// Renamed is what renaming a word did.
type Renamed struct {
	Materials int
	Merged    bool              // the new word was there already
	Was       map[int64]Earlier // of releases, to be put back with Restore
}

// renamedAtOnce is how many materials one transaction changes.
const renamedAtOnce = 200

// RenameWord renames a tag or a category on every draft and on the latest release of every material.
// A category takes along what lies in it: renaming to another path moves it. To a word that is there
// already, both become one.
func (s *Service) RenameWord(ctx context.Context, p people.Principal, kind WordKind, from, to string) (done Renamed, err error) {
	if err := p.Need(people.Decide); err != nil {
		return done, err
	}
	from, to = strings.TrimSpace(from), strings.TrimSpace(to)
	if kind == Category {
		to = tidyPath(to)
	}
	switch {
	case kind != Tag && kind != Category:
		return done, library.Invalid(fmt.Sprintf("Tags and categories can be renamed, not a %q.", kind))
	case from == "" || to == "" || len(to) > 120:
		return done, library.Invalid("A word has 1 to 120 letters.")
	case from == to:
		return done, library.Invalid("That is its name already.")
	case kind == Category && strings.HasPrefix(to, from+branch):
		return done, library.Invalid(fmt.Sprintf("%s can't be moved into itself.", from))
	}
	var ids []int64
	err = s.Store.Read(ctx, func(tx Reader) error {
		if ids, err = tx.MaterialsWith(kind, from); err != nil {
			return err
		}
		published, err := tx.PublishedWith(from)
		if err != nil {
			return err
		}
		ids = append(ids, published...) // perhaps filed under it as they were released alone
		slices.Sort(ids)
		ids = slices.Compact(ids)
		there, err := tx.MaterialsWith(kind, to)
		done.Merged = len(there) > 0
		return err
	})
	if err != nil {
		return done, err
	}
	done.Was = map[int64]Earlier{}
	ctx = context.WithoutCancel(ctx) // what was begun is finished, even if nobody waits for it any longer
	for some := range slices.Chunk(ids, renamedAtOnce) {
		err := s.Store.Write(ctx, func(tx Tx) error {
			for _, id := range some {
				card, was, changed, err := s.renameOne(tx, p, id, kind, from, to)
				if err != nil {
					return err
				}
				if changed {
					done.Materials++
				}
				if card != nil {
					tx.After(func() { s.Published(*card) })
					done.Was[card.ReleaseID] = was
				}
			}
			return nil
		})
		if err != nil {
			return done, err
		}
	}
	if done.Materials == 0 {
		return done, library.Invalid(fmt.Sprintf("Nothing is filed under %q.", from))
	}
	return done, s.Store.Write(ctx, func(tx Tx) error {
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "words", from, fmt.Sprintf("%s renamed to %s on %d materials", kind, to, done.Materials)))
	})
}

// renameOne renames a word on one material: on its latest release and on its draft, where they have it.
func (s *Service) renameOne(tx Tx, p people.Principal, id int64, kind WordKind, from, to string) (card *Card, was Earlier, changed bool, err error) {
	list, err := tx.ReleasesOf(id)
	if err != nil {
		return nil, was, false, err
	}
	if len(list) > 0 {
		r := list[0]
		was.Description = r.Description()
		d := was.Description
		d.Tags, d.Categories = renamed(kind == Tag, d.Tags, from, to, false), renamed(kind == Category, d.Categories, from, to, true)
		if !slices.Equal(d.Tags, was.Tags) || !slices.Equal(d.Categories, was.Categories) {
			if err := s.correct(tx, p, &r, d); err != nil {
				return nil, was, false, err
			}
			if card, err = s.keep(tx, p, &r); err != nil {
				return nil, was, false, err
			}
			was.Version, changed = r.Version(), true
		}
	}
	_, err = s.Materials.EditIn(tx, p, "edit", []library.Seen{{ID: id}}, func(_ materials.Tx, list []*materials.Material) (string, error) {
		m := list[0]
		had := [][]string{m.Tags, m.Categories}
		m.Tags, m.Categories = renamed(kind == Tag, m.Tags, from, to, false), renamed(kind == Category, m.Categories, from, to, true)
		changed = changed || !slices.Equal(m.Tags, had[0]) || !slices.Equal(m.Categories, had[1])
		return fmt.Sprintf("%s %s renamed to %s, of %s", kind, from, to, m.Name), nil
	})
	return card, was, changed, err
}

// renamed is a list of words with one renamed; with paths, what lies in it too.
func renamed(on bool, list []string, from, to string, paths bool) []string {
	if !on {
		return list
	}
	out := []string{}
	for _, w := range list {
		switch rest, within := strings.CutPrefix(w, from+branch); {
		case w == from:
			w = to
		case paths && within:
			w = to + branch + rest
		}
		if !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	return out
}

// tidyPath is a category's path with single blanks around its slashes and no empty parts.
func tidyPath(path string) string {
	var parts []string
	for _, k := range strings.Split(path, "/") {
		if k = strings.TrimSpace(k); k != "" {
			parts = append(parts, k)
		}
	}
	return strings.Join(parts, branch)
}
