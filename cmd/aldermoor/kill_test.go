package main

import (
	"archive/zip"
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"mime/multipart"
	"net/http"
	"net/http/httptrace"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"aldermoor/core/station"
)

// program builds the real program.
func program(t *testing.T) string {
	t.Helper()
	bin := filepath.Join(t.TempDir(), "aldermoor")
	if out, err := exec.Command("go", "build", "-o", bin, ".").CombinedOutput(); err != nil {
		t.Fatalf("build: %v\n%s", err, out)
	}
	return bin
}

// server is a running `aldermoor serve`.
type server struct {
	cmd *exec.Cmd
	url string
}

func serve(t *testing.T, bin, data string, flags ...string) *server {
	t.Helper()
	cmd := exec.Command(bin, append([]string{"serve", "--data", data, "--addr", "127.0.0.1:0"}, flags...)...)
	var stderr bytes.Buffer
	cmd.Stderr = &stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	line, err := bufio.NewReader(out).ReadString('\n')
	if err != nil {
		t.Fatalf("the server said nothing: %v\n%s", err, stderr.String())
	}
	go io.Copy(io.Discard, out)
	return &server{cmd, regexp.MustCompile(`https?://\S+`).FindString(line)}
}

// tester makes a data folder with a librarian's account, and returns a token of it.
func tester(t *testing.T, bin, data string) string {
	t.Helper()
	serve(t, bin, data).kill()
	user := exec.Command(bin, "user", "add", "--data", data, "--user", "tester", "--role", "librarian")
	user.Stdin = strings.NewReader("a long password\n")
	if out, err := user.CombinedOutput(); err != nil {
		t.Fatalf("user add: %v\n%s", err, out)
	}
	secret, err := exec.Command(bin, "token", "create", "--data", data, "--user", "tester", "--scope", "contribute").Output()
	if err != nil {
		t.Fatal(err)
	}
	return strings.TrimSpace(string(secret))
}

// kill ends the server as a power cut would.
func (s *server) kill() {
	s.cmd.Process.Kill()
	s.cmd.Wait()
}

func ask(url, token, method, path string, body io.Reader, kind string) (int, map[string]any, error) {
	r, err := http.NewRequest(method, url+path, body)
	if err != nil {
		return 0, nil, err
	}
	r.Header.Set("Authorization", "Bearer "+token)
	r.Header.Set("If-Match", "*") // a test takes things as they are
	if kind != "" {
		r.Header.Set("Content-Type", kind)
	}
	resp, err := (&http.Client{Timeout: 20 * time.Second}).Do(r)
	if err != nil {
		return 0, nil, err
	}
	defer resp.Body.Close()
	var out map[string]any
	err = json.NewDecoder(resp.Body).Decode(&out)
	return resp.StatusCode, out, err
}

// delivery is a zip of four small sets as a multipart request.
func delivery(t *testing.T, n int) ([]byte, string, []string) {
	t.Helper()
	var archive bytes.Buffer
	z := zip.NewWriter(&archive)
	w := station.NewWriter()
	var names []string
	for i, slug := range []string{"slates_round", "mudflat_ripple", "tile_encaustic", "limewash_crack"} {
		var m station.Material
		for _, k := range station.Materials() {
			if k.Slug == slug {
				m = k
			}
		}
		name := fmt.Sprintf("run%d_set%d", n, i)
		files, err := w.Files(station.Take(m, station.Options{Px: 48, Seed: uint32(n*10 + i)}), name)
		if err != nil {
			t.Fatal(err)
		}
		names = append(names, name)
		for _, f := range files {
			e, _ := z.Create(f.Name)
			e.Write(f.Data)
		}
	}
	z.Close()
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	p, _ := form.CreateFormFile("file", fmt.Sprintf("run%d.zip", n))
	p.Write(archive.Bytes())
	form.Close()
	return b.Bytes(), form.FormDataContentType(), names
}

