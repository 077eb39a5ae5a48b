package light

import (
	"math"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/raster"
)

// panorama is a picture of all directions, by longitude and latitude.
type panorama struct {
	w, h int
	pix  []geom.V3
}

// at is the light from d, linearly interpolated; longitudes wrap.
func (p panorama) at(d geom.V3) geom.V3 {
	x, y := p.place(d)
	x, y = x-0.5, min(max(y-0.5, 0), float64(p.h-1))
	fx, fy := float32(x-math.Floor(x)), float32(y-math.Floor(y))
	i := (int(math.Floor(x)) + p.w) % p.w
	j := min(int(y), p.h-1)
	i1, j1 := (i+1)%p.w, min(j+1, p.h-1)
	return geom.Mix(geom.Mix(p.pix[j*p.w+i], p.pix[j*p.w+i1], fx), geom.Mix(p.pix[j1*p.w+i], p.pix[j1*p.w+i1], fx), fy)
}

// place is where d lies in the picture, in pixels.
func (p panorama) place(d geom.V3) (x, y float64) {
	lon := math.Atan2(float64(d.X), -float64(d.Z)) // 0 behind the shape
	lat := math.Asin(min(max(float64(d.Y), -1), 1))
	return (0.5 + lon/(2*math.Pi)) * float64(p.w), (0.5 - lat/math.Pi) * float64(p.h)
}

func (p panorama) direction(x, y int) geom.V3 {
	lon := ((float64(x)+0.5)/float64(p.w) - 0.5) * 2 * math.Pi
	lat := (0.5 - (float64(y)+0.5)/float64(p.h)) * math.Pi
	c := math.Cos(lat)
	return geom.Vec(float32(math.Sin(lon)*c), float32(math.Sin(lat)), float32(-math.Cos(lon)*c))
}

// takeSun is the picture reduced to what a Cube can hold, without its sun if it has one: a
// small place that gives a tenth of the light or more.
func takeSun(rgb [3]raster.Plane) (panorama, Sun) {
	const most = 1024
	p := panorama{w: min(rgb[0].W, most), h: min(rgb[0].H, most/2)}
	for c := range rgb {
		rgb[c] = rgb[c].Resample(p.w, p.h, raster.Area)
	}
	p.pix = make([]geom.V3, p.w*p.h)
	for i := range p.pix {
		p.pix[i] = geom.Vec(max(rgb[0].Pix[i], 0), max(rgb[1].Pix[i], 0), max(rgb[2].Pix[i], 0))
	}
	brightest, most2 := 0, float32(0)
	whole := 0.0
	area := func(y int) float64 {
		return math.Cos((0.5-(float64(y)+0.5)/float64(p.h))*math.Pi) * 2 * math.Pi / float64(p.w) * math.Pi / float64(p.h)
	}
	for i, c := range p.pix {
		l := colour.Luminance(c.Array())
		whole += float64(l) * area(i/p.w)
		if l > most2 {
			brightest, most2 = i, l
		}
	}
	centre := p.direction(brightest%p.w, brightest/p.w)
	const reach = 5 * math.Pi / 180
	// What the place shows beyond its surroundings is the sun.
	var ring geom.V3
	var ringArea float32
	near := func(f func(i int, d geom.V3, a float32)) {
		for i := range p.pix {
			if d := p.direction(i%p.w, i/p.w); d.Dot(centre) > float32(math.Cos(2*reach)) {
				f(i, d, float32(area(i/p.w)))
			}
		}
	}
	inside := float32(math.Cos(reach))
	near(func(i int, d geom.V3, a float32) {
		if d.Dot(centre) < inside {
			ring, ringArea = ring.Add(p.pix[i].Scale(a)), ringArea+a
		}
	})
	if ringArea == 0 {
		return p, Sun{}
	}
	ring = ring.Scale(1 / ringArea)
	var light, direction geom.V3
	var spread float64
	near(func(i int, d geom.V3, a float32) {
		if d.Dot(centre) < inside {
			return
		}
		more := p.pix[i].Sub(ring.Scale(2)).Max(geom.V3{}).Scale(a)
		light = light.Add(more)
		direction = direction.Add(d.Scale(more.X + more.Y + more.Z))
	})
	if l := float64(colour.Luminance(light.Array())); l < 0.1*whole || whole == 0 {
		return p, Sun{}
	}
	direction = direction.Unit()
	var weight float64
	near(func(i int, d geom.V3, a float32) {
		if d.Dot(centre) < inside {
			return
		}
		more := p.pix[i].Sub(ring.Scale(2)).Max(geom.V3{})
		k := float64((more.X + more.Y + more.Z) * a)
		spread += k * 2 * (1 - float64(d.Dot(direction)))
		weight += k
		p.pix[i] = p.pix[i].Min(ring.Scale(2))
	})
	// The mean square distance from the middle of an even disc is half its radius squared.
	radius := math.Sqrt(2 * spread / weight)
	return p, Sun{Direction: direction, Irradiance: light.Scale(1 / math.Pi), Radius: float32(min(max(radius, 0.0047), reach))}
}
