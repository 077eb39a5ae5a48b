package intake

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/likeness"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
)

// form is what a new set shows: its print, and the scan that this is known from.
type form struct {
	print     likeness.Print
	lightness raster.Plane
	known     materials.Known
	inside    int // the set of the same delivery that it is known from, or −1
}

// forms makes the prints of sets, and looks whether any is of a scan that is here already
// or came before it in the same delivery. It decodes pictures, and so holds no
// transaction. Sets that were left out hide nothing.
func (s *Service) forms(ctx context.Context, sets []materials.Material, look func(p *materials.Map) *channels.Look) ([]form, error) {
	left := map[int64]bool{}
	err := s.Store.Read(ctx, func(tx Reader) error {
		if err := s.Materials.AllPrints(tx); err != nil {
			return err
		}
		return tx.LeftOut(func(id int64) { left[id] = true })
	})
	if err != nil {
		return nil, err
	}
	out := make([]form, len(sets))
	skip := func(id int64) bool { return left[id] }
	var within likeness.Index
	for i := range sets {
		f := &out[i]
		f.inside = -1
		if f.print, f.lightness, err = s.Materials.PrintOf(&sets[i], look); err != nil {
			return nil, err
		}
		match, ok := s.Materials.FindScan(f.print, skip)
		again, also := within.Find(f.print, nil)
		switch {
		case ok: // a material that is here goes before another set of the same delivery
			f.known = materials.Known{Material: match.ID, Quarters: match.Quarters}
		case also && out[again.ID].known.Material != 0 && out[again.ID].inside < 0 && out[again.ID].known.Part == nil: // and so does the one that that set is known as
			of := out[again.ID].known
			f.known = materials.Known{Material: of.Material, Quarters: (of.Quarters + again.Quarters) & 3}
		case also:
			if f.inside = int(again.ID); out[again.ID].inside >= 0 && out[again.ID].known.Part == nil {
				f.inside, again.Quarters = out[again.ID].inside, (out[again.ID].known.Quarters+again.Quarters)&3 // the first of that scan
			}
			f.known = materials.Known{Quarters: again.Quarters}
		default:
			if err := s.partOf(ctx, f, out, &within, skip); err != nil {
				return nil, err
			}
		}
		within.Put(int64(i), f.print)
	}
	return out, nil
}

