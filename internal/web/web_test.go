package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"log/slog"
	"math"
	"math/rand/v2"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"aldermoor/core/station"
	"aldermoor/internal/blob"
	"aldermoor/internal/jobs"
	"aldermoor/internal/library"
	"aldermoor/internal/library/people"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/store"
	"aldermoor/internal/web"
)

// itself is who sets up the tests.
var itself = people.Command("test")

// running is a whole running application on a folder of its own.
type running struct {
	*httptest.Server
	t      *testing.T
	studio *studio.Studio
	tokens map[people.Role]string
	server *web.Server
	db     *store.Store
	disk   *blob.Disk
	queue  *jobs.Queue
}

func newStudio(t *testing.T, cfg web.Config) *running { return newStudioOn(t, cfg, 0) }

// newStudioOn is newStudio with so many bytes of derived files; 0 for the usual.
func newStudioOn(t *testing.T, cfg web.Config, derived int64) *running {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	log := slog.New(slog.DiscardHandler)
	if testing.Verbose() {
		log = slog.New(slog.NewTextHandler(os.Stderr, nil))
	}
	dir := t.TempDir()
	db, err := store.Open(ctx, dir)
	if err != nil {
		t.Fatal(err)
	}
	disk, err := blob.Open(dir, derived)
	if err != nil {
		t.Fatal(err)
	}
	q := jobs.New(db.DB(), db.Reads(), log)
	svc := studio.New(studio.Config{Store: db, Blobs: disk.Blobs, Derived: disk.Derived, Scratch: disk.Scratch, Log: log, Wake: q.Wake, Jobs: q.Waiting, Demo: cfg.Demo,
		Cancel: q.Cancel, Ending: q.Cancelling, Lanes: func() (list []studio.Lane, running map[string]int) {
			lanes, running := q.Lanes()
			for _, l := range lanes {
				list = append(list, studio.Lane(l))
			}
			return list, running
		}})
	for kind, h := range svc.Handlers() {
		q.Handle(kind, h)
	}
	q.OnFailure(svc.JobFailed)
	q.OnPerson(func(ctx context.Context, who, lane string) context.Context {
		return studio.Context(ctx, who, lane, jobs.GiveBack, q.Busy)
	})
	var lanes []jobs.Lane
	for _, l := range studio.Lanes(2) {
		lanes = append(lanes, jobs.Lane(l))
	}
	q.SetLanes(lanes)
	if err := <-svc.Search.Load(ctx); err != nil {
		t.Fatal(err)
	}
	done := make(chan struct{})
	go func() { q.Run(ctx, 2); close(done) }()
	if cfg.TokenRate == 0 {
		cfg.TokenRate = -1 // tests ask as fast as they can
	}
	cfg.Studio, cfg.Sessions, cfg.Repeats, cfg.Log, cfg.Uploads = svc, db.Sessions(), db.Repeats(), log, filepath.Join(dir, "uploads")
	s, err := web.New(cfg)
	if err != nil {
		t.Fatal(err)
	}
	st := &running{httptest.NewServer(s.Handler()), t, svc, map[people.Role]string{}, s, db, disk, q}
	t.Cleanup(func() {
		st.CloseClientConnections()
		st.Close()
		cancel()
		<-done
		db.Close()
	})
	return st
}

// withPeople adds an account and a token for each role.
func (s *running) withPeople() *running {
	s.t.Helper()
	for _, r := range people.Roles() {
		if _, err := s.studio.People.AddUser(s.t.Context(), itself, string(r), "a long password", r); err != nil {
			s.t.Fatal(err)
		}
		token, _, err := s.studio.People.NewToken(s.t.Context(), itself, string(r), "test", people.ScopeAdminister, 0)
		if err != nil {
			s.t.Fatal(err)
		}
		s.tokens[r] = token
	}
	return s
}

// ask makes a request as somebody ("" for nobody) and returns status and body.
func (s *running) ask(as people.Role, method, path string, body io.Reader, headers ...string) (*http.Response, []byte) {
	s.t.Helper()
	r, err := http.NewRequest(method, s.URL+path, body)
	if err != nil {
		s.t.Fatal(err)
	}
	if as != "" {
		r.Header.Set("Authorization", "Bearer "+s.tokens[as])
	}
	if method != "GET" && method != "HEAD" {
		r.Header.Set("If-Match", "*") // unless a test names a version, or none
	}
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
		if headers[i+1] == "" {
			r.Header.Del(headers[i])
		}
	}
	c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	resp, err := c.Do(r)
	if err != nil {
		s.t.Fatal(err)
	}
	defer resp.Body.Close()
	if strings.HasPrefix(resp.Header.Get("Content-Type"), "text/event-stream") {
		return resp, nil
	}
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		s.t.Fatal(err)
	}
	return resp, data
}

