package light

import (
	"math"
	"sync"

	"aldermoor/core/geom"
)

// scene is one of our own environments, made when it is first asked for.
type scene struct {
	id, title string
	make      func() *Environment
}

// Scenes are our own environments by id and title, in the order in which they are offered.
func Scenes() (ids, titles []string) {
	for _, s := range scenes {
		ids, titles = append(ids, s.id), append(titles, s.title)
	}
	return ids, titles
}

// Named is one of our own environments; nil if there is none of that id.
func Named(id string) *Environment {
	for _, s := range scenes {
		if s.id == id {
			return s.make()
		}
	}
	return nil
}

// Default is the environment of pictures that name none.
const Default = "moor"

var scenes = []scene{
	{"moor", "Overcast moor", sync.OnceValue(moor)},
	{"water", "Low sun on the water", sync.OnceValue(water)},
	{"lantern", "Lantern room", sync.OnceValue(lantern)},
	{"window", "North window", sync.OnceValue(window)},
	{"bench", "Raking bench lamp", sync.OnceValue(bench)},
	{"neutral", "Neutral", sync.OnceValue(neutral)},
}

func step(lo, hi, v float32) float32 {
	t := min(max((v-lo)/(hi-lo), 0), 1)
	return t * t * (3 - 2*t)
}

func exp(v float32) float32 { return float32(math.Exp(float64(v))) }

// noise is smooth value noise, 0..1, of a point in space.
func noise(p geom.V3) float32 {
	var i [3]int32
	var f [3]float32
	for k, v := range p.Array() {
		fl := float32(math.Floor(float64(v)))
		i[k], f[k] = int32(fl), v-fl
		f[k] = f[k] * f[k] * (3 - 2*f[k])
	}
	at := func(x, y, z int32) float32 {
		h := uint32(i[0]+x)*0x8da6b343 ^ uint32(i[1]+y)*0xd8163841 ^ uint32(i[2]+z)*0xcb1ab31f
		h = (h ^ h>>13) * 0x5bd1e995
		return float32((h^h>>15)&0xffff) / 65535
	}
	line := func(y, z int32) float32 { a := at(0, y, z); return a + (at(1, y, z)-a)*f[0] }
	plane := func(z int32) float32 { a := line(0, z); return a + (line(1, z)-a)*f[1] }
	a := plane(0)
	return a + (plane(1)-a)*f[2]
}

// layers is noise of several scales, 0..1.
func layers(p geom.V3, n int) (sum float32) {
	k := float32(0.5)
	for range n {
		sum += k * noise(p)
		p, k = p.Scale(2.03).Add(geom.Vec(1.7, 9.2, 3.1)), k/2
	}
	return sum / (1 - k*2)
}

// moor is an overcast sky (CIE's: three times as bright overhead as at the horizon), a thin place
// in the clouds before the sun, hills, and wet peat below.
func moor() *Environment {
	sun := Sun{Direction: geom.Vec(-0.56, 0.58, 0.59).Unit(), Irradiance: geom.Vec(1, 0.97, 0.92).Scale(0.42), Radius: 0.09}
	return New("moor", 3200, func(d geom.V3) geom.V3 {
		horizon := 0.035 + 0.075*layers(geom.Vec(d.X*2.6, 0, d.Z*2.6), 4)
		up := max(d.Y, 0)
		cloud := layers(geom.Vec(d.X, 2*d.Y, d.Z).Scale(2.4/(0.35+up)), 5)
		sky := geom.Vec(0.80, 0.86, 0.93).Scale((1 + 2*up) / 3 * (0.62 + 0.76*cloud))
		near := d.Dot(sun.Direction)
		sky = sky.Add(geom.Vec(1, 0.97, 0.92).Scale(1.5*exp((near-1)*14) + 0.5*exp((near-1)*3)))
		ground := geom.Vec(0.115, 0.098, 0.072).Scale(0.55 + 0.9*layers(geom.Vec(d.X, 0, d.Z).Scale(3/(0.12-min(d.Y, 0))), 5))
		pool := step(0.62, 0.66, layers(geom.Vec(d.X, 5, d.Z).Scale(1.2/(0.1-min(d.Y, 0))), 3)) * step(-0.02, -0.12, d.Y)
		ground = geom.Mix(ground, geom.Vec(0.30, 0.33, 0.36), pool)
		hills := geom.Mix(geom.Vec(0.15, 0.17, 0.18), geom.Vec(0.27, 0.31, 0.35), step(0, 0.1, d.Y))
		ground = geom.Mix(ground, hills, step(-0.09, 0.01, d.Y))
		return geom.Mix(ground, sky, step(horizon-0.006, horizon+0.006, d.Y))
	}, sun)
}

