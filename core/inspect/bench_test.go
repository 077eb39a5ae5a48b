package inspect

import (
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/likeness"
	"aldermoor/core/raster"
	"aldermoor/core/station"
)

// BenchmarkExamine holds what it takes to examine a 4K set (size, depth, tiling, pattern,
// register and findings, on reduced copies) against decoding its files.
func BenchmarkExamine(b *testing.B) {
	s := station.Take(station.Materials()[1], station.Options{Px: 4096, Seed: 1})
	files, err := station.NewWriter().Files(s, "rubble_limewash")
	if err != nil {
		b.Fatal(err)
	}
	all, levels := examined(b, files)
	b.Run("decode", func(b *testing.B) {
		for b.Loop() {
			for _, f := range files {
				if codec.Recognise(f.Data) == "" {
					continue
				}
				if _, _, err := codec.Decode(f.Data, codec.DefaultLimits); err != nil {
					b.Fatal(err)
				}
			}
		}
	})
	b.Run("examine", func(b *testing.B) {
		for b.Loop() {
			Assemble(all, Copies{Reduced: func(file, _ string) *raster.Image { return levels[file] }})
		}
	})
}

// BenchmarkSet1K is all that is worked out of one set of 1K maps as it arrives: reading,
// statistics, reduced copies, tiling, pattern, depth, register and the marks that it is
// recognised by. Run with -cpu 1 its time is CPU time; "decode" is the share of reading.
func BenchmarkSet1K(b *testing.B) {
	s := station.Take(station.Materials()[1], station.Options{Px: 1024, Seed: 1})
	files, err := station.NewWriter().Files(s, "rubble_limewash")
	if err != nil {
		b.Fatal(err)
	}
	b.Run("decode", func(b *testing.B) {
		for b.Loop() {
			for _, f := range files {
				if codec.Recognise(f.Data) != "" {
					if _, _, err := codec.Decode(f.Data, codec.DefaultLimits); err != nil {
						b.Fatal(err)
					}
				}
			}
		}
	})
	b.Run("all", func(b *testing.B) {
		for b.Loop() {
			all, levels := examined(b, files)
			r := Assemble(all, Copies{Reduced: func(file, _ string) *raster.Image { return levels[file] }})
			for _, m := range r.Sets[0].Maps {
				if m.Channel == "base_color" {
					likeness.Marks(levels[m.File].Plane(1))
				}
			}
		}
	})
}

// examined examines a set's files, and keeps their reduced copies.
func examined(b *testing.B, files []station.File) (all []Examined, levels map[string]*raster.Image) {
	b.Helper()
	levels = map[string]*raster.Image{}
	for _, f := range files {
		e, err := Examine(f.Name, SourceOf(f.Data), codec.DefaultLimits, func(_ string, im *raster.Image) error {
			var planes []raster.Plane
			for c := range im.Components() {
				planes = append(planes, im.Reduced(c, 1024))
			}
			levels[f.Name] = raster.FromPlanes(planes...).Quantise(16)
			return nil
		})
		if err != nil {
			b.Fatal(err)
		}
		all = append(all, e)
	}
	return all, levels
}
