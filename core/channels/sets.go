package channels

import (
	"cmp"
	"math"
	"path"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/normals"
)

// File is one file of a delivery. Look is nil if it is not a picture.
type File struct {
	Path string
	Look *Look
}

// Map is one map of a set: a file, or a component of one.
type Map struct {
	File      string
	Component string // rgb, r, g, b or a
	Verdict
	Look   Look
	Tier   string
	UDIM   string
	Claim  normals.Direction // the direction that the name gives
	Facing normals.Direction // the direction decided on, of normal maps
	Sure   float64           // confidence in Facing
	Tiles  []Tile            // of UDIM maps: all tiles, the first included

	Decided bool // a person has said which channel it is
}

// Tile is one UDIM tile of a map.
type Tile struct {
	UDIM string `json:"udim"`
	File string `json:"file"`
}

// addTile takes another tile into a map. The lowest number leads.
func (m *Map) addTile(o Map) {
	if m.Tiles == nil {
		m.Tiles = []Tile{{m.UDIM, m.File}}
	}
	tiles := append(m.Tiles, Tile{o.UDIM, o.File})
	slices.SortFunc(tiles, func(a, b Tile) int { return cmp.Compare(a.UDIM, b.UDIM) })
	if o.UDIM < m.UDIM {
		*m = o
	}
	m.Tiles = tiles
}

// Attachment is a file that is no map of the set, named as what it is.
type Attachment struct {
	File string `json:"file"`
	Kind string `json:"kind"` // preview, licence, notes, lower_tier or other
}

// Set is a texture set.
type Set struct {
	Name        string
	Maps        []Map
	Attachments []Attachment
	Unassigned  []string    // pictures that could be maps, but of no channel that is free
	Refused     []string    // normal maps of a whole object (object space), which no surface can use
	Unlike      [][2]string // a map, and a smaller tier or mirrored copy that shows something else
}

// Map returns the set's map of a channel, or nil.
func (s *Set) Map(c material.Channel) *Map {
	for i := range s.Maps {
		if s.Maps[i].Channel == c {
			return &s.Maps[i]
		}
	}
	return nil
}

// Workflow is metal_rough, spec_gloss or plain.
func (s *Set) Workflow() string {
	switch {
	case s.Map(material.Specular) != nil && s.Map(material.Glossiness) != nil && s.Map(material.Metallic) == nil:
		return "spec_gloss"
	case len(s.Maps) > 0:
		return "metal_rough"
	}
	return "plain"
}

// entry is a picture while it is being sorted.
type entry struct {
	File
	name Name
}

func (e entry) key() string {
	own := strings.Join(e.name.Own, "_")
	if own == "" {
		own = path.Base(e.name.Dir)
	}
	return own
}

var previewWords = []string{"preview", "render", "rendered", "thumb", "thumbnail", "sphere", "ball", "contact", "sheet", "cover", "sample"}

// preview says whether a name is that of a picture of the material, and strips
// the word that tells.
func (n *Name) preview() bool {
	if c, w, _ := n.claim(); c != material.None && w > 0.4 {
		return false
	}
	for i, w := range n.Own {
		if i > 0 && slices.Contains(previewWords, w) || len(n.Own) == 1 && slices.Contains(previewWords, w) {
			n.Own, n.kept = n.Own[:i], n.kept[:i]
			return true
		}
	}
	return false
}

// Address names a picture of a file that may hold several: its path, and behind
// a "#" its layer.
func Address(file, layer string) string {
	if layer == "" {
		return file
	}
	return file + "#" + layer
}

func (f File) address() string {
	if f.Look == nil {
		return f.Path
	}
	return Address(f.Path, f.Look.Info.Layer)
}

// named is the path under which a picture is judged by its name: a layer's name
// counts like the end of a file's.
func named(f File) string {
	layer := f.Look.Info.Layer
	if layer == "" {
		return f.Path
	}
	ext := path.Ext(f.Path)
	return strings.TrimSuffix(f.Path, ext) + "_" + strings.ReplaceAll(layer, "/", "_") + ext
}

