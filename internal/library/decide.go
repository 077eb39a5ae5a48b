package library

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"time"

	"aldermoor/core/channels"
	"aldermoor/core/normals"
)

// Step is one decision taken in Intake. It holds what it changed as it was before
// and after, so it can be undone and done again at any later time.
type Step struct {
	ID, DeliveryID int64
	Says, By       string
	At             time.Time
	Undone         bool
	Before, After  []Standing
}

// Standing is what a decision may change of a material.
type Standing struct {
	Material int64
	Stage    Stage
	Known    *Known
	Maps     []Map
}

func (m *Material) state() Standing { return Standing{m.ID, m.Stage, m.Known, slices.Clone(m.Maps)} }

// decide changes materials of one delivery as one step.
func (s *Service) decide(ctx context.Context, by, says string, ids []int64, change func(*Material) error) ([]Material, error) {
	var done []Material
	err := s.Store.Write(ctx, func(tx Tx) error {
		step := Step{Says: says, By: by, At: s.Now()}
		for _, id := range ids {
			m, err := tx.Material(id)
			if err != nil {
				return err
			}
			step.DeliveryID = m.DeliveryID
			step.Before = append(step.Before, m.state())
			if err := change(&m); err != nil {
				return err
			}
			if err := s.settle(tx, &m, step.Before[len(step.Before)-1]); err != nil {
				return err
			}
			step.After = append(step.After, m.state())
			done = append(done, m)
		}
		if len(done) == 0 || step.DeliveryID == 0 {
			return nil
		}
		return tx.AddStep(&step)
	})
	if err == nil {
		s.decided(done)
	}
	return done, err
}

// settle writes a changed material and whatever maps of it differ from before.
func (s *Service) settle(tx Tx, m *Material, before Standing) error {
	look := false
	for i := range m.Maps {
		p, was := &m.Maps[i], &before.Maps[i]
		if p.Channel == was.Channel && p.Component == was.Component && p.ByHand == was.ByHand && p.Confidence == was.Confidence {
			continue
		}
		look = true
		if err := tx.SaveMap(m.ID, *p); err != nil {
			return err
		}
	}
	if look {
		m.recheck(s.grades(tx))
	}
	m.Updated = s.Now()
	if err := s.follow(tx, m); err != nil {
		return err
	}
	if err := tx.SaveMaterial(m); err != nil {
		return err
	}
	// Nobody looks at pictures of a set before it is accepted.
	if m.Stage == Accepted && (look || before.Stage != Accepted) {
		return tx.AddJob(JobPicture, strconv.FormatInt(m.ID, 10), 0)
	}
	return nil
}

func (s *Service) decided(list []Material) {
	s.Wake()
	s.changed("deliveries")
	for i := range list {
		s.changed("material:%d", list[i].ID)
		s.changed("delivery:%d", list[i].DeliveryID)
	}
}

// assign makes one of the material's maps the given channel; None puts it aside.
// A map that had the channel so far is put aside in turn.
func (m *Material) assign(id int64, c channels.Channel, by string) {
	for i := range m.Maps {
		p := &m.Maps[i]
		switch {
		case p.ID == id:
			p.Channel, p.ByHand, p.Confidence = c, true, 1
			p.Reasons = append([]channels.Reason{{Kind: "rule", Says: fmt.Sprintf("%s said so.", by), Weight: 1, Channel: c}}, withoutRules(p.Reasons)...)
			if c == channels.None {
				p.Confidence = 0
			}
			if c == channels.Normal && p.Direction == normals.Unknown && p.Claim != normals.Unknown {
				p.Direction, p.DirectionConfidence = p.Claim, 0.6
			}
		case p.Channel == c && c != channels.None:
			p.Channel, p.ByHand, p.Confidence = channels.None, false, 0
		}
	}
}

func channelWord(c channels.Channel) string {
	if c == channels.None {
		return "put aside"
	}
	return "taken as " + lower(c.Title())
}