// The server is killed at random moments of imports. What it had answered for must be there afterwards, once;
// what it had not must be there once or not at all; and nothing may be wrong with the data.
func TestKilledAtAnyMomentNothingIsLostOrDoubled(t *testing.T) {
	bin, data := program(t), t.TempDir()
	user := exec.Command(bin, "user", "add", "--data", data, "--user", "tester", "--role", "librarian")
	first := serve(t, bin, data) // makes the database
	first.kill()
	user.Stdin = strings.NewReader("a long password\n")
	if out, err := user.CombinedOutput(); err != nil {
		t.Fatalf("user add: %v\n%s", err, out)
	}
	out, err := exec.Command(bin, "token", "create", "--data", data, "--user", "tester", "--scope", "contribute").Output()
	if err != nil {
		t.Fatal(err)
	}
	token := strings.TrimSpace(string(out))
	if strings.ContainsAny(token, " \n") {
		t.Fatalf("token create printed more than the token: %q", out)
	}

	const moments = 30
	rng := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1))
	promised, sent := map[string]bool{}, map[string]bool{}
	for n := range moments {
		s := serve(t, bin, data)
		body, kind, names := delivery(t, n)
		answered := make(chan int, 1)
		go func() {
			status, _, _ := ask(s.url, token, "POST", "/api/v1/deliveries", bytes.NewReader(body), kind)
			answered <- status
		}()
		// From before the upload is in to after its sets have been sorted.
		time.Sleep(time.Duration(rng.IntN(350)) * time.Millisecond)
		s.kill()
		status := <-answered
		for _, name := range names {
			sent[name] = true
			if status == http.StatusAccepted {
				promised[name] = true
			}
		}
	}
	if len(promised) == 0 {
		t.Fatal("no delivery was ever answered for: the moments are badly chosen")
	}
	s := serve(t, bin, data)
	found, retried, began := map[string]int{}, map[any]bool{}, time.Now()
	for deadline := time.Now().Add(60 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		status, list, err := ask(s.url, token, "GET", "/api/v1/deliveries", nil, "")
		if status != 200 || err != nil {
			t.Fatal(status, err)
		}
		busy := false
		for _, d := range list["items"].([]any) {
			state := d.(map[string]any)["state"]
			busy = busy || state != "sorted"
			// A job that was killed three times in a row is failed, shown, and can be retried.
			if id := d.(map[string]any)["id"]; state == "failed" && !retried[id] {
				retried[id] = true
				ask(s.url, token, "POST", fmt.Sprintf("/api/v1/deliveries/%v/retry", id), strings.NewReader("{}"), "application/json")
			} else if state == "failed" {
				if time.Since(began) > 30*time.Second {
					t.Fatalf("failed once more: %v", d)
				}
			}
		}
		if !busy {
			for _, d := range list["items"].([]any) {
				_, full, err := ask(s.url, token, "GET", d.(map[string]any)["href"].(string), nil, "")
				if err != nil {
					t.Fatal(err)
				}
				for _, set := range full["sets"].([]any) {
					found[set.(map[string]any)["name"].(string)]++
				}
				if n := len(full["failed"].([]any)); n > 0 {
					t.Errorf("%d files failed: %v", n, full["failed"])
				}
			}
			break
		}
		if time.Now().After(deadline) {
			t.Fatalf("still not sorted: %v", list)
		}
	}
	for name := range promised {
		if found[name] != 1 {
			t.Errorf("%s was answered for and is there %d times", name, found[name])
		}
	}
	for name, n := range found {
		if n != 1 || !sent[name] {
			t.Errorf("%s is there %d times", name, n)
		}
	}
	t.Logf("%d sets sent, %d answered for, %d there", len(sent), len(promised), len(found))
	s.kill()
	if out, err := exec.Command(bin, "verify", "--data", data).CombinedOutput(); err != nil {
		t.Errorf("verify: %v\n%s", err, out)
	}
}

// inspect --json works without a server and keeps its contract's exit codes.
func TestInspectCommand(t *testing.T) {
	bin, dir := program(t), t.TempDir()
	if out, err := exec.Command(bin, "station", "--out", dir, "--sets", "2", "--size", "128").CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	out, err := exec.Command(bin, "inspect", dir, "--json").Output()
	if err != nil {
		t.Fatalf("clean sets: %v\n%s", err, out)
	}
	var r struct {
		Sets []struct {
			Name string
			Size struct{ Width_m, Height_m float64 }
		}
	}
	if err := json.Unmarshal(out, &r); err != nil || len(r.Sets) != 2 || math.Abs(r.Sets[1].Size.Width_m-1.71) > 0.01 { // a tag holds whole pixels a metre
		t.Errorf("%v %+v", err, r)
	}
	os.WriteFile(filepath.Join(dir, "broken.png"), []byte("x"), 0o644)
	code := func(args ...string) int {
		cmd := exec.Command(bin, args...)
		cmd.Run()
		return cmd.ProcessState.ExitCode()
	}
	for want, args := range map[int][]string{1: {"inspect", dir}, 2: {"inspect"}, 3: {"inspect", filepath.Join(dir, "nowhere")}, 0: {"inspect", "--help"}} {
		if got := code(args...); got != want {
			t.Errorf("%v: exit %d, want %d", args, got, want)
		}
	}
}

