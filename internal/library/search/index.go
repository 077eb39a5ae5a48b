package search

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"aldermoor/internal/library/releases"
)

// index holds the published cards in memory: for each choice of each facet, and for each
// word, which cards have it. Counting over all materials is and-ing words of bits, or
// where few have a choice looking at those; orders are kept, not made when asked for, so
// that publishing one material takes as long with a hundred thousand others as alone.
type index struct {
	mu     sync.RWMutex
	cards  []releases.Card
	all    bitset
	at     map[int64]int32 // by material
	slugs  map[string]int32
	facets map[Facet]*postings
	words  [len(fieldWeights)]*vocabulary
	orders map[Order]*ordering

	answers answers
	edition atomic.Uint64 // changes with the cards
}

// answers keeps what was found lately, until something is published: many artists look at
// the same pages. What it gives is shared and must not be changed.
type answers struct {
	mu   sync.Mutex
	kept map[string]Found
}

// answersKept is how many answers are kept, each of up to 200 cards and its counts.
const answersKept = 512

func (a *answers) get(key string) (Found, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	f, ok := a.kept[key]
	return f, ok
}

func (a *answers) put(key string, f Found) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.kept == nil || len(a.kept) >= answersKept {
		a.kept = map[string]Found{}
	}
	a.kept[key] = f
}

func (a *answers) forget() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.kept = nil
}

// The fields of a card that are searched, and what a hit in each is worth.
var fieldWeights = [...]uint8{8, 3, 3, 1} // name, tags, categories and contact class, notes

// texts are what the field at k of fieldWeights says.
func textsOf(c *releases.Card, k int) []string {
	switch k {
	case 0:
		return []string{c.Name}
	case 1:
		return c.Tags
	case 2:
		return append(c.Categories[:len(c.Categories):len(c.Categories)], c.Contact)
	default:
		return []string{c.Notes}
	}
}

func (x *index) init(room int) {
	if x.at != nil {
		return
	}
	x.at, x.slugs = make(map[int64]int32, room), make(map[string]int32, room)
	x.cards = make([]releases.Card, 0, room)
	x.facets = map[Facet]*postings{}
	for _, f := range facets() {
		x.facets[f] = &postings{sets: map[string]*set{}}
	}
	for k := range x.words {
		x.words[k] = &vocabulary{postings: postings{sets: map[string]*set{}}}
	}
	newest := func(a, b *releases.Card) int {
		return cmp.Or(b.Released.Compare(a.Released), cmp.Compare(b.MaterialID, a.MaterialID))
	}
	name := func(a, b *releases.Card) int { return cmp.Or(cmp.Compare(a.Name, b.Name), newest(a, b)) }
	x.orders = map[Order]*ordering{
		Newest: {less: newest},
		ByName: {less: name},
		Largest: {less: func(a, b *releases.Card) int {
			return cmp.Or(cmp.Compare(b.Size.W*b.Size.H, a.Size.W*a.Size.H), name(a, b))
		}},
	}
}

func (x *index) size() int {
	x.mu.RLock()
	defer x.mu.RUnlock()
	return len(x.cards)
}

func (x *index) bySlug(slug string) (releases.Card, bool) {
	x.mu.RLock()
	defer x.mu.RUnlock()
	i, ok := x.slugs[slug]
	if !ok {
		return releases.Card{}, false
	}
	return x.cards[i], true
}

func (x *index) byMaterial(id int64) (releases.Card, bool) {
	x.mu.RLock()
	defer x.mu.RUnlock()
	i, ok := x.at[id]
	if !ok {
		return releases.Card{}, false
	}
	return x.cards[i], true
}

// put adds a card, or takes the place of the material's last one, unless that is of a
// later release.
func (x *index) put(c releases.Card) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.init(0)
	i, ok := x.at[c.MaterialID]
	if ok && x.cards[i].Number > c.Number {
		return
	}
	x.answers.forget()
	defer x.edition.Add(1)
	if ok {
		x.each(i, (*set).remove)
		for _, o := range x.orders {
			o.remove(x, i)
		}
		delete(x.slugs, x.cards[i].Slug)
		x.cards[i] = c
	} else {
		i = int32(len(x.cards))
		x.cards = append(x.cards, c)
		x.at[c.MaterialID] = i
		x.all.set(int(i))
	}
	x.slugs[c.Slug] = i
	x.each(i, (*set).add)
	for _, o := range x.orders {
		o.add(x, i)
	}
}

