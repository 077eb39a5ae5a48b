package web

import (
	"cmp"
	"fmt"
	"math"
	"net/url"
	"slices"
	"strings"
	"time"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/wording"
)

// This file turns deliveries and their sets into what the Intake says.

type deliveryRow struct {
	ID      int64
	Name    string
	Line    string
	Tone    tone
	Percent int
	Moving  bool
	Open    bool
}

func deliveryView(d intake.Delivery, open int64) deliveryRow {
	r := deliveryRow{ID: d.ID, Name: d.Name, Open: d.ID == open}
	if d.Station != "" && !strings.Contains(d.Name, d.Station) {
		r.Name = d.Station + ", " + d.Name
	}
	switch sure := d.Waiting - d.Doubtful; {
	case d.State == intake.Receiving:
		r.Line, r.Moving = "arriving", true
	case d.State == intake.Sorting:
		r.Percent, r.Moving = int(100*d.Progress()), true
		r.Line = fmt.Sprintf("sorting, %d of %d files", d.Examined, d.Files)
		if d.Left > 0 {
			r.Line += ", " + wording.TimeLeft(d.Left)
		}
	case d.State == intake.Failed:
		r.Line, r.Tone = "could not be read", stop
	case d.Sets == 0:
		r.Line, r.Tone = "no texture set in it", doubt
	case d.Waiting == 0:
		r.Line = "on the Bench"
	case d.Doubtful == 0:
		r.Line, r.Tone = fmt.Sprintf("all %d ready", sure), good
	case sure == 0:
		r.Line, r.Tone = fmt.Sprintf("%d to check", d.Doubtful), doubt
	default:
		r.Line, r.Tone = fmt.Sprintf("%d to check, %d ready", d.Doubtful, sure), doubt
	}
	if r.Tone == calm && d.Failed > 0 {
		r.Line += ", " + count(d.Failed, "file") + " not read"
	}
	return r
}

// columns are the channels that have a column of their own in the triage table.
var columns = []material.Channel{material.BaseColor, material.Normal, material.Roughness, material.Metallic, material.Height, material.Occlusion}

// column is a column of the table: its title is cut to fit, its name is in full.
type column struct {
	ID, Title, Name string
}

// short are the titles of columns.
var short = map[material.Channel]string{material.BaseColor: "Colour", material.Normal: "Normal", material.Roughness: "Rough", material.Metallic: "Metal", material.Height: "Height", material.Occlusion: "Occl."}

type cell struct {
	MapID   int64
	Look    string // of its picture
	Channel string // of the column
	Title   string
	Mark    string // a word on the picture: "gloss", "Y−"
	File    string
	Percent int
	Tone    tone
}

type setRow struct {
	ID       int64
	Version  int64
	Name     string
	Size     string
	SizeTone tone
	Cells    []cell
	Spare    []cell // channels without a column, and what has no channel: the first few
	Further  int    // how many more of these there are
	Doubts   int
	Chips    []checkView
	Stage    string
	Released int
	Open     bool
}

// checkView is a check in two or three words.
type checkView struct {
	Word string
	Tone tone
}

// openedView is what the open row says below itself.
type openedView struct {
	ID       int64
	Stage    string
	Findings []findingRow
	Unsure   []unsureView
	Loose    []cell
	Known    *knownView
	Mine     []cell       // all its pictures, to be taken out
	Others   []choiceView // sets of the delivery that it can be merged with
}

// unsureView is a map whose channel is not sure, with the strongest reason.
type unsureView struct {
	cell
	Says string
}

// knownView is the material whose scan a set is.
type knownView struct {
	ID     int64
	Name   string
	Says   string
	State  bool // it can be the new state of what is here
	Tier   bool // it is a smaller tier of what is here
	Beside [2]besideView
	Fit    string // the part of the pictures to begin with, as an SVG view box
}