// Sort makes sets out of a heap of files. Every file is in exactly one set, as a
// map, an attachment or unassigned; the order of files does not matter. Rules say
// what else names may end in; the first that fits is taken.
func Sort(files []File, rules ...Rule) []Set {
	files = slices.Clone(files)
	slices.SortFunc(files, func(a, b File) int { return cmp.Compare(a.address(), b.address()) })
	var pictures, previews []entry
	var others []File
	for _, f := range files {
		if f.Look == nil {
			others = append(others, f)
			continue
		}
		e := entry{f, ParseName(named(f), rules...)}
		if e.name.preview() {
			previews = append(previews, e)
		} else {
			pictures = append(pictures, e)
		}
	}
	readFolders(pictures)
	readFronts(pictures)
	returnWords(pictures)
	readBare(pictures)
	readVariants(pictures)
	readNumbers(pictures)

	groups, order := map[string][]entry{}, []string{}
	for _, e := range pictures {
		k := e.name.Dir + "\x00" + e.key()
		if groups[k] == nil {
			order = append(order, k)
		}
		groups[k] = append(groups[k], e)
	}
	order = splitCases(groups, joinStray(groups, joinSplit(groups, order)))

	var sets []Set
	for _, k := range order {
		s := decide(groups[k])
		if s.Name = groups[k][0].name.Label(); s.Name == "" {
			s.Name = groups[k][0].key()
		}
		sets = append(sets, s)
	}
	// Previews and other files go to the set that shares most of their path.
	dirs := make([]string, len(order))
	for i, k := range order {
		dirs[i] = strings.ReplaceAll(k, "\x00", "/")
	}
	if len(sets) == 0 && len(files) > 0 {
		sets, dirs = []Set{{Name: nameOf(files[0].Path)}}, []string{""}
	}
	for _, e := range previews {
		i := nearest(dirs, path.Join(e.name.Dir, strings.Join(e.name.Own, "_")))
		sets[i].Attachments = append(sets[i].Attachments, Attachment{e.Path, "preview"})
	}
	for _, f := range others {
		i := nearest(dirs, strings.ToLower(strings.TrimSuffix(f.Path, path.Ext(f.Path))))
		sets[i].Attachments = append(sets[i].Attachments, Attachment{f.Path, kindOf(f.Path)})
	}
	return sets
}