func (s *running) json(as people.Role, method, path string, body any, want int, headers ...string) map[string]any {
	s.t.Helper()
	var r io.Reader
	if body != nil {
		b, _ := json.Marshal(body)
		r = bytes.NewReader(b)
	}
	resp, data := s.ask(as, method, path, r, headers...)
	if resp.StatusCode != want {
		s.t.Fatalf("%s %s: %d, want %d: %s", method, path, resp.StatusCode, want, data)
	}
	var out map[string]any
	if err := json.Unmarshal(data, &out); err != nil {
		s.t.Fatalf("%s %s: %v: %.200s", method, path, err, data)
	}
	return out
}

func multi(files ...station.File) (io.Reader, string) {
	var b bytes.Buffer
	w := multipart.NewWriter(&b)
	for _, f := range files {
		p, _ := w.CreateFormFile("file", f.Name)
		p.Write(f.Data)
	}
	w.WriteField("station", "Test Rig")
	w.Close()
	return &b, w.FormDataContentType()
}

// deliver sends files and waits until they are sorted.
func (s *running) deliver(files ...station.File) map[string]any {
	s.t.Helper()
	body, kind := multi(files...)
	resp, data := s.ask(people.Librarian, "POST", "/api/v1/deliveries", body, "Content-Type", kind)
	if resp.StatusCode != http.StatusAccepted {
		s.t.Fatalf("deliver: %d: %s", resp.StatusCode, data)
	}
	var out struct{ Href string }
	json.Unmarshal(data, &out)
	for range 2400 {
		d := s.json(people.Librarian, "GET", out.Href, nil, 200)
		if d["state"] == "sorted" || d["state"] == "failed" {
			return d
		}
		time.Sleep(50 * time.Millisecond)
	}
	s.t.Fatal("the delivery was never sorted")
	return nil
}

func scan(t *testing.T, slug string, px int) []station.File {
	t.Helper()
	for _, m := range station.Materials() {
		if m.Slug == slug {
			files, err := station.NewWriter().Files(station.Take(m, station.Options{Px: px, Seed: 1}), slug)
			if err != nil {
				t.Fatal(err)
			}
			return files
		}
	}
	t.Fatalf("no material %q", slug)
	return nil
}

// address is a route's path with things in it that exist.
func address(path string) string {
	path = regexp.MustCompile(`:([\w-]+)`).ReplaceAllStringFunc(path, func(p string) string {
		return map[string]string{":slug": "slates-round", ":channel": "normal.jpg", ":sign-in": "none"}[p]
	})
	path = strings.ReplaceAll(strings.ReplaceAll(path, "//", "/1/"), "*", "none")
	if strings.HasSuffix(path, "/") && path != "/" {
		path += "1"
	}
	return path
}

// Every route, asked by everybody: who is let in must be exactly who the table says.
func TestEveryRouteWithEveryRole(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(scan(t, "slates_round", 64)...)
	id := int(d["sets"].([]any)[0].(map[string]any)["material_id"].(float64))
	s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/materials/%d/releases", id), map[string]any{"notes": "x"}, 201)
	nobody, all := people.Role(""), append([]people.Role{""}, people.Roles()...)
	for _, r := range web.RoutesForTest() {
		path := address(r.Path)
		if strings.Contains(path, "/tokens/") || strings.HasSuffix(path, "/reset") {
			path = strings.Replace(path, "/1/", "/9999/", 1) // those of this test go on
		}
		for _, as := range all {
			resp, data := s.ask(as, r.Method, path, strings.NewReader("{}"), "Content-Type", "application/json")
			in := resp.StatusCode != http.StatusUnauthorized && resp.StatusCode != http.StatusForbidden
			if as == nobody && resp.StatusCode == http.StatusSeeOther && strings.HasPrefix(resp.Header.Get("Location"), "/?to=") {
				in = false
			}
			if path == "/sign-in" || path == "/new-password" {
				in = true // it answers 401 to wrong passwords
			}
			// A token may do what its account may, but for managing the account itself.
			want := as != nobody && people.As(string(as), as).May(people.Right(r.Right)) || r.Right == string(people.Anyone)
			if in != want {
				t.Errorf("%s %s as %q: %d, let in %v, want %v", r.Method, path, as, resp.StatusCode, in, want)
			}
			if resp.StatusCode >= 500 {
				t.Errorf("%s %s as %q: %d %s", r.Method, path, as, resp.StatusCode, data)
			}
		}
	}
}

