package colour

import (
	"fmt"
	"math"
)

// The chromaticities of red, green, blue and white of spaces that files name by number or by word.
var (
	rec709    = [8]float64{0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290}
	rec2020   = [8]float64{0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290}
	displayP3 = [8]float64{0.680, 0.320, 0.265, 0.690, 0.150, 0.060, 0.3127, 0.3290}
	theatreP3 = [8]float64{0.680, 0.320, 0.265, 0.690, 0.150, 0.060, 0.314, 0.351}
	rec470M   = [8]float64{0.67, 0.33, 0.21, 0.71, 0.14, 0.08, 0.310, 0.316}
	rec470BG  = [8]float64{0.64, 0.33, 0.29, 0.60, 0.15, 0.06, 0.3127, 0.3290}
	smpte170  = [8]float64{0.630, 0.340, 0.310, 0.595, 0.155, 0.070, 0.3127, 0.3290}
)

// ACEScg are the chromaticities of AP1, the space of light that files and programs call ACEScg (ACES S-2014-004).
var ACEScg = [8]float64{0.713, 0.293, 0.165, 0.830, 0.128, 0.044, 0.32168, 0.33767}

// numbered are spaces by the numbers of ITU-T H.273, table 2.
var numbered = map[byte]struct {
	name string
	xy   [8]float64
}{
	1: {"BT.709", rec709}, 2: {"unspecified", rec709}, 4: {"BT.470M", rec470M}, 5: {"BT.470BG", rec470BG}, 6: {"SMPTE 170M", smpte170},
	7: {"SMPTE 240M", smpte170}, 9: {"BT.2020", rec2020}, 11: {"DCI-P3", theatreP3}, 12: {"Display P3", displayP3},
}

// transfers are curves by the numbers of ITU-T H.273, table 3, those for light that is shown as it is stored:
// perceptual quantisers and hybrid log-gamma, which need to know a screen, are left out.
var transfers = map[byte]struct {
	name  string
	curve Curve
}{
	1: {"BT.709", camera}, 2: {"sRGB", screen}, 4: {"gamma 2.2", Curve{G: 2.2, A: 1}}, 5: {"gamma 2.8", Curve{G: 2.8, A: 1}}, 6: {"BT.709", camera},
	8: {"linear", Curve{}}, 13: {"sRGB", screen}, 14: {"BT.2020", camera}, 15: {"BT.2020", camera},
}

var (
	screen = Curve{G: 2.4, A: 1 / 1.055, B: 0.055 / 1.055, C: 1 / 12.92, D: 0.04045}       // IEC 61966-2-1
	camera = Curve{G: 1 / 0.45, A: 1 / 1.0993, B: 0.0993 / 1.0993, C: 1 / 4.5, D: 0.08125} // the inverse of BT.709's, with its constants to four figures
)

// FromCode is the gamut of coding-independent code points (ITU-T H.273). plain says that it is sRGB's; ok is false
// for numbers that are not converted.
func FromCode(primaries, transfer byte) (g Gamut, plain, ok bool) {
	space, curve := numbered[primaries], transfers[transfer]
	if space.name == "" || curve.name == "" {
		return g, false, false
	}
	if g, _, ok = FromPrimaries(space.xy); !ok {
		return g, false, false
	}
	g.Curve = curve.curve
	return g, g.plain(), true
}

// CodeName is what code points are called in a sentence.
func CodeName(primaries, transfer byte) string {
	space, curve := numbered[primaries].name, transfers[transfer].name
	if space == "" {
		space = fmt.Sprintf("primaries %d", primaries)
	}
	switch {
	case transfer == 16:
		curve = "PQ"
	case transfer == 18:
		curve = "HLG"
	case curve == "":
		curve = fmt.Sprintf("transfer %d", transfer)
	}
	return space + ", " + curve
}

// FromGamma is the gamut of a file that gives chromaticities (zero for sRGB's) and the exponent that its samples were
// encoded with (0 for sRGB's curve). 1/2.2 is what writers of sRGB give, and stands for its curve.
func FromGamma(xy [8]float64, gamma float64) (g Gamut, plain, ok bool) {
	if xy == [8]float64{} {
		xy = rec709
	}
	if g, _, ok = FromPrimaries(xy); !ok {
		return g, false, false
	}
	switch {
	case gamma == 0 || math.Abs(gamma-1/2.2) < 0.001:
		g.Curve = screen
	case gamma < 0.1 || gamma > 10:
		return g, false, false
	case math.Abs(gamma-1) > 0.001:
		g.Curve = Curve{G: 1 / gamma, A: 1}
	}
	return g, g.plain(), true
}

// plain says whether integer samples of the gamut are sRGB's. Light, which has no curve, is not.
func (g *Gamut) plain() bool { return g.Curve.G != 0 && g.identity() }
