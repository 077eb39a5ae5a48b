package treat_test

import (
	"context"
	"testing"

	"aldermoor/core/material"
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

// BenchmarkTry is what somebody waits for who chooses a treatment.
func BenchmarkTry(b *testing.B) {
	s := station.Take(station.Materials()[0], station.Options{Px: 1024, Seed: 3})
	scan := scanOf(s, sheets(s), false)
	for _, step := range []treat.Step{{Kind: treat.CloseSeams}, {Kind: treat.LevelLight}, {Kind: treat.OcclusionFromHeight}, {Kind: treat.NormalStrength, Strength: 2}} {
		b.Run(string(step.Kind), func(b *testing.B) {
			for b.Loop() {
				if _, _, _, err := treat.Try(context.Background(), scan, []treat.Step{step}, material.BaseColor); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
