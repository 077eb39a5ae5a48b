// Package blob keeps the application's files on disk, in three kinds of folder:
//
//   - Blobs: what was delivered and what releases name. Immutable, named by SHA-256,
//     complete and synced before the name is given out, so that a row that names one can
//     rely on it after any crash.
//   - Derived: what can be made again. Bounded; the least recently used files go first.
//   - Scratch: what is being received or unpacked. Emptied when the server starts.
//
// Readers get io.ReaderAt and a size, never a path, so that blobs may lie elsewhere.
package blob

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"
)

// Disk is the three folders of a data folder.
type Disk struct {
	Blobs   *Blobs
	Derived *Derived
	Scratch *Scratch
}

// DefaultDerivedBytes is how much of derived files is kept if nothing else is said.
const DefaultDerivedBytes = 20 << 30

// Open prepares the folders in dir: blobs/, derived/ and incoming/. What an earlier run
// left half-received is removed. derivedBytes bounds derived/; 0 is the default.
func Open(dir string, derivedBytes int64) (*Disk, error) {
	incoming := filepath.Join(dir, "incoming")
	if err := os.RemoveAll(incoming); err != nil {
		return nil, fmt.Errorf("clear %q: %w", incoming, err)
	}
	for _, d := range []string{"blobs", "derived", "incoming"} {
		if err := os.MkdirAll(filepath.Join(dir, d), 0o700); err != nil {
			return nil, fmt.Errorf("make %q: %w", filepath.Join(dir, d), err)
		}
	}
	if derivedBytes <= 0 {
		derivedBytes = DefaultDerivedBytes
	}
	s := &Scratch{incoming}
	return &Disk{&Blobs{dir: filepath.Join(dir, "blobs"), scratch: s}, newDerived(filepath.Join(dir, "derived"), s, derivedBytes), s}, nil
}

// Look opens the blobs of a folder for reading alone: nothing in it is made, cleared or evicted.
func Look(dir string) *Blobs {
	return &Blobs{dir: filepath.Join(dir, "blobs"), scratch: &Scratch{filepath.Join(dir, "incoming")}}
}

// Blobs keeps files by their contents.
type Blobs struct {
	dir     string
	scratch *Scratch
	placing sync.RWMutex // held for writing while a blob is removed
}

// Path is where a blob lies.
func (s *Blobs) Path(sum string) string {
	if len(sum) != 64 || strings.ContainsAny(sum, `/\.`) {
		return filepath.Join(s.dir, "none")
	}
	return filepath.Join(s.dir, sum[:2], sum[2:])
}

// Put stores what r gives and returns its name and length. Storing the same bytes again
// is harmless, and mends a blob that was damaged on disk.
func (s *Blobs) Put(ctx context.Context, r io.Reader) (sum string, n int64, err error) {
	f, err := s.scratch.create()
	if err != nil {
		return "", 0, fmt.Errorf("store a file: %w", err)
	}
	defer os.Remove(f.Name()) // fails once it has been moved
	h := sha256.New()
	n, err = io.Copy(io.MultiWriter(f, h), contextReader{ctx, r})
	if err == nil {
		err = f.Sync()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		return "", n, fmt.Errorf("store a file: %w", err)
	}
	sum = hex.EncodeToString(h.Sum(nil))
	return sum, n, s.keep(f.Name(), sum)
}

// keep moves a synced file to its blob's place, over whatever lies there. The blob's time is when it was put last.
func (s *Blobs) keep(file, sum string) error {
	s.placing.RLock()
	defer s.placing.RUnlock()
	now := time.Now()
	if err := os.Chtimes(file, now, now); err != nil {
		return fmt.Errorf("store a file: %w", err)
	}
	to := s.Path(sum)
	if err := makeDir(filepath.Dir(to)); err != nil {
		return fmt.Errorf("store a file: %w", err)
	}
	if err := os.Rename(file, to); err != nil {
		return fmt.Errorf("store a file: %w", err)
	}
	return syncDir(filepath.Dir(to))
}

