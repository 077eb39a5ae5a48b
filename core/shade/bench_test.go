package shade_test

import (
	"context"
	"slices"
	"testing"

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
	for b.Loop() {
		shade.Swatch(1, 344).Picture(s)
	}
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
