package materials

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
)

// Material returns a draft.
func (s *Service) Material(ctx context.Context, p people.Principal, id int64) (m Material, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return m, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { m, err = tx.Material(id); return err })
	return m, err
}

// Namesakes are at most three accepted materials that have the material's name, capitals aside.
func (s *Service) Namesakes(ctx context.Context, p people.Principal, m *Material) (list []Namesake, err error) {
	if err := p.Need(people.SeeDrafts); err != nil {
		return nil, err
	}
	err = s.Store.Read(ctx, func(tx Reader) (err error) { list, err = tx.Namesakes(m); return err })
	return list, err
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
	Zero       *float64  `json:"zero"`        // the share of a height map's range that means no displacement
	ModuleA    *Length   `json:"module_a_m"`  // how long the first of the pattern's Steps is: the size follows
	ModuleB    *Length   `json:"module_b_m"`  // the second
	Line       *Line     `json:"line"`        // a measured line: the size follows from it and those before
	SizeSource *string   `json:"size_source"` // take the evidence of that source
	Licence    *string   `json:"licence"`
	Author     *string   `json:"author"`
	Rights     *string   `json:"rights"`
	Contact    *string   `json:"contact_class"`
	Captured   *string   `json:"captured"`
	KeepRatio  *bool     `json:"keep_ratio"` // width or height alone carries the other along

	Figures json.RawMessage `json:"figures"` // surface figures to change: null puts one back
}

// Line is a line over the maps, in shares of their width and height from the upper
// left, and how long it is in reality.
type Line struct {
	X0     float64 `json:"x0"`
	Y0     float64 `json:"y0"`
	X1     float64 `json:"x1"`
	Y1     float64 `json:"y1"`
	Length Length  `json:"length_m"`
	Axis   string  `json:"axis"` // x or y: it tells that side alone; empty for both
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
			return library.Invalid(err.Error() + ".")
		}
		*l = Length(m)
		return nil
	}
	var m float64
	if err := json.Unmarshal(data, &m); err != nil {
		return library.Invalid(fmt.Sprintf("%s is not a length: write 1.8 or \"180 cm\".", data))
	}
	if !(m > 0) || m > 1e6 {
		return library.Invalid(fmt.Sprintf("A length must be greater than zero; %v is not.", m))
	}
	*l = Length(m)
	return nil
}

// Contacts are the contact classes: what a surface is to the ear and the foot.
var Contacts = []string{"soft mud", "wet sand", "loose stone", "hard stone", "rough stone", "wet stone", "thin stone", "packed earth", "hollow timber",
	"solid timber", "thin metal", "thick metal", "hard tile", "dry plaster", "dry straw", "rope", "cloth", "carpet", "glass", "water"}

// Patch changes a material, as one step. Changes of the description and of the licence
// are recorded in the audit too.
func (s *Service) Patch(ctx context.Context, p people.Principal, of library.Seen, c Change) (m Material, err error) {
	done, err := s.Edit(ctx, p, "edit", []library.Seen{of}, func(tx Tx, list []*Material) (string, error) {
		m := list[0]
		was := m.parts()
		if err := m.apply(c); err != nil {
			return "", err
		}
		if c.Zero != nil {
			if err := m.setZero(*c.Zero); err != nil {
				return "", err
			}
		}
		now := m.parts()
		var what []string
		for _, k := range slices.Sorted(maps.Keys(now)) {
			if !bytes.Equal(was[k], now[k]) && k != partEvidence {
				what = append(what, k)
			}
		}
		if len(what) == 0 {
			return "", nil
		}
		says := strings.Join(what, ", ") + " of " + m.Name
		return says, tx.AddAudit(people.Entry(s.Now(), p.Name, "edit", m.Name, changes(was, now, what)))
	})
	if err != nil {
		return m, err
	}
	return done[0], nil
}

// changes says which figures and words changed, and how.
func changes(was, now map[string]json.RawMessage, what []string) string {
	var out []string
	for _, k := range what {
		out = append(out, differences(strings.ReplaceAll(k, "_", " "), was[k], now[k])...)
	}
	return strings.Join(out, "; ")
}

