package channels

import (
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"aldermoor/core/material"

	"golang.org/x/text/unicode/norm"
)

// piece is a word of a name, in lower case, and the runes that it was cut from.
type piece struct {
	text     string
	from, to int
}

// split cuts a name into lower-case words: at separators, where letters meet
// digits, and where case changes ("MudFlat_NRM2k" is mud, flat, nrm, 2k).
func split(name string) []piece {
	var out []piece
	var word []rune
	runes := []rune(name)
	flush := func(at int) {
		if len(word) > 0 {
			out = append(out, piece{strings.ToLower(string(word)), at - len(word), at})
			word = word[:0]
		}
	}
	for i, r := range runes {
		switch {
		case !unicode.IsLetter(r) && !unicode.IsDigit(r):
			flush(i)
			if sign := map[rune]string{'+': "+", '-': "-", '−': "-"}[r]; sign != "" && len(out) > 0 && out[len(out)-1].text == "y" && out[len(out)-1].to == i {
				out[len(out)-1] = piece{"y" + sign, i - 1, i + 1}
			}
			continue
		case len(word) > 0:
			prev := word[len(word)-1]
			switch {
			case unicode.IsDigit(r) && unicode.IsLetter(prev):
				// "2048x1024" and "v002" stay one word.
				if !beforeDigits.MatchString(string(word)) {
					flush(i)
				}
			case unicode.IsLetter(r) && unicode.IsDigit(prev):
				// "4k", "16bit" stay one word; "02Normal" does not.
				if !joinsDigits(runes[i:]) {
					flush(i)
				}
			case unicode.IsUpper(r) && unicode.IsLower(prev):
				flush(i)
			case unicode.IsUpper(r) && unicode.IsUpper(prev) && i+1 < len(runes) && unicode.IsLower(runes[i+1]):
				flush(i) // "AOMap" is ao, map
			}
		}
		word = append(word, r)
	}
	flush(len(runes))
	var cut []piece
	for _, p := range out {
		cut = append(cut, cutForeign(p)...)
	}
	return cut
}

var digitTail = regexp.MustCompile(`^(?i:k|bit|bits|b|px|x\d+|p)(?:[^\pL]|$|[A-Z])`)

var beforeDigits = regexp.MustCompile(`^(?:\d+[xX]|[vV])$`)

func joinsDigits(rest []rune) bool { return digitTail.MatchString(string(rest)) }

// role is what one word of a name says beside the material's own name.
type role int

const (
	own     role = iota // part of the material's name
	channel             // names a channel
	packed              // names a packed map by its letters
	side                // the normal's direction
	tier                // size in pixels
	form                // file format, bit depth, colour space
	udim
	filler // "map", "texture"
)

var (
	tierWord    = regexp.MustCompile(`^(?:\d{1,2}k|\d+px|(?:128|256|512|1024|2048|4096|8192|16384)|\d{3,5}x\d{3,5}|xs|xl|xxl|(?:low|mid|high|lo|hi)(?:res)?)$`)
	countWord   = regexp.MustCompile(`^\d{1,3}$`)
	versionWord = regexp.MustCompile(`^v\d+$`)
	udimWord    = regexp.MustCompile(`^1[0-9]\d\d$`)
	formWord    = regexp.MustCompile(`^(?:png|jpg|jpeg|tif|tiff|exr|tga|bmp|webp|(?:8|16|32)(?:bit|bits|b)|srgb|linear|lin|raw|srgbf|acescg|utility)$`)
	fillWord    = regexp.MustCompile(`^(?:map|maps|tex|texture|textures|txt|mat|material|final|export|bake|baked|pbr)$`)
	packWord    = regexp.MustCompile(`^(?:a?orm[dh]?|arm[dh]?|rma[odh]?|mra[odh]?|mro|rmo|omr|amr|ora|a?ord|ard|orh|arh|maos|mads|mohs|mas)$`)
)

