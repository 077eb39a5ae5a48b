package library

import (
	"cmp"
	"context"
	"math/bits"
	"slices"
	"strings"
	"sync"
	"time"

	"aldermoor/core/channels"
	"aldermoor/core/scale"
)

// Card is what the Library shows of a material, and what it is found by.
type Card struct {
	MaterialID int64              `json:"material_id"`
	ReleaseID  int64              `json:"release_id"`
	Number     int                `json:"number"`
	Name       string             `json:"name"`
	Slug       string             `json:"slug"`
	Size       scale.Size         `json:"size"`
	W          int                `json:"w"`
	H          int                `json:"h"`
	Tiers      []string           `json:"tiers"`
	Tags       []string           `json:"tags"`
	Categories []string           `json:"categories"`
	Channels   []channels.Channel `json:"channels"`
	Contact    string             `json:"contact"`
	Licence    string             `json:"licence"`
	Notes      string             `json:"notes"`
	Look       string             `json:"look"`
	Released   time.Time          `json:"released"`
}

func cardOf(r Release) Card {
	m := &r.Material
	c := Card{MaterialID: m.ID, ReleaseID: r.ID, Number: r.Number, Name: m.Name, Slug: m.Slug, Size: m.Size, Tags: m.Tags, Categories: m.Categories,
		Contact: m.Contact, Licence: m.Licence, Notes: r.Notes, Look: m.LookKey(), Released: r.Created}
	c.W, c.H = m.Pixels()
	for _, t := range scale.Tiers(c.W, c.H) {
		c.Tiers = append(c.Tiers, t.String())
	}
	for _, p := range m.Assigned() {
		c.Channels = append(c.Channels, p.Channel)
	}
	return c
}

// Facet is a way to narrow the Library down.
type Facet string

// The facets.
const (
	ByCategory Facet = "category"
	ByTag      Facet = "tag"
	ByChannel  Facet = "channel"
	ByTier     Facet = "tier"
	ByLicence  Facet = "licence"
)

func facets() []Facet { return []Facet{ByCategory, ByTag, ByChannel, ByTier, ByLicence} }

func (c *Card) values(f Facet) []string {
	switch f {
	case ByCategory:
		return c.Categories
	case ByTag:
		return c.Tags
	case ByTier:
		return c.Tiers
	case ByLicence:
		if c.Licence != "" {
			return []string{c.Licence}
		}
	case ByChannel:
		out := make([]string, len(c.Channels))
		for i, ch := range c.Channels {
			out[i] = string(ch)
		}
		return out
	}
	return nil
}

// Order is how found materials are sorted.
type Order string

// The orders.
const (
	BestMatch Order = "match"
	ByName    Order = "name"
	Newest    Order = "newest"
	Largest   Order = "size"
)

// Query says what to find.
type Query struct {
	Text     string
	Only     map[Facet]string
	MinWidth float64 // metres
	Sort     Order
	Page     int // from 1
	Per      int
}

// Count is one choice of a facet and how many materials it would leave.
type Count struct {
	Value string `json:"value"`
	N     int    `json:"count"`
}

// Found is a page of the Library. A facet's counts leave its own choice aside.
type Found struct {
	Total  int
	Items  []Card
	Facets map[Facet][]Count
	Page   int
	Pages  int
}

// Load reads what is published. It is called once, before the Library is shown.
func (s *Service) Load(ctx context.Context) error {
	var cards []Card
	err := s.Store.Read(ctx, func(tx Tx) (err error) {
		cards, err = tx.Cards()
		return err
	})
	for _, c := range cards {
		s.index.put(c)
	}
	return err
}

// Find searches the Library.
func (s *Service) Find(ctx context.Context, q Query) (Found, error) {
	var hits []int64
	if strings.TrimSpace(q.Text) != "" {
		err := s.Store.Read(ctx, func(tx Tx) (err error) { hits, err = tx.Search(q.Text); return err })
		if err != nil {
			return Found{}, err
		}
		if hits == nil {
			hits = []int64{}
		}
	}
	return s.index.find(q, hits), nil
}

// Card returns a published material by its slug.
func (s *Service) Card(slug string) (Card, bool) { return s.index.bySlug(slug) }

// index holds the published cards in memory with a bit set for each choice of
// each facet, so that counting over all materials is and-ing words.
type index struct {
	mu     sync.RWMutex
	cards  []Card
	at     map[int64]int // by material
	slugs  map[string]int
	facets map[Facet]map[string]bitset
	orders map[Order][]int // all cards in that order; made when asked for, dropped by put
}

type bitset []uint64

func (b *bitset) set(i int) {
	for len(*b) <= i/64 {
		*b = append(*b, 0)
	}
	(*b)[i/64] |= 1 << (i % 64)
}

func (b bitset) clear(i int) {
	if i/64 < len(b) {
		b[i/64] &^= 1 << (i % 64)
	}
}

