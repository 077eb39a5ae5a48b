// Package blob keeps files by their contents: a blob's name is its SHA-256.
//
// A blob is complete and on the disk before its name is given out, so a row that
// names one can rely on it after any crash. Blobs are never changed. Beside them
// the store keeps derived files, which may be deleted at any time.
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
)

// Store is a folder with blobs/, derived/ and incoming/.
type Store struct{ dir string }

// Open prepares the folders. What an earlier run left half-received is removed.
func Open(dir string) (*Store, error) {
	s := &Store{dir}
	if err := os.RemoveAll(s.path("incoming")); err != nil {
		return nil, fmt.Errorf("clear %q: %w", s.path("incoming"), err)
	}
	for _, d := range []string{"blobs", "derived", "incoming"} {
		if err := os.MkdirAll(s.path(d), 0o755); err != nil {
			return nil, fmt.Errorf("make %q: %w", s.path(d), err)
		}
	}
	return s, nil
}

func (s *Store) path(parts ...string) string {
	return filepath.Join(append([]string{s.dir}, parts...)...)
}

// Path is where a blob lies.
func (s *Store) Path(sum string) string {
	if len(sum) != 64 || strings.ContainsAny(sum, `/\.`) {
		return s.path("blobs", "none")
	}
	return s.path("blobs", sum[:2], sum[2:])
}

// Put stores what r gives and returns its name and length. Storing the same
// bytes twice is harmless.
func (s *Store) Put(ctx context.Context, r io.Reader) (sum string, n int64, err error) {
	name := s.path("incoming", rand.Text())
	f, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if err != nil {
		return "", 0, fmt.Errorf("store a file: %w", err)
	}
	defer os.Remove(name) // fails once it has been moved
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
	to := s.Path(sum)
	if _, err := os.Stat(to); err == nil {
		return sum, n, nil
	}
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return "", n, fmt.Errorf("store a file: %w", err)
	}
	if err := os.Rename(name, to); err != nil {
		return "", n, fmt.Errorf("store a file: %w", err)
	}
	return sum, n, syncDir(filepath.Dir(to))
}

// Adopt stores a file that lies on the same disk already: it is read once, to
// learn its name, and linked, not copied. The file itself stays where it is, and
// must not be changed afterwards.
func (s *Store) Adopt(ctx context.Context, file string) (sum string, n int64, err error) {
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
	to := s.Path(sum)
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return "", n, fmt.Errorf("store a file: %w", err)
	}
	switch err := os.Link(file, to); {
	case err == nil:
		return sum, n, syncDir(filepath.Dir(to))
	case errors.Is(err, fs.ErrExist):
		return sum, n, nil
	}
	if _, err := f.Seek(0, io.SeekStart); err != nil { // a disk that cannot link
		return "", n, fmt.Errorf("store a file: %w", err)
	}
	return s.Put(ctx, f)
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

func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// Read returns a whole blob.
func (s *Store) Read(sum string) ([]byte, error) {
	data, err := os.ReadFile(s.Path(sum))
	if err != nil {
		return nil, fmt.Errorf("read blob %.12s: %w", sum, err)
	}
	return data, nil
}

// Open opens a blob.
func (s *Store) Open(sum string) (*os.File, error) {
	f, err := os.Open(s.Path(sum))
	if err != nil {
		return nil, fmt.Errorf("open blob %.12s: %w", sum, err)
	}
	return f, nil
}

// Verify reads every blob and calls wrong for those whose contents are not what
// their name says.
func (s *Store) Verify(ctx context.Context, wrong func(sum, says string)) (count int, err error) {
	err = filepath.WalkDir(s.path("blobs"), func(p string, d fs.DirEntry, err error) error {
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

// Derived returns a derived file, making it first if it is not there. Name must
// be made of letters, digits, '-', '.' and '/'.
func (s *Store) Derived(name string, make func() ([]byte, error)) ([]byte, error) {
	data, err := os.ReadFile(s.path("derived", filepath.FromSlash(name)))
	if err == nil && len(data) > 0 {
		return data, nil
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	if data, err = make(); err != nil {
		return nil, err
	}
	return data, s.PutDerived(name, data)
}

// PutDerived stores a derived file.
func (s *Store) PutDerived(name string, data []byte) error {
	to := s.path("derived", filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return err
	}
	tmp := s.path("incoming", rand.Text())
	if err := os.WriteFile(tmp, data, 0o644); err != nil {
		os.Remove(tmp)
		return err
	}
	return os.Rename(tmp, to)
}

// DerivedPath is where a derived file lies, and whether it is there.
func (s *Store) DerivedPath(name string) (string, bool) {
	p := s.path("derived", filepath.FromSlash(name))
	_, err := os.Stat(p)
	return p, err == nil
}

// Aside keeps what it reads in a temporary file until done is called, where it can be
// read at will.
func (s *Store) Aside(r io.Reader) (at io.ReaderAt, size int64, done func(), err error) {
	return Aside(s.path("incoming"), r)
}

// Aside keeps what it reads in a temporary file in dir, the system's folder for such
// if dir is "", until done is called.
func Aside(dir string, r io.Reader) (at io.ReaderAt, size int64, done func(), err error) {
	f, err := os.CreateTemp(dir, "aside-*")
	if err != nil {
		return nil, 0, nil, fmt.Errorf("put a file aside: %w", err)
	}
	done = func() { f.Close(); os.Remove(f.Name()) }
	if size, err = io.Copy(f, r); err != nil {
		done()
		return nil, 0, nil, fmt.Errorf("put a file aside: %w", err)
	}
	return f, size, done, nil
}
