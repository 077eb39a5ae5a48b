package tiling_test

import (
	"testing"

	"aldermoor/core/station"
	"aldermoor/core/tiling"
)

func BenchmarkMeet(b *testing.B) {
	all := planes(station.Take(station.Materials()[1], station.Options{Px: 1024, Seed: 1}))
	for b.Loop() {
		tiling.Meet(all)
	}
}
