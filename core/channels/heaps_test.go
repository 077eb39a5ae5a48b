package channels

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/material"
)

// A channel word, two letters and one number made the sorting panic.
func TestNumberBehindALetter(t *testing.T) {
	sets := Sort([]File{{"metal_d_01.png", lookOf(material.BaseColor)}, {"metal_n_01.png", lookOf(material.Normal)}})
	if len(sets) != 1 || sets[0].Map(material.BaseColor) == nil || sets[0].Map(material.Normal) == nil {
		t.Errorf("%+v", sets)
	}
}

// Whatever the names, every file is in a set, and nothing panics.
func TestHeapsOfNames(t *testing.T) {
	words := append(slices.Sorted(maps.Keys(claims)), "plank", "02", "1", "017", "4k", "2048", "1002", "map", "v3", "gl", "dx", "orm", "arm", "png", "16bit", "preview", "readme", "Ä", "壁", "y+", "")
	rng := rand.New(rand.NewPCG(3, 9))
	pick := func(of []string) string { return of[rng.IntN(len(of))] }
	for heap := range 4000 {
		few := make([]string, 5)
		for i := range few {
			few[i] = pick(words)
		}
		var files []File
		seen := map[string]bool{}
		for range 2 + rng.IntN(6) {
			var parts []string
			for range 1 + rng.IntN(5) {
				parts = append(parts, pick(few))
			}
			name := strings.Join(parts, pick([]string{"_", "-", " ", ".", ""}))
			if rng.IntN(3) == 0 {
				name = pick(few) + "/" + name
			}
			if name += ".png"; seen[name] {
				continue
			}
			seen[name] = true
			files = append(files, File{name, lookOf(material.All()[rng.IntN(6)])})
		}
		for _, s := range heapOf(t, files) {
			for _, m := range s.Maps {
				delete(seen, m.File)
				for _, tile := range m.Tiles {
					delete(seen, tile.File)
				}
			}
			for _, a := range s.Attachments {
				delete(seen, a.File)
			}
			for _, u := range s.Unassigned {
				delete(seen, u)
			}
			for _, r := range s.Refused {
				delete(seen, r)
			}
		}
		if len(seen) > 0 {
			t.Fatalf("heap %d: of %v, %v are in no set", heap, paths(files), slices.Sorted(maps.Keys(seen)))
		}
	}
}

func heapOf(t *testing.T, files []File) []Set {
	t.Helper()
	defer func() {
		if p := recover(); p != nil {
			t.Fatalf("%v: %v", paths(files), p)
		}
	}()
	return Sort(files)
}

func paths(files []File) (out []string) {
	for _, f := range files {
		out = append(out, fmt.Sprintf("%q", f.Path))
	}
	return out
}
