package store_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/internal/library"
	"aldermoor/internal/library/intake"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/studio"
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

func write(t *testing.T, s *store.Store, f func(studio.Tx) error) {
	t.Helper()
	if err := s.Write(t.Context(), f); err != nil {
		t.Fatal(err)
	}
}

// material is a delivered one with a map.
func aMaterial(t *testing.T, s *store.Store) materials.Material {
	t.Helper()
	m := materials.Material{SetKey: "000 slates", Name: "Slates", Slug: "slates", Stage: materials.Unseen, Size: scale.Size{W: 1.7, H: 1.1}, Tags: []string{"wet", "grey"}, Categories: []string{}, Created: time.Unix(1, 0), Updated: time.Unix(2, 0)}
	write(t, s, func(tx studio.Tx) error {
		d := intake.Delivery{Name: "Tuesday", Station: "Quay Rig", State: intake.Sorted, Created: time.Unix(1, 0)}
		if err := tx.AddDelivery(&d); err != nil {
			return err
		}
		f := intake.File{DeliveryID: d.ID, Path: "a.png", Blob: "ab", Size: 3}
		if err := tx.AddFile(&f); err != nil {
			return err
		}
		m.DeliveryID = d.ID
		p := materials.Map{FileID: f.ID, Channel: material.Normal, Confidence: 0.9}
		p.File, p.Blob, p.Component = "a.png", "ab", "rgb"
		m.Maps = []materials.Map{p}
		return tx.AddMaterial(&m)
	})
	return m
}

