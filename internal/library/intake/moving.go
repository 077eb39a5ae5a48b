package intake

import (
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

// This file moves maps between materials by hand: sets are merged, taken apart, and a map that came later is
// added to the material that it belongs to.

// MoveMaps moves maps of a material (all for nil) to another one, or to a new set of their own if to is zero, as
// one step. It returns the material that they went to. A map whose channel that one has already comes to it
// unassigned. A material that is left without maps is left out. Maps that are there already stay: doing it again
// changes nothing.
func (s *Service) MoveMaps(ctx context.Context, p people.Principal, from library.Seen, maps []int64, to library.Seen) (of materials.Material, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return of, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		source, err := tx.Material(from.ID)
		if err != nil {
			return err
		}
		if maps == nil {
			maps = source.MapIDs()
		}
		if to.ID != 0 {
			if target, err := tx.Material(to.ID); err != nil {
				return err
			} else if len(maps) > 0 && !slices.ContainsFunc(maps, func(id int64) bool { return !slices.Contains(target.MapIDs(), id) }) {
				of = target // moved before
				return nil
			}
		}
		if from.Version != 0 && from.Version != source.Version {
			return library.ErrStale
		}
		if err := movable(&source, maps, to.ID); err != nil {
			return err
		}
		if to.ID == 0 {
			if to, err = s.newSet(tx, &source, maps); err != nil {
				return err
			}
		}
		done, err := s.Materials.EditIn(tx, p, "maps", []library.Seen{from, to}, func(_ materials.Tx, list []*materials.Material) (string, error) {
			return moveMaps(tx, list[0], list[1], maps)
		})
		if err != nil {
			return err
		}
		of = done[1]
		return nil
	})
	if err == nil {
		err = s.Materials.RemakePrints(ctx, []int64{from.ID, of.ID})
	}
	return of, err
}

// movable says why maps cannot be moved.
func movable(m *materials.Material, maps []int64, to int64) error {
	switch {
	case len(maps) == 0:
		return library.Invalid(fmt.Sprintf("%s has no maps to move.", m.Name))
	case m.ID == to:
		return library.Invalid("The maps are there already.")
	case m.Released > 0:
		return library.Invalid(fmt.Sprintf("%s has been released. Its maps stay.", m.Name))
	case len(m.Recipe) > 0:
		return library.Invalid(fmt.Sprintf("%s has treatments. Undo them before its maps are moved.", m.Name))
	}
	for _, id := range maps {
		if !slices.Contains(m.MapIDs(), id) {
			return fmt.Errorf("map %d of material %d: %w", id, m.ID, library.ErrNotFound)
		}
	}
	if to == 0 && len(maps) == len(m.Maps) {
		return library.Invalid(fmt.Sprintf("All maps of %s are a set of their own already.", m.Name))
	}
	return nil
}

// newSet adds a set of the source's delivery for maps that are taken out of it: left out, and without maps, so
// that undoing the step leaves nothing to see.
func (s *Service) newSet(tx Tx, source *materials.Material, maps []int64) (library.Seen, error) {
	file := ""
	for _, p := range source.Maps {
		if slices.Contains(maps, p.ID) && (file == "" || p.Channel == material.BaseColor) {
			file = p.File
		}
	}
	all, err := tx.MaterialsOf(source.DeliveryID)
	if err != nil {
		return library.Seen{}, err
	}
	keys := map[string]bool{}
	for i := range all {
		keys[all[i].SetKey] = true
	}
	m := materials.Material{DeliveryID: source.DeliveryID, SetKey: free(source.SetKey+" apart", keys), Name: materials.TitleOf(strings.TrimSuffix(path.Base(file), path.Ext(file))), Stage: materials.Left,
		Size: source.Size, SizeSource: source.SizeSource, Licence: source.Licence, Author: source.Author, Rights: source.Rights, Station: source.Station, Captured: source.Captured,
		Tags: []string{}, Categories: []string{}, Created: s.Now(), Updated: s.Now(),
		Report: inspect.Set{SizeEvidence: source.Report.SizeEvidence, Attachments: []channels.Attachment{}, Findings: []inspect.Finding{}}}
	if m.Slug, err = tx.FreeSlug(materials.Slug(m.Name)); err != nil {
		return library.Seen{}, err
	}
	err = tx.AddMaterial(&m)
	return library.Seen{ID: m.ID, Version: m.Version}, err
}

