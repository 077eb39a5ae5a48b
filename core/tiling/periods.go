package tiling

import (
	"cmp"
	"math"
	"slices"

	"aldermoor/core/fourier"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/stats"
)

// Lattice is the regular pattern of a surface: it is the same after a step of A, and
// of B, in pixels of the planes that were asked (x right, y down). A pattern that
// repeats along one direction only (boards) has a zero B. Confidence is 0..1; the zero
// Lattice means that no pattern was found.
type Lattice struct {
	A, B       [2]float64
	Confidence float64
}

// Regular says whether a pattern was found.
func (l Lattice) Regular() bool { return l.Confidence > 0 }

// least is the autocorrelation from which a peak is one, least period the fewest
// pixels of a step.
const (
	leastPeak   = 0.08
	leastPeriod = 4
)

// Periods finds the pattern of a surface by the normalised autocorrelation of planes
// of one size (lightness, height, slopes …), windowed so that it need not wrap: peaks
// are steps after which it looks the same, and the two shortest independent ones that
// hold for all of it are the lattice.
func Periods(planes []raster.Plane) Lattice {
	if len(planes) == 0 {
		return Lattice{}
	}
	if w, h := planes[0].W, planes[0].H; max(w, h) > closeUp {
		// Peaks are found to a tenth of a pixel, and far ones place a step far more exactly:
		// half the size gives it as well, in a quarter of the time.
		half := make([]raster.Plane, len(planes))
		for i, p := range planes {
			half[i] = p.Resample(w/2, h/2, raster.Area)
		}
		l := Periods(half)
		kx, ky := float64(w)/float64(w/2), float64(h)/float64(h/2)
		l.A, l.B = [2]float64{l.A[0] * kx, l.A[1] * ky}, [2]float64{l.B[0] * kx, l.B[1] * ky}
		return l
	}
	a := correlate(edges(planes))
	if a.v == nil {
		return Lattice{}
	}
	if peaks := a.peaks(); len(peaks) > 0 {
		if l := a.lattice(peaks); l.Regular() {
			return l
		}
	}
	return Lattice{}
}

// closeUp is the longer side up to which a pattern is looked for at full size.
const closeUp = 700

// auto is an autocorrelation for steps of up to ±w, ±h pixels.
type auto struct {
	w, h int
	v    []float32 // (2w+1) × (2h+1), the step 0 in the middle
}

func (a auto) at(x, y int) float32 { return a.v[(y+a.h)*(2*a.w+1)+x+a.w] }

func (a auto) holds(x, y int) bool { return x >= -a.w && x <= a.w && y >= -a.h && y <= a.h }

// reach is how far steps go, as a share of the picture: farther ones are judged by too
// little overlap.
const reachShare = 0.62

