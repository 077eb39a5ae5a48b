package tiling

import (
	"math"

	"aldermoor/core/raster"
)

// lines is what happens between each line across an axis and the next one: for axis X
// the lines are columns, for Y rows. The last stands for the edge.
type lines struct {
	// by is the mean of how far the step to the next line breaks with the steps beside it,
	// rms the root of the mean of its square, and level how far it does so in one direction.
	by, rms, level []float64
	// edge is how far each place of the edge breaks, along it.
	edge []float64

	sum, square, next []float64 // of the values, of their squares, and of value × next value
	n                 float64   // values a line
}

func newLines(count, along int) lines {
	all := make([]float64, 6*count)
	part := func(i int) []float64 { return all[i*count : (i+1)*count : (i+1)*count] }
	return lines{part(0), part(1), part(2), make([]float64, along), part(3), part(4), part(5), float64(along)}
}

// columns takes a plane's lines across axis X.
func columns(p raster.Plane) lines {
	l := newLines(p.W, p.H)
	upper, lower := make([]float32, p.W+3), make([]float32, p.W+3)
	ring := func(to []float32, row []float32) { // from the column before the first one on
		to[0] = row[p.W-1]
		copy(to[1:], row)
		to[p.W+1], to[p.W+2] = row[0], row[1]
	}
	for y := 0; y+1 < p.H; y += 2 {
		ring(upper, p.Row(y))
		ring(lower, p.Row(y+1))
		l.two(upper, lower)
		l.edge[y], l.edge[y+1] = broken(upper[p.W-1:]), broken(lower[p.W-1:])
	}
	if p.H%2 == 1 {
		ring(upper, p.Row(p.H-1))
		l.one(upper)
		l.edge[p.H-1] = broken(upper[p.W-1:])
	}
	l.finish()
	return l
}

// bend is what a straight line through both sides leaves of the step from b to c.
func bend(a, b, c, d float32) float32 { return 1.5*(c-b) + 0.5*(a-d) }

func broken(at []float32) float64 { return math.Abs(float64(bend(at[0], at[1], at[2], at[3]))) }

func abs32(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }

// two adds two rows at a time: the sums then go through memory half as often.
func (l *lines) two(upper, lower []float32) {
	w := len(l.by)
	by, rms, level, sum, square, next := l.by, l.rms[:w], l.level[:w], l.sum[:w], l.square[:w], l.next[:w]
	a, b, c := upper[0], upper[1], upper[2]
	e, f, g := lower[0], lower[1], lower[2]
	fb, ff := float64(b), float64(f)
	u, v := upper[3:][:w], lower[3:][:w]
	for x := range by {
		d, h := u[x], v[x]
		p, q := bend(a, b, c, d), bend(e, f, g, h)
		level[x] += float64(p + q)
		by[x] += float64(abs32(p) + abs32(q))
		rms[x] += float64(p*p + q*q)
		fc, fg := float64(c), float64(g)
		sum[x] += fb + ff
		square[x] += fb*fb + ff*ff
		next[x] += fb*fc + ff*fg
		fb, ff = fc, fg
		a, b, c = b, c, d
		e, f, g = f, g, h
	}
}

func (l *lines) one(row []float32) {
	for x := range l.by {
		e := float64(bend(row[x], row[x+1], row[x+2], row[x+3]))
		b, c := float64(row[x+1]), float64(row[x+2])
		l.level[x] += e
		l.by[x] += math.Abs(e)
		l.rms[x] += e * e
		l.sum[x] += b
		l.square[x] += b * b
		l.next[x] += b * c
	}
}

// rows takes a plane's lines across axis Y.
func rows(p raster.Plane) lines {
	l := newLines(p.H, p.W)
	for y := range p.H {
		a, b, c, d := p.Row((y+p.H-1)%p.H), p.Row(y), p.Row((y+1)%p.H), p.Row((y+2)%p.H)
		a, c, d = a[:len(b)], c[:len(b)], d[:len(b)]
		var level, by, rms, sum, square, next float64
		for x, v := range b {
			e := float64(bend(a[x], v, c[x], d[x]))
			level += e
			by += math.Abs(e)
			rms += e * e
			f := float64(v)
			sum += f
			square += f * f
			next += f * float64(c[x])
		}
		l.level[y], l.by[y], l.rms[y], l.sum[y], l.square[y], l.next[y] = level, by, rms, sum, square, next
		if y == p.H-1 {
			for x, v := range b {
				l.edge[x] = math.Abs(float64(bend(a[x], v, c[x], d[x])))
			}
		}
	}
	l.finish()
	return l
}

// finish takes sums to means.
func (l *lines) finish() {
	for x := range l.by {
		l.by[x] /= l.n
		l.rms[x] /= l.n
		l.level[x] = math.Abs(l.level[x]) / l.n
	}
	l.by, l.rms = spread(l.by), spread(l.rms)
	for x, v := range l.rms {
		l.rms[x] = math.Sqrt(v)
	}
}

// spread adds to each line half of its neighbours. The edge lies between two lines,
// while a joint inside lies anywhere and has its break in one of them or in two; so it
// counts the same in both.
func spread(v []float64) []float64 {
	out := make([]float64, len(v))
	for x := range v {
		out[x] = v[x] + (v[(x+len(v)-1)%len(v)]+v[(x+1)%len(v)])/2
	}
	return out
}

// unlike is, for each line, how little it goes together with the next one, in units of mid.
func (l *lines) unlike(mid float64) []float64 {
	w := len(l.by)
	out := make([]float64, w)
	for x := range out {
		k := (x + 1) % w
		va, vb := l.square[x]/l.n-l.sum[x]*l.sum[x]/l.n/l.n, l.square[k]/l.n-l.sum[k]*l.sum[k]/l.n/l.n
		c := l.next[x]/l.n - l.sum[x]*l.sum[k]/l.n/l.n
		floor := mid * mid
		out[x] = (1 - (c+floor)/(math.Sqrt(max(va, 0)*max(vb, 0))+floor) + 0.01) * mid
	}
	return out
}
