package treat

import (
	"slices"

	"aldermoor/core/material"
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
	params []string // JSON names of the step's fields that it reads
	scaled bool     // what it does depends on size and depth
	decide func(Step, *Scan) (operation, error)
}

// kinds is filled here, in one place, so that the list reads as a table of contents. Titles
// and explanations are internal/wording's.
var kinds = map[Kind]kind{
	FlipNormal:          {nil, false, flipNormal},
	Renormalise:         {nil, false, renormalise},
	Invert:              {[]string{"channel"}, false, invert},
	Rerange:             {[]string{"channel", "low", "high"}, false, rerange},
	TakeApart:           {nil, false, takeApart},
	Pack:                {[]string{"channels"}, false, pack},
	OneSize:             {[]string{"pixels"}, false, oneSize},
	Register:            {[]string{"channel", "shift_x", "shift_y"}, false, register},
	NormalFromHeight:    {[]string{"depth_m"}, true, normalFromHeight},
	HeightFromNormal:    {nil, true, heightFromNormal},
	OcclusionFromHeight: {[]string{"metres"}, true, occlusionFromHeight},
	NormalFromPicture:   {[]string{"depth_m"}, true, normalFromPicture},
	NormalStrength:      {[]string{"strength"}, false, normalStrength},
	CloseSeams:          {[]string{"axes", "overlap"}, false, closeSeams},
	LevelLight:          {[]string{"metres", "strength"}, true, levelLight},
	Unband:              {nil, false, unband},
}

// Kinds are all treatments in the order in which people read them.
func Kinds() []Kind {
	return []Kind{CloseSeams, LevelLight, Register, OneSize, Unband, FlipNormal, Renormalise, NormalStrength, NormalFromHeight, HeightFromNormal,
		OcclusionFromHeight, NormalFromPicture, Invert, Rerange, TakeApart, Pack}
}

// Params are the JSON names of the fields that the treatment reads.
func (k Kind) Params() []string { return kinds[k].params }

// Scaled says whether what the treatment does depends on the material's size or depth,
// so that it has to be done again when they change.
func (k Kind) Scaled() bool { return kinds[k].scaled }

// Valid says what is wrong with a step's figures, as an Invalid, or nothing.
func (s Step) Valid() error {
	k, ok := kinds[s.Kind]
	if !ok {
		return refuse("unknown", "kind", s.Kind)
	}
	bad := func(code string, pairs ...any) error { return refuse(code, append(pairs, "kind", s.Kind)...) }
	if slices.Contains(k.params, "channel") {
		if _, ok := material.Parse(string(s.Channel)); !ok {
			return bad("which_map")
		}
	}
	switch {
	case s.Overlap < 0 || s.Overlap > 0.45:
		return bad("overlap", "share", s.Overlap)
	case s.Axes != "" && s.Axes != "x" && s.Axes != "y" && s.Axes != "xy":
		return bad("axes", "axes", s.Axes)
	case s.Kind == LevelLight && (s.Strength < 0 || s.Strength > 1):
		return bad("strength", "strength", s.Strength)
	case s.Kind == NormalStrength && !(s.Strength > 0 && s.Strength <= 20):
		return bad("factor", "strength", s.Strength)
	case s.Metres < 0 || s.DepthM < 0 || s.Metres > 1000 || s.DepthM > 100:
		return bad("length")
	case s.Pixels < 0 || s.Pixels > 16384 || s.Pixels > 0 && s.Pixels < 16:
		return bad("pixels")
	case s.Kind == Rerange && (s.Low != 0 || s.High != 0) && !(s.High > s.Low && s.Low >= 0 && s.High <= 1):
		return bad("range")
	case s.Kind == Pack && (len(s.Channels) < 2 || len(s.Channels) > 3):
		return bad("how_many")
	}
	for _, c := range s.Channels {
		if !c.Grey() {
			return bad("not_grey", "channel", c)
		}
	}
	return nil
}
