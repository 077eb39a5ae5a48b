package web_test

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/codec/exr"
	"aldermoor/core/raster"
	"aldermoor/core/station"
	"aldermoor/internal/library/people"
	"aldermoor/internal/web"
)

const librarian = people.Librarian

// channelsOf is what each file of a delivery is taken for, and where its set stands.
func channelsOf(d map[string]any) map[string]string {
	out := map[string]string{}
	for _, s := range d["sets"].([]any) {
		set := s.(map[string]any)
		for _, m := range set["maps"].([]any) {
			p := m.(map[string]any)
			out[p["file"].(string)] = fmt.Sprintf("%s %.3f %s", p["channel"], p["confidence"], set["stage"])
		}
		for _, u := range set["unassigned"].([]any) {
			out[u.(string)] = "nowhere " + set["stage"].(string)
		}
	}
	return out
}

func mapOf(d map[string]any, ending string) (material, id string) {
	for _, s := range d["sets"].([]any) {
		set := s.(map[string]any)
		for _, m := range set["maps"].([]any) {
			if p := m.(map[string]any); strings.HasSuffix(p["file"].(string), ending) {
				return fmt.Sprint(set["material_id"]), fmt.Sprint(p["id"])
			}
		}
	}
	return "", ""
}

// Whatever is decided can be undone to the last figure, and done again, in any order that decisions were taken in.
func TestDecisionsAreUndoneExactly(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	var files []station.File
	for _, slug := range []string{"slates_round", "quarry_glazed", "rubble_limewash"} {
		files = append(files, scan(t, slug, 48)...)
	}
	d := s.deliver(files...)
	href := "/api/v1/deliveries/1"
	states := []map[string]string{channelsOf(d)}
	now := func() map[string]string { return channelsOf(s.json(librarian, "GET", href, nil, 200)) }
	material, rough := mapOf(d, "slates_round_roughness.png")
	_, height := mapOf(d, "slates_round_height.png")
	other, _ := mapOf(d, "quarry_glazed_height.png")
	id := func(text string) int64 { v, _ := strconv.ParseInt(text, 10, 64); return v }
	for _, do := range []func(){
		func() {
			s.json(librarian, "PUT", "/api/v1/materials/"+material+"/maps/"+rough, map[string]any{"channel": "metallic"}, 200)
		},
		func() {
			s.json(librarian, "PUT", "/api/v1/materials/"+material+"/maps/"+height, map[string]any{"channel": "metallic"}, 200)
		},
		func() {
			s.json(librarian, "POST", "/api/v1/maps/"+rough+"/like", map[string]any{"material": id(material), "channel": "glossiness"}, 200)
		},
		func() { s.json(librarian, "POST", href+"/accept", map[string]any{"sure": true}, 200) },
		func() {
			s.json(librarian, "POST", href+"/leave", map[string]any{"materials": []int64{id(material)}}, 200)
		},
		func() {
			s.json(librarian, "POST", href+"/leave", map[string]any{"materials": []int64{id(other)}, "undo": true}, 200)
		},
	} {
		do()
		states = append(states, now())
		if fmt.Sprint(states[len(states)-1]) == fmt.Sprint(states[len(states)-2]) {
			t.Fatalf("step %d changed nothing", len(states)-1)
		}
	}
	steps := s.json(librarian, "GET", href+"/steps", nil, 200)["items"].([]any) // the latest first
	if len(steps) != len(states)-1 {
		t.Fatalf("%d steps are recorded of %d", len(steps), len(states)-1)
	}
	turn := func(step any, way string, status int) map[string]any {
		t.Helper()
		return s.json(librarian, "POST", fmt.Sprintf("/api/v1/steps/%v/%s", step.(map[string]any)["id"], way), nil, status)
	}
	// One that others build on is refused, and names what does.
	if p := turn(steps[len(steps)-1], "undo", 422); !strings.Contains(fmt.Sprint(p["detail"]), "came after it") {
		t.Errorf("%v", p)
	}
	for i := len(states) - 2; i >= 0; i-- {
		step := steps[len(states)-2-i]
		turn(step, "undo", 200)
		if got, want := fmt.Sprint(now()), fmt.Sprint(states[i]); got != want {
			t.Fatalf("undone to step %d:\n%s\nwant\n%s", i, got, want)
		}
		turn(step, "undo", 200) // said again it changes nothing
		if fmt.Sprint(now()) != fmt.Sprint(states[i]) {
			t.Fatalf("step %d was undone twice", i)
		}
	}
	for i := 1; i < len(states); i++ {
		turn(steps[len(steps)-i], "redo", 200)
		if fmt.Sprint(now()) != fmt.Sprint(states[i]) {
			t.Fatalf("done again to step %d: %v", i, now())
		}
	}
	s.json(librarian, "POST", "/api/v1/steps/999/undo", nil, 404)
	s.json(librarian, "POST", href+"/accept", map[string]any{"materials": []int64{999}}, 404)
	elsewhere := s.deliver(scan(t, "sailcloth", 48)...)
	stranger, _ := mapOf(elsewhere, "_height.png")
	s.json(librarian, "POST", href+"/accept", map[string]any{"materials": []int64{id(stranger)}}, 422)
}

