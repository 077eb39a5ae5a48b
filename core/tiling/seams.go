// Package tiling measures how a texture set repeats: whether its edges meet, what
// pattern it has and with which period, and how much the repetition shows on a large
// surface.
//
// Everything works on reduced copies of the maps (raster.Plane, any range), all of one
// size. Axis X is the meeting of the right edge with the left one, Y of the lower with
// the upper. It does not mend; that is core/treat.
package tiling

import (
	"cmp"
	"math"
	"slices"

	"aldermoor/core/raster"
	"aldermoor/core/stats"
)

// Axes are figures for X and Y.
type Axes struct{ X, Y float64 }

// Place is a stretch of an edge where it meets worst: From and To are shares of the
// edge's length, Excess how many times as large as usual the break is.
type Place struct {
	Axis   string  `json:"axis"` // x or y
	From   float64 `json:"from"`
	To     float64 `json:"to"`
	Excess float64 `json:"excess"`
}

// Seams is how well a set's edges meet.
type Seams struct {
	Score Axes    // 1: no seam can be told; 0: a plain break
	Worst []Place // the worst first
}

// Meet compares the step across each edge with the steps inside, in value and in
// gradient, on all maps at the same time and at several scales. Planes are the maps'
// components, of one size; flat ones say nothing.
func Meet(planes []raster.Plane) Seams {
	s := Seams{Score: Axes{1, 1}}
	if len(planes) == 0 {
		return s
	}
	smaller := reductions(planes)
	var across, down []Place
	raster.Each(2, func(axis int) {
		if axis == 0 {
			s.Score.X, across = meet(smaller, columns, "x")
		} else {
			s.Score.Y, down = meet(smaller, rows, "y")
		}
	})
	s.Worst = append(across, down...)
	slices.SortFunc(s.Worst, func(a, b Place) int { return cmp.Compare(b.Excess, a.Excess) })
	return s
}

// Across is the score of axis X alone.
func Across(planes []raster.Plane) float64 {
	score, _ := meet(reductions(planes), columns, "x")
	return score
}

// scales are the reductions at which an edge is looked at, as long as there are fewest
// columns: among less than that the lines of a pattern have no like.
const scales, fewest = 5, 60

// reductions are the planes at each scale, each half the size of the one before.
func reductions(planes []raster.Plane) [][]raster.Plane {
	out := [][]raster.Plane{planes}
	for range scales - 1 {
		last := out[len(out)-1]
		if max(last[0].W, last[0].H)/2 < fewest {
			break
		}
		smaller := make([]raster.Plane, len(planes))
		raster.Each(len(planes), func(i int) {
			smaller[i] = last[i].Resample(max(1, last[i].W/2), max(1, last[i].H/2), raster.Area)
		})
		out = append(out, smaller)
	}
	return out
}

// apart is how many columns lie between two that are held against each other: nearer
// ones share what they show.
const apart = 3

