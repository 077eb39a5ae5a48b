package studio_test

import (
	"slices"
	"strings"
	"testing"

	"aldermoor/core/channels"
	"aldermoor/core/material"
	"aldermoor/core/station"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
)

// A word that a station's accepted materials give one meaning has it in its next delivery too, even where
// only one file has it; where its pixels are against that, somebody is asked.
func TestStationsPastTeachesItsWords(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	var files []station.File
	rename := func(slug, folder string) {
		for _, f := range scan(t, slug) {
			f.Name = folder + "/" + strings.Replace(f.Name[strings.LastIndexByte(f.Name, '/')+1:], "_roughness", "_qx", 1)
			files = append(files, f)
		}
	}
	for i, slug := range []string{"slates_round", "quarry_glazed", "rubble_limewash"} {
		rename(slug, "set"+string(rune('a'+i)))
	}
	for _, m := range s.send(files...).Materials {
		for _, p := range m.Maps {
			if strings.HasSuffix(p.File, "_qx.png") {
				if _, err := s.Intake.Assign(ctx, lena, now(m.ID), p.ID, material.Roughness); err != nil {
					t.Fatal(err)
				}
			}
		}
		if _, err := s.Intake.Place(ctx, lena, m.DeliveryID, 0, []library.Seen{now(m.ID)}, materials.Accepted); err != nil {
			t.Fatal(err)
		}
	}
	files = nil
	rename("terrazzo_office", "later")
	found := false
	for _, p := range s.send(files...).Materials[0].Maps {
		if !strings.HasSuffix(p.File, "_qx.png") {
			continue
		}
		found = true
		if p.Channel != material.Roughness || !p.Sure() || !slices.ContainsFunc(p.Reasons, func(r channels.Reason) bool { return r.Code == "seen_before" }) {
			t.Errorf("%s at %.2f by %+v", p.Channel, p.Confidence, p.Reasons)
		}
	}
	if !found {
		t.Fatal("no such map")
	}
	files = nil
	for _, f := range scan(t, "slates_round") {
		if strings.HasSuffix(f.Name, "_normal.png") {
			f.Name = "odd/odd_qx.png"
			files = append(files, f)
		}
	}
	for _, m := range s.send(files...).Materials {
		for _, p := range m.Maps {
			if p.Channel == material.Roughness && p.Sure() {
				t.Errorf("%s: vectors are surely %s: %+v %+v", p.File, p.Channel, p.Reasons, p.Stats)
			}
		}
	}
}

// Two equal corrections propose a rule; the rule sorts what is still open, as one step that can
// be undone, and leaves alone what a person decided.
func TestTwoCorrectionsProposeARule(t *testing.T) {
	s := newStudio(t)
	ctx := t.Context()
	var files []station.File
	for i, slug := range []string{"slates_round", "quarry_glazed", "rubble_limewash", "terrazzo_office"} {
		for _, f := range scan(t, slug) {
			f.Name = "set" + string(rune('a'+i)) + "/" + strings.Replace(f.Name[strings.LastIndexByte(f.Name, '/')+1:], "_roughness", "_qx", 1)
			files = append(files, f)
		}
	}
	sets := s.send(files...).Materials
	if len(sets) != 4 {
		t.Fatalf("%d sets", len(sets))
	}
	odd := func(m materials.Material) materials.Map {
		for _, p := range m.Maps {
			if strings.HasSuffix(p.File, "_qx.png") {
				return p
			}
		}
		t.Fatalf("%s has no such map", m.Name)
		return materials.Map{}
	}
	assign := func(i int, c material.Channel) {
		t.Helper()
		if _, err := s.Intake.Assign(ctx, lena, now(sets[i].ID), odd(sets[i]).ID, c); err != nil {
			t.Fatal(err)
		}
	}
	proposed := func() []intake.Proposal {
		t.Helper()
		list, err := s.Intake.Proposals(ctx, lena)
		if err != nil {
			t.Fatal(err)
		}
		return list
	}
	assign(0, material.Roughness)
	if list := proposed(); len(list) != 0 {
		t.Fatalf("one correction proposes %+v", list)
	}
	assign(1, material.Roughness)
	list := proposed()
	if len(list) != 1 || list[0].Ending != "qx" || list[0].Channel != material.Roughness || list[0].Times != 2 || list[0].Station != "Quay Rig" {
		t.Fatalf("%+v", list)
	}
	assign(2, material.Mask)
	if list := proposed(); len(list) != 0 {
		t.Errorf("corrections that contradict each other propose %+v", list)
	}
	assign(2, material.None)
	rule := list[0].Rule
	if err := s.Intake.SaveRule(ctx, lena, &rule); err != nil {
		t.Fatal(err)
	}
	if list := proposed(); len(list) != 0 {
		t.Errorf("a rule that is there is proposed: %+v", list)
	}
	r, err := s.Intake.Delivery(ctx, lena, sets[0].DeliveryID)
	if err != nil {
		t.Fatal(err)
	}
	again := func(i int) materials.Map {
		t.Helper()
		k := slices.IndexFunc(r.Materials, func(m materials.Material) bool { return m.ID == sets[i].ID })
		return odd(r.Materials[k])
	}
	if p := again(3); p.Channel != material.Roughness || p.ByHand || !p.Sure() || p.Reasons[0].Code != "rule" {
		t.Errorf("the open set has it as %s by %+v", p.Channel, p.Reasons)
	}
	if p := again(2); p.Channel != material.None {
		t.Errorf("what a person put aside became %s", p.Channel)
	}
	// What the rule changed is one step.
	steps, err := s.Materials.History(ctx, lena, sets[0].DeliveryID, 0, 5)
	if err != nil || len(steps) == 0 || !strings.Contains(steps[0].Says, "“qx”") {
		t.Fatalf("the latest step is %q: %v", steps[0].Says, err)
	}
	if _, err := s.Materials.Step(ctx, lena, steps[0].ID, false); err != nil {
		t.Fatal(err)
	}
	r, _ = s.Intake.Delivery(ctx, lena, sets[0].DeliveryID)
	if p := again(3); p.Sure() {
		t.Error("the step was not undone")
	}
}