func TestACorrectionForAllWarnsAndBecomesARule(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	var files []station.File
	for _, slug := range []string{"slates_round", "quarry_glazed"} {
		for _, f := range scan(t, slug, 48) {
			f.Name = strings.Replace(strings.Replace(f.Name, "_roughness.", "_qq.", 1), "_normal.", "_vv.", 1)
			files = append(files, f)
		}
	}
	d := s.deliver(files...)
	_, base := mapOf(d, "slates_round_basecolor.png")
	// To call every base colour a normal map is against all pixels: it says so.
	like := s.json(librarian, "GET", "/api/v1/maps/"+base+"/like?channel=normal", nil, 200)
	if w := like["warnings"].([]any); len(w) != 2 || !strings.Contains(w[0].(string), "unit vectors") {
		t.Errorf("warnings: %v", w)
	}
	if like["ending"] != "basecolor" {
		t.Errorf("ending %v", like["ending"])
	}
	for want, body := range map[int]map[string]any{422: {"ending": "two words", "channel": "roughness"}, 201: {"ending": "QQ", "channel": "roughness"}} {
		s.json(librarian, "POST", "/api/v1/rules", body, want)
	}
	if d = s.deliver(files...); len(d["sets"].([]any)) != 2 {
		t.Fatalf("%d sets", len(d["sets"].([]any)))
	}
	for file, is := range channelsOf(d) {
		if strings.HasSuffix(file, "_qq.png") && !strings.HasPrefix(is, "roughness 0.9") && !strings.HasPrefix(is, "roughness 1") {
			t.Errorf("%s is %s in spite of the rule", file, is)
		}
	}
	// A rule that pixels plainly deny leaves a doubt.
	s.json(librarian, "POST", "/api/v1/rules", map[string]any{"ending": "vv", "channel": "roughness"}, 201)
	for file, is := range channelsOf(s.deliver(files...)) {
		if strings.HasSuffix(file, "_vv.png") && strings.HasPrefix(is, "roughness 0.9") {
			t.Errorf("%s is surely %s against its pixels", file, is)
		}
	}
	rules := s.json(librarian, "GET", "/api/v1/rules", nil, 200)["items"].([]any)
	if len(rules) != 2 {
		t.Fatalf("%v", rules)
	}
	path := fmt.Sprintf("/api/v1/rules/%v", rules[0].(map[string]any)["id"])
	s.json(librarian, "PUT", path, map[string]any{"ending": "qq", "channel": "occlusion"}, 200)
	if resp, _ := s.ask(librarian, "DELETE", path, nil); resp.StatusCode != 204 {
		t.Errorf("%d", resp.StatusCode)
	}
	s.json(librarian, "DELETE", path, nil, 404)
	s.json(librarian, "PUT", path, map[string]any{"ending": "qq", "channel": "occlusion"}, 404)
}