func correlate(planes []raster.Plane) auto {
	w, h := planes[0].W, planes[0].H
	a := auto{w: int(reachShare * float64(w)), h: int(reachShare * float64(h))}
	fw, fh := fourier.Size(w+a.w+1), fourier.Size(h+a.h+1)
	// The autocorrelations are added up as power spectra, each by its own energy, so that
	// one transform back does for all; two planes share one there, as real and imaginary part.
	power := make([]float64, fw*fh)
	used := 0
	var pair []raster.Plane
	var energy []float64
	add := func() {
		g := fourier.Of(pair[0], fw, fh)
		if len(pair) > 1 {
			for y := range h {
				for x, v := range pair[1].Row(y) {
					g.V[y*fw+x] += complex(0, float64(v))
				}
			}
		}
		g.Forward()
		first, second := 0.25/energy[0], 0.0
		if len(pair) > 1 {
			second = 0.25 / energy[1]
		}
		// The first plane's transform is (c + m̄)/2, the second's (c − m̄)/2i, m standing at the
		// opposite frequency. Their power is the same there.
		raster.Rows(fh/2+1, func(y0, y1 int) {
			for y := y0; y < y1; y++ {
				row, opposite := g.V[y*fw:(y+1)*fw], g.V[(fh-y)%fh*fw:][:fw]
				sum := power[y*fw : (y+1)*fw]
				for x, c := range row {
					k := fw - x
					if x == 0 {
						k = 0
					}
					m := opposite[k]
					pr, pi := real(c)+real(m), imag(c)-imag(m)
					qr, qi := real(c)-real(m), imag(c)+imag(m)
					sum[x] += (pr*pr+pi*pi)*first + (qr*qr+qi*qi)*second
				}
			}
		})
		pair, energy = pair[:0], energy[:0]
	}
	for _, p := range planes {
		q := detail(p)
		var e float64
		for _, v := range q.Pix {
			e += float64(v) * float64(v)
		}
		if e/float64(len(q.Pix)) < 1e-7 {
			continue
		}
		used++
		if pair, energy = append(pair, q), append(energy, e/float64(w*h)); len(pair) == 2 {
			add()
		}
	}
	if used == 0 {
		return auto{}
	}
	if len(pair) > 0 {
		add()
	}
	spectrum := fourier.New(fw, fh)
	for y := range fh {
		for x := range fw {
			if y <= fh/2 {
				spectrum.V[y*fw+x] = complex(power[y*fw+x], 0)
			} else {
				spectrum.V[y*fw+x] = complex(power[(fh-y)*fw+(fw-x)%fw], 0)
			}
		}
	}
	spectrum.Inverse()
	a.v = make([]float32, (2*a.w+1)*(2*a.h+1))
	for y := -a.h; y <= a.h; y++ {
		for x := -a.w; x <= a.w; x++ {
			over := float64(w-abs(x)) * float64(h-abs(y))
			a.v[(y+a.h)*(2*a.w+1)+x+a.w] = float32(real(spectrum.V[(y+fh)%fh*fw+(x+fw)%fw]) / over / float64(used))
		}
	}
	return a
}

// edges are how steep each plane is: stones of one pattern differ in shade, and their
// joints do not.
func edges(planes []raster.Plane) []raster.Plane {
	var out []raster.Plane
	for _, p := range planes {
		p = filter.BoxInside(p, 1)
		q := filter.Steepness(p, false)
		filter.Saturate(q) // an edge counts as one however strong it is
		out = append(out, q)
	}
	return out
}

// detail takes away what is larger than any pattern asked for: uneven light, stains.
func detail(p raster.Plane) raster.Plane {
	r := max(4, min(p.W, p.H)/6)
	q := filter.BoxInside(filter.BoxInside(p, r), r)
	for i, v := range p.Pix {
		q.Pix[i] = v - q.Pix[i]
	}
	mean := float32(q.Mean())
	for i := range q.Pix {
		q.Pix[i] -= mean
	}
	return q
}

// peak is a step after which the surface looks like itself.
type peak struct {
	x, y  float64
	value float64
	// over is how far it stands above the lowest value on the way from step 0 and
	// around it.
	over float64
}

func (p peak) length() float64 { return math.Hypot(p.x, p.y) }

// peaks are the local maxima of one half of the steps, the other being its mirror.
func (a auto) peaks() (out []peak) {
	for y := 0; y <= a.h-1; y++ {
		for x := -a.w + 1; x <= a.w-1; x++ {
			if y == 0 && x <= 0 || x*x+y*y < leastPeriod*leastPeriod {
				continue
			}
			v := a.at(x, y)
			if v < leastPeak || !a.top(x, y, v) {
				continue
			}
			px, py, top := a.refined(x, y)
			p := peak{x: px, y: py, value: top}
			p.over = p.value - a.valley(x, y)
			if p.over > 0.6*leastPeak {
				out = append(out, p)
			}
		}
	}
	slices.SortFunc(out, func(p, q peak) int { return cmp.Compare(q.value, p.value) })
	return out[:min(len(out), 400)]
}

func (a auto) top(x, y int, v float32) bool {
	for dy := -2; dy <= 2; dy++ {
		for dx := -2; dx <= 2; dx++ {
			if (dx != 0 || dy != 0) && a.holds(x+dx, y+dy) && a.at(x+dx, y+dy) > v {
				return false
			}
		}
	}
	return true
}