// claims are the words that name channels, and how far each is to be believed
// on its own: whole words fully, abbreviations less, single letters little.
var claims = map[string]struct {
	channel material.Channel
	weight  float64
}{
	"basecolor": {material.BaseColor, 1}, "basecolour": {material.BaseColor, 1}, "albedo": {material.BaseColor, 1}, "diffuse": {material.BaseColor, 0.9}, "diff": {material.BaseColor, 0.85},
	"color": {material.BaseColor, 0.85}, "colour": {material.BaseColor, 0.85}, "col": {material.BaseColor, 0.8}, "alb": {material.BaseColor, 0.85}, "base": {material.BaseColor, 0.7}, "bc": {material.BaseColor, 0.7}, "dif": {material.BaseColor, 0.8}, "clr": {material.BaseColor, 0.7},
	"a": {material.BaseColor, 0.25}, "d": {material.BaseColor, 0.35}, "c": {material.BaseColor, 0.35}, "b": {material.BaseColor, 0.25},
	"roughness": {material.Roughness, 1}, "rough": {material.Roughness, 0.85}, "rgh": {material.Roughness, 0.85}, "rou": {material.Roughness, 0.7}, "rgn": {material.Roughness, 0.6}, "ro": {material.Roughness, 0.5}, "r": {material.Roughness, 0.35},
	"metallic": {material.Metallic, 1}, "metalness": {material.Metallic, 1}, "metal": {material.Metallic, 0.75}, "mtl": {material.Metallic, 0.6}, "met": {material.Metallic, 0.65}, "metallness": {material.Metallic, 0.9}, "m": {material.Metallic, 0.35}, "mt": {material.Metallic, 0.45},
	"normal": {material.Normal, 0.9}, "normals": {material.Normal, 0.95}, "nrm": {material.Normal, 0.95}, "norm": {material.Normal, 0.9}, "nor": {material.Normal, 0.85}, "nml": {material.Normal, 0.9}, "nm": {material.Normal, 0.7}, "n": {material.Normal, 0.4}, "normalmap": {material.Normal, 1},
	"height": {material.Height, 1}, "displacement": {material.Height, 1}, "disp": {material.Height, 0.95}, "displace": {material.Height, 0.95}, "bump": {material.Height, 0.85}, "depth": {material.Height, 0.75}, "hgt": {material.Height, 0.85}, "dsp": {material.Height, 0.8}, "h": {material.Height, 0.35}, "z": {material.Height, 0.3}, "heightmap": {material.Height, 1},
	"ao": {material.Occlusion, 0.95}, "occlusion": {material.Occlusion, 1}, "occ": {material.Occlusion, 0.9}, "ambientocclusion": {material.Occlusion, 1}, "ambient": {material.Occlusion, 0.6}, "cavity": {material.Mask, 0.8}, "curvature": {material.Mask, 0.85}, "curv": {material.Mask, 0.7}, "convexity": {material.Mask, 0.8},
	"opacity": {material.Opacity, 1}, "alpha": {material.Opacity, 0.9}, "transparency": {material.Opacity, 0.85}, "cutout": {material.Opacity, 0.9}, "opac": {material.Opacity, 0.9}, "op": {material.Opacity, 0.6}, "o": {material.Opacity, 0.25},
	"emissive": {material.Emissive, 1}, "emission": {material.Emissive, 1}, "emit": {material.Emissive, 0.85}, "emis": {material.Emissive, 0.85}, "glow": {material.Emissive, 0.7}, "illum": {material.Emissive, 0.7}, "e": {material.Emissive, 0.3},
	"specular": {material.Specular, 1}, "spec": {material.Specular, 0.9}, "refl": {material.Specular, 0.7}, "reflection": {material.Specular, 0.75}, "s": {material.Specular, 0.25},
	"glossiness": {material.Glossiness, 1}, "gloss": {material.Glossiness, 0.95}, "smoothness": {material.Glossiness, 0.95}, "smooth": {material.Glossiness, 0.7}, "gls": {material.Glossiness, 0.85}, "g": {material.Glossiness, 0.3},
	"transmission": {material.Transmission, 1}, "translucency": {material.Transmission, 0.85}, "transmissive": {material.Transmission, 0.9}, "thickness": {material.Transmission, 0.4},
	"sheen": {material.Sheen, 1}, "fuzz": {material.Sheen, 0.6}, "anisotropy": {material.Anisotropy, 1}, "aniso": {material.Anisotropy, 0.9},
	"coat": {material.Coat, 0.8}, "clearcoat": {material.Coat, 1}, "mask": {material.Mask, 0.8}, "id": {material.Mask, 0.5},
}

// pairs are names of two words.
var pairs = map[[2]string]struct {
	channel material.Channel
	weight  float64
}{
	{"base", "color"}: {material.BaseColor, 1}, {"base", "colour"}: {material.BaseColor, 1}, {"ambient", "occlusion"}: {material.Occlusion, 1},
	{"clear", "coat"}: {material.Coat, 1}, {"normal", "map"}: {material.Normal, 1}, {"height", "map"}: {material.Height, 1}, {"bump", "map"}: {material.Height, 0.9},
	{"material", "id"}: {material.Mask, 0.8},
}

