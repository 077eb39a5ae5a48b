package main

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"mime/multipart"
	"net/http"
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

func serve(t *testing.T, bin, data string) *server {
	t.Helper()
	cmd := exec.Command(bin, "serve", "--data", data, "--addr", "127.0.0.1:0")
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
	return &server{cmd, regexp.MustCompile(`http://\S+`).FindString(line)}
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
	out, err := exec.Command(bin, "token", "create", "--data", data, "--user", "tester").Output()
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
	found := map[string]int{}
	for deadline := time.Now().Add(60 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		status, list, err := ask(s.url, token, "GET", "/api/v1/deliveries", nil, "")
		if status != 200 || err != nil {
			t.Fatal(status, err)
		}
		busy := false
		for _, d := range list["items"].([]any) {
			state := d.(map[string]any)["state"]
			busy = busy || state != "sorted"
			if state == "failed" {
				t.Fatalf("%v", d)
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
