package treat

import (
	"aldermoor/core/material"
	"fmt"
	"slices"
)

// Kind names a treatment.
type Kind string

// The treatments.
const (
	FlipNormal          Kind = "flip_normal"
	Renormalise         Kind = "renormalise"
	Invert              Kind = "invert"
	Rerange             Kind = "rerange"
	TakeApart           Kind = "take_apart"
	Pack                Kind = "pack"
	OneSize             Kind = "one_size"
	Register            Kind = "register"
	NormalFromHeight    Kind = "normal_from_height"
	HeightFromNormal    Kind = "height_from_normal"
	OcclusionFromHeight Kind = "occlusion_from_height"
	NormalFromPicture   Kind = "normal_from_picture"
	NormalStrength      Kind = "normal_strength"
	CloseSeams          Kind = "close_seams"
	LevelLight          Kind = "level_light"
	Unband              Kind = "unband"
)

// Step is one treatment with what it was told. Fields that its kind does not know are
// zero; a zero field leaves the choice to the treatment.
type Step struct {
	Kind     Kind               `json:"kind"`
	Channel  material.Channel   `json:"channel,omitempty"`  // which map: invert, rerange, register
	Channels []material.Channel `json:"channels,omitempty"` // pack: what goes into red, green and blue
	Low      float64            `json:"low,omitempty"`      // rerange: the stored value that becomes 0
	High     float64            `json:"high,omitempty"`     // rerange: the one that becomes 1; both 0: what occurs
	Pixels   int                `json:"pixels,omitempty"`   // one_size: the longer side
	Axes     string             `json:"axes,omitempty"`     // close_seams: x, y or xy; empty for those that do not meet
	Overlap  float64            `json:"overlap,omitempty"`  // close_seams: the most of a side that may be given up, 0..0.45
	Metres   float64            `json:"metres,omitempty"`   // level_light: what is wider is light; occlusion_from_height: how far shade reaches
	Strength float64            `json:"strength,omitempty"` // level_light: 0..1; normal_strength: the factor
	DepthM   float64            `json:"depth_m,omitempty"`  // normal_from_picture, normal_from_height: metres
	ShiftX   float64            `json:"shift_x,omitempty"`  // register: pixels of the map to the right, and
	ShiftY   float64            `json:"shift_y,omitempty"`  // down; both 0: as measured
}

// kind is what is known of a treatment.
type kind struct {
	title  string // in the imperative
	help   string
	params []string // JSON names of the step's fields that it reads
	scaled bool     // what it does depends on size and depth
	decide func(Step, *Scan) (operation, error)
}

// kinds is filled here, in one place, so that the list reads as a table of contents.
var kinds = map[Kind]kind{
	FlipNormal:          {"Flip the normal's direction", "For a map that was read the wrong way round: what faced up faces down.", nil, false, flipNormal},
	Renormalise:         {"Renormalise the normals", "Every vector gets length one again.", nil, false, renormalise},
	Invert:              {"Invert a map", "White becomes black. A height that is inverted keeps its depth.", []string{"channel"}, false, invert},
	Rerange:             {"Re-range a map", "Spreads what occurs over the whole range. A height keeps its depth in millimetres.", []string{"channel", "low", "high"}, false, rerange},
	TakeApart:           {"Take packed maps apart", "Each channel becomes a grey file of its own.", nil, false, takeApart},
	Pack:                {"Pack maps into one file", "Up to three grey maps as the components of one.", []string{"channels"}, false, pack},
	OneSize:             {"Bring all maps to one size", "Colour in linear light, normals as vectors, the rest as numbers.", []string{"pixels"}, false, oneSize},
	Register:            {"Shift a map into register", "Moves it over the others, in whole pixels, so that nothing is blurred.", []string{"channel", "shift_x", "shift_y"}, false, register},
	NormalFromHeight:    {"Make the normals from the height", "By central differences at true depth.", []string{"depth_m"}, true, normalFromHeight},
	HeightFromNormal:    {"Make the height from the normals", "By integrating their slopes: the depth follows.", nil, true, heightFromNormal},
	OcclusionFromHeight: {"Make the occlusion from the height", "By the horizon in sixteen directions, in true proportion.", []string{"metres"}, true, occlusionFromHeight},
	NormalFromPicture:   {"Estimate the normals from the picture", "Dark is taken for deep. It is a guess, and marked as one.", []string{"depth_m"}, true, normalFromPicture},
	NormalStrength:      {"Strengthen or soften the relief", "One factor for slope and depth, so that normals and height still agree.", []string{"strength"}, false, normalStrength},
	CloseSeams:          {"Close the seams", "Lays one edge over the other, cuts all maps along the same line where it shows least, and mends the rest in the gradients.", []string{"axes", "overlap"}, false, closeSeams},
	LevelLight:          {"Level the light", "Takes out of the colour what is wider than the given length; the hue stays.", []string{"metres", "strength"}, true, levelLight},
	Unband:              {"Remove the 8-bit bands from the height", "Smooths within half a step of what was stored, never further.", nil, false, unband},
}

