package handoff

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"path"
	"regexp"
	"slices"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
)

// Profile fixes the form of a handoff: which map files there are, what each component of them
// holds, in which format and conventions, and which descriptions go with them. It is a plain
// document, kept as JSON.
type Profile struct {
	Name         string        `json:"name"`
	Purpose      string        `json:"purpose,omitempty"` // a line on what it is for
	Normal       string        `json:"normal"`            // y+ or y-
	Workflow     Workflow      `json:"workflow"`
	Height       Height        `json:"height"`
	Figures      Baking        `json:"figures"`
	UV           UV            `json:"uv"`
	Pixels       Pixels        `json:"pixels"`
	Tiers        []string      `json:"tiers,omitempty"` // those that it is made in; empty for all
	Names        string        `json:"names"`           // template of file names: {material} {channel} {tier} {release} {udim}
	Files        []MapFile     `json:"files"`
	Descriptions []Description `json:"descriptions"`
}

// Workflow says which channels describe reflection.
type Workflow string

// The workflows of a profile.
const (
	AsDelivered Workflow = "as_delivered" // whichever the material has
	MetalRough  Workflow = "metal_rough"
	SpecGloss   Workflow = "spec_gloss"
)

// Height says what the numbers of a height map mean.
type Height string

// The forms of heights.
const (
	HeightRange   Height = "range"   // 0 the lowest, 1 the highest point
	HeightCentred Height = "centred" // one half is the zero level
	HeightMetres  Height = "metres"  // metres from the zero level; float formats only
)

// Baking says where surface figures (tint, grade, ranges, strengths) go.
type Baking string

// What is done with surface figures.
const (
	Baked  Baking = "baked"  // into the maps
	Beside Baking = "beside" // into material.json; maps stay as they are
)

// UV says how much of a surface one unit of texture coordinates spans in the descriptions.
type UV string

// The units of texture coordinates.
const (
	UVUsual  UV = "usual"  // glTF one repeat, MaterialX and USD one metre
	UVRepeat UV = "repeat" // one repeat
	UVMetre  UV = "metre"  // one metre
)

// Pixels says which sizes maps may have.
type Pixels string

// The rules on sizes in pixels.
const (
	PixelsKept Pixels = "kept"         // the tier's, in the proportion of the source
	PowerOfTwo Pixels = "power_of_two" // each side to the nearest power of two, not above the tier
	Square     Pixels = "square"       // both sides to the power of two that is nearest to the longer one
)

// Description is a file that describes the material in an open standard.
type Description string

// The descriptions.
const (
	MaterialX Description = "materialx"
	GLTF      Description = "gltf"
	GLB       Description = "glb"
	USD       Description = "usd"
)

// Format is how a map file is stored.
type Format string

// The formats of map files.
const (
	PNG      Format = "png"   // 8 or 16 bits, as the sources have
	PNG8     Format = "png8"  // 8 bits
	PNG16    Format = "png16" // 16 bits
	JPEG     Format = "jpeg"
	TIFF8    Format = "tiff8"
	TIFF16   Format = "tiff16"
	TIFF32   Format = "tiff32" // floats
	TGA      Format = "tga"    // 8 bits
	EXRHalf  Format = "exr_half"
	EXRFloat Format = "exr_float"
)

// Formats are all formats, in the order in which people read them.
func Formats() []Format {
	return []Format{PNG, PNG8, PNG16, JPEG, TIFF8, TIFF16, TIFF32, TGA, EXRHalf, EXRFloat}
}

// format is what is known of a format.
type format struct {
	ending string
	bits   int // 0: the source's
	float  bool
	counts []int // of components that it can hold
	packed []string
}

func (f Format) facts() (k format, ok bool) {
	any := []int{1, 2, 3, 4}
	switch f {
	case PNG:
		return format{".png", 0, false, any, nil}, true
	case PNG8:
		return format{".png", 8, false, any, nil}, true
	case PNG16:
		return format{".png", 16, false, any, nil}, true
	case JPEG:
		return format{".jpg", 8, false, []int{1, 3}, nil}, true
	case TIFF8:
		return format{".tif", 8, false, any, []string{"deflate", "none"}}, true
	case TIFF16:
		return format{".tif", 16, false, any, []string{"deflate", "none"}}, true
	case TIFF32:
		return format{".tif", 32, true, any, []string{"deflate", "none"}}, true
	case TGA:
		return format{".tga", 8, false, []int{1, 3, 4}, nil}, true
	case EXRHalf:
		return format{".exr", 16, true, any, []string{"zip", "zips", "rle", "none"}}, true
	case EXRFloat:
		return format{".exr", 32, true, any, []string{"zip", "zips", "rle", "none"}}, true
	}
	return k, false
}

