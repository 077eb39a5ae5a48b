package mesh

import (
	"math"

	"aldermoor/core/geom"
)

// Tangents works out the tangents of a mesh as MikkTSpace defines them (Mikkelsen 2008, "Simulation
// of Wrinkled Surfaces Revisited"), so that normal maps read as in other programs. Corners that
// came with a tangent keep it.
//
// Corners of one place, normal and texture coordinate are one vertex. Around a vertex, triangles
// that share edges and are not mirrored against each other on the map form a group; its tangent is
// the mean of theirs, weighed by the angle that each has there.
func (m *Mesh) Tangents() {
	if m.tangled() {
		m.work()
	}
}

// tangled says whether a corner has no tangent.
func (m *Mesh) tangled() bool {
	for i := range m.Corners {
		if m.Corners[i].T == (geom.V3{}) {
			return true
		}
	}
	return false
}

// facet is what is known of a triangle while tangents are made.
type facet struct {
	v     [3]int32 // vertices
	next  [3]int32 // the neighbour across the edge from each corner to the following one; −1 for none
	group [3]int32 // at each corner; −1 for none
	s     geom.V3  // along u, of unit length
	keeps bool     // not mirrored on the map
	any   bool     // has no area on the map: joins any group
	flat  bool     // has no area in space: takes no part
}

type tangler struct {
	m      *Mesh
	facets []facet
	groups []tangentGroup
}

type tangentGroup struct {
	vertex int32
	keeps  bool
	list   []int32
}

func (m *Mesh) work() {
	t := tangler{m: m, facets: make([]facet, m.Triangles())}
	t.weld()
	for i := range t.facets {
		t.measure(i)
	}
	t.meet()
	t.gather()
	for i := range t.groups {
		t.mean(&t.groups[i])
	}
	t.rest()
}

// weld numbers the vertices.
func (t *tangler) weld() {
	type key struct {
		p, n geom.V3
		u, v float32
	}
	known := make(map[key]int32, len(t.m.Corners)/4)
	for i := range t.m.Corners {
		c := &t.m.Corners[i]
		k := key{c.P, c.N, c.U, c.V}
		id, ok := known[k]
		if !ok {
			id = int32(len(known))
			known[k] = id
		}
		t.facets[i/3].v[i%3] = id
	}
}

// measure works out a triangle's direction of u.
func (t *tangler) measure(i int) {
	f := &t.facets[i]
	f.next, f.group = [3]int32{-1, -1, -1}, [3]int32{-1, -1, -1}
	a, b, c := &t.m.Corners[3*i], &t.m.Corners[3*i+1], &t.m.Corners[3*i+2]
	f.flat = a.P == b.P || b.P == c.P || c.P == a.P
	d1, d2 := b.P.Sub(a.P), c.P.Sub(a.P)
	// Up the map is positive.
	x1, y1, x2, y2 := b.U-a.U, a.V-b.V, c.U-a.U, a.V-c.V
	area := x1*y2 - y1*x2
	f.keeps, f.any = area > 0, true
	if notZero(area) {
		s, up := d1.Scale(y2).Sub(d2.Scale(y1)), d2.Scale(x1).Sub(d1.Scale(x2))
		long, high := s.Length(), up.Length()
		sign := float32(1)
		if !f.keeps {
			sign = -1
		}
		if notZero(long) {
			f.s = s.Scale(sign / long)
		}
		wide := abs(area)
		f.any = !notZero(long/wide) || !notZero(high/wide)
	}
}

func notZero(v float32) bool { return abs(v) > 1.1754944e-38 }
func abs(v float32) float32  { return max(v, -v) }

// meet finds the neighbours: two triangles that go along an edge in opposite directions.
func (t *tangler) meet() {
	type edge struct{ a, b int32 }
	open := make(map[edge]int32, len(t.facets)*2) // 3·triangle + corner
	for i := range t.facets {
		f := &t.facets[i]
		if f.flat {
			continue
		}
		for k := range 3 {
			a, b := f.v[k], f.v[(k+1)%3]
			if other, ok := open[edge{b, a}]; ok {
				f.next[k], t.facets[other/3].next[other%3] = other/3, int32(i)
				delete(open, edge{b, a})
				continue
			}
			open[edge{a, b}] = int32(3*i + k)
		}
	}
}

