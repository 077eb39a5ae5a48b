package pictures

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"aldermoor/core/likeness"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/core/shape"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/search"
)

// JobTraits works out how a published look is found: its key is the material's number and the look.
const JobTraits = "traits"

// traitsPx is the side in pixels of the picture that a look is described from.
const traitsPx = 344

// describe works out the traits of a look and makes them known.
func (s *Service) describe(ctx context.Context, key string) error {
	first, look, _ := strings.Cut(key, "/")
	id, err := strconv.ParseInt(first, 10, 64)
	if err != nil {
		return fmt.Errorf("%q names no look", key)
	}
	m, err := s.looking(ctx, id, look)
	if errors.Is(err, library.ErrNotFound) {
		return nil // it has been replaced since
	}
	if err != nil {
		return err
	}
	surface, err := s.surface(ctx, &m, PackSizes[1])
	if err != nil {
		return err
	}
	library.GiveWay(ctx)
	t := s.traitsOf(surface)
	library.GiveWay(ctx)
	data, err := t.MarshalBinary()
	if err != nil {
		return err
	}
	if err := s.Store.Write(ctx, func(tx Tx) error { return tx.PutTraits(look, data) }); err != nil {
		return err
	}
	s.Search.PutTraits(look, t)
	return nil
}

// traitsOf describes a surface: its colours as they are, and the look of a flat piece under an overcast sky.
func (s *Service) traitsOf(surface *shade.Surface) search.Traits {
	var t search.Traits
	extent := shape.NaturalSize(surface.Size().W)
	t.Look = likeness.LookOf(s.toLight(shade.Swatch(extent, traitsPx).Picture(surface), traitsPx), extent)
	flat := shade.Swatch(surface.Size().W, traitsPx)
	flat.Channel = material.BaseColor
	t.Palette = likeness.PaletteOf(s.toLight(flat.Picture(surface), traitsPx))
	t.Roughness, t.Metallic = surface.Means()
	t.Relief = float32(surface.Relief())
	return t
}

// droppedPx is the longest side in pixels at which a picture is looked at that is searched by.
const droppedPx = 512

// droppedMemory is how much reading one may take: enough for 30 megapixels.
const droppedMemory = 300 << 20

// Dropped reads a picture that somebody searches by, as linear light; it is not kept. name is what it is
// called in errors.
func (s *Service) Dropped(ctx context.Context, p people.Principal, name string, r io.Reader) (rgb [3]raster.Plane, err error) {
	if err := p.Need(people.Enter); err != nil {
		return rgb, err
	}
	if name == "" {
		name = "The picture"
	}
	data, err := io.ReadAll(r)
	if err != nil {
		return rgb, library.Invalid(fmt.Sprintf("%s is larger than 64 MB, or did not arrive whole.", name))
	}
	err = s.Work.Do(ctx, func() error {
		return s.withPicture(ctx, data, name, droppedMemory, func(im *raster.Image) error {
			rgb = s.toLight(im, droppedPx)
			return nil
		})
	})
	return rgb, err
}

// DescribeAll asks for the traits of whatever is published without.
func (s *Service) DescribeAll(ctx context.Context) error {
	list := s.Search.Undescribed()
	for len(list) > 0 {
		n := min(len(list), 500) // a transaction
		err := s.Store.Write(ctx, func(tx Tx) error {
			for _, c := range list[:n] {
				if err := tx.AddJob(JobTraits, fmt.Sprintf("%d/%s", c.MaterialID, c.Look), 0); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
		list = list[n:]
	}
	return nil
}
