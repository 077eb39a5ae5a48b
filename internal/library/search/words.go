package search

import (
	"slices"
	"strings"
	"unicode"

	"aldermoor/internal/library/releases"

	"golang.org/x/text/unicode/norm"
)

// postings are sets by choice or word.
type postings struct{ sets map[string]*set }

// peek is a set that is not to be changed.
func (p *postings) peek(v string) *set {
	if s := p.sets[v]; s != nil {
		return s
	}
	return &set{}
}

func (p *postings) get(v string) *set {
	s := p.sets[v]
	if s == nil {
		s = &set{}
		p.sets[v] = s
	}
	return s
}

func (p *postings) append(v string, i int32) { p.get(v).append(i) }

// vocabulary is postings whose words can be found by their beginning.
type vocabulary struct {
	postings
	sorted  []string
	letters []uint32 // which letters each of them has
}

// lettersOf are the letters of a word as bits: a to z, the digits, and one for all others.
func lettersOf(w string) (bits uint32) {
	for i := range len(w) {
		switch c := w[i]; {
		case c >= 'a' && c <= 'z':
			bits |= 1 << (c - 'a')
		case c >= '0' && c <= '9':
			bits |= 1 << (26 + (c-'0')/2)
		default:
			bits |= 1 << 31
		}
	}
	return bits
}

func (v *vocabulary) get(w string) *set {
	if s := v.sets[w]; s != nil {
		return s
	}
	at, _ := slices.BinarySearch(v.sorted, w)
	v.sorted = slices.Insert(v.sorted, at, w)
	v.letters = slices.Insert(v.letters, at, lettersOf(w))
	return v.postings.get(w)
}

// sort puts the words in order after they were appended.
func (v *vocabulary) sort() {
	v.sorted = make([]string, 0, len(v.sets))
	for w := range v.sets {
		v.sorted = append(v.sorted, w)
	}
	slices.Sort(v.sorted)
	v.letters = make([]uint32, len(v.sorted))
	for i, w := range v.sorted {
		v.letters[i] = lettersOf(w)
	}
}

// prefixed calls f with every word that begins with w, and its set.
func (v *vocabulary) prefixed(w string, f func(word string, s *set)) {
	at, _ := slices.BinarySearch(v.sorted, w)
	for ; at < len(v.sorted) && strings.HasPrefix(v.sorted[at], w); at++ {
		f(v.sorted[at], v.sets[v.sorted[at]])
	}
}

// ordering is all cards in an order.
type ordering struct {
	ids  []int32
	less func(a, b *releases.Card) int
}

func (o *ordering) build(x *index) {
	o.ids = make([]int32, len(x.cards))
	for i := range o.ids {
		o.ids[i] = int32(len(o.ids) - 1 - i) // the newest first, by and large
	}
	slices.SortFunc(o.ids, func(a, b int32) int { return o.less(&x.cards[a], &x.cards[b]) })
}

func (o *ordering) place(x *index, i int32) (at int, there bool) {
	return slices.BinarySearchFunc(o.ids, i, func(a, b int32) int { return o.less(&x.cards[a], &x.cards[b]) })
}

func (o *ordering) add(x *index, i int32) {
	at, _ := o.place(x, i)
	o.ids = slices.Insert(o.ids, at, i)
}

// remove must be called before the card is changed.
func (o *ordering) remove(x *index, i int32) {
	if at, there := o.place(x, i); there {
		o.ids = slices.Delete(o.ids, at, at+1)
	}
}

// indexed are the words of a text by which it is found: also those that a hyphen parts, as one.
func indexed(text string) []string {
	out := wordsOf(text)
	if !strings.ContainsAny(text, "-’'") {
		return out
	}
	for _, w := range wordsOf(strings.NewReplacer("-", "", "’", "", "'", "").Replace(text)) {
		if !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	return out
}

// Fold is a word as it is searched: in lower case, without accents.
func Fold(word string) string { return strings.Join(wordsOf(word), " ") }

// wordsOf are the words of a text as they are searched: in lower case, without accents,
// each once.
func wordsOf(text string) (out []string) {
	plain := true
	for i := range len(text) {
		plain = plain && text[i] < 0x80
	}
	if !plain {
		text = strings.Map(func(r rune) rune {
			if unicode.Is(unicode.Mn, r) {
				return -1
			}
			return r
		}, norm.NFD.String(text))
	}
	for w := range strings.FieldsFuncSeq(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		if !slices.Contains(out, w) {
			out = append(out, w)
		}
	}
	return out
}
