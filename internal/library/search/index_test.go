package search

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/internal/library/releases"
)

func filled() *index {
	x := new(index)
	for i := range 300 {
		c := releases.Card{MaterialID: int64(i + 1), Name: fmt.Sprintf("M%03d", i), Slug: fmt.Sprint(i), Size: scale.Size{W: float64(i) / 100, H: 1}, Released: time.Unix(int64(i), 0)}
		c.Categories = []string{[]string{"Stone", "Timber", "Metal"}[i%3]}
		if i%2 == 0 {
			c.Tags = []string{"wet"}
		}
		c.Channels = []material.Channel{material.BaseColor}
		x.put(c)
	}
	return x
}

func TestFindCountsLikeAPlainLoop(t *testing.T) {
	x := filled()
	f := x.find(Query{Only: map[Facet][]string{ByCategory: {"Stone"}, ByTag: {"wet"}}, Range: map[Measure]Range{Width: {Least: 0.5}}, Per: 10})
	want := 0
	for i := range 300 {
		if i%3 == 0 && i%2 == 0 && float64(i)/100 >= 0.5 {
			want++
		}
	}
	if f.Total != want || len(f.Items) != 10 || f.Pages != (want+9)/10 {
		t.Errorf("%d found, want %d; %d items, %d pages", f.Total, want, len(f.Items), f.Pages)
	}
	// A facet's own choice is left aside in its counts: 125 wide and wet, by category.
	n := 0
	for _, c := range f.Facets[ByCategory] {
		n += c.N
	}
	if n != 125 {
		t.Errorf("categories add up to %d: %v", n, f.Facets[ByCategory])
	}
	if f := x.find(Query{Sort: ByName, Page: 99, Per: 50}); f.Page != 6 || f.Items[0].Name != "M250" {
		t.Errorf("page %d begins with %s", f.Page, f.Items[0].Name)
	}
}

func TestANewReleaseTakesThePlaceOfTheLast(t *testing.T) {
	x := filled()
	x.put(releases.Card{MaterialID: 1, Name: "New", Slug: "0", Categories: []string{"Cloth"}})
	if x.size() != 300 {
		t.Errorf("%d cards", x.size())
	}
	if f := x.find(Query{Only: map[Facet][]string{ByCategory: {"Stone"}}}); f.Total != 99 {
		t.Errorf("%d in its old category", f.Total)
	}
	if c, ok := x.bySlug("0"); !ok || c.Name != "New" {
		t.Errorf("%+v", c)
	}
}

// Searching by words, beside a plain loop.
func TestFindByWords(t *testing.T) {
	x := new(index)
	for i, c := range []releases.Card{
		{Name: "Hung slates, round ends", Tags: []string{"roof"}}, {Name: "Roof tiles", Notes: "beside the slates"}, {Name: "Café floor", Categories: []string{"Slate"}},
		{Name: "壁 Wall", Contact: "hard stone"}, {Name: "Slate", Tags: []string{"slate", "roof"}},
	} {
		c.MaterialID, c.Slug, c.Released = int64(i+1), fmt.Sprint(i), time.Unix(int64(i), 0)
		x.put(c)
	}
	for q, want := range map[string][]int64{
		"slate": {5, 1, 3, 2}, "sla rou": {1}, "ROOF": {2, 5, 1}, `"hung`: {1}, "velvet": nil, "hung or": nil, "* near(": nil, "cafe": {3}, "CAFÉ": {3}, "壁": {4}, "hard": {4}, "s": {5, 1, 4, 3, 2}, "\x00": nil,
	} {
		var got []int64
		for _, c := range x.find(Query{Text: q}).Items {
			got = append(got, c.MaterialID)
		}
		if !slices.Equal(got, want) {
			t.Errorf("%q finds %v, want %v", q, got, want)
		}
	}
	// What a card no longer says it is no longer found by.
	x.put(releases.Card{MaterialID: 1, Number: 2, Name: "Reed", Slug: "0"})
	if f := x.find(Query{Text: "hung"}); f.Total != 0 {
		t.Errorf("%v", f.Items)
	}
	// An older release never takes the place of a newer one.
	x.put(releases.Card{MaterialID: 1, Number: 1, Name: "Hung slates, round ends", Slug: "0"})
	if c, _ := x.bySlug("0"); c.Name != "Reed" {
		t.Errorf("the older release %q is shown", c.Name)
	}
}