// Kinds are all treatments in the order in which people read them.
func Kinds() []Kind {
	return []Kind{CloseSeams, LevelLight, Register, OneSize, Unband, FlipNormal, Renormalise, NormalStrength, NormalFromHeight, HeightFromNormal,
		OcclusionFromHeight, NormalFromPicture, Invert, Rerange, TakeApart, Pack}
}

// Title is the treatment in words, in the imperative; Help says what it does.
func (k Kind) Title() string { return kinds[k].title }

// Help says in a sentence what the treatment does.
func (k Kind) Help() string { return kinds[k].help }

// Params are the JSON names of the fields that the treatment reads.
func (k Kind) Params() []string { return kinds[k].params }

// Scaled says whether what the treatment does depends on the material's size or depth,
// so that it has to be done again when they change.
func (k Kind) Scaled() bool { return kinds[k].scaled }

// Valid says what is wrong with a step's figures, or nothing.
func (s Step) Valid() error {
	k, ok := kinds[s.Kind]
	bad := func(says string, args ...any) error { return Invalid{Says: fmt.Sprintf(says, args...)} }
	if !ok {
		return bad("There is no treatment called %q.", s.Kind)
	}
	if slices.Contains(k.params, "channel") {
		if _, ok := material.Parse(string(s.Channel)); !ok {
			return bad("%s: say which map.", k.title)
		}
	}
	switch {
	case s.Overlap < 0 || s.Overlap > 0.45:
		return bad("%s: up to 45 %% of a side can be given up, not %.0f %%.", k.title, 100*s.Overlap)
	case s.Axes != "" && s.Axes != "x" && s.Axes != "y" && s.Axes != "xy":
		return bad("%s: the axes are x, y or xy, not %q.", k.title, s.Axes)
	case s.Kind == LevelLight && (s.Strength < 0 || s.Strength > 1):
		return bad("%s: the strength is between 0 and 1, not %g.", k.title, s.Strength)
	case s.Kind == NormalStrength && !(s.Strength > 0 && s.Strength <= 20):
		return bad("%s: the factor is above 0 and at most 20, not %g.", k.title, s.Strength)
	case s.Metres < 0 || s.DepthM < 0 || s.Metres > 1000 || s.DepthM > 100:
		return bad("%s: a length can't be less than nothing, or larger than any scan.", k.title)
	case s.Pixels < 0 || s.Pixels > 16384 || s.Pixels > 0 && s.Pixels < 16:
		return bad("%s: a side has between 16 and 16384 pixels.", k.title)
	case s.Kind == Rerange && (s.Low != 0 || s.High != 0) && !(s.High > s.Low && s.Low >= 0 && s.High <= 1):
		return bad("%s: the values go from a lower one to a higher one, both between 0 and 1.", k.title)
	case s.Kind == Pack && (len(s.Channels) < 2 || len(s.Channels) > 3):
		return bad("%s: name two or three grey maps.", k.title)
	}
	for _, c := range s.Channels {
		if !c.Grey() {
			return bad("%s: %s is not a grey map.", k.title, c)
		}
	}
	return nil
}
