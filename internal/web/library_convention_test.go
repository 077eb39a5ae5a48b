package web_test

import (
	"fmt"
	"strings"
	"testing"

	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// Downloads begin with one's own convention, else the studio's, else the profile's; a profile that has gone counts for
// nobody, and a form's conventions don't go with another profile.
func TestConventions(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	const at = "/api/v1/convention"
	artist := people.Artist
	form := func(profile, tier, normal string) map[string]any {
		return map[string]any{"profile": profile, "tier": tier, "normal": normal, "roughness": "", "format": ""}
	}
	holds := func() string {
		k := s.json(artist, "GET", at, nil, 200)["holds"].(map[string]any)
		return fmt.Sprint(k["profile"], " ", k["tier"], " ", k["normal"])
	}
	if got := holds(); got != "  " {
		t.Errorf("without any convention: %q", got)
	}
	s.json(artist, "PUT", at+"?studio=true", form("as_scanned", "2k", "y-"), 403, "If-Match", "*")
	s.json(people.Lead, "PUT", at+"?studio=true", form("as_scanned", "2k", "y-"), 200, "If-Match", "*")
	if got := holds(); got != "as_scanned 2k y-" {
		t.Errorf("by the studio: %q", got)
	}
	s.json(artist, "PUT", at, form("", "1k", ""), 200, "If-Match", "*")
	if got := holds(); got != "as_scanned 1k y-" {
		t.Errorf("by a tier of one's own: %q", got)
	}
	p := s.json(people.Lead, "GET", "/api/v1/profiles", nil, 200)["items"].([]any)[1].(map[string]any)
	doc := p["document"].(map[string]any)
	doc["name"] = "Ours"
	made := s.json(people.Lead, "POST", "/api/v1/profiles", doc, 201)
	id := made["id"].(string)
	s.json(artist, "PUT", at, form(id, "1k", ""), 200, "If-Match", "*")
	if got := holds(); got != id+" 1k " {
		t.Errorf("by a profile of one's own: %q", got)
	}
	if resp, body := s.ask(people.Lead, "DELETE", "/api/v1/profiles/"+id, nil, "If-Match", "*"); resp.StatusCode != 204 {
		t.Fatalf("removing the profile: %d %s", resp.StatusCode, body)
	}
	if got := holds(); !strings.HasSuffix(got, " 1k ") || strings.Contains(got, id) {
		t.Errorf("when the profile has gone: %q", got)
	}
	s.json(artist, "PUT", at, form("nowhere", "1k", ""), 422, "If-Match", "*")
	s.json(artist, "PUT", at, form("", "3k", ""), 422, "If-Match", "*")
}
