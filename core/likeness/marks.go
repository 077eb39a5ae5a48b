package likeness

import (
	"cmp"
	"maps"
	"math"
	"math/bits"
	"math/rand/v2"
	"slices"

	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/stats"
)

// Mark is a small place of a picture that stands out: where it is, in samples of
// the picture brought to MarkSide, and 64 comparisons of lightness around it
// (Calonder et al. 2010). Marks find a scan of which only a part was delivered.
type Mark struct {
	X, Y uint8
	Bits uint64
}

const (
	// MarkSide is the longer side of the pictures that marks are kept of, in samples.
	MarkSide = 128
	kept     = 48 // marks of one scan
	reach    = 7  // samples around a mark that are compared
	margin   = reach + 1
)

// pairs are the places whose lightness is compared, four coordinates each, within a
// disc so that a turned picture has the same ones.
var pairs = func() (out [64][4]int) {
	rng := rand.New(rand.NewPCG(2010, 778))
	place := func() (int, int) {
		for {
			x, y := rng.NormFloat64()*reach/2, rng.NormFloat64()*reach/2
			if math.Hypot(x, y) <= reach {
				return int(math.Round(x)), int(math.Round(y))
			}
		}
	}
	for i := range out {
		for out[i][0] == out[i][2] && out[i][1] == out[i][3] {
			out[i][0], out[i][1] = place()
			out[i][2], out[i][3] = place()
		}
	}
	return out
}()

// Marks are the marks of a scan that are kept: the strongest of its lightness,
// whatever its size in pixels. What has fewer than half of MarkSide has none.
func Marks(lightness raster.Plane) []Mark {
	if max(lightness.W, lightness.H) < MarkSide/2 {
		return nil
	}
	p := filter.GaussianInside(fit(lightness, MarkSide), 1)
	var out []Mark
	for _, at := range places(p, kept) {
		out = append(out, Mark{uint8(at.x), uint8(at.y), compare(p, at.x, at.y, 0)})
	}
	return out
}

func fit(p raster.Plane, side float64) raster.Plane {
	k := side / float64(max(p.W, p.H))
	return p.Resample(max(1, int(math.Round(float64(p.W)*k))), max(1, int(math.Round(float64(p.H)*k))), raster.Area)
}

type place struct {
	x, y     int
	strength float32
}

// places are the n strongest extremes of what a blur takes away, not too close to
// each other.
func places(p raster.Plane, n int) []place {
	wide := filter.GaussianInside(p, 1.6)
	d := raster.NewPlane(p.W, p.H)
	for i, v := range p.Pix {
		d.Pix[i] = float32(math.Abs(float64(v - wide.Pix[i])))
	}
	var all []place
	for y := margin; y < p.H-margin; y++ {
		for x := margin; x < p.W-margin; x++ {
			v := d.Pix[y*p.W+x]
			if v < 0.002 || !highest(d, x, y, v) {
				continue
			}
			all = append(all, place{x, y, v})
		}
	}
	slices.SortFunc(all, func(a, b place) int {
		return cmp.Or(cmp.Compare(b.strength, a.strength), cmp.Compare(a.y, b.y), cmp.Compare(a.x, b.x))
	})
	return all[:min(n, len(all))]
}

func highest(d raster.Plane, x, y int, v float32) bool {
	for dy := -2; dy <= 2; dy++ {
		for _, w := range d.Pix[(y+dy)*d.W+x-2 : (y+dy)*d.W+x+3] {
			if w > v {
				return false
			}
		}
	}
	return true
}

// compare makes the bits of a place as they would be if the picture were turned
// clockwise by quarters.
func compare(p raster.Plane, x, y, quarters int) (out uint64) {
	for i, q := range pairs {
		ax, ay, bx, by := q[0], q[1], q[2], q[3]
		for range (4 - quarters) & 3 { // what lies there after the turn lies here before it
			ax, ay, bx, by = -ay, ax, -by, bx
		}
		if p.Pix[(y+ay)*p.W+x+ax] > p.Pix[(y+by)*p.W+x+bx] {
			out |= 1 << i
		}
	}
	return out
}

// Part says where a picture lies in another one that is known, which may reach
// beyond it: the other spans 0..1 on both axes.
type Part struct {
	ID         int64
	Quarters   int // how far the picture asked for would have to be turned clockwise
	X, Y, W, H float64
	Votes      int // marks that agree
}

// sizes are the lengths of the picture asked for, in samples of a known one, at
// which it is looked for: from a third of it to twice as large.
const (
	smallest = 44.0
	step     = 1.189 // a fourth root of 2
	largest  = 256.0
	agreeing = 12 // bits in which the same place may differ
	votes    = 3

	// SamePart is the least correlation of a picture with the part of a scan that it shows.
	SamePart = 0.65
)

// key is a known scan with a size and a turn of the picture asked for, and vote where
// one mark would lay it.
type (
	key struct {
		entry          int32
		size, quarters int8
	}
	vote struct{ x, y float32 }
)