// An index that is kept card by card is the same as one that was built at once.
func TestKeptAndBuiltIndexesAreTheSame(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	kept, cards := new(index), map[int64]releases.Card{}
	for i := range 6000 {
		c := releases.Card{MaterialID: 1 + rng.Int64N(3000), Number: i, Name: fmt.Sprintf("Name %d %c", rng.IntN(900), 'a'+rng.IntN(26)), Released: time.Unix(rng.Int64N(1e6), 0), Size: scale.Size{W: rng.Float64(), H: 1}}
		c.Slug = fmt.Sprint("s", c.MaterialID)
		c.Tags = []string{fmt.Sprint("t", rng.IntN(3)), fmt.Sprint("u", rng.IntN(400))}
		kept.put(c)
		cards[c.MaterialID] = c
	}
	built := new(index)
	b := builder{index: built}
	for _, c := range cards {
		b.add(c)
	}
	b.finish()
	for _, q := range []Query{{}, {Sort: ByName}, {Sort: Largest, Page: 7}, {Text: "name a"}, {Text: "9", Only: map[Facet][]string{ByTag: {"t1"}}}, {Only: map[Facet][]string{ByTag: {"u7"}}, Choices: 500}, {Range: map[Measure]Range{Width: {Least: 0.5}}}} {
		one, two := kept.find(q), built.find(q)
		if one.Total != two.Total || fmt.Sprint(one.Facets) != fmt.Sprint(two.Facets) || fmt.Sprint(one.Items) != fmt.Sprint(two.Items) {
			t.Errorf("%+v: %d and %d found; %.200v and %.200v", q, one.Total, two.Total, one.Items, two.Items)
		}
	}
	if n := len(kept.find(Query{}).Facets[ByTag]); n != facetChoices {
		t.Errorf("%d choices are shown", n)
	}
	if list := kept.choices(Query{}, ByTag, "u39"); len(list) == 0 || len(list) > 11 || !strings.HasPrefix(list[0].Value, "u39") {
		t.Errorf("%v", list)
	}
}

// Readers and a publisher at the same time.
func TestTheIndexIsReadWhileItIsWritten(t *testing.T) {
	x := filled()
	var wg sync.WaitGroup
	for k := range 4 {
		wg.Go(func() {
			for i := range 300 {
				if k == 0 {
					x.put(releases.Card{MaterialID: int64(i%50 + 1), Number: i, Name: fmt.Sprint("New ", i), Slug: fmt.Sprint(i % 50), Categories: []string{"Cloth"}})
					continue
				}
				if f := x.find(Query{Text: "m", Sort: ByName}); f.Total > 300 {
					t.Errorf("%d found", f.Total)
				}
			}
		})
	}
	wg.Wait()
}

func BenchmarkFind100k(b *testing.B) {
	x := new(index)
	for i := range 100_000 {
		x.put(releases.Card{MaterialID: int64(i + 1), Name: fmt.Sprintf("M%06d", i), Slug: fmt.Sprint(i), Categories: []string{fmt.Sprint("c", i%20)},
			Tags: []string{fmt.Sprint("t", i%300), fmt.Sprint("u", i%40)}, Channels: material.All()[:3+i%6], Tiers: []string{"1K", "2K"}, Licence: "CC0-1.0"})
	}
	b.ResetTimer()
	for b.Loop() {
		x.find(Query{Only: map[Facet][]string{ByCategory: {"c7"}}})
	}
}

// Read at once, cards that share a look all have its traits, and what is not published keeps its own.
func TestReadingPlacesTraits(t *testing.T) {
	x := new(index)
	b := builder{index: x}
	for i, look := range []string{"a", "b", "a", "c", ""} {
		b.add(releases.Card{MaterialID: int64(i + 1), Slug: fmt.Sprint(i), Look: look})
	}
	for i, look := range []string{"draft", "b", "a"} {
		b.see(look, traitRow{known: true, roughness: float32(i)})
	}
	b.finish()
	for i, want := range []float32{2, 1, 2, -1, -1} {
		if s := x.rows[i]; s.known != (want >= 0) || s.known && s.roughness != want {
			t.Errorf("card %d: %v %g, want %g", i, s.known, s.roughness, want)
		}
	}
	if len(x.traits) != 1 || x.traits["draft"].roughness != 0 || !x.traits["draft"].known {
		t.Errorf("left over: %v", x.traits)
	}
}
