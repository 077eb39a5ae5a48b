// Package treat mends materials: it carries out recipes, lists of treatments that act on
// all maps of a scan coherently.
//
// A recipe is planned on reduced copies of the maps (Plan): what a treatment has
// to decide by looking, where to cut, how far maps lie apart, which light to take
// out, is decided there, once, for all maps and all sizes. Make then gives one map
// after another at its full size. The scan itself is never changed, so that steps can be
// put in, taken out and reordered, and a recipe can be carried out on a larger tier of
// the scan. It keeps no files and knows no clock; the same recipe on the same scan gives
// the same maps.
package treat

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"aldermoor/core/colour"
	"aldermoor/core/fact"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
)

// Sheet is one map in the form in which treatments work on it: planes of stored values in
// 0..1, three for colour (sRGB-encoded), one for data; or for a normal map the unit
// vectors, Y+.
type Sheet struct {
	Planes []raster.Plane
	Normal normals.Field // of a normal map; then there are no planes
	Bits   int           // that its samples deserve: 8 or 16
}

// Size is the sheet's width and height in pixels.
func (s *Sheet) Size() (w, h int) {
	if len(s.Planes) > 0 {
		return s.Planes[0].W, s.Planes[0].H
	}
	return s.Normal.X.W, s.Normal.X.H
}

// all are the sheet's planes; those of a normal map are its vectors' components.
func (s *Sheet) all() []raster.Plane {
	if len(s.Planes) > 0 {
		return s.Planes
	}
	return []raster.Plane{s.Normal.X, s.Normal.Y, s.Normal.Z}
}

// with is the sheet with other planes in their order.
func (s *Sheet) with(p []raster.Plane) *Sheet {
	if len(s.Planes) > 0 {
		return &Sheet{Planes: p, Bits: s.Bits}
	}
	return &Sheet{Normal: normals.Field{X: p[0], Y: p[1], Z: p[2]}, Bits: s.Bits}
}

// resampled is the sheet at w × h: colour in linear light, normals as vectors.
func (s *Sheet) resampled(w, h int) *Sheet {
	if a, b := s.Size(); a == w && b == h {
		return s
	}
	if len(s.Planes) == 0 {
		f, _ := s.Normal.Resample(w, h)
		return &Sheet{Normal: f, Bits: s.Bits}
	}
	out := &Sheet{Bits: s.Bits}
	linear, encode := colour.Curves()
	for _, p := range s.Planes {
		if len(s.Planes) == 3 {
			p = filter.Map(p, linear)
		}
		p = p.Resample(w, h, raster.Area)
		if len(s.Planes) == 3 {
			p = filter.Map(p, encode)
		}
		out.Planes = append(out.Planes, p)
	}
	return out
}

// Image is the sheet as it is stored: quantised to its bits, normals in 0..1.
func (s *Sheet) Image() *raster.Image {
	if len(s.Planes) == 0 {
		return s.Normal.Image().Quantise(s.Bits)
	}
	return raster.FromPlanes(s.Planes...).Quantise(s.Bits)
}

// Read takes a map's picture as a sheet, made to fit n pixels (0 for full size). Colour
// whose samples are linear light is encoded; floats are brought into 0..1 as raster's Unit
// does.
func Read(im *raster.Image, c material.Channel, component string, d normals.Direction, light bool, n int) *Sheet {
	im, _, _ = im.Unit()
	if n <= 0 {
		n = max(im.W, im.H)
	}
	s := &Sheet{Bits: 8}
	if im.Bits > 8 {
		s.Bits = 16
	}
	if c == material.Normal && im.Components() >= 2 {
		s.Normal = normals.Read(im, n)
		if d == normals.Down {
			s.Normal.Flip()
		}
		s.Bits = 16 // vectors that were worked out are worth it
		return s
	}
	list := []int{material.ComponentIndex(component, im.Components())}
	if component == "rgb" && c.Colour() {
		list = []int{0, 1, 2}
	}
	_, encode := colour.Curves()
	for _, k := range list {
		p := im.Reduced(min(k, im.Components()-1), n)
		if light {
			p = filter.Map(p, encode)
		}
		s.Planes = append(s.Planes, p)
	}
	return s
}

