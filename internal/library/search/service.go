// Package search finds what is published: an index in memory of all cards, with words, facets
// and orders.
package search

import (
	"sync/atomic"

	"aldermoor/internal/library"
	"aldermoor/internal/library/releases"
)

// Service finds what is published.
type Service struct {
	*library.Base
	Store  library.Store[Reader, Tx]
	index  index
	loaded atomic.Bool
}

// Put shows a release in place of an older one of its material.
func (s *Service) Put(c releases.Card) { s.index.put(c) }

// Size is how many materials are published; 0 until they have been read.
func (s *Service) Size() int {
	if !s.loaded.Load() {
		return 0
	}
	return s.index.size()
}

// OfMaterial is the card of a material; ok is false if nothing of it is published.
func (s *Service) OfMaterial(id int64) (c releases.Card, ok bool) { return s.index.byMaterial(id) }

// CardOfRelease is the card of a material by its latest release; ok is false if that is not a latest one.
func (s *Service) CardOfRelease(id int64) (c releases.Card, ok bool) { return s.index.byRelease(id) }

// Used records how many people use a material. It is shown after the next Settle.
func (s *Service) Used(material int64, people int) { s.index.use(material, people) }

// Settle shows how many people use what. Everything that was found lately is found anew, so it is called now and then
// rather than with each download.
func (s *Service) Settle() { s.index.settle() }
