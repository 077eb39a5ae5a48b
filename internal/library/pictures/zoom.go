package pictures

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"path"
	"slices"
	"sync"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/tiling"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
)

// TilePx is the side of the tiles in which a map is looked at closely.
const TilePx = 512

// opened are the maps that somebody looks at closely, decoded: few, and not for long.
type opened struct {
	mu       sync.Mutex
	list     []*openMap
	sweeping bool // a look at what has gone out of use is due
}

type openMap struct {
	key      string
	im       *raster.Image
	from, to []float32 // what raster's Unit makes of floats
	used     time.Time
}

const (
	openBytes = 800 << 20       // of decoded maps that are kept
	openFor   = 2 * time.Minute // after the last look
)

// find gives an open map and marks it as used now.
func (o *opened) find(key string, now time.Time) *openMap {
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, m := range o.list {
		if m.key == key {
			m.used = now
			return m
		}
	}
	return nil
}

// add keeps a map, and lets go of those that were used longest ago and no longer fit.
func (o *opened) add(m *openMap) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.list = append(o.list, m)
	slices.SortFunc(o.list, func(a, b *openMap) int { return b.used.Compare(a.used) })
	sum := 0
	o.list = slices.DeleteFunc(o.list, func(k *openMap) bool {
		sum += k.im.Bytes()
		return k != m && sum > openBytes
	})
	o.later()
}

// later has the list looked through in a while, once however often it is asked for; mu is held.
func (o *opened) later() {
	if !o.sweeping {
		o.sweeping = true
		time.AfterFunc(openFor, func() { o.sweep(time.Now().Add(-openFor)) })
	}
}

// sweep lets go of what was not used since. Used maps are looked at again later.
func (o *opened) sweep(since time.Time) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.sweeping = false
	o.list = slices.DeleteFunc(o.list, func(m *openMap) bool { return m.used.Before(since) })
	if len(o.list) > 0 {
		o.later()
	}
}

// openWhole decodes a map's file unless it is open already.
func (s *Service) openWhole(ctx context.Context, p *materials.Map) (*openMap, error) {
	key := materials.LevelKey(p.Blob, p.Layer)
	if m := s.opened.find(key, time.Now()); m != nil {
		return m, nil
	}
	unlock, err := s.Making.Lock(ctx, "open "+key)
	if err != nil {
		return nil, err
	}
	defer unlock()
	if m := s.opened.find(key, time.Now()); m != nil {
		return m, nil
	}
	data, err := s.Blobs.Read(p.Blob)
	if err != nil {
		return nil, err
	}
	im, _, err := codec.DecodeLayer(data, p.Layer, s.Pictures.Until(ctx))
	if err != nil {
		return nil, err
	}
	m := &openMap{key: key, im: im, used: time.Now()}
	_, m.from, m.to = im.Unit()
	s.opened.add(m)
	return m, nil
}

// decoded is openWhole for somebody who waits: within the limit of what is done at once.
func (s *Service) decoded(ctx context.Context, p *materials.Map) (m *openMap, err error) {
	if m := s.opened.find(materials.LevelKey(p.Blob, p.Layer), time.Now()); m != nil {
		return m, nil
	}
	err = s.Work.Do(ctx, func() error { m, err = s.openWhole(ctx, p); return err })
	return m, err
}

// Glance says which part of a map a tile shows, and how.
type Glance struct {
	Level     int // 0 for its pixels, 1 for half the size, …
	X, Y      int // which tile
	Component string
	Exposure  float64 // in stops, of float maps
}

