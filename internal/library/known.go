package library

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/likeness"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// Known says that a delivered set is of a scan that is here already.
type Known struct {
	Material int64
	Name     string // as it was called then
	Files    bool   // the very same files
	Quarters int    // how far that one is turned against this, clockwise
	Wider    int    // pixels of the longer side of that one's source
	Part     *Area  // what this shows of that one, if not all of it
}

// Area is a part of a scan, in shares of its sides: beyond 0..1 where it reaches past
// them.
type Area struct{ X, Y, W, H float64 }

// Smaller says whether a set of the given pixels is the same scan whole, upright and
// with fewer pixels: a tier that the material may lack.
func (k *Known) Smaller(w, h int) bool {
	return !k.Files && k.Part == nil && k.Quarters == 0 && max(w, h) < k.Wider
}

// Says is what is known, as a sentence about a set of the given pixels.
func (k *Known) Says(w, h int) string {
	if k.Files {
		return fmt.Sprintf("These files are here already, in %s.", k.Name)
	}
	if a := k.Part; a != nil {
		switch {
		case math.Abs(a.W-1) < 0.03 && math.Abs(a.H-1) < 0.03: // whole, but no likeness at a glance
			return fmt.Sprintf("This shows the same as the scan of %s, in another light or colour.", k.Name)
		case a.W*a.H > 1:
			return fmt.Sprintf("This shows more of the scan of %s: %.1f times as wide, %.1f times as high.", k.Name, a.W, a.H)
		case k.Quarters > 0:
			return fmt.Sprintf("This is a part of the scan of %s: %.0f %% of its width, %.0f %% of its height, turned by %d°.", k.Name, 100*a.W, 100*a.H, 90*k.Quarters)
		}
		return fmt.Sprintf("This is a part of the scan of %s: %.0f %% of its width, %.0f %% of its height.", k.Name, 100*a.W, 100*a.H)
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

// printOf gathers a material's print from the looks of its files, and the marks of its
// base colour.
func (s *Service) printOf(m *Material, look func(p *Map) *channels.Look) (out likeness.Print, lightness raster.Plane) {
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
	if lightness = s.lightness(m); len(lightness.Pix) > 0 {
		out.Marks, out.W, out.H = likeness.Marks(lightness), lightness.W, lightness.H
	}
	return out, lightness
}

// lightness is a material's base colour without its hue, reduced; an empty plane if
// there is none.
func (s *Service) lightness(m *Material) (out raster.Plane) {
	p := m.Map(channels.BaseColor)
	if p == nil {
		return out
	}
	im := s.level(p.Blob, p.Layer)
	if im == nil {
		return out
	}
	if im.Components() < 3 {
		return im.Plane(0)
	}
	r, g, b := im.Plane(0), im.Plane(1), im.Plane(2)
	out = raster.NewPlane(im.W, im.H)
	for i := range out.Pix {
		out.Pix[i] = 0.2126*r.Pix[i] + 0.7152*g.Pix[i] + 0.0722*b.Pix[i]
	}
	return out
}

// allPrints reads the prints once, when they are first asked for.
func (s *Service) allPrints(tx Tx) error {
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

// form is what a new set shows: its print, and the scan that this is known from.
type form struct {
	print     likeness.Print
	lightness raster.Plane
	known     Known
	inside    int // the set of the same delivery that it is known from, or −1
}

// forms makes the prints of sets, and looks whether any is of a scan that is here
// already or came before it in the same delivery. It takes its time.
func (s *Service) forms(ctx context.Context, sets []Material, look func(p *Map) *channels.Look) ([]form, error) {
	out := make([]form, len(sets))
	var within likeness.Index
	err := s.Store.Read(ctx, func(tx Tx) error {
		if err := s.allPrints(tx); err != nil {
			return err
		}
		for i := range sets {
			f := &out[i]
			f.inside = -1
			f.print, f.lightness = s.printOf(&sets[i], look)
			s.prints.mu.Lock()
			match, ok := s.prints.Find(f.print, nil)
			s.prints.mu.Unlock()
			if again, also := within.Find(f.print, nil); also && (!ok || again.Likeness > match.Likeness) {
				match, ok, f.inside = again, true, int(again.ID)
			}
			if ok {
				f.known = Known{Material: match.ID, Quarters: match.Quarters}
			} else if err := s.partOf(tx, f, out, &within); err != nil {
				return err
			}
			within.Put(int64(i), f.print)
		}
		return nil
	})
	return out, err
}

// partOf looks for a scan that a set's base colour shows a part of, or that shows a
// part of it.
func (s *Service) partOf(tx Tx, f *form, others []form, within *likeness.Index) error {
	if len(f.lightness.Pix) == 0 {
		return nil
	}
	take := func(whole raster.Plane, part likeness.Part) bool {
		if len(whole.Pix) == 0 {
			return false
		}
		at, score := likeness.Register(whole, f.lightness, part)
		if score < likeness.SamePart {
			return false
		}
		f.known = Known{Material: part.ID, Quarters: (4 - at.Quarters) & 3, Part: &Area{at.X, at.Y, at.W, at.H}}
		return true
	}
	s.prints.mu.Lock()
	list := s.prints.FindParts(f.lightness, 3, nil)
	s.prints.mu.Unlock()
	for _, part := range list {
		of, err := tx.Material(part.ID)
		if errors.Is(err, ErrNotFound) {
			continue
		}
		if err != nil {
			return err
		}
		if take(s.lightness(&of), part) {
			return nil
		}
	}
	for _, part := range within.FindParts(f.lightness, 3, nil) {
		if take(others[part.ID].lightness, part) {
			f.inside = int(part.ID)
			return nil
		}
	}
	return nil
}

// recognise says of a set that was just added whose scan it is, if that is here
// already, and keeps its print.
func (s *Service) recognise(tx Tx, m *Material, f form) error {
	k := f.known
	var blobs []string
	for _, p := range m.Assigned() {
		blobs = append(blobs, p.Blob)
	}
	if id, err := tx.SameFiles(m.ID, blobs); err == nil {
		k = Known{Material: id, Files: true}
	} else if !errors.Is(err, ErrNotFound) {
		return err
	}
	if err := tx.SavePrint(m.ID, f.print); err != nil {
		return err
	}
	if k.Material == 0 {
		return nil
	}
	of, err := tx.Material(k.Material)
	if errors.Is(err, ErrNotFound) || err == nil && of.Stage == Left {
		return nil
	}
	if err != nil {
		return err
	}
	w, h := of.Pixels()
	k.Name, k.Wider = of.Name, max(w, h)
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

// other is where a known set goes when it is settled, and, settled the same way again,
// comes back from.
func other(st Stage) Stage {
	if st == Left {
		return Unseen
	}
	return Left
}

// AsTier keeps a set as a smaller tier of the material that it is known as: its files
// are named among that material's attachments, and the set is left out. Doing the same
// again takes it back.
func (s *Service) AsTier(ctx context.Context, id int64, by string) (of Material, err error) {
	err = s.Store.Write(ctx, func(tx Tx) error {
		set, err := tx.Material(id)
		if err != nil {
			return err
		}
		if w, h := set.Pixels(); set.Known == nil || !set.Known.Smaller(w, h) {
			return Invalid{fmt.Sprintf("%s is not a smaller tier of a scan that is here.", set.Name)}
		}
		if of, err = tx.Material(set.Known.Material); err != nil {
			return err
		}
		d, err := tx.Delivery(set.DeliveryID)
		if err != nil {
			return err
		}
		back := set.Stage == Left
		for _, p := range set.Assigned() {
			a := channels.Attachment{File: d.Name + "/" + p.File, Kind: "lower_tier"}
			of.Report.Attachments = slices.DeleteFunc(of.Report.Attachments, func(b channels.Attachment) bool { return a == b })
			if !back {
				of.Report.Attachments = append(of.Report.Attachments, a)
			}
		}
		set.Stage = other(set.Stage)
		set.Updated, of.Updated = s.Now(), s.Now()
		if err := errors.Join(tx.SaveMaterial(&set), tx.SaveMaterial(&of)); err != nil {
			return err
		}
		w, h := set.Pixels()
		return tx.AddAudit(AuditEntry{s.Now(), by, "smaller tier", of.Name, fmt.Sprintf("%d × %d px from %s", w, h, strings.TrimSpace(set.Name))})
	})
	if err == nil {
		s.decided([]Material{of})
		s.changed("deliveries")
	}
	return of, err
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
		if len(set.Recipe) > 0 {
			return Invalid{fmt.Sprintf("%s has a recipe of its own. Undo its treatments first.", set.Name)}
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
			// The set has no recipe; what the material's makes of the size stays.
			share, deeper := of.Finish.share(), of.Finish.deeper()
			set.Size, of.Size = scale.Size{W: of.Size.W / share[0], H: of.Size.H / share[1]}, scale.Size{W: set.Size.W * share[0], H: set.Size.H * share[1]}
			set.SizeSource, of.SizeSource = of.SizeSource, set.SizeSource
			set.Depth, of.Depth = of.Depth/deeper, set.Depth*deeper
			set.DepthSource, of.DepthSource = of.DepthSource, set.DepthSource
		}
		set.Stage = other(set.Stage)
		for _, m := range []*Material{&set, &of} {
			m.recheck(s.grades(tx))
			m.Updated = s.Now()
			if err := s.follow(tx, m); err != nil {
				return err
			}
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
