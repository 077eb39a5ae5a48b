package shape

import (
	"math"

	"aldermoor/core/geom"
)

// Drape is a cloth that hangs from a rail in folds, which are deeper further down. Lengths are
// true along the cloth in its middle, so a fold takes up more of the map than its width.
type Drape struct {
	W, H float32 // of the hung cloth
}

func newDrape(width float32) Drape { return Drape{width, width * 1.1} }

// Folds: how many there are across, how deep the deepest are as a share of the width, and how
// far they wander.
const (
	foldCount  = 4.5
	foldDepth  = 0.05
	foldWander = 0.8
	foldDrift  = 1.3
)

// depth is the amplitude of the folds at a height, and how it changes with it.
func (d Drape) depth(y float32) (a, da float32) {
	s := min(max(0.5-y/d.H, 0), 1)
	return d.W * foldDepth * (0.7 + 0.3*s*(2-s)), -d.W * foldDepth * 0.3 * (2 - 2*s) / d.H
}

// phase is where in the folds x lies, and how fast that changes.
func (d Drape) phase(x float32) (p, dp float32) {
	const turn = 2 * math.Pi
	q := turn * foldDrift * x / d.W
	return turn*foldCount*x/d.W + foldWander*sin(q+1), turn/d.W*foldCount + foldWander*turn*foldDrift/d.W*cos(q+1)
}

func sin(v float32) float32 { return float32(math.Sin(float64(v))) }
func cos(v float32) float32 { return float32(math.Cos(float64(v))) }

// surface is the cloth at (x, y): how far it stands out, and its slopes.
func (d Drape) surface(x, y float32) (z, zx, zy float32) {
	a, da := d.depth(y)
	p, dp := d.phase(x)
	s, c := math.Sincos(float64(p))
	return a * float32(c), -a * dp * float32(s), da * float32(c)
}

// Steepness bounds how much nearer the cloth may be than its distance along z says.
func (d Drape) Steepness() float32 {
	m := float32(2 * math.Pi * foldDepth * (foldCount + foldWander*foldDrift))
	return sqrt(1 + m*m)
}

// Enter implements Shape.
func (d Drape) Enter(r geom.Ray, grow float32) (from, to float32, ok bool) {
	h := geom.Vec(d.W/2, d.H/2, d.W*foldDepth+grow)
	return geom.Box{Min: h.Scale(-1), Max: h}.Hit(r)
}

// Locate implements Shape.
func (d Drape) Locate(p geom.V3) (u, v, above, edge float32) {
	z, zx, zy := d.surface(p.X, p.Y)
	return d.along(p.X), -p.Y, (p.Z - z) / sqrt(1+zx*zx+zy*zy), endless
}

// usualDepth is the depth of the folds at which lengths across are true, as a share of the deepest.
const usualDepth = 0.87

// along is the length of the cloth from its middle to x where folds are as deep as usual, so that what
// hangs straight stays straight: the integral of √(1 + m²·sin²), by the first terms of its cosine series.
func (d Drape) along(x float32) float32 {
	m := float32(2 * math.Pi * foldDepth * usualDepth * foldCount)
	s, q := sqrt(1+m*m), sqrt(1+m*m/2)
	half := (1 + s) / 2
	a0, a2, a4 := (half+q)/2, (1-s)/2, (half-q)/2
	at := func(x float32) float32 {
		p, dp := d.phase(x)
		return a0*x + (a2*sin(2*p)/2+a4*sin(4*p)/4)/dp
	}
	return at(x) - at(0)
}

// Frame implements Shape.
func (d Drape) Frame(p geom.V3) (t, b, n geom.V3) {
	_, zx, zy := d.surface(p.X, p.Y)
	n = geom.Vec(-zx, -zy, 1).Unit()
	t = geom.Vec(1, 0, zx).Unit()
	return t, n.Cross(t), n
}

// Radius implements Shape.
func (d Drape) Radius() float32 { return sqrt(d.W*d.W+d.H*d.H) / 2 }

// Solid implements Shape.
func (d Drape) Solid() bool { return false }

// Says implements Shape.
func (d Drape) Says() string { return "drape " + metres(d.W) + " × " + metres(d.H) }