// TileOf is one tile of a map as a PNG with 8 bits: its values, floats in colour as light that is
// encoded after exposure, normals as material.Map.Unit has them. Tiles at the lower and right edges
// are cut.
func (s *Service) TileOf(ctx context.Context, p *materials.Map, g Glance) ([]byte, error) {
	if g.Level < 0 || g.Level > 8 || g.X < 0 || g.Y < 0 || g.X > 1<<20 || g.Y > 1<<20 || !(math.Abs(g.Exposure) <= 20) {
		return nil, library.Invalid("There is no such tile.")
	}
	if !slices.Contains([]string{"rgb", "r", "g", "b", "a"}, g.Component) {
		return nil, library.Invalid(fmt.Sprintf("A map has the components rgb, r, g, b and a, not %q.", g.Component))
	}
	if !p.Float {
		g.Exposure = 0
	}
	w, h := max(1, p.Width>>g.Level), max(1, p.Height>>g.Level)
	if g.X*TilePx >= w || g.Y*TilePx >= h {
		return nil, library.Invalid("There is no such tile.")
	}
	name := fmt.Sprintf("tile/%s/%s/%s-%v-%g-%d-%d-%d%s.png", p.Blob[:2], materials.LevelKey(p.Blob, p.Layer), g.Component, p.Channel.Colour(), g.Exposure, g.Level, g.X, g.Y, spanName(p))
	return s.Derive(ctx, name, func() ([]byte, error) {
		m, err := s.openWhole(ctx, p)
		if err != nil {
			return nil, err
		}
		light := p.Float && p.Channel.Colour()
		gain := float32(math.Exp2(g.Exposure))
		var planes []raster.Plane
		for _, c := range componentsOf(g.Component, m.im.Components()) {
			t := cutOut(m.im, c, g, w, h)
			from, to := m.range01(p, c)
			if !light {
				for i, v := range t.Pix {
					t.Pix[i] = (v - from) / (to - from) * gain
				}
			}
			planes = append(planes, t)
		}
		if p.Gamut != nil && p.Channel.Colour() && len(planes) >= 3 {
			tile := raster.FromPlanes(planes...)
			if !p.Float {
				tile = tile.Quantise(16)
			}
			tile = p.Gamut.Convert(tile, p.Float)
			for c := range planes {
				planes[c] = tile.Plane(c)
			}
		}
		if p.Channel == material.Normal && len(planes) >= 3 {
			tile := p.Map.Unit(raster.FromPlanes(planes...))
			for c := range planes {
				planes[c] = tile.Plane(c)
			}
		}
		for _, t := range planes {
			if light {
				for i, v := range t.Pix {
					t.Pix[i] = s.Tables.Encode(v * gain)
				}
			}
		}
		var b bytes.Buffer
		err = codec.EncodePNG(&b, raster.FromPlanes(planes...).Quantise(8), codec.PNGOptions{})
		return b.Bytes(), err
	})
}

// range01 are the stored values of a component that are shown as 0 and 1: by the map's span, or
// as raster's Unit has them.
func (m *openMap) range01(p *materials.Map, c int) (from, to float32) {
	if p.Float && p.Span[1] > p.Span[0] {
		return float32(p.Span[0]), float32(p.Span[1])
	}
	return m.from[c], m.to[c]
}

// spanName tells tiles that are shown in a way of their channel's from those of the same file in
// another one.
func spanName(p *materials.Map) string {
	switch {
	case p.Span[1] > p.Span[0]:
		return "-span"
	case p.Gamut != nil && p.Channel.Colour():
		return "-srgb"
	case p.Channel == material.Normal && !p.AsStored():
		return "-normal-" + p.Reading()
	}
	return ""
}

// componentsOf are the planes that are shown for the name of a component.
func componentsOf(name string, n int) []int {
	if name == "rgb" && n >= 3 {
		return []int{0, 1, 2}
	}
	if name == "rgb" {
		return []int{0}
	}
	return []int{material.ComponentIndex(name, n)}
}

// cutOut averages the pixels of one tile of a component at a level of w × h.
func cutOut(im *raster.Image, c int, g Glance, w, h int) raster.Plane {
	x0, y0 := g.X*TilePx, g.Y*TilePx
	out := raster.NewPlane(min(TilePx, w-x0), min(TilePx, h-y0))
	k := 1 << g.Level
	raster.Rows(out.H, func(a, b int) {
		row := make([]float32, im.W)
		for y := a; y < b; y++ {
			dst := out.Row(y)
			for dy := range k {
				im.Row(c, min((y0+y)*k+dy, im.H-1), row)
				for x := range dst {
					for _, v := range row[(x0+x)*k : min((x0+x+1)*k, im.W)] {
						dst[x] += v
					}
				}
			}
			for x := range dst {
				dst[x] /= float32(k * k)
			}
		}
	})
	return out
}

