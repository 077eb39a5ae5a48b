package treat_test

import (
	"context"
	"testing"

	"aldermoor/core/station"
	"aldermoor/core/treat"
)

func BenchmarkCloseSeams(b *testing.B) {
	s := station.Take(station.Materials()[0], station.Options{Px: 1024, Seed: 3, Turn: 0.15})
	scan := scanOf(s, sheets(s), false)
	b.Run("think", func(b *testing.B) {
		for b.Loop() {
			if _, err := treat.Decide(context.Background(), scan, []treat.Step{{Kind: treat.CloseSeams}}); err != nil {
				b.Fatal(err)
			}
		}
	})
}
