package mesh

import (
	"math"

	"aldermoor/core/geom"
)

// mostSmall is how many triangles the relief of a mesh is made of at most.
const mostSmall = 1_500_000

// NewRelief makes a mesh ready for rays with relief on it: each triangle is cut into smaller ones with
// edges of about the length of grain (metres), whose points stand out by height at their place on the
// map (metres of the surface to the right and down). Where triangles meet, also across seams of the map
// and hard edges, they stay together: the heights of both sides are averaged, and points stand out
// along the mean of the normals. grain grows where there would be too many triangles; it is returned.
func NewRelief(m *Mesh, grain float32, height func(u, v float32) float32) (*Body, float32) {
	r := relief{m: m, unit: float32(m.Unit()), height: height}
	r.weld()
	for r.count(grain) > mostSmall {
		grain *= 1.25
	}
	r.grain = grain
	b := &Body{mesh: m, unit: r.unit}
	r.fill(b)
	b.build(len(b.small))
	return b, grain
}

type relief struct {
	m      *Mesh
	unit   float32
	height func(u, v float32) float32
	grain  float32
	point  []int32   // the place of each corner
	normal []geom.V3 // of each place: the mean of those that meet there
	tall   []float32 // of each place
	edges  map[[2]int32]*seam
}

// seam is an edge: the triangles that meet there, and the points along it.
type seam struct {
	sides  []int32 // 3·triangle + corner from which it goes
	points []int32
}

// weld finds the corners and edges that lie in one place.
func (r *relief) weld() {
	known := map[geom.V3]int32{}
	r.point = make([]int32, len(r.m.Corners))
	var count []float32
	for i := range r.m.Corners {
		c := &r.m.Corners[i]
		id, ok := known[c.P]
		if !ok {
			id = int32(len(known))
			known[c.P] = id
			r.normal, r.tall, count = append(r.normal, geom.V3{}), append(r.tall, 0), append(count, 0)
		}
		r.point[i] = id
		r.normal[id] = r.normal[id].Add(c.N)
		r.tall[id] += r.at(c.U, c.V)
		count[id]++
	}
	for i := range r.tall {
		r.tall[i] /= count[i]
	}
	r.edges = map[[2]int32]*seam{}
	for i := range r.point {
		a, b := r.point[i], r.point[i-i%3+(i+1)%3]
		k := [2]int32{min(a, b), max(a, b)}
		if r.edges[k] == nil {
			r.edges[k] = &seam{}
		}
		r.edges[k].sides = append(r.edges[k].sides, int32(i))
	}
}

func (r *relief) at(u, v float32) float32 { return r.height(u*r.unit, v*r.unit) }

// parts is in how many parts an edge is cut.
func parts(a, b geom.V3, grain float32) int {
	return max(1, int(math.Ceil(float64(b.Sub(a).Length()/grain))))
}

// cuts is in how many parts the sides of a triangle are cut: as its longest needs.
func (r *relief) cuts(i int, grain float32) int {
	c := r.m.Corners[3*i : 3*i+3]
	return max(parts(c[0].P, c[1].P, grain), parts(c[1].P, c[2].P, grain), parts(c[2].P, c[0].P, grain))
}

func (r *relief) count(grain float32) (n int) {
	for i := range r.m.Triangles() {
		k := r.cuts(i, grain)
		if n += k * k; n > 1<<40 {
			return n
		}
	}
	return n
}

