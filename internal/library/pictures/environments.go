package pictures

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math"
	"path"
	"strconv"
	"strings"
	"sync"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/geom"
	"aldermoor/core/light"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"

	"github.com/klauspost/compress/gzip"
)

// Environment is an uploaded picture of all directions, which everybody may use as light.
type Environment struct {
	ID      int64
	Name    string
	Blob    string
	By      string
	Created time.Time
}

// Ref is what addresses call the environment.
func (e Environment) Ref() string { return fmt.Sprintf("own-%d", e.ID) }

// Offered is an environment to choose.
type Offered struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	By    string `json:"by,omitempty"` // who uploaded it; "" for our own
}

// Environments are all that can be chosen: our own, then uploaded ones.
func (s *Service) Environments(ctx context.Context, p people.Principal) (out []Offered, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	ids, titles := light.Scenes()
	for i := range ids {
		out = append(out, Offered{ID: ids[i], Title: titles[i]})
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		list, err := tx.Environments()
		for _, e := range list {
			out = append(out, Offered{ID: e.Ref(), Title: e.Name, By: e.By})
		}
		return err
	})
	return out, err
}

// mostEnvironmentBytes is how large a picture of all directions may be.
const mostEnvironmentBytes = 256 << 20

// AddEnvironment keeps a .hdr or .exr file for everybody. One of the same name takes its place.
func (s *Service) AddEnvironment(ctx context.Context, p people.Principal, file string, r io.Reader) (e Environment, err error) {
	if err := p.Need(people.Share); err != nil {
		return e, err
	}
	name := strings.TrimSpace(strings.TrimSuffix(path.Base(file), path.Ext(file)))
	if name == "" || len(name) > 80 {
		return e, library.Invalid("Give the file a name of up to 80 letters: the environment is called after it.")
	}
	sum, n, err := s.Blobs.Put(ctx, io.LimitReader(r, mostEnvironmentBytes+1))
	if err != nil {
		return e, err
	}
	if n > mostEnvironmentBytes {
		return e, library.Invalid(fmt.Sprintf("%s is larger than 256 MB; send a smaller picture.", file))
	}
	if err := s.Work.Do(ctx, func() error { _, err := s.read(name, sum, file); return err }); err != nil {
		return e, err
	}
	e = Environment{Name: name, Blob: sum, By: p.Name, Created: s.Now()}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.AddEnvironment(&e); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "environment", name, ""))
	})
	return e, err
}

// RemoveEnvironment removes an uploaded environment. Its uploader and leads may.
func (s *Service) RemoveEnvironment(ctx context.Context, p people.Principal, id int64) error {
	if err := p.Need(people.Share); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		e, err := tx.Environment(id)
		if err != nil {
			return err
		}
		if e.By != p.Name {
			if err := p.Need(people.Decide); err != nil {
				return err
			}
		}
		if err := tx.RemoveEnvironment(id); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, "environment removed", e.Name, ""))
	})
}

// read prepares the environment of a picture.
func (s *Service) read(name, sum, file string) (*light.Environment, error) {
	data, err := s.Blobs.Read(sum)
	if err != nil {
		return nil, err
	}
	f, err := codec.Open(data, s.Pictures)
	if err != nil {
		return nil, library.Invalid(fmt.Sprintf("%s could not be read: %v. An environment is a .hdr or .exr file.", file, err))
	}
	im, info, err := f.Decode("")
	if err != nil {
		return nil, library.Invalid(fmt.Sprintf("%s could not be read: %v.", file, err))
	}
	if !im.Float() {
		return nil, library.Invalid(fmt.Sprintf("%s holds no light beyond white. An environment is a .hdr or .exr file.", file))
	}
	if im.W < 64 || im.W < im.H || im.W > 3*im.H {
		return nil, library.Invalid(fmt.Sprintf("%s has %d × %d pixels. A picture of all directions is twice as wide as high.", file, im.W, im.H))
	}
	im.MendNotFinite()
	if info.Gamut != nil {
		im = info.Gamut.Convert(im, true)
	}
	var rgb [3]raster.Plane
	for c := range rgb {
		rgb[c] = im.Plane(min(c, im.Components()-1))
	}
	return light.FromPicture(name, rgb), nil
}

// lights are the environments of files that were used last.
type lights struct {
	mu   sync.Mutex
	list []*light.Environment
	sums []string
}

const keptLights = 4

func (k *lights) find(sum string) *light.Environment {
	k.mu.Lock()
	defer k.mu.Unlock()
	for i, s := range k.sums {
		if s == sum {
			return k.list[i]
		}
	}
	return nil
}

func (k *lights) add(sum string, e *light.Environment) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.list, k.sums = append(k.list, e), append(k.sums, sum)
	if len(k.list) > keptLights {
		k.list, k.sums = k.list[1:], k.sums[1:]
	}
}

// Light is an environment by its word in addresses.
func (s *Service) Light(ctx context.Context, id string) (*light.Environment, error) {
	if e := light.Named(id); e != nil {
		return e, nil
	}
	e, err := s.uploaded(ctx, id)
	if err != nil {
		return nil, err
	}
	if k := s.lights.find(e.Blob); k != nil {
		return k, nil
	}
	unlock, err := s.Making.Lock(ctx, "light "+e.Blob)
	if err != nil {
		return nil, err
	}
	defer unlock()
	if k := s.lights.find(e.Blob); k != nil {
		return k, nil
	}
	k, err := s.read(e.Name, e.Blob, e.Name)
	if err == nil {
		s.lights.add(e.Blob, k)
	}
	return k, err
}

// uploaded is an uploaded environment by its word in addresses.
func (s *Service) uploaded(ctx context.Context, id string) (e Environment, err error) {
	n, bad := strconv.ParseInt(strings.TrimPrefix(id, "own-"), 10, 64)
	if bad != nil || !strings.HasPrefix(id, "own-") {
		return e, library.Invalid(fmt.Sprintf("There is no environment %q.", id))
	}
	err = s.Store.Read(ctx, func(tx Reader) error { e, err = tx.Environment(n); return err })
	return e, err
}

// LightPack is an environment as the Lit lens takes it (light's Pack, gzipped), and what it is named by.
func (s *Service) LightPack(ctx context.Context, id string) (data []byte, key string, err error) {
	key = fmt.Sprintf("%s-%d", id, light.PackVersion)
	if light.Named(id) == nil {
		e, err := s.uploaded(ctx, id)
		if err != nil {
			return nil, "", err
		}
		key = fmt.Sprintf("%s-%d", e.Blob[:16], light.PackVersion)
	}
	data, err = s.Derive(ctx, "light/"+key+".bin.gz", func() ([]byte, error) {
		e := light.Named(id)
		if e == nil {
			b, err := s.uploaded(ctx, id)
			if err != nil {
				return nil, err
			}
			if e, err = s.read(b.Name, b.Blob, b.Name); err != nil {
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
				d := geom.Vec(float32(math.Sin(lon) * math.Cos(lat)), float32(math.Sin(lat)), float32(math.Cos(lon) * math.Cos(lat)))
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
