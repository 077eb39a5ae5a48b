package intake

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"aldermoor/core/channels"
	"aldermoor/core/material"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

func channelWord(c material.Channel) string {
	if c == material.None {
		return "put aside"
	}
	return "taken as " + strings.ToLower(wording.Channel(c))
}

// Assign says by hand which channel a map of a material is; None puts it aside.
func (s *Service) Assign(ctx context.Context, p people.Principal, of library.Seen, mapID int64, c material.Channel) (materials.Material, error) {
	done, err := s.Materials.Edit(ctx, p, "channel", []library.Seen{of}, func(_ materials.Tx, list []*materials.Material) (string, error) {
		for _, k := range list[0].Maps {
			if k.ID == mapID {
				list[0].Assign(mapID, c, p.Name)
				return fmt.Sprintf("%s %s", path.Base(k.File), channelWord(c)), nil
			}
		}
		return "", library.ErrNotFound
	})
	if err != nil {
		return materials.Material{}, err
	}
	return done[0], nil
}

// Like is what else a correction of one map could hold for.
type Like struct {
	Ending   string   // of the names
	Maps     []int64  // maps of the delivery's other open sets whose names end so
	Sets     []int64  // which sets those are
	Station  string   // whose rule it would be
	Warnings []string // what the pixels say against it
	Step     int64    // that was recorded when it was applied
}

// LikeMap finds the maps of the same delivery whose names end like the given
// map's, and what their pixels say against their being that channel.
func (s *Service) LikeMap(ctx context.Context, p people.Principal, mapID int64, c material.Channel) (l Like, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return l, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error { l, err = like(tx, mapID, c); return err })
	return l, err
}

func like(tx Reader, mapID int64, c material.Channel) (l Like, err error) {
	id, err := tx.MaterialOfMap(mapID)
	if err != nil {
		return l, err
	}
	m, err := tx.Material(id)
	if err != nil {
		return l, err
	}
	d, err := tx.Delivery(m.DeliveryID)
	if err != nil {
		return l, err
	}
	l.Station = cmp.Or(d.Station, m.Station)
	for _, p := range m.Maps {
		if p.ID == mapID {
			l.Ending = channels.Ending(channels.Address(p.File, p.Layer))
		}
	}
	if l.Ending == "" {
		return l, nil
	}
	looks, err := looksOf(tx, m.DeliveryID)
	if err != nil {
		return l, err
	}
	all, err := tx.MaterialsOf(m.DeliveryID)
	if err != nil {
		return l, err
	}
	for i := range all {
		if all[i].Stage != materials.Unseen {
			continue
		}
		for _, p := range all[i].Maps {
			if channels.Ending(channels.Address(p.File, p.Layer)) != l.Ending {
				continue
			}
			if look := looks[p.File]; look != nil && p.Layer == "" && c != material.None {
				if r := look.Against(c); r.Code != "" {
					l.Warnings = append(l.Warnings, fmt.Sprintf("%s: %s", path.Base(p.File), wording.Reason(r)))
				}
			}
			if p.ID == mapID || p.Channel == c && p.Sure() {
				continue
			}
			l.Maps = append(l.Maps, p.ID)
			if !slices.Contains(l.Sets, all[i].ID) {
				l.Sets = append(l.Sets, all[i].ID)
			}
		}
	}
	return l, nil
}

// looksOf are what the files of a delivery showed, by their paths.
func looksOf(tx Reader, delivery int64) (map[string]*channels.Look, error) {
	files, err := tx.Files(delivery)
	looks := map[string]*channels.Look{}
	for _, f := range files {
		if f.Examined != nil {
			looks[f.Path] = f.Examined.Look
		}
	}
	return looks, err
}

// AssignLike applies a correction to all maps of the delivery whose names end like the
// given map's, as one step, and with keep makes a rule of it for the station. of is the
// material that the correction was made on.
func (s *Service) AssignLike(ctx context.Context, p people.Principal, of library.Seen, mapID int64, c material.Channel, keep bool) (l Like, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return l, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if _, err := materials.Load(tx, []library.Seen{of}); err != nil {
			return err
		}
		if id, err := tx.MaterialOfMap(mapID); err != nil || id != of.ID {
			return errors.Join(err, library.ErrNotFound)
		}
		if l, err = like(tx, mapID, c); err != nil {
			return err
		}
		if keep {
			if l.Ending == "" || c == material.None {
				return library.Invalid("A rule needs a name that ends in a word, and a channel.")
			}
			if err := s.saveRule(tx, p, &Rule{Station: l.Station, Ending: l.Ending, Channel: c}); err != nil {
				return err
			}
		}
		var seen []library.Seen
		for _, id := range l.Sets {
			seen = append(seen, library.Seen{ID: id})
		}
		done, err := s.Materials.EditIn(tx, p, "channel", seen, func(_ materials.Tx, list []*materials.Material) (string, error) {
			for _, m := range list {
				for _, k := range m.MapIDs() {
					if slices.Contains(l.Maps, k) {
						m.Assign(k, c, p.Name)
					}
				}
			}
			return fmt.Sprintf("all %d ending in “%s” %s", len(l.Maps), l.Ending, channelWord(c)), nil
		})
		if len(done) > 0 {
			l.Step = done[0].Step
		}
		return err
	})
	return l, err
}

