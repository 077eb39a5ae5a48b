package blob

import (
	"context"
	"errors"
	"io"
	"os"
	"strings"
	"testing"
)

func TestPutIsContentAddressedAndVerified(t *testing.T) {
	s, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
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
	s, _ := Open(dir)
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
	s, _ := Open(t.TempDir())
	if _, err := s.Read("../../etc/passwd"); err == nil {
		t.Error("read outside of the store")
	}
	if _, err := s.Read(strings.Repeat("../", 21) + "x"); err == nil {
		t.Error("read outside of the store")
	}
}

func TestDerivedIsMadeOnceAndAgain(t *testing.T) {
	s, _ := Open(t.TempDir())
	made := 0
	get := func() {
		if data, err := s.Derived("thumb/aa/b.png", func() ([]byte, error) { made++; return []byte("x"), nil }); err != nil || string(data) != "x" {
			t.Fatal(data, err)
		}
	}
	get()
	get()
	p, ok := s.DerivedPath("thumb/aa/b.png")
	if made != 1 || !ok {
		t.Errorf("made %d times", made)
	}
	os.Remove(p)
	get()
	if made != 2 {
		t.Error("a deleted derived file was not made again")
	}
}

func TestAdoptLinksWhatLiesThereAlready(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(dir)
	if err != nil {
		t.Fatal(err)
	}
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
