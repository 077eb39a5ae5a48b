package shade

import (
	"math"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
)

func sqrt(v float32) float32         { return float32(math.Sqrt(float64(v))) }
func pow(a, b float32) float32       { return float32(math.Pow(float64(a), float64(b))) }
func step(lo, hi, v float32) float32 { t := min(max((v-lo)/(hi-lo), 0), 1); return t * t * (3 - 2*t) }

// Lighting is one sun and an environment, prepared for shading: the environment
// prefiltered for a row of roughnesses (Karis 2013), its irradiance as spherical
// harmonics (Ramamoorthi & Hanrahan 2001), and the split-sum table.
type Lighting struct {
	sun      geom.V3 // direction towards it, unit
	sunLight geom.V3 // irradiance on a surface that faces it, over π
	levels   [levels]dome
	diffuse  [9]geom.V3
	split    [tableSize][tableSize][2]float32 // by cos θ and roughness: scale and bias of F0
}

const (
	levels    = 7
	tableSize = 32
	domeSize  = 96
)

// dome is an environment as an octahedral map (Praun & Hoppe 2003): all
// directions in one square, looked up without trigonometry.
type dome struct {
	n   int
	pix []geom.V3
}

// Daylight prepares the built-in lighting: a bright overcast sky with a large
// window to the upper left, a dim warm wall to the right, pale ground, and a low
// sun from the upper left. A flat white surface facing the viewer returns 1.
func Daylight() *Lighting {
	l := &Lighting{sun: geom.V3{-0.62, 0.55, 0.56}.Unit(), sunLight: geom.V3{1, 0.965, 0.91}}
	sky := func(d geom.V3) geom.V3 {
		up := step(-0.25, 0.75, d[1])
		c := geom.Mix(geom.V3{0.30, 0.28, 0.26}, geom.V3{0.78, 0.84, 0.92}, up)
		window := step(0.90, 0.95, d.Dot(geom.V3{-0.55, 0.60, 0.58}.Unit()))
		bars := 1 - 0.75*step(0.965, 0.99, float32(math.Abs(math.Cos(float64(d[0]-d[2])*7))))
		c = c.Add(geom.V3{5.2, 5.3, 5.5}.Scale(window * bars))
		strip := step(0.955, 0.99, d.Dot(geom.V3{0.93, 0.12, -0.12}.Unit()))
		return c.Add(geom.V3{2.6, 2.2, 1.8}.Scale(strip))
	}
	base := dome{domeSize, make([]geom.V3, domeSize*domeSize)}
	for i := range base.pix {
		base.pix[i] = sky(base.direction(i))
	}
	l.diffuse = harmonics(base)
	// Scale the sky and the sun so that facing the viewer they add up to one, the
	// sun giving three fifths.
	facing := l.irradiance(geom.V3{0, 0, 1})
	k := 0.4 / colour.Luminance(colour.RGB(facing))
	for i := range base.pix {
		base.pix[i] = base.pix[i].Scale(k)
	}
	for i := range l.diffuse {
		l.diffuse[i] = l.diffuse[i].Scale(k)
	}
	l.sunLight = l.sunLight.Scale(0.6 / l.sun[2] / colour.Luminance(colour.RGB(l.sunLight)))
	l.levels[0] = base
	for i := 1; i < levels; i++ {
		l.levels[i] = prefilter(base, roughnessOf(i), max(domeSize>>i, 16))
	}
	l.tabulate()
	return l
}

func roughnessOf(level int) float32 { return float32(level) / (levels - 1) }

// direction is where texel i lies.
func (p *dome) direction(i int) geom.V3 {
	x, y := (float32(i%p.n)+0.5)/float32(p.n)*2-1, (float32(i/p.n)+0.5)/float32(p.n)*2-1
	d := geom.V3{x, y, 1 - abs(x) - abs(y)}
	if d[2] < 0 {
		d[0], d[1] = (1-abs(y))*sign(x), (1-abs(x))*sign(y)
	}
	return d.Unit()
}

func (p *dome) at(d geom.V3) geom.V3 {
	k := 1 / (abs(d[0]) + abs(d[1]) + abs(d[2]))
	x, y := d[0]*k, d[1]*k
	if d[2] < 0 {
		x, y = (1-abs(y))*sign(x), (1-abs(x))*sign(y)
	}
	u, v := (x+1)*0.5*float32(p.n)-0.5, (y+1)*0.5*float32(p.n)-0.5
	u, v = min(max(u, 0), float32(p.n)-1.001), min(max(v, 0), float32(p.n)-1.001)
	i, j := int(u), int(v)
	fx, fy := u-float32(i), v-float32(j)
	row := p.pix[j*p.n+i:]
	return geom.Mix(geom.Mix(row[0], row[1], fx), geom.Mix(row[p.n], row[p.n+1], fx), fy)
}

