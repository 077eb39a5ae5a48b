package inspect

import (
	"math"
	"slices"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/fact"
	"aldermoor/core/likeness"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// This file looks whether the maps of a set lie over each other: to a pixel on their middles at full resolution
// (close-ups), and what cannot be told there on their reduced copies.

// ClosePx is the side, in pixels, of a close-up.
const ClosePx = 512

// CloseUp is the middle of a picture at its own resolution, ClosePx wide and high at most; floats with 16 bits.
func CloseUp(im *raster.Image) *raster.Image {
	out := middle(im, min(im.W, ClosePx), min(im.H, ClosePx)).Relative()
	if im.Bits > 8 {
		return out.Quantise(16)
	}
	return out
}

// middle is the part of w × h pixels in the middle of a picture.
func middle(im *raster.Image, w, h int) *raster.Image { return im.Part((im.W-w)/2, (im.H-h)/2, w, h) }

// mapsShifted looks whether the maps lie over each other. Shifts are in pixels of the map that is off.
func mapsShifted(s *Set, l *surface) (out []hit) {
	if l.w < 64 || l.h < 64 {
		return nil
	}
	near, told := l.near()
	for _, k := range append(near, l.far(told)...) {
		in := k.of.Look.Info
		if s.Period != nil && wholeSteps(*s.Period, k.x*float64(l.full[0]), k.y*float64(l.full[1])) {
			continue // every step of a pattern looks alike: it cannot be told from lying right
		}
		out = append(out, hit{[]string{k.of.File}, fact.Of("on", k.on, "right", k.x*float64(in.W), "down", k.y*float64(in.H))})
	}
	return out
}

// shift is how far a map lies from another one, in widths and heights.
type shift struct {
	of   channels.Map
	on   material.Channel
	x, y float64
}

// registered are the channels whose maps are held against each other; where as many say one thing as another, those
// that come first lie right.
var registered = []material.Channel{material.Normal, material.Height, material.BaseColor, material.Roughness, material.Glossiness,
	material.Specular, material.Occlusion, material.Metallic, material.Opacity, material.Emissive, material.Transmission, material.Coat,
	material.Sheen, material.Anisotropy, material.Mask}

// leastShift is from how many pixels on two maps are said not to lie over each other.
const leastShift = 0.85

// occlusionShift is the same for occlusion, at 1024 pixels: its shadows lie beside what throws them.
const occlusionShift = 4.0

// near finds maps that are off by close-ups: each is held against those whose place is known, and what most maps agree on is
// right. told are the channels whose place is known.
func (l *surface) near() (off []shift, told map[material.Channel]bool) {
	type seen struct {
		channels.Map
		view  *likeness.CloseUp
		pixel float64 // how far it has to lie off to be told, in pixels of the largest, times leastShift
		x, y  float64 // where it lies, in pixels of the largest map
		group int
	}
	var list []seen
	for _, c := range registered {
		m, ok := l.maps[c]
		if !ok {
			continue
		}
		if p, pixel := l.steep(&m); len(p.Pix) > 0 {
			switch {
			case c == material.Occlusion:
				pixel = max(pixel, occlusionShift/leastShift*float64(max(l.full[0], l.full[1]))/ReducedPx)
			case m.Component != "rgb" && m.Look.Info.Format == codec.JPEG:
				pixel *= 2 // components of JPEG are kept at half the resolution
			}
			if view := likeness.Closely(p); view != nil {
				list = append(list, seen{Map: m, view: view, pixel: pixel})
			}
		}
	}
	told = map[material.Channel]bool{}
	for i := range list {
		if list[i].group != 0 {
			continue
		}
		// All that can be told from this map on, and where it lies.
		some := []int{i}
		list[i].group = i + 1
		for at := 0; at < len(some); at++ {
			from := &list[some[at]]
			for k := range list {
				to := &list[k]
				if to.group != 0 {
					continue
				}
				if m, sure := from.view.Offset(to.view); sure {
					to.group, to.x, to.y = i+1, from.x+m.X, from.y+m.Y
					some = append(some, k)
				}
			}
		}
		if len(some) == 1 {
			continue
		}
		apart := func(a, b *seen) bool {
			return math.Hypot(a.x-b.x, a.y-b.y) >= leastShift*max(a.pixel, b.pixel)
		}
		finest := math.Inf(1)
		for _, k := range some {
			finest = min(finest, list[k].pixel)
		}
		right, most := 0, 0
		for _, a := range some {
			if list[a].pixel > finest {
				continue // it lies right with too much
			}
			files := map[string]bool{}
			for _, b := range some {
				if !apart(&list[a], &list[b]) {
					files[list[b].File] = true
				}
			}
			n := len(files)
			if n > most || n == most && a < right {
				right, most = a, n
			}
		}
		for _, k := range some {
			a, b := &list[k], &list[right]
			told[a.Channel] = true
			if apart(a, b) && !slices.ContainsFunc(off, func(o shift) bool { return o.of.File == a.File }) {
				off = append(off, shift{a.Map, b.Channel, (a.x - b.x) / float64(l.full[0]), (a.y - b.y) / float64(l.full[1])})
			}
		}
	}
	return off, told
}

// steep is how steep the middle of a map is, over the part that the close-up of the largest map shows, and how many
// of the largest map's pixels one of its own takes. Nothing if their sizes do not go into each other.
func (l *surface) steep(m *channels.Map) (p raster.Plane, pixel float64) {
	in := m.Look.Info
	ratio := l.full[0] / max(in.W, 1)
	if ratio < 1 || in.W*ratio != l.full[0] || in.H*ratio != l.full[1] {
		return p, 0
	}
	part := min(ClosePx, l.full[0], l.full[1]) / ratio
	if part < 64 {
		return p, 0
	}
	read := l.copies.Reduced
	if max(in.W, in.H) > ReducedPx {
		read = l.copies.Close
	} else if in.W == l.w && in.H == l.h {
		return l.steepHere(m.Channel, part).Resample(part*ratio, part*ratio, raster.Area), float64(ratio)
	}
	if read == nil {
		return p, 0
	}
	im := read(m.File, in.Layer)
	if im == nil || im.W < part || im.H < part {
		return p, 0
	}
	im = unitOf(m, middle(im, part, part))
	switch {
	case m.Channel == material.Normal && im.Components() >= 2:
		p = slope(normals.Read(im, 0))
	case m.Component == "rgb" && im.Components() >= 3:
		p = filter.Steepness(filter.Luma([]raster.Plane{im.Plane(0), im.Plane(1), im.Plane(2)}), false)
	default:
		p = filter.Steepness(im.Plane(material.ComponentIndex(m.Component, im.Components())), false)
	}
	return p.Resample(part*ratio, part*ratio, raster.Area), float64(ratio)
}

// steepHere is steep of a map whose reduced copy is the map itself.
func (l *surface) steepHere(c material.Channel, part int) raster.Plane {
	middle := func(p raster.Plane) raster.Plane { return p.Part((p.W-part)/2, (p.H-part)/2, part, part) }
	list := l.planes[c]
	switch {
	case c == material.Normal && len(list) > 1:
		return slope(normals.Field{X: middle(l.normal.X), Y: middle(l.normal.Y), Z: middle(l.normal.Z)})
	case len(list) >= 3:
		return filter.Steepness(filter.Luma([]raster.Plane{middle(list[0]), middle(list[1]), middle(list[2])}), false)
	}
	return filter.Steepness(middle(list[0]), false)
}

// slope is how steep the surface is that normals have.
func slope(f normals.Field) raster.Plane {
	p := raster.NewPlane(f.X.W, f.X.H)
	raster.Rows(p.H, func(y0, y1 int) {
		for i := y0 * p.W; i < y1*p.W; i++ {
			x, y, z := float64(f.X.Pix[i]), float64(f.Y.Pix[i]), float64(max(f.Z.Pix[i], 0.02))
			p.Pix[i] = float32(math.Sqrt(x*x+y*y) / z)
		}
	})
	return p
}

// far finds maps that are off by reduced copies, against the relief: the normals', or where there are none the
// height map's. It leaves out those whose place is known.
func (l *surface) far(told map[material.Channel]bool) (off []shift) {
	ref, of := l.height, material.Normal
	if len(ref.Pix) == 0 {
		h := l.planes[material.Height]
		if len(h) == 0 {
			return nil
		}
		ref, of = h[0], material.Height
	}
	var held []material.Channel
	var list []raster.Plane
	for _, c := range []material.Channel{material.Height, material.BaseColor, material.Occlusion} {
		p := l.planes[c]
		if c == of || len(p) == 0 || told[c] && told[of] {
			continue
		}
		one := p[0]
		if len(p) >= 3 {
			one = filter.Luma(p)
		}
		held, list = append(held, c), append(list, one.Resample(ref.W, ref.H, raster.Area))
	}
	if list == nil {
		return nil
	}
	for i, k := range likeness.Shifts(ref, list...) {
		c := held[i]
		least := 1.5
		if c == material.Occlusion {
			least = 6 // its shadows lie beside what throws them
		}
		scale := float64(l.w) / float64(ref.W) // of what it was found on, to the reduced copies
		if k.Trust < likeness.Registered || k.Still > k.Trust/2 || math.Hypot(k.X, k.Y)*scale < least {
			continue
		}
		off = append(off, shift{l.maps[c], of, k.X / float64(ref.W), k.Y / float64(ref.H)})
	}
	return off
}
