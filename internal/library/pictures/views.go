package pictures

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"math"
	"net/url"
	"strconv"
	"strings"

	"aldermoor/core/codec"
	"aldermoor/core/codec/exr"
	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/core/shape"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
)

// JobView makes a picture of a material that takes longer than somebody waits for.
const JobView = "view"

// MostPreview is the longest side in pixels of a preview that is made while its asker waits.
const MostPreview = 1280

// viewWords are the parameters of a view, in the order in which its name lists them.
var viewWords = []string{"shape", "px", "height", "extent_m", "env", "turn", "tilt", "strength", "exposure", "tone", "quality", "samples", "seed", "yaw", "pitch",
	"zoom", "pan_x", "pan_y", "background", "channel", "plaster", "relief"}

// View is a picture of a material that is asked for by name.
type View struct {
	shade.View
	EXR   bool
	words url.Values
	env   string
}

// ParseView reads a view from the words of an address. What was uploaded is found by its
// number.
func (s *Service) ParseView(ctx context.Context, q url.Values, ending string) (v View, err error) {
	v = View{View: shade.NewView(), EXR: ending == "exr", words: url.Values{}, env: "moor"}
	for _, k := range viewWords {
		if q.Get(k) != "" {
			v.words.Set(k, q.Get(k))
		}
	}
	figure := func(name string, to *float64, lo, hi float64) {
		if text := q.Get(name); text != "" && err == nil {
			f, bad := strconv.ParseFloat(text, 64)
			if bad != nil || !(f >= lo && f <= hi) {
				err = library.Invalid(fmt.Sprintf("%s must be a figure from %g to %g; %q is not.", name, lo, hi, text))
			}
			*to = f
		}
	}
	px, height, samples, seed := 512., 0., 64., 0.
	v.Extent = 0
	figure("px", &px, 1, shade.Largest)
	figure("height", &height, 1, shade.Largest)
	figure("extent_m", &v.Extent, 1e-4, 1000)
	figure("turn", &v.Turn, -3600, 3600)
	figure("tilt", &v.Tilt, -180, 180)
	figure("strength", &v.Strength, 0, 1e6)
	figure("exposure", &v.Exposure, -24, 24)
	figure("samples", &samples, 1, 65536)
	figure("seed", &seed, 0, 1<<53)
	figure("yaw", &v.Yaw, -36000, 36000)
	figure("pitch", &v.Pitch, -36000, 36000)
	figure("zoom", &v.Zoom, 0.05, 1000)
	figure("pan_x", &v.PanX, -100, 100)
	figure("pan_y", &v.PanY, -100, 100)
	if err != nil {
		return v, err
	}
	if v.W, v.H = int(px), int(height); v.H == 0 {
		v.H = v.W
	}
	v.Samples, v.Seed = int(samples), uint64(seed)
	if cost := float64(v.W) * float64(v.H) * samples; q.Get("quality") == string(shade.Reference) && cost > mostPaths {
		return v, library.Invalid(fmt.Sprintf("%d × %d pixels of %.0f paths each take too long. Ask for %.0f paths at most, or for a smaller picture.",
			v.W, v.H, samples, math.Floor(mostPaths/(float64(v.W)*float64(v.H)))))
	}
	choice := func(name, missing string, of ...string) string {
		t := q.Get(name)
		if t == "" {
			return missing
		}
		for _, k := range of {
			if t == k {
				return t
			}
		}
		if err == nil {
			err = library.Invalid(fmt.Sprintf("%s is one of %s, not %q.", name, strings.Join(of, ", "), t))
		}
		return missing
	}
	own := strings.HasPrefix(q.Get("shape"), "own-")
	if !own {
		v.Shape = choice("shape", "ball", shape.Names...)
	}
	v.Tone = choice("tone", "curve", "curve", "none") == "curve"
	v.Quality = shade.Quality(choice("quality", string(shade.Preview), string(shade.Preview), string(shade.Reference)))
	v.Plaster = choice("plaster", "0", "0", "1") == "1"
	v.Relief = choice("relief", "1", "0", "1") == "1"
	if err != nil {
		return v, err
	}
	if c := q.Get("channel"); c != "" {
		ok := false
		if v.Channel, ok = material.Parse(c); !ok {
			return v, library.Invalid(fmt.Sprintf("There is no channel %q.", c))
		}
	}
	if v.Background, err = s.background(ctx, q.Get("background")); err != nil {
		return v, err
	}
	if own {
		if v.Mesh, err = s.model(ctx, q.Get("shape"), v.Extent); err != nil {
			return v, err
		}
		v.Bodies = &s.bodies
	}
	if e := q.Get("env"); e != "" {
		v.env = e
	}
	v.Light, err = s.Light(ctx, v.env)
	return v, err
}