// Scan is a material as it was delivered, or as a treatment left it. Its maps' Width and
// Height are at full size; only the proportion of its size to its depth counts.
type Scan struct {
	material.Material
	Tiles [2]bool // whether it repeats across and down: its edges match
	// Load gives one of the maps, made to fit n pixels; 0 is for its full size.
	Load func(c material.Channel, n int) (*Sheet, error)
}

func (s *Scan) has(c material.Channel) bool { return s.Map(c) != nil }

// resize says that a channel's map has w × h pixels.
func (s *Scan) resize(c material.Channel, w, h int) {
	m := material.Map{}
	if was := s.Map(c); was != nil {
		m = *was
	}
	m.Width, m.Height = w, h
	s.Put(material.Source{Channel: c, Map: &m})
}

// smaller is the scan with its maps at n pixels at most.
func (s *Scan) smaller(n int) Scan {
	out, load := *s, s.Load
	for _, c := range s.Mapped() {
		if m := s.Map(c); max(m.Width, m.Height) > n {
			w, h := raster.Fit(m.Width, m.Height, n)
			out.resize(c, w, h)
		}
	}
	out.Load = func(c material.Channel, m int) (*Sheet, error) {
		if m <= 0 || m > n {
			m = n
		}
		return load(c, m)
	}
	return out
}

// pitch is how many metres a pixel of w × h covers on each axis.
func (s *Scan) pitch(w, h int) (x, y float64) { return s.Size.W / float64(w), s.Size.H / float64(h) }

// DecideAt is the longer side of the copies on which treatments decide.
const DecideAt = 1024

// operation is what one step comes to: which channels it makes anew, how, and what is true
// of the material afterwards.
type operation struct {
	makes []material.Channel
	// make gives a channel; get gives those of before the step at the size in question.
	make  func(c material.Channel, get func(material.Channel) (*Sheet, error)) (*Sheet, error)
	after Scan       // without Load
	zero  [2]float64 // what becomes of a stored height, times the first plus the second; both 0 where it stays
	did   fact.Fact  // what it comes to
	packs []material.Channel
}

// Plan is a recipe planned for a scan.
type Plan struct {
	scan       Scan
	operations []operation
	Did        []fact.Fact // what each step comes to, with its figures
	Share      [2]float64
	Zero       [2]float64           // what becomes of the zero level: times the first, plus the second
	After      Scan                 // sizes, depth and channels afterwards; Load gives reduced copies
	Made       []material.Channel   // the channels that differ from the scan's
	Packs      [][]material.Channel // groups of channels that are to lie in one file

	small map[material.Channel]*Sheet
}

// Invalid says why a step can't be carried out.
type Invalid struct {
	Step int // which of the recipe, from 0 on
	Why  fact.Fact
}

func (e Invalid) Error() string {
	return fmt.Sprintf("step %d: %s %v", e.Step+1, e.Why.Code, e.Why.Values)
}

// refuse is an error for a step that can't be carried out.
func refuse(code string, pairs ...any) error { return Invalid{Why: fact.New(code, pairs...)} }

// Decide plans a recipe for a scan: every parameter that a step has to find by looking is
// decided here, on reduced copies. An error of type Invalid says which step can't be done.
func Decide(ctx context.Context, scan Scan, recipe []Step) (*Plan, error) {
	return decide(ctx, scan, recipe, func(_ int, makes []material.Channel) []material.Channel { return makes })
}

// TryAt is the longer side of the copies on which recipes are tried.
const TryAt = 512

