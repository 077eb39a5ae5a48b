// Package normals works on normal maps and the height fields behind them:
// slopes, direction, filtering, and depth.
//
// Image axes: x right, y down. A normal is n = 2c − 1, renormalised. Heights,
// pitches and depths are metres; slopes are metres a metre. Maps wrap.
package normals

import (
	"math"

	"aldermoor/core/raster"
)

// Direction is the way in which a normal map's green component points.
type Direction int

// Up (Y+) means that green is bright where the surface faces the top edge.
const (
	Unknown Direction = 0
	Up      Direction = 1
	Down    Direction = -1
)

func (d Direction) String() string {
	switch d {
	case Up:
		return "y+"
	case Down:
		return "y-"
	}
	return ""
}

// ParseDirection reads "y+" or "y-"; anything else is Unknown.
func ParseDirection(s string) Direction {
	switch s {
	case "y+":
		return Up
	case "y-", "y−":
		return Down
	}
	return Unknown
}

// Field is a map of unit normals: three planes of one size, components −1..1.
type Field struct{ X, Y, Z raster.Plane }

// Read takes the normals from a picture whose first two or three components
// hold them, averaged down so that neither side is longer than n (0 for full
// size). Averaging is of vectors; the result is renormalised. A third
// component that is missing or empty is worked out, and Components says where x is.
func Read(im *raster.Image, n int) Field {
	f, _ := ReadLengths(im, n)
	return f
}

// ReadLengths is Read, and the length that each vector had before it was renormalised: a
// copy that was averaged down holds vectors that are shorter where detail was lost.
func ReadLengths(im *raster.Image, n int) (f Field, length raster.Plane) {
	if n <= 0 {
		n = max(im.W, im.H)
	}
	cx, cz := Components(im)
	f = Field{X: im.Reduced(cx, n), Y: im.Reduced(1, n)}
	length = raster.NewPlane(f.X.W, f.X.H)
	third := cz >= 0
	f.Z = raster.NewPlane(f.X.W, f.X.H)
	if third {
		copy(f.Z.Pix, im.Reduced(cz, n).Pix)
	}
	raster.Rows(f.X.H, func(y0, y1 int) {
		for i := y0 * f.X.W; i < y1*f.X.W; i++ {
			x, y := 2*f.X.Pix[i]-1, 2*f.Y.Pix[i]-1
			z := 2*f.Z.Pix[i] - 1
			if !third {
				z = sqrt(max(0, 1-x*x-y*y))
			}
			length.Pix[i] = min(1, sqrt(x*x+y*y+z*z))
			f.X.Pix[i], f.Y.Pix[i], f.Z.Pix[i] = unit(x, y, z)
		}
	})
	return f, length
}

// Components says which components of a picture hold x and z; y is the second. Some writers
// leave z out, and its component empty: then z is −1. Some of those put x into the alpha, and
// leave the first component empty as well, or repeat y in the first three. It looks at some
// thousands of samples.
func Components(im *raster.Image) (x, z int) {
	if im.Components() < 3 {
		return 0, -1
	}
	step := max(1, im.W*im.H/20011)
	// varies is how far a component's samples differ from one another, or from another component's.
	varies := func(c, from int) (lo, span float32) {
		lo, hi := float32(math.Inf(1)), float32(math.Inf(-1))
		for i := 0; i < im.W*im.H; i += step {
			v := im.Planes[c].At(i)
			if from >= 0 {
				v -= im.Planes[from].At(i)
			}
			lo, hi = min(lo, v), max(hi, v)
		}
		return lo, hi - lo
	}
	const flat = 0.004
	lo, blue := varies(2, -1)
	if im.Components() == 4 {
		_, alpha := varies(3, -1)
		_, red := varies(0, -1)
		_, likeGreen := varies(0, 1)
		_, blueToo := varies(2, 1)
		if alpha > flat && (red <= flat && blue <= flat || likeGreen <= flat && blueToo <= flat) {
			return 3, -1
		}
	}
	if blue > flat {
		return 0, 2
	}
	// A blue of 1 is z where the ground is flat, and empty where x and y lean.
	lean := float32(0)
	for i := 0; i < im.W*im.H; i += step {
		u, v := 2*im.Planes[0].At(i)-1, 2*im.Planes[1].At(i)-1
		lean = max(lean, u*u+v*v)
	}
	if lo <= 0.95 || lean > 0.03 {
		return 0, -1
	}
	return 0, 2
}

// Image packs the field as a picture of three components in 0..1.
func (f Field) Image() *raster.Image {
	out := [3]raster.Plane{}
	for c, p := range []raster.Plane{f.X, f.Y, f.Z} {
		out[c] = raster.NewPlane(p.W, p.H)
		for i, v := range p.Pix {
			out[c].Pix[i] = (v + 1) / 2
		}
	}
	return raster.FromPlanes(out[:]...)
}

// Flip turns Y+ into Y− and back, in place.
func (f Field) Flip() {
	for i, v := range f.Y.Pix {
		f.Y.Pix[i] = -v
	}
}

// Strengthen scales the slopes by k, in place.
func (f Field) Strengthen(k float64) {
	if k == 1 {
		return
	}
	raster.Rows(f.X.H, func(y0, y1 int) {
		for i := y0 * f.X.W; i < y1*f.X.W; i++ {
			f.X.Pix[i], f.Y.Pix[i], f.Z.Pix[i] = unit(f.X.Pix[i]*float32(k), f.Y.Pix[i]*float32(k), f.Z.Pix[i])
		}
	})
}