// refined places a maximum between samples, by a parabola along each axis.
func (a auto) refined(x, y int) (fx, fy, top float64) {
	c := float64(a.at(x, y))
	ox, mx := stats.Vertex(float64(a.at(x-1, y)), c, float64(a.at(x+1, y)))
	oy, my := 0.0, 0.0
	if a.holds(x, y-1) && a.holds(x, y+1) {
		oy, my = stats.Vertex(float64(a.at(x, y-1)), c, float64(a.at(x, y+1)))
	}
	return float64(x) + ox, float64(y) + oy, c + mx + my
}

// valley is the lowest value half the way back.
func (a auto) valley(x, y int) float64 {
	low := math.Inf(1)
	for i := 1; i < 12; i++ {
		low = min(low, float64(a.at(x*i/12, y*i/12)))
	}
	return low
}

// mean of the interpolated autocorrelation at whole multiples of steps.
func (a auto) sample(x, y float64) (float64, bool) {
	x0, y0 := int(math.Floor(x)), int(math.Floor(y))
	if !a.holds(x0, y0) || !a.holds(x0+1, y0+1) {
		return 0, false
	}
	fx, fy := x-float64(x0), y-float64(y0)
	top := float64(a.at(x0, y0))*(1-fx) + float64(a.at(x0+1, y0))*fx
	low := float64(a.at(x0, y0+1))*(1-fx) + float64(a.at(x0+1, y0+1))*fx
	return top*(1-fy) + low*fy, true
}

// support is the mean at multiples of a step, and half-way between them.
func (a auto) support(x, y float64) (on, between float64) {
	n, m := 0.0, 0.0
	for k := 1; k <= 8; k++ {
		if v, ok := a.sample(x*float64(k), y*float64(k)); ok {
			on, n = on+v, n+1
		}
		if v, ok := a.sample(x*(float64(k)-0.5), y*(float64(k)-0.5)); ok {
			between, m = between+v, m+1
		}
	}
	return on / max(n, 1), between / max(m, 1)
}

// lattice takes the shortest steps that hold nearly as well as the best ones.
func (a auto) lattice(peaks []peak) Lattice {
	best := peaks[0].value
	var good []peak
	for _, p := range peaks {
		if on, _ := a.support(p.x, p.y); p.value >= 0.8*best && on >= 0.6*best {
			good = append(good, p)
		}
	}
	if len(good) == 0 {
		return Lattice{}
	}
	slices.SortFunc(good, func(p, q peak) int { return cmp.Compare(p.length(), q.length()) })
	l := Lattice{A: [2]float64{good[0].x, good[0].y}}
	across := func(p peak) bool {
		return math.Abs(l.A[0]*p.y-l.A[1]*p.x) > 0.2*math.Hypot(l.A[0], l.A[1])*p.length()
	}
	if i := slices.IndexFunc(good, across); i >= 0 {
		l.B = [2]float64{good[i].x, good[i].y}
	} else { // the other direction may be the weaker one by far
		slices.SortFunc(peaks, func(p, q peak) int { return cmp.Compare(p.length(), q.length()) })
		for _, p := range peaks {
			if on, between := a.support(p.x, p.y); across(p) && p.length() < float64(min(a.w, a.h))/2 && p.value >= 0.25*best && on >= 0.2*best && on-max(between, 0) >= leastTrust/3 {
				l.B = [2]float64{p.x, p.y}
				break
			}
		}
	}
	l = a.sharpened(l, peaks).tidy()
	ta, tb := a.trust(l.A), a.trust(l.B)
	switch {
	case (tb < leastTrust/3 || tb < 2*leastTrust && a.rare(l.B)) && ta >= leastTrust: // alike all along: boards
		l.B, tb = [2]float64{}, ta
	case (ta < leastTrust/3 || ta < 2*leastTrust && a.rare(l.A)) && tb >= leastTrust:
		l.A, l.B, ta = l.B, [2]float64{}, tb
	}
	l.Confidence = min((ta+tb)/2, 1)
	if l.Confidence < leastTrust {
		return Lattice{}
	}
	return l
}

