package web_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"aldermoor/core/handoff"
	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// A corrected licence reaches clients: the zip is another one then, and what is asked for by its checksum is not.
func TestACorrectionReachesClients(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	release := s.publish("slates_round")
	zip := fmt.Sprintf("/api/v1/releases/%d/handoff?tier=source", release)
	get := func(path string, headers ...string) (int, string, string, string) {
		resp, body := s.ask(people.Artist, "GET", path, nil, headers...)
		return resp.StatusCode, resp.Header.Get("ETag"), resp.Header.Get("Cache-Control"), string(body)
	}
	status, tag, caching, whole := get(zip)
	if status != 200 || tag == "" || strings.Contains(caching, "max-age") {
		t.Fatalf("the zip: %d, %s, %s", status, tag, caching)
	}
	if status, _, _, _ := get(zip, "If-None-Match", tag); status != 304 {
		t.Errorf("the same zip: %d", status)
	}
	if status, _, _, part := get(zip, "Range", "bytes=100-199", "If-Range", tag); status != 206 || part != whole[100:200] {
		t.Errorf("a part of the same zip: %d, %d bytes", status, len(part))
	}
	file := func(name string) (href string) {
		for _, f := range s.json(people.Artist, "GET", fmt.Sprintf("/api/v1/releases/%d/manifest?tier=source", release), nil, 200)["files"].([]any) {
			if k := f.(map[string]any); k["path"] == name {
				return k["href"].(string)
			}
		}
		t.Fatalf("there is no %s", name)
		return ""
	}
	about := file("material.json")
	if status, _, caching, _ := get(about); status != 200 || !strings.Contains(caching, "immutable") {
		t.Errorf("a file by its checksum: %d, %s", status, caching)
	}
	plain, _, _ := strings.Cut(about, "?")
	if status, tag, caching, _ := get(plain + "?tier=source"); status != 200 || tag == "" || strings.Contains(caching, "immutable") {
		t.Errorf("a file by its name alone: %d, %s, %s", status, tag, caching)
	}
	s.json(people.Librarian, "PATCH", fmt.Sprintf("/api/v1/releases/%d", release), map[string]any{"licence": "CC-BY-4.0", "author": "A. Gull"}, 200)
	status, now, _, corrected := get(zip, "If-None-Match", tag)
	if status != 200 || now == tag || corrected == whole {
		t.Errorf("after a correction the zip answers %d, with the same tag: %v", status, now == tag)
	}
	if status, _, _, part := get(zip, "Range", "bytes=100-199", "If-Range", tag); status != 200 || part != corrected {
		t.Errorf("a download of the old zip goes on with %d, %d bytes", status, len(part))
	}
	if status, _, _, _ := get(about); status != 410 {
		t.Errorf("the old file by its checksum: %d", status)
	}
	if status, _, _, body := get(file("material.json")); status != 200 || !strings.Contains(body, "CC-BY-4.0") {
		t.Errorf("the new file: %d", status)
	}
}

