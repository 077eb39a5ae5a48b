// Package budget bounds what reading one file may take: memory, charged before it is allocated, and time, by a
// context. All readers of a file share one budget.
package budget

import (
	"context"
	"fmt"
	"io"
	"sync/atomic"

	"aldermoor/core/codec/fault"
)

// Budget is what is left to one file. A nil Budget has no bounds.
type Budget struct {
	ctx  context.Context
	most int64
	used atomic.Int64
}

// What a file may take beside a multiple of its own size: flat pictures pack a thousand times (Deflate, RFC 1951),
// and those of one bit a pixel are kept in sixteen for each component.
const (
	free = 256 << 20
	each = 1 << 16
)

// New is the budget of a file of some bytes: at most most bytes of memory (0 for no bound), until the
// context ends.
func New(ctx context.Context, file int, most int64) *Budget {
	b := &Budget{ctx: ctx, most: free + each*int64(file)}
	if most > 0 {
		b.most = min(b.most, most)
	}
	return b
}

// Take charges n bytes; an error if they are not left, or if reading was cancelled.
func (b *Budget) Take(n int64) error {
	if b == nil {
		return nil
	}
	if err := b.Err(); err != nil {
		return err
	}
	if used := b.used.Add(n); n < 0 || used > b.most {
		b.used.Add(-n)
		return fault.LimitError(fmt.Sprintf("reading it takes more than %d MB of memory, far more than a file of its size should", b.most>>20))
	}
	return nil
}

// Give takes a charge back.
func (b *Budget) Give(n int64) {
	if b != nil {
		b.used.Add(-n)
	}
}

// Picture charges a picture of n components, each of so many bytes a sample.
func (b *Budget) Picture(w, h, n, bytes int) error {
	return b.Take(int64(w) * int64(h) * int64(n) * int64(bytes))
}

// Err is the context's error once reading was cancelled.
func (b *Budget) Err() error {
	if b == nil || b.ctx == nil {
		return nil
	}
	return b.ctx.Err()
}

// Reader reads from r until the context ends.
func (b *Budget) Reader(r io.Reader) io.Reader {
	if b == nil || b.ctx == nil {
		return r
	}
	return reader{r, b}
}

type reader struct {
	r io.Reader
	b *Budget
}

func (r reader) Read(p []byte) (int, error) {
	if err := r.b.Err(); err != nil {
		return 0, err
	}
	return r.r.Read(p[:min(len(p), 256<<10)])
}