// client speaks to a running server as one account.
type client struct {
	t          *testing.T
	url, token string
}

// do asks for something; ok is false if the server went away or refused.
func (c client) do(method, path string, body any) (out map[string]any, status int, ok bool) {
	var r io.Reader
	kind := "application/json"
	switch b := body.(type) {
	case nil:
	case upload:
		r, kind = bytes.NewReader(b.data), b.kind
	default:
		data, _ := json.Marshal(b)
		r = bytes.NewReader(data)
	}
	req, err := http.NewRequest(method, c.url+path, r)
	if err != nil {
		c.t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+c.token)
	req.Header.Set("Content-Type", kind)
	req.Header.Set("If-Match", "*")
	resp, err := (&http.Client{Timeout: 60 * time.Second}).Do(req)
	if err != nil {
		return nil, 0, false
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		return nil, 0, false
	}
	json.Unmarshal(data, &out)
	if out == nil {
		out = map[string]any{"bytes": data}
	}
	return out, resp.StatusCode, resp.StatusCode < 300
}

type upload struct {
	data []byte
	kind string
}

// settle waits until nothing is left to do, and retries what was failed for having been
// taken three times.
func (c client) settle() {
	c.t.Helper()
	for deadline := time.Now().Add(2 * time.Minute); ; time.Sleep(100 * time.Millisecond) {
		if time.Now().After(deadline) {
			c.t.Fatal("there is always something to do")
		}
		list, _, ok := c.do("GET", "/api/v1/deliveries", nil)
		if !ok {
			continue
		}
		busy := false
		for _, d := range list["items"].([]any) {
			d, _, ok := c.do("GET", d.(map[string]any)["href"].(string), nil)
			if !ok {
				busy = true
				continue
			}
			busy = busy || d["state"] == "receiving" || d["state"] == "sorting"
			if d["retry"] == true {
				busy = true
				c.do("POST", fmt.Sprintf("/api/v1/deliveries/%v/retry", d["id"]), map[string]any{})
			}
			for _, set := range d["sets"].([]any) {
				path := fmt.Sprintf("/api/v1/materials/%v", set.(map[string]any)["material_id"])
				m, _, ok := c.do("GET", path, nil)
				if !ok || m["recipe_state"] == "making" {
					busy = true
				} else if m["recipe_state"] == "stuck" {
					busy = true
					c.do("PUT", path+"/recipe", map[string]any{"steps": bare(m["recipe"].([]any))})
				}
			}
		}
		if !busy {
			return
		}
	}
}

// bare are treatments as they are asked for.
func bare(recipe []any) (out []any) {
	for _, t := range recipe {
		k := map[string]any{}
		for _, name := range []string{"id", "kind", "strength", "channel"} {
			if v, ok := t.(map[string]any)[name]; ok {
				k[name] = v
			}
		}
		out = append(out, k)
	}
	return out
}

