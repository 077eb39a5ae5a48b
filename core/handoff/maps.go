package handoff

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strings"

	"aldermoor/core/codec"
	"aldermoor/core/codec/exr"
	"aldermoor/core/codec/tga"
	"aldermoor/core/codec/tiff"
	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/scale"
)

// builder makes the maps of one handoff.
type builder struct {
	m Material
	f Form
	t *colour.Tables

	it     item                     // the file in the making
	opened map[source]*raster.Image // whole files, until nothing needs them
	turned map[turn]*converted      // what was converted to another workflow
}

// turn names a conversion.
type turn struct {
	workflow Workflow
	tile     string
}

// source is a map's file: of one tile, if it has several.
type source struct {
	m    *material.Source
	tile string
}

func newBuilder(m Material, f Form, t *colour.Tables) *builder {
	return &builder{m: m, f: f, t: t, opened: map[source]*raster.Image{}, turned: map[turn]*converted{}}
}

// drop forgets the files that none of the items left is made of.
func (b *builder) drop(left []item) {
	for k := range b.opened {
		if !slices.ContainsFunc(left, func(it item) bool { return it.tile == k.tile && slices.Contains(it.uses, k.m) }) {
			delete(b.opened, k)
		}
	}
	for k := range b.turned {
		if !slices.ContainsFunc(left, func(it item) bool { return it.tile == k.tile && it.form.workflow == k.workflow && it.converts() }) {
			delete(b.turned, k)
		}
	}
}

// converts says whether the file holds what a conversion of workflows gives.
func (it *item) converts() bool {
	return slices.ContainsFunc(it.parts, func(q part) bool {
		return q.channel == material.BaseColor || q.channel == material.Specular || q.channel == material.Metallic
	})
}

// open is a map's whole file, decoded at most once.
func (b *builder) open(m *material.Source) (*raster.Image, error) {
	k := source{m, b.it.tile}
	if im := b.opened[k]; im != nil {
		return im, nil
	}
	im, err := b.m.Open(m.Map, b.it.tile, 0)
	if err == nil && im == nil {
		err = fmt.Errorf("its file %s is not there", m.Map.File)
	}
	if err == nil {
		b.opened[k] = im
	}
	return im, err
}

// done gives planes the form of what is written for a source.
func (b *builder) done(from *raster.Image, planes ...raster.Plane) *raster.Image {
	im := raster.FromPlanes(planes...)
	if b.it.format.Float() {
		return im
	}
	return im.Quantise(b.bits(from))
}

// bits is the depth of what is written for a source.
func (b *builder) bits(from *raster.Image) int {
	if k, _ := b.it.format.facts(); k.bits > 0 {
		return k.bits
	}
	return depthOf(from)
}

// asIs says whether a source's samples can be written as they are, but for their depth.
func (b *builder) asIs(im *raster.Image, w, h int) bool {
	return w == im.W && h == im.H && !im.Float() && !b.it.format.Float()
}

// kept are the first n components of a source that is written as it is.
func (b *builder) kept(im *raster.Image, n int) *raster.Image {
	out := first(im, n)
	if bits := b.bits(im); bits == 8 && out.Bits > 8 {
		return out.Quantise(8)
	} else {
		out.Bits = bits
	}
	return out
}

// load opens a map's file and picks the component it is in.
func (b *builder) load(m *material.Source) (*raster.Image, error) {
	im, err := b.open(m)
	if err != nil {
		return nil, err
	}
	im = m.Map.Picture(m.Channel, im)
	if name := m.Map.Component; name != "rgb" && im.Components() > 1 {
		if strings.Index("rgb", name) >= im.Components() {
			return nil, fmt.Errorf("there is no component %q", name)
		}
		return im.Select(material.ComponentIndex(name, im.Components())), nil
	}
	return im, nil
}

// depthOf is the depth in bits of what is written for a source.
func depthOf(im *raster.Image) int {
	if im.Bits > 8 {
		return 16
	}
	return 8
}

