package inspect

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/scale"
)

// This file has the checks of a set's files together, and of its size and depth.

func objectSpace(_ *Set, files *channels.Set) (out []hit) {
	for _, file := range files.Refused {
		out = append(out, hit{[]string{file}, fact.Of()})
	}
	return out
}

func tierDiffers(_ *Set, files *channels.Set) (out []hit) {
	for _, u := range files.Unlike {
		out = append(out, hit{[]string{u[0], u[1]}, fact.Of()})
	}
	return out
}

// documentDisagrees finds maps whose pixels speak against what a document of the delivery says of them.
func documentDisagrees(m *channels.Map) fact.Values {
	if m.Said == material.None {
		return nil
	}
	return fact.Of("says", string(m.Said), "document", m.SaidBy, "is", string(m.Channel))
}

// tilesTurned finds UDIM tiles of one normal map that point other ways than its first.
func tilesTurned(_ *Set, files *channels.Set) (out []hit) {
	for _, t := range files.Turned {
		out = append(out, hit{[]string{t[0], t[1]}, fact.Of()})
	}
	return out
}

// orientationDiffers finds maps some of which say that they are to be turned, or in other ways: shown as they say,
// they may lie across each other.
func orientationDiffers(_ *Set, files *channels.Set) []hit {
	turned := map[int][]string{}
	most := 0
	for _, m := range files.Maps {
		t := m.Look.Info.Turn
		if m.Shared == "" && !slices.Contains(turned[t], m.File) {
			turned[t] = append(turned[t], m.File)
		}
	}
	if len(turned) < 2 {
		return nil
	}
	for t, list := range turned { // what most of them say is the rule; as stored, where as many do
		if n := len(turned[most]); len(list) > n || len(list) == n && t < most {
			most = t
		}
	}
	var others []string
	for t, list := range turned {
		if t != most {
			others = append(others, list...)
		}
	}
	slices.Sort(others)
	return []hit{{others, fact.Of("maps", len(others))}}
}

// versionsMixed finds maps whose names give other versions or dates than the rest of the set.
func versionsMixed(_ *Set, files *channels.Set) []hit {
	var versions, all []string
	for _, m := range files.Maps {
		if m.Version == "" || m.Shared != "" {
			continue
		}
		if all = append(all, m.File); !slices.Contains(versions, m.Version) {
			versions = append(versions, m.Version)
		}
	}
	if len(versions) < 2 {
		return nil
	}
	slices.Sort(versions)
	return []hit{{all, fact.Of("versions", versions)}}
}

func mapsDifferInSize(_ *Set, files *channels.Set) []hit {
	sizes := map[string]bool{}
	var all []string
	for _, m := range files.Maps {
		sizes[fmt.Sprint(m.Look.Info.W, m.Look.Info.H)] = true
		if !slices.Contains(all, m.File) {
			all = append(all, m.File)
		}
	}
	if len(sizes) < 2 {
		return nil
	}
	return []hit{{all, fact.Of("sizes", len(sizes))}}
}

// udimTiles are the tiles of a set that belongs to a model: what takes maps side by side is measured on the first.
func udimTiles(_ *Set, files *channels.Set) []hit {
	var most *channels.Map
	for i := range files.Maps {
		if m := &files.Maps[i]; len(m.Tiles) > 1 && (most == nil || len(m.Tiles) > len(most.Tiles)) {
			most = m
		}
	}
	if most == nil {
		return nil
	}
	return []hit{{nil, fact.Of("tiles", len(most.Tiles), "first", most.UDIM)}}
}

// udimMissing finds maps that lack tiles that another map of the set has.
func udimMissing(_ *Set, files *channels.Set) (out []hit) {
	of := func(m *channels.Map) (list []string) {
		for _, t := range m.Tiles {
			list = append(list, t.UDIM)
		}
		if list == nil && m.UDIM != "" {
			list = []string{m.UDIM}
		}
		return list
	}
	var all []string
	for i := range files.Maps {
		for _, t := range of(&files.Maps[i]) {
			if !slices.Contains(all, t) {
				all = append(all, t)
			}
		}
	}
	slices.Sort(all)
	for i := range files.Maps {
		m := &files.Maps[i]
		has := of(m)
		missing := slices.DeleteFunc(slices.Clone(all), func(t string) bool { return slices.Contains(has, t) })
		if len(has) > 0 && len(missing) > 0 {
			out = append(out, hit{[]string{m.File}, fact.Of("tiles", missing)})
		}
	}
	return out
}

