package blob

import (
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"time"
)

// Derived keeps files that can be made again, up to a number of bytes; then those that
// were used longest ago are forgotten. Small ones (Get, Put) carry a checksum, so that
// one that a crash tore is made again; large ones (Open, Keep) are synced instead.
//
// Names are made of letters, digits, '-', '.' and '/'.
type Derived struct {
	dir     string
	scratch *Scratch
	limit   int64

	mu    sync.Mutex
	files map[string]*derivedFile
	bytes int64
	ready chan struct{} // closed when the files of earlier runs have been listed
}

type derivedFile struct {
	size int64
	used time.Time
}

func newDerived(dir string, s *Scratch, limit int64) *Derived {
	d := &Derived{dir: dir, scratch: s, limit: limit, files: map[string]*derivedFile{}, ready: make(chan struct{})}
	go d.list()
	return d
}

// list takes stock of what earlier runs left.
func (d *Derived) list() {
	defer close(d.ready)
	filepath.WalkDir(d.dir, func(p string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return nil // a file that has gone meanwhile is no loss
		}
		if info, err := e.Info(); err == nil {
			if name, err := filepath.Rel(d.dir, p); err == nil {
				d.note(filepath.ToSlash(name), info.Size(), info.ModTime())
			}
		}
		return nil
	})
	d.forget()
}

func (d *Derived) path(name string) string { return filepath.Join(d.dir, filepath.FromSlash(name)) }

// note counts a file, unless it is known with a later use.
func (d *Derived) note(name string, size int64, used time.Time) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if old := d.files[name]; old != nil {
		if old.used.After(used) {
			return
		}
		d.bytes -= old.size
	}
	d.files[name] = &derivedFile{size, used}
	d.bytes += size
}

// touched is how old a use may be on disk before it is written again: it only orders
// what is forgotten after the next start.
const touched = time.Hour

// use marks a file as used now.
func (d *Derived) use(name string, size int64) {
	now := time.Now()
	d.mu.Lock()
	f := d.files[name]
	stale := f == nil || now.Sub(f.used) > touched
	d.mu.Unlock()
	d.note(name, size, now)
	if stale {
		os.Chtimes(d.path(name), now, now)
	}
}

// forget removes the files that were used longest ago until nine tenths of the limit are
// left.
func (d *Derived) forget() {
	d.mu.Lock()
	if d.bytes <= d.limit {
		d.mu.Unlock()
		return
	}
	names := make([]string, 0, len(d.files))
	for n := range d.files {
		names = append(names, n)
	}
	slices.SortFunc(names, func(a, b string) int {
		return cmp.Or(d.files[a].used.Compare(d.files[b].used), cmp.Compare(a, b))
	})
	var gone []string
	for _, n := range names {
		if d.bytes <= d.limit-d.limit/10 {
			break
		}
		d.bytes -= d.files[n].size
		delete(d.files, n)
		gone = append(gone, n)
	}
	d.mu.Unlock()
	for _, n := range gone {
		os.Remove(d.path(n))
	}
}

// Bytes is how much is kept.
func (d *Derived) Bytes() int64 {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.bytes
}

// Behind the contents of a small file: its CRC-32C, and a mark.
const (
	mark    = "ald1"
	trailer = 4 + len(mark)
)

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// Get returns a small file; ok is false if it is not there or was torn.
func (d *Derived) Get(name string) (data []byte, ok bool) {
	whole, err := os.ReadFile(d.path(name))
	if err != nil || len(whole) < trailer {
		return nil, false
	}
	data, end := whole[:len(whole)-trailer], whole[len(whole)-trailer:]
	if string(end[4:]) != mark || binary.LittleEndian.Uint32(end) != crc32.Checksum(data, castagnoli) {
		return nil, false
	}
	d.use(name, int64(len(whole)))
	return data[:len(data):len(data)], true
}

// Has says whether a file is there, without reading it.
func (d *Derived) Has(name string) bool {
	_, err := os.Stat(d.path(name))
	return err == nil
}

// Put keeps a small file.
func (d *Derived) Put(name string, data []byte) error {
	f, err := d.scratch.create()
	if err != nil {
		return fmt.Errorf("keep %s: %w", name, err)
	}
	_, err = f.Write(data)
	if err == nil {
		_, err = f.Write(append(binary.LittleEndian.AppendUint32(nil, crc32.Checksum(data, castagnoli)), mark...))
	}
	return d.place(name, f, err)
}

// Keep makes a large file: write is given where to write it. It is complete and synced
// before it can be opened.
func (d *Derived) Keep(name string, write func(*os.File) error) error {
	f, err := d.scratch.create()
	if err != nil {
		return fmt.Errorf("keep %s: %w", name, err)
	}
	if err = write(f); err == nil {
		err = f.Sync()
	}
	return d.place(name, f, err)
}

// Open opens a large file; the error is fs.ErrNotExist if it is not there.
func (d *Derived) Open(name string) (Handle, error) {
	f, err := openFile(d.path(name))
	if err != nil {
		return nil, err
	}
	d.use(name, f.size)
	return f, nil
}

// place closes a scratch file and moves it to its name, unless there was an error.
func (d *Derived) place(name string, f *os.File, err error) error {
	defer os.Remove(f.Name())
	info, statErr := f.Stat()
	if err = errors.Join(err, statErr, f.Close()); err != nil {
		return fmt.Errorf("keep %s: %w", name, err)
	}
	to := d.path(name)
	if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return fmt.Errorf("keep %s: %w", name, err)
	}
	if err := os.Rename(f.Name(), to); err != nil {
		return fmt.Errorf("keep %s: %w", name, err)
	}
	d.note(name, info.Size(), time.Now())
	d.forget()
	return nil
}
