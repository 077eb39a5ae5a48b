package materials

import (
	"bytes"
	"encoding/json"
	"fmt"
	"iter"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
)

// The parts of a material that a step may change, beside one "map N" for each map.
const (
	partName, partStage, partKnown, partRecipe                 = "name", "stage", "known", "recipe"
	partSize, partDepth, partZero, partEvidence                = "size", "depth", "zero level", "evidence"
	partLicence, partAuthor, partRights                        = "licence", "author", "rights"
	partCaptured, partContact, partTags, partCats              = "captured", "contact class", "tags", "categories"
	partTiers, partScan, partMapPrefix                         = "tiers", "scan", "map "
	partFigures                                                = "surface figures"
	derivedDepth                                  scale.Source = "derived" // follows from size and normals, or from the recipe
)

// sizePart is the size of the scan itself: what its recipe gives up of it is not a
// decision about the size.
type sizePart struct {
	W, H   float64
	Source scale.Source
}

type depthPart struct {
	Value  float64
	Source string
}

type mapPart struct {
	Channel             material.Channel
	Component           string
	Confidence          float64
	Reasons             []channels.Reason
	ByHand              bool
	Direction           normals.Direction
	DirectionConfidence float64
}

// scanPart is which maps a material has, and what was measured of them together.
type scanPart struct {
	Maps     []int64
	Report   inspect.Set
	Relief   inspect.Depth
	Channels map[int64]material.Channel `json:",omitempty"` // of the maps, which may be unassigned where they are moved to
}

func raw(v any) json.RawMessage {
	data, err := json.Marshal(v)
	if err != nil {
		panic(fmt.Sprintf("library: %T as JSON: %v", v, err)) // plain values only
	}
	return data
}

// round9 keeps nine significant digits: what a size loses by being scaled to and fro.
func round9(v float64) float64 {
	f, _ := strconv.ParseFloat(strconv.FormatFloat(v, 'g', 9, 64), 64)
	return f
}

// parts are what steps can change of a material, but for its scan.
func (m *Material) parts() map[string]json.RawMessage {
	size, depth := sizePart{Source: m.SizeSource}, depthPart{Source: string(derivedDepth)}
	if m.Size.Known() {
		share := m.Finish.Kept()
		size.W, size.H = round9(m.Size.W/share[0]), round9(m.Size.H/share[1])
	}
	if m.DepthSource == string(scale.FromPerson) || m.DepthSource == "sidecar" {
		depth = depthPart{round9(m.Depth / m.Finish.DepthRatio()), m.DepthSource}
	}
	var tiers []channels.Attachment
	for _, a := range m.Report.Attachments {
		if a.Kind == "lower_tier" {
			tiers = append(tiers, a)
		}
	}
	out := map[string]json.RawMessage{
		partName: raw(m.Name), partStage: raw(m.Stage), partKnown: raw(m.Known), partRecipe: raw(m.Recipe), partSize: raw(size), partDepth: raw(depth),
		partEvidence: raw(m.Report.SizeEvidence), partLicence: raw(m.Licence), partAuthor: raw(m.Author), partRights: raw(m.Rights),
		partCaptured: raw(m.Captured), partContact: raw(m.Contact), partTags: raw(m.Tags), partCats: raw(m.Categories), partTiers: raw(tiers), partFigures: raw(m.Figures),
	}
	cur := m.Current()
	if p := cur.Map(material.Height); p != nil {
		out[partZero] = raw(p.Zero)
	}
	for _, p := range m.Maps {
		out[fmt.Sprint(partMapPrefix, p.ID)] = raw(mapPart{p.Channel, p.Component, p.Confidence, p.Reasons, p.ByHand, p.Direction, p.DirectionConfidence})
	}
	return out
}

// heights are the height maps of the scan and of what the recipe made.
func (m *Material) heights() iter.Seq[*Map] {
	return func(yield func(*Map) bool) {
		for _, list := range [][]Map{m.Maps, m.Finish.Maps} {
			for i := range list {
				if list[i].Channel == material.Height && !yield(&list[i]) {
					return
				}
			}
		}
	}
}

// standing is a material as it is before or after a step.
type standing struct {
	parts map[string]json.RawMessage
	scan  scanPart
}

func (m *Material) standing() standing {
	s := standing{m.parts(), scanPart{m.MapIDs(), m.Report, m.Relief, map[int64]material.Channel{}}}
	for _, p := range m.Maps {
		s.scan.Channels[p.ID] = p.Channel
	}
	return s
}

// MapIDs are the ids of the scan's maps.
func (m *Material) MapIDs() []int64 {
	ids := []int64{}
	for _, p := range m.Maps {
		ids = append(ids, p.ID)
	}
	slices.Sort(ids)
	return ids
}

