package sidecar

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/material"
)

// Placed is a document with its path in the delivery.
type Placed struct {
	Path string
	Document
}

// index finds files of a delivery by what documents call them.
type index struct {
	whole, tail, base, stem map[string][]string // paths in lower case; their last two parts; their last; that without its ending
}

// mostAlike is how many files of one name are looked at to find the one that is meant.
const mostAlike = 256

// tail is the last two parts of a path.
func tail(file string) string { return path.Join(path.Base(path.Dir(file)), path.Base(file)) }

func indexed(files []string) index {
	x := index{map[string][]string{}, map[string][]string{}, map[string][]string{}, map[string][]string{}}
	for _, f := range files {
		low := strings.ToLower(f)
		base := path.Base(low)
		x.whole[low] = append(x.whole[low], f)
		x.base[base] = append(x.base[base], f)
		x.tail[tail(low)] = append(x.tail[tail(low)], f)
		stem := strings.TrimSuffix(base, path.Ext(base))
		x.stem[stem] = append(x.stem[stem], f)
	}
	return x
}

// find is the file that a document in dir means, "" if the delivery has none: by its path, by the longest end
// of it, or by its name with another ending.
func (x index) find(dir, file string) string {
	low := strings.ToLower(strings.ReplaceAll(file, "%20", " "))
	low = strings.ReplaceAll(strings.ReplaceAll(low, "<udim>", "1001"), "{udim}", "1001")
	if hits := x.whole[path.Join(strings.ToLower(dir), low)]; len(hits) > 0 {
		return hits[0]
	}
	base := path.Base(low)
	hits := x.base[base]
	if len(hits) > mostAlike {
		if hits = x.tail[tail(low)]; len(hits) > mostAlike {
			hits = hits[:mostAlike]
		}
	}
	if len(hits) == 0 {
		if ext := path.Ext(base); len(ext) <= 5 {
			base = strings.TrimSuffix(base, ext)
		}
		hits = x.stem[base]
	}
	best, most, tie := "", -1, false
	for _, f := range hits {
		switch n := 2*sameEnd(strings.ToLower(f), low) + min(sameStart(f, dir), 1); {
		case n > most:
			best, most, tie = f, n, false
		case n == most && sameStart(f, dir) > sameStart(best, dir):
			best = f
		case n == most && path.Dir(f) != path.Dir(best):
			tie = true
		}
	}
	if tie && sameStart(best, dir) == 0 {
		return "" // it could be any of them
	}
	return best
}

// sameEnd is how many parts two paths have in common at their end, the last not counted by its ending.
func sameEnd(a, b string) (n int) {
	as, bs := strings.Split(a, "/"), strings.Split(b, "/")
	for n = 1; n < min(len(as), len(bs)) && as[len(as)-1-n] == bs[len(bs)-1-n]; {
		n++
	}
	return n
}

// sameStart is how many folders a path and a folder have in common from the top.
func sameStart(file, dir string) (n int) {
	as, bs := strings.Split(path.Dir(file), "/"), strings.Split(dir, "/")
	for n < min(len(as), len(bs)) && as[n] == bs[n] {
		n++
	}
	return n
}

// Resolved is what documents say of the files of a delivery.
type Resolved struct {
	channels.Stated
	Facts map[string]Facts // by path of a picture: what is stated of its group
}

// Resolve finds the files that documents mean. Files are the paths of the delivery's pictures.
func Resolve(docs []Placed, files []string) Resolved {
	out := Resolved{channels.Stated{Of: map[string][]channels.Said{}}, map[string]Facts{}}
	if len(docs) == 0 {
		return out
	}
	x := indexed(files)
	docs = slices.Clone(docs)
	slices.SortStableFunc(docs, func(a, b Placed) int { return cmp.Compare(a.Path, b.Path) })
	type member struct {
		file string
		rank int
	}
	for _, d := range docs {
		groups, order := map[int][]member{}, []int{}
		for _, m := range d.Mentions {
			file := x.find(path.Dir(d.Path), m.File)
			if m.Whole != "" {
				if whole := x.find(path.Dir(d.Path), m.Whole); named(whole, m.Whole) {
					if file = whole; m.Before { // the words are part of its name
						m.Channel, m.Packing, m.Component, m.Side = material.None, nil, "", ""
					}
				}
			}
			if file == "" {
				continue
			}
			said := channels.Said{Channel: m.Channel, Weight: m.Weight, Component: m.Component, Packing: m.Packing, Side: m.Side, Word: m.Word, Document: d.Path}
			if (m.Channel != material.None || m.Packing != nil || m.Primary) && !slices.ContainsFunc(out.Of[file], func(s channels.Said) bool { return same(s, said) }) {
				out.Of[file] = append(out.Of[file], said)
			}
			if m.Group == 0 {
				continue
			}
			if groups[m.Group] == nil {
				order = append(order, m.Group)
			}
			rank := 2 // the base colour leads, then what is only listed
			switch {
			case m.Channel == material.BaseColor:
				rank = 0
			case m.Primary:
				rank = 1
			}
			groups[m.Group] = append(groups[m.Group], member{file, rank})
			if m.Group <= len(d.Groups) && !d.Groups[m.Group-1].Empty() {
				out.Facts[file] = out.Facts[file].Or(d.Groups[m.Group-1])
			}
		}
		for _, g := range order {
			list := groups[g]
			slices.SortStableFunc(list, func(a, b member) int { return cmp.Compare(a.rank, b.rank) })
			var files []string
			for _, m := range list {
				if !slices.Contains(files, m.file) {
					files = append(files, m.file)
				}
			}
			if len(files) > 1 && len(files) <= mostTogether {
				out.Together = append(out.Together, files)
			}
		}
	}
	// A file that is only listed somewhere is not so where it is said to be something.
	for file, list := range out.Of {
		if slices.ContainsFunc(list, func(s channels.Said) bool { return s.Channel != material.None || s.Packing != nil }) {
			out.Of[file] = slices.DeleteFunc(list, func(s channels.Said) bool { return s.Channel == material.None && s.Packing == nil })
		}
	}
	return out
}

// named says whether words before a name are part of it: the file's name has them, or its folder's.
func named(file, whole string) bool {
	file, whole = strings.ToLower(file), strings.ToLower(whole)
	return strings.HasSuffix("/"+file, "/"+whole) || strings.ContainsAny(path.Base(whole), " \t") && path.Base(file) == path.Base(whole)
}

// mostTogether is how many files one material can have.
const mostTogether = 64

func same(a, b channels.Said) bool {
	return a.Channel == b.Channel && a.Component == b.Component && slices.Equal(a.Packing, b.Packing)
}
