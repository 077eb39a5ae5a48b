package search

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"

	"aldermoor/core/colour"
	"aldermoor/core/likeness"
	"aldermoor/internal/library/releases"
)

// Traits are what is seen of a published material, by which others like it are found.
type Traits struct {
	Palette   []likeness.Tone
	Look      likeness.Look
	Roughness float32 // mean
	Metallic  float32 // mean
	Relief    float32 // metres
}

// traitsForm is the first byte of traits as they are kept: it changes when they are worked out otherwise.
const traitsForm = 1

// keptTraits is how traits are kept: tones of no share fill the palette up.
type keptTraits struct {
	Form                        byte
	Palette                     [likeness.MostTones][4]float32
	Look                        likeness.Look
	Roughness, Metallic, Relief float32
}

// MarshalBinary is the traits as they are kept.
func (t Traits) MarshalBinary() ([]byte, error) {
	k := keptTraits{Form: traitsForm, Look: t.Look, Roughness: t.Roughness, Metallic: t.Metallic, Relief: t.Relief}
	for i, p := range t.Palette {
		k.Palette[i] = [4]float32{p.Color[0], p.Color[1], p.Color[2], p.Share}
	}
	var b bytes.Buffer
	err := binary.Write(&b, binary.LittleEndian, k)
	return b.Bytes(), err
}

// UnmarshalBinary reads traits as they are kept. Those of an earlier form are an error: they are worked out
// again.
func (t *Traits) UnmarshalBinary(data []byte) error {
	var k keptTraits
	if err := binary.Read(bytes.NewReader(data), binary.LittleEndian, &k); err != nil {
		return err
	}
	if k.Form != traitsForm {
		return fmt.Errorf("traits of form %d", k.Form)
	}
	*t = Traits{Look: k.Look, Roughness: k.Roughness, Metallic: k.Metallic, Relief: k.Relief}
	for _, p := range k.Palette {
		if p[3] > 0 {
			t.Palette = append(t.Palette, likeness.Tone{Color: colour.RGB{p[0], p[1], p[2]}, Share: p[3]})
		}
	}
	return nil
}

// traitRow is the traits of a card, laid out to be gone through quickly.
type traitRow struct {
	// What a search by colour reads lies together.
	known bool
	tones int8
	metal float32
	share [likeness.MostTones]float32
	ok    [likeness.MostTones][3]float32 // OKLab

	lab       [likeness.MostTones][3]float32 // CIELAB
	look      likeness.Look
	roughness float32
	relief    float32
}

func (t *Traits) row() (s traitRow) {
	s = traitRow{known: true, metal: t.Metallic, roughness: t.Roughness, relief: t.Relief, tones: int8(len(t.Palette)), look: t.Look}
	for i, p := range t.Palette {
		l, a, b := colour.OKLab(p.Color)
		s.ok[i] = [3]float32{float32(l), float32(a), float32(b)}
		l, a, b = colour.Lab(p.Color)
		s.lab[i] = [3]float32{float32(l), float32(a), float32(b)}
		s.share[i] = p.Share
	}
	return s
}

// PutTraits makes the traits of a look known.
func (s *Service) PutTraits(look string, t Traits) { s.index.putTraits(look, t) }

// Traits are those of a published material; ok is false while they are not known.
func (s *Service) Traits(material int64) (look likeness.Look, ok bool) {
	x := &s.index
	x.mu.RLock()
	defer x.mu.RUnlock()
	i, there := x.at[material]
	if !there || !x.rows[i].known {
		return look, false
	}
	return x.rows[i].look, true
}

// Undescribed are published materials whose traits are not known.
func (s *Service) Undescribed() (list []releases.Card) {
	x := &s.index
	x.mu.RLock()
	defer x.mu.RUnlock()
	for i := range x.cards {
		if !x.rows[i].known {
			list = append(list, x.cards[i])
		}
	}
	return list
}

