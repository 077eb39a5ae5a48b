package channels

import (
	"path"
	"slices"
	"strings"
	"unicode"

	"aldermoor/core/material"

	"golang.org/x/text/unicode/norm"
)

// Rule says that names ending in a word are a channel.
type Rule struct {
	Ending  string
	Channel material.Channel
	Station string // whose deliveries it is for, "" for all
	Seen    int    // in how many of the station's accepted materials the word meant that; 0 for a rule that somebody made
}

// Ending is the word by which a rule would know a file: the last of its name that
// is no tier, format, direction or tile. It is "" if that is the whole name.
func Ending(file string) string {
	layer := ""
	if at := strings.LastIndexByte(file, '#'); at > 0 {
		file, layer = file[:at], "_"+file[at+1:]
	}
	words := roles(split(norm.NFC.String(strings.TrimSuffix(path.Base(file), path.Ext(file))+layer)), nil)
	for i := len(words) - 1; i > 0; i-- {
		switch w := words[i]; {
		case w.role == tier, w.role == form, w.role == udim, w.role == filler, w.role == side, countWord.MatchString(w.text):
		default:
			return w.text
		}
	}
	return ""
}

// Says is the channel that a file's name gives by itself; None if it gives none.
func Says(file string) material.Channel {
	layer := ""
	if at := strings.LastIndexByte(file, '#'); at > 0 {
		file, layer = file[:at], "_"+file[at+1:]
	}
	ext := path.Ext(file)
	c, _, _ := ParseName(strings.TrimSuffix(file, ext) + layer + ext).claim()
	return c
}

// Name is one way to read a file's path: which of its words say what the map is, and which are
// the material's own.
type Name struct {
	Dir   string   // folder, without folders that only name a tier or a format
	Own   []string // the material's own words
	Roles []string // the words that say what the map is, as they stand
	Tier  string
	UDIM  string
	Side  string // y+ or y- as the name claims, or ""

	stem    []rune  // the file's name without its ending
	all     []word  // every word of it
	words   []word  // those of Roles
	kept    []word  // those of Own
	folder  []word  // of a folder that names a channel
	above   string  // Dir without that folder
	prior   float64 // how far this reading is to be believed by itself
	folded  bool    // its folder says what the map is
	copied  bool    // it says that the file is a copy of another one that is there
	unknown string  // a word of it that nobody knows says what it is
	packs   bool    // it names a packed map
	alpha   bool    // it names a channel for the alpha too
	spare   float64 // what its further channel words take off, if it is no packed map
}

// ParseName reads a file's path (with slashes) by itself, as far as that goes: what other files
// are called often says more.
func ParseName(file string, rules ...Rule) Name {
	n := parse(file, rules)
	best := n
	for i, o := range n.readings() {
		if i == 0 || o.prior > best.prior {
			best = o
		}
	}
	return best
}

// parse cuts a path into words, and reads none of them yet.
func parse(file string, rules []Rule) Name {
	dir, base := path.Split(file)
	n := Name{stem: []rune(norm.NFC.String(strings.TrimSuffix(base, path.Ext(base))))}
	n.all = roles(split(string(n.stem)), rules)
	markPacked(n.all, n.stem)
	for part := range strings.SplitSeq(strings.Trim(norm.NFC.String(dir), "/"), "/") {
		if part == "" {
			continue
		}
		words, plain := roles(split(part), nil), true
		for _, w := range words {
			plain = plain && w.role != own && w.role != channel && w.role != packed
			if w.role == tier && n.Tier == "" {
				n.Tier = w.text
			}
		}
		if plain {
			continue
		}
		if c, weight, _ := claimed(words); c != material.None && weight >= 0.5 && words[0].claim.plain && !slices.ContainsFunc(words, func(w word) bool { return w.role == own }) {
			n.folder, n.above = words, n.Dir
		} else {
			n.folder = nil
		}
		n.Dir = path.Join(n.Dir, part)
	}
	return n
}

