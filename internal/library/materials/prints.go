package materials

import (
	"context"
	"errors"
	"sync"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/likeness"
	"aldermoor/core/material"
	"aldermoor/core/raster"
)

// prints are those of all materials.
type prints struct {
	mu   sync.Mutex
	read bool
	likeness.Index
}

// put keeps a print, if the prints are in memory.
func (x *prints) put(id int64, p likeness.Print) {
	x.mu.Lock()
	defer x.mu.Unlock()
	if x.read {
		x.Index.Put(id, p)
	}
}

// KeepPrint keeps in memory a print that has just been stored.
func (s *Service) KeepPrint(id int64, p likeness.Print) { s.prints.put(id, p) }

// FindScan is the material whose scan a print is of; skip leaves materials out.
func (s *Service) FindScan(p likeness.Print, skip func(id int64) bool) (likeness.Match, bool) {
	s.prints.mu.Lock()
	defer s.prints.mu.Unlock()
	return s.prints.Find(p, skip)
}

// FindParts are up to three materials of whose scans a picture may be a part.
func (s *Service) FindParts(lightness raster.Plane, skip func(id int64) bool) []likeness.Part {
	s.prints.mu.Lock()
	defer s.prints.mu.Unlock()
	return s.prints.FindParts(lightness, 3, skip)
}

// PrintOf gathers a material's print from the looks of its files, and the marks of its
// base colour.
func (s *Service) PrintOf(m *Material, look func(p *Map) *channels.Look) (out likeness.Print, lightness raster.Plane, err error) {
	one := func(c material.Channel) []byte {
		p := m.Map(c)
		if p == nil {
			return nil
		}
		l := look(p)
		if l == nil || len(l.Thumb) == 0 {
			return nil
		}
		return l.Thumb[material.ComponentIndex(p.Component, len(l.Thumb))]
	}
	if p := m.Map(material.BaseColor); p != nil {
		if l := look(p); l != nil && len(l.Thumb) >= 3 {
			out.Lightness = make([]byte, len(l.Thumb[0]))
			for i := range out.Lightness {
				out.Lightness[i] = byte((2126*int(l.Thumb[0][i]) + 7152*int(l.Thumb[1][i]) + 722*int(l.Thumb[2][i])) / 10000)
			}
		}
	}
	out.Height = one(material.Height)
	if out.Rough = one(material.Roughness); out.Rough == nil {
		if out.Rough = one(material.Glossiness); out.Rough != nil {
			flipped := make([]byte, len(out.Rough))
			for i, v := range out.Rough {
				flipped[i] = 255 - v
			}
			out.Rough = flipped
		}
	}
	if lightness, err = s.Lightness(m); len(lightness.Pix) > 0 {
		out.Marks, out.W, out.H = likeness.Marks(lightness), lightness.W, lightness.H
	}
	return out, lightness, err
}

// Lightness is a material's base colour without its hue, reduced; an empty plane if
// there is none.
func (s *Service) Lightness(m *Material) (out raster.Plane, err error) {
	p := m.Map(material.BaseColor)
	if p == nil {
		return out, nil
	}
	im, err := s.Level(p.Blob, p.Layer)
	if err != nil || im == nil {
		return out, err
	}
	if im.Components() < 3 {
		return im.Plane(0), nil
	}
	r, g, b := im.Plane(0), im.Plane(1), im.Plane(2)
	out = raster.NewPlane(im.W, im.H)
	for i := range out.Pix {
		out.Pix[i] = 0.2126*r.Pix[i] + 0.7152*g.Pix[i] + 0.0722*b.Pix[i]
	}
	return out, nil
}

// AllPrints reads the prints once, when they are first asked for.
func (s *Service) AllPrints(tx Reader) error {
	s.prints.mu.Lock()
	defer s.prints.mu.Unlock()
	if s.prints.read {
		return nil
	}
	if err := tx.Prints(s.prints.Put); err != nil {
		return err
	}
	s.prints.read = true
	return nil
}

// SwapPrints exchanges the prints of two materials, as their scans are.
func SwapPrints(tx Tx, a, b int64) error {
	pa, errA := tx.Print(a)
	pb, errB := tx.Print(b)
	if err := errors.Join(errA, errB); err != nil {
		return err
	}
	return errors.Join(tx.SavePrint(a, pb), tx.SavePrint(b, pa))
}

// RemakePrints makes the prints of materials anew, after maps were moved between them.
func (s *Service) RemakePrints(ctx context.Context, ids []int64) error {
	for _, id := range ids {
		var m Material
		err := s.Store.Read(ctx, func(tx Reader) (err error) { m, err = tx.Material(id); return err })
		if err != nil {
			return err
		}
		p, _, err := s.PrintOf(&m, func(p *Map) *channels.Look { // as the reduced copy shows it
			im, err := s.Level(p.Blob, p.Layer)
			if err != nil || im == nil {
				return nil
			}
			l := channels.Measure(im, codec.Info{W: im.W, H: im.H, Bits: p.Bits, Float: p.Float, Components: im.Components()})
			return &l
		})
		if err != nil {
			return err
		}
		if err := s.Store.Write(ctx, func(tx Tx) error { return tx.SavePrint(id, p) }); err != nil {
			return err
		}
		s.prints.put(id, p)
	}
	return nil
}

// Reprint brings the prints in memory up to what is stored, after scans were exchanged.
func (s *Service) Reprint(ctx context.Context, ids []int64) error {
	for _, id := range ids {
		var p likeness.Print
		if err := s.Store.Read(ctx, func(tx Reader) (err error) { p, err = tx.Print(id); return err }); err != nil {
			return err
		}
		s.prints.put(id, p)
	}
	return nil
}
