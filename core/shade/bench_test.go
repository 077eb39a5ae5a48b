package shade_test

import (
	"context"
	"path"
	"slices"
	"testing"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/shade"
	"aldermoor/core/station"
)

// benchSurface is hung slates: relief of a centimetre.
func benchSurface(px int) *shade.Surface {
	all := station.Materials()
	i := slices.IndexFunc(all, func(m station.Material) bool { return m.Slug == "slates_round" })
	sc := station.Take(all[i], station.Options{Px: px, Seed: 1})
	return shade.NewSurface(sc.Planes(), px)
}

// BenchmarkBall512 is a preview from decoded 2K maps.
func BenchmarkBall512(b *testing.B) {
	s := benchSurface(2048)
	v := shade.Ball(s, 512)
	v.Picture(s)
	for b.Loop() {
		v.Picture(s)
	}
}

func BenchmarkSwatch344(b *testing.B) {
	s := benchSurface(1024)
	shade.Swatch(1, 8).Picture(s) // the first one prepares the light
	for b.Loop() {
		shade.Swatch(1, 344).Picture(s)
	}
}

// BenchmarkThumbnails makes a material's swatch and ball from its maps reduced to 1K, as a job does, and
// says how long that takes over decoding the 2K files that the maps came in.
func BenchmarkThumbnails(b *testing.B) {
	all := station.Materials()
	i := slices.IndexFunc(all, func(m station.Material) bool { return m.Slug == "slates_round" })
	scan := station.Take(all[i], station.Options{Px: 2048, Seed: 1})
	files, err := station.NewWriter().Files(scan, "slates_round")
	if err != nil {
		b.Fatal(err)
	}
	planes := station.Take(all[i], station.Options{Px: 1024, Seed: 1}).Planes()
	shade.Swatch(1, 8).Picture(shade.NewSurface(planes, 8)) // the first one prepares the light
	var decoding, drawing time.Duration
	for b.Loop() {
		start := time.Now()
		n := 0
		for _, f := range files {
			if path.Ext(f.Name) == ".json" {
				continue
			}
			if _, _, err := codec.Decode(f.Data, codec.DefaultLimits); err != nil {
				b.Fatal(f.Name, err)
			}
			n++
		}
		if n < 4 {
			b.Fatalf("%d maps", n)
		}
		middle := time.Now()
		s := shade.NewSurface(planes, 1024)
		shade.Swatch(1, 344).Picture(s)
		shade.Ball(s, 344).Picture(s)
		decoding += middle.Sub(start)
		drawing += time.Since(middle)
	}
	b.ReportMetric(drawing.Seconds()/decoding.Seconds(), "of-decoding")
}

// BenchmarkReference512 is a reference at 64 samples, from decoded 2K maps.
func BenchmarkReference512(b *testing.B) {
	s := benchSurface(2048)
	v := shade.Ball(s, 512)
	v.Quality, v.Samples = shade.Reference, 64
	for b.Loop() {
		if _, err := v.Draw(context.Background(), s, false, nil); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkSurface1024(b *testing.B) {
	sc := station.Take(station.Materials()[1], station.Options{Px: 1024, Seed: 1})
	m := sc.Planes()
	for b.Loop() {
		shade.NewSurface(m, 1024)
	}
}
