package inspect

import (
	"math"
	"path"
	"slices"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/material"
	"aldermoor/core/raster"
)

// This file finds out what stored heights mean.

// Span is the stored values of a float map that are its 0 and 1, by the least and greatest of
// each component: of heights, whose unit nothing says, the lowest and the highest; of light
// that is emitted, 0 and the strongest if that is above 1. Both are 0 where raster's Unit decides.
func Span(c material.Channel, float bool, component string, least, greatest []float64) (lo, hi float64) {
	n := min(len(least), len(greatest))
	switch k := material.ComponentIndex(component, n); {
	case !float || n == 0:
	case c == material.Height && greatest[k] > least[k]:
		return least[k], greatest[k]
	case c == material.Emissive && slices.Max(greatest[:min(n, 3)]) > 1:
		return 0, slices.Max(greatest[:min(n, 3)])
	}
	return 0, 0
}

// heightSpan is Span of a height map; ok is false for others, for integers, and for a constant.
func heightSpan(m channels.Map) (lo, hi float64, ok bool) {
	if m.Channel != material.Height {
		return 0, 0, false
	}
	lo, hi = Span(m.Channel, m.Look.Info.Float, m.Component, m.Look.Min, m.Look.Max)
	return lo, hi, hi > lo
}

// unitOf is a reduced copy of a map with its samples in 0..1.
func unitOf(m *channels.Map, im *raster.Image) *raster.Image {
	own := material.Map{Float: m.Look.Info.Float, Gamut: m.Look.Gamut(m.File), Direction: m.Facing}
	if m.Channel == material.Normal {
		own.Curve, own.Swapped, own.Turn = m.Look.Curve, m.Look.Swapped, m.Look.Info.Turn
	}
	if lo, hi, ok := heightSpan(*m); ok {
		own.Span = [2]float64{lo, hi}
	}
	return own.Picture(m.Channel, im)
}

// zero is the share of the way from the lowest to the highest stored value at which the surface
// is as it was modelled: at 0 where samples are signed, in the middle where a displacement stays
// around it, else at the lowest.
func zero(m channels.Map) float64 {
	c := component(&m, m.Look.Mean)
	if c < 0 {
		return 0
	}
	if lo, hi, ok := heightSpan(m); ok {
		if lo < 0 && hi > 0 {
			return -lo / (hi - lo)
		}
		return 0
	}
	name := strings.ToLower(path.Base(m.File))
	if strings.Contains(name, "disp") && math.Abs(m.Look.Mean[c]-0.5) < 0.06 && m.Look.Min[c] < 0.45 && m.Look.Max[c] > 0.55 {
		return 0.5
	}
	return 0
}

// units are those that heights are stored in, in metres.
var units = []struct {
	name   string
	metres float64
}{{"m", 1}, {"cm", 0.01}, {"mm", 0.001}}

const (
	// agrees is by how much a unit's answer may be off from the normals' for it to be that unit.
	agrees = 0.25
	// leastRelief and mostRelief are what the relief of a surface usually is as a share of its width.
	leastRelief, mostRelief = 0.0005, 0.35
)

// stored decides whether a height map of floats stores metres, centimetres or millimetres, and
// if so states the depth: by the normals, where they and the size are known; else by what is
// plausible for values that do not fill 0..1. It returns false if they are shares of a depth
// that something else gives.
func (s *Set) stored(h *channels.Map) bool {
	lo, hi, ok := heightSpan(*h)
	if !ok {
		return false
	}
	span := hi - lo
	if hi > 0.98 && hi <= 1.004 && (lo >= -0.004 && lo < 0.02 || lo >= -1.004 && lo < -0.98) {
		return false // they fill 0..1, or −1..1: shares
	}
	if s.Relief != nil && s.Size.Width != nil && s.Relief.Confidence > 0.5 {
		byNormals := s.Relief.Value * *s.Size.Width
		for _, u := range units {
			if off := span*u.metres/byNormals - 1; math.Abs(off) < agrees {
				s.Depth = &Depth{span * u.metres, round3(0.9 + 0.1*s.Relief.Confidence*(1-math.Abs(off)/agrees)), u.name}
				return true
			}
		}
		return false
	}
	if lo >= -0.01 && hi <= 1.01 && span > 0.5 || lo >= -1.01 && hi <= 1.01 && span > 1 {
		return false // 0..1, or −1..1, as shares
	}
	width := 1.0 // of a patch whose size nobody knows
	if s.Size.Width != nil {
		width = *s.Size.Width
	}
	fit := 0
	for _, u := range units {
		if r := span * u.metres / width; r >= leastRelief && r <= mostRelief {
			if fit++; fit == 1 {
				s.Depth = &Depth{span * u.metres, 0.7, u.name}
			}
		}
	}
	if fit > 1 {
		s.Depth.Confidence = 0.5 // two units are plausible: the larger is taken
	}
	return fit > 0
}