func TestMaterialsComeBackAsTheyWere(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	m := aMaterial(t, s)
	s.Close()
	s = open(t, dir) // and migrations run once
	err := s.Read(t.Context(), func(tx studio.Reader) error {
		got, err := tx.Material(m.ID)
		if err != nil {
			return err
		}
		if got.Name != "Slates" || got.Size != m.Size || len(got.Tags) != 2 || len(got.Maps) != 1 || got.Maps[0].Channel != material.Normal || !got.Updated.Equal(m.Updated) {
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
	m := aMaterial(t, s)
	write(t, s, func(tx studio.Tx) error { a := m; return tx.SaveMaterial(&a) })
	if err := s.Write(t.Context(), func(tx studio.Tx) error { b := m; return tx.SaveMaterial(&b) }); !errors.Is(err, library.ErrStale) {
		t.Errorf("%v", err)
	}
	if err := s.Write(t.Context(), func(tx studio.Tx) error { b := m; b.ID = 0; return tx.AddMaterial(&b) }); !errors.Is(err, library.ErrStale) {
		t.Errorf("a set was added twice: %v", err)
	}
}

func TestATransactionThatFailsLeavesNothing(t *testing.T) {
	s := open(t, t.TempDir())
	stop := errors.New("stop")
	err := s.Write(t.Context(), func(tx studio.Tx) error {
		d := intake.Delivery{Name: "x", State: intake.Receiving}
		if err := tx.AddDelivery(&d); err != nil {
			return err
		}
		return stop
	})
	if !errors.Is(err, stop) {
		t.Fatal(err)
	}
	s.Read(t.Context(), func(tx studio.Reader) error {
		if list, _, err := tx.Deliveries(intake.DeliveryQuery{Page: 1, Per: 10}); err != nil || len(list) != 0 {
			t.Errorf("%v %v", list, err)
		}
		return nil
	})
}

func TestStepsAreFoundByDeliveryAndByMaterial(t *testing.T) {
	s := open(t, t.TempDir())
	m := aMaterial(t, s)
	for _, says := range []string{"a", "b"} {
		write(t, s, func(tx studio.Tx) error {
			d := materials.Delta{Material: m.ID, Before: map[string]json.RawMessage{"name": json.RawMessage(`"x"`)}, After: map[string]json.RawMessage{"name": json.RawMessage(`"y"`)}}
			return tx.AddStep(&materials.Step{DeliveryID: m.DeliveryID, Kind: "edit", Says: says, By: "x", UserID: 4, At: time.Unix(3, 0), Changes: []materials.Delta{d}})
		})
	}
	write(t, s, func(tx studio.Tx) error { return tx.MarkStep(1, true) })
	err := s.Read(t.Context(), func(tx studio.Reader) error {
		of, err := tx.StepsOf(m.DeliveryID, 0, 10)
		if err != nil {
			return err
		}
		by, err := tx.StepsOf(0, m.ID, 10)
		if err != nil {
			return err
		}
		if len(of) != 2 || len(by) != 2 || of[0].Says != "b" || !by[1].Undone || string(by[1].Changes[0].After["name"]) != `"y"` || of[0].UserID != 4 || !of[0].At.Equal(time.Unix(3, 0)) {
			t.Errorf("%+v, %+v", of, by)
		}
		_, err = tx.Step(99)
		if !errors.Is(err, library.ErrNotFound) {
			t.Error(err)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// Events have the order of the commits, and a transaction that fails leaves none.
func TestEventsFollowCommits(t *testing.T) {
	s := open(t, t.TempDir())
	var told []library.Event
	s.OnCommit(func(list []library.Event) { told = append(told, list...) })
	for i := range 5 {
		write(t, s, func(tx studio.Tx) error {
			tx.Changed(fmt.Sprint("topic ", i))
			tx.Changed(fmt.Sprint("topic ", i))
			return nil
		})
		s.Write(t.Context(), func(tx studio.Tx) error { tx.Changed("never"); return errors.New("stop") })
	}
	err := s.Read(t.Context(), func(tx studio.Reader) error {
		kept, oldest, err := tx.EventsAfter(told[1].ID, 100)
		if len(told) != 5 || len(kept) != 3 || kept[0].Topic != "topic 2" || oldest != told[0].ID || kept[2].ID <= kept[1].ID {
			t.Errorf("told %v; kept after the second %v, oldest %d", told, kept, oldest)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	write(t, s, func(tx studio.Tx) error { return tx.ForgetEvents(told[2].ID) })
	s.Read(t.Context(), func(tx studio.Reader) error {
		if _, oldest, err := tx.EventsAfter(0, 100); oldest != told[3].ID || err != nil {
			t.Errorf("the oldest kept is %d: %v", oldest, err)
		}
		return nil
	})
}

// A value that JSON cannot hold is an error of its statement, not the end of the server.
func TestWhatIsNoJSONIsRefused(t *testing.T) {
	s := open(t, t.TempDir())
	m := aMaterial(t, s)
	m.Report.Depth = &inspect.Depth{Value: math.NaN()}
	if err := s.Write(t.Context(), func(tx studio.Tx) error { return tx.SaveMaterial(&m) }); err == nil || !strings.Contains(err.Error(), "JSON") {
		t.Errorf("%v", err)
	}
}

// The writer is only asked where there is something to write, and the queries of every
// page go by their indexes.
func TestQueriesGoByTheirIndexes(t *testing.T) {
	s := open(t, t.TempDir())
	for query, want := range map[string]string{
		`SELECT id, priority FROM jobs WHERE state = 'waiting' AND kind = 'open' AND who = 'a' AND taken = 0 AND run_at <= 5 ORDER BY priority DESC, id LIMIT 1`: "jobs_turns",
		`SELECT min(who) FROM jobs WHERE state = 'waiting' AND kind = 'open' AND who > 'a'`:                                                                      "jobs_turns",
		`SELECT 1 FROM jobs INDEXED BY jobs_suspect WHERE state = 'waiting' AND taken > 0 AND run_at <= 5 LIMIT 1`:                                               "jobs_suspect",
		`SELECT count(*) FROM materials INDEXED BY materials_unreleased WHERE stage = 'accepted' AND (released = 0 OR version > released_version)`:               "INDEX materials_unreleased",
		`SELECT EXISTS (SELECT 1 FROM files WHERE delivery_id = 1 AND examined IS NULL AND problem = '')`:                                                        "files_waiting",
		`SELECT s.id FROM step_materials k JOIN steps s ON s.id = k.step_id WHERE k.material_id = 1 ORDER BY k.step_id DESC LIMIT 5`:                             "SEARCH k USING PRIMARY KEY",
		`SELECT DISTINCT p.material_id FROM files f JOIN maps p ON p.file_id = f.id WHERE f.delivery_id = 1`:                                                     "maps_file",
	} {
		var plan []string
		rows, err := s.Reads().Query(`EXPLAIN QUERY PLAN ` + query)
		if err != nil {
			t.Fatal(err)
		}
		for rows.Next() {
			var id, parent, x int
			var detail string
			rows.Scan(&id, &parent, &x, &detail)
			plan = append(plan, detail)
		}
		rows.Close()
		if all := strings.Join(plan, "; "); !strings.Contains(all, want) || strings.Contains(all, "TEMP B-TREE FOR ORDER BY") {
			t.Errorf("%s\n\tgoes by %s", query, all)
		}
	}
}

func TestANewerSchemaIsRefusedAndAnOlderOneCopied(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir)
	version := func(n int) {
		if _, err := s.DB().Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (?, 1)`, n); err != nil {
			t.Fatal(err)
		}
	}
	version(999)
	s.Close()
	if _, err := store.Open(t.Context(), dir); !errors.Is(err, store.ErrNewer) {
		t.Errorf("a newer one: %v", err)
	}
	// One of before the last migration, made by hand.
	old := t.TempDir()
	s = open(t, old)
	if _, err := s.DB().Exec(`DELETE FROM goose_db_version WHERE version_id = (SELECT max(version_id) FROM goose_db_version)`); err != nil {
		t.Fatal(err)
	}
	s.Close()
	if _, err := store.OpenBeside(t.Context(), old); !errors.Is(err, store.ErrOlder) {
		t.Errorf("beside a server: %v", err)
	}
	store.Open(t.Context(), old) // the migration itself has been carried out already, so it fails; the copy comes first
	copies, _ := filepath.Glob(filepath.Join(old, "aldermoor-before-*.db"))
	if len(copies) != 1 {
		t.Fatalf("copies: %v", copies)
	}
	before, err := os.ReadFile(copies[0])
	if err != nil {
		t.Fatal(err)
	}
	store.Open(t.Context(), old) // tried again, it keeps a second copy
	if now, err := os.ReadFile(copies[0]); err != nil || !bytes.Equal(now, before) {
		t.Errorf("the first copy has changed: %v", err)
	}
	if copies, _ = filepath.Glob(filepath.Join(old, "aldermoor-before-*.db")); len(copies) != 2 {
		t.Errorf("copies: %v", copies)
	}
	if info, err := os.Stat(copies[0]); err != nil || info.Size() == 0 || info.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", info, err)
	}
}

func TestRulesAreOneAStationAndEnding(t *testing.T) {
	s := open(t, t.TempDir())
	save := func(r intake.Rule) { write(t, s, func(tx studio.Tx) error { return tx.SaveRule(&r) }) }
	save(intake.Rule{Station: "A", Ending: "ro", Channel: material.Roughness})
	save(intake.Rule{Station: "A", Ending: "ro", Channel: material.Occlusion})
	save(intake.Rule{Station: "", Ending: "ro", Channel: material.Height})
	s.Read(t.Context(), func(tx studio.Reader) error {
		list, err := tx.Rules()
		if err != nil || len(list) != 2 || list[0].Station != "" || list[1].Channel != material.Occlusion {
			t.Errorf("%+v %v", list, err)
		}
		return nil
	})
	if err := s.Write(t.Context(), func(tx studio.Tx) error { return tx.RemoveRule(99) }); !errors.Is(err, library.ErrNotFound) {
		t.Errorf("%v", err)
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

// What is to be done after a commit is done in the order of the commits, and not for what was taken back.
func TestAfterACommit(t *testing.T) {
	s := open(t, t.TempDir())
	var order []int
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for range 20 {
				err := s.Write(t.Context(), func(tx studio.Tx) error {
					n := 0
					version, err := tx.Setting("count", &n)
					if err != nil && !errors.Is(err, library.ErrNotFound) {
						return err
					}
					n++
					tx.After(func() { order = append(order, n) })
					return tx.SaveSetting("count", n, version)
				})
				if err != nil {
					t.Error(err)
				}
			}
		})
	}
	all.Wait()
	s.Write(t.Context(), func(tx studio.Tx) error {
		tx.After(func() { t.Error("done for what was taken back") })
		return errors.New("no")
	})
	if len(order) != 160 || !slices.IsSorted(order) {
		t.Errorf("%d were done, in the order %v", len(order), order)
	}
}
