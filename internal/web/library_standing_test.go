package web_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// A librarian sends a draft to review; a lead returns it, then approves it; the release is retired, found only
// when asked for, and taken back into use.
func TestReviewApproveRetire(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(scan(t, "slates_round", 64)...)
	id := d["sets"].([]any)[0].(map[string]any)["material_id"]
	review := fmt.Sprintf("/api/v1/materials/%v/review", id)
	s.json(people.Artist, "POST", review, map[string]any{"notes": "x"}, 403)
	s.json(people.Librarian, "POST", review, map[string]any{"notes": "First scan."}, 200)
	if list := s.json(people.Lead, "GET", "/api/v1/reviews", nil, 200); list["total"].(float64) != 1 {
		t.Fatalf("%v", list)
	}
	s.json(people.Librarian, "PUT", review, map[string]any{"answer": "approve"}, 403)
	s.json(people.Lead, "PUT", "/api/v1/standards", map[string]any{"densities": []any{}, "cameras": []any{}, "severities": map[string]any{}, "reviewed": true}, 200)
	if res, body := s.ask(people.Librarian, "POST", fmt.Sprintf("/api/v1/materials/%v/releases", id), strings.NewReader(`{}`), "Content-Type", "application/json"); res.StatusCode != 422 || !strings.Contains(string(body), "send the draft to review") {
		t.Errorf("a librarian releases what is to be reviewed: %d %s", res.StatusCode, body)
	}
	s.json(people.Lead, "PUT", review, map[string]any{"answer": "return", "reason": " "}, 422)
	if res, body := s.ask(people.Lead, "PUT", review, strings.NewReader(`{"answer":"return","reason":"Say how large it is."}`), "Content-Type", "application/json"); res.StatusCode != 204 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	if page := s.page(people.Librarian, fmt.Sprintf("/bench/%v", id)); !strings.Contains(page, "Returned by lead: Say how large it is.") {
		t.Error("the Bench does not say why it came back")
	}
	s.json(people.Lead, "PUT", review, map[string]any{"answer": "approve"}, 422) // it does not wait
	s.json(people.Librarian, "POST", review, map[string]any{"notes": "With its size."}, 200)
	r := s.json(people.Lead, "PUT", review, map[string]any{"answer": "approve"}, 200)
	if r["state"] != "approved" || r["notes"] != "With its size." {
		t.Fatalf("%v", r)
	}
	if list := s.json(people.Lead, "GET", "/api/v1/reviews", nil, 200); list["total"].(float64) != 0 {
		t.Error("a released draft waits for a review")
	}
	release := fmt.Sprintf("/api/v1/releases/%v", r["id"])
	total := func(query string) float64 {
		return s.json(people.Artist, "GET", "/api/v1/library?"+query, nil, 200)["total"].(float64)
	}
	if total("state=approved") != 1 || total("not_state=approved") != 0 {
		t.Error("approved materials are not found as such")
	}
	s.json(people.Lead, "PUT", release+"/state", map[string]any{"state": "retired"}, 422)
	s.json(people.Librarian, "PUT", release+"/state", map[string]any{"state": "retired", "reason": "x"}, 403)
	s.json(people.Lead, "PUT", release+"/state", map[string]any{"state": "retired", "reason": "Rescanned.", "replacement": "nothing-like-it"}, 422)
	got := s.json(people.Lead, "PUT", release+"/state", map[string]any{"state": "retired", "reason": "Rescanned."}, 200, "If-Match", fmt.Sprintf(`"%v"`, r["version"]))
	s.json(people.Lead, "PUT", release+"/state", map[string]any{"state": "approved"}, 412, "If-Match", fmt.Sprintf(`"%v"`, r["version"]))
	if total("") != 0 || total("q=slates") != 0 || total("state=retired") != 1 || got["reason"] != "Rescanned." {
		t.Errorf("a retired material is shown: %v", got)
	}
	if page := s.page(people.Artist, "/library/slates-round"); !strings.Contains(page, "Retired") || !strings.Contains(page, "Rescanned.") {
		t.Error("its page does not say that it is retired")
	}
	files := s.take(int64(r["id"].(float64)), "") // it is still served
	s.json(people.Lead, "PUT", release+"/state", map[string]any{"state": "unreviewed"}, 200)
	if total("") != 1 {
		t.Error("it was not taken back into use")
	}
	// A corrected description, with the same maps and number, goes with what is taken from then on.
	fixed := s.json(people.Librarian, "PATCH", release, map[string]any{"licence": "CC-BY-4.0", "author": "A. Gull", "tags": []string{"roof", "roof", " "}}, 200)
	again := s.take(int64(r["id"].(float64)), "")
	if fixed["number"] != r["number"] || !strings.Contains(string(again["LICENCE.txt"]), "by A. Gull, CC-BY-4.0") || strings.Contains(string(files["LICENCE.txt"]), "Gull") {
		t.Errorf("%v: %s", fixed, again["LICENCE.txt"])
	}
	if string(files["maps/slates-round-normal.png"]) != string(again["maps/slates-round-normal.png"]) || total("tag=roof&licence=CC-BY-4.0") != 1 {
		t.Error("the maps changed, or the correction is not found")
	}
	mine := s.json(people.Artist, "GET", "/api/v1/takings", nil, 200)
	if mine["total"].(float64) != 1 || mine["items"].([]any)[0].(map[string]any)["times"].(float64) != 2 {
		t.Errorf("%v", mine)
	}
	if page := s.page(people.Lead, "/library/slates-round"); !strings.Contains(page, "artist <span") {
		t.Error("the page does not say who uses it")
	}
	s.studio.Search.Settle()
	if card := s.json(people.Artist, "GET", "/api/v1/library?sort=use", nil, 200)["items"].([]any)[0].(map[string]any); card["uses"].(float64) != 1 {
		t.Errorf("%v", card)
	}
}

