// Package codec opens picture files by their content, never by their ending.
//
// Open reads what a file says of itself (size, depth, resolution tag, colour
// profile) without touching its pixels; File.Decode reads the pixels into a planar
// picture. Neither allocates for what a header merely claims: a size that the
// file's own length cannot hold, or that is over the limits, is refused first.
// Errors are of type FormatError (the file is damaged), UnsupportedError (the
// file is sound but of a kind that is not read here) or LimitError.
package codec

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"math"
	"strings"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/dds"
	"aldermoor/core/codec/exr"
	"aldermoor/core/codec/fault"
	"aldermoor/core/codec/hdr"
	"aldermoor/core/codec/png"
	"aldermoor/core/codec/tga"
	"aldermoor/core/codec/tiff"
	"aldermoor/core/colour"
	"aldermoor/core/raster"

	"golang.org/x/image/bmp"
	"golang.org/x/image/webp"
)

// Format is a picture format, named as its files usually end.
type Format string

// The formats that Decode reads.
const (
	PNG  Format = "png"
	JPEG Format = "jpg"
	TIFF Format = "tif"
	WebP Format = "webp"
	BMP  Format = "bmp"
	TGA  Format = "tga"
	HDR  Format = "hdr"
	EXR  Format = "exr"
	DDS  Format = "dds"
)

// Readable lists the formats for people.
const Readable = "PNG, JPEG, TIFF, OpenEXR, TGA, DDS, Radiance HDR, WebP or BMP"

// Info is what a file says of itself.
type Info struct {
	Format     Format
	W, H       int
	Bits       int           // bits a sample: 1..16, or 32 for float
	Float      bool          // samples are floats, of 16 or 32 bits
	Components int           // 1 grey, 2 grey and alpha, 3 colour, 4 colour and alpha
	Density    [2]float64    // pixels a metre along x and y by the resolution tag; 0 if there is none
	Profile    string        // name of the embedded colour profile, "sRGB" for a declared sRGB, or ""
	Gamut      *colour.Gamut `json:",omitempty"` // what its colours mean if they are not sRGB's
	SRGB       bool          `json:",omitempty"` // it declares that its colours are sRGB's
	Unread     bool          `json:",omitempty"` // it has a colour profile that cannot be converted
	Gamma      float64       // declared file gamma (PNG gAMA: 0.45455 for sRGB), or 0
	Turn       int           `json:",omitempty"` // how its pixels are turned to be shown, as Exif counts it: 2..8. W, H and what Decode gives are turned
	Layer      string        // which of the file's pictures this is; "" for the main one
	Layers     []string      // names of further pictures in the file
	Text       []string      `json:",omitempty"` // captions and descriptions that people wrote into the file
	NotFinite  int           // samples that were NaN or infinite and were mended, known once decoded
}

// Limits bounds what Decode will hold in memory, and how long it works.
type Limits struct {
	Pixels int   // the largest W·H
	Bytes  int64 // the largest file
	Memory int64 // the most that reading one file may take; 0 for no bound

	ctx context.Context // until when; nil for ever
}

// DefaultLimits allows pictures of 16384 × 16384 pixels, files of 2 GiB, and 6 GiB to read one.
var DefaultLimits = Limits{Pixels: 16384 * 16384, Bytes: 2 << 30, Memory: 6 << 30}

// Until are the limits, and no longer than the context.
func (l Limits) Until(ctx context.Context) Limits {
	l.ctx = ctx
	return l
}

// FormatError reports a file that is damaged.
type FormatError = fault.FormatError

// UnsupportedError reports a sound file of a kind that is not read.
type UnsupportedError = fault.UnsupportedError

// LimitError reports a file or picture larger than the limits allow.
type LimitError = fault.LimitError

// Recognise tells the format by the first bytes of a file (32 are enough), or
// "" if they belong to none.
func Recognise(head []byte) Format {
	switch {
	case bytes.HasPrefix(head, []byte(png.Signature)):
		return PNG
	case bytes.HasPrefix(head, []byte("\xff\xd8\xff")):
		return JPEG
	case bytes.HasPrefix(head, []byte("II*\x00")), bytes.HasPrefix(head, []byte("MM\x00*")), bytes.HasPrefix(head, []byte("II+\x00")), bytes.HasPrefix(head, []byte("MM\x00+")):
		return TIFF
	case bytes.HasPrefix(head, []byte(exr.Magic)):
		return EXR
	case bytes.HasPrefix(head, []byte(dds.Magic)):
		return DDS
	case hdr.Looks(head):
		return HDR
	case len(head) >= 16 && bytes.HasPrefix(head, []byte("RIFF")) && bytes.Equal(head[8:12], []byte("WEBP")):
		return WebP
	case len(head) >= 18 && bytes.HasPrefix(head, []byte("BM")) && head[14] >= 40 && head[15]|head[16]|head[17] == 0:
		return BMP
	case tga.Looks(head):
		return TGA
	}
	return ""
}