// Float says whether the format holds floats.
func (f Format) Float() bool { k, _ := f.facts(); return k.float }

// Ending of the format's files.
func (f Format) Ending() string { k, _ := f.facts(); return k.ending }

// MapFile is one file of a profile. It is made for materials that have a map of one of its
// channels at least.
type MapFile struct {
	Holds       []Component `json:"holds"`                 // one to four components in all
	Word        string      `json:"word,omitempty"`        // what {channel} becomes in its name; the channels' ids unless given
	Format      Format      `json:"format"`                //
	Compression string      `json:"compression,omitempty"` // TIFF: deflate, none; EXR: zip, zips, rle, none
	Quality     int         `json:"quality,omitempty"`     // JPEG: 1 to 100; 90 unless given
	Colour      string      `json:"colour,omitempty"`      // how colours are stored: srgb, linear or acescg (OpenEXR); linear in float formats unless given
}

// ACEScg is how colours are stored as linear light of the primaries AP1.
const ACEScg = "acescg"

// Component says what one component of a file holds, or the components of a whole channel:
// three of a colour and of normals.
type Component struct {
	Channel  material.Channel `json:"channel,omitempty"` // none: Value everywhere
	Part     string           `json:"part,omitempty"`    // one component of the channel: r, g or b
	Invert   bool             `json:"invert,omitempty"`
	Value    *float64         `json:"value,omitempty"`    // as it is stored, 0..1; of a channel: where the material has none
	Optional bool             `json:"optional,omitempty"` // left out of files of materials that lack the channel
}

// Form is a profile at a tier: all that fixes a handoff's files.
type Form struct {
	Profile
	Tier  scale.Tier
	Label string // ends the folder's name, so that two forms in one place never mix; "" for the usual one
}

// ProfileError says which part of a profile can't be, and why.
type ProfileError struct{ Part, Problem string }

func (e *ProfileError) Error() string {
	if e.Part == "" {
		return "profile: " + e.Problem
	}
	return "profile, " + e.Part + ": " + e.Problem
}

// Harms are the channels whose values JPEG would spoil: vectors and packed data, as it keeps colour at half the
// resolution and mixes components.
func (p *Profile) Harms() (list []material.Channel) {
	for _, f := range p.Files {
		if f.Format != JPEG {
			continue
		}
		several := len(f.Holds) > 1
		for _, c := range f.Holds {
			if (c.Channel == material.Normal || several && c.Channel != material.None && !c.Channel.Colour()) && !slices.Contains(list, c.Channel) {
				list = append(list, c.Channel)
			}
		}
	}
	return list
}

// ReadProfile reads a profile's document and checks it. What it does not know is refused.
func ReadProfile(data []byte) (p Profile, err error) {
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(&p); err != nil {
		return p, &ProfileError{"", "this is not a profile's document: " + strings.TrimPrefix(err.Error(), "json: ")}
	}
	if _, err := d.Token(); err != io.EOF {
		return p, &ProfileError{"", "something follows the document"}
	}
	p.complete()
	return p, p.Check()
}

// complete fills in what a document may leave out.
func (p *Profile) complete() {
	fill := func(s *string, v string) {
		if *s == "" {
			*s = v
		}
	}
	fill(&p.Normal, "y+")
	fill((*string)(&p.Workflow), string(AsDelivered))
	fill((*string)(&p.Height), string(HeightRange))
	fill((*string)(&p.Figures), string(Baked))
	fill((*string)(&p.UV), string(UVUsual))
	fill((*string)(&p.Pixels), string(PixelsKept))
	fill(&p.Names, "{material}-{channel}")
}

var (
	field    = regexp.MustCompile(`\{[^{}]*\}`)
	nameRule = regexp.MustCompile(`^[A-Za-z0-9_.-]*$`)
)

// fields are what names may be made of.
var fields = []string{"{material}", "{channel}", "{tier}", "{release}", "{udim}"}