// Assign says by hand which channel a map is; None puts it aside.
func (s *Service) Assign(ctx context.Context, mapID int64, c channels.Channel, by string) (Material, error) {
	var id int64
	var file string
	err := s.Store.Read(ctx, func(tx Tx) (err error) {
		if id, err = tx.MaterialOfMap(mapID); err != nil {
			return err
		}
		m, err := tx.Material(id)
		for _, p := range m.Maps {
			if p.ID == mapID {
				file = p.File
			}
		}
		return err
	})
	if err != nil {
		return Material{}, err
	}
	done, err := s.decide(ctx, by, fmt.Sprintf("%s %s", base(file), channelWord(c)), []int64{id}, func(m *Material) error {
		m.assign(mapID, c, by)
		return nil
	})
	if err != nil {
		return Material{}, err
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
}

// LikeMap finds the maps of the same delivery whose names end like the given
// map's, and what their pixels say against their being that channel.
func (s *Service) LikeMap(ctx context.Context, mapID int64, c channels.Channel) (Like, error) {
	var l Like
	err := s.Store.Read(ctx, func(tx Tx) error {
		id, err := tx.MaterialOfMap(mapID)
		if err != nil {
			return err
		}
		m, err := tx.Material(id)
		if err != nil {
			return err
		}
		d, err := tx.Delivery(m.DeliveryID)
		if err != nil {
			return err
		}
		l.Station = firstOf(d.Station, m.Station)
		for _, p := range m.Maps {
			if p.ID == mapID {
				l.Ending = channels.Ending(channels.Address(p.File, p.Layer))
			}
		}
		if l.Ending == "" {
			return nil
		}
		files, err := tx.Files(m.DeliveryID)
		if err != nil {
			return err
		}
		looks := map[string]*channels.Look{}
		for _, f := range files {
			if f.Examined != nil {
				looks[f.Path] = f.Examined.Look
			}
		}
		all, err := tx.MaterialsOf(m.DeliveryID)
		if err != nil {
			return err
		}
		for i := range all {
			if all[i].Stage != Unseen {
				continue
			}
			for _, p := range all[i].Maps {
				if channels.Ending(channels.Address(p.File, p.Layer)) != l.Ending {
					continue
				}
				if look := looks[p.File]; look != nil && p.Layer == "" && c != channels.None {
					if says := look.Against(c); says != "" {
						l.Warnings = append(l.Warnings, fmt.Sprintf("%s: %s", base(p.File), says))
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
		return nil
	})
	return l, err
}

// AssignLike applies a correction to all maps of the delivery whose names end
// like the given map's, as one step.
func (s *Service) AssignLike(ctx context.Context, mapID int64, c channels.Channel, by string) (Like, error) {
	l, err := s.LikeMap(ctx, mapID, c)
	if err != nil || len(l.Maps) == 0 {
		return l, err
	}
	says := fmt.Sprintf("all %d ending in %q %s", len(l.Maps), l.Ending, channelWord(c))
	_, err = s.decide(ctx, by, says, l.Sets, func(m *Material) error {
		for _, p := range m.Maps {
			if slices.Contains(l.Maps, p.ID) {
				m.assign(p.ID, c, by)
			}
		}
		return nil
	})
	return l, err
}

// Place moves sets between Intake, Bench and what was left out.
func (s *Service) Place(ctx context.Context, ids []int64, to Stage, by string) error {
	word := map[Stage]string{Accepted: "accepted", Unseen: "put back into Intake", Left: "left out"}[to]
	_, err := s.decide(ctx, by, fmt.Sprintf("%s %s", count(len(ids), "set"), word), ids, func(m *Material) error {
		if to != Accepted && m.Released > 0 {
			return Invalid{fmt.Sprintf("%s has been released and stays on the Bench.", m.Name)}
		}
		m.Stage = to
		return nil
	})
	return err
}

// History says what can be undone and done again in a delivery, each "" for
// nothing.
func (s *Service) History(ctx context.Context, delivery int64) (undo, redo string, err error) {
	err = s.Store.Read(ctx, func(tx Tx) error {
		for _, back := range []bool{true, false} {
			step, err := tx.NextStep(delivery, back)
			if errors.Is(err, ErrNotFound) {
				continue
			}
			if err != nil {
				return err
			}
			if back {
				undo = step.Says
			} else {
				redo = step.Says
			}
		}
		return nil
	})
	return undo, redo, err
}

// StepBack undoes the delivery's latest step, or with forward does the last
// undone one again, and says what it was. ErrNotFound if there is none.
func (s *Service) StepBack(ctx context.Context, delivery int64, forward bool, by string) (says string, err error) {
	var done []Material
	err = s.Store.Write(ctx, func(tx Tx) error {
		step, err := tx.NextStep(delivery, !forward)
		if err != nil {
			return err
		}
		says = step.Says
		to := step.Before
		if forward {
			to = step.After
		}
		for _, want := range to {
			m, err := tx.Material(want.Material)
			if err != nil {
				return err
			}
			if m.Released > 0 && want.Stage != Accepted {
				return Invalid{fmt.Sprintf("%s has been released since and stays on the Bench.", m.Name)}
			}
			before := m.state()
			m.Stage, m.Known = want.Stage, want.Known
			m.Doubts = m.doubts()
			for i := range m.Maps {
				for _, p := range want.Maps {
					if p.ID == m.Maps[i].ID {
						m.Maps[i] = p
					}
				}
			}
			if err := s.settle(tx, &m, before); err != nil {
				return err
			}
			done = append(done, m)
		}
		return tx.MarkStep(step.ID, !forward)
	})
	if err == nil {
		s.decided(done)
	}
	return says, err
}

// Rule says what names that end in a word are, for the deliveries of a station.
type Rule struct {
	ID      int64
	Station string // "" for every station
	Ending  string
	Channel channels.Channel
	By      string
	Created time.Time
}

// Rules are all rules, by station and ending.
func (s *Service) Rules(ctx context.Context) (list []Rule, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { list, err = tx.Rules(); return err })
	return list, err
}

// SaveRule adds a rule, or changes the one with its ID. There is one rule for an
// ending of a station: saving another takes its place.
func (s *Service) SaveRule(ctx context.Context, r *Rule) error {
	r.Ending = lower(r.Ending)
	if r.Ending == "" || len(r.Ending) > 60 || channels.Ending("x_"+r.Ending+".png") != r.Ending {
		return Invalid{fmt.Sprintf("%q is not one word that a file's name can end in.", r.Ending)}
	}
	if len(r.Station) > 100 {
		return Invalid{"The station's name has more than 100 bytes."}
	}
	if r.Created.IsZero() {
		r.Created = s.Now()
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.SaveRule(r); err != nil {
			return err
		}
		return tx.AddAudit(AuditEntry{s.Now(), r.By, "rule kept", fmt.Sprintf("names ending in %q are %s", r.Ending, r.Channel), r.Station})
	})
	s.changed("rules")
	return err
}

// RemoveRule forgets a rule.
func (s *Service) RemoveRule(ctx context.Context, id int64, by string) error {
	err := s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.RemoveRule(id); err != nil {
			return err
		}
		return tx.AddAudit(AuditEntry{s.Now(), by, "rule removed", strconv.FormatInt(id, 10), ""})
	})
	s.changed("rules")
	return err
}

// Stations are the stations that have delivered so far.
func (s *Service) Stations(ctx context.Context) (list []string, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { list, err = tx.Stations(); return err })
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
