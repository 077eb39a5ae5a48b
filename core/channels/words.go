package channels

import (
	"regexp"
	"slices"
	"strings"

	"aldermoor/core/material"
)

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
	sizeWord    = regexp.MustCompile(`^(?:\d{1,2}k|\d+px|\d{3,5}x\d{3,5})$`) // a tier wherever it stands
	tierWord    = regexp.MustCompile(`^(?:(?:128|256|512|1024|2048|4096|8192|16384)|xs|xl|xxl|(?:low|mid|high|lo|hi)(?:res)?)$`)
	countWord   = regexp.MustCompile(`^\d{1,3}$`)
	versionWord = regexp.MustCompile(`^v\d+$`)
	variantWord = regexp.MustCompile(`^(?:v|var|variant|variation|ver|version|rev|revision|r)$`) // a number follows
	dateWord    = regexp.MustCompile(`^(?:19|20)\d{6}$`)
	yearWord    = regexp.MustCompile(`^(?:19|20)\d\d$`)
	dayWord     = regexp.MustCompile(`^[0-3]\d$`)
	bitsWord    = regexp.MustCompile(`^(?:8|16|32)$`)
	udimWord    = regexp.MustCompile(`^1[0-9]\d\d$`)
	formWord    = regexp.MustCompile(`^(?:png|jpg|jpeg|tif|tiff|exr|tga|bmp|webp|(?:8|16|32)(?:bit|bits|b)|srgb|linear|lin|raw|srgbf|acescg|utility)$`)
	fillWord    = regexp.MustCompile(`^(?:map|maps|tex|texture|textures|txt|mat|material|final|export|bake|baked|pbr|old|new|copy|edit|edited|fixed|fix|wip|orig|original|seamless|tileable|tiled)$`)
	spaceWord   = regexp.MustCompile(`^(?:ws|os|ts|world|object|obj|tangent|worldspace|objectspace|tangentspace)$`)       // of normals, behind their word
	mixWord     = regexp.MustCompile(`^(?:packed|packedmap|combined|channels|maskmap|mixed|mix|data|params|comp|props)$`) // packed, but not what
	packWord    = regexp.MustCompile(`^(?:a?orm[dh]?|arm[dh]?|rma[odh]?|mra[odh]?|mro|rmo|omr|amr|ora|a?ord|ard|orh|arh|maos|mads|mohs|mas)$`)
)

