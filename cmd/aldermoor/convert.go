package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/colour"
	"aldermoor/core/handoff"
	"aldermoor/core/inspect"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/internal/library/materials"
	"aldermoor/internal/library/releases"

	"github.com/spf13/cobra"
)

// convertFlags are the options of convert.
type convertFlags struct {
	profile, tier, out, set, name           string
	normal, roughness, width, height, depth string
	licence, author                         string
	number                                  int
	exr                                     bool
}

func convertCommand() *cobra.Command {
	f := convertFlags{}
	var ids []string
	for _, p := range handoff.Presets() {
		ids = append(ids, p.ID)
	}
	c := &cobra.Command{Use: "convert PATH...", Short: "A set of files in a handoff profile's form, without a server", Args: cobra.MinimumNArgs(1),
		Long: "Sorts files, folders or archives as inspect does, and writes each set in the form of a handoff profile: one of\n" + strings.Join(ids, ", ") + ",\nor a profile's document as JSON. The maps have the same bytes as those of a handoff of the same files.",
		RunE: func(c *cobra.Command, args []string) error {
			form, err := f.form()
			if err != nil {
				return err // wrong use
			}
			if f.out == "" {
				return errors.New("say where the files go: --out DIR")
			}
			return work(func(ctx context.Context, args []string) error { return f.convert(ctx, args, form) })(c, args)
		}}
	flags := c.Flags()
	flags.StringVar(&f.profile, "profile", handoff.Scanned, "a profile's id, or its document: FILE.json")
	flags.StringVar(&f.tier, "tier", "source", "1k, 2k, 4k, 8k or source")
	flags.StringVar(&f.out, "out", "", "the folder that gets a folder for each set")
	flags.StringVar(&f.set, "set", "", "this set alone, where there are several")
	flags.StringVar(&f.name, "name", "", "the material's name; the set's unless given")
	flags.StringVar(&f.normal, "normal", "", "y+ or y-, in place of what the profile has")
	flags.StringVar(&f.roughness, "roughness", "", "roughness or glossiness, in place of what the profile has")
	flags.BoolVar(&f.exr, "exr", false, "OpenEXR in place of the profile's formats")
	flags.StringVar(&f.width, "width", "", "width of one repeat, \"180cm\"; what the files say unless given")
	flags.StringVar(&f.height, "height", "", "height of one repeat; by the proportion of the maps unless given")
	flags.StringVar(&f.depth, "depth", "", "depth of the height map, \"12 mm\"; what the files say unless given")
	flags.StringVar(&f.licence, "licence", "", "SPDX id")
	flags.StringVar(&f.author, "author", "", "who is to be named")
	flags.IntVar(&f.number, "release", 1, "number of the release that it is written as")
	return c
}

// form reads the options that need no files.
func (f *convertFlags) form() (form handoff.Form, err error) {
	profile, ok := handoff.FindPreset(f.profile)
	id := f.profile
	if strings.HasSuffix(strings.ToLower(f.profile), ".json") {
		data, err := os.ReadFile(f.profile)
		if err != nil {
			return form, err
		}
		if profile, err = handoff.ReadProfile(data); err != nil {
			return form, fmt.Errorf("%s: %w", f.profile, err)
		}
		id, ok = strings.TrimSuffix(filepath.Base(f.profile), filepath.Ext(f.profile)), true
	}
	if !ok {
		return form, fmt.Errorf("there is no profile %q; name a FILE.json, or one of those that --help lists", f.profile)
	}
	o, err := releases.ParseOrder("", f.tier, f.normal, f.roughness, map[bool]string{true: "exr"}[f.exr])
	if err != nil {
		return form, err
	}
	profile = profile.With(o.Conventions)
	if err := profile.Check(); err != nil {
		return form, err
	}
	if form, err = profile.At(o.Tier); err != nil {
		return form, err
	}
	form.Label = handoff.Label(id, o.Conventions)
	return form, nil
}

