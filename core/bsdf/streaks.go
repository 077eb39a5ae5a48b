package bsdf

import (
	"math"
	"sync"

	"aldermoor/core/geom"
)

// The size of streaks, along its four axes, and the samples of an entry.
const (
	streakCosines, streakRoughnesses, streakSteps, streakWays = 16, 13, 8, 12
	streakSamples                                             = 256
)

// streaks hold what a stretched specular lobe returns: by the cosine of view, the roughness, the anisotropy, and
// the roughness α that the view meets along its azimuth. Masking depends on that last one alone (Heitz 2014,
// eq. 80), which makes it a better axis than the azimuth itself.
type streaks struct {
	at   [streakCosines][streakRoughnesses][streakSteps][streakWays]Entry // cosine ((i+0.5)/streakCosines)², anisotropy (k+1)/streakSteps
	mean [streakRoughnesses][streakSteps]Entry                            // over the hemisphere, weighted by the cosine
}

// streaked are the tables of stretched lobes, made once for the process when the first one is met.
var streaked = sync.OnceValue(newStreaks)

func newStreaks() *streaks {
	t := &streaks{}
	var wg sync.WaitGroup
	for i := range streakCosines {
		wg.Go(func() {
			c := (float32(i) + 0.5) / streakCosines
			c *= c
			for j := range streakRoughnesses {
				for k := range streakSteps {
					g := streakLobe(j, k)
					for m := range streakWays {
						x, y := g.azimuth(float32(m) / (streakWays - 1))
						s := sqrt(1 - c*c)
						t.at[i][j][k][m] = g.returned(geom.Vec(s*x, s*y, c), streakSamples)
					}
				}
			}
		})
	}
	wg.Wait()
	for j := range streakRoughnesses {
		for k := range streakSteps {
			t.mean[j][k] = t.average(j, k)
		}
	}
	return t
}

func streakLobe(j, k int) ggx {
	return lobe(max(float32(j)/(streakRoughnesses-1), 0.02), float32(k+1)/streakSteps)
}

// average is the mean of a lobe's entries over the hemisphere, weighted by the cosine.
func (t *streaks) average(j, k int) (mean Entry) {
	g := streakLobe(j, k)
	const rows, columns = 64, 16
	for r := range rows {
		c := sqrt((float32(r) + 0.5) / rows) // even in the squared cosine: weighted by the cosine
		for a := range columns {
			sin, cos := math.Sincos(math.Pi / 2 * (float64(a) + 0.5) / columns)
			way := g.way(float32(cos), float32(sin))
			mean = mean.plus(t.within(c, way, j, k).times(1.0 / (rows * columns)))
		}
	}
	return mean
}

// way is the roughness along an azimuth as a share of the way from the lesser to the greater one, and azimuth is
// where it is met; x is along the greater one.
func (g ggx) way(x, y float32) float32 {
	if g.x-g.y < 1e-6 {
		return 0
	}
	return (sqrt(g.x*g.x*x*x+g.y*g.y*y*y) - g.y) / (g.x - g.y)
}

func (g ggx) azimuth(way float32) (x, y float32) {
	a := g.y + way*(g.x-g.y)
	square := clamp((a*a-g.y*g.y)/max(g.x*g.x-g.y*g.y, 1e-9), 0, 1)
	return sqrt(square), sqrt(1 - square)
}

// within interpolates along the cosine and the way.
func (t *streaks) within(c, way float32, j, k int) Entry {
	i, fx := place(sqrt(c)*streakCosines-0.5, streakCosines)
	m, fm := place(way*(streakWays-1), streakWays)
	a, b := &t.at[i][j][k], &t.at[i+1][j][k]
	return a[m].to(b[m], fx).to(a[m+1].to(b[m+1], fx), fm)
}

// base is what the specular lobe of a surface returns towards w.
func (t *Tables) base(w geom.V3, s *Surface) Entry {
	if s.Anisotropy == 0 {
		return t.look(w.Z, s.Roughness)
	}
	x, y := w.X, w.Y
	if s.Anisotropy < 0 {
		x, y = y, x
	}
	if r := sqrt(x*x + y*y); r > 1e-4 {
		x, y = x/r, y/r
	} else {
		x, y = math.Sqrt2/2, math.Sqrt2/2
	}
	way := lobe(s.Roughness, max(s.Anisotropy, -s.Anisotropy)).way(x, y)
	j, fy := place(s.Roughness*(streakRoughnesses-1), streakRoughnesses)
	return stretch(s.Anisotropy, t.look(w.Z, s.Roughness), func(k int) Entry {
		return streaked().within(w.Z, way, j, k).to(streaked().within(w.Z, way, j+1, k), fy)
	})
}

// baseMean is the mean of base over the hemisphere, weighted by the cosine.
func (t *Tables) baseMean(s *Surface) Entry {
	if s.Anisotropy == 0 {
		return t.mean(s.Roughness)
	}
	j, fy := place(s.Roughness*(streakRoughnesses-1), streakRoughnesses)
	return stretch(s.Anisotropy, t.mean(s.Roughness), func(k int) Entry {
		m := &streaked().mean
		return m[j][k].to(m[j+1][k], fy)
	})
}

// stretch interpolates between a round lobe and the steps of anisotropy.
func stretch(anisotropy float32, round Entry, step func(k int) Entry) Entry {
	x := clamp(max(anisotropy, -anisotropy), 0, 1) * streakSteps
	k := min(int(x), streakSteps-1)
	if k == 0 {
		return round.to(step(0), x)
	}
	return step(k-1).to(step(k), x-float32(k))
}

// place is the index of the lower one of two neighbours among n, and the share of the upper one.
func place(x float32, n int) (i int, share float32) {
	x = clamp(x, 0, float32(n-1))
	i = min(int(x), n-2)
	return i, x - float32(i)
}

func (a Entry) plus(b Entry) Entry {
	return Entry{a.Scale + b.Scale, a.Bias + b.Bias, a.Dip + b.Dip, a.Sheen + b.Sheen}
}

func (a Entry) times(k float32) Entry {
	return Entry{a.Scale * k, a.Bias * k, a.Dip * k, a.Sheen * k}
}
