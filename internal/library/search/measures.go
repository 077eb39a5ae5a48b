package search

import (
	"context"
	"math"

	"aldermoor/internal/library/people"
)

// Measure is a figure by which the Library is narrowed down.
type Measure string

// The measures: a repeat's width, its density, how deep its relief is, its mean roughness, the bytes to fetch of
// its usual handoff, and when it was released (seconds since 1970).
const (
	Width     Measure = "width_m"
	Density   Measure = "density_px_m"
	Relief    Measure = "relief_m"
	Roughness Measure = "roughness"
	Cost      Measure = "cost"
	Released  Measure = "released"
)

// Measures are all of them.
func Measures() []Measure { return []Measure{Width, Density, Relief, Roughness, Cost, Released} }

// Range is from Least to Most, both included; 0 and without end where that is not said.
type Range struct{ Least, Most float64 }

// Holds says whether v is in the range.
func (r Range) Holds(v float64) bool {
	const near = 1e-12 // what units lose; of a date, milliseconds
	return v >= r.Least*(1-near) && (r.Most == 0 || v <= r.Most*(1+near))
}

// figure notes the figures of a card where a search reads them: each measure in a row of its own.
func (x *index) figure(i int) {
	for _, m := range Measures() {
		v, ok := x.measured(i, m)
		if !ok {
			v = math.NaN()
		}
		if i == len(x.figures[m]) {
			x.figures[m] = append(x.figures[m], v)
		} else {
			x.figures[m][i] = v
		}
	}
}

// measured is a card's figure; ok is false where it has none.
func (x *index) measured(i int, m Measure) (v float64, ok bool) {
	c := &x.cards[i]
	switch m {
	case Width:
		return c.Size.W, c.Size.Known()
	case Density:
		if !c.Size.Known() {
			return 0, false
		}
		return float64(c.W) / c.Size.W, true
	case Relief:
		return float64(x.rows[i].relief), x.rows[i].known
	case Roughness:
		return float64(x.rows[i].roughness), x.rows[i].known
	case Cost:
		return float64(c.Cost), c.Cost > 0
	case Released:
		return float64(c.Released.Unix()), true
	}
	return 0, false
}

// Bars is how many bars a histogram has.
const Bars = 24

// Histogram is how many of the materials have which figure, in Bars steps of the logarithm (of time and
// roughness: even steps) from Least to Most.
type Histogram struct {
	Least float64   `json:"least"`
	Most  float64   `json:"most"`
	N     [Bars]int `json:"n"`
}

// even says whether a measure's steps are.
func (m Measure) even() bool { return m == Roughness || m == Released }

// histogram counts the cards of a set.
func (x *index) histogram(m Measure, in bitset) (h Histogram) {
	least, most := math.Inf(1), math.Inf(-1)
	values := make([]float64, 0, len(x.cards))
	for i, v := range x.figures[m] {
		if in.has(i) && (v > 0 || m.even() && !math.IsNaN(v)) {
			values = append(values, v)
			least, most = min(least, v), max(most, v)
		}
	}
	if len(values) == 0 {
		return h
	}
	h.Least, h.Most = least, most
	scale := func(v float64) float64 {
		if m.even() {
			return v
		}
		return math.Log(v)
	}
	lo, wide := scale(least), scale(most)-scale(least)
	for _, v := range values {
		k := 0
		if wide > 0 {
			k = min(int((scale(v)-lo)/wide*Bars), Bars-1)
		}
		h.N[k]++
	}
	return h
}

// Histogram is how all that is published lies.
func (s *Service) Histogram(_ context.Context, p people.Principal, m Measure) (h Histogram, err error) {
	if err := p.Need(people.Enter); err != nil {
		return h, err
	}
	return s.index.spread(m), nil
}

// spread is the histogram of all cards; it is counted once until something is published.
func (x *index) spread(m Measure) Histogram {
	x.mu.RLock()
	defer x.mu.RUnlock()
	if h, ok := x.answers.spread(m); ok {
		return h
	}
	h := x.histogram(m, x.all)
	x.answers.putSpread(m, h)
	return h
}