// rare says whether the picture holds too few such steps to be sure of them.
func (a auto) rare(step [2]float64) bool {
	return 2*math.Abs(step[0]) > float64(a.w) || 2*math.Abs(step[1]) > float64(a.h)
}

// leastTrust is how much better a surface must agree with itself on its lattice than
// between.
const leastTrust = 0.13

// sharpened fits the steps to all peaks that lie at whole combinations of them, by
// least squares: far ones place a step far more exactly than near ones.
func (a auto) sharpened(l Lattice, peaks []peak) Lattice {
	for _, far := range []float64{2, 4, 100} {
		// Normal equations of: peak = i·A + j·B.
		var ii, ij, jj, ix, iy, jx, jy float64
		for _, p := range peaks {
			i, j := l.indices(p.x, p.y)
			ri, rj := math.Round(i), math.Round(j)
			if ri == 0 && rj == 0 || max(math.Abs(ri), math.Abs(rj)) > far {
				continue
			}
			if ex, ey := p.x-ri*l.A[0]-rj*l.B[0], p.y-ri*l.A[1]-rj*l.B[1]; math.Hypot(ex, ey) > max(1.5, 0.08*math.Hypot(l.A[0], l.A[1])) {
				continue
			}
			w := p.value * p.value
			ii, ij, jj = ii+w*ri*ri, ij+w*ri*rj, jj+w*rj*rj
			ix, iy, jx, jy = ix+w*ri*p.x, iy+w*ri*p.y, jx+w*rj*p.x, jy+w*rj*p.y
		}
		if l.B == [2]float64{} {
			if ii > 0 {
				l.A = [2]float64{ix / ii, iy / ii}
			}
			continue
		}
		if det := ii*jj - ij*ij; det > 1e-9*ii*jj {
			l.A = [2]float64{(ix*jj - jx*ij) / det, (iy*jj - jy*ij) / det}
			l.B = [2]float64{(jx*ii - ix*ij) / det, (jy*ii - iy*ij) / det}
		}
	}
	return l
}

// indices are how many steps of each a place is away.
func (l Lattice) indices(x, y float64) (i, j float64) {
	if l.B == [2]float64{} {
		return (x*l.A[0] + y*l.A[1]) / (l.A[0]*l.A[0] + l.A[1]*l.A[1]), 0
	}
	det := l.A[0]*l.B[1] - l.A[1]*l.B[0]
	return (x*l.B[1] - y*l.B[0]) / det, (y*l.A[0] - x*l.A[1]) / det
}

// trust is how much better the surface agrees with itself after whole steps than
// between them.
func (a auto) trust(step [2]float64) float64 {
	if step == [2]float64{} {
		return 0
	}
	on, between := a.support(step[0], step[1])
	return on - max(between, 0)
}

// tidy makes the steps the shortest pair of their lattice, the one more across first,
// both pointing right or down.
func (l Lattice) tidy() Lattice {
	if l.B != [2]float64{} {
		for range 20 { // Gauss's reduction
			if math.Hypot(l.A[0], l.A[1]) > math.Hypot(l.B[0], l.B[1]) {
				l.A, l.B = l.B, l.A
			}
			k := math.Round((l.A[0]*l.B[0] + l.A[1]*l.B[1]) / (l.A[0]*l.A[0] + l.A[1]*l.A[1]))
			if k == 0 {
				break
			}
			l.B[0] -= k * l.A[0]
			l.B[1] -= k * l.A[1]
		}
		if math.Abs(l.A[0])/math.Hypot(l.A[0], l.A[1]) < math.Abs(l.B[0])/math.Hypot(l.B[0], l.B[1]) {
			l.A, l.B = l.B, l.A
		}
	}
	for _, v := range []*[2]float64{&l.A, &l.B} {
		main := v[0]
		if math.Abs(v[1]) > math.Abs(v[0]) {
			main = v[1]
		}
		if main < 0 {
			v[0], v[1] = -v[0], -v[1]
		}
	}
	return l
}

func abs(v int) int { return max(v, -v) }