// Whatever figures a request has: no answer of the server's own failing, and no end of it.
func TestAbsurdFiguresOnEveryRoute(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(scan(t, "slates_round", 64)...)
	s.json(librarian, "POST", fmt.Sprintf("/api/v1/materials/%v/releases", d["sets"].([]any)[0].(map[string]any)["material_id"]), map[string]any{"notes": "x"}, 201)
	figures := []string{"36028797018963964", "-1", "9223372036854775807", "-9223372036854775808", "1e308", "-1e308", "NaN", "Inf", "1e-320", "0", "00", "0x10", "1,5", "%00", "%ff%fe", "%F0%9F%90%9A", "%27%22%3C", strings.Repeat("9", 400), "4294967296", "2147483648", "1e9", "0.3"}
	names := []string{"z", "x", "y", "ev", "c", "px", "n", "x0", "y0", "x1", "y1", "extent_m", "page", "release", "q", "category", "tag", "channel", "sort", "min_width_m", "extent", "across", "down", "tier", "normal", "roughness", "format", "wait", "path", "after", "actor", "action", "text", "facet", "to", "lens", "map", "v"}
	rng := rand.New(rand.NewPCG(5, 8))
	pick := func(of []string) string { return of[rng.IntN(len(of))] }
	asked := 0
	check := func(method, path, body string) {
		t.Helper()
		kind := "application/json"
		if rng.IntN(4) == 0 {
			kind = "application/x-www-form-urlencoded"
		}
		resp, data := s.ask(people.Administrator, method, path, strings.NewReader(body), "Content-Type", kind)
		asked++
		if resp.StatusCode >= 500 {
			t.Errorf("%s %s with %q: %d %s", method, path, body, resp.StatusCode, data)
		}
		if method == "GET" && resp.StatusCode != http.StatusAccepted && !strings.HasPrefix(resp.Header.Get("Content-Type"), "text/event-stream") {
			if head, _ := s.ask(people.Administrator, "HEAD", path, nil); head.StatusCode != resp.StatusCode {
				t.Errorf("HEAD %s: %d, GET: %d", path, head.StatusCode, resp.StatusCode)
			}
		}
	}
	check("GET", "/maps/1/tile.png?z=0&x=36028797018963964&y=0", "")
	check("GET", "/library?q=%00", "")
	for _, r := range web.RoutesForTest() {
		if r.Method == "HEAD" {
			continue
		}
		base := address(r.Path)
		for range 25 {
			path := base
			if strings.Contains(r.Path, ":") && rng.IntN(3) == 0 {
				path = strings.Replace(path, "/1", "/"+pick(figures), 1)
			}
			var query []string
			for range 1 + rng.IntN(5) {
				query = append(query, pick(names)+"="+pick(figures))
			}
			if strings.HasSuffix(path, "/handoff") || strings.Contains(path, "/files/") || strings.HasSuffix(path, "/manifest") {
				query = append(query, "wait=0")
			}
			field := func() string {
				return fmt.Sprintf(`"%s":%s`, pick([]string{"width_m", "height_m", "depth_m", "zero", "materials", "channel", "take", "name", "tags", "strength", "pixels", "metres", "overlap", "steps", "kind", "densities", "line", "module_a_m", "paused", "uploads", "notes", "id", "severities"}),
					pick([]string{"1e308", "-1", "0", "null", "[]", "[1e300]", `"\u0000"`, `"999999999999 km"`, "{}", "9223372036854775808", `[{"id":-1,"version":9e18}]`, `"x"`, "true", `{"x0":1e300,"y0":-1e300,"x1":0,"y1":0,"length_m":1e-300}`}))
			}
			check(r.Method, path+"?"+strings.Join(query, "&"), "{"+field()+","+field()+"}")
		}
	}
	s.json(librarian, "GET", "/api/v1/deliveries/1", nil, 200) // it is there still
	t.Logf("%d requests", asked)
}

// A write without a version is refused, and one for an old version too; nothing is changed
// by either.
func TestEveryWriteNamesItsVersion(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(scan(t, "slates_round", 64)...)
	id := fmt.Sprint(d["sets"].([]any)[0].(map[string]any)["material_id"])
	path := "/api/v1/materials/" + id
	changes := 0
	for _, r := range web.RoutesForTest() {
		if !r.Versioned {
			if r.Method != "GET" && strings.Contains(r.Path, ":id") && !strings.Contains(r.Path, "steps") && !strings.HasPrefix(r.Path, "/you") && !strings.HasPrefix(strings.TrimPrefix(r.Path, "/api/v1"), "/jobs") && !strings.Contains(r.Path, "/messages/:id/retry") && !strings.Contains(r.Path, "/tokens/:id/revoke") && r.Path != "/deleted/:kind/:id" && !strings.HasSuffix(r.Path, "/trial.png") { // a job's id names one attempt; a trial changes nothing
				t.Errorf("%s %s changes something that exists and asks for no version", r.Method, r.Path)
			}
			continue
		}
		changes++
		if resp, _ := s.ask(people.Administrator, r.Method, address(r.Path), strings.NewReader("{}"), "Content-Type", "application/json", "If-Match", ""); resp.StatusCode != http.StatusPreconditionRequired {
			t.Errorf("%s %s without a version: %d", r.Method, r.Path, resp.StatusCode)
		}
	}
	if changes < 18 {
		t.Errorf("only %d routes ask for a version", changes)
	}
	m := s.json(librarian, "GET", path, nil, 200)
	seen := fmt.Sprintf(`"%v"`, m["version"])
	s.json(librarian, "PATCH", path, map[string]any{"name": "First"}, 200, "If-Match", seen)
	mapID := fmt.Sprint(m["maps"].([]any)[0].(map[string]any)["id"])
	for what, body := range map[string]any{"PATCH " + path: map[string]any{"name": "Second"}, "POST " + path + "/releases": map[string]any{"notes": "x"}, "PUT " + path + "/maps/" + mapID: map[string]any{"channel": "mask"},
		"POST " + path + "/recipe": map[string]any{"kind": "renormalise"}, "PUT " + path + "/recipe": map[string]any{"steps": []any{map[string]any{"kind": "renormalise"}}}, "POST " + path + "/known": map[string]any{"take": "separate"},
		"POST /api/v1/deliveries/1/accept": map[string]any{"ready": true}, "POST /api/v1/deliveries/1/leave": map[string]any{"materials": []any{m["id"]}}} {
		method, at, _ := strings.Cut(what, " ")
		s.json(librarian, method, at, body, 412, "If-Match", `"1"`)
	}
	now := s.json(librarian, "GET", path, nil, 200)
	if now["name"] != "First" || now["released"] != 0.0 || now["stage"] != "sorted" || len(now["recipe"].([]any)) != 0 {
		t.Errorf("a stale write came through: %v", now)
	}
	// A set named with its version is taken only as it was seen.
	one := func(version any) map[string]any {
		return map[string]any{"materials": []any{map[string]any{"id": m["id"], "version": version}}}
	}
	s.json(librarian, "POST", "/api/v1/deliveries/1/accept", one(m["version"]), 412)
	s.json(librarian, "POST", "/api/v1/deliveries/1/accept", one(now["version"]), 200)
	// Said again it changes nothing.
	was := s.json(librarian, "GET", path, nil, 200)["version"]
	s.json(librarian, "POST", "/api/v1/deliveries/1/accept", map[string]any{"materials": []any{m["id"]}}, 200)
	if now := s.json(librarian, "GET", path, nil, 200)["version"]; now != was {
		t.Errorf("accepting twice made version %v of %v", now, was)
	}
}