// differences says what was and what is, one for each figure of a part that has figures of its own.
func differences(name string, was, now json.RawMessage) []string {
	var a, b map[string]json.RawMessage
	if json.Unmarshal(was, &a) != nil || json.Unmarshal(now, &b) != nil || a == nil || b == nil {
		if bytes.Equal(was, now) {
			return nil
		}
		return []string{fmt.Sprintf("%s: %.300s → %.300s", name, plainly(was), plainly(now))}
	}
	keys := slices.Collect(maps.Keys(a))
	for k := range b {
		if _, ok := a[k]; !ok {
			keys = append(keys, k)
		}
	}
	slices.Sort(keys)
	var out []string
	for _, k := range keys {
		out = append(out, differences(name+", "+strings.ReplaceAll(k, "_", " "), a[k], b[k])...)
	}
	return out
}

// plainly says a part of a material in words: texts and lists as they read, nothing as
// "none", and what has parts of its own as it is kept.
func plainly(part json.RawMessage) string {
	var v any
	if len(part) > 0 && json.Unmarshal(part, &v) != nil {
		return string(part)
	}
	switch v := v.(type) {
	case nil:
		return "none"
	case string:
		if v == "" {
			return "none"
		}
		return v
	case []any:
		var words []string
		for _, w := range v {
			text, ok := w.(string)
			if !ok {
				return string(part)
			}
			words = append(words, text)
		}
		if len(words) == 0 {
			return "none"
		}
		return strings.Join(words, ", ")
	}
	return string(part)
}

func (m *Material) apply(c Change) error {
	text := func(to *string, from *string, what string, limit int) error {
		if from == nil {
			return nil
		}
		v := strings.TrimSpace(*from)
		if len(v) > limit {
			return library.Invalid(fmt.Sprintf("The %s has more than %d bytes; shorten it.", what, limit))
		}
		*to = v
		return nil
	}
	if c.Name != nil && strings.TrimSpace(*c.Name) == "" {
		return library.Invalid("A material needs a name.")
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
				m.take(e.Source)
				found = true
				break
			}
		}
		if !found {
			return library.Invalid(fmt.Sprintf("There is no evidence of the size called %q.", *c.SizeSource))
		}
	}
	if err := m.measure(c); err != nil {
		return err
	}
	if c.Width != nil || c.Height != nil {
		m.resize(c)
	}
	m.rescale()
	if len(c.Figures) > 0 {
		if err := m.setFigures(c.Figures); err != nil {
			return err
		}
	}
	if c.Depth != nil {
		m.Depth, m.DepthSource = float64(*c.Depth), string(scale.FromPerson)
	}
	return nil
}

// Steps are the steps of the pattern as people say them, in pixels: mostly its lattice's
// own. Courses that are each laid half a unit on have slanting steps; of those a unit
// across and the height of a course are given, and bond is true. Zero for none.
func (m *Material) Steps() (steps [2][2]float64, bond bool) {
	p := m.Report.Period
	if p == nil {
		return steps, false
	}
	a, b := p[0], p[1]
	slants := func(s [2]float64) bool { return math.Min(math.Abs(s[0]), math.Abs(s[1])) > 0.05*math.Hypot(s[0], s[1]) }
	if slants(a) && slants(b) && math.Abs(math.Abs(a[0]/b[0])-1) < 0.04 && math.Abs(math.Abs(a[1]/b[1])-1) < 0.04 && (a[0]*a[1] > 0) != (b[0]*b[1] > 0) {
		return [2][2]float64{{math.Abs(a[0]) + math.Abs(b[0]), 0}, {0, (math.Abs(a[1]) + math.Abs(b[1])) / 2}}, true
	}
	return *p, false
}

// take goes by the evidence of a source, which is about the scan.
func (m *Material) take(from scale.Source) {
	share := m.Finish.Kept()
	m.Size, _, _ = scale.Mean(m.Report.SizeEvidence, from)
	m.Size = scale.Size{W: m.Size.W * share[0], H: m.Size.H * share[1]}
	m.SizeSource = from
}

