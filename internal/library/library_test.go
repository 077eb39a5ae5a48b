package library

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/scale"
)

func TestSlug(t *testing.T) {
	for in, want := range map[string]string{"Hung slates, round ends": "hung-slates-round-ends", "  Ärmel / Öl  ": "aermel-oel", "日本": "material", "a--b__c": "a-b-c", "Café №3": "cafe-3"} {
		if got := Slug(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

func filled() *index {
	x := new(index)
	for i := range 300 {
		c := Card{MaterialID: int64(i + 1), Name: fmt.Sprintf("M%03d", i), Slug: fmt.Sprint(i), Size: scale.Size{W: float64(i) / 100, H: 1}, Released: time.Unix(int64(i), 0)}
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
	f := x.find(Query{Only: map[Facet]string{ByCategory: "Stone", ByTag: "wet"}, MinWidth: 0.5, Per: 10})
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
	x.put(Card{MaterialID: 1, Name: "New", Slug: "0", Categories: []string{"Cloth"}})
	if x.size() != 300 {
		t.Errorf("%d cards", x.size())
	}
	if f := x.find(Query{Only: map[Facet]string{ByCategory: "Stone"}}); f.Total != 99 {
		t.Errorf("%d in its old category", f.Total)
	}
	if c, ok := x.bySlug("0"); !ok || c.Name != "New" {
		t.Errorf("%+v", c)
	}
}

func TestThrottleGrowsAndForgets(t *testing.T) {
	var th throttle
	now := time.Unix(1000, 0)
	for i := range freeTries {
		if w := th.try(now, "a"); w > 0 {
			t.Errorf("try %d has to wait %v", i+1, w)
		}
	}
	first := th.try(now, "a")
	now = now.Add(first)
	if w := th.try(now, "a"); w > 0 {
		t.Errorf("after waiting it has to wait another %v", w)
	}
	if second := th.try(now, "a"); first <= 0 || second <= first {
		t.Errorf("%v, then %v", first, second)
	}
	if th.try(now, "b") > 0 {
		t.Error("another account or address is slowed down too")
	}
	if th.try(now.Add(time.Hour), "a") > 0 {
		t.Error("never forgiven")
	}
	th.clear("a")
	if th.try(now, "a") > 0 {
		t.Error("the right password does not end it")
	}
}

// Forty guesses at once are no more than forty one after the other.
func TestThrottleCountsTriesThatAreUnderWay(t *testing.T) {
	var th throttle
	var passed atomic.Int64
	var wg sync.WaitGroup
	for range 40 {
		wg.Go(func() {
			if th.try(time.Unix(1000, 0), "a") == 0 {
				passed.Add(1)
			}
		})
	}
	wg.Wait()
	if passed.Load() != freeTries {
		t.Errorf("%d of 40 guesses at once were let through", passed.Load())
	}
}

func TestThrottleKeepsWithinItsMemory(t *testing.T) {
	var th throttle
	now := time.Unix(1000, 0)
	for i := range 3 * rememberAt {
		th.try(now.Add(time.Duration(i)*time.Millisecond), fmt.Sprint("name ", i))
	}
	if n := len(th.tries); n > rememberAt+1000 {
		t.Errorf("%d keys are kept", n)
	}
}

func TestSizeTypedByHand(t *testing.T) {
	m := Material{Maps: []Map{{Channel: material.BaseColor, Map: material.Map{Width: 2048, Height: 1024}, Stats: inspect.Stats{Mean: []float64{1, 1, 1}}}}, Relief: inspect.Depth{Value: 0.01, Confidence: 0.9}}
	w := Length(3)
	if err := m.apply(Change{Width: &w}); err != nil {
		t.Fatal(err)
	}
	if m.Size != (scale.Size{W: 3, H: 1.5}) || m.SizeSource != scale.FromPerson || m.Depth != 0.03 {
		t.Errorf("%+v, depth %v: the height and the depth must follow", m.Size, m.Depth)
	}
	h := Length(2)
	m.apply(Change{Height: &h}) // now one axis alone
	if m.Size != (scale.Size{W: 3, H: 2}) {
		t.Errorf("%+v", m.Size)
	}
	keep := true
	w = 6
	m.apply(Change{Width: &w, KeepRatio: &keep})
	if m.Size != (scale.Size{W: 6, H: 4}) {
		t.Errorf("%+v", m.Size)
	}
	source := "sidecar"
	if err := m.apply(Change{SizeSource: &source}); err == nil {
		t.Error("evidence that does not exist was taken")
	}
}

func TestLookKeyFollowsWhatIsSeen(t *testing.T) {
	m := Material{Size: scale.Size{W: 1, H: 1}, Maps: []Map{{Map: material.Map{Blob: "a", Component: "rgb"}, Channel: material.BaseColor}}}
	k := m.LookKey()
	m.Name, m.Tags = "Other", []string{"x"}
	if m.LookKey() != k {
		t.Error("a name changes the look")
	}
	m.Size.W = 2
	if m.LookKey() == k {
		t.Error("a size does not change the look")
	}
}

func TestListenersMissNoTopic(t *testing.T) {
	l := &Listener{pending: map[string]bool{}, Ready: make(chan struct{}, 1)}
	for i := range 100 {
		l.add(Event{ID: int64(i + 1), Topic: "delivery:7"})
	}
	l.add(Event{ID: 101, Topic: "library"})
	<-l.Ready
	if got, last := l.Take(); len(got) != 2 || last != 101 {
		t.Errorf("%v, up to %d", got, last)
	}
}

// Searching by words, beside a plain loop.
func TestFindByWords(t *testing.T) {
	x := new(index)
	for i, c := range []Card{
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
	x.put(Card{MaterialID: 1, Number: 2, Name: "Reed", Slug: "0"})
	if f := x.find(Query{Text: "hung"}); f.Total != 0 {
		t.Errorf("%v", f.Items)
	}
	// An older release never takes the place of a newer one.
	x.put(Card{MaterialID: 1, Number: 1, Name: "Hung slates, round ends", Slug: "0"})
	if c, _ := x.bySlug("0"); c.Name != "Reed" {
		t.Errorf("the older release %q is shown", c.Name)
	}
}

// An index that is kept card by card is the same as one that was built at once.
func TestKeptAndBuiltIndexesAreTheSame(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	kept, cards := new(index), map[int64]Card{}
	for i := range 6000 {
		c := Card{MaterialID: 1 + rng.Int64N(3000), Number: i, Name: fmt.Sprintf("Name %d %c", rng.IntN(900), 'a'+rng.IntN(26)), Released: time.Unix(rng.Int64N(1e6), 0), Size: scale.Size{W: rng.Float64(), H: 1}}
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
	for _, q := range []Query{{}, {Sort: ByName}, {Sort: Largest, Page: 7}, {Text: "name a"}, {Text: "9", Only: map[Facet]string{ByTag: "t1"}}, {Only: map[Facet]string{ByTag: "u7"}, Choices: 500}, {MinWidth: 0.5}} {
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
					x.put(Card{MaterialID: int64(i%50 + 1), Number: i, Name: fmt.Sprint("New ", i), Slug: fmt.Sprint(i % 50), Categories: []string{"Cloth"}})
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
		x.put(Card{MaterialID: int64(i + 1), Name: fmt.Sprintf("M%06d", i), Slug: fmt.Sprint(i), Categories: []string{fmt.Sprint("c", i%20)},
			Tags: []string{fmt.Sprint("t", i%300), fmt.Sprint("u", i%40)}, Channels: material.All()[:3+i%6], Tiers: []string{"1K", "2K"}, Licence: "CC0-1.0"})
	}
	b.ResetTimer()
	for b.Loop() {
		x.find(Query{Only: map[Facet]string{ByCategory: "c7"}})
	}
}

// A doubt about a channel ends when a person says what the map is, and is back when that
// is taken back.
func TestAnAnswerSettlesADoubt(t *testing.T) {
	doubt := inspect.Finding{Code: "roughness_as_gloss", Severity: inspect.Warn, Maps: []string{"s/rough.png"}, Says: "it looks wet"}
	m := Material{Maps: []Map{{ID: 1, Map: material.Map{File: "s/rough.png", Component: "r", Width: 64, Height: 64, Bits: 8}, Channel: material.Roughness, Format: "png"}}}
	m.Report.Findings = []inspect.Finding{doubt}
	asked := func() bool {
		m.recheck(nil)
		return slices.ContainsFunc(m.Report.Findings, func(f inspect.Finding) bool { return f.Code == doubt.Code })
	}
	if !asked() {
		t.Fatal("it is not asked")
	}
	before := m.Maps[0]
	m.assign(1, material.Glossiness, "lena")
	if asked() {
		t.Error("it is glossiness by a person's word, and asked all the same")
	}
	m.Maps[0] = before
	if !asked() {
		t.Error("the answer was taken back, and it is asked no more")
	}
	m.assign(1, material.Roughness, "lena")
	if asked() {
		t.Error("it is roughness by a person's word, and asked all the same")
	}
	m.Maps[0] = before
	if !asked() || len(m.Report.Settled) != 0 {
		t.Errorf("asked %v, settled %v", asked(), m.Report.Settled)
	}
	// Of what a recipe made of that map the same answer holds.
	made := m.Maps[0]
	made.ID = 0
	m.Finish.Maps, m.Finish.Report.Findings = []Map{made}, []inspect.Finding{doubt}
	m.assign(1, material.Roughness, "lena")
	m.recheck(nil)
	if slices.ContainsFunc(m.Finish.Report.Findings, func(f inspect.Finding) bool { return f.Code == doubt.Code }) {
		t.Error("the answer does not hold for the treated map")
	}
	m.Maps[0], m.Finish = before, Finish{}
	asked()
	for _, f := range m.Report.Findings {
		if f.Code == doubt.Code && (f.Says != doubt.Says || f.Severity != inspect.Warn) {
			t.Errorf("it came back as %+v", f)
		}
	}
}

func TestWhatIsKnownIsSaid(t *testing.T) {
	for _, c := range []struct {
		known Known
		says  string
	}{
		{Known{Name: "Slates", Files: true}, "These files are here already, in Slates."},
		{Known{Name: "Slates", Wider: 4096}, "This is the scan of Slates, but smaller (2048 px against 4096)."},
		{Known{Name: "Slates", Wider: 1024, Quarters: 1}, "This is the scan of Slates, but larger (2048 px against 1024), turned by 90°."},
		{Known{Name: "Slates", Wider: 2048}, "This is the scan of Slates, in another encoding."},
		{Known{Name: "Slates", Part: &Area{0, 0, 0.99, 1.02}}, "This shows the same as the scan of Slates, in another light or colour."},
		{Known{Name: "Slates", Part: &Area{-0.1, 0, 1.4, 1.2}}, "This shows more of the scan of Slates: 1.4 times as wide, 1.2 times as high."},
		{Known{Name: "Slates", Part: &Area{0.1, 0.2, 0.5, 0.4}, Quarters: 2}, "This is a part of the scan of Slates: 50 % of its width, 40 % of its height, turned by 180°."},
		{Known{Name: "Slates", Part: &Area{0.1, 0.2, 0.5, 0.4}}, "This is a part of the scan of Slates: 50 % of its width, 40 % of its height."},
	} {
		if got := c.known.Says(2048, 1365); got != c.says {
			t.Errorf("%+v says %q, not %q", c.known, got, c.says)
		}
	}
}

func TestTheAuditSaysChangesInWords(t *testing.T) {
	was := map[string]json.RawMessage{"tags": json.RawMessage(`[]`), "name": json.RawMessage(`"Setts"`), "depth": json.RawMessage(`null`), "zero": json.RawMessage(`0.5`)}
	now := map[string]json.RawMessage{"tags": json.RawMessage(`["moss","wet"]`), "name": json.RawMessage(`""`), "depth": json.RawMessage(`{"m":0.02}`), "zero": json.RawMessage(`0.25`)}
	if got, want := changes(was, now, []string{"depth", "name", "tags", "zero"}), `depth: none → {"m":0.02}; name: Setts → none; tags: none → moss, wet; zero: 0.5 → 0.25`; got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
}
