package search

import (
	"cmp"
	"maps"
	"slices"
	"strings"
)

const (
	mostNear  = 5  // texts that are offered
	mostTries = 16 // searches that are tried for them: each looks at every card
)

// nearest are texts near one that finds nothing, which find something: with a word that is spelt almost like one of its,
// without the word that nothing has, or with a broader one.
func (x *index) nearest(q Query) (out []string) {
	words := wordsOf(q.Text)
	if len(words) == 0 || len(words) > 4 {
		return nil
	}
	tries := 0
	finds := func(text string) bool {
		if tries++; tries > mostTries {
			return false
		}
		p := q
		p.Text, p.Bare, p.Per, p.Page = text, true, 1, 1
		hits, _, _ := x.narrowed(p)
		return x.under(p, hits, "").count() > 0
	}
	offer := func(text string) {
		if text != "" && text != strings.Join(words, " ") && len(out) < mostNear && !slices.Contains(out, text) && finds(text) {
			out = append(out, text)
		}
	}
	for i, w := range words {
		if finds(w) {
			continue
		}
		with := func(k string) string { return strings.Join(slices.Concat(words[:i], []string{k}, words[i+1:]), " ") }
		for _, k := range x.alike(w) {
			offer(with(k))
		}
		for _, f := range numbers(w) {
			for _, broad := range slices.Sorted(maps.Keys(x.means.narrower)) {
				if slices.Contains(x.means.narrower[broad], f) {
					offer(with(broad))
				}
			}
		}
	}
	if len(words) > 1 {
		for i := range words { // one word less
			offer(strings.Join(slices.Concat(words[:i], words[i+1:]), " "))
		}
	}
	return out
}

// alike are words of names, tags and categories that are spelt almost like one, the nearest first; of those the commonest.
func (x *index) alike(w string) (out []string) {
	type near struct {
		word    string
		off, of int
	}
	most := max(1, len([]rune(w))/3)
	var list []near
	for k := range 3 { // names, tags and categories
		if x.words[k] == nil {
			continue
		}
		for _, word := range x.words[k].sorted {
			if n := len(word) - len(w); n > most || n < -most || len(word) < 3 {
				continue
			}
			if off := slip([]rune(w), []rune(word), most); off <= most {
				list = append(list, near{word, off, len(x.words[k].peek(word).ids)})
			}
		}
	}
	slices.SortFunc(list, func(a, b near) int {
		return cmp.Or(a.off-b.off, b.of-a.of, strings.Compare(a.word, b.word))
	})
	for _, k := range list {
		if !slices.Contains(out, k.word) && len(out) < mostNear {
			out = append(out, k.word)
		}
	}
	return out
}
