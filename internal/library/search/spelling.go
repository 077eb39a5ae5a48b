package search

import (
	"math/bits"
	"slices"
	"strings"
)

// How a word of a card fits one that was typed, in order of worth.
const (
	fitsTypo    = 1
	fitsSynonym = 2
	fitsBegins  = 3
	fitsWhole   = 4
)

// fitting calls f with the set of every word that fits w: that is it, begins with it, is another number of
// it, or where too is nothing else is a slip of the hand away.
func (v *vocabulary) fitting(w string, typos bool, f func(word string, how int, s *set)) {
	v.prefixed(w, func(word string, s *set) {
		if word == w {
			f(word, fitsWhole, s)
		} else {
			f(word, fitsBegins, s)
		}
	})
	for _, one := range singulars(w) { // "slates" also finds a slate; the beginning finds the rest
		if s := v.sets[one]; s != nil {
			f(one, fitsWhole, s)
		}
	}
	if !typos {
		return
	}
	most := slips(w)
	if most == 0 {
		return
	}
	want, letters := []rune(w), lettersOf(w)
	for i, word := range v.sorted {
		// A slip can cost a word no more than one of the letters that are wanted.
		if bits.OnesCount32(letters&^v.letters[i]) > most {
			continue
		}
		if n := len(word) - len(w); n < -most*4 { // a letter has up to four bytes
			continue
		}
		if slip(want, []rune(word), most) <= most {
			f(word, fitsTypo, v.sets[word])
		}
	}
}

// singulars are what a plural may be the plural of, and the other way round, beyond what the word
// begins with.
func singulars(w string) (out []string) {
	for _, end := range [][2]string{{"ies", "y"}, {"ves", "f"}, {"es", ""}, {"s", ""}, {"y", "ies"}} {
		if stem, ok := strings.CutSuffix(w, end[0]); ok && len(stem) >= 3 {
			out = append(out, stem+end[1])
		}
	}
	return out
}

// slips is how many slips a word may have: one in five letters.
func slips(w string) int {
	n := 0
	for range w {
		n++
	}
	switch {
	case n < 4:
		return 0
	case n < 9:
		return 1
	}
	return n / 5
}

// slip is how many letters must be changed, left out, put in or swapped with their neighbour to make want
// of the beginning of a word, or more than most. The whole word counts where that is less.
func slip(want, word []rune, most int) int {
	n := min(len(word), len(want)+most)
	word = word[:n]
	var rows [3][40]int
	if n+1 > len(rows[0]) || len(want)+1 > len(rows[0]) {
		return most + 1
	}
	prev2, prev, row := &rows[0], &rows[1], &rows[2]
	for j := 0; j <= n; j++ {
		prev[j] = j
	}
	for i := 1; i <= len(want); i++ {
		row[0] = i
		least := row[0]
		for j := 1; j <= n; j++ {
			cost := 1
			if want[i-1] == word[j-1] {
				cost = 0
			}
			row[j] = min(prev[j]+1, row[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && want[i-1] == word[j-2] && want[i-2] == word[j-1] {
				row[j] = min(row[j], prev2[j-2]+1)
			}
			least = min(least, row[j])
		}
		if least > most {
			return most + 1
		}
		prev2, prev, row = prev, row, prev2
	}
	// prev has the last row: any beginning of the word may end the match.
	return slices.Min(prev[max(0, len(want)-most) : n+1])
}

// Synonyms are groups of words that mean the same in this studio.
type Synonyms [][]string

// String is the list: a group a line, its words after commas.
func (s Synonyms) String() string {
	var b strings.Builder
	for _, g := range s {
		b.WriteString(strings.Join(g, ", ") + "\n")
	}
	return b.String()
}
