package search

import (
	"math/bits"
	"slices"
)

// bitset is a set of cards.
type bitset []uint64

func newBitset(n int) bitset { return make(bitset, (n+63)/64) }

func (b *bitset) set(i int) {
	for len(*b) <= i/64 {
		*b = append(*b, 0)
	}
	(*b)[i/64] |= 1 << (i % 64)
}

func (b bitset) clear(i int) {
	if i/64 < len(b) {
		b[i/64] &^= 1 << (i % 64)
	}
}

func (b bitset) has(i int) bool { return i/64 < len(b) && b[i/64]>>(i%64)&1 == 1 }

func (b bitset) count() (n int) {
	for _, w := range b {
		n += bits.OnesCount64(w)
	}
	return n
}

// set is which cards have a choice or word: their numbers in order, and where these are
// many their bits too.
type set struct {
	ids  []int32
	bits bitset
}

func (s *set) add(i int32) {
	at, there := slices.BinarySearch(s.ids, i)
	if there {
		return
	}
	s.ids = slices.Insert(s.ids, at, i)
	switch {
	case s.bits != nil:
		s.bits.set(int(i))
	case len(s.ids) >= manyAt:
		for _, k := range s.ids {
			s.bits.set(int(k))
		}
	}
}

func (s *set) remove(i int32) {
	if at, there := slices.BinarySearch(s.ids, i); there {
		s.ids = slices.Delete(s.ids, at, at+1)
		s.bits.clear(int(i))
	}
}

// append adds a card with a higher number than any before.
func (s *set) append(i int32) {
	if n := len(s.ids); n == 0 || s.ids[n-1] < i {
		s.ids = append(s.ids, i)
		if s.bits != nil {
			s.bits.set(int(i))
		} else if len(s.ids) >= manyAt {
			for _, k := range s.ids {
				s.bits.set(int(k))
			}
		}
	}
}

// and is the part of b that is in the set.
func (s *set) and(b bitset) bitset {
	out := make(bitset, len(b))
	if s.bits != nil {
		for i := range min(len(b), len(s.bits)) {
			out[i] = b[i] & s.bits[i]
		}
		return out
	}
	for _, i := range s.ids {
		if b.has(int(i)) {
			out.set(int(i))
		}
	}
	return out
}

// countIn is how many of the set are in b.
func (s *set) countIn(b bitset) (n int) {
	if s.bits != nil {
		for i := range min(len(b), len(s.bits)) {
			n += bits.OnesCount64(b[i] & s.bits[i])
		}
		return n
	}
	for _, i := range s.ids {
		if b.has(int(i)) {
			n++
		}
	}
	return n
}
