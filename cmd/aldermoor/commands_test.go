package main

import (
	"archive/tar"
	"bytes"
	"encoding/json"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// run calls the program and returns what it printed and its exit code.
func run(t *testing.T, bin, input string, args ...string) (out string, code int) {
	t.Helper()
	cmd := exec.Command(bin, args...)
	cmd.Stdin = strings.NewReader(input)
	var b bytes.Buffer
	cmd.Stdout, cmd.Stderr = &b, &b
	cmd.Run()
	return b.String(), cmd.ProcessState.ExitCode()
}

func TestInspectReadsArchivesAndFloats(t *testing.T) {
	bin, dir := program(t), t.TempDir()
	scans := filepath.Join(dir, "scans")
	if out, code := run(t, bin, "", "station", "--out", scans, "--sets", "8", "--size", "96"); code != 0 {
		t.Fatal(out)
	}
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	err := filepath.WalkDir(scans, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := os.ReadFile(p)
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(scans, p)
		if err := w.WriteHeader(&tar.Header{Name: rel, Size: int64(len(data)), Mode: 0o644}); err != nil {
			return err
		}
		_, err = w.Write(data)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	w.Close()
	archive := filepath.Join(dir, "delivery.tar")
	os.WriteFile(archive, b.Bytes(), 0o644)
	type report struct {
		Sets []struct {
			Name string
			Maps []struct {
				File, Channel, Encoding string
				Direction               *string
				Float                   bool
				Bits                    int
			}
			Depth_m *struct{ Value float64 }
		}
		Failed []any
	}
	read := func(path string) (r report) {
		t.Helper()
		out, err := exec.Command(bin, "inspect", path, "--json").Output()
		if code := err; code != nil {
			if e, ok := err.(*exec.ExitError); !ok || e.ExitCode() != 1 { // notes of smaller tiers and the like
				t.Fatalf("%v: %s", err, out)
			}
		}
		if err := json.Unmarshal(out, &r); err != nil {
			t.Fatal(err)
		}
		return r
	}
	packed, loose := read(archive), read(scans)
	if len(packed.Sets) != 8 || len(loose.Sets) != 8 || len(packed.Failed) != 0 {
		t.Fatalf("%d and %d sets, failed %v", len(packed.Sets), len(loose.Sets), packed.Failed)
	}
	floats := 0
	for i, s := range packed.Sets {
		if s.Name != loose.Sets[i].Name || len(s.Maps) != len(loose.Sets[i].Maps) {
			t.Errorf("%s: %d maps in the archive, %s: %d in the folder", s.Name, len(s.Maps), loose.Sets[i].Name, len(loose.Sets[i].Maps))
		}
		if s.Depth_m == nil || s.Depth_m.Value < 1e-4 || s.Depth_m.Value > 0.2 {
			t.Errorf("%s: depth %v", s.Name, s.Depth_m)
		}
		for _, m := range s.Maps {
			if m.Float {
				floats++
				if m.Encoding != "linear" || m.Bits != 16 {
					t.Errorf("%s: %s, %d bits", m.File, m.Encoding, m.Bits)
				}
			}
			if m.Channel == "normal" && m.Direction == nil {
				t.Errorf("%s has no direction", m.File)
			}
		}
	}
	if floats < 2 {
		t.Errorf("only %d float maps", floats)
	}
	out, _ := run(t, bin, "", "inspect", archive)
	for _, says := range []string{"hurdle_willow", "1.50\u00a0m × 1.00\u00a0m (sidecar)", "lower tier", "preview", "licence", "y-"} {
		if !strings.Contains(out, says) {
			t.Errorf("it does not print %q", says)
		}
	}
}

func TestUsersTokensAndVerify(t *testing.T) {
	bin, dir := program(t), t.TempDir()
	data := filepath.Join(dir, "data")
	for _, args := range [][]string{{"user", "add", "--data", data, "--user", "x"}, {"verify"}, {"token", "create", "--data", dir, "--user", "x"}} {
		if out, code := run(t, bin, "a long password\n", args...); code == 0 {
			t.Errorf("%v went well on nothing: %s", args, out)
		}
	}
	s := serve(t, bin, data)
	if out, code := run(t, bin, "", "verify", "--data", data); code != 3 || !strings.Contains(out, "stop the server") {
		t.Errorf("verify beside a server: %d %s", code, out)
	}
	s.kill()
	if out, code := run(t, bin, "short\n", "user", "add", "--data", data, "--user", "ada", "--role", "librarian"); code != 3 || !strings.Contains(out, "at least 10") {
		t.Errorf("%d %s", code, out)
	}
	if out, code := run(t, bin, "a long password\n", "user", "add", "--data", data, "--user", "ada", "--role", "librarian"); code != 0 {
		t.Fatal(out)
	}
	token, code := run(t, bin, "", "token", "create", "--data", data, "--user", "ada", "--scope", "contribute")
	if code != 0 {
		t.Fatal(token)
	}
	s = serve(t, bin, data)
	if status, _, err := ask(s.url, strings.TrimSpace(token), "POST", "/api/v1/deliveries", strings.NewReader("--b\r\nContent-Disposition: form-data; name=\"file\"; filename=\"a/notes.txt\"\r\n\r\nhello\r\n--b--\r\n"), "multipart/form-data; boundary=b"); status != 202 {
		t.Fatalf("%d %v", status, err)
	}
	s.kill()
	if out, code := run(t, bin, "", "migrate", "--data", data); code != 0 || !strings.Contains(out, "already") {
		t.Errorf("migrate what is of this version: %d %s", code, out)
	}
	if out, code := run(t, bin, "", "verify", "--data", data); code != 0 || !strings.Contains(out, "as they should be") {
		t.Errorf("%d %s", code, out)
	}
	// One flipped bit in a stored file is found, and so is a file that is gone.
	var blob string
	filepath.WalkDir(filepath.Join(data, "blobs"), func(p string, d fs.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			blob = p
		}
		return err
	})
	if err := os.WriteFile(blob, []byte("hellp"), 0o644); err != nil {
		t.Fatal(err)
	}
	if out, code := run(t, bin, "", "verify", "--data", data); code != 1 || !strings.Contains(out, "its contents have changed") {
		t.Errorf("%d %s", code, out)
	}
	os.Remove(blob)
	if out, code := run(t, bin, "", "verify", "--data", data); code != 1 || !strings.Contains(out, "it is missing") {
		t.Errorf("%d %s", code, out)
	}
}

func TestStationIsDeterministicAndPlantsFaults(t *testing.T) {
	bin, dir := program(t), t.TempDir()
	read := func(name string) map[string]string {
		files := map[string]string{}
		filepath.WalkDir(filepath.Join(dir, name), func(p string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() {
				data, _ := os.ReadFile(p)
				rel, _ := filepath.Rel(filepath.Join(dir, name), p)
				files[rel] = string(data)
			}
			return err
		})
		return files
	}
	for name, args := range map[string][]string{"a": {"--seed", "4"}, "b": {"--seed", "4"}, "c": {"--seed", "4", "--faults", "gloss-as-roughness,wrong-direction"}} {
		if out, code := run(t, bin, "", append([]string{"station", "--out", filepath.Join(dir, name), "--sets", "5", "--size", "48"}, args...)...); code != 0 {
			t.Fatal(out)
		}
	}
	a, b, c := read("a"), read("b"), read("c")
	if len(a) < 20 || len(a) != len(b) {
		t.Fatalf("%d and %d files", len(a), len(b))
	}
	for name, data := range a {
		if b[name] != data {
			t.Errorf("%s differs between two runs", name)
		}
	}
	differ := 0
	for name, data := range c {
		if a[name] != data {
			differ++
		}
	}
	if differ == 0 {
		t.Error("no fault was planted")
	}
	if out, code := run(t, bin, "", "station", "--out", dir, "--faults", "gremlins"); code == 0 || !strings.Contains(out, "gremlins") {
		t.Errorf("%d %s", code, out)
	}
	if _, code := run(t, bin, "", "station", "--out", dir, "--size", "3"); code == 0 {
		t.Error("three pixels will do")
	}
}
