package inspect

import (
	"slices"

	"aldermoor/core/channels"
	"aldermoor/core/fact"
)

// Kind is what a check looks for.
type Kind struct {
	Code     string
	Severity Severity // what it has until a studio decides otherwise
	Once     bool     // read from pixels or a file's header, which are not kept: a recheck keeps what was found
}

// check is a kind with the function that looks for it. Exactly one function is set, or none
// where somebody else finds it.
type check struct {
	Kind
	file   func(m *channels.Map) fact.Values           // of one map; nil: nothing found
	set    func(s *Set, files *channels.Set) []hit     // of a set's files
	pixels func(s *Set, l *surface) []hit              // of maps side by side
	kind   func(s *Set, usual *plausible) *fact.Values // of a surface of a known kind
}

// hit is one thing found: in which files, and its figures.
type hit struct {
	files  []string
	values fact.Values
}

// checks are all checks, those that weigh most first. Titles and sentences are
// internal/wording's.
func checks() []check {
	return []check{
		{Kind{"normal_object_space", Stop, true}, nil, objectSpace, nil, nil},
		{Kind{"tier_differs", Warn, true}, nil, tierDiffers, nil, nil},
		{Kind{"document_disagrees", Warn, true}, documentDisagrees, nil, nil, nil},
		{Kind{"tiles_turned", Warn, true}, nil, tilesTurned, nil, nil},
		{Kind{"orientation_differs", Warn, true}, nil, orientationDiffers, nil, nil},
		{Kind{"not_finite", Warn, true}, notFinite, nil, nil, nil},
		{Kind{"out_of_range", Warn, true}, outOfRange, nil, nil, nil},
		{Kind{"map_empty", Stop, true}, mapEmpty, nil, nil, nil},
		{Kind{"udim_missing", Warn, true}, nil, udimMissing, nil, nil},
		{Kind{"aspect_differs", Warn, false}, nil, aspectDiffers, nil, nil},
		{Kind{"seam_x", Warn, true}, nil, nil, seamX, nil},
		{Kind{"seam_y", Warn, true}, nil, nil, seamY, nil},
		{Kind{"maps_shifted", Warn, true}, nil, nil, mapsShifted, nil},
		{Kind{"baked_light", Warn, true}, bakedLight, nil, nil, nil},
		{Kind{"size_unknown", Warn, false}, nil, sizeUnknown, nil, nil},
		{Kind{"size_disagrees", Warn, false}, nil, sizeDisagrees, nil, nil},
		{Kind{"size_implausible", Warn, false}, nil, nil, nil, sizeImplausible},
		{Kind{"depth_implausible", Warn, false}, nil, nil, nil, depthImplausible},
		{Kind{"figure_implausible", Warn, false}, nil, nil, nil, nil}, // of surface figures, which a set has not: found by the library
		{Kind{"name_empty", Warn, false}, nil, nil, nil, nil},         // of a material's name, which may change: found by the library
		{Kind{"licence_missing", Warn, false}, nil, nil, nil, nil},    // of what is written about a material: found by the library
		{Kind{"category_missing", Warn, false}, nil, nil, nil, nil},   // before a release
		{Kind{"name_taken", Warn, false}, nil, nil, nil, nil},         // before a release
		{Kind{"pixels_not_square", Warn, true}, pixelsNotSquare, nil, nil, nil},
		{Kind{"missing_base_color", Warn, false}, nil, missingBaseColor, nil, nil},
		{Kind{"missing_roughness", Warn, false}, nil, missingRoughness, nil, nil},
		{Kind{"normal_direction_mismatch", Warn, false}, directionMismatch, nil, nil, nil},
		{Kind{"roughness_as_gloss", Warn, true}, nil, nil, roughnessAsGloss, nil},
		{Kind{"normal_swapped", Warn, true}, normalSwapped, nil, nil, nil},
		{Kind{"normal_curve", Warn, true}, normalCurve, nil, nil, nil},
		{Kind{"normal_not_unit", Warn, true}, normalNotUnit, nil, nil, nil},
		{Kind{"data_colour_managed", Warn, true}, dataColourManaged, nil, nil, nil},
		{Kind{"profile_unread", Warn, true}, profileUnread, nil, nil, nil},
		{Kind{"height_8bit", Warn, false}, height8Bit, nil, nil, nil},
		{Kind{"albedo_dark", Warn, true}, albedoDark, nil, nil, nil},
		{Kind{"albedo_bright", Warn, true}, albedoBright, nil, nil, nil},
		{Kind{"clipped", Warn, true}, clipped, nil, nil, nil},
		{Kind{"normals_estimated", Note, true}, nil, nil, nil, nil}, // added by the code that estimates them
		{Kind{"normal_direction_unknown", Note, false}, directionUnknown, nil, nil, nil},
		{Kind{"udim_tiles", Note, false}, nil, udimTiles, nil, nil},
		{Kind{"maps_differ_in_size", Note, false}, nil, mapsDifferInSize, nil, nil},
		{Kind{"versions_mixed", Note, true}, nil, versionsMixed, nil, nil},
		{Kind{"grey_as_colour", Note, true}, greyAsColour, nil, nil, nil},
		{Kind{"bits_empty", Note, false}, bitsEmpty, nil, nil, nil},
		{Kind{"lossy_data", Note, false}, lossyData, nil, nil, nil},
		{Kind{"wrong_ending", Note, false}, wrongEnding, nil, nil, nil},
	}
}

// Kinds are what all checks look for, those that weigh most first.
func Kinds() (list []Kind) {
	for _, c := range checks() {
		list = append(list, c.Kind)
	}
	return list
}

// KindOf is the kind of a code; a warning, if the code is not known.
func KindOf(code string) Kind {
	for _, k := range Kinds() {
		if k.Code == code {
			return k
		}
	}
	return Kind{Code: code, Severity: Warn}
}

// Check runs the checks that need no pixels beside those already measured; again leaves out
// those whose findings are kept.
func (s *Set) Check(files channels.Set, again bool) {
	for _, c := range checks() {
		if again && c.Once {
			continue
		}
		if c.set != nil {
			s.found(c.Kind, c.set(s, &files)...)
		}
		for i := range files.Maps {
			if c.file == nil {
				break
			}
			if v := c.file(&files.Maps[i]); v != nil {
				s.found(c.Kind, hit{[]string{files.Maps[i].File}, v})
			}
		}
	}
}

// checkPixels runs the checks of maps side by side.
func (s *Set) checkPixels(l *surface) {
	for _, c := range checks() {
		if c.pixels != nil {
			s.found(c.Kind, c.pixels(s, l)...)
		}
	}
}

// found adds findings, each once: two maps of one packed file may say the same.
func (s *Set) found(k Kind, hits ...hit) {
	for _, h := range hits {
		if h.files == nil {
			h.files = []string{}
		}
		f := Finding{Code: k.Code, Severity: k.Severity, Maps: h.files, Figures: h.values}
		if !slices.ContainsFunc(s.Findings, func(g Finding) bool {
			return g.Code == f.Code && slices.Equal(g.Maps, f.Maps) && g.Figures.Equal(f.Figures)
		}) {
			s.Findings = append(s.Findings, f)
		}
	}
}
