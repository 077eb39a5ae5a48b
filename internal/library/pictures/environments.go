package pictures

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math"

	"aldermoor/core/codec"
	"aldermoor/core/geom"
	"aldermoor/core/light"
	"aldermoor/core/raster"
	"aldermoor/core/shade"

	"github.com/klauspost/compress/gzip"
)

// LightPack is an environment as the Lit lens takes it (light's Pack, gzipped), and what it is named by.
func (s *Service) LightPack(ctx context.Context, id string) (data []byte, key string, err error) {
	key = fmt.Sprintf("%s-%d", id, light.PackVersion)
	if light.Named(id) == nil {
		e, err := s.uploaded(ctx, Environment, id)
		if err != nil {
			return nil, "", err
		}
		key = fmt.Sprintf("%s-%d", e.Blob[:16], light.PackVersion)
	}
	data, err = s.Derive(ctx, "light/"+key+".bin.gz", func() ([]byte, error) {
		e := light.Named(id)
		if e == nil {
			b, err := s.uploaded(ctx, Environment, id)
			if err != nil {
				return nil, err
			}
			if e, err = s.readLight(&b); err != nil {
				return nil, err
			}
		}
		return zipped(e.Pack)
	})
	return data, key, err
}

// ScatterTables are the tables of core/bsdf, as the Lit lens takes them.
func (s *Service) ScatterTables(ctx context.Context) ([]byte, error) {
	return s.Derive(ctx, fmt.Sprintf("light/tables-%d.bin.gz", light.PackVersion), func() ([]byte, error) { return zipped(light.PackTables) })
}

func zipped(write func(io.Writer) error) ([]byte, error) {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestSpeed)
	if err != nil {
		return nil, err
	}
	if err := write(z); err != nil {
		return nil, err
	}
	err = z.Close()
	return b.Bytes(), err
}

// Thumbs of environments, in pixels: what lies before and beside the viewer.
const thumbW, thumbH = 92, 64

// LightThumb is a small picture of an environment, as a PNG, and what it is named by.
func (s *Service) LightThumb(ctx context.Context, id string) (data []byte, key string, err error) {
	e, err := s.Light(ctx, id)
	if err != nil {
		return nil, "", err
	}
	key = fmt.Sprintf("%s-%d-thumb", id, light.PackVersion)
	data, err = s.Derive(ctx, "light/"+key+".png", func() ([]byte, error) {
		im := raster.New(thumbW, thumbH, 3, 8)
		for y := range thumbH {
			for x := range thumbW {
				// The key stands a third from the left.
				lon := ((float64(x)+0.5)/thumbW-0.33)*3.6 + math.Atan2(float64(e.Key.X), float64(e.Key.Z))
				lat := (0.5 - (float64(y)+0.5)/thumbH) * 2.2
				d := geom.Vec(float32(math.Sin(lon)*math.Cos(lat)), float32(math.Sin(lat)), float32(math.Cos(lon)*math.Cos(lat)))
				c := e.Radiance(d).Add(e.SunRadiance(d)).Map(shade.Tone).Array()
				for k := range 3 {
					im.Ints(k)[y*thumbW+x] = uint16(s.Tables.Encode(c[k])*255+0.5) * 257
				}
			}
		}
		var b bytes.Buffer
		err := codec.EncodePNG(&b, im, codec.PNGOptions{SRGB: true, Small: true})
		return b.Bytes(), err
	})
	return data, key, err
}
