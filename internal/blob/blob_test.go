package blob

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func disk(t *testing.T, derived int64) *Disk {
	t.Helper()
	d, err := Open(t.TempDir(), derived)
	if err != nil {
		t.Fatal(err)
	}
	<-d.Derived.ready
	return d
}

func TestPutIsContentAddressedAndVerified(t *testing.T) {
	s := disk(t, 0).Blobs
	a, n, err := s.Put(t.Context(), strings.NewReader("abc"))
	if err != nil || n != 3 || a != "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad" {
		t.Fatal(a, n, err)
	}
	b, _, _ := s.Put(t.Context(), strings.NewReader("abc"))
	if a != b {
		t.Error("the same bytes have two names")
	}
	if data, err := s.Read(a); err != nil || string(data) != "abc" {
		t.Error(string(data), err)
	}
	var wrong []string
	if n, err := s.Verify(t.Context(), func(sum, _ string) { wrong = append(wrong, sum) }); n != 1 || err != nil || len(wrong) != 0 {
		t.Error(n, err, wrong)
	}
	os.WriteFile(s.Path(a), []byte("abd"), 0o644)
	s.Verify(t.Context(), func(sum, _ string) { wrong = append(wrong, sum) })
	if len(wrong) != 1 || wrong[0] != a {
		t.Errorf("damage was not noticed: %v", wrong)
	}
}

type failing struct{}

func (failing) Read([]byte) (int, error) { return 0, errors.New("line dropped") }

func TestBrokenUploadLeavesNothing(t *testing.T) {
	dir := t.TempDir()
	d, err := Open(dir, 0)
	if err != nil {
		t.Fatal(err)
	}
	s := d.Blobs
	if _, _, err := s.Put(context.Background(), io.MultiReader(strings.NewReader("half"), failing{})); err == nil {
		t.Fatal("no error")
	}
	for _, sub := range []string{"/incoming", "/blobs"} {
		if left, _ := os.ReadDir(dir + sub); len(left) != 0 {
			t.Errorf("%s holds %v", sub, left)
		}
	}
}

func TestHostileNamesFindNothing(t *testing.T) {
	s := disk(t, 0).Blobs
	if _, err := s.Read("../../etc/passwd"); err == nil {
		t.Error("read outside of the store")
	}
	if _, err := s.Read(strings.Repeat("../", 21) + "x"); err == nil {
		t.Error("read outside of the store")
	}
}

func TestDerivedFilesThatWereTornAreNotServed(t *testing.T) {
	d := disk(t, 0).Derived
	if _, ok := d.Get("thumb/aa/b.png"); ok {
		t.Error("it is there before it was made")
	}
	for _, tear := range []func(string) error{
		func(p string) error { return os.Truncate(p, 2) },
		func(p string) error { return os.Truncate(p, 14) },
		func(p string) error { return os.WriteFile(p, make([]byte, 15), 0o600) },
		os.Remove,
	} {
		if err := d.Put("thumb/aa/b.png", []byte("picture")); err != nil {
			t.Fatal(err)
		}
		if data, ok := d.Get("thumb/aa/b.png"); !ok || string(data) != "picture" {
			t.Fatal(string(data), ok)
		}
		if err := tear(d.path("thumb/aa/b.png")); err != nil {
			t.Fatal(err)
		}
		if data, ok := d.Get("thumb/aa/b.png"); ok {
			t.Errorf("a torn file was served: %q", data)
		}
	}
}

func TestDerivedForgetsWhatWasUsedLongestAgo(t *testing.T) {
	d := disk(t, 1000).Derived
	put := func(name string) {
		if err := d.Put(name, make([]byte, 92)); err != nil { // 100 with its checksum
			t.Fatal(err)
		}
	}
	for _, n := range []string{"a", "b", "c", "d", "e", "f", "g", "h", "i", "j"} {
		put(n)
	}
	if _, ok := d.Get("a"); !ok || d.Bytes() != 1000 {
		t.Fatal("forgotten before the limit", d.Bytes())
	}
	put("k") // over it: down to 900
	for name, want := range map[string]bool{"a": true, "b": false, "c": false, "d": true, "k": true} {
		if _, ok := d.Get(name); ok != want {
			t.Errorf("%s is there: %v", name, ok)
		}
	}
	if d.Bytes() != 900 {
		t.Errorf("%d bytes are kept", d.Bytes())
	}
	// What an earlier run left counts.
	again := newDerived(d.dir, d.scratch, 500)
	<-again.ready
	if n := again.Bytes(); n > 500 || n < 400 {
		t.Errorf("%d bytes are kept of 900 by a limit of 500", n)
	}
}

func TestADamagedBlobIsMendedByTheSameBytes(t *testing.T) {
	s := disk(t, 0).Blobs
	dir := t.TempDir()
	os.WriteFile(dir+"/again", []byte("abc"), 0o600)
	for name, again := range map[string]func() (string, int64, error){
		"Put":   func() (string, int64, error) { return s.Put(t.Context(), strings.NewReader("abc")) },
		"Adopt": func() (string, int64, error) { return s.Adopt(t.Context(), dir+"/again") },
	} {
		sum, _, err := s.Put(t.Context(), strings.NewReader("abc"))
		if err != nil {
			t.Fatal(err)
		}
		os.Remove(s.Path(sum))
		os.WriteFile(s.Path(sum), []byte("ab"), 0o600)
		if _, _, err := again(); err != nil {
			t.Fatal(err)
		}
		if data, _ := s.Read(sum); string(data) != "abc" {
			t.Errorf("%s: the damaged blob stayed: %q", name, data)
		}
	}
}

func TestFilesAreForTheirOwnerAlone(t *testing.T) {
	d := disk(t, 0)
	sum, _, _ := d.Blobs.Put(t.Context(), strings.NewReader("abc"))
	d.Derived.Put("a/b", []byte("x"))
	for _, p := range []string{d.Blobs.Path(sum), d.Derived.path("a/b")} {
		file, err := os.Stat(p)
		if err != nil || file.Mode().Perm() != 0o600 {
			t.Error(p, file.Mode(), err)
		}
		dir, err := os.Stat(filepath.Dir(p))
		if err != nil || dir.Mode().Perm() != 0o700 {
			t.Error(filepath.Dir(p), dir.Mode(), err)
		}
	}
}

func TestAdoptLinksWhatLiesThereAlready(t *testing.T) {
	dir := t.TempDir()
	d, err := Open(dir, 0)
	if err != nil {
		t.Fatal(err)
	}
	s := d.Blobs
	file := dir + "/upload"
	os.WriteFile(file, []byte("abc"), 0o644)
	put, _, _ := s.Put(t.Context(), strings.NewReader("abd"))
	sum, n, err := s.Adopt(t.Context(), file)
	if err != nil || n != 3 || sum == put {
		t.Fatal(sum, n, err)
	}
	a, _ := os.Stat(file)
	b, err := os.Stat(s.Path(sum))
	if err != nil || !os.SameFile(a, b) {
		t.Error("the bytes were copied", err)
	}
	if again, _, err := s.Adopt(t.Context(), file); err != nil || again != sum {
		t.Error(again, err)
	}
	if err := os.Remove(file); err != nil { // the upload is forgotten; the blob stays
		t.Fatal(err)
	}
	if data, err := s.Read(sum); err != nil || string(data) != "abc" {
		t.Error(string(data), err)
	}
	if _, _, err := s.Adopt(t.Context(), file); err == nil {
		t.Error("what is not there was adopted")
	}
}
