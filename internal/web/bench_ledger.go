package web

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/handoff"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/wording"
)

// This file turns a material into the sentences of its ledger.

// tierRow is what one tier gives.
type tierRow struct {
	Name, Pixels, Density, Reach string
	Fetch, Memory, Raw           string // bytes to fetch; of video memory, compressed and not
	Source                       bool
}

// askedRow is how a material stands against one of the studio's standards.
type askedRow struct {
	Name, How, Asks, Says string
	Tone                  tone
}

// densityUnits are the units in which densities are said, with their lengths in metres.
var densityUnits = []struct {
	name   string
	metres float64
}{{"px/m", 1}, {"px/cm", 0.01}, {"px/inch", scale.Inch}}

// densityIn writes a density in one of the units.
func densityIn(d float64, unit string) string {
	for _, u := range densityUnits {
		if u.name == unit && u.metres < 1 {
			return strconv.FormatFloat(d*u.metres, 'f', 1, 64)
		}
	}
	return scale.Figure(d)
}

// ledger is what is known of a material, ready for its sentences.
type ledger struct {
	Surface         []figureRow
	Figures         string // the surface figures as JSON
	Known           bool
	Width, Height   string
	WidthReach      reach
	HeightReach     reach
	Source          string
	Evidence        []evidenceRow
	Agreement       string
	AgreementTone   tone
	Tiers           []tierRow
	Unit            string // of densities
	Units           []string
	Asked           []askedRow
	Best            *tierRow
	Square          string // the height at which its pixels would be square, metres
	Uneven          string // said when the density differs between the axes
	Edges           []edgeRow
	Steps           []stepRow
	Repeats         *repeatView // nil if it is not known
	Wall            *wallView   // nil while the size is not known
	Depth, DepthHow string
	DepthTone       tone
	DepthReach      reach
	ZeroReach       reach
	Zero            string // of the height map, a stored value; "" without one
	ZeroSays        string
	Agree           string // how height and normals go together beyond the depth
	Findings        []findingRow
	Maps            []mapChip
	Missing         []string
	Tags            []string
	Categories      []string
	Contact         string
	Licence         string
	Author          string
	Provenance      string
	Attachments     []channels.Attachment
	Recipe          []recipeRow
	RecipeLine      string
	RecipeTone      tone
	RecipeBusy      bool
	RecipeRetry     bool // it failed here, not by the recipe
	Choices         []treatmentChoice
}

// edgeRow is how two opposite edges meet.
type edgeRow struct {
	Which, Word, Score string
	Tone               tone
}

// stepRow is one step of the pattern.
type stepRow struct {
	Field, Length, Way string
	Blank              bool // its length is not known yet
	Count              string
}

// wallView is how a surface takes repeats across and down.
type wallView struct {
	Across, Down wallSide
}

type wallSide struct {
	Field, Surface, Says string // Field is the name of the figure in the address
	Metres               float64
	Fits                 []fitRow
}

type fitRow struct{ Says, Take, Side string }

type evidenceRow struct {
	Source, Says string
	InUse        bool
}

type findingRow struct {
	Code       string
	Says, Word string
	Tone       tone
	Map        int64
	Seam       string // across or down: the picture shows where those edges meet
	Rule       string // across or up: what is measured on the picture
	Mend       *mend
	Answers    []answer // what a person may say of that map, which ends the doubt
}

// answer is a channel that a map may be.
type answer struct{ Word, Channel string }

type mapChip struct {
	Look                 string // of its picture
	At                   string // address of its pictures, tiles, pixels and sections
	ID                   int64
	Channel, Title, Line string
	Kind                 string // how the lens reads it
	Tone                 tone
	W, H                 int
	File                 string
	Made                 bool  // by the recipe
	Before               int64 // the scan's map of the channel, if this one was made
	Zero                 float64
	Span                 [2]float64 // of a float height map: the stored values of its lowest and highest point; else both 0
	Down                 bool       // a normal map that points the other way
	Float                bool
	Parts                int // components of its file
}

