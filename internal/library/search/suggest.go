package search

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"aldermoor/internal/library/people"
)

// Words are all choices of a facet with the number of materials that have each, by name.
func (s *Service) Words(_ context.Context, p people.Principal, f Facet) ([]Count, error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	x := &s.index
	x.mu.RLock()
	defer x.mu.RUnlock()
	var list []Count
	if x.facets[f] == nil {
		return nil, nil
	}
	for v, set := range x.facets[f].sets {
		if n := len(set.ids); n > 0 {
			list = append(list, Count{v, n})
		}
	}
	slices.SortFunc(list, func(a, b Count) int { return cmp.Compare(strings.ToLower(a.Value), strings.ToLower(b.Value)) })
	return list, nil
}

// How many tags are suggested; how many look-alikes are asked, and how many of them must have a tag.
const (
	mostSuggested = 6
	askedAlike    = 6
	agreeAlike    = 3
)

// SuggestTags are tags of the Library that a material might want: words of its name and what means
// the same, what its look-alikes have, and what goes with the tags that it has. look is its look key.
func (s *Service) SuggestTags(_ context.Context, p people.Principal, name, look string, has []string, except int64) ([]string, error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	x := &s.index
	x.mu.RLock()
	defer x.mu.RUnlock()
	tags := x.facets[ByTag]
	if tags == nil {
		return nil, nil
	}
	known := map[string]string{} // folded, as it is written
	for v, set := range tags.sets {
		if len(set.ids) > 0 {
			known[Fold(v)] = v
		}
	}
	var out []string
	add := func(tag string) {
		same := func(k string) bool { return strings.EqualFold(k, tag) }
		if len(out) < mostSuggested && !slices.ContainsFunc(out, same) && !slices.ContainsFunc(has, same) {
			out = append(out, tag)
		}
	}
	words := wordsOf(name)
	for i := range words {
		for n := min(3, len(words)-i); n > 0; n-- {
			phrase := strings.Join(words[i:i+n], " ")
			for _, w := range append([]string{phrase}, append(singulars(phrase), x.means.same[phrase]...)...) {
				if tag, ok := known[w]; ok {
					add(tag)
				}
			}
		}
	}
	if seen := x.traitRowOf(look); seen.known {
		votes := map[string]int{}
		near := x.near(&Near{Look: &seen.look, Except: except}, x.all)
		for i, d := range near {
			if i == askedAlike {
				break
			}
			for _, t := range x.cards[d.i].Tags {
				votes[t]++
			}
		}
		for _, t := range ranked(votes) {
			if votes[t] >= agreeAlike {
				add(t)
			}
		}
	}
	together := map[string]int{}
	for _, t := range has {
		ids := tags.peek(t).ids
		if len(ids) < 3 || len(ids) > 5000 {
			continue
		}
		for v, set := range tags.sets {
			if both := len(common(ids, set.ids)); both*5 >= len(ids)*3 && both > together[v] { // in three of five
				together[v] = both
			}
		}
	}
	for _, t := range ranked(together) {
		add(t)
	}
	return out, nil
}

// ranked are words by their votes, the most first.
func ranked(votes map[string]int) (list []string) {
	for w := range votes {
		list = append(list, w)
	}
	slices.SortFunc(list, func(a, b string) int { return cmp.Or(cmp.Compare(votes[b], votes[a]), cmp.Compare(a, b)) })
	return list
}
