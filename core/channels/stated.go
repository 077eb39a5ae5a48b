package channels

import (
	"cmp"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/normals"
)

// Stated is what the documents of a delivery say of its pictures. It goes before names, and before pixels
// that do not prove otherwise.
type Stated struct {
	Of       map[string][]Said // by path
	Together [][]string        // paths of pictures that are one material, what it is about first; one may stand in several
}

// Said is what one document says of one picture.
type Said struct {
	Channel   material.Channel   // None if it only lists the file
	Weight    float64            // how plainly it says so, 0..1
	Component string             // the component that is meant; "" for the colours
	Packing   []material.Channel // of a packed map
	Side      string             // of normals: y+, y- or ""
	Word      string             // the document's word
	Document  string             // its path
}

// of is what is said of a file, read by what its name and pixels allow: a mask may be the opacity that the
// name says, and what stands in the place of a bump map is a normal map if it looks like one.
func (s Stated) of(f File) []Said {
	list := slices.Clone(s.Of[f.Path])
	list = slices.DeleteFunc(list, func(d Said) bool { return d.Channel == material.Mask && Says(f.Path) == material.Opacity })
	for i := range list {
		if d := &list[i]; d.Channel == material.Height && (f.Look.normalLike() || f.Look.middling()) {
			d.Channel = material.Normal
		}
	}
	return list
}

// listed is how far a picture that a document only lists as a material's is to be taken for its base colour.
const listed = 0.45

// stated adds what documents say of a whole picture.
func (e entry) stated(add func(kind string, c material.Channel, w float64, code string, pairs ...any)) {
	for _, s := range e.said {
		switch {
		case s.Packing != nil:
		case s.Channel == material.None:
			add("document", material.BaseColor, listed, "document_lists", "document", s.Document)
		case s.Component == "" || e.sole(s.Component):
			add("document", s.Channel, 2*s.Weight, "document_says", "document", s.Document, "word", s.Word)
		}
	}
}

// sole says whether a component is the only one that documents speak of.
func (e entry) sole(component string) bool {
	return !slices.ContainsFunc(e.said, func(s Said) bool { return s.Component != component && s.Channel != material.None })
}

// saidChannel is the channel that documents give a whole picture; None if they give none, or several.
func (e entry) saidChannel() (c material.Channel) {
	for _, s := range e.said {
		if s.Channel != material.None && s.Packing == nil && (s.Component == "" || e.sole(s.Component)) {
			if c != material.None && c != s.Channel {
				return material.None
			}
			c = s.Channel
		}
	}
	return c
}

// saidParts are the components of a packed map as documents have them, or nil.
func (e entry) saidParts() (out []part) {
	put := func(component string, c material.Channel, s Said) {
		if c == material.None || slices.ContainsFunc(out, func(p part) bool { return p.component == component || p.Channel == c }) {
			return
		}
		out = append(out, part{component, Verdict{c, 0.97, []Reason{Because("document", c, 1, "document_says", "document", s.Document, "word", cmp.Or(s.Word, component))}}})
	}
	for _, s := range e.said {
		for i, c := range s.Packing {
			if i < min(4, e.Look.Info.Components) {
				put("rgba"[i:i+1], c, s)
			}
		}
		if s.Component != "" && strings.Index("rgba", s.Component) < e.Look.Info.Components {
			put(s.Component, s.Channel, s)
		}
	}
	if len(out) < 2 {
		return nil
	}
	return out
}

// regroup puts pictures together that documents say are one material. shared are, by the key of a group, the
// pictures of other groups that are its material's, too.
func regroup(groups map[string][]entry, order []string, together [][]string) (keys []string, shared map[string][]string) {
	shared = map[string][]string{}
	if len(together) == 0 {
		return order, shared
	}
	at := map[string]string{} // by path, the key of the group
	for k, g := range groups {
		for _, e := range g {
			at[e.Path] = k
		}
	}
	led := map[string]bool{}   // groups that a document's material has
	taken := map[string]bool{} // pictures that one has
	move := func(file, to string) {
		from := at[file]
		for i := 0; i < len(groups[from]); i++ {
			if e := groups[from][i]; e.Path == file {
				groups[to] = append(groups[to], e)
				groups[from] = slices.Delete(slices.Clone(groups[from]), i, i+1)
				i--
			}
		}
		at[file] = to
	}
	for _, list := range together {
		list = slices.DeleteFunc(slices.Clone(list), func(f string) bool { return at[f] == "" })
		if len(list) < 2 {
			continue
		}
		lead := list[0]
		to := at[lead]
		if led[to] && !taken[lead] { // of another material already: this one stands by itself
			e := groups[to][slices.IndexFunc(groups[to], func(e entry) bool { return e.Path == lead })]
			to = e.name.Dir + "\x00" + e.name.take(0, 0).own()
			if _, there := groups[to]; there {
				to += "\x00" + lead
			}
			groups[to], order = nil, append(order, to)
			move(lead, to)
		}
		led[to], taken[lead] = true, true
		for _, f := range list[1:] {
			switch {
			case at[f] == to:
			case taken[f]:
				shared[to] = append(shared[to], f)
				continue
			default:
				move(f, to)
			}
			taken[f] = true
		}
	}
	for _, k := range order {
		if len(groups[k]) > 0 {
			keys = append(keys, k)
		}
	}
	return keys, shared
}

// shareMaps gives sets the maps of others that are theirs, too: as documents say, or as variants have them.
func shareMaps(sets []Set, order []string, shared map[string][]string) {
	if len(shared) == 0 {
		return
	}
	owner := map[string]*Set{}
	for i := range sets {
		for _, m := range sets[i].Maps {
			if m.Shared == "" {
				owner[m.File] = &sets[i]
			}
		}
	}
	for i, k := range order {
		for _, file := range shared[k] {
			from := owner[file]
			if from == nil || from == &sets[i] {
				continue
			}
			for _, m := range from.Maps {
				if m.File != file || m.Shared != "" || sets[i].Map(m.Channel) != nil {
					continue
				}
				m.Shared = from.Name
				m.Reasons = append(slices.Clone(m.Reasons), Because("peer", m.Channel, 0.5, "shared", "set", from.Name))
				sets[i].Maps = append(sets[i].Maps, m)
			}
		}
	}
}

// contradicted says which channel documents give a map that its pixels speak against, or that it was not
// given.
func (m *Map) contradicted(e *entry) {
	c := e.saidChannel()
	if c == material.None || m.part || m.Component == "a" {
		return
	}
	if c != m.Channel || m.Look.Against(c).Code != "" {
		m.Said, m.SaidBy = c, e.said[0].Document
	}
	for _, s := range e.said {
		if d := normals.ParseDirection(s.Side); m.Channel == material.Normal && d != normals.Unknown && m.Facing != normals.Unknown && d != m.Facing && m.Sure > 0.5 {
			m.Said, m.SaidBy = material.Normal, s.Document
		}
	}
}