// A batch is released when it is due. Drafts that were changed since are skipped, and the person who scheduled it gets
// a notice.
func TestScheduledReleases(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	var list []any
	for _, slug := range []string{"slates_round", "gravel_pea"} {
		d := s.deliver(scan(t, slug, 64)...)
		id := d["sets"].([]any)[0].(map[string]any)["material_id"]
		m := s.json(people.Librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", id), nil, 200)
		list = append(list, map[string]any{"id": id, "version": m["version"]})
	}
	soon := time.Now().Add(400 * time.Millisecond)
	s.json(people.Artist, "POST", "/api/v1/schedules", map[string]any{"materials": list, "due": soon}, 403)
	s.json(people.Librarian, "POST", "/api/v1/schedules", map[string]any{"materials": list, "due": time.Now().Add(-time.Hour)}, 422)
	s.json(people.Librarian, "POST", "/api/v1/schedules", map[string]any{"materials": []any{}, "due": soon}, 422)
	batch := s.json(people.Librarian, "POST", "/api/v1/schedules", map[string]any{"materials": list, "due": soon, "notes": "The spring set."}, 201)
	s.json(people.Librarian, "PATCH", fmt.Sprintf("/api/v1/materials/%v", list[1].(map[string]any)["id"]), map[string]any{"tags": []string{"later"}}, 200)
	if err := s.studio.Releases.RunDue(t.Context()); err != nil {
		t.Fatal(err)
	}
	total := func() float64 { return s.json(people.Artist, "GET", "/api/v1/library", nil, 200)["total"].(float64) }
	if total() != 0 {
		t.Error("it was released before its time")
	}
	time.Sleep(500 * time.Millisecond)
	for range 2 { // again changes nothing
		if err := s.studio.Releases.RunDue(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
	if total() != 1 {
		t.Errorf("%v are released", total())
	}
	done := s.json(people.Librarian, "GET", "/api/v1/schedules", nil, 200)["items"].([]any)[0].(map[string]any)
	if done["id"] != batch["id"] || done["done"] != true || !strings.Contains(done["result"].(string), "1 of 2 released.") || !strings.Contains(done["result"].(string), "changed since") {
		t.Errorf("%v", done)
	}
	if notices := fmt.Sprint(s.json(people.Librarian, "GET", "/api/v1/notices", nil, 200)["items"]); !strings.Contains(notices, "Your batch: 1 of 2") {
		t.Error(notices)
	}
	later := s.json(people.Librarian, "POST", "/api/v1/schedules", map[string]any{"materials": list, "due": time.Now().Add(time.Hour)}, 201)
	if page := s.page(people.Librarian, "/reviews"); !strings.Contains(page, "Cancel") {
		t.Error("the page does not offer to take a batch back")
	}
	if res, _ := s.ask(people.Librarian, "DELETE", fmt.Sprintf("/api/v1/schedules/%v", later["id"]), nil); res.StatusCode != 204 {
		t.Error(res.StatusCode)
	}
}