// The server is killed at random moments of unpacking, sorting, taking a new version, carrying out a recipe, releasing
// and making a handoff. What it had answered for is there afterwards, once; nothing is half done.
func TestKilledDuringEveryKindOfWork(t *testing.T) {
	if testing.Short() {
		t.Skip("kills a server forty times")
	}
	bin, data := program(t), t.TempDir()
	token := tester(t, bin, data)
	w := station.NewWriter()
	about := func(slug string) station.Material {
		for _, m := range station.Materials() {
			if m.Slug == slug {
				return m
			}
		}
		t.Fatal(slug)
		return station.Material{}
	}
	packed := func(name, slug string, px int, copies int) upload {
		var archive, b bytes.Buffer
		z := zip.NewWriter(&archive)
		for i := range copies {
			files, err := w.Files(station.Take(about(slug), station.Options{Px: px, Seed: uint32(3 + i)}), fmt.Sprintf("%s%d", name, i))
			if err != nil {
				t.Fatal(err)
			}
			for _, f := range files {
				e, _ := z.Create(f.Name)
				e.Write(f.Data)
			}
		}
		z.Close()
		form := multipart.NewWriter(&b)
		p, _ := form.CreateFormFile("file", name+".zip")
		p.Write(archive.Bytes())
		form.WriteField("name", name)
		form.Close()
		return upload{b.Bytes(), form.FormDataContentType()}
	}

	// One material, in a small and in a large scan of the same patch.
	s := serve(t, bin, data)
	c := client{t, s.url, token}
	if _, status, ok := c.do("POST", "/api/v1/deliveries", packed("small", "rubble_limewash", 96, 1)); !ok {
		t.Fatal(status)
	}
	c.settle()
	d, _, _ := c.do("GET", "/api/v1/deliveries/1", nil)
	path := fmt.Sprintf("/api/v1/materials/%v", d["sets"].([]any)[0].(map[string]any)["material_id"])
	s.kill()

	rng := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 2))
	const moments = 40
	releases, deliveries := map[float64]bool{1: false}, map[string]bool{"small": true}
	delete(releases, 1)
	done := map[string]int{}
	large := packed("large", "rubble_limewash", 192, 1)
	work := []struct {
		name string
		do   func(c client, n int)
	}{
		{"unpacking and sorting", func(c client, n int) {
			name := fmt.Sprintf("many%d", n)
			if _, _, ok := c.do("POST", "/api/v1/deliveries", packed(name, "sailcloth", 32, 12)); ok {
				deliveries[name] = true
			}
		}},
		{"recipe", func(c client, n int) {
			c.do("PUT", path+"/recipe", map[string]any{"steps": []any{map[string]any{"kind": "normal_strength", "strength": 1 + float64(n)/100}}})
			time.Sleep(300 * time.Millisecond)
		}},
		{"release", func(c client, n int) {
			c.do("PATCH", path, map[string]any{"author": fmt.Sprint("author ", n)})
			for range 5 {
				if r, status, ok := c.do("POST", path+"/releases", map[string]any{"notes": fmt.Sprint(n)}); ok {
					releases[r["number"].(float64)] = true
					return
				} else if status != 422 { // its recipe is being carried out
					return
				}
				time.Sleep(50 * time.Millisecond)
			}
		}},
		{"handoff", func(c client, n int) {
			c.do("GET", fmt.Sprintf("/api/v1/releases/%d/handoff?tier=source&format=%s", 1, []string{"png", "exr"}[n%2]), nil)
		}},
		{"new version", func(c client, n int) {
			r, _, ok := c.do("POST", "/api/v1/deliveries", large)
			for range 60 {
				if !ok {
					return
				}
				var d map[string]any
				if d, _, ok = c.do("GET", r["href"].(string), nil); ok && d["state"] == "sorted" {
					c.do("POST", fmt.Sprintf("/api/v1/materials/%v/known", d["sets"].([]any)[0].(map[string]any)["material_id"]), map[string]any{"take": "new_version"})
					return
				}
				time.Sleep(10 * time.Millisecond)
			}
		}},
	}
	for n := range moments {
		s := serve(t, bin, data)
		k := work[n%len(work)]
		ended := make(chan bool)
		go func() { k.do(client{t, s.url, token}, n); close(ended) }()
		time.Sleep(time.Duration(rng.IntN(450)) * time.Millisecond)
		s.kill()
		<-ended
		done[k.name]++
	}

	s = serve(t, bin, data)
	defer s.kill()
	c.url = s.url
	c.settle()
	// Each release that was answered for is there, each number once.
	list, _, _ := c.do("GET", path+"/releases", nil)
	numbers := map[float64]int{}
	for _, r := range list["items"].([]any) {
		numbers[r.(map[string]any)["number"].(float64)]++
	}
	for n := range releases {
		if numbers[n] != 1 {
			t.Errorf("release %v was answered for and is there %d times", n, numbers[n])
		}
	}
	m, _, _ := c.do("GET", path, nil)
	if int(m["released"].(float64)) != len(numbers) {
		t.Errorf("%d releases, and the material says %v", len(numbers), m["released"])
	}
	// Each delivery that was answered for is there once, whole, and every file is in one place.
	seen, owner := map[string]int{}, map[string]string{}
	all, _, _ := c.do("GET", "/api/v1/deliveries", nil)
	for _, row := range all["items"].([]any) {
		d, _, _ := c.do("GET", row.(map[string]any)["href"].(string), nil)
		name := d["name"].(string)
		seen[name]++
		if failed := d["failed"].([]any); len(failed) > 0 || d["state"] != "sorted" {
			t.Errorf("%s is %v: %v", name, d["state"], failed)
		}
		sets := d["sets"].([]any)
		if strings.HasPrefix(name, "many") && len(sets) != 12 {
			t.Errorf("%s has %d sets of 12", name, len(sets))
		}
		for _, set := range sets {
			set := set.(map[string]any)
			maps := set["maps"].([]any)
			if len(maps) < 4 {
				t.Errorf("%v of %s has %d maps", set["name"], name, len(maps))
			}
			for _, p := range maps {
				id := fmt.Sprint(p.(map[string]any)["id"])
				if owner[id] != "" {
					t.Errorf("map %s is in %s and in %v", id, owner[id], set["name"])
				}
				owner[id] = fmt.Sprint(set["name"])
			}
		}
	}
	for name := range deliveries {
		if n := seen[name]; n != 1 {
			t.Errorf("delivery %s was answered for and is there %d times", name, n)
		}
	}
	// Handoffs are whole: their zip opens, and each file is what the manifest says.
	if len(numbers) > 0 {
		h, status, ok := c.do("GET", "/api/v1/releases/1/handoff?tier=source&wait=60", nil)
		if !ok {
			t.Fatalf("the handoff: %d", status)
		}
		zipped := h["bytes"].([]byte)
		z, err := zip.NewReader(bytes.NewReader(zipped), int64(len(zipped)))
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range z.File {
			r, err := f.Open()
			if err == nil {
				_, err = io.Copy(io.Discard, r) // its checksum is checked
			}
			if err != nil {
				t.Errorf("%s: %v", f.Name, err)
			}
		}
	}
	t.Logf("killed at %d moments: %v; %d releases, %d deliveries", moments, done, len(numbers), len(seen))
	s.kill()
	if out, err := exec.Command(bin, "verify", "--data", data).CombinedOutput(); err != nil {
		t.Errorf("verify: %v\n%s", err, out)
	}
}

