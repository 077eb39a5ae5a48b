package channels

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/raster"
)

// This file reads names in the light of one another: of all ways to take each name apart, those
// are chosen that make sets in which every channel is there once.

// option is one way to read a picture's name.
type option struct {
	Name
	key     string
	channel material.Channel // "" of a packed map
	slot    string           // what tells maps of one channel apart: tier, tile, direction, format
	score   float64          // by name and pixels, without the other files
	texts   []string         // the words that say what the map is, each once
}

// mostAlike is how many pictures one set can have whose names differ by one word that nobody knows.
const mostAlike = 48

// takeApart finds the ways to read each picture's name.
func takeApart(pictures []entry, rules []Rule) {
	there := map[string]bool{}
	for _, e := range pictures {
		there[strings.ToLower(e.Path)] = true
	}
	fromZero := slices.ContainsFunc(pictures, func(e entry) bool {
		m := byUV.FindStringSubmatch(e.Path)
		return m != nil && (m[1] == "0" || m[2] == "0")
	})
	raster.Rows(len(pictures), func(from, to int) {
		for i := from; i < to; i++ {
			f := pictures[i].File
			of, copied := copyOf(f.Path, there)
			if copied {
				f.Path = of
			}
			f.Path, pictures[i].twice = withoutScale(numbered(f.Path, fromZero))
			pictures[i].name = parse(named(f), rules)
			if pictures[i].name.copied = copied; pictures[i].twice != "" {
				pictures[i].name.Tier = pictures[i].twice
			}
		}
	})
	tileFolders(pictures)
	markSizes(pictures)
	markPowers(pictures)
	markTiles(pictures)
	markTiers(pictures)
	markVariants(pictures)
	learn(pictures)
	raster.Rows(len(pictures), func(from, to int) {
		for i := from; i < to; i++ {
			pictures[i].readings = pictures[i].name.readings()
		}
	})
}

var (
	copyFront  = regexp.MustCompile(`(?i)^(?:copy of|kopie von|copie de|copia de|kopia av)[ _-]+`)
	copyBehind = regexp.MustCompile(`(?i)(?:[ _-]+(?:copy|kopie|copie|copia|kopia|backup|bak|duplicate)(?:[ _-]*\(?\d+\)?)?|[ _-]*\(\d+\))$`)
)

// copyOf is the path of the file that another is a copy of by its name ("wall - Copy.png", "wall (2).png"), if
// that is there.
func copyOf(file string, there map[string]bool) (of string, ok bool) {
	dir, base := path.Split(file)
	ext := path.Ext(base)
	stem := strings.TrimSuffix(base, ext)
	plain := copyBehind.ReplaceAllString(copyFront.ReplaceAllString(stem, ""), "")
	if plain == stem || plain == "" {
		return "", false
	}
	of = dir + plain + ext
	return of, there[strings.ToLower(of)]
}

var (
	byUV      = regexp.MustCompile(`(?i)[_. -]u(\d)_?v(\d)(?:[_. -]|$)`)
	scaleSign = regexp.MustCompile(`@([2-4]x)$`)
)

// numbered is a path whose tile is given by u and v ("hull_u1_v2"), with the tile's UDIM number at the name's end.
func numbered(file string, fromZero bool) string {
	ext := path.Ext(file)
	stem := strings.TrimSuffix(file, ext)
	m := byUV.FindStringSubmatchIndex(stem)
	if m == nil || strings.ContainsRune(stem[m[0]+1:], '/') {
		return file
	}
	u, v := int(stem[m[2]]-'0'), int(stem[m[4]]-'0')
	if !fromZero {
		u, v = u-1, v-1
	}
	return fmt.Sprintf("%s%s.%d%s", stem[:m[0]], stem[m[5]:], 1001+u+10*v, ext)
}

// withoutScale is a path without a sign that it is larger than the picture of its plain name ("wall@2x").
func withoutScale(file string) (plain, scale string) {
	ext := path.Ext(file)
	stem := strings.TrimSuffix(file, ext)
	if m := scaleSign.FindStringSubmatch(stem); m != nil {
		return strings.TrimSuffix(stem, m[0]) + ext, m[1]
	}
	return file, ""
}

