// Package tiff reads and writes TIFF 6.0 (1992, with Technical Notes 1 and 3): 1 to
// 16-bit integers and 16 and 32-bit floats, grey, colour, palette and CMYK, with
// or without alpha, uncompressed or by LZW, Deflate, PackBits, Zstandard or JPEG (Technical Note 2, 8 bits), in strips
// or tiles, in chunks of pixels or of planes, in either byte order; and BigTIFF. Signed
// samples are moved up by half their range.
//
// Only the first picture of a file is read. It leaves out fax compression, JPEG as TIFF 6.0 had it and YCbCr
// without JPEG, and says so.
package tiff

import (
	"encoding/binary"
	"fmt"
	"math"

	"aldermoor/core/codec/budget"
	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"
)

// Header is what the first image file directory says.
type Header struct {
	W, H       int
	Bits       int // bits a sample, 32 for any float
	Components int
	Float      bool
	Density    [2]float64 // pixels a metre, or 0
	ICC        []byte     // embedded profile, or nil
	Turn       int        // how the picture is to be turned, as Exif counts it: 1..8, or 0
	Text       []byte     // the description of the image, or nil
	XMP        []byte     // the XMP packet, or nil
	IPTC       []byte     // IPTC-IIM data, or nil

	tables                          []byte // of JPEG, for all strips
	data                            []byte
	order                           binary.ByteOrder
	big                             bool // BigTIFF: counts and offsets of 64 bits
	signed                          bool // samples are signed: they are moved up by half their range
	photometric, compression        int
	stored, samples                 int // bits and samples a pixel as stored
	predictor, fillOrder            int
	planar, tiled, premultiplied    bool
	tileW, tileH                    int
	offsets, counts, colours, kinds []uint64
}

// The tags that matter here.
const (
	tagWidth, tagHeight, tagBits       = 256, 257, 258
	tagCompression, tagPhotometric     = 259, 262
	tagFillOrder, tagOffsets, tagTurn  = 266, 273, 274
	tagSamples, tagRows, tagCounts     = 277, 278, 279
	tagXRes, tagYRes, tagPlanar        = 282, 283, 284
	tagUnit, tagPredictor              = 296, 317
	tagColours, tagTileW, tagTileH     = 320, 322, 323
	tagTileOffsets, tagTileCounts      = 324, 325
	tagExtra, tagFormat, tagICC        = 338, 339, 34675
	tagText, tagXMP, tagIPTC           = 270, 700, 33723
	tagTables                          = 347
	whiteIsZero, blackIsZero, colour   = 0, 1, 2
	palette, cmyk, yCbCr               = 3, 5, 6
	none, lzw, deflate, packBits, oldZ = 1, 5, 8, 32773, 32946
	oldJPEG, inJPEG, zStandard         = 6, 7, 50000
)

// sizes are the bytes of a value by its type.
var sizes = map[uint16]uint64{1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4, 16: 8, 17: 8, 18: 8} // 16 to 18 of BigTIFF

// ReadHeader reads the first directory of a TIFF file, or of the TIFF structure
// in an Exif segment (then the picture's size may be missing).
func ReadHeader(data []byte) (Header, error) {
	data = data[:len(data):len(data)] // what place counts on
	h := Header{data: data, compression: none, samples: 1, predictor: 1, fillOrder: 1, stored: 1}
	if len(data) < 8 {
		return h, fault.Short
	}
	switch string(data[:2]) {
	case "II":
		h.order = binary.LittleEndian
	case "MM":
		h.order = binary.BigEndian
	default:
		return h, fault.FormatError("this is not a TIFF file")
	}
	switch h.order.Uint16(data[2:]) {
	case 42:
	case 43:
		h.big = true
	default:
		return h, fault.FormatError("this is not a TIFF file")
	}
	// Where the directory begins, the bytes of its count and of an entry.
	at, head, each := uint64(h.order.Uint32(data[4:])), uint64(2), uint64(12)
	if h.big {
		if len(data) < 16 || h.order.Uint16(data[4:]) != 8 {
			return h, fault.FormatError("this is not a BigTIFF file with offsets of 8 bytes")
		}
		at, head, each = h.order.Uint64(data[8:]), 8, 20
	}
	if at > uint64(len(data)) || at+head > uint64(len(data)) {
		return h, fault.Short
	}
	n := uint64(h.order.Uint16(data[at:]))
	if h.big {
		n = h.order.Uint64(data[at:])
	}
	if n > uint64(len(data))/each || at+head+each*n > uint64(len(data)) {
		return h, fault.Short
	}
	d := directory{unit: 1 / 0.0254, seen: map[uint16]bool{}}
	for i := range n {
		if err := h.entry(data[at+head+each*i:][:each], &d); err != nil {
			return h, err
		}
	}
	h.complete(d)
	return h, nil
}

