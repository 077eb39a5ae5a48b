// Package likeness recognises the same scan in another form: at another tier, in
// another encoding or brightness, turned by a quarter, or shifted round its edges.
//
// A Print is a few hundred bytes. Comparing one with a hundred thousand others
// takes a few milliseconds: a perceptual hash of a picture's coarse structure
// (the signs of its low cosine frequencies) leaves few candidates, and those are
// held against each other sample by sample. A part of a scan is found by small
// places that stand out (marks), and then laid on the whole to be sure. It leaves out
// parts of less than a third of a side, and turns other than by a quarter.
package likeness

import (
	"math"
	"math/bits"
)

// Side is the number of samples of a print along each edge.
const Side = 16

// Print is the coarse structure of one scan: grey pictures of Side × Side samples,
// rows from the top, of whatever of it is known. nil stands for what is not.
type Print struct {
	Lightness []byte `json:"l,omitempty"` // of the base colour
	Height    []byte `json:"h,omitempty"`
	Rough     []byte `json:"r,omitempty"`

	Marks []Mark `json:"m,omitempty"`        // of the base colour's lightness
	W     int    `json:"width_px,omitempty"` // pixels of the base colour
	H     int    `json:"height_px,omitempty"`
}

// plane is a picture brought to mean 0 and deviation 1.
type plane [Side * Side]float32

// steady is the least deviation, in 255ths, at which a picture has a structure
// that rounding does not drown.
const steady = 1.2

// normal brings samples to mean 0 and deviation 1; ok is false if there is nothing
// in them.
func normal(p []byte) (out plane, ok bool) {
	if len(p) != Side*Side {
		return out, false
	}
	var sum, sq float64
	for _, v := range p {
		sum += float64(v)
		sq += float64(v) * float64(v)
	}
	mean := sum / float64(len(p))
	dev := math.Sqrt(max(0, sq/float64(len(p))-mean*mean))
	if dev < steady {
		return out, false
	}
	for i, v := range p {
		out[i] = float32((float64(v) - mean) / dev)
	}
	return out, true
}

// turn turns a picture clockwise by quarters.
func (p *plane) turn(quarters int) plane {
	out := *p
	for range quarters & 3 {
		was := out
		for y := range Side {
			for x := range Side {
				out[x*Side+Side-1-y] = was[y*Side+x]
			}
		}
	}
	return out
}

// cosines[k][n] are the cosine transform's factors for the frequencies 0..8.
var cosines = func() (m [9][Side]float32) {
	for k := range m {
		for n := range Side {
			m[k][n] = float32(math.Cos(math.Pi * (float64(n) + 0.5) * float64(k) / Side))
		}
	}
	return m
}()

// hash is a bit for the sign of each of 64 low frequencies against their median:
// pictures that are alike differ in few bits.
func (p *plane) hash() (h uint64) {
	var rows [Side][9]float32
	for y := range Side {
		for k := range 9 {
			var s float32
			for x := range Side {
				s += p[y*Side+x] * cosines[k][x]
			}
			rows[y][k] = s
		}
	}
	bit := 0
	for v := range 9 {
		for u := range 9 {
			if u+v == 0 || u == 8 && v > 0 || v == 8 || bit == 64 {
				continue
			}
			var s float32
			for y := range Side {
				s += rows[y][u] * cosines[v][y]
			}
			if s > 0 {
				h |= 1 << bit
			}
			bit++
		}
	}
	return h
}

// correlate is the correlation of two normal pictures, −1..1.
func correlate(a, b *plane) float64 {
	var s float32
	for i, v := range a {
		s += v * b[i]
	}
	return float64(s) / (Side * Side)
}

// Match says how another print is like the one asked for.
type Match struct {
	ID       int64
	Quarters int     // how far it would have to be turned clockwise to lie as asked
	Likeness float64 // correlation, up to 1
}

// alike is the least correlation of two pictures of one scan, apart the most bits
// in which their hashes differ.
const (
	alike = 0.9
	apart = 14
)

type entry struct {
	id    int64
	hash  uint64
	even  bool // without a structure that a hash could stand for
	print Print
}

// shape is the size of the picture that the marks are of, in samples.
func (e *entry) shape() (w, h float64) {
	k := MarkSide / float64(max(e.print.W, e.print.H, 1))
	return math.Round(float64(e.print.W) * k), math.Round(float64(e.print.H) * k)
}

// gone is the id of an entry that a newer one has replaced.
const gone = -1

// Index holds prints in memory. It is not safe for use by several goroutines at a
// time.
type Index struct {
	entries []entry
	at      map[int64]int
	marks   marks
}

// key is the picture that a print is found by: the first that has a structure.
func (p Print) key() (plane, bool) {
	for _, b := range [][]byte{p.Lightness, p.Height, p.Rough} {
		if q, ok := normal(b); ok {
			return q, true
		}
	}
	return plane{}, false
}

// Put adds a print, or takes the place of the one with its id. A print without any
// structure is not found again.
func (x *Index) Put(id int64, p Print) {
	if x.at == nil {
		x.at = map[int64]int{}
	}
	q, ok := p.key()
	if !ok && len(p.Marks) == 0 {
		return
	}
	e := entry{id, q.hash(), !ok, p}
	e.print.Marks = nil
	if i, there := x.at[id]; there {
		x.entries[i] = entry{id: gone, even: true}
		x.marks.forget(int32(i), func(e int32) bool { return x.entries[e].id != gone })
	}
	x.at[id] = len(x.entries)
	x.marks.put(int32(len(x.entries)), p.Marks)
	x.entries = append(x.entries, e)
}

// Find returns the print most like p, if any is of the same scan. skip leaves
// entries out; it may be nil.
func (x *Index) Find(p Print, skip func(id int64) bool) (best Match, ok bool) {
	q, has := p.key()
	if !has {
		return Match{}, false
	}
	for turn := range 4 {
		turned := q.turn(turn)
		h := turned.hash()
		for i := range x.entries {
			e := &x.entries[i]
			if e.even || bits.OnesCount64(h^e.hash) > apart || skip != nil && skip(e.id) {
				continue
			}
			if l := p.compare(e.print, turn); l >= alike && (l > best.Likeness || l == best.Likeness && e.id < best.ID) {
				best, ok = Match{e.id, (4 - turn) & 3, l}, true
			}
		}
	}
	return best, ok
}

// compare correlates all pictures that both prints have, p turned clockwise by
// quarters: the least of the correlations counts, since two states of one scan
// agree in everything.
func (p Print) compare(o Print, quarters int) float64 {
	least, n := 1.0, 0
	for _, pair := range [][2][]byte{{p.Lightness, o.Lightness}, {p.Height, o.Height}, {p.Rough, o.Rough}} {
		a, okA := normal(pair[0])
		b, okB := normal(pair[1])
		if !okA || !okB {
			continue
		}
		a = a.turn(quarters)
		least = min(least, correlate(&a, &b))
		n++
	}
	if n == 0 {
		return 0
	}
	return least
}
