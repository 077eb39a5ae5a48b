package light

import (
	"math"

	"aldermoor/core/geom"
	"aldermoor/core/raster"
)

// Cube is a picture of all directions on the six faces of a cube, in OpenGL's order and
// orientation: +x, −x, +y, −y, +z, −z, rows from the top of each. It is looked up linearly.
type Cube struct {
	N   int // texels along an edge
	pix []geom.V3
}

func newCube(n int) *Cube { return &Cube{n, make([]geom.V3, 6*(n+2)*(n+2))} }

// Texel is one of face f; x and y may be −1 or N: the texels of the neighbouring faces.
func (c *Cube) Texel(f, x, y int) geom.V3 { return c.pix[c.index(f, x, y)] }

func (c *Cube) index(f, x, y int) int { return (f*(c.N+2)+y+1)*(c.N+2) + x + 1 }

// direction is where a texel lies, not of unit length.
func (c *Cube) direction(f, x, y int) geom.V3 {
	return onFace(f, (float32(x)+0.5)/float32(c.N)*2-1, (float32(y)+0.5)/float32(c.N)*2-1)
}

// onFace is the direction of a place on a face, −1..1, not of unit length: what face undoes.
func onFace(f int, s, t float32) geom.V3 {
	switch f {
	case 0:
		return geom.Vec(1, -t, -s)
	case 1:
		return geom.Vec(-1, -t, s)
	case 2:
		return geom.Vec(s, 1, t)
	case 3:
		return geom.Vec(s, -1, -t)
	case 4:
		return geom.Vec(s, -t, 1)
	}
	return geom.Vec(-s, -t, -1)
}

// face is the face of a direction, and where on it, −1..1.
func face(d geom.V3) (f int, s, t float32) {
	x, y, z := abs(d.X), abs(d.Y), abs(d.Z)
	switch {
	case x >= y && x >= z:
		if d.X > 0 {
			return 0, -d.Z / x, -d.Y / x
		}
		return 1, d.Z / x, -d.Y / x
	case y >= z:
		if d.Y > 0 {
			return 2, d.X / y, d.Z / y
		}
		return 3, d.X / y, -d.Z / y
	case d.Z > 0:
		return 4, d.X / z, -d.Y / z
	}
	return 5, -d.X / z, -d.Y / z
}

func abs(v float32) float32 { return max(v, -v) }

// At is the light from direction d.
func (c *Cube) At(d geom.V3) geom.V3 { return c.on(face(d)) }

// on is At a place on a face.
func (c *Cube) on(f int, s, t float32) geom.V3 {
	x, y := (s+1)*0.5*float32(c.N)+0.5, (t+1)*0.5*float32(c.N)+0.5
	i, j := min(int(x), c.N), min(int(y), c.N)
	fx, fy := x-float32(i), y-float32(j)
	row := c.pix[(f*(c.N+2)+j)*(c.N+2)+i:]
	return geom.Mix(geom.Mix(row[0], row[1], fx), geom.Mix(row[c.N+2], row[c.N+3], fx), fy)
}

// fill sets every texel, and those around each face, by a function of direction.
func (c *Cube) fill(at func(d geom.V3) geom.V3) {
	raster.Rows(6*(c.N+2), func(from, to int) {
		for row := from; row < to; row++ {
			f, y := row/(c.N+2), row%(c.N+2)-1
			for x := -1; x <= c.N; x++ {
				c.pix[c.index(f, x, y)] = at(c.direction(f, x, y).Unit())
			}
		}
	})
}

// half is the cube at half its size: the mean of each four texels.
func (c *Cube) half() *Cube {
	out := newCube(c.N / 2)
	for f := range 6 {
		for y := range out.N {
			for x := range out.N {
				out.pix[out.index(f, x, y)] = c.Texel(f, 2*x, 2*y).Add(c.Texel(f, 2*x+1, 2*y)).Add(c.Texel(f, 2*x, 2*y+1)).Add(c.Texel(f, 2*x+1, 2*y+1)).Scale(0.25)
			}
		}
	}
	out.border()
	return out
}

// border copies the texels around each face from its neighbours.
func (c *Cube) border() {
	for f := range 6 {
		for k := -1; k <= c.N; k++ {
			for _, p := range [4][2]int{{k, -1}, {k, c.N}, {-1, k}, {c.N, k}} {
				g, s, t := face(c.direction(f, p[0], p[1]))
				x, y := int((s+1)*0.5*float32(c.N)), int((t+1)*0.5*float32(c.N))
				c.pix[c.index(f, p[0], p[1])] = c.Texel(g, min(x, c.N-1), min(y, c.N-1))
			}
		}
	}
}

// solidAngle is that of a texel.
func (c *Cube) solidAngle(x, y int) float32 {
	s, t := (float32(x)+0.5)/float32(c.N)*2-1, (float32(y)+0.5)/float32(c.N)*2-1
	k := 1 + s*s + t*t
	return 4 / (float32(c.N) * float32(c.N) * k * sqrt(k))
}

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }
