package inspect

import (
	"math"
	"slices"
	"testing"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/station"
)

// rolled is a picture moved by whole pixels over its edges.
func rolled(im *raster.Image, dx, dy int) *raster.Image {
	out := &raster.Image{W: im.W, H: im.H, Bits: im.Bits}
	x, y := (im.W-dx)%im.W, (im.H-dy)%im.H
	for _, p := range im.Planes {
		switch p := p.(type) {
		case raster.Ints:
			out.Planes = append(out.Planes, raster.Ints(over(p, im.W, x, y)))
		case raster.Floats:
			out.Planes = append(out.Planes, raster.Floats(over(p, im.W, x, y)))
		}
	}
	return out
}

func over[T any](p []T, w, x, y int) (out []T) {
	h := len(p) / w
	for row := range h {
		r := p[(row+y)%h*w:][:w]
		out = append(append(out, r[x:]...), r[:x]...)
	}
	return out
}

// scan is a set as its maps are, with one of them moved.
type scan struct {
	maps   []channels.Map
	copies map[string]*raster.Image
}

func scanOf(t *testing.T, m station.Material, px int, seed uint32) scan {
	t.Helper()
	files, err := station.NewWriter().Files(station.Take(m, station.Options{Px: px, Seed: seed}), m.Slug)
	if err != nil {
		t.Fatal(err)
	}
	s := scan{copies: map[string]*raster.Image{}}
	var all []Examined
	for _, f := range files {
		e, err := Examine(f.Name, SourceOf(f.Data), codec.DefaultLimits, func(_ string, im *raster.Image) error { s.copies[f.Name] = im; return nil })
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, e)
	}
	var sortable []channels.File
	for _, e := range all {
		sortable = append(sortable, channels.File{Path: e.Path, Look: e.Look})
	}
	for _, set := range channels.Sort(sortable) {
		s.maps = append(s.maps, set.Maps...)
	}
	return s
}

// off is what is said to be shifted of a set whose map of a channel is moved.
func (s scan) off(c material.Channel, dx, dy int) (list []shift) {
	l := surface{maps: map[material.Channel]channels.Map{}}
	for _, m := range s.maps {
		l.maps[m.Channel] = m
		l.full = [2]int{max(l.full[0], m.Look.Info.W), max(l.full[1], m.Look.Info.H)}
	}
	moved := l.maps[c].File
	l.copies = Copies{}
	l.copies.Close = func(file, _ string) *raster.Image {
		im := s.copies[file]
		if file == moved {
			im = rolled(im, dx, dy)
		}
		return CloseUp(im)
	}
	l.copies.Reduced = l.copies.Close
	list, _ = l.near()
	return list
}

// A map that is moved by a pixel or more is found, by how much, and no other one is said to be off; of sets as they
// are none is.
func TestShiftsOfOnePixel(t *testing.T) {
	found, all := 0, 0
	for i, m := range station.Materials() {
		if i%step(t) > 0 {
			continue
		}
		s := scanOf(t, m, 1024, uint32(i))
		for _, k := range s.off(material.None, 0, 0) {
			t.Errorf("%s as it is: %s is said to be off by %.4f, %.4f on %s", m.Slug, k.of.Channel, k.x, k.y, k.on)
		}
		for _, c := range s.maps {
			for _, d := range [][2]int{{1, 0}, {0, -1}, {9, -14}} {
				if (c.Channel == material.Occlusion || c.Component != "rgb" && c.Look.Info.Format == codec.JPEG) && d != [2]int{9, -14} {
					continue // of these a pixel is not told
				}
				list, in := s.off(c.Channel, d[0], d[1]), c.Look.Info
				n := slices.IndexFunc(list, func(k shift) bool { return k.of.File == c.File })
				if all++; n < 0 || len(list) > 1 {
					for _, k := range list {
						t.Logf("%s, %s moved by %v: %s is said to be off", m.Slug, c.Channel, d, k.of.Channel)
					}
					t.Logf("%s, %s moved by %v: not found", m.Slug, c.Channel, d)
					continue
				}
				if x, y := list[n].x*float64(in.W), list[n].y*float64(in.H); math.Hypot(x-float64(d[0]), y-float64(d[1])) > 0.5 {
					t.Errorf("%s, %s moved by %v: said %.2f, %.2f", m.Slug, c.Channel, d, x, y)
					continue
				}
				found++
			}
		}
	}
	if t.Logf("%d of %d found", found, all); float64(found) < 0.85*float64(all) {
		t.Error("too few are found")
	}
}

// step is which materials are tried: all of them with -v alone, as that takes minutes.
func step(t *testing.T) int {
	if testing.Verbose() && !testing.Short() {
		return 1
	}
	return 9
}