// Try decides a recipe as Decide does and gives one channel as it is afterwards, on copies of TryAt: the answer while somebody
// still chooses. Treatments with figures in pixels are tried at DecideAt. If the last step makes other channels alone, it is the
// first of those. Nothing else that the last step makes is made, and the plan is good for nothing but its figures.
func Try(ctx context.Context, scan Scan, recipe []Step, c material.Channel) (shown material.Channel, sheet *Sheet, p *Plan, err error) {
	shown = c
	if !slices.ContainsFunc(recipe, func(s Step) bool { return s.Kind == Register || s.Kind == OneSize }) {
		scan = scan.smaller(TryAt)
	}
	p, err = decide(ctx, scan, recipe, func(step int, makes []material.Channel) []material.Channel {
		if step < len(recipe)-1 || len(makes) == 0 {
			return makes
		}
		if !slices.Contains(makes, c) {
			shown = makes[0]
		}
		return []material.Channel{shown}
	})
	if err != nil {
		return c, nil, nil, err
	}
	sheet, err = p.reduced(shown, DecideAt)
	return shown, sheet, p, err
}

// decide is Decide where only says which of the channels that a step makes are made on the copies.
func decide(ctx context.Context, scan Scan, recipe []Step, only func(step int, makes []material.Channel) []material.Channel) (*Plan, error) {
	p := &Plan{scan: scan, Share: [2]float64{1, 1}, Zero: [2]float64{1, 0}, small: map[material.Channel]*Sheet{}}
	now := scan
	for _, c := range scan.Mapped() {
		s, err := scan.Load(c, DecideAt)
		if err != nil {
			return nil, err
		}
		p.small[c] = s
	}
	now.Load = p.reduced
	for i, step := range recipe {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		k, ok := kinds[step.Kind]
		if !ok {
			return nil, Invalid{i, fact.New("unknown", "kind", step.Kind)}
		}
		before := now // the operation keeps what it was decided on
		a, err := k.decide(step, &before)
		if err != nil {
			var inv Invalid
			if errors.As(err, &inv) {
				inv.Step = i
				return nil, inv
			}
			return nil, err
		}
		next := map[material.Channel]*Sheet{}
		for _, c := range only(i, a.makes) {
			s, err := a.make(c, func(c material.Channel) (*Sheet, error) { return now.Load(c, DecideAt) })
			if err != nil {
				return nil, err
			}
			next[c] = s
			if !slices.Contains(p.Made, c) {
				p.Made = append(p.Made, c)
			}
		}
		for c, s := range next {
			p.small[c] = s
		}
		p.Share[0] *= a.after.Size.W / now.Size.W
		p.Share[1] *= a.after.Size.H / now.Size.H
		if z := a.zero; z != [2]float64{} {
			p.Zero = [2]float64{p.Zero[0] * z[0], p.Zero[1]*z[0] + z[1]}
			a.after.Zero = now.Zero*z[0] + z[1]
		}
		p.operations = append(p.operations, a)
		p.Did = append(p.Did, a.did)
		if a.packs != nil {
			p.Packs = append(p.Packs, a.packs)
		}
		now = a.after
		now.Load = p.reduced
	}
	// A channel that is gone is not made.
	p.Made = slices.DeleteFunc(p.Made, func(c material.Channel) bool { return !now.has(c) })
	p.After = now
	return p, nil
}

// reduced is a channel as it is after the last step that was planned.
func (p *Plan) reduced(c material.Channel, n int) (*Sheet, error) {
	s := p.small[c]
	if s == nil {
		return nil, fmt.Errorf("there is no %s map", c)
	}
	return s, nil
}

// Make gives one channel at its full size with all steps carried out.
func (p *Plan) Make(ctx context.Context, c material.Channel) (*Sheet, error) {
	return p.upTo(ctx, len(p.operations), c)
}

func (p *Plan) upTo(ctx context.Context, step int, c material.Channel) (*Sheet, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	for i := step - 1; i >= 0; i-- {
		if slices.Contains(p.operations[i].makes, c) {
			return p.operations[i].make(c, func(c material.Channel) (*Sheet, error) { return p.upTo(ctx, i, c) })
		}
	}
	return p.scan.Load(c, 0)
}
