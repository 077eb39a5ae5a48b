package web_test

import (
	"context"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/web"
)

// Deliveries and drafts are deleted, restored, and gone for good after their time, with the files that nothing else
// names; what was released stays.
func TestDeletedThingsCanBeRestoredForAWhile(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	ctx := t.Context()
	first := s.deliver(scan(t, "slates_round", 64)...)
	second := s.deliver(scan(t, "jetty_plank", 64)...)
	id := func(d map[string]any) int64 {
		return int64(d["sets"].([]any)[0].(map[string]any)["material_id"].(float64))
	}
	path := func(d map[string]any) string { return fmt.Sprintf("/api/v1/deliveries/%v", d["id"]) }
	remove := func(as people.Role, path string, want int) string {
		t.Helper()
		resp, body := s.ask(as, "DELETE", path, nil, "If-Match", "*")
		if resp.StatusCode != want {
			t.Fatalf("DELETE %s: %d %s", path, resp.StatusCode, body)
		}
		return string(body)
	}
	s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/materials/%d/releases", id(first)), map[string]any{"notes": "x"}, 201)
	if says := remove(people.Librarian, path(first), 422); !strings.Contains(says, "released") {
		t.Errorf("a released delivery: %s", says)
	}
	if says := remove(people.Librarian, fmt.Sprintf("/api/v1/materials/%d", id(first)), 422); !strings.Contains(says, "Retire it instead") {
		t.Errorf("a released material: %s", says)
	}
	remove(people.Artist, path(second), 403)
	remove(people.Librarian, path(second), 200)
	s.json(people.Librarian, "GET", path(second), nil, 404)
	if page := s.page(people.Librarian, "/intake"); strings.Contains(page, fmt.Sprintf(`id="delivery-%v"`, second["id"])) {
		t.Error("a deleted delivery is still in Intake")
	}
	if says := s.json(people.Librarian, "PATCH", fmt.Sprintf("/api/v1/materials/%d", id(second)), map[string]any{"name": "Gone"}, 422); !strings.Contains(fmt.Sprint(says), "Restore it first") {
		t.Errorf("a deleted draft was changed: %v", says)
	}
	list := s.json(people.Librarian, "GET", "/api/v1/deleted", nil, 200)["items"].([]any)
	if len(list) != 1 || list[0].(map[string]any)["kind"] != "delivery" || !strings.Contains(s.page(people.Librarian, "/deleted"), "delivery") {
		t.Fatalf("deleted: %v", list)
	}
	// The same files delivered again are not taken for what was deleted.
	again := s.deliver(scan(t, "jetty_plank", 64)...)
	if known := again["sets"].([]any)[0].(map[string]any)["known"]; known != nil {
		t.Errorf("known as something that was deleted: %v", known)
	}
	remove(people.Librarian, path(again), 200)
	s.json(people.Librarian, "POST", list[0].(map[string]any)["restore"].(string), nil, 200)
	if d := s.json(people.Librarian, "GET", path(second), nil, 200); len(d["sets"].([]any)) != 1 {
		t.Errorf("restored: %v", d)
	}

	// A draft, as one of several, and back by undo.
	s.json(people.Librarian, "POST", path(second)+"/accept", map[string]any{"materials": []any{map[string]any{"id": id(second)}}}, 200)
	version := s.json(people.Librarian, "GET", fmt.Sprintf("/api/v1/materials/%d", id(second)), nil, 200)["version"]
	gone := s.json(people.Librarian, "POST", "/api/v1/materials/delete", map[string]any{"materials": []any{map[string]any{"id": id(second), "version": version}}}, 200)
	if n := s.json(people.Librarian, "GET", "/api/v1/materials", nil, 200)["total"].(float64); n != 1 {
		t.Errorf("%v drafts are on the Bench", n)
	}
	s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/steps/%v/undo", gone["step"]), nil, 200)
	if n := s.json(people.Librarian, "GET", "/api/v1/materials", nil, 200)["total"].(float64); n != 2 {
		t.Errorf("%v drafts are on the Bench after undoing", n)
	}
	remove(people.Librarian, path(second), 200)

	// A month later both are gone, and with them every file that nothing else names.
	blobs := func() (n int) {
		s.disk.Blobs.Verify(ctx, func(sum, says string) { t.Errorf("blob %s: %s", sum, says) })
		n, err := s.disk.Blobs.Verify(ctx, func(string, string) {})
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	before := blobs()
	if err := s.studio.Care(ctx); err != nil {
		t.Fatal(err)
	}
	if n := blobs(); n != before {
		t.Errorf("%d files are left of %d, a moment after they were deleted", n, before)
	}
	later := time.Now().Add(materials.KeptDeleted + time.Hour)
	s.studio.Notices.Now = func() time.Time { return later }
	if err := s.studio.Care(ctx); err != nil {
		t.Fatal(err)
	}
	if n := blobs(); n >= before || n == 0 {
		t.Errorf("%d files are left of %d", n, before)
	}
	s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/steps/%v/undo", gone["step"]), nil, 404)
	s.json(people.Librarian, "GET", fmt.Sprintf("/api/v1/materials/%d", id(second)), nil, 404)
	if err := s.db.Check(ctx); err != nil {
		t.Error(err)
	}
	err := s.db.Read(ctx, func(tx studio.Reader) error {
		return tx.KnownBlobs(func(sum string) {
			if !s.disk.Blobs.Has(sum) {
				t.Errorf("blob %s is named and gone", sum)
			}
		})
	})
	if err != nil {
		t.Error(err)
	}
	s.take(1, "") // what was released is as it was
}

// Whatever names a blob, in whichever column, is looked at before a blob is removed.
func TestEveryBlobThatIsNamedIsKnown(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	ctx := t.Context()
	d := s.deliver(scan(t, "slates_round", 64)...)
	path := fmt.Sprintf("/api/v1/materials/%v", d["sets"].([]any)[0].(map[string]any)["material_id"])
	s.json(people.Librarian, "POST", path+"/recipe", map[string]any{"kind": "flip_normal"}, 200)
	eventually(t, func() bool { n, err := s.queue.Waiting(ctx); return err == nil && n == 0 })
	s.json(people.Librarian, "POST", path+"/releases", map[string]any{"notes": "x"}, 201)
	known := map[string]bool{}
	err := s.db.Read(ctx, func(tx studio.Reader) error { return tx.NamedBlobs(func(sum string) { known[sum] = true }) })
	if err != nil {
		t.Fatal(err)
	}
	texts := func(query string) (list []string) {
		rows, err := s.db.Reads().QueryContext(ctx, query)
		if err != nil {
			t.Fatal(err)
		}
		defer rows.Close()
		for rows.Next() {
			var text *string
			if err := rows.Scan(&text); err != nil {
				t.Fatal(err)
			}
			if text != nil {
				list = append(list, *text)
			}
		}
		return list
	}
	found := map[string]bool{}
	name := regexp.MustCompile(`[0-9a-f]{64}`)
	for _, table := range texts(`SELECT name FROM sqlite_master WHERE type = 'table'`) {
		for _, column := range texts(`SELECT name FROM pragma_table_info('` + table + `')`) {
			for _, text := range texts(`SELECT CAST("` + column + `" AS TEXT) FROM "` + table + `"`) {
				for _, sum := range name.FindAllString(text, -1) {
					if !s.disk.Blobs.Has(sum) {
						continue
					}
					found[table+"."+column] = true
					if !known[sum] {
						t.Errorf("%s.%s names the blob %s, which would be removed", table, column, sum)
					}
				}
			}
		}
	}
	for _, column := range []string{"files.blob", "made.blob", "maps.document", "releases.snapshot"} {
		if !found[column] {
			t.Errorf("nothing was found in %s: the test looks at too little (%v)", column, found)
		}
	}
}

// A reset of a password ends tokens, and an administrator ends anybody's.
func TestTokensEnd(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	admin := people.Administrator
	list := s.json(admin, "GET", "/api/v1/tokens", nil, 200)["items"].([]any)
	of := func(role people.Role) string {
		for _, k := range list {
			if m := k.(map[string]any); m["user"] == string(role) {
				return fmt.Sprint(m["id"])
			}
		}
		t.Fatalf("no token of %s in %v", role, list)
		return ""
	}
	s.json(people.Lead, "GET", "/api/v1/tokens", nil, 403)
	if resp, _ := s.ask(admin, "POST", "/api/v1/tokens/"+of(people.Artist)+"/revoke", nil); resp.StatusCode != http.StatusNoContent {
		t.Errorf("revoking gave %d", resp.StatusCode)
	}
	if resp, _ := s.ask(people.Artist, "GET", "/api/v1/library", nil); resp.StatusCode != http.StatusUnauthorized {
		t.Errorf("a revoked token: %d", resp.StatusCode)
	}
	if page := s.page(admin, "/people"); !strings.Contains(page, "/people/tokens/"+of(people.Librarian)+"/revoke") {
		t.Error("the page of people lists no tokens")
	}
	err := s.db.Read(context.Background(), func(tx studio.Reader) error {
		u, err := tx.UserNamed(string(people.Librarian))
		if err != nil {
			return err
		}
		resp, body := s.ask(admin, "POST", fmt.Sprintf("/people/%d/reset", u.ID), strings.NewReader("version=1&name=librarian"), "Content-Type", "application/x-www-form-urlencoded")
		if resp.StatusCode != 303 {
			t.Errorf("the reset gave %d %s", resp.StatusCode, body)
		}
		// The code is said on the page that follows, once.
		at := resp.Header.Get("Location")
		if first, again := s.page(admin, at), s.page(admin, at); !strings.Contains(first, "data-code") || strings.Contains(again, "data-code") {
			t.Errorf("%s says the code first: %v, again: %v", at, strings.Contains(first, "data-code"), strings.Contains(again, "data-code"))
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if resp, _ := s.ask(people.Librarian, "GET", "/api/v1/library", nil); resp.StatusCode != http.StatusUnauthorized {
		t.Errorf("a token after the reset: %d", resp.StatusCode)
	}
}
