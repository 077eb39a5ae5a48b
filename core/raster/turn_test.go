package raster

import (
	"fmt"
	"testing"
)

// A picture of three by two, whose samples are read row by row, as each orientation shows it: by the table of
// Exif 2.32 (where the first row and the first column lie).
func TestTurned(t *testing.T) {
	for orientation, want := range map[int]string{
		0: "3 [1 2 3 4 5 6]", 1: "3 [1 2 3 4 5 6]", 2: "3 [3 2 1 6 5 4]", 3: "3 [6 5 4 3 2 1]", 4: "3 [4 5 6 1 2 3]",
		5: "2 [1 4 2 5 3 6]", 6: "2 [4 1 5 2 6 3]", 7: "2 [6 3 5 2 4 1]", 8: "2 [3 6 2 5 1 4]", 9: "3 [1 2 3 4 5 6]",
	} {
		im := New(3, 2, 1, 16)
		copy(im.Ints(0), []uint16{1, 2, 3, 4, 5, 6})
		out := im.Turned(TurningOf(orientation))
		if got := fmt.Sprint(out.W, out.Ints(0)); got != want {
			t.Errorf("orientation %d: %s, want %s", orientation, got, want)
		}
		fl := NewFloat(3, 2, 1, 32)
		copy(fl.Floats(0), []float32{1, 2, 3, 4, 5, 6})
		if f := fl.Turned(TurningOf(orientation)); fmt.Sprint(f.W, f.Floats(0)) != want {
			t.Errorf("orientation %d of floats: %v, want %s", orientation, f.Floats(0), want)
		}
	}
}