func abs(v float32) float32 { return max(v, -v) }

func sign(v float32) float32 {
	if v < 0 {
		return -1
	}
	return 1
}

// prefilter averages the environment over the GGX lobe around each direction.
func prefilter(src dome, roughness float32, n int) dome {
	out := dome{n, make([]geom.V3, n*n)}
	a := roughness * roughness
	const rays = 96
	var local [rays]geom.V3
	for i := range local {
		u, v := hammersley(i, rays)
		local[i] = lobe(u, v, a)
	}
	for i := range out.pix {
		normal := out.direction(i)
		t, b := geom.Frame(normal)
		var sum geom.V3
		var weight float32
		for _, s := range local {
			half := t.Scale(s[0]).Add(b.Scale(s[1])).Add(normal.Scale(s[2]))
			light := half.Scale(2 * normal.Dot(half)).Add(normal.Scale(-1))
			if c := normal.Dot(light); c > 0 {
				v := src.at(light)
				sum = sum.Add(geom.V3{min(v[0], 4), min(v[1], 4), min(v[2], 4)}.Scale(c))
				weight += c
			}
		}
		out.pix[i] = sum.Scale(1 / max(weight, 1e-6))
	}
	return out
}

// lobe is a half vector of the GGX distribution for two numbers in 0..1.
func lobe(u, v, a float32) geom.V3 {
	c := sqrt((1 - v) / (1 + (a*a-1)*v))
	s := sqrt(max(0, 1-c*c))
	sp, cp := math.Sincos(2 * math.Pi * float64(u))
	return geom.V3{s * float32(cp), s * float32(sp), c}
}

func hammersley(i, n int) (u, v float32) {
	bits := uint32(i)
	bits = bits<<16 | bits>>16
	bits = bits&0x55555555<<1 | bits&0xaaaaaaaa>>1
	bits = bits&0x33333333<<2 | bits&0xcccccccc>>2
	bits = bits&0x0f0f0f0f<<4 | bits&0xf0f0f0f0>>4
	bits = bits&0x00ff00ff<<8 | bits&0xff00ff00>>8
	return float32(i) / float32(n), float32(float64(bits) / (1 << 32))
}

// harmonics projects the environment on nine spherical harmonics, convolved
// with the cosine and divided by π.
func harmonics(p dome) [9]geom.V3 {
	var out [9]geom.V3
	const up, around = 64, 128
	for y := range up {
		theta := (float64(y) + 0.5) / up * math.Pi
		area := float32(math.Pi / up * 2 * math.Pi / around * math.Sin(theta))
		for x := range around {
			s, c := math.Sincos((float64(x) + 0.5) / around * 2 * math.Pi)
			d := geom.V3{float32(s * math.Sin(theta)), float32(math.Cos(theta)), float32(c * math.Sin(theta))}
			light := p.at(d)
			for i, b := range basis(d) {
				out[i] = out[i].Add(light.Scale(b * area))
			}
		}
	}
	for i := range out {
		k := float32(1) // π/π, 2π/3/π, π/4/π
		if i > 3 {
			k = 0.25
		} else if i > 0 {
			k = 2.0 / 3
		}
		out[i] = out[i].Scale(k)
	}
	return out
}

func basis(d geom.V3) [9]float32 {
	x, y, z := d[0], d[1], d[2]
	return [9]float32{0.282095, 0.488603 * y, 0.488603 * z, 0.488603 * x,
		1.092548 * x * y, 1.092548 * y * z, 0.315392 * (3*z*z - 1), 1.092548 * x * z, 0.546274 * (x*x - y*y)}
}

// irradiance of the environment on a surface of that normal, over π.
func (l *Lighting) irradiance(n geom.V3) geom.V3 {
	var out geom.V3
	for i, b := range basis(n) {
		out = out.Add(l.diffuse[i].Scale(b))
	}
	return geom.V3{max(out[0], 0), max(out[1], 0), max(out[2], 0)}
}

// reflected is the environment seen along d by a surface of that roughness.
func (l *Lighting) reflected(d geom.V3, roughness float32) geom.V3 {
	at := min(max(roughness, 0), 1) * (levels - 1)
	i := min(int(at), levels-2)
	return geom.Mix(l.levels[i].at(d), l.levels[i+1].at(d), at-float32(i))
}
