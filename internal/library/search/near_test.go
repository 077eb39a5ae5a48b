package search

import (
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"aldermoor/core/colour"
	"aldermoor/core/likeness"
	"aldermoor/core/scale"
	"aldermoor/internal/library/releases"
)

// traitsOf are made up: two or three tones, and any look.
func traitsOf(rng *rand.Rand) Traits {
	var t Traits
	left := float32(1)
	for k := range 3 {
		share := left
		if k < 2 {
			share = left * (0.4 + 0.5*rng.Float32())
		}
		left -= share
		c := colour.FromOKLab(0.2+0.7*rng.Float64(), 0.12*rng.NormFloat64(), 0.12*rng.NormFloat64())
		for i := range c {
			c[i] = min(max(c[i], 0), 1)
		}
		t.Palette = append(t.Palette, likeness.Tone{Color: c, Share: share})
	}
	for c := range 3 {
		t.Look.Mean[c], t.Look.Range[c] = rng.Float32(), 0.2*rng.Float32()
	}
	for k := range likeness.Octaves {
		t.Look.Grain[k], t.Look.Lines[k] = -2-6*rng.Float32(), rng.Float32()
		if k < 3 || k > 11 {
			t.Look.Grain[k], t.Look.Lines[k] = float32(math.NaN()), float32(math.NaN())
		}
	}
	t.Roughness, t.Metallic, t.Relief = rng.Float32(), float32(rng.IntN(2)), 0.05*rng.Float32()
	return t
}

func withTraits(n int) *index {
	x, rng := new(index), rand.New(rand.NewPCG(3, 4))
	b := builder{index: x}
	looks := make([]traitRow, n)
	for i := range n {
		look := fmt.Sprint("look", i)
		t := traitsOf(rng)
		looks[i] = t.row()
		b.add(releases.Card{MaterialID: int64(i + 1), Name: fmt.Sprintf("%s %s %d", seedNames[i%len(seedNames)], seedWords[i/7%len(seedWords)], i), Slug: fmt.Sprint(i), Look: look, W: 2048, H: 2048, Size: scale.Size{W: 0.3 + 3*rng.Float64(), H: 1}, Released: time.Unix(int64(i), 0),
			Tags: []string{seedWords[i%len(seedWords)], fmt.Sprint("t", i%300)}, Categories: []string{fmt.Sprint("c", i%20)}, Tiers: []string{"1K", "2K"}, Licence: "CC0-1.0"})
	}
	for i, s := range looks {
		b.see(fmt.Sprint("look", i), s)
	}
	b.finish()
	return x
}

var seedNames = []string{"Hung slates", "Shingle bank", "Reed thatch", "Herringbone elm", "Rusted chainplate", "Lime-washed rubble", "Asphalt lane", "Glazed quarry tile", "Copper flashing", "Willow hurdle"}
var seedWords = []string{"weathered", "coarse", "seaward", "mended", "pale", "tarred", "mossy"}

// By colour, the quick way gives what weighing every palette exactly gives.
func TestNearColoursAreTheNearest(t *testing.T) {
	x := withTraits(20_000)
	for _, hex := range []string{"#2f4f6f", "#96201c", "#c9b48f", "#808080", "#3b5d38", "#101010"} {
		for _, hue := range []bool{false, true} {
			c := colour.Hex(hex)
			n := &Near{Colours: []likeness.Tone{{Color: c, Share: 1}}, Hue: hue}
			got := x.near(n, x.all)
			q := []paint{{share: 1}}
			q[0].l, q[0].a, q[0].b = colour.Lab(c)
			var want []distance
			for i := range x.cards {
				if d := x.rows[i].exactly(q, hue); d <= nearColour {
					want = append(want, distance{int32(i), d})
				}
			}
			sortNear(want)
			top := min(60, len(want), len(got))
			if top < 5 {
				t.Fatalf("%s: %d near", hex, len(got))
			}
			miss := 0
			for _, w := range want[:top] {
				if !slices.ContainsFunc(got[:top], func(g distance) bool { return g.i == w.i }) {
					miss++
				}
			}
			if miss > 0 {
				t.Errorf("%s, hue alone %v: %d of the first %d are others", hex, hue, miss, top)
			}
		}
	}
}