// Heap is all files as one set, its pictures unassigned: for files whose names cannot
// be read.
func Heap(files []File) Set {
	s := Set{Name: nameOf(files[0].Path)}
	for _, f := range files {
		if f.Look == nil {
			s.Attachments = append(s.Attachments, Attachment{f.Path, kindOf(f.Path)})
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

// returnWords gives words that look like channels back to material names: if
// several files of a group go on after the same channel word, to different
// channels, it belongs to the name ("plate metal col", "plate metal nrm").
func returnWords(pictures []entry) {
	type group struct{ dir, own, lead string }
	follow := map[group]map[material.Channel]bool{}
	for _, e := range pictures {
		if lead, more := e.name.lead(); more {
			g := group{e.name.Dir, e.key(), lead}
			if follow[g] == nil {
				follow[g] = map[material.Channel]bool{}
			}
			c, _, _ := e.name.claim()
			follow[g][c] = true
		}
	}
	for i := range pictures {
		e := &pictures[i]
		lead, _ := e.name.lead()
		if len(follow[group{e.name.Dir, e.key(), lead}]) >= 2 {
			e.name.giveBack()
		}
	}
}

// readFolders takes the channel from the folder where files of one name lie in
// several channels' folders: "planks/normal/planks", "planks/height/planks".
func readFolders(pictures []entry) {
	type place struct{ above, name string }
	at := func(e entry) place { return place{e.name.stemDir, strings.Join(e.name.asBare().Own, " ")} }
	folders := map[place]map[material.Channel]bool{}
	for _, e := range pictures {
		if e.name.folder == nil {
			continue
		}
		if folders[at(e)] == nil {
			folders[at(e)] = map[material.Channel]bool{}
		}
		c, _, _ := claim(e.name.folder)
		folders[at(e)][c] = true
	}
	for i := range pictures {
		e := &pictures[i]
		if e.name.folder == nil || len(folders[at(*e)]) < 2 {
			continue
		}
		n := e.name.asBare()
		n.words = append(slices.Clone(e.name.folder), n.words...)
		n.note()
		n.settled = true
		e.name = n
	}
}

// readFronts reads names with the channel first where that makes larger sets: in
// "normal_metal" and "height_metal" metal is the material.
func readFronts(pictures []entry) {
	backs, fronts := map[string]map[material.Channel]bool{}, map[string]map[material.Channel]bool{}
	note := func(to map[string]map[material.Channel]bool, e entry) {
		k := e.name.Dir + "\x00" + e.key()
		if to[k] == nil {
			to[k] = map[material.Channel]bool{}
		}
		c, _, _ := e.name.claim()
		to[k][c] = true
	}
	for _, e := range pictures {
		note(backs, e)
		if n, ok := e.name.asFront(); ok && !e.name.settled {
			note(fronts, entry{e.File, n})
		}
	}
	for i := range pictures {
		e := &pictures[i]
		if n, ok := e.name.asFront(); ok && !e.name.settled {
			f := entry{e.File, n}
			if len(fronts[n.Dir+"\x00"+f.key()]) > max(len(backs[e.name.Dir+"\x00"+e.key()]), 1) {
				e.name = n
			}
		}
	}
}

// readBare reads a name as the material's alone where a set of that whole name
// lacks the channel that it seems to give: beside "plate_metal_nrm" and
// "plate_metal_ao", "plate_metal" is no metallic map.
func readBare(pictures []entry) {
	sets := map[string]map[material.Channel]bool{}
	for _, e := range pictures {
		k := e.name.Dir + "\x00" + e.key()
		if sets[k] == nil {
			sets[k] = map[material.Channel]bool{}
		}
		c, _, _ := e.name.claim()
		sets[k][c] = true
	}
	for i := range pictures {
		e := &pictures[i]
		if e.name.settled || !says(e.name.words) || len(e.name.Own) == len(e.name.all) {
			continue
		}
		bare := entry{e.File, e.name.asBare()}
		whole := sets[bare.name.Dir+"\x00"+bare.key()]
		if len(whole) >= 2 && bare.key() != e.key() && !whole[material.BaseColor] {
			e.name = bare.name
		}
	}
}

// readVariants reads a single letter that could stand for a base colour as the name's where
// the stem has a picture of its own: beside "wall", "wall-a" and "wall-c" are further walls.
func readVariants(pictures []entry) {
	bare := map[string]bool{}
	for _, e := range pictures {
		if !says(e.name.words) && !e.Look.grey() {
			bare[e.name.Dir+"\x00"+e.key()] = true
		}
	}
	for i := range pictures {
		e := &pictures[i]
		c, _, text := e.name.claim()
		if c == material.BaseColor && len(text) == 1 && !e.name.settled && bare[e.name.Dir+"\x00"+e.key()] {
			e.name = e.name.asBare()
		}
	}
}

// readNumbers takes pictures of one folder that are named by numbers alone for one set, named
// after the folder, if they can be one by their pixels: one colour beside normals or grey.
func readNumbers(pictures []entry) {
	folders := map[string][]int{}
	for i, e := range pictures {
		number := len(e.name.all) > 0
		for _, w := range e.name.all {
			number = number && strings.Trim(w.text, "0123456789") == ""
		}
		if number && e.name.UDIM == "" {
			folders[e.name.Dir] = append(folders[e.name.Dir], i)
		}
	}
	for _, list := range folders {
		colours, others, normals := 0, 0, 0
		for _, i := range list {
			switch l := pictures[i].Look; {
			case l.UnitLength > 0.9:
				normals++
			case l.grey():
				others++
			default:
				colours++
			}
		}
		if colours != 1 || normals > 1 || normals+others == 0 || len(list) > 12 {
			continue
		}
		for _, i := range list {
			n := &pictures[i].name
			n.Own, n.kept = nil, nil
		}
	}
}

// joinSplit joins groups of one name in different folders whose channels do not
// overlap: a set split over folders.
func joinSplit(groups map[string][]entry, order []string) []string {
	has := func(k string) map[string]bool {
		m := map[string]bool{}
		for _, e := range groups[k] {
			c, _, _ := e.name.claim()
			m[string(c)+e.name.UDIM] = true
		}
		return m
	}
	var out []string
next:
	for _, k := range order {
		_, own, _ := strings.Cut(k, "\x00")
		if strings.ContainsFunc(own, func(r rune) bool { return r >= 'a' && r <= 'z' }) {
			for _, to := range out {
				if _, other, _ := strings.Cut(to, "\x00"); other != own {
					continue
				}
				mine, theirs, overlap := has(k), has(to), false
				for c := range mine {
					overlap = overlap || theirs[c]
				}
				if !overlap {
					groups[to] = append(groups[to], groups[k]...)
					continue next
				}
			}
		}
		out = append(out, k)
	}
	return out
}

// joinStray joins a lone file whose name says nothing of a channel to the set
// of its folder whose name its own goes on from ("slates round" takes "slates
// round 7"), so that somebody can say what it is.
func joinStray(groups map[string][]entry, order []string) []string {
	var out []string
next:
	for _, k := range order {
		if g := groups[k]; len(g) == 1 && !says(g[0].name.words) {
			for _, to := range order {
				if to != k && len(groups[to]) > 1 && strings.HasPrefix(k, to+"_") && !(g[0].Look.looksBase() && hasBase(groups[to])) {
					groups[to] = append(groups[to], g...)
					continue next
				}
			}
		}
		out = append(out, k)
	}
	return out
}

// looksBase says whether a picture can only be a base colour by its pixels.
func (l Look) looksBase() bool {
	return !l.grey() && l.Spread > 0.03 && l.UnitLength < 0.6 && l.Likeness > 0.5 // of packed maps the components have little in common
}

// hasBase says whether a group has a base colour: by a name, or by a picture of its bare name.
func hasBase(group []entry) bool {
	return slices.ContainsFunc(group, func(e entry) bool {
		c, _, _ := e.name.claim()
		return c == material.BaseColor || !says(e.name.words) && e.Look.looksBase()
	})
}

// decide settles who is which channel within one set.
func decide(group []entry) Set {
	var s Set
	var found []Map
	for _, e := range group {
		look := *e.Look
		base := Map{File: e.Path, Component: "rgb", Look: look, Tier: e.name.Tier, UDIM: e.name.UDIM, Claim: normals.ParseDirection(e.name.Side)}
		if parts := unpackable(e.name, look); parts != nil {
			for _, part := range parts {
				m := base
				m.Component, m.Verdict = part.component, part.Verdict
				found = append(found, m)
			}
			continue
		}
		if look.Border < plainBorder && !says(e.name.words) && len(group) > 2 {
			s.Attachments = append(s.Attachments, Attachment{e.Path, "preview"})
			continue
		}
		n := look.Info.Components
		alpha := (n == 2 || n == 4) && !look.flat(n-1)
		colours := e.name
		if alpha {
			colours, _, _ = e.name.withAlpha()
		}
		base.Verdict = judge(colours, look)
		if base.Channel == material.None {
			s.Unassigned = append(s.Unassigned, e.address())
			if look.objectSpace() {
				s.Refused = append(s.Refused, e.Path)
			}
			continue
		}
		if base.Channel == material.Normal {
			base.face()
		}
		if base.Channel.Grey() && look.Info.Components == 1 {
			base.Component = "r"
		}
		found = append(found, base)
		if alpha && !look.twoComponent() {
			a := base
			a.Component, a.Verdict = "a", judgeAlpha(e.name, base.Channel, look)
			found = append(found, a)
		}
	}
	// The largest of a channel is the source; of equals the deeper, then the surer,
	// then the one that points up.
	slices.SortStableFunc(found, func(a, b Map) int {
		return cmp.Or(
			cmp.Compare(b.area(), a.area()),
			cmp.Compare(b.deep(), a.deep()),
			cmp.Compare(b.Confidence, a.Confidence),
			cmp.Compare(b.Facing, a.Facing))
	})
	s.lastOne(group, &found)
	loneColour(found)
	freeChannels(group, found)
	taken := map[string]Map{}
	for _, m := range found {
		k := string(m.Channel) + m.UDIM
		first, ok := taken[k]
		if !ok && m.UDIM != "" {
			if i := slices.IndexFunc(s.Maps, func(o Map) bool { return o.Channel == m.Channel && o.UDIM != "" && o.Component == m.Component }); i >= 0 {
				taken[k] = m
				s.Maps[i].addTile(m)
				continue
			}
		}
		switch {
		case !ok:
			taken[k] = m
			s.Maps = append(s.Maps, m)
		case m.Component == "a" || first.address() == m.address(): // a map of its own goes before an alpha
		case m.Confidence > 0.6 && first.sameShape(m) && m.area() < first.area():
			s.Attachments = append(s.Attachments, Attachment{m.File, "lower_tier"})
			if first.Look.Apart(m.Look, -1) > tierSlack && first.Facing == m.Facing {
				s.Unlike = append(s.Unlike, [2]string{first.File, m.File})
			}
		case m.Confidence > 0.6 && first.sameShape(m) && (m.deep() < first.deep() || m.Facing != first.Facing):
			s.Attachments = append(s.Attachments, Attachment{m.File, "other"})
			if m.Channel == material.Normal && m.Facing != first.Facing && first.Look.Apart(m.Look, 1) > tierSlack {
				s.Unlike = append(s.Unlike, [2]string{first.File, m.File})
			}
		case !slices.Contains(s.Unassigned, m.address()):
			s.Unassigned = append(s.Unassigned, m.address())
		}
	}
	s.keepAll(group)
	order := material.All()
	slices.SortStableFunc(s.Maps, func(a, b Map) int {
		return cmp.Or(cmp.Compare(slices.Index(order, a.Channel), slices.Index(order, b.Channel)), cmp.Compare(a.UDIM, b.UDIM))
	})
	return s
}

const (
	// plainBorder is how little a picture's border may vary, against all of it,
	// for it to show a thing before a plain ground.
	plainBorder = 0.03
	// tierSlack is how far apart on average two tiers of one map may be.
	tierSlack = 0.02
)

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
			s.Unassigned = append(s.Unassigned, e.address())
		}
	}
}