// partView is a part of a picture, in hundredths of its longer side.
type partView struct{ Left, Top, Width, Height float64 }

// besideView is one side of two scans that are held against each other.
type besideView struct {
	Word  string
	MapID int64
	Look  string     // of its picture
	W, H  int        // pixels
	Turn  int        // degrees clockwise
	Part  *partView  // what the other one shows of it; nil for all
	Lies  []partView // the picture, and its repeats where that part reaches over an edge
	Facts []string
}

type openDelivery struct {
	deliveryRow
	ID, Version   int64
	Sets          int
	Retry         bool // something failed here, not in the files
	Heading, Meta string
	State         intake.State
	Error         string
	Columns       []column
	Undo, Redo    materials.Step // that u and U would turn; zero for none
	Tabs          []tabView
	Show, Filter  string
	Ready         int // sets that can be accepted together
	Rows          []setRow
	Further       string // the address with more rows; "" if all are shown
	Hidden        int    // rows that are not shown yet
	Opened        *openedView
	Failures      []inspect.Failure
	Questions     []questionView
}

// questionView asks what a word of the delivery's names means.
type questionView struct {
	Word, Says, Station string
	Pictures            []cell // of some files that carry it
	Choices             []choiceView
}

// choiceView is a channel that can be chosen.
type choiceView struct {
	ID, Title string
	Chosen    bool
}

// mostAsked is how many questions a delivery shows at a time, and mostPictures how many files of each.
const mostAsked, mostPictures = 3, 4

func questionViews(list []intake.Question) (out []questionView) {
	for _, q := range list[:min(len(list), mostAsked)] {
		v := questionView{Word: q.Word, Says: wording.AskedWord(q.Word, len(q.Maps)), Station: q.Station}
		for i := range q.Maps[:min(len(q.Maps), mostPictures)] {
			k := cell{Title: q.Word}
			k.fill(&q.Maps[i])
			v.Pictures = append(v.Pictures, k)
		}
		for _, c := range material.All() {
			v.Choices = append(v.Choices, choiceView{string(c), wording.Channel(c), c == q.Guess})
		}
		out = append(out, v)
	}
	return out
}

// Chunks are the rows in groups: a group that is out of sight costs a page nothing.
func (o *openDelivery) Chunks() [][]setRow { return slices.Collect(slices.Chunk(o.Rows, 25)) }

// tabView is one of the lists that a delivery's sets are in.
type tabView struct {
	ID, Title, Href string
	Count           int
	Current         bool
}

// triageQuery is what of a delivery is shown.
type triageQuery struct {
	show   string    // check, ready, left or done; "" for the first that has sets
	filter string    // words that the names of sets must have
	open   int64     // the set whose row is open
	rows   int       // how many rows are shown at most
	now    time.Time // in the reader's zone
}

// rowsAtOnce is how many rows are shown before somebody asks for more.
const rowsAtOnce = 100

func (q triageQuery) href(delivery int64) string {
	v := url.Values{}
	if q.show != "" {
		v.Set("show", q.show)
	}
	if q.filter != "" {
		v.Set("q", q.filter)
	}
	if q.open != 0 {
		v.Set("open", fmt.Sprint(q.open))
	}
	if q.rows != rowsAtOnce {
		v.Set("rows", fmt.Sprint(q.rows))
	}
	if len(v) == 0 {
		return fmt.Sprintf("/intake/%d", delivery)
	}
	return fmt.Sprintf("/intake/%d?%s", delivery, v.Encode())
}

// listOf is the tab that a set is in.
func listOf(m *materials.Material) string {
	switch {
	case m.Stage == materials.Accepted:
		return "done"
	case m.Stage == materials.Left:
		return "left"
	case m.Doubts > 0:
		return "check"
	}
	return "ready"
}