// water is a clear evening over an estuary: a low sun, and its light on small waves.
func water() *Environment {
	sun := Sun{Direction: geom.Vec(-0.78, 0.27, 0.56).Unit(), Irradiance: geom.Vec(1, 0.66, 0.36).Scale(0.95), Radius: 0.012}
	sky := func(d geom.V3) geom.V3 {
		up := max(d.Y, 0)
		near := d.Dot(sun.Direction)
		c := geom.Mix(geom.Vec(0.50, 0.44, 0.40), geom.Vec(0.13, 0.21, 0.36), step(0, 0.55, up))
		c = c.Add(geom.Vec(0.95, 0.52, 0.22).Scale(0.9*exp((near-1)*5)*exp(-up*2.2) + 2.4*exp((near-1)*60)))
		bank := layers(geom.Vec(d.X*2, d.Y*14, d.Z*2), 4)
		return geom.Mix(c, c.Scale(0.55).Add(geom.Vec(0.30, 0.20, 0.17)), step(0.52, 0.68, bank)*step(0.02, 0.1, up)*step(0.6, 0.25, up))
	}
	return New("water", 4500, func(d geom.V3) geom.V3 {
		if d.Y >= 0.004 {
			bank := 0.006 + 0.03*step(0.45, 0.75, layers(geom.Vec(d.X*3, 4, d.Z*3), 3))
			return geom.Mix(geom.Vec(0.045, 0.043, 0.045), sky(d), step(bank-0.003, bank+0.003, d.Y))
		}
		far := 1 / max(-d.Y, 0.02)
		wave := geom.Vec(d.X*far, 0, d.Z*far)
		tilt := geom.Vec(layers(wave.Scale(2.6), 4)-0.5, 0, layers(wave.Scale(2.6).Add(geom.Vec(7, 3, 5)), 4)-0.5).Scale(0.34)
		n := geom.Vec(tilt.X, 1, tilt.Z).Unit()
		c := -n.Dot(d)
		mirror := d.Add(n.Scale(2 * c))
		mirror.Y = abs(mirror.Y)
		f := 0.02 + 0.98*float32(math.Pow(float64(1-max(c, 0)), 5))
		glitter := geom.Vec(1, 0.66, 0.36).Scale(5 * exp((mirror.Dot(sun.Direction)-1)*180))
		return geom.Vec(0.020, 0.030, 0.032).Add(sky(mirror).Add(glitter).Scale(f))
	}, sun)
}

// lantern is a small boarded room at night with a lantern of twelve panes, and dusk in one window.
func lantern() *Environment {
	at := geom.Vec(-0.50, 0.40, 0.77).Unit()
	right, up := geom.Frame(at)
	return New("lantern", 25, func(d geom.V3) geom.V3 {
		// Walls: a box of 3 × 2.4 × 3, boards upright.
		k := min(1/max(abs(d.X), 1e-3), 0.8/max(abs(d.Y), 1e-3), 1/max(abs(d.Z), 1e-3))
		p := d.Scale(k)
		along := p.X
		if abs(d.X) > abs(d.Z) {
			along = p.Z
		}
		board := float32(math.Floor(float64(along*6 + 100)))
		tone := 0.7 + 0.6*noise(geom.Vec(board, 3, 0))
		gap := step(0.012, 0.04, abs(along*6+100-board-0.5)*-1+0.5)
		wall := geom.Vec(0.13, 0.078, 0.042).Scale(tone * (0.25 + 0.75*gap) * (0.8 + 0.4*noise(geom.Vec(along*40, p.Y*3, 1))))
		lamp := at.Scale(0.9)
		far := p.Sub(lamp)
		c := wall.Scale(0.35 + 1.0/(0.25+far.Dot(far)))
		if d.Z < 0 && abs(p.X-0.35) < 0.28 && abs(p.Y-0.12) < 0.34 { // the window behind
			bar := step(0.016, 0.024, min(abs(p.X-0.35), abs(p.Y-0.12)))
			c = geom.Mix(geom.Vec(0.02, 0.014, 0.01), geom.Vec(0.30, 0.42, 0.66), bar)
		}
		if d.Dot(at) > 0 {
			x, y := d.Dot(right)/d.Dot(at), d.Dot(up)/d.Dot(at)
			c = c.Add(geom.Vec(1, 0.52, 0.18).Scale(0.9 * exp(-(x*x+y*y)*14)))
			if abs(x) < 0.2 && abs(y) < 0.28 {
				gx, gy := abs(x/0.4*3-float32(math.Round(float64(x/0.4*3)))), abs(y/0.56*4-float32(math.Round(float64(y/0.56*4))))
				pane := step(0.03, 0.06, 0.5-abs(0.5-gx)) * step(0.03, 0.06, 0.5-abs(0.5-gy))
				flame := 9 + 26*exp(-(x*x*60+(y+0.02)*(y+0.02)*26))
				c = geom.Mix(geom.Vec(0.03, 0.02, 0.01), geom.Vec(1, 0.60, 0.24).Scale(flame), pane)
			}
		}
		return c
	}, Sun{})
}

