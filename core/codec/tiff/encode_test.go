package tiff

import (
	"bytes"
	"fmt"
	"math"
	"testing"

	"aldermoor/core/raster"
)

// made is a picture of n components whose samples all differ.
func made(n, bits int, float bool) *raster.Image {
	im := raster.New(37, 29, n, bits)
	if float {
		im = raster.NewFloat(37, 29, n, 32)
	}
	for c := range n {
		for i := range 37 * 29 {
			switch {
			case float:
				im.Floats(c)[i] = float32(math.Sin(float64(i*(c+1)))) * 100
			case bits == 8:
				im.Ints(c)[i] = uint16((i*7+c*31)%256) * 257
			default:
				im.Ints(c)[i] = uint16(i*61 + c*3001)
			}
		}
	}
	return im
}

func TestWhatIsWrittenIsRead(t *testing.T) {
	for _, n := range []int{1, 2, 3, 4} {
		for _, kind := range []string{"8", "16", "float"} {
			for _, packed := range []bool{false, true} {
				t.Run(fmt.Sprintf("%d components %s packed %t", n, kind, packed), func(t *testing.T) {
					bits := map[string]int{"8": 8, "16": 16, "float": 32}[kind]
					im := made(n, bits, kind == "float")
					var b bytes.Buffer
					if err := Encode(&b, im, Options{Deflate: packed, Density: [2]float64{2275.6, 1000}}); err != nil {
						t.Fatal(err)
					}
					got, h, err := Decode(b.Bytes())
					if err != nil {
						t.Fatal(err)
					}
					if h.Bits != bits || h.Components != n || math.Abs(h.Density[0]-2275.6) > 0.1 || math.Abs(h.Density[1]-1000) > 0.1 {
						t.Errorf("%d bits, %d components, density %v", h.Bits, h.Components, h.Density)
					}
					for c := range n {
						for i := range 37 * 29 {
							if a, b := got.Planes[c].At(i), im.Planes[c].At(i); a != b {
								t.Fatalf("component %d, sample %d is %v, want %v", c, i, a, b)
							}
						}
					}
				})
			}
		}
	}
}