// partOf looks for a scan that a set's base colour shows a part of, or that shows a part
// of it.
func (s *Service) partOf(ctx context.Context, f *form, others []form, within *likeness.Index, skip func(int64) bool) error {
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
		f.known = materials.Known{Material: part.ID, Quarters: (4 - at.Quarters) & 3, Part: &materials.Area{X: at.X, Y: at.Y, W: at.W, H: at.H}}
		return true
	}
	for _, part := range s.Materials.FindParts(f.lightness, skip) {
		var of materials.Material
		err := s.Store.Read(ctx, func(tx Reader) (err error) { of, err = tx.Material(part.ID); return err })
		if errors.Is(err, library.ErrNotFound) {
			continue
		}
		if err != nil {
			return err
		}
		whole, err := s.Materials.Lightness(&of)
		if err != nil {
			return err
		}
		if take(whole, part) {
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
func (s *Service) recognise(tx Tx, m *materials.Material, f form) error {
	k := f.known
	var blobs []string
	for _, p := range m.Assigned() {
		blobs = append(blobs, p.Blob)
	}
	if id, err := tx.SameFiles(m.ID, blobs); err == nil {
		k = materials.Known{Material: id, Files: true}
	} else if !errors.Is(err, library.ErrNotFound) {
		return err
	}
	if err := tx.SavePrint(m.ID, f.print); err != nil {
		return err
	}
	if k.Material == 0 {
		return nil
	}
	of, err := tx.Material(k.Material)
	if errors.Is(err, library.ErrNotFound) || err == nil && of.Gone() {
		return nil
	}
	if err != nil {
		return err
	}
	w, h := of.Pixels()
	k.Name, k.Wider = of.Name, max(w, h)
	m.Known = &k
	m.Doubts = m.CountDoubts()
	return tx.SaveMaterial(m)
}

// How a set that is known already is settled.
const (
	TakeVersion  = "new_version" // the material goes on with the set's maps
	TakeTier     = "tier"        // a smaller tier of the material
	TakeSeparate = "separate"    // a material of its own
)

// SettleKnown settles a set whose scan is here already, as one step, and returns the
// material that it went to (or the set itself, if it is a material of its own). Settling
// it the same way again changes nothing.
func (s *Service) SettleKnown(ctx context.Context, p people.Principal, set library.Seen, take string) (of materials.Material, err error) {
	if err := p.Need(people.Contribute); err != nil {
		return of, err
	}
	change := map[string]func(Tx, []*materials.Material) (string, error){TakeVersion: s.takeVersion, TakeTier: takeTier, TakeSeparate: separate}[take]
	if change == nil {
		return of, library.Invalid(fmt.Sprintf("A known scan is taken as new_version, tier or separate, not %q.", take))
	}
	var moved []int64
	err = s.Store.Write(ctx, func(tx Tx) error {
		m, err := tx.Material(set.ID)
		if err != nil {
			return err
		}
		if m.Known != nil && m.Known.Taken == take { // done before
			of, err = tx.Material(m.Known.Material)
			return err
		}
		if _, err := materials.Load(tx, []library.Seen{set}); err != nil {
			return err
		}
		seen := []library.Seen{set}
		switch {
		case m.Known == nil && take == TakeSeparate: // done before
			of = m
			return nil
		case m.Known == nil:
			return library.Invalid(fmt.Sprintf("%s is not known as another material's scan.", m.Name))
		case m.Known.Taken != "":
			return library.Invalid(fmt.Sprintf("%s has been settled already. Undo that first.", m.Name))
		}
		if take != TakeSeparate {
			seen = append(seen, library.Seen{ID: m.Known.Material})
		}
		done, err := s.Materials.EditIn(tx, p, "known", seen, func(_ materials.Tx, list []*materials.Material) (string, error) { return change(tx, list) })
		if err != nil {
			return err
		}
		of = done[len(done)-1]
		if take == TakeVersion {
			moved = []int64{done[0].ID, done[1].ID}
		}
		return tx.AddAudit(people.Entry(s.Now(), p.Name, strings.ReplaceAll(take, "_", " "), of.Name, "from "+strings.TrimSpace(m.Name)))
	})
	if err == nil {
		err = s.Materials.Reprint(ctx, moved)
	}
	return of, err
}

// separate makes a set another material than the one it was taken for.
func separate(_ Tx, list []*materials.Material) (string, error) {
	list[0].Known = nil
	return list[0].Name + " taken as a different material", nil
}

// takeTier keeps a set as a smaller tier of the material that it is known as: its files
// are named among that material's attachments, and the set is left out.
func takeTier(tx Tx, list []*materials.Material) (string, error) {
	set, of := list[0], list[1]
	if w, h := set.Pixels(); !set.Known.Smaller(w, h) {
		return "", library.Invalid(fmt.Sprintf("%s is not a smaller tier of a scan that is here.", set.Name))
	}
	d, err := tx.Delivery(set.DeliveryID)
	if err != nil {
		return "", err
	}
	for _, p := range set.Assigned() {
		a := channels.Attachment{File: d.Name + "/" + p.File, Kind: "lower_tier"}
		if !slices.ContainsFunc(of.Report.Attachments, func(b channels.Attachment) bool { return b.File == a.File && b.Kind == a.Kind }) {
			of.Report.Attachments = append(of.Report.Attachments, a)
		}
	}
	settled(set, TakeTier)
	return fmt.Sprintf("%s taken as a smaller tier of %s", set.Name, of.Name), nil
}

func settled(set *materials.Material, take string) {
	k := *set.Known
	k.Taken = take
	set.Known, set.Stage = &k, materials.Left
}

// takeVersion makes a set the new version of the material that it is known as: that
// material takes its maps and what was measured of them, and keeps its name, its
// description and a size that somebody typed. The set is left out and holds the maps that
// the material had.
func (s *Service) takeVersion(tx Tx, list []*materials.Material) (string, error) {
	set, of := list[0], list[1]
	if set.Released > 0 {
		return "", library.Invalid(fmt.Sprintf("%s has been released itself.", set.Name))
	}
	if len(set.Recipe) > 0 {
		return "", library.Invalid(fmt.Sprintf("%s has a recipe of its own. Undo its treatments first.", set.Name))
	}
	if of.Stage == materials.Left {
		return "", library.Invalid(fmt.Sprintf("%s was left out. Take it back into Intake first.", of.Name))
	}
	for to, from := range map[*materials.Material]*materials.Material{set: of, of: set} {
		if err := tx.MoveMaps(to.ID, from.MapIDs()); err != nil {
			return "", err
		}
	}
	if err := materials.SwapPrints(tx, set.ID, of.ID); err != nil {
		return "", err
	}
	set.Maps, of.Maps = of.Maps, set.Maps
	set.Report, of.Report = of.Report, set.Report
	set.Relief, of.Relief = of.Relief, set.Relief
	if set.Size.Known() && of.SizeSource != scale.FromPerson {
		// The set has no recipe; what the material's makes of the size stays.
		share, deeper := of.Finish.Kept(), of.Finish.DepthRatio()
		set.Size, of.Size = scale.Size{W: of.Size.W / share[0], H: of.Size.H / share[1]}, scale.Size{W: set.Size.W * share[0], H: set.Size.H * share[1]}
		set.SizeSource, of.SizeSource = of.SizeSource, set.SizeSource
		set.Depth, of.Depth = of.Depth/deeper, set.Depth*deeper
		set.DepthSource, of.DepthSource = of.DepthSource, set.DepthSource
	}
	settled(set, TakeVersion)
	return fmt.Sprintf("%s taken as a new version of %s", set.Name, of.Name), nil
}
