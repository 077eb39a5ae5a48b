// Package raster holds the pictures that everything else computes on: planar,
// without a colour model, with uint16 or float32 samples.
//
// It promises that integer samples of 8 and 16 bits survive exactly, that row
// loops use every core, and that neighbours wrap: a map is periodic unless its
// material is known not to tile. It leaves out file formats (codec), the
// meaning of components (channels) and colour (colour).
package raster

import "fmt"

// Image is a picture of W × H pixels with one plane a component, rows from the top, all
// of them Ints or all of them Floats. Integer pictures keep samples as uint16 (8-bit
// sources are spread to v·257, so that 255 becomes 65535); float pictures keep them as
// they are.
type Image struct {
	W, H   int
	Bits   int // bits a sample in the source: 1..16 for integers; 16 or 32 for floats
	Planes []Samples
}

// New returns a black integer picture of w × h pixels with n components of the
// given depth in bits.
func New(w, h, n, bits int) *Image {
	im := &Image{W: w, H: h, Bits: bits, Planes: make([]Samples, n)}
	for c := range im.Planes {
		im.Planes[c] = make(Ints, w*h)
	}
	return im
}

// NewFloat returns a float picture of zeros, of w × h pixels with n components.
func NewFloat(w, h, n, bits int) *Image {
	im := &Image{W: w, H: h, Bits: bits, Planes: make([]Samples, n)}
	for c := range im.Planes {
		im.Planes[c] = make(Floats, w*h)
	}
	return im
}

// FromPlanes makes a float picture out of planes of one size. The planes are
// kept, not copied.
func FromPlanes(planes ...Plane) *Image {
	im := &Image{W: planes[0].W, H: planes[0].H, Bits: 32}
	for _, p := range planes {
		if p.W != im.W || p.H != im.H {
			panic(fmt.Sprintf("raster: planes of %d×%d and %d×%d in one picture", im.W, im.H, p.W, p.H))
		}
		im.Planes = append(im.Planes, Floats(p.Pix))
	}
	return im
}

// Components is the number of planes.
func (im *Image) Components() int { return len(im.Planes) }

// Ints are the samples of component c of an integer picture; it panics for a float one.
func (im *Image) Ints(c int) Ints { return im.Planes[c].(Ints) }

// Floats are the samples of component c of a float picture; it panics for an integer one.
func (im *Image) Floats(c int) Floats { return im.Planes[c].(Floats) }

// Float says whether samples are floats, which are not confined to 0..1.
func (im *Image) Float() bool {
	_, ok := im.Planes[0].(Floats)
	return ok
}

// Bytes is the memory that the samples take.
func (im *Image) Bytes() (n int) {
	for _, p := range im.Planes {
		n += p.Bytes()
	}
	return n
}

// Select returns a picture of some components, whose samples it shares. One may be named
// more than once.
func (im *Image) Select(components ...int) *Image {
	out := &Image{W: im.W, H: im.H, Bits: im.Bits}
	for _, c := range components {
		out.Planes = append(out.Planes, im.Planes[c])
	}
	return out
}

// Row writes row y of component c to dst, which must hold W values: integer
// samples scaled to 0..1, float samples as they are.
func (im *Image) Row(c, y int, dst []float32) { im.Planes[c].Read(dst[:im.W], y*im.W) }

// Plane returns component c as float32, integer samples scaled to 0..1. The
// samples of float pictures are shared, not copied.
func (im *Image) Plane(c int) Plane { return im.Planes[c].plane(im.W, im.H) }

// Quantise returns the picture with integer samples of the given depth (8 or
// 16), rounded and clamped to 0..1.
func (im *Image) Quantise(bits int) *Image {
	out := New(im.W, im.H, im.Components(), bits)
	Rows(im.H, func(y0, y1 int) {
		row := make([]float32, im.W)
		for c := range out.Planes {
			all := out.Ints(c)
			for y := y0; y < y1; y++ {
				im.Row(c, y, row)
				dst := all[y*im.W : (y+1)*im.W]
				for i, v := range row {
					switch {
					case !(v > 0):
						dst[i] = 0
					case v >= 1:
						dst[i] = 65535
					case bits == 8:
						dst[i] = uint16(uint32(v*255+0.5) * 257)
					default:
						dst[i] = uint16(uint32(v*65535 + 0.5))
					}
				}
			}
		}
	})
	return out
}

// Plane is one component as float32.
type Plane struct {
	W, H int
	Pix  []float32
}

// NewPlane returns a plane of zeros.
func NewPlane(w, h int) Plane { return Plane{w, h, make([]float32, w*h)} }

// Row is row y, shared with the plane.
func (p Plane) Row(y int) []float32 { return p.Pix[y*p.W : (y+1)*p.W] }

// At is the sample at (x, y), wrapped at the edges.
func (p Plane) At(x, y int) float32 { return p.Pix[wrap(y, p.H)*p.W+wrap(x, p.W)] }

// Sample is the bilinear value at (u, v) in repeats: 0..1 spans the plane, pixel
// centres lie at half pixels, and the outside wraps.
func (p Plane) Sample(u, v float32) float32 {
	x, y := u*float32(p.W)-0.5, v*float32(p.H)-0.5
	x0, y0 := floor(x), floor(y)
	fx, fy := x-float32(x0), y-float32(y0)
	xa, xb := wrap(x0, p.W), wrap(x0+1, p.W)
	ya, yb := wrap(y0, p.H)*p.W, wrap(y0+1, p.H)*p.W
	a := p.Pix[ya+xa] + (p.Pix[ya+xb]-p.Pix[ya+xa])*fx
	b := p.Pix[yb+xa] + (p.Pix[yb+xb]-p.Pix[yb+xa])*fx
	return a + (b-a)*fy
}

// Range is the least and the greatest sample.
func (p Plane) Range() (lo, hi float32) {
	lo, hi = p.Pix[0], p.Pix[0]
	for _, v := range p.Pix {
		lo, hi = min(lo, v), max(hi, v)
	}
	return lo, hi
}

// Mean is the average sample.
func (p Plane) Mean() float64 {
	var sum float64
	for y := range p.H {
		var s float32
		for _, v := range p.Row(y) {
			s += v
		}
		sum += float64(s)
	}
	return sum / float64(len(p.Pix))
}

func wrap(i, n int) int {
	if uint(i) < uint(n) {
		return i
	}
	if i %= n; i < 0 {
		i += n
	}
	return i
}

func floor(v float32) int {
	i := int(v)
	if float32(i) > v {
		i--
	}
	return i
}

// Part is the part of w × h pixels from x, y on, whose samples are copies.
func (im *Image) Part(x, y, w, h int) *Image {
	out := &Image{W: w, H: h, Bits: im.Bits}
	for _, p := range im.Planes {
		switch p := p.(type) {
		case Ints:
			out.Planes = append(out.Planes, Ints(part(p, im.W, x, y, w, h)))
		case Floats:
			out.Planes = append(out.Planes, Floats(part(p, im.W, x, y, w, h)))
		}
	}
	return out
}

// Part is the part of w × h samples from x, y on, a copy.
func (p Plane) Part(x, y, w, h int) Plane { return Plane{w, h, part(p.Pix, p.W, x, y, w, h)} }

func part[T any](src []T, stride, x, y, w, h int) []T {
	dst := make([]T, 0, w*h)
	for row := y; row < y+h; row++ {
		dst = append(dst, src[row*stride+x:row*stride+x+w]...)
	}
	return dst
}
