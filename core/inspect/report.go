package inspect

import (
	"aldermoor/core/channels"
	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/core/tiling"
)

// Report is what is known of a delivery. Its JSON is a contract: keys are
// stable, and what is not known is null.
type Report struct {
	Sets   []Set     `json:"sets"`
	Failed []Failure `json:"failed"`
}

// Failure is a file that could not be read, and why.
type Failure struct {
	File  string    `json:"file"`
	Why   fact.Fact `json:"-"`
	Error string    `json:"error"` // Why in English: left to internal/wording
}

// Set is what is known of one texture set.
type Set struct {
	Name         string                       `json:"name"`
	Maps         []Map                        `json:"maps"`
	Attachments  []channels.Attachment        `json:"attachments"`
	Unassigned   []string                     `json:"unassigned"`
	Why          map[string][]channels.Reason `json:"unassigned_reasons,omitempty"` // by file: why no channel is theirs
	Workflow     string                       `json:"workflow"`
	Size         Size                         `json:"size"`
	SizeEvidence []scale.Evidence             `json:"size_evidence"`
	Density      *[2]float64                  `json:"density_px_per_m"`
	Depth        *Depth                       `json:"depth_m"`
	Tiling       *Axes                        `json:"tiling"`
	Period       *[2][2]float64               `json:"period_px"`
	Seams        []tiling.Place               `json:"seams"` // where edges that do not meet break most
	Repetition   *tiling.Repetition           `json:"repetition"`
	Findings     []Finding                    `json:"findings"`
	Settled      []Finding                    `json:"settled,omitempty"` // what a person has said not to be so, kept in case that is taken back

	Sidecar scale.Sidecar `json:"-"` // what the set's sidecar says besides its size
	Relief  *Depth        `json:"-"` // the relief's range as a share of the width, by the normals

	PeriodTrust float64 `json:"-"` // of Period, 0..1
}

// Map is one map of a set. Stats are of the stored values scaled to 0..1, per
// component of the file, before any colour conversion.
type Map struct {
	File                string            `json:"file"`
	Layer               string            `json:"layer,omitempty"` // which picture of a file that holds several
	Component           string            `json:"component"`
	Channel             material.Channel  `json:"channel"`
	Confidence          float64           `json:"confidence"`
	Reasons             []channels.Reason `json:"reasons"`
	Width               int               `json:"width"`
	Height              int               `json:"height"`
	Bits                int               `json:"bits"`
	Float               bool              `json:"float"`
	Encoding            string            `json:"encoding"`
	UDIM                *string           `json:"udim"`
	Tiles               []channels.Tile   `json:"tiles,omitempty"`   // of a map in UDIM tiles
	Curve               bool              `json:"curve,omitempty"`   // of normals that were saved with the sRGB curve; they are read without
	Swapped             bool              `json:"swapped,omitempty"` // of normals whose first two components are in each other's place; they are read in order
	Turn                int               `json:"turn,omitempty"`    // of normals whose file says that its pixels are turned, how (Exif's 2..8)
	Shared              string            `json:"shared,omitempty"`  // the set that the file belongs to, of a map that a variant shares
	Span                *[2]float64       `json:"span,omitempty"`    // of a float height map: the stored values that are the lowest and the highest point
	Zero                *float64          `json:"zero,omitempty"`    // of a height map: the share of its range that means no displacement
	Direction           *string           `json:"direction"`
	DirectionConfidence *float64          `json:"direction_confidence"`
	Stats               Stats             `json:"stats"`
}

// Stats are per component.
type Stats struct {
	Min    []float64 `json:"min"`
	Max    []float64 `json:"max"`
	Mean   []float64 `json:"mean"`
	StdDev []float64 `json:"stddev"`
}

// Size is the size to go by until somebody decides otherwise.
type Size struct {
	Width  *float64     `json:"width_m"`
	Height *float64     `json:"height_m"`
	Source scale.Source `json:"source"`
}

// Depth is what the lowest to the highest stored height means, in metres, and how far to trust
// it. Unit is the unit that a file stores heights in (m, cm or mm); "" for shares of the depth.
type Depth struct {
	Value      float64 `json:"value"`
	Confidence float64 `json:"confidence"`
	Unit       string  `json:"unit,omitempty"`
}

// Axes are figures for left–right and top–bottom.
type Axes struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// Severity says what a finding keeps one from.
type Severity string

// A note is for information, a warning wants a decision, a stop keeps a
// material from being released.
const (
	Note Severity = "note"
	Warn Severity = "warn"
	Stop Severity = "stop"
)

// Finding is what a check found.
type Finding struct {
	Code     string      `json:"code"`
	Severity Severity    `json:"severity"`
	Maps     []string    `json:"maps"`
	Figures  fact.Values `json:"figures,omitempty"`
	Says     string      `json:"says"` // in English: left to internal/wording
}
