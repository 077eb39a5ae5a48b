package raster

import "math"

func finite(v float32) bool { return math.Abs(float64(v)) <= math.MaxFloat32 }

// fillPasses bounds how far holes are filled from their edges; what lies deeper gets the
// plane's mean.
const fillPasses = 64

// MendNotFinite replaces samples that are NaN or infinite by the mean of their finite
// neighbours (eight, wrapped), from the edges of a hole inwards, and returns how many
// there were. A plane without any finite sample becomes zero.
func (im *Image) MendNotFinite() (count int) {
	for _, p := range im.Planes {
		count += p.mend(im.W, im.H)
	}
	return count
}

// fill gives the samples at holes, which are not finite, values from around them.
func (p Plane) fill(holes []int, mean float32) {
	values := make([]float32, len(holes))
	for range fillPasses {
		left := holes[:0]
		var done []int
		for _, i := range holes {
			x, y := i%p.W, i/p.W
			var s float64
			n := 0
			for dy := -1; dy <= 1; dy++ {
				for dx := -1; dx <= 1; dx++ {
					if v := p.At(x+dx, y+dy); finite(v) {
						s += float64(v)
						n++
					}
				}
			}
			if n == 0 {
				left = append(left, i)
				continue
			}
			values[len(done)] = float32(s / float64(n))
			done = append(done, i)
		}
		for k, i := range done {
			p.Pix[i] = values[k]
		}
		if holes = left; len(holes) == 0 || len(done) == 0 {
			break
		}
	}
	for _, i := range holes {
		p.Pix[i] = mean
	}
}
