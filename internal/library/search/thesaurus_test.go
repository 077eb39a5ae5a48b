package search

import (
	"slices"
	"strings"
	"testing"

	"aldermoor/internal/library/releases"
)

// tradeNames are a Library's names.
var tradeNames = []string{
	"Herringbone elm", "Jetty planks, bleached", "Oak panelling", "Pine floorboards", "Larch decking", "Birch plywood", "Teak hull", "Weatherboard, tarred", "Driftwood log", "Ash bench top",
	"Granite setts", "Limestone ashlar", "Hung slates, round ends", "Flint rubble", "Marble slab", "Pea gravel", "Chalk, rammed", "Sandstone flags", "Millstone, dressed", "Basalt cobbles",
	"Brick, engineering", "Pantile roof", "Quarry tile, glazed", "Encaustic tile", "Mosaic floor", "Terracotta pot",
	"Cast iron grating", "Copper flashing, verdigris", "Steel plate, riveted", "Brass bearing", "Lead sheet with rolls", "Rusted chainplate", "Zinc gutter", "Aluminium tread",
	"Sailcloth", "Hessian sack", "Wool felt", "Linen curtain", "Coir matting", "Tarred rope mat", "Net over cork floats", "Suede chair", "Velvet seat",
	"Mudflat, rippled", "Beach sand", "Peat bank", "Turf", "Snow crust", "Forest moss",
	"Cracked limewash", "Plaster, scraped", "Concrete quay", "Asphalt lane", "Terrazzo, harbour office", "Stained glass quarries", "Vinyl sheet", "Rubber buffer", "Enamel sign, white",
	"Kelp, wet", "Reed thatch", "Willow hurdle", "Oyster-shell path", "Barnacled pile", "Ivy on a wall", "Straw bale", "Damp cellar wall", "Polished counter",
}

// A broader word of the trade finds the narrower ones, and another word of the same meaning; not the other way round, not
// a neighbour, and no word by a slip that is a word of its own: 120 pairs.
func TestWordsOfTheTrade(t *testing.T) {
	x := trade(t, Thesaurus{})
	finds := map[string]string{ // the beginnings of names, all of which are found
		"wood":    "Herringbone elm|Jetty planks|Oak panelling|Pine floorboards|Larch decking|Birch plywood|Teak hull|Weatherboard|Driftwood|Ash bench",
		"timber":  "Herringbone elm|Jetty planks|Oak panelling|Larch decking|Driftwood",
		"wooden":  "Oak panelling|Birch plywood",
		"woods":   "Oak panelling|Teak hull",
		"stone":   "Granite setts|Limestone ashlar|Hung slates|Flint rubble|Marble slab|Pea gravel|Chalk, rammed|Sandstone flags|Millstone|Basalt cobbles",
		"rock":    "Granite setts|Marble slab",
		"metal":   "Cast iron|Copper flashing|Steel plate|Brass bearing|Lead sheet|Rusted chainplate|Zinc gutter|Aluminium tread",
		"fabric":  "Sailcloth|Hessian sack|Wool felt|Linen curtain|Velvet seat|Coir matting",
		"textile": "Wool felt|Linen curtain",
		"canvas":  "Sailcloth", "burlap": "Hessian sack", "sidewalk": "", "aluminum": "Aluminium tread", "shingle": "Pea gravel", "pebbles": "Pea gravel",
		"cobblestones": "Granite setts|Basalt cobbles", "leather": "Suede chair", "hide": "Suede chair", "ceramic": "Quarry tile|Encaustic tile|Mosaic floor|Terracotta pot|Pantile roof",
		"floor": "Pine floorboards|Quarry tile|Terrazzo|Larch decking|Coir matting", "roof": "Hung slates|Reed thatch|Pantile roof|Copper flashing", "wall": "Flint rubble|Brick, engineering|Oak panelling|Plaster, scraped|Ivy on a wall",
		"ground": "Mudflat|Beach sand|Peat bank|Turf|Snow crust|Pea gravel|Oyster-shell path", "soil": "Mudflat|Peat bank", "seaweed": "Kelp, wet", "whitewash": "Cracked limewash", "render": "Plaster, scraped|Cracked limewash",
		"tarmac": "Asphalt lane", "rusty": "Rusted chainplate", "patina": "Copper flashing", "glossy": "Polished counter|Quarry tile", "wet": "Kelp, wet|Damp cellar", "damp": "Damp cellar|Kelp, wet",
		"plastic": "Vinyl sheet", "grate": "Cast iron", "plants": "Forest moss|Ivy on a wall|Kelp, wet|Straw bale", "shells": "Oyster-shell|Barnacled", "board": "Jetty planks|Pine floorboards", "paint": "Enamel sign", "lawn": "Turf", "wicker": "Willow hurdle", "masonry": "Brick, engineering|Flint rubble|Limestone ashlar",
	}
	never := map[string]string{ // no name that begins so is found
		"oak": "Herringbone elm|Pine|Larch|Ash", "elm": "Oak|Teak", "slate": "Granite|Marble", "granite": "Limestone|Flint", "copper": "Brass|Zinc|Cast iron", "sailcloth": "Hessian|Wool", "suede": "Velvet|Wool",
		"leather": "Weatherboard|Polished", "hay": "Ash|Chalk", "tin": "Teak|Linen|Pine", "sand": "Hand|Snow", "lead": "Straw", "moss": "Mosaic|Ivy", "felt": "Teak", "reed": "Tarred|Steel", "brick": "Birch|Flint",
		"silk": "Steel|Suede", "wool": "Birch|Oak", "pine": "Vinyl|Snow", "ivy": "Pine", "tile": "Marble|Teak", "mud": "Moss", "rope": "Reed", "glass": "Brass|Turf|Polished", "gold": "Oak", "peat": "Pea gravel|Plaster", "net": "Linen|Cast",
	}
	pairs, wrong := 0, 0
	check := func(list map[string]string, want bool) {
		for text, names := range list {
			got := x.find(Query{Text: text, Per: 100})
			for name := range strings.SplitSeq(names, "|") {
				if name == "" {
					continue
				}
				pairs++
				there := slices.ContainsFunc(got.Items, func(c releases.Card) bool { return strings.HasPrefix(c.Name, name) })
				if there != want {
					wrong++
					t.Errorf("%q finds %q: %v", text, name, there)
				}
			}
		}
	}
	check(finds, true)
	check(never, false)
	if pairs < 120 {
		t.Errorf("%d pairs", pairs)
	}
	t.Logf("%d of %d pairs wrong", wrong, pairs)
	// What is written so still comes first.
	if first := x.find(Query{Text: "slate", Per: 1}).Items; len(first) != 1 || !strings.HasPrefix(first[0].Name, "Hung slates") {
		t.Errorf("slate finds %v first", first)
	}
	// A slip of the hand is forgiven where the word is none of the trade.
	if f := x.find(Query{Text: "herringbnoe", Per: 1}); f.Total != 1 {
		t.Errorf("a slip finds %d", f.Total)
	}
	// Switched off, words are words.
	if f := trade(t, Thesaurus{Off: true}).find(Query{Text: "timber", Per: 1}); f.Total != 0 {
		t.Errorf("without it timber finds %d", f.Total)
	}
	// The studio's own list takes the place of ours.
	own := trade(t, Thesaurus{Text: "boat > teak, larch"})
	if f := own.find(Query{Text: "boats", Per: 9}); f.Total != 2 {
		t.Errorf("by the studio's list boats finds %d", f.Total)
	}
}

