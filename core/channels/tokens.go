package channels

import (
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode"
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
	return out
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
	tierWord    = regexp.MustCompile(`^(?:(?:1|2|4|8|16)k|\d+px|(?:256|512|1024|2048|4096|8192)|\d{3,5}x\d{3,5})$`)
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
	channel Channel
	weight  float64
}{
	"basecolor": {BaseColor, 1}, "basecolour": {BaseColor, 1}, "albedo": {BaseColor, 1}, "diffuse": {BaseColor, 0.9}, "diff": {BaseColor, 0.85},
	"color": {BaseColor, 0.85}, "colour": {BaseColor, 0.85}, "col": {BaseColor, 0.8}, "alb": {BaseColor, 0.85}, "base": {BaseColor, 0.7}, "bc": {BaseColor, 0.7}, "dif": {BaseColor, 0.8}, "clr": {BaseColor, 0.7},
	"a": {BaseColor, 0.25}, "d": {BaseColor, 0.35}, "c": {BaseColor, 0.35}, "b": {BaseColor, 0.25},
	"roughness": {Roughness, 1}, "rough": {Roughness, 0.85}, "rgh": {Roughness, 0.85}, "rou": {Roughness, 0.7}, "rgn": {Roughness, 0.6}, "ro": {Roughness, 0.5}, "r": {Roughness, 0.35},
	"metallic": {Metallic, 1}, "metalness": {Metallic, 1}, "metal": {Metallic, 0.75}, "mtl": {Metallic, 0.6}, "met": {Metallic, 0.65}, "metallness": {Metallic, 0.9}, "m": {Metallic, 0.35}, "mt": {Metallic, 0.45},
	"normal": {Normal, 0.9}, "normals": {Normal, 0.95}, "nrm": {Normal, 0.95}, "norm": {Normal, 0.9}, "nor": {Normal, 0.85}, "nml": {Normal, 0.9}, "nm": {Normal, 0.7}, "n": {Normal, 0.4}, "normalmap": {Normal, 1},
	"height": {Height, 1}, "displacement": {Height, 1}, "disp": {Height, 0.95}, "displace": {Height, 0.95}, "bump": {Height, 0.85}, "depth": {Height, 0.75}, "hgt": {Height, 0.85}, "dsp": {Height, 0.8}, "h": {Height, 0.35}, "heightmap": {Height, 1},
	"ao": {Occlusion, 0.95}, "occlusion": {Occlusion, 1}, "occ": {Occlusion, 0.9}, "ambientocclusion": {Occlusion, 1}, "ambient": {Occlusion, 0.6}, "cavity": {Occlusion, 0.4},
	"opacity": {Opacity, 1}, "alpha": {Opacity, 0.9}, "transparency": {Opacity, 0.85}, "cutout": {Opacity, 0.9}, "opac": {Opacity, 0.9}, "op": {Opacity, 0.6}, "o": {Opacity, 0.25},
	"emissive": {Emissive, 1}, "emission": {Emissive, 1}, "emit": {Emissive, 0.85}, "emis": {Emissive, 0.85}, "glow": {Emissive, 0.7}, "illum": {Emissive, 0.7}, "e": {Emissive, 0.3},
	"specular": {Specular, 1}, "spec": {Specular, 0.9}, "refl": {Specular, 0.7}, "reflection": {Specular, 0.75}, "s": {Specular, 0.25},
	"glossiness": {Glossiness, 1}, "gloss": {Glossiness, 0.95}, "smoothness": {Glossiness, 0.95}, "smooth": {Glossiness, 0.7}, "gls": {Glossiness, 0.85}, "g": {Glossiness, 0.3},
	"transmission": {Transmission, 1}, "translucency": {Transmission, 0.85}, "transmissive": {Transmission, 0.9}, "thickness": {Transmission, 0.4},
	"sheen": {Sheen, 1}, "fuzz": {Sheen, 0.6}, "anisotropy": {Anisotropy, 1}, "aniso": {Anisotropy, 0.9},
	"coat": {Coat, 0.8}, "clearcoat": {Coat, 1}, "mask": {Mask, 0.8}, "id": {Mask, 0.5},
}

// pairs are names of two words.
var pairs = map[[2]string]struct {
	channel Channel
	weight  float64
}{
	{"base", "color"}: {BaseColor, 1}, {"base", "colour"}: {BaseColor, 1}, {"ambient", "occlusion"}: {Occlusion, 1},
	{"clear", "coat"}: {Coat, 1}, {"normal", "map"}: {Normal, 1}, {"height", "map"}: {Height, 1}, {"bump", "map"}: {Height, 0.9},
	{"material", "id"}: {Mask, 0.8},
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
	Channel Channel
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
		case claims[w].channel != None:
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
	stem := strings.TrimSuffix(base, path.Ext(base))
	words := roles(split(stem), rules)
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
		if c, w, _ := claim(ws); onlyRoles && c != None && w >= 0.5 {
			n.folder = ws
			if !says(n.words) {
				n.words = append(slices.Clone(ws), n.words...) // "planks/normal/planks.png"
			}
		}
		if !onlyRoles || (len(ws) == 1 && ws[0].role == channel && claims[ws[0].text].weight < 0.5) {
			n.Dir = path.Join(n.Dir, part)
		}
	}
	n.note()
	return n
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
func (n Name) claim() (Channel, float64, string) { return claim(n.words) }

func claim(words []word) (Channel, float64, string) {
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
			c := claims[w.text]
			return c.channel, c.weight, w.text
		}
	}
	return None, 0, ""
}

// withAlpha reads a name of two channels, "albedo_opacity": what its colours hold,
// and the word for what its alpha holds.
func (n Name) withAlpha() (colours Name, alpha string, ok bool) {
	first := None
	for i, w := range n.words {
		c := claims[w.text]
		switch {
		case w.role != channel || c.weight < 0.5:
		case first == None:
			first = c.channel
		case c.channel != first && c.channel.Grey():
			m := n
			m.words = n.words[:i]
			return m, w.text, true
		}
	}
	return n, "", false
}

// letters of packed maps.
var letters = map[byte]Channel{'o': Occlusion, 'a': Occlusion, 'r': Roughness, 'm': Metallic, 'd': Height, 'h': Height, 's': Glossiness, 'g': Glossiness}

// packing is the channels of a packed map's components by its name, or nil: by
// letters ("orm"), or by as many words as it has components ("occlusion roughness
// metallic"). Two words are roughness in green and metallic in blue, as glTF has
// them, or what stands in the colours and in the alpha.
func (n Name) packing() ([]Channel, string) {
	var said []Channel
	var texts []string
	for i := 0; i < len(n.words); i++ {
		w := n.words[i]
		c := claims[w.text].channel
		if i+1 < len(n.words) && pairs[[2]string{w.text, n.words[i+1].text}].channel != None {
			c = pairs[[2]string{w.text, n.words[i+1].text}].channel
			i++
		}
		if w.role == channel && c != None && !slices.Contains(said, c) {
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
	case grey && slices.Contains(said, Roughness) && slices.Contains(said, Metallic):
		return []Channel{None, Roughness, Metallic}, text
	}
	for _, w := range n.words {
		if w.role != packed {
			continue
		}
		text := strings.Replace(w.text, "ao", "o", 1)
		var out []Channel
		for i := range len(text) {
			out = append(out, letters[text[i]])
		}
		return out, w.text
	}
	return nil, ""
}