// Check says what of a profile can't be; nil if all can. The error is a *ProfileError.
func (p *Profile) Check() error {
	bad := func(part, problem string, args ...any) error {
		return &ProfileError{part, fmt.Sprintf(problem, args...)}
	}
	one := func(part, v string, of ...string) error {
		if slices.Contains(of, v) {
			return nil
		}
		return bad(part, "%q is not one of %s", v, strings.Join(of, ", "))
	}
	if n := strings.TrimSpace(p.Name); n == "" || len(n) > 80 {
		return bad("name", "a name has 1 to 80 letters")
	}
	if len(p.Purpose) > 300 {
		return bad("purpose", "300 letters at most")
	}
	for _, err := range []error{
		one("normal", p.Normal, "y+", "y-"),
		one("workflow", string(p.Workflow), string(AsDelivered), string(MetalRough), string(SpecGloss)),
		one("height", string(p.Height), string(HeightRange), string(HeightCentred), string(HeightMetres)),
		one("figures", string(p.Figures), string(Baked), string(Beside)),
		one("uv", string(p.UV), string(UVUsual), string(UVRepeat), string(UVMetre)),
		one("pixels", string(p.Pixels), string(PixelsKept), string(PowerOfTwo), string(Square)),
	} {
		if err != nil {
			return err
		}
	}
	for _, t := range p.Tiers {
		if err := one("tiers", t, "1k", "2k", "4k", "8k", "source"); err != nil {
			return err
		}
	}
	for i, d := range p.Descriptions {
		if err := one("descriptions", string(d), string(MaterialX), string(GLTF), string(GLB), string(USD)); err != nil {
			return err
		}
		if slices.Contains(p.Descriptions[:i], d) {
			return bad("descriptions", "%s is there twice", d)
		}
	}
	for _, f := range field.FindAllString(p.Names, -1) {
		if !slices.Contains(fields, f) {
			return bad("names", "there is no %s; take %s", f, strings.Join(fields, " "))
		}
	}
	switch rest := field.ReplaceAllString(p.Names, ""); {
	case len(p.Names) > 120 || !nameRule.MatchString(rest):
		return bad("names", "letters, digits, - _ . and fields in braces, 120 at most")
	case !strings.Contains(p.Names, "{channel}") && len(p.Files) > 1:
		return bad("names", "without {channel} all files have one name")
	}
	if len(p.Files) == 0 || len(p.Files) > 32 {
		return bad("files", "a profile has 1 to 32 files")
	}
	names := map[string]int{}
	for i := range p.Files {
		if err := p.Files[i].check(p, fmt.Sprintf("file %d", i+1)); err != nil {
			return err
		}
		name := strings.ToLower(p.Files[i].word() + p.Files[i].Format.Ending())
		if other, ok := names[name]; ok {
			return bad(fmt.Sprintf("file %d", i+1), "it has the same name as file %d; give it another word", other)
		}
		names[name] = i + 1
	}
	return nil
}

func (f *MapFile) check(p *Profile, part string) error {
	bad := func(problem string, args ...any) error { return &ProfileError{part, fmt.Sprintf(problem, args...)} }
	k, ok := f.Format.facts()
	if !ok {
		return bad("there is no format %q", f.Format)
	}
	if f.Compression != "" && !slices.Contains(k.packed, f.Compression) {
		return bad("%s has no compression %q", f.Format, f.Compression)
	}
	if f.Quality != 0 && (f.Format != JPEG || f.Quality < 1 || f.Quality > 100) {
		return bad("a quality is 1 to 100, for JPEG alone")
	}
	switch f.Colour {
	case "", "srgb", "linear":
	case ACEScg:
		if f.Format != EXRHalf && f.Format != EXRFloat {
			return bad("colour in acescg needs OpenEXR")
		}
		if slices.ContainsFunc(f.Holds, func(c Component) bool { return c.Part != "" && c.Channel.Colour() }) {
			return bad("colour in acescg needs its three components in one file")
		}
	default:
		return bad("colour is srgb, linear or acescg, not %q", f.Colour)
	}
	if len(f.Word) > 60 || !nameRule.MatchString(f.Word) {
		return bad("a word of a name has letters, digits, - _ and . alone")
	}
	most, least, mapped := 0, 0, false
	for _, c := range f.Holds {
		n := 1
		switch {
		case c.Channel == material.None && c.Value == nil:
			return bad("a component names a channel or a value")
		case c.Value != nil && !(*c.Value >= 0 && *c.Value <= 1):
			return bad("a value is 0 to 1")
		case c.Channel == material.None:
		default:
			if _, ok := material.Parse(string(c.Channel)); !ok {
				return bad("there is no channel %q", c.Channel)
			}
			mapped = true
			if c.Part == "" && !c.Channel.Grey() {
				n = 3
			}
			if i := strings.Index("rgb", c.Part); c.Part != "" && (len(c.Part) != 1 || i < 0 || c.Channel.Grey()) {
				return bad("%s has no part %q", c.Channel, c.Part)
			}
			if c.Channel == material.Height && p.Height == HeightMetres && (!k.float || c.Invert) {
				return bad("heights in metres need a float format, and can't be inverted")
			}
			if p.Workflow == MetalRough && c.Channel == material.Specular || p.Workflow == SpecGloss && c.Channel == material.Metallic {
				return bad("the workflow %s has no channel %s", p.Workflow, c.Channel)
			}
		}
		most += n
		if !c.Optional {
			least += n
		}
	}
	switch {
	case !mapped:
		return bad("it holds no channel")
	case least == 0:
		return bad("one component at least is not optional")
	case !slices.Contains(k.counts, most) || !slices.Contains(k.counts, least):
		return bad("%s can't hold %d components", f.Format, most)
	}
	return nil
}

