package channels

import (
	"cmp"
	"maps"
	"path"
	"slices"
	"strings"
	"unicode"

	"aldermoor/core/material"
	"aldermoor/core/raster"
)

// entry is a picture while it is being sorted.
type entry struct {
	File
	name     Name
	readings []Name // the ways to read its name
	ending   string // of the file's name: ".png"
	said     []Said // what documents say of it
	twice    string // a sign of its name that it is larger than another: "2x"
	near     bool   // another picture has its name but for the last word
}

// previewWords say that a picture shows a material; those of the second kind are words of materials, too,
// and say so only of pictures that look like it.
var (
	previewWords = []string{"preview", "render", "rendered", "thumb", "thumbnail", "thumbs"}
	showWords    = []string{"sphere", "ball", "contact", "sheet", "cover", "sample"}
)

// preview says whether a name is that of a picture of the material: it has a word that says so,
// with no channel behind it; and which words stand before that.
func (n Name) preview() (before []word, ok bool) {
	for i := len(n.all) - 1; i >= 0; i-- {
		switch w := n.all[i]; {
		case w.says():
			return nil, false
		case shows(w.text) && (i > 0 || len(n.all) == 1):
			return n.all[:i], true
		case w.role == own && !countWord.MatchString(w.text):
			return nil, false
		}
	}
	return nil, false
}

// Sort makes sets out of a heap of files. Every file is in exactly one set, as a
// map, an attachment or unassigned, but for maps that variants share; the order of files
// does not matter. Rules say what else names may end in; the first that fits is taken.
func Sort(files []File, rules ...Rule) []Set { return SortStated(files, Stated{}, rules...) }

// SortStated is Sort with what documents of the delivery say of its pictures.
func SortStated(files []File, stated Stated, rules ...Rule) []Set {
	files = slices.Clone(files)
	slices.SortFunc(files, func(a, b File) int { return cmp.Compare(a.address(), b.address()) })
	var pictures []entry
	var others []File
	for _, f := range files {
		if f.Look == nil {
			others = append(others, f)
			continue
		}
		pictures = append(pictures, entry{File: f, ending: strings.ToLower(path.Ext(f.Path)), said: stated.of(f)})
	}
	takeApart(pictures, rules)
	pictures, previews := apart(pictures)
	pictures, strays := notMaps(pictures)
	readNames(pictures)

	groups, order := map[string][]entry{}, []string{}
	for _, e := range pictures {
		k := e.name.key()
		if groups[k] == nil {
			order = append(order, k)
		}
		groups[k] = append(groups[k], e)
	}
	order = cameraSets(groups, order)
	order, shared := regroup(groups, order, stated.Together)
	order = splitCases(groups, joinStray(groups, joinSplit(groups, order)))
	order = variants(groups, order, shared)

	order, previews = lonePreviews(groups, order, previews)

	sets := make([]Set, len(order))
	raster.Each(len(order), func(i int) {
		k := order[i]
		sets[i] = decide(groups[k])
		sets[i].bound(groups[k])
		if sets[i].Name = groups[k][0].name.Label(); sets[i].Name == "" {
			if _, own, _ := strings.Cut(k, "\x00"); own != "." { // which is no folder's name
				sets[i].Name = own
			}
		}
	})
	shareMaps(sets, order, shared)
	// Previews and other files go to the set that shares most of their path.
	dirs := make([]string, len(order))
	for i, k := range order {
		dirs[i] = strings.ReplaceAll(k, "\x00", "/")
	}
	if len(sets) == 0 && len(files) > 0 {
		sets, dirs = []Set{{Name: nameOf(files[0].Path)}}, []string{""}
	}
	home := finderOf(dirs)
	for _, e := range previews {
		i := home.nearest(path.Join(e.name.Dir, e.name.own()))
		sets[i].Attachments = append(sets[i].Attachments, Attachment{e.Path, "preview", []Reason{e.previewReason()}})
	}
	for _, e := range strays {
		i := home.nearest(path.Join(e.name.Dir, e.name.own()))
		sets[i].Attachments = append(sets[i].Attachments, Attachment{e.Path, "other", []Reason{e.noMap()}})
	}
	for _, f := range others {
		i := home.nearest(strings.ToLower(strings.TrimSuffix(f.Path, path.Ext(f.Path))))
		sets[i].Attachments = append(sets[i].Attachments, attached(f.Path))
	}
	return sets
}