// fill makes the points and triangles.
func (r *relief) fill(b *Body) {
	place := make(map[int32]int32, len(r.normal)) // of the mesh's own points
	for i, id := range r.point {
		if _, ok := place[id]; !ok {
			place[id] = int32(len(b.points))
			b.points = append(b.points, r.m.Corners[i].P.Add(r.normal[id].Unit().Scale(r.tall[id])))
		}
	}
	for k, s := range r.edges {
		r.cut(b, k, s)
	}
	var grid []int32
	for i := range r.m.Triangles() {
		n := r.cuts(i, r.grain)
		c := r.m.Corners[3*i : 3*i+3]
		p := r.point[3*i : 3*i+3]
		// Rows from the first corner: row j has j+1 points.
		grid = grid[:0]
		index := func(j, k int) int { return j*(j+1)/2 + k }
		for j := 0; j <= n; j++ {
			for k := 0; k <= j; k++ {
				var at int32
				switch {
				case j == 0:
					at = place[p[0]]
				case j == n && k == 0:
					at = place[p[1]]
				case j == n && k == n:
					at = place[p[2]]
				case k == 0:
					at = r.along(b, p[0], p[1], float32(j)/float32(n), place)
				case k == j:
					at = r.along(b, p[0], p[2], float32(j)/float32(n), place)
				case j == n:
					at = r.along(b, p[1], p[2], float32(k)/float32(n), place)
				default:
					at = int32(len(b.points))
					wb, wc := float32(j-k)/float32(n), float32(k)/float32(n)
					wa := 1 - wb - wc
					q := c[0].P.Scale(wa).Add(c[1].P.Scale(wb)).Add(c[2].P.Scale(wc))
					normal := c[0].N.Scale(wa).Add(c[1].N.Scale(wb)).Add(c[2].N.Scale(wc)).Unit()
					b.points = append(b.points, q.Add(normal.Scale(r.at(wa*c[0].U+wb*c[1].U+wc*c[2].U, wa*c[0].V+wb*c[1].V+wc*c[2].V))))
				}
				grid = append(grid, at)
			}
		}
		weight := func(j, k int) [2]float32 { return [2]float32{float32(j-k) / float32(n), float32(k) / float32(n)} }
		add := func(aj, ak, bj, bk, cj, ck int) {
			f := facetRef{p: [3]int32{grid[index(aj, ak)], grid[index(bj, bk)], grid[index(cj, ck)]}, of: int32(i),
				weight: [3][2]float32{weight(aj, ak), weight(bj, bk), weight(cj, ck)}}
			if f.p[0] != f.p[1] && f.p[1] != f.p[2] && f.p[2] != f.p[0] {
				b.small = append(b.small, f)
			}
		}
		for j := range n {
			for k := 0; k <= j; k++ {
				add(j, k, j+1, k, j+1, k+1)
				if k < j {
					add(j, k, j+1, k+1, j, k+1)
				}
			}
		}
	}
}

// cut makes the points along an edge, from its lower place to its higher one, as many as the edge by
// itself needs: both sides share them.
func (r *relief) cut(b *Body, key [2]int32, s *seam) {
	corner := func(side int32) (from, to *Corner) {
		i := int(side)
		from, to = &r.m.Corners[i], &r.m.Corners[i-i%3+(i+1)%3]
		if r.point[i] != key[0] {
			from, to = to, from
		}
		return from, to
	}
	a, c := corner(s.sides[0])
	n := parts(a.P, c.P, r.grain)
	for k := 1; k < n; k++ {
		t := float32(k) / float32(n)
		tall, normal := float32(0), geom.V3{}
		for _, side := range s.sides {
			x, y := corner(side)
			tall += r.at(x.U+(y.U-x.U)*t, x.V+(y.V-x.V)*t) / float32(len(s.sides))
			normal = normal.Add(geom.Mix(x.N, y.N, t).Unit())
		}
		s.points = append(s.points, int32(len(b.points)))
		b.points = append(b.points, geom.Mix(a.P, c.P, t).Add(normal.Unit().Scale(tall)))
	}
}

// along is the point of an edge next to a share of the way from place p to place q.
func (r *relief) along(b *Body, p, q int32, t float32, place map[int32]int32) int32 {
	from, to := p, q
	if p > q {
		from, to, t = q, p, 1-t
	}
	s := r.edges[[2]int32{from, to}]
	n := len(s.points) + 1
	switch k := int(t*float32(n) + 0.5); k {
	case 0:
		return place[from]
	case n:
		return place[to]
	default:
		return s.points[k-1]
	}
}