// lastOne takes the one picture whose name is the set's alone for the base colour that the
// set lacks, in grey too: snow and asphalt are. It is sure of it beside maps that are sure.
func (s *Set) lastOne(group []entry, found *[]Map) {
	if len(s.Unassigned) != 1 || len(*found) < 1 || slices.ContainsFunc(*found, func(m Map) bool { return m.Channel == material.BaseColor }) {
		return
	}
	sure := 0
	for _, m := range *found {
		if m.Confidence >= 0.85 {
			sure++
		}
	}
	for _, e := range group {
		if e.address() != s.Unassigned[0] || says(e.name.words) || e.Look.UnitLength > 0.8 || e.Look.Info.Layer != "" {
			continue
		}
		confidence := 0.7
		switch {
		case sure >= 2:
			confidence = 0.95
		case sure == 0:
			return
		}
		*found = append(*found, Map{File: e.Path, Component: "rgb", Look: *e.Look, Tier: e.name.Tier, UDIM: e.name.UDIM,
			Verdict: Verdict{material.BaseColor, confidence, []Reason{Because("peer", material.BaseColor, 0.5, "last_one")}}})
		s.Unassigned = nil
		return
	}
}

// freeChannels takes a picture whose channel another one has more surely for the channel that
// its own name gives, if nobody has that: beside a base colour, "lamp_E" is emissive.
func freeChannels(group []entry, found []Map) {
	names := map[string]Name{}
	for _, e := range group {
		names[e.address()] = e.name
	}
	for i := range found {
		m := &found[i]
		named, _, text := names[m.address()].claim()
		if named == material.None || named == m.Channel || m.Component == "a" || slices.ContainsFunc(found, func(o Map) bool { return o.Channel == named }) {
			continue
		}
		taken := slices.ContainsFunc(found, func(o Map) bool {
			c, _, _ := names[o.address()].claim()
			return o.address() != m.address() && o.Channel == m.Channel && c == m.Channel && o.Confidence > m.Confidence
		})
		if taken && m.Look.fits(named) {
			m.Verdict = Verdict{named, 0.85, []Reason{Because("name", named, 0.5, "name_word", "word", text), Because("peer", named, 0.4, "free")}}
			if m.Component = "rgb"; named.Grey() {
				m.Component = "r"
			}
		}
	}
}

