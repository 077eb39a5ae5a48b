package main

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/inspect"
	"aldermoor/core/parcel"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/internal/blob"
	"aldermoor/internal/library"
	"aldermoor/internal/library/studio"
	"aldermoor/internal/wording"

	"github.com/spf13/cobra"
)

func inspectCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "inspect PATH...", Short: "Sort, map and measure files, folders or archives; changes nothing", Args: cobra.MinimumNArgs(1),
		RunE: work(func(ctx context.Context, args []string) error {
			e, r, err := examine(ctx, args, inspect.ReducedPx, !asJSON && terminal(os.Stderr))
			if err != nil {
				return err
			}
			defer e.close()
			wording.Report(&r)
			r.Failed = append(r.Failed, e.failed...)
			if asJSON {
				out := json.NewEncoder(os.Stdout)
				out.SetIndent("", "  ")
				if err := out.Encode(r); err != nil {
					return err
				}
			} else {
				tell(os.Stdout, r)
			}
			if len(r.Failed) > 0 {
				return partial{fmt.Sprintf("%d files could not be read", len(r.Failed))}
			}
			for _, s := range r.Sets {
				if slices.ContainsFunc(s.Findings, func(f inspect.Finding) bool { return f.Severity != inspect.Note }) {
					return partial{}
				}
			}
			return nil
		})}
	c.Flags().BoolVar(&asJSON, "json", false, "print one JSON object")
	return c
}

// examine looks at files, folders and archives and sorts them into sets. Copies of their pictures of
// at most px pixels a side can be asked for until the examiner is closed.
func examine(ctx context.Context, paths []string, px int, progress bool) (*examiner, inspect.Report, error) {
	return examineAside(ctx, paths, px, progress, "")
}

// examineAside is examine that keeps the files of archives in a folder, so that the examiner's whole
// has every file.
func examineAside(ctx context.Context, paths []string, px int, progress bool, aside string) (*examiner, inspect.Report, error) {
	e := &examiner{ctx: ctx, aside: aside, whole: map[string]string{}, slots: make(chan struct{}, runtime.GOMAXPROCS(0)), small: map[string]kept{}, px: px, progress: progress,
		memory: library.NewMemory(studio.DefaultMemory)}
	var err error
	if e.scratch, err = os.CreateTemp("", "aldermoor-*"); err != nil {
		return nil, inspect.Report{}, err
	}
	for _, path := range paths {
		if err = e.path(path); err != nil {
			break
		}
	}
	e.works.Wait()
	if e.progress {
		fmt.Fprint(os.Stderr, "\r\x1b[K")
	}
	var r inspect.Report
	if err == nil {
		r = inspect.Assemble(e.seen, inspect.Copies{
			Reduced: func(file, layer string) *raster.Image {
				im := e.level(channels.Address(file, layer))
				if im == nil || e.px == inspect.ReducedPx {
					return im
				}
				return inspect.Reduced(im)
			},
			Close: func(file, layer string) *raster.Image { return e.level(closeMark + channels.Address(file, layer)) },
		})
		err = e.trouble
	}
	if err != nil {
		e.close()
		return nil, r, err
	}
	for i := range r.Sets {
		if s := &r.Sets[i]; s.Name == "" { // of files named by their channels alone, in no folder of their own
			if root, err := filepath.Abs(paths[0]); err == nil {
				s.Name = strings.TrimSuffix(filepath.Base(root), filepath.Ext(root))
			}
		}
	}
	return e, r, nil
}

func (e *examiner) close() {
	e.scratch.Close()
	os.Remove(e.scratch.Name())
}

// examiner goes through files, several at a time, and keeps what it saw.
type examiner struct {
	px       int // longer side of the copies that are kept
	ctx      context.Context
	slots    chan struct{} // one a file in the works
	memory   *library.Memory
	works    sync.WaitGroup
	mu       sync.Mutex // guards what follows
	seen     []inspect.Examined
	failed   []inspect.Failure
	small    map[string]kept // reduced copies, by address
	scratch  *os.File        // where they lie: memory does not grow with the files
	end      int64
	trouble  error // of the scratch file
	progress bool
	aside    string            // the folder for files of archives; "" keeps none
	whole    map[string]string // where each file lies, if aside is set
}

func (e *examiner) path(root string) error {
	info, err := os.Stat(root)
	if err != nil {
		return err
	}
	if !info.IsDir() {
		return e.file(root, filepath.Base(root))
	}
	return filepath.WalkDir(root, func(p string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() {
			return err
		}
		rel, err := filepath.Rel(root, p)
		if err != nil {
			return err
		}
		if name := filepath.ToSlash(rel); !parcel.Ignored(name) {
			return e.file(p, name)
		}
		return nil
	})
}

