package web_test

import (
	"bufio"
	"bytes"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"net/netip"
	"strings"
	"testing"
	"time"

	"aldermoor/core/station"
	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// Behind a proxy that is trusted, addresses are https and sign-ins come from where the
// proxy says; nobody else is believed.
func TestForwardedHeadersCountFromTrustedProxiesAlone(t *testing.T) {
	forwarded := []string{"X-Forwarded-Proto", "https", "X-Forwarded-For", "203.0.113.7, 127.0.0.2", "X-Forwarded-Host", "materials.example"}
	for _, c := range []struct {
		name           string
		proxies        []netip.Prefix
		scheme, signed string
	}{
		{"trusted", []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}, "https", "203.0.113.7"},
		{"not trusted", nil, "http", "127.0.0.1"},
		{"another is", []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8")}, "http", "127.0.0.1"},
	} {
		t.Run(c.name, func(t *testing.T) {
			s := newStudio(t, web.Config{Proxies: c.proxies}).withPeople()
			upload := append([]string{"Tus-Resumable", "1.0.0", "Upload-Length", "10", "Upload-Metadata", "filename YS5wbmc=,batch MQ=="}, forwarded...)
			resp, body := s.ask(librarian, "POST", "/api/v1/uploads", nil, upload...)
			if resp.StatusCode != http.StatusCreated {
				t.Fatalf("an upload: %d %s", resp.StatusCode, body)
			}
			if at := resp.Header.Get("Location"); !strings.HasPrefix(at, c.scheme+"://") {
				t.Errorf("Location: %s", at)
			}
			form := strings.NewReader("name=librarian&password=wrong+password+here")
			s.ask("", "POST", "/sign-in", form, append([]string{"Content-Type", "application/x-www-form-urlencoded"}, forwarded...)...)
			entries := s.json(people.Administrator, "GET", "/api/v1/audit?action=sign-in+failed", nil, 200)["items"].([]any)
			if len(entries) == 0 || !strings.Contains(fmt.Sprint(entries[0]), c.signed) {
				t.Errorf("the failed sign-in came from %v, want %s", entries, c.signed)
			}
			if resp, _ := s.ask("", "GET", "/metrics", nil, forwarded...); resp.StatusCode != http.StatusForbidden {
				t.Errorf("/metrics for somebody behind it: %d", resp.StatusCode)
			}
			if resp, _ := s.ask("", "GET", "/metrics", nil); resp.StatusCode != http.StatusOK {
				t.Errorf("/metrics on this machine: %d", resp.StatusCode)
			}
			if says := strings.Contains(s.page(people.Administrator, "/jobs"), "proxy 127.0.0.1, which is not trusted"); says != (c.scheme == "http") {
				t.Errorf("the Jobs page warns of the proxy: %v", says)
			}
		})
	}
}

// A page that lost its connection hears what it missed, by the number that it had last;
// one that was away for too long is told to look anew.
func TestEventsGoOnWhereTheyWere(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	// listen gives what the stream says next: its number, its kind ("" or gap) and its data.
	listen := func(last string) (next func() (id, kind, data string)) {
		r, _ := http.NewRequestWithContext(t.Context(), "GET", s.URL+"/api/v1/events", nil)
		r.Header.Set("Authorization", "Bearer "+s.tokens[librarian])
		if last != "" {
			r.Header.Set("Last-Event-ID", last)
		}
		resp, err := http.DefaultClient.Do(r)
		if err != nil || resp.StatusCode != 200 {
			t.Fatalf("events after %q: %v %v", last, resp, err)
		}
		t.Cleanup(func() { resp.Body.Close() })
		lines := bufio.NewScanner(resp.Body)
		return func() (id, kind, data string) {
			late := time.AfterFunc(10*time.Second, func() { resp.Body.Close() })
			defer late.Stop()
			for lines.Scan() {
				name, v, _ := strings.Cut(lines.Text(), ": ")
				switch name {
				case "id":
					id = v
				case "event":
					kind = v
				case "data":
					return id, kind, v
				}
			}
			t.Fatalf("the stream ended: %v", lines.Err())
			return
		}
	}
	picture := func(n int) station.File {
		var b bytes.Buffer
		png.Encode(&b, image.NewGray(image.Rect(0, 0, n, n)))
		return station.File{Name: "a_color.png", Data: b.Bytes()}
	}
	first := listen("")
	s.deliver(picture(8))
	var id, heard string
	for !strings.Contains(heard, "delivery:1") {
		id, _, heard = first()
	}
	if id == "" || id == "0" {
		t.Fatal("an event has no number")
	}
	s.deliver(picture(9))
	again := listen(id)
	missed := ""
	for !strings.Contains(missed, "delivery:2") {
		_, kind, data := again()
		if missed += data; kind != "" {
			t.Fatalf("%s: %s", kind, data)
		}
	}
	if _, kind, data := listen("999999999")(); kind != "gap" {
		t.Errorf("who names a number that there is not was told %s %q", kind, data)
	}
}