// claims are the words that name channels, and how far each is to be believed
// on its own: whole words fully, abbreviations less, single letters little.
var claims = map[string]struct {
	channel material.Channel
	weight  float64
}{
	"basecolor": {material.BaseColor, 1}, "basecolour": {material.BaseColor, 1}, "albedo": {material.BaseColor, 1}, "diffuse": {material.BaseColor, 0.9}, "diff": {material.BaseColor, 0.85},
	"color": {material.BaseColor, 0.85}, "colour": {material.BaseColor, 0.85}, "col": {material.BaseColor, 0.8}, "alb": {material.BaseColor, 0.85}, "base": {material.BaseColor, 0.7}, "bc": {material.BaseColor, 0.7}, "dif": {material.BaseColor, 0.8}, "clr": {material.BaseColor, 0.7}, "colr": {material.BaseColor, 0.7},
	"local": {material.BaseColor, 0.5}, "a": {material.BaseColor, 0.25}, "d": {material.BaseColor, 0.35}, "c": {material.BaseColor, 0.35}, "b": {material.BaseColor, 0.25},
	"roughness": {material.Roughness, 1}, "rough": {material.Roughness, 0.85}, "rgh": {material.Roughness, 0.85}, "rou": {material.Roughness, 0.7}, "rgn": {material.Roughness, 0.6}, "ro": {material.Roughness, 0.5}, "r": {material.Roughness, 0.35},
	"metallic": {material.Metallic, 1}, "metalness": {material.Metallic, 1}, "metal": {material.Metallic, 0.75}, "mtl": {material.Metallic, 0.6}, "met": {material.Metallic, 0.65}, "metallness": {material.Metallic, 0.9}, "m": {material.Metallic, 0.35}, "mt": {material.Metallic, 0.45},
	"normal": {material.Normal, 0.9}, "normals": {material.Normal, 0.95}, "nrm": {material.Normal, 0.95}, "norm": {material.Normal, 0.9}, "nor": {material.Normal, 0.85}, "nml": {material.Normal, 0.9}, "nm": {material.Normal, 0.7}, "ddn": {material.Normal, 0.8}, "ddna": {material.Normal, 0.8}, "nmp": {material.Normal, 0.7}, "n": {material.Normal, 0.4}, "normalmap": {material.Normal, 1},
	"height": {material.Height, 1}, "displacement": {material.Height, 1}, "disp": {material.Height, 0.95}, "displace": {material.Height, 0.95}, "bump": {material.Height, 0.85}, "depth": {material.Height, 0.75}, "hgt": {material.Height, 0.85}, "hm": {material.Height, 0.5}, "dsp": {material.Height, 0.8}, "h": {material.Height, 0.35}, "z": {material.Height, 0.3}, "heightmap": {material.Height, 1},
	"ao": {material.Occlusion, 0.95}, "occlusion": {material.Occlusion, 1}, "occ": {material.Occlusion, 0.9}, "ambientocclusion": {material.Occlusion, 1}, "ambient": {material.Occlusion, 0.6}, "ambocc": {material.Occlusion, 0.9}, "cavity": {material.Mask, 0.8}, "curvature": {material.Mask, 0.85}, "curv": {material.Mask, 0.7}, "cav": {material.Mask, 0.7}, "wear": {material.Mask, 0.65}, "edgewear": {material.Mask, 0.85}, "edges": {material.Mask, 0.6}, "position": {material.Mask, 0.65}, "flow": {material.Mask, 0.55}, "flowmap": {material.Mask, 0.85}, "splat": {material.Mask, 0.75}, "splatmap": {material.Mask, 0.9}, "vertexcolor": {material.Mask, 0.8}, "dirtmask": {material.Mask, 0.9}, "convexity": {material.Mask, 0.8},
	"opacity": {material.Opacity, 1}, "alpha": {material.Opacity, 0.9}, "transparency": {material.Opacity, 0.85}, "cutout": {material.Opacity, 0.9}, "opac": {material.Opacity, 0.9}, "op": {material.Opacity, 0.6}, "o": {material.Occlusion, 0.3},
	"emissive": {material.Emissive, 1}, "emission": {material.Emissive, 1}, "emit": {material.Emissive, 0.85}, "emis": {material.Emissive, 0.85}, "glow": {material.Emissive, 0.7}, "illum": {material.Emissive, 0.7}, "luma": {material.Emissive, 0.65}, "selfillum": {material.Emissive, 0.9}, "e": {material.Emissive, 0.3},
	"specular": {material.Specular, 1}, "spec": {material.Specular, 0.9}, "refl": {material.Specular, 0.7}, "reflection": {material.Specular, 0.75}, "sp": {material.Specular, 0.5}, "sm": {material.Specular, 0.45}, "s": {material.Specular, 0.3},
	"glossiness": {material.Glossiness, 1}, "gloss": {material.Glossiness, 0.95}, "smoothness": {material.Glossiness, 0.95}, "smooth": {material.Glossiness, 0.7}, "gls": {material.Glossiness, 0.85}, "glossy": {material.Glossiness, 0.85}, "g": {material.Glossiness, 0.3},
	"transmission": {material.Transmission, 1}, "translucency": {material.Transmission, 0.85}, "transmissive": {material.Transmission, 0.9}, "thickness": {material.Transmission, 0.4}, "sss": {material.Transmission, 0.7}, "subsurface": {material.Transmission, 0.8},
	"sheen": {material.Sheen, 1}, "fuzz": {material.Sheen, 0.6}, "anisotropy": {material.Anisotropy, 1}, "aniso": {material.Anisotropy, 0.9},
	"coat": {material.Coat, 0.8}, "clearcoat": {material.Coat, 1}, "mask": {material.Mask, 0.8}, "masks": {material.Mask, 0.8}, "colormask": {material.Mask, 0.9}, "colourmask": {material.Mask, 0.9}, "id": {material.Mask, 0.6}, "colorid": {material.Mask, 0.9}, "materialid": {material.Mask, 0.9}, "matid": {material.Mask, 0.9},
}

// letterAlso are what else single letters stand for.
var letterAlso = map[string][]claim{
	"a": {{channel: material.Opacity, weight: 0.2}, {channel: material.Occlusion, weight: 0.15}}, "b": {{channel: material.Height, weight: 0.2}}, "d": {{channel: material.Height, weight: 0.15}},
	"m": {{channel: material.Mask, weight: 0.1}}, "o": {{channel: material.Opacity, weight: 0.25}}, "r": {{channel: material.Specular, weight: 0.1}}, "s": {{channel: material.Glossiness, weight: 0.2}}, "sm": {{channel: material.Glossiness, weight: 0.35}},
}

