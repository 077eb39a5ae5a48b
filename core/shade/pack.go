package shade

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"io"
	"math"
	"strings"

	"aldermoor/core/geom"
	"aldermoor/core/material"
	"aldermoor/core/raster"
)

// PackVersion changes whenever Pack writes other bytes for the same maps.
const PackVersion = 5

// PictureVersion changes whenever the renderer makes another picture of the same surface.
const PictureVersion = 5

// Look is what shading a pack needs beside its maps: the figures, and what has no map. It changes without a new pack.
type Look struct {
	Size    [2]float64                      `json:"size"`   // metres of one repeat
	Depth   float64                         `json:"depth"`  // metres between a stored height of 0 and 1; 0 if unknown
	Zero    float64                         `json:"zero"`   // the stored height that means no displacement
	Values  map[material.Channel][3]float64 `json:"values"` // of channels without a map, before the figures: linear light, or as stored
	Figures material.Figures                `json:"figures"`
}

// LookOf is what a pack of the material's maps is shaded with.
func LookOf(m *material.Material) Look {
	size := m.Extent()
	out := Look{Size: [2]float64{size.W, size.H}, Depth: m.Depth, Zero: m.Zero, Values: map[material.Channel][3]float64{}, Figures: m.Figures}
	for _, s := range m.Sources {
		if s.Map == nil {
			out.Values[s.Channel] = s.Value
		}
	}
	return out
}

// MapsOf is the material with nothing but its maps: neutral figures, no values, zero at a stored height of 0. Its
// surface is what Pack takes.
func MapsOf(m material.Material) material.Material {
	maps := material.New(m.Size)
	maps.Depth = m.Depth
	for _, s := range m.Sources {
		if s.Map != nil {
			maps.Sources = append(maps.Sources, s)
		}
	}
	return maps
}

// packed is the head of a pack.
type packed struct {
	W       int                `json:"w"`
	H       int                `json:"h"`
	Levels  int                `json:"levels"`
	Layers  []layer            `json:"layers"`  // of each level, in order
	Maps    []material.Channel `json:"maps"`    // channels that the layers hold
	Heights [2]float64         `json:"heights"` // stored heights that 0 and 1 of the layer mean
	Glow    float32            `json:"glow"`    // factor on stored emission
	Slopes  *slopes            `json:"slopes"`  // of normals that come from the heights
}

// slopes are the size and the depth in metres that normals were worked out for from heights.
type slopes struct {
	Size  [2]float64 `json:"size"`
	Depth float64    `json:"depth"`
}

// layer is a texture of four components, of which the stored ones are written.
type layer struct {
	Name   string `json:"name"`
	Stored string `json:"stored"` // "rgba" or some of it
	Plain  string `json:"plain"`  // those that are stored as they are, without differences: low bytes are nothing but noise
}