// directory is what a directory's entries say beside what the header keeps.
type directory struct {
	perUnit [2]float64
	unit    float64 // units of the resolution in a metre
	rows    uint64  // of a strip
	extra   []uint64
	seen    map[uint16]bool // tags; one that comes twice would read its values twice
}

// entry reads one entry of a directory. Unknown tags are skipped.
func (h *Header) entry(e []byte, d *directory) error {
	tag := h.order.Uint16(e)
	if d.seen[tag] {
		return nil // the first one counts
	}
	d.seen[tag] = true
	switch tag {
	case tagXRes, tagYRes:
		where, ok := h.place(e, 8)
		if !ok {
			return fault.Short
		}
		if den := h.order.Uint32(h.data[where+4:]); den > 0 {
			d.perUnit[tag-tagXRes] = float64(h.order.Uint32(h.data[where:])) / float64(den)
		}
		return nil
	case tagWidth, tagHeight, tagBits, tagCompression, tagPhotometric, tagFillOrder, tagOffsets, tagTurn, tagSamples, tagRows, tagCounts, tagPlanar, tagUnit,
		tagPredictor, tagColours, tagTileW, tagTileH, tagTileOffsets, tagTileCounts, tagExtra, tagFormat, tagICC:
	case tagTables:
		k := h.count(e)
		if where, ok := h.place(e, k); ok && k > 4 {
			h.tables = h.data[where : where+k]
		}
		return nil
	case tagText, tagXMP, tagIPTC:
		k := h.count(e) * max(sizes[h.order.Uint16(e[2:])], 1) // IPTC is written as bytes or as longs
		if where, ok := h.place(e, k); ok && k > 4 {
			text := h.data[where : where+k]
			switch tag {
			case tagText:
				h.Text = text
			case tagXMP:
				h.XMP = text
			default:
				h.IPTC = text
			}
		}
		return nil
	default:
		return nil
	}
	v, err := h.values(e)
	if err != nil {
		return err
	}
	if len(v) == 0 {
		return nil
	}
	first := int(min(v[0], math.MaxInt32))
	switch tag {
	case tagWidth:
		h.W = first
	case tagHeight:
		h.H = first
	case tagBits:
		h.stored = first
		for _, b := range v {
			if b != v[0] {
				return fault.UnsupportedError("its components have different depths")
			}
		}
	case tagCompression:
		h.compression = first
	case tagPhotometric:
		h.photometric = first
	case tagFillOrder:
		h.fillOrder = first
	case tagTurn:
		if first >= 1 && first <= 8 {
			h.Turn = first
		}
	case tagSamples:
		h.samples = first
	case tagRows:
		d.rows = v[0]
	case tagPlanar:
		h.planar = first == 2
	case tagUnit:
		d.unit = map[int]float64{2: 1 / 0.0254, 3: 100}[first]
	case tagPredictor:
		h.predictor = first
	case tagColours:
		h.colours = v
	case tagTileW:
		h.tileW, h.tiled = first, true
	case tagTileH:
		h.tileH = first
	case tagOffsets, tagTileOffsets:
		h.offsets = v
	case tagCounts, tagTileCounts:
		h.counts = v
	case tagExtra:
		d.extra = v
	case tagFormat:
		h.kinds = v
	case tagICC:
		k := h.count(e)
		if where, ok := h.place(e, k); ok {
			h.ICC = h.data[where : where+k]
		}
	}
	return nil
}

