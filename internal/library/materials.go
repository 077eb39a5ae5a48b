package library

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/inspect"
	"aldermoor/core/scale"
)

// Invalid is something that a person asked for and that can't be; it says why
// and what to do.
type Invalid struct{ Says string }

func (e Invalid) Error() string { return e.Says }

// Material returns a draft.
func (s *Service) Material(ctx context.Context, id int64) (m Material, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { m, err = tx.Material(id); return err })
	return m, err
}

// Drafts are the materials on the Bench, the latest first.
func (s *Service) Drafts(ctx context.Context, limit int) (list []Material, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { list, err = tx.Drafts(limit); return err })
	return list, err
}

// Counts are the figures in the bar on top.
type Counts struct{ Intake, Bench, Library int }

// Counts says how much there is to do and to find.
func (s *Service) Counts(ctx context.Context) (c Counts, err error) {
	err = s.Store.Read(ctx, func(tx Tx) (err error) { c.Intake, c.Bench, err = tx.CountMaterials(); return err })
	c.Library = s.index.size()
	return c, err
}

// Change is what is asked to be changed of a material; nil leaves a thing as it
// is. Lengths may be given as text with units, or in metres.
type Change struct {
	Name       *string   `json:"name"`
	Tags       *[]string `json:"tags"`
	Categories *[]string `json:"categories"`
	Width      *Length   `json:"width_m"`
	Height     *Length   `json:"height_m"`
	Depth      *Length   `json:"depth_m"`
	ModuleA    *Length   `json:"module_a_m"`  // how long the first step of the pattern is: the size follows
	ModuleB    *Length   `json:"module_b_m"`  // the second
	Line       *Line     `json:"line"`        // a measured line: the size follows from it and those before
	SizeSource *string   `json:"size_source"` // take the evidence of that source
	Licence    *string   `json:"licence"`
	Author     *string   `json:"author"`
	Rights     *string   `json:"rights"`
	Contact    *string   `json:"contact_class"`
	Captured   *string   `json:"captured"`
	KeepRatio  *bool     `json:"keep_ratio"` // width or height alone carries the other along
}

// Line is a line over the maps, in shares of their width and height from the upper
// left, and how long it is in reality.
type Line struct {
	X0     float64 `json:"x0"`
	Y0     float64 `json:"y0"`
	X1     float64 `json:"x1"`
	Y1     float64 `json:"y1"`
	Length Length  `json:"length_m"`
}

// Length is a length in metres, in JSON a figure or text with a unit.
type Length float64

// UnmarshalJSON reads 1.8 or "180 cm".
func (l *Length) UnmarshalJSON(data []byte) error {
	if len(data) > 0 && data[0] == '"' {
		text, err := strconv.Unquote(string(data))
		if err != nil {
			return err
		}
		m, err := scale.ParseLength(text)
		if err != nil {
			return Invalid{err.Error() + "."}
		}
		*l = Length(m)
		return nil
	}
	var m float64
	if err := json.Unmarshal(data, &m); err != nil {
		return Invalid{fmt.Sprintf("%s is not a length: write 1.8 or \"180 cm\".", data)}
	}
	if !(m > 0) || m > 1e6 {
		return Invalid{fmt.Sprintf("A length must be greater than zero; %v is not.", m)}
	}
	*l = Length(m)
	return nil
}

// Contacts are the contact classes: what a surface is to the ear and the foot.
var Contacts = []string{"soft mud", "wet sand", "loose stone", "hard stone", "rough stone", "wet stone", "thin stone", "packed earth", "hollow timber",
	"solid timber", "thin metal", "thick metal", "hard tile", "dry plaster", "dry straw", "rope", "cloth", "carpet", "glass", "water"}

