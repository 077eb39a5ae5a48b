// Package material says what a surface looks like: where each channel's values come from, a
// map or a constant; the figures that change them; its size, depth, zero level and workflow.
//
// It is the one description that the renderer, the treatments and the handoffs work from.
// Resolve lays what a variant states over what its parent has. Decode reads all channels as
// what they mean: linear light, metres, unit normals. It keeps no files: an Opener gives the
// pictures.
package material

import (
	"fmt"
	"slices"

	"aldermoor/core/colour"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/scale"
)

// Material is what a surface looks like.
type Material struct {
	Sources []Source   // at most one a channel
	Figures Figures    // New has those that change nothing
	Size    scale.Size // of one repeat; zero if unknown
	Depth   float64    // metres between 0 and 1 of the height; 0 if unknown
	Zero    float64    // the stored height that means no displacement
}

// New is a material of nothing but a size, with neutral figures.
func New(size scale.Size) Material { return Material{Size: size, Figures: Neutral()} }

// What stands in for a channel that nothing is known of, in pictures and in descriptions alike.
const (
	UnknownColor     = 0.5 // grey, in linear light
	UnknownRoughness = 0.6
)

// Source says where a channel's values come from.
type Source struct {
	Channel Channel
	Map     *Map       // nil: Value holds everywhere
	Value   [3]float64 // linear light for colour; else the first counts, as it would be stored
}

// Constant is a channel with one value everywhere: linear light in red, green and blue for
// colour, else one figure.
func Constant(c Channel, value ...float64) Source {
	s := Source{Channel: c}
	for i := range s.Value {
		s.Value[i] = value[min(i, len(value)-1)]
	}
	return s
}

// Map is a picture that holds a channel.
type Map struct {
	File      string // the name that it came under
	Blob      string // its address, for an Opener
	Layer     string // which picture of a file that holds several
	Component string // rgb, or the one that holds the channel: r, g, b or a
	Width     int
	Height    int
	Bits      int
	Float     bool       // samples are floats: colour is linear light already
	Span      [2]float64 // of a float map, or one made of it: the values that its 0 and 1 stand for, of heights and of light above 1; both 0 where raster's Unit decides
	Direction normals.Direction
	Gamut     *colour.Gamut `json:",omitempty"` // what colours mean that are not sRGB's
	Curve     bool          // normals that were saved with the sRGB curve
	Swapped   bool          // normals with x in the second component and y in the first
	Turn      int           `json:",omitempty"` // of normals whose file had its pixels turned, how (Exif's 2..8): their vectors turn with them
	Ratio     float64       // compressed over raw bytes; 0 if unknown
	UDIM      string
	Tiles     []Tile // of a map in UDIM tiles: all of them
}

// Unit is the map's picture with its samples in 0..1: by its Span, or as raster's Unit has it;
// of normals without the curve that they were saved with, x before y, and turned as their pixels were.
func (m *Map) Unit(im *raster.Image) *raster.Image {
	if m.Span[1] > m.Span[0] && im.Float() {
		return im.Span(float32(m.Span[0]), float32(m.Span[1]))
	}
	out, _, _ := im.Unit()
	if m.AsStored() || out.Components() < 2 {
		return out
	}
	out = &raster.Image{W: out.W, H: out.H, Bits: out.Bits, Planes: slices.Clone(out.Planes)}
	if m.Swapped {
		out.Planes[0], out.Planes[1] = out.Planes[1], out.Planes[0]
	}
	if m.Curve {
		linear, _ := colour.Curves()
		for c := range min(3, len(out.Planes)) {
			out.Planes[c] = raster.Floats(filter.Map(out.Plane(c), linear).Pix)
		}
	}
	if m.Turn != 0 {
		normals.Turn(out, raster.TurningOf(m.Turn), m.Direction)
	}
	return out
}

// AsStored says whether the vectors of a normal map are what its samples say, but for their direction.
func (m *Map) AsStored() bool { return !m.Curve && !m.Swapped && m.Turn == 0 }

