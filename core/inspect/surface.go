package inspect

import (
	"fmt"
	"math"
	"path"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/likeness"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/scale"
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
}

// lay reads what is needed of a set's maps. ok is false if there is nothing to hold
// side by side.
func lay(maps []channels.Map, level Level) (s surface, ok bool) {
	s = surface{maps: map[material.Channel]channels.Map{}, planes: map[material.Channel][]raster.Plane{}}
	for _, m := range maps {
		if m.UDIM != "" && m.UDIM != "1001" {
			continue
		}
		if in := m.Look.Info; in.W*in.H > s.full[0]*s.full[1] {
			s.full = [2]int{in.W, in.H}
		}
		im := level(m.File, m.Look.Info.Layer)
		if im == nil {
			continue
		}
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
			list = []raster.Plane{im.Plane(min(component(m.Component), im.Components()-1)).Resample(s.w, s.h, raster.Area)}
		}
		s.maps[m.Channel], s.planes[m.Channel] = m, list
	}
	return s, s.w >= 16 && s.h >= 16
}

// examine works out what takes maps side by side: whether the edges meet, what the
// pattern is, what lies out of register, and how deep the relief is by its normals.
func (s *Set) examine(maps []channels.Map, level Level) {
	l, ok := lay(maps, level)
	if !ok {
		return
	}
	s.tiling(&l)
	s.register(&l)
	s.gloss(&l)
	if s.Relief == nil && len(l.height.Pix) > 0 {
		if _, has := l.planes[material.Height]; !has {
			// There is no height map that this would be the depth of, but it is how deep the surface is.
			lo, hi := l.height.Range()
			s.Relief = &Depth{float64(hi - lo), 0.6}
			if s.Size.Width != nil && s.Depth == nil {
				s.Depth = &Depth{s.Relief.Value * *s.Size.Width, 0.6}
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
	meet := tiling.Meet(all)
	s.Tiling = &Axes{round3(meet.Score.X), round3(meet.Score.Y)}
	l.wraps = meet.Score.X > seamAt && meet.Score.Y > seamAt
	for _, axis := range []struct {
		name, edges string
		score       float64
		length      *float64
	}{{"x", "left and right", meet.Score.X, s.Size.Width}, {"y", "top and bottom", meet.Score.Y, s.Size.Height}} {
		if axis.score > seamAt {
			continue
		}
		for _, p := range meet.Worst {
			if p.Axis == axis.name {
				s.Seams = append(s.Seams, tiling.Place{Axis: p.Axis, From: round3(p.From), To: round3(p.To), Excess: round3(p.Excess)})
			}
		}
		every := "at every repeat"
		if axis.length != nil {
			every = "every " + scale.Metres(*axis.length)
		}
		where := ""
		for _, p := range meet.Worst {
			if p.Axis == axis.name {
				along := map[string]string{"x": "from the top", "y": "from the left"}[axis.name]
				where = fmt.Sprintf(", most of all %.0f to %.0f %% %s", 100*p.From, 100*p.To, along)
				break
			}
		}
		s.Findings = append(s.Findings, Finding{"seam_" + axis.name, Warn, []string{},
			fmt.Sprintf("Its %s edges do not meet (%.2f)%s: a seam will show %s.", axis.edges, axis.score, where, every)})
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
	s.pattern(l)
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
		r := tiling.Repeats(Lightness(base, l.maps[material.BaseColor].Look.Info.Float), p)
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

// Lightness is a base colour as an eye takes it: the cube root of its luminance. Stored
// values are sRGB codes unless they are light already.
func Lightness(p []raster.Plane, light bool) raster.Plane {
	one := p[0]
	if len(p) >= 3 {
		one = filter.Luma(p)
	}
	out := raster.NewPlane(one.W, one.H)
	power := 2.2 / 3 // of the luma, which is near enough to that of the luminance
	if light {
		power = 1.0 / 3
	}
	curve := raster.Power(power)
	raster.Rows(one.H, func(y0, y1 int) {
		for i := y0 * one.W; i < y1*one.W; i++ {
			out.Pix[i] = curve(one.Pix[i])
		}
	})
	return out
}

// register looks whether the maps lie on each other, by the relief: the normals', or
// where there are none the height map's.
func (s *Set) register(l *surface) {
	ref, of := l.height, material.Normal
	if len(ref.Pix) == 0 {
		if h := l.planes[material.Height]; len(h) > 0 {
			ref, of = h[0], material.Height
		} else {
			return
		}
	}
	if l.w < 64 || l.h < 64 {
		return
	}
	var held []material.Channel
	var list []raster.Plane
	for _, c := range []material.Channel{material.Height, material.BaseColor, material.Occlusion} {
		p := l.planes[c]
		if c == of || len(p) == 0 {
			continue
		}
		one := p[0]
		if len(p) >= 3 {
			one = filter.Luma(p)
		}
		held, list = append(held, c), append(list, one.Resample(ref.W, ref.H, raster.Area))
	}
	for i, k := range likeness.Shifts(ref, list...) {
		c := held[i]
		least := 1.5
		if c == material.Occlusion {
			least = 6 // its shadows lie beside what throws them
		}
		scale := float64(l.w) / float64(ref.W) // of what it was found on, to the reduced copies
		dx, dy := k.X*scale, k.Y*scale
		if k.Trust < likeness.Registered || k.Still > k.Trust/2 || math.Hypot(dx, dy) < least {
			continue
		}
		kx, ky := float64(l.full[0])/float64(l.w), float64(l.full[1])/float64(l.h)
		m := l.maps[c]
		s.Findings = append(s.Findings, Finding{"maps_shifted", Warn, []string{m.File}, fmt.Sprintf("%s does not lie on the %s: it is moved by %s.",
			path.Base(m.File), map[material.Channel]string{material.Normal: "normals", material.Height: "height"}[of], way(dx*kx, dy*ky))})
	}
}

// way says a shift in words, in pixels.
func way(dx, dy float64) string {
	var out []string
	if v := math.Round(math.Abs(dx)); v >= 1 {
		out = append(out, fmt.Sprintf("%.0f px to the %s", v, map[bool]string{true: "right", false: "left"}[dx > 0]))
	}
	if v := math.Round(math.Abs(dy)); v >= 1 {
		out = append(out, fmt.Sprintf("%.0f px %s", v, map[bool]string{true: "down", false: "up"}[dy > 0]))
	}
	return strings.Join(out, " and ")
}

// lamp looks for light in a base colour: a rise towards one place of the patch that no
// repeat can have, by a quadratic surface through a thumbnail of its lightness. amount
// is how far the surface ranges along that axis on which it ranges less, as a share of
// the mean (a lamp falls off all round, a painted band does not), share how much of all
// that varies it explains. even is how alike red, green and blue rise, each as a share of
// its own mean, the one that differs most: light makes all lighter by the same share (1),
// rust or moss does not.
func lamp(l channels.Look) (amount, share, even float64) {
	const n = 16
	if len(l.Thumb) < 3 || len(l.Thumb[0]) != n*n || len(l.Mean) < 3 {
		return 0, 0, 0
	}
	v := make([]float64, n*n)
	var rgb [3][]float64
	var means [3]float64
	for c, k := range []float64{0.2126, 0.7152, 0.0722} {
		for i, code := range l.Thumb[c] {
			light := math.Pow(float64(code)/255, 2.2)
			rgb[c] = append(rgb[c], light)
			means[c] += light / (n * n)
			v[i] += k * light
		}
	}
	mean := 0.2126*means[0] + 0.7152*means[1] + 0.0722*means[2]
	if mean < 0.004 {
		return 0, 0, 0
	}
	// On a symmetric grid these are orthogonal: x, y, x² and y² less their mean, x·y.
	basis := make([][]float64, 5)
	var x2 float64
	at := func(k int) float64 { return (float64(k)+0.5)/n*2 - 1 }
	for k := range n {
		x2 += at(k) * at(k) / n
	}
	for i := range v {
		x, y := at(i%n), at(i/n)
		for b, f := range []float64{x, y, x*x - x2, y*y - x2, x * y} {
			basis[b] = append(basis[b], f)
		}
	}
	fit := make([]float64, n*n)
	var k [5]float64
	for j, b := range basis {
		var bv, bb float64
		for i, f := range b {
			bv += f * (v[i] - mean)
			bb += f * f
		}
		k[j] = bv / bb
		for i, f := range b {
			fit[i] += f * k[j]
		}
	}
	span := func(slope, bend float64) float64 {
		lo, hi := math.Inf(1), math.Inf(-1)
		for i := range n {
			f := slope*at(i) + bend*(at(i)*at(i)-x2)
			lo, hi = min(lo, f), max(hi, f)
		}
		return (hi - lo) / mean
	}
	all, left := 0.0, 0.0
	for i, f := range fit {
		all += (v[i] - mean) * (v[i] - mean)
		left += (v[i] - mean - f) * (v[i] - mean - f)
	}
	if all == left {
		return 0, 0, 0
	}
	// How much of a surface of the same form is in each component: its projection on it.
	even = 1
	for c, m := range means {
		var own float64
		for i, f := range fit {
			own += (rgb[c][i] - m) * f
		}
		rises := own / (all - left) * mean / max(m, 0.002)
		even = min(even, rises, 1/max(rises, 1e-9))
	}
	return min(span(k[0], k[2]), span(k[1], k[3])), 1 - left/all, even
}