// delta is what differs; ok is false if nothing does.
func delta(id int64, before, after standing) (d Delta, ok bool) {
	d = Delta{id, map[string]json.RawMessage{}, map[string]json.RawMessage{}}
	for k, b := range before.parts {
		if a, both := after.parts[k]; both && !bytes.Equal(a, b) {
			d.Before[k], d.After[k] = b, a
		}
	}
	if !slices.Equal(before.scan.Maps, after.scan.Maps) {
		d.Before[partScan], d.After[partScan] = raw(before.scan), raw(after.scan)
		for _, k := range []string{partEvidence, partTiers} { // they go with the scan's report
			delete(d.Before, k)
			delete(d.After, k)
		}
	}
	return d, len(d.Before) > 0
}

// restore puts a part back; the caller rechecks, rescales and saves the material.
func (m *Material) restore(part string, value json.RawMessage) error {
	to := func(v any) error {
		if err := json.Unmarshal(value, v); err != nil {
			return fmt.Errorf("restore the %s of material %d: %w", part, m.ID, err)
		}
		return nil
	}
	if put := m.plainPart(part); put != nil {
		return put(value)
	}
	switch part {
	case partTiers:
		var tiers []channels.Attachment
		if err := to(&tiers); err != nil {
			return err
		}
		m.Report.Attachments = append(slices.DeleteFunc(m.Report.Attachments, func(a channels.Attachment) bool { return a.Kind == "lower_tier" }), tiers...)
		return nil
	case partSize:
		var v sizePart
		if err := to(&v); err != nil {
			return err
		}
		share := m.Finish.Kept()
		m.Size, m.SizeSource = scale.Size{W: v.W * share[0], H: v.H * share[1]}, v.Source
		return nil
	case partDepth:
		var v depthPart
		if err := to(&v); err != nil {
			return err
		}
		m.Depth, m.DepthSource = v.Value*m.Finish.DepthRatio(), v.Source
		if v.Source == string(derivedDepth) {
			m.Depth, m.DepthSource = 0, ""
			if m.Finish.Relief > 0 && m.Size.Known() {
				m.Depth, m.DepthSource = m.Finish.Relief*m.Size.W/m.Finish.Kept()[0], "recipe"
			}
		}
		return nil
	case partZero:
		var v *float64
		if err := to(&v); err != nil {
			return err
		}
		for p := range m.heights() {
			p.Zero = v
		}
		return nil
	case partScan:
		var v scanPart
		if err := to(&v); err != nil {
			return err
		}
		m.Report, m.Relief = v.Report, v.Relief
		return nil
	}
	id, err := strconv.ParseInt(strings.TrimPrefix(part, partMapPrefix), 10, 64)
	if err != nil {
		return fmt.Errorf("restore material %d: there is no part %q", m.ID, part)
	}
	for i := range m.Maps {
		p := &m.Maps[i]
		if p.ID != id {
			continue
		}
		var v mapPart
		if err := to(&v); err != nil {
			return err
		}
		p.Channel, p.Component, p.Confidence, p.Reasons, p.ByHand, p.Direction, p.DirectionConfidence = v.Channel, v.Component, v.Confidence, v.Reasons, v.ByHand, v.Direction, v.DirectionConfidence
		p.spanned()
		return nil
	}
	return fmt.Errorf("restore material %d: map %d is no longer its own", m.ID, id)
}

// plainPart restores a part that is a field as it is; nil for other parts.
func (m *Material) plainPart(part string) func(json.RawMessage) error {
	switch part {
	case partName:
		return into(&m.Name)
	case partStage:
		return into(&m.Stage)
	case partKnown:
		return into(&m.Known)
	case partRecipe:
		return into(&m.Recipe)
	case partLicence:
		return into(&m.Licence)
	case partAuthor:
		return into(&m.Author)
	case partRights:
		return into(&m.Rights)
	case partCaptured:
		return into(&m.Captured)
	case partContact:
		return into(&m.Contact)
	case partTags:
		return into(&m.Tags)
	case partCats:
		return into(&m.Categories)
	case partFigures:
		return into(&m.Figures)
	case partEvidence:
		return into(&m.Report.SizeEvidence)
	}
	return nil
}

// into reads a value in place of the one that is there, of which nothing is kept.
func into[T any](field *T) func(json.RawMessage) error {
	return func(value json.RawMessage) error {
		var v T
		if err := json.Unmarshal(value, &v); err != nil {
			return fmt.Errorf("restore a part: %w", err)
		}
		*field = v
		return nil
	}
}

// samePart compares two values of a part; scans are the same if they have the same maps.
func samePart(part string, a, b json.RawMessage) bool {
	if part != partScan {
		return bytes.Equal(a, b)
	}
	var x, y scanPart
	return json.Unmarshal(a, &x) == nil && json.Unmarshal(b, &y) == nil && slices.Equal(x.Maps, y.Maps)
}
