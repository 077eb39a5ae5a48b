package web_test

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// An artist asks with a picture, a librarian answers with a material, the artist is told.
func TestAskAndAnswer(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	s.publish("slates_round")
	asked := s.json(people.Artist, "POST", "/api/v1/requests", map[string]any{"kind": "material", "title": "Wet slate", "text": "For the roof.", "size": "2 m", "due": "2026-12-01"}, 201)
	at := fmt.Sprintf("/api/v1/requests/%v", asked["id"])
	if res, body := s.ask(people.Artist, "PUT", at+"/picture?name=roof.png", bytes.NewReader(backdrop(t, 90, 90, 100)), "Content-Type", "application/octet-stream"); res.StatusCode != 204 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	if res, body := s.ask(people.Artist, "PUT", at+"/picture?name=roof.png", strings.NewReader("no picture"), "Content-Type", "application/octet-stream"); res.StatusCode != 422 || !strings.Contains(string(body), "roof.png could not be read") {
		t.Errorf("%d %s", res.StatusCode, body)
	}
	if res, data := s.ask(people.Librarian, "GET", at+"/picture.jpg", nil); res.StatusCode != 200 || !bytes.HasPrefix(data, []byte("\xff\xd8")) {
		t.Errorf("the picture: %d", res.StatusCode)
	}
	if list := s.json(people.Librarian, "GET", "/api/v1/requests", nil, 200); list["total"].(float64) != 1 {
		t.Fatalf("%v", list)
	}
	s.json(people.Artist, "POST", at+"/answers", map[string]any{"state": "solved"}, 422) // not the artist's to say
	s.json(people.Librarian, "POST", at+"/answers", map[string]any{"state": "declined"}, 422)
	s.json(people.Librarian, "POST", at+"/answers", map[string]any{}, 422)
	s.json(people.Librarian, "POST", at+"/answers", map[string]any{"solved_by": "nothing"}, 422)
	seen := s.json(people.Librarian, "GET", at, nil, 200)
	got := s.json(people.Librarian, "POST", at+"/answers", map[string]any{"text": "Here it is.", "state": "solved", "solved_by": "slates-round"}, 200, "If-Match", fmt.Sprintf(`"%v"`, seen["version"]))
	s.json(people.Librarian, "POST", at+"/answers", map[string]any{"text": "x"}, 412, "If-Match", fmt.Sprintf(`"%v"`, seen["version"]))
	if got["solved_by"] != "slates-round" || len(got["messages"].([]any)) != 2 {
		t.Errorf("%v", got)
	}
	notices := s.json(people.Artist, "GET", "/api/v1/notices", nil, 200)["items"].([]any)
	if len(notices) != 1 || !strings.Contains(notices[0].(map[string]any)["text"].(string), "Wet slate") {
		t.Fatalf("%v", notices)
	}
	if page := s.page(people.Artist, "/library"); !strings.Contains(page, `class="news"`) {
		t.Error("the bar says nothing of the notice")
	}
	s.page(people.Artist, "/notices")
	if page := s.page(people.Artist, "/library"); strings.Contains(page, `class="news"`) {
		t.Error("a notice that was seen is still new")
	}
	if page := s.page(people.Artist, fmt.Sprintf("/requests/%v", asked["id"])); !strings.Contains(page, "Solved by") || !strings.Contains(page, "Here it is.") {
		t.Error("the page lacks the answer")
	}
	for _, bad := range []map[string]any{{"kind": "x", "title": "a"}, {"kind": "material", "title": " "}, {"kind": "problem", "title": "a"}, {"kind": "material", "title": "a", "due": "soon"}, {"kind": "problem", "title": "a", "material": "nothing"}} {
		s.json(people.Artist, "POST", "/api/v1/requests", bad, 422)
	}
}

// A problem stands on the material's page with its pin; those who took a material hear of its next release and of
// its end; others' requests are not theirs to read.
func TestProblemsAndNews(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	release := s.publish("slates_round")
	r := s.json(people.Artist, "POST", "/api/v1/requests", map[string]any{"kind": "problem", "title": "A seam", "material": "slates-round", "release": 1, "pin": []float64{0.25, 0.5}, "view": "?release=1&extent_m=2"}, 201)
	if pin := fmt.Sprint(r["pin"]); pin != "[0.25 0.5]" || r["release_id"].(float64) != float64(release) {
		t.Errorf("%v", r)
	}
	if page := s.page(people.Lead, "/library/slates-round"); !strings.Contains(page, "A seam") {
		t.Error("the material's page does not name its problem")
	}
	if page := s.page(people.Lead, fmt.Sprintf("/requests/%v", r["id"])); !strings.Contains(page, `cx="25" cy="50"`) || !strings.Contains(page, "extent_m=2") {
		t.Error("the pin is not shown where it was set")
	}
	s.take(release, "")
	s.json(people.Lead, "PUT", fmt.Sprintf("/api/v1/releases/%d/state", release), map[string]any{"state": "retired", "reason": "Rescanned."}, 200)
	notices := s.json(people.Artist, "GET", "/api/v1/notices", nil, 200)["items"].([]any)
	if len(notices) != 1 || !strings.Contains(fmt.Sprint(notices[0]), "is retired: Rescanned.") {
		t.Errorf("%v", notices)
	}
	own := s.json(people.Librarian, "POST", "/api/v1/requests", map[string]any{"kind": "material", "title": "Mine"}, 201)
	s.json(people.Artist, "GET", fmt.Sprintf("/api/v1/requests/%v", own["id"]), nil, 404)
	if list := s.json(people.Artist, "GET", "/api/v1/requests", nil, 200); list["total"].(float64) != 1 {
		t.Errorf("%v", list)
	}
	s.json(people.Lead, "GET", "/api/v1/webhooks", nil, 403)
	s.json(people.Administrator, "PUT", "/api/v1/webhooks", map[string]any{"webhooks": []any{map[string]any{"url": "file:///etc"}}}, 422)
	s.json(people.Administrator, "PUT", "/api/v1/webhooks", map[string]any{"webhooks": []any{map[string]any{"url": "http://127.0.0.1:1/x", "events": []string{"nothing"}}}}, 422)
}