// moveMaps moves maps and what was found of them alone.
func moveMaps(tx Tx, from, to *materials.Material, ids []int64) (string, error) {
	if to.Stage == materials.Left && len(to.Maps) > 0 {
		return "", library.Invalid(fmt.Sprintf("%s was left out. Put it back first.", to.Name))
	}
	fresh := len(to.Maps) == 0
	if err := tx.MoveMaps(to.ID, ids); err != nil {
		return "", err
	}
	var moved []materials.Map
	files := map[string]bool{}
	from.Maps = slices.DeleteFunc(slices.Clone(from.Maps), func(p materials.Map) bool {
		if slices.Contains(ids, p.ID) {
			moved, files[p.File] = append(moved, p), true
			return true
		}
		return false
	})
	for _, p := range moved {
		if p.Channel != material.None && to.Map(p.Channel) != nil {
			p.Channel = material.None
			if err := tx.SaveMap(to.ID, p); err != nil {
				return "", err
			}
		}
		to.Maps = append(to.Maps, p)
	}
	// What was found of the moved files alone goes with them, and what lies beside all of them.
	of := func(f inspect.Finding) bool {
		return len(f.Maps) > 0 && !slices.ContainsFunc(f.Maps, func(file string) bool { return !files[file] })
	}
	for _, f := range from.Report.Findings {
		if of(f) {
			to.Report.Findings = append(to.Report.Findings, f)
		}
	}
	from.Report.Findings = slices.DeleteFunc(slices.Clone(from.Report.Findings), of)
	if len(from.Maps) == 0 {
		to.Report.Attachments = append(slices.Clone(to.Report.Attachments), from.Report.Attachments...)
		if !to.Size.Known() {
			to.Size, to.SizeSource = from.Size, from.SizeSource
		}
		from.Stage = materials.Left
	}
	if fresh {
		to.Stage = materials.Unseen
		return fmt.Sprintf("%s taken out of %s as a set of its own", wording.Count(len(moved), "map"), from.Name), nil
	}
	if len(from.Maps) == 0 {
		return fmt.Sprintf("%s merged into %s", from.Name, to.Name), nil
	}
	return fmt.Sprintf("%s moved from %s to %s", wording.Count(len(moved), "map"), from.Name, to.Name), nil
}

// Question is a word of a delivery's names that somebody has to say the meaning of, once for all files that
// carry it.
type Question struct {
	Word    string
	Maps    []materials.Map // that carry it, in sets that are still open
	Guess   material.Channel
	Station string // for whose deliveries the answer can be kept
}

// Questions are the words of a delivery that no dictionary has, those of most files first. Sets are the
// delivery's.
func Questions(sets []materials.Material) (list []Question) {
	at := map[string]int{}
	for i := range sets {
		m := &sets[i]
		if m.Stage != materials.Unseen {
			continue
		}
		for _, p := range m.Maps {
			word := askedWord(p)
			if word == "" {
				continue
			}
			k, ok := at[word]
			if !ok {
				k = len(list)
				at[word] = k
				q := Question{Word: word}
				if channels.Ending(channels.Address(p.File, p.Layer)) == word { // a rule can say it
					q.Station = m.Station
				}
				list = append(list, q)
			}
			list[k].Maps = append(list[k].Maps, p)
			if list[k].Guess == material.None {
				list[k].Guess = p.Channel
			}
		}
	}
	slices.SortStableFunc(list, func(a, b Question) int { return len(b.Maps) - len(a.Maps) })
	return list
}

// askedWord is the word of a map's name whose meaning is open, or "".
func askedWord(p materials.Map) string {
	if p.ByHand || p.Component == "a" {
		return ""
	}
	for _, r := range p.Reasons {
		if r.Code == "habit_open" || r.Code == "habit_unknown" {
			return r.Values.Text("word")
		}
	}
	return ""
}

// Answer says what a word means throughout a delivery, as one step; None puts its files aside. With keep it
// becomes a rule of the station. It returns the step and how many maps it changed.
func (s *Service) Answer(ctx context.Context, p people.Principal, delivery library.Seen, word string, c material.Channel, keep bool) (step int64, changed int, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return 0, 0, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if err := deliverySeen(tx, delivery.ID, delivery.Version); err != nil {
			return err
		}
		sets, err := tx.MaterialsOf(delivery.ID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(Questions(sets), func(q Question) bool { return q.Word == word })
		if i < 0 {
			return nil // answered before
		}
		q := Questions(sets)[i]
		if keep {
			if c == material.None || q.Station == "" {
				return library.Invalid("A rule needs a channel and a station.")
			}
			if err := s.saveRule(tx, p, &Rule{Station: q.Station, Ending: word, Channel: c}); err != nil && !errors.Is(err, library.ErrStale) {
				return err
			}
		}
		mine := map[int64]bool{}
		for _, k := range q.Maps {
			mine[k.ID] = true
		}
		var seen []library.Seen
		for i := range sets {
			if slices.ContainsFunc(sets[i].Maps, func(k materials.Map) bool { return mine[k.ID] }) {
				seen = append(seen, library.Seen{ID: sets[i].ID})
			}
		}
		done, err := s.Materials.EditIn(tx, p, "channel", seen, func(_ materials.Tx, list []*materials.Material) (string, error) {
			for _, m := range list {
				for _, k := range m.MapIDs() {
					if mine[k] {
						m.Assign(k, c, p.Name)
						changed++
					}
				}
			}
			return fmt.Sprintf("“%s” in %s %s", word, wording.Count(changed, "file"), channelWord(c)), nil
		})
		if len(done) > 0 {
			step = done[0].Step
		}
		return err
	})
	return step, changed, err
}
