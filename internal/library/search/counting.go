package search

import (
	"cmp"
	"slices"
	"strings"
)

// This file counts what each choice would leave, and puts what was found in order.

// under is what all choices leave of hits, but for those of one facet: of tags and channels all that are
// asked for, of others any, and nothing that is not wanted.
func (x *index) under(q Query, hits bitset, skip Facet) bitset {
	for _, f := range Facets() {
		if f == skip || x.facets[f] == nil {
			continue
		}
		switch only := q.Only[f]; {
		case len(only) == 0:
		case len(only) == 1 || f.wantsAll():
			for _, v := range only {
				hits = x.facets[f].peek(v).and(hits)
			}
		default:
			any := newBitset(len(x.cards))
			for _, v := range only {
				for i, w := range x.facets[f].peek(v).and(hits) {
					any[i] |= w
				}
			}
			hits = any
		}
	}
	for f, list := range q.Not {
		if f == skip || x.facets[f] == nil {
			continue
		}
		for _, v := range list {
			out := slices.Clone(hits)
			for i, w := range x.facets[f].peek(v).and(hits) {
				out[i] &^= w
			}
			hits = out
		}
	}
	return hits
}

// counts are the choices of a facet that leave something, in no order; those for which
// keep is false are left out.
func (x *index) counts(q Query, f Facet, hits bitset, keep func(string) bool) (list []Count) {
	skip := f
	if f.wantsAll() { // what more could be asked for
		skip = ""
	}
	rest := x.under(q, hits, skip)
	whole := len(rest) > 0 && len(x.all) > 0 && &rest[0] == &x.all[0]
	if x.facets[f] == nil {
		return nil
	}
	for v, s := range x.facets[f].sets {
		if keep != nil && !keep(v) {
			continue
		}
		n := len(s.ids)
		if !whole {
			n = s.countIn(rest)
		}
		if n > 0 {
			list = append(list, Count{v, n})
		}
	}
	return list
}

// mostOf are the choices with most materials, the largest first, and chosen wherever it
// stands; more is how many are left out.
func mostOf(list []Count, n int, chosen []string) (out []Count, more int) {
	larger := func(a, b Count) int { return cmp.Or(cmp.Compare(b.N, a.N), cmp.Compare(a.Value, b.Value)) }
	out = make([]Count, 0, min(n, len(list))+1)
	for _, c := range list {
		if len(out) == n && larger(c, out[n-1]) > 0 {
			continue
		}
		at, _ := slices.BinarySearchFunc(out, c, larger)
		if len(out) == n {
			out = out[:n-1]
		}
		out = slices.Insert(out, at, c)
	}
	for _, v := range chosen {
		if !slices.ContainsFunc(out, func(c Count) bool { return c.Value == v }) {
			if at := slices.IndexFunc(list, func(c Count) bool { return c.Value == v }); at >= 0 {
				out = append(out, list[at])
			}
		}
	}
	return out, len(list) - len(out)
}

// choices are those of a facet whose names have a word that begins with text.
func (x *index) choices(q Query, f Facet, text string) []Count {
	x.mu.RLock()
	defer x.mu.RUnlock()
	hits, _, _ := x.narrowed(q)
	want := wordsOf(text)
	list := x.counts(q, f, hits, func(v string) bool {
		have := wordsOf(v)
		for _, w := range want {
			if !slices.ContainsFunc(have, func(h string) bool { return strings.HasPrefix(h, w) }) {
				return false
			}
		}
		return true
	})
	list, _ = mostOf(list, facetChoices, nil)
	return list
}

// inOrder gives the cards of a set in the query's order: by default the nearest, or those that fit the
// text best, then the newest.
func (x *index) inOrder(q Query, in bitset, scores []uint8, near []distance) func(yield func(int32) bool) {
	if len(near) > 0 && (q.Sort == "" || q.Sort == BestMatch) {
		return func(yield func(int32) bool) {
			for _, d := range near {
				if in.has(int(d.i)) && !yield(d.i) {
					return
				}
			}
		}
	}
	if q.Sort == ByHand && q.Within != nil {
		return func(yield func(int32) bool) {
			for _, id := range q.Within {
				if i, ok := x.at[id]; ok && in.has(int(i)) && !yield(i) {
					return
				}
			}
		}
	}
	by := q.Sort
	best := scores != nil && (by == "" || by == BestMatch)
	switch {
	case best:
		by = MostUsed // of those that fit equally well
	case x.orders[by] == nil:
		by = Newest
	}
	if x.orders[by] == nil { // nothing is published
		return func(func(int32) bool) {}
	}
	ids := x.orders[by].ids
	return func(yield func(int32) bool) {
		if !best {
			for _, i := range ids {
				if in.has(int(i)) && !yield(i) {
					return
				}
			}
			return
		}
		var there [256]bool
		for i, s := range scores {
			there[s] = there[s] || in.has(i)
		}
		for score := 255; score > 0; score-- {
			if !there[score] {
				continue
			}
			for _, i := range ids {
				if scores[i] == uint8(score) && in.has(int(i)) && !yield(i) {
					return
				}
			}
		}
	}
}