// meet asks whether what happens across the edge happens anywhere inside too. Each line
// (a column for axis X, a row for Y; take takes them) is described by how far the step to
// the next one breaks with those beside it, in each map and at each scale; a repeat's edge
// has its like inside, be it the grain or the joint of a pattern, and a cut has not.
func meet(smaller [][]raster.Plane, take func(raster.Plane) lines, axis string) (score float64, worst []Place) {
	var along []float64
	n, excess := 0.0, 0.0
	for scale, planes := range smaller {
		w, h := planes[0].W, planes[0].H
		if axis == "y" {
			w, h = h, w
		}
		if scale == 0 {
			along = make([]float64, h)
		}
		if w < 38 || h < 8 || scale > 0 && w < fewest {
			break
		}
		var features, logs, levels [][]float64
		for _, p := range planes {
			l := take(p)
			mid := stats.Median(l.by[:w-1])
			if mid < 1e-5 {
				continue
			}
			levels = append(levels, l.level)
			for k, e := range [][]float64{l.by, l.rms, l.unlike(mid)} {
				f := make([]float64, w)
				for x, v := range e {
					f[x] = math.Log(v/mid + 0.01)
				}
				if k < 2 {
					logs = append(logs, slices.Clone(f))
				}
				in := slices.Clone(f[2 : w-3])
				slices.Sort(in)
				usual := max(stats.Spread(in), 0.05)
				for x := range f {
					f[x] /= usual
				}
				features = append(features, f)
			}
			if scale == 0 {
				for y, v := range l.edge {
					along[y] += 2 * v / mid // the middle is of twice the columns
				}
				n++
			}
		}
		if len(features) == 0 {
			continue
		}
		columns := turned(features, w)
		inside := make([]float64, 0, w)
		nearest := 0
		for x, step := 2, max(1, w/500); x < w-3; x += step { // some say it
			var d float64
			d, nearest = nearestInside(columns, len(features), x, w, nearest+step) // neighbours are often like neighbours
			inside = append(inside, d)
		}
		slices.Sort(inside)
		usual := max(inside[len(inside)*98/100], 0.6)
		edge, _ := nearestInside(columns, len(features), w-1, w, 0)
		if a := edge / usual; a > excess && !inStep(logs, levels, w) {
			excess = a
		}
	}
	t := min(max((excess-fine)/(plain-fine), 0), 1)
	score = 1 - t*t*(3-2*t)
	if n > 0 {
		worst = worstOf(along, n, axis)
	}
	return score, worst
}

// below is how much it counts that a column breaks less than another.
const below = 0.5

// fine is up to how many times as far from its like as almost no column inside is an edge may be
// before a seam can be told, and plain from where it is a plain break.
const fine, plain = 1.0, 2.2

// inStep says whether the edge is one line of a regular pattern: columns that break at
// least nearly as much in everything lie at whole fractions of the width from it.
// levels are how far each map's level changes at each column.
func inStep(logs, levels [][]float64, w int) bool {
	near := likeEdge(logs, w, 0, slack)
	n := 0
	for _, h := range near {
		if h {
			n++
		}
	}
	if n > w/3 {
		return true // nothing out of the usual
	}
	if spaced(near, w, 1) > 0 {
		return true
	}
	k := spaced(likeEdge(logs, w, reach, slacker), w, rare)
	if k == 0 {
		return false
	}
	// A joint hides much, but not that one side is lighter than the other.
	for _, level := range levels {
		most := 0.0
		for j := 1; j < k; j++ {
			at := fraction(w, j, k)
			for _, v := range level[max(2, at-1-reach):min(w-3, at+2+reach)] {
				most = max(most, v)
			}
		}
		if level[w-1] > slackest*most {
			return false
		}
	}
	return true
}

// fraction is the column at j of k parts of the width.
func fraction(w, j, k int) int { return int(math.Round(float64(w)*float64(j)/float64(k))) - 1 }

// likeEdge says of each column whether the edge breaks little more than it and its
// neighbours up to reach columns away: slack more, as a logarithm, in any feature.
func likeEdge(logs [][]float64, w, reach int, slack float64) []bool {
	hit := make([]bool, w)
	for o := 2; o < w-3; o++ {
		hit[o] = true
		for _, f := range logs {
			most := math.Inf(-1)
			for _, v := range f[max(2, o-reach):min(w-3, o+reach+1)] {
				most = max(most, v)
			}
			if f[w-1]-most > slack {
				hit[o] = false
				break
			}
		}
	}
	return hit
}

