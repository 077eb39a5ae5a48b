package studio_test

import (
	"path"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/material"
	"aldermoor/core/station"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
)

// flat are scans in one folder, with some words of their names replaced.
func flat(t *testing.T, words map[string]string, slugs ...string) (out []station.File) {
	for _, slug := range slugs {
		for _, f := range scan(t, slug) {
			name := path.Base(f.Name)
			for from, to := range words {
				name = strings.Replace(name, from, to, 1)
			}
			if !strings.HasPrefix(name, slug) {
				continue
			}
			out = append(out, station.File{Name: name, Data: f.Data})
		}
	}
	return out
}

func (s *bench) material(id int64) materials.Material {
	s.t.Helper()
	m, err := s.Materials.Material(s.t.Context(), lena, id)
	if err != nil {
		s.t.Fatal(err)
	}
	return m
}

func channelsOf(m materials.Material) (out []string) {
	for _, p := range m.Maps {
		out = append(out, path.Base(p.File)+" "+string(p.Channel))
	}
	slices.Sort(out)
	return out
}

// A word that nobody knows is asked once for all files that carry it; one answer settles them, and is undone as one.
func TestAWordIsAskedOnce(t *testing.T) {
	s := newStudio(t)
	d := s.send(flat(t, map[string]string{"_roughness": "_qz"}, "rubble_limewash", "jetty_plank", "thatch_reed", "slates_round")...)
	list := intake.Questions(d.Materials)
	if len(list) != 1 || list[0].Word != "qz" || len(list[0].Maps) != 4 {
		t.Fatalf("%d sets, questions %+v", len(d.Materials), list)
	}
	for _, p := range list[0].Maps {
		if p.Sure() {
			t.Errorf("%s is sure to be %s", p.File, p.Channel)
		}
	}
	step, n, err := s.Intake.Answer(t.Context(), lena, library.Seen{ID: d.ID}, "qz", material.Roughness, true)
	if err != nil || n != 4 || step == 0 {
		t.Fatal(step, n, err)
	}
	for _, m := range d.Materials {
		if p := s.ptr(m.ID).Map(material.Roughness); p == nil || !strings.HasSuffix(p.File, "_qz.png") || !p.Sure() {
			t.Errorf("%s: %v", m.Name, channelsOf(s.material(m.ID)))
		}
	}
	// Again changes nothing; undone, it is asked again.
	if step, n, err := s.Intake.Answer(t.Context(), lena, library.Seen{ID: d.ID}, "qz", material.Roughness, false); step != 0 || n != 0 || err != nil {
		t.Error(step, n, err)
	}
	if _, err := s.Materials.Step(t.Context(), lena, step, false); err != nil {
		t.Fatal(err)
	}
	if r, _ := s.Intake.Delivery(t.Context(), lena, d.ID); len(intake.Questions(r.Materials)) != 1 {
		t.Error("undone, it is not asked")
	}
	// The next delivery of the station knows the word.
	next := s.send(flat(t, map[string]string{"_roughness": "_qz"}, "hurdle_willow")...)
	if len(intake.Questions(next.Materials)) != 0 || next.Materials[0].Map(material.Roughness) == nil {
		t.Errorf("the rule does not hold: %v", channelsOf(next.Materials[0]))
	}
}

func (s *bench) ptr(id int64) *materials.Material { m := s.material(id); return &m }

// Sets are merged and taken apart, a map comes later; each is a step that is undone and done again.
func TestMapsAreMovedByHand(t *testing.T) {
	s := newStudio(t)
	d := s.send(flat(t, nil, "rubble_limewash", "jetty_plank")...)
	if len(d.Materials) != 2 {
		t.Fatal(len(d.Materials))
	}
	a, b := d.Materials[0].ID, d.Materials[1].ID
	had := channelsOf(s.material(a))
	// One map becomes a set of its own.
	one := s.ptr(a).Map(material.Occlusion).ID
	apart, err := s.Intake.MoveMaps(t.Context(), lena, library.Seen{ID: a}, []int64{one}, library.Seen{})
	if err != nil || len(apart.Maps) != 1 || apart.Stage != materials.Unseen || s.ptr(a).Map(material.Occlusion) != nil {
		t.Fatal(err, channelsOf(apart))
	}
	// It is added to the other material, which has that channel: it comes unassigned.
	moved, err := s.Intake.MoveMaps(t.Context(), lena, library.Seen{ID: apart.ID}, nil, library.Seen{ID: b})
	if err != nil || len(moved.Unassigned()) != 1 || s.material(apart.ID).Stage != materials.Left {
		t.Fatal(err, channelsOf(moved))
	}
	if again, err := s.Intake.MoveMaps(t.Context(), lena, library.Seen{ID: b}, []int64{one}, library.Seen{ID: b}); err != nil || again.Step != 0 {
		t.Error("doing it again", err)
	}
	// All is undone in turn, and the channel is back.
	for _, step := range []int64{moved.Step, apart.Step} {
		if _, err := s.Materials.Step(t.Context(), lena, step, false); err != nil {
			t.Fatal(err)
		}
	}
	if got := channelsOf(s.material(a)); !slices.Equal(got, had) {
		t.Errorf("after undoing %v, before %v", got, had)
	}
	if m := s.material(apart.ID); m.Stage != materials.Left || len(m.Maps) != 0 {
		t.Errorf("the set that was taken apart is still there: %+v", m)
	}
	if _, err := s.Materials.Step(t.Context(), lena, apart.Step, true); err != nil || len(s.material(apart.ID).Maps) != 1 {
		t.Error("redo", err)
	}
	if _, err := s.Materials.Step(t.Context(), lena, apart.Step, false); err != nil {
		t.Fatal(err)
	}
	// What is refused: a released material, a stale version, all maps as a new set, a map of another.
	for what, call := range map[string]func() error{
		"stale": func() error {
			_, err := s.Intake.MoveMaps(t.Context(), lena, library.Seen{ID: a, Version: 99}, []int64{one}, library.Seen{ID: b})
			return err
		},
		"all": func() error {
			_, err := s.Intake.MoveMaps(t.Context(), lena, library.Seen{ID: a}, s.ptr(a).MapIDs(), library.Seen{})
			return err
		},
		"itself": func() error {
			_, err := s.Intake.MoveMaps(t.Context(), lena, library.Seen{ID: a}, []int64{s.ptr(b).MapIDs()[0]}, library.Seen{})
			return err
		},
	} {
		if call() == nil {
			t.Errorf("%s: not refused", what)
		}
	}
}