// noMapWords are words of pictures that are no maps of a surface, by what they are.
var noMapWords = map[string]string{"hdri": "environment", "panorama": "environment", "pano": "environment", "skybox": "environment", "envmap": "environment", "lightmap": "baked_light", "lightmaps": "baked_light",
	"reference": "reference", "colorchart": "chart", "colourchart": "chart", "greycard": "chart", "graycard": "chart", "contactsheet": "reference"}

// noMap says why a picture is no map of a surface; its code is empty if it may be one. A panorama of light is
// twice as wide as high, in floats that go beyond white.
func (e entry) noMap() Reason {
	if e.saidChannel() != material.None {
		return Reason{}
	}
	for i, w := range e.name.all {
		code := noMapWords[w.text]
		if code == "environment" && !e.Look.Info.Float && e.Look.Info.W != 2*e.Look.Info.H {
			continue
		}
		if code != "" && (i == len(e.name.all)-1 || code == "environment") {
			return Because("name", material.None, 0.8, code, "word", w.text)
		}
	}
	l := e.Look
	c, weight, _ := ParseName(e.Path).claim()
	if l.Info.Float && l.Info.Components >= 3 && l.Info.W == 2*l.Info.H && !l.grey() && (c == material.None || weight < outright) && max(l.Max[0], l.Max[1], l.Max[2]) > 1.5 {
		return Because("pixels", material.None, 0.8, "environment")
	}
	return Reason{}
}

// notMaps takes out pictures that are no maps.
func notMaps(all []entry) (pictures, others []entry) {
	for _, e := range all {
		if e.noMap().Code != "" {
			others = append(others, e)
		} else {
			pictures = append(pictures, e)
		}
	}
	return pictures, others
}

// previewReason says why a picture is taken for a preview.
func (e entry) previewReason() Reason {
	if _, ok := e.name.preview(); ok && len(e.name.kept) < len(e.name.all) {
		return Because("name", material.None, 0.8, "preview_word", "word", e.name.all[len(e.name.kept)].text)
	}
	if e.Look.Captioned {
		return Because("pixels", material.None, 0.8, "writing")
	}
	return Because("pixels", material.None, 0.8, "plain_border")
}

// lonePreviews takes out pictures of a thing before a plain ground whose names say nothing, where
// their folder holds one set beside them: they show that.
func lonePreviews(groups map[string][]entry, order []string, previews []entry) ([]string, []entry) {
	in := map[string]int{} // sets of several files by their folder
	alone := map[string]int{}
	for _, k := range order {
		if dir, _, _ := strings.Cut(k, "\x00"); len(groups[k]) > 1 {
			in[dir]++
		} else {
			alone[dir]++
		}
	}
	var out []string
	for _, k := range order {
		dir, _, _ := strings.Cut(k, "\x00")
		g := groups[k]
		if len(g) == 1 && g[0].Look.rendered() && g[0].name.bare() && in[dir] == 1 && alone[dir] == 1 {
			previews = append(previews, g[0])
			continue
		}
		out = append(out, k)
	}
	return out, previews
}

