package store_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"aldermoor/core/channels"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/store"
)

func open(t *testing.T, dir string) *store.Store {
	t.Helper()
	s, err := store.Open(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

func write(t *testing.T, s *store.Store, f func(library.Tx) error) {
	t.Helper()
	if err := s.Write(t.Context(), f); err != nil {
		t.Fatal(err)
	}
}

// material is a delivered one with a map.
func material(t *testing.T, s *store.Store) library.Material {
	t.Helper()
	m := library.Material{SetKey: "000 slates", Name: "Slates", Slug: "slates", Stage: library.Unseen, Size: scale.Size{W: 1.7, H: 1.1}, Tags: []string{"wet", "grey"}, Categories: []string{}, Created: time.Unix(1, 0), Updated: time.Unix(2, 0)}
	write(t, s, func(tx library.Tx) error {
		d := library.Delivery{Name: "Tuesday", Station: "Quay Rig", State: library.Sorted, Created: time.Unix(1, 0)}
		if err := tx.AddDelivery(&d); err != nil {
			return err
		}
		f := library.File{DeliveryID: d.ID, Path: "a.png", Blob: "ab", Size: 3}
		if err := tx.AddFile(&f); err != nil {
			return err
		}
		m.DeliveryID = d.ID
		m.Maps = []library.Map{{FileID: f.ID, File: "a.png", Blob: "ab", Component: "rgb", Channel: channels.Normal, Confidence: 0.9}}
		return tx.AddMaterial(&m)
	})
	return m
}

func TestMaterialsComeBackAsTheyWere(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	m := material(t, s)
	s.Close()
	s = open(t, dir) // and migrations run once
	err := s.Read(t.Context(), func(tx library.Tx) error {
		got, err := tx.Material(m.ID)
		if err != nil {
			return err
		}
		if got.Name != "Slates" || got.Size != m.Size || len(got.Tags) != 2 || len(got.Maps) != 1 || got.Maps[0].Channel != channels.Normal || !got.Updated.Equal(m.Updated) {
			t.Errorf("%+v", got)
		}
		unseen, accepted, err := tx.CountMaterials()
		if unseen != 1 || accepted != 0 {
			t.Errorf("%d unseen, %d accepted", unseen, accepted)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
}

func TestAStaleVersionIsRefused(t *testing.T) {
	s := open(t, t.TempDir())
	m := material(t, s)
	write(t, s, func(tx library.Tx) error { a := m; return tx.SaveMaterial(&a) })
	if err := s.Write(t.Context(), func(tx library.Tx) error { b := m; return tx.SaveMaterial(&b) }); !errors.Is(err, library.ErrStale) {
		t.Errorf("%v", err)
	}
	if err := s.Write(t.Context(), func(tx library.Tx) error { b := m; b.ID = 0; return tx.AddMaterial(&b) }); !errors.Is(err, library.ErrStale) {
		t.Errorf("a set was added twice: %v", err)
	}
}

func TestATransactionThatFailsLeavesNothing(t *testing.T) {
	s := open(t, t.TempDir())
	stop := errors.New("stop")
	err := s.Write(t.Context(), func(tx library.Tx) error {
		d := library.Delivery{Name: "x", State: library.Receiving}
		if err := tx.AddDelivery(&d); err != nil {
			return err
		}
		return stop
	})
	if !errors.Is(err, stop) {
		t.Fatal(err)
	}
	s.Read(t.Context(), func(tx library.Tx) error {
		if list, err := tx.Deliveries(10); err != nil || len(list) != 0 {
			t.Errorf("%v %v", list, err)
		}
		return nil
	})
	if err := s.Read(t.Context(), func(tx library.Tx) error { return tx.AddAudit(library.AuditEntry{}) }); err == nil {
		t.Error("reading could write")
	}
}

func TestStepsGoBackAndForward(t *testing.T) {
	s := open(t, t.TempDir())
	m := material(t, s)
	step := func(says string) (id int64) {
		write(t, s, func(tx library.Tx) error {
			st := library.Step{DeliveryID: m.DeliveryID, Says: says, By: "x", At: time.Unix(3, 0), Before: []library.Standing{{Material: m.ID, Stage: library.Unseen, Maps: m.Maps}}}
			err := tx.AddStep(&st)
			id = st.ID
			return err
		})
		return id
	}
	next := func(back bool) string {
		var says string
		err := s.Read(t.Context(), func(tx library.Tx) error {
			st, err := tx.NextStep(m.DeliveryID, back)
			says = st.Says
			if err == nil && (len(st.Before) != 1 || st.Before[0].Maps[0].Channel != channels.Normal) {
				t.Errorf("%s came back as %+v", says, st.Before)
			}
			return err
		})
		if errors.Is(err, library.ErrNotFound) {
			return ""
		}
		if err != nil {
			t.Fatal(err)
		}
		return says
	}
	mark := func(id int64, undone bool) { write(t, s, func(tx library.Tx) error { return tx.MarkStep(id, undone) }) }
	a, b := step("a"), step("b")
	if next(true) != "b" || next(false) != "" {
		t.Errorf("%q %q", next(true), next(false))
	}
	mark(b, true)
	mark(a, true)
	if next(true) != "" || next(false) != "a" {
		t.Errorf("%q %q", next(true), next(false))
	}
	mark(a, false)
	step("c")
	if next(true) != "c" || next(false) != "" {
		t.Errorf("a new step left the way forward open: %q %q", next(true), next(false))
	}
}

func TestRulesAreOneAStationAndEnding(t *testing.T) {
	s := open(t, t.TempDir())
	save := func(r library.Rule) { write(t, s, func(tx library.Tx) error { return tx.SaveRule(&r) }) }
	save(library.Rule{Station: "A", Ending: "ro", Channel: channels.Roughness})
	save(library.Rule{Station: "A", Ending: "ro", Channel: channels.Occlusion})
	save(library.Rule{Station: "", Ending: "ro", Channel: channels.Height})
	s.Read(t.Context(), func(tx library.Tx) error {
		list, err := tx.Rules()
		if err != nil || len(list) != 2 || list[0].Station != "" || list[1].Channel != channels.Occlusion {
			t.Errorf("%+v %v", list, err)
		}
		return nil
	})
	if err := s.Write(t.Context(), func(tx library.Tx) error { return tx.RemoveRule(99) }); !errors.Is(err, library.ErrNotFound) {
		t.Errorf("%v", err)
	}
}

func TestSearchTakesWordsThatBeginSo(t *testing.T) {
	s := open(t, t.TempDir())
	m := material(t, s)
	r := library.Release{MaterialID: m.ID, Number: 1, Material: m, Created: time.Unix(5, 0)}
	write(t, s, func(tx library.Tx) error {
		if err := tx.AddRelease(&r); err != nil {
			return err
		}
		return tx.Publish(library.Card{MaterialID: m.ID, ReleaseID: r.ID, Number: 1, Name: "Hung slates, round ends", Slug: "slates", Tags: []string{"roof"}})
	})
	for q, want := range map[string]int{"hung": 1, "sla rou": 1, "ROOF": 1, `"hung`: 1, "velvet": 0, "hung OR": 0, "* NEAR(": 0, "": 0} {
		err := s.Read(context.Background(), func(tx library.Tx) error {
			ids, err := tx.Search(q)
			if len(ids) != want {
				t.Errorf("%q finds %v", q, ids)
			}
			return err
		})
		if err != nil {
			t.Errorf("%q: %v", q, err)
		}
	}
}

// An answer that was on its way while somebody signed out does not bring the session
// back, and an answer that changes nothing is not written.
func TestASessionThatEndedStaysSo(t *testing.T) {
	s := open(t, t.TempDir())
	k := s.Sessions()
	later := time.Now().Add(time.Hour)
	commit := func(data string, expiry time.Time) {
		t.Helper()
		if err := k.Commit("token", []byte(data), expiry); err != nil {
			t.Fatal(err)
		}
	}
	find := func() string {
		t.Helper()
		data, ok, err := k.Find("token")
		if err != nil || ok != (data != nil) {
			t.Fatalf("found %q, %v, %v", data, ok, err)
		}
		return string(data)
	}
	until := func() (ms int64) {
		t.Helper()
		if err := s.DB().QueryRowContext(t.Context(), `SELECT expiry FROM sessions`).Scan(&ms); err != nil {
			t.Fatal(err)
		}
		return ms
	}

	commit("user 1", later)
	commit("user 1", later.Add(time.Second))
	if until() != later.UnixMilli() {
		t.Error("a second later was worth a write")
	}
	commit("user 1", later.Add(2*time.Minute))
	if until() != later.Add(2*time.Minute).UnixMilli() {
		t.Error("two minutes later was not written")
	}
	commit("user 2", later)
	if got := find(); got != "user 2" {
		t.Errorf("it holds %q", got)
	}
	if err := k.Delete("token"); err != nil {
		t.Fatal(err)
	}
	commit("user 2", later.Add(time.Hour))
	if got := find(); got != "" {
		t.Errorf("it came back with %q", got)
	}
}
