package library

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/likeness"
	"aldermoor/core/scale"
)

// Known says that a delivered set is of a scan that is here already.
type Known struct {
	Material int64
	Name     string // as it was called then
	Files    bool   // the very same files
	Quarters int    // how far that one is turned against this, clockwise
	Wider    int    // pixels of the longer side of that one's source
}

// Says is what is known, as a sentence about a set of the given pixels.
func (k *Known) Says(w, h int) string {
	if k.Files {
		return fmt.Sprintf("These files are here already, in %s.", k.Name)
	}
	how := "in another encoding"
	switch long := max(w, h); {
	case long < k.Wider:
		how = fmt.Sprintf("but smaller (%d px against %d)", long, k.Wider)
	case long > k.Wider && k.Wider > 0:
		how = fmt.Sprintf("but larger (%d px against %d)", long, k.Wider)
	}
	if k.Quarters > 0 {
		how += fmt.Sprintf(", turned by %d°", 90*k.Quarters)
	}
	return fmt.Sprintf("This is the scan of %s, %s.", k.Name, how)
}

// printOf gathers a material's print from the looks of its files.
func printOf(m *Material, look func(p *Map) *channels.Look) (out likeness.Print) {
	one := func(c channels.Channel) []byte {
		p := m.Map(c)
		if p == nil {
			return nil
		}
		l := look(p)
		if l == nil || len(l.Thumb) == 0 {
			return nil
		}
		return l.Thumb[componentIndex(p.Component, len(l.Thumb))]
	}
	if p := m.Map(channels.BaseColor); p != nil {
		if l := look(p); l != nil && len(l.Thumb) >= 3 {
			out.Lightness = make([]byte, len(l.Thumb[0]))
			for i := range out.Lightness {
				out.Lightness[i] = byte((2126*int(l.Thumb[0][i]) + 7152*int(l.Thumb[1][i]) + 722*int(l.Thumb[2][i])) / 10000)
			}
		}
	}
	out.Height = one(channels.Height)
	if out.Rough = one(channels.Roughness); out.Rough == nil {
		if out.Rough = one(channels.Glossiness); out.Rough != nil {
			flipped := make([]byte, len(out.Rough))
			for i, v := range out.Rough {
				flipped[i] = 255 - v
			}
			out.Rough = flipped
		}
	}
	return out
}

// recognise looks whether a set that was just added is of a scan that is here
// already, and keeps its print. within holds the prints of the same delivery.
func (s *Service) recognise(tx Tx, m *Material, print likeness.Print, within *likeness.Index) error {
	k := Known{}
	var blobs []string
	for _, p := range m.Assigned() {
		blobs = append(blobs, p.Blob)
	}
	id, err := tx.SameFiles(m.ID, blobs)
	switch {
	case err == nil:
		k.Material, k.Files = id, true
	case !errors.Is(err, ErrNotFound):
		return err
	default:
		s.prints.mu.Lock()
		match, ok := s.prints.Find(print, nil)
		s.prints.mu.Unlock()
		if again, also := within.Find(print, nil); also && (!ok || again.Likeness > match.Likeness) {
			match, ok = again, true
		}
		if ok {
			k.Material, k.Quarters = match.ID, match.Quarters
		}
	}
	within.Put(m.ID, print)
	if err := tx.SavePrint(m.ID, print); err != nil {
		return err
	}
	if k.Material == 0 {
		return nil
	}
	other, err := tx.Material(k.Material)
	if errors.Is(err, ErrNotFound) || err == nil && other.Stage == Left {
		return nil
	}
	if err != nil {
		return err
	}
	w, h := other.Pixels()
	k.Name, k.Wider = other.Name, max(w, h)
	m.Known = &k
	m.Doubts = m.doubts()
	return tx.SaveMaterial(m)
}

// Separate says that a set is another material than the one it was taken for.
func (s *Service) Separate(ctx context.Context, id int64, by string) error {
	_, err := s.decide(ctx, by, "taken as a material of its own", []int64{id}, func(m *Material) error {
		if m.Known == nil {
			return Invalid{fmt.Sprintf("%s was not taken for another material.", m.Name)}
		}
		m.Known = nil
		m.Doubts = m.doubts()
		return nil
	})
	return err
}

// NewState makes a set the new state of the material that it is known as: that
// material takes its maps and what was measured of them, and keeps its name, its
// description and a size that somebody typed. The set is left out and holds the
// maps that the material had, so that doing the same again brings them back.
func (s *Service) NewState(ctx context.Context, id int64, by string) (of Material, err error) {
	err = s.Store.Write(ctx, func(tx Tx) error {
		set, err := tx.Material(id)
		if err != nil {
			return err
		}
		if set.Known == nil {
			return Invalid{fmt.Sprintf("%s is not known as another material's scan.", set.Name)}
		}
		if set.Released > 0 {
			return Invalid{fmt.Sprintf("%s has been released itself.", set.Name)}
		}
		if of, err = tx.Material(set.Known.Material); err != nil {
			return err
		}
		if err := tx.SwapMaps(set.ID, of.ID); err != nil {
			return err
		}
		set.Maps, of.Maps = of.Maps, set.Maps
		set.Report, of.Report = of.Report, set.Report
		set.Relief, of.Relief = of.Relief, set.Relief
		if set.Size.Known() && of.SizeSource != scale.FromPerson {
			set.Size, of.Size = of.Size, set.Size
			set.SizeSource, of.SizeSource = of.SizeSource, set.SizeSource
			set.Depth, of.Depth = of.Depth, set.Depth
			set.DepthSource, of.DepthSource = of.DepthSource, set.DepthSource
		}
		if set.Stage == Left {
			set.Stage = Unseen // it was done before, and is taken back
		} else {
			set.Stage = Left
		}
		for _, m := range []*Material{&set, &of} {
			m.recheck()
			m.Updated = s.Now()
			if err := tx.SaveMaterial(m); err != nil {
				return err
			}
		}
		if of.Stage == Accepted {
			if err := tx.AddJob(JobPicture, strconv.FormatInt(of.ID, 10), 0); err != nil {
				return err
			}
		}
		return tx.AddAudit(AuditEntry{s.Now(), by, "new state", of.Name, "from " + strings.TrimSpace(set.Name)})
	})
	if err == nil {
		s.decided([]Material{of})
		s.changed("deliveries")
	}
	return of, err
}
