package materials

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"aldermoor/core/channels"
	"aldermoor/core/colour"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
	"aldermoor/core/shade"
	"aldermoor/internal/library"
)

// Stage is where a material stands between Intake and Bench.
type Stage string

// A set is Unseen until a librarian accepts it.
const (
	Unseen   Stage = "sorted"
	Accepted Stage = "accepted"
	Left     Stage = "left"    // a librarian does not want it
	Deleted  Stage = "deleted" // it goes for good after KeptDeleted, unless it is restored
)

// Gone says whether a material is neither in Intake nor on the Bench.
func (m *Material) Gone() bool { return m.Stage == Left || m.Stage == Deleted }

// Material is one material as the Bench knows it: a draft, whatever has been
// released of it.
type Material struct {
	ID              int64
	DeliveryID      int64
	SetKey          string
	Name, Slug      string
	Version         int64
	Stage           Stage
	Size            scale.Size
	SizeSource      scale.Source
	Depth           float64 // metres, 0 if unknown
	DepthSource     string
	Relief          inspect.Depth // the height map's range as a share of the width, by its normals; zero if unknown
	Licence, Author string
	Rights, Station string
	Captured        string
	Contact         string
	Tags            []string
	Categories      []string
	Report          inspect.Set // all but its maps
	Maps            []Map
	Recipe          []Treatment // what the scan gets
	Finish          Finish      // what came of it
	Figures         *Figures    // surface figures; nil for neutral ones
	Known           *Known      // the material whose scan it is, if it is here already
	Doubts          int
	Released        int   // number of the latest release
	ReleasedVersion int64 // the version that was released
	Created         time.Time
	Updated         time.Time

	Step int64 // the step that has just been recorded of a change; not stored
}

// Map is one map of a material, or with Channel None a picture that is
// unassigned.
type Map struct {
	ID, FileID int64
	material.Map
	Channel             material.Channel
	Confidence          float64
	Reasons             []channels.Reason
	TrueBits            int // bits that its samples really use
	Format              string
	Shared              string   // the set that the file belongs to, of a map that a variant shares
	Zero                *float64 // of a height map: the share of its range that means no displacement
	DirectionConfidence float64
	Claim               normals.Direction
	Stats               inspect.Stats
	ByHand              bool // a librarian has decided on the channel
}

// readyAt is the confidence at and above which a channel needs no review.
const readyAt = 0.9

// Sure says whether the map's channel needs no review.
func (m Map) Sure() bool { return m.ByHand || m.Confidence >= readyAt }

// Map returns the material's map of a channel, or nil.
func (m *Material) Map(c material.Channel) *Map {
	for i := range m.Maps {
		if m.Maps[i].Channel == c {
			return &m.Maps[i]
		}
	}
	return nil
}

// Surface is what the material looks like.
func (m *Material) Surface() material.Material {
	out := material.New(m.Size)
	out.Depth = m.Depth
	for _, p := range m.Assigned() {
		out.Sources = append(out.Sources, material.Source{Channel: p.Channel, Map: &p.Map})
		if p.Channel == material.Height && p.Zero != nil {
			out.Zero = *p.Zero
		}
	}
	if f := m.Figures; f != nil {
		out.Figures = f.Figures
		for _, c := range material.All() {
			if c == material.Roughness && out.Map(material.Glossiness) != nil {
				continue // that map says it
			}
			if v, ok := f.Constants[c]; ok && out.Source(c) == nil {
				out.Put(material.Source{Channel: c, Value: v})
			}
		}
	}
	return out
}

// Unassigned are the pictures that have no channel yet.
func (m *Material) Unassigned() []Map {
	var out []Map
	for _, p := range m.Maps {
		if p.Channel == material.None {
			out = append(out, p)
		}
	}
	return out
}

// Assigned are the maps that have a channel, in the order of channels.
func (m *Material) Assigned() []Map {
	order := material.All()
	var out []Map
	for _, p := range m.Maps {
		if p.Channel != material.None {
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b Map) int {
		return cmp.Compare(slices.Index(order, a.Channel), slices.Index(order, b.Channel))
	})
	return out
}

// Pixels is the size of the largest map.
func (m *Material) Pixels() (w, h int) {
	for _, p := range m.Maps {
		if p.Channel != material.None && p.Width*p.Height > w*h {
			w, h = p.Width, p.Height
		}
	}
	return w, h
}

// Changed says whether the draft differs from the latest release.
func (m *Material) Changed() bool { return m.Released == 0 || m.Version > m.ReleasedVersion }