// each calls change with the set of every choice and word of a card.
func (x *index) each(i int32, change func(*set, int32)) {
	for _, f := range facets() {
		for _, v := range valuesOf(&x.cards[i], f) {
			change(x.facets[f].get(v), i)
		}
	}
	for k := range x.words {
		for _, text := range textsOf(&x.cards[i], k) {
			for _, w := range wordsOf(text) {
				change(x.words[k].get(w), i)
			}
		}
	}
}

// find narrows by text, facets and width.
func (x *index) find(q Query) Found {
	x.mu.RLock()
	defer x.mu.RUnlock() // held to the end: what is kept below is of what is published now
	key := fmt.Sprint(q)
	if f, ok := x.answers.get(key); ok {
		return f
	}
	f := x.search(q)
	if len(key) < 300 {
		x.answers.put(key, f)
	}
	return f
}

func (x *index) search(q Query) Found {
	hits, scores := x.narrowed(q)
	found := Found{Facets: map[Facet][]Count{}, More: map[Facet]int{}, Items: []releases.Card{}}
	most := q.Choices
	if most <= 0 {
		most = facetChoices
	}
	for _, f := range facets() {
		found.Facets[f], found.More[f] = mostOf(x.counts(q, f, hits, nil), most, q.Only[f])
		if found.More[f] == 0 {
			delete(found.More, f)
		}
	}
	all := x.under(q, hits, "")
	found.Total = all.count()
	per := q.Per
	if per <= 0 || per > 200 {
		per = 60
	}
	found.Pages = max(1, (found.Total+per-1)/per)
	found.Page = min(max(q.Page, 1), found.Pages)
	from := (found.Page - 1) * per
	for i := range x.inOrder(q, all, scores) {
		if from--; from >= 0 {
			continue
		}
		if len(found.Items) == per {
			break
		}
		found.Items = append(found.Items, x.cards[i])
	}
	return found
}

// narrowed are the cards that text and width leave, and for each how well it fits the
// text; scores are nil without one.
func (x *index) narrowed(q Query) (hits bitset, scores []uint8) {
	hits = x.all
	if words := wordsOf(q.Text); len(words) > 0 {
		scores = make([]uint8, len(x.cards))
		for n, w := range words {
			best := make([]uint8, len(x.cards))
			for k, v := range x.words {
				v.prefixed(w, func(s *set) {
					for _, i := range s.ids {
						best[i] = max(best[i], fieldWeights[k])
					}
				})
			}
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
		return newBitset(len(x.cards)), make([]uint8, len(x.cards))
	}
	if q.MinWidth > 0 {
		hits = slices.Clone(hits)
		for i := range x.cards {
			if x.cards[i].Size.W < q.MinWidth {
				hits.clear(i)
			}
		}
	}
	return hits, scores
}

// under is what all choices leave of hits, but for that of one facet.
func (x *index) under(q Query, hits bitset, skip Facet) bitset {
	for f, v := range q.Only {
		if v != "" && f != skip && x.facets[f] != nil {
			hits = x.facets[f].peek(v).and(hits)
		}
	}
	return hits
}

// counts are the choices of a facet that leave something, in no order; those for which
// keep is false are left out.
func (x *index) counts(q Query, f Facet, hits bitset, keep func(string) bool) (list []Count) {
	rest := x.under(q, hits, f)
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
func mostOf(list []Count, n int, chosen string) (out []Count, more int) {
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
	if chosen != "" && !slices.ContainsFunc(out, func(c Count) bool { return c.Value == chosen }) {
		if at := slices.IndexFunc(list, func(c Count) bool { return c.Value == chosen }); at >= 0 {
			out = append(out, list[at])
		}
	}
	return out, len(list) - len(out)
}

// choices are those of a facet whose names have a word that begins with text.
func (x *index) choices(q Query, f Facet, text string) []Count {
	x.mu.RLock()
	defer x.mu.RUnlock()
	hits, _ := x.narrowed(q)
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
	list, _ = mostOf(list, facetChoices, "")
	return list
}

// inOrder gives the cards of a set in the query's order: by default those that fit the
// text best, then the newest.
func (x *index) inOrder(q Query, in bitset, scores []uint8) func(yield func(int32) bool) {
	by := q.Sort
	if by == BestMatch || x.orders[by] == nil {
		by = Newest
	}
	if x.orders[by] == nil { // nothing is published
		return func(func(int32) bool) {}
	}
	ids := x.orders[by].ids
	best := scores != nil && (q.Sort == "" || q.Sort == BestMatch)
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

// manyAt is from how many cards on bits are quicker than numbers.
const manyAt = 2000
