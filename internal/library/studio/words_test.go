package studio_test

import (
	"context"
	"fmt"
	"testing"

	"aldermoor/core/scale"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/releases"
	"aldermoor/internal/library/search"
	"aldermoor/internal/library/studio"
)

// A tag that is renamed on more materials than one transaction holds is renamed on all of them, even if the person
// who asked has left; undoing it gives each material its own tags again.
func TestARenameIsFinished(t *testing.T) {
	s := newStudio(t)
	const n = 450
	err := s.db.Write(t.Context(), func(tx studio.Tx) error {
		for i := range n {
			m := materials.Material{Name: fmt.Sprintf("Kelp %d", i), Slug: fmt.Sprintf("kelp-%d", i), SetKey: fmt.Sprint(i), Stage: materials.Accepted, Released: 1, ReleasedVersion: 1, Size: scale.Size{W: 1, H: 1}, Tags: []string{"kelp", fmt.Sprint("row ", i%7)}}
			if err := tx.AddMaterial(&m); err != nil {
				return err
			}
			r := releases.Release{MaterialID: m.ID, Number: 1, By: "lena", Created: s.now, Material: m}
			if err := tx.AddRelease(&r); err != nil {
				return err
			}
			if err := tx.Publish(releases.CardOf(r)); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if err := <-s.Search.Load(t.Context()); err != nil {
		t.Fatal(err)
	}
	tagged := func(tag string) int {
		t.Helper()
		found, err := s.Search.Find(t.Context(), arno, search.Query{Only: map[search.Facet][]string{search.ByTag: {tag}}, Per: 1})
		if err != nil {
			t.Fatal(err)
		}
		return found.Total
	}
	ctx, leave := context.WithCancel(t.Context())
	told := s.Releases.Published
	s.Releases.Published = func(c releases.Card) {
		leave()
		told(c)
	}
	done, err := s.Releases.RenameWord(ctx, liv, releases.Tag, "kelp", "wrack")
	if err != nil || done.Materials != n || done.Merged || len(done.Was) != n {
		t.Fatalf("%d materials of %d, %d to be put back: %v", done.Materials, n, len(done.Was), err)
	}
	if a, b := tagged("kelp"), tagged("wrack"); a != 0 || b != n {
		t.Errorf("%d are kelp still, %d wrack", a, b)
	}
	if err := s.Releases.Restore(t.Context(), liv, done.Was); err != nil {
		t.Fatal(err)
	}
	if a, b := tagged("kelp"), tagged("wrack"); a != n || b != 0 {
		t.Errorf("put back, %d are kelp, %d wrack still", a, b)
	}
	if _, err := s.Releases.RenameWord(t.Context(), lena, releases.Tag, "kelp", "wrack"); err == nil || err.Error() != "The role librarian does not allow this. Ask a lead." {
		t.Errorf("a librarian renames a word for everybody: %v", err)
	}
}
