package search

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"aldermoor/core/colour"
	"aldermoor/core/light"
	"aldermoor/core/likeness"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/core/shape"
	"aldermoor/core/station"
	"aldermoor/internal/library/releases"
)

// pictured is a picture of a surface, extent metres across, in linear light.
func pictured(s *shade.Surface, extent float64, px int, env string, channel bool) (rgb [3]raster.Plane) {
	v := shade.Swatch(extent, px)
	v.Light = light.Named(env)
	if channel {
		v.Channel = "base_color"
	}
	im := v.Picture(s)
	for c := range rgb {
		rgb[c] = im.Plane(c)
		for i, x := range rgb[c].Pix {
			rgb[c].Pix[i] = colour.Linear(x)
		}
	}
	return rgb
}

// A hundred and twenty queries of a Library of the stations' materials: words with slips, synonyms, tags, names of files,
// colours, and pictures of other specimens in other light. What is meant is among the first five.
func TestFoundAmongTheFirstFive(t *testing.T) {
	if testing.Short() {
		t.Skip("many scans")
	}
	x := new(index)
	looks := map[string]traitRow{}
	x.means = meaning(Synonyms{{"grate", "grating"}, {"footpath", "path"}, {"canvas", "sailcloth"}, {"seaweed", "kelp"}, {"whitewash", "limewash"}, {"plank", "board"}, {"cobble", "sett"}, {"rushes", "reed"}, {"dirt", "mud"}, {"patina", "verdigris"}}, Thesaurus{Off: true})
	all := station.Materials()
	b := builder{index: x}
	surfaces := make([]*shade.Surface, len(all))
	for i, m := range all {
		s := shade.NewSurface(station.Take(m, station.Options{Px: 256, Seed: 1}).Planes(), 256)
		surfaces[i] = s
		e := shape.NaturalSize(m.Size.W)
		tr := Traits{Look: likeness.LookOf(pictured(s, e, 344, "moor", false), e), Palette: likeness.PaletteOf(pictured(s, m.Size.W, 344, "moor", true))}
		tr.Roughness, tr.Metallic = s.Means()
		looks[m.Slug] = tr.row()
		b.add(releases.Card{MaterialID: int64(i + 1), ReleaseID: int64(i + 1), Number: 1, Name: m.Name, Slug: m.Slug, Set: m.Slug, Look: m.Slug, Size: m.Size, W: 256, H: 256, Tags: m.Tags, Categories: m.Categories, Contact: m.Contact, Released: time.Unix(int64(i), 0)})
	}
	for look, s := range looks {
		b.see(look, s)
	}
	b.finish()
	asked, right := 0, 0
	ask := func(what string, q Query, means func(releases.Card) bool) {
		asked++
		q.Per = 5
		f := x.find(q)
		for _, c := range f.Items {
			if means(c) {
				right++
				return
			}
		}
		var got []string
		for _, c := range f.Items {
			got = append(got, c.Name)
		}
		t.Logf("%s: %v", what, got)
	}
	named := func(part string) func(releases.Card) bool {
		return func(c releases.Card) bool { return strings.Contains(strings.ToLower(c.Name), strings.ToLower(part)) }
	}
	// One slip in five letters at most: swapped, missing, doubled or wrong letters; plurals, orders, beginnings, joined words.
	for part, texts := range map[string]string{
		"rubble": "lime washed rubble|rubbel|limewashed|rubbles wall|lime", "weatherboard": "wetherboard|tarred weather|weatherboards|tared weatherboard", "slates": "slaets|slate round|hung slat|round ends slates",
		"thatch": "reed|tatch|thatch reed|rushes", "oyster": "oysters|oyster shell|oyster footpath|shell path", "mudflat": "rippeld mud|mudflats|mud flat|dirt", "shingle": "shingel|bank shingle|shingles",
		"jetty": "jety planks|bleached planks|jetty|plank jetty", "copper": "coper|verdigris|patina|flashing cooper", "sluice": "sluise plate|riveted plate|sluice", "rope": "rop mat|tarred rope|mat rope", "sailcloth": "canvas|sailcloths|sail cloth",
		"quarry": "qaurry tile|quarry tiles|glazed tile", "terrazzo": "terazzo|harbour terrazzo|terrazo", "herringbone": "heringbone elm|herringbone", "hurdle": "willow hurdel|woven willow|hurdles", "limewash": "craked limewash|whitewash",
		"chainplate": "rusted chian|chainplates|chain plate", "hessian": "hesian sack|grain sack|hessian", "lead": "sheet lead|led rolls|lead", "encaustic": "encaustic tiles|painted encaustic|encaustik", "gravel": "pea gravle|gravels|pea",
		"chalk": "ramed chalk|chalk", "clinker": "clincker hull|hull planking|clinker", "grating": "grate|cast iron grating|gratings iron",
	} {
		for text := range strings.SplitSeq(texts, "|") {
			if want := named(part); anyNamed(all, part) {
				ask(fmt.Sprintf("%q for %s", text, part), Query{Text: text}, want)
			}
		}
	}
	for i, m := range all { // by what its files were called, in part
		if i%3 == 0 {
			word, _, _ := strings.Cut(m.Slug, "_")
			ask("file "+word, Query{Text: word}, func(c releases.Card) bool { return strings.HasPrefix(c.Slug, word) })
		}
	}
	for i, m := range all { // by its commonest colour, a little off
		if i%3 == 1 {
			p := likeness.PaletteOf(pictured(surfaces[i], m.Size.W, 200, "moor", true))
			tones := p[:min(2, len(p))]
			l, a, bb := colour.OKLab(tones[0].Color)
			tones[0].Color = colour.FromOKLab(l+0.01, a-0.004, bb+0.004)
			ask("colour of "+m.Name, Query{Near: &Near{Colours: tones}}, func(c releases.Card) bool { return c.Slug == m.Slug })
		}
	}
	for i := 0; asked < 120 && i < len(all); i++ { // by a picture of another specimen
		m := all[(i*5+2)%len(all)]
		env, turn := []string{"window", "water"}[i%2], []float64{math.Pi / 2, 0.5}[i%2]
		s := shade.NewSurface(station.Take(m, station.Options{Px: 256, Seed: uint32(40 + i), Turn: turn}).Planes(), 256)
		e := shape.NaturalSize(m.Size.W) * 0.8
		look := likeness.LookOf(pictured(s, e, 256, env, false), e)
		ask("picture of "+m.Name, Query{Near: &Near{Look: &look}}, func(c releases.Card) bool { return c.Slug == m.Slug })
	}
	t.Logf("%d of %d: %.1f %%", right, asked, 100*float64(right)/float64(asked))
	if asked < 115 || float64(right) < 0.95*float64(asked) {
		t.Errorf("%d of %d among the first five; 95 %% of 120 are wanted", right, asked)
	}
}

func anyNamed(all []station.Material, part string) bool {
	for _, m := range all {
		if strings.Contains(strings.ToLower(m.Name), part) {
			return true
		}
	}
	return false
}