// Reading names how the vectors of a normal map are read, for pictures that are kept.
func (m *Map) Reading() string {
	name := fmt.Sprintf("%v-%v", m.Curve, m.Swapped)
	if m.Turn != 0 {
		name += fmt.Sprintf("-%d%s", m.Turn, m.Direction)
	}
	return name
}

// Picture is the map's picture as a channel has it: Unit, and colours in sRGB. Vectors and heights keep the range
// that occurs; what of colours and data lies outside of 0..1 is cut off, but for light above white by its Span.
func (m *Map) Picture(c Channel, im *raster.Image) *raster.Image {
	if c.Colour() && m.Gamut != nil {
		im = m.Gamut.Convert(im, m.Float)
	}
	if im.Float() && c != Normal && c != Height && m.Span[1] <= m.Span[0] { // colours and shares do not go beyond 0..1
		return im.Span(0, 1)
	}
	return m.Unit(im)
}

// Tile is one UDIM tile of a map: its number from 1001 on, its name and its address.
type Tile struct{ UDIM, File, Blob string }

// Opener gives the picture of a map, or of the tile of it that udim names ("" for the map's
// own). n > 0 says that a copy with a longer side of n pixels is enough. It returns nil
// without an error where there is no such picture.
type Opener func(m *Map, udim string, n int) (*raster.Image, error)

// Address is what the tile udim is opened by ("" for the map's own); a map without tiles
// has one for all. It is empty for a tile that the map lacks.
func (m *Map) Address(udim string) string {
	if udim == "" || len(m.Tiles) == 0 {
		return m.Blob
	}
	for _, t := range m.Tiles {
		if t.UDIM == udim {
			return t.Blob
		}
	}
	return ""
}

// HasTile says whether there is a picture for the tile udim.
func (m *Map) HasTile(udim string) bool { return m.Address(udim) != "" }

// Source is where a channel comes from; nil if the material has none.
func (m *Material) Source(c Channel) *Source {
	for i := range m.Sources {
		if m.Sources[i].Channel == c {
			return &m.Sources[i]
		}
	}
	return nil
}

// Map is a channel's map; nil if it has none.
func (m *Material) Map(c Channel) *Map {
	if s := m.Source(c); s != nil {
		return s.Map
	}
	return nil
}

// Mapped are the channels that have maps, in the order of the sources.
func (m *Material) Mapped() (list []Channel) {
	for _, s := range m.Sources {
		if s.Map != nil {
			list = append(list, s.Channel)
		}
	}
	return list
}

// Pixels is the size of the map with the most pixels; zero without maps.
func (m *Material) Pixels() (w, h int) {
	for _, s := range m.Sources {
		if p := s.Map; p != nil && p.Width*p.Height > w*h {
			w, h = p.Width, p.Height
		}
	}
	return w, h
}

// Extent is the size of one repeat; where that is unknown, one metre across in the
// proportion of the largest map.
func (m *Material) Extent() scale.Size {
	if m.Size.Known() {
		return m.Size
	}
	w, h := m.Pixels()
	if w == 0 {
		return scale.Size{W: 1, H: 1}
	}
	return scale.Size{W: 1, H: float64(h) / float64(w)}
}

// Workflow is metal_rough, spec_gloss or plain (a surface without maps).
func (m *Material) Workflow() string {
	switch {
	case m.Source(Specular) != nil && m.Source(Glossiness) != nil && m.Source(Metallic) == nil:
		return "spec_gloss"
	case len(m.Mapped()) > 0:
		return "metal_rough"
	}
	return "plain"
}

// Put sets a channel's source in a list of the material's own.
func (m *Material) Put(s Source) {
	list := slices.Clone(m.Sources)
	if i := slices.IndexFunc(list, func(o Source) bool { return o.Channel == s.Channel }); i >= 0 {
		list[i] = s
	} else {
		list = append(list, s)
	}
	m.Sources = list
}
