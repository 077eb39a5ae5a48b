package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/codec/exr"
	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/inspect"
	"aldermoor/core/light"
	"aldermoor/core/material"
	"aldermoor/core/mesh"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/core/shape"

	"github.com/spf13/cobra"
)

// renderFlags are the options of render as they are typed.
type renderFlags struct {
	out, env, tone, background, channel, quality, set string
	px, height, texture                               int
	plaster, flat                                     bool
	view                                              shade.View
}

func renderCommand() *cobra.Command {
	f := renderFlags{view: shade.NewView()}
	ids, _ := light.Scenes()
	c := &cobra.Command{Use: "render PATH...", Short: "A picture of a set of files, without a server", Args: cobra.MinimumNArgs(1),
		Long: "Sorts files, folders or archives as inspect does, and pictures the set on a shape of a real size, under one of our environments\nor one of your own. The same files and options give the same picture, byte for byte.",
		RunE: func(c *cobra.Command, args []string) error {
			if err := f.check(c.Flags().Changed("extent")); err != nil {
				return err // wrong use
			}
			return work(func(ctx context.Context, args []string) error { return f.render(ctx, args) })(c, args)
		}}
	v := &f.view
	flags := c.Flags()
	flags.StringVar(&f.out, "out", "", "the picture to write: FILE.png (sRGB, 16 bit) or FILE.exr (linear, float)")
	flags.StringVar(&v.Shape, "shape", v.Shape, strings.Join(shape.Names, ", ")+", or a FILE.obj, FILE.gltf or FILE.glb")
	flags.IntVar(&f.px, "px", 512, "width in pixels")
	flags.IntVar(&f.height, "height", 0, "height in pixels; the width unless given")
	flags.StringVar(&f.env, "env", light.Default, strings.Join(ids, ", ")+", or a FILE.hdr or FILE.exr of all directions")
	flags.Float64Var(&v.Turn, "turn", 0, "turns the light to the right, degrees")
	flags.Float64Var(&v.Tilt, "tilt", 0, "raises the light, degrees")
	flags.Float64Var(&v.Strength, "strength", 1, "factor on the light")
	flags.Float64Var(&v.Exposure, "exposure", 0, "stops")
	flags.StringVar(&f.tone, "tone", "curve", "curve, or none: light is cut at white")
	flags.StringVar(&f.quality, "quality", "preview", "preview, or reference: traced paths")
	flags.IntVar(&v.Samples, "samples", 64, "paths a pixel, for reference")
	flags.Uint64Var(&v.Seed, "seed", 0, "of the paths")
	flags.Float64Var(&v.Yaw, "yaw", 0, "turns the shape to the right, degrees")
	flags.Float64Var(&v.Pitch, "pitch", v.Pitch, "tips the shape's top towards the viewer, degrees")
	flags.Float64Var(&v.Zoom, "zoom", 1, "1 fits the shape into the picture")
	flags.Float64Var(&v.Extent, "extent", 0, "metres that the shape measures, or that a swatch shows; about a repeat unless given")
	flags.StringVar(&f.background, "background", "none", "none, mat, environment, #rrggbb, or a FILE")
	flags.StringVar(&f.channel, "channel", "", "this channel alone, without light")
	flags.BoolVar(&f.plaster, "plaster", false, "neutral colour: relief and roughness alone")
	flags.BoolVar(&f.flat, "no-relief", false, "normals alone, without the height map's depth")
	flags.IntVar(&f.texture, "texture", 0, "longest side of the maps in pixels; what the picture needs unless given")
	flags.StringVar(&f.set, "set", "", "the set to picture, where there are several")
	return c
}

