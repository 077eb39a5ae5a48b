package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
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

	"github.com/spf13/cobra"
)

func inspectCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{Use: "inspect PATH...", Short: "Sort, map and measure files, folders or archives; changes nothing", Args: cobra.MinimumNArgs(1),
		RunE: work(func(ctx context.Context, args []string) error {
			e := &examiner{ctx: ctx, slots: make(chan struct{}, runtime.GOMAXPROCS(0)), levels: map[string]*raster.Image{}, progress: !asJSON && terminal(os.Stderr)}
			for _, path := range args {
				if err := e.path(path); err != nil {
					return err
				}
			}
			e.works.Wait()
			if e.progress {
				fmt.Fprint(os.Stderr, "\r\x1b[K")
			}
			r := inspect.Assemble(e.seen, func(file, layer string) *raster.Image { return e.levels[channels.Address(file, layer)] })
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

// examiner goes through files, several at a time, and keeps what it saw.
type examiner struct {
	ctx      context.Context
	slots    chan struct{} // one a file in the works
	works    sync.WaitGroup
	mu       sync.Mutex // guards what follows
	seen     []inspect.Examined
	failed   []inspect.Failure
	levels   map[string]*raster.Image
	progress bool
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
		return e.look(name, f)
	}
	info, err := f.Stat()
	if err != nil {
		return err
	}
	limits := parcel.DefaultLimits
	limits.Aside = func(r io.Reader) (io.ReaderAt, int64, func(), error) { return blob.Aside("", r) }
	problems, err := parcel.Unpack(kind, f, info.Size(), limits, e.look)
	for _, q := range problems {
		e.failed = append(e.failed, inspect.Failure{File: name + "/" + q.Name, Error: q.Name + " " + q.Says + "."})
	}
	if err != nil && e.ctx.Err() == nil {
		e.failed = append(e.failed, inspect.Failure{File: name, Error: name + ": " + err.Error() + "."})
		return nil
	}
	return err
}

func (e *examiner) look(name string, r io.Reader) error {
	if err := e.ctx.Err(); err != nil {
		return err
	}
	var b bytes.Buffer
	if n, err := io.Copy(&b, io.LimitReader(r, codec.DefaultLimits.Bytes+1)); err != nil {
		return err
	} else if n > codec.DefaultLimits.Bytes {
		e.failed = append(e.failed, inspect.Failure{File: name, Error: fmt.Sprintf("%s has more than %d GiB. Send a smaller file.", name, codec.DefaultLimits.Bytes>>30)})
		return nil
	}
	e.slots <- struct{}{}
	e.works.Go(func() {
		defer func() { <-e.slots }()
		e.examine(name, b.Bytes())
	})
	return nil
}

func (e *examiner) examine(name string, data []byte) {
	x, _ := inspect.Examine(name, data, codec.DefaultLimits, func(layer string, im *raster.Image) error {
		im, _, _ = im.Unit()
		var planes []raster.Plane
		for c := range im.Components() {
			planes = append(planes, im.Reduced(c, 512))
		}
		e.mu.Lock()
		defer e.mu.Unlock()
		e.levels[channels.Address(name, layer)] = raster.FromPlanes(planes...)
		return nil
	}) // keeping fails never
	e.mu.Lock()
	defer e.mu.Unlock()
	e.seen = append(e.seen, x)
	if e.progress {
		fmt.Fprintf(os.Stderr, "\r\x1b[K%d files, %s", len(e.seen), name)
	}
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