func ledgerView(m *materials.Material) ledger {
	scanned := m
	cur := m.Current()
	rows, now := surfaceRows(m)
	m = &cur
	l := ledger{Known: m.Size.Known(), Tags: m.Tags, Categories: m.Categories, Contact: m.Contact, Licence: m.Licence, Author: m.Author, Attachments: m.Report.Attachments, Surface: rows, Figures: now}
	w, h := m.Pixels()
	if l.Known {
		l.WidthReach, l.HeightReach = lengthReach(m.Size.W, "m"), lengthReach(m.Size.H, "m")
		l.Width, l.Height, l.Source = scale.Metres(m.Size.W), scale.Metres(m.Size.H), sourceSentence(m.SizeSource)
		if scanned.Finish.Kept() != [2]float64{1, 1} {
			l.Source += ", less what a treatment cuts off"
		}
	}
	for _, e := range m.Report.SizeEvidence {
		l.Evidence = append(l.Evidence, evidenceRow{string(e.Source), wording.Evidence(e), e.Source == m.SizeSource})
	}
	if l.Known && len(m.Report.SizeEvidence) > 0 {
		used := scale.Evidence{Size: m.Size}
		if s := scale.Spread(append(slices.Clone(m.Report.SizeEvidence), used)); s > 0.0005 {
			l.Agreement = fmt.Sprintf("The answers differ by up to %.1f %%.", 100*s)
			if s > 0.05 {
				l.AgreementTone = doubt
			}
		} else if len(m.Report.SizeEvidence) > 1 {
			l.Agreement, l.AgreementTone = "All answers agree.", good
		}
	}
	l.tiling(m, w, h)
	if m.Depth > 0 {
		l.Depth, l.DepthReach = fmt.Sprintf("%.1f\u00a0mm", 1000*m.Depth), lengthReach(m.Depth, "mm")
		switch {
		case m.DepthSource == "normals" && m.Map(material.Height) == nil:
			l.DepthHow, l.DepthTone = "from the normals alone, good within a tenth", doubt
		case m.DepthSource == "normals" && m.Relief.Confidence > 0.8:
			l.DepthHow = fmt.Sprintf("from normals and height, which agree well (%.2f)", m.Relief.Confidence)
		case m.DepthSource == "normals":
			l.DepthHow, l.DepthTone = fmt.Sprintf("from normals and height, which agree poorly (%.2f)", m.Relief.Confidence), doubt
		case m.DepthSource == "sidecar":
			l.DepthHow = "from the sidecar file"
		case m.DepthSource == "file":
			l.DepthHow = fmt.Sprintf("as the height map stores it, in %s", wording.Unit(m.Report.Depth))
		case m.DepthSource == "recipe":
			l.DepthHow = "made by a treatment"
		default:
			l.DepthHow = "as typed"
		}
		if k := scanned.Finish.DepthRatio(); math.Abs(k-1) > 0.005 && m.DepthSource != "recipe" {
			l.DepthHow += fmt.Sprintf("; a treatment makes it %.2f times that", k)
		}
	}
	if p := m.Map(material.Height); p != nil && m.Depth > 0 {
		z := 0.0
		if p.Zero != nil {
			z = *p.Zero
		}
		l.Zero, l.ZeroReach = fmt.Sprintf("%.2f", z), reach{Now: z, By: 0.01, Most: 1}
		switch {
		case z < 0.005:
			l.ZeroSays = "the lowest point"
		case z > 0.995:
			l.ZeroSays = "the highest point"
		default:
			l.ZeroSays = fmt.Sprintf("%.1f\u00a0mm below to %.1f\u00a0mm above", 1000*m.Depth*z, 1000*m.Depth*(1-z))
		}
		if r := m.Relief; r.Value > 0 && m.Size.Known() && m.DepthSource != "normals" && m.Map(material.Normal) != nil {
			byNormals := m.DepthByNormals()
			if off := m.Depth/byNormals - 1; math.Abs(off) > 0.05 {
				l.Agree = fmt.Sprintf("The normals would make it %.1f\u00a0mm (%+.0f\u00a0%%).", 1000*byNormals, 100*(byNormals/m.Depth-1))
			}
		}
	}
	l.findings(m, scanned)
	for _, p := range m.Assigned() {
		k := chipView(&p)
		if was := scanned.Map(p.Channel); was == nil {
			k.Made = true
		} else if was.ID != p.ID && was.ID != 0 {
			k.Made, k.Before = true, was.ID
		}
		l.Maps = append(l.Maps, k)
	}
	for _, c := range []material.Channel{material.BaseColor, material.Normal, material.Roughness, material.Height, material.Occlusion} {
		if m.Map(c) == nil && (c != material.Roughness || m.Map(material.Glossiness) == nil) {
			l.Missing = append(l.Missing, strings.ToLower(wording.Channel(c)))
		}
	}
	var from []string
	if m.Station != "" {
		from = append(from, m.Station)
	}
	if m.Captured != "" {
		from = append(from, "captured "+dateWord(m.Captured))
	}
	l.Provenance = strings.Join(from, ", ")
	return l
}

