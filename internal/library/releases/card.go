package releases

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"math"
	"time"

	"aldermoor/core/handoff"
	"aldermoor/core/material"
	"aldermoor/core/scale"
)

// Card is what the Library shows of a material, and what it is found by.
type Card struct {
	MaterialID int64              `json:"material_id"`
	ReleaseID  int64              `json:"release_id"`
	Number     int                `json:"number"`
	Name       string             `json:"name"`
	Slug       string             `json:"slug"`
	Size       scale.Size         `json:"size"`
	W          int                `json:"w"`
	H          int                `json:"h"`
	Tiers      []string           `json:"tiers"`
	Tags       []string           `json:"tags"`
	Categories []string           `json:"categories"`
	Channels   []material.Channel `json:"channels"`
	Contact    string             `json:"contact"`
	Licence    string             `json:"licence"`
	Notes      string             `json:"notes"`
	Look       string             `json:"look"`
	Colour     string             `json:"colour"` // the mean of its base colour, #rrggbb; "" if it has none
	Released   time.Time          `json:"released"`
	Changed    time.Time          `json:"changed"` // the release or what was decided of it since
	State      State              `json:"state"`   // "", approved or retired
	Station    string             `json:"station"`
	Workflow   string             `json:"workflow"`
	Tiling     string             `json:"tiling"` // seamless or seams; "" if it was not examined
	Estimated  bool               `json:"estimated"`
	Cost       int64              `json:"cost"` // bytes to fetch of the usual handoff at the source's size, about
	Set        string             `json:"set"`  // what its files were called
	Uses       int                `json:"uses"` // how many people have taken it; counted when it is read, not kept
}

// seamless is the score of both axes from which a material tiles without seams to be seen.
const seamless = 0.8

// CardOf is what the Library shows of a release.
func CardOf(r Release) Card {
	m := &r.Material
	c := Card{MaterialID: m.ID, ReleaseID: r.ID, Number: r.Number, Name: m.Name, Slug: m.Slug, Size: m.Size, Tags: m.Tags, Categories: m.Categories,
		Contact: m.Contact, Licence: m.Licence, Notes: r.Notes, Look: m.LookKey(), Colour: m.Colour(), Released: r.Created}
	c.Changed = c.Released
	if r.Mark.Changed.After(c.Changed) {
		c.Changed = r.Mark.Changed
	}
	c.W, c.H = m.Pixels()
	for _, t := range scale.Tiers(c.W, c.H) {
		c.Tiers = append(c.Tiers, t.String())
	}
	for _, p := range m.Assigned() {
		c.Channels = append(c.Channels, p.Channel)
	}
	surface := m.Surface()
	c.State, c.Station, c.Workflow, c.Set = r.Mark.State, m.Station, surface.Workflow(), m.Report.Name
	if t := m.Report.Tiling; t != nil {
		c.Tiling = "seams"
		if min(t.X, t.Y) >= seamless {
			c.Tiling = "seamless"
		}
	}
	for _, f := range m.Report.Findings {
		c.Estimated = c.Estimated || f.Code == "normals_estimated"
	}
	usual, _ := handoff.FindPreset(handoff.Scanned)
	c.Cost = (handoff.Material{Material: surface, Slug: m.Slug, Number: r.Number}).Estimate(handoff.Form{Profile: usual}).Fetch
	return c
}

// cardForm is the first byte of a card as it is kept; JSON begins with another.
const cardForm = 4

// MarshalBinary is the card as it is kept: a hundred thousand are read at each start. It
// is a byte for the form, then the fields in the order of Card: whole numbers as varints,
// others as 8 bytes, texts and lists after their length.
func (c Card) MarshalBinary() ([]byte, error) {
	b := make([]byte, 1, 256)
	b[0] = cardForm
	text := func(s string) { b = append(binary.AppendUvarint(b, uint64(len(s))), s...) }
	list := func(l []string) {
		b = binary.AppendUvarint(b, uint64(len(l)))
		for _, s := range l {
			text(s)
		}
	}
	real := func(v float64) { b = binary.LittleEndian.AppendUint64(b, math.Float64bits(v)) }
	whole := func(v int64) { b = binary.AppendVarint(b, v) }
	whole(c.MaterialID)
	whole(c.ReleaseID)
	whole(int64(c.Number))
	text(c.Name)
	text(c.Slug)
	real(c.Size.W)
	real(c.Size.H)
	whole(int64(c.W))
	whole(int64(c.H))
	list(c.Tiers)
	list(c.Tags)
	list(c.Categories)
	b = binary.AppendUvarint(b, uint64(len(c.Channels)))
	for _, s := range c.Channels {
		text(string(s))
	}
	text(c.Contact)
	text(c.Licence)
	text(c.Notes)
	text(c.Look)
	whole(c.Released.UnixNano())
	text(c.Colour)
	text(string(c.State))
	text(c.Station)
	text(c.Workflow)
	text(c.Tiling)
	whole(map[bool]int64{true: 1}[c.Estimated])
	whole(c.Cost)
	text(c.Set)
	whole(c.Changed.UnixNano())
	return b, nil
}

