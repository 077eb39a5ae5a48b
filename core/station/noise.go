package station

import (
	"math"

	"aldermoor/core/colour"
)

// patch is the piece of ground that a material function is asked about: u and v
// in repeats, the repeat's size in metres, and a seed. All its noise is periodic
// over the repeat.
type patch struct {
	w, h float64
	seed uint32
}

func hash(x, y int, seed uint32) uint32 {
	k := uint32(x)*0x9e3779b1 ^ uint32(y)*0x85ebca77 ^ seed*0xc2b2ae3d
	k ^= k >> 15
	k *= 0x2c1b3c6d
	k ^= k >> 12
	k *= 0x297a2d39
	k ^= k >> 15
	return k
}

// chance is a number in 0..1 for a hash; different salts give independent ones.
func chance(id, salt uint32) float64 {
	return float64(hash(int(id), int(salt), 77)) / (1 << 32)
}

func mod(i, n int) int {
	if uint(i) < uint(n) {
		return i
	}
	if i %= n; i < 0 {
		i += n
	}
	return i
}

// gradients of the noise: sixteen unit vectors.
var gradients = func() (g [16][2]float64) {
	for i := range g {
		g[i][1], g[i][0] = math.Sincos(float64(i) * math.Pi / 8)
	}
	return g
}()

// noise is gradient noise (Perlin 2002) of nx × ny cells a repeat, about −1..1.
func (p patch) noise(u, v float64, nx, ny int, salt uint32) float64 {
	x, y := u*float64(nx), v*float64(ny)
	x0, y0 := math.Floor(x), math.Floor(y)
	fx, fy := x-x0, y-y0
	ix, iy := mod(int(x0), nx), mod(int(y0), ny)
	jx, jy := ix+1, iy+1
	if jx == nx {
		jx = 0
	}
	if jy == ny {
		jy = 0
	}
	s := p.seed + salt*131
	dot := func(hx, hy int, dx, dy float64) float64 {
		g := gradients[hash(hx, hy, s)&15]
		return g[0]*dx + g[1]*dy
	}
	sx, sy := fx*fx*fx*(fx*(fx*6-15)+10), fy*fy*fy*(fy*(fy*6-15)+10)
	a := dot(ix, iy, fx, fy)
	a += (dot(jx, iy, fx-1, fy) - a) * sx
	b := dot(ix, jy, fx, fy-1)
	b += (dot(jx, jy, fx-1, fy-1) - b) * sx
	return (a + (b-a)*sy) * 1.5
}

// fbm adds octaves of noise; size is the length in metres of the coarsest wave.
func (p patch) fbm(u, v, size float64, octaves int, salt uint32) float64 {
	nx, ny := max(1, int(math.Round(p.w/size))), max(1, int(math.Round(p.h/size)))
	return p.streaks(u, v, nx, ny, octaves, salt)
}

// streaks is fbm with its own number of cells on each axis.
func (p patch) streaks(u, v float64, nx, ny, octaves int, salt uint32) float64 {
	var sum, total float64
	k := 1.0
	for i := range octaves {
		sum += k * p.noise(u, v, nx, ny, salt+uint32(i)*17)
		total += k
		k *= 0.5
		nx, ny = nx*2, ny*2
	}
	return sum / total
}

// cell is where a point lies among scattered points (Worley 1996). Lengths are
// metres.
type cell struct {
	id     uint32
	d1, d2 float64 // distance to the nearest point, and to the next
	dx, dy float64 // from the nearest point to here
	edge   float64 // distance to the border with the nearest neighbour cell
}

// cells scatters nx × ny points a repeat, moved off a grid by jitter 0..1.
func (p patch) cells(u, v float64, nx, ny int, jitter float64, salt uint32) cell {
	sx, sy := p.w/float64(nx), p.h/float64(ny)
	x, y := u*float64(nx), v*float64(ny)
	cx, cy := int(math.Floor(x)), int(math.Floor(y))
	best := cell{d1: math.Inf(1), d2: math.Inf(1)}
	var nbx, nby float64
	for j := -1; j <= 1; j++ {
		for i := -1; i <= 1; i++ {
			h := hash(mod(cx+i, nx), mod(cy+j, ny), p.seed+salt*131)
			px := float64(cx+i) + 0.5 + jitter*(float64(h&0xffff)/65535-0.5)
			py := float64(cy+j) + 0.5 + jitter*(float64(h>>16)/65535-0.5)
			dx, dy := (x-px)*sx, (y-py)*sy
			d := math.Sqrt(dx*dx + dy*dy)
			if d < best.d1 {
				best.d2, nbx, nby = best.d1, best.dx, best.dy
				best.d1, best.dx, best.dy, best.id = d, dx, dy, h
			} else if d < best.d2 {
				best.d2, nbx, nby = d, dx, dy
			}
		}
	}
	// The border is the bisector of the two nearest points.
	gap := math.Hypot(best.dx-nbx, best.dy-nby)
	best.edge = (best.d2*best.d2 - best.d1*best.d1) / (2 * max(gap, 1e-9))
	return best
}

// grid is where a point lies in a bond of rectangles: bricks, boards, tiles.
type grid struct {
	id     uint32
	x, y   float64 // metres from the middle of the unit
	w, h   float64 // its size in metres
	edge   float64 // metres to its nearest edge
	ix, iy int
}

// bond lays nx × ny units a repeat; each row is moved on by shift units.
func (p patch) bond(u, v float64, nx, ny int, shift float64, salt uint32) grid {
	g := grid{w: p.w / float64(nx), h: p.h / float64(ny)}
	y := v * float64(ny)
	row := math.Floor(y)
	x := u*float64(nx) + math.Mod(row*shift, 1)
	col := math.Floor(x)
	g.ix, g.iy = mod(int(col), nx), mod(int(row), ny)
	g.id = hash(g.ix, g.iy, p.seed+salt*131)
	g.x, g.y = (x-col-0.5)*g.w, (y-row-0.5)*g.h
	g.edge = min(g.w/2-math.Abs(g.x), g.h/2-math.Abs(g.y))
	return g
}

func clamp(v float64) float64 { return min(max(v, 0), 1) }

// smooth goes from 0 at a to 1 at b.
func smooth(a, b, v float64) float64 {
	t := clamp((v - a) / (b - a))
	return t * t * (3 - 2*t)
}

// round is the profile of an edge of radius r: 0 at the edge, 1 inside.
func round(edge, r float64) float64 {
	t := clamp(edge / r)
	return math.Sqrt(t * (2 - t))
}

func lerp(a, b, t float64) float64 { return a + (b-a)*t }

// tint blends two linear colours.
func tint(a, b colour.RGB, t float64) colour.RGB {
	k := float32(clamp(t))
	return colour.RGB{a[0] + (b[0]-a[0])*k, a[1] + (b[1]-a[1])*k, a[2] + (b[2]-a[2])*k}
}

// dim makes a colour lighter or darker by a factor.
func dim(c colour.RGB, k float64) colour.RGB {
	f := float32(max(k, 0))
	return colour.RGB{c[0] * f, c[1] * f, c[2] * f}
}

// palette is a run of linear colours to choose from.
type palette []colour.RGB

func colours(hex ...string) palette {
	var p palette
	for _, h := range hex {
		p = append(p, colour.Hex(h))
	}
	return p
}

// at is the colour at t in 0..1, blended between neighbours.
func (p palette) at(t float64) colour.RGB {
	x := clamp(t) * float64(len(p)-1)
	i := min(int(x), len(p)-2)
	return tint(p[i], p[i+1], x-float64(i))
}
