package main

import (
	"archive/zip"
	"bytes"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// read is every file below a folder, by its path there.
func read(t *testing.T, dir string) map[string][]byte {
	t.Helper()
	out := map[string][]byte{}
	err := filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := os.ReadFile(p)
		rel, _ := filepath.Rel(dir, p)
		out[filepath.ToSlash(rel)] = data
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// Files are converted from a folder and from an archive to the same bytes, each time again; wrong use and
// unreadable files are said.
func TestConvert(t *testing.T) {
	bin, dir := program(t), t.TempDir()
	scans := filepath.Join(dir, "scans")
	if out, code := run(t, bin, "", "station", "--out", scans, "--sets", "3", "--size", "96"); code != 0 {
		t.Fatal(out)
	}
	archive := filepath.Join(dir, "scans.zip")
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for name, data := range read(t, scans) {
		f, _ := w.Create(name)
		f.Write(data)
	}
	w.Close()
	os.WriteFile(archive, b.Bytes(), 0o644)
	var first map[string][]byte
	for i, from := range []string{scans, archive, scans} {
		to := filepath.Join(dir, "out", string(rune('a'+i)))
		if out, code := run(t, bin, "", "convert", from, "--profile", "game_y_minus", "--out", to, "--licence", "CC0-1.0"); code != 0 || strings.Count(out, "Game, Y") != 3 {
			t.Fatalf("exit code %d: %s", code, out)
		}
		got := read(t, to)
		if first == nil {
			first = got
		}
		if len(got) != len(first) || len(got) < 12 {
			t.Errorf("%d files from %s, %d before", len(got), from, len(first))
		}
		for name, data := range first {
			if !bytes.Equal(got[name], data) {
				t.Errorf("%s differs", name)
			}
		}
	}
	// A profile of one's own, and figures that the files do not say.
	own := filepath.Join(dir, "mine.json")
	os.WriteFile(own, []byte(`{"name":"Mine","files":[{"holds":[{"channel":"normal"}],"word":"n","format":"tiff16"}],"descriptions":["materialx"]}`), 0o644)
	to := filepath.Join(dir, "own")
	if out, code := run(t, bin, "", "convert", filepath.Join(scans), "--profile", own, "--out", to, "--width", "3 m", "--tier", "1k"); code != 0 {
		t.Fatalf("exit code %d: %s", code, out)
	}
	sized := 0
	for name, data := range read(t, to) {
		if strings.HasSuffix(name, "material.json") && bytes.Contains(data, []byte(`"width_m": 3,`)) {
			sized++
		}
	}
	if sized != 3 {
		t.Errorf("%d of 3 have the width that was given", sized)
	}
	os.WriteFile(own, []byte(`{"name":"Mine","files":[{"holds":[{"channel":"rough"}],"format":"png"}]}`), 0o644)
	for want, args := range map[string][]string{
		"there is no profile": {scans, "--profile", "x", "--out", to}, "no channel": {scans, "--profile", own, "--out", to}, "--out DIR": {scans},
		"made in 1k, 2k": {scans, "--profile", "web_small", "--tier", "8k", "--out", to},
	} {
		if out, code := run(t, bin, "", append([]string{"convert"}, args...)...); code != 2 || !strings.Contains(out, want) {
			t.Errorf("%v: exit code %d: %s", args, code, out)
		}
	}
	if out, code := run(t, bin, "", "convert", own, "--out", to); code != 3 || !strings.Contains(out, "no map whose channel is known") {
		t.Errorf("exit code %d: %s", code, out)
	}
}
