package pictures

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"
	"sync"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/light"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/core/shade"
	"aldermoor/internal/library/materials"
)

// PackSizes are the longest sides in pixels that surfaces are packed at for the Lit lens: the first is
// there at once, the others sharpen it.
var PackSizes = []int{256, 1024, 2048, 4096}

// Pack is a material's maps as the Lit lens takes them (shade.Surface's Pack, gzipped), with at most px pixels, one
// of PackSizes. Figures do not change it.
func (s *Service) Pack(ctx context.Context, m *materials.Material, px int) ([]byte, error) {
	return s.Derive(ctx, fmt.Sprintf("look/%s/maps-%d.bin.gz", m.MapsKey(), px), func() ([]byte, error) {
		cur := m.Current()
		surface, err := s.prepare(ctx, shade.MapsOf(cur.Surface()), px)
		if err != nil {
			return nil, err
		}
		return zipped(func(w io.Writer) error { return surface.Pack(w, cur.Depth) })
	})
}

// surface is a material ready to be pictured, with maps of at most px pixels. The last few are kept.
func (s *Service) surface(ctx context.Context, m *materials.Material, px int) (*shade.Surface, error) {
	key := fmt.Sprintf("%s %d", m.LookKey(), px)
	if k := s.surfaces.find(key); k != nil {
		return k, nil
	}
	unlock, err := s.Making.Lock(ctx, "surface "+key)
	if err != nil {
		return nil, err
	}
	defer unlock()
	if k := s.surfaces.find(key); k != nil {
		return k, nil
	}
	cur := m.Current()
	surface, err := s.prepare(ctx, cur.Surface(), px)
	if err != nil {
		return nil, err
	}
	s.surfaces.add(key, surface)
	return surface, nil
}

// prepare reads a material's maps, of at most px pixels: of a size up to that of the reduced copies from those, of a
// larger one from the files themselves.
func (s *Service) prepare(ctx context.Context, look material.Material, px int) (*shade.Surface, error) {
	planes, err := material.Decode(&look, func(p *material.Map, _ string, n int) (*raster.Image, error) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if px <= materials.LevelSize {
			return s.Materials.Level(p.Blob, p.Layer)
		}
		im, err := s.Materials.Whole(p.Blob, p.Layer)
		if err != nil || im == nil || max(im.W, im.H) <= px {
			return im, err
		}
		var small []raster.Plane
		for c := range im.Components() {
			small = append(small, im.Reduced(c, px))
		}
		if im.Float() {
			return raster.FromPlanes(small...), nil
		}
		return raster.FromPlanes(small...).Quantise(16), nil
	}, px)
	if err != nil {
		return nil, err
	}
	return shade.NewSurface(planes, px), nil
}

// surfaces are the last that were prepared.
type surfaces struct {
	mu   sync.Mutex
	list []prepared
}

type prepared struct {
	key     string
	surface *shade.Surface
	used    time.Time
}

// surfaceBytes is how much memory kept surfaces may take, about.
const surfaceBytes = 400 << 20

func (k *surfaces) find(key string) *shade.Surface {
	k.mu.Lock()
	defer k.mu.Unlock()
	for i := range k.list {
		if k.list[i].key == key {
			k.list[i].used = time.Now()
			return k.list[i].surface
		}
	}
	return nil
}

func (k *surfaces) add(key string, s *shade.Surface) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.list = append(k.list, prepared{key, s, time.Now()})
	slices.SortFunc(k.list, func(a, b prepared) int { return b.used.Compare(a.used) })
	sum := 0
	k.list = slices.DeleteFunc(k.list, func(p prepared) bool {
		sum += p.surface.Bytes()
		return sum > surfaceBytes
	})
}

// FinishBall is a ball of a kind of plain finish as it is, as a PNG.
func (s *Service) FinishBall(ctx context.Context, kind string) ([]byte, error) {
	f := material.FinishOf(kind)
	return s.Derive(ctx, fmt.Sprintf("finish/%d-%s.png", shade.PictureVersion, kind), func() ([]byte, error) {
		m := material.New(scale.Size{W: 1, H: 1})
		figures, constants := f.Figures(f.Color)
		m.Figures = figures
		for c, v := range constants {
			m.Put(material.Source{Channel: c, Value: v})
		}
		planes, err := material.Decode(&m, nil, 0)
		if err != nil {
			return nil, err
		}
		surface := shade.NewSurface(planes, 16)
		v := shade.Ball(surface, 144)
		v.Light = light.Named("window")
		if figures.Emission.Luminance > 0 {
			v.Light = light.Named("lantern")
		}
		var b bytes.Buffer
		err = codec.EncodePNG(&b, v.Picture(surface), codec.PNGOptions{SRGB: true, Small: true})
		return b.Bytes(), err
	})
}
