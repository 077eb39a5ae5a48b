package channels

import (
	"slices"

	"aldermoor/core/material"
)

// This file weighs what names and pixels say of one picture.

// steep turns a difference of summed weights into odds: an answer that is better by 1 is e⁸
// times as likely. It is set by made deliveries, so that of answers of a confidence as many are
// right as it says, or more.
const steep = 8

// Verdict is what one component of a file is taken for.
type Verdict struct {
	Channel    material.Channel
	Confidence float64 // 0..1
	Reasons    []Reason
}

// Against is what the pixels say most strongly against their being that channel; its code
// is empty where they say nothing strong.
func (l Look) Against(c material.Channel) (worst Reason) {
	worst.Weight = -denies
	pixels(l, func(kind string, of material.Channel, w float64, code string, pairs ...any) {
		if of == c && w < worst.Weight {
			worst = Because(kind, of, w, code, pairs...)
		}
	})
	return worst
}

// evidence is what a name, documents and the pixels of a whole file (its colour components) say of it.
func evidence(e entry) []Reason {
	n, l := e.name, *e.Look
	rs := make([]Reason, 0, 32) // most have fewer, with their companions
	add := func(kind string, c material.Channel, w float64, code string, pairs ...any) {
		rs = append(rs, Because(kind, c, w, code, pairs...))
	}
	e.stated(add)
	named, weight, text := n.claim()
	if said := e.saidChannel(); said != material.None && said != named {
		named = material.None // a document goes before a name
	}
	if rule := n.ruled(); rule != nil {
		named = rule.Channel
		if rule.Seen > 0 {
			add("rule", named, seenWeight, "seen_before", "station", rule.Station, "ending", rule.Ending, "materials", rule.Seen)
		} else {
			add("rule", named, ruleWeight, "rule", "station", rule.Station, "ending", rule.Ending)
		}
	} else if named != material.None {
		if (weight >= wholeWord || n.habit() != nil && weight >= outright) && !e.ownWord(n, named) {
			weight *= stated // what a name says goes before what pixels hint at
		}
		code, files := "name_word", 0
		if h := n.habit(); h != nil && !h.known {
			if code, files = "habit_word", h.files; h.open {
				code = "habit_open"
			}
			text = h.word
		}
		add("name", named, weight, code, "word", text, "files", files)
		for _, o := range n.also() {
			add("name", o.channel, o.weight, "name_word", "word", text)
		}
	}
	if h := n.habit(); h != nil && h.channel == material.None && h.open {
		add("name", material.None, 0.01, "habit_unknown", "word", h.word, "files", h.files)
	}
	if n.Side != "" && named == material.None {
		add("name", material.Normal, sideSaid, "name_direction", "direction", n.Side)
	}
	first := len(rs)
	pixels(l, add)
	if said := e.saidChannel(); said != material.None {
		named, weight = said, 1
	}
	yield(rs[first:], named, weight)
	if named == material.None && n.habit() == nil && len(n.kept) > 0 && !l.grey() && !l.emptied() && !l.normalLike() {
		add("peer", material.BaseColor, bareName, "bare_name")
	}
	return rs
}

// yield takes back what pixels say against the channel that a name says outright, where that is more
// than mostAgainst.
func yield(rs []Reason, named material.Channel, weight float64) {
	sum := 0.0
	for _, r := range rs {
		if r.Channel == named {
			sum -= r.Weight
		}
	}
	if named == material.None || weight < outright || sum <= mostAgainst {
		return
	}
	for i := range rs {
		if rs[i].Channel == named {
			rs[i].Weight *= mostAgainst / sum
		}
	}
}