// place moves sets between Intake, Bench and what was left out.
func place(to materials.Stage) func(materials.Tx, []*materials.Material) (string, error) {
	word := map[materials.Stage]string{materials.Accepted: "accepted", materials.Unseen: "put back into Intake", materials.Left: "left out"}[to]
	return func(_ materials.Tx, list []*materials.Material) (string, error) {
		for _, m := range list {
			if to != materials.Accepted && m.Released > 0 {
				return "", library.Invalid(fmt.Sprintf("%s has been released and stays on the Bench.", m.Name))
			}
			m.Stage = to
		}
		if len(list) == 1 {
			return list[0].Name + " " + word, nil
		}
		return fmt.Sprintf("%s %s", wording.Count(len(list), "set"), word), nil
	}
}

// Place moves sets of a delivery between Intake, Bench and what was left out. version is
// the delivery's that the caller has seen, or 0.
func (s *Service) Place(ctx context.Context, p people.Principal, delivery, version int64, sets []library.Seen, to materials.Stage) (done []materials.Material, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return nil, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if err := deliverySeen(tx, delivery, version); err != nil {
			return err
		}
		list, err := materials.Load(tx, sets)
		if err != nil {
			return err
		}
		for _, m := range list {
			if m.DeliveryID != delivery {
				return library.Invalid(fmt.Sprintf("Material %d is not of this delivery.", m.ID))
			}
		}
		done, err = s.Materials.EditIn(tx, p, string(to), sets, place(to))
		return err
	})
	return done, err
}

// PlaceReady accepts all sets of a delivery that are ready: those that have nothing left
// to check.
func (s *Service) PlaceReady(ctx context.Context, p people.Principal, delivery, version int64) (done []materials.Material, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return nil, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if err := deliverySeen(tx, delivery, version); err != nil {
			return err
		}
		list, err := tx.MaterialsOf(delivery)
		if err != nil {
			return err
		}
		var ready []library.Seen
		for i := range list {
			if m := &list[i]; m.Doubts == 0 && m.Stage == materials.Unseen {
				ready = append(ready, library.Seen{ID: m.ID, Version: m.Version})
			}
		}
		done, err = s.Materials.EditIn(tx, p, string(materials.Accepted), ready, place(materials.Accepted))
		return err
	})
	return done, err
}

func deliverySeen(tx Reader, id, version int64) error {
	d, err := tx.Delivery(id)
	if err == nil && version != 0 && version != d.Version {
		err = library.ErrStale
	}
	return err
}

// Rule says what names that end in a word are, for the deliveries of a station.
type Rule struct {
	ID      int64
	Version int64
	Station string // "" for every station
	Ending  string
	Channel material.Channel
	By      string
	Created time.Time
}

// Rules are all rules, by station and ending.
func (s *Service) Rules(ctx context.Context, p people.Principal) (list []Rule, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Rules(); return err })
	return list, err
}

// SaveRule adds a rule, or changes the one with its ID; its Version is the one that was
// seen, or 0. There is one rule for an ending of a station. Sets that are still open are sorted
// by it at once.
func (s *Service) SaveRule(ctx context.Context, p people.Principal, r *Rule) error {
	if err := p.Need(people.Contribute); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		if err := s.saveRule(tx, p, r); err != nil {
			return err
		}
		return s.resort(tx, p, *r)
	})
}

func (s *Service) saveRule(tx Tx, p people.Principal, r *Rule) error {
	r.Ending, r.By = strings.ToLower(strings.TrimSpace(r.Ending)), p.Name
	if r.Ending == "" || len(r.Ending) > 60 || channels.Ending("x_"+r.Ending+".png") != r.Ending {
		return library.Invalid(fmt.Sprintf("%q is not one word that a file's name can end in.", r.Ending))
	}
	if len(r.Station) > 100 {
		return library.Invalid("The station's name has more than 100 bytes.")
	}
	if r.Created.IsZero() {
		r.Created = s.Now()
	}
	if err := tx.SaveRule(r); err != nil {
		return err
	}
	return tx.AddAudit(people.Entry(s.Now(), p.Name, "rule saved", fmt.Sprintf("names ending in “%s” are %s", r.Ending, r.Channel), r.Station))
}

// RemoveRule removes a rule as it was seen.
func (s *Service) RemoveRule(ctx context.Context, p people.Principal, of library.Seen) error {
	if err := p.Need(people.Contribute); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		list, err := tx.Rules()
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(r Rule) bool { return r.ID == of.ID })
		switch {
		case i < 0:
			return library.ErrNotFound
		case of.Version != 0 && of.Version != list[i].Version:
			return library.ErrStale
		}
		if err := tx.RemoveRule(of.ID); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "rule removed", fmt.Sprintf("names ending in “%s”", list[i].Ending), list[i].Station))
	})
}

// Stations are the stations that have delivered so far.
func (s *Service) Stations(ctx context.Context, p people.Principal) (list []string, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Stations(); return err })
	return list, err
}

// rulesFor are the rules that hold for a station's deliveries: its own before
// those for all.
func rulesFor(all []Rule, station string) (out []channels.Rule) {
	for _, own := range []bool{true, false} {
		for _, r := range all {
			if own && r.Station == station && station != "" || !own && r.Station == "" {
				out = append(out, channels.Rule{Ending: r.Ending, Channel: r.Channel, Station: r.Station})
			}
		}
	}
	return out
}
