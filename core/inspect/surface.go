package inspect

import (
	"math"

	"aldermoor/core/channels"
	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/tiling"
)

// surface is a set's maps side by side, reduced, as planes of one size.
type surface struct {
	maps   map[material.Channel]channels.Map
	planes map[material.Channel][]raster.Plane
	normal normals.Field // Y+; empty if there is none
	height raster.Plane  // of the normals alone, in widths; empty if there are none
	w, h   int           // of the planes
	full   [2]int        // pixels of the largest map
	wraps  bool
	tiled  bool           // the maps are UDIM tiles of a model: they do not repeat
	worst  []tiling.Place // where edges match least
	copies Copies
}

// lay reads what is needed of a set's maps. ok is false if there is nothing to hold
// side by side.
func lay(maps []channels.Map, copies Copies) (s surface, ok bool) {
	s = surface{maps: map[material.Channel]channels.Map{}, planes: map[material.Channel][]raster.Plane{}, copies: copies}
	first := ""
	for _, m := range maps {
		s.tiled = s.tiled || len(m.Tiles) > 1
		if m.UDIM != "" && (first == "" || m.UDIM < first) {
			first = m.UDIM
		}
	}
	for _, m := range maps {
		if m.UDIM != "" && m.UDIM != first { // it lacks the first tile
			continue
		}
		if in := m.Look.Info; in.W*in.H > s.full[0]*s.full[1] {
			s.full = [2]int{in.W, in.H}
		}
		im := copies.Reduced(m.File, m.Look.Info.Layer)
		if im == nil {
			continue
		}
		im = unitOf(&m, im)
		if s.w == 0 {
			s.w, s.h = im.W, im.H
		}
		var list []raster.Plane
		switch {
		case m.Channel == material.Normal && im.Components() >= 2:
			f, _ := normals.Read(im, 0).Resample(s.w, s.h)
			if m.Facing == normals.Down {
				f.Flip()
			}
			s.normal = f
			list = []raster.Plane{f.X, f.Y}
		case m.Component == "rgb" && im.Components() >= 3:
			for c := range 3 {
				list = append(list, im.Plane(c).Resample(s.w, s.h, raster.Area))
			}
		default:
			list = []raster.Plane{im.Plane(material.ComponentIndex(m.Component, im.Components())).Resample(s.w, s.h, raster.Area)}
		}
		s.maps[m.Channel], s.planes[m.Channel] = m, list
	}
	return s, s.w >= 16 && s.h >= 16
}

// examine works out what takes maps side by side: whether the edges meet, what the
// pattern is, what lies out of register, and how deep the relief is by its normals.
func (s *Set) examine(maps []channels.Map, copies Copies) {
	l, ok := lay(maps, copies)
	if !ok {
		return
	}
	s.tiling(&l)
	s.checkPixels(&l)
	if s.Relief == nil && len(l.height.Pix) > 0 {
		if _, has := l.planes[material.Height]; !has {
			// There is no height map that this would be the depth of, but it is how deep the surface is.
			lo, hi := l.height.Range()
			s.Relief = &Depth{Value: float64(hi - lo), Confidence: 0.6}
			if s.Size.Width != nil && s.Depth == nil {
				s.Depth = &Depth{Value: s.Relief.Value * *s.Size.Width, Confidence: 0.6}
			}
		}
	}
}

func (s *Set) tiling(l *surface) {
	var all []raster.Plane
	for _, c := range material.All() {
		if c != material.Opacity {
			all = append(all, l.planes[c]...)
		}
	}
	if !l.tiled {
		meet := tiling.Meet(all)
		s.Tiling = &Axes{round3(meet.Score.X), round3(meet.Score.Y)}
		l.wraps = meet.Score.X > seamAt && meet.Score.Y > seamAt
		l.worst = meet.Worst
	}
	if len(l.normal.X.Pix) > 0 {
		aspect := float64(l.h) / float64(l.w)
		if s.Size.Width != nil {
			aspect = *s.Size.Height / *s.Size.Width
		}
		f := l.normal
		if _, has := l.planes[material.Height]; has && max(l.w, l.h) > 700 {
			// Only to hold other maps against it: half the size does. With no height map it is
			// how deep the surface is, and wants all of its detail.
			f, _ = f.Resample(l.w/2, l.h/2)
		}
		l.height = normals.Integrate(f, normals.Up, 1/float64(f.X.W), aspect/float64(f.X.H), l.wraps, normals.ByDifferences)
	}
	if !l.tiled {
		s.pattern(l)
	}
}

// wholeSteps says whether a shift is a number of whole steps of a pattern, within a twentieth of one, and not none.
func wholeSteps(p [2][2]float64, dx, dy float64) bool {
	det := p[0][0]*p[1][1] - p[0][1]*p[1][0]
	if det == 0 {
		return false
	}
	i, j := (dx*p[1][1]-dy*p[1][0])/det, (p[0][0]*dy-p[0][1]*dx)/det
	return math.Abs(i-math.Round(i)) < 0.05 && math.Abs(j-math.Round(j)) < 0.05 && (math.Abs(i) > 0.5 || math.Abs(j) > 0.5)
}

// seamX looks at the joint of the left and right edges, seamY at that of top and bottom.
func seamX(s *Set, l *surface) []hit {
	if s.Tiling == nil {
		return nil
	}
	return seam(s, l, "x", s.Tiling.X)
}

func seamY(s *Set, l *surface) []hit {
	if s.Tiling == nil {
		return nil
	}
	return seam(s, l, "y", s.Tiling.Y)
}

func seam(s *Set, l *surface, axis string, score float64) []hit {
	if score > seamAt {
		return nil
	}
	v := fact.Of("axis", axis, "score", score)
	for _, p := range l.worst {
		if p.Axis != axis {
			continue
		}
		p = tiling.Place{Axis: p.Axis, From: round3(p.From), To: round3(p.To), Excess: round3(p.Excess)}
		if !v.Has("from") { // the worst comes first
			v["from"], v["to"] = p.From, p.To
		}
		s.Seams = append(s.Seams, p)
	}
	return []hit{{nil, v}}
}

// seamAt is the score below which a seam is a finding: one in a hundred axes that repeat
// scores lower, and none that is cut higher (measured on the stations' scans at 1024
// pixels, the size at which maps are looked at).
const seamAt = 0.4

// pattern finds the lattice by colour, relief and roughness.
func (s *Set) pattern(l *surface) {
	var list []raster.Plane
	if p := l.planes[material.BaseColor]; len(p) >= 3 {
		list = append(list, filter.Luma(p))
	} else {
		list = append(list, p...)
	}
	if n := l.planes[material.Normal]; len(n) >= 2 {
		list = append(list, n[:2]...) // the third follows from them
	}
	list = append(list, l.planes[material.Height]...)
	if len(list) == 0 {
		return
	}
	p := tiling.Periods(list)
	if base := l.planes[material.BaseColor]; len(base) > 0 {
		r := tiling.Repeats(SightOf(base, l.maps[material.BaseColor].Look.Info.Float, &l.normal), p)
		s.Repetition = &r
	}
	if !p.Regular() {
		return
	}
	kx, ky := float64(l.full[0])/float64(l.w), float64(l.full[1])/float64(l.h)
	round := func(v float64) float64 { return math.Round(v*100) / 100 }
	s.Period = &[2][2]float64{{round(p.A[0] * kx), round(p.A[1] * ky)}, {round(p.B[0] * kx), round(p.B[1] * ky)}}
	s.PeriodTrust = round3(p.Confidence)
}
