package pictures

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"path"
	"strconv"
	"strings"
	"sync"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/light"
	"aldermoor/core/mesh"
	"aldermoor/core/raster"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// Prop is something uploaded to look at materials with, for everybody.
type Prop struct {
	ID      int64
	Kind    PropKind
	Name    string
	File    string // the name that it came with
	Blob    string
	Size    float64 // of a mesh: its longest side, metres
	Radius  float64 // of a ball around its middle that holds it
	By      string
	Created time.Time

	Deleted   time.Time // zero: it was not
	DeletedBy string
}

// PropKind is what a prop is.
type PropKind string

// Environment is a picture of all directions, which gives light; Mesh is a model to lay materials on;
// Backdrop is a picture that stands behind.
const (
	Environment PropKind = "environment"
	Mesh        PropKind = "mesh"
	Backdrop    PropKind = "backdrop"
)

// Ref is what addresses call the prop.
func (p Prop) Ref() string { return fmt.Sprintf("own-%d", p.ID) }

// Offered is a prop to choose.
type Offered struct {
	ID     string  `json:"id"`
	Title  string  `json:"title"`
	Size   float64 `json:"size_m,omitempty"`   // of a mesh
	Radius float64 `json:"radius_m,omitempty"` // of a mesh
	By     string  `json:"by,omitempty"`       // who uploaded it; "" for our own
}

// Offer is the prop as it is offered.
func (p Prop) Offer() Offered {
	return Offered{ID: p.Ref(), Title: p.Name, Size: p.Size, Radius: p.Radius, By: p.By}
}

// Offers are all props of a kind that can be chosen: our own, then uploaded ones.
func (s *Service) Offers(ctx context.Context, p people.Principal, kind PropKind) (out []Offered, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	if kind == Environment {
		ids, titles := light.Scenes()
		for i := range ids {
			out = append(out, Offered{ID: ids[i], Title: titles[i]})
		}
	}
	err = s.Store.Read(ctx, func(tx Reader) error {
		list, err := tx.Props(kind)
		for _, e := range list {
			out = append(out, e.Offer())
		}
		return err
	})
	return out, err
}

// mostPropBytes is how large an uploaded prop may be.
const mostPropBytes = 256 << 20

// AddProp keeps a file for everybody. One of the same kind and name takes its place.
func (s *Service) AddProp(ctx context.Context, p people.Principal, kind PropKind, file string, r io.Reader) (e Prop, err error) {
	if err := p.Need(people.Share); err != nil {
		return e, err
	}
	name := strings.TrimSpace(strings.TrimSuffix(path.Base(file), path.Ext(file)))
	if name == "" || len(name) > 80 {
		return e, library.Invalid("Give the file a name of up to 80 letters: it is listed by that name.")
	}
	sum, n, err := s.Blobs.Put(ctx, io.LimitReader(r, mostPropBytes+1))
	if err != nil {
		return e, err
	}
	if n > mostPropBytes {
		return e, library.Invalid(fmt.Sprintf("%s is larger than 256 MB; send a smaller one.", file))
	}
	e = Prop{Kind: kind, Name: name, File: path.Base(file), Blob: sum, By: p.Name, Created: s.Now()}
	err = s.Work.Do(ctx, func() error {
		switch kind {
		case Environment:
			_, err := s.readLight(&e)
			return err
		case Mesh:
			m, err := s.readMesh(&e)
			if err == nil {
				e.Size, e.Radius = m.Longest(), m.Radius()
			}
			return err
		default:
			_, err := s.readBackdrop(&e)
			return err
		}
	})
	if err != nil {
		return e, err
	}
	err = s.Store.Write(ctx, func(tx Tx) error {
		if err := tx.AddProp(&e); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, string(kind), name, ""))
	})
	return e, err
}

// RemoveProp removes what was uploaded: it can be restored for materials.KeptDeleted. Its uploader and leads may.
func (s *Service) RemoveProp(ctx context.Context, p people.Principal, kind PropKind, id int64) error {
	return s.setProp(ctx, p, kind, id, func(e *Prop) string {
		e.Deleted, e.DeletedBy = s.Now(), p.Name
		return "removed"
	})
}

// RestoreProp offers again what was removed.
func (s *Service) RestoreProp(ctx context.Context, p people.Principal, kind PropKind, id int64) error {
	err := s.setProp(ctx, p, kind, id, func(e *Prop) string {
		e.Deleted, e.DeletedBy = time.Time{}, ""
		return "restored"
	})
	if errors.Is(err, library.ErrStale) {
		return library.Invalid("Another one of that name has been uploaded since. Remove that first.")
	}
	return err
}