// complete works out what follows from all entries.
func (h *Header) complete(d directory) {
	h.Density = [2]float64{d.perUnit[0] * d.unit, d.perUnit[1] * d.unit}
	if !h.tiled {
		h.tileW, h.tileH = h.W, h.H
		if d.rows > 0 && d.rows < uint64(h.H) {
			h.tileH = int(d.rows)
		}
	}
	h.premultiplied = len(d.extra) > 0 && d.extra[0] == 1
	h.Bits = h.stored
	for _, k := range h.kinds {
		if k == 3 {
			h.Float, h.Bits = true, 32
		}
	}
	h.Components = h.samples
	switch h.photometric {
	case palette:
		h.Components, h.Bits = 3, 8
	case cmyk:
		h.Components = 3
	}
	if h.compression == inJPEG {
		h.Bits = 8
	}
}

// count is how many values an entry has.
func (h *Header) count(e []byte) uint64 {
	if h.big {
		return h.order.Uint64(e[4:])
	}
	return uint64(h.order.Uint32(e[4:]))
}

// place is where the n bytes of an entry lie that do not fit into it; ok is false if the file ends before them.
func (h *Header) place(e []byte, n uint64) (where uint64, ok bool) {
	if h.big && n <= 8 { // within the entry, which lies in the file, too
		return uint64(len(h.data) - cap(e) + 12), true
	}
	where = uint64(h.order.Uint32(e[8:]))
	if h.big {
		where = h.order.Uint64(e[12:])
	}
	size := uint64(len(h.data))
	return where, where <= size && n <= size-where
}

// values are an entry's whole numbers.
func (h *Header) values(e []byte) ([]uint64, error) {
	kind, count := h.order.Uint16(e[2:]), h.count(e)
	size := sizes[kind]
	if size == 0 || size == 8 && kind < 16 {
		return nil, nil
	}
	if count > uint64(len(h.data))/size {
		return nil, fault.Short
	}
	p := e[8:]
	if h.big {
		p = e[12:]
	}
	if count*size > uint64(len(p)) {
		where, ok := h.place(e, count*size)
		if !ok {
			return nil, fault.Short
		}
		p = h.data[where : where+count*size]
	}
	if kind == 7 { // opaque bytes: read in place where they are needed
		return []uint64{1}, nil
	}
	v := make([]uint64, count)
	for i := range v {
		switch size {
		case 1:
			v[i] = uint64(p[i])
		case 2:
			v[i] = uint64(h.order.Uint16(p[2*i:]))
		case 4:
			v[i] = uint64(h.order.Uint32(p[4*i:]))
		case 8:
			v[i] = h.order.Uint64(p[8*i:])
		}
	}
	return v, nil
}