func (f *convertFlags) convert(ctx context.Context, args []string, form handoff.Form) error {
	aside, err := os.MkdirTemp("", "aldermoor-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(aside)
	e, r, err := examineAside(ctx, args, inspect.ReducedPx, terminal(os.Stderr), aside)
	if err != nil {
		return err
	}
	defer e.close()
	sets := r.Sets
	if f.set != "" {
		sets = slices.DeleteFunc(slices.Clone(sets), func(s inspect.Set) bool { return s.Name != f.set })
	}
	if len(sets) == 0 {
		return errors.New("there is no such texture set in these files; aldermoor inspect lists what there is")
	}
	if f.name != "" && len(sets) > 1 {
		return errors.New("--name is for one set; choose it with --set")
	}
	written := 0
	var troubles []string
	for i := range sets {
		m, err := f.material(e, &sets[i])
		if err == nil {
			err = writeHandoff(ctx, filepath.Join(f.out, m.Folder(form)), m, form)
		}
		if err != nil && ctx.Err() != nil {
			return err
		}
		if err != nil {
			troubles = append(troubles, fmt.Sprintf("%s: %v", sets[i].Name, err))
			continue
		}
		written++
		fmt.Printf("%s: %s, %s\n", filepath.Join(f.out, m.Folder(form)), m.Name, form.Name)
	}
	for _, k := range e.failed {
		troubles = append(troubles, k.Error)
	}
	switch {
	case written == 0:
		return errors.New(strings.Join(troubles, "\n"))
	case len(troubles) > 0:
		return partial{strings.Join(troubles, "\n")}
	}
	return nil
}

// material is a set as it is handed over.
func (f *convertFlags) material(e *examiner, set *inspect.Set) (m handoff.Material, err error) {
	m = handoff.Material{Material: set.Surface(e.lookOf), Name: materials.TitleOf(set.Name), Number: f.number, Released: time.Unix(0, 0), Licence: f.licence, Author: f.author, SizeSource: string(set.Size.Source)}
	if f.name != "" {
		m.Name = f.name
	}
	m.Slug = materials.Slug(m.Name)
	if len(m.Mapped()) == 0 {
		return m, errors.New("it has no map whose channel is known")
	}
	if f.width != "" {
		if m.Size.W, err = scale.ParseLength(f.width); err != nil {
			return m, err
		}
		w, h := m.Pixels()
		m.Size.H, m.SizeSource = m.Size.W*float64(h)/float64(w), "typed"
	}
	if f.height != "" && m.Size.W <= 0 {
		return m, errors.New("--height needs --width")
	}
	if f.height != "" {
		if m.Size.H, err = scale.ParseLength(f.height); err != nil {
			return m, err
		}
	}
	if f.depth != "" {
		if m.Depth, err = scale.ParseLength(f.depth); err != nil {
			return m, err
		}
	}
	m.Open = func(k *material.Map, udim string, _ int) (*raster.Image, error) {
		file := strings.TrimSuffix(k.Address(udim), "#"+k.Layer)
		path := e.whole[file]
		if path == "" {
			return nil, fmt.Errorf("%s is not there any more", file)
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		im, _, err := codec.DecodeLayer(data, k.Layer, codec.DefaultLimits)
		return im, err
	}
	return m, nil
}

// writeHandoff writes a handoff's files below a folder, each whole or not at all.
func writeHandoff(ctx context.Context, folder string, m handoff.Material, form handoff.Form) error {
	return handoff.Make(ctx, m, form, colour.NewTables(), func(name string, data []byte) error {
		to := filepath.Join(folder, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
			return err
		}
		if old, err := os.ReadFile(to); err == nil && bytes.Equal(old, data) {
			return nil
		}
		part, err := os.CreateTemp(filepath.Dir(to), ".part-*")
		if err != nil {
			return err
		}
		_, err = io.Copy(part, bytes.NewReader(data))
		if e := part.Close(); err == nil {
			err = e
		}
		if err == nil {
			err = os.Chmod(part.Name(), 0o644)
		}
		if err == nil {
			err = os.Rename(part.Name(), to)
		}
		if err != nil {
			os.Remove(part.Name())
		}
		return err
	})
}
