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
	var four [4][]float32
	for i := range four {
		four[i] = make([]float32, p.W+3)
	}
	y := 0
	for ; y+3 < p.H; y += 4 {
		for i, to := range four {
			l.edge[y+i] = ring(to, p.Row(y+i))
		}
		l.four(four)
	}
	for ; y < p.H; y++ {
		l.edge[y] = ring(four[0], p.Row(y))
		l.one(four[0])
	}
	l.finish()
	return l
}

// ring lays out a row with the last column before its first and the first two after its
// last, and says how far the edge breaks.
func ring(to, row []float32) float64 {
	w := len(row)
	to[0] = row[w-1]
	copy(to[1:], row)
	to[w+1], to[w+2] = row[0], row[1]
	return math.Abs(float64(bend(row[w-2], row[w-1], row[0], row[1])))
}

// bend is what a straight line through both sides leaves of the step from b to c.
func bend(a, b, c, d float32) float32 { return 1.5*(c-b) + 0.5*(a-d) }

func abs32(v float32) float32 { return math.Float32frombits(math.Float32bits(v) &^ (1 << 31)) }

// four adds four rows at a time: the sums then go through memory a quarter as often.
func (l *lines) four(rows [4][]float32) {
	w := len(l.by)
	by, rms, level, sum, square, next := l.by, l.rms[:w], l.level[:w], l.sum[:w], l.square[:w], l.next[:w]
	a0, a1, a2, a3 := rows[0][0], rows[1][0], rows[2][0], rows[3][0]
	b0, b1, b2, b3 := rows[0][1], rows[1][1], rows[2][1], rows[3][1]
	c0, c1, c2, c3 := rows[0][2], rows[1][2], rows[2][2], rows[3][2]
	r0, r1, r2, r3 := rows[0][3:][:w], rows[1][3:][:w], rows[2][3:][:w], rows[3][3:][:w]
	for x := range by {
		d0, d1, d2, d3 := r0[x], r1[x], r2[x], r3[x]
		p, q, r, s := bend(a0, b0, c0, d0), bend(a1, b1, c1, d1), bend(a2, b2, c2, d2), bend(a3, b3, c3, d3)
		level[x] += float64(p + q + r + s)
		by[x] += float64(abs32(p) + abs32(q) + abs32(r) + abs32(s))
		rms[x] += float64(p*p + q*q + r*r + s*s)
		sum[x] += float64(b0 + b1 + b2 + b3)
		square[x] += float64(b0*b0 + b1*b1 + b2*b2 + b3*b3)
		next[x] += float64(b0*c0 + b1*c1 + b2*c2 + b3*c3)
		a0, b0, c0 = b0, c0, d0
		a1, b1, c1 = b1, c1, d1
		a2, b2, c2 = b2, c2, d2
		a3, b3, c3 = b3, c3, d3
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
		x := 0
		for ; x+3 < len(b); x += 4 {
			u, v, w, z := a[x:x+4:x+4], b[x:x+4:x+4], c[x:x+4:x+4], d[x:x+4:x+4]
			p, q, r, s := bend(u[0], v[0], w[0], z[0]), bend(u[1], v[1], w[1], z[1]), bend(u[2], v[2], w[2], z[2]), bend(u[3], v[3], w[3], z[3])
			level += float64(p + q + r + s)
			by += float64(abs32(p) + abs32(q) + abs32(r) + abs32(s))
			rms += float64(p*p + q*q + r*r + s*s)
			sum += float64(v[0] + v[1] + v[2] + v[3])
			square += float64(v[0]*v[0] + v[1]*v[1] + v[2]*v[2] + v[3]*v[3])
			next += float64(v[0]*w[0] + v[1]*w[1] + v[2]*w[2] + v[3]*w[3])
		}
		for ; x < len(b); x++ {
			e, f := float64(bend(a[x], b[x], c[x], d[x])), float64(b[x])
			level += e
			by += math.Abs(e)
			rms += e * e
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