// The signal to stop lets requests end, and closes the database cleanly.
func TestStoppingLetsRequestsEnd(t *testing.T) {
	bin, data := program(t), t.TempDir()
	token := tester(t, bin, data)
	s := serve(t, bin, data)
	// A stream of events stays open; an upload is half sent.
	req, _ := http.NewRequest("GET", s.url+"/api/v1/events", nil)
	req.Header.Set("Authorization", "Bearer "+token)
	stream, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer stream.Body.Close()
	body, kind, _ := delivery(t, 1)
	reader, writer := io.Pipe()
	// The server asks for the body once its handler reads it: only then is the request under way.
	started := make(chan struct{})
	upload, _ := http.NewRequestWithContext(httptrace.WithClientTrace(context.Background(), &httptrace.ClientTrace{Got100Continue: func() { close(started) }}),
		"POST", s.url+"/api/v1/deliveries", reader)
	upload.Header.Set("Authorization", "Bearer "+token)
	upload.Header.Set("Content-Type", kind)
	upload.Header.Set("Expect", "100-continue")
	answered := make(chan error, 1)
	go func() {
		client := http.Client{Timeout: 30 * time.Second, Transport: &http.Transport{ExpectContinueTimeout: 30 * time.Second}}
		resp, err := client.Do(upload)
		if err == nil {
			resp.Body.Close()
			if resp.StatusCode != http.StatusAccepted {
				err = errors.New(resp.Status)
			}
		}
		reader.CloseWithError(io.ErrClosedPipe) // no write waits for a request that has ended
		answered <- err
	}()
	select {
	case <-started:
	case err := <-answered:
		t.Fatalf("the upload ended before it began: %v", err)
	}
	writer.Write(body[:len(body)/2])
	s.cmd.Process.Signal(os.Interrupt)
	time.Sleep(300 * time.Millisecond)
	writer.Write(body[len(body)/2:])
	writer.Close()
	if err := <-answered; err != nil {
		t.Errorf("the request that was under way: %v", err)
	}
	ended := make(chan error, 1)
	go func() { ended <- s.cmd.Wait() }()
	select {
	case err := <-ended:
		if err != nil {
			t.Errorf("it ended with %v", err)
		}
	case <-time.After(20 * time.Second):
		t.Error("it does not end")
		s.cmd.Process.Kill()
	}
	if _, err := os.Stat(filepath.Join(data, "aldermoor.db-wal")); err == nil {
		t.Error("the database was not closed")
	}
}
