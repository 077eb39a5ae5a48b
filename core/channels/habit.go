package channels

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"aldermoor/core/material"
)

// This file learns the words by which one delivery tells its maps apart. Names that differ by one
// word alone are companions ("crane", "crane_gm"); a word that makes companions of many names says
// what the maps are, whether or not it stands in a dictionary. What it means is decided once, by the
// pixels of all files that carry it and by what the other words of the same names leave over.

// habit is what a word means throughout a delivery.
type habit struct {
	word    string           // the word, or several with spaces between
	prefix  bool             // it stands in front of the name, not behind
	channel material.Channel // None if nothing speaks for one more than for others
	weight  float64          // how far it is to be believed, 0..1
	files   int              // pictures that carry it
	open    bool             // somebody should say what it means: no dictionary has it and pixels alone do not tell
	known   bool             // a dictionary has it, and it means here what it says there
}

// place is where in a picture's name a word may say what the map is.
type place struct {
	picture  int
	from, to int    // words of its name
	stem     string // the folder and the rest of the name
	word     string
	prefix   bool
	scope    string // the part of the delivery in which a word has one meaning
}

// carriers are the pictures that carry one word, each at one place.
type carriers struct {
	habit
	places  []place
	company []place // of those, the places whose stems have another picture
	claim   claim   // by the dictionary
	score   []float64
	scope   string
	anchor  bool // it tells maps apart by itself
	top     int  // index of the best channel
	margin  float64
}

const (
	mostShown = 48   // carriers whose pixels are looked at
	apartFrom = 0.05 // agreement of detail below which two pictures show different things
	inPlace   = 0.45 // agreement of detail from which two pictures show the same layout
)

// learn finds the words that tell a delivery's maps apart, and notes in each name which of its words
// they are and what they mean.
func learn(pictures []entry) {
	scopes := scopesOf(pictures)
	stems := map[string][]place{}
	spots := make([][]place, len(pictures))
	for i := range pictures {
		spots[i] = pictures[i].name.places()
		for k := range spots[i] {
			spots[i][k].picture, spots[i][k].scope = i, scopes[i]
			stems[spots[i][k].stem] = append(stems[spots[i][k].stem], spots[i][k])
		}
	}
	for k, list := range stems {
		stems[k] = fewOfEach(list)
	}
	for i := range pictures {
		pictures[i].near = slices.ContainsFunc(spots[i], func(p place) bool { return nearby(pictures, stems[p.stem], p) })
	}
	words := map[string]*carriers{}
	var order []*carriers
	for i := range pictures {
		for _, p := range spots[i] {
			if p.word == "" {
				continue
			}
			c := words[p.key()]
			if c == nil {
				c = &carriers{habit: habit{word: p.word, prefix: p.prefix}, scope: p.scope, claim: spelled(pictures[i].name.all[p.from:p.to])}
				c.known = c.claim.weight >= wholeWord
				words[p.key()], order = c, append(order, c)
			}
			c.places = append(c.places, p)
			if accompanied(stems[p.stem], p) {
				c.company = append(c.company, p)
			}
		}
	}
	order = slices.DeleteFunc(order, func(c *carriers) bool {
		c.files = len(c.places)
		return len(c.company) == 0 || !c.known && (2*len(c.company) < len(c.places) || likelyVariant(c.word))
	})
	slices.SortStableFunc(order, func(a, b *carriers) int {
		return cmp.Or(cmp.Compare(len(b.company), len(a.company)), cmp.Compare(a.word, b.word))
	})
	// Known words are habits, and what they or bare names stand beside: round by round.
	h := habits{pictures: pictures, stems: stems, spots: spots, words: words, of: map[string]*carriers{}}
	h.stand(order)
	for range 3 {
		var some []*carriers
		for _, c := range order {
			if h.of[c.key()] == nil && h.anchors(c) && (c.known || h.means(c)) {
				some = append(some, c)
			}
		}
		if some == nil {
			break
		}
		for _, c := range some {
			h.of[c.key()] = c
		}
	}
	order = slices.DeleteFunc(order, func(c *carriers) bool { return h.of[c.key()] == nil })
	h.settle(order)
	for _, c := range order {
		habit := c.habit
		for _, p := range c.places {
			pictures[p.picture].name.adopt(p, &habit)
		}
	}
}

