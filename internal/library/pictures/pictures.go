package pictures

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/codec"
	"aldermoor/core/likeness"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/core/shape"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// Extents are the steps of true scale at which swatches stand side by side, in metres.
var Extents = []float64{0.1, 0.25, 0.5, 1, 2, 4}

// Sizes in pixels in which pictures are made ahead.
const (
	WallPx  = 344 // a swatch on the wall, for dense screens; half of it for others
	BallPx  = 344
	LargePx = 720 // on a material's page
)

// picture makes the pictures of a draft ahead of their being asked for.
func (s *Service) picture(ctx context.Context, key string) error {
	id, _ := strconv.ParseInt(key, 10, 64)
	var m materials.Material
	err := s.Store.Read(ctx, func(tx Reader) (err error) { m, err = tx.Material(id); return err })
	if errors.Is(err, library.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	l := &looker{s: s, m: &m}
	for _, e := range Extents {
		for _, px := range []int{WallPx, WallPx / 2} {
			if _, err := l.jpeg(ctx, e, px); err != nil {
				return err
			}
			library.GiveWay(ctx)
		}
	}
	for _, px := range []int{128, BallPx, LargePx} {
		if _, err := l.ball(ctx, px); err != nil {
			return err
		}
		library.GiveWay(ctx)
	}
	// What a material's page shows, and what the Lit lens begins with.
	if _, err := l.jpeg(ctx, shape.NaturalSize(surfaceOf(&m).Extent().W), LargePx); err != nil {
		return err
	}
	for _, px := range PackSizes[:2] {
		if _, err := s.Pack(ctx, &m, px); err != nil {
			return err
		}
	}
	s.Events.Progressed("material:%d", id)
	s.Events.Progressed("pictures:%d", id)
	return nil
}

// surfaceOf is what a material looks like with its treatments.
func surfaceOf(m *materials.Material) *material.Material {
	cur := m.Current()
	look := cur.Surface()
	return &look
}

// pictureSizes are the sides in pixels that pictures are made at; others get the next
// larger one, so that few are ever made of one material.
var pictureSizes = []int{64, 128, 172, WallPx, 512, LargePx, 1024, 2048}

// offered is the picture size for a wanted one.
func offered(px, most int) (int, error) {
	for _, n := range pictureSizes {
		if px >= 16 && px <= n && n <= most {
			return n, nil
		}
	}
	return 0, library.Invalid(fmt.Sprintf("A picture has between 16 and %d pixels a side.", most))
}

// Swatch is a PNG of extent × extent metres of the material, one of Extents, in at least
// px × px pixels (one of pictureSizes).
func (s *Service) Swatch(ctx context.Context, m *materials.Material, extent float64, px int) ([]byte, error) {
	px, err := swatchSize(extent, px)
	if err != nil {
		return nil, err
	}
	return (&looker{s: s, m: m}).swatch(ctx, extent, px)
}

// swatchSize is the size in which a swatch of an extent is made for a wanted one.
func swatchSize(extent float64, px int) (int, error) {
	if !slices.Contains(Extents, extent) {
		return 0, library.Invalid(fmt.Sprintf("A swatch shows %s m.", strings.Trim(strings.ReplaceAll(fmt.Sprint(Extents), " ", ", "), "[]")))
	}
	return offered(px, 2048)
}

// SwatchJPEG is a Swatch as a JPEG of high quality, a fifth of the PNG's size: for pages.
func (s *Service) SwatchJPEG(ctx context.Context, m *materials.Material, extent float64, px int) ([]byte, error) {
	px, err := swatchSize(extent, px)
	if err != nil {
		return nil, err
	}
	return (&looker{s: s, m: m}).jpeg(ctx, extent, px)
}

// Ball is a PNG with alpha of a ball of the material in at least px × px pixels.
func (s *Service) Ball(ctx context.Context, m *materials.Material, px int) ([]byte, error) {
	px, err := offered(px, 1024)
	if err != nil {
		return nil, err
	}
	return (&looker{s: s, m: m}).ball(ctx, px)
}

// looker makes pictures of one material, opens its maps at most once, and keeps the last swatch.
type looker struct {
	s       *Service
	m       *materials.Material
	surface *shade.Surface

	drawn  *raster.Image
	extent float64 // of drawn
}

func (l *looker) swatch(ctx context.Context, extent float64, px int) ([]byte, error) {
	name := fmt.Sprintf("look/%s/swatch-%g-%d.png", l.m.LookKey(), extent, px)
	return l.derived(ctx, name, func(s *shade.Surface) *raster.Image { return shade.Swatch(extent, px).Picture(s) })
}

// jpegQuality is that of swatches: their grain stays.
const jpegQuality = 88

func (l *looker) jpeg(ctx context.Context, extent float64, px int) ([]byte, error) {
	name := fmt.Sprintf("look/%s/swatch-%g-%d.jpg", l.m.LookKey(), extent, px)
	return l.s.Derive(ctx, name, func() ([]byte, error) {
		if l.drawn == nil || l.extent != extent || l.drawn.W != 2*px { // the half of one that was drawn just now is made of it
			surface, err := l.open(ctx)
			if err != nil {
				return nil, err
			}
			l.drawn, l.extent = shade.Swatch(extent, px).Picture(surface), extent
		}
		im := l.drawn
		if im.W != px {
			var half []raster.Plane
			for c := range im.Components() {
				half = append(half, im.Plane(c).Resample(px, px, raster.Area))
			}
			im = raster.FromPlanes(half...).Quantise(8)
		}
		var b bytes.Buffer
		err := codec.EncodeJPEG(&b, im, jpegQuality)
		return b.Bytes(), err
	})
}

func (l *looker) ball(ctx context.Context, px int) ([]byte, error) {
	name := fmt.Sprintf("look/%s/ball-%d.png", l.m.LookKey(), px)
	return l.derived(ctx, name, func(s *shade.Surface) *raster.Image { return shade.Ball(s, px).Picture(s) })
}

// derived makes a picture unless it is there. One that lacks a map because that could not
// be read is not kept.
func (l *looker) derived(ctx context.Context, name string, draw func(*shade.Surface) *raster.Image) ([]byte, error) {
	return l.s.Derive(ctx, name, func() ([]byte, error) {
		surface, err := l.open(ctx)
		if err != nil {
			return nil, err
		}
		var b bytes.Buffer
		err = codec.EncodePNG(&b, draw(surface), codec.PNGOptions{SRGB: true, Small: true})
		return b.Bytes(), err
	})
}

// open prepares the material's surface from the reduced copies of its maps.
func (l *looker) open(ctx context.Context) (*shade.Surface, error) {
	if l.surface != nil {
		return l.surface, nil
	}
	var err error
	l.surface, err = l.s.surface(ctx, l.m, materials.LevelSize)
	return l.surface, err
}

// MapOf returns one map of a draft.
func (s *Service) MapOf(ctx context.Context, by people.Principal, id int64) (p materials.Map, err error) {
	if err := by.Need(people.SeeDrafts); err != nil {
		return p, err
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
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
func (s *Service) MapPicture(ctx context.Context, p *materials.Map, px int, exact bool) ([]byte, error) {
	if px < 16 || px > materials.LevelSize {
		return nil, library.Invalid(fmt.Sprintf("A picture of a map has between 16 and %d pixels.", materials.LevelSize))
	}
	if p.Blob == "" {
		return nil, library.ErrNotFound
	}
	ext := "jpg"
	if exact {
		ext = "png"
	}
	light := p.Float && p.Channel.Colour() // linear: to be shown, it is encoded
	if p.Gamut != nil && p.Channel.Colour() {
		ext = "srgb." + ext
	}
	if p.Channel == material.Normal && !p.AsStored() {
		ext = fmt.Sprintf("unit-%s.%s", p.Reading(), ext)
	}
	return s.Derive(ctx, materials.MapPictureName(p.Blob, p.Layer, p.Component, light, px, ext), func() ([]byte, error) {
		im, err := s.Materials.Level(p.Blob, p.Layer)
		if err != nil {
			return nil, err
		}
		if im == nil {
			return nil, library.ErrNotFound
		}
		return s.Materials.DrawMap(p.Picture(p.Channel, im), p.Component, light, px, exact)
	})
}

// ChangePicture is where the pixels of two maps differ, as likeness.Change shows it: a PNG that fits px pixels.
func (s *Service) ChangePicture(ctx context.Context, was, now *materials.Map, px int) ([]byte, error) {
	var pictures [2]*raster.Image
	for i, p := range []*materials.Map{was, now} {
		data, err := s.MapPicture(ctx, p, px, true)
		if err != nil {
			return nil, err
		}
		if pictures[i], _, err = codec.Decode(data, codec.DefaultLimits); err != nil {
			return nil, err
		}
	}
	heat, _ := likeness.Change(pictures[0], pictures[1])
	var b bytes.Buffer
	err := codec.EncodePNG(&b, heat, codec.PNGOptions{Small: true})
	return b.Bytes(), err
}

// Shown is a material as somebody may see it: the draft, or for those who may not see
// drafts its latest release.
func (s *Service) Shown(ctx context.Context, p people.Principal, id int64) (m materials.Material, err error) {
	if p.May(people.SeeDrafts) {
		return s.Materials.Material(ctx, p, id)
	}
	card, ok := s.Search.OfMaterial(id)
	if !ok {
		return m, library.ErrNotFound
	}
	r, err := s.Releases.ReleaseByID(ctx, p, card.ReleaseID)
	return r.Material, err
}