// Probe reads the headers of a file that is held in data.
func Probe(data []byte) (Info, error) {
	f, err := Open(data, Limits{Pixels: math.MaxInt, Bytes: math.MaxInt64})
	return f.Info, err
}

// File is an opened picture file: its headers have been read, once, and its pixels can be.
type File struct {
	Info // of the main picture

	data []byte // nil of a PNG, whose pixels are read as they are decoded
	src  io.ReaderAt
	size int64
	lim  Limits
	png  *png.Header
	tiff *tiff.Header
	exr  *exr.File

	parts map[int][][]float32 // of an OpenEXR file with several layers: the channels of parts that were read
}

// mostKept is how much memory the channels of an OpenEXR part may take to be read at once, for all layers.
const mostKept = 512 << 20

// Memory is about how many bytes decoding the main picture takes, the file's own where it is held.
func (f *File) Memory() int64 {
	each := int64(2)
	if f.Float {
		each = 4
	}
	n := int64(f.W) * int64(f.H) * int64(max(f.Components, 1)) * each
	switch f.Format {
	case JPEG, BMP, WebP:
		n = int64(f.W) * int64(f.H) * int64(f.perPixel(f.data))
	}
	return n + int64(len(f.data))
}

// SniffBytes is how many of a file's first bytes Recognise needs.
const SniffBytes = 32

// OpenAt reads a file of size bytes and opens it. One that is no picture, or is larger
// than the limit, is refused after its first bytes.
func OpenAt(r io.ReaderAt, size int64, lim Limits) (*File, error) {
	head := make([]byte, min(size, SniffBytes))
	if _, err := r.ReadAt(head, 0); err != nil && err != io.EOF {
		return nil, err
	}
	if Recognise(head) == "" {
		return nil, notRead
	}
	if size > lim.Bytes {
		return nil, tooLarge(size, lim)
	}
	if Recognise(head) == PNG {
		return open(&File{Info: Info{Format: PNG, Bits: 8}, src: r, size: size, lim: lim})
	}
	data := make([]byte, size)
	if n, err := r.ReadAt(data, 0); n < len(data) {
		return nil, fmt.Errorf("read %d bytes: %w", size, err)
	}
	return Open(data, lim)
}

var notRead = UnsupportedError("this is not a picture in a format that is read here (" + Readable + ")")

func tooLarge(size int64, lim Limits) error {
	return LimitError(fmt.Sprintf("the file has %d bytes; the limit is %d", size, lim.Bytes))
}

// Open reads the headers of a file that is held in data, which is kept. The File is never
// nil; with an error it holds what could be read.
func Open(data []byte, lim Limits) (*File, error) {
	f := &File{Info: Info{Format: Recognise(data), Bits: 8}, data: data, src: bytes.NewReader(data), size: int64(len(data)), lim: lim}
	if f.Format == "" {
		return f, notRead
	}
	if f.size > lim.Bytes {
		return f, tooLarge(f.size, lim)
	}
	return open(f)
}

func open(f *File) (*File, error) {
	if err := f.probe(); err != nil {
		return f, err
	}
	f.plausible()
	if raster.TurningOf(f.Turn).Across() {
		f.W, f.H, f.Density[0], f.Density[1] = f.H, f.W, f.Density[1], f.Density[0]
	}
	if f.W <= 0 || f.H <= 0 {
		return f, FormatError(fmt.Sprintf("the header says %d × %d pixels", f.W, f.H))
	}
	return f, f.within(&f.Info)
}

// within refuses a picture that is larger than the limit.
func (f *File) within(in *Info) error {
	if in.W > f.lim.Pixels/in.H {
		return LimitError(fmt.Sprintf("the picture says it has %d × %d pixels; the limit is %d megapixels", in.W, in.H, f.lim.Pixels>>20))
	}
	return nil
}

