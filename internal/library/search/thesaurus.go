package search

import (
	"context"
	_ "embed"
	"fmt"
	"slices"
	"strings"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Thesaurus is the trade's words: groups of words that mean the same, and which words are broader than others. It has a
// text that people edit; a studio may switch it off.
type Thesaurus struct {
	Off  bool   `json:"off"`
	Text string `json:"text"` // as in thesaurus.txt; empty for the one that is shipped
}

//go:embed thesaurus.txt
var shipped string

var setThesaurus = library.Setting[Thesaurus]{Name: "thesaurus"}

// ShippedThesaurus is the text that comes with the program.
func ShippedThesaurus() string { return shipped }

// Thesaurus is the studio's, and its version.
func (s *Service) Thesaurus(ctx context.Context, p people.Principal) (t Thesaurus, version int64, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return t, 0, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error { t, version, err = setThesaurus.Get(tx); return err })
	return t, version, err
}

const mostThesaurus = 200_000 // bytes

// SaveThesaurus keeps the thesaurus in the place of the one that was seen; 0 for whatever there is.
func (s *Service) SaveThesaurus(ctx context.Context, p people.Principal, version int64, t Thesaurus) (int64, error) {
	if err := p.Need(people.Decide); err != nil {
		return 0, err
	}
	if len(t.Text) > mostThesaurus {
		return 0, library.Invalid(fmt.Sprintf("The list has %d letters; %d are the most.", len(t.Text), mostThesaurus))
	}
	if strings.TrimSpace(t.Text) == strings.TrimSpace(shipped) {
		t.Text = ""
	}
	var m meanings
	if err := m.add(t.Text); err != nil {
		return 0, err
	}
	err := s.Store.Write(ctx, func(tx Tx) error {
		var err error
		if _, version, err = setThesaurus.Save(tx, version, t); err != nil {
			return err
		}
		words, _, err := setSynonyms.Get(tx)
		if err != nil {
			return err
		}
		tx.Changed("library")
		tx.After(func() { s.index.mean(meaning(words, t)) })
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "words of the trade", "the studio", map[bool]string{true: "off", false: "on"}[t.Off]))
	})
	return version, err
}

// meanings are what a word of a search stands for beside itself, as it is searched.
type meanings struct {
	same     map[string][]string // words that mean the same
	narrower map[string][]string // words that it is broader than
	known    map[string]bool     // words for which no slip of the hand is forgiven: they are spelt as they are meant
}

// meaning puts the studio's groups and the trade's words together.
func meaning(groups Synonyms, t Thesaurus) meanings {
	var m meanings
	m.start()
	if !t.Off {
		text := t.Text
		if strings.TrimSpace(text) == "" {
			text = shipped
		}
		m.add(text) // it was checked when it was saved
	}
	for _, g := range groups {
		m.group(g, false)
	}
	return m
}

func (m *meanings) start() {
	if m.same == nil {
		m.same, m.narrower, m.known = map[string][]string{}, map[string][]string{}, map[string]bool{}
	}
}

// add reads a text of groups and broader words. The error names the first line that is none.
func (m *meanings) add(text string) error {
	m.start()
	n := 0
	for line := range strings.Lines(text) {
		n++
		line, _, _ = strings.Cut(line, "#")
		if strings.TrimSpace(line) == "" {
			continue
		}
		broad, narrow, isBroader := strings.Cut(line, ">")
		words := list(broad)
		if len(words) == 0 || isBroader && (len(words) != 1 || len(list(narrow)) == 0) || !isBroader && len(words) < 2 {
			return library.Invalid(fmt.Sprintf("Line %d: write words that mean the same with commas (“wood, timber”), or one word, >, and narrower ones (“wood > oak, elm”).", n))
		}
		for _, w := range append(words, list(narrow)...) {
			if len(w) > mostLetter {
				return library.Invalid(fmt.Sprintf("Line %d: %q is too long.", n, w))
			}
		}
		if !isBroader {
			m.group(words, true)
			continue
		}
		m.known[words[0]] = true
		for _, w := range list(narrow) {
			m.known[w] = true
			if w != words[0] && !slices.Contains(m.narrower[words[0]], w) {
				m.narrower[words[0]] = append(m.narrower[words[0]], w)
			}
		}
	}
	return nil
}

// list are words between commas, as they are searched.
func list(text string) (out []string) {
	for w := range strings.SplitSeq(text, ",") {
		if w = strings.Join(wordsOf(w), " "); w != "" {
			out = append(out, w)
		}
	}
	return out
}

// group says that words mean the same; known ones forgive no slip.
func (m *meanings) group(words []string, known bool) {
	for _, w := range words {
		w = strings.Join(wordsOf(w), " ")
		m.known[w] = m.known[w] || known
		for _, o := range words {
			if o = strings.Join(wordsOf(o), " "); o != w && !slices.Contains(m.same[w], o) {
				m.same[w] = append(m.same[w], o)
			}
		}
	}
}

// has says whether a phrase stands for something beside itself.
func (m *meanings) has(phrase string) bool {
	return len(m.same[phrase]) > 0 || len(m.narrower[phrase]) > 0
}

// spelt says whether a word is one of the trade's, or another number of one.
func (m *meanings) spelt(w string) bool {
	return slices.ContainsFunc(numbers(w), func(f string) bool { return m.known[f] })
}

// of are the phrases that a phrase stands for beside itself: what means the same, and all that is narrower than it or than
// what means the same.
func (m *meanings) of(phrase string) (out []string) {
	seen := map[string]bool{phrase: true}
	add := func(w string) bool {
		if seen[w] {
			return false
		}
		seen[w] = true
		out = append(out, w)
		return true
	}
	var below func(w string)
	below = func(w string) {
		for _, k := range m.narrower[w] {
			if !add(k) {
				continue
			}
			for _, same := range m.same[k] {
				add(same)
			}
			below(k)
		}
	}
	for _, f := range numbers(phrase) {
		if f != phrase && !m.has(f) {
			continue
		}
		same := slices.Clone(m.same[f])
		for _, w := range same {
			add(w)
		}
		below(f)
		for _, w := range same {
			below(w)
		}
	}
	return out
}

// numbers are a word and its other numbers: plank, planks.
func numbers(w string) []string {
	if strings.Contains(w, " ") {
		return []string{w}
	}
	return slices.Concat([]string{w}, singulars(w), []string{w + "s", w + "es"})
}
