package inspect

import (
	"aldermoor/core/channels"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
)

// Surface is what the set looks like by what was found out about it. look gives what was seen of a
// file's picture; maps are addressed by channels.Address.
func (s *Set) Surface(look func(file, layer string) *channels.Look) material.Material {
	m := material.New(scale.Size{})
	if s.Size.Width != nil && s.Size.Height != nil {
		m.Size = scale.Size{W: *s.Size.Width, H: *s.Size.Height}
	}
	if s.Depth != nil {
		m.Depth = s.Depth.Value
	}
	for _, p := range s.Maps {
		k := &material.Map{File: p.File, Blob: channels.Address(p.File, p.Layer), Layer: p.Layer, Component: p.Component, Width: p.Width, Height: p.Height,
			Bits: p.Bits, Float: p.Float, Curve: p.Curve, Swapped: p.Swapped, Turn: p.Turn}
		if p.Span != nil {
			k.Span = *p.Span
		}
		for _, t := range p.Tiles {
			k.Tiles = append(k.Tiles, material.Tile{UDIM: t.UDIM, File: t.File, Blob: channels.Address(t.File, p.Layer)})
		}
		if p.Direction != nil {
			k.Direction = normals.ParseDirection(*p.Direction)
		}
		if l := look(p.File, p.Layer); l != nil {
			k.Gamut = l.Gamut(p.File)
		}
		if p.Channel == material.Height && p.Zero != nil {
			m.Zero = *p.Zero
		}
		m.Put(material.Source{Channel: p.Channel, Map: k})
	}
	return m
}
