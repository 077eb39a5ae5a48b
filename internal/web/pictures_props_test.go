package web_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/raster"
	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

// tile is a square of a metre with texture coordinates, as a model.
const tile = "v -0.5 -0.5 0\nv 0.5 -0.5 0\nv 0.5 0.5 0\nv -0.5 0.5 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"

// finish is a plain material of the studio's.
func (s *running) finish(kind string) int64 {
	s.t.Helper()
	made := s.json(people.Librarian, "POST", "/api/v1/finishes", map[string]any{"kind": kind}, 201)
	return int64(made["items"].([]any)[0].(map[string]any)["id"].(float64))
}

func backdrop(t *testing.T, r, g, b uint16) []byte {
	im := raster.New(8, 8, 3, 8)
	for i := range 64 {
		im.Ints(0)[i], im.Ints(1)[i], im.Ints(2)[i] = r*257, g*257, b*257
	}
	var out bytes.Buffer
	if err := codec.EncodePNG(&out, im, codec.PNGOptions{SRGB: true}); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// A mesh and a backdrop are uploaded, stand in a picture, and are removed by their uploader or a lead.
func TestProps(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	id := s.finish("matt-paint")
	send := func(kind, name string, data []byte, status int) map[string]any {
		t.Helper()
		res, body := s.ask(people.Artist, "POST", "/api/v1/"+kind+"?name="+url.QueryEscape(name), bytes.NewReader(data), "Content-Type", "application/octet-stream")
		if res.StatusCode != status {
			t.Fatalf("%s: %d %s", name, res.StatusCode, body)
		}
		var out map[string]any
		json.Unmarshal(body, &out)
		return out
	}
	mesh := send("meshes", "Floor tile.obj", []byte(tile), 201)
	if mesh["title"] != "Floor tile" || mesh["size_m"] != 1.0 {
		t.Errorf("%v", mesh)
	}
	drop := send("backdrops", "wall.png", backdrop(t, 30, 90, 200), 201)
	for name, want := range map[string]string{"a.obj": "could not be read: it has no triangles", "b.obj": "line 1", "c.stl": ".obj, .gltf or .glb"} {
		got := send("meshes", name, []byte(map[string]string{"a.obj": "", "b.obj": "v one two three", "c.stl": "solid"}[name]), 422)
		if !strings.Contains(fmt.Sprint(got["detail"]), want) {
			t.Errorf("%s: %v, want %q", name, got["detail"], want)
		}
	}
	send("backdrops", "no.png", []byte("not a picture"), 422)

	res, _ := s.ask(people.Artist, "GET", fmt.Sprintf("/api/v1/materials/%d/picture.png?shape=%s&background=%s&px=64&pitch=0&zoom=0.7", id, mesh["id"], drop["id"]), nil)
	if res.StatusCode != 404 && res.StatusCode != 403 { // a draft is not for artists
		t.Errorf("an artist sees a draft: %d", res.StatusCode)
	}
	res, data := s.ask(people.Librarian, "GET", fmt.Sprintf("/api/v1/materials/%d/picture.png?shape=%s&background=%s&px=64&pitch=0&zoom=0.7", id, mesh["id"], drop["id"]), nil)
	if res.StatusCode != 200 {
		t.Fatalf("%d %s", res.StatusCode, data)
	}
	im, _, err := codec.Decode(data, codec.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	at := func(x, y int) [3]int {
		return [3]int{int(im.Ints(0)[y*64+x] / 257), int(im.Ints(1)[y*64+x] / 257), int(im.Ints(2)[y*64+x] / 257)}
	}
	if got := at(2, 2); got != [3]int{30, 90, 200} {
		t.Errorf("the backdrop is %v", got)
	}
	if got := at(32, 32); got[2] > got[0]+30 || got[0] < 60 {
		t.Errorf("grey paint on the mesh is %v", got)
	}

	href := fmt.Sprintf("/api/v1/meshes/%s", strings.TrimPrefix(fmt.Sprint(mesh["id"]), "own-"))
	if res, body := s.ask(people.Librarian, "DELETE", href, nil, "If-Match", `"1"`); res.StatusCode != 403 {
		t.Errorf("somebody else removes it: %d %s", res.StatusCode, body)
	}
	if res, body := s.ask(people.Artist, "DELETE", href, nil, "If-Match", `"1"`); res.StatusCode != 204 {
		t.Errorf("its uploader: %d %s", res.StatusCode, body)
	}
	// Numbers are not used again: a kept picture would show another mesh.
	again := send("meshes", "Floor tile.obj", []byte(tile), 201)
	if again["id"] == mesh["id"] {
		t.Errorf("%v came back", again["id"])
	}
}

// Somebody who asks for a large picture that cannot be made is told why.
func TestLargePictureIsRefused(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	id := s.finish("matt-paint")
	path := fmt.Sprintf("/api/v1/materials/%d/picture.png?quality=reference&px=512&samples=64&channel=opacity", id)
	for start := time.Now(); ; time.Sleep(20 * time.Millisecond) {
		res, body := s.ask(people.Librarian, "GET", path, nil)
		if res.StatusCode == 202 && time.Since(start) < 20*time.Second {
			continue
		}
		if res.StatusCode != 422 || !strings.Contains(string(body), "has no map of opacity") {
			t.Fatalf("%d %s", res.StatusCode, body)
		}
		break
	}
}

// A plain finish is released, shown and taken like any other material: it has figures instead of maps.
func TestAPlainFinishIsReleased(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	for _, kind := range []string{"brass", "glass", "mantle", "enamel"} {
		id := s.finish(kind)
		r := s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/materials/%d/releases", id), map[string]any{"notes": "First."}, 201, "If-Match", "*")
		slug := s.json(people.Artist, "GET", "/api/v1/library?q="+kind, nil, 200)["items"].([]any)[0].(map[string]any)["slug"]
		for _, path := range []string{"/library", fmt.Sprintf("/library/%v", slug), fmt.Sprintf("/library/%v/cost?tier=source", slug), fmt.Sprintf("/api/v1/releases/%v/swatch.png?px=64", r["id"]), fmt.Sprintf("/api/v1/releases/%v/ball.png?px=64", r["id"])} {
			if res, body := s.ask(people.Artist, "GET", path, nil); res.StatusCode != 200 {
				t.Errorf("%s: %s: %d %.300s", kind, path, res.StatusCode, body)
			}
		}
		res, data := s.ask(people.Artist, "GET", fmt.Sprintf("/api/v1/releases/%v/handoff?tier=source&wait=20", r["id"]), nil)
		if res.StatusCode != 200 {
			t.Fatalf("%s: %d %.300s", kind, res.StatusCode, data)
		}
		z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		if err != nil {
			t.Fatal(err)
		}
		var names []string
		for _, f := range z.File {
			names = append(names, f.Name)
		}
		list := strings.Join(names, " ")
		for _, ending := range []string{".gltf", ".mtlx", ".usda", "material.json"} {
			if !strings.Contains(list, ending) {
				t.Errorf("%s: the handoff has no %s: %s", kind, ending, list)
			}
		}
	}
	if f := s.json(people.Artist, "GET", "/api/v1/library?q=brass", nil, 200); f["total"] != 1.0 {
		t.Errorf("%v found", f["total"])
	}
}
