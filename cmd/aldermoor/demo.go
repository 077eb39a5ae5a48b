package main

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"time"

	"aldermoor/core/colour"
	"aldermoor/core/station"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/web"

	"github.com/spf13/cobra"
)

func demoCommand() *cobra.Command {
	var data, addr string
	var px int
	c := &cobra.Command{Use: "demo", Short: "The same on made-up data, delivered by simulated stations while you watch", Args: cobra.NoArgs, RunE: work(func(ctx context.Context, _ []string) error {
		log := logger(false)
		a, err := openApp(ctx, data, defaultLimits(), log)
		if err != nil {
			return err
		}
		defer a.close()
		a.studio.People.Demo = true
		drop := filepath.Join(data, "drop")
		if err := os.MkdirAll(drop, 0o700); err != nil {
			return err
		}
		if err := a.openFolders([]string{drop}); err != nil {
			return err
		}
		ln, err := net.Listen("tcp", addr)
		if err != nil {
			return fmt.Errorf("listen on %s: %w", addr, err)
		}
		fmt.Printf("Aldermoor's demo is at http://%s\nEnter as librarian or as artist with one click; nothing in it is real.\n", ln.Addr())
		if err := demoAccounts(ctx, a.studio); err != nil {
			return err
		}
		go func() {
			if err := deliverDemo(ctx, a.studio, px); err != nil && ctx.Err() == nil {
				log.Error("the simulated stations stopped", "error", err)
			}
		}()
		return a.serve(ctx, ln, web.Config{Demo: true}, tlsFiles{})
	})}
	c.Flags().StringVar(&data, "data", env("ALDERMOOR_DATA", "demo-data"), "folder of the demo's data")
	c.Flags().StringVar(&addr, "addr", env("ALDERMOOR_ADDR", "127.0.0.1:8420"), "address to listen on")
	c.Flags().IntVar(&px, "size", 1024, "pixels on the longer side of the demo's scans")
	return c
}

func demoAccounts(ctx context.Context, s *studio.Studio) error {
	if fresh, err := s.People.Fresh(ctx); err != nil || !fresh {
		return err
	}
	for _, u := range web.DemoAccounts {
		if _, err := s.People.AddUser(ctx, people.Command("demo"), u.Name, people.DemoPassword, u.Role); err != nil {
			return err
		}
	}
	return nil
}

// demoLibrarian acts in the story.
var demoLibrarian = people.As("librarian", people.Librarian)

// demoDelivery is one delivery of the story, and what the demo's librarian does
// with it: release it, accept it, or leave it for the viewer.
type demoDelivery struct {
	name, station string
	sets          []string
	faults        []station.Fault // of the sets in order
	do            string
	notes         string // of the releases; "" for the usual ones
}

func story() []demoDelivery {
	return []demoDelivery{
		{"Roof of the mill", station.QuayRig, []string{"slates_round", "thatch_reed", "lead_rolls"}, nil, "release", ""},
		{"Low water", station.FieldRig, []string{"mudflat_ripple", "bank_shingle", "path_oyster"}, nil, "release", ""},
		{"Walls and floors", station.QuayRig, []string{"rubble_limewash", "tile_encaustic", "elm_herringbone", "quarry_glazed"}, nil, "release", ""},
		{"Hull shed", station.YardLoan, []string{"hull_clinker", "hurdle_willow", "plate_sluice"}, nil, "release", ""},
		{"Jetty", station.QuayRig, []string{"jetty_plank", "weatherboard_tar", "flashing_copper", "sailcloth"}, nil, "release", ""},
		{"Box 12", station.Archive, []string{"limewash_crack", "rope_mat", "sack_hessian"}, nil, "", ""},
		{"Slipway", station.FieldRig, []string{"setts_moss", "gravel_pea", "chalk_rammed"}, nil, "accept", ""},
		{"After the repair", station.QuayRig, []string{"slates_round", "jetty_plank", "quarry_glazed", "rubble_limewash", "weatherboard_tar", "tile_encaustic", "terrazzo_office"}, station.Faults(), "", ""},
		{"Ironwork", station.YardLoan, []string{"chainplate_rust", "grating_iron"}, nil, "release", ""},
	}
}