// A material is nearest to its own look; metals alone are metals; traits that come later count.
func TestNearLooks(t *testing.T) {
	x := withTraits(3000)
	for _, id := range []int64{1, 77, 2900} {
		look := x.rows[x.at[id]].look
		f := x.find(Query{Near: &Near{Look: &look}, Per: 5})
		if len(f.Items) == 0 || f.Items[0].MaterialID != id || f.Total != nearLooks {
			t.Errorf("%d: %d found, first %v", id, f.Total, f.Items)
		}
		if f := x.find(Query{Near: &Near{Look: &look, Except: id}}); f.Items[0].MaterialID == id {
			t.Errorf("%d is like itself", id)
		}
	}
	f := x.find(Query{Near: &Near{Metals: true}})
	if f.Total < 1000 || f.Total > 2000 {
		t.Errorf("%d metals", f.Total)
	}
	for _, c := range f.Items {
		if x.rows[x.at[c.MaterialID]].metal < 0.5 {
			t.Errorf("%s is no metal", c.Name)
		}
	}
	x.put(releases.Card{MaterialID: 9001, Name: "Late", Slug: "late", Look: "late"})
	late := traitsOf(rand.New(rand.NewPCG(9, 9)))
	x.putTraits("late", late)
	if f := x.find(Query{Near: &Near{Look: &late.Look}}); f.Items[0].Name != "Late" {
		t.Errorf("%v", f.Items[0])
	}
	// Kept and read again they are the same.
	data, err := late.MarshalBinary()
	if err != nil {
		t.Fatal(err)
	}
	var back Traits
	if err := back.UnmarshalBinary(data); err != nil || fmt.Sprint(back) != fmt.Sprint(late) {
		t.Errorf("%v: %v, was %v", err, back, late)
	}
	if err := back.UnmarshalBinary(data[:20]); err == nil {
		t.Error("half of it is read")
	}
}

// What looks the same but is of another kind comes after what is of the same kind and looks nearly the same.
func TestNearLooksAreOfAKind(t *testing.T) {
	x := withTraits(10)
	base := traitsOf(rand.New(rand.NewPCG(4, 4)))
	base.Metallic, base.Roughness = 0, 0.1
	add := func(id int64, name, category string, change func(*Traits)) {
		k := base
		change(&k)
		x.put(releases.Card{MaterialID: id, Name: name, Slug: name, Look: name, Categories: []string{category}})
		x.putTraits(name, k)
	}
	lighter := func(k *Traits) { k.Look.Mean[0] += 0.1 } // a distance of 0.16
	add(100, "clear glass", "Glass", func(*Traits) {})
	add(101, "gloss paint", "Paint", func(*Traits) {})
	add(102, "pressed glass", "Glass / Pressed", lighter)
	add(103, "chrome", "Glass", func(k *Traits) { k.Metallic = 1 })
	add(104, "frosted glass", "Glass", func(k *Traits) { lighter(k); k.Roughness = 0.5 })
	look := base.Look
	var order []string
	for _, c := range x.find(Query{Near: &Near{Look: &look, Except: 100}, Per: 4}).Items {
		order = append(order, c.Name)
	}
	if got := fmt.Sprint(order); got != "[pressed glass frosted glass gloss paint chrome]" {
		t.Errorf("like clear glass: %v", got)
	}
	// A picture has no kind: its look alone counts.
	if f := x.find(Query{Near: &Near{Look: &look}, Per: 3}); f.Items[2].Name == "pressed glass" {
		t.Errorf("a picture: %v", f.Items)
	}
}

// Ranges, several values, and what is not wanted, beside a plain loop.
func TestRangesAndExclusions(t *testing.T) {
	x := withTraits(2000)
	q := Query{Only: map[Facet][]string{ByCategory: {"c1", "c2"}, ByTag: {"coarse"}}, Not: map[Facet][]string{ByTag: {"t1", "t22"}}, Range: map[Measure]Range{Width: {0.5, 2}, Roughness: {Least: 0.2}}}
	want := 0
	for i := range x.cards {
		c := &x.cards[i]
		has := func(list []string, v string) bool { return slices.Contains(list, v) }
		if (has(c.Categories, "c1") || has(c.Categories, "c2")) && has(c.Tags, "coarse") && !has(c.Tags, "t1") && !has(c.Tags, "t22") && c.Size.W >= 0.5 && c.Size.W <= 2 && x.rows[i].roughness >= 0.2 {
			want++
		}
	}
	if f := x.find(q); f.Total != want || want == 0 {
		t.Errorf("%d found, want %d", f.Total, want)
	}
	h := x.spread(Width)
	sum := 0
	for _, n := range h.N {
		sum += n
	}
	if sum != 2000 || h.Least < 0.3 || h.Most > 3.3 {
		t.Errorf("%+v", h)
	}
}