// gather makes the groups, in the order of the triangles.
func (t *tangler) gather() {
	for i := range t.facets {
		f := &t.facets[i]
		for k := range 3 {
			if f.flat || f.any || f.group[k] >= 0 {
				continue
			}
			g := int32(len(t.groups))
			t.groups = append(t.groups, tangentGroup{vertex: f.v[k], keeps: f.keeps})
			t.join(int32(i), k, g)
		}
	}
}

// join puts a triangle, and all that can be reached from it around the vertex, into a group.
func (t *tangler) join(i int32, k int, g int32) {
	type visit struct {
		triangle int32
		corner   int
	}
	group := &t.groups[g]
	todo := []visit{{i, k}}
	for len(todo) > 0 {
		v := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		f := &t.facets[v.triangle]
		if f.group[v.corner] >= 0 {
			continue
		}
		if f.any && f.group == [3]int32{-1, -1, -1} { // the first group to reach it says how it lies
			f.keeps = group.keeps
		}
		if f.keeps != group.keeps {
			continue
		}
		f.group[v.corner] = g
		group.list = append(group.list, v.triangle)
		for _, side := range [2]int{(v.corner + 2) % 3, v.corner} {
			n := f.next[side]
			if n < 0 {
				continue
			}
			for c := range 3 {
				if t.facets[n].v[c] == group.vertex {
					todo = append(todo, visit{n, c})
				}
			}
		}
	}
}

// mean is the tangent of a group, for all of its corners.
func (t *tangler) mean(g *tangentGroup) {
	var sum geom.V3
	for _, i := range g.list {
		f := &t.facets[i]
		if f.any {
			continue
		}
		k := f.corner(g.vertex)
		here := &t.m.Corners[3*int(i)+k]
		before, after := t.m.Corners[3*int(i)+(k+2)%3].P, t.m.Corners[3*int(i)+(k+1)%3].P
		a, b := along(before.Sub(here.P), here.N), along(after.Sub(here.P), here.N)
		angle := float32(math.Acos(float64(min(max(a.Dot(b), -1), 1))))
		sum = sum.Add(along(f.s, here.N).Scale(angle))
	}
	sum = unit(sum)
	sign := float32(-1)
	if g.keeps {
		sign = 1
	}
	for _, i := range g.list {
		c := &t.m.Corners[3*int(i)+t.facets[i].corner(g.vertex)]
		if c.T == (geom.V3{}) {
			c.T, c.Sign = sum, sign
		}
	}
}

func (f *facet) corner(vertex int32) int {
	for k := range 2 {
		if f.v[k] == vertex {
			return k
		}
	}
	return 2
}

// along is what of v lies in the plane across n, at unit length.
func along(v, n geom.V3) geom.V3 { return unit(v.Sub(n.Scale(n.Dot(v)))) }

func unit(v geom.V3) geom.V3 {
	if l := v.Length(); notZero(l) {
		return v.Scale(1 / l)
	}
	return geom.V3{}
}

// rest gives corners that are in no group a tangent: that of another triangle at their vertex, or any.
func (t *tangler) rest() {
	found := map[int32]*Corner{}
	for i := range t.m.Corners {
		if c := &t.m.Corners[i]; c.T != (geom.V3{}) {
			if v := t.facets[i/3].v[i%3]; found[v] == nil {
				found[v] = c
			}
		}
	}
	for i := range t.m.Corners {
		c := &t.m.Corners[i]
		if c.T != (geom.V3{}) {
			continue
		}
		if o := found[t.facets[i/3].v[i%3]]; o != nil {
			c.T, c.Sign = o.T, o.Sign
		} else {
			c.T, _ = geom.Frame(c.N)
			c.Sign = 1
		}
	}
}