// cast gathers the votes of the picture's marks at one size.
func (x *Index) cast(found map[key][]vote, lightness raster.Plane, side float64, size int) {
	p := filter.GaussianInside(fit(lightness, side), 1)
	for _, at := range places(p, max(32, int(44*side*side/(MarkSide*MarkSide)))) {
		tx, ty, w, h := at.x, at.y, p.W, p.H
		for q := range 4 {
			x.near(compare(p, at.x, at.y, q), func(e int32, there [2]uint8) {
				k := key{e, int8(size), int8(q)}
				found[k] = append(found[k], vote{float32(int(there[0]) - tx), float32(int(there[1]) - ty)})
			})
			tx, ty, w, h = h-1-ty, tx, h, w
		}
	}
}

// FindParts looks for scans of which a picture may show a part, or that may show a
// part of it: the likeliest first, at most n. Each is to be confirmed with Register.
func (x *Index) FindParts(lightness raster.Plane, n int, skip func(id int64) bool) []Part {
	if max(lightness.W, lightness.H) < MarkSide/2 {
		return nil
	}
	var sides []float64
	for side := smallest; side <= largest; side *= step {
		sides = append(sides, side)
	}
	found := make([]map[key][]vote, len(sides)) // a map a size, all at the same time
	raster.Each(len(sides), func(i int) {
		found[i] = map[key][]vote{}
		x.cast(found[i], lightness, sides[i], i)
	})
	all := found[0]
	for _, f := range found[1:] {
		maps.Copy(all, f)
	}
	var out []Part
	for k, list := range all {
		if len(list) < votes {
			continue
		}
		if id := x.entries[k.entry].id; id == gone || skip != nil && skip(id) {
			continue
		}
		best, at := agreement(list)
		if best < votes {
			continue
		}
		e := &x.entries[k.entry]
		side := smallest * math.Pow(step, float64(k.size))
		w, h := side, side
		if lightness.W > lightness.H {
			h *= float64(lightness.H) / float64(lightness.W)
		} else {
			w *= float64(lightness.W) / float64(lightness.H)
		}
		if k.quarters&1 == 1 {
			w, h = h, w
		}
		ew, eh := e.shape()
		out = append(out, Part{e.id, int(k.quarters), float64(at.x) / ew, float64(at.y) / eh, w / ew, h / eh, best})
	}
	slices.SortFunc(out, func(a, b Part) int {
		return cmp.Or(cmp.Compare(b.Votes, a.Votes), cmp.Compare(a.ID, b.ID), cmp.Compare(a.Quarters, b.Quarters), cmp.Compare(a.W, b.W))
	})
	// One answer a scan: neighbouring sizes find the same.
	seen := map[int64]bool{}
	out = slices.DeleteFunc(out, func(p Part) bool { was := seen[p.ID]; seen[p.ID] = true; return was })
	return out[:min(n, len(out))]
}

// agreement is the place on which most votes agree, within three samples or so, and how many
// do. Votes are counted in cells, so that a surface that repeats, and casts thousands, costs
// no more for each.
func agreement(list []vote) (most int, at vote) {
	const cell = 2
	type sum struct {
		n    int
		x, y float32
	}
	type place struct{ x, y int32 }
	of := func(v vote) place {
		return place{int32(math.Floor(float64(v.x / cell))), int32(math.Floor(float64(v.y / cell)))}
	}
	cells := make(map[place]sum, len(list))
	for _, v := range list {
		c := cells[of(v)]
		cells[of(v)] = sum{c.n + 1, c.x + v.x, c.y + v.y}
	}
	for _, v := range list { // in their order, so that the answer is always the same
		p := of(v)
		var all sum
		for dy := int32(-1); dy <= 1; dy++ {
			for dx := int32(-1); dx <= 1; dx++ {
				c := cells[place{p.x + dx, p.y + dy}]
				all = sum{all.n + c.n, all.x + c.x, all.y + c.y}
			}
		}
		if all.n > most {
			most, at = all.n, vote{all.x / float32(all.n), all.y / float32(all.n)}
		}
	}
	return most, at
}

// marks finds marks by their bits: those that agree with what is asked for in all of
// one of four groups of sixteen.
type marks struct {
	bits   []uint64
	at     [][2]uint8
	entry  []int32
	groups [4][][]int32 // by the sixteen bits
	gone   int          // marks of entries that newer ones have replaced
}

// forget counts the marks of an entry as gone, and frees those that are once they are most.
// left gives the entries that stay.
func (m *marks) forget(entry int32, left func(entry int32) bool) {
	for _, e := range m.entry {
		if e == entry {
			m.gone++
		}
	}
	if m.gone < 4096 || m.gone < len(m.bits)/2 {
		return
	}
	old := *m
	*m = marks{}
	for i, e := range old.entry {
		if left(e) {
			m.put(e, []Mark{{Bits: old.bits[i], X: old.at[i][0], Y: old.at[i][1]}})
		}
	}
}