func openView(d intake.DeliveryReport, q triageQuery) *openDelivery {
	o := &openDelivery{deliveryRow: deliveryView(d.Delivery, d.ID), ID: d.ID, Sets: d.Sets, Version: d.Version, Retry: d.Retry, State: d.State, Error: d.Error, Failures: d.Failures, Filter: q.filter}
	o.Heading = o.Name
	o.Meta = fmt.Sprintf("%s · %s · %s", count(d.Sets, "set"), count(d.Files, "file"), scale.Bytes(d.Bytes))
	for _, c := range columns {
		o.Columns = append(o.Columns, column{string(c), short[c], wording.Channel(c)})
	}
	o.Questions = questionViews(intake.Questions(d.Materials))
	words := strings.Fields(strings.ToLower(q.filter))
	lists := map[string][]*materials.Material{} // of what the filter leaves
	for i := range d.Materials {
		m := &d.Materials[i]
		if listOf(m) == "ready" {
			o.Ready++
		}
		name := strings.ToLower(m.Name)
		if !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(name, w) }) {
			lists[listOf(m)] = append(lists[listOf(m)], m)
		}
	}
	o.Show = q.show
	for _, t := range []tabView{{ID: "check", Title: "To check"}, {ID: "ready", Title: "Ready"}, {ID: "left", Title: "Left out"}, {ID: "done", Title: "On the Bench"}} {
		t.Count = len(lists[t.ID])
		t.Href = triageQuery{show: t.ID, filter: q.filter, rows: rowsAtOnce}.href(d.ID)
		if o.Show == "" && t.Count > 0 && t.ID != "left" { // the first that has something to do
			o.Show = t.ID
		}
		o.Tabs = append(o.Tabs, t)
	}
	if o.Show == "" {
		o.Show = "check"
	}
	for i := range o.Tabs {
		o.Tabs[i].Current = o.Tabs[i].ID == o.Show
	}
	for _, m := range lists[o.Show] {
		if len(o.Rows) == q.rows {
			o.Hidden++
			continue
		}
		row := rowView(m)
		if row.Open = m.ID == q.open; row.Open {
			o.Opened = openedRow(m, d.Here, q.now)
			o.Opened.others(m, d.Materials)
		}
		o.Rows = append(o.Rows, row)
	}
	if o.Hidden > 0 {
		q.rows += rowsAtOnce
		o.Further = q.href(d.ID)
	}
	return o
}

// mostSpare is how many pictures without a column a row shows.
const mostSpare = 2

