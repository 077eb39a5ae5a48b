package web_test

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"html"
	"image/jpeg"
	"io"
	"math"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"aldermoor/core/station"
	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// published is a studio with three released materials.
func published(t *testing.T) *running {
	t.Helper()
	s := newStudio(t, web.Config{}).withPeople()
	var files []station.File
	for _, slug := range []string{"slates_round", "quarry_glazed", "grating_iron"} {
		files = append(files, scan(t, slug, 48)...)
	}
	d := s.deliver(files...)
	for _, x := range d["sets"].([]any) {
		set := x.(map[string]any)
		id := fmt.Sprint(set["material_id"])
		about := map[string]map[string]any{
			"slates_round":  {"name": "Hung slates", "categories": []string{"Roofing", "Stone"}, "tags": []string{"grey"}, "licence": "CC0-1.0"},
			"quarry_glazed": {"name": "Quarry tile & grout <glazed>", "categories": []string{"Tile"}, "tags": []string{"red", "kitchen"}, "licence": "CC-BY-4.0"},
			"grating_iron":  {"name": "Cast-iron grating", "categories": []string{"Metal"}, "tags": []string{"iron"}},
		}[set["name"].(string)]
		s.json(librarian, "PATCH", "/api/v1/materials/"+id, about, 200)
		s.json(librarian, "POST", "/api/v1/materials/"+id+"/releases", map[string]any{"notes": "First."}, 201)
	}
	return s
}

func (s *running) page(as people.Role, path string) string {
	s.t.Helper()
	resp, body := s.ask(as, "GET", path, nil)
	if resp.StatusCode != 200 {
		s.t.Fatalf("%s: %d", path, resp.StatusCode)
	}
	return string(body)
}

var tags = regexp.MustCompile(`(?s)<[^>]*>`)

// words are a page's text, its markup and spare space left out.
func words(page string) string {
	return strings.Join(strings.Fields(html.UnescapeString(tags.ReplaceAllString(page, " "))), " ")
}

func TestTheLibraryIsNarrowedByItsSentence(t *testing.T) {
	s := published(t)
	for query, names := range map[string][]string{
		"":                          {"Hung slates", "Quarry tile", "Cast-iron grating"},
		"?category=Stone":           {"Hung slates"},
		"?tag=red":                  {"Quarry tile"},
		"?channel=opacity":          {"Cast-iron grating"},
		"?q=qua":                    {"Quarry tile"},
		"?q=iron&category=Metal":    {"Cast-iron grating"},
		"?licence=CC-BY-4.0":        {"Quarry tile"},
		"?category=Stone&tag=red":   nil,
		"?q=%3Cscript%3E":           nil,
		"?category=Nowhere&page=99": nil,
	} {
		page := s.page(people.Artist, "/library"+query)
		if want := fmt.Sprintf(`data-total="%d"`, len(names)); !strings.Contains(page, want) {
			t.Errorf("%s: not %s", query, want)
		}
		for _, n := range names {
			if !strings.Contains(page, n) {
				t.Errorf("%s: %s is missing", query, n)
			}
		}
		if strings.Contains(page, "<script>") || strings.Contains(page, "<glazed>") {
			t.Errorf("%s: markup got through", query)
		}
	}
	// The API finds the same and counts the facets.
	got := s.json(people.Artist, "GET", "/api/v1/library?tag=red", nil, 200)
	if got["total"] != 1.0 || len(got["facets"].(map[string]any)["tag"].([]any)) != 2 {
		t.Errorf("%v", got["facets"])
	}
	// One part of the page can be asked for alone.
	if _, part := s.ask(people.Artist, "GET", "/library?tag=red", nil, "X-Part", "results"); bytes.Contains(part, []byte("<html")) || !bytes.Contains(part, []byte("Quarry tile")) {
		t.Error("the part is not a part")
	}
	if resp, _ := s.ask(people.Artist, "GET", "/library", nil, "X-Part", "page/../secret"); resp.StatusCode != 404 && resp.StatusCode != 400 {
		t.Errorf("a part that does not exist: %d", resp.StatusCode)
	}
}

