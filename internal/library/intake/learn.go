package intake

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"aldermoor/core/channels"
	"aldermoor/core/material"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/wording"
)

// This file learns from corrections: rules that they make likely, and what a new rule changes.

// Correction is a channel that a person has decided on.
type Correction struct {
	Material    int64
	Station     string
	File, Layer string
	Channel     material.Channel
}

// Proposal is a rule that equal corrections of several materials make likely.
type Proposal struct {
	Rule
	Times int // how many materials were corrected so
}

// proposeFrom is the number of equal corrections from which a rule is proposed.
const proposeFrom = 2

// Proposals are rules that were not made yet but that corrections speak for, those with the most
// first: names of one station with one ending that people have given one channel, and no other,
// in at least two materials.
func (s *Service) Proposals(ctx context.Context, p people.Principal) (list []Proposal, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		rules, err := tx.Rules()
		if err != nil {
			return err
		}
		made, err := tx.Corrections()
		if err != nil {
			return err
		}
		list = propose(made, rules)
		return nil
	})
	return list, err
}

// meanings are the channels that words were given, and in which materials.
type meanings[K comparable] map[K]map[material.Channel]map[int64]bool

func (m meanings[K]) add(word K, c Correction) {
	if m[word] == nil {
		m[word] = map[material.Channel]map[int64]bool{}
	}
	if m[word][c.Channel] == nil {
		m[word][c.Channel] = map[int64]bool{}
	}
	m[word][c.Channel][c.Material] = true
}

func propose(made []Correction, rules []Rule) (list []Proposal) {
	type kind struct{ station, ending string }
	of := meanings[kind]{}
	for _, c := range made {
		k := kind{c.Station, channels.Ending(channels.Address(c.File, c.Layer))}
		if k.ending == "" || c.Channel == material.None || channels.Says(channels.Address(c.File, c.Layer)) == c.Channel {
			continue
		}
		of.add(k, c)
	}
	for k, answers := range of {
		ruled := slices.ContainsFunc(rules, func(r Rule) bool { return r.Ending == k.ending && (r.Station == k.station || r.Station == "") })
		if ruled || len(answers) != 1 {
			continue
		}
		for c, of := range answers {
			if len(of) >= proposeFrom {
				list = append(list, Proposal{Rule{Station: k.station, Ending: k.ending, Channel: c}, len(of)})
			}
		}
	}
	slices.SortFunc(list, func(a, b Proposal) int {
		return cmp.Or(cmp.Compare(b.Times, a.Times), cmp.Compare(a.Station, b.Station), cmp.Compare(a.Ending, b.Ending))
	})
	return list
}

// Of a station's accepted materials, as many maps as are read to learn its words, and the materials in which a
// word must have meant one thing, and nothing else, to be believed.
const (
	acceptedAmong = 2000
	believedFrom  = 3
)

// past are the words of a station's accepted maps that had one meaning throughout. Packed maps, which have
// several channels, are no evidence.
func past(accepted []Correction) (rules []channels.Rule) {
	type file struct {
		material int64
		address  string
	}
	channelsOf := map[file]int{}
	for _, c := range accepted {
		channelsOf[file{c.Material, channels.Address(c.File, c.Layer)}]++
	}
	of := meanings[string]{}
	for _, c := range accepted {
		address := channels.Address(c.File, c.Layer)
		word := channels.Ending(address)
		if word == "" || channelsOf[file{c.Material, address}] > 1 {
			continue
		}
		of.add(word, c)
	}
	for word, channelsOf := range of {
		for channel, in := range channelsOf {
			if len(channelsOf) == 1 && channel != material.None && len(in) >= believedFrom {
				rules = append(rules, channels.Rule{Ending: word, Channel: channel, Station: accepted[0].Station, Seen: len(in)})
			}
		}
	}
	slices.SortFunc(rules, func(a, b channels.Rule) int { return cmp.Compare(a.Ending, b.Ending) })
	return rules
}

// resort applies a new rule to the station's sets that are still open, as one step: to maps whose
// names end so, that nobody has decided on, and whose pixels do not speak against it.
func (s *Service) resort(tx Tx, p people.Principal, r Rule) error {
	deliveries, err := tx.OpenDeliveries(r.Station)
	if err != nil {
		return err
	}
	var seen []library.Seen
	change := map[int64]bool{}
	for _, d := range deliveries {
		sets, err := tx.MaterialsOf(d)
		if err != nil {
			return err
		}
		var looks map[string]*channels.Look // of the delivery, once they are asked for
		for i := range sets {
			m := &sets[i]
			found := false
			for _, k := range m.Maps {
				if m.Stage != materials.Unseen || r.Station != "" && m.Station != r.Station || k.ByHand || k.Channel == r.Channel && k.Sure() || channels.Ending(channels.Address(k.File, k.Layer)) != r.Ending {
					continue
				}
				if looks == nil {
					if looks, err = looksOf(tx, d); err != nil {
						return err
					}
				}
				if l := looks[k.File]; l != nil && k.Layer == "" && l.Against(r.Channel).Code != "" {
					continue
				}
				change[k.ID], found = true, true
			}
			if found {
				seen = append(seen, library.Seen{ID: m.ID})
			}
		}
	}
	if len(seen) == 0 {
		return nil
	}
	_, err = s.Materials.EditIn(tx, p, "channel", seen, func(_ materials.Tx, list []*materials.Material) (string, error) {
		for _, m := range list {
			for _, k := range m.MapIDs() {
				if change[k] {
					m.AssignByRule(k, channels.Rule{Ending: r.Ending, Channel: r.Channel, Station: r.Station})
				}
			}
		}
		return fmt.Sprintf("Names ending in “%s” %s, in %s", r.Ending, channelWord(r.Channel), wording.Count(len(list), "open set")), nil
	})
	return err
}