func rowView(m *materials.Material) setRow {
	r := setRow{ID: m.ID, Version: m.Version, Name: m.Name, Stage: listOf(m), Released: m.Released, Size: "size unknown", SizeTone: doubt, Doubts: m.Doubts}
	if m.Size.Known() {
		r.Size, r.SizeTone = fmt.Sprintf("%s × %s · %s", metres(m.Size.W), scale.Metres(m.Size.H), sourceWord(m.SizeSource)), calm
	}
	for _, ch := range columns {
		k := cell{Channel: string(ch), Title: wording.Channel(ch)}
		p := m.Map(ch)
		if ch == material.Roughness && p == nil {
			if p = m.Map(material.Glossiness); p != nil {
				k.Mark = "gloss"
			}
		}
		if p != nil {
			k.fill(p)
		}
		r.Cells = append(r.Cells, k)
	}
	var spare []cell
	for _, p := range m.Assigned() {
		if p.Channel == material.Glossiness && m.Map(material.Roughness) == nil || slices.Contains(columns, p.Channel) {
			continue
		}
		k := cell{Channel: string(p.Channel), Title: wording.Channel(p.Channel), Mark: strings.ToLower(wording.Channel(p.Channel))}
		k.fill(&p)
		spare = append(spare, k)
	}
	loose := looseCells(m)
	spare = append(loose, spare...) // what asks for somebody first
	r.Spare = spare[:min(len(spare), mostSpare)]
	r.Further = len(spare) - len(r.Spare)
	unsure := 0
	for _, k := range append(slices.Clone(r.Cells), spare[len(loose):]...) {
		if k.Tone == doubt {
			unsure++
		}
	}
	found := map[string]int{} // findings by their code
	for _, f := range bySeverity(m.Report.Findings) {
		if f.Severity == inspect.Note {
			continue
		}
		t := doubt
		if f.Severity == inspect.Stop {
			t = stop
		}
		if f.Code != "size_unknown" { // the row says so already
			found[f.Code]++
			if found[f.Code] == 1 {
				r.Chips = append(r.Chips, checkView{wording.CheckOf(f.Code).Chip, t})
			} else { // one chip for all maps that have it
				word := wording.CheckOf(f.Code).Chip
				i := slices.IndexFunc(r.Chips, func(c checkView) bool { return c.Word == word || strings.HasPrefix(c.Word, word+" ×") })
				r.Chips[i].Word = fmt.Sprintf("%s ×%d", word, found[f.Code])
			}
		}
		for i := range r.Cells {
			if slices.Contains(f.Maps, r.Cells[i].File) {
				r.Cells[i].Tone = doubt
			}
		}
	}
	if unsure > 0 {
		r.Chips = append(r.Chips, checkView{count(unsure, "channel") + " uncertain", doubt})
	}
	if n := len(loose); n > 0 {
		r.Chips = append(r.Chips, checkView{fmt.Sprintf("%d unassigned", n), doubt})
	}
	if k := m.Known; k != nil {
		word := "Same scan: "
		if w, h := m.Pixels(); k.Smaller(w, h) {
			word = "Smaller tier: "
		}
		r.Chips = append(r.Chips, checkView{word + k.Name, calm})
	}
	return r
}

// looseCells are the pictures of a set that have no channel.
func looseCells(m *materials.Material) (out []cell) {
	for _, p := range m.Unassigned() {
		k := cell{Title: "Unassigned"}
		k.fill(&p)
		k.Tone = doubt
		out = append(out, k)
	}
	return out
}

// bySeverity orders findings, the worst first.
func bySeverity(list []inspect.Finding) []inspect.Finding {
	weight := map[inspect.Severity]int{inspect.Stop: 0, inspect.Warn: 1, inspect.Note: 2}
	return slices.SortedStableFunc(slices.Values(list), func(a, b inspect.Finding) int { return weight[a.Severity] - weight[b.Severity] })
}