// Each layer of a file is a map of its own, all the way to the handoff.
func TestLayersOfOneFileAreMaps(t *testing.T) {
	data, err := os.ReadFile(filepath.Join("..", "..", "core", "codec", "exr", "testdata", "layers.exr"))
	if err != nil {
		t.Fatal(err)
	}
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(station.File{Name: "wall.exr", Data: data})
	if failed := d["failed"].([]any); len(failed) > 0 {
		t.Fatal(failed)
	}
	set := d["sets"].([]any)[0].(map[string]any)
	layers := map[string]any{}
	for _, m := range set["maps"].([]any) {
		p := m.(map[string]any)
		layers[fmt.Sprint(p["layer"])] = p["channel"]
	}
	if layers["roughness"] != "roughness" {
		t.Errorf("%v", layers)
	}
	for _, m := range set["maps"].([]any) {
		resp, data := s.ask(librarian, "GET", fmt.Sprintf("/maps/%v/exact.png?px=64", m.(map[string]any)["id"]), nil)
		if resp.StatusCode != 200 || len(data) < 200 {
			t.Errorf("%v: %d", m, resp.StatusCode)
		}
	}
}

func TestUploadsInPieces(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	files := scan(t, "slates_round", 48)
	tus := []string{"Tus-Resumable", "1.0.0"}
	var ids []string
	for _, f := range files {
		meta := "path " + b64(f.Name)
		resp, body := s.ask(librarian, "POST", "/api/v1/uploads", nil, append(tus, "Upload-Length", fmt.Sprint(len(f.Data)), "Upload-Metadata", meta)...)
		if resp.StatusCode != 201 {
			t.Fatalf("%d %s", resp.StatusCode, body)
		}
		at := resp.Header.Get("Location")
		at = at[strings.LastIndex(at, "/api/"):]
		half := len(f.Data) / 2
		s.ask(librarian, "PATCH", at, bytes.NewReader(f.Data[:half]), append(tus, "Upload-Offset", "0", "Content-Type", "application/offset+octet-stream")...)
		id := at[strings.LastIndexByte(at, '/')+1:]
		if resp, _ := s.ask(librarian, "HEAD", at, nil, tus...); resp.Header.Get("Upload-Offset") != fmt.Sprint(half) {
			t.Errorf("%s: %q has arrived", f.Name, resp.Header.Get("Upload-Offset"))
		}
		// Half a file is no file.
		if _, body := s.ask(librarian, "POST", "/api/v1/deliveries", strings.NewReader(`{"uploads":["`+id+`"]}`), "Content-Type", "application/json"); !bytes.Contains(body, []byte("has not arrived whole")) {
			t.Errorf("%s", body)
		}
		s.ask(librarian, "PATCH", at, bytes.NewReader(f.Data[half:]), append(tus, "Upload-Offset", fmt.Sprint(half), "Content-Type", "application/offset+octet-stream")...)
		ids = append(ids, `"`+id+`"`)
	}
	body := `{"uploads":[` + strings.Join(ids, ",") + `],"station":"Quay Rig","name":"In pieces"}`
	if resp, data := s.ask(librarian, "POST", "/api/v1/deliveries", strings.NewReader(body), "Content-Type", "application/json"); resp.StatusCode != 202 {
		t.Fatalf("%d %s", resp.StatusCode, data)
	}
	// Taken once, they are gone; what is no id finds nothing.
	for _, again := range []string{body, `{"uploads":["../aldermoor.db"]}`} {
		if resp, data := s.ask(librarian, "POST", "/api/v1/deliveries", strings.NewReader(again), "Content-Type", "application/json"); resp.StatusCode != 422 || !bytes.Contains(data, []byte("not known")) {
			t.Errorf("%d %s", resp.StatusCode, data)
		}
	}
	for range 3000 {
		if d := s.json(librarian, "GET", "/api/v1/deliveries/1", nil, 200); d["state"] == "sorted" {
			if maps := d["sets"].([]any)[0].(map[string]any)["maps"].([]any); len(maps) != len(files) || d["name"] != "In pieces" {
				t.Errorf("%d maps of %d", len(maps), len(files))
			}
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Error("never sorted")
}

// A thousand damaged files among ten good sets: the sets arrive, each damaged file gets its sentence, and memory
// stays bounded.
func TestAThousandDamagedFiles(t *testing.T) {
	if testing.Short() {
		t.Skip("takes half a minute")
	}
	s := newStudio(t, web.Config{}).withPeople()
	rng := rand.New(rand.NewPCG(3, 5))
	var files, good []station.File
	for i, slug := range []string{"slates_round", "quarry_glazed", "rubble_limewash", "jetty_plank", "tile_encaustic", "mudflat_ripple", "bank_shingle", "thatch_reed", "hurdle_willow", "sailcloth"} {
		all := scan(t, slug, 48)
		files = append(files, all...)
		if i < 9 {
			good = append(good, all...)
		}
	}
	im := raster.NewFloat(40, 40, 3, 32)
	for i := range 1600 {
		im.Floats(0)[i], im.Floats(1)[i] = float32(i%40)/40, float32(i)/1600
	}
	var b bytes.Buffer
	if err := exr.Encode(&b, im, exr.Options{Type: exr.Half, Compression: exr.ZIP}); err != nil {
		t.Fatal(err)
	}
	good = append(good, station.File{Name: "a.exr", Data: b.Bytes()})
	damaged := map[string]bool{}
	for i := 0; len(damaged) < 1000; i++ {
		f := good[rng.IntN(len(good))]
		ext := filepath.Ext(f.Name)
		if ext == ".json" || ext == ".txt" || ext == ".jpg" {
			continue
		}
		data := bytes.Clone(f.Data)
		switch i % 5 {
		case 0: // cut
			data = data[:rng.IntN(len(data)*9/10)]
		case 1: // a header that lies, with its checksum made to fit for none
			for k := 8; k < min(40, len(data)); k++ {
				data[k] ^= byte(rng.IntN(256))
			}
		case 2: // bytes flipped early and late
			for range 40 {
				data[rng.IntN(len(data))] ^= byte(1 + rng.IntN(255))
			}
		case 3: // noise under a picture's ending
			for k := range data {
				data[k] = byte(rng.IntN(256))
			}
		case 4: // nothing
			data = nil
		}
		name := fmt.Sprintf("damaged/%04d/x%s", len(damaged), ext)
		files = append(files, station.File{Name: name, Data: data})
		damaged[name] = true
	}
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	d := s.deliver(files...)
	runtime.ReadMemStats(&after)
	if grown := int64(after.Sys) - int64(before.Sys); grown > 1<<30 {
		t.Errorf("memory grew by %d MB", grown>>20)
	}
	said := map[string]string{}
	for _, f := range d["failed"].([]any) {
		m := f.(map[string]any)
		said[m["file"].(string)] = m["error"].(string)
	}
	sets := map[string]bool{}
	arrived := 0
	for _, x := range d["sets"].([]any) {
		set := x.(map[string]any)
		whole := false
		for _, m := range set["maps"].([]any) {
			file := m.(map[string]any)["file"].(string)
			whole = whole || !strings.HasPrefix(file, "damaged/")
			sets[file] = true
		}
		for _, u := range set["unassigned"].([]any) {
			sets[u.(string)] = true
		}
		for _, a := range set["attachments"].([]any) {
			sets[a.(map[string]any)["file"].(string)] = true
		}
		if whole {
			arrived++
		}
	}
	if arrived != 10 {
		t.Errorf("%d of 10 good sets arrived", arrived)
	}
	survivors := 0
	for name := range damaged {
		switch says := said[name]; {
		case says == "" && !sets[name]:
			t.Errorf("%s was lost in silence", name)
		case says == "":
			survivors++ // flipped where nothing guards it: still a picture
		case !strings.Contains(says, name) || strings.Contains(says, "EOF") || strings.Contains(says, "panic"):
			t.Errorf("%s: %s", name, says)
		}
	}
	if survivors > 100 {
		t.Errorf("%d of 1000 damaged files were taken for sound", survivors)
	}
	t.Logf("%d damaged files named, %d still readable", len(damaged)-survivors, survivors)
}

func b64(s string) string { return base64.StdEncoding.EncodeToString([]byte(s)) }

func TestAScanThatIsHereAlreadyIsKnown(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	first := s.deliver(scan(t, "slates_round", 64)...)
	set := first["sets"].([]any)[0].(map[string]any)
	id := fmt.Sprint(set["material_id"])
	s.json(librarian, "PATCH", "/api/v1/materials/"+id, map[string]any{"name": "Hung slates"}, 200)
	s.json(librarian, "POST", "/api/v1/materials/"+id+"/releases", map[string]any{"notes": "First."}, 201)
	page := func(delivery int) string {
		return s.opened(librarian, delivery)
	}

	// The same files again.
	s.deliver(scan(t, "slates_round", 64)...)
	if !strings.Contains(page(2), "These files are here already, in Hung slates.") {
		t.Error("the same files were not known")
	}
	// Another material is not.
	s.deliver(scan(t, "quarry_glazed", 64)...)
	if p := page(3); strings.Contains(p, "here already") || strings.Contains(p, "is the scan of") {
		t.Error("another material was taken for known")
	}
	// The same scan, twice as large: offered as a new state of the material.
	var large []station.File
	for _, f := range scan(t, "slates_round", 64) {
		f.Data = enlarged(t, f.Data)
		large = append(large, f)
	}
	d := s.deliver(large...)
	if p := page(4); !strings.Contains(p, "This is the scan of Hung slates, but larger (128 px against 64).") || !strings.Contains(p, `data-known="new_version"`) {
		t.Fatal("the larger tier was not known")
	}
	again := fmt.Sprint(d["sets"].([]any)[0].(map[string]any)["material_id"])
	width := func() any {
		m := s.json(librarian, "GET", "/api/v1/materials/"+id, nil, 200)
		return fmt.Sprint(m["maps"].([]any)[0].(map[string]any)["width"], " ", m["name"], " ", m["changed"])
	}
	if w := width(); w != "64 Hung slates false" {
		t.Fatal(w)
	}
	for range 2 { // said twice it is taken once; the older word is understood
		s.json(librarian, "POST", "/api/v1/materials/"+again+"/known", map[string]any{"take": "new_version"}, 200)
		s.json(librarian, "POST", "/api/v1/materials/"+again+"/known", map[string]any{"take": "new_state"}, 200)
		if w := width(); w != "128 Hung slates true" {
			t.Errorf("after taking the new version: %v", w)
		}
	}
	s.json(librarian, "POST", "/api/v1/materials/"+again+"/known", map[string]any{"take": "separate"}, 422) // settled already
	r := s.json(librarian, "POST", "/api/v1/materials/"+id+"/releases", map[string]any{"notes": "Scanned at twice the size."}, 201)
	if r["number"] != 2.0 {
		t.Errorf("%v", r)
	}
	// It is a step: undone the draft has what it had, redone it has the new version.
	step := s.json(librarian, "GET", "/api/v1/materials/"+id+"/steps", nil, 200)["items"].([]any)[0].(map[string]any)
	turn := func(way, want string) {
		t.Helper()
		s.json(librarian, "POST", fmt.Sprintf("/api/v1/steps/%v/%s", step["id"], way), nil, 200)
		if w := width(); w != want {
			t.Errorf("after %s: %v", way, w)
		}
	}
	if step["kind"] != "known" {
		t.Fatalf("%v", step)
	}
	turn("undo", "64 Hung slates true")
	// The prints went with the maps: the smaller files are those of the material again.
	if known := s.json(librarian, "GET", "/api/v1/deliveries/4", nil, 200)["sets"].([]any)[0].(map[string]any)["known"]; known == nil || fmt.Sprint(known.(map[string]any)["material_id"]) != id {
		t.Errorf("known as %v", known)
	}
	turn("redo", "128 Hung slates true")
	turn("undo", "64 Hung slates true")
	for range 2 {
		s.json(librarian, "POST", "/api/v1/materials/"+again+"/known", map[string]any{"take": "separate"}, 200)
	}
	if p := page(4); strings.Contains(p, "is the scan of") {
		t.Error("it is still taken for known")
	}
	// A set that was left out does not hide the material.
	s.json(librarian, "POST", "/api/v1/deliveries/4/leave", map[string]any{"materials": []any{d["sets"].([]any)[0].(map[string]any)["material_id"]}}, 200)
	s.deliver(large...)
	if p := page(5); !strings.Contains(p, "This is the scan of Hung slates") {
		t.Error("what was left out hides the material")
	}
}

// A smaller tier of a scan that is here is kept with it, and a part of one is told as such.
func TestASmallerTierAndAPartAreKnown(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	// jetty planks and tiles repeat themselves; rubble does not.
	whole := scan(t, "rubble_limewash", 256)
	first := s.deliver(whole...)["sets"].([]any)[0].(map[string]any)
	id := fmt.Sprint(first["material_id"])
	deliver := func(change func(raster.Plane) raster.Plane) (set, page string) {
		var files []station.File
		for _, f := range whole {
			if strings.HasSuffix(f.Name, ".png") {
				f.Data = remade(t, f.Data, change)
				files = append(files, f)
			}
		}
		d := s.deliver(files...)
		return fmt.Sprint(d["sets"].([]any)[0].(map[string]any)["material_id"]), s.opened(librarian, d["id"])
	}
	tiers := func() (n int) {
		for _, a := range s.json(librarian, "GET", "/api/v1/materials/"+id, nil, 200)["attachments"].([]any) {
			if a.(map[string]any)["kind"] == "lower_tier" {
				n++
			}
		}
		return n
	}

	tier, page := deliver(func(p raster.Plane) raster.Plane { return p.Resample(p.W/2, p.H/2, raster.Area) })
	if !strings.Contains(page, "but smaller (128 px against 256).") || !strings.Contains(page, `data-known="tier"`) || strings.Contains(page, `data-known="new_version"`) {
		t.Fatal("the smaller tier is not offered as one")
	}
	for range 2 { // said twice it is kept once
		want := len(first["maps"].([]any))
		s.json(librarian, "POST", "/api/v1/materials/"+tier+"/known", map[string]any{"take": "tier"}, 200)
		if n := tiers(); n != want {
			t.Errorf("%d smaller files are kept, want %d", n, want)
		}
	}
	s.json(librarian, "POST", "/api/v1/materials/"+id+"/known", map[string]any{"take": "tier"}, 422)

	part, page := deliver(func(p raster.Plane) raster.Plane {
		out := raster.NewPlane(p.W*3/5, p.H*3/5)
		for y := range out.H {
			copy(out.Row(y), p.Row(y + p.H/4)[p.W/5:])
		}
		return out
	})
	says := regexp.MustCompile(`This is a part of the scan of [^:]+: (\d+) % of its width, (\d+) % of its height\.`).FindStringSubmatch(page)
	if says == nil {
		t.Fatal("the part is not known")
	}
	for _, n := range says[1:] {
		if v, _ := strconv.Atoi(n); v < 57 || v > 63 {
			t.Errorf("%s", says[0])
		}
	}
	if !strings.Contains(page, `class="part"`) {
		t.Error("the part is not shown on the whole")
	}
	s.json(librarian, "POST", "/api/v1/materials/"+part+"/known", map[string]any{"take": "tier"}, 422)
	s.json(librarian, "POST", "/api/v1/materials/"+part+"/known", map[string]any{"take": "separate"}, 200)
}

// enlarged is a PNG at twice its size.
func enlarged(t *testing.T, data []byte) []byte {
	t.Helper()
	return remade(t, data, func(p raster.Plane) raster.Plane { return p.Resample(2*p.W, 2*p.H, raster.Area) })
}

// remade is a PNG with its components changed.
func remade(t *testing.T, data []byte, change func(raster.Plane) raster.Plane) []byte {
	t.Helper()
	im, in, err := codec.Decode(data, codec.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	var planes []raster.Plane
	for c := range im.Components() {
		planes = append(planes, change(im.Plane(c)))
	}
	var b bytes.Buffer
	if err := codec.EncodePNG(&b, raster.FromPlanes(planes...).Quantise(in.Bits), codec.PNGOptions{}); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestAFailedFileIsSentAgainAlone(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	files := scan(t, "slates_round", 48)
	i := 0
	for k, f := range files {
		if strings.HasSuffix(f.Name, "_normal.png") {
			i = k
		}
	}
	whole := files[i].Data
	files[i].Data = whole[:len(whole)/2]
	d := s.deliver(files...)
	if len(d["failed"].([]any)) != 1 {
		t.Fatalf("%v", d["failed"])
	}
	material, rough := mapOf(d, "_roughness.png")
	s.json(librarian, "PUT", "/api/v1/materials/"+material+"/maps/"+rough, map[string]any{"channel": "mask"}, 200) // a decision that must stay
	put := func(path string, data []byte) (int, string) {
		resp, body := s.ask(librarian, "PUT", "/api/v1/deliveries/1/file?path="+path, bytes.NewReader(data), "Content-Type", "application/octet-stream")
		return resp.StatusCode, string(body)
	}
	for path, says := range map[string]string{"nowhere.png": "No file called", files[(i+1)%len(files)].Name: "without trouble", "": "Say which"} {
		if code, body := put(path, whole); code != 422 || !strings.Contains(body, says) {
			t.Errorf("%q: %d %s", path, code, body)
		}
	}
	settled := func() map[string]any {
		for range 3000 {
			if d := s.json(librarian, "GET", "/api/v1/deliveries/1", nil, 200); d["state"] == "sorted" {
				return d
			}
			time.Sleep(20 * time.Millisecond)
		}
		t.Fatal("never sorted again")
		return nil
	}
	// Still damaged: it is said again, and nothing else changes.
	if code, body := put(files[i].Name, whole[:99]); code != 202 {
		t.Fatal(code, body)
	}
	if d = settled(); len(d["failed"].([]any)) != 1 || len(d["sets"].([]any)) != 1 {
		t.Errorf("%v", d["failed"])
	}
	if code, body := put(files[i].Name, whole); code != 202 {
		t.Fatal(code, body)
	}
	d = settled()
	got := channelsOf(d)
	if len(d["failed"].([]any)) != 0 || len(d["sets"].([]any)) != 1 || !strings.HasPrefix(got[files[i].Name], "normal ") {
		t.Errorf("%v %v", d["failed"], got)
	}
	for file, is := range got {
		if strings.HasSuffix(file, "_roughness.png") && !strings.HasPrefix(is, "mask") {
			t.Errorf("the decision on %s was lost: %s", file, is)
		}
	}
}

// opened is the page of a delivery with its first set's row open.
func (s *running) opened(as people.Role, delivery any) (all string) {
	d := s.json(as, "GET", fmt.Sprintf("/api/v1/deliveries/%v", delivery), nil, 200)
	set := d["sets"].([]any)[0].(map[string]any)["material_id"]
	for _, show := range []string{"check", "ready", "left", "done"} {
		all += s.page(as, fmt.Sprintf("/intake/%v?show=%s&open=%v", delivery, show, set))
	}
	return all
}