// Adopt stores a file that lies on the same disk already: it is read once, to learn its
// name, and linked, not copied. The file itself stays where it is, and must not be
// changed afterwards.
func (s *Blobs) Adopt(ctx context.Context, file string) (sum string, n int64, err error) {
	f, err := os.Open(file)
	if err != nil {
		return "", 0, fmt.Errorf("store a file: %w", err)
	}
	defer f.Close()
	h := sha256.New()
	if n, err = io.Copy(h, contextReader{ctx, f}); err == nil {
		err = f.Sync()
	}
	if err != nil {
		return "", n, fmt.Errorf("store a file: %w", err)
	}
	sum = hex.EncodeToString(h.Sum(nil))
	link := filepath.Join(s.scratch.dir, rand.Text())
	if os.Link(file, link) == nil {
		defer os.Remove(link) // stays where the blob is the same file already
		return sum, n, s.keep(link, sum)
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil { // a disk that cannot link
		return "", n, fmt.Errorf("store a file: %w", err)
	}
	return s.Put(ctx, f)
}

// Read returns a whole blob.
func (s *Blobs) Read(sum string) ([]byte, error) {
	data, err := os.ReadFile(s.Path(sum))
	if err != nil {
		return nil, fmt.Errorf("read blob %.12s: %w", sum, err)
	}
	return data, nil
}

// Handle is an open file; its opener closes it.
type Handle = interface {
	io.ReaderAt
	io.Closer
	Size() int64
}

// Open opens a blob.
func (s *Blobs) Open(sum string) (Handle, error) {
	f, err := openFile(s.Path(sum))
	if err != nil {
		return nil, fmt.Errorf("open blob %.12s: %w", sum, err)
	}
	return f, nil
}

// Has says whether a blob is there, without reading it.
func (s *Blobs) Has(sum string) bool {
	_, err := os.Stat(s.Path(sum))
	return err == nil
}

// Verify reads every blob and calls wrong for those whose contents are not what their
// name says.
func (s *Blobs) Verify(ctx context.Context, wrong func(sum, says string)) (count int, err error) {
	err = filepath.WalkDir(s.dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		count++
		sum := filepath.Base(filepath.Dir(p)) + filepath.Base(p)
		f, err := os.Open(p)
		if err != nil {
			wrong(sum, err.Error())
			return nil
		}
		defer f.Close()
		h := sha256.New()
		if _, err := io.Copy(h, contextReader{ctx, f}); err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			wrong(sum, err.Error())
		} else if got := hex.EncodeToString(h.Sum(nil)); got != sum {
			wrong(sum, "its contents have changed")
		}
		return nil
	})
	return count, err
}

// File is an open file of known size.
type File struct {
	*os.File
	size int64
}

// Size is the file's length in bytes.
func (f *File) Size() int64 { return f.size }

func openFile(path string) (*File, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return &File{f, info.Size()}, nil
}

// Scratch is where files are received and unpacked.
type Scratch struct{ dir string }

func (s *Scratch) create() (*os.File, error) {
	return os.OpenFile(filepath.Join(s.dir, rand.Text()), os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
}

// Keep writes what it reads to a temporary file, where it can be read at will until done
// is called.
func (s *Scratch) Keep(r io.Reader) (at io.ReaderAt, size int64, done func(), err error) {
	f, err := s.create()
	if err != nil {
		return nil, 0, nil, fmt.Errorf("keep a temporary file: %w", err)
	}
	return keepIn(f, r)
}

// KeepTemporary is Scratch.Keep in the system's folder for temporary files.
func KeepTemporary(r io.Reader) (at io.ReaderAt, size int64, done func(), err error) {
	f, err := os.CreateTemp("", "aldermoor-*")
	if err != nil {
		return nil, 0, nil, fmt.Errorf("keep a temporary file: %w", err)
	}
	return keepIn(f, r)
}

func keepIn(f *os.File, r io.Reader) (at io.ReaderAt, size int64, done func(), err error) {
	done = func() { f.Close(); os.Remove(f.Name()) }
	if size, err = io.Copy(f, r); err != nil {
		done()
		return nil, 0, nil, fmt.Errorf("keep a temporary file: %w", err)
	}
	return f, size, done, nil
}

type contextReader struct {
	ctx context.Context
	r   io.Reader
}

func (c contextReader) Read(p []byte) (int, error) {
	if err := c.ctx.Err(); err != nil {
		return 0, err
	}
	return c.r.Read(p)
}

// makeDir makes a folder whose entry in the one above survives a crash.
func makeDir(dir string) error {
	if _, err := os.Stat(dir); err == nil {
		return nil
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	return syncDir(filepath.Dir(dir))
}

func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}