// habits are the words of a delivery that were found to tell its maps apart so far.
type habits struct {
	pictures []entry
	stems    map[string][]place // by the folder and the rest of the name
	spots    [][]place          // of each picture
	words    map[string]*carriers
	of       map[string]*carriers // those of words that tell maps apart
}

func (p place) key() string {
	if p.prefix {
		return p.scope + "/^" + p.word
	}
	return p.scope + "/" + p.word
}

func (c *carriers) key() string { return place{word: c.word, prefix: c.prefix, scope: c.scope}.key() }

// ownHabit is how many pictures a top folder needs for its words to mean what they mean there alone.
const ownHabit = 24

// scopesOf is for each picture the top folder in which words have a meaning of their own, "" for the delivery's:
// large folders side by side may come from different hands.
func scopesOf(pictures []entry) []string {
	count := map[string]int{}
	out := make([]string, len(pictures))
	for i, e := range pictures {
		out[i], _, _ = strings.Cut(strings.TrimPrefix(e.name.Dir, "/"), "/")
		count[out[i]]++
	}
	large := 0
	for _, n := range count {
		if n >= ownHabit {
			large++
		}
	}
	for i := range out {
		if large < 2 || count[out[i]] < ownHabit {
			out[i] = ""
		}
	}
	return out
}

// stand finds words that tell maps apart by themselves: those of normals, and two that stand on the same
// three stems or more, one in colour and one not.
func (h *habits) stand(order []*carriers) {
	for _, c := range order {
		kinds, n := h.kinds(c)
		switch {
		case c.known:
		case c.claim.channel == material.Normal && kinds[vectors] > 0:
			c.anchor = true
		case len(c.company) < 3:
		case kinds[vectors]*5 >= n*4:
			c.anchor = true
		case kinds[colours]*5 >= n*4:
			with := map[string]int{}
			for _, p := range c.company {
				for _, o := range h.stems[p.stem] {
					if o.picture != p.picture && o.word != "" && h.pictures[o.picture].Look.kind() != colours {
						with[o.key()]++
					}
				}
			}
			for _, k := range with {
				c.anchor = c.anchor || k >= 3 && 2*k >= len(c.places)
			}
		}
	}
}

// kinds counts what the pictures that carry a word can be.
func (h *habits) kinds(c *carriers) (kinds [5]int, n int) {
	for _, p := range c.company[:min(len(c.company), mostShown)] {
		kinds[h.pictures[p.picture].Look.kind()]++
		n++
	}
	return kinds, n
}

// bare counts the places of a word beside a picture of a bare name.
func (h *habits) bare(c *carriers) (n int) {
	for _, p := range c.company {
		if slices.ContainsFunc(h.stems[p.stem], func(o place) bool { return o.word == "" }) {
			n++
		}
	}
	return n
}

// lastWord is the last of several words at a place, and shorter the stem that it leaves.
func (h *habits) lastWord(p place) string { return p.word[strings.LastIndexByte(p.word, ' ')+1:] }

func (h *habits) shorter(p place) string {
	last := h.lastWord(p)
	for _, o := range h.spots[p.picture] {
		if o.word == last && o.to == p.to {
			return o.stem
		}
	}
	return ""
}

// stemsOf counts the stems of which a word makes companions.
func (h *habits) stemsOf(c *carriers) int {
	seen := map[string]bool{}
	for _, p := range c.company {
		seen[p.stem] = true
	}
	return len(seen)
}

// trusted says whether a dictionary has the word for one channel, and not only as a letter or as what a
// material may be called.
func (c *carriers) trusted() bool { return c.claim.weight >= trustedWord }

// several says whether it is several words.
func (c *carriers) several() bool { return strings.Contains(c.word, " ") }