// mostPaths is how many paths a reference picture may have in all: 4096 × 4096 pixels of 64, or 1024 × 1024 of 1024.
const mostPaths = 1 << 30

// background is what is behind a shape, by its word.
func (s *Service) background(ctx context.Context, text string) (shade.Background, error) {
	if strings.HasPrefix(text, "own-") {
		p, err := s.uploaded(ctx, Backdrop, text)
		if err != nil {
			return shade.Background{}, err
		}
		rgb, err := once(ctx, s, &s.backdrops, &p, s.readBackdrop)
		return shade.Background{Kind: "picture", Picture: rgb}, err
	}
	switch text {
	case "", "none":
		return shade.Background{Kind: "none"}, nil
	case "environment":
		return shade.Background{Kind: text}, nil
	case "mat":
		return shade.Mat, nil
	}
	if !strings.HasPrefix(text, "#") {
		text = "#" + text
	}
	if c, ok := colour.ParseHex(text); ok {
		return shade.Background{Kind: "colour", Color: geom.From(c)}, nil
	}
	return shade.Background{}, library.Invalid(fmt.Sprintf("A background is none, mat, environment, #rrggbb or an uploaded backdrop, not %q.", text))
}

// name is where the picture of a look is kept.
func (v *View) name(look string) string {
	ending := "png"
	if v.EXR {
		ending = "exr"
	}
	return fmt.Sprintf("look/%s/view-%s.%s", look, v.Tag(), ending)
}

// texture is how large maps must be for the view.
func (v *View) texture() int {
	for _, px := range PackSizes[1:] {
		if float64(px) >= 2*v.Zoom*float64(max(v.W, v.H)) {
			return px
		}
	}
	return PackSizes[len(PackSizes)-1]
}

// waits says whether the view is made while its asker waits.
func (v *View) waits() bool {
	return v.Quality == shade.Preview && max(v.W, v.H) <= MostPreview || v.Quality == shade.Reference && v.W*v.H*v.Samples <= 96*96*32
}

// Picture is a view of a material; ready is false while a job makes it, and done says how far it is.
func (s *Service) Picture(ctx context.Context, m *materials.Material, v *View) (data []byte, done float64, ready bool, err error) {
	name := v.name(m.LookKey())
	if data, ok := s.Derived.Get(name); ok {
		return data, 1, true, nil
	}
	if v.waits() {
		data, err = s.Derive(ctx, name, func() ([]byte, error) { return s.drawView(ctx, m, v, nil) })
		return data, 1, err == nil, err
	}
	key := s.viewKey(m, v)
	n, of, _, failed := s.rendering.Get(key)
	if failed != nil {
		s.rendering.Set(key, 0, 0, nil)
		return nil, 0, false, failed
	}
	if of == 0 {
		err = s.Store.Write(ctx, func(tx Tx) error { return tx.AddJob(JobView, key, 2) })
		return nil, 0, false, err
	}
	return nil, float64(n) / float64(of), false, nil
}

// viewKey names a view's job: the material, its look, the file's ending, and the words.
func (s *Service) viewKey(m *materials.Material, v *View) string {
	ending := "png"
	if v.EXR {
		ending = "exr"
	}
	return fmt.Sprintf("%d/%s/%s/%s", m.ID, m.LookKey(), ending, v.words.Encode())
}

