package shade

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"io"
	"math"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/material"
	"aldermoor/core/raster"
)

// PackVersion changes whenever Pack writes other bytes for the same surface, or the renderer makes
// another picture of it.
const PackVersion = 3

// packed is the head of a pack.
type packed struct {
	W        int                `json:"w"`
	H        int                `json:"h"`
	Levels   int                `json:"levels"`
	Layers   []string           `json:"layers"`   // of each level, in order
	Size     [2]float64         `json:"size"`     // metres of one repeat
	Top      float32            `json:"top"`      // metres: what a stored height of 1 means
	Bottom   float32            `json:"bottom"`   // and of 0
	Glow     float32            `json:"glow"`     // factor on stored emission
	Emission geom.V3            `json:"emission"` // cd/m² where the map is white; zero where it has no unit
	Has      []material.Channel `json:"has"`
	Figures  material.Figures   `json:"figures"`
}

// Pack writes the surface as graphics hardware takes it: the length of a head as 4 bytes (little
// endian), the head as JSON, then for each level, largest first, its layers of RGBA with 8 bits:
//
//	color   base colour in sRGB; opacity
//	normal  x and y of the normal (Y+), each as 16 bits, high byte first, −1..1
//	data    roughness, metallic, occlusion
//	height  16 bits, high byte first, Bottom..Top
//
// and, where the material has such channels:
//
//	glow    emission over Glow, as its square root; transmission
//	spec    specular in sRGB; coat
//	sheen   sheen in sRGB; anisotropy
//
// Roughness has the spread of the normals that a level lost.
func (s *Surface) Pack(w io.Writer) error {
	head := packed{W: s.level[0].w, H: s.level[0].h, Levels: len(s.level), Layers: []string{"color", "normal", "data", "height"},
		Size: [2]float64{s.size.W, s.size.H}, Top: s.top, Bottom: s.bottom, Glow: 1, Emission: s.glow, Figures: s.figures}
	if s.level[0].more != nil {
		head.Layers = append(head.Layers, "glow", "spec", "sheen")
		for i := range s.level[0].more {
			e := s.level[0].more[i].emission
			head.Glow = max(head.Glow, e.X, e.Y, e.Z)
		}
	}
	for _, c := range material.All() {
		if s.has[c] {
			head.Has = append(head.Has, c)
		}
	}
	data, err := json.Marshal(head)
	if err != nil {
		return err
	}
	out := bufio.NewWriterSize(w, 1<<20)
	var size [4]byte
	binary.LittleEndian.PutUint32(size[:], uint32(len(data)))
	out.Write(size[:])
	out.Write(data)
	tables := sharedTables()
	for i := range s.level {
		l := &s.level[i]
		for _, layer := range head.Layers {
			out.Write(l.pack(layer, &head, tables))
		}
	}
	return out.Flush()
}

func (l *level) pack(layer string, head *packed, tables *colour.Tables) []byte {
	out := make([]byte, 4*l.w*l.h)
	byteOf := func(v float32) byte { return byte(min(max(v, 0), 1)*255 + 0.5) }
	code := func(v float32) byte { return byteOf(tables.Encode(min(max(v, 0), 1))) }
	two := func(to []byte, v float32) {
		n := uint16(min(max(v, 0), 1)*65535 + 0.5)
		to[0], to[1] = byte(n>>8), byte(n)
	}
	depth := max(head.Top-head.Bottom, 1e-9)
	raster.Rows(l.h, func(y0, y1 int) {
		for i := y0 * l.w; i < y1*l.w; i++ {
			o, t := out[4*i:4*i+4], &l.texel[i]
			switch layer {
			case "color":
				o[0], o[1], o[2], o[3] = code(t.color.X), code(t.color.Y), code(t.color.Z), byteOf(t.opacity)
			case "normal":
				two(o, t.x*0.5+0.5)
				two(o[2:], t.y*0.5+0.5)
			case "data":
				o[0], o[1], o[2], o[3] = byteOf(t.rough), byteOf(t.metal), byteOf(t.occ), 255
			case "height":
				if row := l.height.row(i / l.w); row != nil {
					two(o, (row[i%l.w]-head.Bottom)/depth)
				} else {
					two(o, -head.Bottom/depth)
				}
			case "glow":
				m := &l.more[i]
				for k, v := range m.emission.Array() {
					o[k] = byteOf(float32(math.Sqrt(float64(max(v, 0) / head.Glow))))
				}
				o[3] = byteOf(m.transmission)
			case "spec":
				m := &l.more[i]
				o[0], o[1], o[2], o[3] = code(m.specular.X), code(m.specular.Y), code(m.specular.Z), byteOf(m.coat)
			case "sheen":
				m := &l.more[i]
				o[0], o[1], o[2], o[3] = code(m.sheen.X), code(m.sheen.Y), code(m.sheen.Z), byteOf(m.anisotropy)
			}
		}
	})
	return out
}
