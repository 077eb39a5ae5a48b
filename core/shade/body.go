package shade

import (
	"fmt"
	"math"
	"sync"

	"aldermoor/core/geom"
	"aldermoor/core/mesh"
)

// model is a mesh as a shape. What lies where on it, its body says: see scene.
type model struct{ radius, longest float32 }

func newModel(m *mesh.Mesh) model {
	return model{float32(m.Radius()), float32(m.Longest())}
}

// Enter implements shape.Shape.
func (m model) Enter(r geom.Ray, grow float32) (from, to float32, ok bool) {
	k := geom.Grey(m.radius + max(grow, 0))
	return geom.Box{Min: k.Scale(-1), Max: k}.Hit(r)
}

// Locate implements shape.Shape: a mesh has no height above it that is known everywhere.
func (m model) Locate(geom.V3) (u, v, above, edge float32) { return 0, 0, 0, 0 }

// Frame implements shape.Shape.
func (m model) Frame(geom.V3) (t, b, n geom.V3) {
	return geom.Vec(1, 0, 0), geom.Vec(0, 1, 0), geom.Vec(0, 0, 1)
}

// Radius implements shape.Shape.
func (m model) Radius() float32 { return m.radius }

// Solid implements shape.Shape: a mesh may be open. Whether it bends light, its scene says.
func (m model) Solid() bool { return false }

// Says implements shape.Shape.
func (m model) Says() string { return fmt.Sprintf("mesh %.2f m", m.longest) }

// Bodies keeps the meshes that were drawn last, ready for rays: making one ready takes longer than
// drawing a small picture of it. The zero value is ready to use, also by several at once.
type Bodies struct {
	mu   sync.Mutex
	keys []bodyKey
	list []*mesh.Body
}

type bodyKey struct {
	mesh        *mesh.Mesh
	surface     *Surface // nil without relief
	grain       float32
	top, bottom float32
}

const keptBodies = 3

func (b *Bodies) get(k bodyKey, build func() *mesh.Body) *mesh.Body {
	if b == nil {
		return build()
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for i := range b.keys {
		if b.keys[i] == k {
			return b.list[i]
		}
	}
	body := build()
	b.keys, b.list = append(b.keys, k), append(b.list, body)
	if len(b.keys) > keptBodies {
		b.keys, b.list = b.keys[1:], b.list[1:]
	}
	return body
}

// attach gives the scene its body: the mesh with the relief on it, as fine as a pixel's size in metres
// (to a step of √2) or a texel.
func (sc *scene) attach(m *mesh.Mesh, pixel float32, kept *Bodies) {
	sc.du, sc.dv = 0, 0
	if t := sc.surface.figures.Transmission; t.Share > 0 && !t.Thin {
		sc.refracts = m.Closed()
	}
	if !sc.relief {
		sc.body = kept.get(bodyKey{mesh: m}, func() *mesh.Body { return mesh.NewBody(m) })
		return
	}
	s := sc.surface
	step := math.Exp2(math.Round(2*math.Log2(float64(pixel))) / 2)
	grain := max(float32(step), s.texel(0))
	l := &s.level[int(s.lod(grain)+0.5)]
	sc.body = kept.get(bodyKey{m, s, grain, sc.top, sc.bottom}, func() *mesh.Body {
		b, _ := mesh.NewRelief(m, grain, func(u, v float32) float32 { return max(l.height.at(u*sc.iw, v*sc.ih), sc.bottom) })
		return b
	})
}

// far is further than any ray goes.
const far = 1e9

// meetBody is trace on a mesh.
func (sc *scene) meetBody(r geom.Ray, pixel float32, lod int) (m meeting, ok bool) {
	near := float32(0)
	if lod >= 0 { // from the surface itself
		near = sc.shape.Radius() * 1e-5
	}
	if m.hit, ok = sc.body.Hit(r, near, far, false); !ok {
		return m, false
	}
	m.at, m.p, m.side = m.hit.At, r.At(m.hit.At), 1
	if sc.body.Face(&m.hit).Dot(r.D) > 0 {
		m.side = -1
	}
	if m.lod = lod; lod < 0 {
		m.lod = int(sc.surface.lod(pixel*m.at) + 0.5)
	}
	u, v := sc.body.Place(&m.hit)
	m.u, m.v = u*sc.iw+sc.du, v*sc.ih+sc.dv
	return m, true
}

// sunOnBody says whether a point of a mesh sees the middle of the sun.
func (sc *scene) sunOnBody(m *meeting, sun geom.V3) float32 {
	face := sc.body.Face(&m.hit).Scale(m.side)
	if face.Dot(sun) <= 0 {
		return 0
	}
	clear := sc.shape.Radius() * 1e-4
	if _, hit := sc.body.Hit(geom.Ray{O: m.p.Add(face.Scale(clear)), D: sun}, 0, far, true); hit {
		return 0
	}
	return 1
}