// findings says what was found, the worst first, each with the picture that shows it
// and what can be done about it.
func (l *ledger) findings(m, scanned *materials.Material) {
	tones := map[inspect.Severity]tone{inspect.Warn: doubt, inspect.Stop: stop}
	for _, f := range bySeverity(m.Report.Findings) {
		chip := wording.CheckOf(f.Code).Chip
		if f.Severity == inspect.Stop {
			chip = "Stop: " + chip
		}
		row := findingRow{Code: f.Code, Says: wording.Finding(f, &m.Report), Word: chip, Tone: tones[f.Severity]}
		for _, p := range m.Assigned() {
			if len(f.Maps) > 0 && p.File == f.Maps[0] {
				row.Map = p.ID
			}
		}
		if first := m.Assigned(); len(first) > 0 && strings.HasPrefix(f.Code, "size_") {
			row.Map, row.Rule = first[0].ID, "across"
		}
		if h := m.Map(material.Height); h != nil && f.Code == "depth_implausible" {
			row.Map, row.Rule = h.ID, "up"
		}
		row.Mend = mendOf(m, f)
		if k := scanned.Map(material.Roughness); k != nil && f.Code == "roughness_as_gloss" {
			row.Map = k.ID
			row.Answers = []answer{{"It is glossiness", string(material.Glossiness)}, {"It is roughness", string(material.Roughness)}}
		}
		if side := map[string]string{"seam_x": "across", "seam_y": "down"}[f.Code]; side != "" {
			for _, p := range m.Assigned()[:1] {
				row.Map, row.Seam = p.ID, side
			}
		}
		l.Findings = append(l.Findings, row)
	}
}

// tiling says how the edges meet and what the pattern is.
func (l *ledger) tiling(m *materials.Material, w, h int) {
	t := m.Report.Tiling
	if t == nil {
		return
	}
	for _, e := range []struct {
		which string
		score float64
	}{{"Left/right", t.X}, {"Top/bottom", t.Y}} {
		row := edgeRow{e.which, "match", fmt.Sprintf("%.2f", e.score), good}
		switch {
		case e.score < 0.4:
			row.Word, row.Tone = "don't match", doubt
		case e.score < 0.85:
			row.Word, row.Tone = "nearly match", calm
		}
		l.Edges = append(l.Edges, row)
	}
	l.repetition(m)
	if w == 0 {
		return
	}
	steps, bond := m.Steps()
	for i, step := range steps {
		if step == [2]float64{} {
			continue
		}
		px := math.Hypot(step[0], step[1])
		row := stepRow{Field: [2]string{"module_a_m", "module_b_m"}[i], Blank: true, Length: fmt.Sprintf("%.1f px", px)}
		switch slant := math.Abs(math.Atan2(step[1], step[0])); {
		case slant < 0.05:
			row.Way, row.Count = "across", fmt.Sprintf("%.3g to a repeat", float64(w)/px)
			if bond {
				row.Way, row.Count = "across", fmt.Sprintf("%.3g to a course", float64(w)/px)
			}
		case math.Abs(slant-math.Pi/2) < 0.05:
			row.Way, row.Count = "down", fmt.Sprintf("%.3g to a repeat", float64(h)/px)
			if bond {
				row.Way, row.Count = "down", fmt.Sprintf("%.3g courses, each half a unit on", float64(h)/px)
			}
		default:
			side := "right"
			if step[0]*step[1] < 0 {
				side = "left"
			}
			row.Way = fmt.Sprintf("falling %s at %.0f°", side, math.Atan2(math.Abs(step[1]), math.Abs(step[0]))*180/math.Pi)
		}
		if m.Size.Known() {
			row.Blank, row.Length = false, scale.Metres(math.Hypot(step[0]*m.Size.W/float64(w), step[1]*m.Size.H/float64(h)))
		}
		l.Steps = append(l.Steps, row)
	}
}

