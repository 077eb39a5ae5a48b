package mesh

import (
	"cmp"
	"math"

	"aldermoor/core/geom"
)

// facetRef is a small triangle of a Body: three of its points, and where they lie on a triangle of
// the mesh (the weights of its second and third corner).
type facetRef struct {
	p      [3]int32
	of     int32
	weight [3][2]float32
}

// Body is a mesh made ready for rays: its triangles, or the smaller ones of its relief, in a tree of
// boxes.
type Body struct {
	mesh   *Mesh
	unit   float32 // metres of the surface that one unit of the map takes
	points []geom.V3
	small  []facetRef // nil where the mesh's own triangles are met
	order  []int32    // of triangles, as the leaves have them
	nodes  []treeNode
	radius float32
}

// treeNode is a box with two children, the first of which follows it, or with triangles.
type treeNode struct {
	box   geom.Box
	first int32 // of the triangles in order; of an inner node, the second child
	n     int32 // triangles; 0 for an inner node
}

// Meeting is where a ray meets a body.
type Meeting struct {
	At       float32 // along the ray
	Triangle int32   // of the mesh
	B, C     float32 // weights of its second and third corner
	Small    int32   // the triangle that was met: of the relief where there is one
}

// leafSize is how many triangles a leaf has at most, bins how many cuts are tried an axis; from deepest
// on, nodes are halved by number, so that the tree ends.
const (
	leafSize = 4
	bins     = 12
	deepest  = 40
)

// NewBody makes a mesh ready for rays as it is. It needs tangents.
func NewBody(m *Mesh) *Body {
	b := &Body{mesh: m, unit: float32(m.Unit())}
	b.build(m.Triangles())
	return b
}

// triangle is one that rays meet.
func (b *Body) triangle(i int32) geom.Triangle {
	if b.small != nil {
		p := &b.small[i].p
		return geom.Triangle{A: b.points[p[0]], B: b.points[p[1]], C: b.points[p[2]]}
	}
	c := b.mesh.Corners[3*i : 3*i+3]
	return geom.Triangle{A: c[0].P, B: c[1].P, C: c[2].P}
}

func (b *Body) build(n int) {
	b.order = make([]int32, n)
	boxes := make([]geom.Box, n)
	middles := make([]geom.V3, n)
	var far float32
	for i := range n {
		b.order[i] = int32(i)
		t := b.triangle(int32(i))
		boxes[i] = t.Bounds()
		middles[i] = boxes[i].Centre()
		far = max(far, t.A.Dot(t.A), t.B.Dot(t.B), t.C.Dot(t.C))
	}
	b.radius = float32(math.Sqrt(float64(far)))
	b.nodes = make([]treeNode, 0, n)
	b.split(0, n, 0, boxes, middles)
}

// split adds the node of a stretch of the order, and all below it: cut where the surface that rays
// are likely to meet is least (MacDonald & Booth 1990, binned as Wald 2007).
func (b *Body) split(from, to, deep int, boxes []geom.Box, middles []geom.V3) {
	at := len(b.nodes)
	box, centre := geom.Empty(), geom.Empty()
	for _, i := range b.order[from:to] {
		box = box.Union(boxes[i])
		centre = centre.With(middles[i])
	}
	b.nodes = append(b.nodes, treeNode{box: box, first: int32(from), n: int32(to - from)})
	if to-from <= leafSize {
		return
	}
	best, axis, cut := float32(math.Inf(1)), -1, 0
	size := centre.Size()
	for a := 0; a < 3 && deep < deepest; a++ {
		lo, wide := centre.Min.Axis(a), size.Axis(a)
		if wide <= 0 {
			continue
		}
		var count [bins]int
		var hold [bins]geom.Box
		for k := range hold {
			hold[k] = geom.Empty()
		}
		for _, i := range b.order[from:to] {
			k := bin(middles[i].Axis(a), lo, wide)
			count[k]++
			hold[k] = hold[k].Union(boxes[i])
		}
		var right [bins]float32
		box, n := geom.Empty(), 0
		for k := bins - 1; k > 0; k-- {
			box, n = box.Union(hold[k]), n+count[k]
			right[k] = surface(box) * float32(n)
		}
		box, n = geom.Empty(), 0
		for k := 1; k < bins; k++ {
			box, n = box.Union(hold[k-1]), n+count[k-1]
			if cost := surface(box)*float32(n) + right[k]; n > 0 && n < to-from && cost < best {
				best, axis, cut = cost, a, k
			}
		}
	}
	middle := (from + to) / 2
	if axis >= 0 {
		lo, wide := centre.Min.Axis(axis), size.Axis(axis)
		part := b.order[from:to]
		i, j := 0, len(part)
		for i < j {
			if bin(middles[part[i]].Axis(axis), lo, wide) < cut {
				i++
			} else {
				j--
				part[i], part[j] = part[j], part[i]
			}
		}
		middle = from + i
	} else if to-from <= 64 && deep < deepest { // all in one place
		return
	}
	b.nodes[at].n = 0
	b.split(from, middle, deep+1, boxes, middles)
	b.nodes[at].first = int32(len(b.nodes))
	b.split(middle, to, deep+1, boxes, middles)
}