// readings are the ways to read a name: with any stretch of its channel words, from either end
// of it, as what the map is; with none of them; and by its folder. The prior of each says how
// far it is to be believed without looking at other files.
func (n Name) readings() (out []Name) {
	for a := 0; a < len(n.all); a++ {
		if !n.all[a].says() {
			continue
		}
		b := a
		for b < len(n.all) && n.all[b].says() {
			b++
		}
		for k := a; k < b; k++ {
			out = append(out, n.take(k, b))
			if k > a {
				out = append(out, n.take(a, k))
			}
		}
		a = b
	}
	out = append(out, n.take(0, 0))
	if n.folder != nil {
		for _, o := range out {
			o.Dir, o.folded = n.above, true
			o.prior -= 0.05
			if len(o.words) == 0 || !said(o.words) {
				o.words = append(slices.Clone(n.folder), o.words...)
				_, weight, _ := claimed(n.folder)
				o.prior = weight - 0.1
				o.note()
			}
			out = append(out, o)
		}
	}
	return out
}

func (w word) says() bool { return w.role == channel || w.role == packed }

// said tells whether words name a channel or a packed map.
func said(words []word) bool { return slices.ContainsFunc(words, word.says) }

// take reads words i to j of a name as what the map is, with the tiers, formats and the like
// around them and at the end of the name; the rest is the material's own. No words at all
// leave every channel word to the material.
func (n Name) take(i, j int) Name {
	m := n
	m.words, m.kept = nil, nil
	aside := func(w word, behind bool) bool {
		return w.role == tier || w.role == form || w.role == side || w.role == udim || w.role == filler && behind
	}
	lead, tail, end := i, j, len(n.all)
	for lead > 0 && aside(n.all[lead-1], false) {
		lead--
	}
	for j > i && tail < len(n.all) && aside(n.all[tail], true) {
		tail++
	}
	for end > 1 && aside(n.all[end-1], false) {
		end--
	}
	if i == j {
		lead, tail = 0, 0
	}
	// One slice holds both: the words that say what the map is, and the material's own.
	split := make([]word, len(n.all))
	k, rest := 0, len(n.all)
	for at, w := range n.all {
		if at >= lead && at < tail || at >= end || w.sized || (at > 0 || len(n.all) > 1) && w.anywhere() {
			split[k] = w
			k++
		} else {
			rest--
			split[rest] = w
		}
	}
	slices.Reverse(split[rest:])
	m.words, m.kept = split[:k:k], split[k:]
	m.note()
	_, m.prior, _ = claimed(m.words)
	if h := m.habit(); h != nil && m.prior == 0 {
		m.unknown = h.word
	}
	if packing, _ := m.packing(); packing != nil {
		m.prior, m.packs = 1.05, true
	} else if m.mixed() {
		m.prior = 0.6
	}
	// Every further channel word that does not go with another is one that the name may have.
	_, _, m.alpha = m.withAlpha()
	if m.spare = 0.12 * float64(max(0, loose(n.all[i:j])-1)); !m.packs && !m.alpha {
		m.prior -= m.spare
	}
	switch {
	case i == j:
		m.prior = 0
	case i == 0 && !n.all[0].claim.plain && n.all[0].role == channel:
		m.prior -= 0.35 // an abbreviation: a name may be short
	case i == 0 && len(m.kept) > 0:
		m.prior -= 0.08
	case tail < len(n.all) && tail < end:
		m.prior -= 0.05
	}
	return m
}

// habit is the delivery's habit by which the name says what the map is, or nil.
func (n Name) habit() *habit {
	for i := len(n.words) - 1; i >= 0; i-- {
		if h := n.words[i].habit; h != nil {
			return h
		}
	}
	return nil
}

// loose counts words of which none makes a pair with the next.
func loose(words []word) (n int) {
	for i := range words {
		if i+1 == len(words) || pairs[[2]string{words[i].text, words[i+1].text}].channel == material.None {
			n++
		}
	}
	return n
}

// withoutWord reads a name's first or last own word as one that says what the map is, in a
// language that nobody knows, or as a number.
func (n Name) withoutWord() (out []Name) {
	bare := n.take(0, 0)
	kept := bare.kept
	with := func(words []word, word string) {
		m := bare
		m.kept, m.unknown = words, word
		out = append(out, m)
	}
	number := func(w word) bool { return strings.Trim(w.text, "0123456789") == "" }
	if len(kept) > 0 && !slices.ContainsFunc(kept, func(w word) bool { return !number(w) }) {
		with(nil, bare.exact())
	}
	if last := len(kept) - 1; last > 0 && !number(kept[last]) && !kept[last].variant() {
		with(kept[:last], kept[last].text)
	}
	return out
}