// first keeps the first n components of an integer picture, or repeats the one
// of a grey picture.
func first(im *raster.Image, n int) *raster.Image {
	out := &raster.Image{W: im.W, H: im.H, Bits: depthOf(im)}
	for c := range n {
		out.Planes = append(out.Planes, im.Planes[min(c, len(im.Planes)-1)])
	}
	return out
}

// inverted is what samples lack to the full value.
func inverted(p raster.Ints) raster.Ints {
	out := make(raster.Ints, len(p))
	for i, v := range p {
		out[i] = 65535 - v
	}
	return out
}

func (b *builder) colour(m *material.Source) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	w, h := b.f.size(im.W, im.H)
	recolours := m.Channel == material.BaseColor && b.recolours()
	if b.asIs(im, w, h) && !recolours && !b.it.linear {
		return b.kept(im, 3), nil
	}
	rgb := b.light(im, w, h)
	if recolours {
		rgb = b.recoloured(rgb)
	}
	return b.encoded(im, rgb), nil
}

// recolours says whether base colour changes on its way.
func (b *builder) recolours() bool { return b.it.form.baked && b.m.Figures.Recolours() }

// recoloured is base colour as the material's figures have it, in planes of its own.
func (b *builder) recoloured(rgb [3]raster.Plane) (out [3]raster.Plane) {
	if !b.recolours() {
		return rgb
	}
	for c := range out {
		out[c] = raster.NewPlane(rgb[c].W, rgb[c].H)
	}
	raster.Rows(rgb[0].H, func(y0, y1 int) {
		for i := y0 * rgb[0].W; i < y1*rgb[0].W; i++ {
			c := b.m.Figures.Recolour(colour.RGB{rgb[0].Pix[i], rgb[1].Pix[i], rgb[2].Pix[i]})
			out[0].Pix[i], out[1].Pix[i], out[2].Pix[i] = c[0], c[1], c[2]
		}
	})
	return out
}

// light is a colour picture in linear light at w × h. A float source's samples may be shared.
func (b *builder) light(im *raster.Image, w, h int) (out [3]raster.Plane) {
	for c := range out {
		p := im.Plane(min(c, im.Components()-1))
		if !im.Float() {
			filter.Apply(p, b.t.Linear)
		}
		out[c] = p.Resample(w, h, raster.Area)
	}
	return out
}

// encoded gives linear light the form of what is written for a source.
func (b *builder) encoded(from *raster.Image, rgb [3]raster.Plane) *raster.Image {
	if !b.it.linear {
		for c, p := range rgb {
			rgb[c] = filter.Map(p, b.t.Encode)
		}
	}
	return b.done(from, rgb[:]...)
}

// converted is a material in another workflow: base or diffuse colour and specular colour in
// linear light, and metallic.
type converted struct {
	from     *raster.Image
	base     [3]raster.Plane
	specular [3]raster.Plane
	metallic raster.Plane
}

// convert turns a material into the workflow of the file in the making.
func (b *builder) convert() (*converted, error) {
	k := turn{b.it.form.workflow, b.it.tile}
	if c := b.turned[k]; c != nil {
		return c, nil
	}
	var c *converted
	var err error
	if base, spec := b.m.specGloss(); base != nil {
		c, err = b.toMetalRough(base, spec)
	} else {
		c, err = b.toSpecGloss()
	}
	if err == nil {
		b.turned[k] = c
	}
	return c, err
}

// toMetalRough converts from spec-gloss, at the size of the diffuse map.
func (b *builder) toMetalRough(base, spec *material.Source) (*converted, error) {
	from, err := b.load(base)
	if err != nil {
		return nil, err
	}
	s, err := b.load(spec)
	if err != nil {
		return nil, err
	}
	w, h := b.f.size(from.W, from.H)
	diffuse, specular := b.recoloured(b.light(from, w, h)), b.light(s, w, h)
	out := &converted{from: from, metallic: raster.NewPlane(w, h)}
	for c := range out.base {
		out.base[c] = raster.NewPlane(w, h)
	}
	raster.Rows(h, func(y0, y1 int) {
		for i := y0 * w; i < y1*w; i++ {
			v, k := material.MetalRough([3]float32{diffuse[0].Pix[i], diffuse[1].Pix[i], diffuse[2].Pix[i]}, [3]float32{specular[0].Pix[i], specular[1].Pix[i], specular[2].Pix[i]})
			out.base[0].Pix[i], out.base[1].Pix[i], out.base[2].Pix[i], out.metallic.Pix[i] = v[0], v[1], v[2], k
		}
	})
	return out, nil
}

// toSpecGloss converts from metal-rough: what is metal has no diffuse colour, and its base
// colour is its specular one.
func (b *builder) toSpecGloss() (*converted, error) {
	out := &converted{}
	base, metal := b.m.find(material.BaseColor), b.m.find(material.Metallic)
	open := func(s *material.Source) (*raster.Image, int, int, error) {
		if !b.has(s) {
			return nil, 0, 0, nil
		}
		im, err := b.load(s)
		if err != nil {
			return nil, 0, 0, err
		}
		w, h := b.f.size(im.W, im.H)
		if out.from == nil {
			out.from = im
		}
		return im, w, h, nil
	}
	bi, w, h, err := open(base)
	if err != nil {
		return nil, err
	}
	mi, mw, mh, err := open(metal)
	if err != nil {
		return nil, err
	}
	if mw*mh > w*h {
		w, h = mw, mh
	}
	var rgb [3]raster.Plane
	if bi != nil {
		rgb = b.recoloured(b.light(bi, w, h))
	} else {
		for c := range rgb {
			rgb[c] = even(w, h, b.m.absent(material.BaseColor, c))
		}
	}
	factor := float32(1)
	if b.it.form.baked {
		factor = float32(b.m.Figures.Metallic)
	}
	var share raster.Plane
	if mi != nil {
		share = filter.Map(mi.Plane(0).Resample(w, h, raster.Area), func(v float32) float32 { return v * factor })
	} else {
		share = even(w, h, b.m.absent(material.Metallic, 0))
	}
	f0 := float32(b.m.reflectance())
	for c := range rgb {
		diffuse, specular := raster.NewPlane(w, h), raster.NewPlane(w, h)
		raster.Rows(h, func(y0, y1 int) {
			for i := y0 * w; i < y1*w; i++ {
				v, k := rgb[c].Pix[i], min(max(share.Pix[i], 0), 1)
				diffuse.Pix[i], specular.Pix[i] = v*(1-k), f0+(v-f0)*k
			}
		})
		out.base[c], out.specular[c] = diffuse, specular
	}
	return out, nil
}

// even is a plane of one value.
func even(w, h int, v float32) raster.Plane {
	p := raster.NewPlane(w, h)
	filter.Apply(p, func(float32) float32 { return v })
	return p
}

func (b *builder) data(m *material.Source) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	w, h := b.f.size(im.W, im.H)
	var change func(v float32) float32
	switch f := b.m.Figures; {
	case m.Channel == material.Height && b.it.form.height != HeightRange:
		scale, bias := b.m.heights(HeightRange)
		to, off := b.m.heights(b.it.form.height) // metres are v·scale + bias in both
		k, d := 1.0, 0.0
		if b.m.Depth > 0 {
			k, d = scale/to, (bias-off)/to
		}
		if k != 1 || d != 0 {
			change = func(v float32) float32 { return float32(float64(v)*k + d) }
		}
	case !b.it.form.baked:
	case m.Channel == material.Opacity && (f.Opacity != 1 || f.OpacityInvert || f.Cutoff > 0):
		change = f.OpacityOf
	case m.Channel == material.Metallic && f.Metallic != 1:
		change = func(v float32) float32 { return v * float32(f.Metallic) }
	}
	if b.asIs(im, w, h) && change == nil {
		return b.kept(im, 1), nil
	}
	p := im.Plane(0).Resample(w, h, raster.Area)
	if change != nil {
		p = filter.Map(p, change)
	}
	return b.done(im, p), nil
}

func (b *builder) normal(m *material.Source) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	if im.Components() < 2 {
		return nil, fmt.Errorf("a normal map needs two components or more; this has one")
	}
	points, strength := m.Map.Direction, 1.0
	if b.it.form.baked {
		strength = b.m.Figures.NormalStrength
	}
	if b.m.Figures.NormalFlip {
		points = -points
	}
	flip := points != normals.Unknown && points != b.it.form.direction
	w, h := b.f.size(im.W, im.H)
	if x, z := normals.Components(im); b.asIs(im, w, h) && x == 0 && z == 2 && strength == 1 {
		out := b.kept(im, 3)
		if flip {
			out.Planes[1] = inverted(out.Ints(1))
		}
		return out, nil
	}
	f := normals.Read(im, 0)
	if flip {
		f.Flip()
	}
	f, _ = f.Resample(w, h)
	f.Strengthen(strength)
	if b.it.format.Float() {
		return f.Image(), nil
	}
	return f.Image().Quantise(b.bits(im)), nil
}

// roughness of the tier, with what its normals lost.
func (b *builder) roughness(m *material.Source, gloss bool) (*raster.Image, error) {
	im, err := b.load(m)
	if err != nil {
		return nil, err
	}
	w, h := b.f.size(im.W, im.H)
	invert := (m.Channel == material.Glossiness) != gloss
	lo, hi := 0.0, 1.0
	if b.it.form.baked {
		lo, hi = b.m.Figures.Roughness[0], b.m.Figures.Roughness[1]
	}
	n := b.m.find(material.Normal)
	finer := b.has(n) && (n.Map.Width > w || n.Map.Height > h) // the normals lose detail at this size
	if b.asIs(im, w, h) && lo == 0 && hi == 1 && !finer {
		out := b.kept(im, 1)
		if invert {
			out.Planes[0] = inverted(out.Ints(0))
		}
		return out, nil
	}
	p := im.Plane(0).Resample(w, h, raster.Area)
	if m.Channel == material.Glossiness {
		lo, hi = hi, lo
	}
	if lo != 0 || hi != 1 {
		p = filter.Map(p, func(v float32) float32 { return float32(lo) + v*float32(hi-lo) })
	}
	if b.has(n) {
		ni, err := b.load(n)
		if err != nil {
			return nil, err
		}
		if ni.Components() >= 2 {
			_, length := normals.Read(ni, 0).Resample(w, h)
			wide := raster.NewPlane(w, h)
			for i, l := range length.Pix {
				wide.Pix[i] = normals.Widen(min(max(p.Pix[i], 0), 1), l)
			}
			p = wide
		}
	}
	if gloss {
		p = filter.Map(p, func(v float32) float32 { return 1 - v })
	}
	return b.done(im, p), nil
}

// has says whether a source has a picture for the tile in the making.
func (b *builder) has(s *material.Source) bool { return s != nil && s.Map.HasTile(b.it.tile) }

// channel is a channel's picture in the conventions of the file in the making, at the size
// that its own map has there; nil if there is no map of it for the tile. Its
// samples may be shared.
func (b *builder) channel(c material.Channel) (*raster.Image, error) {
	list := b.m.sources(c, b.it.form.workflow)
	if len(list) == 0 || !b.has(list[0]) {
		return nil, nil
	}
	base, spec := b.m.specGloss()
	switch w := b.it.form.workflow; {
	case base != nil && w == MetalRough && (c == material.BaseColor || c == material.Metallic) && b.has(spec),
		base == nil && w == SpecGloss && (c == material.BaseColor && b.m.metal() || c == material.Specular):
		k, err := b.convert()
		if err != nil {
			return nil, err
		}
		switch c {
		case material.BaseColor:
			return b.encoded(k.from, k.base), nil
		case material.Specular:
			return b.encoded(k.from, k.specular), nil
		}
		return b.done(k.from, k.metallic), nil
	case c == material.Metallic && base != nil && w == MetalRough:
		return nil, nil
	case c == material.Normal:
		return b.normal(list[0])
	case c == material.Roughness || c == material.Glossiness:
		return b.roughness(list[0], c == material.Glossiness)
	case c.Colour():
		return b.colour(list[0])
	}
	return b.data(list[0])
}

// picture makes the contents of a file.
func (b *builder) picture(it item) (*raster.Image, error) {
	b.it = it
	pictures := map[material.Channel]*raster.Image{}
	w, h := 0, 0
	for _, q := range it.parts {
		if _, done := pictures[q.channel]; done || q.channel == material.None {
			continue
		}
		im, err := b.channel(q.channel)
		if err != nil {
			return nil, err
		}
		if pictures[q.channel] = im; im != nil {
			w, h = max(w, im.W), max(h, im.H)
		}
	}
	if w == 0 {
		return nil, fmt.Errorf("there is no map for it")
	}
	float, bits := it.format.Float(), it.bits
	out := &raster.Image{W: w, H: h, Bits: bits}
	for _, q := range it.parts {
		im := pictures[q.channel]
		var s raster.Samples
		switch {
		case im == nil:
			v := q.value
			if q.light && !it.linear {
				v = b.t.Encode(v)
			}
			if q.invert && q.channel != material.None {
				v = 1 - v
			}
			s = samples(even(w, h, v), float, bits)
		case im.W == w && im.H == h:
			s = im.Planes[min(q.of, im.Components()-1)]
			if q.invert {
				s = opposites(s)
			}
		default:
			p := im.Plane(min(q.of, im.Components()-1)).Resample(w, h, raster.Area)
			if q.invert {
				p = filter.Map(p, func(v float32) float32 { return 1 - v })
			}
			s = samples(p, float, bits)
		}
		out.Planes = append(out.Planes, s)
	}
	return out, nil
}

// samples of a plane, as floats or rounded to some bits.
func samples(p raster.Plane, float bool, bits int) raster.Samples {
	if float {
		return raster.Floats(p.Pix)
	}
	return raster.FromPlanes(p).Quantise(bits).Planes[0]
}

// opposites are what samples lack to the full value.
func opposites(s raster.Samples) raster.Samples {
	switch p := s.(type) {
	case raster.Ints:
		return inverted(p)
	case raster.Floats:
		out := make(raster.Floats, len(p))
		for i, v := range p {
			out[i] = 1 - v
		}
		return out
	}
	return s
}

// file makes one map file.
func (b *builder) file(it item) ([]byte, error) {
	im, err := b.picture(it)
	if err != nil {
		return nil, fmt.Errorf("make %q: %w", it.name, err)
	}
	var density [2]float64
	if b.m.Size.Known() {
		density[0], density[1] = scale.Density(b.m.Size, im.W, im.H)
	}
	if k, _ := it.format.facts(); k.ending == ".png" && math.Abs(density[0]-density[1]) > 0.01*density[0] {
		density = [2]float64{} // glTF allows no pixels that are not square; material.json has the size
	}
	var buf bytes.Buffer
	switch it.format {
	case JPEG:
		quality := it.level
		if quality == 0 {
			quality = 90
		}
		err = codec.EncodeJPEG(&buf, im, quality)
	case TIFF8, TIFF16, TIFF32:
		err = tiff.Encode(&buf, im, tiff.Options{Deflate: it.packed != "none", Density: density})
	case TGA:
		err = tga.Encode(&buf, im)
	case EXRHalf, EXRFloat:
		kind := exr.Half
		if it.format == EXRFloat {
			kind = exr.Float
		}
		packing, ok := map[string]exr.Compression{"": exr.ZIP, "zip": exr.ZIP, "zips": exr.ZIPS, "rle": exr.RLE, "none": exr.None}[it.packed]
		if !ok {
			return nil, fmt.Errorf("write %q: there is no compression %q", it.name, it.packed)
		}
		err = exr.Encode(&buf, im, exr.Options{Type: kind, Density: density, Compression: packing})
	default:
		err = codec.EncodePNG(&buf, im, codec.PNGOptions{SRGB: it.srgb(), Density: density})
	}
	if err != nil {
		return nil, fmt.Errorf("write %q: %w", it.name, err)
	}
	return buf.Bytes(), nil
}

// srgb says whether the file holds colours with the sRGB curve.
func (it *item) srgb() bool {
	return !it.linear && slices.ContainsFunc(it.parts, func(q part) bool { return q.channel.Colour() })
}
