package web

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
)

// This file turns what the library knows into what pages say. Templates only show.

// tone is a state colour; it always comes with a word.
type tone string

const (
	calm  tone = ""
	good  tone = "good"
	doubt tone = "doubt"
	stop  tone = "stop"
)

type deliveryRow struct {
	ID      int64
	Name    string
	Line    string
	Tone    tone
	Percent int
	Moving  bool
	Open    bool
}

// left says a time that something will take, no more exactly than it can be known.
func left(d time.Duration) string {
	switch {
	case d < 10*time.Second:
		return "a few seconds left"
	case d < 55*time.Second:
		return fmt.Sprintf("about %d s left", 5*int(math.Round(d.Seconds()/5)))
	case d < time.Hour:
		return fmt.Sprintf("about %d min left", int(math.Ceil(d.Minutes())))
	}
	return fmt.Sprintf("about %.1f h left", d.Hours())
}

func deliveryView(d library.Delivery, open int64) deliveryRow {
	r := deliveryRow{ID: d.ID, Name: d.Name, Open: d.ID == open}
	if d.Station != "" && !strings.Contains(d.Name, d.Station) {
		r.Name = d.Station + ", " + d.Name
	}
	switch sure := d.Waiting - d.Doubtful; {
	case d.State == library.Receiving:
		r.Line, r.Moving = "arriving", true
	case d.State == library.Sorting:
		r.Percent, r.Moving = int(100*d.Progress()), true
		r.Line = fmt.Sprintf("sorting, %d of %d files", d.Examined, d.Files)
		if d.Left > 0 {
			r.Line += ", " + left(d.Left)
		}
	case d.State == library.Failed:
		r.Line, r.Tone = "could not be taken in", stop
	case d.Sets == 0:
		r.Line, r.Tone = "no texture set in it", doubt
	case d.Waiting == 0:
		r.Line = "taken to the Bench"
	case d.Doubtful == 0:
		r.Line, r.Tone = fmt.Sprintf("all %d sure", sure), good
	case sure == 0:
		r.Line, r.Tone = fmt.Sprintf("%d doubtful", d.Doubtful), doubt
	default:
		r.Line, r.Tone = fmt.Sprintf("%d doubtful, %d sure", d.Doubtful, sure), doubt
	}
	if r.Tone == calm && d.Failed > 0 {
		r.Line += ", " + count(d.Failed, "file") + " not read"
	}
	return r
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// columns are the channels that have a column of their own in the triage table.
var columns = []channels.Channel{channels.BaseColor, channels.Normal, channels.Roughness, channels.Metallic, channels.Height, channels.Occlusion}

type column struct {
	ID, Title, Letter string
}

type cell struct {
	MapID   int64
	Channel string // of the column
	Title   string
	Mark    string // a word on the picture: "gloss", "Y−"
	File    string
	Percent int
	Tone    tone
	Alone   bool
}

type setRow struct {
	ID       int64
	Name     string
	Size     string
	SizeTone tone
	Cells    []cell
	More     []cell // channels without a column
	Loose    []cell
	Doubts   []string
	Known    *knownView
	Accepted bool
	Released int
}

// knownView is the material whose scan a set is.
type knownView struct {
	ID     int64
	Name   string
	Says   string
	State  bool // it can be the new state of what is here
	Tier   bool // it is a smaller tier of what is here
	Beside [2]besideView
}

// partView is a part of a picture, in hundredths of its longer side.
type partView struct{ Left, Top, Width, Height float64 }

// besideView is one side of two scans that are held against each other.
type besideView struct {
	Word  string
	MapID int64
	W, H  int       // pixels
	Turn  int       // degrees clockwise
	Part  *partView // what the other one shows of it; nil for all
	Facts []string
}

type openDelivery struct {
	deliveryRow
	ID                       int64
	Heading, Meta            string
	State                    library.State
	Error                    string
	Columns                  []column
	Undo, Redo               string
	Doubtful, Sure, Accepted []setRow
	Left                     []setRow
	SureFirst                []setRow
	SureMore                 int
	Failures                 []inspect.Failure
}

func openView(d library.DeliveryReport) *openDelivery {
	o := &openDelivery{deliveryRow: deliveryView(d.Delivery, d.ID), ID: d.ID, State: d.State, Error: d.Error, Failures: d.Failures}
	o.Heading = o.Name
	o.Meta = fmt.Sprintf("%s, %s, %s", count(d.Sets, "set"), count(d.Files, "file"), scale.Bytes(d.Bytes))
	for _, c := range columns {
		o.Columns = append(o.Columns, column{string(c), c.Title(), c.Letter()})
	}
	for i := range d.Materials {
		m := &d.Materials[i]
		row := rowView(m, d.Here)
		switch {
		case m.Stage == library.Accepted:
			o.Accepted = append(o.Accepted, row)
		case m.Stage == library.Left:
			o.Left = append(o.Left, row)
		case m.Doubts > 0:
			o.Doubtful = append(o.Doubtful, row)
		default:
			o.Sure = append(o.Sure, row)
		}
	}
	o.SureFirst = o.Sure[:min(len(o.Sure), 6)]
	o.SureMore = len(o.Sure) - len(o.SureFirst)
	return o
}

func rowView(m *library.Material, here map[int64]library.Material) setRow {
	r := setRow{ID: m.ID, Name: m.Name, Accepted: m.Stage == library.Accepted, Released: m.Released, Size: "no size found", SizeTone: doubt}
	if m.Size.Known() {
		r.Size, r.SizeTone = fmt.Sprintf("%s × %s, %s", metres(m.Size.W), scale.Metres(m.Size.H), sourceWord(m.SizeSource)), calm
	}
	for _, ch := range columns {
		k := cell{Channel: string(ch), Title: ch.Title()}
		p := m.Map(ch)
		if ch == channels.Roughness && p == nil {
			if p = m.Map(channels.Glossiness); p != nil {
				k.Mark = "gloss"
			}
		}
		if p != nil {
			k.fill(p)
		}
		r.Cells = append(r.Cells, k)
	}
	for _, p := range m.Assigned() {
		if p.Channel == channels.Glossiness && m.Map(channels.Roughness) == nil || slices.Contains(columns, p.Channel) {
			continue
		}
		k := cell{Channel: string(p.Channel), Title: p.Channel.Title(), Mark: strings.ToLower(p.Channel.Title())}
		k.fill(&p)
		r.More = append(r.More, k)
	}
	for _, p := range m.Unassigned() {
		k := cell{Title: "Belongs nowhere"}
		k.fill(&p)
		k.Tone = doubt
		r.Loose = append(r.Loose, k)
	}
	if k := m.Known; k != nil {
		w, h := m.Pixels()
		r.Known = &knownView{ID: k.Material, Name: k.Name, Says: k.Says(w, h), State: !k.Files && !k.Smaller(w, h), Tier: k.Smaller(w, h)}
		of := here[k.Material]
		r.Known.Beside = [2]besideView{beside("What came", m), beside("What is here: "+of.Name, &of)}
		r.Known.Beside[1].Turn = 90 * k.Quarters
		if a := k.Part; a != nil {
			b := &r.Known.Beside[1]
			// A picture that is not square lies in the middle; it is turned as it lies on the page.
			pw, ph := float64(b.W), float64(b.H)
			kx, ky := 100*pw/max(pw, ph), 100*ph/max(pw, ph)
			v := partView{50 - kx/2 + a.X*kx, 50 - ky/2 + a.Y*ky, a.W * kx, a.H * ky}
			for range k.Quarters {
				v = partView{100 - v.Top - v.Height, v.Left, v.Height, v.Width}
			}
			b.Part = &v
		}
	}
	if n := len(r.Loose); n > 0 {
		r.Doubts = append(r.Doubts, fmt.Sprintf("%s of no channel yet.", count(n, "picture")))
	}
	for _, f := range m.Report.Findings {
		if f.Severity == inspect.Note {
			continue
		}
		if f.Code != "size_unknown" { // the row says so already
			r.Doubts = append(r.Doubts, f.Says)
		}
		for i := range r.Cells {
			if slices.Contains(f.Maps, r.Cells[i].File) {
				r.Cells[i].Tone = doubt
			}
		}
	}
	return r
}

// beside says of a material what counts when it is held against another.
func beside(word string, m *library.Material) besideView {
	v := besideView{Word: word, W: 1, H: 1}
	list := m.Assigned()
	if len(list) == 0 {
		return v
	}
	first := list[0]
	for _, p := range list {
		if p.Channel == channels.BaseColor {
			first = p
		}
	}
	v.MapID, v.W, v.H = first.ID, first.Width, first.Height
	var names, kinds []string
	for _, p := range list {
		names = append(names, strings.ToLower(p.Channel.Title()))
		kind := fmt.Sprintf("%s, %d bit", strings.ToUpper(p.Format), p.Bits)
		if !slices.Contains(kinds, kind) {
			kinds = append(kinds, kind)
		}
	}
	w, h := m.Pixels()
	v.Facts = []string{fmt.Sprintf("%d × %d px", w, h), strings.Join(kinds, "; "), strings.Join(names, ", ")}
	if m.Size.Known() {
		v.Facts = append(v.Facts, fmt.Sprintf("one repeat %s × %s", scale.Metres(m.Size.W), scale.Metres(m.Size.H)))
	}
	from := "Came on"
	if m.Station != "" {
		from = "From " + m.Station + ","
	}
	v.Facts = append(v.Facts, from+" "+m.Created.Format("2 January 2006"))
	if m.Released > 0 {
		v.Facts = append(v.Facts, fmt.Sprintf("release %d is published", m.Released))
	}
	return v
}

func (k *cell) fill(p *library.Map) {
	k.MapID, k.File, k.Percent, k.Tone = p.ID, p.File, int(math.Round(100*p.Confidence)), good
	if p.Component != "rgb" && len(p.Stats.Mean) > 1 && k.Mark == "" {
		k.Mark = "in " + p.Component
	}
	if p.Channel == channels.Normal && p.Direction == normals.Down {
		k.Mark = "Y−"
	}
	mismatch := p.Channel == channels.Normal && p.Claim != normals.Unknown && p.Claim != p.Direction
	if !p.Sure() || mismatch {
		k.Tone = doubt
	}
}

// metres is a length without its unit, for the first of a pair.
func metres(m float64) string { return strings.TrimSuffix(scale.Metres(m), "\u00a0m") }

func sourceWord(s scale.Source) string {
	return map[scale.Source]string{scale.FromSidecar: "sidecar", scale.FromTag: "tag", scale.FromName: "name", scale.FromModule: "module", scale.FromMeasure: "measured", scale.FromPerson: "typed"}[s]
}

func sourceSentence(s scale.Source) string {
	return map[scale.Source]string{scale.FromSidecar: "the sidecar file", scale.FromTag: "the scanner's resolution tag", scale.FromName: "its name", scale.FromModule: "a step of its pattern", scale.FromMeasure: "what was measured on it", scale.FromPerson: "what was typed"}[s]
}

// tierRow is what one tier gives.
type tierRow struct {
	Name, Pixels, Density, Reach, Memory string
	Source                               bool
}

// ledger is what is known of a material, ready for its sentences.
type ledger struct {
	Known           bool
	Width, Height   string
	Source          string
	Evidence        []evidenceRow
	Agreement       string
	AgreementTone   tone
	Tiers           []tierRow
	Best            *tierRow
	Uneven          string // said when the density differs between the axes
	Edges           []edgeRow
	Steps           []stepRow
	Wall            *wallView // nil while the size is not known
	Depth, DepthHow string
	DepthTone       tone
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
	Says, Word string
	Tone       tone
	Map        int64
}

type mapChip struct {
	ID                   int64
	Channel, Title, Line string
	Kind                 string // how the lens reads it
	Tone                 tone
	W, H                 int
	File                 string
}

func ledgerView(m *library.Material) ledger {
	l := ledger{Known: m.Size.Known(), Tags: m.Tags, Categories: m.Categories, Contact: m.Contact, Licence: m.Licence, Author: m.Author, Attachments: m.Report.Attachments}
	w, h := m.Pixels()
	if l.Known {
		l.Width, l.Height, l.Source = scale.Metres(m.Size.W), scale.Metres(m.Size.H), sourceSentence(m.SizeSource)
	}
	for _, e := range m.Report.SizeEvidence {
		l.Evidence = append(l.Evidence, evidenceRow{string(e.Source), e.Says, e.Source == m.SizeSource})
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
	if l.Known && w > 0 {
		l.tiers(m.Size, w, h)
	}
	l.tiling(m, w, h)
	if m.Depth > 0 {
		l.Depth = fmt.Sprintf("%.1f\u00a0mm", 1000*m.Depth)
		switch {
		case m.DepthSource == "normals" && m.Map(channels.Height) == nil:
			l.DepthHow, l.DepthTone = "by its normals alone, as there is no height map; take it for good within about a tenth", doubt
		case m.DepthSource == "normals" && m.Relief.Confidence > 0.8:
			l.DepthHow = fmt.Sprintf("worked out from normals and height, which agree well (%.2f)", m.Relief.Confidence)
		case m.DepthSource == "normals":
			l.DepthHow, l.DepthTone = fmt.Sprintf("worked out from normals and height, which agree poorly (%.2f)", m.Relief.Confidence), doubt
		case m.DepthSource == "sidecar":
			l.DepthHow = "from the sidecar file"
		default:
			l.DepthHow = "as typed"
		}
	}
	words := map[inspect.Severity]string{inspect.Note: "Note", inspect.Warn: "Doubtful", inspect.Stop: "Stop"}
	tones := map[inspect.Severity]tone{inspect.Warn: doubt, inspect.Stop: stop}
	for _, f := range m.Report.Findings {
		row := findingRow{Says: f.Says, Word: words[f.Severity], Tone: tones[f.Severity]}
		for _, p := range m.Assigned() {
			if len(f.Maps) == 1 && p.File == f.Maps[0] {
				row.Map = p.ID
			}
		}
		l.Findings = append(l.Findings, row)
	}
	for _, p := range m.Assigned() {
		l.Maps = append(l.Maps, chipView(&p))
	}
	for _, c := range []channels.Channel{channels.BaseColor, channels.Normal, channels.Roughness, channels.Height, channels.Occlusion} {
		if m.Map(c) == nil && (c != channels.Roughness || m.Map(channels.Glossiness) == nil) {
			l.Missing = append(l.Missing, strings.ToLower(c.Title()))
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

// tiling says how the edges meet and what the pattern is.
func (l *ledger) tiling(m *library.Material, w, h int) {
	t := m.Report.Tiling
	if t == nil {
		return
	}
	for _, e := range []struct {
		which string
		score float64
	}{{"left and right", t.X}, {"top and bottom", t.Y}} {
		row := edgeRow{e.which, "without a seam", fmt.Sprintf("%.2f", e.score), good}
		switch {
		case e.score < 0.4:
			row.Word, row.Tone = "with a plain break", doubt
		case e.score < 0.85:
			row.Word, row.Tone = "nearly", calm
		}
		l.Edges = append(l.Edges, row)
	}
	p := m.Report.Period
	if p == nil || w == 0 {
		return
	}
	for i, step := range p {
		if step == [2]float64{} {
			continue
		}
		px := math.Hypot(step[0], step[1])
		row := stepRow{Field: [2]string{"module_a_m", "module_b_m"}[i], Blank: true, Length: fmt.Sprintf("%.1f px", px)}
		switch slant := math.Abs(math.Atan2(step[1], step[0])); {
		case slant < 0.05:
			row.Way, row.Count = "across", fmt.Sprintf("%.3g to a repeat", float64(w)/px)
		case math.Abs(slant-math.Pi/2) < 0.05:
			row.Way, row.Count = "down", fmt.Sprintf("%.3g to a repeat", float64(h)/px)
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

// lay says how a surface of the given sides, in metres, takes whole repeats.
func (l *ledger) lay(m *library.Material, across, down float64) {
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
		for _, f := range fits {
			v.Fits = append(v.Fits, fitRow{fmt.Sprintf("%d of %s (%s)", f.N, scale.Metres(f.Repeat), strings.Replace(fmt.Sprintf("%+.1f\u00a0%%", 100*f.Change), "-", "−", 1)), strconv.FormatFloat(f.Repeat, 'f', 6, 64), axis})
		}
		return v
	}
	l.Wall = &wallView{side("across", "width_m", across, m.Size.W), side("down", "height_m", down, m.Size.H)}
}

func dateWord(s string) string {
	if t, err := time.Parse("2006-01-02", s); err == nil {
		return t.Format("2 January 2006")
	}
	return s
}

func (l *ledger) tiers(s scale.Size, w, h int) {
	row := func(name string, tw, th int) tierRow {
		x, y := scale.Density(s, tw, th)
		d := scale.Figure(x)
		if math.Abs(x/y-1) > 0.01 {
			d = scale.Figure(x) + " × " + scale.Figure(y)
		}
		return tierRow{Name: name, Pixels: fmt.Sprintf("%d × %d", tw, th), Density: d, Reach: scale.Metres(scale.Plain.Reach(min(x, y))), Memory: scale.Bytes(scale.VideoMemory(tw, th, 1))}
	}
	for _, t := range scale.Tiers(w, h) {
		tw, th := t.Size(w, h)
		r := row(t.String(), tw, th)
		r.Source = tw == w
		l.Tiers = append(l.Tiers, r)
	}
	if n := len(l.Tiers); n == 0 || !l.Tiers[n-1].Source {
		r := row("Source", w, h)
		r.Source = true
		l.Tiers = append(l.Tiers, r)
	}
	l.Best = &l.Tiers[len(l.Tiers)-1]
	if x, y := scale.Density(s, w, h); math.Abs(x/y-1) > 0.01 {
		l.Uneven = fmt.Sprintf("Its pixels are not square: %s px/m across, %s down.", scale.Figure(x), scale.Figure(y))
	}
}

func chipView(p *library.Map) mapChip {
	k := mapChip{ID: p.ID, Channel: string(p.Channel), Title: p.Channel.Title(), W: p.Width, H: p.Height, File: p.File, Kind: "data"}
	parts := []string{sizeWord(p.Width, p.Height), fmt.Sprintf("%d bit", p.Bits)}
	switch {
	case p.Channel == channels.Normal:
		k.Kind = "normal"
		parts[0] = map[normals.Direction]string{normals.Up: "Y+", normals.Down: "Y−"}[p.Direction]
		if p.Direction == normals.Unknown {
			parts[0] = "direction unknown"
		}
	case p.Channel == channels.Height:
		k.Kind = "height"
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
	k.Line = strings.Join(parts, ", ")
	return k
}

// sizeWord is a tier's name where a picture is of that size, else its pixels.
func sizeWord(w, h int) string {
	if n := max(w, h); n >= 1024 && n%1024 == 0 {
		return fmt.Sprintf("%dK", n/1024)
	}
	return fmt.Sprintf("%d × %d", w, h)
}

func ago(t, now time.Time) string {
	switch d := now.Sub(t); {
	case d < time.Minute:
		return "just now"
	case d < time.Hour:
		return count(int(d.Minutes()), "minute") + " ago"
	case d < 24*time.Hour && t.Day() == now.Day():
		return "today, " + t.Format("15:04")
	case t.Year() == now.Year():
		return t.Format("2 January")
	}
	return t.Format("2 January 2006")
}
