package handoff

import (
	"io"
	"testing"

	"aldermoor/core/colour"
)

// BenchmarkWrite makes the zips that artists ask for most: the source as it is,
// and a smaller tier of it.
func BenchmarkWrite(b *testing.B) {
	m, _ := scanned(b, "slates_round", 2048)
	t := colour.NewTables()
	for _, p := range []Profile{{}, {Tier: 1024}} {
		b.Run(p.Tier.String(), func(b *testing.B) {
			for b.Loop() {
				if err := Write(b.Context(), io.Discard, m, p, t); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
