package normals

import (
	"testing"

	"aldermoor/core/raster"
)

// Normals that are turned with their pixels are those of the turned surface, for both directions.
func TestTurnedNormalsFitTheTurnedSurface(t *testing.T) {
	h := hills(64, 0.7)
	flat := func(f Field, d Direction) *raster.Image {
		if d == Down {
			f.Flip()
		}
		return f.Image().Quantise(16)
	}
	for turn := range 9 {
		way := raster.TurningOf(turn)
		for _, d := range []Direction{Up, Down} {
			wraps := [2]bool{true, true}
			want := flat(FromHeight(raster.FromPlanes(h).Turned(way).Plane(0), 1, 1, wraps), d)
			got := flat(FromHeight(h, 1, 1, wraps), d).Turned(way)
			Turn(got, way, d)
			for c := range 3 {
				for i, v := range got.Ints(c) {
					if diff := int(v) - int(want.Ints(c)[i]); diff > 2 || diff < -2 {
						t.Fatalf("turn %d, %v: component %d of pixel %d is %d, want %d", turn, d, c, i, v, want.Ints(c)[i])
					}
				}
			}
			// Turned for the wrong direction, the right one is still told.
			got = flat(FromHeight(h, 1, 1, wraps), d).Turned(way)
			Turn(got, way, Unknown)
			if g, sure := Guess(Read(got, 0)); g != d || sure < 0.8 {
				t.Errorf("turn %d, %v: guessed %v, %.2f sure", turn, d, g, sure)
			}
		}
	}
}