func (s *Service) setProp(ctx context.Context, p people.Principal, kind PropKind, id int64, change func(e *Prop) (says string)) error {
	if err := p.Need(people.Share); err != nil {
		return err
	}
	return s.Store.Write(ctx, func(tx Tx) error {
		e, err := tx.Prop(kind, id)
		if err != nil {
			return err
		}
		if e.By != p.Name && e.DeletedBy != p.Name {
			if err := p.Need(people.Decide); err != nil {
				return err
			}
		}
		was := e.Deleted
		says := change(&e)
		if was.IsZero() == e.Deleted.IsZero() {
			return library.ErrNotFound // it is so already
		}
		if err := tx.SaveProp(e); err != nil {
			return err
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, string(kind)+" "+says, e.Name, ""))
	})
}

// DeletedProps are the props that can be restored, the latest first.
func (s *Service) DeletedProps(ctx context.Context, p people.Principal) (list []Prop, err error) {
	if err := p.Need(people.Enter); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) {
		list, err = tx.DeletedProps(s.Now().Add(-materials.KeptDeleted))
		return err
	})
	return list, err
}

// uploaded is a prop by its word in addresses.
func (s *Service) uploaded(ctx context.Context, kind PropKind, id string) (e Prop, err error) {
	n, bad := strconv.ParseInt(strings.TrimPrefix(id, "own-"), 10, 64)
	if bad != nil || !strings.HasPrefix(id, "own-") {
		return e, library.Invalid(fmt.Sprintf("There is no %s %q.", kind, id))
	}
	err = s.Store.Read(ctx, func(tx Reader) error { e, err = tx.Prop(kind, n); return err })
	if err == nil && !e.Deleted.IsZero() {
		return e, library.Invalid(fmt.Sprintf("The %s %s was removed.", kind, e.Name))
	}
	return e, err
}

// Reading what somebody uploads may take so much memory: enough for an environment of 8192 × 4096 pixels.
const propMemory = 1 << 30

// withPicture reads somebody's picture, which may take most bytes, and hands it to use; name is what errors call it.
// Others that take much memory wait meanwhile.
func (s *Service) withPicture(ctx context.Context, data []byte, name string, most int64, use func(im *raster.Image) error) error {
	wrong := func(err error) error {
		return library.Invalid(fmt.Sprintf("%s could not be read: %v.", name, err))
	}
	lim := s.Pictures.Until(ctx)
	lim.Memory = min(lim.Memory, most)
	file, err := codec.Open(data, lim)
	if err != nil {
		return wrong(err)
	}
	release, err := s.Memory.Reserve(ctx, 2*file.Memory()) // it is converted, or made linear
	if err != nil {
		return err
	}
	defer release()
	im, info, err := file.Decode("")
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err != nil {
		return wrong(err)
	}
	im.MendNotFinite()
	if info.Gamut != nil {
		im = info.Gamut.Convert(im, im.Float())
	}
	return use(im)
}

// toLight is a picture as linear light, at most px pixels on the longer side. A component at a time is
// whole in memory.
func (s *Service) toLight(im *raster.Image, px int) (rgb [3]raster.Plane) {
	w, h := raster.Fit(im.W, im.H, px)
	for c := range rgb {
		p := im.Plane(min(c, im.Components()-1))
		if !im.Float() {
			for i, v := range p.Pix {
				p.Pix[i] = s.Tables.Linear(v)
			}
		}
		rgb[c] = p.Resample(w, h, raster.Area)
	}
	return rgb
}

func (s *Service) readLight(p *Prop) (*light.Environment, error) {
	data, err := s.Blobs.Read(p.Blob)
	if err != nil {
		return nil, err
	}
	var e *light.Environment
	err = s.withPicture(context.Background(), data, p.File, propMemory, func(im *raster.Image) error {
		if !im.Float() {
			return library.Invalid(fmt.Sprintf("%s holds no light beyond white. An environment is a .hdr or .exr file.", p.File))
		}
		if im.W < 64 || im.W < im.H || im.W > 3*im.H {
			return library.Invalid(fmt.Sprintf("%s has %d × %d pixels. A picture of all directions is twice as wide as high.", p.File, im.W, im.H))
		}
		e = light.FromPicture(p.Name, s.toLight(im, max(im.W, im.H)))
		return nil
	})
	return e, err
}

