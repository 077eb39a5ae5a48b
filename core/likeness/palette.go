package likeness

import (
	"cmp"
	"math"
	"slices"

	"aldermoor/core/colour"
	"aldermoor/core/raster"
)

// Tone is a colour of a palette and the share of the surface that has it.
type Tone struct {
	Color colour.RGB // linear
	Share float32
}

// MostTones is how many colours a palette has at most.
const MostTones = 5

// paletteSide is the longest side in pixels at which colours are counted; tones that are nearer than
// sameTone in OKLab are one; those that cover less than leastTone do not count.
const (
	paletteSide = 96
	sameTone    = 0.045
	leastTone   = 0.02
)

// PaletteOf finds the main colours of a picture in linear light, those that cover most first, by k-means
// in OKLab. The same picture always gives the same palette.
func PaletteOf(rgb [3]raster.Plane) []Tone {
	w, h := raster.Fit(rgb[0].W, rgb[0].H, paletteSide)
	for c := range rgb {
		rgb[c] = rgb[c].Resample(w, h, raster.Area)
	}
	points := make([][3]float64, w*h)
	for i := range points {
		points[i][0], points[i][1], points[i][2] = colour.OKLab(colour.RGB{rgb[0].Pix[i], rgb[1].Pix[i], rgb[2].Pix[i]})
	}
	// Begin with the mean, then with what is furthest from all before.
	centres := [][3]float64{mean(points)}
	far := make([]float64, len(points))
	for i := range far {
		far[i] = math.Inf(1)
	}
	for len(centres) < MostTones+3 {
		at, most := -1, sameTone*sameTone
		for i, p := range points {
			if far[i] = min(far[i], square(p, centres[len(centres)-1])); far[i] > most {
				at, most = i, far[i]
			}
		}
		if at < 0 {
			break
		}
		centres = append(centres, points[at])
	}
	of := make([]int, len(points))
	for range 24 {
		moved := false
		for i, p := range points {
			best := 0
			for k := range centres {
				if square(p, centres[k]) < square(p, centres[best]) {
					best = k
				}
			}
			moved = moved || of[i] != best
			of[i] = best
		}
		sums, counts := gathered(points, of, len(centres))
		for k := range centres {
			if counts[k] > 0 {
				centres[k] = sums[k]
			}
		}
		if !moved {
			break
		}
	}
	means, counts := gathered(points, of, len(centres))
	type cluster struct {
		at [3]float64
		n  float64
	}
	var list []cluster
	for k := range means {
		if counts[k] > 0 {
			list = append(list, cluster{means[k], counts[k]})
		}
	}
	for { // the two that are nearest are one, while they look alike or there are too many
		a, b, least := -1, -1, math.Inf(1)
		for i := range list {
			for j := range i {
				if d := square(list[i].at, list[j].at); d < least {
					a, b, least = j, i, d
				}
			}
		}
		if a < 0 || least > sameTone*sameTone && len(list) <= MostTones {
			break
		}
		n := list[a].n + list[b].n
		for c := range 3 {
			list[a].at[c] = (list[a].at[c]*list[a].n + list[b].at[c]*list[b].n) / n
		}
		list[a].n = n
		list = slices.Delete(list, b, b+1)
	}
	slices.SortStableFunc(list, func(a, b cluster) int { return cmp.Compare(b.n, a.n) })
	var out []Tone
	for _, k := range list {
		if share := float32(k.n / float64(len(points))); share >= leastTone || len(out) == 0 {
			c := colour.FromOKLab(k.at[0], k.at[1], k.at[2])
			for i := range c {
				c[i] = min(max(c[i], 0), 1)
			}
			out = append(out, Tone{c, share})
		}
	}
	return out
}

func square(a, b [3]float64) (d float64) {
	for c := range a {
		d += (a[c] - b[c]) * (a[c] - b[c])
	}
	return d
}

func mean(list [][3]float64) (m [3]float64) {
	for _, p := range list {
		for c := range m {
			m[c] += p[c] / float64(len(list))
		}
	}
	return m
}

// gathered are the means and sizes of n clusters.
func gathered(points [][3]float64, of []int, n int) (means [][3]float64, counts []float64) {
	means, counts = make([][3]float64, n), make([]float64, n)
	for i, p := range points {
		for c := range p {
			means[of[i]][c] += p[c]
		}
		counts[of[i]]++
	}
	for k := range means {
		for c := range means[k] {
			means[k][c] /= max(counts[k], 1)
		}
	}
	return means, counts
}
