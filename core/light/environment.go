// Package light has the environments in which materials are looked at: light from all
// directions, and a sun where there is one.
//
// Directions are right-handed: x right, y up, z towards the viewer. Light is linear and
// relative: a white surface that faces the viewer, turned a little up to the left, returns a
// luminance of 1. White says how many cd/m² that is. An Environment is prepared for both
// qualities of picture: prefiltered by roughness and as harmonics for previews, and as a
// distribution to draw directions from for references.
package light

import (
	"math"

	"aldermoor/core/bsdf"
	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/raster"
)

// Environment is light from all directions.
type Environment struct {
	Name     string
	White    float64 // cd/m² of a white surface in this light
	Sun      Sun
	Key      geom.V3 // where most light comes from
	Levels   []*Cube // prefiltered; Roughness says for which roughness each is
	Diffuse  [9]geom.V3
	pick     pick
	sunCos   float32    // of the sun's radius
	across   [2]geom.V3 // at right angles to the sun
	sunAngle float32    // solid angle of the sun's disc
}

// Sun is a disc of even brightness. Without one, Irradiance is zero.
type Sun struct {
	Direction  geom.V3
	Irradiance geom.V3 // of a surface that faces it, over π
	Radius     float32 // radians
}

// Bearing is where the key is, in degrees: around the upright from the viewer to the right, and its
// height above the horizon.
func (e *Environment) Bearing() (bearing, height float64) {
	return math.Atan2(float64(e.Key.X), float64(e.Key.Z)) * 180 / math.Pi, math.Asin(min(max(float64(e.Key.Y), -1), 1)) * 180 / math.Pi
}

// Levels of prefiltered light, and the size of the first.
const (
	LevelCount = 7
	Size       = 256
)

// Level is the level for a roughness, between two of them where it is not whole.
func Level(roughness float32) float32 {
	r := min(max(roughness, 0), 1)
	return (LevelCount - 1) * r * (1.9 - 0.9*r)
}

// Roughness is that of a level: the inverse of Level.
func Roughness(level int) float32 {
	return (1.9 - sqrt(max(0, 3.61-3.6*float32(level)/(LevelCount-1)))) / 1.8
}

// facing is the normal of the surface by which environments are brought to one brightness.
var facing = geom.Vec(-0.2, 0.3, 0.93).Unit()

// New prepares an environment from the light of its sky and its sun, brought to the brightness
// that the package states.
func New(name string, white float64, sky func(d geom.V3) geom.V3, sun Sun) *Environment {
	base := newCube(Size)
	base.fill(sky)
	return prepare(name, white, base, sun, true)
}

func prepare(name string, white float64, base *Cube, sun Sun, level bool) *Environment {
	e := &Environment{Name: name, White: white, Sun: sun}
	boxes := []*Cube{base}
	for c := base; c.N > 4; {
		c = c.half()
		boxes = append(boxes, c)
	}
	e.Diffuse = harmonics(boxes[2])
	if level {
		light := e.Irradiance(facing).Add(sun.Irradiance.Scale(max(facing.Dot(sun.Direction), 0)))
		k := 1 / max(colour.Luminance(light.Array()), 1e-6)
		for _, c := range boxes {
			for i := range c.pix {
				c.pix[i] = c.pix[i].Scale(k)
			}
		}
		for i := range e.Diffuse {
			e.Diffuse[i] = e.Diffuse[i].Scale(k)
		}
		e.Sun.Irradiance = sun.Irradiance.Scale(k)
	}
	if e.Key = sun.Direction; e.Key == (geom.V3{}) {
		lum := func(i int) float32 { return colour.Luminance(e.Diffuse[i].Array()) }
		if e.Key = (geom.Vec(lum(3), lum(1), lum(2))); e.Key.Length() < 1e-3*lum(0) {
			e.Key = geom.Vec(0, 0, 1) // as much from everywhere
		}
		e.Key = e.Key.Unit()
	}
	e.Levels = []*Cube{base}
	for i := 1; i < LevelCount; i++ {
		e.Levels = append(e.Levels, prefilter(boxes, Roughness(i), Size>>i))
	}
	e.pick = newPick(boxes[2])
	e.sunCos = float32(math.Cos(float64(sun.Radius)))
	if sun.Radius > 0 {
		e.across[0], e.across[1] = geom.Frame(sun.Direction)
	}
	e.sunAngle = float32(2 * math.Pi * (1 - math.Cos(float64(sun.Radius))))
	return e
}

// Radiance is the light from direction d, without the sun.
func (e *Environment) Radiance(d geom.V3) geom.V3 { return e.Levels[0].At(d) }

// SunRadiance is the radiance of the sun's disc; zero outside of it.
func (e *Environment) SunRadiance(d geom.V3) geom.V3 {
	if d.Dot(e.Sun.Direction) < e.sunCos || e.Sun.Irradiance == (geom.V3{}) {
		return geom.V3{}
	}
	return e.Sun.Irradiance.Scale(math.Pi / e.sunAngle)
}