func (x *index) putTraits(look string, t Traits) {
	x.mu.Lock()
	defer x.mu.Unlock()
	x.init(0)
	s, shown := t.row(), false
	x.answers.forget()
	defer x.edition.Add(1)
	x.looks.each(look, func(i int32) {
		x.rows[i], shown = s, true
		x.figure(int(i))
	})
	if !shown {
		x.traits[look] = s
	}
}

// traitRowOf is what is known of a look, of a card or of what is not published yet.
func (x *index) traitRowOf(look string) traitRow {
	if i, ok := x.looks.first[look]; ok {
		return x.rows[i]
	}
	return x.traits[look]
}

// Near asks for materials that are near to something, the nearest first.
type Near struct {
	Colours []likeness.Tone // these colours; shares add up to 1
	Hue     bool            // of colours: light and dark do not matter
	Metals  bool            // metals alone

	Look    *likeness.Look // what looks like this
	Except  int64          // a material that is not wanted: the one that is looked like
	Weights likeness.Weights
	Sizes   bool // of a picture whose size is not known: compared at the best of several
}

// Asks says whether anything is asked for.
func (n *Near) Asks() bool { return n != nil && (len(n.Colours) > 0 || n.Look != nil || n.Metals) }

// How far away is still near: in ΔE, and how many are shown that look alike.
const (
	nearColour = 22
	nearLooks  = 240
	trialRun   = 2500 // colours that are weighed exactly
)

type distance struct {
	i int32
	d float32
}

// near is how far each of the hits is, the nearest first; those that are not near are left out.
func (x *index) near(n *Near, hits bitset) []distance {
	list := make([]distance, 0, len(x.cards))
	except := -1
	if i, ok := x.at[n.Except]; ok {
		except = int(i)
	}
	for i := range x.rows {
		if s := &x.rows[i]; s.known && hits.has(i) && i != except && !(n.Metals && s.metal < 0.5) {
			list = append(list, distance{i: int32(i)})
		}
	}
	switch {
	case n.Look != nil:
		w := n.Weights
		if w == (likeness.Weights{}) {
			w = likeness.Usual
		}
		var like *kind
		if except >= 0 && x.rows[except].known {
			k := x.kindOf(except)
			like = &k
		}
		weigh(list, 4096, func(i int32) float32 {
			d := n.apart(&x.rows[i].look, w)
			if like != nil {
				d += x.unlike(like, int(i))
			}
			return d
		})
		return nearest(list, nearLooks)
	case len(n.Colours) > 0:
		q := make([]paint, len(n.Colours))
		for k, t := range n.Colours {
			q[k].share = t.Share
			l, a, b := colour.OKLab(t.Color)
			q[k].ok = [3]float32{float32(l), float32(a), float32(b)}
			q[k].l, q[k].a, q[k].b = colour.Lab(t.Color)
		}
		if len(list) > trialRun {
			weigh(list, 4096, func(i int32) float32 { return x.rows[i].roughly(q, n.Hue) })
			list = nearest(list, trialRun)
		}
		weigh(list, 256, func(i int32) float32 { return x.rows[i].exactly(q, n.Hue) })
		list = slices.DeleteFunc(list, func(d distance) bool { return d.d > nearColour })
		sortNear(list)
	}
	return list
}

// kind is what is known of the kind of a published material beside its look.
type kind struct {
	metal, roughness float32
	filed            bool   // it is in a category
	kin              bitset // cards in the same branches of the categories
}

func (x *index) kindOf(i int) kind {
	k := kind{metal: x.rows[i].metal, roughness: x.rows[i].roughness, filed: len(x.cards[i].Categories) > 0, kin: newBitset(len(x.cards))}
	for _, c := range x.cards[i].Categories {
		top, _, _ := strings.Cut(c, Branch)
		for _, o := range x.facets[ByCategory].peek(top).ids {
			k.kin.set(int(o))
		}
	}
	return k
}