// spaced says at which whole fractions of the width the columns lie that are hit, if that
// would come about with at most the given chance; 0 for none.
func spaced(hit []bool, w int, chance float64) int {
	about := make([]bool, w) // within a column
	n := 0
	for x := 1; x < w-1; x++ {
		if about[x] = hit[x-1] || hit[x] || hit[x+1]; about[x] {
			n++
		}
	}
	p := float64(n) / float64(w)
	for k := 2; n > 0 && k <= w/4; k++ {
		good := 0
		for j := 1; j < k; j++ {
			if about[fraction(w, j, k)] {
				good++
			}
		}
		if float64(good) >= 0.75*float64(k-1) && (chance >= 1 || atLeast(good, k-1, p) < chance) {
			return k
		}
	}
	return 0
}

// atLeast is the chance of good or more of n where each has chance p.
func atLeast(good, n int, p float64) float64 {
	if p >= 1 {
		return 1
	}
	sum := 0.0
	lg := func(v int) float64 { g, _ := math.Lgamma(float64(v + 1)); return g }
	for k := good; k <= n; k++ {
		sum += math.Exp(lg(n) - lg(k) - lg(n-k) + float64(k)*math.Log(p) + float64(n-k)*math.Log1p(-p))
	}
	return sum
}

// slack is how much more than another line of the pattern, as a logarithm, an edge may
// break without being more than one of them. Where lines lie so regularly that it is
// chance more rarely than once in 1/rare, the edge may break slacker more than they do,
// and more than what is up to reach columns beside them: a line waves, and maps show
// its two sides apart.
const (
	slack, slacker = 0.7, 1.4
	slackest       = 2.0 // how many times as far as at any other line the level may change
	reach          = 1
	rare           = 0.001
)

// penalty is the fourth power of how much more a line breaks than another; less counts by the share below.
func penalty(d float32) float32 {
	d = max(d, -below*d)
	d *= d
	return d * d
}

// turned has the features of each column side by side.
func turned(features [][]float64, w int) []float32 {
	out := make([]float32, w*len(features))
	for k, f := range features {
		for x, v := range f {
			out[x*len(features)+k] = float32(v)
		}
	}
	return out
}

// nearestInside is how far a column's n features are from those of the most similar one inside, and which that is. It
// looks at the guess first: the nearer that is, the sooner others are ruled out.
func nearestInside(columns []float32, n, x, w, guess int) (distance float64, at int) {
	least := float32(math.Inf(1))
	mine := columns[x*n : (x+1)*n]
	look := func(o int) {
		var sum float32
		other := columns[o*n : (o+1)*n][:len(mine)]
		for k := 0; k+2 < len(mine) && sum < least; k += 3 { // three a map
			sum += penalty(mine[k]-other[k]) + penalty(mine[k+1]-other[k+1]) + penalty(mine[k+2]-other[k+2])
		}
		if sum < least {
			least, at = sum, o
		}
	}
	const first = 2
	last := w - 4
	if guess >= first && guess <= last && (guess <= x-apart || guess >= x+apart) {
		look(guess)
	}
	for o := first; o <= min(last, x-apart); o++ {
		look(o)
	}
	for o := max(first, x+apart); o <= last; o++ {
		look(o)
	}
	return math.Sqrt(math.Sqrt(float64(least) / float64(n))), at
}

// worstOf finds up to three stretches of an edge where the break is largest.
func worstOf(along []float64, n float64, axis string) (out []Place) {
	h := len(along)
	win := max(1, h/12)
	smooth := make([]float64, h)
	for y := range along {
		for k := -win / 2; k <= win/2; k++ {
			smooth[y] += along[(y+k+h)%h]
		}
		smooth[y] /= float64(win/2*2+1) * n
	}
	for range 3 {
		best := 0
		for y, v := range smooth {
			if v > smooth[best] {
				best = y
			}
		}
		if smooth[best] < 1.5 {
			break
		}
		lo, hi := max(0, best-win), min(h, best+win+1)
		out = append(out, Place{axis, float64(lo) / float64(h), float64(hi) / float64(h), smooth[best]})
		for y := max(0, best-2*win); y < min(h, best+2*win+1); y++ {
			smooth[y] = 0
		}
	}
	return out
}