// previewPx is the size of the previews that stations send ahead: small enough that the
// Library is stocked within seconds.
const previewPx = 256

// previews are what stations send ahead of the deliveries that are released, and a few
// that stay as they are. The first two fill the first shelf.
func previews() (out []demoDelivery) {
	for _, d := range story() {
		if d.do == "release" {
			d.name += ", previews"
			d.notes = "Previews. The full maps follow."
			out = append(out, d)
		}
	}
	return append(out, demoDelivery{"Harbour office, previews", station.QuayRig, []string{"terrazzo_office"}, nil, "release", "Previews."})
}

// deliverDemo stocks the Library from previews, then lets the stations deliver one after
// another. A demo that was stopped goes on where it was.
func deliverDemo(ctx context.Context, s *studio.Studio, px int) error {
	had, _, err := s.Intake.Deliveries(ctx, demoLibrarian, intake.DeliveryQuery{Per: 200})
	if err != nil {
		return err
	}
	seen := map[string]int64{}
	for _, d := range had {
		seen[d.Name] = d.ID
	}
	w := station.NewWriter()
	ids := make([]int64, len(previews()))
	for n, d := range previews() {
		id, ok := seen[d.name]
		if !ok {
			if id, err = deliverOne(ctx, s, w, d, fmt.Sprintf("preview-%02d.zip", n+1), previewPx); err != nil {
				return err
			}
		}
		ids[n] = id
		if n == 0 {
			continue // the next is on its way while this one is sorted
		}
		if err := actOn(ctx, s, ids[n-1], previews()[n-1]); err != nil {
			return err
		}
	}
	if err := actOn(ctx, s, ids[len(ids)-1], previews()[len(ids)-1]); err != nil {
		return err
	}
	for n, d := range story() {
		id, ok := seen[d.name]
		if !ok {
			if id, err = deliverOne(ctx, s, w, d, fmt.Sprintf("delivery-%02d.zip", n+1), px); err != nil {
				return err
			}
		}
		if err := actOn(ctx, s, id, d); err != nil {
			return err
		}
	}
	if err := finishDemo(ctx, s); err != nil {
		return err
	}
	return shareDemo(ctx, s)
}

// finishDemo makes and releases the story's plain finishes, which no station scans.
func finishDemo(ctx context.Context, s *studio.Studio) error {
	for _, f := range []struct {
		kind, name string
		colours    []colour.Named
	}{
		{"mantle", "Lantern mantle", nil},
		{"brass", "Brass bearing", nil},
		{"glass", "Bull's-eye pane", nil},
		{"enamel", "Enamel sign", []colour.Named{{Name: "white", Color: colour.RGB{0.82, 0.81, 0.77}}}},
	} {
		had, err := s.Materials.Drafts(ctx, demoLibrarian, materials.DraftQuery{Text: f.name, Per: 1})
		if err != nil {
			return err
		}
		list := had.Items
		if len(list) == 0 {
			if list, err = s.Materials.AddFinishes(ctx, demoLibrarian, f.kind, f.name, f.colours); err != nil {
				return err
			}
		}
		if list[0].Released > 0 {
			continue // done before the demo was stopped
		}
		licence, author := "LicenseRef-Studio-Only", "Pale Lantern Pictures"
		if _, err := s.Materials.Patch(ctx, demoLibrarian, library.Seen{ID: list[0].ID}, materials.Change{Licence: &licence, Author: &author}); err != nil {
			return err
		}
		if _, err := s.Releases.Release(ctx, demoLibrarian, library.Seen{ID: list[0].ID}, releases.ReleaseText{Notes: "For the lantern room."}); err != nil && !refused(err) {
			return err
		}
	}
	return nil
}

