package web_test

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// receivers are programs that are told things; those that are down take nothing.
type receivers struct {
	mu   sync.Mutex
	down map[string]bool
	told map[string][]string // bodies by address
}

func (r *receivers) post(_ context.Context, address string, _ map[string]string, body []byte) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.down[address] {
		return errors.New("it did not answer within ten seconds")
	}
	r.told[address] = append(r.told[address], string(body))
	return nil
}

func (r *receivers) set(address string, down bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.down[address] = down
}

func (r *receivers) bodies(address string) []string {
	r.mu.Lock()
	defer r.mu.Unlock()
	return append([]string{}, r.told[address]...)
}

// eventually waits until something is so, for a minute at most.
func eventually(t *testing.T, is func() bool) {
	t.Helper()
	for end := time.Now().Add(time.Minute); !is(); time.Sleep(10 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("it did not come about within a minute")
		}
	}
}

// What a webhook is told is written with what happened, in order; one that is silent delays no other, and its messages
// are kept, shown to administrators alone, and sent by a click.
func TestWebhooksKeepAndRetryMessages(t *testing.T) {
	hooks := &receivers{down: map[string]bool{"https://silent.example/k?key=s3cret": true}, told: map[string][]string{}}
	s := newStudio(t, web.Config{}).withPeople()
	s.studio.Notices.Post = hooks.post
	const loud, silent = "https://loud.example/in", "https://silent.example/k?key=s3cret"
	for _, bad := range []string{`[{"url":"ftp://x"}]`, `[{"url":"` + loud + `"},{"url":"` + loud + `"}]`, `[{"url":"` + loud + `","events":["dusk"]}]`} {
		if resp, body := s.ask(people.Administrator, "PUT", "/api/v1/webhooks", strings.NewReader(`{"webhooks":`+bad+`}`), "Content-Type", "application/json", "If-Match", "*"); resp.StatusCode != 422 {
			t.Errorf("%s: %d %s", bad, resp.StatusCode, body)
		}
	}
	s.json(people.Administrator, "PUT", "/api/v1/webhooks", map[string]any{"webhooks": []any{map[string]any{"url": loud}, map[string]any{"url": silent}}}, 200)
	for i := range 3 {
		s.json(people.Artist, "POST", "/api/v1/requests", map[string]any{"kind": "material", "title": fmt.Sprintf("Wet slate %d", i)}, 201)
	}
	eventually(t, func() bool { return len(hooks.bodies(loud)) == 3 })
	for i, body := range hooks.bodies(loud) {
		if !strings.Contains(body, fmt.Sprintf(`"title":"Wet slate %d"`, i)) {
			t.Errorf("message %d was %s", i, body)
		}
	}
	messages := func(state string) (list []map[string]any) {
		for _, k := range s.json(people.Administrator, "GET", "/api/v1/webhooks/messages?per=500", nil, 200)["items"].([]any) {
			if m := k.(map[string]any); m["url"] == silent && m["state"] == state {
				list = append(list, m)
			}
		}
		return list
	}
	eventually(t, func() bool {
		list := messages("waiting")
		return len(list) == 3 && list[2]["attempts"].(float64) >= 1 // the oldest comes last
	})
	// Nobody but administrators sees the address, which holds a key.
	for _, role := range []people.Role{people.Artist, people.Librarian, people.Lead} {
		for _, path := range []string{"/api/v1/webhooks/messages", "/webhooks"} {
			if resp, _ := s.ask(role, "GET", path, nil); resp.StatusCode != http.StatusForbidden {
				t.Errorf("%s: %s gave %d", role, path, resp.StatusCode)
			}
		}
		if role != people.Artist {
			if page := s.page(role, "/jobs"); strings.Contains(page, "s3cret") || strings.Contains(page, "silent.example") {
				t.Errorf("the jobs page tells the address of a webhook to a %s", role)
			}
		}
	}
	page := s.page(people.Administrator, "/webhooks")
	if !strings.Contains(page, "did not answer") || !strings.Contains(page, "next try") {
		t.Error("the page does not say what waits and why")
	}
	hooks.set(silent, false)
	if resp, body := s.ask(people.Administrator, "POST", fmt.Sprintf("/api/v1/webhooks/messages/%v/retry", messages("waiting")[2]["id"]), nil); resp.StatusCode != http.StatusNoContent {
		t.Errorf("retrying gave %d %s", resp.StatusCode, body)
	}
	eventually(t, func() bool { return len(hooks.bodies(silent)) == 3 })
	for i, body := range hooks.bodies(silent) {
		if !strings.Contains(body, fmt.Sprintf(`"title":"Wet slate %d"`, i)) {
			t.Errorf("after the silence, message %d was %s", i, body)
		}
	}
	s.json(people.Administrator, "POST", "/api/v1/webhooks/test", map[string]any{"url": loud}, 201)
	eventually(t, func() bool { k := hooks.bodies(loud); return len(k) == 4 && strings.Contains(k[3], `"event":"test"`) })
	// The page's forms.
	send := func(path string, v url.Values) int {
		resp, _ := s.ask(people.Administrator, "POST", path, strings.NewReader(v.Encode()), "Content-Type", "application/x-www-form-urlencoded", "If-Match", "")
		return resp.StatusCode
	}
	if got := send("/webhooks/remove", url.Values{"url": {silent}, "version": {"1"}}); got != http.StatusPreconditionFailed {
		t.Errorf("a form of an old version gave %d", got)
	}
	if got := send("/webhooks/remove", url.Values{"url": {silent}, "version": {"2"}}); got >= 400 {
		t.Errorf("removing gave %d", got)
	}
	s.json(people.Administrator, "POST", fmt.Sprintf("/api/v1/webhooks/messages/%v/retry", messages("told")[0]["id"]), nil, 422)
}
