package handoff

import (
	"archive/zip"
	"bytes"
	"io"
	"testing"
	"testing/iotest"
	"time"
)

// zeros is a large file that takes no room.
type zeros struct{ size int64 }

func (z zeros) ReadAt(p []byte, off int64) (int, error) {
	clear(p)
	if off+int64(len(p)) > z.size {
		return int(max(0, z.size-off)), io.EOF
	}
	return len(p), nil
}

func TestArchiveIsAZip(t *testing.T) {
	var parts []Part
	for name, text := range map[string]string{"maps/a.png": "some bytes", "LICENCE.txt": "", "ärger.json": "{}"} {
		parts = append(parts, Part{FileOf(name, []byte(text)), bytes.NewReader([]byte(text))})
	}
	a := NewArchive("slates-r1-4k", time.Date(2026, 3, 4, 5, 6, 8, 0, time.UTC), parts)
	whole := make([]byte, a.Size())
	if n, err := a.ReadAt(whole, 0); n != len(whole) || err != nil {
		t.Fatal(n, err)
	}
	if err := iotest.TestReader(io.NewSectionReader(a, 0, a.Size()), whole); err != nil {
		t.Error(err)
	}
	z, err := zip.NewReader(a, a.Size())
	if err != nil {
		t.Fatal(err)
	}
	for i, f := range z.File {
		r, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		data, err := io.ReadAll(r) // its checksum is checked
		if err != nil || f.Name != "slates-r1-4k/"+parts[i].Path || int64(len(data)) != parts[i].Size || !f.Modified.Equal(time.Date(2026, 3, 4, 5, 6, 8, 0, time.UTC)) {
			t.Errorf("%s: %d bytes of %s, %v", f.Name, len(data), f.Modified, err)
		}
	}
	if len(z.File) != 3 {
		t.Errorf("%d files", len(z.File))
	}
}

func TestArchivesBeyondFourGigabytes(t *testing.T) {
	big := Part{File{Path: "big.exr", Size: 5 << 30}, zeros{5 << 30}}
	a := NewArchive("x", time.Now(), []Part{big, {FileOf("last.txt", []byte("the end")), bytes.NewReader([]byte("the end"))}})
	z, err := zip.NewReader(a, a.Size())
	if err != nil {
		t.Fatal(err)
	}
	if z.File[0].UncompressedSize64 != 5<<30 {
		t.Errorf("%d bytes", z.File[0].UncompressedSize64)
	}
	r, err := z.File[1].Open()
	if err != nil {
		t.Fatal(err)
	}
	if data, err := io.ReadAll(r); err != nil || string(data) != "the end" {
		t.Error(string(data), err)
	}
}
