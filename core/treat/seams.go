package treat

import (
	"math"
	"strings"

	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/tiling"
)

// closeSeams makes a scan's edges meet. The right edge is laid over the left one by as
// much as fits best, all maps are cut along one line where the two differ least (Efros &
// Freeman 2001; Kwatra et al. 2003), and what still differs along the cut is spread in the
// gradient domain (Pérez et al. 2003). Normals are cut as slopes, which are gradients
// already. The repeat becomes smaller by the overlap; a pixel stays as large as it is.
func closeSeams(st Step, now *Scan) (operation, error) {
	axes := st.Axes
	if axes == "" {
		for i, name := range []string{"x", "y"} {
			if !now.Tiles[i] {
				axes += name
			}
		}
		if axes == "" {
			return operation{}, refuse("no_seam")
		}
	}
	most := st.Overlap
	if most == 0 {
		most = 0.3
	}
	list, err := features(now)
	if err != nil {
		return operation{}, err
	}
	a := operation{makes: now.Mapped(), after: *now}
	var cuts []cut
	a.did = fact.New("closed")
	for i, name := range []string{"x", "y"} {
		if !strings.Contains(axes, name) {
			continue
		}
		turned := make([]raster.Plane, len(list))
		for k, p := range list {
			turned[k] = upright(p, i)
		}
		c := cut{axis: i, closed: a.after.Tiles[1-i]}
		if !c.find(turned, most) {
			return operation{}, refuse("too_small")
		}
		for k := range list {
			list[k] = upright(c.compose(turned[k]), i)
		}
		cuts = append(cuts, c)
		a.after.Tiles[i] = true
		fw, fh := now.Pixels()
		full := [2]int{fw, fh}[i]
		left := float64(full-c.overlap(full)) / float64(full)
		for _, ch := range a.makes {
			p := a.after.Map(ch)
			px := [2]int{p.Width, p.Height}
			px[i] -= c.overlap(px[i])
			a.after.resize(ch, px[0], px[1])
		}
		side := &a.after.Size.W
		if i == 1 {
			side = &a.after.Size.H
		}
		gone := *side * (1 - left)
		*side *= left
		a.did.Values[name] = gone // metres that the edges overlap by
	}
	a.make = func(c material.Channel, get getter) (*Sheet, error) {
		s, err := get(c)
		if err != nil {
			return nil, err
		}
		wraps := now.Tiles
		for _, k := range cuts {
			s = k.close(s, c, wraps)
			wraps[k.axis] = true
		}
		return s, nil
	}
	return a, nil
}

// upright is the plane turned over its diagonal for axis 1, so that the edges that meet
// are always left and right. Doing it again turns it back.
func upright(p raster.Plane, axis int) raster.Plane {
	if axis == 0 {
		return p
	}
	return filter.Transpose(p)
}

// features are what a cut should not be seen in, reduced, of one size, each without its
// wide changes, which mending takes care of, and scaled to vary by one.
func features(now *Scan) ([]raster.Plane, error) {
	fw, fh := now.Pixels()
	w, h := raster.Fit(fw, fh, DecideAt)
	var out []raster.Plane
	for _, c := range now.Mapped() {
		s, err := now.Load(c, DecideAt)
		if err != nil {
			return nil, err
		}
		list := s.Planes
		if len(list) == 0 {
			list = []raster.Plane{s.Normal.X, s.Normal.Y}
		}
		for _, p := range list {
			p = p.Resample(w, h, raster.Area)
			low := filter.Gaussian(p, float64(w)/24)
			f := raster.NewPlane(w, h)
			var sq float64
			for i, v := range p.Pix {
				f.Pix[i] = v - 0.8*low.Pix[i]
				sq += float64(v-low.Pix[i]) * float64(v-low.Pix[i])
			}
			sd := math.Sqrt(sq / float64(w*h))
			if sd < 1e-4 {
				continue
			}
			k := float32(1 / sd)
			if len(list) > 1 { // a map counts once, however many components it has
				k /= float32(math.Sqrt(float64(len(list))))
			}
			for i := range f.Pix {
				f.Pix[i] *= k
			}
			out = append(out, f)
		}
	}
	if len(out) == 0 { // all flat: any cut will do
		out = append(out, raster.NewPlane(w, h))
	}
	return out, nil
}

// cut is how one edge is laid over the other: by which share of the side, and where, row
// by row, the one gives way to the other, as a share of the side from the near edge.
type cut struct {
	axis   int
	closed bool // the line meets itself where the other axis wraps
	share  float64
	line   []float64
}

// overlap is the overlap in pixels of a side of n.
func (c *cut) overlap(n int) int { return int(math.Round(c.share * float64(n))) }

// tries is how many overlaps are carried out before the best of them is taken.
const tries = 4

// closedAt is the seam score from which an overlap is taken without a look at others:
// closing the other axis may take a little of it away.
const closedAt = 0.99