// openedRow says what there is to check of a set, and what can be done about it.
func openedRow(m *materials.Material, here map[int64]materials.Material, now time.Time) *openedView {
	o := &openedView{ID: m.ID, Stage: listOf(m), Loose: looseCells(m)}
	var l ledger
	l.findings(m, m)
	o.Findings = l.Findings
	for _, p := range m.Assigned() {
		if p.Sure() {
			continue
		}
		u := unsureView{cell: cell{Channel: string(p.Channel), Title: wording.Channel(p.Channel)}}
		u.fill(&p)
		if len(p.Reasons) > 0 {
			u.Says = wording.Reason(slices.MaxFunc(p.Reasons, func(a, b channels.Reason) int { return cmp.Compare(math.Abs(a.Weight), math.Abs(b.Weight)) }))
		}
		o.Unsure = append(o.Unsure, u)
	}
	k := m.Known
	if k == nil {
		return o
	}
	w, h := m.Pixels()
	o.Known = &knownView{ID: k.Material, Name: k.Name, Says: k.Says(w, h), State: !k.Files && !k.Smaller(w, h), Tier: k.Smaller(w, h)}
	of := here[k.Material]
	o.Known.Beside = [2]besideView{beside("What came", m, now), beside("What is here: "+of.Name, &of, now)}
	o.Known.Beside[1].Turn = 90 * k.Quarters
	o.Known.Fit = "-2 -2 104 104"
	if part := k.Part; part != nil {
		a, b := *part, &o.Known.Beside[1]
		// A whole repeat on is the same place.
		a.X, a.Y = a.X-math.Floor(a.X+0.005), a.Y-math.Floor(a.Y+0.005)
		// A picture that is not square lies in the middle; it is turned as it lies on the page.
		pw, ph := float64(b.W), float64(b.H)
		kx, ky := 100*pw/max(pw, ph), 100*ph/max(pw, ph)
		v := partView{50 - kx/2 + a.X*kx, 50 - ky/2 + a.Y*ky, a.W * kx, a.H * ky}
		for _, at := range [][2]float64{{0, 0}, {1, 0}, {0, 1}, {1, 1}, {-1, 0}, {0, -1}, {-1, -1}, {1, -1}, {-1, 1}} {
			over := func(at, from, size float64) bool {
				return at == 0 || at > 0 && from+size > 1.001 || at < 0 && from < -0.001
			}
			if over(at[0], a.X, a.W) && over(at[1], a.Y, a.H) {
				b.Lies = append(b.Lies, partView{50 - kx/2 + at[0]*kx, 50 - ky/2 + at[1]*ky, kx, ky})
			}
		}
		for range k.Quarters {
			v = partView{100 - v.Top - v.Height, v.Left, v.Height, v.Width}
		}
		b.Part = &v
		side := math.Max(v.Width, v.Height)
		o.Known.Fit = fmt.Sprintf("%.2f %.2f %.2f %.2f", v.Left+v.Width/2-0.7*side, v.Top+v.Height/2-0.7*side, 1.4*side, 1.4*side)
	}
	return o
}

// others fills in what an open set can be taken apart into and merged with.
func (o *openedView) others(m *materials.Material, all []materials.Material) {
	if m.Released > 0 || len(m.Recipe) > 0 {
		return
	}
	for i := range m.Maps {
		p := &m.Maps[i]
		k := cell{Title: "Unassigned", Channel: string(p.Channel)}
		if p.Channel != material.None {
			k.Title = wording.Channel(p.Channel)
		}
		if k.fill(p); len(m.Maps) > 1 {
			o.Mine = append(o.Mine, k)
		}
	}
	for i := range all {
		if k := &all[i]; k.ID != m.ID && k.Stage != materials.Left && len(k.Maps) > 0 {
			o.Others = append(o.Others, choiceView{ID: fmt.Sprint(k.ID), Title: k.Name})
		}
	}
}

// beside says of a material what counts when it is held against another.
func beside(word string, m *materials.Material, now time.Time) besideView {
	v := besideView{Word: word, W: 1, H: 1}
	list := m.Assigned()
	if len(list) == 0 {
		return v
	}
	first := list[0]
	for _, p := range list {
		if p.Channel == material.BaseColor {
			first = p
		}
	}
	v.MapID, v.Look, v.W, v.H = first.ID, mapLook(&first), first.Width, first.Height
	var names, kinds []string
	for _, p := range list {
		names = append(names, strings.ToLower(wording.Channel(p.Channel)))
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
	v.Facts = append(v.Facts, from+" "+day(m.Created, now))
	if m.Released > 0 {
		v.Facts = append(v.Facts, fmt.Sprintf("release %d is published", m.Released))
	}
	return v
}

func (k *cell) fill(p *materials.Map) {
	k.MapID, k.Look, k.File, k.Percent, k.Tone = p.ID, mapLook(p), p.File, int(math.Round(100*p.Confidence)), good
	if p.Component != "rgb" && len(p.Stats.Mean) > 1 && k.Mark == "" {
		k.Mark = "in " + p.Component
	}
	if p.Channel == material.Normal && p.Direction == normals.Down {
		k.Mark = "Y−"
	}
	mismatch := p.Channel == material.Normal && p.Claim != normals.Unknown && p.Claim != p.Direction
	if !p.Sure() || mismatch {
		k.Tone = doubt
	}
}