// Words are found in spite of slips, in any order, by plural and singular, by what means the same, by
// their beginning: the material that is meant is among the first five.
func TestForgivingWords(t *testing.T) {
	x := withTraits(10)
	x.means = meaning(Synonyms{{"asphalt", "tarmac", "black top"}, {"thatch", "roof straw"}}, Thesaurus{Off: true})
	meant := map[string][]string{
		"Hung slates":        {"slates", "slate", "slaets", "salte hung", "hunk slates", "sltes", "hung slat", "SLATE"},
		"Shingle bank":       {"shingel", "shingles", "bank shingle", "shigle", "banks", "shingl", "chingle"},
		"Reed thatch":        {"tatch", "thatches", "reeds", "thatch reed", "roof straw", "thach", "thatchh"},
		"Herringbone elm":    {"heringbone", "herringbone", "elms", "herrinbgone", "elm herr", "herringbnoe", "haringbone"},
		"Rusted chainplate":  {"chainplates", "chain", "rustd", "chianplate", "rusted chian", "chainplaet", "rusty chainplate"},
		"Lime-washed rubble": {"rubbel", "lime", "washed rubble", "rubbles", "limewashed", "lime washed", "ruble"},
		"Asphalt lane":       {"tarmac", "asphlat", "black top", "asfalt", "lanes", "ashphalt", "asphalt"},
		"Glazed quarry tile": {"tiles", "quarry tiles", "qaurry", "glazd tile", "glazed", "tile glazed quarry", "quary"},
		"Copper flashing":    {"coper", "flashings", "copper", "cooper", "flahsing", "copper flash", "flshing"},
		"Willow hurdle":      {"wilow", "hurdles", "hurdel", "wilolw", "hurdle willow", "willows", "wiillow"},
	}
	asked, right := 0, 0
	for name, list := range meant {
		for _, text := range list {
			asked++
			f := x.find(Query{Text: text, Per: 5})
			if slices.ContainsFunc(f.Items, func(c releases.Card) bool { return len(c.Name) > len(name) && c.Name[:len(name)] == name }) {
				right++
			} else {
				t.Logf("%q does not find %s but %d others", text, name, f.Total)
			}
		}
	}
	t.Logf("%d of %d: %.1f %%", right, asked, 100*float64(right)/float64(asked))
	if float64(right) < 0.95*float64(asked) {
		t.Errorf("%d of %d", right, asked)
	}
	// What is whole comes before what is a slip away, and words that found are told.
	f := x.find(Query{Text: "slates"})
	if !slices.Contains(f.Words, "slates") {
		t.Errorf("%v", f.Words)
	}
	if f := x.find(Query{Text: "xylophone"}); f.Total != 0 {
		t.Errorf("%d found", f.Total)
	}
}

func TestSlip(t *testing.T) {
	for _, c := range []struct {
		want, word string
		n          int
	}{{"slates", "slates", 0}, {"slaets", "slates", 1}, {"slate", "slates", 0}, {"sltes", "slates", 1}, {"slattes", "slates", 1}, {"abc", "xyz", 2}, {"chain", "chainplate", 0}, {"chian", "chainplate", 1}} {
		if got := slip([]rune(c.want), []rune(c.word), 1); got != c.n {
			t.Errorf("%s, %s: %d, want %d", c.want, c.word, got, c.n)
		}
	}
}

// BenchmarkNear100k and BenchmarkNear1M say how long a search takes with so many materials, and how much memory
// they take.
func BenchmarkNear100k(b *testing.B) { benchNear(b, 100_000) }
func BenchmarkNear1M(b *testing.B)   { benchNear(b, 1_000_000) }

func benchNear(b *testing.B, n int) {
	x := withTraits(n)
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	fmt.Printf("%d materials: %d MB in memory\n", n, m.HeapAlloc>>20)
	look := x.rows[5].look
	for name, q := range map[string]Query{
		"words":    {Text: "slates coarse"},
		"slips":    {Text: "slaets cuorse"},
		"narrowed": {Text: "slates", Only: map[Facet][]string{ByCategory: {"c1", "c2", "c3"}}, Not: map[Facet][]string{ByTag: {"t7"}}, Range: map[Measure]Range{Width: {0.5, 2}}},
		"colour":   {Near: &Near{Colours: []likeness.Tone{{Color: colour.Hex("#2f4f6f"), Share: 1}}}},
		"look":     {Near: &Near{Look: &look}},
		"picture":  {Near: &Near{Look: &look, Sizes: true}},
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				x.answers.forget()
				x.find(q)
			}
		})
	}
	b.Run("histogram", func(b *testing.B) {
		for b.Loop() {
			x.answers.forget()
			x.spread(Density)
		}
	})
}

// What is known of words' letters rules out only words that are too far away.
func TestLettersRuleOutNothingThatFits(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 9))
	v := vocabulary{postings: postings{sets: map[string]*set{}}}
	var words []string
	for range 400 {
		w := make([]byte, 3+rng.IntN(10))
		for i := range w {
			w[i] = "abcdeinorstué7"[rng.IntN(13)]
		}
		words = append(words, strings.ToValidUTF8(string(w), "é"))
		v.get(words[len(words)-1]).append(1)
	}
	for range 300 {
		want := []byte(words[rng.IntN(len(words))])
		for range 1 + rng.IntN(2) {
			switch at := rng.IntN(len(want)); rng.IntN(3) {
			case 0:
				want[at] = 'x'
			case 1:
				want = slices.Delete(want, at, at+1)
			default:
				want = slices.Insert(want, at, 'q')
			}
		}
		w := strings.ToValidUTF8(string(want), "")
		if slips(w) == 0 {
			continue
		}
		found := map[string]bool{}
		v.fitting(w, true, func(word string, _ int, _ *set) { found[word] = true })
		for _, word := range v.sorted {
			if slip([]rune(w), []rune(word), slips(w)) <= slips(w) && len(word)-len(w) >= -slips(w)*4 && !found[word] {
				t.Fatalf("%q does not find %q", w, word)
			}
		}
	}
}