// Several materials are changed as one step, or none if one was changed meanwhile; and each is
// released on its own.
func TestManyAtOnce(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	var seen []map[string]any
	for _, slug := range []string{"hull_clinker", "mudflat_ripple", "slates_round"} {
		d := s.deliver(scan(t, slug, 64)...)
		id := d["sets"].([]any)[0].(map[string]any)["material_id"]
		s.json(librarian, "POST", fmt.Sprintf("/api/v1/deliveries/%v/accept", d["id"]), map[string]any{"materials": []any{id}}, 200)
		m := s.json(librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", id), nil, 200)
		seen = append(seen, map[string]any{"id": id, "version": m["version"]})
	}
	list := s.json(librarian, "GET", "/api/v1/materials?show=unreleased&sort=name", nil, 200)
	if list["total"] != 3.0 || len(list["items"].([]any)) != 3 {
		t.Fatalf("%v", list)
	}
	change := map[string]any{"add_tags": []string{"Coast", "coast"}, "licence": "CC0-1.0", "width_m": "2 m"}
	done := s.json(librarian, "PATCH", "/api/v1/materials", map[string]any{"materials": seen, "change": change}, 200)
	for i, k := range done["materials"].([]any) {
		m := s.json(librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", seen[i]["id"]), nil, 200)
		if !slices.Contains(m["tags"].([]any), any("coast")) || m["licence"] != "CC0-1.0" || m["width_m"] != 2.0 || m["version"] != k.(map[string]any)["version"] {
			t.Errorf("%v", m)
		}
	}
	if list := s.json(librarian, "GET", "/api/v1/materials?q=COAST&per=2", nil, 200); list["total"] != 3.0 || len(list["items"].([]any)) != 2 {
		t.Errorf("by tag: %v of %v", len(list["items"].([]any)), list["total"])
	}
	// With old versions nothing is changed, not even of those that could be.
	half := []any{done["materials"].([]any)[0], seen[1]}
	s.json(librarian, "PATCH", "/api/v1/materials", map[string]any{"materials": half, "change": map[string]any{"remove_tags": []string{"coast"}}}, 412)
	if m := s.json(librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", seen[0]["id"]), nil, 200); !slices.Contains(m["tags"].([]any), any("coast")) {
		t.Error("one of two was changed")
	}
	for _, bad := range []map[string]any{{"materials": []any{}, "change": change}, {"materials": done["materials"], "change": map[string]any{}}, {"materials": []any{map[string]any{"id": seen[0]["id"]}}, "change": change}} {
		s.json(librarian, "PATCH", "/api/v1/materials", bad, 422)
	}
	// One undo takes all of it back.
	s.json(librarian, "POST", fmt.Sprintf("/api/v1/steps/%v/undo", done["step"]), nil, 200)
	var now []any
	for _, k := range seen {
		m := s.json(librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", k["id"]), nil, 200)
		if slices.Contains(m["tags"].([]any), any("coast")) || m["width_m"] == 2.0 {
			t.Errorf("after undoing: %v", m)
		}
		now = append(now, map[string]any{"id": k["id"], "version": m["version"]})
	}
	now[2].(map[string]any)["version"] = 1
	// What a release would do is said without doing it: what is refused, and what is open by the studio's severities.
	would := s.json(librarian, "POST", "/api/v1/releases", map[string]any{"materials": now, "notes": "together", "dry_run": true}, 200)
	if len(would["releases"].([]any)) != 0 || len(would["refused"].([]any)) != 1 || len(would["open"].([]any)) != 3 || !strings.Contains(fmt.Sprint(would["open"]), "No category severity:warn") {
		t.Errorf("%v", would)
	}
	if m := s.json(librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", seen[0]["id"]), nil, 200); m["released"] != 0.0 {
		t.Errorf("looking has released %v", m["released"])
	}
	// A name that another material has is said before a release, and where it is typed, in every script.
	for i, name := range []string{"Щебень", "ЩЕБЕНЬ"} {
		at := fmt.Sprintf("/api/v1/materials/%v", seen[i]["id"])
		was := s.json(librarian, "GET", at, nil, 200)["name"]
		now[i].(map[string]any)["version"] = s.json(librarian, "PATCH", at, map[string]any{"name": name}, 200)["version"]
		if i == 0 {
			continue
		}
		would := s.json(librarian, "POST", "/api/v1/releases", map[string]any{"materials": now[:2], "dry_run": true}, 200)
		if strings.Count(fmt.Sprint(would["open"]), "Name taken severity:warn") != 2 {
			t.Errorf("two of one name: %v", would["open"])
		}
		if page := s.page(librarian, fmt.Sprintf("/bench/%v", seen[i]["id"])); !strings.Contains(page, "also the name of") {
			t.Error("the Bench does not say that a name is taken")
		}
		now[i].(map[string]any)["version"] = s.json(librarian, "PATCH", at, map[string]any{"name": was}, 200)["version"]
	}
	st := s.json(people.Lead, "GET", "/api/v1/standards", nil, 200)
	st["severities"] = map[string]any{"category_missing": "stop"}
	s.json(people.Lead, "PUT", "/api/v1/standards", st, 200, "If-Match", "*")
	if no := s.json(librarian, "POST", "/api/v1/releases", map[string]any{"materials": now[:1]}, 200); !strings.Contains(fmt.Sprint(no["refused"]), "It is in no category") {
		t.Errorf("a stop lets %v through", no)
	}
	st["severities"] = map[string]any{}
	s.json(people.Lead, "PUT", "/api/v1/standards", st, 200, "If-Match", "*")
	made := s.json(librarian, "POST", "/api/v1/releases", map[string]any{"materials": now, "notes": "together"}, 200)
	if len(made["releases"].([]any)) != 2 || len(made["refused"].([]any)) != 1 {
		t.Errorf("%v", made)
	}
	s.json(people.Artist, "PATCH", "/api/v1/materials", map[string]any{"materials": now, "change": change}, 403)
	s.json(librarian, "GET", "/api/v1/materials?show=lost", nil, 422)
	// Small letters find large ones in every script.
	s.json(librarian, "PATCH", fmt.Sprintf("/api/v1/materials/%v", seen[0]["id"]), map[string]any{"name": "Щебень ÄRÖ"}, 200)
	if list := s.json(librarian, "GET", "/api/v1/materials?q="+url.QueryEscape("щебень äRö"), nil, 200); list["total"] != 1.0 {
		t.Errorf("by a name in Cyrillic: %v", list["total"])
	}
	s.json(librarian, "POST", "/api/v1/releases", map[string]any{"materials": []any{}}, 422)
	for query, want := range map[string]float64{"text=6+ft+2+in": 1.8796, "kind=share&text=25+%25": 0.25} {
		if l := s.json(people.Artist, "GET", "/api/v1/figures?"+query, nil, 200); math.Abs(l["value"].(float64)-want) > 1e-9 {
			t.Errorf("%s is %v", query, l)
		}
	}
	s.json(people.Artist, "GET", "/api/v1/figures?text=wide", nil, 422)
	if d := s.json(librarian, "GET", "/api/v1/deliveries?q=nowhere", nil, 200); d["total"] != 0.0 {
		t.Errorf("%v", d)
	}
}

// The OpenAPI document and the routes must tell the same.
func TestOpenAPIMatchesRoutes(t *testing.T) {
	s := newStudio(t, web.Config{})
	doc := s.json("", "GET", "/api/v1/openapi.json", nil, 200)
	written := map[string]bool{}
	for path, ops := range doc["paths"].(map[string]any) {
		for method := range ops.(map[string]any) {
			written[strings.ToUpper(method)+" "+path] = true
		}
	}
	for _, r := range web.RoutesForTest() {
		if !strings.HasPrefix(r.Path, "/api/") {
			continue
		}
		key := r.Method + " " + strings.Replace(regexp.MustCompile(`:(\w+)`).ReplaceAllString(r.Path, "{$1}"), "*", "{path}", 1)
		if !written[key] {
			t.Errorf("%s is not described", key)
		}
		delete(written, key)
	}
	for key := range written {
		t.Errorf("%s is described but does not exist", key)
	}
	// Every schema that is referred to exists.
	text, _ := json.Marshal(doc)
	schemas := doc["components"].(map[string]any)["schemas"].(map[string]any)
	for _, m := range regexp.MustCompile(`#/components/schemas/(\w+)`).FindAllSubmatch(text, -1) {
		if schemas[string(m[1])] == nil {
			t.Errorf("there is no schema %s", m[1])
		}
	}
}

// What the API answers must have exactly the keys that the document says.
func TestAnswersMatchTheirSchemas(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	doc := s.json("", "GET", "/api/v1/openapi.json", nil, 200)
	schemas := doc["components"].(map[string]any)["schemas"].(map[string]any)
	keys := func(name string, v any, optional ...string) {
		t.Helper()
		props := schemas[name].(map[string]any)["properties"].(map[string]any)
		for k := range v.(map[string]any) {
			if props[k] == nil {
				t.Errorf("%s has a key %q that is not described", name, k)
			}
		}
		for k := range props {
			if _, ok := v.(map[string]any)[k]; !ok && !slices.Contains(optional, k) {
				t.Errorf("%s lacks the key %q", name, k)
			}
		}
	}
	d := s.deliver(scan(t, "hull_clinker", 64)...)
	keys("Delivery", d, "error")
	set := d["sets"].([]any)[0].(map[string]any)
	keys("Set", set, "unassigned_reasons")
	keys("Map", set["maps"].([]any)[0], "span", "shared", "curve", "swapped", "zero")
	id := set["material_id"]
	m := s.json(people.Librarian, "GET", fmt.Sprintf("/api/v1/materials/%v", id), nil, 200)
	keys("Material", m, "step")
	r := s.json(people.Librarian, "POST", fmt.Sprintf("/api/v1/materials/%v/releases", id), map[string]any{}, 201)
	keys("Release", r, "material")
	whole := s.json(people.Artist, "GET", r["href"].(string), nil, 200)
	keys("Release", whole)
	l := s.json(people.Artist, "GET", "/api/v1/library?q=hull", nil, 200)
	keys("Card", l["items"].([]any)[0])
	rows := s.json(people.Librarian, "GET", "/api/v1/deliveries", nil, 200)
	keys("DeliveryRow", rows["items"].([]any)[0])
}

func TestFromDeliveryToHandoff(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	d := s.deliver(scan(t, "mudflat_ripple", 128)...)
	set := d["sets"].([]any)[0].(map[string]any)
	if set["size"].(map[string]any)["width_m"] != 3.2 || len(set["maps"].([]any)) != 5 {
		t.Fatalf("%v", set)
	}
	path := fmt.Sprintf("/api/v1/materials/%v", set["material_id"])
	m := s.json(people.Librarian, "GET", path, nil, 200)
	version := fmt.Sprintf(`"%v"`, m["version"])
	change := map[string]any{"name": "Mud with ripples", "tags": []string{"Mud", "wet", "mud"}, "width_m": "320 cm", "height_m": 2.4, "contact_class": "soft mud"}
	m = s.json(people.Librarian, "PATCH", path, change, 200, "If-Match", version)
	if m["name"] != "Mud with ripples" || fmt.Sprint(m["tags"]) != "[mud wet]" || m["width_m"] != 3.2 || m["size_source"] != "typed" {
		t.Errorf("%v", m)
	}
	// The version is used up.
	p := s.json(people.Librarian, "PATCH", path, map[string]any{"name": "x"}, 412, "If-Match", version)
	if !strings.Contains(p["detail"].(string), "changed since you loaded it") {
		t.Errorf("%v", p)
	}
	if p := s.json(people.Librarian, "PATCH", path, map[string]any{"width_m": "wide"}, 422); !strings.Contains(p["detail"].(string), "wide") {
		t.Errorf("%v", p)
	}
	r1 := s.json(people.Librarian, "POST", path+"/releases", map[string]any{"notes": "first"}, 201)
	s.json(people.Librarian, "POST", path+"/releases", map[string]any{"notes": "again"}, 422) // nothing has changed
	s.json(people.Librarian, "PATCH", path, map[string]any{"name": "Mud, changed"}, 200)
	// The release stays as it was.
	was := s.json(people.Artist, "GET", r1["href"].(string), nil, 200)["material"].(map[string]any)
	if was["name"] != "Mud with ripples" {
		t.Errorf("release 1 is now called %v", was["name"])
	}
	r2 := s.json(people.Librarian, "POST", path+"/releases", map[string]any{"notes": "second"}, 201)
	if r2["number"] != 2.0 {
		t.Errorf("%v", r2)
	}
	l := s.json(people.Artist, "GET", "/api/v1/library?q=chan", nil, 200)
	if l["total"] != 1.0 {
		t.Errorf("found %v", l["total"])
	}
	resp, zip := s.ask(people.Artist, "GET", fmt.Sprintf("/api/v1/releases/%v/handoff?tier=source&normal=y%%2B", r2["id"]), nil)
	if resp.StatusCode != 200 || !bytes.HasPrefix(zip, []byte("PK")) || !strings.Contains(resp.Header.Get("Content-Disposition"), "mudflat-ripple-r2-source.zip") {
		t.Errorf("handoff: %d, %v", resp.StatusCode, resp.Header)
	}
	for _, path := range []string{fmt.Sprintf("/api/v1/releases/%v/swatch.png?extent_m=1&px=64", r2["id"]), fmt.Sprintf("/api/v1/releases/%v/ball.png?px=64", r2["id"])} {
		resp, data := s.ask(people.Artist, "GET", path, nil)
		im, err := png.Decode(bytes.NewReader(data))
		if resp.StatusCode != 200 || err != nil || im.Bounds().Dx() != 64 {
			t.Errorf("%s: %d, %v", path, resp.StatusCode, err)
		}
	}
	for _, bad := range []string{"handoff?tier=3k", "handoff?normal=z", "swatch.png?extent_m=0", "swatch.png?px=99999", "handoff?format=psd"} {
		if resp, _ := s.ask(people.Artist, "GET", fmt.Sprintf("/api/v1/releases/%v/%s", r2["id"], bad), nil); resp.StatusCode != 422 {
			t.Errorf("%s: %d", bad, resp.StatusCode)
		}
	}
}

func TestCorrectionsMoveChannels(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	var b bytes.Buffer
	grey := image.NewGray(image.Rect(0, 0, 32, 32))
	for i := range grey.Pix {
		grey.Pix[i] = uint8(i * 7)
	}
	png.Encode(&b, grey)
	files := append(scan(t, "slates_round", 64), station.File{Name: "slates_round/slates_round_zz.png", Data: b.Bytes()})
	set := s.deliver(files...)["sets"].([]any)[0].(map[string]any)
	if len(set["unassigned"].([]any)) != 1 {
		t.Fatalf("%v", set["unassigned"])
	}
	ids := map[string]any{}
	for _, m := range set["maps"].([]any) {
		ids[m.(map[string]any)["channel"].(string)] = m.(map[string]any)["id"]
	}
	path := fmt.Sprintf("/api/v1/materials/%v/maps/%v", set["material_id"], ids["roughness"])
	m := s.json(people.Librarian, "PUT", path, map[string]any{"channel": "occlusion"}, 200)
	got := map[string]string{}
	for _, x := range m["maps"].([]any) {
		got[x.(map[string]any)["channel"].(string)] = x.(map[string]any)["file"].(string)
	}
	if !strings.HasSuffix(got["occlusion"], "_roughness.png") || got["roughness"] != "" || len(m["unassigned"].([]any)) != 2 {
		t.Errorf("%v, unassigned %v", got, m["unassigned"])
	}
	if !strings.Contains(fmt.Sprint(m["findings"]), "missing_roughness") {
		t.Errorf("the missing roughness was not noticed: %v", m["findings"])
	}
	s.json(people.Librarian, "PUT", path, map[string]any{"channel": "wetness"}, 422)
}

func TestBadFilesAreNamedAndTheOthersGoOn(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	good := scan(t, "slates_round", 64)
	d := s.deliver(append(good, station.File{Name: "slates_round/slates_round_metallic.png", Data: good[0].Data[:200]},
		station.File{Name: "slates_round/x_opacity.png", Data: []byte("not a picture")}, station.File{Name: "broken.zip", Data: []byte("PK\x03\x04 but no more")})...)
	failed := d["failed"].([]any)
	if len(failed) != 3 {
		t.Fatalf("%v", failed)
	}
	for _, f := range failed {
		m := f.(map[string]any)
		if !strings.Contains(m["error"].(string), m["file"].(string)) {
			t.Errorf("the sentence does not name its file: %v", m)
		}
	}
	if n := len(d["sets"].([]any)[0].(map[string]any)["maps"].([]any)); n != len(good) {
		t.Errorf("%d of %d good maps arrived", n, len(good))
	}
	body, kind := multi(station.File{Name: "../../evil.png", Data: good[0].Data})
	if resp, data := s.ask(people.Librarian, "POST", "/api/v1/deliveries", body, "Content-Type", kind); resp.StatusCode != 422 || !bytes.Contains(data, []byte("leads out")) {
		t.Errorf("%d %s", resp.StatusCode, data)
	}
	if resp, _ := s.ask(people.Librarian, "POST", "/api/v1/deliveries", strings.NewReader("x"), "Content-Type", "text/plain"); resp.StatusCode != 415 {
		t.Errorf("%d", resp.StatusCode)
	}
}

func (s *running) signIn(name, password string) (*http.Response, string) {
	resp, body := s.ask("", "POST", "/sign-in", strings.NewReader(url.Values{"name": {name}, "password": {password}}.Encode()), "Content-Type", "application/x-www-form-urlencoded")
	return resp, string(body)
}

func TestSigningIn(t *testing.T) {
	s := newStudio(t, web.Config{Secure: true}).withPeople()
	resp, _ := s.signIn("artist", "a long password")
	c := resp.Cookies()
	if resp.StatusCode != 303 || len(c) != 1 || !c[0].HttpOnly || !c[0].Secure || c[0].SameSite != http.SameSiteLaxMode {
		t.Errorf("%d, %v", resp.StatusCode, c)
	}
	if resp, body := s.signIn("artist", "wrong"); resp.StatusCode != 401 || !strings.Contains(body, "do not go together") {
		t.Errorf("%d", resp.StatusCode)
	}
	if resp, body := s.signIn("nobody at all", "wrong"); resp.StatusCode != 401 || !strings.Contains(body, "do not go together") {
		t.Errorf("a name that does not exist gives itself away: %d", resp.StatusCode)
	}
	for range 5 {
		s.signIn("lead", "wrong")
	}
	if resp, _ = s.signIn("lead", "a long password"); resp.StatusCode != 429 {
		t.Errorf("guessing was not slowed down: %d", resp.StatusCode)
	}
}

func TestRequestsFromOtherSitesAreRefused(t *testing.T) {
	s := newStudio(t, web.Config{Demo: true}).withPeople()
	for _, h := range [][]string{{"Sec-Fetch-Site", "cross-site"}, {"Origin", "http://elsewhere.example"}} {
		resp, _ := s.ask("", "POST", "/sign-in", strings.NewReader("name=artist"), append(h, "Content-Type", "application/x-www-form-urlencoded")...)
		if resp.StatusCode != http.StatusForbidden {
			t.Errorf("%v: %d", h, resp.StatusCode)
		}
	}
}

func TestSetUpNeedsTheCode(t *testing.T) {
	s := newStudio(t, web.Config{SetupCode: "SECRETCODE"})
	post := func(code, name, password string) int {
		resp, _ := s.ask("", "POST", "/setup", strings.NewReader(url.Values{"code": {code}, "name": {name}, "password": {password}}.Encode()), "Content-Type", "application/x-www-form-urlencoded")
		return resp.StatusCode
	}
	if resp, _ := s.ask("", "GET", "/", nil); resp.Header.Get("Location") != "/setup" {
		t.Errorf("%v", resp.Header)
	}
	for _, c := range []struct {
		code, name, password string
		want                 int
	}{{"WRONG", "ada", "a long password", 422}, {"SECRETCODE", "ada", "short", 422}, {"SECRETCODE", "ada", "a long password", 303}, {"SECRETCODE", "eve", "a long password", 404}} {
		if got := post(c.code, c.name, c.password); got != c.want {
			t.Errorf("%v: %d", c, got)
		}
	}
}

func TestPagesCarryStrictHeaders(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	for _, path := range []string{"/", "/library", "/intake", "/bench", "/you", "/people", "/nowhere"} {
		resp, body := s.ask(people.Administrator, "GET", path, nil)
		csp := resp.Header.Get("Content-Security-Policy")
		if !strings.Contains(csp, "default-src 'none'") || strings.Contains(csp, "unsafe") {
			t.Errorf("%s: %q", path, csp)
		}
		if regexp.MustCompile(`<script(?:[^>]*)>[^<]`).Match(body) || regexp.MustCompile(`\sstyle="|\son\w+="`).Match(body) {
			t.Errorf("%s has inline script or style", path)
		}
	}
}

func TestPeopleKeepAnAdministrator(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	users, err := s.studio.People.Users(t.Context(), itself)
	if err != nil {
		t.Fatal(err)
	}
	for _, u := range users {
		if u.Role == people.Administrator {
			if err := s.studio.People.ChangeUser(t.Context(), itself, library.Seen{ID: u.ID}, people.Artist, false); err == nil {
				t.Error("the last administrator was taken away")
			}
		}
		if u.Role == people.Artist {
			if err := s.studio.People.ChangeUser(t.Context(), itself, library.Seen{ID: u.ID}, people.Artist, true); err != nil {
				t.Error(err)
			}
		}
	}
	if resp, _ := s.ask(people.Artist, "GET", "/api/v1/library", nil); resp.StatusCode != 401 {
		t.Errorf("a closed account's token still works: %d", resp.StatusCode)
	}
	log, _, err := s.studio.People.Audit(t.Context(), itself, people.AuditQuery{Per: 50})
	if err != nil || len(log) < 9 || log[0].Action != "account changed" {
		t.Errorf("%v, %v", log, err)
	}
}

func TestEventsTellWhatChanged(t *testing.T) {
	s := newStudio(t, web.Config{}).withPeople()
	r, _ := http.NewRequestWithContext(t.Context(), "GET", s.URL+"/events", nil)
	r.Header.Set("Authorization", "Bearer "+s.tokens[people.Librarian])
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	im := image.NewNRGBA(image.Rect(0, 0, 16, 16))
	im.Set(3, 3, color.White)
	var b bytes.Buffer
	png.Encode(&b, im)
	heard := make(chan string, 1)
	go func() {
		got, buf := "", make([]byte, 4096)
		for !strings.Contains(got, "delivery:1") {
			n, err := resp.Body.Read(buf)
			if got += string(buf[:n]); err != nil {
				break
			}
		}
		heard <- got
	}()
	s.deliver(station.File{Name: "a_color.png", Data: b.Bytes()})
	select {
	case got := <-heard:
		if !strings.Contains(got, "delivery:1") {
			t.Errorf("the stream ended after %q", got)
		}
	case <-time.After(10 * time.Second):
		t.Error("nothing was said of the delivery")
	}
}
