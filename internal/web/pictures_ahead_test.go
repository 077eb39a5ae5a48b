package web_test

import (
	"html"
	"regexp"
	"strings"
	"testing"

	"aldermoor/internal/library/people"
)

var preloaded = regexp.MustCompile(`<link rel="(preload|modulepreload)" href="([^"]+)"(?: as="(\w+)")?`)

// A page that opens with the Lit lens fetches what that needs while its scripts still load: addresses that exist, and
// those that the lens will ask for. Other pages don't.
func TestTheLitLensIsFetchedAhead(t *testing.T) {
	s := published(t)
	for _, path := range []string{"/bench/1?lens=lit&env=water", "/library/slates-round?lens=lit&env=water"} {
		as := people.Librarian
		if strings.HasPrefix(path, "/library") {
			as = people.Artist
		}
		page := s.page(as, path)
		data, modules := 0, 0
		for _, m := range preloaded.FindAllStringSubmatch(page, -1) {
			at := html.UnescapeString(m[2])
			resp, body := s.ask(as, "GET", at, nil)
			if resp.StatusCode != 200 || len(body) == 0 {
				t.Errorf("%s fetches %s: %d", path, at, resp.StatusCode)
			}
			switch {
			case m[3] == "fetch":
				data++
				if surface, _, ok := strings.Cut(at, "&px="); ok && !strings.Contains(page, `data-surface="`+html.EscapeString(surface)+`"`) {
					t.Errorf("%s fetches %s, which the lens does not ask for", path, at)
				}
			case strings.Contains(at, "/js/lit/") || strings.Contains(at, "/vendor/twgl.js"):
				modules++
				if strings.HasSuffix(at, "/packs.js") && !strings.Contains(string(body), `"/light/tables.bin?v=tables-1"`) {
					t.Error("the scripts ask for other tables than those that are fetched ahead")
				}
			}
		}
		if data != 3 || modules != 11 || !strings.Contains(page, "/light/water/light.bin") {
			t.Errorf("%s fetches %d files and %d scripts of the lens", path, data, modules)
		}
		if plain := s.page(as, strings.Replace(path, "lens=lit", "", 1)); strings.Contains(plain, "/js/lit/stage.js") || strings.Contains(plain, `as="fetch"`) {
			t.Errorf("%s fetches the Lit lens too", path)
		}
	}
	if page := s.page(people.Librarian, "/bench/1?lens=lit&env=no-such-light"); !strings.Contains(page, "/light/moor/light.bin") {
		t.Error("a light that is not there is fetched")
	}
}