// check reads the options that need no files.
func (f *renderFlags) check(sized bool) error {
	v := &f.view
	ending := strings.ToLower(filepath.Ext(f.out))
	switch {
	case f.out == "":
		return errors.New("say where the picture goes: --out FILE.png")
	case ending != ".png" && ending != ".exr":
		return fmt.Errorf("--out %s: a picture ends in .png or .exr", f.out)
	case !slices.Contains(shape.Names, v.Shape) && !slices.Contains(models, strings.ToLower(filepath.Ext(v.Shape))):
		return fmt.Errorf("--shape %s: there are %s, or name a .obj, .gltf or .glb file", v.Shape, strings.Join(shape.Names, ", "))
	case f.px < 1 || f.px > shade.Largest || f.height < 0 || f.height > shade.Largest:
		return fmt.Errorf("a picture has 1 to %d pixels a side", shade.Largest)
	case f.tone != "curve" && f.tone != "none":
		return fmt.Errorf("--tone %s: curve or none", f.tone)
	case f.quality != string(shade.Preview) && f.quality != string(shade.Reference):
		return fmt.Errorf("--quality %s: preview or reference", f.quality)
	case v.Samples < 1 || v.Samples > 65536:
		return errors.New("--samples is between 1 and 65,536")
	case sized && !(v.Extent > 0 && v.Extent <= 1000):
		return errors.New("--extent is a length in metres, up to 1,000")
	case !(v.Zoom > 0) || !(v.Strength >= 0):
		return errors.New("--zoom must be more than 0, --strength 0 or more")
	}
	if f.channel != "" {
		if _, ok := material.Parse(f.channel); !ok {
			return fmt.Errorf("--channel %s: there is no such channel", f.channel)
		}
	}
	v.Channel = material.Channel(f.channel)
	if v.W, v.H = f.px, f.height; v.H == 0 {
		v.H = f.px
	}
	v.Tone, v.Quality, v.Plaster, v.Relief = f.tone == "curve", shade.Quality(f.quality), f.plaster, !f.flat
	return nil
}

func (f *renderFlags) render(ctx context.Context, args []string) error {
	v := &f.view
	var err error
	if v.Light, err = environmentOf(f.env); err != nil {
		return err
	}
	if v.Background, err = backgroundOf(f.background); err != nil {
		return err
	}
	if !slices.Contains(shape.Names, v.Shape) {
		if v.Mesh, err = readModel(v.Shape, v.Extent); err != nil {
			return fmt.Errorf("%s: %w", v.Shape, err)
		}
	}
	px := f.texture
	if px <= 0 {
		px = min(max(4*max(v.W, v.H), 1024), 4096)
	}
	e, r, err := examine(ctx, args, px, terminal(os.Stderr))
	if err != nil {
		return err
	}
	defer e.close()
	set, err := f.choose(r.Sets)
	if err != nil {
		return err
	}
	m := set.Surface(e.lookOf)
	planes, err := material.Decode(&m, func(p *material.Map, _ string, _ int) (*raster.Image, error) { return e.level(p.Blob), e.trouble }, px)
	if err != nil {
		return err
	}
	s := shade.NewSurface(planes, px)
	if v.Channel != material.None && !s.Has(v.Channel) && !(v.Channel == material.Glossiness && s.Has(material.Roughness)) {
		return fmt.Errorf("%s has no map of %s; leave --channel out, or name one of %s", set.Name, v.Channel, listed(m.Mapped()))
	}
	if v.Extent == 0 {
		v.Extent = shape.NaturalSize(s.Size().W)
	}
	linear := strings.EqualFold(filepath.Ext(f.out), ".exr")
	im, err := v.Draw(ctx, s, linear, progressOn(terminal(os.Stderr)))
	if err != nil {
		return err
	}
	if v.Background.Kind != "none" {
		im = im.Select(0, 1, 2)
	}
	var b bytes.Buffer
	if linear {
		err = exr.Encode(&b, im, exr.Options{Type: exr.Float, Compression: exr.ZIP})
	} else {
		err = codec.EncodePNG(&b, im, codec.PNGOptions{SRGB: true})
	}
	if err != nil {
		return err
	}
	if err := os.WriteFile(f.out, b.Bytes(), 0o644); err != nil {
		return err
	}
	fmt.Printf("%s: %s, %s, %d × %d pixels\n", f.out, set.Name, v.Says(), v.W, v.H)
	if len(m.Mapped()) == 0 {
		return partial{set.Name + " has no map that could be mapped to a channel: the picture shows a neutral grey"}
	}
	return nil
}

// models are the endings of files that hold a mesh.
var models = []string{".obj", ".gltf", ".glb"}

// mostModel is how large the file of a mesh may be.
const mostModel = 1 << 30