// anchors says whether most pictures that carry a word stand beside one of a bare name, or beside one with
// a word that is known to tell maps apart. Of several words it must be a bare name.
func (h *habits) anchors(c *carriers) bool {
	if c.several() && !c.known {
		return 2*h.bare(c) >= len(c.places)
	}
	if first := strings.Fields(c.word); c.several() && (c.claim.channel == material.BaseColor || slices.ContainsFunc(first[:len(first)-1], func(w string) bool { return len(w) < 2 || numeric(w) || likelyVariant(w) })) {
		return false // a variant of the material
	}
	n := 0
	for _, p := range c.company {
		if c.several() && accompanied(h.stems[h.shorter(p)], place{picture: p.picture, word: h.lastWord(p)}) {
			continue // its last word alone makes companions
		}
		if slices.ContainsFunc(h.stems[p.stem], func(o place) bool {
			if o.picture == p.picture || o.word == p.word {
				return false
			}
			w := h.words[o.key()]
			return o.word == "" || h.of[o.key()] != nil || w.trusted() && !w.several() && w.claim.channel != c.claim.channel
		}) {
			n++
		}
	}
	return c.anchor || 2*n >= len(c.places)
}

// places are where words stand in a name that may say what the map is, the likeliest first: one to three
// words at its end, before a number or a letter at its end, or one at its start; and the whole name as
// the stem of others.
func (n *Name) places() (out []place) {
	var core []int
	for i, w := range n.all {
		if w.role == tier || w.role == form || w.role == udim || w.role == side || w.role == filler {
			continue
		}
		core = append(core, i)
	}
	if len(core) == 0 {
		return nil
	}
	text := func(some []int) string {
		var b strings.Builder
		for _, i := range some {
			b.WriteByte(0)
			b.WriteString(n.all[i].text)
		}
		return b.String()
	}
	out = append(out, place{stem: n.Dir + text(core)})
	add := func(a, b int, prefix bool) {
		rest := slices.Concat(core[:a], core[b:])
		word := strings.ReplaceAll(text(core[a:b])[1:], "\x00", " ")
		if !slices.ContainsFunc(rest, func(i int) bool { return !numeric(n.all[i].text) }) || numeric(word) || b-a == 1 && (n.all[core[a]].variant() || shows(word)) {
			return
		}
		from := core[a]
		for a > 0 && from > core[a-1]+1 && n.all[from-1].role == filler { // "pbr data" behind a name
			from--
		}
		out = append(out, place{from: from, to: core[b-1] + 1, stem: n.Dir + text(rest), word: word, prefix: prefix})
	}
	end := len(core)
	for l := 1; l <= 3 && l < end; l++ {
		add(end-l, end, false)
	}
	if end > 2 && (numeric(n.all[core[end-1]].text) || len(n.all[core[end-1]].text) == 1 && claims[n.all[core[end-2]].text].weight > wholeWord) {
		for l := 1; l <= 2 && l < end-1; l++ {
			add(end-1-l, end-1, false)
		}
	}
	if end > 1 {
		add(0, 1, true)
	}
	return out
}

func numeric(s string) bool { return strings.Trim(s, "0123456789 ") == "" }

// accompanied says whether a stem has another picture than the one at p, told from it by its word.
func accompanied(at []place, p place) bool {
	return slices.ContainsFunc(at, func(o place) bool { return o.picture != p.picture && o.word != p.word })
}

// fewOfEach is some places of each word that stands on one stem, as tiles have the same; nil where there are
// too many words for one set.
func fewOfEach(list []place) (out []place) {
	if len(list) <= mostAlike {
		return list
	}
	seen := map[string]int{}
	for _, p := range list {
		if seen[p.key()]++; seen[p.key()] <= 3 {
			out = append(out, p)
		}
	}
	if len(seen) > mostAlike {
		return nil
	}
	return out
}

// nearby says whether a picture may be another one's map by the place p of its name: a picture has the
// rest of the name alone, or one that differs in its last word has its detail in the same places.
func nearby(pictures []entry, at []place, p place) bool {
	if p.word == "" || p.prefix || len(p.word) < 2 || likelyVariant(p.word) {
		return false
	}
	return slices.ContainsFunc(at, func(o place) bool {
		if o.picture == p.picture || o.word == p.word || o.prefix || strings.HasPrefix(o.word, p.word+" ") {
			return false // itself, or a map of it
		}
		r, ok := pictures[p.picture].Look.Beside(*pictures[o.picture].Look)
		return o.word == "" || ok && r > inPlace
	})
}

