package scale

import "math"

// Laying is how a repeat falls on a surface along one axis.
type Laying struct {
	Repeats float64 // how many repeats the surface takes
	Whole   int     // of which so many are whole
	Left    float64 // metres of the surface that remain behind the whole ones
}

// Lay puts repeats of the given length on a surface, both in metres.
func Lay(surface, repeat float64) Laying {
	n := surface / repeat
	whole := math.Floor(n + 1e-9)
	return Laying{n, int(whole), max(0, surface-whole*repeat)}
}

// Fit is a number of whole repeats that a surface can take, the length that a repeat
// then has in metres, and how much that changes it (0.05 is 5 % longer).
type Fit struct {
	N      int
	Repeat float64
	Change float64
}

// Fits are the nearest sizes with which whole repeats come out, the smaller change
// first; one of them if the repeat fits already.
func Fits(surface, repeat float64) []Fit {
	fit := func(n float64) Fit { return Fit{int(n), surface / n, surface/n/repeat - 1} }
	n := surface / repeat
	lo, hi := math.Max(1, math.Floor(n)), math.Max(1, math.Ceil(n))
	if near := math.Max(1, math.Round(n)); math.Abs(fit(near).Change) < 1e-6 || lo == hi {
		return []Fit{fit(near)}
	}
	a, b := fit(lo), fit(hi)
	if math.Abs(a.Change) > math.Abs(b.Change) {
		a, b = b, a
	}
	return []Fit{a, b}
}
