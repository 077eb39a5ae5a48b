package channels

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"aldermoor/core/material"
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
				if !joinsDigits(string(word), runes[i:]) {
					flush(i)
				}
			case unicode.IsUpper(r) && unicode.IsLower(prev):
				flush(i)
			case unicode.IsUpper(r) && unicode.IsUpper(prev) && i+1 < len(runes) && unicode.IsLower(runes[i+1]) && !packWord.MatchString(strings.ToLower(string(word)+string(r))):
				flush(i) // "AOMap" is ao, map; the letters of a packed map stay together
			}
		}
		word = append(word, r)
	}
	flush(len(runes))
	var cut []piece
	for _, p := range out {
		if k := len(cut) - 1; k >= 0 && cut[k].to == p.from && (cut[k].text == "open" && p.text == "gl" || cut[k].text == "direct" && p.text == "x") {
			cut[k] = piece{cut[k].text + p.text, cut[k].from, p.to} // written with a capital within
			continue
		}
		cut = append(cut, cutForeign(p)...)
	}
	return joinTerms(cut)
}

// joinTerms makes one word of two or three that are one term in a language: couleur, de, base.
func joinTerms(words []piece) []piece {
	for i := 0; i < len(words); i++ {
		for n := min(3, len(words)-i); n > 1; n-- {
			var b strings.Builder
			for _, w := range words[i : i+n] {
				b.WriteString(w.text)
			}
			if b.Len() > 7 && byForeign[b.String()] != material.None {
				words = slices.Concat(words[:i], []piece{{b.String(), words[i].from, words[i+n-1].to}}, words[i+n:])
				break
			}
		}
	}
	return words
}

var (
	sizeTail = regexp.MustCompile(`^(?i:k|px|x\d+)(?:[^\pL]|$|[A-Z])`)
	bitsTail = regexp.MustCompile(`^(?i:bit|bits|b)(?:[^\pL]|$|[A-Z])`)
)

var beforeDigits = regexp.MustCompile(`^(?:\d+[xX]|[vV])$`)

func joinsDigits(digits string, rest []rune) bool {
	return sizeTail.MatchString(string(rest)) || bitsWord.MatchString(digits) && bitsTail.MatchString(string(rest))
}

// cutForeign cuts a word of a script without spaces in two where it ends with a channel's:
// 石垣法線 is a stone wall's normals.
func cutForeign(p piece) []piece {
	if !strings.ContainsFunc(p.text, func(r rune) bool {
		return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul)
	}) || byForeign[p.text] != material.None {
		return []piece{p}
	}
	for i := range p.text { // the longest ending first
		if i > 0 && byForeign[p.text[i:]] != material.None {
			at := p.from + utf8.RuneCountInString(p.text[:i])
			return []piece{{p.text[:i], p.from, at}, {p.text[i:], at, p.to}}
		}
	}
	return []piece{p}
}
