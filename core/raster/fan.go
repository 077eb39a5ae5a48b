package raster

import (
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
	"sync/atomic"
)

// Panic is what a goroutine of Rows or Each panicked with. The caller's goroutine
// panics with it in turn, where it can be recovered; Stack is the first goroutine's.
type Panic struct {
	Value any
	Stack []byte
}

// Trace is Stack, for those who know no raster.
func (p *Panic) Trace() []byte { return p.Stack }

// Error says what the panic was.
func (p *Panic) Error() string { return fmt.Sprint(p.Value) }

// bands is how many a core works on one after another. Between two of them others may have
// the core: a server goes on answering.
const bands = 4

// Rows calls f on bands of 0..h that together cover it, in parallel on every core,
// and returns when all are done. A panic in f reaches the caller as a *Panic.
func Rows(h int, f func(y0, y1 int)) {
	cores := min(runtime.GOMAXPROCS(0), h)
	if cores <= 1 {
		f(0, h)
		return
	}
	n := min(bands*cores, max(cores, h/16))
	var c carrier
	for i := range cores {
		c.run(func() {
			for k := i; k < n; k += cores {
				f(h*k/n, h*(k+1)/n)
				runtime.Gosched()
			}
		})
	}
	c.wait()
}

// Each calls f for 0..n−1, as many at a time as there are cores, and returns when all
// are done. A panic in f reaches the caller as a *Panic; the other calls still run.
func Each(n int, f func(i int)) {
	var next atomic.Int64
	var c carrier
	for range min(runtime.GOMAXPROCS(0), n) {
		c.run(func() {
			for {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				func() {
					defer c.catch()
					f(i)
				}()
			}
		})
	}
	c.wait()
}

// carrier runs goroutines and brings the first panic of any to the waiting caller.
type carrier struct {
	wg    sync.WaitGroup
	first atomic.Pointer[Panic]
}

func (c *carrier) run(f func()) {
	c.wg.Go(func() {
		defer c.catch()
		f()
	})
}

// catch keeps the panic of the running goroutine, if there is one and it is the first.
func (c *carrier) catch() {
	v := recover()
	if v == nil {
		return
	}
	p, ok := v.(*Panic)
	if !ok {
		p = &Panic{v, debug.Stack()}
	}
	c.first.CompareAndSwap(nil, p)
}

func (c *carrier) wait() {
	c.wg.Wait()
	if p := c.first.Load(); p != nil {
		panic(p)
	}
}
