package channels

import (
	"slices"
	"strings"

	"aldermoor/core/material"
)

// markPacked finds letters of a packed map that are in no list: three or four channels, each
// once, written in capitals in a name that is not ("wall_RHAO").
func markPacked(words []word, stem []rune) {
	capitals := strings.ToUpper(string(stem)) == string(stem)
	for i := range words { // "ORMx": a letter behind them means something of its own
		w := &words[i]
		written := string(stem[w.from:w.to])
		if k := len(w.text) - 1; i > 0 && w.role == own && k >= 3 && packWord.MatchString(w.text[:k]) && strings.ToUpper(w.text[:k]) == written[:min(k, len(written))] {
			w.role, w.text = packed, w.text[:k]
		}
	}
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

// withAlpha reads a name of two channels, "albedo_opacity": what its colours hold,
// and the word for what its alpha holds.
func (n Name) withAlpha() (colours Name, alpha string, ok bool) {
	first := material.None
	for i, w := range n.words {
		c := w.claim.channel
		switch {
		case w.role != channel || w.claim.weight < 0.5:
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

// ofAlpha reads a name that says opacity of a picture with an alpha of its own: the word is the alpha's,
// and the colours are those of the bare name.
func (n Name) ofAlpha() Name {
	if c, _, _ := n.claim(); c != material.Opacity || n.ruled() != nil {
		return n
	}
	n.words = slices.DeleteFunc(slices.Clone(n.words), func(w word) bool { return w.claim.channel == material.Opacity })
	return n
}

// mixed says whether a name says that the map is packed, but not with what.
func (n Name) mixed() bool {
	for i, w := range n.words {
		if w.role == packed && mixWord.MatchString(w.text) || w.text == "mask" && i+1 < len(n.words) && (n.words[i+1].text == "map" || n.words[i+1].text == "maps") {
			return true
		}
	}
	return false
}

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
		c := w.claim.channel
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
		if w.role != packed || mixWord.MatchString(w.text) {
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