// Colour is the mean of the base colour as sRGB, #rrggbb; "" if there is none or it is not known.
func (m *Material) Colour() string {
	cur := m.Current()
	p := cur.Map(material.BaseColor)
	if p == nil || len(p.Stats.Mean) == 0 || p.Gamut != nil {
		return ""
	}
	out := "#"
	for c := range 3 {
		v := p.Stats.Mean[min(c, len(p.Stats.Mean)-1)]
		if len(p.Stats.Mean) < 3 {
			v = p.Stats.Mean[0]
		}
		if p.Float {
			v = float64(colour.Encode(float32(min(max(v, 0), 1))))
		}
		out += fmt.Sprintf("%02x", int(min(max(v, 0), 1)*255+0.5))
	}
	return out
}

// CountDoubts counts what a librarian should look at before accepting.
func (m *Material) CountDoubts() int {
	n := len(m.Unassigned())
	if m.Known != nil {
		n++
	}
	for _, p := range m.Assigned() {
		if !p.Sure() {
			n++
		}
	}
	cur := m.Current()
	for _, f := range cur.Report.Findings {
		if f.Severity != inspect.Note {
			n++
		}
	}
	return n
}

// LookKey names what the material looks like: pictures made for one key never
// change.
func (m *Material) LookKey() string {
	cur := m.Current()
	m = &cur
	h := sha256.New()
	fmt.Fprintf(h, "look 6.%d %.6g %.6g %.6g\n", shade.PictureVersion, m.Size.W, m.Size.H, m.Depth)
	for _, p := range m.Assigned() {
		fmt.Fprintln(h, p.Blob, p.Layer, p.Component, p.Channel, p.Direction)
		if p.Channel == material.Height && p.Zero != nil {
			fmt.Fprintln(h, "zero", *p.Zero)
		}
	}
	if m.Figures != nil {
		fmt.Fprintf(h, "figures %s\n", raw(m.Figures))
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}

// MapsKey names the material's maps as the Lit lens takes them: what is packed for one key never changes. Figures,
// size and depth have no part in it, but where the slopes come from the heights.
func (m *Material) MapsKey() string {
	cur := m.Current()
	h := sha256.New()
	fmt.Fprintf(h, "maps %d %v\n", shade.PackVersion, cur.Depth > 0)
	for _, p := range cur.Assigned() {
		fmt.Fprintln(h, p.Blob, p.Layer, p.Component, p.Channel, p.Direction)
	}
	if cur.Map(material.Normal) == nil && cur.Map(material.Height) != nil {
		fmt.Fprintf(h, "slopes %.6g %.6g %.6g\n", cur.Size.W, cur.Size.H, cur.Depth)
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}

// Slug makes the short name that addresses and file names use.
func Slug(name string) string {
	var b strings.Builder
	gap := false
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z' || r >= '0' && r <= '9':
			if gap && b.Len() > 0 {
				b.WriteByte('-')
			}
			gap = false
			b.WriteRune(r)
		default:
			if plain, ok := folded[r]; ok {
				if gap && b.Len() > 0 {
					b.WriteByte('-')
				}
				gap = false
				b.WriteString(plain)
			} else {
				gap = true
			}
		}
		if b.Len() >= 80 {
			break
		}
	}
	if b.Len() == 0 {
		return "material"
	}
	return b.String()
}

var folded = map[rune]string{'ä': "ae", 'ö': "oe", 'ü': "ue", 'ß': "ss", 'é': "e", 'è': "e", 'ê': "e", 'á': "a", 'à': "a", 'å': "a", 'ø': "o", 'ó': "o", 'ñ': "n", 'ç': "c", 'í': "i", 'ú': "u"}

// TitleOf makes a name for people out of a set's name: "slates_round" is
// "Slates round".
func TitleOf(set string) string {
	s := strings.TrimSpace(strings.NewReplacer("_", " ", "-", " ").Replace(set))
	if s == "" {
		return "Unnamed set"
	}
	first, size := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(first)) + s[size:]
}

// Ready says why a draft can't be released or reviewed as it is, as a sentence (library.Invalid); nil if it can.
// Findings that stop a release are a matter of who releases it.
func (m *Material) Ready() error {
	stuck, _ := m.Stuck()
	switch {
	case len(m.Assigned()) == 0 && !m.Mapless():
		return library.Invalid(fmt.Sprintf("%s has no maps yet. Assign at least one before it is released.", m.Name))
	case !m.Changed():
		return library.Invalid(fmt.Sprintf("%s is just as it was released. Change something first.", m.Name))
	case stuck != "":
		return library.Invalid(fmt.Sprintf("The recipe of %s cannot be carried out: %s", m.Name, stuck))
	case !m.Settled():
		return library.Invalid(fmt.Sprintf("The treatments of %s are still being carried out. Release it when they are done.", m.Name))
	}
	return nil
}