// spelled is what a dictionary says of a word, or of the last of several.
func spelled(words []word) (c claim) {
	c.channel, c.weight, _ = claimed(words)
	return c
}

// kind is what a picture can be at first sight.
type kind int

const (
	colours  kind = iota
	greys         // without colour
	vectors       // normals
	glows         // lights in the dark
	mixtures      // components that have little in common
)

func (l *Look) kind() kind {
	switch {
	case l.normalLike() || l.middling() && l.Likeness < 0.35 && l.Spread > 0.15:
		return vectors
	case l.grey():
		return greys
	case l.Dark > 0.6:
		return glows
	case l.Likeness < 0.35 && l.Components() > 1 || l.emptied():
		return mixtures
	}
	return colours
}

// emptied says whether some of three components are empty and others are not: data, not a colour.
func (l *Look) emptied() bool {
	n, empty := min(3, len(l.Mean)), 0
	for c := range n {
		if l.empty(c) {
			empty++
		}
	}
	return n == 3 && empty > 0 && empty < 3 && l.Info.Components >= 3
}

// empty says whether a component is black throughout, but for what compression leaves.
func (l *Look) empty(c int) bool { return l.Max[c] < 0.02 || l.Mean[c] < 0.004 && l.StdDev[c] < 0.008 }

// sums is a mean in the making.
type sums struct{ sum, n float64 }

func (s *sums) add(v float64) { s.sum, s.n = s.sum+v, s.n+1 }
func (s sums) mean() float64  { return s.sum / max(s.n, 1) }

// showing is what the pictures that carry a word look like, and what their companions do.
type showing struct {
	kinds  [5]int
	major  kind // what most are
	looked int  // pictures
	own    int  // of those, how many have companions of their own
	based  int  // how many stand beside what may be a base colour
	rich   int  // how many stand beside two words or more that tell maps apart
	relief sums // how far greys are the height of normals beside them
	beside sums // agreement of their detail with that of colours beside them
	darker sums // than the colours beside them
	with   sums // agreement of their detail with the companion that agrees most
}

// look looks at the pictures that carry a word, and adds what their pixels say to its score.
func (h *habits) look(c *carriers) (v showing) {
	all := material.All()
	for _, p := range c.company[:min(len(c.company), mostShown)] {
		l := h.pictures[p.picture].Look
		v.looked++
		v.kinds[l.kind()]++
		pixels(*l, func(_ string, ch material.Channel, w float64, _ string, _ ...any) {
			c.score[slices.Index(all, ch)] += w
		})
		if whole := h.spots[p.picture][0]; accompanied(h.stems[whole.stem], whole) {
			v.own++
		}
		h.compare(c, p, &v)
	}
	for i := range c.score {
		c.score[i] /= float64(v.looked)
	}
	most := 0
	for k, n := range v.kinds {
		if n > most {
			v.major, most = kind(k), n
		}
	}
	return v
}

// compare looks at the companions of the picture at one place of a word.
func (h *habits) compare(c *carriers, p place, v *showing) {
	l := h.pictures[p.picture].Look
	based, of, nearest := false, 0, -1.0
	for _, o := range h.stems[p.stem] {
		if o.picture == p.picture || o.word == p.word {
			continue
		}
		w, m := h.words[o.key()], h.pictures[o.picture].Look
		if h.of[o.key()] != nil {
			of++
		}
		r, ok := l.Beside(*m)
		if ok && (o.word == "" || h.of[o.key()] != nil || w.trusted()) {
			nearest = max(nearest, r)
		}
		if m.kind() == vectors && l.grey() {
			if r, ok := l.relief(*m); ok {
				v.relief.add(r)
			}
		}
		if m.kind() == colours && (o.word == "" || w.claim.weight < outright || w.claim.channel == material.BaseColor) {
			based = true
			if ok {
				v.beside.add(r)
			}
			v.darker.add((m.brightness() - l.brightness()) / max(m.brightness(), 0.05))
		}
	}
	v.with.add(nearest)
	if based {
		v.based++
	}
	if of > 1 {
		v.rich++
	}
}