func TestTheMaterialsPageSaysWhatIsKnown(t *testing.T) {
	s := published(t)
	page := words(s.page(people.Artist, "/library/slates-round"))
	for _, says := range []string{"One repeat measures 1.71 m × 1.14 m ,", "resolution tag", "Give me", "CC0-1.0", "Release 1", "Tagged grey", "Normal Y+, 16 bit"} {
		if !strings.Contains(page, says) {
			t.Errorf("it does not say %q: %s", says, page[:min(len(page), 1500)])
		}
	}
	if p := words(s.page(people.Artist, "/library/quarry-glazed")); !strings.Contains(p, "Quarry tile & grout <glazed>") {
		t.Error("a name with marks was changed")
	}
	for path, want := range map[string]int{"/library/nowhere": 404, "/library/slates-round?release=9": 404, "/library/slates-round/cost?tier=3k": 422, "/library/slates-round/cost?tier=source&normal=up": 422} {
		if resp, _ := s.ask(people.Artist, "GET", path, nil); resp.StatusCode != want {
			t.Errorf("%s: %d, want %d", path, resp.StatusCode, want)
		}
	}
	cost := s.json(people.Artist, "GET", "/library/slates-round/cost?tier=source&normal=y-&roughness=glossiness&format=exr", nil, 200)
	if href := cost["href"].(string); !strings.Contains(href, "normal=y-") || !strings.Contains(href, "roughness=glossiness") || !strings.Contains(href, "format=exr") {
		t.Errorf("%v", cost)
	}
}

// The Bench measures: lines are averaged, a step of the pattern says the size, and what can't be is said.
func TestTheBenchMeasures(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	set := s.deliver(scan(t, "quarry_glazed", 192)...)["sets"].([]any)[0].(map[string]any)
	path := fmt.Sprintf("/api/v1/materials/%v", set["material_id"])
	patch := func(status int, change map[string]any) map[string]any {
		return s.json(people.Librarian, "PATCH", path, change, status)
	}
	line := func(dx, dy float64, long any) map[string]any {
		return map[string]any{"line": map[string]any{"x0": 0.1, "y0": 0.1, "x1": 0.1 + dx, "y1": 0.1 + dy, "length_m": long}}
	}
	near := func(m map[string]any, want float64, source string) {
		t.Helper()
		if w := m["width_m"].(float64); math.Abs(w/want-1) > 1e-6 || m["size_source"] != source {
			t.Errorf("%v from %v, want %v from %s", w, m["size_source"], want, source)
		}
	}
	// Half the width is said to be 60 cm, then half the height 62 cm: 1.22 m on average.
	near(patch(200, line(0.5, 0, "60 cm")), 1.2, "measured")
	near(patch(200, line(0, 0.5, 0.62)), 1.22, "measured")
	// Six tiles to a repeat: one of 15 cm makes it 90 cm.
	m := patch(200, map[string]any{"module_a_m": "15 cm"})
	if w := m["width_m"].(float64); math.Abs(w/0.9-1) > 0.01 || m["size_source"] != "module" {
		t.Errorf("a module makes it %v from %v", w, m["size_source"])
	}
	// A new round of lines begins anew.
	near(patch(200, line(0.5, 0, "50 cm")), 1.0, "measured")
	patch(422, line(0, 0, "50 cm"))
	patch(422, line(0.5, 0, "soon"))
	patch(422, line(0.5, 0, "900 km"))
	page := words(s.page(people.Librarian, fmt.Sprintf("/bench/%v?across=4.2+m&down=9+ft", set["material_id"])))
	for _, says := range []string{"from what was measured on it", "The pattern repeats every", "6 to a repeat", "across takes 4.20 repeats: 4 whole, and 0.20 m left over", "2.74 m"} {
		if !strings.Contains(page, says) {
			t.Errorf("it does not say %q", says)
		}
	}
	if resp, _ := s.ask(people.Librarian, "GET", fmt.Sprintf("/bench/%v?across=wide", set["material_id"]), nil); resp.StatusCode != 422 {
		t.Errorf("a wall of %q: %d", "wide", resp.StatusCode)
	}
	none := s.deliver(scan(t, "bank_shingle", 96)...)["sets"].([]any)[0].(map[string]any)
	s.json(people.Librarian, "PATCH", fmt.Sprintf("/api/v1/materials/%v", none["material_id"]), map[string]any{"module_a_m": 0.2}, 422)
}

