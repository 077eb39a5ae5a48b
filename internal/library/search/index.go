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
	mu      sync.RWMutex
	cards   []releases.Card
	all     bitset
	at      map[int64]int32 // by material
	slugs   map[string]int32
	facets  map[Facet]*postings
	words   [len(fieldWeights)]*vocabulary
	orders  map[Order]*ordering
	seen    []seen                // traits of each card
	figures map[Measure][]float64 // of each card; NaN where it has none
	traits  map[string]seen       // by look, of what is not published yet
	means   map[string][]string   // words that mean the same, as they are searched

	answers answers
	edition atomic.Uint64 // changes with the cards
}

// answers keeps what was found lately, until something is published: many artists look at
// the same pages. What it gives is shared and must not be changed.
type answers struct {
	mu      sync.Mutex
	kept    map[string]Found
	spreads map[Measure]Histogram
}

func (a *answers) spread(m Measure) (Histogram, bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	h, ok := a.spreads[m]
	return h, ok
}

func (a *answers) putSpread(m Measure, h Histogram) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.spreads == nil {
		a.spreads = map[Measure]Histogram{}
	}
	a.spreads[m] = h
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
	a.kept, a.spreads = nil, nil
}

// The fields of a card that are searched, and what a hit in each is worth.
var fieldWeights = [...]uint8{8, 3, 3, 1} // name, tags, categories and contact class, notes and the names of files

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
		return []string{c.Notes, c.Set}
	}
}

func (x *index) init(room int) {
	if x.at != nil {
		return
	}
	x.at, x.slugs = make(map[int64]int32, room), make(map[string]int32, room)
	x.cards, x.seen = make([]releases.Card, 0, room), make([]seen, 0, room)
	if x.traits == nil {
		x.traits = map[string]seen{}
	}
	x.facets, x.figures = map[Facet]*postings{}, map[Measure][]float64{}
	for _, f := range Facets() {
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
		Densest:  {less: func(a, b *releases.Card) int { return cmp.Or(cmp.Compare(densityOf(b), densityOf(a)), name(a, b)) }},
		MostUsed: {less: func(a, b *releases.Card) int { return cmp.Or(cmp.Compare(b.Uses, a.Uses), newest(a, b)) }},
		Cheapest: {less: func(a, b *releases.Card) int { return cmp.Or(cmp.Compare(a.Cost, b.Cost), name(a, b)) }},
	}
}

// densityOf is a card's pixels a metre; 0 if its size is unknown.
func densityOf(c *releases.Card) float64 {
	if !c.Size.Known() {
		return 0
	}
	return float64(c.W) / c.Size.W
}

// use notes how many people use a material.
func (x *index) use(material int64, people int) {
	x.mu.Lock()
	defer x.mu.Unlock()
	i, ok := x.at[material]
	if !ok || x.cards[i].Uses == people {
		return
	}
	o := x.orders[MostUsed]
	o.remove(x, i)
	x.cards[i].Uses = people
	o.add(x, i)
	x.answers.forget()
	x.edition.Add(1)
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
		c.Uses = x.cards[i].Uses
		x.cards[i], x.seen[i] = c, x.seenOf(c.Look)
	} else {
		i = int32(len(x.cards))
		x.cards, x.seen = append(x.cards, c), append(x.seen, x.seenOf(c.Look))
		x.at[c.MaterialID] = i
		x.all.set(int(i))
	}
	x.slugs[c.Slug] = i
	x.figure(int(i))
	x.each(i, (*set).add)
	for _, o := range x.orders {
		o.add(x, i)
	}
}

// each calls change with the set of every choice and word of a card.
func (x *index) each(i int32, change func(*set, int32)) {
	for _, f := range Facets() {
		for _, v := range valuesOf(&x.cards[i], f) {
			change(x.facets[f].get(v), i)
		}
	}
	for k := range x.words {
		for _, text := range textsOf(&x.cards[i], k) {
			for _, w := range indexed(text) {
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
	keep := len(key) < 300 && !q.Near.Asks() // what is near is seldom asked for twice
	if f, ok := x.answers.get(key); ok && keep {
		return f
	}
	f := x.search(q)
	if keep {
		x.answers.put(key, f)
	}
	return f
}

func (x *index) search(q Query) Found {
	hits, scores, words := x.narrowed(q)
	var near []distance
	if q.Near.Asks() {
		near = x.near(q.Near, x.under(q, hits, ""))
		hits = newBitset(len(x.cards))
		for _, d := range near {
			hits.set(int(d.i))
		}
	}
	found := Found{Facets: map[Facet][]Count{}, More: map[Facet]int{}, Items: []releases.Card{}, Words: words}
	most := q.Choices
	if most <= 0 {
		most = facetChoices
	}
	for _, f := range Facets() {
		if q.Bare {
			break
		}
		found.Facets[f], found.More[f] = mostOf(x.counts(q, f, hits, nil), most, append(slices.Clone(q.Only[f]), q.Not[f]...))
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
	if q.From > 0 {
		from = q.From
	}
	for i := range x.inOrder(q, all, scores, near) {
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

// narrowed are the cards that text and ranges leave, for each how well it fits the text, and the words by
// which it was found; scores are nil without a text.
func (x *index) narrowed(q Query) (hits bitset, scores []uint8, found []string) {
	hits = x.all
	if words := wordsOf(q.Text); len(words) > 0 {
		scores = make([]uint8, len(x.cards))
		best := make([]uint8, len(x.cards))
		for n, w := range x.phrases(x.joined(words)) {
			found = append(found, x.worth(w, best)...)
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
	if retired := x.retired(); len(retired) > 0 && !slices.Contains(q.Only[ByState], string(releases.Retired)) {
		hits, cloned = slices.Clone(hits), true
		for _, i := range retired {
			hits.clear(int(i))
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
			if len(x.means[strings.Join(words[i:i+k], " ")]) > 0 {
				n = k
				break
			}
		}
		out = append(out, strings.Join(words[i:i+n], " "))
		i += n
	}
	return out
}

// worth fills in what each card is worth for one word, by the field and by how well it fits, and gives the
// words that fitted. Slips of the hand count where few cards have the word itself.
func (x *index) worth(w string, best []uint8) (found []string) {
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
	for _, same := range x.means[w] { // every word of what means the same must be there
		x.synonym(same, take)
	}
	if some < fewHits && !strings.Contains(w, " ") {
		for k, v := range x.words {
			v.fitting(w, true, take(k))
		}
	}
	return found
}

// fewHits is from how few cards on slips of the hand are looked for; mostFound is how many words are
// marked.
const (
	fewHits   = 4
	mostFound = 60
)

// synonym takes the cards that have all words of a phrase.
func (x *index) synonym(phrase string, take func(k int) func(string, int, *set)) {
	words := strings.Fields(phrase)
	for k := range x.words {
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

// manyAt is from how many cards on bits are quicker than numbers.
const manyAt = 2000
