package library

import "sync/atomic"

// Search finds what is published.
type Search struct {
	*Base
	Store  Store[SearchReader, any]
	index  index
	loaded atomic.Bool
}

// Put shows a release in place of an older one of its material.
func (s *Search) Put(c Card) { s.index.put(c) }

func (s *Search) size() int { return s.index.size() }

// OfMaterial is the card of a material; ok is false if nothing of it is published.
func (s *Search) OfMaterial(id int64) (c Card, ok bool) { return s.index.byMaterial(id) }