// Patch changes a material. version is the one that the caller has seen, or 0 to
// change whatever there is.
func (s *Service) Patch(ctx context.Context, id, version int64, by string, c Change) (m Material, err error) {
	err = s.Store.Write(ctx, func(tx Tx) error {
		if m, err = tx.Material(id); err != nil {
			return err
		}
		if version != 0 && version != m.Version {
			return ErrStale
		}
		look := m.LookKey()
		if err := m.apply(c); err != nil {
			return err
		}
		m.recheck()
		m.Updated = s.Now()
		if err := tx.SaveMaterial(&m); err != nil {
			return err
		}
		if m.LookKey() != look && m.Stage == Accepted {
			return tx.AddJob(JobPicture, strconv.FormatInt(id, 10), 4)
		}
		return nil
	})
	if err == nil {
		s.Wake()
		s.changed("material:%d", id)
	}
	return m, err
}

func (m *Material) apply(c Change) error {
	text := func(to *string, from *string, what string, limit int) error {
		if from == nil {
			return nil
		}
		v := strings.TrimSpace(*from)
		if len(v) > limit {
			return Invalid{fmt.Sprintf("The %s has more than %d bytes; shorten it.", what, limit)}
		}
		*to = v
		return nil
	}
	if c.Name != nil && strings.TrimSpace(*c.Name) == "" {
		return Invalid{"A material needs a name."}
	}
	if err := errors.Join(text(&m.Name, c.Name, "name", 200), text(&m.Licence, c.Licence, "licence", 100), text(&m.Author, c.Author, "author", 200),
		text(&m.Rights, c.Rights, "rights note", 4000), text(&m.Contact, c.Contact, "contact class", 60), text(&m.Captured, c.Captured, "capture date", 40)); err != nil {
		return err
	}
	if c.Tags != nil {
		m.Tags = tidy(*c.Tags, strings.ToLower)
	}
	if c.Categories != nil {
		m.Categories = tidy(*c.Categories, func(s string) string { return s })
	}
	if c.SizeSource != nil {
		found := false
		for _, e := range m.Report.SizeEvidence {
			if string(e.Source) == *c.SizeSource {
				m.Size, _, _ = scale.Mean(m.Report.SizeEvidence, e.Source)
				m.SizeSource, found = e.Source, true
				break
			}
		}
		if !found {
			return Invalid{fmt.Sprintf("There is no evidence of the size called %q.", *c.SizeSource)}
		}
	}
	if err := m.measure(c); err != nil {
		return err
	}
	if c.Width != nil || c.Height != nil {
		m.resize(c)
	}
	m.rescale()
	if c.Depth != nil {
		m.Depth, m.DepthSource = float64(*c.Depth), string(scale.FromPerson)
	}
	return nil
}

// measure takes a measured line or the length of a step of the pattern as evidence of
// the size, and goes by it. Several lines are averaged.
func (m *Material) measure(c Change) error {
	w, h := m.Pixels()
	aspect := 1.0
	if m.Size.Known() && w > 0 {
		aspect = m.Size.H / float64(h) / (m.Size.W / float64(w))
	}
	take := func(e scale.Evidence, ok bool, what string) error {
		if !ok {
			return Invalid{fmt.Sprintf("%s is too short to measure by, or the size that follows is not plausible.", what)}
		}
		m.Report.SizeEvidence = append(m.Report.SizeEvidence, e)
		m.Size, _, _ = scale.Mean(m.Report.SizeEvidence, e.Source)
		m.SizeSource = e.Source
		return nil
	}
	if l := c.Line; l != nil {
		if m.SizeSource != scale.FromMeasure { // lines from before another answer was taken are old
			m.Report.SizeEvidence = slices.DeleteFunc(m.Report.SizeEvidence, func(e scale.Evidence) bool { return e.Source == scale.FromMeasure })
		}
		e, ok := scale.LineEvidence(w, h, (l.X1-l.X0)*float64(w), (l.Y1-l.Y0)*float64(h), float64(l.Length), aspect)
		if err := take(e, ok, "The line"); err != nil {
			return err
		}
	}
	for i, step := range []*Length{c.ModuleA, c.ModuleB} {
		if step == nil {
			continue
		}
		if m.Report.Period == nil || m.Report.Period[i] == [2]float64{} {
			return Invalid{fmt.Sprintf("%s has no such pattern.", m.Name)}
		}
		m.Report.SizeEvidence = slices.DeleteFunc(m.Report.SizeEvidence, func(e scale.Evidence) bool { return e.Source == scale.FromModule })
		e, ok := scale.ModuleEvidence(w, h, m.Report.Period[i], float64(*step), aspect)
		if err := take(e, ok, "The step"); err != nil {
			return err
		}
	}
	return nil
}

