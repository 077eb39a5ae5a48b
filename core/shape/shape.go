// Package shape has the shapes that materials are looked at on, each at a real size in metres.
//
// A shape is a smooth surface with a map of lengths on it: u runs to the right and v down, in
// metres along the surface, so that a material lies on it at its true scale. Relief stands on
// that surface along its normal; a ray is first brought to the shape grown by the relief's
// height (Enter) and then marched, asking how high above the surface it is (Locate). Axes are
// right-handed: x right, y up, z towards the viewer; the shape's middle is the origin.
package shape

import (
	"fmt"
	"math"
	"strings"

	"aldermoor/core/geom"
)

// Shape is a surface that a material is laid on.
type Shape interface {
	// Enter is the stretch of a ray within the shape, grown by a length.
	Enter(r geom.Ray, grow float32) (from, to float32, ok bool)
	// Locate is where on the map a point lies, how far above the surface, and how far from where
	// the map breaks off: relief is let down there, so that faces meet.
	Locate(p geom.V3) (u, v, above, edge float32)
	// Frame has the tangents along u and against v, and the normal, at a point near the surface.
	Frame(p geom.V3) (t, b, n geom.V3)
	// Radius is that of a ball that holds the shape.
	Radius() float32
	// Solid says whether the shape has an inside.
	Solid() bool
	// Says is the shape with its size, for people: "ball ⌀ 1.00 m".
	Says() string
}

// Names of the shapes, in the order in which they are offered. Swatch is a flat piece seen from
// straight above.
var Names = []string{"ball", "slab", "block", "column", "drape", "swatch"}

// New is the shape of a name at a size in metres: a ball's diameter, the side of a slab, block
// or swatch, the height of a column, the width of a drape.
func New(name string, size float64) (Shape, error) {
	s := float32(size)
	if !(s > 0) {
		return nil, fmt.Errorf("a shape of %g m cannot be seen", size)
	}
	switch name {
	case "ball":
		return Ball{s / 2}, nil
	case "slab":
		return Box{geom.Vec(s/2, s/2, s*0.04), "slab"}, nil
	case "block":
		return Box{geom.Vec(s/2, s/2, s/2), "block"}, nil
	case "column":
		return Column{s * 0.25, s / 2}, nil
	case "drape":
		return newDrape(s), nil
	case "swatch":
		return Flat{s}, nil
	}
	return nil, fmt.Errorf("there is no shape %q; there are %s", name, strings.Join(Names, ", "))
}

// NaturalSize is the size at which a shape shows about one repeat: the largest of the steps of
// true scale that is no longer than the repeat's longer side.
func NaturalSize(repeat float64) float64 {
	best := 0.1
	for _, s := range []float64{0.25, 0.5, 1, 2, 4} {
		if s <= repeat*1.001 {
			best = s
		}
	}
	return best
}

// endless is the distance to an edge that is not there.
const endless = 1e6

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }
func abs(v float32) float32  { return max(v, -v) }

// metres is a length for people.
func metres(v float32) string { return fmt.Sprintf("%.2f m", v) }
