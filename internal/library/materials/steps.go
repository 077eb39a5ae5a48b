package materials

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"aldermoor/core/material"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Step is one recorded decision or edit. It holds exactly what it changed, part by part,
// so it can be undone and redone at any later time without touching anything else.
type Step struct {
	ID, DeliveryID int64
	Kind           string // accept, leave, channel, known, description, recipe, …
	Says, By       string
	UserID         int64
	At             time.Time
	Undone         bool
	Changes        []Delta
}

// Delta is what a step changed of one material: JSON by the name of the part.
type Delta struct {
	Material int64                      `json:"material"`
	Before   map[string]json.RawMessage `json:"before"`
	After    map[string]json.RawMessage `json:"after"`
}

// Load reads materials and checks that they are as they were seen.
func Load(tx Reader, seen []library.Seen) ([]*Material, error) {
	var list []*Material
	for _, k := range seen {
		m, err := tx.Material(k.ID)
		if err != nil {
			return nil, err
		}
		if k.Version != 0 && k.Version != m.Version {
			return nil, library.ErrStale
		}
		if m.Stage == Deleted {
			return nil, library.Invalid(fmt.Sprintf("%s was deleted. Restore it first.", m.Name))
		}
		list = append(list, &m)
	}
	return list, nil
}

// Edit changes materials as one step. change may do nothing; then nothing is written. It
// returns what the step is called.
func (s *Service) Edit(ctx context.Context, p people.Principal, kind string, seen []library.Seen, change func(tx Tx, list []*Material) (says string, err error)) (done []Material, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return nil, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		done, err = s.EditIn(tx, p, kind, seen, change)
		return err
	})
	return done, err
}

// EditIn is edit within a transaction.
func (s *Service) EditIn(tx Tx, p people.Principal, kind string, seen []library.Seen, change func(tx Tx, list []*Material) (says string, err error)) (done []Material, err error) {
	list, err := Load(tx, seen)
	if err != nil {
		return nil, err
	}
	before := make([]standing, len(list))
	looks := make([]string, len(list))
	stages := make([]Stage, len(list))
	for i, m := range list {
		before[i], looks[i], stages[i] = m.standing(), m.LookKey(), m.Stage
	}
	step := Step{Kind: kind, By: p.Name, UserID: p.UserID, At: s.Now()}
	if step.Says, err = change(tx, list); err != nil {
		return nil, err
	}
	for i, m := range list {
		d, changed := delta(m.ID, before[i], m.standing())
		if changed {
			step.Changes = append(step.Changes, d)
			if step.DeliveryID == 0 {
				step.DeliveryID = m.DeliveryID
			}
			if err := s.Save(tx, m, d.Before, looks[i], stages[i]); err != nil {
				return nil, err
			}
		}
		done = append(done, *m)
	}
	if len(step.Changes) == 0 {
		return done, nil
	}
	if err := tx.AddStep(&step); err != nil {
		return nil, err
	}
	for i := range done {
		done[i].Step = step.ID
	}
	return done, nil
}

// Save writes a changed material, the maps of it that changed, and what follows from both:
// its findings, its finish, and its pictures if it looks otherwise than before.
func (s *Service) Save(tx Tx, m *Material, changed map[string]json.RawMessage, look string, stage Stage) error {
	for i := range m.Maps {
		if _, ok := changed[fmt.Sprint(partMapPrefix, m.Maps[i].ID)]; ok {
			if err := tx.SaveMap(m.ID, m.Maps[i]); err != nil {
				return err
			}
		}
	}
	if _, ok := changed[partZero]; ok {
		for p := range m.heights() {
			if err := tx.SaveMap(m.ID, *p); err != nil {
				return err
			}
		}
	}
	m.recheck(s.Grades(tx))
	m.Updated = s.Now()
	if err := s.follow(tx, m); err != nil {
		return err
	}
	if err := tx.SaveMaterial(m); err != nil {
		return err
	}
	// Nobody looks at pictures of a set before it is accepted.
	switch {
	case m.Stage != Accepted:
		return nil
	case stage != Accepted:
		return tx.AddJob(JobPicture, strconv.FormatInt(m.ID, 10), 0) // of many, perhaps: deliveries go first
	case m.LookKey() != look:
		return tx.AddJob(JobPicture, strconv.FormatInt(m.ID, 10), 4) // somebody is looking at it
	}
	return nil
}

// History are the latest steps of a delivery, or of a material if delivery is 0.
func (s *Service) History(ctx context.Context, p people.Principal, delivery, material int64, limit int) (list []Step, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) {
		list, err = tx.StepsOf(delivery, material, limit)
		return err
	})
	return list, err
}

// Next are the steps that undo and redo would name for somebody: the own latest one that
// is not undone, and the earliest of those undone after it. Zero for none.
func Next(list []Step, p people.Principal) (undo, redo Step) {
	for _, k := range list { // the latest first
		if k.UserID != p.UserID || k.By != p.Name {
			continue
		}
		if !k.Undone {
			return k, redo
		}
		redo = k
	}
	return Step{}, redo
}

// Step undoes a step, or with redo does it again. It refuses if something that the step
// changed has been changed since; other things stay as they are. Undoing twice changes
// nothing.
func (s *Service) Step(ctx context.Context, p people.Principal, id int64, redo bool) (step Step, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return step, err
	}
	var moved []int64
	err = s.Store.Write(ctx, func(tx Tx) error {
		if step, err = tx.Step(id); err != nil {
			return err
		}
		if step.Undone != redo {
			return nil // done before
		}
		moved, err = s.applyStep(tx, step, redo)
		if err != nil {
			return err
		}
		if step.Kind == StepDeleteDelivery {
			deleted := time.Time{}
			if redo {
				deleted = s.Now()
			}
			if err := tx.SetDeliveryDeleted(step.DeliveryID, deleted); err != nil {
				return err
			}
		}
		if err := tx.MarkStep(id, !redo); err != nil {
			return err
		}
		step.Undone = !redo
		return tx.AddAudit(people.Entry(s.Now(), p.Name, map[bool]string{false: "undo", true: "redo"}[redo], step.Says, fmt.Sprintf("step %d by %s", step.ID, step.By)))
	})
	if err == nil && step.Kind == "known" {
		err = s.Reprint(ctx, moved)
	} else if err == nil {
		err = s.RemakePrints(ctx, moved)
	}
	return step, err
}

// rechannel gives maps that were moved back the channels that they had.
func rechannel(tx Tx, id int64, had map[int64]material.Channel) error {
	if len(had) == 0 {
		return nil
	}
	m, err := tx.Material(id)
	if err != nil {
		return err
	}
	for _, p := range m.Maps {
		if c, ok := had[p.ID]; ok && c != p.Channel {
			p.Channel = c
			if err := tx.SaveMap(id, p); err != nil {
				return err
			}
		}
	}
	return nil
}

// applyStep puts the materials of a step back to how they were before it, or after it. It
// returns those whose scans were exchanged.
func (s *Service) applyStep(tx Tx, step Step, redo bool) (moved []int64, err error) {
	list := make([]Material, len(step.Changes))
	for i, d := range step.Changes {
		if list[i], err = tx.Material(d.Material); err != nil {
			return nil, err
		}
		if err := s.untouched(tx, step, d, &list[i], redo); err != nil {
			return nil, err
		}
	}
	// Maps first: what is restored of a map is restored where it then is.
	for i, d := range step.Changes {
		if target, ok := d.to(redo)[partScan]; ok {
			var v scanPart
			if err := json.Unmarshal(target, &v); err != nil {
				return nil, err
			}
			if err := tx.MoveMaps(d.Material, v.Maps); err != nil {
				return nil, err
			}
			if err := rechannel(tx, d.Material, v.Channels); err != nil {
				return nil, err
			}
			moved = append(moved, list[i].ID)
		}
	}
	if len(moved) == 2 && step.Kind == "known" { // two scans were exchanged
		if err := SwapPrints(tx, moved[0], moved[1]); err != nil {
			return nil, err
		}
	}
	for i, d := range step.Changes {
		m := &list[i]
		if len(moved) > 0 {
			if *m, err = tx.Material(d.Material); err != nil {
				return nil, err
			}
		}
		look, stage := m.LookKey(), m.Stage
		target := d.to(redo)
		for _, part := range slices.Sorted(maps.Keys(target)) {
			if part == partDepth { // last: it may follow from the size
				continue
			}
			if err := m.restore(part, target[part]); err != nil {
				return nil, err
			}
		}
		if v, ok := target[partDepth]; ok {
			if err := m.restore(partDepth, v); err != nil {
				return nil, err
			}
		}
		m.rescale()
		if m.Released > 0 && m.Stage != Accepted {
			return nil, library.Invalid(fmt.Sprintf("%s has been released since and stays on the Bench.", m.Name))
		}
		if err := s.Save(tx, m, target, look, stage); err != nil {
			return nil, err
		}
	}
	return moved, nil
}

func (d Delta) to(redo bool) map[string]json.RawMessage {
	if redo {
		return d.After
	}
	return d.Before
}

// untouched says whether a material's parts are still as a step left them; the error
// names the step that changed one since.
func (s *Service) untouched(tx Reader, step Step, d Delta, m *Material, redo bool) error {
	now := m.standing()
	now.parts[partScan] = raw(scanPart{Maps: now.scan.Maps})
	for _, part := range slices.Sorted(maps.Keys(d.to(!redo))) {
		if samePart(part, now.parts[part], d.to(!redo)[part]) {
			continue
		}
		later, err := tx.StepsOf(0, m.ID, 200)
		if err != nil {
			return err
		}
		for _, k := range later {
			if k.ID == step.ID || k.Undone || k.ID < step.ID {
				continue
			}
			for _, c := range k.Changes {
				if _, ok := c.After[part]; ok && c.Material == m.ID {
					return library.Invalid(fmt.Sprintf("%s cannot be undone: %s, by %s, came after it and changed the same. Undo that first.", quoted(step.Says), quoted(k.Says), k.By))
				}
			}
		}
		what := part
		if strings.HasPrefix(part, partMapPrefix) {
			what = "channel of a map"
		}
		return library.Invalid(fmt.Sprintf("%s cannot be undone: the %s of %s has changed since.", quoted(step.Says), what, m.Name))
	}
	return nil
}

func quoted(says string) string { return "“" + says + "”" }