// Pixel are the values of one pixel: integer samples scaled to 0..1, floats as they are, normals
// as their vectors are read.
func (s *Service) Pixel(ctx context.Context, p *materials.Map, x, y int) ([]float64, error) {
	if x < 0 || y < 0 || x >= p.Width || y >= p.Height {
		return nil, library.Invalid(fmt.Sprintf("%s has %d × %d pixels.", path.Base(p.File), p.Width, p.Height))
	}
	m, err := s.decoded(ctx, p)
	if err != nil {
		return nil, err
	}
	var out []float64
	for _, c := range componentsOf(p.Component, m.im.Components()) {
		out = append(out, float64(m.im.Planes[c].At(y*m.im.W+x)))
	}
	if p.Channel != material.Normal || p.AsStored() || len(out) < 3 {
		return out, nil
	}
	one := make([]raster.Plane, len(out))
	for c, v := range out {
		one[c] = raster.Plane{W: 1, H: 1, Pix: []float32{float32(v)}}
	}
	unit := p.Map.Unit(raster.FromPlanes(one...))
	for c := range out {
		out[c] = float64(unit.Planes[c].At(0))
	}
	return out, nil
}

// MeanColour is the mean of a colour map over a disc, in linear light; of the reduced copy where there is one. The
// place is shares of the picture's sides, the radius a share of its width. A disc that lies over an edge goes on at the
// other one.
func (s *Service) MeanColour(ctx context.Context, p *materials.Map, u, v, radius float64) (mean [3]float64, err error) {
	if !p.Channel.Colour() {
		return mean, library.Invalid(fmt.Sprintf("%s holds no colours.", path.Base(p.File)))
	}
	if !(u >= 0 && u <= 1 && v >= 0 && v <= 1 && radius > 0 && radius <= 0.5) {
		return mean, library.Invalid("A disc lies within the map: its place is between 0 and 1, its radius at most 0.5.")
	}
	one := material.Material{Figures: material.Neutral()}
	one.Put(material.Source{Channel: material.BaseColor, Map: &p.Map})
	planes, err := material.Decode(&one, func(m *material.Map, _ string, _ int) (*raster.Image, error) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		return s.Materials.Level(m.Blob, m.Layer)
	}, materials.LevelSize)
	if err != nil {
		return mean, err
	}
	w, h := planes.Color[0].W, planes.Color[0].H
	if w == 0 {
		return mean, library.ErrNotFound
	}
	r, count := max(radius*float64(w), 0.5), 0.0
	cx, cy := u*float64(w)-0.5, v*float64(h)-0.5
	for y := int(math.Ceil(cy - r)); float64(y) <= cy+r; y++ {
		for x := int(math.Ceil(cx - r)); float64(x) <= cx+r; x++ {
			if math.Hypot(float64(x)-cx, float64(y)-cy) > r {
				continue
			}
			i := (y%h+h)%h*w + (x%w+w)%w
			for c := range mean {
				mean[c] += float64(planes.Color[c].Pix[i])
			}
			count++
		}
	}
	for c := range mean {
		if count == 0 { // between the centres of four pixels
			mean[c] = float64(planes.Color[c].Pix[min(int(v*float64(h)), h-1)*w+min(int(u*float64(w)), w-1)])
		} else {
			mean[c] /= count
		}
	}
	return mean, nil
}