func (m *marks) put(entry int32, list []Mark) {
	for _, k := range list {
		i := int32(len(m.bits))
		m.bits, m.at, m.entry = append(m.bits, k.Bits), append(m.at, [2]uint8{k.X, k.Y}), append(m.entry, entry)
		for g := range m.groups {
			if m.groups[g] == nil {
				m.groups[g] = make([][]int32, 1<<16)
			}
			b := uint16(k.Bits >> (16 * g))
			m.groups[g][b] = append(m.groups[g][b], i)
		}
	}
}

// near gives the marks whose bits are nearly b, each once.
func (x *Index) near(b uint64, each func(entry int32, at [2]uint8)) {
	if len(x.marks.bits) == 0 {
		return
	}
	for g := range x.marks.groups {
		for _, i := range x.marks.groups[g][uint16(b>>(16*g))] {
			d := x.marks.bits[i] ^ b
			if bits.OnesCount64(d) > agreeing {
				continue
			}
			first := true
			for before := range g {
				first = first && uint16(d>>(16*before)) != 0
			}
			if first {
				each(x.marks.entry[i], x.marks.at[i])
			}
		}
	}
}

// Register holds a picture against the part of a known one that it may show, and
// returns where it really lies and how far both agree there, 0..1: the correlation of
// their lightness, but no more than the share of small blocks in which it is alike, so
// that two scans of one pattern are told apart by their grain. Brightness and contrast
// do not count; 0 if they overlap too little.
func Register(known, picture raster.Plane, at Part) (Part, float64) {
	p := picture
	for range at.Quarters {
		p = turnPlane(p)
	}
	best, score := at, 0.0
	for _, side := range []float64{64, 192} {
		k := fit(known, side)
		if want := 1.3 * side * max(at.W, at.H); want < float64(max(p.W, p.H)) {
			picture = fit(p, want)
		} else {
			picture = p
		}
		try := func(q Part) {
			if s := correlateOn(k, picture, q); s > score {
				best, score = q, s
			}
		}
		score = 0
		try(best)
		// By steps that halve, of a size and a shift, until a step is under a sample.
		for grain := 2.0; grain >= 0.5; grain /= 2 {
			for {
				from := best
				for _, grow := range []float64{1, 1 - grain*0.012, 1 + grain*0.012} {
					for dy := -1.0; dy <= 1; dy++ {
						for dx := -1.0; dx <= 1; dx++ {
							q := from
							q.W, q.H = from.W*grow, from.H*grow
							q.X += dx*grain/float64(k.W) + (from.W-q.W)/2
							q.Y += dy*grain/float64(k.H) + (from.H-q.H)/2
							try(q)
						}
					}
				}
				if best == from {
					break
				}
			}
		}
		if score < 0.45 {
			return best, 0 // not worth a closer look
		}
		if side == 192 {
			score = min(score, alikeBlocks(k, picture, best))
		}
	}
	return best, score
}

// laid is a picture brought to a part of a known one, and what of it lies within.
func laid(k, p raster.Plane, at Part) (q raster.Plane, x0, y0 int) {
	w, h := max(1, int(math.Round(at.W*float64(k.W)))), max(1, int(math.Round(at.H*float64(k.H))))
	return p.Resample(w, h, raster.Area), int(math.Round(at.X * float64(k.W))), int(math.Round(at.Y * float64(k.H)))
}

// sums gathers what a correlation needs.
// least is the variance below which a part of a picture says nothing.
const least = 1e-6

func correlateOn(k, p raster.Plane, at Part) float64 {
	q, x0, y0 := laid(k, p, at)
	var s stats.Pairs
	for y := max(0, -y0); y < min(q.H, k.H-y0); y++ {
		for x := max(0, -x0); x < min(q.W, k.W-x0); x++ {
			s.Add(float64(q.Pix[y*q.W+x]), float64(k.Pix[(y0+y)*k.W+x0+x]))
		}
	}
	if s.N() < 0.08*float64(min(q.W*q.H, k.W*k.H)) || s.N() < 100 {
		return 0
	}
	r, _ := s.Correlation(least)
	return r
}

// alikeBlocks is the share of blocks of 8 × 8 samples in which two pictures go
// together.
func alikeBlocks(k, p raster.Plane, at Part) float64 {
	const block = 8
	q, x0, y0 := laid(k, p, at)
	alike, all := 0.0, 0.0
	for by := max(0, -y0); by+block <= min(q.H, k.H-y0); by += block {
		for bx := max(0, -x0); bx+block <= min(q.W, k.W-x0); bx += block {
			var s stats.Pairs
			for y := by; y < by+block; y++ {
				for x := bx; x < bx+block; x++ {
					s.Add(float64(q.Pix[y*q.W+x]), float64(k.Pix[(y0+y)*k.W+x0+x]))
				}
			}
			all++
			if r, _ := s.Correlation(least); r > 0.5 {
				alike++
			}
		}
	}
	return alike / max(all, 1)
}

func turnPlane(p raster.Plane) raster.Plane {
	out := raster.NewPlane(p.H, p.W)
	for y := range p.H {
		for x := range p.W {
			out.Pix[x*out.W+out.W-1-y] = p.Pix[y*p.W+x]
		}
	}
	return out
}