// fits says whether nothing strong in the pixels is against a channel.
func (l Look) fits(c material.Channel) bool { return l.Against(c).Code == "" }

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

// exact is the material's own name as it is written.
func (n Name) exact() string {
	var b strings.Builder
	for _, w := range n.kept {
		b.WriteString(string(n.stem[w.from:w.to]))
	}
	return b.String()
}

// loneColour takes a set's only map for its base colour if it is in colour, whatever words
// its name has: a set has a base, and nobody sends a lone emissive or specular map. It goes
// by the pixels, which a data map does not have.
func loneColour(found []Map) {
	if len(found) != 1 {
		return
	}
	m := &found[0]
	l := &m.Look
	if m.Channel == material.BaseColor && m.Confidence >= 0.9 || m.Component != "rgb" || l.grey() || l.Spread < 0.03 || l.UnitLength > 0.6 || slices.ContainsFunc(m.Reasons, func(r Reason) bool { return r.Kind == "rule" }) {
		return
	}
	m.Verdict = Verdict{material.BaseColor, 0.93, []Reason{Because("peer", material.BaseColor, 0.7, "lone_colour"), Because("pixels", material.BaseColor, 0.35, "in_colour")}}
}

func (m Map) address() string { return Address(m.File, m.Look.Info.Layer) }