// check refuses what is not read, before memory is taken.
func (h *Header) check() error {
	switch {
	case h.W <= 0 || h.H <= 0 || h.W > 1<<20 || h.H > 1<<20 || h.tileW <= 0 || h.tileH <= 0 || h.tileW > 1<<20 || h.tileH > 1<<20:
		return fault.FormatError(fmt.Sprintf("the header says %d × %d pixels", h.W, h.H))
	case h.samples < 1 || h.samples > 64:
		return fault.FormatError(fmt.Sprintf("the header says %d components", h.samples))
	case h.Float && h.stored != 16 && h.stored != 32:
		return fault.UnsupportedError(fmt.Sprintf("TIFF with %d-bit floating-point samples is not read: use 32 bits", h.stored))
	case !h.Float && h.stored != 1 && h.stored != 2 && h.stored != 4 && h.stored != 8 && h.stored != 16 && h.stored != 32:
		return fault.UnsupportedError(fmt.Sprintf("TIFF with %d bits a sample is not read: use 8 or 16", h.stored))
	case h.compression == inJPEG && (h.stored != 8 || h.predictor != 1 || h.photometric == palette || h.photometric == cmyk || h.samples != 1 && h.samples != 3 || len(h.kinds) > 0 && h.kinds[0] > 1):
		return fault.UnsupportedError("its JPEG pixels are of a kind that is not read: save it with LZW or without compression")
	case h.photometric > palette && h.photometric != cmyk && !(h.photometric == yCbCr && h.compression == inJPEG && h.samples == 3):
		return fault.UnsupportedError("its colours are coded in a way that is not read here (YCbCr, Lab or a mask): save it as RGB")
	case h.photometric == palette && (h.samples != 1 || len(h.colours) != 3<<h.stored || h.stored > 8):
		return fault.FormatError("its palette does not fit its pixels")
	case h.photometric == colour && h.samples < 3, h.photometric == cmyk && h.samples < 4:
		return fault.FormatError("it has fewer components than its kind of colour needs")
	}
	for _, k := range h.kinds {
		if h.signed = k == 2 && !h.Float; h.signed && h.stored < 8 {
			return fault.UnsupportedError("its samples are signed, of less than 8 bits: save it with unsigned ones")
		}
		if k > 4 {
			return fault.UnsupportedError("its samples are complex numbers")
		}
	}
	switch h.compression {
	case none, lzw, deflate, packBits, oldZ, inJPEG, zStandard:
	case oldJPEG:
		return fault.UnsupportedError("TIFF with JPEG as of 1992 inside is not read: save it with LZW or without compression")
	default:
		return fault.UnsupportedError(fmt.Sprintf("TIFF compression %d is not read: use LZW, Deflate or none", h.compression))
	}
	across, down := (h.W+h.tileW-1)/h.tileW, (h.H+h.tileH-1)/h.tileH
	want := across * down
	if h.planar {
		want *= h.samples
	}
	if len(h.offsets) < want || len(h.counts) < want && !(want == 1 && h.compression == none) {
		return fault.FormatError("the list of its strips is too short for its size")
	}
	// A tile may reach beyond a small picture, but not by more than makes sense.
	if h.tiled && uint64(h.tileW)*uint64(h.tileH) > 4*uint64(h.W)*uint64(h.H)+1<<20 {
		return fault.FormatError(fmt.Sprintf("its tiles of %d × %d pixels are far larger than its picture", h.tileW, h.tileH))
	}
	// What is stored bounds what can be there.
	var have uint64
	for i := range min(len(h.counts), want) {
		have += min(h.counts[i], uint64(len(h.data)))
	}
	if len(h.counts) == 0 {
		have = uint64(len(h.data))
	}
	if uint64(h.W)*uint64(h.H)*uint64(h.samples)*uint64(h.stored)/8/h.most() > have+4096 {
		return fault.FormatError(fmt.Sprintf("the header says %d × %d pixels, but the file is far too short for them", h.W, h.H))
	}
	return nil
}

// most is how many bytes one stored byte can unpack to: LZW and Deflate stay under
// 1032:1, PackBits under 64:1, Zstandard's runs of a block under 1 << 15.
func (h *Header) most() uint64 {
	switch h.compression {
	case none:
		return 1
	case zStandard:
		return 1 << 16
	}
	return 1400
}

// Decode reads the first picture. An alpha that is opaque throughout is dropped;
// components beyond four are left out.
func Decode(data []byte) (*raster.Image, Header, error) {
	h, err := ReadHeader(data)
	if err != nil {
		return nil, h, err
	}
	im, err := h.Decode(nil)
	return im, h, err
}

// Decode reads the picture of the file that the header was read from, and sets its
// components to what they have.
func (h *Header) Decode(b *budget.Budget) (*raster.Image, error) {
	if err := h.check(); err != nil {
		return nil, err
	}
	im, err := h.decode(b)
	if err == nil {
		h.Components = im.Components()
	}
	return im, err
}
