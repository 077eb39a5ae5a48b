package web_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/handoff"
	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// A lead keeps a profile of the studio's; it is tried, versioned, taken by, and removed.
func TestProfilesAreKeptTriedAndTaken(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	release := s.publish("slates_round")
	list := s.json(people.Artist, "GET", "/api/v1/profiles", nil, 200)
	if n := list["total"].(float64); int(n) != len(handoff.Presets()) {
		t.Errorf("%v profiles", n)
	}
	document := map[string]any{"name": "Quay pipeline", "normal": "y-", "names": "{material}_{channel}", "files": []any{
		map[string]any{"holds": []any{map[string]any{"channel": "occlusion"}, map[string]any{"channel": "roughness", "invert": true}, map[string]any{"value": 0.5}}, "word": "pack", "format": "tiff8"},
		map[string]any{"holds": []any{map[string]any{"channel": "normal"}}, "format": "png16"}}}
	tried := s.json(people.Artist, "POST", fmt.Sprintf("/api/v1/trials?release=%d", release), document, 200)
	files := tried["files"].([]any)
	if len(files) != 2 || files[0].(map[string]any)["name"] != "slates-round_pack.tif" || len(files[0].(map[string]any)["pictures"].([]any)) != 3 {
		t.Fatalf("%v", tried)
	}
	href := files[0].(map[string]any)["pictures"].([]any)[1].(map[string]any)["href"].(string)
	res, data := s.ask(people.Artist, "GET", href, nil)
	if in, err := codec.Probe(data); res.StatusCode != 200 || err != nil || max(in.W, in.H) < 60 || max(in.W, in.H) > 96 {
		t.Errorf("%s: %d %v %+v", href, res.StatusCode, err, in)
	}
	s.json(people.Artist, "POST", "/api/v1/profiles", document, 403)
	made := s.json(people.Lead, "POST", "/api/v1/profiles", document, 201)
	if made["id"] != "quay_pipeline" || made["version"].(float64) != 1 {
		t.Fatalf("%v", made)
	}
	s.json(people.Lead, "POST", "/api/v1/profiles", document, 422) // there is one of that name
	first := s.take(release, "profile=quay_pipeline")
	document["normal"] = "y+"
	if got := s.json(people.Lead, "PUT", "/api/v1/profiles/quay_pipeline", document, 200, "If-Match", `"1"`); got["version"].(float64) != 2 {
		t.Errorf("%v", got)
	}
	s.json(people.Lead, "PUT", "/api/v1/profiles/quay_pipeline", document, 412, "If-Match", `"1"`)
	s.json(people.Lead, "PUT", "/api/v1/profiles/as_scanned", document, 422, "If-Match", "*")
	second, old := s.take(release, "profile=quay_pipeline"), s.take(release, "profile=quay_pipeline@1")
	same := func(a, b map[string][]byte, name string) bool {
		return bytes.Equal(a["maps/slates-round_"+name], b["maps/slates-round_"+name])
	}
	if same(first, second, "normal.png") || !same(first, old, "normal.png") || !same(first, second, "pack.tif") || len(first["maps/slates-round_pack.tif"]) == 0 {
		t.Error("a version of a profile gives what another one does")
	}
	res, _ = s.ask(people.Lead, "DELETE", "/api/v1/profiles/quay_pipeline", nil, "If-Match", `"2"`)
	if res.StatusCode != 204 {
		t.Error(res.StatusCode)
	}
	if n := s.json(people.Artist, "GET", "/api/v1/profiles", nil, 200)["total"].(float64); int(n) != len(handoff.Presets()) {
		t.Error("a removed profile is offered")
	}
	for query, want := range map[string]string{
		"profile=nothing": "no handoff profile", "profile=../x": "no profile's id", "profile=web_small&tier=8k": "made in 1k, 2k", "profile=film_linear&format=png": "formats are those of the profile",
		"profile=film_linear@x": "no version", "format=tga": "further formats",
	} {
		res, body := s.ask(people.Artist, "GET", fmt.Sprintf("/api/v1/releases/%d/handoff?%s", release, query), nil)
		if res.StatusCode != 422 || !strings.Contains(string(body), want) {
			t.Errorf("%s: %d %s", query, res.StatusCode, body)
		}
	}
	for _, body := range []string{"{", `{"name":"x","files":[]}`, `{"name":"x","glow":1}`, strings.Repeat(" ", 70_000)} {
		if res, text := s.ask(people.Lead, "POST", "/api/v1/profiles", strings.NewReader(body), "Content-Type", "application/json"); res.StatusCode != 422 && !(len(body) > 64<<10 && res.StatusCode == 413) {
			t.Errorf("%.20s: %d %s", body, res.StatusCode, text)
		}
	}
}

// publish delivers a scan and releases it; it returns the release.
func (s *running) publish(slug string) int64 {
	s.t.Helper()
	d := s.deliver(scan(s.t, slug, 64)...)
	id := d["sets"].([]any)[0].(map[string]any)["material_id"]
	r := s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/materials/%v/releases", id), map[string]any{"notes": "First."}, 201)
	return int64(r["id"].(float64))
}

// take is a handoff's files by their names.
func (s *running) take(release int64, query string) map[string][]byte {
	s.t.Helper()
	res, body := s.ask(people.Artist, "GET", fmt.Sprintf("/api/v1/releases/%d/handoff?%s", release, query), nil)
	if res.StatusCode != 200 {
		s.t.Fatalf("%s: %d %s", query, res.StatusCode, body)
	}
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		s.t.Fatal(err)
	}
	out := map[string][]byte{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			s.t.Fatal(err)
		}
		var b bytes.Buffer
		b.ReadFrom(r)
		r.Close()
		_, name, _ := strings.Cut(f.Name, "/")
		out[name] = b.Bytes()
	}
	var about struct{ Profile string }
	if err := json.Unmarshal(out["material.json"], &about); err != nil || about.Profile == "" {
		s.t.Errorf("material.json names no profile: %v", err)
	}
	return out
}