// apart takes out the pictures that are previews by their names. A word that also means a
// material ("sheet", "render") is the material's own where other files of that name are maps.
func apart(all []entry) (pictures, previews []entry) {
	type said struct {
		key     string
		channel material.Channel
	}
	count := map[string]map[said]bool{} // by key, the channels that others have by it
	stems := map[string]bool{}
	for _, e := range all {
		for _, p := range e.name.places() {
			stems[p.stem] = true
		}
	}
	doubtful := slices.ContainsFunc(all, func(e entry) bool { _, ok := e.name.preview(); return ok && !e.Look.rendered() })
	for _, e := range all {
		if !doubtful {
			break
		}
		for _, n := range e.readings {
			if c, _, _ := n.claim(); !n.bare() {
				if count[n.key()] == nil {
					count[n.key()] = map[said]bool{}
				}
				count[n.key()][said{e.address(), c}] = true
			}
		}
	}
	for _, e := range all {
		before, ok := e.name.preview()
		ok = ok && e.saidChannel() == material.None
		if ok && len(before) > 0 && !e.Look.rendered() && !e.Look.Captioned && !slices.ContainsFunc(e.name.all, func(w word) bool { return slices.Contains(previewWords, w.text) }) {
			p := place{stem: e.name.Dir}
			for _, w := range before {
				p.stem += "\x00" + w.text
			}
			ok = stems[p.stem] // beside maps of that name
		}
		if ok && !e.Look.rendered() {
			for _, n := range e.readings {
				c, _, _ := n.claim()
				for s := range count[n.key()] {
					ok = ok && (s.key == e.address() || s.channel == c)
				}
			}
		}
		if !ok {
			pictures = append(pictures, e)
			continue
		}
		e.name.kept = before
		previews = append(previews, e)
	}
	return pictures, previews
}

// Heap is all files as one set, its pictures unassigned: for files whose names cannot
// be read.
func Heap(files []File) Set {
	s := Set{Name: nameOf(files[0].Path)}
	for _, f := range files {
		if f.Look == nil {
			s.Attachments = append(s.Attachments, attached(f.Path))
		} else {
			s.Unassigned = append(s.Unassigned, f.address())
		}
	}
	return s
}

func nameOf(file string) string {
	if d := path.Dir(file); d != "." {
		return path.Base(d)
	}
	return strings.TrimSuffix(path.Base(file), path.Ext(file))
}

// joinSplit joins groups of one name in different folders whose channels do not
// overlap: a set split over folders.
func joinSplit(groups map[string][]entry, order []string) []string {
	has := map[string]map[string]bool{} // of a group that was kept, the channels and tiles that it has
	kept := map[string][]string{}       // groups by the material's own words
	var out []string
next:
	for _, k := range order {
		mine := map[string]bool{}
		for _, e := range groups[k] {
			c, _, _ := e.name.claim()
			mine[string(c)+e.name.UDIM] = true
		}
		_, own, _ := strings.Cut(k, "\x00")
		if strings.ContainsFunc(own, unicode.IsLetter) {
			for _, to := range kept[own] {
				overlap := false
				for c := range mine {
					overlap = overlap || has[to][c]
				}
				if !overlap {
					groups[to] = append(groups[to], groups[k]...)
					delete(groups, k)
					maps.Copy(has[to], mine)
					continue next
				}
			}
			kept[own], has[k] = append(kept[own], k), mine
		}
		out = append(out, k)
	}
	return out
}

// joinStray joins a lone file whose name says nothing of a channel to the set
// of its folder whose name its own goes on from ("slates round" takes "slates
// round 7"), so that somebody can say what it is.
func joinStray(groups map[string][]entry, order []string) (out []string) {
	alone := map[string]bool{}
	for _, k := range order {
		g := groups[k]
		alone[k] = len(g) == 1 && g[0].name.bare() && g[0].name.unknown == "" && len(g[0].said) == 0
	}
next:
	for _, k := range order {
		for at := strings.LastIndexByte(k, '_'); alone[k] && at > strings.IndexByte(k, 0); at = strings.LastIndexByte(k[:at], '_') {
			to := k[:at]
			if g := groups[k]; len(groups[to]) > 1 && !alone[to] && !(g[0].Look.Info.Components >= 3 && !g[0].Look.normalLike() && hasBase(groups[to])) {
				groups[to] = append(groups[to], g...)
				continue next
			}
		}
		out = append(out, k)
	}
	return out
}

