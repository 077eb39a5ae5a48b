package web

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

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
			r.Line += ", " + left(d.Left)
		}
	case d.State == intake.Failed:
		r.Line, r.Tone = "could not be taken in", stop
	case d.Sets == 0:
		r.Line, r.Tone = "no texture set in it", doubt
	case d.Waiting == 0:
		r.Line = "taken to the Bench"
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
	Version  int64
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
	ID, Version              int64
	Retry                    bool // something failed here, not in the files
	Heading, Meta            string
	State                    intake.State
	Error                    string
	Columns                  []column
	Undo, Redo               materials.Step // that u and U would turn; zero for none
	Doubtful, Sure, Accepted []setRow
	Left                     []setRow
	SureFirst                []setRow
	SureMore                 int
	Failures                 []inspect.Failure
}

func openView(d intake.DeliveryReport) *openDelivery {
	o := &openDelivery{deliveryRow: deliveryView(d.Delivery, d.ID), ID: d.ID, Version: d.Version, Retry: d.Retry, State: d.State, Error: d.Error, Failures: d.Failures}
	o.Heading = o.Name
	o.Meta = fmt.Sprintf("%s, %s, %s", count(d.Sets, "set"), count(d.Files, "file"), scale.Bytes(d.Bytes))
	for _, c := range columns {
		o.Columns = append(o.Columns, column{string(c), wording.Channel(c), letterOf(c)})
	}
	for i := range d.Materials {
		m := &d.Materials[i]
		row := rowView(m, d.Here)
		switch {
		case m.Stage == materials.Accepted:
			o.Accepted = append(o.Accepted, row)
		case m.Stage == materials.Left:
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

func rowView(m *materials.Material, here map[int64]materials.Material) setRow {
	r := setRow{ID: m.ID, Version: m.Version, Name: m.Name, Accepted: m.Stage == materials.Accepted, Released: m.Released, Size: "Size unknown", SizeTone: doubt}
	if m.Size.Known() {
		r.Size, r.SizeTone = fmt.Sprintf("%s × %s, %s", metres(m.Size.W), scale.Metres(m.Size.H), sourceWord(m.SizeSource)), calm
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
	for _, p := range m.Assigned() {
		if p.Channel == material.Glossiness && m.Map(material.Roughness) == nil || slices.Contains(columns, p.Channel) {
			continue
		}
		k := cell{Channel: string(p.Channel), Title: wording.Channel(p.Channel), Mark: strings.ToLower(wording.Channel(p.Channel))}
		k.fill(&p)
		r.More = append(r.More, k)
	}
	for _, p := range m.Unassigned() {
		k := cell{Title: "Unassigned"}
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
			r.Doubts = append(r.Doubts, wording.Finding(f, &m.Report))
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
func beside(word string, m *materials.Material) besideView {
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
	v.MapID, v.W, v.H = first.ID, first.Width, first.Height
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
	v.Facts = append(v.Facts, from+" "+m.Created.Format("2 January 2006"))
	if m.Released > 0 {
		v.Facts = append(v.Facts, fmt.Sprintf("release %d is published", m.Released))
	}
	return v
}

func (k *cell) fill(p *materials.Map) {
	k.MapID, k.File, k.Percent, k.Tone = p.ID, p.File, int(math.Round(100*p.Confidence)), good
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

// letterOf is the key that assigns a channel in the table of sets; "" for channels without.
func letterOf(c material.Channel) string {
	return map[material.Channel]string{material.BaseColor: "b", material.Normal: "n", material.Roughness: "r", material.Metallic: "m", material.Height: "h", material.Occlusion: "o",
		material.Opacity: "y", material.Emissive: "e", material.Specular: "s", material.Glossiness: "g", material.Transmission: "t", material.Mask: "k"}[c]
}