// CardReader reads cards as they are kept. Texts that come again and again are kept once.
type CardReader struct {
	texts map[string]string
	lists map[string][]string           // by their bytes
	maps  map[string][]material.Channel // channels, by their bytes
}

// Read is a card from its kept form.
func (r *CardReader) Read(b []byte) (c Card, err error) {
	if len(b) == 0 || b[0] == 0 || b[0] > cardForm {
		err = json.Unmarshal(b, &c) // as earlier versions kept it
		return c, err
	}
	if r.texts == nil {
		r.texts, r.lists, r.maps = map[string]string{}, map[string][]string{}, map[string][]material.Channel{}
	}
	form := b[0]
	b = b[1:]
	broken := false
	count := func() int {
		n, k := binary.Uvarint(b)
		if k <= 0 || n > uint64(len(b)) {
			broken, b = true, nil
			return 0
		}
		b = b[k:]
		return int(n)
	}
	bytes := func() []byte {
		n := count()
		if n > len(b) {
			broken, b = true, nil
			return nil
		}
		s := b[:n]
		b = b[n:]
		return s
	}
	shared := func() string {
		s := bytes()
		if t, ok := r.texts[string(s)]; ok {
			return t
		}
		t := string(s)
		r.texts[t] = t
		return t
	}
	list := func() []string {
		start := b
		n := count()
		out := make([]string, n)
		for i := range out {
			out[i] = shared()
		}
		if broken {
			return nil
		}
		key := start[:len(start)-len(b)]
		if same, ok := r.lists[string(key)]; ok {
			return same // lists of cards are never changed in place
		}
		r.lists[string(key)] = out
		return out
	}
	real := func() float64 {
		if len(b) < 8 {
			broken, b = true, nil
			return 0
		}
		v := binary.LittleEndian.Uint64(b)
		b = b[8:]
		return math.Float64frombits(v)
	}
	whole := func() int64 {
		v, k := binary.Varint(b)
		if k <= 0 {
			broken, b = true, nil
			return 0
		}
		b = b[k:]
		return v
	}
	c.MaterialID, c.ReleaseID, c.Number = whole(), whole(), int(whole())
	c.Name, c.Slug = string(bytes()), string(bytes())
	c.Size = scale.Size{W: real(), H: real()}
	c.W, c.H = int(whole()), int(whole())
	c.Tiers, c.Tags, c.Categories = list(), list(), list()
	start := b
	c.Channels = make([]material.Channel, count())
	for i := range c.Channels {
		c.Channels[i] = material.Channel(shared())
	}
	if key := start[:len(start)-len(b)]; !broken {
		if same, ok := r.maps[string(key)]; ok {
			c.Channels = same
		} else {
			r.maps[string(key)] = c.Channels
		}
	}
	c.Contact, c.Licence, c.Notes, c.Look = shared(), shared(), shared(), string(bytes())
	c.Released = time.Unix(0, whole()).UTC()
	if form >= 2 {
		c.Colour, c.State, c.Station, c.Workflow, c.Tiling, c.Estimated, c.Cost = string(bytes()), State(shared()), shared(), shared(), shared(), whole() == 1, whole()
	}
	if form >= 3 {
		c.Set = shared()
	}
	if c.Changed = c.Released; form >= 4 {
		c.Changed = time.Unix(0, whole()).UTC()
	}
	if broken {
		return Card{}, errors.New("a card of the Library is damaged")
	}
	return c, nil
}