// pixels gives what a whole file's pixels say for and against each channel.
func pixels(l Look, add func(kind string, c material.Channel, w float64, code string, pairs ...any)) {
	against := func(w float64, code string, cs ...material.Channel) {
		for _, c := range cs {
			add("pixels", c, -w, code, "share", l.UnitLength)
		}
	}
	grey := l.grey()
	if l.objectSpace() {
		against(allDirections, "object_space", material.All()...)
		return
	}
	if l.twoComponent() {
		add("pixels", material.Normal, twoVectors, "two_components")
		against(thirdEmpty, "third_empty", material.BaseColor, material.Emissive)
		against(twoNotGrey, "two_components", material.Roughness, material.Metallic, material.Height, material.Occlusion, material.Opacity, material.Glossiness)
		return
	}
	normal := l.normalLike() && l.Info.Components >= 3
	switch {
	case normal && (l.StdDev[0] > 0.004 || l.StdDev[1] > 0.004 || l.Mean[2] > 0.95):
		if l.Curve {
			add("pixels", material.Normal, curvedVectors, "curved_vectors", "share", l.UnitLength)
		} else {
			add("pixels", material.Normal, unitVectors, "unit_vectors", "share", l.UnitLength)
		}
		against(vectorsNotData, "are_unit_vectors", material.BaseColor, material.Roughness, material.Metallic, material.Height, material.Occlusion, material.Opacity, material.Emissive, material.Specular, material.Glossiness, material.Mask)
	case l.middling():
		add("pixels", material.Normal, nearlyVectors, "middling_vectors", "share", l.UnitLength)
		against(nearlyNotData, "middling_vectors", material.BaseColor, material.Roughness, material.Metallic, material.Height, material.Occlusion, material.Opacity, material.Glossiness)
	case l.UnitLength < 0.5:
		against(notVectors, "few_unit_vectors", material.Normal)
	}
	switch {
	case grey:
		for _, c := range []material.Channel{material.Roughness, material.Metallic, material.Height, material.Occlusion, material.Opacity, material.Glossiness, material.Mask} {
			add("pixels", c, greyHint, "grey")
		}
		add("pixels", material.Specular, greySpecular, "grey")
		if l.Info.Components >= 3 {
			against(greyBase, "no_colour", material.BaseColor)
		} else {
			against(soleBase, "one_component", material.BaseColor, material.Emissive)
		}
		against(notVectors, "grey_not_normal", material.Normal)
	case l.emptied():
		against(emptyBase, "components_empty", material.BaseColor)
		against(notVectors, "few_unit_vectors", material.Normal)
	case !normal && l.Spread > 0.03:
		add("pixels", material.BaseColor, inColour, "in_colour")
		against(colourNotData, "colour_not_data", material.Roughness, material.Metallic, material.Height, material.Occlusion, material.Opacity, material.Glossiness)
	}
	if !grey || l.flat(0) {
		return
	}
	if l.Extremes > 0.9 || l.bimodal(0) > 0.85 {
		for _, c := range []material.Channel{material.Metallic, material.Opacity, material.Mask} {
			add("pixels", c, twoTone, "black_and_white", "share", l.Extremes)
		}
		against(twoToneNotData, "all_black_and_white", material.Roughness, material.Height, material.Glossiness)
	}
	if l.Mean[0] > 0.72 && l.Max[0] > 0.97 && l.Extremes < 0.97 {
		add("pixels", material.Occlusion, hollows, "dark_hollows")
	}
	if l.Mean[0] < 0.25 && l.Extremes < 0.9 {
		against(darkHollows, "dark", material.Occlusion)
	}
	if l.Info.Bits >= 16 {
		add("pixels", material.Height, deepSamples, "bits", "bits", l.Info.Bits)
	}
}

// part is what one component of a packed map is taken for.
type part struct {
	component string
	Verdict
}

// unpackable says what the components of a packed map are, by its name or by its
// pixels alone; nil if the picture is no packed map. By pixels alone it is one only where its
// name says so or another picture is the base colour (based).
func unpackable(e entry, based bool) []part {
	n, l := e.name, *e.Look
	if out := e.saidParts(); out != nil {
		return out
	}
	if e.saidChannel() != material.None {
		return nil
	}
	if l.Info.Components < 3 || l.grey() || l.UnitLength > 0.85 {
		return nil
	}
	packing, word := n.packing()
	if packing == nil {
		c, w, _ := n.claim()
		said := n.mixed()
		// A name that says one data map, of a picture whose components have nothing in common.
		one := w > 0.5 && (c == material.Roughness || c == material.Metallic || c == material.Occlusion) && n.ruled() == nil && !l.emptied()
		if !said && (!based && !one || n.bare() || c != material.None && w > 0.5 && !one || l.Likeness > 0.35) || l.Components() < 2 {
			return nil
		}
		return guessPacked(l)
	}
	var out []part
	least := 1.0
	for c, ch := range packing {
		if ch == material.None || c >= len(l.Mean) {
			continue
		}
		component := "rgba"[c : c+1]
		v := Verdict{Channel: ch, Confidence: 0.93, Reasons: []Reason{Because("name", ch, 0.9, "name_packed", "word", word, "component", component)}}
		doubt := func(to float64, code string, pairs ...any) {
			v.Confidence = min(v.Confidence, to)
			v.Reasons = append(v.Reasons, Because("pixels", ch, to-0.9, code, pairs...))
		}
		switch {
		case l.Likeness > 0.9:
			doubt(0.7, "components_alike", "correlation", l.Likeness)
		case ch == material.Occlusion && l.Mean[c] < 0.3 && !l.flat(c):
			doubt(0.6, "component_dark")
		case ch == material.Occlusion && l.Mean[c] > 0.6:
			v.Confidence = 0.97
			v.Reasons = append(v.Reasons, Because("pixels", ch, 0.2, "dark_hollows"))
		case ch == material.Metallic && l.Mean[c] > 0.65 && l.bimodal(c) < 0.6 && !l.flat(c):
			doubt(0.6, "component_between")
		case l.flat(c) && ch != material.Metallic:
			doubt(0.8, "component_flat", "value", l.Mean[c])
		}
		least = min(least, v.Confidence)
		out = append(out, part{component, v})
	}
	if least > 0.6 {
		return out
	}
	// The order may be another one: nobody is sure of any of them.
	if seen := guessPacked(l); len(packing) == 3 && sameChannels(seen, out) {
		for i := range seen {
			seen[i].Reasons = append(seen[i].Reasons, Because("pixels", seen[i].Channel, 0.1, "order_differs", "word", word))
		}
		return seen
	}
	for i := range out {
		out[i].Confidence = min(out[i].Confidence, mostOpen)
	}
	return out
}