// readModel reads a mesh and makes its longest side so many metres, or leaves it as large as it is.
func readModel(path string, longest float64) (*mesh.Mesh, error) {
	if info, err := os.Stat(path); err == nil && info.Size() > mostModel {
		return nil, fmt.Errorf("it has %d MB; %d are the most", info.Size()>>20, mostModel>>20)
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	m, err := mesh.Read(filepath.Base(path), data, os.DirFS(filepath.Dir(path)))
	if err != nil {
		return nil, err
	}
	m.Fit(longest)
	m.Tangents()
	return m, nil
}

// choose is the set to picture: the one that is named, the only one, or none.
func (f *renderFlags) choose(sets []inspect.Set) (*inspect.Set, error) {
	var names []string
	for i := range sets {
		if f.set != "" && sets[i].Name == f.set {
			return &sets[i], nil
		}
		names = append(names, sets[i].Name)
	}
	switch {
	case len(sets) == 0:
		return nil, errors.New("there is no texture set in these files")
	case f.set != "":
		return nil, fmt.Errorf("there is no set %s; there are %s", f.set, strings.Join(names, ", "))
	case len(sets) > 1:
		return nil, fmt.Errorf("there are %d sets here (%s): name one with --set", len(sets), strings.Join(names, ", "))
	}
	return &sets[0], nil
}

func listed(list []material.Channel) string {
	var out []string
	for _, c := range list {
		out = append(out, string(c))
	}
	return strings.Join(out, ", ")
}

// lookOf is what was seen of a file's picture.
func (e *examiner) lookOf(file, layer string) *channels.Look {
	for i := range e.seen {
		x := &e.seen[i]
		if x.Path != file {
			continue
		}
		for k := range x.Layers {
			if x.Layers[k].Info.Layer == layer && layer != "" {
				return &x.Layers[k]
			}
		}
		return x.Look
	}
	return nil
}

// progressOn shows how far a picture is on a terminal.
func progressOn(on bool) func(float64) {
	if !on {
		return nil
	}
	last := -1
	return func(done float64) {
		if n := int(done * 100); n != last {
			last = n
			fmt.Fprintf(os.Stderr, "\r\x1b[K%d %%", n)
			if n == 100 {
				fmt.Fprint(os.Stderr, "\r\x1b[K")
			}
		}
	}
}

// environmentOf is one of our own environments, or that of a file.
func environmentOf(name string) (*light.Environment, error) {
	if e := light.Named(name); e != nil {
		return e, nil
	}
	ids, _ := light.Scenes()
	if ext := strings.ToLower(filepath.Ext(name)); ext != ".hdr" && ext != ".exr" {
		return nil, fmt.Errorf("there is no environment %q; there are %s, or name a .hdr or .exr file", name, strings.Join(ids, ", "))
	}
	rgb, err := linearPicture(name)
	if err != nil {
		return nil, err
	}
	if w, h := rgb[0].W, rgb[0].H; w < 16 || w < h || w > 3*h {
		return nil, fmt.Errorf("%s has %d × %d pixels: a picture of all directions is twice as wide as high", name, w, h)
	}
	return light.FromPicture(filepath.Base(name), rgb), nil
}

// backgroundOf reads --background.
func backgroundOf(text string) (shade.Background, error) {
	switch text {
	case "none", "environment":
		return shade.Background{Kind: text}, nil
	case "mat":
		return shade.Mat, nil
	}
	if c, ok := colour.ParseHex(text); ok {
		return shade.Background{Kind: "colour", Color: geom.From(c)}, nil
	}
	if strings.HasPrefix(text, "#") || filepath.Ext(text) == "" {
		return shade.Background{}, fmt.Errorf("--background %s: none, mat, environment, #rrggbb, or a picture's file", text)
	}
	rgb, err := linearPicture(text)
	return shade.Background{Kind: "picture", Picture: &rgb}, err
}

// linearPicture is a picture's file in linear light.
func linearPicture(path string) (rgb [3]raster.Plane, err error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return rgb, err
	}
	im, info, err := codec.Decode(data, codec.DefaultLimits)
	if err != nil {
		return rgb, fmt.Errorf("read %s: %w", path, err)
	}
	if info.Gamut != nil {
		im = info.Gamut.Convert(im, im.Float())
	}
	linear, _ := colour.Curves()
	for c := range rgb {
		p := im.Plane(min(c, im.Components()-1))
		if !im.Float() {
			for i, v := range p.Pix {
				p.Pix[i] = linear(v)
			}
		}
		rgb[c] = p
	}
	return rgb, nil
}