// Pack writes the surface of MapsOf a material with the given depth as graphics hardware takes it: the length of a head
// as 4 bytes (little endian), the head as JSON, then for each level, largest first, its layers, and of each the stored
// components one after the other, 8 bits a sample. Except for low bytes, a sample is written as its difference (modulo
// 256) to the mean of the one before it and the one above it, rounded down; beyond the edge those are 0. The layers
// are, where the material has maps for them:
//
//	color   base colour in sRGB; opacity
//	normal  x and y of the normal (Y+), −1..1, each as 16 bits, high byte first, of which the first 10 are used
//	data    roughness, metallic, occlusion; the roughness of a mirror whose normals spread as this texel's
//	height  16 bits, high byte first, of which the first 12 are used, of the range in Heights
//	glow    emission over Glow, as its square root; transmission
//	spec    specular in sRGB; coat
//	sheen   sheen in sRGB; anisotropy
//
// The figures of a Look are applied by the shaders, in the order of material.Decode.
func (s *Surface) Pack(w io.Writer, depth float64) error {
	head := packed{W: s.level[0].w, H: s.level[0].h, Levels: len(s.level), Layers: []layer{}, Maps: []material.Channel{}, Glow: 1}
	if depth > 0 {
		head.Heights = [2]float64{float64(s.bottom) / depth, float64(s.top) / depth}
	}
	for _, c := range material.All() {
		if s.has[c] {
			head.Maps = append(head.Maps, c)
		}
	}
	normals := s.has[material.Normal] || s.has[material.Height]
	if s.has[material.Height] && !s.has[material.Normal] {
		head.Slopes = &slopes{[2]float64{s.size.W, s.size.H}, depth}
	}
	for i := range s.level[0].more {
		e := s.level[0].more[i].emission
		head.Glow = max(head.Glow, e.X, e.Y, e.Z)
	}
	head.layer("color", [4]bool{s.has[material.BaseColor], s.has[material.BaseColor], s.has[material.BaseColor], s.has[material.Opacity]})
	head.layer("normal", [4]bool{normals, normals, normals, normals})
	head.layer("data", [4]bool{s.has[material.Roughness], s.has[material.Metallic], s.has[material.Occlusion], normals})
	head.layer("height", [4]bool{s.has[material.Height], s.has[material.Height], false, false})
	e := s.has[material.Emissive]
	head.layer("glow", [4]bool{e, e, e, s.has[material.Transmission]})
	e = s.has[material.Specular]
	head.layer("spec", [4]bool{e, e, e, s.has[material.Coat]})
	e = s.has[material.Sheen]
	head.layer("sheen", [4]bool{e, e, e, s.has[material.Anisotropy]})
	if len(head.Layers) == 0 {
		head.Levels = 0
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
	for i := range head.Levels {
		l := &s.level[i]
		for _, layer := range head.Layers {
			for c, plane := range s.pack(l, layer.Name, &head) {
				switch name := "rgba"[c : c+1]; {
				case strings.Contains(layer.Plain, name):
					out.Write(plane)
				case strings.Contains(layer.Stored, name):
					out.Write(differences(plane, l.w))
				}
			}
		}
	}
	return out.Flush()
}

// layer adds a layer of the components that there are; none without any.
func (p *packed) layer(name string, has [4]bool) {
	l := layer{Name: name}
	for c, yes := range has {
		if yes {
			l.Stored += "rgba"[c : c+1]
		}
	}
	switch name {
	case "normal":
		l.Plain = "ga"
	case "height":
		l.Plain = "g"
	}
	if l.Stored != "" {
		p.Layers = append(p.Layers, l)
	}
}

// pack gives the four components of a layer.
func (s *Surface) pack(l *level, layer string, head *packed) (out [4][]byte) {
	for c := range out {
		out[c] = make([]byte, l.w*l.h)
	}
	tables := sharedTables()
	byteOf := func(v float32) byte { return byte(min(max(v, 0), 1)*255 + 0.5) }
	code := func(v float32) byte { return byteOf(tables.Encode(min(max(v, 0), 1))) }
	bits := map[string]int{"normal": 10, "height": 12}[layer]
	two := func(c, i int, v float32) {
		n := coarse(min(max(v, 0), 1), bits)
		out[c][i], out[c+1][i] = byte(n>>8), byte(n)
	}
	colour := func(i int, v geom.V3, rest float32) {
		out[0][i], out[1][i], out[2][i], out[3][i] = code(v.X), code(v.Y), code(v.Z), byteOf(rest)
	}
	depth := max(s.top-s.bottom, 1e-9)
	raster.Rows(l.h, func(y0, y1 int) {
		for i := y0 * l.w; i < y1*l.w; i++ {
			t := &l.texel[i]
			switch layer {
			case "color":
				colour(i, t.color, t.opacity)
			case "normal":
				two(0, i, t.x*0.5+0.5)
				two(2, i, t.y*0.5+0.5)
			case "data":
				out[0][i], out[1][i], out[2][i] = byteOf(t.rough), byteOf(t.metal), byteOf(t.occ)
				out[3][i] = byteOf(sqrt(sqrt(t.spread)))
			case "height":
				if row := l.height.row(i / l.w); row != nil {
					two(0, i, (row[i%l.w]-s.bottom)/depth)
				}
			case "glow":
				m := &l.more[i]
				for k, v := range m.emission.Array() {
					out[k][i] = byteOf(float32(math.Sqrt(float64(max(v, 0) / head.Glow))))
				}
				out[3][i] = byteOf(m.transmission)
			case "spec":
				m := &l.more[i]
				colour(i, m.specular, m.coat)
			case "sheen":
				m := &l.more[i]
				colour(i, m.sheen, m.anisotropy)
			}
		}
	})
	return out
}

// coarse is 0..1 as 16 bits of which only the first so many are used.
func coarse(v float32, bits int) uint16 {
	step := uint32(1) << (16 - bits)
	return uint16((min(uint32(v*65535+0.5), 65535-step/2) + step/2) &^ (step - 1))
}

// differences are the samples of a plane of width w as their difference to the mean of their neighbours to the left
// and above: what lies smooth becomes small and packs well.
func differences(plane []byte, w int) []byte {
	out := make([]byte, len(plane))
	for i, v := range plane {
		left, above := 0, 0
		if i%w > 0 {
			left = int(plane[i-1])
		}
		if i >= w {
			above = int(plane[i-w])
		}
		out[i] = v - byte((left+above)/2)
	}
	return out
}