// measure takes a measured line or the length of a step of the pattern as evidence of
// the size, and goes by it. Several lines are averaged.
func (m *Material) measure(c Change) error {
	cur, share := m.Current(), m.Finish.Kept()
	w, h := cur.Pixels()
	aspect := 1.0
	if m.Size.Known() && w > 0 {
		aspect = m.Size.H / float64(h) / (m.Size.W / float64(w))
	}
	take := func(e scale.Evidence, ok bool, what string) error {
		if !ok {
			return library.Invalid(fmt.Sprintf("%s is too short to measure by, or the size that follows is not plausible.", what))
		}
		e.W, e.H = e.W/share[0], e.H/share[1]
		m.Report.SizeEvidence = append(m.Report.SizeEvidence, e)
		m.take(e.Source)
		return nil
	}
	if l := c.Line; l != nil {
		if m.SizeSource != scale.FromMeasure || l.Axis != "" { // a side alone starts from the size as it is; lines from before another answer was taken are old
			m.Report.SizeEvidence = slices.DeleteFunc(m.Report.SizeEvidence, func(e scale.Evidence) bool { return e.Source == scale.FromMeasure })
		}
		e, ok := scale.LineEvidence(w, h, (l.X1-l.X0)*float64(w), (l.Y1-l.Y0)*float64(h), float64(l.Length), aspect)
		if l.Axis != "" {
			if !m.Size.Known() {
				return library.Invalid("A line can tell one side alone once the other is known. Let it tell both, or type the other side first.")
			}
			if e, ok = scale.SideEvidence(m.Size, l.X1-l.X0, l.Y1-l.Y0, float64(l.Length), l.Axis); !ok {
				return library.Invalid("The line is too short along that side to measure by. Draw it along the side that it is to tell.")
			}
		}
		if err := take(e, ok, "The line"); err != nil {
			return err
		}
	}
	for i, step := range []*Length{c.ModuleA, c.ModuleB} {
		if step == nil {
			continue
		}
		steps, _ := cur.Steps()
		if steps[i] == [2]float64{} {
			return library.Invalid(fmt.Sprintf("%s has no such pattern.", m.Name))
		}
		m.Report.SizeEvidence = slices.DeleteFunc(m.Report.SizeEvidence, func(e scale.Evidence) bool { return e.Source == scale.FromModule })
		e, ok := scale.ModuleEvidence(w, h, steps[i], float64(*step), aspect)
		if err := take(e, ok, "The step"); err != nil {
			return err
		}
	}
	return nil
}

