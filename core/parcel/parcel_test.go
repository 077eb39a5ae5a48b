package parcel

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
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
	lim.Aside = func(r io.Reader) (io.ReaderAt, int64, func(), error) {
		b, err := io.ReadAll(r)
		return bytes.NewReader(b), int64(len(b)), func() {}, err
	}
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
	got, problems, err := unpack(zipped(t, "__MACOSX/._a.png", ".DS_Store", "a/Thumbs.db", "a/@eaDir/a.png/thumb.jpg", ".thumbnails/a.png", "a.png"), DefaultLimits)
	if err != nil || len(got) != 1 || len(problems) != 0 {
		t.Errorf("%v, %v, %v", got, problems, err)
	}
}

// An archive within one is opened once, into a folder of its name; what lies deeper, and other kinds, are named.
func TestArchivesWithinArchives(t *testing.T) {
	inner := zipped(t, "oak_color.png", "oak_normal.png")
	var tarred bytes.Buffer
	z := gzip.NewWriter(&tarred)
	w := tar.NewWriter(z)
	w.WriteHeader(&tar.Header{Name: "elm/elm_color.png", Typeflag: tar.TypeReg, Size: 3})
	w.Write([]byte("elm"))
	w.WriteHeader(&tar.Header{Name: "deeper.zip", Typeflag: tar.TypeReg, Size: int64(len(inner))})
	w.Write(inner)
	w.Close()
	z.Close()
	var b bytes.Buffer
	o := zip.NewWriter(&b)
	for name, data := range map[string][]byte{"sets/oak.zip": inner, "elm.tar.gz": tarred.Bytes(), "old.7z": []byte("7z\xbc\xaf\x27\x1crest"), "cut.zip": inner[:len(inner)/2], "a.png": []byte("a")} {
		f, _ := o.Create(name)
		f.Write(data)
	}
	o.Close()
	got, problems, err := unpack(b.Bytes(), DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"sets/oak/oak_color.png", "sets/oak/oak_normal.png", "elm/elm/elm_color.png", "a.png"} {
		if _, ok := got[name]; !ok {
			t.Errorf("%s is missing of %v", name, got)
		}
	}
	says := map[string]string{}
	for _, p := range problems {
		says[p.Name] = p.Says
	}
	for name, want := range map[string]string{"elm/deeper.zip": "within an archive within", "old.7z": "is a 7z archive", "cut.zip": "damaged or was cut off"} {
		if !strings.Contains(says[name], want) {
			t.Errorf("%s: %q", name, says[name])
		}
	}
	if len(got) != 4 || len(problems) != 3 {
		t.Errorf("%v, %v", got, problems)
	}
}

// Names in the code pages of old machines.
func TestOldNames(t *testing.T) {
	for _, c := range []struct{ raw, want string }{
		{"Schl\x84mm_gr\x81n.png", "Schlämm_grün.png"}, // code page 437
		{"Schl\xe4mm_gr\xfcn.png", "Schlämm_grün.png"}, // Windows-1252
		{"\x93y_\x83J\x83\x89\x81[.png", "土_カラー.png"},  // Shift-JIS
		{"\xca\xaf\xb0\xe5.png", "石板.png"},             // GBK
		{"\xaa\xa0\xac\xa5\xad\xec.png", "камень.png"}, // code page 866
		{"\xea\xe0\xec\xe5\xed\xfc.png", "камень.png"}, // Windows-1251
		{"\u571f.png", "土.png"},                        // UTF-8, whether it says so or not
	} {
		var b bytes.Buffer
		w := zip.NewWriter(&b)
		f, err := w.CreateHeader(&zip.FileHeader{Name: c.raw, NonUTF8: true})
		if err != nil {
			t.Fatal(err)
		}
		f.Write([]byte("x"))
		w.Close()
		if got, problems, err := unpack(b.Bytes(), DefaultLimits); err != nil || got[c.want] == "" {
			t.Errorf("%q: %q %v %v", c.raw, got, problems, err)
		}
	}
	// A name told a second time in UTF-8 counts, if it is of this name.
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for raw, sum := range map[string]uint32{"h\x94lzern.png": 0, "st\x94rend.png": 1} {
		extra := []byte{0x75, 0x70, 0, 0, 1}
		extra = binary.LittleEndian.AppendUint32(extra, crc32.ChecksumIEEE([]byte(raw))+sum)
		extra = append(extra, "told "+raw[:1]+".png"...)
		extra[2] = byte(len(extra) - 4)
		f, _ := w.CreateHeader(&zip.FileHeader{Name: raw, NonUTF8: true, Extra: extra})
		f.Write([]byte("x"))
	}
	w.Close()
	if got, _, err := unpack(b.Bytes(), DefaultLimits); err != nil || got["told h.png"] == "" || got["störend.png"] == "" {
		t.Errorf("%v %v", got, err)
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
				t.Errorf("the name %q was accepted", name)
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
