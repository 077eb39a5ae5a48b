package inspect

import (
	"cmp"
	"path"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/scale"
	"aldermoor/core/sidecar"
)

// This file brings what documents say to the sets that they are about.

// documents are those among a delivery's files.
func documents(files []Examined) (docs []sidecar.Placed) {
	for _, e := range files {
		if e.Document != nil {
			docs = append(docs, sidecar.Placed{Path: e.Path, Document: *e.Document})
		}
	}
	return docs
}

// aboutSets is what sidecars and documents state of each set: what a document says of the set's own files, then
// what the documents that lie beside it say of everything. A size holds for one set alone, so one that is
// stated of everything counts where the document stands among the files of a single set.
func aboutSets(sets []channels.Set, files []Examined, docs sidecar.Resolved) []scale.Sidecar {
	owner, of := map[string]int{}, map[string]map[int]bool{} // sets by attachment; sets by folder
	for i, s := range sets {
		for _, a := range s.Attachments {
			owner[a.File] = i
		}
		for _, m := range s.Maps {
			for dir := path.Dir(m.File); ; dir = path.Dir(dir) {
				if of[dir] == nil {
					of[dir] = map[int]bool{}
				}
				of[dir][i] = true
				if dir == "." || dir == "/" {
					break
				}
			}
		}
	}
	facts, own := make([]sidecar.Facts, len(sets)), make([]scale.Sidecar, len(sets))
	for i, s := range sets {
		for _, m := range s.Maps {
			facts[i] = facts[i].Or(docs.Facts[m.File])
		}
	}
	for _, e := range files {
		at, attached := owner[e.Path]
		if e.Sidecar != nil && attached && *e.Sidecar != (scale.Sidecar{}) {
			own[at] = *e.Sidecar
		}
		if e.Document == nil || e.Document.Facts.Empty() {
			continue
		}
		dir := path.Dir(e.Path)
		stem := strings.ToLower(strings.TrimSuffix(path.Base(e.Path), path.Ext(e.Path)))
		for i := range sets {
			if !of[dir][i] && !(attached && i == at) {
				continue
			}
			said := e.Document.Facts
			if !(attached && i == at && (len(of[dir]) < 2 || strings.HasPrefix(stem, strings.ToLower(sets[i].Name)))) && len(of[dir]) != 1 {
				said.Width, said.Height, said.PerMetre, said.Depth = 0, 0, 0, 0
			}
			facts[i] = facts[i].Or(said)
		}
	}
	for i := range own {
		own[i] = or(own[i], facts[i].Sidecar())
	}
	return own
}

// or is a sidecar, and what it does not say by another.
func or(s, t scale.Sidecar) scale.Sidecar {
	if s.WidthM == 0 && s.WidthCM == 0 && s.HeightM == 0 && s.HeightCM == 0 && s.DPI == 0 {
		s.WidthM, s.HeightM, s.DPI = t.WidthM, t.HeightM, t.DPI
	}
	s.DepthMM = cmp.Or(s.DepthMM, t.DepthMM)
	s.Captured, s.Station = cmp.Or(s.Captured, t.Captured), cmp.Or(s.Station, t.Station)
	s.Author, s.Licence = cmp.Or(s.Author, t.Author), cmp.Or(s.Licence, t.Licence)
	return s
}