func (f *File) probe() error {
	in, data := &f.Info, f.data
	switch in.Format {
	case PNG:
		h, err := png.Open(f.src, f.size)
		in.W, in.H, in.Bits, in.Components = h.W, h.H, h.Bits, h.Components
		in.Density, in.Profile, in.Gamma = h.Density, h.Profile, h.Gamma
		for _, t := range h.Text {
			if strings.HasPrefix(t, "<?xpacket") || strings.HasPrefix(t, "<x:xmpmeta") {
				in.addXMP([]byte(t))
			} else {
				in.addText(t)
			}
		}
		in.declared(&h)
		f.png = &h
		return err
	case JPEG:
		return probeJPEG(data, in)
	case TIFF:
		h, err := probeTIFF(data, in)
		f.tiff = &h
		return err
	case EXR:
		e, err := exr.Open(data)
		if err != nil {
			return err
		}
		f.exr = e
		layers := e.Layers()
		in.describe(e, layers[0])
		for _, l := range layers[1:] {
			in.Layers = append(in.Layers, l.Name)
		}
		return nil
	case HDR:
		h, err := hdr.ReadHeader(data)
		in.W, in.H, in.Bits, in.Float, in.Components = h.W, h.H, 32, true, 3
		return err
	case TGA:
		h, err := tga.ReadHeader(data)
		in.W, in.H, in.Components = h.W, h.H, h.Components
		return err
	case DDS:
		h, err := dds.ReadHeader(data)
		in.W, in.H, in.Bits, in.Float, in.Components = h.W, h.H, h.Bits, h.Float, h.Components
		return err
	case WebP:
		return probeWebP(data, in)
	}
	return probeConfig(data, in, bmp.DecodeConfig)
}

// profiled reads the colour profile of a picture in colour.
func (in *Info) profiled(icc []byte) {
	if g, plain, ok := colour.ParseICC(icc); in.Components >= 3 {
		in.means(g, plain, ok)
	}
}

// means notes what a picture's colours mean: a gamut, nothing for plain sRGB, or that it cannot be read.
func (in *Info) means(g colour.Gamut, plain, ok bool) {
	in.Gamut = nil
	in.SRGB = ok && plain
	if in.Unread = !ok; ok && !plain {
		in.Gamut = &g
	}
}

// plausible drops a resolution or gamma that is no positive finite figure, and resolutions
// that programs write by themselves.
func (in *Info) plausible() {
	for _, v := range []*float64{&in.Density[0], &in.Density[1], &in.Gamma} {
		if !(*v >= 0 && *v <= 1e12) {
			*v = 0
		}
	}
	dropDefaultDensity(in)
}

func probeConfig(data []byte, in *Info, config func(io.Reader) (image.Config, error)) error {
	c, err := config(bytes.NewReader(data))
	if err != nil {
		return FormatError(err.Error())
	}
	in.W, in.H = c.Width, c.Height
	in.Components = 3
	return nil
}

func (in *Info) describe(f *exr.File, l exr.Layer) {
	p := &f.Parts[l.Part]
	in.W, in.H, in.Density, in.Components, in.Float, in.Bits = p.W, p.H, p.Density, len(l.Channels), true, 32
	if l.Type == exr.Half {
		in.Bits = 16
	}
	if p.Primaries != [8]float64{} && in.Components >= 3 {
		in.means(colour.FromPrimaries(p.Primaries))
	}
}

// Decode reads the main picture of the file that is held in data. It has the
// components that Info says, except that an alpha which is opaque throughout is
// dropped. Samples are finite: NaN and infinities are mended from their neighbours
// and counted in Info.
func Decode(data []byte, lim Limits) (*raster.Image, Info, error) {
	return DecodeLayer(data, "", lim)
}

// DecodeLayer reads one of a file's pictures by its name, as Info.Layers gives
// it; "" is the main one.
func DecodeLayer(data []byte, layer string, lim Limits) (*raster.Image, Info, error) {
	f, err := Open(data, lim)
	if err != nil {
		return nil, f.Info, err
	}
	return f.Decode(layer)
}

// Decode reads one of the file's pictures by its name; "" is the main one.
func (f *File) Decode(layer string) (*raster.Image, Info, error) {
	in := f.Info
	im, err := f.decode(layer, &in)
	if err != nil {
		return nil, in, err
	}
	im = im.Turned(raster.TurningOf(in.Turn))
	in.W, in.H, in.Components = im.W, im.H, im.Components()
	in.NotFinite = im.MendNotFinite()
	in.plausible()
	return im, in, nil
}