// tileFolders takes folders that are named by UDIM numbers, two or more of them, for the tiles of what lies in them.
func tileFolders(pictures []entry) {
	seen := map[string]bool{}
	for _, e := range pictures {
		if tile := path.Base(e.name.Dir); udimWord.MatchString(tile) {
			seen[tile] = true
		}
	}
	if len(seen) < 2 {
		return
	}
	for i := range pictures {
		n := &pictures[i].name
		if tile := path.Base(n.Dir); seen[tile] {
			n.UDIM = tile
			if n.Dir = path.Dir(n.Dir); n.Dir == "." {
				n.Dir = ""
			}
		}
	}
}

// readNames chooses a reading for each picture.
func readNames(pictures []entry) {
	runs := runTogether(pictures)
	options := make([][]option, len(pictures))
	raster.Rows(len(pictures), func(from, to int) {
		for i := from; i < to; i++ {
			options[i] = pictures[i].options(runs)
		}
	})
	// First any reading of another file counts, then those that were chosen.
	picks := make([]int, len(pictures))
	all := newGroups()
	for i, list := range options {
		for k := range list {
			all.add(i, &list[k])
		}
	}
	raster.Rows(len(options), func(from, to int) {
		for i := from; i < to; i++ {
			picks[i] = all.best(i, options[i], options[i], false)
		}
	})
	chosen := newGroups()
	for i, list := range options {
		chosen.add(i, &list[picks[i]])
	}
	for range 3 {
		moved := false
		for i, list := range options {
			k := chosen.best(i, list, list[picks[i]:picks[i]+1], true)
			if k == picks[i] {
				continue
			}
			chosen.remove(i, &list[picks[i]])
			chosen.add(i, &list[k])
			picks[i], moved = k, true
		}
		if !moved {
			break
		}
	}
	for i := range pictures {
		pictures[i].name = options[i][picks[i]].Name
	}
	parted(pictures)
	nameless(pictures)
}

// nameless takes the one picture of a folder whose name says nothing ("q.png") for the base colour
// of files there that are named by their channels alone ("normal.png", "height.png"), if those lack one.
func nameless(pictures []entry) {
	type folder struct {
		bare  []int
		said  int
		based bool
	}
	at := map[string]*folder{}
	for i, e := range pictures {
		f := at[e.name.Dir]
		if f == nil {
			f = &folder{}
			at[e.name.Dir] = f
		}
		c, _, _ := e.name.claim()
		switch {
		case e.name.bare():
			f.bare = append(f.bare, i)
		case len(e.name.kept) == 0:
			f.said++
			f.based = f.based || c == material.BaseColor
		default:
			f.based = true // a set with a name of its own is there, too
		}
	}
	for _, f := range at {
		if len(f.bare) != 1 || f.said < 2 || f.based {
			continue
		}
		if e := &pictures[f.bare[0]]; e.Look.Info.Components >= 3 && !e.Look.normalLike() && !e.Look.Captioned {
			e.name.kept = nil
		}
	}
}

// member is a file in a group by one of its readings.
type member struct {
	file   int
	score  float64
	bare   bool
	weight float64 // of the name's claim
}

// group is what the readings with one key have in common, counted, so that looking at a name costs
// the same however many files are like it.
type group struct {
	readings int
	channels map[material.Channel]int
	words    map[string]int // readings whose words that say what the map is have this one
	rivals   map[rival][]member
}

// rival is what two files can't both be in one set.
type rival struct {
	channel material.Channel
	slot    string
}

// groups are readings by what they have in common.
type groups struct{ of map[string]*group }

func newGroups() groups { return groups{map[string]*group{}} }

func (g groups) count(o *option, by int) *group {
	k := g.of[o.key]
	if k == nil {
		k = &group{channels: map[material.Channel]int{}, words: map[string]int{}, rivals: map[rival][]member{}}
		g.of[o.key] = k
	}
	k.readings += by
	k.channels[o.channel] += by
	for _, w := range o.texts {
		k.words[w] += by
	}
	return k
}

func (g groups) add(file int, o *option) {
	k := g.count(o, 1)
	r := rival{o.channel, o.slot}
	k.rivals[r] = append(k.rivals[r], member{file, o.score, o.bare(), weightOf(o.Name)})
}

func (g groups) remove(file int, o *option) {
	k := g.count(o, -1)
	r := rival{o.channel, o.slot}
	k.rivals[r] = slices.DeleteFunc(k.rivals[r], func(m member) bool { return m.file == file })
}

