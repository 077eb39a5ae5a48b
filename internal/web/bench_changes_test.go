package web_test

import (
	"bytes"
	"fmt"
	"image/png"
	"math"
	"strings"
	"testing"
	"time"

	"aldermoor/core/colour"
	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// Before a release, the Bench shows what it changes of each map; an artist sees the same on the release's page, and
// may look at its maps as closely as the Bench lets one.
func TestWhatAReleaseChanges(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(scan(t, "slates_round", 64)...)
	id := d["sets"].([]any)[0].(map[string]any)["material_id"]
	path := fmt.Sprintf("/api/v1/materials/%v", id)
	first := s.json(people.Librarian, "POST", path+"/releases", map[string]any{"notes": "x"}, 201)
	s.json(people.Librarian, "POST", path+"/recipe", map[string]any{"kind": "invert", "channel": "roughness"}, 200)
	before := fmt.Sprintf("/changes/r%v/m%v/roughness/", first["id"], id)
	for end := time.Now().Add(20 * time.Second); !strings.Contains(s.page(people.Librarian, fmt.Sprintf("/bench/%v", id)), before+"difference.png"); {
		if time.Now().After(end) {
			t.Fatal("the Bench does not show what has changed")
		}
		time.Sleep(50 * time.Millisecond)
	}
	look := func(as people.Role, path string, want int) []byte {
		t.Helper()
		res, data := s.ask(as, "GET", path, nil)
		if res.StatusCode != want {
			t.Fatalf("%s: %d, want %d", path, res.StatusCode, want)
		}
		return data
	}
	im, err := png.Decode(bytes.NewReader(look(people.Librarian, before+"difference.png?px=64", 200)))
	if err != nil {
		t.Fatal(err)
	}
	coloured := 0
	for y := range im.Bounds().Dy() {
		for x := range im.Bounds().Dx() {
			if r, _, b, _ := im.At(x, y).RGBA(); r > b+0x1000 {
				coloured++
			}
		}
	}
	if coloured == 0 {
		t.Error("a map that was inverted differs nowhere")
	}
	look(people.Librarian, before+"was.jpg?px=64", 200)
	look(people.Librarian, before+"now.jpg?px=64", 200)
	look(people.Artist, before+"now.jpg", 403) // a draft
	look(people.Librarian, before+"else.png", 404)
	second := s.json(people.Librarian, "POST", path+"/releases", map[string]any{"notes": "Inverted."}, 201)
	since := fmt.Sprintf("/changes/r%v/r%v/roughness/difference.png", first["id"], second["id"])
	slug := s.json(people.Librarian, "GET", path, nil, 200)["slug"]
	if page := s.page(people.Artist, fmt.Sprintf("/library/%v", slug)); !strings.Contains(page, since) {
		t.Error("the release's page does not show what it changed")
	}
	look(people.Artist, since, 200)

	at := fmt.Sprintf("/releases/%v/maps/normal", second["id"])
	look(people.Artist, at+"/picture.jpg?px=64", 200)
	look(people.Artist, at+"/exact.png?px=64", 200)
	look(people.Artist, at+"/tile.png?z=0&x=0&y=0", 200)
	if px := s.json(people.Artist, "GET", at+"/pixel?x=3&y=4", nil, 200); len(px["values"].([]any)) != 3 {
		t.Errorf("a pixel of the normals is %v", px)
	}
	height := strings.Replace(at, "normal", "height", 1)
	if cut := s.json(people.Artist, "GET", height+"/section?x0=0&y0=0&x1=1&y1=1&n=50", nil, 200); len(cut["values"].([]any)) != 50 {
		t.Errorf("%v", cut)
	}
	look(people.Artist, strings.Replace(at, "normal", "sheen", 1)+"/exact.png", 404)
	look(people.Artist, "/releases/999/maps/normal/exact.png", 404)
}

// The mean of a disc is in linear light: of one that covers one pixel alone it is that pixel, and a disc over the
// whole map's height is near the map's own mean.
func TestMeanOfADisc(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(scan(t, "slates_round", 64)...)
	path := fmt.Sprintf("/api/v1/materials/%v", d["sets"].([]any)[0].(map[string]any)["material_id"])
	var at string
	var w, h float64
	for _, m := range s.json(people.Librarian, "GET", path, nil, 200)["maps"].([]any) {
		m := m.(map[string]any)
		if m["channel"] == "base_color" {
			at, w, h = fmt.Sprintf("/maps/%v", m["id"]), m["width"].(float64), m["height"].(float64)
		}
	}
	x, y := 7.0, 11.0
	pixel := s.json(people.Librarian, "GET", fmt.Sprintf("%s/pixel?x=%g&y=%g", at, x, y), nil, 200)["values"].([]any)
	mean := s.json(people.Librarian, "GET", fmt.Sprintf("%s/mean?u=%g&v=%g&radius=%g", at, (x+0.5)/w, (y+0.5)/h, 0.4/w), nil, 200)["linear"].([]any)
	for c := range 3 {
		if want := float64(colour.Linear(float32(pixel[c].(float64)))); math.Abs(mean[c].(float64)-want) > 1e-3 {
			t.Errorf("component %d of one pixel is %v, want %.4f", c, mean[c], want)
		}
	}
	for _, bad := range []string{"u=2&v=0.5&radius=0.1", "u=0.5&v=0.5&radius=0", "u=0.5&v=0.5&radius=9", "u=0.5&v=nan&radius=0.1"} {
		if res, _ := s.ask(people.Librarian, "GET", at+"/mean?"+bad, nil); res.StatusCode != 422 {
			t.Errorf("%s: %d", bad, res.StatusCode)
		}
	}
	if res, _ := s.ask(people.Artist, "GET", at+"/mean?u=0.5&v=0.5&radius=0.1", nil); res.StatusCode != 403 {
		t.Errorf("an artist picks from a draft: %d", res.StatusCode)
	}
}