// sides are the words for the direction of a normal map, after its name.
var sides = map[string]string{"gl": "y+", "ogl": "y+", "opengl": "y+", "dx": "y-", "directx": "y-", "y+": "y+", "y-": "y-", "yplus": "y+", "yminus": "y-", "yup": "y+", "ydown": "y-"}

// word is one word of a name with its role.
type word struct {
	piece
	role role
	rule *Rule // what a station's rule says of it
}

// Rule says that names ending in a word are a channel.
type Rule struct {
	Ending  string
	Channel material.Channel
	Station string // whose deliveries it is for, "" for all
}

// Ending is the word by which a rule would know a file: the last of its name that
// is no tier, format, direction or tile. It is "" if that is the whole name.
func Ending(file string) string {
	layer := ""
	if at := strings.LastIndexByte(file, '#'); at > 0 {
		file, layer = file[:at], "_"+file[at+1:]
	}
	stem := strings.TrimSuffix(path.Base(file), path.Ext(file)) + layer
	words := roles(split(stem), nil)
	for i := len(words) - 1; i > 0; i-- {
		switch w := words[i]; {
		case w.role == tier, w.role == form, w.role == udim, w.role == filler, w.role == side, countWord.MatchString(w.text):
		default:
			return w.text
		}
	}
	return ""
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

// namesChannel says whether word i of a name is a channel's. An abbreviation is one behind
// something else only: a name may be short.
func namesChannel(w string, i int) bool {
	c, _ := claimOf(w)
	return c != material.None && (i > 0 || claims[w].channel != material.None || byForeign[w] != material.None)
}

func roles(words []piece, rules []Rule) []word {
	out := make([]word, len(words))
	for i, p := range words {
		w, r := p.text, own
		switch {
		case tierWord.MatchString(w):
			r = tier
		case udimWord.MatchString(w) && i == len(words)-1 && i > 0:
			r = udim
		case formWord.MatchString(w):
			r = form
		case fillWord.MatchString(w), versionWord.MatchString(w) && i > 0:
			r = filler
		case packWord.MatchString(w):
			r = packed
		case sides[w] != "":
			r = side
		case namesChannel(w, i):
			r = channel
		}
		out[i] = word{p, r, nil}
		for k := range rules {
			if rules[k].Ending == w && i > 0 && out[i].rule == nil {
				out[i].role, out[i].rule = channel, &rules[k]
			}
		}
	}
	return out
}

// Name is what a file's path says.
type Name struct {
	Dir   string   // folder, without folders that only name a tier, a format or a channel
	Own   []string // the material's own words
	Roles []string // the words that say what the map is, as they stand
	Tier  string
	UDIM  string
	Side  string // y+ or y- as the name claims, or ""
	stem  []rune // the file's name without its ending
	words []word // the run of role words
	kept  []word // the words of Own
	front bool   // the run stands before the name, not behind
	all   []word // every word of the file's name

	folder  []word // of a folder that names a channel
	stemDir string // the folder above the file's
	settled bool   // read for good
}

// ParseName reads a file's path (with slashes).
func ParseName(file string, rules ...Rule) Name {
	dir, base := path.Split(file)
	stem := norm.NFC.String(strings.TrimSuffix(base, path.Ext(base)))
	words := roles(split(stem), rules)
	markPacked(words, []rune(stem))
	n := Name{stem: []rune(stem), all: words}
	// A number behind the channel tells sets apart: "plank_nrm_01".
	var count []word
	if k := len(words) - 1; k > 0 && words[k].role == own && countWord.MatchString(words[k].text) && words[k-1].role != own && says(words[:k]) {
		count, words = words[k:], words[:k]
	}
	// The run of role words at the end; if there is none, the one at the start.
	i := len(words)
	for i > 0 && words[i-1].role != own {
		i--
	}
	for i < len(words) && words[i].role == filler && says(words[i:]) {
		i++ // "rope mat normal": what stands before the channel is the name's
	}
	n.words = words[i:]
	rest := words[:i]
	if !says(n.words) && len(rest) > 0 {
		j := 0
		for j < len(rest) && rest[j].role != own {
			j++
		}
		if says(rest[:j]) && j < len(rest) {
			n.words, n.front = append(append([]word{}, rest[:j]...), n.words...), true
			rest = rest[j:]
		}
	}
	n.own(rest)
	n.own(count)
	n.stemDir = path.Dir(strings.TrimSuffix(dir, "/"))
	for part := range strings.SplitSeq(strings.Trim(dir, "/"), "/") {
		if part == "" {
			continue
		}
		ws, onlyRoles := roles(split(part), nil), true
		for _, w := range ws {
			onlyRoles = onlyRoles && w.role != own
			if w.role == tier && n.Tier == "" {
				n.Tier = w.text
			}
		}
		if c, w, _ := claim(ws); onlyRoles && c != material.None && w >= 0.5 {
			n.folder = ws
			if !says(n.words) {
				n.words = append(slices.Clone(ws), n.words...) // "planks/normal/planks.png"
			}
		}
		if !onlyRoles || (len(ws) == 1 && ws[0].role == channel && weightOf(ws[0].text) < 0.5) {
			n.Dir = path.Join(n.Dir, part)
		}
	}
	n.note()
	return n
}

// markPacked finds letters of a packed map that are in no list: three or four channels, each
// once, written in capitals in a name that is not ("wall_RHAO").
func markPacked(words []word, stem []rune) {
	capitals := strings.ToUpper(string(stem)) == string(stem)
	for i := range words {
		w := &words[i]
		if i == 0 || w.role != own || capitals || strings.ToUpper(w.text) != string(stem[w.from:w.to]) {
			continue
		}
		seen := map[material.Channel]bool{}
		text := strings.Replace(w.text, "ao", "o", 1)
		for k := range len(text) {
			c := letters[text[k]]
			if c == material.None || seen[c] {
				seen = nil
				break
			}
			seen[c] = true
		}
		if len(seen) >= 3 && len(seen) <= 4 && !(seen[material.Roughness] && seen[material.Glossiness]) {
			w.role = packed
		}
	}
}

// own adds words to the material's own name.
func (n *Name) own(words []word) {
	n.kept = append(slices.Clone(n.kept), words...)
	// In the order of the name, whichever end they were taken from.
	slices.SortStableFunc(n.kept, func(a, b word) int { return a.from - b.from })
	n.Own = n.Own[:0:0]
	for _, w := range n.kept {
		n.Own = append(n.Own, w.text)
	}
}

// Label is the material's own name as it was written, in lower case and with
// underscores: "Brick02-worn" is brick02_worn.
func (n Name) Label() string {
	if len(n.kept) == 0 {
		return ""
	}
	var b strings.Builder
	if last := len(n.kept) - 1; last > 0 && n.kept[last].from > n.kept[last-1].to+1 { // the run stands between
		m := n
		m.kept = n.kept[:last]
		return m.Label() + "_" + n.kept[last].text
	}
	text := string(n.stem[n.kept[0].from:n.kept[len(n.kept)-1].to])
	gap := false
	for i, r := range []rune(text) {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) {
			gap = true
			continue
		}
		if gap || i > 0 && n.startsWord(n.kept[0].from+i) {
			b.WriteByte('_')
		}
		gap = false
		b.WriteRune(unicode.ToLower(r))
	}
	return b.String()
}