// word is what {channel} becomes in the file's name.
func (f *MapFile) word() string {
	if f.Word != "" {
		return f.Word
	}
	var out []string
	for _, c := range f.Holds {
		if c.Channel != material.None && !slices.Contains(out, string(c.Channel)) {
			out = append(out, string(c.Channel))
		}
	}
	return strings.Join(out, "-")
}

// linear says whether the file's colours are stored as linear light.
func (f *MapFile) linear() bool {
	return f.Colour == "linear" || f.Colour == ACEScg || f.Colour == "" && f.Format.Float()
}

// direction of the profile's normals.
func (p *Profile) direction() normals.Direction { return normals.ParseDirection(p.Normal) }

// has says whether a description goes with the maps.
func (p *Profile) has(d Description) bool { return slices.Contains(p.Descriptions, d) }

// Offers says whether the profile is made in a tier.
func (p *Profile) Offers(t scale.Tier) bool {
	return len(p.Tiers) == 0 || slices.Contains(p.Tiers, strings.ToLower(t.String()))
}

// At is the profile at a tier; an error if it is not made in that.
func (p Profile) At(t scale.Tier) (Form, error) {
	if !p.Offers(t) {
		return Form{}, &ProfileError{"", fmt.Sprintf("%q is made in %s, not in %s", p.Name, strings.Join(p.Tiers, ", "), strings.ToLower(t.String()))}
	}
	return Form{Profile: p, Tier: t}, nil
}

// size is what a map of w × h pixels becomes.
func (f *Form) size(w, h int) (int, int) {
	w, h = f.Tier.Size(w, h)
	most := max(w, h)
	if f.Tier > 0 {
		most = int(f.Tier)
	}
	switch f.Pixels {
	case PowerOfTwo:
		return powerOfTwo(w, most), powerOfTwo(h, most)
	case Square:
		n := powerOfTwo(max(w, h), most)
		return n, n
	}
	return w, h
}

// powerOfTwo is the one nearest to n by ratio; the next smaller one if it is above most by more
// than a tenth.
func powerOfTwo(n, most int) int {
	low := 1
	for low*2 <= n {
		low *= 2
	}
	if n*n > 2*low*low && low*2 <= most+most/10 {
		return low * 2
	}
	return low
}

// fileName is a map file's name in a profile's template. udim is a tile's number, or the mark
// for all of them; "" without tiles. Files that are made for descriptions always have their word in it.
func (f *Form) fileName(m *Material, word, udim, ending string, aux bool) string {
	names := f.Names
	if aux && !strings.Contains(names, "{channel}") {
		names += "-{channel}"
	}
	if udim != "" && !strings.Contains(names, "{udim}") {
		names += ".{udim}"
	}
	if udim == "" { // a separator before the field goes with it
		for _, s := range []string{".{udim}", "_{udim}", "-{udim}", "{udim}"} {
			names = strings.ReplaceAll(names, s, "")
		}
	}
	tier := strings.ToLower(m.delivered(f.Tier).String())
	return path.Base("/"+strings.NewReplacer("{material}", m.Slug, "{channel}", word, "{tier}", tier, "{release}", fmt.Sprintf("r%d", m.Number), "{udim}", udim).Replace(names)) + ending
}