func (b bitset) has(i int) bool { return i/64 < len(b) && b[i/64]>>(i%64)&1 == 1 }

func both(a, b bitset) bitset {
	n := min(len(a), len(b))
	out := make(bitset, n)
	for i := range n {
		out[i] = a[i] & b[i]
	}
	return out
}

func shared(a, b bitset) (n int) {
	for i := range min(len(a), len(b)) {
		n += bits.OnesCount64(a[i] & b[i])
	}
	return n
}

func (x *index) size() int {
	x.mu.RLock()
	defer x.mu.RUnlock()
	return len(x.cards)
}

func (x *index) bySlug(slug string) (Card, bool) {
	x.mu.RLock()
	defer x.mu.RUnlock()
	i, ok := x.slugs[slug]
	if !ok {
		return Card{}, false
	}
	return x.cards[i], true
}

// put adds a card, or takes the place of the material's last one.
func (x *index) put(c Card) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.at == nil {
		x.at, x.slugs, x.facets = map[int64]int{}, map[string]int{}, map[Facet]map[string]bitset{}
		for _, f := range facets() {
			x.facets[f] = map[string]bitset{}
		}
	}
	x.orders = nil
	i, ok := x.at[c.MaterialID]
	if ok {
		for _, f := range facets() {
			for _, v := range x.cards[i].values(f) {
				x.facets[f][v].clear(i)
			}
		}
		x.cards[i] = c
	} else {
		i = len(x.cards)
		x.cards = append(x.cards, c)
		x.at[c.MaterialID], x.slugs[c.Slug] = i, i
	}
	for _, f := range facets() {
		for _, v := range c.values(f) {
			b := x.facets[f][v]
			b.set(i)
			x.facets[f][v] = b
		}
	}
}

// find narrows by text hits (nil for all), facets and width.
func (x *index) find(q Query, hits []int64) Found {
	x.mu.Lock()
	defer x.mu.Unlock()
	var text bitset
	if hits == nil {
		for i := range x.cards {
			text.set(i)
		}
	} else {
		for _, id := range hits {
			if i, ok := x.at[id]; ok {
				text.set(i)
			}
		}
	}
	if q.MinWidth > 0 {
		for i := range x.cards {
			if x.cards[i].Size.W < q.MinWidth {
				text.clear(i)
			}
		}
	}
	// Each facet is counted under all other choices.
	under := func(skip Facet) bitset {
		b := text
		for f, v := range q.Only {
			if v != "" && f != skip {
				b = both(b, x.facets[f][v])
			}
		}
		return b
	}
	found := Found{Facets: map[Facet][]Count{}}
	for _, f := range facets() {
		rest := under(f)
		for v, b := range x.facets[f] {
			if n := shared(rest, b); n > 0 {
				found.Facets[f] = append(found.Facets[f], Count{v, n})
			}
		}
		slices.SortFunc(found.Facets[f], func(a, b Count) int { return cmp.Or(cmp.Compare(b.N, a.N), cmp.Compare(a.Value, b.Value)) })
	}
	all := under("")
	found.Total = shared(all, all)
	var order []int
	if hits != nil && (q.Sort == "" || q.Sort == BestMatch) {
		for _, id := range hits {
			if i, ok := x.at[id]; ok && all.has(i) {
				order = append(order, i)
			}
		}
	} else {
		order = make([]int, 0, found.Total)
		for _, i := range x.ordered(q.Sort) {
			if all.has(i) {
				order = append(order, i)
			}
		}
	}
	per := q.Per
	if per <= 0 || per > 200 {
		per = 60
	}
	found.Pages = max(1, (len(order)+per-1)/per)
	found.Page = min(max(q.Page, 1), found.Pages)
	for _, i := range order[min(len(order), (found.Page-1)*per):min(len(order), found.Page*per)] {
		found.Items = append(found.Items, x.cards[i])
	}
	return found
}

// ordered is all cards in that order.
func (x *index) ordered(by Order) []int {
	if all, ok := x.orders[by]; ok {
		return all
	}
	name := func(i, j int) int { return cmp.Compare(x.cards[i].Name, x.cards[j].Name) }
	less := func(i, j int) int {
		return cmp.Or(x.cards[j].Released.Compare(x.cards[i].Released), cmp.Compare(j, i))
	}
	switch by {
	case ByName:
		less = name
	case Largest:
		less = func(i, j int) int {
			return cmp.Or(cmp.Compare(x.cards[j].Size.W*x.cards[j].Size.H, x.cards[i].Size.W*x.cards[i].Size.H), name(i, j))
		}
	}
	all := make([]int, len(x.cards))
	for i := range all {
		all[i] = i
	}
	slices.SortFunc(all, less)
	if x.orders == nil {
		x.orders = map[Order][]int{}
	}
	x.orders[by] = all
	return all
}