// repeatView is how much a material shows that it repeats.
type repeatView struct {
	Says string
	Tone tone
	Spot string // the most visible repeating spot, in words
}

// repetition says from how far away the repeats show, and by what.
func (l *ledger) repetition(m *materials.Material) {
	r := m.Report.Repetition
	if r == nil || len(r.Bands) == 0 || !m.Size.Known() {
		return
	}
	v := &repeatView{Says: "Repeats barely show at any distance", Tone: good}
	from := func(measure float64) (d float64, says string, ok bool) {
		d, ok = r.From(m.Size.W, measure)
		return d, fmt.Sprintf("%.2g\u00a0m", d), ok
	}
	if _, some, ok := from(1); ok {
		v.Says, v.Tone = "Repeats are noticeable from "+some, calm
		if d, plain, ok := from(2); ok {
			if d < 15*m.Size.W {
				v.Tone = doubt
			}
			if v.Says += " and obvious from " + plain; plain == some {
				v.Says = "Repeats are obvious from " + plain
			}
		}
	}
	if len(r.Blobs) > 0 {
		b := r.Blobs[0]
		kind := "light"
		if b.Excess < 0 {
			kind = "dark"
		}
		v.Spot = fmt.Sprintf("Most visible: a %s spot %s wide, %.0f\u00a0%% from the left and %.0f\u00a0%% from the top", kind, scale.Metres(2*b.Radius*m.Size.W), 100*b.X, 100*b.Y)
	}
	l.Repeats = v
}

// lay says how a surface of the given sides, in metres, takes whole repeats.
func (l *ledger) lay(m *materials.Material, across, down float64) {
	if !m.Size.Known() {
		return
	}
	side := func(field, axis string, surface, repeat float64) wallSide {
		n := scale.Lay(surface, repeat)
		v := wallSide{Field: field, Surface: scale.Metres(surface), Metres: surface}
		fits := scale.Fits(surface, repeat)
		if len(fits) == 1 && math.Abs(fits[0].Change) < 1e-6 {
			v.Says = count(fits[0].N, "whole repeat")
			return v
		}
		v.Says = fmt.Sprintf("%.2f repeats: %d whole, and %s left over", n.Repeats, n.Whole, scale.Metres(n.Left))
		if n.Whole == 0 {
			v.Says = fmt.Sprintf("%.2f of a repeat", n.Repeats)
		}
		for _, f := range fits {
			v.Fits = append(v.Fits, fitRow{fmt.Sprintf("%d of %s (%s)", f.N, scale.Metres(f.Repeat), strings.Replace(fmt.Sprintf("%+.1f\u00a0%%", 100*f.Change), "-", "−", 1)), strconv.FormatFloat(f.Repeat, 'f', 6, 64), axis})
		}
		return v
	}
	l.Wall = &wallView{side("across", "width_m", across, m.Size.W), side("down", "height_m", down, m.Size.H)}
}