// deliverOne takes the scans of a delivery and sends them as one archive.
func deliverOne(ctx context.Context, s *studio.Studio, w *station.Writer, d demoDelivery, file string, px int) (int64, error) {
	var archive bytes.Buffer
	z := zip.NewWriter(&archive)
	for i, slug := range d.sets {
		if ctx.Err() != nil {
			return 0, ctx.Err()
		}
		opt := station.Options{Px: px, Seed: 1}
		set := slug
		if i < len(d.faults) {
			opt.Fault, opt.Seed, set = d.faults[i], 2, slug+"_b"
		}
		files, err := w.Files(station.Take(materialOf(slug), opt), set)
		if err != nil {
			return 0, err
		}
		for _, f := range files {
			e, err := z.CreateHeader(&zip.FileHeader{Name: f.Name, Method: zip.Store})
			if err != nil {
				return 0, err
			}
			if _, err := e.Write(f.Data); err != nil {
				return 0, err
			}
		}
	}
	if err := z.Close(); err != nil {
		return 0, err
	}
	sent := false
	got, err := s.Intake.Receive(ctx, people.Command("station"), func() (intake.Incoming, error) {
		if sent {
			return intake.Incoming{}, io.EOF
		}
		sent = true
		return intake.Incoming{Path: file, R: &archive}, nil
	}, func() (string, string) { return d.name, d.station })
	return got.ID, err
}

func materialOf(slug string) station.Material {
	for _, m := range station.Materials() {
		if m.Slug == slug {
			return m
		}
	}
	panic("demo: there is no material " + slug)
}

// actOn is the demo's librarian at work.
func actOn(ctx context.Context, s *studio.Studio, id int64, d demoDelivery) error {
	for {
		r, err := s.Intake.Delivery(ctx, demoLibrarian, id)
		if err != nil || r.State == intake.Failed {
			return err
		}
		if r.State == intake.Sorted {
			break
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
	r, err := s.Intake.Delivery(ctx, demoLibrarian, id)
	if err != nil || d.do == "" {
		return err
	}
	for _, m := range r.Materials {
		if m.Known != nil {
			if err := sharpen(ctx, s, m); err != nil {
				return err
			}
			continue
		}
		if m.Stage == materials.Accepted {
			continue // done before the demo was stopped
		}
		for _, slug := range d.sets {
			if known := materialOf(slug); materials.TitleOf(slug) == m.Name {
				if err := describe(ctx, s, m, known, d); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// sharpen gives a material that came as a preview its full maps.
func sharpen(ctx context.Context, s *studio.Studio, set materials.Material) error {
	if set.Known.Taken != "" {
		return nil // done before the demo was stopped
	}
	of, err := s.Intake.SettleKnown(ctx, demoLibrarian, library.Seen{ID: set.ID}, intake.TakeVersion)
	if refused(err) {
		return nil
	}
	if err == nil {
		_, err = s.Releases.Release(ctx, demoLibrarian, library.Seen{ID: of.ID}, releases.ReleaseText{Notes: "The full maps."})
	}
	if refused(err) {
		return nil
	}
	return err
}

// refused is whether the library had a reason not to: the story goes on.
func refused(err error) bool { return errors.As(err, new(library.Invalid)) }

// describe fills in what the librarian knows about a material, and accepts or releases it.
func describe(ctx context.Context, s *studio.Studio, m materials.Material, known station.Material, d demoDelivery) error {
	licence, author := m.Licence, m.Author
	if licence == "" {
		licence = "LicenseRef-Studio-Only"
	}
	if author == "" {
		author = "Pale Lantern Pictures"
	}
	c := materials.Change{Name: &known.Name, Tags: &known.Tags, Categories: &known.Categories, Contact: &known.Contact, Licence: &licence, Author: &author}
	if _, err := s.Materials.Patch(ctx, demoLibrarian, library.Seen{ID: m.ID}, c); err != nil {
		return err
	}
	if d.do == "accept" {
		_, err := s.Intake.Place(ctx, demoLibrarian, m.DeliveryID, 0, []library.Seen{{ID: m.ID}}, materials.Accepted)
		return err
	}
	notes := d.notes
	if notes == "" {
		notes = "First release, for The Salt Clerk."
	}
	if _, err := s.Releases.Release(ctx, demoLibrarian, library.Seen{ID: m.ID}, releases.ReleaseText{Notes: notes}); err != nil && !refused(err) {
		return err
	}
	return nil
}
