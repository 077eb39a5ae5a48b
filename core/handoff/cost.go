package handoff

import (
	"math"

	"aldermoor/core/scale"
)

// Cost is what a handoff takes. Fetch is an estimate from how well the maps compress
// (within EstimateError of the truth for scans); video memory is that of the maps with mips,
// block-compressed.
type Cost struct {
	Fetch       int64
	VideoMemory int64
	W, H        int
	Files       int
}

// EstimateError is by how much an estimate of Fetch may be off: made handoffs of scans lay
// within it (TestEstimatesOfProfiles).
const EstimateError = 0.3

// Estimate is the cost of a handoff before it is made.
func (m Material) Estimate(f Form) Cost {
	var c Cost
	p := m.plan(f)
	sizes := map[string]int64{}
	for _, it := range p.items {
		n := it.estimate()
		sizes["maps/"+it.name] = n
		c.Fetch += n
		if !it.aux {
			c.VideoMemory += scale.VideoMemory(it.w, it.h, it.texel())
		}
		if it.w*it.h > c.W*c.H {
			c.W, c.H = it.w, it.h
		}
	}
	if f.has(GLB) {
		for name, n := range sizes {
			if p.surface.gltfReads(name) {
				c.Fetch += n
			}
		}
	}
	c.Fetch += 8 << 10
	c.Files = len(p.items) + len(f.Descriptions) + 3
	return c
}

// texel is how many bytes of video memory one takes, block-compressed.
func (it *item) texel() float64 {
	if len(it.parts) == 1 {
		return 0.5
	}
	return 1
}

// estimate is about how many bytes the file has, from how well its sources compress.
func (it *item) estimate() int64 {
	pixels := float64(it.w * it.h)
	if it.packed == "none" || it.format == TGA {
		return int64(pixels) * int64(len(it.parts)) * int64(it.bits/8)
	}
	sum := 0.0
	for _, q := range it.parts {
		coarse, fine := q.ratios()
		switch {
		case it.format == JPEG:
			sum += coarse * 0.22 * jpegScale(it.level)
		case it.format.Float():
			sum += float64(it.bits/8) * min(1, 0.16+0.34*coarse+0.3*fine)
		case it.bits == 8:
			sum += coarse
		default:
			sum += coarse + fine
		}
	}
	return int64(pixels * sum)
}

// ratios are how well the upper and the lower byte of a component's samples compress.
func (q *part) ratios() (coarse, fine float64) {
	if q.from == nil {
		return 0.01, 0.01
	}
	r := q.from.Map.Ratio
	if r == 0 {
		r = 0.7
	}
	if q.from.Map.Bits <= 8 {
		return r, 0.1 * r // repeated in 16 bits
	}
	coarse = max(0.1, 2*r-1) // the lower byte is mostly noise
	return coarse, max(0, 2*r-coarse)
}

// jpegScale is how a JPEG's size grows with its quality, 1 at 90.
func jpegScale(quality int) float64 {
	if quality == 0 {
		quality = 90
	}
	return math.Pow(10/float64(max(1, 100-quality)), 0.7)
}