// find chooses the overlap and the line on upright planes: first roughly on smaller copies,
// then among its neighbours, then between them. What is chosen is carried out and measured;
// if the edges don't meet by it, the next best overlaps are tried.
func (c *cut) find(list []raster.Plane, most float64) bool {
	w, h := list[0].W, list[0].H
	if w < 48 || h < 16 {
		return false
	}
	k := max(1, (min(w, h)+100)/200)
	var rough []raster.Plane
	for _, p := range list {
		rough = append(rough, filter.Gaussian(p.Resample(w/k, h/k, raster.Area), 0.8))
	}
	rw := w / k
	costs := map[int]float64{}
	least, count := max(6, rw/20), int(most*float64(rw))+1-max(6, rw/20)
	found := make([]float64, max(count, 0))
	raster.Each(len(found), func(i int) { _, found[i] = cheapest(rough, least+i, false) })
	for i, cost := range found {
		costs[least+i] = cost * (1 + 0.8*float64(least+i)/float64(rw))
	}
	var fine []raster.Plane
	for _, p := range list {
		fine = append(fine, filter.Gaussian(p, 1))
	}
	best := -1.0
	for range tries {
		o, least := 0, math.Inf(1)
		for n, cost := range costs {
			if cost < least || cost == least && n < o {
				o, least = n, cost
			}
		}
		if o == 0 {
			break
		}
		for n := range costs { // its neighbours come to the same
			if d := n - o; d*d <= 9 {
				delete(costs, n)
			}
		}
		t := *c
		t.settle(fine, o*k, k)
		composed := make([]raster.Plane, len(list))
		for i, p := range list {
			composed[i] = t.compose(p)
		}
		score := tiling.Across(composed)
		if score > best {
			best, c.share, c.line = score, t.share, t.line
		}
		if best >= closedAt {
			break
		}
	}
	return best >= 0
}

// settle finds the best overlap near o, to a part of a pixel, and the line through it.
func (c *cut) settle(list []raster.Plane, o, near int) {
	w, h := list[0].W, list[0].H
	costs := map[int]float64{}
	at := func(n int) float64 {
		if _, ok := costs[n]; !ok {
			_, costs[n] = cheapest(list, n, false)
		}
		return costs[n]
	}
	from, to := max(6, o-near-1), min(o+near+1, int(0.45*float64(w)))
	for n := from; n <= to; n++ {
		if at(n) < at(o) {
			o = n
		}
	}
	share := float64(o)
	if d := at(o-1) - 2*at(o) + at(o+1); d > 0 {
		share += min(max((at(o-1)-at(o+1))/(2*d), -0.5), 0.5)
	}
	c.share = share / float64(w)
	line, _ := cheapest(list, c.overlap(w), c.closed)
	c.line = make([]float64, h)
	for y, x := range line {
		c.line[y] = (float64(x) + 0.5) / float64(w)
	}
}

// cheapest is the line from top to bottom through an overlap of o pixels along which both
// sides differ least, by dynamic programming, and its mean cost a row. A closed one ends
// where it began.
func cheapest(list []raster.Plane, o int, closed bool) (line []int, cost float64) {
	w, h := list[0].W, list[0].H
	margin := max(1, o/12)
	n := o - 2*margin
	e := make([]float32, n*h)
	raster.Rows(h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			dst := e[y*n : (y+1)*n]
			for _, p := range list {
				row := p.Row(y)
				a, b := row[margin:margin+n], row[w-o+margin:w-o+margin+n]
				for x := range dst {
					d := a[x] - b[x]
					dst[x] += d * d
				}
			}
		}
	})
	line, cost = descend(e, n, h, 0, -1)
	if closed {
		// Begin where the open line is cheapest, and come back there.
		first := 0
		for y, x := range line {
			if e[y*n+x] < e[first*n+line[first]] {
				first = y
			}
		}
		line, cost = descend(e, n, h, first, line[first])
	}
	for y := range line {
		line[y] += margin
	}
	return line, cost / float64(h*len(list))
}

// descend is the cheapest line through h rows of n costs, from row first on, wrapped,
// moving by at most two columns a row. With at ≥ 0 it begins and ends there.
func descend(e []float32, n, h, first, at int) (line []int, cost float64) {
	const reach = 2
	sum := make([]float64, n)
	for x := range sum {
		sum[x] = float64(e[first*n+x])
		if at >= 0 && x != at {
			sum[x] = math.Inf(1)
		}
	}
	from := make([]int8, n*h)
	next := make([]float64, n)
	for k := 1; k < h; k++ {
		row := e[(first+k)%h*n:]
		for x := range next {
			b, d := sum[x], 0
			for j := max(-reach, -x); j <= min(reach, n-1-x); j++ {
				// A slanting line is longer.
				if s := sum[x+j] + float64(row[x])*0.15*math.Abs(float64(j)); s < b {
					b, d = s, j
				}
			}
			next[x], from[k*n+x] = b+float64(row[x]), int8(d)
		}
		sum, next = next, sum
	}
	end := 0
	for x := range sum {
		if at >= 0 && (x < at-reach || x > at+reach) {
			continue
		}
		if sum[x] < sum[end] || at >= 0 && (end < at-reach || end > at+reach) {
			end = x
		}
	}
	line = make([]int, h)
	cost = sum[end]
	for k, x := h-1, end; k >= 0; k-- {
		line[(first+k)%h] = x
		x += int(from[k*n+x])
	}
	return line, cost
}

