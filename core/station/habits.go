package station

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"strings"

	"aldermoor/core/codec"
	"aldermoor/core/codec/exr"
	"aldermoor/core/colour"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/shade"

	"golang.org/x/image/tiff"
)

// The stations, each with habits of its own.
const (
	QuayRig  = "Quay Rig"  // table scanner: resolution tag, Y+, metal-rough, 16 bits
	FieldRig = "Field Rig" // ground patches: sidecar in centimetres, Y−, gloss, TIFF
	Archive  = "Archive"   // old pictures: odd names, 8-bit JPEG, no size, packed maps
	YardLoan = "Yard Loan" // a partner: two tiers in folders, a preview, a licence file
)

// File is one file of a delivery; Name is its path with slashes.
type File struct {
	Name string
	Data []byte
}

// Writer turns scans into files. It keeps look-up tables and a renderer for the
// previews that some stations send along, and may be used by many goroutines.
type Writer struct {
	tables *colour.Tables
}

// NewWriter returns a Writer.
func NewWriter() *Writer { return &Writer{colour.NewTables()} }

// Files are the scan's files as its station would send them, set being the name
// that it gives the set.
func (w *Writer) Files(s *Scan, set string) ([]File, error) {
	maps := w.maps(s)
	switch s.Station {
	case FieldRig:
		return w.fieldRig(maps, set)
	case Archive:
		return w.archive(maps, set)
	case YardLoan:
		return w.yardLoan(maps, set)
	}
	return w.quayRig(maps, set)
}

// maps are a scan's maps as stored values 0..1, faults included; those that the
// material does not have are nil.
type maps struct {
	*Scan
	base, normal, roughness, metallic, height, occlusion, opacity *raster.Image
}

func (w *Writer) maps(s *Scan) maps {
	m := maps{Scan: s, roughness: raster.FromPlanes(s.Roughness), occlusion: raster.FromPlanes(s.Occlusion), height: raster.FromPlanes(s.relative())}
	m.base = s.encoded(w.tables)
	f := s.Normal
	if s.Fault == WrongDirection {
		m.normal = flipped(f.Image())
	} else {
		m.normal = f.Image()
	}
	if s.Metal {
		m.metallic = raster.FromPlanes(s.Metallic)
	}
	if s.Cutout {
		m.opacity = raster.FromPlanes(s.Opacity)
	}
	switch s.Fault {
	case GlossAsRoughness:
		m.roughness = inverted(m.roughness)
	case ColourManaged:
		m.roughness = raster.FromPlanes(filter.Map(s.Roughness, w.tables.Encode))
	case BakedLight:
		m.base = w.baked(s)
	}
	return m
}

func (w *Writer) quayRig(m maps, set string) ([]File, error) {
	normal := "normal"
	if m.Fault == WrongDirection {
		normal = "normal_gl" // what the name claims and the pixels deny
	}
	heightBits := 16
	if m.Fault == BandedHeight {
		heightBits = 8
	}
	var out files
	dir := set + "/" + set + "_"
	out.png(dir+"basecolor.png", m.base, 8, m.Density(), true)
	out.png(dir+normal+".png", m.normal, 16, m.Density(), false)
	out.png(dir+"roughness.png", m.roughness, 8, m.Density(), m.Fault == ColourManaged)
	out.png(dir+"height.png", m.height, heightBits, m.Density(), false)
	out.png(dir+"ao.png", m.occlusion, 8, m.Density(), false)
	out.png(dir+"metallic.png", m.metallic, 8, m.Density(), false)
	out.png(dir+"opacity.png", m.opacity, 8, m.Density(), false)
	return out.list, out.err
}

func (w *Writer) fieldRig(m maps, set string) ([]File, error) {
	var out files
	name := ""
	for part := range strings.SplitSeq(set, "_") {
		name += strings.ToUpper(part[:1]) + part[1:]
	}
	dir := strings.ReplaceAll(set, "_", " ") + "/" + name
	normal := flipped(m.normal) // this station writes Y−
	gloss := inverted(m.roughness)
	out.tiff(dir+"_Albedo.tif", m.base, 8)
	out.png(dir+"_NRM.png", normal, 16, [2]float64{}, false)
	out.png(dir+"_Gloss.png", gloss, 8, [2]float64{}, false)
	out.tiff(dir+"_Disp.tif", m.height, 16)
	out.png(dir+"_AmbientOcclusion.png", m.occlusion, 8, [2]float64{}, false)
	out.png(dir+"_Metalness.png", m.metallic, 8, [2]float64{}, false)
	side, err := json.MarshalIndent(map[string]any{
		"width_cm": m.Size.W * 100, "height_cm": m.Size.H * 100, "station": FieldRig,
		"captured": "2026-03-04", "author": "Pale Lantern field team", "licence": "CC-BY-4.0",
	}, "", "  ")
	out.add(strings.ReplaceAll(set, "_", " ")+"/material.json", side, err)
	return out.list, out.err
}

