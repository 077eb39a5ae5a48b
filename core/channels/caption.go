package channels

import (
	"cmp"
	"math"
	"slices"

	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// This file finds lines of writing in a picture: no map has them, but pictures that show a material
// often name it.

// letter is a patch that stands out and may be a letter: its box, its samples, and the tone of the
// inmost of them.
type letter struct {
	x0, y0, x1, y1 int // the box, x1 and y1 outside
	n              int
	tone           float64
}

func (l *letter) w() int        { return l.x1 - l.x0 }
func (l *letter) h() int        { return l.y1 - l.y0 }
func (l *letter) fill() float64 { return float64(l.n) / float64(l.w()*l.h()) }

func (l *letter) possible(w int) bool {
	return l.h() >= 6 && l.h() <= w/8 && l.w() >= 2 && l.w() <= 3*l.h()/2 && l.fill() > 0.2
}

// captioned says whether a picture, given by its colour components at about 512 pixels, holds a
// line of six letters or more: patches of one tone and about one height that stand on one line,
// close together, and differ in shape, as bricks, tiles and holes do not.
func captioned(p []raster.Plane) bool {
	luma := p[0]
	if len(p) >= 3 {
		luma = filter.Luma(p[:3])
	}
	if luma.W < 64 || luma.H < 64 {
		return false
	}
	around := filter.BoxInside(luma, 16)
	for _, sign := range []float32{1, -1} {
		if lineOf(patches(luma, around, sign)) {
			return true
		}
	}
	return false
}

// patches are the areas of one tone that are lighter (sign 1) or darker (−1) than what is around them.
func patches(luma, around raster.Plane, sign float32) (out []letter) {
	const contrast = 0.22
	w, h := luma.W, luma.H
	seen := make([]bool, w*h)
	ink := func(i int) bool { return sign*(luma.Pix[i]-around.Pix[i]) > contrast }
	var stack []int
	for start := range seen {
		if seen[start] || !ink(start) {
			continue
		}
		l := letter{x0: w, y0: h, tone: float64(luma.Pix[start])}
		seen[start] = true
		for stack = append(stack[:0], start); len(stack) > 0; {
			i := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			x, y := i%w, i/w
			l.x0, l.y0, l.x1, l.y1 = min(l.x0, x), min(l.y0, y), max(l.x1, x+1), max(l.y1, y+1)
			l.n++
			if v := luma.Pix[i]; sign*(v-float32(l.tone)) > 0 {
				l.tone = float64(v)
			}
			for ny := max(0, y-1); ny <= min(h-1, y+1); ny++ {
				for nx := max(0, x-1); nx <= min(w-1, x+1); nx++ {
					if j := ny*w + nx; !seen[j] && ink(j) {
						seen[j] = true
						stack = append(stack, j)
					}
				}
			}
		}
		if l.possible(w) {
			out = append(out, l)
		}
	}
	return out
}

// lineOf says whether some of the patches are a line of writing, and few others are like them.
func lineOf(all []letter) bool {
	slices.SortFunc(all, func(a, b letter) int { return cmp.Or(cmp.Compare(a.x0, b.x0), cmp.Compare(a.y0, b.y0)) })
	for i := range all {
		line, h := []letter{all[i]}, all[i].h() // and the height of the highest
		for j := i + 1; j < len(all); j++ {
			if 4*(all[j].x0-line[len(line)-1].x1) > 5*h { // the rest lie further right still
				break
			}
			if follows(line, h, all[j]) {
				line, h = append(line, all[j]), max(h, all[j].h())
			}
		}
		if !written(line) {
			continue
		}
		alike := 0
		for _, l := range all {
			if math.Abs(l.tone-line[0].tone) < 0.12 {
				alike++
			}
		}
		if alike < 3*len(line) { // a texture has such patches everywhere
			return true
		}
	}
	return false
}

// follows says whether a patch stands next in a line whose highest letter is h high: on its ground,
// about as high, after no more than a space.
func follows(line []letter, h int, l letter) bool {
	last := line[len(line)-1]
	below := l.y1 - line[0].y1 // letters such as g and y reach below the line
	gap := l.x0 - last.x1
	return below >= -max(1, h/8) && below <= max(1, 3*h/8) && 5*l.h() >= 2*h && 5*h >= 2*l.h() &&
		gap >= -1 && gap <= 5*h/4 && math.Abs(l.tone-line[0].tone) < 0.12
}

// written says whether the patches of a line are letters: six or more, most of them on one ground,
// most not filling their boxes, and of four shapes or more.
func written(line []letter) bool {
	if len(line) < 6 {
		return false
	}
	ground, open := map[int]int{}, 0
	var shapes []letter
	for _, l := range line {
		ground[l.y1]++
		if l.fill() < 0.72 {
			open++
		}
		if !slices.ContainsFunc(shapes, l.like) {
			shapes = append(shapes, l)
		}
	}
	on := 0
	for y, n := range ground {
		on = max(on, n+ground[y+1])
	}
	return 10*on >= 6*len(line) && 2*open >= len(line) && len(shapes) >= 4
}

// like says whether two patches have about one shape.
func (l letter) like(o letter) bool {
	near := func(a, b int) bool { return max(a-b, b-a) <= max(1, a/8) }
	return near(l.w(), o.w()) && near(l.h(), o.h()) && math.Abs(l.fill()-o.fill()) < 0.05
}
