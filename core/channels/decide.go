package channels

import (
	"cmp"
	"slices"

	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/normals"
)

// decide settles who is which channel within one set.
func decide(group []entry) Set {
	var s Set
	var found []Map
	var whole []entry // pictures whose colour components are one map
	var taken []material.Channel
	mask := ""                // the words of the set's first mask
	mapOf := map[string]int{} // of a picture that is one map, where it lies in found
	colours := 0              // pictures that can only be base colours
	for _, e := range group {
		if e.Look.looksBase() {
			colours++
		}
	}
	for _, e := range group {
		parts := unpackable(e, colours > 1 || colours == 1 && !e.Look.looksBase())
		for _, part := range parts {
			m := e.asMap()
			m.Component, m.Verdict, m.part = part.component, part.Verdict, true
			found, taken = append(found, m), append(taken, part.Channel)
		}
		switch {
		case parts != nil:
		case e.Look.objectSpace() && e.saidChannel() == material.None:
			s.Refused = append(s.Refused, e.Path)
			s.loose(e.address(), Because("pixels", material.None, 0.9, "object_space"))
		case len(e.said) == 0 && e.shown(group) && e.name.bare() && e.name.unknown == "" && len(group) > 2:
			s.Attachments = append(s.Attachments, Attachment{e.Path, "preview", []Reason{e.previewReason()}})
		case masked(e) && furtherMask(&mask, e):
			s.Attachments = append(s.Attachments, Attachment{e.Path, "other", []Reason{Because("name", material.Mask, 0.8, "further_mask")}})
		default:
			if e.hasAlpha() {
				e.name, _, _ = e.name.withAlpha()
				e.name = e.name.ofAlpha()
			}
			whole = append(whole, e)
		}
	}
	for i, v := range assign(whole, taken) {
		e := whole[i]
		m := e.asMap()
		_, weight, _ := e.name.claim()
		m.stated = weight >= outright || e.name.habit() != nil || e.saidChannel() != material.None
		if m.Verdict = v; m.Channel == material.None {
			if s.loose(e.address(), v.Reasons...); v.Reasons == nil {
				s.loose(e.address(), Because("pixels", material.None, 0, "nothing_said"))
			}
			continue
		}
		if m.Channel == material.Normal {
			m.face()
		}
		m.contradicted(&e)
		if m.Channel.Grey() {
			m.Component = m.Look.sole()
		}
		mapOf[m.address()] = len(found)
		found = append(found, m)
	}
	for _, e := range group {
		if i, ok := mapOf[e.address()]; ok && e.hasAlpha() && !e.Look.twoComponent() {
			a := found[i]
			a.Component, a.Verdict = "a", judgeAlpha(e.name, a.Channel, *e.Look)
			found = append(found, a)
		}
	}
	// The largest of a channel is the source; of equals the deeper, then the surer,
	// then the one that points up.
	slices.SortStableFunc(found, func(a, b Map) int {
		return cmp.Or(
			cmp.Compare(b.area(), a.area()),
			cmp.Compare(b.deep(), a.deep()),
			after(a.copied, b.copied),
			after(a.Look.Info.Format == codec.DDS, b.Look.Info.Format == codec.DDS), // compressed for display

			cmp.Compare(b.Confidence, a.Confidence),
			cmp.Compare(b.Facing, a.Facing))
	})
	loneColour(found)
	first := map[string]Map{}
	for _, m := range found {
		k := string(m.Channel) + m.UDIM
		lead, ok := first[k]
		if !ok && m.UDIM != "" {
			if i := slices.IndexFunc(s.Maps, func(o Map) bool { return o.Channel == m.Channel && o.UDIM != "" && o.Component == m.Component }); i >= 0 {
				first[k] = m
				if lead := s.Maps[i]; lead.Facing != m.Facing && min(lead.Sure, m.Sure) > 0.5 {
					s.Turned = append(s.Turned, [2]string{lead.File, m.File})
				}
				s.Maps[i].addTile(m)
				continue
			}
		}
		switch {
		case !ok:
			first[k] = m
			s.Maps = append(s.Maps, m)
		case m.Component == "a" || lead.address() == m.address(): // a map of its own goes before an alpha
		case lead.sameShape(m) && m.area() < lead.area() && (lead.like(m) || m.Confidence > 0.6 && m.Tier != "" && lead.Tier != m.Tier):
			// The same picture, smaller; or one that says so and is not.
			reason := Because("pixels", m.Channel, 0.9, "same_smaller", "of", lead.File)
			if !lead.like(m) {
				reason = Because("name", m.Channel, 0.5, "smaller_by_name", "of", lead.File)
				s.Unlike = append(s.Unlike, [2]string{lead.File, m.File})
			}
			s.Attachments = append(s.Attachments, Attachment{m.File, "lower_tier", []Reason{reason}})
		case m.Confidence > 0.6 && lead.sameShape(m) && m.area() == lead.area() && (m.deep() < lead.deep() || m.Facing != lead.Facing):
			reason := Because("peer", m.Channel, 0.9, "fewer_bits", "of", lead.File)
			if m.Facing != lead.Facing {
				reason = Because("peer", m.Channel, 0.9, "other_direction", "of", lead.File)
			}
			s.Attachments = append(s.Attachments, Attachment{m.File, "other", []Reason{reason}})
			if m.Channel == material.Normal && m.Facing != lead.Facing && !lead.like(m) {
				s.Unlike = append(s.Unlike, [2]string{lead.File, m.File})
			}
		case lead.area() == m.area() && lead.like(m) && len(m.Look.Thumb) > 0:
			s.Attachments = append(s.Attachments, Attachment{m.File, "other", []Reason{Because("pixels", m.Channel, 0.9, "same_picture", "of", lead.File)}})
		case m.part: // of a packed map; keepAll says so if no component found a place
		default:
			s.loose(m.address(), Because("peer", m.Channel, -0.5, "channel_taken", "by", lead.File))
		}
	}
	// The alpha of a file that is set aside is set aside with it.
	s.Maps = slices.DeleteFunc(s.Maps, func(m Map) bool {
		return m.Component == "a" && slices.ContainsFunc(s.Attachments, func(a Attachment) bool { return a.File == m.File })
	})
	s.keepAll(group)
	s.unswap()
	s.setAside()
	order := material.All()
	slices.SortStableFunc(s.Maps, func(a, b Map) int {
		return cmp.Or(cmp.Compare(slices.Index(order, a.Channel), slices.Index(order, b.Channel)), cmp.Compare(a.UDIM, b.UDIM))
	})
	return s
}