// unlike is how much card i differs in kind, on the scale of the distance of looks: glass is no paint, however alike they
// look. Metal against none counts 2, roughness 0 against 1 counts 1, and branches of the categories that have nothing in
// common 0.6; half of that where one is in no category.
func (x *index) unlike(k *kind, i int) float32 {
	m, r := k.metal-x.rows[i].metal, k.roughness-x.rows[i].roughness
	d := 2*m*m + r*r
	switch {
	case !k.filed || len(x.cards[i].Categories) == 0:
		d += 0.3
	case !k.kin.has(i):
		d += 0.6
	}
	return d
}

// weigh fills in the distances, so many at a time on all cores.
func weigh(list []distance, each int, of func(i int32) float32) {
	var wg sync.WaitGroup
	for from := 0; from < len(list); from += each {
		part := list[from:min(from+each, len(list))]
		work := func() {
			for k := range part {
				part[k].d = of(part[k].i)
			}
		}
		if len(list) <= each {
			work()
			return
		}
		wg.Go(work)
	}
	wg.Wait()
}

// nearest are the n nearest in order: the rest is left unsorted (Hoare's selection).
func nearest(list []distance, n int) []distance {
	for lo, hi := 0, len(list); len(list) > n && hi-lo > 1; {
		pivot := list[lo+(hi-lo)/2]
		i, j := lo, hi-1
		for i <= j {
			for before(list[i], pivot) {
				i++
			}
			for before(pivot, list[j]) {
				j--
			}
			if i <= j {
				list[i], list[j] = list[j], list[i]
				i, j = i+1, j-1
			}
		}
		switch {
		case n <= j:
			hi = j + 1
		case n >= i:
			lo = i
		default:
			hi = lo
		}
	}
	list = list[:min(n, len(list))]
	sortNear(list)
	return list
}

func before(a, b distance) bool { return a.d < b.d || a.d == b.d && a.i < b.i }

func sortNear(list []distance) {
	slices.SortFunc(list, func(a, b distance) int { return cmp.Or(cmp.Compare(a.d, b.d), cmp.Compare(a.i, b.i)) })
}

// apart is how far a look is from the one that is asked for.
func (n *Near) apart(o *likeness.Look, w likeness.Weights) float32 {
	d := n.Look.Compare(o, w, 0).All
	if n.Sizes {
		for shift := -3; shift <= 3; shift++ {
			d = min(d, n.Look.Compare(o, w, shift).All+0.02*float32(shift*shift))
		}
	}
	return d
}

// paint is a colour that is asked for.
type paint struct {
	ok      [3]float32
	l, a, b float64 // CIELAB
	share   float32
}

// lacking is what it costs, in ΔE, if a colour covers less than is asked for.
func lacking(want, has float32) float32 { return 15 * max(0, want-has) }

// roughly is a measure of distance that is quick, and orders nearly as exactly does.
func (s *traitRow) roughly(q []paint, hue bool) (d float32) {
	for k := range q {
		best := float32(math.Inf(1))
		for i := range int(s.tones) {
			l, a, b := s.ok[i][0]-q[k].ok[0], s.ok[i][1]-q[k].ok[1], s.ok[i][2]-q[k].ok[2]
			if hue {
				l = 0
			}
			e := 120*float32(math.Sqrt(float64(l*l+2.5*(a*a+b*b)))) + lacking(q[k].share, s.share[i])
			best = min(best, e)
		}
		d += q[k].share * best
	}
	return d
}

// exactly is the distance: CIEDE2000 to the nearest tone of each colour, by their shares.
func (s *traitRow) exactly(q []paint, hue bool) (d float32) {
	for k := range q {
		best := float32(math.Inf(1))
		for i := range int(s.tones) {
			l := float64(s.lab[i][0])
			if hue {
				l = q[k].l
			}
			e := float32(colour.CIEDE2000(q[k].l, q[k].a, q[k].b, l, float64(s.lab[i][1]), float64(s.lab[i][2]))) + lacking(q[k].share, s.share[i])
			best = min(best, e)
		}
		d += q[k].share * best
	}
	return d
}
