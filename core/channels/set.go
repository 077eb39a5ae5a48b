package channels

import (
	"cmp"
	"math"
	"path"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/normals"
)

// File is one file of a delivery. Look is nil if it is not a picture.
type File struct {
	Path string
	Look *Look
}

// Map is one map of a set: a file, or a component of one.
type Map struct {
	File      string
	Component string // rgb, r, g, b or a
	Verdict
	Look    Look
	Tier    string
	UDIM    string
	Version string            // the version or date that the name gives
	Claim   normals.Direction // the direction that the name gives
	Facing  normals.Direction // the direction decided on, of normal maps
	Sure    float64           // confidence in Facing
	Tiles   []Tile            // of UDIM maps: all tiles, the first included

	Said   material.Channel // what a document says that it is, where pixels or the answer are against it; None otherwise
	SaidBy string           // that document

	Shared  string // the name of the set that the file belongs to, of a map that a variant shares
	stated  bool   // its name says what it is, or that it is something which nobody knows
	copied  bool   // its name says that it is a copy
	part    bool   // one of several components of a packed map
	Decided bool   // a person has said which channel it is
}

// Tile is one UDIM tile of a map.
type Tile struct {
	UDIM string `json:"udim"`
	File string `json:"file"`
}

// addTile takes another tile into a map. The lowest number leads.
func (m *Map) addTile(o Map) {
	if m.Tiles == nil {
		m.Tiles = []Tile{{m.UDIM, m.File}}
	}
	tiles := append(m.Tiles, Tile{o.UDIM, o.File})
	slices.SortFunc(tiles, func(a, b Tile) int { return cmp.Compare(a.UDIM, b.UDIM) })
	if o.UDIM < m.UDIM {
		*m = o
	}
	m.Tiles = tiles
}

// Attachment is a file that is no map of the set, named as what it is.
type Attachment struct {
	File    string   `json:"file"`
	Kind    string   `json:"kind"`              // preview, licence, notes, lower_tier or other
	Reasons []Reason `json:"reasons,omitempty"` // why it is that
}

// Set is a texture set.
type Set struct {
	Name        string
	Maps        []Map
	Attachments []Attachment
	Unassigned  []string    // pictures that could be maps, but of no channel that is free
	Refused     []string    // normal maps of a whole object (object space), which no surface can use
	Unlike      [][2]string // a map, and a smaller tier or mirrored copy that shows something else
	Turned      [][2]string // UDIM tiles of one normal map whose directions differ

	Why map[string][]Reason // of Unassigned: why no channel is theirs
}

// Map returns the set's map of a channel, or nil.
func (s *Set) Map(c material.Channel) *Map {
	for i := range s.Maps {
		if s.Maps[i].Channel == c {
			return &s.Maps[i]
		}
	}
	return nil
}

// Workflow is metal_rough, spec_gloss or plain.
func (s *Set) Workflow() string {
	switch {
	case s.Map(material.Specular) != nil && s.Map(material.Glossiness) != nil && s.Map(material.Metallic) == nil:
		return "spec_gloss"
	case len(s.Maps) > 0:
		return "metal_rough"
	}
	return "plain"
}

// Address names a picture of a file that may hold several: its path, and behind
// a "#" its layer.
func Address(file, layer string) string {
	if layer == "" {
		return file
	}
	return file + "#" + layer
}

func (f File) address() string {
	if f.Look == nil {
		return f.Path
	}
	return Address(f.Path, f.Look.Info.Layer)
}

// named is the path under which a picture is judged by its name: a layer's name
// counts like the end of a file's.
func named(f File) string {
	layer := f.Look.Info.Layer
	if layer == "" {
		return f.Path
	}
	ext := path.Ext(f.Path)
	return strings.TrimSuffix(f.Path, ext) + "_" + strings.ReplaceAll(layer, "/", "_") + ext
}

func (m Map) address() string { return Address(m.File, m.Look.Info.Layer) }

func (m Map) area() int { return m.Look.Info.W * m.Look.Info.H }

func (m Map) deep() int {
	if m.Channel == material.Height || m.Channel == material.Normal {
		return m.Look.Info.Bits
	}
	return 8
}

// sameShape says whether two maps have the same ratio of sides, within 2 % or a
// pixel of the smaller.
func (m Map) sameShape(o Map) bool {
	a, b := m.Look.Info, o.Look.Info
	if a.W*a.H < b.W*b.H {
		a, b = b, a
	}
	h := float64(b.W) * float64(a.H) / float64(a.W)
	return math.Abs(h-float64(b.H)) <= max(0.02*h, 1)
}

// face decides the direction of a normal map: its pixels go before its name.
func (m *Map) face() {
	m.Facing, m.Sure = m.Look.Direction, m.Look.DirectionConfidence
	if m.Facing != normals.Unknown {
		m.Reasons = append(m.Reasons, Because("pixels", material.Normal, m.Sure, "slopes", "direction", m.Facing.String()))
	}
	switch {
	case m.Claim == normals.Unknown:
	case m.Facing == normals.Unknown:
		m.Facing, m.Sure = m.Claim, 0.6
		m.Reasons = append(m.Reasons, Because("name", material.Normal, 0.6, "name_points", "direction", m.Claim.String()))
	case m.Claim == m.Facing:
		m.Reasons = append(m.Reasons, Because("name", material.Normal, 0.6, "name_points", "direction", m.Claim.String()))
	default:
		m.Reasons = append(m.Reasons, Because("name", material.Normal, -0.6, "name_points", "direction", m.Claim.String()))
	}
}