// said are the words of a name that say what the map is.
func (n Name) said() (out []word) {
	for _, w := range n.words {
		if w.says() {
			out = append(out, w)
		}
	}
	return out
}

// within says whether the words that say what the map is stand before some of the material's.
func (n Name) within() bool {
	i := slices.IndexFunc(n.words, word.says)
	return !n.folded && i >= 0 && len(n.kept) > 0 && n.words[i].from < n.kept[len(n.kept)-1].from
}

// beforeVariant says whether only words of variants stand behind the words that say what the map is.
func (n Name) beforeVariant() bool {
	i := slices.IndexFunc(n.words, word.says)
	for _, w := range n.kept {
		if i >= 0 && w.from > n.words[i].from && !likelyVariant(w.text) && !numeric(w.text) && !w.variant() {
			return false
		}
	}
	return i >= 0
}

// bare says whether a reading leaves every channel word to the material.
func (n Name) bare() bool { return !said(n.words) }

// key is what files of one set have in common: their folder and the material's own words.
func (n Name) key() string {
	if len(n.kept) == 0 {
		return n.Dir + "\x00" + strings.ToLower(path.Base(n.Dir))
	}
	return n.Dir + "\x00" + n.own()
}

// own are the material's own words.
func (n Name) own() string {
	size := 0
	for _, w := range n.kept {
		size += len(w.text) + 1
	}
	b := make([]byte, 0, size)
	for i, w := range n.kept {
		if i > 0 {
			b = append(b, '_')
		}
		b = append(b, w.text...)
	}
	return string(b)
}

// ruled is the rule that the name falls under, or nil.
func (n Name) ruled() *Rule {
	for i := len(n.words) - 1; i >= 0; i-- {
		if r := n.words[i].rule; r != nil {
			return r
		}
	}
	return nil
}

// Label is the material's own name as it was written, in lower case and with
// underscores: "Brick02-worn" is brick02_worn.
func (n Name) Label() string {
	var b strings.Builder
	for k, w := range n.kept {
		switch {
		case k == 0:
		case w.from > n.kept[k-1].to, unicode.IsLetter(n.stem[w.from]) && (unicode.IsLetter(n.stem[w.from-1]) || unicode.IsUpper(n.stem[w.from])):
			b.WriteByte('_')
		}
		for _, r := range n.stem[w.from:w.to] {
			b.WriteRune(unicode.ToLower(r))
		}
	}
	return b.String()
}

// exact is the material's own name as it is written.
func (n Name) exact() string {
	var b strings.Builder
	for _, w := range n.kept {
		b.WriteString(string(n.stem[w.from:w.to]))
	}
	return b.String()
}

// note fills in what the words say.
func (n *Name) note() {
	for _, w := range n.words {
		switch w.role {
		case tier:
			n.Tier = w.text
		case udim:
			n.UDIM = w.text
		case side:
			n.Side = sides[w.text]
		}
	}
}

// claim is the channel that the name gives, how far it is to be believed, and by which word.
func (n Name) claim() (material.Channel, float64, string) { return claimed(n.words) }

func claimed(words []word) (material.Channel, float64, string) {
	// A pair of words is surer than its parts; the last word counts.
	for i := len(words) - 2; i >= 0; i-- {
		if p, ok := pairs[[2]string{words[i].text, words[i+1].text}]; ok {
			return p.channel, p.weight, words[i].text + " " + words[i+1].text
		}
	}
	for i := len(words) - 1; i >= 0; i-- {
		if w := words[i]; w.role == channel && (w.rule != nil || w.claim.channel != material.None) {
			if w.rule != nil {
				return w.rule.Channel, 1, w.text
			}
			return w.claim.channel, w.claim.weight, w.text
		}
	}
	return material.None, 0, ""
}

// version is the version or the date that a name gives, or "".
func (n Name) version() string {
	for _, w := range n.all {
		if w.role == filler && (versionWord.MatchString(w.text) || dateWord.MatchString(w.text)) {
			return w.text
		}
	}
	return ""
}

// also is what else the letter may mean by which the name gives its channel.
func (n Name) also() []claim {
	_, _, text := n.claim()
	return letterAlso[text]
}
