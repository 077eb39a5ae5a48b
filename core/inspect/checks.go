package inspect

import (
	"fmt"
	"slices"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/tiling"
)

// Kind is what a check looks for. The severity is what it has until a studio decides
// otherwise; Reason says from where on it is found, and why there.
type Kind struct {
	Code     string
	Severity Severity
	Title    string
	Reason   string
}

// Kinds are all checks, those that weigh most first.
func Kinds() []Kind {
	return []Kind{
		{"normal_object_space", Stop, "A normal map is in object space", "It belongs to the model that it was made on: on any other surface it lights wrongly."},
		{"tier_differs", Warn, "A tier shows something else", "A smaller tier must be the larger one made small; otherwise one of them is of another scan."},
		{"not_finite", Warn, "Samples are not finite", "From one NaN or infinite sample on: renderers turn them black or spread them. They are replaced by the mean of their neighbours."},
		{"map_empty", Stop, "A map is empty", "A base colour, normal or height of one value everywhere says nothing: its export failed."},
		{"seam_x", Warn, "Left and right do not meet", "Below a score of 0.40: of a hundred edges that meet, one scores lower."},
		{"seam_y", Warn, "Top and bottom do not meet", "Below a score of 0.40: of a hundred edges that meet, one scores lower."},
		{"maps_shifted", Warn, "Maps do not lie on each other", "From a pixel and a half at 1024 on, when the shift stands out of chance twelvefold."},
		{"baked_light", Warn, "There is light in the colour", "From a rise of 35 % towards one place, in red, green and blue alike, if that explains a third of all that varies: every repeat shows it."},
		{"size_unknown", Warn, "Nobody has said how large it is", "Without a size nothing can be laid at true scale."},
		{"size_disagrees", Warn, "The answers on its size differ", "From 5 % on, which is a brick in twenty."},
		{"size_implausible", Warn, "The size is not that of its kind", "Outside what scans of its category cover: mostly a slip of the decimal point."},
		{"depth_implausible", Warn, "The depth is not that of its kind", "Outside what surfaces of its category have: mostly a wrong unit or normal strength."},
		{"pixels_not_square", Warn, "Its pixels are not square", "From 1 % between the axes on, by the resolution tag."},
		{"missing_base_color", Warn, "There is no base colour", "A renderer shows grey."},
		{"missing_roughness", Warn, "There is no roughness", "A renderer guesses how it shines."},
		{"normal_direction_mismatch", Warn, "The normals point the other way than named", "By the curl of their slopes, which only one direction can make small."},
		{"roughness_as_gloss", Warn, "The roughness reads as glossiness", "From odds of three to one on, by its level, its hollows and its metal: a wall would look wet."},
		{"normal_not_unit", Warn, "Normals are no unit vectors", "From one pixel in ten on: the map was scaled or mixed without being normalised again."},
		{"data_colour_managed", Warn, "Data went through colour management", "A colour profile on a data map: its values may have been changed on the way."},
		{"height_8bit", Warn, "The height has 8 bits", "256 steps show as terraces at a low sun, whatever the depth."},
		{"albedo_dark", Warn, "The colour is darker than surfaces are", "Below sRGB 30 on average: no dry surface but soot is."},
		{"albedo_bright", Warn, "The colour is brighter than surfaces are", "Above sRGB 240 on average: fresh snow has that."},
		{"clipped", Warn, "A map is clipped", "From one sample in twenty at its end on, where the neighbouring values are rare: what lay beyond is lost."},
		{"normals_estimated", Note, "The normals are a guess", "They were made of a picture, not measured."},
		{"normal_direction_unknown", Note, "The normals are too flat to tell their direction", "Below a curl of chance."},
		{"maps_differ_in_size", Note, "The maps come in different sizes", "Detail of the larger ones has no counterpart in the smaller."},
		{"grey_as_colour", Note, "A grey map is stored as colour", "Three times the memory for nothing."},
		{"bits_empty", Note, "A 16-bit map was made of 8", "The rest is empty."},
		{"lossy_data", Note, "A data map is in a lossy format", "Its values are only near what was measured."},
		{"wrong_ending", Note, "A file is not what its ending says", "It was read as what it is."},
	}
}

// PlainSeverity is what a finding weighs if the studio has not said otherwise.
func PlainSeverity(code string) Severity {
	for _, k := range Kinds() {
		if k.Code == code {
			return k.Severity
		}
	}
	return Warn
}

// Meets is the seam score above which an axis counts as repeating.
const Meets = seamAt

// Again examines maps that were made or mended: all checks, tiling, pattern and depth, for
// a size that is decided.
func Again(set channels.Set, size Size, level Level) Set {
	out := Set{Name: set.Name, Maps: []Map{}, Workflow: set.Workflow(), Size: size, Findings: []Finding{}, Seams: []tiling.Place{}}
	for _, m := range set.Maps {
		out.Maps = append(out.Maps, mapOf(m))
	}
	out.Check(set)
	out.depth(set.Maps, level)
	out.examine(set.Maps, level)
	return out
}

// range of what is plausible: metres of one repeat, metres of depth.
type likely struct {
	word        string
	least, most float64 // of the longer side
	flat, deep  float64
}

// plausible is by the words of categories and tags, the more exact first.
func plausible() []likely {
	return []likely{
		{"terrazzo", 0.2, 8, 0, 0.002}, {"tile", 0.1, 8, 0, 0.02}, {"floor", 0.2, 12, 0, 0.03}, {"fabric", 0.02, 6, 0, 0.02}, {"cloth", 0.02, 6, 0, 0.02}, {"textile", 0.02, 6, 0, 0.05}, {"rope", 0.05, 6, 0.0005, 0.15},
		{"thatch", 0.3, 12, 0.003, 0.5}, {"roof", 0.2, 15, 0, 0.4}, {"masonry", 0.2, 15, 0.0003, 0.4}, {"brick", 0.2, 15, 0.0003, 0.2}, {"timber", 0.1, 12, 0, 0.25}, {"wood", 0.1, 12, 0, 0.25},
		{"metal", 0.05, 15, 0, 0.2}, {"plaster", 0.2, 12, 0, 0.08}, {"ground", 0.3, 40, 0.0005, 1.5}, {"path", 0.3, 40, 0.0005, 1}, {"stone", 0.1, 20, 0, 0.6}, {"glass", 0.05, 8, 0, 0.03},
	}
}

// Plausible adds findings where size or depth can't be those of such a surface. Words
// are its categories and tags.
func (s *Set) Plausible(words []string) {
	s.Findings = slices.DeleteFunc(s.Findings, func(f Finding) bool { return f.Code == "size_implausible" || f.Code == "depth_implausible" })
	for _, l := range plausible() {
		if !slices.ContainsFunc(words, func(w string) bool { return strings.Contains(strings.ToLower(w), l.word) }) {
			continue
		}
		if s.Size.Width != nil {
			if long := max(*s.Size.Width, *s.Size.Height); long < l.least || long > l.most {
				s.Findings = append(s.Findings, Finding{"size_implausible", Warn, []string{}, fmt.Sprintf("One repeat of %s is hardly %.3g m wide: between %.3g and %.3g m would be expected.", l.word, long, l.least, l.most)})
			}
		}
		if d := s.Depth; d != nil && (d.Value < l.flat || d.Value > l.deep) {
			s.Findings = append(s.Findings, Finding{"depth_implausible", Warn, []string{}, fmt.Sprintf("%.3g mm is hardly the depth of %s: between %.3g and %.3g mm would be expected.", 1000*d.Value, l.word, 1000*l.flat, 1000*l.deep)})
		}
		return
	}
}
