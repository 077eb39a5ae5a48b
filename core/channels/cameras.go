package channels

import (
	"cmp"
	"slices"
	"strings"
)

// This file proposes sets of pictures whose names say nothing but a camera's numbers ("IMG_0023"): by their
// size, by what they can be, and by where their detail lies.

// cameraApart is the agreement of detail from which two pictures of one size go together.
const cameraApart = apartFrom

// coloured says whether a picture can be a base colour by its pixels alone.
func (l *Look) coloured() bool { return l.kind() == colours || l.kind() == mixtures }

// cameraSets joins lone pictures of one folder that a camera has numbered: each in colour takes those after it
// that have its size, are not in colour, and have their detail where it has its own. Nobody is sure of them.
func cameraSets(groups map[string][]entry, order []string) (out []string) {
	type lone struct {
		key string
		e   entry
	}
	folders := map[string][]lone{}
	for _, k := range order {
		if g := groups[k]; len(g) == 1 && g[0].name.bare() && g[0].name.camera() && len(g[0].said) == 0 {
			dir := g[0].name.Dir
			folders[dir] = append(folders[dir], lone{k, g[0]})
		}
	}
	gone := map[string]bool{}
	for _, list := range folders {
		if len(list) < 2 || len(list) > 2000 {
			continue
		}
		slices.SortFunc(list, func(a, b lone) int {
			x, y := string(a.e.name.stem), string(b.e.name.stem)
			return cmp.Or(cmp.Compare(len(x), len(y)), strings.Compare(x, y))
		})
		for i, base := range list {
			if !base.e.Look.coloured() {
				continue
			}
			normals := 0
			for _, o := range list[i+1 : min(i+10, len(list))] {
				l := o.e.Look
				if l.coloured() {
					break // the next material
				}
				r, ok := base.e.Look.Beside(*l)
				if gone[o.key] || l.Info.W != base.e.Look.Info.W || l.Info.H != base.e.Look.Info.H || ok && r < cameraApart || normals > 0 && l.normalLike() {
					continue
				}
				if l.normalLike() {
					normals++
				}
				o.e.name.unknown = string(o.e.name.stem)
				groups[base.key] = append(groups[base.key], o.e)
				gone[o.key] = true
			}
		}
	}
	for _, k := range order {
		if gone[k] {
			delete(groups, k)
		} else {
			out = append(out, k)
		}
	}
	return out
}
