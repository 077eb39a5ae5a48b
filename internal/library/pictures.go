package library

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
)

// Extents are the steps of true scale at which swatches stand side by side, in metres.
var Extents = []float64{0.1, 0.25, 0.5, 1, 2, 4}

// Sizes in pixels in which pictures are made ahead.
const (
	WallPx  = 344 // a swatch on the wall, for dense screens
	BallPx  = 344
	LargePx = 720 // on a material's page
)

// picture makes the pictures of a draft ahead of their being asked for.
func (s *Service) picture(ctx context.Context, key string) error {
	id, _ := strconv.ParseInt(key, 10, 64)
	m, err := s.Material(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	l := &looker{s: s, m: &m}
	for _, e := range Extents {
		if err := ctx.Err(); err != nil {
			return err
		}
		if _, err := l.swatch(e, WallPx); err != nil {
			return err
		}
	}
	if _, err := l.ball(BallPx); err != nil {
		return err
	}
	s.changed("material:%d", id)
	return nil
}

// Swatch is a PNG of extent × extent metres of the material in px × px pixels.
func (s *Service) Swatch(m *Material, extent float64, px int) ([]byte, error) {
	if !(extent >= 0.01 && extent <= 100) {
		return nil, Invalid{"A swatch shows between 0.01 and 100 m."}
	}
	if px < 16 || px > 2048 {
		return nil, Invalid{"A swatch has between 16 and 2048 pixels."}
	}
	return (&looker{s: s, m: m}).swatch(extent, px)
}

// Ball is a PNG with alpha of a ball of the material in px × px pixels.
func (s *Service) Ball(m *Material, px int) ([]byte, error) {
	if px < 16 || px > 1024 {
		return nil, Invalid{"A ball has between 16 and 1024 pixels."}
	}
	return (&looker{s: s, m: m}).ball(px)
}

// looker makes pictures of one material and opens its maps at most once.
type looker struct {
	s       *Service
	m       *Material
	surface *shade.Surface
}

func (l *looker) swatch(extent float64, px int) ([]byte, error) {
	name := fmt.Sprintf("look/%s/swatch-%g-%d.png", l.m.LookKey(), extent, px)
	return l.derived(name, func() *raster.Image { return l.s.renderer().Swatch(l.open(), extent, px) })
}

func (l *looker) ball(px int) ([]byte, error) {
	name := fmt.Sprintf("look/%s/ball-%d.png", l.m.LookKey(), px)
	return l.derived(name, func() *raster.Image { return l.s.renderer().Ball(l.open(), px) })
}

// derived makes a picture unless it is there. Few are made at a time, and none twice.
func (l *looker) derived(name string, draw func() *raster.Image) ([]byte, error) {
	return l.s.Blobs.Derived(name, func() ([]byte, error) {
		defer l.s.making.lock(name)()
		return l.s.Blobs.Derived(name, func() ([]byte, error) {
			l.s.render <- struct{}{}
			defer func() { <-l.s.render }()
			var b bytes.Buffer
			err := codec.EncodePNG(&b, draw(), codec.PNGOptions{SRGB: true, Small: true})
			return b.Bytes(), err
		})
	})
}

// open prepares the material's surface from the reduced copies of its maps.
func (l *looker) open() *shade.Surface {
	if l.surface != nil {
		return l.surface
	}
	cur := l.m.Current()
	maps := shade.Maps{Size: cur.Size}
	for _, p := range cur.Assigned() {
		im := l.s.level(p.Blob, p.Layer)
		if im == nil {
			continue
		}
		one := func() raster.Plane { return im.Plane(componentIndex(p.Component, im.Components())) }
		switch p.Channel {
		case channels.BaseColor:
			maps.Color = l.s.linear(im, p.Float)
		case channels.Emissive:
			maps.Emissive = l.s.linear(im, p.Float)
		case channels.Specular:
			maps.Specular = l.s.linear(im, p.Float)
		case channels.Normal:
			if im.Components() >= 2 {
				f := normals.Read(im, 0)
				if p.Direction == normals.Down {
					f.Flip()
				}
				maps.Normal = &f
			}
		case channels.Roughness:
			maps.Roughness = one()
		case channels.Glossiness:
			maps.Roughness = one()
			for i, v := range maps.Roughness.Pix {
				maps.Roughness.Pix[i] = 1 - v
			}
		case channels.Metallic:
			maps.Metallic = one()
		case channels.Occlusion:
			maps.Occlusion = one()
		case channels.Opacity:
			maps.Opacity = one()
		case channels.Height:
			if l.m.Depth > 0 {
				maps.Height = one()
				for i, v := range maps.Height.Pix {
					maps.Height.Pix[i] = v * float32(l.m.Depth)
				}
			}
		}
	}
	l.surface = shade.NewSurface(maps, levelSize)
	return l.surface
}

// linear is a colour map in linear light, which floats hold already.
func (s *Service) linear(im *raster.Image, already bool) (out [3]raster.Plane) {
	for c := range out {
		p := im.Plane(min(c, im.Components()-1))
		if out[c] = p; already {
			continue
		}
		raster.Rows(p.H, func(y0, y1 int) {
			for i := y0 * p.W; i < y1*p.W; i++ {
				p.Pix[i] = s.tables.Linear(p.Pix[i])
			}
		})
	}
	return out
}

// componentIndex is where a component lies in a picture of n.
func componentIndex(c string, n int) int {
	if c == "a" {
		return n - 1
	}
	return min(max(0, strings.Index("rgb", c[:1])), n-1)
}

// MapOf returns one map of a draft.
func (s *Service) MapOf(ctx context.Context, id int64) (p Map, err error) {
	err = s.Store.Read(ctx, func(tx Tx) error {
		material, err := tx.MaterialOfMap(id)
		if err != nil {
			return err
		}
		m, err := tx.Material(material)
		for _, q := range append(m.Maps, m.Finish.Maps...) {
			if q.ID == id {
				p = q
			}
		}
		return err
	})
	return p, err
}

// MapPicture is one map as it is, made to fit px pixels: its stored values with
// 8 bits, as a PNG if exact, else as a smaller JPEG.
func (s *Service) MapPicture(p *Map, px int, exact bool) ([]byte, error) {
	if px < 16 || px > levelSize {
		return nil, Invalid{fmt.Sprintf("A picture of a map has between 16 and %d pixels.", levelSize)}
	}
	if p.Blob == "" {
		return nil, ErrNotFound
	}
	ext := "jpg"
	if exact {
		ext = "png"
	}
	light := p.Float && p.Channel.Colour() // linear: to be shown, it is encoded
	return s.Blobs.Derived(mapPictureName(p.Blob, p.Layer, p.Component, light, px, ext), func() ([]byte, error) {
		im := s.level(p.Blob, p.Layer)
		if im == nil {
			return nil, ErrNotFound
		}
		return s.drawMap(im, p.Component, light, px, exact)
	})
}

// CellPx is the size in which maps are shown in Intake; those pictures are made
// when a file is examined.
const CellPx = 96

// FirstPx is the size in which a map is first seen on the Bench; those are made then too.
const FirstPx = 720

func mapPictureName(blob, layer, component string, light bool, px int, ext string) string {
	return fmt.Sprintf("map/%s/%s-%s-%v-%d.%s", blob[:2], levelKey(blob, layer), component, light, px, ext)
}

// drawMap is a reduced map, or one component of it, made to fit px pixels.
func (s *Service) drawMap(im *raster.Image, component string, light bool, px int, exact bool) ([]byte, error) {
	w, h := raster.Fit(im.W, im.H, px)
	var planes []raster.Plane
	if n := im.Components(); component == "rgb" && n >= 3 {
		for c := range 3 {
			planes = append(planes, im.Plane(c).Resample(w, h, raster.Area))
		}
	} else {
		planes = append(planes, im.Plane(componentIndex(component, n)).Resample(w, h, raster.Area))
	}
	if light {
		for i, p := range planes {
			lit := raster.NewPlane(w, h) // the samples may be shared
			for k, v := range p.Pix {
				lit.Pix[k] = s.tables.Encode(v)
			}
			planes[i] = lit
		}
	}
	q := raster.FromPlanes(planes...).Quantise(8)
	var b bytes.Buffer
	if exact {
		err := codec.EncodePNG(&b, q, codec.PNGOptions{Small: true})
		return b.Bytes(), err
	}
	err := codec.EncodeJPEG(&b, q, 90)
	return b.Bytes(), err
}
