package wording

import (
	"fmt"
	"strings"

	"aldermoor/core/fact"
	"aldermoor/core/scale"
	"aldermoor/core/treat"
)

// Treatment names a treatment: a title in the imperative, and what it does.
type Treatment struct{ Title, Help string }

// TreatmentOf is the English of a treatment.
func TreatmentOf(k treat.Kind) Treatment {
	if t, ok := treatments[k]; ok {
		return t
	}
	return Treatment{Title: string(k)}
}

var treatments = map[treat.Kind]Treatment{
	treat.FlipNormal:          {"Flip normal direction", "For a map that was read the wrong way round."},
	treat.Renormalise:         {"Renormalise normals", "Gives every vector unit length."},
	treat.Invert:              {"Invert a map", "White becomes black. An inverted height keeps its depth."},
	treat.Rerange:             {"Re-range a map", "Spreads the values over the whole range. A height keeps its depth in millimetres."},
	treat.TakeApart:           {"Unpack maps", "Each channel becomes a grey file of its own."},
	treat.Pack:                {"Pack maps", "Up to three grey maps become the components of one file."},
	treat.OneSize:             {"Match map sizes", "Colour is resampled in linear light, normals as vectors, the rest as numbers."},
	treat.Register:            {"Align a map", "Moves it over the others by whole pixels, so that nothing is blurred."},
	treat.NormalFromHeight:    {"Make normals from height", "Central differences at true depth."},
	treat.HeightFromNormal:    {"Make height from normals", "Integrates their slopes, which also gives the depth."},
	treat.OcclusionFromHeight: {"Make occlusion from height", "Horizons in sixteen directions, in true proportion."},
	treat.NormalFromPicture:   {"Estimate normals from picture", "Dark counts as deep. The result is marked as estimated."},
	treat.NormalStrength:      {"Change relief strength", "One factor for slope and depth, so that normals and height still agree."},
	treat.CloseSeams:          {"Close seams", "Overlaps opposite edges, cuts all maps along the line where it shows least, and blends the rest in the gradients."},
	treat.LevelLight:          {"Level light", "Removes brightness that varies over more than the given length. The hue stays."},
	treat.Unband:              {"Remove 8-bit bands", "Smooths a height within half a step of the stored value, never further."},
}

// Treated is what a treatment came to, with its figures.
func Treated(f fact.Fact) string {
	v, name := f.Values, Channel
	switch f.Code {
	case "levelled":
		return fmt.Sprintf("Removed light that varies by %s over more than %.2f m.", percent(v.Num("varies")), v.Num("metres"))
	case "flipped":
		return "Flipped the green component's direction."
	case "renormalised":
		return "Every normal has unit length."
	case "inverted":
		return fmt.Sprintf("Inverted %s.", channel(v.Text("channel")))
	case "reranged":
		return fmt.Sprintf("%s: %.3f–%.3f became 0–1.", name(channelOf(v)), v.Num("from"), v.Num("to"))
	case "taken_apart":
		return "Each channel has its own file."
	case "packed":
		var list []string
		for _, c := range v.Texts("channels") {
			list = append(list, channel(c))
		}
		return fmt.Sprintf("Packed %s into one file.", strings.Join(list, ", "))
	case "resized":
		return fmt.Sprintf("All maps have %.0f × %.0f px.", v.Num("width"), v.Num("height"))
	case "shifted":
		return fmt.Sprintf("Moved %s %s.", channel(v.Text("channel")), shift(v.Num("right"), v.Num("down")))
	case "normals_made":
		return fmt.Sprintf("Made normals from a height %.1f mm deep.", 1000*v.Num("depth"))
	case "height_made":
		return fmt.Sprintf("Made a height %.1f mm deep from the normals.", 1000*v.Num("depth"))
	case "occlusion_made":
		return fmt.Sprintf("Made occlusion from the height, reaching %.0f mm.", 1000*v.Num("reach"))
	case "normals_estimated":
		return fmt.Sprintf("Estimated normals from the picture, as if it were %.1f mm deep.", 1000*v.Num("depth"))
	case "strengthened":
		return fmt.Sprintf("Slopes and depth × %.2f.", v.Num("factor"))
	case "bands_smoothed":
		return "Smoothed the height within half an 8-bit step."
	case "bands_by_normals":
		return "Took the relief of the normals within half an 8-bit step."
	case "closed":
		var parts []string
		for _, a := range [][2]string{{"x", "left and right"}, {"y", "top and bottom"}} {
			if v.Has(a[0]) {
				parts = append(parts, fmt.Sprintf("%s edges by %s", a[1], scale.Metres(v.Num(a[0]))))
			}
		}
		return fmt.Sprintf("Overlapped %s, cut all maps along one line and blended them.", strings.Join(parts, " and "))
	}
	return unknown(f)
}

// Refused is why a treatment can't be carried out, and what to do.
func Refused(f fact.Fact) string {
	v := f.Values
	title := TreatmentOf(treat.Kind(v.Text("kind"))).Title
	switch f.Code {
	case "unknown":
		return fmt.Sprintf("There is no treatment %q.", v.Text("kind"))
	case "missing":
		return fmt.Sprintf("This treatment needs a %s map, and there is none.", channel(v.Text("channel")))
	case "black":
		return "The base colour is black: there is no light to level."
	case "normal_not_inverted":
		return "A normal map can't be inverted. Flip its direction, or make it again from the height."
	case "normal_no_range":
		return "A normal map has no range. Change the relief strength instead."
	case "one_value":
		return fmt.Sprintf("%s has one value everywhere: there is no range to spread.", Channel(channelOf(v)))
	case "no_grey_map":
		return "There is no grey map to unpack."
	case "sizes_equal":
		return fmt.Sprintf("All maps have %.0f × %.0f px already.", v.Num("width"), v.Num("height"))
	case "shift_unknown":
		return fmt.Sprintf("The shift of the %s map can't be measured against the other maps. Type it in pixels.", channel(v.Text("channel")))
	case "no_other_map":
		return "There is no other map to align it with."
	case "depth_unknown":
		return "The depth of the relief is unknown. Set it first."
	case "normals_flat":
		return "The normals are flat: they hold no height."
	case "picture_flat":
		return "The picture has one colour: no relief can be estimated from it."
	case "no_seam":
		return "The edges match already: there is no seam to close."
	case "too_small":
		return "The maps are too small to overlap their edges."
	case "which_map":
		return title + ": choose a map."
	case "overlap":
		return fmt.Sprintf("%s: the overlap is at most 45\u00a0%% of a side, not %s.", title, percent(v.Num("share")))
	case "axes":
		return fmt.Sprintf("%s: the axes are x, y or xy, not %q.", title, v.Text("axes"))
	case "strength":
		return fmt.Sprintf("%s: the strength lies between 0 and 1; %g does not.", title, v.Num("strength"))
	case "factor":
		return fmt.Sprintf("%s: the factor is above 0 and at most 20, not %g.", title, v.Num("strength"))
	case "length":
		return title + ": a length can't be negative or larger than any scan."
	case "pixels":
		return title + ": a side has 16 to 16384 px."
	case "range":
		return title + ": the values go from a lower to a higher one, both between 0 and 1."
	case "how_many":
		return title + ": choose two or three grey maps."
	case "not_grey":
		return fmt.Sprintf("%s: %s is not a grey map.", title, channel(v.Text("channel")))
	}
	return unknown(f)
}