// tells says whether a word tells maps apart rather than materials.
func (h *habits) tells(c *carriers, v showing) bool {
	unsaid := c.claim.channel == material.None
	bare := 2*h.bare(c) >= len(c.company) // "crane_gm" beside "crane"
	if h.stemsOf(c) < 3 && !c.trusted() && v.major != vectors && !(len(c.word) == 2 && bare) {
		least := inPlace
		if len(c.word) <= 2 && !unsaid || v.rich > 0 {
			least = inPlace * 2 / 3
		}
		elsewhere := v.with.mean() < least && !(len(c.word) < 4 && v.rich == v.looked)
		if len(c.word) > 4 || !bare && 2*v.rich < v.looked || elsewhere {
			return false // a word of the material's own
		}
	}
	switch {
	case v.major == colours && unsaid && !c.anchor && (v.own*2 > v.looked || v.based*2 < v.looked):
		return false // names of materials
	case v.major == colours && unsaid && !c.anchor && 2*v.rich < v.looked && (len(c.company) < 3 || v.beside.mean() < inPlace || v.darker.mean() < 0.25):
		return false // more likely another material, or another colour of the same
	case v.major == greys && unsaid && v.based == 0 && v.own*2 > v.looked:
		return false
	}
	return true
}

// means says whether a word that is not known tells maps apart rather than materials, and weighs what
// it may mean.
func (h *habits) means(c *carriers) bool {
	all := material.All()
	c.score = make([]float64, len(all))
	v := h.look(c)
	if !h.tells(c, v) {
		return false
	}
	at := func(ch material.Channel) *float64 { return &c.score[slices.Index(all, ch)] }
	if c.claim.channel != material.None {
		*at(c.claim.channel) += c.claim.weight * stated
		for _, o := range letterAlso[c.word] {
			*at(o.channel) += o.weight
		}
	} else {
		for _, o := range initials(c.word) {
			*at(o.channel) += o.weight
		}
		if v.major == vectors {
			*at(material.Normal) += mostlyVectors
		}
	}
	switch {
	case v.major == glows:
		*at(material.Emissive) += mostlyGlows
	case v.major == colours && v.based*2 >= v.looked:
		*at(material.BaseColor) -= besideBase
		*at(material.Specular) += secondColour
		*at(material.Emissive) += secondGlow
	case v.based*2 >= v.looked:
		*at(material.BaseColor) -= greyBeside
	}
	if r := v.relief.mean(); v.relief.n > 0 {
		switch {
		case r > 0.6:
			*at(material.Height) += followsRelief + (r-0.6)/2
		case r < 0.25:
			*at(material.Height) -= followsRelief
		}
	}
	return true
}

// brightness is the mean of a picture's colour components.
func (l *Look) brightness() (v float64) {
	n := min(3, len(l.Mean))
	if l.Info.Components < 3 {
		n = min(1, n)
	}
	for _, m := range l.Mean[:n] {
		v += m / float64(n)
	}
	return v
}

// initials are the channels that a short word may stand for by its first letter, where what follows
// may stand for "map", "colour" or "texture" ("gm", "sc").
func initials(w string) (out []claim) {
	if len(w) == 0 || len(w) > 5 || strings.Contains(w, " ") {
		return nil
	}
	weight := firstLetter
	if len(w) > 2 {
		weight = firstLetter / 2
	}
	if c, ok := claims[w[:1]]; ok {
		out = append(out, claim{channel: c.channel, weight: weight})
	}
	for _, o := range slices.Concat(letterAlso[w[:1]], moreInitials[w[:1]]) {
		out = append(out, claim{channel: o.channel, weight: weight * 0.9})
	}
	if len(w) == 2 && !strings.Contains("mctx", w[1:]) { // "si", where the second is no "map", "colour" or "texture"
		for _, o := range initials(w[1:]) {
			out = append(out, claim{channel: o.channel, weight: 0.4 * o.weight})
		}
	}
	return out
}

