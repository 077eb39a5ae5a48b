package studio_test

import (
	"bytes"
	"errors"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"aldermoor/core/codec/exr"
	"aldermoor/core/colour"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/station"
	"aldermoor/core/treat"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/pictures"
	"aldermoor/internal/library/releases"
)

// taken is a set as a station sends it.
func taken(t *testing.T, slug string, o station.Options) (*station.Scan, []station.File) {
	t.Helper()
	for _, m := range station.Materials() {
		if m.Slug == slug {
			s := station.Take(m, o)
			files, err := station.NewWriter().Files(s, slug)
			if err != nil {
				t.Fatal(err)
			}
			return s, files
		}
	}
	t.Fatalf("there is no %s", slug)
	return nil, nil
}

// settled waits until a material's recipe is carried out, or can't be.
func (s *bench) settled(id int64) materials.Material {
	s.t.Helper()
	for range 3000 {
		m, err := s.Materials.Material(s.t.Context(), lena, id)
		if err != nil {
			s.t.Fatal(err)
		}
		if says, _ := m.Stuck(); says != "" || m.Settled() {
			return m
		}
		time.Sleep(20 * time.Millisecond)
	}
	s.t.Fatal("the recipe is never done")
	return materials.Material{}
}

// idle waits until there is nothing to do.
func (s *bench) idle() {
	s.t.Helper()
	for range 3000 {
		if n, err := s.queue.Waiting(s.t.Context()); err != nil {
			s.t.Fatal(err)
		} else if n == 0 {
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	s.t.Fatal("it is never idle")
}

func found(m *materials.Material) (out []string) {
	cur := m.Current()
	for _, f := range cur.Report.Findings {
		out = append(out, f.Code)
	}
	return out
}

func TestARecipeMendsAndIsUndone(t *testing.T) {
	if testing.Short() {
		t.Skip("the other tests of recipes race as much, in less time")
	}
	s := newStudio(t)
	ctx := t.Context()
	_, files := taken(t, "slates_round", station.Options{Px: 200, Seed: 1, Fault: station.Seam})
	m := s.send(files...).Materials[0]
	if !slices.Contains(found(&m), "seam_x") {
		t.Fatalf("no seam was planted: %v", found(&m))
	}
	width, depth, look := m.Size.W, m.Depth, m.LookKey()
	m, err := s.Materials.AddTreatment(ctx, lena, now(m.ID), treat.Step{Kind: treat.CloseSeams})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Studio.Releases.Release(ctx, lena, now(m.ID), releases.ReleaseText{}); m.Settled() || err == nil || !strings.Contains(err.Error(), "still being carried out") {
		t.Errorf("it is released while it is treated: %v", err)
	}
	m = s.settled(m.ID)
	if got := found(&m); slices.Contains(got, "seam_x") {
		t.Errorf("the seam is there still: %v", got)
	}
	cur := m.Current()
	share := m.Finish.Share[0]
	if share > 0.97 || math.Abs(m.Size.W/width-share) > 1e-9 || math.Abs(m.Depth/depth-1) > 1e-6 {
		t.Errorf("%.3f m wide, %.4f m deep, of %.3f and %.4f; share %.3f", m.Size.W, m.Depth, width, depth, share)
	}
	if w, _ := cur.Pixels(); math.Abs(float64(w)/200-share) > 0.01 || cur.LookKey() == look || m.LookKey() != cur.LookKey() {
		t.Errorf("%d pixels wide, look %s", w, m.LookKey())
	}
	// The scan is as it was, and a measured size is about what is seen.
	if w, _ := m.Pixels(); w != 200 {
		t.Errorf("the scan has %d pixels now", w)
	}
	half := materials.Length(m.Size.W)
	m, err = s.Materials.Patch(ctx, lena, now(m.ID), materials.Change{Line: &materials.Line{X0: 0.25, Y0: 0.5, X1: 0.75, Y1: 0.5, Length: half}})
	if err != nil || math.Abs(m.Size.W/float64(half)-2) > 0.01 {
		t.Errorf("half of it is %.3f m, all of it %.3f: %v", half, m.Size.W, err)
	}
	// A second treatment, then the first undone: the second stays, and the size comes back.
	if m, err = s.Materials.AddTreatment(ctx, lena, library.Seen{ID: m.ID, Version: m.Version}, treat.Step{Kind: treat.NormalStrength, Strength: 1.5}); err != nil {
		t.Fatal(err)
	}
	m = s.settled(m.ID)
	if len(m.Finish.Did) != 2 {
		t.Errorf("it says %q", m.Finish.Did)
	}
	r, err := s.Studio.Releases.Release(ctx, lena, now(m.ID), releases.ReleaseText{})
	if err != nil {
		t.Fatal(err)
	}
	if p := r.Material.Map(material.Height); p == nil || p.Width >= 200 || len(r.Material.Recipe) != 2 {
		t.Errorf("the release has the scan's maps: %+v", p)
	}
	deep, wide := m.Depth, m.Size.W
	if m, err = s.Materials.SetRecipe(ctx, lena, now(m.ID), m.Recipe[1:]); err != nil {
		t.Fatal(err)
	}
	m = s.settled(m.ID)
	if !slices.Contains(found(&m), "seam_x") || math.Abs(m.Size.W*share/wide-1) > 1e-6 || math.Abs(m.Depth/deep-1) > 1e-6 {
		t.Errorf("after undoing: %v, %.3f m wide, %.4f deep of %.4f", found(&m), m.Size.W, m.Depth, deep)
	}
	if m, err = s.Materials.SetRecipe(ctx, lena, now(m.ID), nil); err != nil || !m.Settled() || m.LookKey() == r.Material.LookKey() || len(m.Finish.Maps) != 0 || math.Abs(m.Depth/deep-1) > 1e-6 { // stronger normals leave a measured relief as deep as it is
		t.Errorf("without a recipe: %v, %.4f m deep", err, m.Depth)
	}
	// What the release was made of is kept, and blobs that were made are known to be needed.
	h := s.Releases.Handoff(&r)
	if _, err := h.Open(h.Sources[0].Map, "", 0); err != nil {
		t.Error(err)
	}
}

func TestARecipeFollowsALargerTier(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	_, small := taken(t, "rubble_limewash", station.Options{Px: 128, Seed: 4})
	_, large := taken(t, "rubble_limewash", station.Options{Px: 256, Seed: 4})
	m := s.send(small...).Materials[0]
	if _, err := s.Materials.AddTreatment(ctx, lena, now(m.ID), treat.Step{Kind: treat.Invert, Channel: material.Roughness}); err != nil {
		t.Fatal(err)
	}
	m = s.settled(m.ID)
	d := s.send(large...)
	set := d.Materials[0]
	if set.Known == nil || set.Known.Material != m.ID {
		t.Fatalf("the larger tier is not known: %+v", set.Known)
	}
	if _, err := s.Intake.SettleKnown(ctx, lena, now(set.ID), intake.TakeVersion); err != nil {
		t.Fatal(err)
	}
	m = s.settled(m.ID)
	cur := m.Current()
	if p := cur.Map(material.Roughness); p == nil || p.Width != 256 || len(m.Recipe) != 1 || p.Blob == m.Map(material.Roughness).Blob {
		t.Errorf("the recipe was not carried out on the larger tier: %+v", cur.Map(material.Roughness))
	}
	if a, b := cur.Map(material.Roughness).Stats.Mean[0], m.Map(material.Roughness).Stats.Mean[0]; math.Abs(a+b-1) > 0.01 {
		t.Errorf("inverted, a mean of %.3f is %.3f", b, a)
	}
}

func TestWhatARecipeCannotDo(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	_, files := taken(t, "sailcloth", station.Options{Px: 96, Seed: 1})
	m := s.send(files...).Materials[0]
	if _, err := s.Materials.AddTreatment(ctx, lena, now(m.ID), treat.Step{Kind: "polish"}); err == nil {
		t.Error("an unknown treatment is taken")
	}
	if _, err := s.Materials.AddTreatment(ctx, lena, library.Seen{ID: m.ID, Version: m.Version + 7}, treat.Step{Kind: treat.Renormalise}); !errors.Is(err, library.ErrStale) {
		t.Errorf("a stale change is taken: %v", err)
	}
	m, err := s.Materials.AddTreatment(ctx, lena, now(m.ID), treat.Step{Kind: treat.OneSize})
	if err != nil {
		t.Fatal(err)
	}
	m = s.settled(m.ID)
	says, step := m.Stuck()
	if !strings.Contains(says, "px already") || step != m.Recipe[0].ID || len(m.Finish.Maps) != 0 {
		t.Errorf("%q at %d", says, step)
	}
	if _, err := s.Studio.Releases.Release(ctx, lena, now(m.ID), releases.ReleaseText{}); err == nil || !strings.Contains(err.Error(), "cannot be carried out") {
		t.Errorf("released all the same: %v", err)
	}
}

func TestWhatStopsARelease(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	_, files := taken(t, "slates_round", station.Options{Px: 200, Seed: 1, Fault: station.Seam})
	m := s.send(files...).Materials[0]
	doubts := m.Doubts
	st, _, err := s.Materials.SaveStandards(ctx, liv, 0, materials.Standards{Severities: map[string]inspect.Severity{"seam_x": inspect.Stop}, Densities: []materials.DensityClass{{Name: " Near ", PxPerM: 1024}}})
	if err != nil || st.Densities[0].Name != "Near" {
		t.Fatalf("%+v, %v", st, err)
	}
	s.idle()
	if _, _, err := s.Materials.SaveStandards(ctx, liv, 1, st); !errors.Is(err, library.ErrStale) {
		t.Errorf("stale standards are kept: %v", err)
	}
	if _, _, err := s.Materials.SaveStandards(ctx, lena, 0, st); err == nil {
		t.Error("a librarian sets the standards")
	}
	for _, c := range []struct {
		by   people.Principal
		w    releases.ReleaseText
		says string
	}{
		{lena, releases.ReleaseText{}, "ask a lead"},
		{lena, releases.ReleaseText{Override: "please"}, "ask a lead"},
		{liv, releases.ReleaseText{Override: "  "}, "Give a reason"},
		{liv, releases.ReleaseText{Override: "Only seen from afar."}, ""},
	} {
		r, err := s.Studio.Releases.Release(ctx, c.by, now(m.ID), c.w)
		if c.says == "" {
			if err != nil || r.Override != "Only seen from afar." {
				t.Errorf("a lead's override does not count: %v, %q", err, r.Override)
			}
		} else if err == nil || !strings.Contains(err.Error(), c.says) || !strings.Contains(err.Error(), "edges don't match") {
			t.Errorf("%+v: %v", c.w, err)
		}
	}
	log, _, err := s.People.Audit(ctx, ada, people.AuditQuery{Per: 10})
	if err != nil || !slices.ContainsFunc(log, func(e people.AuditEntry) bool {
		return e.Action == "override" && strings.Contains(e.Detail, "from afar")
	}) {
		t.Errorf("the override is not on record: %v, %v", log, err)
	}
	// A finding that is only a note is no doubt.
	if _, _, err := s.Materials.SaveStandards(ctx, liv, 0, materials.Standards{Severities: map[string]inspect.Severity{"seam_x": inspect.Note}}); err != nil {
		t.Fatal(err)
	}
	s.idle()
	if m, err = s.Materials.Material(ctx, lena, m.ID); err != nil || m.Doubts != doubts-1 {
		t.Errorf("%d doubts, %d before: %v", m.Doubts, doubts, err)
	}
	for _, bad := range []materials.Standards{
		{Severities: map[string]inspect.Severity{"seam_z": inspect.Note}}, {Severities: map[string]inspect.Severity{"seam_x": "loud"}},
		{Densities: []materials.DensityClass{{Name: "", PxPerM: 5}}}, {Densities: []materials.DensityClass{{Name: "a", PxPerM: 5}, {Name: "a", PxPerM: 6}}}, {Densities: []materials.DensityClass{{Name: "a"}}},
		{Cameras: []materials.Camera{{Name: "a", Distance: 1, Lines: 1080}}}, {Cameras: []materials.Camera{{Name: "a", Lines: 1080, AngleDeg: 30}}},
	} {
		if _, _, err := s.Materials.SaveStandards(ctx, liv, 0, bad); err == nil {
			t.Errorf("%+v is kept", bad)
		}
	}
	if k := (materials.Camera{FocalMM: 35, SensorMM: 18.7, Lines: 2160}).Scale(); math.Abs(k.Angle*180/math.Pi-29.93) > 0.05 {
		t.Errorf("35 mm on 18.7 mm are %.2f°", k.Angle*180/math.Pi)
	}
}

// A map is looked at closely: its tiles and sections are what it holds.
func TestAMapIsLookedAtClosely(t *testing.T) {
	s := newStudio(t)
	if testing.Short() {
		t.Skip("nothing in it races, and it takes its time")
	}
	scan, files := taken(t, "hull_clinker", station.Options{Px: 560, Seed: 1})
	m := s.send(files...).Materials[0]
	p := m.Map(material.Height)
	v, err := s.Pictures.Pixel(t.Context(), p, 550, 400)
	if truth := float64(scan.Height.Pix[400*scan.W+550]) / scan.Depth; err != nil || math.Abs(v[0]-truth) > 1e-4 {
		t.Errorf("pixel: %v, %v; truth is %.5f", v, err, truth)
	}
	list, err := s.Pictures.Section(t.Context(), p, 0.5/float64(p.Width), 0.25, 1-0.5/float64(p.Width), 0.25, p.Width)
	if err != nil {
		t.Fatal(err)
	}
	y := 0.25*float64(p.Height) - 0.5
	k := int(y)
	for _, x := range []int{0, 100, 559} {
		a, b := float64(scan.Height.Pix[k*scan.W+x])/scan.Depth, float64(scan.Height.Pix[(k+1)*scan.W+x])/scan.Depth
		if want := a + (b-a)*(y-float64(k)); math.Abs(list[x]-want) > 1e-3 {
			t.Errorf("section at %d: %.5f, want %.5f", x, list[x], want)
		}
	}
	// Normals are shown as what they mean, however they were saved.
	plain, turned := m.Map(material.Normal), *m.Map(material.Normal)
	turned.Swapped, turned.Curve = true, true
	was, err1 := s.Pictures.Pixel(t.Context(), plain, 300, 200)
	now, err2 := s.Pictures.Pixel(t.Context(), &turned, 300, 200)
	linear, _ := colour.Curves()
	if err1 != nil || err2 != nil || math.Abs(now[0]-float64(linear(float32(was[1])))) > 1e-4 || math.Abs(now[1]-float64(linear(float32(was[0])))) > 1e-4 {
		t.Errorf("normal %.3f, swapped and with a curve %.3f: %v, %v", was, now, err1, err2)
	}
	tile1, err1 := s.Pictures.TileOf(t.Context(), plain, pictures.Glance{Component: "rgb"})
	tile2, err2 := s.Pictures.TileOf(t.Context(), &turned, pictures.Glance{Component: "rgb"})
	if err1 != nil || err2 != nil || bytes.Equal(tile1, tile2) {
		t.Errorf("a tile of normals that were saved otherwise is shown as stored: %v, %v", err1, err2)
	}
	for _, g := range []pictures.Glance{{X: 1, Component: "r"}, {Level: 1, Component: "rgb"}} {
		if data, err := s.Pictures.TileOf(t.Context(), m.Map(material.BaseColor), g); err != nil || !strings.HasPrefix(string(data), "\x89PNG") {
			t.Errorf("%+v: %v", g, err)
		}
	}
	for _, g := range []pictures.Glance{{X: 2, Component: "r"}, {X: 36028797018963964, Component: "r"}, {Y: math.MaxInt, Component: "r"}, {Level: 1 << 40, Component: "r"}, {Level: -1, Component: "r"}, {Component: "q"}, {Component: "r", Exposure: math.NaN()}} {
		if _, err := s.Pictures.TileOf(t.Context(), p, g); err == nil {
			t.Errorf("%+v gives a tile", g)
		}
	}
	if _, err := s.Pictures.Pixel(t.Context(), p, 560, 0); err == nil {
		t.Error("there is a pixel beyond the edge")
	}
	if _, err := s.Pictures.Section(t.Context(), p, -0.1, 0, 1, 1, 10); err == nil {
		t.Error("there is a section beyond the edge")
	}
}

// An emissive map with light above 1 keeps its strength through a treatment.
func TestTreatedLightKeepsItsStrength(t *testing.T) {
	s := newStudio(t)
	_, files := taken(t, "slates_round", station.Options{Px: 128, Seed: 1})
	glow := raster.NewFloat(64, 64, 3, 32)
	for c, v := range []float32{8, 3.2, 0.8} {
		for i := range glow.Floats(c) {
			glow.Floats(c)[i] = v * float32(i%7+1) / 7
		}
	}
	var b bytes.Buffer
	if err := exr.Encode(&b, glow, exr.Options{Type: exr.Float, Compression: exr.ZIP}); err != nil {
		t.Fatal(err)
	}
	folder, _, _ := strings.Cut(files[0].Name, "/")
	m := s.send(append(files, station.File{Name: folder + "/slates_round_emissive.exr", Data: b.Bytes()})...).Materials[0]
	if e := m.Map(material.Emissive); e == nil || e.Span[1] != 8 {
		t.Fatalf("emissive is %+v", e)
	}
	if _, err := s.Materials.AddTreatment(t.Context(), lena, now(m.ID), treat.Step{Kind: treat.OneSize}); err != nil {
		t.Fatal(err)
	}
	m = s.settled(m.ID)
	cur := m.Current()
	if e := cur.Map(material.Emissive); e == nil || e.Float || e.Span[1] != 8 || e.Width != 128 {
		t.Errorf("emissive became %+v", e)
	}
}
