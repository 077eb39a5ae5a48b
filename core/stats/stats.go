// Package stats has the figures that several measurements need: correlation, medians,
// robust spread, and the top of a peak between samples. It allocates little and keeps
// nothing.
package stats

import (
	"math"
	"slices"
)

// Pairs gathers pairs of values for their correlation. The zero value is ready.
type Pairs struct{ a, b, aa, bb, ab, n float64 }

// Add adds one pair.
func (p *Pairs) Add(a, b float64) {
	p.a, p.b, p.aa, p.bb, p.ab, p.n = p.a+a, p.b+b, p.aa+a*a, p.bb+b*b, p.ab+a*b, p.n+1
}

// Merge adds the pairs of q, each with its second value times sign.
func (p *Pairs) Merge(q Pairs, sign float64) {
	p.a, p.b, p.aa, p.bb, p.ab, p.n = p.a+q.a, p.b+sign*q.b, p.aa+q.aa, p.bb+sign*sign*q.bb, p.ab+sign*q.ab, p.n+q.n
}

// N is how many pairs there are.
func (p *Pairs) N() float64 { return p.n }

// Correlation is Pearson's, −1..1. ok is false if either side varies by less than the
// given variance: then it is 0 and says nothing.
func (p *Pairs) Correlation(variance float64) (r float64, ok bool) {
	va, vb := p.aa-p.a*p.a/p.n, p.bb-p.b*p.b/p.n
	if !(va >= variance*p.n && vb >= variance*p.n) {
		return 0, false
	}
	return (p.ab - p.a*p.b/p.n) / math.Sqrt(va*vb), true
}

// Median is the middle value, of an even number the larger of the two; v is not changed
// and must not be empty.
func Median(v []float64) float64 {
	s := slices.Clone(v)
	slices.Sort(s)
	return s[len(s)/2]
}

// Spread is what the standard deviation would be of a normal distribution with the same
// middle: half the distance between the shares of 16 % and 84 % of sorted values. Outliers
// do not count.
func Spread(sorted []float64) float64 {
	return (sorted[len(sorted)*84/100] - sorted[len(sorted)*16/100]) / 2
}

// Vertex is where the parabola through three neighbouring samples has its top, −0.5..0.5
// from the middle one, and how far it rises above that. Both are 0 where there is no top.
func Vertex(left, middle, right float64) (at, above float64) {
	d := left - 2*middle + right
	if d >= 0 {
		return 0, 0
	}
	s := left - right
	return min(max(s/(2*d), -0.5), 0.5), -s * s / (8 * d)
}
