package library

import (
	"context"
	"runtime"
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

// CardOf is what the Library shows of a release.
func CardOf(r Release) Card {
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
	Choices  int // of each facet, those with most materials; 0 for facetChoices
}

// facetChoices is how many choices of a facet are shown; others are found by their name.
const facetChoices = 20

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
	More   map[Facet]int // how many further choices a facet has
	Page   int
	Pages  int
}

// Load reads what is published. It is called once, before the Library is shown.
func (s *Service) Load(ctx context.Context) error {
	x := builder{index: &s.index}
	err := s.Store.Read(ctx, func(tx Reader) error { return tx.Cards(x.add) })
	x.finish()
	return err
}

// Find searches the Library.
func (s *Service) Find(_ context.Context, p Principal, q Query) (Found, error) {
	if err := p.need(Enter); err != nil {
		return Found{}, err
	}
	return s.index.find(q), nil
}

// FindChoices are the choices of one facet whose names have a word that begins with text,
// under the query's other filters.
func (s *Service) FindChoices(_ context.Context, p Principal, q Query, f Facet, text string) ([]Count, error) {
	if err := p.need(Enter); err != nil {
		return nil, err
	}
	return s.index.choices(q, f, text), nil
}

// Card returns a published material by its slug.
func (s *Service) Card(slug string) (Card, bool) { return s.index.bySlug(slug) }

// builder fills an empty index at once: sorting at the end is quicker than keeping order
// all along. Cards are indexed on every core but one, which reads.
type builder struct {
	index *index
	cards []Card
}

func (b *builder) add(c Card) { b.cards = append(b.cards, c) }

func (b *builder) finish() {
	x := b.index
	x.mu.Lock()
	defer x.mu.Unlock()
	x.init(len(b.cards))
	var wg sync.WaitGroup
	slots := make(chan struct{}, runtime.GOMAXPROCS(0))
	side := func(f func()) {
		slots <- struct{}{}
		wg.Go(func() { f(); <-slots })
	}
	for _, c := range b.cards {
		if i, ok := x.at[c.MaterialID]; ok {
			x.cards[i] = c
			continue
		}
		i := int32(len(x.cards))
		x.cards = append(x.cards, c)
		x.at[c.MaterialID], x.slugs[c.Slug] = i, i
		x.all.set(int(i))
	}
	for _, f := range facets() {
		side(func() {
			for i := range x.cards {
				for _, v := range x.cards[i].values(f) {
					x.facets[f].append(v, int32(i))
				}
			}
		})
	}
	for k := range x.words {
		side(func() {
			for i := range x.cards {
				for _, w := range wordsOf(x.cards[i].texts()[k]) {
					x.words[k].append(w, int32(i))
				}
			}
			x.words[k].sort()
		})
	}
	for o := range x.orders {
		side(func() { x.orders[o].build(x) })
	}
	wg.Wait()
}