// BackdropPicture is a backdrop as a page shows it, as a PNG, and what it is named by.
func (s *Service) BackdropPicture(ctx context.Context, id string) (data []byte, key string, err error) {
	p, err := s.uploaded(ctx, Backdrop, id)
	if err != nil {
		return nil, "", err
	}
	key = "backdrop-" + p.Blob[:16]
	data, err = s.Derive(ctx, "light/"+key+".png", func() ([]byte, error) {
		rgb, err := once(ctx, s, &s.backdrops, &p, s.readBackdrop)
		if err != nil {
			return nil, err
		}
		w, h := raster.Fit(rgb[0].W, rgb[0].H, 2048)
		im := raster.New(w, h, 3, 8)
		for c := range rgb {
			for i, v := range rgb[c].Resample(w, h, raster.Area).Pix {
				im.Ints(c)[i] = uint16(s.Tables.Encode(min(max(v, 0), 1))*255+0.5) * 257
			}
		}
		var b bytes.Buffer
		err = codec.EncodePNG(&b, im, codec.PNGOptions{SRGB: true})
		return b.Bytes(), err
	})
	return data, key, err
}

// mostBackdrop is the longest side of a backdrop as it is kept in memory, in pixels.
const mostBackdrop = 4096

// readBackdrop is a backdrop as it is shown, in linear light.
func (s *Service) readBackdrop(p *Prop) (*[3]raster.Plane, error) {
	data, err := s.Blobs.Read(p.Blob)
	if err != nil {
		return nil, err
	}
	var rgb [3]raster.Plane
	err = s.withPicture(context.Background(), data, p.File, propMemory, func(im *raster.Image) error {
		rgb = s.toLight(im, mostBackdrop)
		return nil
	})
	return &rgb, err
}

// readMesh is a model as it came, around the origin, with tangents.
func (s *Service) readMesh(p *Prop) (*mesh.Mesh, error) {
	data, err := s.Blobs.Read(p.Blob)
	if err != nil {
		return nil, err
	}
	m, err := mesh.Read(p.File, data, fs.FS(nil))
	if err != nil {
		return nil, library.Invalid(fmt.Sprintf("%s could not be read: %v.", p.File, err))
	}
	m.Fit(0)
	m.Tangents()
	return m, nil
}

// recent are the props that were read last, by the sum of their file.
type recent[T any] struct {
	mu   sync.Mutex
	list []T
	sums []string
}

const keptProps = 4

func (k *recent[T]) find(sum string) (found T, ok bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	for i, s := range k.sums {
		if s == sum {
			return k.list[i], true
		}
	}
	return found, false
}

func (k *recent[T]) add(sum string, v T) {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.list, k.sums = append(k.list, v), append(k.sums, sum)
	if len(k.list) > keptProps {
		k.list, k.sums = k.list[1:], k.sums[1:]
	}
}

// once reads a prop, or finds it among those that were read last.
func once[T any](ctx context.Context, s *Service, k *recent[T], p *Prop, read func(*Prop) (T, error)) (v T, err error) {
	if v, ok := k.find(p.Blob); ok {
		return v, nil
	}
	unlock, err := s.Making.Lock(ctx, "prop "+p.Blob)
	if err != nil {
		return v, err
	}
	defer unlock()
	if v, ok := k.find(p.Blob); ok {
		return v, nil
	}
	if v, err = read(p); err == nil {
		k.add(p.Blob, v)
	}
	return v, err
}

// Light is an environment by its word in addresses.
func (s *Service) Light(ctx context.Context, id string) (*light.Environment, error) {
	if e := light.Named(id); e != nil {
		return e, nil
	}
	p, err := s.uploaded(ctx, Environment, id)
	if err != nil {
		return nil, err
	}
	return once(ctx, s, &s.lights, &p, s.readLight)
}

// model is an uploaded mesh by its word in addresses, fitted to a longest side in metres; 0 as it came.
func (s *Service) model(ctx context.Context, id string, longest float64) (*mesh.Mesh, error) {
	p, err := s.uploaded(ctx, Mesh, id)
	if err != nil {
		return nil, err
	}
	m, err := once(ctx, s, &s.meshes, &p, s.readMesh)
	if err != nil || longest == 0 || math.Abs(longest-p.Size) < 1e-4*p.Size {
		return m, err
	}
	sized := p
	sized.Blob = fmt.Sprintf("%s at %g m", p.Blob, longest)
	return once(ctx, s, &s.meshes, &sized, func(*Prop) (*mesh.Mesh, error) {
		own := &mesh.Mesh{Corners: append([]mesh.Corner(nil), m.Corners...)}
		own.Fit(longest)
		return own, nil
	})
}
