package search

import (
	"cmp"
	"fmt"
	"slices"
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
	rows    []traitRow            // traits of each card
	figures map[Measure][]float64 // of each card; NaN where it has none
	traits  map[string]traitRow   // by look, of what is not published yet
	looks   looks
	uses    map[int64]int // people who use a material, where that has changed and is not shown yet
	means   meanings

	answers   answers
	edition   atomic.Uint64 // changes with the cards
	published atomic.Uint64 // counts what was published
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
	x.cards, x.rows = make([]releases.Card, 0, room), make([]traitRow, 0, room)
	if x.traits == nil {
		x.traits = map[string]traitRow{}
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

// use records how many people use a material. It is shown after settle.
func (x *index) use(material int64, people int) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.uses == nil {
		x.uses = map[int64]int{}
	}
	x.uses[material] = people
}

// settle shows how many people use what: all at once, since every change takes away what was found lately, for
// everybody.
func (x *index) settle() {
	x.mu.Lock()
	defer x.mu.Unlock()
	changed := false
	for material, people := range x.uses {
		i, ok := x.at[material]
		if !ok || x.cards[i].Uses == people {
			continue
		}
		o := x.orders[MostUsed]
		o.remove(x, i)
		x.cards[i].Uses = people
		o.add(x, i)
		changed = true
	}
	x.uses = nil
	if changed {
		x.answers.forget()
		x.edition.Add(1)
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

func (x *index) byRelease(id int64) (releases.Card, bool) {
	x.mu.RLock()
	defer x.mu.RUnlock()
	for i := range x.cards {
		if x.cards[i].ReleaseID == id {
			return x.cards[i], true
		}
	}
	return releases.Card{}, false
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
	x.published.Add(1)
	defer x.edition.Add(1)
	looks := x.traitRowOf(c.Look) // before its last card goes
	if ok {
		x.looks.remove(x.cards[i].Look, i)
		x.each(i, (*set).remove)
		for _, o := range x.orders {
			o.remove(x, i)
		}
		delete(x.slugs, x.cards[i].Slug)
		c.Uses = x.cards[i].Uses
		x.cards[i], x.rows[i] = c, looks
	} else {
		i = int32(len(x.cards))
		x.cards, x.rows = append(x.cards, c), append(x.rows, looks)
		x.at[c.MaterialID] = i
		x.all.set(int(i))
	}
	x.looks.add(c.Look, i)
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
	if found.Total = all.count(); found.Total == 0 && !q.Bare {
		found.Near = x.nearest(q)
	}
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

// manyAt is from how many cards on bits are quicker than numbers.
const manyAt = 2000
