package library

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
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
		c.Channels = []channels.Channel{channels.BaseColor}
		x.put(c)
	}
	return x
}

func TestFindCountsLikeAPlainLoop(t *testing.T) {
	x := filled()
	f := x.find(Query{Only: map[Facet]string{ByCategory: "Stone", ByTag: "wet"}, MinWidth: 0.5, Per: 10}, nil)
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
	if f := x.find(Query{}, []int64{7, 3, 9}); f.Total != 3 || f.Items[0].MaterialID != 7 || f.Items[1].MaterialID != 3 {
		t.Errorf("text hits are not in their order: %v", f.Items)
	}
	if f := x.find(Query{Sort: ByName, Page: 99, Per: 50}, nil); f.Page != 6 || f.Items[0].Name != "M250" {
		t.Errorf("page %d begins with %s", f.Page, f.Items[0].Name)
	}
}

func TestANewReleaseTakesThePlaceOfTheLast(t *testing.T) {
	x := filled()
	x.put(Card{MaterialID: 1, Name: "New", Slug: "0", Categories: []string{"Cloth"}})
	if x.size() != 300 {
		t.Errorf("%d cards", x.size())
	}
	if f := x.find(Query{Only: map[Facet]string{ByCategory: "Stone"}}, nil); f.Total != 99 {
		t.Errorf("%d in its old category", f.Total)
	}
	if c, ok := x.bySlug("0"); !ok || c.Name != "New" {
		t.Errorf("%+v", c)
	}
}

func TestThrottleGrowsAndForgets(t *testing.T) {
	var th throttle
	now := time.Unix(1000, 0)
	for range freeTries - 1 {
		th.miss(now, "a")
	}
	if w := th.wait(now, "a"); w > 0 {
		t.Errorf("slowed down after %d tries: %v", freeTries-1, w)
	}
	th.miss(now, "a")
	first := th.wait(now, "a", "b")
	th.miss(now, "a")
	if second := th.wait(now, "a"); first <= 0 || second <= first {
		t.Errorf("%v, then %v", first, second)
	}
	if th.wait(now, "b") > 0 {
		t.Error("another name is slowed down too")
	}
	if th.wait(now.Add(time.Hour), "a") > 0 {
		t.Error("never forgiven")
	}
	th.hit("a")
	if th.wait(now, "a") > 0 {
		t.Error("the right password does not end it")
	}
}

func TestSizeTypedByHand(t *testing.T) {
	m := Material{Maps: []Map{{Channel: channels.BaseColor, Width: 2048, Height: 1024, Stats: inspect.Stats{Mean: []float64{1, 1, 1}}}}, Relief: inspect.Depth{Value: 0.01, Confidence: 0.9}}
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
	m := Material{Size: scale.Size{W: 1, H: 1}, Maps: []Map{{Blob: "a", Channel: channels.BaseColor, Component: "rgb"}}}
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
	s := New(Config{})
	l, stop := s.Listen()
	for range 100 {
		s.changed("delivery:%d", 7)
	}
	s.changed("library")
	<-l.Ready
	if got := l.Take(); len(got) != 2 {
		t.Errorf("%v", got)
	}
	stop()
	s.changed("library")
	select {
	case <-l.Ready:
		t.Error("told after it stopped listening")
	default:
	}
}

func BenchmarkFind100k(b *testing.B) {
	x := new(index)
	for i := range 100_000 {
		x.put(Card{MaterialID: int64(i + 1), Name: fmt.Sprintf("M%06d", i), Slug: fmt.Sprint(i), Categories: []string{fmt.Sprint("c", i%20)},
			Tags: []string{fmt.Sprint("t", i%300), fmt.Sprint("u", i%40)}, Channels: channels.All()[:3+i%6], Tiers: []string{"1K", "2K"}, Licence: "CC0-1.0"})
	}
	for b.Loop() {
		x.find(Query{Only: map[Facet]string{ByCategory: "c7"}}, nil)
	}
}

// A doubt about a channel ends when a person says what the map is, and is back when that
// is taken back.
func TestAnAnswerSettlesADoubt(t *testing.T) {
	doubt := inspect.Finding{Code: "roughness_as_gloss", Severity: inspect.Warn, Maps: []string{"s/rough.png"}, Says: "it looks wet"}
	m := Material{Maps: []Map{{ID: 1, File: "s/rough.png", Channel: channels.Roughness, Component: "r", Width: 64, Height: 64, Bits: 8, Format: "png"}}}
	m.Report.Findings = []inspect.Finding{doubt}
	asked := func() bool {
		m.recheck(nil)
		return slices.ContainsFunc(m.Report.Findings, func(f inspect.Finding) bool { return f.Code == doubt.Code })
	}
	if !asked() {
		t.Fatal("it is not asked")
	}
	before := m.Maps[0]
	m.assign(1, channels.Glossiness, "lena")
	if asked() {
		t.Error("it is glossiness by a person's word, and asked all the same")
	}
	m.Maps[0] = before
	if !asked() {
		t.Error("the answer was taken back, and it is asked no more")
	}
	m.assign(1, channels.Roughness, "lena")
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
	m.assign(1, channels.Roughness, "lena")
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