func (f *File) decode(layer string, in *Info) (im *raster.Image, err error) {
	var src image.Image
	data, b := f.data, budget.New(f.lim.ctx, int(f.size), f.lim.Memory)
	switch in.Format {
	case PNG:
		return f.png.Decode(b)
	case TIFF:
		return f.tiff.Decode(b)
	case HDR:
		im, _, err = hdr.Decode(data, b)
		return im, err
	case TGA:
		im, _, err = tga.Decode(data, b)
		return im, err
	case DDS:
		im, _, err = dds.Decode(data, b)
		return im, err
	case EXR:
		return f.decodeEXR(layer, in, b)
	}
	if err := b.Picture(in.W, in.H, 1, in.perPixel(data)); err != nil {
		return nil, err
	}
	switch in.Format {
	case JPEG:
		if in.W*in.H/2048 > len(data) { // a block of 8 × 8 takes at least two bits
			return nil, tooShort(in)
		}
		src, err = jpeg.Decode(b.Reader(bytes.NewReader(data)))
	case BMP:
		if in.W*in.H/8 > len(data)*256 { // run-length coding reaches 255 pixels in two bytes
			return nil, tooShort(in)
		}
		src, err = bmp.Decode(b.Reader(bytes.NewReader(data)))
	case WebP:
		if in.W*in.H > len(data)<<14+4<<20 { // a flat lossless picture packs that far
			return nil, tooShort(in)
		}
		if src, err = webp.Decode(b.Reader(bytes.NewReader(data))); err == nil {
			src = limited(src)
		}
	}
	if err != nil {
		if cancelled := b.Err(); cancelled != nil {
			return nil, cancelled
		}
		return nil, decodeError(err)
	}
	if b := src.Bounds(); b.Dx() <= 0 || b.Dy() <= 0 {
		return nil, FormatError("the picture is empty")
	}
	return fromImage(src, *in), nil
}

// perPixel is what the libraries that read JPEG, BMP and WebP take for each pixel, and their picture in planes.
func (in *Info) perPixel(data []byte) int {
	const planes, bytes, coefficients = 3 * 2, 4, 3 * 4
	if in.Format == JPEG && progressive(data) {
		return planes + bytes + coefficients
	}
	return planes + bytes
}

// progressive says whether a JPEG is sent in several passes, of which all coefficients are kept (its frame is SOF2).
func progressive(data []byte) bool {
	for p := data[min(2, len(data)):]; len(p) >= 4 && p[0] == 0xff; {
		n := int(p[2])<<8 | int(p[3])
		switch {
		case p[1] == 0xc2:
			return true
		case p[1] == 0xc0 || p[1] == 0xc1 || p[1] == 0xda || n+2 > len(p):
			return false
		}
		p = p[n+2:]
	}
	return false
}

func tooShort(in *Info) error {
	return FormatError(fmt.Sprintf("the header says %d × %d pixels, but the file is far too short for them", in.W, in.H))
}

func (f *File) decodeEXR(layer string, in *Info, b *budget.Budget) (*raster.Image, error) {
	for i, l := range f.exr.Layers() {
		if layer != l.Name && (layer != "" || i > 0) {
			continue
		}
		in.describe(f.exr, l)
		in.Layer = layer
		if err := f.within(in); err != nil {
			return nil, err
		}
		p := &f.exr.Parts[l.Part]
		if f.exr.Converted(l) {
			if err := b.Picture(p.W, p.H, 3, 4); err != nil {
				return nil, err
			}
		}
		if len(p.Channels) == len(l.Channels) || int64(len(p.Channels))*int64(p.W)*int64(p.H)*4 > mostKept {
			return f.exr.Image(l, b)
		}
		if f.parts[l.Part] == nil {
			planes, err := f.exr.Read(l.Part, nil, b)
			if err != nil {
				return nil, err
			}
			if f.parts == nil {
				f.parts = map[int][][]float32{}
			}
			f.parts[l.Part] = planes
		}
		return f.exr.Of(l, f.parts[l.Part]), nil
	}
	return nil, FormatError(fmt.Sprintf("there is no layer %q in it", layer))
}

// decodeError sorts the decoders' errors into the package's own.
func decodeError(err error) error {
	if err == jpeg.UnsupportedError("precision") {
		return UnsupportedError("it is JPEG with more than 8 bits a sample, which is not read: save it as PNG or TIFF with 16 bits")
	}
	if _, ok := err.(jpeg.UnsupportedError); ok || err == bmp.ErrUnsupported {
		return UnsupportedError(err.Error())
	}
	if err == io.EOF || err == io.ErrUnexpectedEOF {
		return fault.Short
	}
	return FormatError(err.Error())
}

// PNGOptions says what is written beside the pixels of a PNG.
type PNGOptions = png.Options

// EncodePNG writes an integer picture of 1 to 4 components as PNG, with 8 or 16
// bits a sample after im.Bits.
func EncodePNG(w io.Writer, im *raster.Image, o PNGOptions) error { return png.Encode(w, im, o) }

// EncodeJPEG writes an integer picture of 1 or 3 components with 8 bits, at a
// quality of 1 to 100.
func EncodeJPEG(w io.Writer, im *raster.Image, quality int) error {
	return jpeg.Encode(w, toImage(im), &jpeg.Options{Quality: quality})
}