// sameChannels says whether two readings of a packed map find the same channels, in whatever order.
func sameChannels(a, b []part) bool {
	return len(a) == len(b) && !slices.ContainsFunc(a, func(p part) bool {
		return !slices.ContainsFunc(b, func(q part) bool { return q.Channel == p.Channel })
	})
}

// guessPacked takes a picture whose components have little in common for a packed
// map, and guesses by the look of each: the brightest is occlusion, one that is
// black and white or flat and dark is metallic, another is roughness. It is never
// sure.
func guessPacked(l Look) []part {
	n := min(3, len(l.Mean))
	taken := [3]material.Channel{}
	pick := func(ch material.Channel, fit func(c int) float64) {
		best, most := -1, 0.0
		for c := range n {
			if f := fit(c); taken[c] == material.None && f > most {
				best, most = c, f
			}
		}
		if best >= 0 {
			taken[best] = ch
		}
	}
	pick(material.Occlusion, func(c int) float64 {
		if l.Mean[c] < 0.7 || l.Max[c] < 0.95 || l.flat(c) {
			return 0
		}
		return l.Mean[c]
	})
	pick(material.Metallic, func(c int) float64 {
		spread := l.bimodal(c)
		if l.flat(c) && l.Mean[c] < 0.05 {
			return 1
		}
		if spread < 0.65 {
			return 0
		}
		return spread
	})
	pick(material.Roughness, func(c int) float64 {
		if l.flat(c) {
			return 0
		}
		return 0.5 + l.StdDev[c]
	})
	// What is left of the three goes to the component that is left.
	left := -1
	for c, ch := range taken {
		switch {
		case ch != material.None:
		case left >= 0 || l.flat(c):
			left = 3
		default:
			left = c
		}
	}
	if left >= 0 && left < 3 {
		for _, ch := range []material.Channel{material.Roughness, material.Metallic, material.Occlusion} {
			if !slices.Contains(taken[:], ch) {
				taken[left] = ch
				break
			}
		}
	}
	var out []part
	for c, ch := range taken {
		if ch != material.None {
			component := "rgb"[c : c+1]
			out = append(out, part{component, Verdict{ch, 0.6, []Reason{Because("pixels", ch, 0.4, "components_differ", "correlation", l.Likeness, "component", component)}}})
		}
	}
	if len(out) < 2 {
		return nil
	}
	return out
}

// Components is the number of the picture's components that are not flat.
func (l Look) Components() (n int) {
	for c := range l.Mean {
		if !l.flat(c) {
			n++
		}
	}
	return n
}

// fewLit is the mean below which an alpha shows so little of a colour that it may say what glows as well as
// what is there.
const fewLit = 0.06

// judgeAlpha decides what the alpha of a map of the given channel holds: what the
// name says beside that channel, else what its pixels are most like.
func judgeAlpha(n Name, of material.Channel, l Look) Verdict {
	c := len(l.Mean) - 1
	if _, w, ok := n.withAlpha(); ok {
		ch := claimOf(w).channel
		return Verdict{ch, 0.92, []Reason{Because("name", ch, 0.8, "name_alpha", "word", w)}}
	}
	bimodal := l.bimodal(c)
	switch {
	case of == material.Normal && l.AlphaRelief > inPlace:
		return Verdict{material.Height, 0.92, []Reason{Because("pixels", material.Height, 0.7, "alpha_follows")}}
	case of == material.Normal:
		return Verdict{material.Glossiness, 0.6, []Reason{Because("pixels", material.Glossiness, 0.4, "alpha_no_relief")}}
	case of == material.BaseColor && l.Mean[c] < fewLit && l.Max[c] > 0.5:
		return Verdict{material.Emissive, 0.5, []Reason{Because("pixels", material.Emissive, 0.3, "alpha_few_lit")}}
	case of == material.Metallic || of == material.Specular:
		return Verdict{material.Glossiness, 0.75, []Reason{Because("pixels", material.Glossiness, 0.5, "alpha_of_specular", "of", of)}}
	case bimodal > 0.75 || l.Max[c] > 0.98:
		sure := 0.8
		if bimodal > 0.75 {
			sure = 0.92
		}
		return Verdict{material.Opacity, sure, []Reason{Because("pixels", material.Opacity, 0.6, "alpha_opaque")}}
	}
	return Verdict{material.Glossiness, 0.55, []Reason{Because("pixels", material.Glossiness, 0.4, "alpha_never_opaque")}}
}