// masked says whether a name says outright that a picture is a mask.
func masked(e entry) bool {
	c, weight, _ := e.name.claim()
	return c == material.Mask && weight >= 0.6 && e.saidChannel() == material.None
}

// furtherMask says whether a mask is another one than a set's first, whose words are noted.
func furtherMask(first *string, e entry) bool {
	words := ""
	for _, w := range e.name.said() {
		words += w.text + " "
	}
	if *first == "" {
		*first = words
	}
	return words != *first
}

// after orders what is so behind what is not.
func after(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// unswap notes normals whose first two components are in each other's place, where the set's
// height alone shows it.
func (s *Set) unswap() {
	n, h := s.Map(material.Normal), s.Map(material.Height)
	if n == nil || h == nil || len(n.Tiles) > 0 || n.Look.DirectionConfidence > 0.5 { // a direction shows that they are in order
		return
	}
	d, sure, ok := n.Look.swappedBy(h.Look)
	if !ok {
		return
	}
	n.Look.Swapped, n.Look.Direction, n.Look.DirectionConfidence = true, d, sure
	n.Reasons = slices.DeleteFunc(slices.Clone(n.Reasons), func(r Reason) bool { return r.Code == "slopes" || r.Code == "name_points" })
	n.face()
}

// setAside keeps normals of a whole object as attachments where the set has normals of its
// surface: nobody has to decide about them.
func (s *Set) setAside() {
	if s.Map(material.Normal) == nil {
		return
	}
	for _, file := range s.Refused {
		s.Unassigned = slices.DeleteFunc(s.Unassigned, func(f string) bool { return f == file })
		delete(s.Why, file)
		s.Attachments = append(s.Attachments, Attachment{file, "other", []Reason{Because("pixels", material.Normal, 0.9, "object_space")}})
	}
	s.Refused = nil
}

const (
	// plainBorder is how little a picture's border may vary, against all of it,
	// for it to show a thing before a plain ground.
	plainBorder = 0.03
	// tierSlack is how far apart on average two tiers of one map may be.
	tierSlack = 0.02
)

// like says whether two maps of one shape show the same, at whatever size; of normals that point
// other ways, with green turned over.
func (m Map) like(o Map) bool {
	flip := -1
	if m.Channel == material.Normal && m.Facing != o.Facing && m.Facing != normals.Unknown && o.Facing != normals.Unknown {
		flip = 1
	}
	return m.Look.Apart(o.Look, flip) <= tierSlack
}

// loose notes a picture that has no channel, once, and why.
func (s *Set) loose(address string, why ...Reason) {
	if !slices.Contains(s.Unassigned, address) {
		s.Unassigned = append(s.Unassigned, address)
	}
	if s.Why == nil {
		s.Why = map[string][]Reason{}
	}
	s.Why[address] = append(s.Why[address], why...)
}

// asMap is the picture as a map whose channel is still open.
func (e entry) asMap() Map {
	return Map{File: e.Path, Component: "rgb", Look: *e.Look, Tier: e.name.Tier, UDIM: e.name.UDIM, Version: e.name.version(), copied: e.name.copied, Claim: normals.ParseDirection(e.name.Side)}
}

// hasAlpha says whether a picture has an alpha that holds something.
func (e entry) hasAlpha() bool {
	n := e.Look.Info.Components
	return (n == 2 || n == 4) && !e.Look.flat(n-1)
}

// shown says whether a picture shows a material and is no map of it: before a plain ground or with
// writing on it, where another of the group is the base colour and has its detail elsewhere. A poster has
// writing, too, and a model's maps have a plain ground.
func (e entry) shown(group []entry) bool {
	if e.name.habit() != nil || !e.Look.rendered() && !e.Look.Captioned {
		return false
	}
	return slices.ContainsFunc(group, func(o entry) bool {
		c, _, _ := o.name.claim()
		if o.address() == e.address() || c != material.BaseColor && !(o.name.bare() && o.Look.looksBase() && !o.Look.rendered()) {
			return false
		}
		r, ok := e.Look.Beside(*o.Look)
		return !ok || r < inPlace
	})
}

// rendered says whether a picture shows a thing before a plain ground.
func (l Look) rendered() bool { return l.Border < plainBorder }

// keepAll names the pictures of which no component found a place.
func (s *Set) keepAll(group []entry) {
	kept := map[string]bool{}
	for _, m := range s.Maps {
		kept[m.address()] = true
		for _, t := range m.Tiles {
			kept[t.File] = true
		}
	}
	for _, a := range s.Attachments {
		kept[a.File] = true
	}
	for _, u := range s.Unassigned {
		kept[u] = true
	}
	for _, e := range group {
		if !kept[e.address()] {
			s.loose(e.address(), Because("peer", material.None, -0.5, "components_taken"))
		}
	}
}

// loneColour takes a set's only map for its base colour if it is in colour, whatever words
// its name has: a set has a base, and nobody sends a lone emissive or specular map. It goes
// by the pixels, which a data map does not have. Three components without colour are one less
// surely, and where no whole word says something else.
func loneColour(found []Map) {
	if len(found) != 1 {
		return
	}
	m := &found[0]
	l := &m.Look
	word := slices.ContainsFunc(m.Reasons, func(r Reason) bool { return r.Kind == "name" && r.Weight > 0.9 })
	ruled := slices.ContainsFunc(m.Reasons, func(r Reason) bool { return r.Kind == "rule" })
	if m.stated || m.Channel == material.BaseColor && m.Confidence >= 0.9 || m.Component != "rgb" || l.UnitLength > 0.6 || l.emptied() || ruled || l.grey() && (word || l.Info.Components < 3 || l.bimodal(0) > 0.85) {
		return
	}
	m.Verdict = Verdict{material.BaseColor, 0.93, []Reason{Because("peer", material.BaseColor, 0.7, "lone_colour"), Because("pixels", material.BaseColor, 0.35, "in_colour")}}
	if l.grey() {
		m.Verdict = Verdict{material.BaseColor, 0.8, []Reason{Because("peer", material.BaseColor, 0.5, "lone_colour")}}
	}
}

// sole is the one component that a picture's figures are in: "r" of one component, the first that is
// not empty where others are, "rgb" otherwise.
func (l *Look) sole() string {
	switch {
	case l.Info.Components == 1:
		return "r"
	case l.emptied():
		for c := range 3 {
			if !l.empty(c) {
				return "rgb"[c : c+1]
			}
		}
	}
	return "rgb"
}

// looksBase says whether a picture can only be a base colour by its pixels.
func (l Look) looksBase() bool {
	return !l.grey() && !l.normalLike() && !l.emptied() && l.Likeness > 0.5 // of packed maps the components have little in common
}