func bin(v, lo, wide float32) int { return min(int((v-lo)/wide*bins), bins-1) }

// surface is that of a box; 0 for an empty one.
func surface(b geom.Box) float32 {
	s := b.Size()
	if s.X < 0 {
		return 0
	}
	return s.X*s.Y + s.Y*s.Z + s.Z*s.X
}

var endless = float32(math.Inf(1))

// Hit is where a ray first meets the body between two distances, from either side. any stops at the first
// triangle that is found.
func (b *Body) Hit(r geom.Ray, from, to float32, any bool) (m Meeting, ok bool) {
	over := r.D.Map(func(d float32) float32 { return 1 / cmp.Or(d, 1e-12) })
	var stack [2*deepest + 64]int32
	top := 1 // the root is at 0
	m.At = to
	for top > 0 {
		top--
		n := &b.nodes[stack[top]]
		if enter(&n.box, &r, over) >= m.At {
			continue
		}
		if n.n > 0 {
			for _, i := range b.order[n.first : n.first+n.n] {
				at, u, v, hit := b.triangle(i).Hit(r)
				if hit && at >= from && at < m.At {
					m.At, m.B, m.C, m.Small, ok = at, u, v, i, true
					if any {
						return m, true
					}
				}
			}
			continue
		}
		a, c := stack[top]+1, n.first
		// The nearer child last, so that it is looked at first.
		if enter(&b.nodes[a].box, &r, over) < enter(&b.nodes[c].box, &r, over) {
			a, c = c, a
		}
		stack[top], stack[top+1] = a, c
		top += 2
	}
	if ok {
		m.Triangle = m.Small
		if b.small != nil {
			s := &b.small[m.Small]
			m.Triangle = s.of
			a, w, x := 1-m.B-m.C, m.B, m.C
			m.B, m.C = a*s.weight[0][0]+w*s.weight[1][0]+x*s.weight[2][0], a*s.weight[0][1]+w*s.weight[1][1]+x*s.weight[2][1]
		}
	}
	return m, ok
}

// enter is the distance at which a ray enters a box; without end where it does not. over is 1 over its
// direction.
func enter(b *geom.Box, r *geom.Ray, over geom.V3) float32 {
	x0, x1 := (b.Min.X-r.O.X)*over.X, (b.Max.X-r.O.X)*over.X
	y0, y1 := (b.Min.Y-r.O.Y)*over.Y, (b.Max.Y-r.O.Y)*over.Y
	z0, z1 := (b.Min.Z-r.O.Z)*over.Z, (b.Max.Z-r.O.Z)*over.Z
	near := max(min(x0, x1), min(y0, y1), min(z0, z1), 0)
	far := min(max(x0, x1), max(y0, y1), max(z0, z1))
	if near > far*1.00001+1e-7 {
		return endless
	}
	return near
}

// Place is where a meeting lies on the map, in metres of the surface to the right and down.
func (b *Body) Place(m *Meeting) (u, v float32) {
	c := b.mesh.Corners[3*m.Triangle : 3*m.Triangle+3]
	a := 1 - m.B - m.C
	return (a*c[0].U + m.B*c[1].U + m.C*c[2].U) * b.unit, (a*c[0].V + m.B*c[1].V + m.C*c[2].V) * b.unit
}

// Frame has the tangents along u and against v, and the normal, at a meeting.
func (b *Body) Frame(m *Meeting) (t, bt, n geom.V3) {
	c := b.mesh.Corners[3*m.Triangle : 3*m.Triangle+3]
	a := 1 - m.B - m.C
	n = c[0].N.Scale(a).Add(c[1].N.Scale(m.B)).Add(c[2].N.Scale(m.C))
	t = c[0].T.Scale(a).Add(c[1].T.Scale(m.B)).Add(c[2].T.Scale(m.C))
	// Not brought to unit length one by one: that is how normal maps are baked and read.
	k := 1 / max(n.Length(), 1e-9)
	return t.Scale(k), n.Cross(t).Scale(c[0].Sign * k), n.Scale(k)
}

// Face is the unit normal of the triangle that was met.
func (b *Body) Face(m *Meeting) geom.V3 { return b.triangle(m.Small).Normal() }

// Radius is that of a ball around the origin that holds the body.
func (b *Body) Radius() float32 { return b.radius }