// pairs are names of two words.
var pairs = map[[2]string]struct {
	channel material.Channel
	weight  float64
}{
	{"base", "color"}: {material.BaseColor, 1}, {"base", "colour"}: {material.BaseColor, 1}, {"ambient", "occlusion"}: {material.Occlusion, 1},
	{"clear", "coat"}: {material.Coat, 1}, {"normal", "map"}: {material.Normal, 1}, {"height", "map"}: {material.Height, 1}, {"bump", "map"}: {material.Height, 0.9},
	{"material", "id"}: {material.Mask, 0.8}, {"specular", "roughness"}: {material.Roughness, 1}, {"diffuse", "color"}: {material.BaseColor, 1}, {"diffuse", "colour"}: {material.BaseColor, 1},
	{"emissive", "color"}: {material.Emissive, 1}, {"emission", "color"}: {material.Emissive, 1}, {"specular", "color"}: {material.Specular, 1}, {"opacity", "mask"}: {material.Opacity, 1},
	{"color", "id"}: {material.Mask, 0.9}, {"colour", "id"}: {material.Mask, 0.9}, {"object", "id"}: {material.Mask, 0.9}, {"mat", "id"}: {material.Mask, 0.9}, {"color", "mask"}: {material.Mask, 0.9}, {"colour", "mask"}: {material.Mask, 0.9},
	{"position", "map"}: {material.Mask, 0.7}, {"flow", "map"}: {material.Mask, 0.8}, {"vertex", "color"}: {material.Mask, 0.9}, {"vertex", "colour"}: {material.Mask, 0.9}, {"edge", "mask"}: {material.Mask, 0.9}, {"edge", "wear"}: {material.Mask, 0.8},
	{"sheen", "color"}: {material.Sheen, 1}, {"sheen", "colour"}: {material.Sheen, 1}, {"sheen", "roughness"}: {material.Sheen, 0.9}, {"anisotropy", "rotation"}: {material.Anisotropy, 0.9}, {"anisotropy", "direction"}: {material.Anisotropy, 0.9}, {"anisotropy", "level"}: {material.Anisotropy, 0.9},
	{"coat", "weight"}: {material.Coat, 1}, {"coat", "color"}: {material.Coat, 0.8}, {"coat", "colour"}: {material.Coat, 0.8}, {"transmission", "color"}: {material.Transmission, 0.9}, {"transmission", "colour"}: {material.Transmission, 0.9}, {"subsurface", "color"}: {material.Transmission, 0.7},
	{"alpha", "mask"}: {material.Opacity, 0.9}, {"bump", "height"}: {material.Height, 1}, {"displacement", "height"}: {material.Height, 1}, {"coat", "roughness"}: {material.Coat, 0.8}, {"coat", "normal"}: {material.Coat, 0.8},
}

// sides are the words for the direction of a normal map, after its name.
var sides = map[string]string{"gl": "y+", "ogl": "y+", "opengl": "y+", "dx": "y-", "directx": "y-", "y+": "y+", "y-": "y-", "yplus": "y+", "yminus": "y-", "yup": "y+", "ydown": "y-"}

// claim is a channel that a word names.
type claim struct {
	channel material.Channel
	weight  float64 // how far the word is to be believed, 0..1
	plain   bool    // also at the start of a name: an abbreviation is one behind something else only, as a name may be short
}

// claimOf is what a word says by itself: a known word, one of another language, a known word
// with "map" or "tex" behind it, one with a slip of the pen, or an abbreviation.
func claimOf(w string) claim {
	if c, ok := claims[w]; ok {
		return claim{c.channel, c.weight, true}
	}
	if c := byForeign[w]; c != material.None {
		return claim{c, foreignWeight, true}
	}
	for _, tail := range []string{"map", "maps", "tex", "texture"} {
		if rest, ok := strings.CutSuffix(w, tail); ok {
			if c, ok := claims[rest]; ok {
				return claim{c.channel, min(max(c.weight, 0.5)+0.1, 1), len(rest) > 1}
			}
		}
	}
	if rest, ok := strings.CutPrefix(w, "base"); ok && claims[rest].channel == material.BaseColor && len(rest) > 1 {
		return claim{material.BaseColor, 0.95, true}
	}
	if c := slipOf(w); c != material.None {
		return claim{c, 0.75, len(w) >= 8}
	}
	if c := abbreviated(w); c != material.None {
		return claim{c, 0.65, false}
	}
	if c := begun(w); c != material.None {
		return claim{c, 0.6, false}
	}
	return claim{}
}

