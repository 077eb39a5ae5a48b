// Package mesh reads models of triangles, gives them tangents as MikkTSpace defines them, lays
// relief on them at its true depth, and finds where rays meet them. Lengths are metres; axes are
// right-handed: x right, y up, z towards the viewer. Texture coordinates run to the right and down.
package mesh

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"path"
	"strings"

	"aldermoor/core/geom"
)

// Corner is one of a triangle.
type Corner struct {
	P, N geom.V3
	U, V float32
	T    geom.V3 // tangent along u; zero until Tangents
	Sign float32 // of the bitangent: up the map is Sign · (N × T)
}

// Mesh is a list of triangles: three corners each, counter-clockwise seen from the front.
type Mesh struct{ Corners []Corner }

// MostTriangles is how many a mesh may have.
const MostTriangles = 4_000_000

// errNoUV is what cannot be looked at with a material on it.
var errNoUV = errors.New("it has no texture coordinates; unwrap it and export it with them")

// Triangles is their number.
func (m *Mesh) Triangles() int { return len(m.Corners) / 3 }

// Bounds is the smallest box around the mesh.
func (m *Mesh) Bounds() geom.Box {
	b := geom.Empty()
	for i := range m.Corners {
		b = b.With(m.Corners[i].P)
	}
	return b
}

// Fit moves the middle of the mesh to the origin and makes its longest side so many metres; 0
// leaves it as large as it is.
func (m *Mesh) Fit(longest float64) {
	b := m.Bounds()
	size, middle := b.Size(), b.Centre()
	k := float32(1)
	if l := max(size.X, size.Y, size.Z); longest > 0 && l > 0 {
		k = float32(longest) / l
	}
	for i := range m.Corners {
		m.Corners[i].P = m.Corners[i].P.Sub(middle).Scale(k)
	}
}

// Longest is the longest side of its bounds in metres.
func (m *Mesh) Longest() float64 {
	s := m.Bounds().Size()
	return float64(max(s.X, s.Y, s.Z))
}

// Radius is that of a ball around the origin that holds the mesh.
func (m *Mesh) Radius() float64 {
	var far float32
	for i := range m.Corners {
		far = max(far, m.Corners[i].P.Dot(m.Corners[i].P))
	}
	return math.Sqrt(float64(far))
}

// Closed says whether the mesh has an inside: each edge, by its place, is gone along as often in one direction
// as in the other.
func (m *Mesh) Closed() bool {
	points, edges := map[geom.V3]int32{}, map[[2]int32]int{}
	point := func(i int) int32 {
		p := m.Corners[i].P
		id, ok := points[p]
		if !ok {
			id = int32(len(points))
			points[p] = id
		}
		return id
	}
	for i := 0; i+2 < len(m.Corners); i += 3 {
		ring := [3]int32{point(i), point(i + 1), point(i + 2)}
		if ring[0] == ring[1] || ring[1] == ring[2] || ring[2] == ring[0] { // no area
			continue
		}
		for k, a := range ring {
			if b := ring[(k+1)%3]; a < b {
				edges[[2]int32{a, b}]++
			} else {
				edges[[2]int32{b, a}]--
			}
		}
	}
	for _, n := range edges {
		if n != 0 {
			return false
		}
	}
	return len(edges) > 0
}

// Unit is how many metres of the surface one unit of texture coordinates takes, on the whole: the
// root of world area over texture area. A material laid on by it is as large as it really is
// wherever the unwrapping is even.
func (m *Mesh) Unit() float64 {
	var world, flat float64
	for i := 0; i+2 < len(m.Corners); i += 3 {
		a, b, c := &m.Corners[i], &m.Corners[i+1], &m.Corners[i+2]
		world += float64(geom.Triangle{A: a.P, B: b.P, C: c.P}.Area())
		flat += math.Abs(float64((b.U-a.U)*(c.V-a.V)-(c.U-a.U)*(b.V-a.V))) / 2
	}
	if flat <= 0 {
		return 1
	}
	return math.Sqrt(world / flat)
}

// Read reads a model by the ending of its name: .obj, .gltf or .glb. beside has the files that
// it names; it may be nil.
func Read(name string, data []byte, beside fs.FS) (*Mesh, error) {
	switch ext := strings.ToLower(path.Ext(name)); ext {
	case ".obj":
		return ReadOBJ(bytes.NewReader(data))
	case ".gltf", ".glb":
		return ReadGLTF(data, beside)
	default:
		return nil, fmt.Errorf("a model ends in .obj, .gltf or .glb, not in %q", ext)
	}
}

// complete checks what was read, and works out normals where there are none: the triangle's own.
func (m *Mesh) complete(hasUV bool) (*Mesh, error) {
	switch {
	case len(m.Corners) == 0:
		return nil, errors.New("it has no triangles")
	case m.Triangles() > MostTriangles:
		return nil, fmt.Errorf("it has %d triangles; %d are the most", m.Triangles(), MostTriangles)
	case !hasUV:
		return nil, errNoUV
	}
	for i := 0; i < len(m.Corners); i += 3 {
		t := m.Corners[i : i+3]
		var flat geom.V3
		for k := range t {
			c := &t[k]
			if sum := c.P.X + c.P.Y + c.P.Z + c.U + c.V + c.N.X + c.N.Y + c.N.Z; sum-sum != 0 {
				return nil, errors.New("it has figures that are no numbers")
			}
			if c.N.Dot(c.N) < 1e-12 {
				if flat == (geom.V3{}) {
					flat = geom.Triangle{A: t[0].P, B: t[1].P, C: t[2].P}.Normal()
				}
				c.N = flat
			}
			c.N = c.N.Unit()
		}
	}
	if s := m.Bounds().Size(); !(max(s.X, s.Y, s.Z) > 0) {
		return nil, errors.New("all its points lie in one place")
	}
	return m, nil
}
