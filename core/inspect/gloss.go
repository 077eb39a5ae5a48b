package inspect

import (
	"math"
	"path"
	"slices"
	"strings"

	"aldermoor/core/codec"
	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/stats"
)

// glossAt is from which logarithm of the odds on a map that is named roughness is said to
// read as glossiness: three to one. Clean scans of the stations come to two to one at most.
const glossAt = 1.1

// shiny are words of surfaces that are smooth when clean.
func shiny() []string {
	return []string{"glaze", "glass", "polish", "varnish", "lacquer", "enamel", "terrazzo", "tar", "tarred", "wax", "waxed", "oiled", "chrome", "mirror", "ceramic", "porcelain", "marble", "satin", "gloss", "plastic", "vinyl"}
}

// wet are words of surfaces whose hollows hold water, and so are smoother than what stands out.
func wet() []string {
	return []string{"wet", "mud", "muddy", "mudflat", "puddle", "ice", "icy", "kelp", "slime", "algae"}
}

// rough is how often surfaces have a roughness of about v, as a density. Most that are scanned are
// matt, and a quarter is smooth; of those whose name says so it is the other way round.
func rough(v float64, smooth bool) float64 {
	bell := func(mid, width float64) float64 { return math.Exp(-(v-mid)*(v-mid)/(2*width*width)) / width }
	matt := 0.75
	if smooth {
		matt = 0.25
	}
	return matt*bell(0.72, 0.14) + (1-matt)*bell(0.33, 0.12)
}

// roughnessAsGloss finds a map that is named roughness but reads as glossiness, which makes
// a wall look wet. Three things speak for and against: its level, as few surfaces are smooth all
// over; its hollows, as dirt lies there and what stands out is worn smooth; and metal,
// which is smoother than what covers it. What a person has decided on is left alone.
func roughnessAsGloss(s *Set, l *surface) []hit {
	m, ok := l.maps[material.Roughness]
	if !ok || m.Decided {
		return nil
	}
	p := l.planes[material.Roughness][0]
	name := strings.ToLower(s.Name + " " + path.Base(m.File))
	has := func(words []string) bool {
		return slices.ContainsFunc(strings.FieldsFunc(name, func(r rune) bool { return r < 'a' || r > 'z' }), func(of string) bool {
			return slices.ContainsFunc(words, func(w string) bool { return of == w || len(w) > 4 && strings.HasPrefix(of, w) })
		})
	}
	damp := has(wet())
	mean := p.Mean()
	smooth := damp || has(shiny())
	odds := math.Log(rough(1-mean, smooth) / rough(mean, smooth))
	why := fact.Of("mean", mean)
	// The components of one JPEG run into each other: what they share says nothing.
	apart := func(c material.Channel) bool {
		return len(l.planes[c]) > 0 && (l.maps[c].File != m.File || m.Look.Info.Format != codec.JPEG)
	}
	if open := l.planes[material.Occlusion]; apart(material.Occlusion) && !damp {
		if c := correlation(p, open[0]); math.Abs(c) > 0.1 {
			odds += min(max(4*c, -3), 3)
			if c > 0 {
				why["hollows"] = true // are smoother than what stands out
			}
		}
	}
	if metal := l.planes[material.Metallic]; apart(material.Metallic) {
		if c := correlation(p, metal[0]); math.Abs(c) > 0.3 {
			odds += 2 * c
			if c > 0 {
				why["metal"] = true // is rougher than what covers it
			}
		}
	}
	if odds < glossAt {
		return nil
	}
	return []hit{{[]string{m.File}, why}}
}

// correlation is how far two planes of one size rise and fall together, −1..1; 0 where one
// is flat.
func correlation(a, b raster.Plane) float64 {
	var p stats.Pairs
	for i, v := range a.Pix {
		p.Add(float64(v), float64(b.Pix[i]))
	}
	r, _ := p.Correlation(1e-6)
	return r
}
