package materials

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"sync/atomic"

	"aldermoor/core/codec"
	"aldermoor/core/codec/exr"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/raster"
)

// LevelSize is the longer side of the reduced copy that is kept of every map.
const LevelSize = inspect.ReducedPx

// LevelKey names a picture of a blob.
func LevelKey(sum, layer string) string {
	if layer == "" {
		return sum[2:26]
	}
	h := sha256.Sum256([]byte(layer))
	return fmt.Sprintf("%s-%x", sum[2:26], h[:6])
}

func levelName(sum, layer string) string {
	return "copies/" + sum[:2] + "/" + LevelKey(sum, layer)
}

func closeName(sum, layer string) string {
	return "close/" + sum[:2] + "/" + LevelKey(sum, layer)
}

// PutLevel keeps a reduced copy of a map, and a close-up of one that is larger, and says how well its samples
// compress. The copy is as inspect.Reduced gives it: floats stay what they are.
func (s *Service) PutLevel(sum, layer string, im *raster.Image) (ratio float64, err error) {
	if max(im.W, im.H) > inspect.ReducedPx {
		var b bytes.Buffer
		if err := codec.EncodePNG(&b, inspect.CloseUp(im), codec.PNGOptions{}); err != nil {
			return 0, err
		}
		if err := s.Derived.Put(closeName(sum, layer), b.Bytes()); err != nil {
			return 0, err
		}
	}
	if im.Float() {
		return s.putFloats(sum, layer, im)
	}
	small := inspect.Reduced(im)
	bits := small.Bits
	var b bytes.Buffer
	if err := codec.EncodePNG(&b, small, codec.PNGOptions{}); err != nil {
		return 0, err
	}
	whole := "rgb"
	if small.Components() < 3 {
		whole = "r"
	}
	if err := s.putCells(sum, layer, whole, small); err != nil {
		return 0, err
	}
	raw := small.W * small.H * small.Components() * bits / 8
	return float64(b.Len()) / float64(raw), s.Derived.Put(levelName(sum, layer), b.Bytes())
}

// putFloats keeps the reduced copy of a picture of floats.
func (s *Service) putFloats(sum, layer string, im *raster.Image) (ratio float64, err error) {
	small := inspect.Reduced(im)
	var b bytes.Buffer
	if err := exr.Encode(&b, small, exr.Options{Type: exr.Float, Compression: exr.ZIP}); err != nil {
		return 0, err
	}
	whole := "rgb"
	if small.Components() < 3 {
		whole = "r"
	}
	if err := s.putCells(sum, layer, whole, small.Relative()); err != nil {
		return 0, err
	}
	return float64(b.Len()) / float64(small.W*small.H*small.Components()*4), s.Derived.Put(levelName(sum, layer), b.Bytes())
}

// putCells draws the pictures of a map that are shown first.
func (s *Service) putCells(sum, layer, component string, small *raster.Image) error {
	for _, px := range []int{CellPx, FirstPx} {
		cell, err := s.DrawMap(small, component, false, px, false)
		if err == nil {
			err = s.Derived.Put(MapPictureName(sum, layer, component, false, px, "jpg"), cell)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// Level is the reduced copy of a map, made again if it is not there; nil if the blob is
// no picture. The error is of this server: what is drawn without the map must not be
// kept.
func (s *Service) Level(sum, layer string) (*raster.Image, error) {
	if sum == "" {
		return nil, nil
	}
	return s.copied(sum, layer, levelName(sum, layer))
}

// CloseUp is the close-up of a map that is larger than its reduced copy; see Level.
func (s *Service) CloseUp(sum, layer string) (*raster.Image, error) {
	if sum == "" {
		return nil, nil
	}
	return s.copied(sum, layer, closeName(sum, layer))
}

// Copies are those of maps by their blobs and layers, for an examination. What fails is noted in failed: what was not
// read now can be later.
func (s *Service) Copies(blob func(file, layer string) string, failed *atomic.Pointer[error]) inspect.Copies {
	read := func(from func(sum, layer string) (*raster.Image, error)) func(file, layer string) *raster.Image {
		return func(file, layer string) *raster.Image {
			im, err := from(blob(file, layer), layer)
			if err != nil {
				failed.CompareAndSwap(nil, &err)
			}
			return im
		}
	}
	return inspect.Copies{Reduced: read(s.Level), Close: read(s.CloseUp)}
}

// copied is a copy of a map by its name among what is derived.
func (s *Service) copied(sum, layer, name string) (*raster.Image, error) {
	data, ok := s.Derived.Get(name)
	if !ok {
		blob, err := s.Blobs.Read(sum)
		if err != nil {
			return nil, err
		}
		file, err := codec.Open(blob, s.Pictures)
		if err != nil {
			return nil, nil // it was told when the file came
		}
		release, err := s.Memory.Reserve(context.Background(), file.Memory())
		if err != nil {
			return nil, err
		}
		defer release()
		im, _, err := file.Decode(layer)
		if err != nil {
			return nil, nil // it was told when the file came
		}
		if _, err := s.PutLevel(sum, layer, im); err != nil {
			return nil, err
		}
		if data, ok = s.Derived.Get(name); !ok {
			return nil, fmt.Errorf("the copy of blob %.12s has gone", sum)
		}
	}
	im, _, err := codec.Decode(data, codec.DefaultLimits)
	return im, err
}

// Whole is one picture of a blob, at full size.
func (s *Service) Whole(sum, layer string) (*raster.Image, error) {
	data, err := s.Blobs.Read(sum)
	if err != nil {
		return nil, err
	}
	im, _, err := codec.DecodeLayer(data, layer, s.Pictures)
	return im, err
}

// CellPx is the size in which maps are shown in Intake; those pictures are made
// when a file is examined.
const CellPx = 96

// FirstPx is the size in which a map is first seen on the Bench; those are made then too.
const FirstPx = 720

// MapPictureName is the derived file of a map's picture that fits px pixels.
func MapPictureName(blob, layer, component string, light bool, px int, ext string) string {
	return fmt.Sprintf("map/%s/%s-%s-%v-%d.%s", blob[:2], LevelKey(blob, layer), component, light, px, ext)
}

// DrawMap is a reduced map, or one component of it, made to fit px pixels.
func (s *Service) DrawMap(im *raster.Image, component string, light bool, px int, exact bool) ([]byte, error) {
	w, h := raster.Fit(im.W, im.H, px)
	var planes []raster.Plane
	if n := im.Components(); component == "rgb" && n >= 3 {
		for c := range 3 {
			planes = append(planes, im.Plane(c).Resample(w, h, raster.Area))
		}
	} else {
		planes = append(planes, im.Plane(material.ComponentIndex(component, n)).Resample(w, h, raster.Area))
	}
	if light {
		for i, p := range planes {
			lit := raster.NewPlane(w, h) // the samples may be shared
			for k, v := range p.Pix {
				lit.Pix[k] = s.Tables.Encode(v)
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
