package library

import (
	"context"
	"io"
	"os"
)

// Blobs keeps files by their contents.
type Blobs interface {
	Put(ctx context.Context, r io.Reader) (sum string, n int64, err error)
	Adopt(ctx context.Context, file string) (sum string, n int64, err error)
	Read(sum string) ([]byte, error)
	Open(sum string) (Blob, error)
	Has(sum string) bool
}

// Blob is an open file.
type Blob = interface {
	io.ReaderAt
	io.Closer
	Size() int64
}

// Derived keeps files that can be made again; see internal/blob.
type Derived interface {
	Get(name string) (data []byte, ok bool)
	Put(name string, data []byte) error
	Has(name string) bool
	Open(name string) (Blob, error)
	Keep(name string, write func(*os.File) error) error
}

// Scratch keeps what it reads where it can be read at will, until done is called.
type Scratch interface {
	Keep(r io.Reader) (at io.ReaderAt, size int64, done func(), err error)
}