// density says how dense the material is at each tier, what that costs, and how it
// stands against what the studio asks for.
func (l *ledger) density(s *Server, m *materials.Material, st materials.Standards, unit string) {
	cur := m.Current()
	w, h := cur.Pixels()
	if !cur.Size.Known() || w == 0 {
		return
	}
	l.Unit = densityUnits[0].name
	for _, u := range densityUnits {
		l.Units = append(l.Units, u.name)
		if u.name == unit {
			l.Unit = unit
		}
	}
	given := s.Studio.Releases.Handoff(&releases.Release{Material: cur})
	usual, _ := handoff.FindPreset(handoff.Scanned)
	row := func(name string, t scale.Tier) tierRow {
		tw, th := t.Size(w, h)
		x, y := scale.Density(cur.Size, tw, th)
		d := densityIn(x, l.Unit)
		if math.Abs(x/y-1) > 0.01 {
			d += " × " + densityIn(y, l.Unit)
		}
		cost := given.Estimate(handoff.Form{Profile: usual, Tier: t})
		var raw int64
		for _, p := range cur.Assigned() {
			pw, ph := t.Size(p.Width, p.Height)
			texel := 1.0
			if !p.Channel.Grey() {
				texel = 4 // three components take the room of four
			}
			raw += scale.VideoMemory(pw, ph, texel)
		}
		return tierRow{Name: name, Pixels: fmt.Sprintf("%d × %d", tw, th), Density: d, Reach: scale.Metres(scale.Plain.Reach(min(x, y))),
			Fetch: scale.Bytes(cost.Fetch), Memory: scale.Bytes(cost.VideoMemory), Raw: scale.Bytes(raw), Source: tw == w}
	}
	for _, t := range scale.Tiers(w, h) {
		l.Tiers = append(l.Tiers, row(t.String(), t))
	}
	if n := len(l.Tiers); n == 0 || !l.Tiers[n-1].Source {
		l.Tiers = append(l.Tiers, row("Source", scale.SourceTier))
	}
	l.Best = &l.Tiers[len(l.Tiers)-1]
	x, y := scale.Density(cur.Size, w, h)
	if math.Abs(x/y-1) > 0.01 {
		l.Uneven = fmt.Sprintf("Its pixels are not square: %s %s across, %s down.", densityIn(x, l.Unit), l.Unit, densityIn(y, l.Unit))
		l.Square = strconv.FormatFloat(cur.Size.W*float64(h)/float64(w), 'f', 6, 64)
	}
	best := min(x, y)
	ask := func(name, how string, density float64) *askedRow {
		r := askedRow{Name: name, How: how, Asks: densityIn(density, l.Unit) + "\u00a0" + l.Unit}
		switch t, ok := scale.Enough(cur.Size, w, h, density); {
		case !ok:
			r.Says, r.Tone = fmt.Sprintf("not even the source reaches it, at %s", densityIn(best, l.Unit)), doubt
		case t == scale.SourceTier:
			r.Says, r.Tone = "the source reaches it", good
		default:
			r.Says, r.Tone = t.String()+" reaches it", good
		}
		l.Asked = append(l.Asked, r)
		return &l.Asked[len(l.Asked)-1]
	}
	for _, d := range st.Densities {
		ask(d.Name, "", d.PxPerM)
	}
	for _, k := range st.Cameras {
		r := ask(k.Name, cameraSays(k), k.Scale().Asks(k.Distance))
		r.Says += fmt.Sprintf("; sharp from %s", scale.Metres(k.Scale().Reach(best)))
	}
}

func chipView(p *materials.Map) mapChip {
	k := mapChip{Look: mapLook(p), Float: p.Float, Parts: len(p.Stats.Mean), ID: p.ID, At: fmt.Sprintf("/maps/%d", p.ID), Channel: string(p.Channel), Title: wording.Channel(p.Channel), W: p.Width, H: p.Height, File: p.File, Kind: "data"}
	parts := []string{sizeWord(p.Width, p.Height), fmt.Sprintf("%d bit", p.Bits)}
	switch {
	case p.Channel == material.Normal:
		k.Kind, k.Down = "normal", p.Direction == normals.Down
		parts[0] = map[normals.Direction]string{normals.Up: "Y+", normals.Down: "Y−"}[p.Direction]
		if p.Direction == normals.Unknown {
			parts[0] = "direction unknown"
		}
	case p.Channel == material.Height:
		k.Kind, k.Span = "height", p.Span
		if p.Zero != nil {
			k.Zero = *p.Zero
		}
		if p.Bits == 8 {
			k.Tone = doubt
		}
	case p.Channel.Colour():
		k.Kind = "colour"
	}
	if p.Component != "rgb" && len(p.Stats.Mean) > 1 {
		parts = append(parts, "in "+p.Component)
	}
	if !p.Sure() {
		k.Tone = doubt
	}
	k.Line = strings.ReplaceAll(strings.Join(parts, ", "), "\u0020bit", "\u00a0bit")
	return k
}