// Where nothing is found, texts that find something are offered.
func TestNearestWords(t *testing.T) {
	x := trade(t, Thesaurus{})
	for text, want := range map[string]string{"terazo": "terrazzo", "granitt wall": "wall", "walnut": "hardwood", "ebony panelling": "panelling"} {
		f := x.find(Query{Text: text, Per: 5})
		if f.Total == 0 && !slices.Contains(f.Near, want) {
			t.Errorf("%q finds nothing, and offers %v without %q", text, f.Near, want)
		}
	}
	if f := x.find(Query{Text: "zzzzzz", Per: 5}); f.Total != 0 || len(f.Near) != 0 {
		t.Errorf("nonsense offers %v", f.Near)
	}
	if f := x.find(Query{Text: "oak", Per: 5}); len(f.Near) != 0 {
		t.Errorf("what is found offers %v", f.Near)
	}
}

// The text that is shipped is one, and a line that is none is named.
func TestReadingTheThesaurus(t *testing.T) {
	var m meanings
	if err := m.add(shipped); err != nil {
		t.Fatal(err)
	}
	if n := len(m.known); n < 300 {
		t.Errorf("%d words", n)
	}
	for _, bad := range []string{"wood", "wood >", "> oak", "wood, timber > oak", "a, b\nstone > granite\n, "} {
		if err := new(meanings).add(bad); err == nil && strings.TrimSpace(bad) != "" && !strings.Contains(bad, "granite") {
			t.Errorf("%q is taken", bad)
		}
	}
	if err := new(meanings).add("a, b\n\nwood"); err == nil || !strings.Contains(err.Error(), "Line 3") {
		t.Errorf("%v", err)
	}
	// Circles end.
	var c meanings
	if err := c.add("a > b\nb > c\nc > a"); err != nil || len(c.of("a")) != 2 {
		t.Errorf("%v %v", err, c.of("a"))
	}
}

func trade(t *testing.T, of Thesaurus) *index {
	t.Helper()
	x := new(index)
	x.means = meaning(nil, of)
	b := builder{index: x}
	for i, name := range tradeNames {
		b.add(releases.Card{MaterialID: int64(i + 1), ReleaseID: int64(i + 1), Number: 1, Name: name, Slug: strings.ToLower(strings.ReplaceAll(name, " ", "-"))})
	}
	b.finish()
	return x
}