func (m Map) area() int { return m.Look.Info.W * m.Look.Info.H }

func (m Map) deep() int {
	if m.Channel == material.Height || m.Channel == material.Normal {
		return m.Look.Info.Bits
	}
	return 8
}

// sameShape says whether two maps have the same ratio of sides, within 2 % or a
// pixel of the smaller.
func (m Map) sameShape(o Map) bool {
	a, b := m.Look.Info, o.Look.Info
	if a.W*a.H < b.W*b.H {
		a, b = b, a
	}
	h := float64(b.W) * float64(a.H) / float64(a.W)
	return math.Abs(h-float64(b.H)) <= max(0.02*h, 1)
}

// face decides the direction of a normal map: its pixels go before its name.
func (m *Map) face() {
	m.Facing, m.Sure = m.Look.Direction, m.Look.DirectionConfidence
	if m.Facing != normals.Unknown {
		m.Reasons = append(m.Reasons, Because("pixels", material.Normal, m.Sure, "slopes", "direction", m.Facing.String()))
	}
	switch {
	case m.Claim == normals.Unknown:
	case m.Facing == normals.Unknown:
		m.Facing, m.Sure = m.Claim, 0.6
		m.Reasons = append(m.Reasons, Because("name", material.Normal, 0.6, "name_points", "direction", m.Claim.String()))
	case m.Claim == m.Facing:
		m.Reasons = append(m.Reasons, Because("name", material.Normal, 0.6, "name_points", "direction", m.Claim.String()))
	default:
		m.Reasons = append(m.Reasons, Because("name", material.Normal, -0.6, "name_points", "direction", m.Claim.String()))
	}
}

// nearest is the index of the path that shares the longest beginning with file.
func nearest(dirs []string, file string) int {
	best, most := 0, -1
	norm := strings.NewReplacer(" ", "", "-", "", "_", "")
	file = norm.Replace(strings.ToLower(file))
	for i, d := range dirs {
		d = norm.Replace(strings.ToLower(d))
		n := 0
		for n < len(d) && n < len(file) && d[n] == file[n] {
			n++
		}
		if n > most {
			best, most = i, n
		}
	}
	return best
}

func kindOf(file string) string {
	base := strings.ToLower(path.Base(file))
	for _, w := range split(base) {
		switch w.text {
		case "licence", "license", "copying", "rights", "eula", "copyright":
			return "licence"
		case "readme", "notes", "note", "info", "changelog":
			return "notes"
		}
	}
	switch path.Ext(base) {
	case ".txt", ".md", ".json", ".pdf", ".html":
		return "notes"
	}
	return "other"
}