// Section are the values of a map's first shown component along a line, in 0..1: floats by the
// map's span, or as raster's Unit gives them. The line's ends are shares of the picture's sides.
func (s *Service) Section(ctx context.Context, p *materials.Map, x0, y0, x1, y1 float64, n int) ([]float64, error) {
	for _, v := range []float64{x0, y0, x1, y1} {
		if !(v >= 0 && v <= 1) {
			return nil, library.Invalid("A section lies within the map: its ends are between 0 and 1.")
		}
	}
	if n < 2 || n > 4096 {
		return nil, library.Invalid("A section has between 2 and 4096 points.")
	}
	m, err := s.decoded(ctx, p)
	if err != nil {
		return nil, err
	}
	c := componentsOf(p.Component, m.im.Components())[0]
	from, to := m.range01(p, c)
	at := func(x, y int) float64 {
		x, y = min(max(x, 0), m.im.W-1), min(max(y, 0), m.im.H-1)
		return float64((m.im.Planes[c].At(y*m.im.W+x) - from) / (to - from))
	}
	out := make([]float64, n)
	for i := range out {
		t := float64(i) / float64(n-1)
		x, y := (x0+(x1-x0)*t)*float64(m.im.W)-0.5, (y0+(y1-y0)*t)*float64(m.im.H)-0.5
		kx, ky := math.Floor(x), math.Floor(y)
		fx, fy, ix, iy := x-kx, y-ky, int(kx), int(ky)
		out[i] = (at(ix, iy)*(1-fx)+at(ix+1, iy)*fx)*(1-fy) + (at(ix, iy+1)*(1-fx)+at(ix+1, iy+1)*fx)*fy
	}
	return out, nil
}

// reliefOf are the normals of a material's reduced copy, Y+; nil if it has none.
func (s *Service) reliefOf(cur *materials.Material) (*normals.Field, error) {
	p := cur.Map(material.Normal)
	if p == nil {
		return nil, nil
	}
	im, err := s.Materials.Level(p.Blob, p.Layer)
	if err != nil || im == nil || im.Components() < 2 {
		return nil, err
	}
	f := normals.Read(p.Picture(p.Channel, im), 0)
	if p.Direction == normals.Down {
		f.Flip()
	}
	return &f, nil
}

// HeatOf is a picture of where a material shows that it repeats: clear where nothing
// stands out, bracken where it is lighter than what is around it, heather where darker, by
// up to four standard deviations.
func (s *Service) HeatOf(ctx context.Context, m *materials.Material) ([]byte, error) {
	cur := m.Current()
	p := cur.Map(material.BaseColor)
	if p == nil {
		return nil, library.ErrNotFound
	}
	return s.Derive(ctx, fmt.Sprintf("look/%s/heat.png", cur.LookKey()), func() ([]byte, error) {
		im, err := s.Materials.Level(p.Blob, p.Layer)
		if err != nil {
			return nil, err
		}
		if im == nil {
			return nil, library.ErrNotFound
		}
		var planes []raster.Plane
		for c := range min(im.Components(), 3) {
			planes = append(planes, im.Plane(c))
		}
		var pattern tiling.Lattice
		if t := cur.Report.Period; t != nil {
			kx, ky := float64(im.W)/float64(p.Width), float64(im.H)/float64(p.Height)
			pattern = tiling.Lattice{A: [2]float64{t[0][0] * kx, t[0][1] * ky}, B: [2]float64{t[1][0] * kx, t[1][1] * ky}, Confidence: 1}
		}
		relief, err := s.reliefOf(&cur)
		if err != nil {
			return nil, err
		}
		heat := tiling.Heat(inspect.SightOf(planes, p.Float, relief), pattern)
		out := raster.New(heat.W, heat.H, 4, 8)
		for i, v := range heat.Pix {
			colour := [3]uint16{0x9a, 0x54, 0x18}
			if v < 0 {
				colour, v = [3]uint16{0x6b, 0x4a, 0x7b}, -v
			}
			for c, k := range colour {
				out.Ints(c)[i] = k * 257
			}
			out.Ints(3)[i] = uint16(min(max((v-1)/3, 0), 1) * 0.9 * 65535)
		}
		var b bytes.Buffer
		err = codec.EncodePNG(&b, out, codec.PNGOptions{SRGB: true})
		return b.Bytes(), err
	})
}