// file examines one file, or the files of the archive that it is.
func (e *examiner) file(p, name string) error {
	f, err := os.Open(p)
	if err != nil {
		return err
	}
	defer f.Close()
	head := make([]byte, 512)
	n, err := f.ReadAt(head, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	kind := parcel.Recognise(head[:n])
	if foreign := parcel.Foreign(head[:n]); foreign != "" {
		e.failed = append(e.failed, inspect.Failure{File: name, Error: name + " " + parcel.NotOpened(foreign) + "."})
		return nil
	}
	if kind == parcel.None {
		if e.aside != "" {
			e.whole[name] = p
		}
		return e.look(name, f)
	}
	info, err := f.Stat()
	if err != nil {
		return err
	}
	limits := parcel.DefaultLimits
	limits.Aside = blob.KeepTemporary
	problems, err := parcel.Unpack(kind, f, info.Size(), limits, e.unpacked)
	for _, q := range problems {
		e.failed = append(e.failed, inspect.Failure{File: name + "/" + q.Name, Error: q.Name + " " + q.Says + "."})
	}
	if err != nil && e.ctx.Err() == nil {
		e.failed = append(e.failed, inspect.Failure{File: name, Error: name + ": " + err.Error() + "."})
		return nil
	}
	return err
}

// unpacked examines a file of an archive, and keeps it aside if that is wanted.
func (e *examiner) unpacked(name string, r io.Reader) error {
	if e.aside == "" {
		return e.look(name, r)
	}
	f, err := os.CreateTemp(e.aside, "file-*")
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := io.Copy(f, r); err != nil {
		return err
	}
	e.whole[name] = f.Name()
	return e.look(name, f)
}

// look examines a stream: from memory if it is small, else from a temporary file.
func (e *examiner) look(name string, r io.Reader) error {
	if err := e.ctx.Err(); err != nil {
		return err
	}
	at, size, done, err := held(r)
	if err != nil {
		return err
	}
	e.slots <- struct{}{}
	e.works.Go(func() {
		defer func() { <-e.slots }()
		defer done()
		e.examine(name, inspect.Source{ReaderAt: at, Size: size})
	})
	return nil
}

// heldBytes is up to what size a stream is held in memory.
const heldBytes = 64 << 20

func held(r io.Reader) (at io.ReaderAt, size int64, done func(), err error) {
	if f, ok := r.(*os.File); ok { // its opener may close it too early
		again, err := os.Open(f.Name())
		if err != nil {
			return nil, 0, nil, err
		}
		info, err := again.Stat()
		if err != nil {
			again.Close()
			return nil, 0, nil, err
		}
		return again, info.Size(), func() { again.Close() }, nil
	}
	var b bytes.Buffer
	n, err := io.Copy(&b, io.LimitReader(r, heldBytes))
	if err != nil {
		return nil, 0, nil, err
	}
	if n < heldBytes {
		return bytes.NewReader(b.Bytes()), n, func() {}, nil
	}
	return blob.KeepTemporary(io.MultiReader(&b, r))
}

func (e *examiner) examine(name string, src inspect.Source) {
	defer func() {
		if p := recover(); p != nil { // one file must not keep the others from being seen
			e.mu.Lock()
			defer e.mu.Unlock()
			e.failed = append(e.failed, inspect.Failure{File: name, Error: fmt.Sprintf("%s could not be examined: internal error: %v.", name, p)})
		}
	}()
	src.Reserve = func(n int64) (func(), error) { return e.memory.Reserve(e.ctx, n) }
	x, err := inspect.Examine(name, src, codec.DefaultLimits, func(layer string, im *raster.Image) error {
		if max(im.W, im.H) > inspect.ReducedPx {
			if err := e.keep(closeMark+channels.Address(name, layer), inspect.CloseUp(im)); err != nil {
				return err
			}
		}
		if e.px == inspect.ReducedPx {
			return e.keep(channels.Address(name, layer), inspect.Reduced(im))
		}
		var planes []raster.Plane
		for c := range im.Components() {
			planes = append(planes, im.Reduced(c, e.px))
		}
		small := raster.FromPlanes(planes...)
		if !im.Float() {
			small = small.Quantise(16)
		}
		return e.keep(channels.Address(name, layer), small)
	})
	e.mu.Lock()
	defer e.mu.Unlock()
	if err != nil {
		e.failed = append(e.failed, inspect.Failure{File: name, Error: fmt.Sprintf("%s could not be examined: %v.", name, err)})
		return
	}
	e.seen = append(e.seen, x)
	if e.progress {
		fmt.Fprintf(os.Stderr, "\r\x1b[K%d files, %s", len(e.seen), name)
	}
}

// kept is where a reduced copy lies in the scratch file: plane after plane.
type kept struct {
	at      int64
	w, h, n int
	bits    int // a sample: 8 or 16 for integers, 32 for floats
}

// bytes is what a plane takes in the scratch file.
func (k kept) bytes() int { return k.w * k.h * k.bits / 8 }

// closeMark begins the addresses of close-ups.
const closeMark = "\x00"

// keep writes a reduced copy to the scratch file.
func (e *examiner) keep(address string, im *raster.Image) error {
	k := kept{w: im.W, h: im.H, n: im.Components(), bits: 16}
	switch {
	case im.Float():
		k.bits = 32
	case im.Bits <= 8:
		k.bits = 8
	}
	data := make([]byte, 0, k.n*k.bytes())
	for _, p := range im.Planes {
		switch p := p.(type) {
		case raster.Floats:
			for _, v := range p {
				data = binary.LittleEndian.AppendUint32(data, math.Float32bits(v))
			}
		case raster.Ints:
			for _, v := range p {
				if data = append(data, byte(v)); k.bits == 16 {
					data = append(data, byte(v>>8))
				}
			}
		}
	}
	e.mu.Lock()
	k.at = e.end
	e.end += int64(len(data))
	e.small[address] = k
	e.mu.Unlock()
	_, err := e.scratch.WriteAt(data, k.at)
	return err
}

// level reads a reduced copy back; nil if there is none.
func (e *examiner) level(address string) *raster.Image {
	k, ok := e.small[address]
	if !ok {
		return nil
	}
	data := make([]byte, k.n*k.bytes())
	if _, err := e.scratch.ReadAt(data, k.at); err != nil {
		e.mu.Lock()
		defer e.mu.Unlock()
		e.trouble = err
		return nil
	}
	if k.bits == 32 {
		im := raster.NewFloat(k.w, k.h, k.n, 32)
		for c := range im.Planes {
			plane := im.Floats(c)
			for i := range plane {
				plane[i] = math.Float32frombits(binary.LittleEndian.Uint32(data[4*(c*len(plane)+i):]))
			}
		}
		return im
	}
	im := raster.New(k.w, k.h, k.n, k.bits)
	for c := range im.Planes {
		plane, stored := im.Ints(c), data[c*k.bytes():(c+1)*k.bytes()]
		for i := range plane {
			if k.bits == 8 {
				plane[i] = 257 * uint16(stored[i])
			} else {
				plane[i] = binary.LittleEndian.Uint16(stored[2*i:])
			}
		}
	}
	return im
}

// tell prints a report for people.
func tell(w io.Writer, r inspect.Report) {
	for _, s := range r.Sets {
		fmt.Fprintf(w, "%s\n", s.Name)
		if s.Size.Width != nil {
			fmt.Fprintf(w, "  %s × %s (%s)", scale.Metres(*s.Size.Width), scale.Metres(*s.Size.Height), s.Size.Source)
			if s.Density != nil {
				fmt.Fprintf(w, ", %s px/m", scale.Figure(s.Density[0]))
			}
			if s.Depth != nil {
				fmt.Fprintf(w, ", %.1f mm deep", s.Depth.Value*1000)
			}
			fmt.Fprintln(w)
		}
		for _, m := range s.Maps {
			extra := ""
			if m.Direction != nil {
				extra = " " + *m.Direction
			}
			if m.Component != "rgb" {
				extra += " in " + m.Component
			}
			fmt.Fprintf(w, "  %-12s %3.0f %%  %5d × %-5d %2d bit  %s%s\n", m.Channel, 100*m.Confidence, m.Width, m.Height, m.Bits, m.File, extra)
		}
		for _, u := range s.Unassigned {
			fmt.Fprintf(w, "  %-12s        %s\n", "?", u)
		}
		for _, a := range s.Attachments {
			fmt.Fprintf(w, "  %-12s        %s\n", strings.ReplaceAll(a.Kind, "_", " "), a.File)
		}
		for _, f := range s.Findings {
			fmt.Fprintf(w, "  %s: %s\n", f.Severity, f.Says)
		}
	}
	for _, f := range r.Failed {
		fmt.Fprintf(w, "not read: %s\n", f.Error)
	}
}

func terminal(f *os.File) bool {
	info, err := f.Stat()
	return err == nil && info.Mode()&os.ModeCharDevice != 0
}