// best is which reading of a file fits best with what the others may be, or with strict, are. Mine
// are the file's own readings among those counted.
func (g groups) best(file int, list, mine []option, strict bool) (best int) {
	top, found := 0.0, false
	for i := range list {
		o := &list[i]
		k := g.of[o.key]
		if k == nil {
			k = &group{}
		}
		if o.unknown != "" && k.readings > mostAlike {
			continue // many names that are alike are no set
		}
		own, with, ownChannel, ownBase := 0, map[string]int{}, map[material.Channel]int{}, 0
		for m := range mine {
			if mine[m].key != o.key {
				continue
			}
			own++
			ownChannel[mine[m].channel]++
			for _, w := range mine[m].texts {
				with[w]++
			}
		}
		ownBase = ownChannel[material.BaseColor]
		others := k.readings - own
		score, seen, named := o.score, 0, false
		for c, n := range k.channels {
			named = named || c != o.channel && c != material.BaseColor && n > ownChannel[c]
			if c != o.channel && n > ownChannel[c] && seen < 4 {
				seen++
				score += companion
			}
		}
		if o.channel == material.BaseColor && k.channels[material.BaseColor] == ownBase && seen > 0 {
			score += noBase
		}
		_, weight, _ := o.claim()
		switch {
		case o.within() && !named && weight > 0 && !(weight > wholeWord && o.beforeVariant()):
			score -= withinOwn // a word of the material's own
		case others > 0 || weight == 0:
		case weight < outright:
			score -= aloneLetter
		case loose(o.said()) > 1 && !o.packs && !o.alpha:
			score -= aloneTwo
		}
		for _, w := range o.said() { // what all say tells none apart: it is the material's
			if others > 0 && o.UDIM == "" && k.words[w.text]-with[w.text] == others {
				if score -= allSay; weight < wholeWord || o.within() {
					score -= allSayWeak
				}
			}
		}
		if strict && (o.bare() || weight < outright) && slices.ContainsFunc(k.rivals[rival{o.channel, o.slot}], func(m member) bool { return m.file != file && m.goesBefore(o, file) }) {
			score -= double
		}
		if !found || score > top+1e-9 {
			best, top, found = i, score, true
		}
	}
	return best
}

// goesBefore says whether a file is its channel rather than another one by a reading of it.
func (m member) goesBefore(o *option, file int) bool {
	return m.bare && !o.bare() || m.weight >= outright && m.score > o.score ||
		m.bare == o.bare() && (m.score > o.score || m.score == o.score && m.file < file)
}

// options are the ways to read a picture's name, by what the pixels leave of each.
func (e entry) options(runs map[string]int) (out []option) {
	var scores [16]float64
	pixels(*e.Look, func(_ string, c material.Channel, w float64, _ string, _ ...any) {
		scores[slices.Index(material.All(), c)] += w
	})
	add := func(n Name, off float64) {
		c, _, _ := n.claim()
		top := weightOf(n)
		if i := slices.Index(material.All(), c); i >= 0 {
			top += scores[i]
		}
		for _, o := range n.also() {
			if s := o.weight + scores[slices.Index(material.All(), o.channel)]; s > top {
				c, top = o.channel, s
			}
		}
		if colours, _, ok := n.withAlpha(); ok && e.hasAlpha() {
			c, _, _ = colours.claim()
		}
		if said := e.saidChannel(); said != material.None {
			c = said
		}
		o := option{Name: n, key: n.key(), channel: c, slot: n.Tier + "|" + n.UDIM + "|" + n.Side + "|" + e.ending, score: n.prior - off}
		switch {
		case n.packs && !e.Look.grey() && e.Look.Info.Components >= 3:
			o.channel = ""
		case n.bare() && (e.Look.rendered() || e.Look.Captioned):
			o.channel = "preview" // nobody's rival
		case n.bare():
			o.channel = material.BaseColor
			o.score += 0.15 + max(0, scores[0])
			if e.Look.Info.Components >= 3 && e.Look.UnitLength < 0.6 {
				o.score += max(0, 0.2-max(0, scores[0])) // three components are seldom data
			}
		default:
			if n.packs {
				o.score = n.prior - off - 1.05 + weightOf(n) - n.spare
			}
			if i := slices.Index(material.All(), c); i >= 0 {
				o.score += max(-0.6, min(0.35, scores[i]))
			}
			if e.ownWord(n, c) {
				o.score -= 2 * companion
			}
			if n.unknown != "" {
				o.channel = material.Channel("by " + n.unknown)
			}
			if e.Look.rendered() && weightOf(n) < outright && n.habit() == nil {
				o.score--
			}
		}
		out = append(out, o)
	}
	for _, n := range e.readings {
		add(n, 0)
	}
	for _, n := range e.name.cut(runs) {
		add(n, runIn)
	}
	if e.Look.Info.Layer == "" && !e.Look.rendered() {
		for _, n := range e.name.withoutWord() {
			add(n, noWord)
			o := &out[len(out)-1]
			switch o.score = -noWord; {
			case e.Look.normalLike():
				o.channel = material.Normal
			case e.Look.grey():
				o.channel = material.Channel("by " + n.unknown)
			}
		}
	}
	for k := range out {
		o := &out[k]
		for _, w := range o.said() {
			if !slices.Contains(o.texts, w.text) {
				o.texts = append(o.texts, w.text)
			}
		}
		if o.unknown != "" && !slices.Contains(o.texts, o.unknown) {
			o.texts = append(o.texts, o.unknown)
		}
	}
	return out
}