// Resample returns the field at w × h and, for each new normal, the length that
// the average of its vectors had before it was renormalised: 1 where the surface
// is smooth, less where detail was lost. Widen turns that into roughness.
func (f Field) Resample(w, h int) (Field, raster.Plane) {
	g := Field{f.X.Resample(w, h, raster.Area), f.Y.Resample(w, h, raster.Area), f.Z.Resample(w, h, raster.Area)}
	if w == f.X.W && h == f.X.H { // Resample shares what it need not change
		g = Field{clone(g.X), clone(g.Y), clone(g.Z)}
	}
	length := raster.NewPlane(w, h)
	enlarged := w >= f.X.W && h >= f.X.H // what lies between vectors is shorter, but nothing was lost
	for i := range length.Pix {
		x, y, z := g.X.Pix[i], g.Y.Pix[i], g.Z.Pix[i]
		if length.Pix[i] = 1; !enlarged {
			length.Pix[i] = min(1, sqrt(x*x+y*y+z*z))
		}
		g.X.Pix[i], g.Y.Pix[i], g.Z.Pix[i] = unit(x, y, z)
	}
	return g, length
}

// Widen carries the spread of normals that averaging removed into roughness
// (Toksvig 2005; Olano & Baker 2010): with α = roughness² and length r of the
// averaged normal, the slopes have gained the variance (1 − r)/r; a GGX lobe has α²/2 of
// it, so α² grows by 2(1 − r)/r.
func Widen(roughness, length float32) float32 { return Widened(roughness, Spread(length)) }

// Spread is by how much α² grows where normals were averaged to a vector of the given length; 0 where nothing
// was lost. Spreads of several reductions add up, and grow with the square of a factor on the slopes.
func Spread(length float32) float32 {
	if length >= 1 {
		return 0
	}
	return 2 * (1 - length) / max(length, 1e-3)
}

// Widened is a roughness, α = roughness², of which α² has grown by a spread.
func Widened(roughness, spread float32) float32 {
	if spread == 0 {
		return roughness
	}
	a := roughness * roughness
	return min(1, sqrt(sqrt(a*a+spread)))
}

// Slopes are ∂h/∂x and ∂h/∂y (y down) at sample i under the given direction.
func (f Field) Slopes(i int, d Direction) (p, q float32) {
	z := max(f.Z.Pix[i], 0.02)
	return -f.X.Pix[i] / z, float32(d) * f.Y.Pix[i] / z
}

// FromHeight derives Y+ normals from heights in metres with the given pitch
// (metres a pixel on each axis), by central differences. wraps says for each axis whether
// the map repeats; at an edge that does not the difference is one-sided.
func FromHeight(h raster.Plane, pitchX, pitchY float64, wraps [2]bool) Field {
	f := Field{raster.NewPlane(h.W, h.H), raster.NewPlane(h.W, h.H), raster.NewPlane(h.W, h.H)}
	kx, ky := float32(1/(2*pitchX)), float32(1/(2*pitchY))
	raster.Rows(h.H, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			up, down, spanY := beside(y, h.H, wraps[1])
			row, above, below := h.Row(y), h.Row(up), h.Row(down)
			for x := range row {
				left, right, spanX := beside(x, h.W, wraps[0])
				i := y*h.W + x
				f.X.Pix[i], f.Y.Pix[i], f.Z.Pix[i] = unit(-(row[right]-row[left])*kx*spanX, (below[x]-above[x])*ky*spanY, 1)
			}
		}
	})
	return f
}

// beside are the neighbours of sample i of n, and 2 over the samples between them.
func beside(i, n int, wraps bool) (before, after int, span float32) {
	before, after = i-1, i+1
	switch {
	case wraps:
		return (before + n) % n, after % n, 1
	case n == 1:
		return 0, 0, 1
	case i == 0:
		return 0, 1, 2
	case i == n-1:
		return n - 2, n - 1, 2
	}
	return before, after, 1
}

// Depth works out how deep a height map of values 0..1 is, in metres, from the
// normals of the same surface at the same size: the least-squares factor
// between the slopes of both (Σ g·∇v / Σ ∇v·∇v). Trust is their correlation,
// −1..1; it is 0 if either is flat.
func Depth(f Field, d Direction, v raster.Plane, pitchX, pitchY float64) (depth, trust float64) {
	if v.W != f.X.W || v.H != f.X.H || d == Unknown {
		return 0, 0
	}
	var gv, vv, gg float64
	for y := 1; y < v.H-1; y++ {
		row, above, below := v.Row(y), v.Row(y-1), v.Row(y+1)
		for x := 1; x < v.W-1; x++ {
			p, q := f.Slopes(y*v.W+x, d)
			vx := float64(row[x+1]-row[x-1]) / (2 * pitchX)
			vy := float64(below[x]-above[x]) / (2 * pitchY)
			gv += float64(p)*vx + float64(q)*vy
			vv += vx*vx + vy*vy
			gg += float64(p)*float64(p) + float64(q)*float64(q)
		}
	}
	if vv == 0 || gg == 0 {
		return 0, 0
	}
	return gv / vv, gv / math.Sqrt(vv*gg)
}

func clone(p raster.Plane) raster.Plane {
	return raster.Plane{W: p.W, H: p.H, Pix: append([]float32(nil), p.Pix...)}
}

func unit(x, y, z float32) (float32, float32, float32) {
	l := sqrt(x*x + y*y + z*z)
	if l < 1e-6 {
		return 0, 0, 1
	}
	return x / l, y / l, z / l
}

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }
