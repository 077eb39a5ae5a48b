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
	fields map[normalsAt]*resampled // normals that were made smaller
}

// normalsAt names the normals of a tile at a size.
type normalsAt struct {
	tile string
	w, h int
}

// resampled are normals, and the lengths of the means that they were made of.
type resampled struct {
	normals.Field
	length raster.Plane
}

// smaller are the normals of a picture at a size. What is smaller than the picture is kept: the normals' own file needs
// it, and that of the roughness.
func (b *builder) smaller(im *raster.Image, w, h int) (f normals.Field, length raster.Plane) {
	k := normalsAt{b.it.tile, w, h}
	if r := b.fields[k]; r != nil {
		return r.clone(), r.length
	}
	f, length = normals.Read(im, 0).Resample(w, h)
	if w*h >= im.W*im.H {
		return f, length
	}
	r := &resampled{f, length}
	b.fields[k] = r
	return r.clone(), length
}

// clone are the normals with planes of their own.
func (r *resampled) clone() (f normals.Field) {
	own := func(p raster.Plane) raster.Plane { return raster.Plane{W: p.W, H: p.H, Pix: slices.Clone(p.Pix)} }
	return normals.Field{X: own(r.X), Y: own(r.Y), Z: own(r.Z)}
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
	return &builder{m: m, f: f, t: t, opened: map[source]*raster.Image{}, turned: map[turn]*converted{}, fields: map[normalsAt]*resampled{}}
}

// drop forgets the files that none of the items left is made of.
func (b *builder) drop(left []item) {
	for k := range b.opened {
		if !slices.ContainsFunc(left, func(it item) bool { return it.tile == k.tile && slices.Contains(it.uses, k.m) }) {
			delete(b.opened, k)
		}
	}
	for k := range b.fields {
		if !slices.ContainsFunc(left, func(it item) bool { return it.tile == k.tile && slices.Contains(it.uses, b.m.find(material.Normal)) }) {
			delete(b.fields, k)
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
	if bits := b.bits(from); bits != 8 || from.Bits <= 8 {
		return im.Quantise(bits)
	}
	return b.to8(im)
}

// to8 is a picture of more bits with 8: dithered, but for JPEG, which loses such patterns, or makes blotches of them.
func (b *builder) to8(im *raster.Image) *raster.Image {
	if b.it.format == JPEG {
		return im.Quantise(8)
	}
	return im.Dithered()
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
	bits := b.bits(im)
	if bits == 8 && out.Bits > 8 {
		return b.to8(out)
	}
	out.Bits = bits
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
		out.Planes = append(out.Planes, im.Planes[material.ColourIndex(c, len(im.Planes))])
	}
	return out
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
				s = raster.Opposite(s)
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
	if it.space == ACEScg {
		it.widen(out)
	}
	return out, nil
}

// widen makes ACEScg of the colours of a file in linear Rec. 709, in planes of their own.
func (it *item) widen(im *raster.Image) {
	from, _, _ := colour.FromPrimaries(colour.ACEScg)
	to, _ := from.Inverse()
	for at := 0; at+3 <= len(it.parts); at++ {
		if q := it.parts[at]; !q.channel.Colour() || q.of != 0 || it.parts[at+2].channel != q.channel {
			continue
		}
		rgb := [3]raster.Floats{im.Floats(at), im.Floats(at + 1), im.Floats(at + 2)}
		for r := range 3 {
			p := make(raster.Floats, im.W*im.H)
			for i := range p {
				p[i] = float32(to[3*r])*rgb[0][i] + float32(to[3*r+1])*rgb[1][i] + float32(to[3*r+2])*rgb[2][i]
			}
			im.Planes[at+r] = p
		}
	}
}

// samples of a plane, as floats or rounded to some bits.
func samples(p raster.Plane, float bool, bits int) raster.Samples {
	if float {
		return raster.Floats(p.Pix)
	}
	return raster.FromPlanes(p).Quantise(bits).Planes[0]
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
		o := exr.Options{Type: kind, Density: density, Compression: packing, Associate: it.covers()}
		if it.space == ACEScg {
			o.Primaries = colour.ACEScg
		}
		err = exr.Encode(&buf, im, o)
	default:
		err = codec.EncodePNG(&buf, im, codec.PNGOptions{SRGB: it.srgb(), Density: density})
	}
	if err != nil {
		return nil, fmt.Errorf("write %q: %w", it.name, err)
	}
	return buf.Bytes(), nil
}

// covers says whether the file's last component is how much of its colours is there. Where figures that are not in
// the maps may turn the opacity round, colours are needed where there seems to be nothing.
func (it *item) covers() bool {
	n := len(it.parts) - 1
	return n == 3 && it.form.baked && it.parts[0].channel == material.BaseColor && it.parts[n].channel == material.Opacity && !it.parts[n].invert
}

// srgb says whether the file holds colours with the sRGB curve.
func (it *item) srgb() bool {
	return !it.linear && slices.ContainsFunc(it.parts, func(q part) bool { return q.channel.Colour() })
}
