package web_test

import (
	"archive/zip"
	"bytes"
	"fmt"
	"strings"
	"testing"
	"time"

	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// Favourites, collections in their order, sharing, export and import, and a pack of one.
func TestCollections(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	s.publish("slates_round")
	s.publish("gravel_pea")
	items := s.json(people.Artist, "GET", "/api/v1/library?sort=name", nil, 200)["items"].([]any)
	ids := []any{items[0].(map[string]any)["material_id"], items[1].(map[string]any)["material_id"]}
	star := func(on bool) {
		t.Helper()
		if res, body := s.ask(people.Artist, "POST", "/api/v1/stars", strings.NewReader(fmt.Sprintf(`{"material_id":%v,"on":%t}`, ids[0], on)), "Content-Type", "application/json"); res.StatusCode != 204 {
			t.Fatalf("%d %s", res.StatusCode, body)
		}
	}
	star(true)
	star(true)
	if n := s.json(people.Artist, "GET", "/api/v1/library?collection=stars", nil, 200)["total"].(float64); n != 1 {
		t.Errorf("%v favourites", n)
	}
	if n := len(s.json(people.Librarian, "GET", "/api/v1/stars", nil, 200)["items"].([]any)); n != 0 {
		t.Error("somebody else's favourites")
	}
	star(false)
	made := s.json(people.Artist, "POST", "/api/v1/collections", map[string]any{"name": "Mill", "colour": "#4f6f33", "items": []any{ids[1], ids[0], ids[1]}}, 201)
	at := fmt.Sprintf("/api/v1/collections/%v", made["id"])
	if made["count"].(float64) != 2 {
		t.Fatalf("%v", made)
	}
	order := func() string {
		var names []string
		for _, k := range s.json(people.Artist, "GET", fmt.Sprintf("/api/v1/library?collection=%v&sort=hand", made["id"]), nil, 200)["items"].([]any) {
			names = append(names, fmt.Sprint(k.(map[string]any)["material_id"]))
		}
		return strings.Join(names, " ")
	}
	if got := order(); got != fmt.Sprintf("%v %v", ids[1], ids[0]) {
		t.Errorf("in the order %s", got)
	}
	s.json(people.Artist, "PATCH", at, map[string]any{"items": ids}, 200, "If-Match", `"1"`)
	s.json(people.Artist, "PATCH", at, map[string]any{"items": ids}, 412, "If-Match", `"1"`)
	if got := order(); got != fmt.Sprintf("%v %v", ids[0], ids[1]) {
		t.Errorf("in the order %s", got)
	}
	s.json(people.Librarian, "GET", at, nil, 404) // it is not shared
	s.json(people.Librarian, "PATCH", at, map[string]any{"name": "x"}, 404)
	s.json(people.Artist, "PATCH", at, map[string]any{"shared": true}, 200)
	s.json(people.Librarian, "GET", at, nil, 200)
	s.json(people.Librarian, "PATCH", at, map[string]any{"name": "x"}, 422) // but the artist's
	s.json(people.Artist, "PATCH", at, map[string]any{"colour": "red"}, 422)
	s.json(people.Artist, "PATCH", at, map[string]any{"name": " "}, 422)
	exported := s.json(people.Librarian, "GET", at+"?download=1", nil, 200)
	exported["materials"] = append(exported["materials"].([]any), map[string]any{"slug": "gone", "name": "Gone"})
	copied := s.json(people.Librarian, "POST", "/api/v1/collections", exported, 201)
	if copied["owner"] != "librarian" || copied["count"].(float64) != 2 || len(copied["missing"].([]any)) != 1 {
		t.Errorf("%v", copied)
	}
	res, body := s.ask(people.Artist, "GET", fmt.Sprintf("/api/v1/packs?collection=%v&profile=web_small&tier=1k", made["id"]), nil)
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if res.StatusCode != 200 || err != nil {
		t.Fatalf("%d %v %.200s", res.StatusCode, err, body)
	}
	var names []string
	for _, f := range z.File {
		names = append(names, f.Name)
	}
	all := strings.Join(names, "\n")
	for _, want := range []string{"mill/contact-sheet.png", "mill/slates-round-r1-source-web-small/slates-round.glb", "mill/gravel-pea-r1-source-web-small/CHECKSUMS.sha256"} {
		if !strings.Contains(all, want) {
			t.Errorf("the pack lacks %s:\n%s", want, all)
		}
	}
	if res, _ := s.ask(people.Artist, "DELETE", at, nil); res.StatusCode != 204 {
		t.Error(res.StatusCode)
	}
	if res, _ := s.ask(people.Artist, "DELETE", at, nil); res.StatusCode != 204 { // it was carried out
		t.Error(res.StatusCode)
	}
	for _, bad := range []string{"collection=x", "collection=999"} {
		if res, _ := s.ask(people.Artist, "GET", "/library?"+bad, nil); res.StatusCode != 422 && res.StatusCode != 404 {
			t.Errorf("%s: %d", bad, res.StatusCode)
		}
	}
}

// A saved search says what is new since it was looked at; tags are added to several releases and taken back.
func TestSearchesAndCorrections(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	first := s.publish("slates_round")
	s.json(people.Artist, "POST", "/api/v1/searches", map[string]any{"name": "Wet ones", "address": "?tag=wet&page=3"}, 201)
	news := func() float64 {
		return s.json(people.Artist, "GET", "/api/v1/searches", nil, 200)["items"].([]any)[0].(map[string]any)["new"].(float64)
	}
	if news() != 0 {
		t.Error("something is new at once")
	}
	second := s.publish("gravel_pea")
	found := func() float64 {
		return s.json(people.Artist, "GET", "/api/v1/library?tag=wet", nil, 200)["total"].(float64)
	}
	s.json(people.Artist, "POST", "/api/v1/corrections", map[string]any{"releases": []int64{first}, "add_tags": []string{"wet"}}, 403)
	was := s.json(people.Librarian, "POST", "/api/v1/corrections", map[string]any{"releases": []int64{first, second}, "add_tags": []string{"wet"}, "licence": "CC0-1.0"}, 200)
	if found() != 2 {
		t.Errorf("%v are wet", found())
	}
	drafts := s.json(people.Librarian, "GET", "/api/v1/materials", nil, 200)["items"].([]any)
	for _, d := range drafts { // the draft follows and is as released
		id := d.(map[string]any)["id"]
		m := s.json(people.Librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", id), nil, 200)
		if tags := fmt.Sprint(m["tags"]); !strings.Contains(tags, "wet") {
			t.Errorf("the draft is tagged %s", tags)
		}
		s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/materials/%v/releases", id), map[string]any{"notes": "x"}, 422)
	}
	s.json(people.Librarian, "POST", "/api/v1/corrections", map[string]any{"restore": was["was"]}, 200)
	if found() != 0 {
		t.Error("tags were not taken back")
	}
	if n := s.json(people.Librarian, "GET", "/api/v1/library?licence=CC0-1.0", nil, 200)["total"].(float64); n == 2 {
		t.Error("the licence was not taken back")
	}
	s.json(people.Librarian, "POST", "/api/v1/corrections", map[string]any{"releases": []int64{}, "add_tags": []string{"x"}}, 422)
	s.json(people.Librarian, "POST", "/api/v1/corrections", map[string]any{"releases": []int64{999}, "add_tags": []string{"x"}}, 404)
}

// Categories are a tree that a lead renames, moves and merges; the Bench suggests tags from the name and from what the
// Library has.
func TestWords(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	first, second := s.publish("slates_round"), s.publish("gravel_pea")
	s.json(people.Librarian, "POST", "/api/v1/corrections", map[string]any{"releases": []int64{first}, "add_categories": []string{"Roof / Slate"}, "add_tags": []string{"Slate"}}, 200)
	s.json(people.Librarian, "POST", "/api/v1/corrections", map[string]any{"releases": []int64{second}, "add_categories": []string{"Ground"}}, 200)
	total := func(category string) float64 {
		return s.json(people.Artist, "GET", "/api/v1/library?category="+strings.ReplaceAll(category, " ", "+"), nil, 200)["total"].(float64)
	}
	if total("Roof") != 1 || total("Roof / Slate") != 1 || total("Ground") != 1 {
		t.Errorf("%v in Roof, %v in Roof / Slate", total("Roof"), total("Roof / Slate"))
	}
	rename := func(from, to string, status int) map[string]any {
		t.Helper()
		return s.json(people.Lead, "POST", "/api/v1/words", map[string]any{"kind": "category", "from": from, "to": to}, status)
	}
	s.json(people.Librarian, "POST", "/api/v1/words", map[string]any{"kind": "category", "from": "Roof", "to": "x"}, 403)
	rename("Nothing", "x", 422)
	rename("Roof", "Roof / Old", 422)
	rename("Roof", " ", 422)
	if rename("Roof", "Building/Roof", 200); total("Building / Roof / Slate") != 1 || total("Building") != 1 || total("Roof") != 0 {
		t.Error("the tree was not moved")
	}
	done := rename("Ground", "Building / Roof", 200)
	if done["merged"] != true || total("Building / Roof") != 2 || total("Ground") != 0 {
		t.Errorf("not merged: %v", done)
	}
	s.json(people.Lead, "POST", "/api/v1/corrections", map[string]any{"restore": done["was"]}, 200)
	if total("Ground") != 1 || total("Building") != 1 {
		t.Error("the merge was not taken back")
	}
	for _, d := range s.json(people.Librarian, "GET", "/api/v1/materials", nil, 200)["items"].([]any) { // the drafts follow
		m := s.json(people.Librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", d.(map[string]any)["id"]), nil, 200)
		if c := fmt.Sprint(m["categories"]); !strings.Contains(c, "Building / Roof / Slate") && !strings.Contains(c, "Ground") {
			t.Errorf("%v is filed under %s", m["name"], c)
		}
	}
	s.page(people.Librarian, "/words")
	d := s.deliver(scan(t, "slates_round", 64)...)
	id := d["sets"].([]any)[0].(map[string]any)["material_id"]
	s.json(people.Librarian, "PATCH", fmt.Sprintf("/api/v1/materials/%v", id), map[string]any{"name": "Old slates in rows"}, 200)
	if page := s.page(people.Librarian, fmt.Sprintf("/bench/%v", id)); !strings.Contains(page, `data-tag="Slate"`) {
		t.Error("the Bench does not suggest the tag that the name has")
	}
	s.json(people.Librarian, "PATCH", fmt.Sprintf("/api/v1/materials/%v", id), map[string]any{"name": "IMG_2041"}, 200)
	if m := s.json(people.Librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", id), nil, 200); !strings.Contains(fmt.Sprint(m), "name_empty") {
		t.Error("a camera's number is no finding")
	}
}

// The owner of a saved search gets one notice of its news, and another only after having looked. A search's own dates
// and its collection hold.
func TestNoticesOfSearches(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	add := func(name, address string) float64 {
		return s.json(people.Artist, "POST", "/api/v1/searches", map[string]any{"name": name, "address": address}, 201)["id"].(float64)
	}
	all := add("Everything", "?sort=newest")
	add("Of long ago", "?released=..1000")
	add("My stars", "?collection=stars")
	notices := func() (says []string) {
		t.Helper()
		if err := s.server.TellSearches(t.Context()); err != nil {
			t.Fatal(err)
		}
		list, err := s.studio.Notices.List(t.Context(), people.As(string(people.Artist), people.Artist), 50)
		if err != nil {
			t.Fatal(err)
		}
		for _, n := range list {
			says = append(says, n.Text)
		}
		return says
	}
	if got := notices(); len(got) != 0 {
		t.Fatalf("told of nothing: %q", got)
	}
	time.Sleep(1100 * time.Millisecond) // releases are dated to the second
	s.publish("slates_round")
	for range 2 {
		if got := notices(); len(got) != 1 || got[0] != "New in your search “Everything”: 1 material." {
			t.Fatalf("%q", got)
		}
	}
	if res, body := s.ask(people.Artist, "POST", fmt.Sprintf("/api/v1/searches/seen?id=%v", all), nil); res.StatusCode != 204 {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	time.Sleep(1100 * time.Millisecond)
	s.publish("gravel_pea")
	if got := notices(); len(got) != 2 || got[0] != got[1] {
		t.Errorf("%q", got)
	}
}

// What somebody has looked at is kept for them alone, the last first.
func TestLookedAtLately(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	ctx, service := t.Context(), s.studio.Collections
	anna, ben := people.As("anna", people.Artist), people.As("ben", people.Artist)
	for _, id := range []int64{3, 5, 3, 7, 7} {
		if err := service.Look(ctx, anna, id); err != nil {
			t.Fatal(err)
		}
		time.Sleep(2 * time.Millisecond)
	}
	program := anna
	program.Token = true
	if err := service.Look(ctx, program, 9); err != nil {
		t.Fatal(err)
	}
	if got, err := service.Recent(ctx, anna, 0); err != nil || fmt.Sprint(got) != "[7 3 5]" {
		t.Errorf("%v, %v", got, err)
	}
	if got, _ := service.Recent(ctx, ben, 0); len(got) != 0 {
		t.Errorf("somebody else's: %v", got)
	}
	for id := range int64(80) {
		if err := service.Look(ctx, ben, 100+id); err != nil {
			t.Fatal(err)
		}
	}
	if got, _ := service.Recent(ctx, ben, 0); len(got) != 60 || len(got) > 0 && got[0] != 179 {
		t.Errorf("%d are kept, %v", len(got), got)
	}
}
