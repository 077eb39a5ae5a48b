package channels

import (
	"cmp"
	"math"
	"slices"
	"strings"
)

// This file finds the words that are no name of a material and no channel, by the pictures that they tell apart:
// tiers, tiles, variants.

// mark looks for words that tell otherwise equal names apart, and calls a function with those
// of one place: each word's text, with the pictures and the index of the word in their names.
func mark(pictures []entry, first bool, is func(w word) bool, found func(places map[string][][2]int)) {
	at := map[string]map[string][][2]int{}
	var order []string
	for i := range pictures {
		n := &pictures[i].name
		for k, w := range n.all {
			if k == 0 && (!first || len(n.all) == 1) || !is(w) {
				continue
			}
			rest := n.Dir + "\x00" + strings.ToLower(string(n.stem[:w.from])) + "*" + strings.ToLower(string(n.stem[w.to:]))
			if at[rest] == nil {
				at[rest] = map[string][][2]int{}
				order = append(order, rest)
			}
			at[rest][w.text] = append(at[rest][w.text], [2]int{i, k})
		}
	}
	for _, rest := range order {
		found(at[rest])
	}
}

// markSizes finds sizes that are letters: S, M and L that tell otherwise equal names apart.
func markSizes(pictures []entry) {
	mark(pictures, false, func(w word) bool { return slices.Contains([]string{"xs", "s", "m", "l", "xl", "xxl"}, w.text) }, func(places map[string][][2]int) {
		large := len(places["l"]) + len(places["xs"]) + len(places["xl"]) + len(places["xxl"])
		if len(places) < 2 || large == 0 {
			return
		}
		for _, list := range places {
			for _, p := range list {
				pictures[p[0]].name.all[p[1]].role = tier
			}
		}
	})
}

// markPowers finds numbers that count halvings: wall_diff_-1 is wall_diff at half the size. The
// pictures prove it: each is the largest one again, smaller by a power of two.
func markPowers(pictures []entry) {
	plain := map[string]int{} // pictures by their folder and stem
	for i, e := range pictures {
		plain[e.name.Dir+"\x00"+strings.ToLower(string(e.name.stem))] = i
	}
	count := func(w word) bool { return w.role == own && len(w.text) == 1 && w.text[0] >= '0' && w.text[0] <= '9' }
	mark(pictures, false, count, func(places map[string][][2]int) {
		var some [][2]int
		for _, list := range places {
			some = append(some, list...)
		}
		n := pictures[some[0][0]].name
		w := n.all[some[0][1]]
		all := []int{}
		if before, behind := strings.TrimRight(string(n.stem[:w.from]), " _-."), string(n.stem[w.to:]); behind == "" {
			if i, ok := plain[n.Dir+"\x00"+strings.ToLower(before)]; ok {
				all = append(all, i)
			}
		}
		for _, p := range some {
			all = append(all, p[0])
		}
		if len(all) < 2 {
			return
		}
		slices.SortFunc(all, func(a, b int) int {
			return cmp.Or(cmp.Compare(pictures[b].Look.Info.W, pictures[a].Look.Info.W), cmp.Compare(a, b))
		})
		first := pictures[all[0]].Look
		for k, i := range all[1:] {
			l, before := pictures[i].Look, pictures[all[k]].Look
			half := math.Log2(float64(first.Info.W) / float64(l.Info.W))
			if l.Info.W >= before.Info.W || math.Abs(half-math.Round(half)) > 0.02 || math.Abs(float64(first.Info.H)/float64(l.Info.H)/math.Exp2(half)-1) > 0.02 || first.Apart(*l, -1) > tierSlack {
				return
			}
		}
		for _, p := range some {
			pictures[p[0]].name.all[p[1]].role = tier
		}
	})
}

// markTiers finds words that tell tiers apart whatever they are ("full" and "half", "small", "LOD1"): names
// that differ by them alone are the same picture at other sizes.
func markTiers(pictures []entry) {
	word := func(w word) bool { return w.role == own && !numeric(w.text) || w.role == tier }
	mark(pictures, true, word, func(places map[string][][2]int) {
		var some [][2]int
		for _, list := range places {
			if len(list) == 1 {
				some = append(some, list[0])
			}
		}
		if len(some) < 2 || len(some) > 6 {
			return
		}
		slices.SortFunc(some, func(a, b [2]int) int {
			return cmp.Or(cmp.Compare(pictures[b[0]].Look.Info.W, pictures[a[0]].Look.Info.W), cmp.Compare(a[0], b[0]))
		})
		first := pictures[some[0][0]]
		for k, p := range some[1:] {
			l, before := pictures[p[0]], pictures[some[k][0]]
			if l.Look.Info.W >= before.Look.Info.W || len(l.Look.Thumb) == 0 || l.Look.plain() || !first.asMap().sameShape(l.asMap()) || first.Look.Apart(*l.Look, -1) > tierSlack {
				return
			}
		}
		for _, p := range some {
			w := &pictures[p[0]].name.all[p[1]]
			w.role, w.sized = tier, true
		}
	})
}

// plain says whether nothing happens in a picture, so that others may look the same by chance.
func (l *Look) plain() bool {
	for c := range l.StdDev {
		if l.StdDev[c] > 0.02 {
			return false
		}
	}
	return true
}

// markVariants finds letters that tell variants of one material apart: a and b, or more, of which
// two or more are pictures in colour, as a set has one base colour; or that have three components
// where another picture has the name without the letter.
func markVariants(pictures []entry) {
	three := func(l *Look) bool { return l.Info.Components >= 3 && l.UnitLength < 0.6 }
	stems := map[string]bool{}
	for _, e := range pictures {
		if three(e.Look) {
			stems[e.name.Dir+"\x00"+strings.ToLower(string(e.name.stem))] = true
		}
	}
	letter := func(w word) bool { return len(w.text) == 1 && w.text[0] >= 'a' && w.text[0] <= 'h' }
	mark(pictures, false, letter, func(places map[string][][2]int) {
		if places["a"] == nil || places["b"] == nil {
			return
		}
		colours, threes := 0, 0
		for _, list := range places {
			for _, p := range list {
				if l := pictures[p[0]].Look; three(l) {
					threes++
					if !l.grey() {
						colours++
					}
				}
			}
		}
		first := places["a"][0]
		n := pictures[first[0]].name
		stem := strings.ToLower(strings.TrimRight(string(n.stem[:n.all[first[1]].from]), " _-.")) + strings.ToLower(string(n.stem[n.all[first[1]].to:]))
		if colours < 2 && !(threes > 1 && stems[n.Dir+"\x00"+stem]) {
			return
		}
		for _, list := range places {
			for _, p := range list {
				pictures[p[0]].name.all[p[1]].role = own
			}
		}
	})
}

// markTiles finds UDIM numbers within names: those that stand where another name has 1001.
func markTiles(pictures []entry) {
	mark(pictures, false, func(w word) bool { return udimWord.MatchString(w.text) }, func(places map[string][][2]int) {
		if len(places) < 2 || places["1001"] == nil {
			return
		}
		for _, list := range places {
			for _, p := range list {
				pictures[p[0]].name.all[p[1]].role = udim
			}
		}
	})
}
