package channels

import (
	"aldermoor/core/material"
	"fmt"
	"strings"
	"testing"
	"time"
)

// Folders in which a name fits every other one take no longer: numbers, one first word for all,
// tiles, copies.
func TestManyAlikeAreSortedInTime(t *testing.T) {
	base, normal := lookOf(material.BaseColor), lookOf(material.Normal)
	for name, of := range map[string]func(i int) string{
		"numbers": func(i int) string { return fmt.Sprintf("%05d.png", i) }, "one first word": func(i int) string { return fmt.Sprintf("stone_%s.png", unheard(i)) }, "one last word": func(i int) string { return fmt.Sprintf("%s_stone.png", unheard(i)) },
		"tiles": func(i int) string {
			return fmt.Sprintf("u_%s.%d.png", []string{"col", "nrm"}[i%2], 1001+i/2%900) + strings.Repeat("x", i/1800)
		}, "one name": func(i int) string { return fmt.Sprintf("wall_col_%dk.png", i) },
	} {
		var files []File
		for i := range 6000 {
			files = append(files, File{of(i), []*Look{base, normal}[i%2]})
		}
		start := time.Now()
		Sort(files)
		if d := time.Since(start); d > 4*time.Second {
			t.Errorf("%s: %v", name, d)
		}
		t.Logf("%s: %v", name, time.Since(start))
	}
}

// unheard is a word that nobody knows.
func unheard(i int) string {
	b := []byte("q")
	for ; i > 0; i /= 20 {
		b = append(b, "bcdfghjklmnpqrstvwxz"[i%20])
	}
	return string(b)
}

// Twenty thousand files of made deliveries, each in a folder of its own, and flat in one.
func BenchmarkSort20000(b *testing.B) {
	for _, flat := range []bool{false, true} {
		b.Run(map[bool]string{false: "folders", true: "flat"}[flat], func(b *testing.B) {
			var files []File
			for i := 0; len(files) < 20000; i++ {
				for _, f := range deliver(b, i%len(kinds), i, false).files {
					f.Path = fmt.Sprintf("d%d/%s", i, f.Path)
					if flat {
						f.Path = fmt.Sprintf("s%d_%s", i, f.Path[len(fmt.Sprintf("d%d/", i)):])
					}
					files = append(files, f)
				}
			}
			b.ResetTimer()
			for range b.N {
				Sort(files)
			}
		})
	}
}

// Twenty thousand files of four thousand sets in one folder, told apart by words that nobody knows, with a note
// for each set.
func BenchmarkSortUnknown20000(b *testing.B) {
	looks := []*Look{lookOf(material.BaseColor), lookOf(material.Normal), lookOf(material.Roughness), lookOf(material.Occlusion)}
	var files []File
	for i := range 4000 {
		name := "w" + unheard(i*7+3) + "_" + unheard(i%61+1)
		for k, word := range []string{"", "_zv", "_qw", "_kf"} {
			files = append(files, File{name + word + ".png", looks[k]})
		}
		files = append(files, File{name + ".txt", nil})
	}
	b.ResetTimer()
	for range b.N {
		if n := len(Sort(files)); n != 4000 {
			b.Fatalf("%d sets", n)
		}
	}
}