// startsWord says whether the case of letters begins a new word at rune i.
func (n Name) startsWord(i int) bool {
	for _, w := range n.kept {
		if w.from == i {
			return unicode.IsLetter(n.stem[i]) && (unicode.IsLetter(n.stem[i-1]) || unicode.IsUpper(n.stem[i]))
		}
	}
	return false
}

// note fills in what the run of role words says.
func (n *Name) note() {
	n.Roles = nil
	for _, w := range n.words {
		n.Roles = append(n.Roles, w.text)
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

// says tells whether a run names a channel or a packed map.
func says(run []word) bool {
	for _, w := range run {
		if w.role == channel || w.role == packed {
			return true
		}
	}
	return false
}

// lead is the first channel word of the run, and whether another follows.
func (n Name) lead() (text string, more bool) {
	for _, w := range n.words {
		if w.role == channel || w.role == packed {
			if text != "" {
				return text, true
			}
			text = w.text
		}
	}
	return text, false
}

// giveBack moves the run's first channel word, and what stands before it, to the
// material's own name.
func (n *Name) giveBack() {
	if n.front {
		return
	}
	for i, w := range n.words {
		n.own(n.words[i : i+1])
		if w.role == channel || w.role == packed {
			n.words = n.words[i+1:]
			break
		}
	}
	n.note()
}

// asFront is the name read with its run of role words at the start, if it can be.
func (n Name) asFront() (Name, bool) {
	j := 0
	for j < len(n.all) && n.all[j].role != own {
		j++
	}
	// The shortest run that says something leaves the most to the material.
	for k := 1; k <= j; k++ {
		if says(n.all[:k]) {
			j = k
			break
		}
	}
	if !says(n.all[:j]) || j == len(n.all) {
		return n, false
	}
	m := Name{Dir: n.Dir, Tier: n.Tier, stem: n.stem, all: n.all, folder: n.folder, stemDir: n.stemDir, words: n.all[:j], front: true}
	rest := n.all[j:]
	for len(rest) > 1 && (rest[len(rest)-1].role == tier || rest[len(rest)-1].role == form || rest[len(rest)-1].role == udim) {
		m.words, rest = append(slices.Clone(m.words), rest[len(rest)-1]), rest[:len(rest)-1]
	}
	m.own(rest)
	m.note()
	return m, true
}

// asBare is the name read as the material's alone, save for tiers and formats.
func (n Name) asBare() Name {
	m := Name{Dir: n.Dir, Tier: n.Tier, stem: n.stem, all: n.all, folder: n.folder, stemDir: n.stemDir}
	for _, w := range n.all {
		switch w.role {
		case tier, form, udim:
			m.words = append(m.words, w)
		default:
			m.own([]word{w})
		}
	}
	m.note()
	return m
}

// claim is the channel that the name gives, and how far it is to be believed.
func (n Name) claim() (material.Channel, float64, string) { return claim(n.words) }

func claim(words []word) (material.Channel, float64, string) {
	// A pair of words is surer than its parts; the last word counts.
	for i := len(words) - 2; i >= 0; i-- {
		if p, ok := pairs[[2]string{words[i].text, words[i+1].text}]; ok {
			return p.channel, p.weight, words[i].text + " " + words[i+1].text
		}
	}
	for i := len(words) - 1; i >= 0; i-- {
		if w := words[i]; w.role == channel {
			if w.rule != nil {
				return w.rule.Channel, 1, w.text
			}
			c, weight := claimOf(w.text)
			return c, weight, w.text
		}
	}
	return material.None, 0, ""
}

// withAlpha reads a name of two channels, "albedo_opacity": what its colours hold,
// and the word for what its alpha holds.
func (n Name) withAlpha() (colours Name, alpha string, ok bool) {
	first := material.None
	for i, w := range n.words {
		c, weight := claimOf(w.text)
		switch {
		case w.role != channel || weight < 0.5:
		case first == material.None:
			first = c
		case c != first && c.Grey():
			m := n
			m.words = n.words[:i]
			return m, w.text, true
		}
	}
	return n, "", false
}

func weightOf(w string) float64 { _, weight := claimOf(w); return weight }

// letters of packed maps.
var letters = map[byte]material.Channel{'o': material.Occlusion, 'a': material.Occlusion, 'r': material.Roughness, 'm': material.Metallic, 'd': material.Height, 'h': material.Height, 's': material.Glossiness, 'g': material.Glossiness}

// packing is the channels of a packed map's components by its name, or nil: by
// letters ("orm"), or by as many words as it has components ("occlusion roughness
// metallic"). Two words are roughness in green and metallic in blue, as glTF has
// them, or what stands in the colours and in the alpha.
func (n Name) packing() ([]material.Channel, string) {
	var said []material.Channel
	var texts []string
	for i := 0; i < len(n.words); i++ {
		w := n.words[i]
		c, _ := claimOf(w.text)
		if i+1 < len(n.words) && pairs[[2]string{w.text, n.words[i+1].text}].channel != material.None {
			c = pairs[[2]string{w.text, n.words[i+1].text}].channel
			i++
		}
		if w.role == channel && c != material.None && !slices.Contains(said, c) {
			said, texts = append(said, c), append(texts, w.text)
		}
	}
	grey := len(said) > 1
	for _, c := range said {
		grey = grey && c.Grey()
	}
	switch text := strings.Join(texts, " "); {
	case grey && len(said) >= 3:
		return said[:min(len(said), 4)], text
	case grey && slices.Contains(said, material.Roughness) && slices.Contains(said, material.Metallic):
		return []material.Channel{material.None, material.Roughness, material.Metallic}, text
	}
	for _, w := range n.words {
		if w.role != packed {
			continue
		}
		text := strings.Replace(w.text, "ao", "o", 1)
		var out []material.Channel
		for i := range len(text) {
			out = append(out, letters[text[i]])
		}
		return out, w.text
	}
	return nil, ""
}