func (w *Writer) archive(m maps, set string) ([]File, error) {
	var out files
	name := strings.ReplaceAll(set, "_", "-")
	packed := raster.FromPlanes(m.Occlusion, m.roughness.Plane(0), m.Metallic)
	out.jpeg(name+" diffuse.jpg", m.base)
	out.jpeg(name+" nrm.jpg", m.normal)
	out.jpeg(name+" bump.jpg", m.height)
	out.jpeg(name+" ORM.jpg", packed)
	return out.list, out.err
}

func (w *Writer) yardLoan(m maps, set string) ([]File, error) {
	var out files
	half := func(im *raster.Image) *raster.Image {
		if im == nil {
			return nil
		}
		var p []raster.Plane
		for c := range im.Components() {
			p = append(p, im.Plane(c).Resample(im.W/2, im.H/2, raster.Area))
		}
		return raster.FromPlanes(p...)
	}
	for i, tier := range []string{tierName(m.W, m.H), tierName(m.W/2, m.H/2)} {
		dir := set + "/" + tier + "/" + set + "_" + strings.ToLower(tier) + "_"
		put := func(name string, im *raster.Image, bits int, srgb bool) {
			if i == 1 {
				im = half(im)
			}
			if bits > 8 { // this partner keeps what needs depth in floats
				out.exr(dir+name+".exr", im)
				return
			}
			out.png(dir+name+".png", im, bits, [2]float64{}, srgb)
		}
		put("col", m.base, 8, true)
		put("nor_gl", m.normal, 16, false)
		put("rough", m.roughness, 8, false)
		put("disp", m.height, 16, false)
		put("occ", m.occlusion, 8, false)
		put("metal", m.metallic, 8, false)
		put("alpha", m.opacity, 8, false)
	}
	side, err := json.MarshalIndent(map[string]any{"width_m": m.Size.W, "height_m": m.Size.H, "depth_mm": m.Depth * 1000, "author": "Yard Loan", "licence": "CC0-1.0"}, "", "  ")
	out.add(set+"/"+set+".json", side, err)
	out.add(set+"/LICENCE.txt", []byte("Lent for The Salt Clerk. CC0-1.0: no rights reserved.\n"), nil)
	surface := shade.NewSurface(m.Planes(), 512)
	ball := shade.Ball(surface, 384).Picture(surface)
	out.png(set+"/"+set+"_preview.png", ball, 8, [2]float64{}, true)
	return out.list, out.err
}

func tierName(w, h int) string {
	if n := max(w, h); n >= 1024 {
		return fmt.Sprintf("%dK", n/1024)
	}
	return fmt.Sprintf("%dpx", max(w, h))
}

// files collects a delivery and the first thing that went wrong.
type files struct {
	list []File
	err  error
}

func (f *files) add(name string, data []byte, err error) {
	if err != nil && f.err == nil {
		f.err = fmt.Errorf("write %q: %w", name, err)
	}
	f.list = append(f.list, File{name, data})
}

func (f *files) png(name string, im *raster.Image, bits int, density [2]float64, srgb bool) {
	if im == nil {
		return
	}
	var b bytes.Buffer
	err := codec.EncodePNG(&b, im.Quantise(bits), codec.PNGOptions{Density: density, SRGB: srgb})
	f.add(name, b.Bytes(), err)
}

func (f *files) exr(name string, im *raster.Image) {
	if im == nil {
		return
	}
	var b bytes.Buffer
	err := exr.Encode(&b, im, exr.Options{Type: exr.Half, Compression: exr.ZIP})
	f.add(name, b.Bytes(), err)
}

func (f *files) tiff(name string, im *raster.Image, bits int) {
	if im == nil {
		return
	}
	var b bytes.Buffer
	err := tiff.Encode(&b, picture(im, bits), &tiff.Options{Compression: tiff.Deflate, Predictor: true})
	f.add(name, b.Bytes(), err)
}

func (f *files) jpeg(name string, im *raster.Image) {
	var b bytes.Buffer
	err := codec.EncodeJPEG(&b, im.Quantise(8), 94)
	f.add(name, b.Bytes(), err)
}

// picture is a map as the standard encoders take it.
func picture(im *raster.Image, bits int) image.Image {
	q := im.Quantise(bits)
	r := image.Rect(0, 0, q.W, q.H)
	switch {
	case q.Components() == 1 && bits == 16:
		out := image.NewGray16(r)
		for i, v := range q.Ints(0) {
			out.SetGray16(i%q.W, i/q.W, color.Gray16{Y: v})
		}
		return out
	case q.Components() == 1:
		out := image.NewGray(r)
		for i, v := range q.Ints(0) {
			out.Pix[i] = byte(v >> 8)
		}
		return out
	}
	out := image.NewNRGBA(r)
	for i := range q.Ints(0) {
		copy(out.Pix[4*i:], []byte{byte(q.Ints(0)[i] >> 8), byte(q.Ints(1)[i] >> 8), byte(q.Ints(2)[i] >> 8), 255})
	}
	return out
}

func inverted(im *raster.Image) *raster.Image {
	return raster.FromPlanes(filter.Map(im.Plane(0), func(v float32) float32 { return 1 - v }))
}

// flipped is a stored normal map with its green component inverted.
func flipped(im *raster.Image) *raster.Image {
	return raster.FromPlanes(im.Plane(0), filter.Map(im.Plane(1), func(v float32) float32 { return 1 - v }), im.Plane(2))
}