// An artist who asks for a hundred handoffs delays neither a librarian's delivery nor another artist's handoff.
func TestAGreedyArtistDelaysNobody(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	release := s.publish("slates_round")
	asked := 0
	for _, profile := range handoff.Presets() {
		for _, normal := range []string{"y+", "y-"} {
			for _, roughness := range []string{"roughness", "glossiness"} {
				for _, tier := range []string{"1k", "2k", "4k", "source"} {
					q := url.Values{"profile": {profile.ID}, "normal": {normal}, "roughness": {roughness}, "tier": {tier}, "wait": {"0"}}
					if resp, _ := s.ask(people.Artist, "GET", fmt.Sprintf("/api/v1/releases/%d/handoff?%s", release, q.Encode()), nil); resp.StatusCode == 202 {
						asked++
					}
				}
			}
		}
	}
	handoffs := func() (waiting float64) {
		for _, l := range s.json(people.Librarian, "GET", "/api/v1/jobs", nil, 200)["lanes"].([]any) {
			if k := l.(map[string]any); k["name"] == "handoffs" {
				return k["waiting"].(float64)
			}
		}
		t.Fatal("there is no lane of handoffs")
		return 0
	}
	first := handoffs()
	s.deliver(scan(t, "quarry_glazed", 64)...)
	after := handoffs()
	if asked < 50 || first == 0 || after == 0 {
		t.Errorf("of %d handoffs %.0f waited, and %.0f still when the delivery was sorted", asked, first, after)
	}
	// The librarian's own handoff takes the next turn.
	if resp, _ := s.ask(people.Librarian, "GET", fmt.Sprintf("/api/v1/releases/%d/handoff?tier=source&profile=web_small&wait=25", release), nil); resp.StatusCode == 422 {
		if resp, _ = s.ask(people.Librarian, "GET", fmt.Sprintf("/api/v1/releases/%d/handoff?tier=source&format=exr&wait=25", release), nil); resp.StatusCode != 200 {
			t.Errorf("another person's handoff: %d", resp.StatusCode)
		}
	}
	if left := handoffs(); left == 0 {
		t.Error("another person's handoff came after all of the first one's")
	}
	t.Logf("%d asked for, %.0f waited before the delivery and %.0f after it", asked, first, after)
	// What waits can be cancelled.
	var id string
	for _, j := range s.json(people.Librarian, "GET", "/api/v1/jobs", nil, 200)["items"].([]any) {
		if k := j.(map[string]any); k["kind"] == "handoff" && k["state"] == "running" {
			id = fmt.Sprint(k["id"])
			if k["who"] != string(people.Artist) || k["cancels"] != true || k["about"] == "" {
				t.Errorf("a handoff at work: %v", k)
			}
		}
	}
	if id != "" {
		if resp, body := s.ask(people.Librarian, "POST", "/api/v1/jobs/"+id+"/cancel", nil); resp.StatusCode != 204 && resp.StatusCode != 422 { // it may just have ended
			t.Errorf("cancel it: %d %s", resp.StatusCode, body)
		}
	}
}

// A pack that is larger than what is kept of files that can be made again is finished all the same.
func TestAPackLargerThanWhatIsKept(t *testing.T) {
	s := newStudioOn(t, web.Config{}, 300<<10).withPeople()
	var of []string
	for _, slug := range []string{"slates_round", "jetty_plank", "hull_clinker", "tile_encaustic"} {
		d := s.deliver(scan(t, slug, 64)...)
		r := s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/materials/%v/releases", d["sets"].([]any)[0].(map[string]any)["material_id"]), map[string]any{"notes": "x"}, 201)
		of = append(of, fmt.Sprintf("r%v", r["id"]))
	}
	path := "/api/v1/packs?wait=2&of=" + strings.Join(of, ",")
	var body []byte
	for range 60 {
		resp, data := s.ask(people.Artist, "GET", path, nil)
		if resp.StatusCode == http.StatusOK {
			body = data
			break
		}
		if resp.StatusCode != http.StatusAccepted {
			t.Fatalf("%d %s", resp.StatusCode, data)
		}
	}
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		t.Fatalf("%d bytes: %v", len(body), err)
	}
	if len(body) < 350<<10 {
		t.Fatalf("the pack has %d bytes: it would be kept whole", len(body))
	}
	folders := map[string]bool{}
	for _, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.Copy(io.Discard, r); err != nil { // it checks the sum
			t.Errorf("%s: %v", f.Name, err)
		}
		if parts := strings.Split(f.Name, "/"); len(parts) > 2 {
			folders[parts[1]] = true
		}
	}
	if len(folders) != 4 {
		t.Errorf("%v", folders)
	}
	if mine := s.json(people.Artist, "GET", "/api/v1/takings", nil, 200); mine["total"] != 4.0 {
		t.Errorf("%v downloads are recorded", mine["total"])
	}
}
