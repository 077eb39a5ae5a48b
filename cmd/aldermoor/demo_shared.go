package main

import (
	"context"
	"fmt"

	"aldermoor/core/handoff"
	"aldermoor/internal/library"
	"aldermoor/internal/library/collections"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/requests"
	"aldermoor/internal/library/studio"
)

// Who decides and who asks in the story.
var (
	demoLead   = people.As("lead", people.Lead)
	demoArtist = people.As("artist", people.Artist)
)

// shareDemo adds what the story's people do with the Library: what they keep together, approve, ask for and report. Whatever
// of it is there already is left.
func shareDemo(ctx context.Context, s *studio.Studio) error {
	if had, err := s.Collections.All(ctx, demoArtist); err != nil || len(had) > 0 {
		return err
	}
	for _, slug := range []string{"slates-round", "rubble-limewash", "flashing-copper"} {
		card, ok := s.Search.Card(slug)
		if !ok {
			continue
		}
		if _, err := s.Releases.SetState(ctx, demoLead, library.Seen{ID: card.ReleaseID}, releases.Approved, "", 0); err != nil {
			return fmt.Errorf("approve %s: %w", slug, err)
		}
	}
	film, _ := handoff.FindPreset("film_linear")
	film.Name, film.Purpose, film.Names = "The Salt Clerk", "What the lighting department takes: linear EXR with the tier in each name.", "{material}_{channel}_{tier}.{udim}"
	if _, err := s.Releases.AddProfile(ctx, demoLead, film); err != nil && !refused(err) {
		return err
	}
	plate, there := s.Search.Card("plate-sluice")
	for _, r := range []struct {
		requests.Request
		text string
		of   bool
	}{
		{requests.Request{Kind: requests.Wanted, Title: "Stained-glass quarries for the loft", Size: "a window of 0.6 m", Due: "2026-12-18", Pin: [2]float64{-1, -1}}, "Small panes in lead, a few of them cracked. The lantern shines through them.", false},
		{requests.Request{Kind: requests.Problem, Title: "A rivet is cut at the edge", Material: plate.MaterialID, Release: plate.ReleaseID, Pin: [2]float64{0.47, 0.03}, View: "extent_m=1"}, "It shows on the sluice gate, from about three metres.", true},
	} {
		if r.of && !there {
			continue
		}
		if _, err := s.Requests.Ask(ctx, demoArtist, r.Request, r.text); err != nil {
			return err
		}
	}
	waiting, err := s.Materials.Drafts(ctx, demoLibrarian, materials.DraftQuery{State: "unreleased", Per: 1})
	if err != nil {
		return err
	}
	for _, m := range waiting.Items {
		if _, err := s.Releases.AskReview(ctx, demoLibrarian, library.Seen{ID: m.ID}, "Scanned after the repair. Is it good enough for the wall?"); err != nil && !refused(err) {
			return err
		}
	}
	// Last: by these it is known that the rest is there.
	for _, c := range []struct {
		name, colour string
		slugs        []string
	}{
		{"Mill, seaward wall", "#4F6F33", []string{"rubble-limewash", "weatherboard-tar", "slates-round", "flashing-copper", "thatch-reed"}},
		{"Slipway at low water", "#9A5418", []string{"jetty-plank", "mudflat-ripple", "bank-shingle", "path-oyster"}},
	} {
		k := collections.Collection{Name: c.name, Colour: c.colour, Shared: true}
		for _, slug := range c.slugs {
			if card, ok := s.Search.Card(slug); ok {
				k.Items = append(k.Items, card.MaterialID)
			}
		}
		if _, err := s.Collections.Add(ctx, demoArtist, k); err != nil {
			return err
		}
	}
	return nil
}