// moreInitials are channels whose words begin with a letter, beside letterAlso.
var moreInitials = map[string][]claim{
	"g": {{channel: material.Emissive}}, "i": {{channel: material.Emissive}}, "l": {{channel: material.Emissive}}, "p": {{channel: material.Height}},
	"t": {{channel: material.Transmission}}, "c": {{channel: material.Mask}},
}

// settle gives each word its meaning, the clearest first: words that stand on the same stems mean
// different channels.
func (h *habits) settle(order []*carriers) {
	all := material.All()
	// With which other words a word shares stems, and on how many.
	beside := make([]map[*carriers]int, len(order))
	for k, c := range order {
		beside[k] = map[*carriers]int{}
		for _, p := range c.company[:min(len(c.company), mostShown)] {
			for _, o := range h.stems[p.stem] {
				if w := h.of[o.key()]; w != nil && w != c {
					beside[k][w]++
				}
			}
		}
	}
	var unsettled []int
	for k, c := range order {
		if c.known {
			c.channel, c.weight = c.claim.channel, c.claim.weight
			continue
		}
		unsettled = append(unsettled, k)
	}
	done := map[*carriers]bool{}
	for _, c := range order {
		done[c] = c.known
	}
	weigh := func(k int) {
		c := order[k]
		c.top, c.margin = -1, 0
		second := math.Inf(-1)
		for i := range all {
			s := c.score[i]
			for w, n := range beside[k] {
				if done[w] && w.channel == all[i] && 4*n >= min(len(c.company), mostShown) {
					s -= 0.6
				}
			}
			switch {
			case c.top < 0:
				c.top = i
				c.margin = s
			case s > c.margin:
				second, c.top, c.margin = c.margin, i, s
			default:
				second = max(second, s)
			}
		}
		if c.margin < nothing {
			c.channel = material.None
		} else {
			c.channel = all[c.top]
		}
		c.margin -= second
	}
	for _, k := range unsettled {
		weigh(k)
	}
	clear := func(k int) float64 { return order[k].margin * float64(order[k].files) }
	slices.SortStableFunc(unsettled, func(a, b int) int { return cmp.Compare(clear(b), clear(a)) })
	for _, k := range unsettled {
		weigh(k) // again, as others have their meaning now
		c := order[k]
		done[c] = true
		if c.trusted() && c.files < 3 {
			c.channel, c.margin = c.claim.channel, max(c.margin, c.claim.weight)
		}
		c.weight = min(max(0.3+c.margin, 0.3), 0.8)
		c.open = c.claim.channel == material.None && c.channel != material.Normal || c.channel == material.None || c.margin < 0.1
	}
}

// adopt notes that words of a name say what the map is, by a habit of the delivery.
func (n *Name) adopt(p place, h *habit) {
	for i := p.from; i < p.to; i++ {
		w := &n.all[i]
		if w.role == udim || w.rule != nil || w.habit != nil {
			return
		}
	}
	for i := p.from; i < p.to; i++ {
		w := &n.all[i]
		if w.role == tier || w.role == form || w.role == filler && h.known {
			continue
		}
		last := i == p.to-1
		if h.known && !last && w.role != own || h.known && last {
			continue
		}
		if w.role != packed {
			w.role = channel
		}
		w.habit = h
		switch {
		case h.known || !last:
			w.claim = claim{plain: true}
		default:
			w.claim = claim{h.channel, h.weight, true}
		}
	}
}

// shows says whether a word says that a picture shows a material.
func shows(w string) bool { return slices.Contains(previewWords, w) || slices.Contains(showWords, w) }

// likelyVariant says whether a word tells variants of one material apart: a colour, a state, a side.
func likelyVariant(w string) bool { return slices.Contains(variantWords, w) }

var variantWords = strings.Fields("red green blue yellow orange purple violet pink brown black white grey gray cyan magenta gold silver copper beige tan cream navy teal olive " +
	"dark light darker lighter bright pale deep big small large tiny long short tall wide narrow thin thick new old worn dirty clean rusty rusted mossy wet dry snow snowy broken cracked damaged destroyed " +
	"burnt burned painted raw front back top bottom side left right inner outer inside outside end middle center corner edge trim border plain one two three four five alt alternate other")