// SunAngle is the solid angle of the sun's disc.
func (e *Environment) SunAngle() float32 {
	return e.sunAngle
}

// Reflected is the light that a surface of that roughness mirrors from around d.
func (e *Environment) Reflected(d geom.V3, roughness float32) geom.V3 {
	l := Level(roughness)
	i := min(int(l), LevelCount-2)
	f, s, t := face(d)
	return geom.Mix(e.Levels[i].on(f, s, t), e.Levels[i+1].on(f, s, t), l-float32(i))
}

// Irradiance is that of a surface of normal n, over π, without the sun.
func (e *Environment) Irradiance(n geom.V3) geom.V3 {
	var out geom.V3
	b := basis(n)
	for i := range b {
		l, k := &e.Diffuse[i], b[i]
		out.X += l.X * k
		out.Y += l.Y * k
		out.Z += l.Z * k
	}
	return geom.Vec(max(out.X, 0), max(out.Y, 0), max(out.Z, 0))
}

// SampleSun draws a direction to the sun's disc for two numbers in 0..1. It is as dense
// everywhere on it: 1 over SunAngle.
func (e *Environment) SampleSun(u, v float32) geom.V3 {
	x, y := e.across[0], e.across[1]
	cos := 1 - u*(1-e.sunCos)
	s, c := math.Sincos(2 * math.Pi * float64(v))
	sin := sqrt(max(0, 1-cos*cos))
	return e.Sun.Direction.Scale(cos).Add(x.Scale(sin * float32(c))).Add(y.Scale(sin * float32(s)))
}

// prefilter averages light over the GGX lobe around each direction (Karis 2013), each sample
// from the box-filtered copy that is as coarse as the samples are apart (Křivánek & Colbert 2008).
func prefilter(boxes []*Cube, roughness float32, n int) *Cube {
	rays := 64
	if roughness < 0.15 {
		rays = 32
	}
	type ray struct {
		light geom.V3 // in the frame of the direction
		box   int
	}
	var list []ray
	for _, h := range bsdf.Facets(roughness, rays) {
		light := h.Half.Scale(2 * h.Half.Z).Sub(geom.Vec(0, 0, 1))
		if light.Z <= 0 {
			continue
		}
		solid := 1 / (float32(rays) * max(h.Density, 1e-6))
		texel := 4 * math.Pi / (6 * float64(boxes[0].N*boxes[0].N))
		box := 0.5*math.Log2(float64(solid)/texel) + 0.5
		list = append(list, ray{light, min(max(int(box), 0), len(boxes)-1)})
	}
	out := newCube(n)
	out.fill(func(d geom.V3) geom.V3 {
		t, b := geom.Frame(d)
		var sum geom.V3
		var weight float32
		for _, r := range list {
			w := t.Scale(r.light.X).Add(b.Scale(r.light.Y)).Add(d.Scale(r.light.Z))
			sum = sum.Add(boxes[r.box].At(w).Scale(r.light.Z))
			weight += r.light.Z
		}
		return sum.Scale(1 / weight)
	})
	return out
}

// harmonics projects light on nine spherical harmonics, convolved with the cosine and divided
// by π (Ramamoorthi & Hanrahan 2001).
func harmonics(c *Cube) (out [9]geom.V3) {
	var whole float32
	for f := range 6 {
		for y := range c.N {
			for x := range c.N {
				area := c.solidAngle(x, y)
				whole += area
				light := c.Texel(f, x, y).Scale(area)
				for i, b := range basis(c.direction(f, x, y).Unit()) {
					out[i] = out[i].Add(light.Scale(b))
				}
			}
		}
	}
	for i := range out {
		k := float32(1)
		if i > 3 {
			k = 0.25
		} else if i > 0 {
			k = 2.0 / 3
		}
		out[i] = out[i].Scale(k * 4 * math.Pi / whole)
	}
	return out
}

func basis(d geom.V3) [9]float32 {
	x, y, z := d.X, d.Y, d.Z
	return [9]float32{0.282095, 0.488603 * y, 0.488603 * z, 0.488603 * x,
		1.092548 * x * y, 1.092548 * y * z, 0.315392 * (3*z*z - 1), 1.092548 * x * z, 0.546274 * (x*x - y*y)}
}

// FromPicture is the environment of a picture of all directions (longitude across, latitude
// down, the middle of the picture straight ahead of the viewer's back, so that it is seen
// behind the shape), in linear light, with its sun taken out to be a sun. It keeps its own
// brightness, scaled as the package states.
func FromPicture(name string, rgb [3]raster.Plane) *Environment {
	sky := newCube(Size)
	pix, sun := takeSun(rgb)
	sky.fill(func(d geom.V3) geom.V3 { return pix.at(d) })
	return prepare(name, 100, sky, sun, true)
}