// view makes a picture that somebody waits for elsewhere.
func (s *Service) view(ctx context.Context, key string) error {
	part := strings.SplitN(key, "/", 4)
	if len(part) != 4 {
		return fmt.Errorf("%q names no view", key)
	}
	id, err := strconv.ParseInt(part[0], 10, 64)
	if err != nil {
		return fmt.Errorf("%q names no view", key)
	}
	q, err := url.ParseQuery(part[3])
	if err != nil {
		return err
	}
	v, err := s.ParseView(ctx, q, part[2])
	if err != nil {
		return s.refuse(key, err)
	}
	m, err := s.looking(ctx, id, part[1])
	if errors.Is(err, library.ErrNotFound) {
		return s.refuse(key, library.Invalid("The material has changed since. Ask for the picture again."))
	}
	if err != nil {
		return err
	}
	name := v.name(part[1])
	if s.Derived.Has(name) {
		return nil
	}
	s.rendering.Set(key, 0, 1000, nil)
	data, err := s.drawView(ctx, &m, &v, func(done float64) {
		s.rendering.Set(key, int(done*1000), 1000, nil)
		library.GiveWay(ctx)
	})
	var invalid library.Invalid
	switch {
	case errors.As(err, &invalid): // trying again would not help
		return s.refuse(key, err)
	case ctx.Err() != nil: // the server stops: the job is taken up again
		s.rendering.Set(key, 0, 0, nil)
		return err
	case err != nil:
		s.rendering.Set(key, 0, 0, err)
		return err
	}
	err = s.Derived.Put(name, data)
	s.rendering.Set(key, 0, 0, nil)
	return err
}

// refuse records why there will be no picture, for the request that asks next. The job ends.
func (s *Service) refuse(key string, why error) error {
	s.rendering.Set(key, 0, 0, why)
	return nil
}

// looking is the state of a material that has a look: its draft, or a release of it.
func (s *Service) looking(ctx context.Context, id int64, look string) (m materials.Material, err error) {
	err = s.Store.Read(ctx, func(tx Reader) error {
		if m, err = tx.Material(id); err != nil || m.LookKey() == look {
			return err
		}
		list, err := tx.ReleasesOf(id)
		if err != nil {
			return err
		}
		for _, r := range list {
			if r.Material.LookKey() == look {
				m = r.Material
				return nil
			}
		}
		return library.ErrNotFound
	})
	return m, err
}

// drawView makes the picture.
func (s *Service) drawView(ctx context.Context, m *materials.Material, v *View, progress func(float64)) ([]byte, error) {
	surface, err := s.surface(ctx, m, v.texture())
	if err != nil {
		return nil, err
	}
	if v.Channel != material.None && !surface.Has(v.Channel) && !(v.Channel == material.Glossiness && surface.Has(material.Roughness)) {
		return nil, library.Invalid(fmt.Sprintf("%s has no map of %s.", m.Name, strings.ReplaceAll(string(v.Channel), "_", " ")))
	}
	w := v.View
	if w.Extent == 0 {
		w.Extent = shape.NaturalSize(surface.Size().W)
	}
	im, err := w.Draw(ctx, surface, v.EXR, progress)
	if err != nil {
		return nil, err
	}
	return encodeView(im, v)
}

func encodeView(im *raster.Image, v *View) ([]byte, error) {
	if v.Background.Kind != "none" {
		im = im.Select(0, 1, 2)
	}
	var b bytes.Buffer
	if v.EXR {
		err := exr.Encode(&b, im, exr.Options{Type: exr.Half, Compression: exr.ZIP})
		return b.Bytes(), err
	}
	bits := 8
	if v.Quality == shade.Reference {
		bits = 16
	}
	err := codec.EncodePNG(&b, im.Quantise(bits), codec.PNGOptions{SRGB: true})
	return b.Bytes(), err
}

// Tag names the view among those of one look.
func (v *View) Tag() string {
	sum := sha256.Sum256([]byte(v.words.Encode() + " " + v.env))
	return fmt.Sprintf("%x", sum[:10])
}
