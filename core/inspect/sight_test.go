package inspect

import (
	"testing"

	"aldermoor/core/station"
)

// What was seen on walls of four metres that were lit from the upper left and looked at one by one. Bounds of Shows.
var (
	isPlain   = [2]float64{1.8, 99}
	isNoticed = [2]float64{0.9, 2.05}
	isFaint   = [2]float64{0, 1.6}
)

// From where the repetition shows agrees with what was seen, as soon as two repeats are in sight.
func TestRepetitionAgreesWithTheEye(t *testing.T) {
	seen := map[string][2]float64{
		"slates_round": isPlain, "flashing_copper": isPlain, "plate_sluice": isPlain, "limewash_crack": isPlain, "chainplate_rust": isPlain,
		"elm_herringbone": isPlain, "lead_rolls": isPlain, "hull_clinker": isPlain, "quarry_glazed": isPlain, "rope_mat": isPlain,
		"rubble_limewash": isNoticed, "bank_shingle": isNoticed, "setts_moss": isNoticed, "terrazzo_office": isNoticed, "jetty_plank": isNoticed,
		"path_oyster": isFaint, "sailcloth": isNoticed, "grating_iron": isNoticed, "weatherboard_tar": isNoticed, "thatch_reed": isNoticed,
		"gravel_pea": isFaint, "mudflat_ripple": isFaint, "sack_hessian": isFaint, "tile_encaustic": isFaint,
	}
	w := station.NewWriter()
	for i, m := range station.Materials() {
		want, ok := seen[m.Slug]
		if !ok {
			continue
		}
		files, err := w.Files(station.Take(m, station.Options{Px: 512, Seed: uint32(i)}), m.Slug)
		if err != nil {
			t.Fatal(err)
		}
		r := examine(t, files).Sets[0].Repetition
		if r == nil {
			t.Errorf("%s: nothing was measured", m.Slug)
			continue
		}
		at := 1.8 * m.Size.W
		got := r.Shows(m.Size.W, at)
		if got < want[0] || got > want[1] {
			t.Errorf("%s shows by %.2f from %.1f m; by the eye %v", m.Slug, got, at, want)
		}
		if from, ok := r.From(m.Size.W, 1); want == isPlain && (!ok || from > 2*m.Size.W) {
			t.Errorf("%s: plain to the eye, but noticed from %.1f m only", m.Slug, from)
		}
	}
}
