package search

import (
	"context"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"time"

	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
)

// Facet is a way to narrow the Library down.
type Facet string

// The facets.
const (
	ByCategory Facet = "category"
	ByTag      Facet = "tag"
	ByChannel  Facet = "channel"
	ByTier     Facet = "tier"
	ByLicence  Facet = "licence"
	ByState    Facet = "state" // approved, unreviewed or retired; retired ones are found if asked for alone
	ByStation  Facet = "station"
	ByContact  Facet = "contact"
	ByWorkflow Facet = "workflow"
	ByTiling   Facet = "tiling" // seamless or seams
	ByOrigin   Facet = "origin" // scanned or estimated
)

// wantsAll says whether a material must have all choices of a facet that are asked for; otherwise any does.
func (f Facet) wantsAll() bool { return f == ByTag || f == ByChannel }

// Facets are all of them, in the order in which they are offered.
func Facets() []Facet {
	return []Facet{ByCategory, ByTag, ByChannel, ByTier, ByLicence, ByState, ByStation, ByContact, ByWorkflow, ByTiling, ByOrigin}
}

// valuesOf are a card's choices of a facet.
func valuesOf(c *releases.Card, f Facet) []string {
	switch f {
	case ByCategory:
		return branches(c.Categories)
	case ByTag:
		return c.Tags
	case ByTier:
		return c.Tiers
	case ByLicence:
		if c.Licence != "" {
			return []string{c.Licence}
		}
	case ByState:
		if c.State == releases.Unreviewed {
			return unreviewed
		}
		return []string{string(c.State)}
	case ByStation:
		return stated(c.Station)
	case ByContact:
		return stated(c.Contact)
	case ByWorkflow:
		return stated(c.Workflow)
	case ByTiling:
		return stated(c.Tiling)
	case ByOrigin:
		if c.Estimated {
			return []string{"estimated"}
		}
		return scanned
	case ByChannel:
		out := make([]string, len(c.Channels))
		for i, ch := range c.Channels {
			out[i] = string(ch)
		}
		return out
	}
	return nil
}

// Branch stands between the parts of a category's path: "Metal / Sheet".
const Branch = " / "

// branches are categories with all that they lie in: "Metal / Sheet" is found under "Metal", too.
func branches(list []string) []string {
	if !slices.ContainsFunc(list, func(c string) bool { return strings.Contains(c, Branch) }) {
		return list
	}
	var out []string
	for _, c := range list {
		for i := range c {
			if strings.HasPrefix(c[i:], Branch) && !slices.Contains(out, c[:i]) {
				out = append(out, c[:i])
			}
		}
		if !slices.Contains(out, c) {
			out = append(out, c)
		}
	}
	return out
}

// The choices of what most materials are.
var unreviewed, scanned = []string{"unreviewed"}, []string{"scanned"}

// stated is a choice; none where it is empty.
func stated(v string) []string {
	if v == "" {
		return nil
	}
	return []string{v}
}

// Order is how found materials are sorted.
type Order string

// The orders.
const (
	BestMatch Order = "match"
	ByName    Order = "name"
	Newest    Order = "newest"
	Largest   Order = "size"
	Densest   Order = "density"
	MostUsed  Order = "use"
	Cheapest  Order = "cost"
	ByHand    Order = "hand" // as Within has them
)

// Query says what to find.
type Query struct {
	Text    string
	Only    map[Facet][]string // of tags and channels all, of other facets any
	Not     map[Facet][]string
	Range   map[Measure]Range
	Near    *Near
	Within  []int64   // materials, in the order of ByHand; nil for all
	Changed time.Time // since then, retired ones too; zero for whenever
	Sort    Order
	Page    int // from 1
	Per     int
	From    int  // how many cards to leave out; instead of Page
	Bare    bool // cards alone, without the counts of facets
	Choices int  // of each facet, those with most materials; 0 for facetChoices
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
	Items  []releases.Card
	Facets map[Facet][]Count
	More   map[Facet]int // how many further choices a facet has
	Page   int
	Pages  int
	Words  []string // of the Library, by which the text was found
	Near   []string // texts that find something, where this one finds nothing, the nearest first
}

