package channels

import (
	"cmp"
	"slices"

	"aldermoor/core/material"
)

// This file finds variants of one scan: base colours, and worn, wet or dirty versions of some maps, over other
// maps that they share.

const (
	sharesDetail = 0.25 // agreement of detail from which a colour goes with other maps, whatever word tells it apart
	sharesEasily = 0.05 // the same where the word is one of variants, and nothing else is there to go with the maps
)

// variants gives groups that have a base colour and lack the rest what lies under their name without one word:
// "paint_red" and "paint_02" go with the normals of "paint". Where those have no base colour of their own they
// move to the first variant. The others share them: shared are their paths, by the key of the group that shares.
func variants(groups map[string][]entry, order []string, shared map[string][]string) []string {
	of := map[string][]string{} // variants by the key of what they share
	states := map[string]bool{} // of those, the ones that lack a base colour, too
	for _, k := range order {
		parent := parentOf(groups, k)
		if parent == "" {
			parent = stateOf(groups, k)
			states[k] = parent != ""
		}
		if parent != "" {
			of[parent] = append(of[parent], k)
		}
	}
	gone := map[string]bool{}
	for _, parent := range order {
		list := slices.DeleteFunc(of[parent], func(k string) bool { return gone[k] || of[k] != nil })
		if len(list) == 0 || gone[parent] {
			continue
		}
		slices.SortFunc(list, func(a, b string) int { return cmp.Compare(a, b) })
		owner := parent
		if based(groups[parent]) == nil {
			owner, list = list[0], list[1:]
			groups[owner] = append(slices.Clone(groups[owner]), groups[parent]...)
			gone[parent] = true
		}
		for _, e := range groups[owner] {
			for _, k := range list {
				if isBase(e) && !states[k] {
					continue
				}
				if !slices.Contains(shared[k], e.Path) {
					shared[k] = append(shared[k], e.Path)
				}
			}
		}
	}
	return slices.DeleteFunc(slices.Clone(order), func(k string) bool { return gone[k] })
}

// isBase says whether a picture is a base colour: its name or a document says so, or it is in colour and its
// name says nothing.
func isBase(e entry) bool {
	if c := e.saidChannel(); c != material.None {
		return c == material.BaseColor
	}
	c, weight, _ := e.name.claim()
	return c == material.BaseColor && weight > 0.3 || e.name.bare() && e.name.unknown == "" && !e.Look.normalLike()
}

// based is a base colour of a group, or nil.
func based(group []entry) *entry {
	for i := range group {
		if isBase(group[i]) {
			return &group[i]
		}
	}
	return nil
}

// stateOf is the key of the group of which some maps, and no base colour, show another state: "wall_wet_rough"
// beside all maps of "wall". It is "" for others.
func stateOf(groups map[string][]entry, key string) string {
	g := groups[key]
	if len(g) == 0 || len(g) > mostAlike || based(g) != nil {
		return ""
	}
	for _, e := range g {
		if c, weight, _ := e.name.claim(); c == material.None || weight < outright || !e.asMap().sameShape(g[0].asMap()) {
			return ""
		}
	}
	n := g[0].name
	for at, w := range n.kept {
		if !likelyVariant(w.text) || len(n.kept) < 2 {
			continue
		}
		whole := n
		whole.kept = slices.Concat(n.kept[:at:at], n.kept[at+1:])
		parent := groups[whole.key()]
		if len(parent) > mostAlike || whole.key() == key {
			continue
		}
		if base := based(parent); base != nil && base.asMap().sameShape(g[0].asMap()) {
			return whole.key()
		}
	}
	return ""
}

// parentOf is the key of the group that a variant's maps come from, or "".
func parentOf(groups map[string][]entry, key string) string {
	g := groups[key]
	if len(g) > mostAlike {
		return ""
	}
	base := based(g)
	if base == nil || slices.ContainsFunc(g, func(e entry) bool { return e.Look.normalLike() }) || len(base.name.kept) < 2 {
		return ""
	}
	for at := len(base.name.kept) - 1; at >= 0; at-- {
		w := base.name.kept[at]
		n := base.name
		n.kept = slices.Concat(n.kept[:at:at], n.kept[at+1:])
		if !slices.ContainsFunc(n.kept, func(w word) bool { return !numeric(w.text) }) {
			continue
		}
		parent := groups[n.key()]
		if len(parent) > mostAlike {
			continue
		}
		rest := slices.DeleteFunc(slices.Clone(parent), isBase)
		if len(rest) == 0 || n.key() == key || !slices.ContainsFunc(rest, func(e entry) bool { return base.asMap().sameShape(e.asMap()) }) {
			continue
		}
		least := sharesDetail
		switch short := len(w.text) <= 2 && (w.variant() || numeric(w.text)); {
		case short && len(g) == 1 && based(parent) != nil:
			least = -1 // "wall 2" beside "wall", which has maps
		case (short || likelyVariant(w.text) || numeric(w.text)) && based(parent) == nil:
			least = sharesEasily
		case at == 0:
			least = 2 * sharesDetail // first words are seldom a variant's
		}
		nearest := -1.0
		for _, e := range parent {
			if r, ok := base.Look.Beside(*e.Look); ok {
				nearest = max(nearest, r)
			} else {
				nearest = max(nearest, 0)
			}
		}
		if nearest >= least {
			return n.key()
		}
	}
	return ""
}