// at is where the line is in row y of h, as a share of the side.
func (c *cut) at(y, h int) float64 {
	n := len(c.line)
	v := (float64(y)+0.5)/float64(h)*float64(n) - 0.5
	k := int(math.Floor(v))
	pick := func(i int) float64 {
		if c.closed {
			return c.line[(i+n)%n]
		}
		return c.line[min(max(i, 0), n-1)]
	}
	return pick(k) + (pick(k+1)-pick(k))*(v-float64(k))
}

// weights are how much the near edge counts in the overlap's pixels of row y: 0 before
// the line, 1 after it.
func (c *cut) weights(y, w, h int, dst []float32) {
	soft := 1.5 * max(1, float64(w)/DecideAt/2)
	line := c.at(y, h) * float64(w)
	for x := range dst {
		dst[x] = float32(min(max((float64(x)+0.5-line)/soft+0.5, 0), 1))
	}
}

// compose is an upright plane with its edges laid over each other and cut.
func (c *cut) compose(p raster.Plane) raster.Plane {
	o := c.overlap(p.W)
	out := raster.NewPlane(p.W-o, p.H)
	raster.Rows(p.H, func(y0, y1 int) {
		t := make([]float32, o)
		for y := y0; y < y1; y++ {
			src, dst := p.Row(y), out.Row(y)
			copy(dst, src[:p.W-o])
			c.weights(y, p.W, p.H, t)
			for x, k := range t {
				if k < 1 {
					dst[x] = src[p.W-o+x] + (src[x]-src[p.W-o+x])*k
				}
			}
		}
	})
	return out
}

// close makes a sheet's edges meet. wraps says which axes did before.
func (c *cut) close(s *Sheet, ch material.Channel, wraps [2]bool) *Sheet {
	if len(s.Planes) == 0 {
		p, q := slopes(s.Normal)
		p, q = upright(c.compose(upright(p, c.axis)), c.axis), upright(c.compose(upright(q, c.axis)), c.axis)
		return &Sheet{Normal: fromSlopes(p, q), Bits: s.Bits}
	}
	out := &Sheet{Bits: s.Bits}
	for _, p := range s.Planes {
		p = upright(p, c.axis)
		q := c.compose(p)
		switch ch {
		case material.Metallic, material.Opacity, material.Mask: // is or is not: nothing in between is to be spread
		default:
			c.mend(p, q, wraps[1-c.axis])
		}
		out.Planes = append(out.Planes, upright(q, c.axis))
	}
	return out
}

// mend changes a composed upright plane such that its gradients are those of its source
// on either side of the cut, and keeps its mean and 0..1.
func (c *cut) mend(src, q raster.Plane, wraps bool) {
	o := c.overlap(src.W)
	w, h := q.W, q.H
	// What the gradients are to be less what they are, not zero near the line only: its
	// divergence is what the correction's Laplacian must be.
	dx, dy := raster.NewPlane(w, h), raster.NewPlane(w, h)
	raster.Rows(h, func(y0, y1 int) {
		t, u := make([]float32, o), make([]float32, o)
		for y := y0; y < y1; y++ {
			c.weights(y, src.W, h, t)
			a, now := src.Row(y), q.Row(y)
			b := a[src.W-o:]
			for x := range o - 1 {
				k := (t[x] + t[x+1]) / 2
				if k > 0 && k < 1 {
					dx.Pix[y*w+x] = (1-k)*(b[x+1]-b[x]) + k*(a[x+1]-a[x]) - (now[x+1] - now[x])
				}
			}
			below := y + 1
			if below == h {
				if !wraps {
					continue
				}
				below = 0
			}
			c.weights(below, src.W, h, u)
			a2, next := src.Row(below), q.Row(below)
			b2 := a2[src.W-o:]
			for x := range o {
				k := (t[x] + u[x]) / 2
				if t[x] != u[x] || k > 0 && k < 1 {
					dy.Pix[y*w+x] = (1-k)*(b2[x]-b[x]) + k*(a2[x]-a[x]) - (next[x] - now[x])
				}
			}
		}
	})
	div := raster.NewPlane(w, h)
	raster.Rows(h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w {
				d := dx.Pix[y*w+x] - dx.Pix[y*w+(x+w-1)%w] + dy.Pix[y*w+x]
				if y > 0 {
					d -= dy.Pix[(y-1)*w+x]
				} else if wraps {
					d -= dy.Pix[(h-1)*w+x]
				}
				div.Pix[y*w+x] = d
			}
		}
	})
	fix := poisson(div, [2]bool{true, wraps})
	raster.Rows(h, func(y0, y1 int) {
		for i := y0 * w; i < y1*w; i++ {
			q.Pix[i] = min(max(q.Pix[i]+fix.Pix[i], 0), 1)
		}
	})
}
