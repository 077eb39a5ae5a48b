package png

import (
	"bufio"
	"encoding/binary"
	"errors"
	"hash"
	"hash/crc32"
	"io"

	"aldermoor/core/codec/fault"
)

// pixels are the bodies of the IDAT chunks one after another, read as they are needed, with their checksums checked.
type pixels struct {
	*bufio.Reader
	idat *idat
}

func newPixels(r io.ReaderAt, at, size int64) *pixels {
	k := &idat{r: bufio.NewReaderSize(io.NewSectionReader(r, at, size-at), 1<<18), sum: crc32.NewIEEE()}
	return &pixels{bufio.NewReaderSize(k, 1<<16), k}
}

// rather reads what is left up to the end of the picture, and says what is wrong with the chunks before what else went
// wrong with what they hold.
func (p *pixels) rather(err error) error {
	var format fault.FormatError
	if err != nil && !errors.As(err, &format) {
		return err // of the reader, or cancelled
	}
	if _, chunks := io.Copy(io.Discard, p.idat); chunks != nil {
		return chunks
	}
	return err
}

// idat reads the bodies of IDAT chunks up to the end of the picture, and passes over others.
type idat struct {
	r    *bufio.Reader
	left int // of the chunk
	kind string
	sum  hash.Hash32
	some bool // a chunk of pixels
	err  error
}

func (k *idat) Read(p []byte) (int, error) {
	for k.err == nil {
		if k.left > 0 {
			n, err := k.r.Read(p[:min(len(p), k.left)])
			k.sum.Write(p[:n])
			if k.left -= n; err != nil {
				k.err = reading(err)
			}
			if k.kind == "IDAT" && n > 0 {
				return n, nil
			}
			continue
		}
		k.err = k.next()
	}
	return 0, k.err
}

// next checks the chunk that was read and begins the one behind it.
func (k *idat) next() error {
	var head [8]byte
	if k.kind != "" {
		if _, err := io.ReadFull(k.r, head[:4]); err != nil {
			return reading(ended(err))
		}
		if binary.BigEndian.Uint32(head[:4]) != k.sum.Sum32() {
			return damagedChunk(k.kind)
		}
		if k.kind == "IEND" {
			if !k.some {
				return fault.FormatError("the PNG has no pixels")
			}
			return io.EOF
		}
	}
	if _, err := io.ReadFull(k.r, head[:]); err != nil {
		return reading(ended(err))
	}
	n := binary.BigEndian.Uint32(head[:])
	if n > 1<<31-1 {
		return fault.Short
	}
	k.left, k.kind = int(n), string(head[4:])
	k.some = k.some || k.kind == "IDAT"
	k.sum.Reset()
	k.sum.Write(head[4:])
	return nil
}

func ended(err error) error {
	if errors.Is(err, io.ErrUnexpectedEOF) {
		return io.EOF
	}
	return err
}