// ownWord says whether a word that names a grey channel is rather the material's, as materials are called so, too
// ("metal", "smooth"): the picture is in colour.
func (e entry) ownWord(n Name, c material.Channel) bool {
	h := n.habit()
	return c.Grey() && weightOf(n) < plainWord && e.Look.kind() == colours && (h == nil || h.known) && len(e.said) == 0
}

// plainWord is the weight from which a word is seldom anything but a channel's.
const plainWord = 0.8

func weightOf(n Name) float64 { _, w, _ := n.claim(); return w }

// runTogether counts the beginnings that names would have if a channel's word at their end
// were cut off ("brickwalldiffuse", "brickwallnormal").
func runTogether(pictures []entry) map[string]int {
	out := map[string]int{}
	for _, e := range pictures {
		for _, n := range e.name.cut(nil) {
			out[n.key()]++
		}
	}
	return out
}

// cut is a name whose last word of its own is cut in two where it ends with a channel's, for
// every beginning that others share. With nil for those, for every one.
func (n Name) cut(runs map[string]int) (out []Name) {
	at := len(n.all) - 1
	for at >= 0 && n.all[at].role != own {
		at--
	}
	if at < 0 || len(n.all[at].text) < 5 || n.all[at].text[0] <= '9' || at < len(n.all)-1 && n.all[at+1].says() {
		return nil
	}
	w := n.all[at]
	runes := []rune(w.text)
	for k := 2; k <= len(runes)-2; k++ {
		tail := string(runes[k:])
		c := claims[tail]
		if c.channel == material.None && byForeign[tail] != material.None && len(tail) > 3 {
			c.channel, c.weight = byForeign[tail], foreignWeight
		}
		if c.channel == material.None || len(tail) < 2 || len(tail) == 2 && c.weight < 0.7 {
			continue
		}
		m := n
		m.all = slices.Clone(n.all[:at])
		m.all = append(m.all, word{piece: piece{string(runes[:k]), w.from, w.from + k}},
			word{piece: piece{tail, w.from + k, w.to}, role: channel, claim: claim{c.channel, c.weight, true}})
		m.all = append(m.all, n.all[at+1:]...)
		m = m.take(at+1, at+2)
		if runs == nil || runs[m.key()] > 1 {
			out = append(out, m)
		}
	}
	return out
}

// parted takes back readings by a word that nobody knows where those alone do not make a set:
// the pictures are materials of their own.
func parted(pictures []entry) {
	groups := map[string][]int{}
	for i, e := range pictures {
		groups[e.name.key()] = append(groups[e.name.key()], i)
	}
	for _, list := range groups {
		known := slices.ContainsFunc(list, func(i int) bool { return pictures[i].name.unknown == "" })
		if known || oneSet(pictures, list) {
			continue
		}
		for _, i := range list {
			pictures[i].name = pictures[i].name.take(0, 0)
		}
	}
}

// oneSet says whether pictures can be one set by their pixels.
func oneSet(pictures []entry, list []int) bool {
	colours, greys, normals := 0, 0, 0
	var beside, n float64
	for _, i := range list {
		switch l := pictures[i].Look; {
		case l.normalLike():
			normals++
		case l.grey():
			greys++
		default:
			colours++
		}
		for _, k := range list {
			a, b := pictures[i].Look, pictures[k].Look
			r, ok := a.Beside(*b)
			if a.grey() && b.normalLike() {
				if s, follows := a.relief(*b); follows {
					r = max(r, s)
				}
			}
			if ok && k != i {
				beside, n = beside+r, n+1
			}
		}
	}
	if n > 0 && beside/n < apartFrom {
		return false // their detail lies in other places
	}
	return colours == 1 && normals <= 1 && normals+greys > 0 || colours == 0 && normals == 1 && greys > 1
}