func TestAHandoffIsWhatItSays(t *testing.T) {
	s := published(t)
	found := s.json(people.Artist, "GET", "/api/v1/library?q=hung", nil, 200)
	id := fmt.Sprint(found["items"].([]any)[0].(map[string]any)["release_id"])
	resp, data := s.ask(people.Artist, "GET", "/api/v1/releases/"+id+"/handoff?tier=source&normal=y-", nil)
	if resp.StatusCode != 200 || !strings.Contains(resp.Header.Get("Content-Disposition"), "slates-round-r1-source-yminus.zip") {
		t.Fatalf("%d %q", resp.StatusCode, resp.Header.Get("Content-Disposition"))
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	var about map[string]any
	for _, f := range z.File {
		if !strings.HasPrefix(f.Name, "slates-round-r1-source-yminus/") {
			t.Errorf("%s lies outside the folder", f.Name)
		}
		if strings.HasSuffix(f.Name, "material.json") {
			r, _ := f.Open()
			if err := json.NewDecoder(r).Decode(&about); err != nil {
				t.Fatal(err)
			}
		}
	}
	if about["name"] != "Hung slates" || about["conventions"].(map[string]any)["normal"] != "y-" {
		t.Errorf("%v", about)
	}
	// It can be gone on with where it broke off.
	resp, rest := s.ask(people.Artist, "GET", "/api/v1/releases/"+id+"/handoff?tier=source&normal=y-", nil, "Range", fmt.Sprintf("bytes=%d-", len(data)/2))
	if resp.StatusCode != 206 || !bytes.Equal(rest, data[len(data)/2:]) {
		t.Errorf("the second half: %d, %d bytes", resp.StatusCode, len(rest))
	}
	for q, want := range map[string]int{"?tier=9k": 422, "?normal=sideways": 422, "?roughness=shine": 422, "?format=psd": 422} {
		if resp, body := s.ask(people.Artist, "GET", "/api/v1/releases/"+id+"/handoff"+q, nil); resp.StatusCode != want {
			t.Errorf("%s: %d %.80s", q, resp.StatusCode, body)
		}
	}
}

func TestPicturesAreKeptByTheirLook(t *testing.T) {
	s := published(t)
	m := s.json(librarian, "GET", "/api/v1/materials/1", nil, 200)
	path := fmt.Sprintf("/api/v1/materials/1/swatch.png?extent_m=0.5&px=64&v=%v", m["look"])
	resp, first := s.ask(librarian, "GET", path, nil)
	if resp.StatusCode != 200 || !strings.Contains(resp.Header.Get("Cache-Control"), "immutable") {
		t.Fatalf("%d %q", resp.StatusCode, resp.Header.Get("Cache-Control"))
	}
	if resp, _ := s.ask(librarian, "GET", path, nil, "If-None-Match", resp.Header.Get("ETag")); resp.StatusCode != 304 {
		t.Errorf("asked again: %d", resp.StatusCode)
	}
	// Twice the size makes another picture under another look.
	s.json(librarian, "PATCH", "/api/v1/materials/1", map[string]any{"width_m": 3.42, "height_m": 2.28}, 200)
	now := s.json(librarian, "GET", "/api/v1/materials/1", nil, 200)
	if now["look"] == m["look"] {
		t.Error("the look is the same at twice the size")
	}
	if _, other := s.ask(librarian, "GET", "/api/v1/materials/1/swatch.png?extent_m=0.5&px=64", nil); bytes.Equal(first, other) {
		t.Error("the picture is the same at twice the size")
	}
	// An artist sees what is released, not the draft.
	if _, other := s.ask(people.Artist, "GET", "/api/v1/materials/1/swatch.png?extent_m=0.5&px=64", nil); !bytes.Equal(first, other) {
		t.Error("an artist sees the draft")
	}
	for q, want := range map[string]int{"extent_m=0": 422, "extent_m=0.3": 422, "extent_m=x": 422, "px=100000": 422, "px=1": 422} {
		if resp, _ := s.ask(people.Artist, "GET", "/api/v1/materials/1/swatch.png?"+q, nil); resp.StatusCode != want {
			t.Errorf("%s: %d", q, resp.StatusCode)
		}
	}
}

// The Library's and the Bench's swatches are small JPEGs that are kept for ever by their look, in the
// size of the screen, over the material's mean colour.
func TestSwatchesOfPages(t *testing.T) {
	s := published(t)
	for _, page := range []string{"/library", "/bench"} {
		_, body := s.ask(librarian, "GET", page, nil)
		if !regexp.MustCompile(`<rect width="100%" height="100%" fill="#[0-9a-f]{6}"/>`).Match(body) {
			t.Errorf("%s has no mean colours", page)
		}
		srcs := regexp.MustCompile(`(?:src|srcset)="(/api/v1/\w+/\d+/swatch\.jpg[^" ]*)`).FindAllSubmatch(body, -1)
		if len(srcs) < 2 {
			t.Fatalf("%s: %d swatches", page, len(srcs))
		}
		for i, px := range []int{172, 344} {
			resp, data := s.ask(librarian, "GET", html.UnescapeString(string(srcs[i][1])), nil)
			in, err := jpeg.DecodeConfig(bytes.NewReader(data))
			if err != nil || in.Width != px || !strings.Contains(resp.Header.Get("Cache-Control"), "immutable") {
				t.Errorf("%s: a swatch of %d px: %d, %q, %v", page, px, in.Width, resp.Header.Get("Cache-Control"), err)
			}
			if _, png := s.ask(librarian, "GET", strings.Replace(html.UnescapeString(string(srcs[i][1])), ".jpg", ".png", 1), nil); 3*len(data) > 2*len(png) {
				t.Errorf("%s: the JPEG of %d px has %d bytes, the PNG %d", page, px, len(data), len(png))
			}
		}
	}
}

// Times are written in the reader's zone, which the page notes in a cookie.
func TestTimesAreInTheReadersZone(t *testing.T) {
	s := published(t)
	read := func(zone string) string {
		_, body := s.ask(people.Administrator, "GET", "/audit", nil, "Cookie", "zone="+url.QueryEscape(zone))
		return regexp.MustCompile(`\d+ \w{3} \d{4}, \d\d:\d\d:\d\d`).FindString(string(body))
	}
	const form = "2 Jan 2006, 15:04:05"
	utc, err1 := time.Parse(form, read("UTC"))
	east, err2 := time.Parse(form, read("Asia/Kathmandu"))
	if err1 != nil || err2 != nil || east.Sub(utc) != 5*time.Hour+45*time.Minute {
		t.Errorf("%v and %v: %v, %v", utc, east, err1, err2)
	}
	if read("No/Where") == "" || read("../../etc/passwd") == "" {
		t.Error("a zone that is none breaks the page")
	}
}

func TestStaticFilesArePackedAndKept(t *testing.T) {
	s := newStudio(t, web.Config{})
	_, body := s.ask("", "GET", "/", nil)
	css := regexp.MustCompile(`/static/[0-9a-f]+/app\.css`).FindString(string(body))
	if css == "" {
		t.Fatal("the page has no style")
	}
	r, _ := http.NewRequest("GET", s.URL+css, nil)
	r.Header.Set("Accept-Encoding", "gzip")
	resp, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	if resp.Header.Get("Content-Encoding") != "gzip" || !strings.Contains(resp.Header.Get("Cache-Control"), "immutable") {
		t.Errorf("%v", resp.Header)
	}
	z, err := gzip.NewReader(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	if data, err := io.ReadAll(z); err != nil || !bytes.Contains(data, []byte("--heather")) {
		t.Errorf("%v", err)
	}
	for _, path := range []string{"/static/x/../../server.go", "/static/x/nothing.js", "/static/"} {
		if resp, _ := s.ask("", "GET", path, nil); resp.StatusCode < 300 {
			t.Errorf("%s: %d", path, resp.StatusCode)
		}
	}
}

func TestFoldersThroughTheAPI(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	root := t.TempDir()
	s.studio.Intake.WatchRoots = []string{root}
	s.json(librarian, "POST", "/api/v1/watches", map[string]any{"path": "/etc"}, 422)
	w := s.json(librarian, "POST", "/api/v1/watches", map[string]any{"path": root, "station": "Quay Rig"}, 201)
	if w["state"] != "resting" {
		t.Errorf("%v", w)
	}
	path := fmt.Sprintf("/api/v1/watches/%v", w["id"])
	if resp, _ := s.ask(librarian, "PUT", path, strings.NewReader(`{"paused":true}`)); resp.StatusCode != 200 {
		t.Errorf("%d", resp.StatusCode)
	}
	list := s.json(librarian, "GET", "/api/v1/watches", nil, 200)["items"].([]any)
	if len(list) != 1 || list[0].(map[string]any)["state"] != "paused" {
		t.Errorf("%v", list)
	}
	if p := words(s.page(librarian, "/intake/folders")); !strings.Contains(p, "paused; 0 files delivered") || !strings.Contains(p, root) {
		t.Error(p)
	}
	if resp, _ := s.ask(librarian, "DELETE", path, nil); resp.StatusCode != 204 {
		t.Errorf("%d", resp.StatusCode)
	}
	if p := words(s.page(librarian, "/intake/folders")); !strings.Contains(p, "No watched folders") {
		t.Error(p)
	}
	s.studio.Intake.WatchRoots = nil
	if p := words(s.page(librarian, "/intake/folders")); !strings.Contains(p, "--watch-root") {
		t.Error("it does not say how a folder is opened")
	}
}