// window is a whitewashed room with one tall north window to the left.
func window() *Environment {
	return New("window", 160, func(d geom.V3) geom.V3 {
		k := min(1/max(abs(d.X), 1e-3), 0.75/max(abs(d.Y), 1e-3), 1.2/max(abs(d.Z), 1e-3))
		p := d.Scale(k)
		from := p.Sub(geom.Vec(-1, 0.15, 0.35))
		lit := 0.16 + 0.30/(0.5+from.Dot(from))
		wall := geom.Vec(0.80, 0.79, 0.76)
		switch {
		case p.Y > 0.745:
			wall = geom.Vec(0.82, 0.82, 0.80)
		case p.Y < -0.745: // boards
			board := float32(math.Floor(float64(p.X*5 + 50)))
			wall = geom.Vec(0.34, 0.25, 0.17).Scale(0.75 + 0.5*noise(geom.Vec(board, 1, float32(math.Floor(float64(p.Z*1.3+board*0.4))))))
		case p.Y < -0.62:
			wall = geom.Vec(0.42, 0.44, 0.45)
		}
		c := wall.Scale(lit * (0.96 + 0.08*layers(p.Scale(4), 3)))
		if p.Z < -1.19 && abs(p.X-0.45) < 0.22 && p.Y < 0.35 { // a dark door
			c = geom.Vec(0.07, 0.075, 0.08)
		}
		if y, z := p.Y-0.12, p.Z-0.30; p.X < -0.995 && abs(y) < 0.50 && abs(z) < 0.46 {
			sky := geom.Mix(geom.Vec(2.6, 2.75, 2.9), geom.Vec(4.6, 5.1, 5.8), step(-0.2, 0.5, y))
			if y < -0.30+0.10*layers(geom.Vec(z*5, 0, 0), 3) {
				sky = geom.Vec(0.62, 0.66, 0.56)
			}
			bar := min(abs(z-float32(math.Round(float64(z/0.307))*0.307)), abs(y-float32(math.Round(float64(y/0.25))*0.25)))
			c = geom.Mix(geom.Vec(0.35, 0.34, 0.33), sky, step(0.009, 0.016, bar))
		}
		return c
	}, Sun{})
}

// bench is a dark workshop with a small lamp that rakes across from the left.
func bench() *Environment {
	sun := Sun{Direction: geom.Vec(-0.90, 0.30, 0.33).Unit(), Irradiance: geom.Vec(1, 0.95, 0.87).Scale(2.2), Radius: 0.035}
	return New("bench", 320, func(d geom.V3) geom.V3 {
		c := geom.Mix(geom.Vec(0.030, 0.029, 0.028), geom.Vec(0.12, 0.125, 0.13), step(-0.4, 0.9, d.Y))
		c = c.Add(geom.Vec(1, 0.95, 0.87).Scale(0.55 * exp((d.Dot(sun.Direction)-1)*24)))
		// A tube on the ceiling to the right, dimmed, and a pale wall far behind the viewer.
		tube := step(0.055, 0.03, abs(d.X/max(d.Y, 1e-3)-0.55)) * step(0.2, 0.3, d.Y) * step(0.9, 0.7, abs(d.Z))
		c = c.Add(geom.Vec(0.85, 0.95, 1).Scale(1.1 * tube))
		return c.Add(geom.Vec(0.16, 0.155, 0.15).Scale(step(0.55, 0.75, d.Z) * step(-0.35, -0.3, d.Y)))
	}, sun)
}

// neutral is the same from everywhere: what is seen is the material alone.
func neutral() *Environment {
	return New("neutral", 100, func(geom.V3) geom.V3 { return geom.Grey(1) }, Sun{})
}
