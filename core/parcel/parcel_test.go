package parcel

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
)

func zipped(t testing.TB, names ...string) []byte {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, n := range names {
		f, err := w.Create(n)
		if err != nil {
			t.Fatal(err)
		}
		f.Write([]byte("contents of " + n))
	}
	w.Close()
	return b.Bytes()
}

func unpack(data []byte, lim Limits) (map[string]string, []Problem, error) {
	got := map[string]string{}
	p, err := Unpack(Recognise(data), bytes.NewReader(data), int64(len(data)), lim, func(name string, r io.Reader) error {
		b, err := io.ReadAll(r)
		got[name] = string(b)
		return err
	})
	return got, p, err
}

func TestHostileNames(t *testing.T) {
	good := []string{"a.png", "b/c d.png", "b\\e.png"}
	bad := []string{"/etc/passwd", "../up.png", "x/../../up.png", "C:/boot.png", "x\x00y.png", "a/..\\..\\b"}
	got, problems, err := unpack(zipped(t, append(append([]string{}, good...), bad...)...), DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	if len(got) != len(good) || got["b/e.png"] == "" {
		t.Errorf("taken: %v", got)
	}
	if len(problems) != len(bad) {
		t.Errorf("refused: %v", problems)
	}
}

func TestTarWithLinks(t *testing.T) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	w := tar.NewWriter(z)
	w.WriteHeader(&tar.Header{Name: "maps/", Typeflag: tar.TypeDir})
	w.WriteHeader(&tar.Header{Name: "maps/a.png", Typeflag: tar.TypeReg, Size: 3})
	w.Write([]byte("abc"))
	w.WriteHeader(&tar.Header{Name: "evil", Typeflag: tar.TypeSymlink, Linkname: "/etc"})
	w.WriteHeader(&tar.Header{Name: "hard", Typeflag: tar.TypeLink, Linkname: "maps/a.png"})
	w.Close()
	z.Close()
	got, problems, err := unpack(b.Bytes(), DefaultLimits)
	if err != nil || len(got) != 1 || got["maps/a.png"] != "abc" || len(problems) != 2 {
		t.Errorf("%v, %v, %v", got, problems, err)
	}
}

func TestBombsAreStopped(t *testing.T) {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	f, _ := w.Create("zeros.bin")
	block := make([]byte, 1<<20)
	for range 300 {
		f.Write(block)
	}
	w.Close()
	_, _, err := unpack(b.Bytes(), DefaultLimits)
	var limit LimitError
	if !errors.As(err, &limit) {
		t.Errorf("300 MB out of %d bytes: %v", b.Len(), err)
	}
	var many []string
	for i := range 30 {
		many = append(many, fmt.Sprint(i))
	}
	if _, _, err := unpack(zipped(t, many...), Limits{Entries: 20, Bytes: 1 << 20, Ratio: 100}); !errors.As(err, &limit) {
		t.Errorf("30 files under a limit of 20: %v", err)
	}
}

// One damaged entry must not cost the others.
func TestDamagedEntry(t *testing.T) {
	data := zipped(t, "a.txt", "b.txt", "c.txt")
	i := bytes.Index(data, []byte("b.txt")) + 8
	data[i] ^= 0xff
	got, problems, err := unpack(data, DefaultLimits)
	if err != nil || len(problems) != 1 || problems[0].Name != "b.txt" || got["a.txt"] == "" || got["c.txt"] == "" {
		t.Errorf("%v, %v, %v", got, problems, err)
	}
}

func TestLeftoversAreIgnored(t *testing.T) {
	got, problems, err := unpack(zipped(t, "__MACOSX/._a.png", ".DS_Store", "a/Thumbs.db", "a.png"), DefaultLimits)
	if err != nil || len(got) != 1 || len(problems) != 0 {
		t.Errorf("%v, %v, %v", got, problems, err)
	}
}

func FuzzUnpack(f *testing.F) {
	f.Add(zipped(f, "a/b.png", "../c"))
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	w.WriteHeader(&tar.Header{Name: "a.png", Size: 1})
	w.Write([]byte("x"))
	w.Close()
	f.Add(b.Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		got, _, _ := unpack(data, Limits{Entries: 100, Bytes: 1 << 22, Ratio: 100})
		for name := range got {
			if strings.HasPrefix(name, "/") || strings.Contains("/"+name+"/", "/../") || name == "" {
				t.Errorf("the name %q was let through", name)
			}
		}
	})
}

func ExampleCleanName() {
	name, _ := CleanName(`Maps\Slates Normal.png`)
	fmt.Println(name)
	_, err := CleanName("../../outside.png")
	fmt.Println(err)
	// Output:
	// Maps/Slates Normal.png
	// has a name that leads out of the archive
}
