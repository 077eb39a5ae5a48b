package web_test

import (
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// A request that is repeated with its key gives the first answer and makes nothing twice, however many send it at once;
// the key of one person is nothing to another.
func TestRepeatedRequestsMakeNothingTwice(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	send := func(as people.Role, key, body string) (int, string, string) {
		resp, data := s.ask(as, "POST", "/api/v1/requests", strings.NewReader(body), "Content-Type", "application/json", "Idempotency-Key", key)
		return resp.StatusCode, string(data), resp.Header.Get("Idempotency-Replayed")
	}
	const slate, reed = `{"kind":"material","title":"Wet slate"}`, `{"kind":"material","title":"Reed"}`
	status, first, _ := send(people.Artist, "k1", slate)
	if status != 201 {
		t.Fatalf("%d %s", status, first)
	}
	for range 2 {
		if status, again, replayed := send(people.Artist, "k1", slate); status != 201 || again != first || replayed != "true" {
			t.Errorf("repeated: %d %s %q", status, again, replayed)
		}
	}
	if status, body, _ := send(people.Artist, "k1", reed); status != 422 || !strings.Contains(body, `"code":"idempotency_key_reused"`) {
		t.Errorf("the key for another request: %d %s", status, body)
	}
	if status, body, _ := send(people.Librarian, "k1", reed); status != 201 {
		t.Errorf("somebody else's key of the same name: %d %s", status, body)
	}
	// What was refused can be sent again, put right.
	if status, _, _ := send(people.Artist, "k2", `{"kind":"material"}`); status != 422 {
		t.Errorf("a bad request: %d", status)
	}
	if status, body, _ := send(people.Artist, "k2", reed); status != 201 {
		t.Errorf("the same key after a refusal: %d %s", status, body)
	}
	if status, _, _ := send(people.Artist, strings.Repeat("k", 101), reed); status != 400 {
		t.Errorf("a long key: %d", status)
	}
	// An upload is begun once, too; another one of the same size is another request.
	begin := func(key, name string) (int, string) {
		resp, _ := s.ask(people.Librarian, "POST", "/api/v1/uploads", nil, "Tus-Resumable", "1.0.0", "Upload-Length", "10", "Upload-Metadata", "filename "+name+",batch MQ==", "Idempotency-Key", key)
		return resp.StatusCode, resp.Header.Get("Location")
	}
	status, at := begin("u1", "YS5wbmc=")
	if status != 201 || at == "" {
		t.Fatalf("an upload: %d at %q", status, at)
	}
	if status, again := begin("u1", "YS5wbmc="); status != 201 || again != at {
		t.Errorf("an upload begun again: %d at %q, not %q", status, again, at)
	}
	if status, _ := begin("u1", "Yi5wbmc="); status != 422 {
		t.Errorf("the key for another upload: %d", status)
	}
	// Many at once.
	before := s.json(people.Librarian, "GET", "/api/v1/requests", nil, 200)["total"].(float64)
	var wg sync.WaitGroup
	for range 12 {
		wg.Go(func() {
			if status, body, _ := send(people.Lead, "k3", slate); status != 201 && status != http.StatusConflict {
				t.Errorf("at once: %d %s", status, body)
			}
		})
	}
	wg.Wait()
	if after := s.json(people.Librarian, "GET", "/api/v1/requests", nil, 200)["total"].(float64); after != before+1 {
		t.Errorf("%v requests were made", after-before)
	}
}

// The API refuses what it does not know, and its lists are read by cursors to their end.
func TestAPIManners(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	for _, c := range []struct{ path, code string }{
		{"/api/v1/library?colour_=%23aabbcc", "unknown_parameter"}, {"/api/v1/deliveries?per=501", "invalid"}, {"/api/v1/deliveries?per=none", "invalid"},
		{"/api/v1/deliveries?cursor=x", "invalid"}, {"/api/v1/library?changed_since=yesterday", "invalid"}, {"/api/v1/nothing", "not_found"},
		{"/api/v1/webhooks/messages?cursor=-2", "invalid"}, {"/api/v1/materials/77", "not_found"},
	} {
		if resp, body := s.ask(people.Administrator, "GET", c.path, nil); resp.StatusCode < 400 || resp.StatusCode >= 500 || !strings.Contains(string(body), `"code":"`+c.code+`"`) {
			t.Errorf("%s: %d %s", c.path, resp.StatusCode, body)
		}
	}
	if resp, body := s.ask(people.Artist, "POST", "/api/v1/requests", strings.NewReader(`{"kind":"material","title":"Reed"} {"kind":"x"}`), "Content-Type", "application/json"); resp.StatusCode != 400 {
		t.Errorf("two documents: %d %s", resp.StatusCode, body)
	}
	if resp, _ := s.ask(people.Artist, "GET", "/library?colour_=1", nil); resp.StatusCode != 200 {
		t.Errorf("a page with a parameter of somebody's own: %d", resp.StatusCode)
	}
	for i := range 5 {
		s.json(people.Artist, "POST", "/api/v1/requests", map[string]any{"kind": "material", "title": fmt.Sprint("No. ", i)}, 201)
	}
	got, cursor := []string{}, ""
	for range 10 {
		path := "/api/v1/requests?per=2"
		if cursor != "" {
			path += "&cursor=" + cursor
		}
		list := s.json(people.Librarian, "GET", path, nil, 200)
		for _, k := range list["items"].([]any) {
			got = append(got, k.(map[string]any)["title"].(string))
		}
		if cursor = list["cursor"].(string); cursor == "" {
			break
		}
	}
	if strings.Join(got, ",") != "No. 0,No. 1,No. 2,No. 3,No. 4" {
		t.Errorf("by cursors: %v", got)
	}
	for _, path := range []string{"/api/v1/requests?page=9", "/api/v1/library?page=9", "/api/v1/deliveries?page=9", "/api/v1/materials?page=9", "/api/v1/audit?page=90", "/api/v1/profiles?page=9"} {
		if list := s.json(people.Administrator, "GET", path, nil, 200)["items"].([]any); len(list) != 0 {
			t.Errorf("%s gave %d items", path, len(list))
		}
	}
}

// A mirror follows the Library without reading all of it: releases, corrections and retirements come by their time.
func TestChangedSince(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(append(scan(t, "slates_round", 64), scan(t, "jetty_plank", 64)...)...)
	var releases []string
	for _, k := range d["sets"].([]any) {
		r := s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/materials/%v/releases", k.(map[string]any)["material_id"]), map[string]any{"notes": "x"}, 201)
		releases = append(releases, r["href"].(string))
	}
	if len(releases) < 2 {
		t.Fatalf("%d sets", len(releases))
	}
	since := func(t0 time.Time) (n int) {
		return int(s.json(people.Artist, "GET", "/api/v1/library?changed_since="+t0.UTC().Format("2006-01-02T15:04:05.000Z"), nil, 200)["total"].(float64))
	}
	if n := since(time.Now().Add(-time.Hour)); n != len(releases) {
		t.Errorf("%d changed in an hour", n)
	}
	now := time.Now().Add(time.Hour) // the clock goes on
	s.studio.Releases.Now = func() time.Time { return now }
	s.json(people.Librarian, "PATCH", releases[0], map[string]any{"author": "A. Gull"}, 200)
	if n := since(now.Add(-time.Minute)); n != 1 {
		t.Errorf("%d changed after a correction", n)
	}
	s.json(people.Lead, "PUT", releases[1]+"/state", map[string]any{"state": "retired", "reason": "Rescanned."}, 200)
	if n := since(now.Add(-time.Minute)); n != 2 {
		t.Errorf("%d changed after a retirement", n)
	}
	if n := since(now.Add(time.Minute)); n != 0 {
		t.Errorf("%d changed in the future", n)
	}
	// An artist reads the releases of a material; of a draft there are none.
	material := d["sets"].([]any)[0].(map[string]any)["material_id"]
	if list := s.json(people.Artist, "GET", fmt.Sprintf("/api/v1/materials/%v/releases", material), nil, 200)["items"].([]any); len(list) != 1 {
		t.Errorf("%d releases", len(list))
	}
	other := s.deliver(scan(t, "hull_clinker", 64)...)
	s.json(people.Artist, "GET", fmt.Sprintf("/api/v1/materials/%v/releases", other["sets"].([]any)[0].(map[string]any)["material_id"]), nil, 404)
}

// What was corrected is put back only as long as nobody has corrected it again; a word is renamed where only what was
// published has it.
func TestRestoringAndRenamingCompareWhatIsThere(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(scan(t, "slates_round", 64)...)
	material := fmt.Sprintf("/api/v1/materials/%v", d["sets"].([]any)[0].(map[string]any)["material_id"])
	s.json(people.Librarian, "PATCH", material, map[string]any{"tags": []string{"wet"}}, 200)
	r := s.json(people.Librarian, "POST", material+"/releases", map[string]any{"notes": "x"}, 201)
	s.json(people.Librarian, "PATCH", material, map[string]any{"tags": []string{"dry"}}, 200) // the draft goes on; the release is filed under wet
	tags := func() string {
		return fmt.Sprint(s.json(people.Artist, "GET", "/api/v1/library", nil, 200)["items"].([]any)[0].(map[string]any)["tags"])
	}
	done := s.json(people.Lead, "POST", "/api/v1/words", map[string]any{"kind": "tag", "from": "wet", "to": "soaked"}, 200)
	if done["materials"] != 1.0 || done["merged"] != false || tags() != "[soaked]" {
		t.Errorf("renamed: %v, filed under %s", done, tags())
	}
	s.json(people.Lead, "POST", "/api/v1/words", map[string]any{"kind": "tag", "from": "slates", "to": "x"}, 422) // part of its name alone
	s.json(people.Librarian, "PATCH", r["href"].(string), map[string]any{"tags": []string{"mine"}}, 200)
	s.json(people.Lead, "POST", "/api/v1/corrections", map[string]any{"restore": done["was"]}, 412)
	if tags() != "[mine]" {
		t.Errorf("filed under %s after a refused restoring", tags())
	}
	fixed := s.json(people.Lead, "POST", "/api/v1/corrections", map[string]any{"releases": []any{r["id"]}, "add_tags": []string{"new"}}, 200)
	s.json(people.Lead, "POST", "/api/v1/corrections", map[string]any{"restore": fixed["was"]}, 200)
	if tags() != "[mine]" {
		t.Errorf("filed under %s after restoring", tags())
	}
}

// A scheduled batch is released with the rights that its owner has when it is due.
func TestABatchHasItsOwnersRightsOfTheMoment(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(scan(t, "slates_round", 64)...)
	id := d["sets"].([]any)[0].(map[string]any)["material_id"]
	version := s.json(people.Librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", id), nil, 200)["version"]
	batch := map[string]any{"materials": []any{map[string]any{"id": id, "version": version}}, "due": time.Now().Add(time.Hour).UTC().Format(time.RFC3339)}
	s.json(people.Librarian, "POST", "/api/v1/schedules", batch, 201)
	u, err := s.studio.People.UserNamed(t.Context(), itself, string(people.Librarian))
	if err != nil {
		t.Fatal(err)
	}
	if err := s.studio.People.ChangeUser(t.Context(), itself, library.Seen{ID: u.ID}, people.Artist, false); err != nil {
		t.Fatal(err)
	}
	later := time.Now().Add(2 * time.Hour)
	s.studio.Releases.Now = func() time.Time { return later }
	if err := s.studio.Releases.RunDue(t.Context()); err != nil {
		t.Fatal(err)
	}
	done := s.json(people.Lead, "GET", "/api/v1/schedules", nil, 200)["items"].([]any)[0].(map[string]any)
	if done["done"] != true || !strings.Contains(done["result"].(string), "may not release any more") {
		t.Errorf("%v", done)
	}
	if n := s.json(people.Lead, "GET", "/api/v1/library", nil, 200)["total"]; n != 0.0 {
		t.Errorf("%v were released", n)
	}
}

// A picture finds what looks like it, a release what looks like it, and colours may have shares.
func TestLikeness(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	release := s.publish("slates_round")
	eventually(t, func() bool { n, err := s.queue.Waiting(t.Context()); return err == nil && n == 0 })
	resp, picture := s.ask(people.Artist, "GET", fmt.Sprintf("/api/v1/releases/%d/swatch.png?extent_m=1&px=128", release), nil)
	if resp.StatusCode != 200 {
		t.Fatalf("%d %s", resp.StatusCode, picture)
	}
	resp, body := s.ask(people.Artist, "POST", "/api/v1/library/like?width_m=1", strings.NewReader(string(picture)))
	if resp.StatusCode != 200 || !strings.Contains(string(body), `"slug":"slates-round"`) {
		t.Errorf("%d %s", resp.StatusCode, body)
	}
	for path, status := range map[string]int{
		fmt.Sprintf("like=%d", release): 200, "like=slates-round": 200, "like=77": 422, "colour=%23666d74&share=0.5": 200, "colour=%23666d74&share=50": 422, "share=0.5": 422,
		"colour=%23666d74&colour=%23aabbcc&share=0.7&share=0.3": 200,
	} {
		s.json(people.Artist, "GET", "/api/v1/library?"+path, nil, status)
	}
}
