package bsdf

import "math"

// leastSheen is the smoothest sheen: below it, single scattering would return more than it receives.
const leastSheen = 0.25

// SheenAlpha is the roughness α of fibres that a sheen of a stated roughness has.
func SheenAlpha(roughness float64) float64 { return max(roughness, leastSheen) }

// sheen is the lobe of fibres that stand on the surface, for a white sheen: the inverted Gaussian
// (Estevez & Kulla 2017) with Neubelt & Pettineo's visibility (2013).
func sheen(nh, nv, nl, rough float32) float32 {
	k := 1 / max(rough, leastSheen)
	d := (2 + k) * pow(max(1-nh*nh, 1e-7), k/2) / (2 * math.Pi)
	return d / (4 * max(nl+nv-nl*nv, 1e-4))
}