// aspectDiffers finds maps whose sides are in another proportion than the largest map's, by
// more than 2 % and a pixel: they do not show the same patch.
func aspectDiffers(_ *Set, files *channels.Set) (out []hit) {
	var most codec.Info
	for _, m := range files.Maps {
		if in := m.Look.Info; m.UDIM == "" && in.W*in.H > most.W*most.H {
			most = in
		}
	}
	for _, m := range files.Maps {
		in := m.Look.Info
		if m.UDIM != "" || in.W == 0 || most.W == 0 {
			continue
		}
		h := float64(in.W) * float64(most.H) / float64(most.W)
		if math.Abs(h-float64(in.H)) > max(0.02*h, 1) {
			out = append(out, hit{[]string{m.File}, fact.Of("width", in.W, "height", in.H, "largest_width", most.W, "largest_height", most.H)})
		}
	}
	return out
}

// one is a finding that is of no file, if it is there.
func one(there bool, pairs ...any) []hit {
	if !there {
		return nil
	}
	return []hit{{nil, fact.Of(pairs...)}}
}

func missingBaseColor(_ *Set, files *channels.Set) []hit {
	return one(len(files.Maps) > 0 && files.Map(material.BaseColor) == nil)
}

func missingRoughness(_ *Set, files *channels.Set) []hit {
	return one(len(files.Maps) > 0 && files.Map(material.Roughness) == nil && files.Map(material.Glossiness) == nil)
}

func sizeUnknown(s *Set, files *channels.Set) []hit {
	return one(len(files.Maps) > 0 && s.Size.Width == nil)
}

// sizeDisagrees is from 5 % between the answers on, which is a brick in twenty.
func sizeDisagrees(s *Set, _ *channels.Set) []hit {
	spread := scale.Spread(s.SizeEvidence)
	return one(spread > 0.05, "spread", spread)
}

// plausible is what surfaces of a kind have: metres of one repeat's longer side, metres of
// depth.
type plausible struct {
	Word        string
	Least, Most float64
	Flat, Deep  float64
}

// plausibles are by the words of categories and tags, the more exact first.
func plausibles() []plausible {
	return []plausible{
		{"terrazzo", 0.2, 8, 0, 0.002}, {"tile", 0.1, 8, 0, 0.02}, {"floor", 0.2, 12, 0, 0.03}, {"fabric", 0.02, 6, 0, 0.02}, {"cloth", 0.02, 6, 0, 0.02}, {"textile", 0.02, 6, 0, 0.05}, {"rope", 0.05, 6, 0.0005, 0.15},
		{"thatch", 0.3, 12, 0.003, 0.5}, {"roof", 0.2, 15, 0, 0.4}, {"masonry", 0.2, 15, 0.0003, 0.4}, {"brick", 0.2, 15, 0.0003, 0.2}, {"timber", 0.1, 12, 0, 0.25}, {"wood", 0.1, 12, 0, 0.25},
		{"metal", 0.05, 15, 0, 0.2}, {"plaster", 0.2, 12, 0, 0.08}, {"ground", 0.3, 40, 0.0005, 1.5}, {"path", 0.3, 40, 0.0005, 1}, {"stone", 0.1, 20, 0, 0.6}, {"glass", 0.05, 8, 0, 0.03},
	}
}

// Plausible runs the checks that know what kind of surface it is, in place of what they
// found before. Words are its categories and tags.
func (s *Set) Plausible(words []string) {
	for _, c := range checks() {
		if c.kind == nil {
			continue
		}
		s.Findings = slices.DeleteFunc(s.Findings, func(f Finding) bool { return f.Code == c.Code })
		if usual := plausibleFor(words); usual != nil {
			if v := c.kind(s, usual); v != nil {
				s.found(c.Kind, hit{nil, *v})
			}
		}
	}
}

// plausibleFor is what a surface of these words has; nil if no word is known.
func plausibleFor(words []string) *plausible {
	for _, l := range plausibles() {
		if slices.ContainsFunc(words, func(w string) bool { return strings.Contains(strings.ToLower(w), l.Word) }) {
			return &l
		}
	}
	return nil
}

func sizeImplausible(s *Set, usual *plausible) *fact.Values {
	if s.Size.Width == nil {
		return nil
	}
	long := max(*s.Size.Width, *s.Size.Height)
	if long >= usual.Least && long <= usual.Most {
		return nil
	}
	v := fact.Of("kind", usual.Word, "metres", long, "least", usual.Least, "most", usual.Most)
	return &v
}

func depthImplausible(s *Set, usual *plausible) *fact.Values {
	if s.Depth == nil || s.Depth.Value >= usual.Flat && s.Depth.Value <= usual.Deep {
		return nil
	}
	v := fact.Of("kind", usual.Word, "metres", s.Depth.Value, "least", usual.Flat, "most", usual.Deep)
	return &v
}