// Load reads the Library into memory, and says on the channel how that went. It returns at
// once; searches wait until all of it is there.
func (s *Service) Load(ctx context.Context) <-chan error {
	done := make(chan error, 1)
	s.index.mu.Lock()
	go func() {
		defer s.index.mu.Unlock()
		defer debug.SetGCPercent(debug.SetGCPercent(20)) // nearly all of it stays: no garbage beside it
		x := builder{index: &s.index}
		s.index.at, s.index.all, s.index.traits = nil, nil, nil // whatever was read before
		s.index.answers.forget()
		err := s.Store.Read(ctx, func(tx Reader) error {
			words, _, err := setSynonyms.Get(tx)
			if err != nil {
				return err
			}
			trade, _, err := setThesaurus.Get(tx)
			if err != nil {
				return err
			}
			s.index.means = meaning(words, trade)
			uses := map[int64]int{}
			if err := tx.Uses(func(material int64, people int) { uses[material] = people }); err != nil {
				return err
			}
			err = tx.Cards(func(c releases.Card) {
				c.Uses = uses[c.MaterialID]
				x.add(c)
			})
			if err != nil {
				return err
			}
			return tx.Traits(func(look string, data []byte) {
				var t Traits
				if t.UnmarshalBinary(data) == nil {
					x.see(look, t.row())
				}
			})
		})
		if err == nil {
			x.finish()
			s.index.edition.Add(1)
			s.index.published.Add(1)
			s.loaded.Store(true)
			if s.index.all.count() > 1000 {
				time.AfterFunc(time.Second, debug.FreeOSMemory) // what reading left behind
			}
		}
		done <- err
		close(done)
	}()
	return done
}

// Edition is a number that changes whenever something is published.
func (s *Service) Edition() uint64 { return s.index.edition.Load() }

// Publications counts what was published since the start.
func (s *Service) Publications() uint64 { return s.index.published.Load() }

// Loaded is whether the Library is in memory.
func (s *Service) Loaded() bool { return s.loaded.Load() }

// Find searches the Library.
func (s *Service) Find(_ context.Context, p people.Principal, q Query) (Found, error) {
	if err := p.Need(people.Enter); err != nil {
		return Found{}, err
	}
	return s.index.find(q), nil
}

// FindChoices are the choices of one facet whose names have a word that begins with text,
// under the query's other filters.
func (s *Service) FindChoices(_ context.Context, p people.Principal, q Query, f Facet, text string) ([]Count, error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	return s.index.choices(q, f, text), nil
}

// Card returns a published material by its slug.
func (s *Service) Card(slug string) (releases.Card, bool) { return s.index.bySlug(slug) }

// builder fills an empty index at once: sorting at the end is quicker than keeping order
// all along. First it is given all cards, then what they look like.
type builder struct {
	index *index
	cards []releases.Card
	rows  []traitRow
	first map[string]int32    // card of a look
	left  map[string]traitRow // of what is not published
}

func (b *builder) add(c releases.Card) { b.cards = append(b.cards, c) }

// see takes the traits of a look straight to where they stay: copies would double the memory
// that reading needs.
func (b *builder) see(look string, s traitRow) {
	if b.first == nil {
		b.place()
	}
	if i, published := b.first[look]; published {
		b.rows[i] = s
	} else {
		b.left[look] = s
	}
}

// place makes room for traits.
func (b *builder) place() {
	b.rows, b.left = make([]traitRow, len(b.cards)), map[string]traitRow{}
	b.first = make(map[string]int32, len(b.cards))
	for i := range b.cards {
		if _, had := b.first[b.cards[i].Look]; !had {
			b.first[b.cards[i].Look] = int32(i)
		}
	}
}

// finish is called with the index locked.
func (b *builder) finish() {
	if b.first == nil {
		b.place()
	}
	x := b.index
	x.init(0)
	x.cards, x.rows, x.traits = b.cards, b.rows, b.left
	for i := range x.cards {
		if k := b.first[x.cards[i].Look]; int(k) != i {
			x.rows[i] = x.rows[k]
		}
	}
	x.looks = looks{first: make(map[string]int32, len(x.cards)), next: make([]int32, 0, len(x.cards))}
	for i := range x.cards {
		x.looks.add(x.cards[i].Look, int32(i))
	}
	b.cards, b.rows, b.first, b.left = nil, nil, nil, nil
	var wg sync.WaitGroup
	slots := make(chan struct{}, runtime.GOMAXPROCS(0))
	side := func(f func()) {
		slots <- struct{}{}
		wg.Go(func() { f(); <-slots })
	}
	for i := range x.cards {
		c := &x.cards[i]
		x.at[c.MaterialID], x.slugs[c.Slug] = int32(i), int32(i)
		x.all.set(i)
		x.figure(i)
	}
	for _, f := range Facets() {
		side(func() {
			for i := range x.cards {
				for _, v := range valuesOf(&x.cards[i], f) {
					x.facets[f].append(v, int32(i))
				}
			}
		})
	}
	for k := range x.words {
		side(func() {
			sets := map[string][]*set{} // of the words of texts that come again and again
			for i := range x.cards {
				for _, text := range textsOf(&x.cards[i], k) {
					list, had := sets[text]
					if !had {
						for _, w := range indexed(text) {
							list = append(list, x.words[k].postings.get(w))
						}
						sets[text] = list
					}
					for _, s := range list {
						s.append(int32(i))
					}
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
