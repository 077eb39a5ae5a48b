// Package station is a simulated scanner: it makes coherent texture sets whose
// true size, depth and direction are known, names their files in the manner of
// four stations, and can plant faults. The same seed gives the same files.
//
// One height field in metres gives normals and occlusion; colour, roughness and
// metallic come from the same material function, so that every map agrees.
package station

import (
	"math"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/core/shade"
)

// Scan is one material as a perfect scanner would see it.
type Scan struct {
	Material
	Fault     Fault
	W, H      int
	Depth     float64         // range of the height, metres: what white minus black means
	Color     [3]raster.Plane // linear light
	Height    raster.Plane    // metres, 0 at the lowest point
	Normal    normals.Field   // Y+
	Roughness raster.Plane
	Metallic  raster.Plane
	Occlusion raster.Plane
	Opacity   raster.Plane
}

// Options say how a material is scanned.
type Options struct {
	Px    int     // pixels on the longer side
	Seed  uint32  // which specimen of the material
	Turn  float64 // rotation under the scanner, radians; a turned scan does not tile
	Fault Fault   // what goes wrong, if anything
}

// Take scans a material.
func Take(m Material, o Options) *Scan {
	extent := m.Size
	if o.Fault == Seam { // the scanner stops short of a whole repeat
		m.Size.W *= seamShare
	}
	w, h := o.Px, int(math.Round(float64(o.Px)*m.Size.H/m.Size.W))
	if m.Size.H > m.Size.W {
		w, h = int(math.Round(float64(o.Px)*m.Size.W/m.Size.H)), o.Px
	}
	s := newScan(m, w, h)
	s.Fault = o.Fault
	p := patch{extent.W, extent.H, o.Seed*2654435761 + uint32(len(m.Slug))}
	sin, cos := math.Sincos(o.Turn)
	// A lens sees a pixel's neighbours too: what is sampled goes a pixel beyond the patch,
	// and is then seen through it.
	seen := newScan(m, w+2, h+2)
	raster.Rows(h+2, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			for x := range w + 2 {
				mx, my := (float64(x)-0.5)/float64(w)*m.Size.W, (float64(y)-0.5)/float64(h)*m.Size.H
				u, v := mx/p.w, my/p.h
				if o.Turn != 0 {
					u, v = (cos*mx-sin*my)/p.w, (sin*mx+cos*my)/p.h
				}
				seen.put(y*(w+2)+x, m.at(p, u-math.Floor(u), v-math.Floor(v)))
			}
		}
	})
	from, to := seen.sampled(), s.sampled()
	raster.Rows(len(from), func(i0, i1 int) {
		for i := i0; i < i1; i++ {
			throughLens(from[i], to[i])
		}
	})
	lo, hi := s.Height.Range()
	for i := range s.Height.Pix {
		s.Height.Pix[i] -= lo
	}
	s.Depth = float64(hi - lo)
	pitchX, pitchY := m.Size.W/float64(w), m.Size.H/float64(h)
	s.Normal = normals.FromHeight(s.Height, pitchX, pitchY, [2]bool{true, true})
	s.Occlusion = shade.Occlusion(s.Height, pitchX, pitchY, max(s.Depth*6, 0.01), [2]bool{true, true})
	return s
}

func newScan(m Material, w, h int) *Scan {
	s := &Scan{Material: m, W: w, H: h, Height: raster.NewPlane(w, h), Roughness: raster.NewPlane(w, h), Metallic: raster.NewPlane(w, h), Opacity: raster.NewPlane(w, h)}
	for c := range s.Color {
		s.Color[c] = raster.NewPlane(w, h)
	}
	return s
}

// sampled are the planes that come from the material itself.
func (s *Scan) sampled() []raster.Plane {
	return []raster.Plane{s.Height, s.Color[0], s.Color[1], s.Color[2], s.Roughness, s.Metallic, s.Opacity}
}

// throughLens softens what was sampled, a pixel wider on each side than out, as a
// scanner's lens does: by a quarter, a half and a quarter of each three neighbours.
func throughLens(in, out raster.Plane) {
	for y := range out.H {
		a, b, c, dst := in.Row(y), in.Row(y+1), in.Row(y+2), out.Row(y)
		for x := range dst {
			col := func(i int) float32 { return a[i] + 2*b[i] + c[i] }
			dst[x] = (col(x) + 2*col(x+1) + col(x+2)) / 16
		}
	}
}

func (s *Scan) put(i int, t texel) {
	s.Height.Pix[i] = float32(t.height)
	for c := range s.Color {
		s.Color[c].Pix[i] = min(max(t.color[c], darkest), palest)
	}
	s.Roughness.Pix[i], s.Metallic.Pix[i], s.Opacity.Pix[i] = float32(clamp(t.rough)), float32(clamp(t.metal)), float32(clamp(t.opaque))
}

// The range of linear base colour that nature has.
const darkest, palest = 0.0145, 0.86

// Planes are the scan's maps for the renderer.
func (s *Scan) Planes() material.Planes {
	return material.Planes{Size: s.Size, Color: s.Color, Normal: &s.Normal, Height: s.Height, Roughness: s.Roughness,
		Metallic: s.Metallic, Occlusion: s.Occlusion, Opacity: s.Opacity}
}

// Density is the resolution tag of the scan in pixels a metre.
func (s *Scan) Density() [2]float64 {
	x, y := scale.Density(s.Size, s.W, s.H)
	return [2]float64{x, y}
}

// encoded is the base colour as sRGB codes.
func (s *Scan) encoded(t *colour.Tables) *raster.Image {
	var out [3]raster.Plane
	for c, p := range s.Color {
		out[c] = raster.NewPlane(s.W, s.H)
		for i, v := range p.Pix {
			out[c].Pix[i] = t.Encode(v)
		}
	}
	return raster.FromPlanes(out[:]...)
}

// relative is the height scaled to 0..1.
func (s *Scan) relative() raster.Plane {
	p := raster.NewPlane(s.W, s.H)
	k := 1 / float32(max(s.Depth, 1e-9))
	for i, v := range s.Height.Pix {
		p.Pix[i] = v * k
	}
	return p
}
