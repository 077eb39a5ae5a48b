package inspect

import (
	"math"

	"aldermoor/core/channels"
	"aldermoor/core/fact"
	"aldermoor/core/material"
)

// This file has the checks of the base colour against what surfaces can be: outside of sRGB
// 30 to 240 nothing but metal reflects (Lagarde & de Rousiers 2014), and a patch that gets
// lighter towards one place was not lit evenly.

// meanCode is a base colour's mean luma as an sRGB code in 0..255; ok is false if m holds
// light or is no base colour.
func meanCode(m *channels.Map) (mean float64, ok bool) {
	if m.Channel != material.BaseColor || m.Component != "rgb" || m.Look.Info.Float || len(m.Look.Mean) < 3 {
		return 0, false
	}
	return 255 * (0.2126*m.Look.Mean[0] + 0.7152*m.Look.Mean[1] + 0.0722*m.Look.Mean[2]), true
}

func albedoDark(m *channels.Map) fact.Values {
	if mean, ok := meanCode(m); ok && mean < 30 {
		return fact.Of("mean", mean)
	}
	return nil
}

func albedoBright(m *channels.Map) fact.Values {
	if mean, ok := meanCode(m); ok && mean > 240 {
		return fact.Of("mean", mean)
	}
	return nil
}

// bakedLight is a rise of 35 % and more towards one place, alike in red, green and blue,
// that explains three tenths of all that varies.
func bakedLight(m *channels.Map) fact.Values {
	if _, ok := meanCode(m); !ok {
		return nil
	}
	l := lamp(m.Look)
	if l.amount <= 0.35 || l.share <= 0.3 || l.even <= 0.5 {
		return nil
	}
	return fact.Of("rise", l.amount, "towards_x", l.x, "towards_y", l.y)
}

// lampSize is the side of the thumbnails that lamp looks at.
const lampSize = 16

// lampFit is light in a base colour. amount is how far the lightness ranges along that axis
// on which it ranges less, as a share of the mean (a lamp falls off all round, a painted
// band does not); share is how much of all that varies it explains; even is how alike red,
// green and blue rise, each as a share of its own mean, the one that differs most: light
// makes all lighter by the same share (1), rust or moss does not. x and y are where it is
// lightest, −1..1 from left to right and from top to bottom.
type lampFit struct{ amount, share, even, x, y float64 }

// lamp looks for a rise towards one place of the patch that no repeat can have: a quadratic
// surface through a thumbnail of its lightness.
func lamp(l channels.Look) (out lampFit) {
	const n = lampSize
	rgb, means, v, ok := thumbLight(l)
	mean := 0.2126*means[0] + 0.7152*means[1] + 0.0722*means[2]
	if !ok || mean < 0.004 {
		return out
	}
	fit, k := quadratic(v, mean)
	all, left, top := 0.0, 0.0, math.Inf(-1)
	for i, f := range fit {
		all += (v[i] - mean) * (v[i] - mean)
		left += (v[i] - mean - f) * (v[i] - mean - f)
		if f > top {
			top, out.x, out.y = f, gridAt(i%n), gridAt(i/n)
		}
	}
	if all == left {
		return lampFit{}
	}
	// How much of a surface of the same form is in each component: its projection on it.
	out.even = 1
	for c, m := range means {
		var own float64
		for i, f := range fit {
			own += (rgb[c][i] - m) * f
		}
		rises := own / (all - left) * mean / max(m, 0.002)
		out.even = min(out.even, rises, 1/max(rises, 1e-9))
	}
	out.amount, out.share = min(span(k[0], k[2], mean), span(k[1], k[3], mean)), 1-left/all
	return out
}

// thumbLight is a thumbnail's linear light by component, the components' means, and the
// luminance.
func thumbLight(l channels.Look) (rgb [3][]float64, means [3]float64, luminance []float64, ok bool) {
	const n = lampSize
	if len(l.Thumb) < 3 || len(l.Thumb[0]) != n*n || len(l.Mean) < 3 {
		return rgb, means, nil, false
	}
	luminance = make([]float64, n*n)
	for c, k := range []float64{0.2126, 0.7152, 0.0722} {
		for i, code := range l.Thumb[c] {
			light := math.Pow(float64(code)/255, 2.2)
			rgb[c] = append(rgb[c], light)
			means[c] += light / (n * n)
			luminance[i] += k * light
		}
	}
	return rgb, means, luminance, true
}

// gridAt is where column or row k of the thumbnail lies, −1..1.
func gridAt(k int) float64 { return (float64(k)+0.5)/lampSize*2 - 1 }

// gridSquare is the mean of gridAt².
func gridSquare() (x2 float64) {
	for k := range lampSize {
		x2 += gridAt(k) * gridAt(k) / lampSize
	}
	return x2
}

// quadratic fits v less its mean by x, y, x², y² and x·y, which on a symmetric grid are
// orthogonal once the squares have lost their mean; k are their factors.
func quadratic(v []float64, mean float64) (fit []float64, k [5]float64) {
	const n = lampSize
	x2 := gridSquare()
	basis := make([][]float64, len(k))
	for i := range v {
		x, y := gridAt(i%n), gridAt(i/n)
		for b, f := range []float64{x, y, x*x - x2, y*y - x2, x * y} {
			basis[b] = append(basis[b], f)
		}
	}
	fit = make([]float64, len(v))
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
	return fit, k
}

// span is how far slope·x + bend·x² ranges over the grid, as a share of the mean.
func span(slope, bend, mean float64) float64 {
	x2 := gridSquare()
	lo, hi := math.Inf(1), math.Inf(-1)
	for i := range lampSize {
		f := slope*gridAt(i) + bend*(gridAt(i)*gridAt(i)-x2)
		lo, hi = min(lo, f), max(hi, f)
	}
	return (hi - lo) / mean
}