// resize sets a typed size. One side alone carries the other along, by the
// pixels' ratio, unless both are known and the ratio is not to be kept.
func (m *Material) resize(c Change) {
	cur := m.Current()
	w, h := cur.Pixels()
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

// DepthByNormals is how deep the scan's normals make the relief, with what the recipe
// makes of it, in metres.
func (m *Material) DepthByNormals() float64 {
	return m.Relief.Value * m.Size.W / m.Finish.Kept()[0] * m.Finish.DepthRatio()
}

// rescale brings a depth that the normals gave along with the size.
func (m *Material) rescale() {
	if m.Relief.Value > 0 && m.Size.Known() && (m.DepthSource == "normals" || m.Depth == 0) {
		m.Depth, m.DepthSource = m.DepthByNormals(), "normals"
	}
}

// setZero says at which share of the height map's range the surface is as it was modelled.
func (m *Material) setZero(zero float64) error {
	if !(zero >= 0 && zero <= 1) {
		return library.Invalid("The zero level is a share of the height map's range, between 0 and 1.")
	}
	found := false
	scan := m.Finish.scanZero(zero)
	for p := range m.heights() {
		if p.Zero, found = &scan, true; slices.ContainsFunc(m.Finish.Maps, func(o Map) bool { return o.ID == p.ID && o.Channel == p.Channel }) {
			p.Zero = &zero
		}
	}
	if !found {
		return library.Invalid(fmt.Sprintf("%s has no height map, and so no zero level.", m.Name))
	}
	return nil
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

// recheck runs the checks again after something was changed by hand, on the scan and on
// what its recipe made of it, and weighs what they find.
func (m *Material) recheck(g Grades) {
	words := append(slices.Clone(m.Categories), m.Tags...)
	check := func(r *inspect.Set, maps []Map, size scale.Size, depth float64) {
		r.Size = inspect.Size{Source: m.SizeSource}
		if m.Size.Known() {
			r.Size.Width, r.Size.Height = &size.W, &size.H
		}
		unit := ""
		if r.Depth != nil && m.DepthSource == "file" {
			unit = r.Depth.Unit
		}
		if r.Depth = nil; depth > 0 && m.Size.Known() {
			r.Depth = &inspect.Depth{Value: depth, Unit: unit}
		}
		set := channels.Set{}
		for _, p := range maps {
			cm := inspected(&p, channels.Look{})
			if was := m.Map(p.Channel); was != nil { // what is said of the scan's map is said of what was made of it
				cm.Decided = was.ByHand
			}
			in := &cm.Look.Info
			in.W, in.H, in.Bits, in.Format, in.Components, in.Float, in.Layer = p.Width, p.Height, p.Bits, codec.Format(p.Format), len(p.Stats.Mean), p.Float, p.Layer
			if cm.Look.TrueBits = p.TrueBits; p.TrueBits == 0 { // kept since it is known
				cm.Look.TrueBits = p.Bits
			}
			set.Maps = append(set.Maps, cm)
		}
		kept := append(r.Findings, r.Settled...)
		r.Findings, r.Settled = []inspect.Finding{}, nil
		r.Check(set, true)
		for _, f := range kept {
			switch {
			case !inspect.KindOf(f.Code).Once:
			case f.Code == "roughness_as_gloss" && !slices.ContainsFunc(set.Maps, func(k channels.Map) bool {
				return k.File == f.Maps[0] && k.Channel == material.Roughness && !k.Decided
			}):
				r.Settled = append(r.Settled, f) // somebody has said what it is
			default:
				r.Findings = append(r.Findings, f)
			}
		}
		r.Plausible(words)
		// A size that somebody has decided on ends the doubt between the answers.
		if m.SizeSource == scale.FromPerson || m.SizeSource == scale.FromMeasure || m.SizeSource == scale.FromModule {
			r.Findings = slices.DeleteFunc(r.Findings, func(f inspect.Finding) bool { return f.Code == "size_disagrees" })
		}
		r.Workflow = set.Workflow()
		m.weighFigures(r)
		g.Grade(r.Findings)
	}
	size, depth := m.scanned()
	check(&m.Report, m.Assigned(), size, depth)
	if len(m.Finish.Maps) > 0 {
		m.Finish.Report.SizeEvidence = m.Report.SizeEvidence
		cur := m.Current()
		check(&m.Finish.Report, cur.Assigned(), m.Size, m.Depth)
		m.Finish.Report.SizeEvidence = nil
	}
	m.Doubts = m.CountDoubts()
}

// AssignByRule makes one of the material's maps what a station's rule says, as sorting would have.
// A map that had the channel so far is put aside, unless a person gave it: then nothing changes.
func (m *Material) AssignByRule(id int64, r channels.Rule) {
	if slices.ContainsFunc(m.Maps, func(p Map) bool { return p.ID != id && p.Channel == r.Channel && p.ByHand }) {
		return
	}
	for i := range m.Maps {
		p := &m.Maps[i]
		switch {
		case p.ID == id:
			p.Channel, p.Confidence = r.Channel, 0.97
			p.Reasons = append([]channels.Reason{channels.Because("rule", r.Channel, 1.3, "rule", "station", r.Station, "ending", r.Ending)}, withoutRules(p.Reasons)...)
			p.spanned()
		case p.Channel == r.Channel:
			p.Channel, p.Confidence = material.None, 0
		}
	}
}

// spanned notes what a float map's 0 and 1 are, which depends on its channel.
func (p *Map) spanned() {
	p.Span[0], p.Span[1] = inspect.Span(p.Channel, p.Float, p.Component, p.Stats.Min, p.Stats.Max)
}

func withoutRules(rs []channels.Reason) []channels.Reason {
	return slices.DeleteFunc(slices.Clone(rs), func(r channels.Reason) bool { return r.Kind == "rule" })
}

// Assign makes one of the material's maps the given channel; None puts it aside.
// A map that had the channel so far is put aside in turn.
func (m *Material) Assign(id int64, c material.Channel, by string) {
	for i := range m.Maps {
		p := &m.Maps[i]
		switch {
		case p.ID == id:
			p.Channel, p.ByHand, p.Confidence = c, true, 1
			p.spanned()
			p.Reasons = append([]channels.Reason{channels.Because("rule", c, 1, "person", "by", by)}, withoutRules(p.Reasons)...)
			if c == material.None {
				p.Confidence = 0
			}
			if c == material.Normal && p.Direction == normals.Unknown && p.Claim != normals.Unknown {
				p.Direction, p.DirectionConfidence = p.Claim, 0.6
			}
		case p.Channel == c && c != material.None:
			p.Channel, p.ByHand, p.Confidence = material.None, false, 0
		}
	}
}