// resize sets a typed size. One side alone carries the other along, by the
// pixels' ratio, unless both are known and the ratio is not to be kept.
func (m *Material) resize(c Change) {
	w, h := m.Pixels()
	ratio := float64(h) / float64(max(w, 1))
	if m.Size.Known() {
		ratio = m.Size.H / m.Size.W
	}
	keep := !m.Size.Known() || (c.KeepRatio != nil && *c.KeepRatio)
	switch {
	case c.Width != nil && c.Height != nil:
		m.Size = scale.Size{W: float64(*c.Width), H: float64(*c.Height)}
	case c.Width != nil:
		m.Size.W = float64(*c.Width)
		if keep {
			m.Size.H = m.Size.W * ratio
		}
	default:
		m.Size.H = float64(*c.Height)
		if keep {
			m.Size.W = m.Size.H / ratio
		}
	}
	m.SizeSource = scale.FromPerson
}

// rescale brings a depth that the normals gave along with the size.
func (m *Material) rescale() {
	if m.Relief.Value > 0 && m.Size.Known() && (m.DepthSource == "normals" || m.Depth == 0) {
		m.Depth, m.DepthSource = m.Relief.Value*m.Size.W, "normals"
	}
}

func tidy(list []string, fold func(string) string) []string {
	out := []string{}
	for _, v := range list {
		v = fold(strings.Join(strings.Fields(v), " "))
		if v != "" && len(v) <= 60 && !slices.Contains(out, v) {
			out = append(out, v)
		}
	}
	slices.Sort(out)
	return out
}

// recheck runs the checks again after something was changed by hand.
func (m *Material) recheck() {
	m.Report.Size = inspect.Size{Source: m.SizeSource}
	if m.Size.Known() {
		m.Report.Size.Width, m.Report.Size.Height = &m.Size.W, &m.Size.H
	}
	var maps []channels.Map
	for _, p := range m.Assigned() {
		cm := channels.Map{File: p.File, Component: p.Component, Claim: p.Claim, Facing: p.Direction, Sure: p.DirectionConfidence,
			Verdict: channels.Verdict{Channel: p.Channel, Confidence: p.Confidence}}
		in := &cm.Look.Info
		in.W, in.H, in.Bits, in.Format, in.Components, in.Float, in.Layer = p.Width, p.Height, p.Bits, codec.Format(p.Format), len(p.Stats.Mean), p.Float, p.Layer
		if cm.Look.TrueBits = p.TrueBits; p.TrueBits == 0 { // kept since it is known
			cm.Look.TrueBits = p.Bits
		}
		maps = append(maps, cm)
	}
	kept := m.Report.Findings
	m.Report.Findings = []inspect.Finding{}
	m.Report.Check(channels.Set{Maps: maps})
	// What was read from a file's header or its pixels is not kept with the map: those
	// findings stay.
	for _, f := range kept {
		switch f.Code {
		case "data_colour_managed", "pixels_not_square", "tier_differs", "normal_object_space",
			"albedo_dark", "albedo_bright", "baked_light", "normal_not_unit", "grey_as_colour", "seam_x", "seam_y", "maps_shifted":
			m.Report.Findings = append(m.Report.Findings, f)
		}
	}
	// A size that somebody has decided on ends the doubt between the answers.
	if m.SizeSource == scale.FromPerson || m.SizeSource == scale.FromMeasure || m.SizeSource == scale.FromModule {
		m.Report.Findings = slices.DeleteFunc(m.Report.Findings, func(f inspect.Finding) bool { return f.Code == "size_disagrees" })
	}
	set := channels.Set{Maps: maps}
	m.Report.Workflow = set.Workflow()
	m.Doubts = m.doubts()
}

func withoutRules(rs []channels.Reason) []channels.Reason {
	return slices.DeleteFunc(slices.Clone(rs), func(r channels.Reason) bool { return r.Kind == "rule" })
}