// slipOf is the channel whose word has been misspelt: of six letters or more, with the same
// first letter, and one letter missing, added, wrong or swapped with the next; two of eight.
func slipOf(w string) material.Channel {
	if len(w) < 5 || len(w) > 20 || w[0] > 'z' {
		return material.None
	}
	for _, c := range material.All() {
		for _, f := range full[c] {
			slips := 1
			if len(f) >= 8 && len(w) >= 7 {
				slips = 2
			}
			if len(f) >= 6 && f[0] == w[0] && edits(w, f) <= slips {
				return c
			}
		}
	}
	return material.None
}

// edits is how many letters have to be put in, left out, replaced or swapped with the next to
// make b of a (optimal string alignment); more than two is three.
func edits(a, b string) int {
	if len(a)-len(b) > 2 || len(b)-len(a) > 2 {
		return 3
	}
	var before, last, now [24]int
	for j := range len(b) + 1 {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		now[0] = i
		for j := 1; j <= len(b); j++ {
			d := last[j-1]
			if a[i-1] != b[j-1] {
				d++
			}
			d = min(d, last[j]+1, now[j-1]+1)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				d = min(d, before[j-2]+1)
			}
			now[j] = d
		}
		before, last = last, now
	}
	return min(last[len(b)], 3)
}

// word is one word of a name with its role.
type word struct {
	piece
	role  role
	claim claim  // of a channel's word
	rule  *Rule  // what a station's rule says of it
	sized bool   // pictures prove that it is a tier
	habit *habit // what it means throughout the delivery
}

// roles gives each word of a name its role.
func roles(words []piece, rules []Rule) []word {
	out := make([]word, len(words))
	said := false
	for i, p := range words {
		w, r, c := p.text, own, claimOf(p.text)
		follows := i > 0 && words[i-1].to == p.from
		switch digit := w[0] >= '0' && w[0] <= '9'; {
		case digit && sizeWord.MatchString(w), tierWord.MatchString(w):
			r = tier
		case !digit && claims[w].channel != material.None: // the commonest
			r = channel
		case digit && udimWord.MatchString(w) && i == len(words)-1 && i > 0:
			r = udim
		case formWord.MatchString(w), bitsWord.MatchString(w) && follows && out[i-1].role == channel:
			r = form
		case fillWord.MatchString(w), versionWord.MatchString(w) && i > 0, digit && dateWord.MatchString(w) && len(words) > 1,
			said && yearWord.MatchString(w), said && dayWord.MatchString(w) && out[i-1].role == filler && (yearWord.MatchString(words[i-1].text) || i > 1 && yearWord.MatchString(words[i-2].text)):
			r = filler
		case said && spaceWord.MatchString(w) && claimedNormal(out[:i]):
			r = filler
		case digit && countWord.MatchString(w) && follows && i > 1 && out[i-1].role == channel && out[i-1].claim.channel == material.Mask:
			r = filler // "mask01"
		case digit && countWord.MatchString(w) && follows && said && out[i-1].role != filler && variantWord.MatchString(words[i-1].text) && (out[i-1].role == own || i > 1 && out[i-2].role != own):
			out[i-1].role, r = filler, filler // "VAR1", "rev 3" behind a channel
		case packWord.MatchString(w), i > 0 && mixWord.MatchString(w):
			r = packed
		case sides[w] != "":
			r = side
		case c.channel != material.None:
			r = channel
		}
		out[i] = word{piece: p, role: r, claim: c}
		for k := range rules {
			if rules[k].Ending == w && i > 0 && out[i].rule == nil && (rules[k].Seen == 0 || c.weight < wholeWord && out[i].role != packed && out[i].role != tier) {
				out[i].role, out[i].rule = channel, &rules[k]
			}
		}
		said = said || out[i].role == channel || out[i].role == packed
	}
	return out
}

// claimedNormal says whether words hold one for normals.
func claimedNormal(words []word) bool {
	return slices.ContainsFunc(words, func(w word) bool { return w.role == channel && w.claim.channel == material.Normal })
}

// variant says whether a letter tells variants of a material apart: see markVariants.
func (w word) variant() bool {
	return w.role == own && len(w.text) == 1 && w.claim.channel != material.None
}

// anywhere says whether a word is none of the material's own wherever it stands in a name of
// several: sizes in pixels, dates, versions and bit depths are told by their form.
func (w word) anywhere() bool {
	return w.role == tier && sizeWord.MatchString(w.text) || w.role == form && w.text[0] <= '9' || w.role == udim ||
		w.role == filler && (versionWord.MatchString(w.text) || dateWord.MatchString(w.text))
}
