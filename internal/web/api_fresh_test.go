package web_test

import (
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"

	"aldermoor/internal/blob"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/store"
	"aldermoor/internal/web"
)

// What an asker has already is not sent again, and what has changed is.
func TestAnswersThatAreKnownAreNotSentAgain(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	s.publish("slates_round")
	for _, path := range []string{"/api/v1/library", "/api/v1/materials/1", "/api/v1/releases/1", "/api/v1/profiles"} {
		resp, body := s.ask(people.Librarian, "GET", path, nil)
		tag := resp.Header.Get("ETag")
		if resp.StatusCode != 200 || tag == "" || len(body) == 0 {
			t.Fatalf("%s: %d, tag %q, %d bytes", path, resp.StatusCode, tag, len(body))
		}
		if resp, body := s.ask(people.Librarian, "GET", path, nil, "If-None-Match", `"other", `+tag); resp.StatusCode != http.StatusNotModified || len(body) != 0 {
			t.Errorf("%s again: %d %s", path, resp.StatusCode, body)
		}
		if resp, _ := s.ask(people.Librarian, "HEAD", path, nil); resp.StatusCode != 200 || resp.Header.Get("ETag") != tag {
			t.Errorf("HEAD %s: %d %s", path, resp.StatusCode, resp.Header.Get("ETag"))
		}
	}
	resp, _ := s.ask(people.Artist, "GET", "/api/v1/library", nil)
	tag := resp.Header.Get("ETag")
	s.json(people.Librarian, "PATCH", "/api/v1/releases/1", map[string]any{"author": "A. Gull"}, 200)
	if resp, _ := s.ask(people.Artist, "GET", "/api/v1/library", nil, "If-None-Match", tag); resp.StatusCode != 200 {
		t.Errorf("after a correction: %d", resp.StatusCode)
	}
}

// Until the Library has been read, what needs it says so at once; the rest works.
func TestPagesSayThatTheLibraryIsBeingRead(t *testing.T) {
	dir, log := t.TempDir(), slog.New(slog.DiscardHandler)
	db, err := store.Open(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	disk, err := blob.Open(dir, 0)
	if err != nil {
		t.Fatal(err)
	}
	st := studio.New(studio.Config{Store: db, Blobs: disk.Blobs, Derived: disk.Derived, Scratch: disk.Scratch, Log: log})
	s, err := web.New(web.Config{Studio: st, Sessions: db.Sessions(), Log: log, Uploads: filepath.Join(dir, "uploads")})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := st.People.AddUser(t.Context(), itself, "lena", "a long password", people.Librarian); err != nil {
		t.Fatal(err)
	}
	token, _, err := st.People.NewToken(t.Context(), itself, "lena", "test", people.ScopeRead, 0)
	if err != nil {
		t.Fatal(err)
	}
	ask := func(path string) *httptest.ResponseRecorder {
		r := httptest.NewRequest("GET", path, nil)
		r.Header.Set("Authorization", "Bearer "+token)
		w := httptest.NewRecorder()
		s.Handler().ServeHTTP(w, r)
		return w
	}
	for _, path := range []string{"/library", "/library/x", "/api/v1/library", "/collections"} {
		if w := ask(path); w.Code != http.StatusServiceUnavailable || w.Header().Get("Refresh") == "" || !strings.Contains(w.Body.String(), "being read") {
			t.Errorf("%s: %d %s", path, w.Code, w.Body)
		}
	}
	for _, path := range []string{"/intake", "/bench", "/jobs", "/api/v1/deliveries"} {
		if w := ask(path); w.Code != http.StatusOK {
			t.Errorf("%s: %d %s", path, w.Code, w.Body)
		}
	}
	if err := <-st.Search.Load(t.Context()); err != nil {
		t.Fatal(err)
	}
	if w := ask("/library"); w.Code != http.StatusOK {
		t.Errorf("afterwards: %d", w.Code)
	}
}