// hasBase says whether a group has a base colour: by a name, or by a picture of its bare name.
func hasBase(group []entry) bool {
	return slices.ContainsFunc(group, func(e entry) bool {
		c, _, _ := e.name.claim()
		return c == material.BaseColor || e.name.bare() && e.name.unknown == "" && e.Look.Info.Components >= 3 && e.Look.UnitLength < 0.6
	})
}

// splitCases splits groups whose names differ by the case of letters alone, if each of them
// has the same channels: they are two sets.
func splitCases(groups map[string][]entry, order []string) (out []string) {
	for _, k := range order {
		parts, names := map[string][]entry{}, []string{}
		claimed := map[string]map[material.Channel]bool{}
		for _, e := range groups[k] {
			exact := e.name.exact()
			if parts[exact] == nil {
				names, claimed[exact] = append(names, exact), map[material.Channel]bool{}
			}
			c, _, _ := e.name.claim()
			parts[exact] = append(parts[exact], e)
			claimed[exact][c] = true
		}
		same := len(names) > 1
		for _, n := range names[1:] {
			shared := 0
			for c := range claimed[n] {
				if claimed[names[0]][c] {
					shared++
				}
			}
			same = same && shared == len(claimed[n]) && strings.EqualFold(n, names[0])
		}
		if !same {
			out = append(out, k)
			continue
		}
		for _, n := range names {
			part := k + "\x00" + n
			groups[part] = parts[n]
			out = append(out, part)
		}
	}
	return out
}

// finder finds the set that a file belongs to by its path.
type finder struct {
	paths []string // of the sets, without spaces and the like, sorted
	index []int    // of the set of each
}

var plainPath = strings.NewReplacer(" ", "", "-", "", "_", "")

func finderOf(dirs []string) (f finder) {
	for i, d := range dirs {
		f.paths, f.index = append(f.paths, plainPath.Replace(strings.ToLower(d))), append(f.index, i)
	}
	order := make([]int, len(dirs))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(f.paths[a], f.paths[b]) })
	paths, index := make([]string, len(dirs)), make([]int, len(dirs))
	for i, k := range order {
		paths[i], index[i] = f.paths[k], k
	}
	return finder{paths, index}
}

// nearest is the index of the set whose path shares the longest beginning with file; of several the first. Where
// very many share it, it is the first of those that lie near.
func (f finder) nearest(file string) int {
	file = plainPath.Replace(strings.ToLower(file))
	same := func(i int) int {
		if i < 0 || i >= len(f.paths) {
			return -1
		}
		n := 0
		for n < len(f.paths[i]) && n < len(file) && f.paths[i][n] == file[n] {
			n++
		}
		return n
	}
	at, _ := slices.BinarySearch(f.paths, file) // the longest beginning is a neighbour's
	most := max(same(at-1), same(at))
	best := -1
	for _, step := range []int{-1, 1} {
		for i, n := at+min(step, 0), 0; n < mostNeighbours && same(i) == most; i, n = i+step, n+1 {
			if best < 0 || f.index[i] < best {
				best = f.index[i]
			}
		}
	}
	return max(best, 0)
}

// mostNeighbours is how many sets of one beginning are looked at.
const mostNeighbours = 512

// attached is what a file that is no picture is, by its name or its ending.
func attached(file string) Attachment {
	base := strings.ToLower(path.Base(file))
	for _, w := range split(base) {
		kind := ""
		switch w.text {
		case "licence", "license", "copying", "rights", "eula", "copyright":
			kind = "licence"
		case "readme", "notes", "note", "info", "changelog":
			kind = "notes"
		}
		if kind != "" {
			return Attachment{file, kind, []Reason{Because("name", material.None, 0.8, "file_word", "word", w.text)}}
		}
	}
	ending := path.Ext(base)
	kind := "other"
	switch ending {
	case ".txt", ".md", ".json", ".pdf", ".html":
		kind = "notes"
	}
	return Attachment{file, kind, []Reason{Because("name", material.None, 0.5, "file_ending", "ending", ending)}}
}
