package search

import (
	"slices"
	"strings"

	"aldermoor/internal/library/releases"
)

// This file finds which cards have the words of a search, and what each of them is worth.

// narrowed are the cards that text and ranges leave, for each how well it fits the text, and the words by
// which it was found; scores are nil without a text.
func (x *index) narrowed(q Query) (hits bitset, scores []uint8, found []string) {
	hits = x.all
	if words := wordsOf(q.Text); len(words) > 0 {
		scores = make([]uint8, len(x.cards))
		best := make([]uint8, len(x.cards))
		for n, w := range x.phrases(x.joined(words)) {
			found = append(found, x.scoreOf(w, best)...)
			for i, b := range best {
				if b == 0 || n > 0 && scores[i] == 0 {
					scores[i] = 0
				} else {
					scores[i] = uint8(min(255, int(scores[i])+int(b)))
				}
			}
		}
		hits = newBitset(len(x.cards))
		for i, s := range scores {
			if s > 0 {
				hits.set(i)
			}
		}
	} else if strings.TrimSpace(q.Text) != "" { // nothing but signs
		return newBitset(len(x.cards)), make([]uint8, len(x.cards)), nil
	}
	if q.Within != nil {
		within := newBitset(len(x.cards))
		for _, id := range q.Within {
			if i, ok := x.at[id]; ok && hits.has(int(i)) {
				within.set(int(i))
			}
		}
		hits = within
	}
	cloned := false
	if retired := x.retired(); len(retired) > 0 && q.Changed.IsZero() && !slices.Contains(q.Only[ByState], string(releases.Retired)) {
		hits, cloned = slices.Clone(hits), true
		for _, i := range retired {
			hits.clear(int(i))
		}
	}
	if !q.Changed.IsZero() {
		hits, cloned = slices.Clone(hits), true
		for i := range x.cards {
			if x.cards[i].Changed.Before(q.Changed) {
				hits.clear(i)
			}
		}
	}
	for m, r := range q.Range {
		if !cloned {
			hits, cloned = slices.Clone(hits), true
		}
		for i, v := range x.figures[m] {
			if !r.Holds(v) { // nor does one that is not known
				hits.clear(i)
			}
		}
	}
	return hits, scores, found
}

// retired are the cards that are found only if they are asked for.
func (x *index) retired() []int32 {
	if x.facets[ByState] == nil {
		return nil
	}
	return x.facets[ByState].peek(string(releases.Retired)).ids
}

// joined writes two words as one where the Library has only that: "mud flat" for mudflat.
func (x *index) joined(words []string) (out []string) {
	has := func(w string) bool {
		for k := range 3 { // names, tags and categories
			if x.words[k] != nil && len(x.words[k].peek(w).ids) > 0 {
				return true
			}
		}
		return false
	}
	for i := 0; i < len(words); i++ {
		if i+1 < len(words) && has(words[i]+words[i+1]) && !(has(words[i]) && has(words[i+1])) {
			out = append(out, words[i]+words[i+1])
			i++
			continue
		}
		out = append(out, words[i])
	}
	return out
}

// phrases puts words together that are one entry of the synonyms.
func (x *index) phrases(words []string) (out []string) {
	for i := 0; i < len(words); {
		n := 1
		for k := min(4, len(words)-i); k > 1; k-- {
			if x.means.has(strings.Join(words[i:i+k], " ")) {
				n = k
				break
			}
		}
		out = append(out, strings.Join(words[i:i+n], " "))
		i += n
	}
	return out
}

// scoreOf fills in what each card is worth for one word, by the field and by how well it fits, and gives the
// words that fitted. Slips of the hand count where few cards have the word itself.
func (x *index) scoreOf(w string, best []uint8) (found []string) {
	clear(best)
	some := 0
	take := func(k int) func(string, int, *set) {
		return func(word string, how int, s *set) {
			v := fieldWeights[k] * 4
			switch how {
			case fitsBegins:
				v = v * 3 / 4
			case fitsSynonym:
				v /= 2
			case fitsTypo:
				v = max(v/4, 1)
			}
			some += len(s.ids)
			if len(s.ids) > 0 && len(found) < mostFound && !slices.Contains(found, word) {
				found = append(found, word)
			}
			for _, i := range s.ids {
				best[i] = max(best[i], v)
			}
		}
	}
	if strings.Contains(w, " ") {
		x.synonym(w, take)
	} else {
		for k, v := range x.words {
			v.fitting(w, false, take(k))
		}
	}
	for _, same := range x.means.of(w) { // every word of what means the same must be there
		x.synonym(same, take)
	}
	if some < fewHits && !strings.Contains(w, " ") && !x.means.spelt(w) {
		for k, v := range x.words {
			v.fitting(w, true, take(k))
		}
	}
	return found
}

// synonym takes the cards that have all words of a phrase, in one number or another.
func (x *index) synonym(phrase string, take func(k int) func(string, int, *set)) {
	words := strings.Fields(phrase)
	for k := range x.words {
		if len(words) == 1 {
			for _, w := range numbers(phrase) {
				if s := x.words[k].sets[w]; s != nil {
					take(k)(w, fitsSynonym, s)
				}
			}
			continue
		}
		s := x.words[k].peek(words[0])
		for _, w := range words[1:] {
			s = &set{ids: common(s.ids, x.words[k].peek(w).ids)}
		}
		take(k)(words[0], fitsSynonym, s)
	}
}

// common are the numbers that are in both lists, in order.
func common(a, b []int32) (out []int32) {
	for _, i := range a {
		if _, ok := slices.BinarySearch(b, i); ok {
			out = append(out, i)
		}
	}
	return out
}

// fewHits is from how few cards on slips of the hand are looked for; mostFound is how many words are
// marked.
const (
	fewHits   = 4
	mostFound = 60
)
