package main

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"aldermoor/core/codec"
	"aldermoor/core/handoff"
	"aldermoor/core/light"
	"aldermoor/core/material"
	"aldermoor/core/scale"
	"aldermoor/core/shade"
)

// Surfaces of figures alone, for other readers of their descriptions (scripts/spheres.mjs): a sphere of each under even
// light, and its handoff, are written to the folder that ALDERMOOR_SPHERES names. Each is drawn at least.
func TestWriteSpheres(t *testing.T) {
	to := os.Getenv("ALDERMOOR_SPHERES")
	profile, _ := handoff.FindPreset(handoff.Scanned)
	for name, change := range map[string]func(m *material.Material){
		"constants": func(m *material.Material) { m.Put(material.Constant(material.BaseColor, 0.4, 0.1, 0.05)) },
		"metal": func(m *material.Material) {
			m.Put(material.Constant(material.BaseColor, 0.9, 0.6, 0.3))
			m.Put(material.Constant(material.Metallic, 1))
		},
		"coat": func(m *material.Material) {
			m.Put(material.Constant(material.BaseColor, 0.02, 0.04, 0.2))
			m.Figures.Coat.Share = 1
		},
		"emission": func(m *material.Material) { m.Put(material.Constant(material.Emissive, 0.3, 0.12, 0.05)) },
		"opacity":  func(m *material.Material) { m.Put(material.Constant(material.Opacity, 0.5)) },
		"transmission": func(m *material.Material) {
			m.Figures.Transmission.Share, m.Figures.Transmission.Thin, m.Figures.Index = 0.8, true, 1.3
		},
	} {
		m := handoff.Material{Material: material.New(scale.Size{W: 1, H: 1}), Name: name, Slug: name, Number: 1, Released: time.Unix(0, 0)}
		m.Put(material.Constant(material.BaseColor, 0.2, 0.2, 0.2))
		m.Put(material.Constant(material.Roughness, 0.4))
		change(&m.Material)
		planes, err := material.Decode(&m.Material, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		v := shade.NewView()
		v.W, v.H, v.Tone, v.Quality, v.Samples, v.Pitch, v.Extent, v.Light = 64, 64, false, shade.Reference, 8, 0, 1, light.Named("neutral")
		if to != "" {
			v.W, v.H, v.Samples = 256, 256, 64
		}
		im, err := v.Draw(context.Background(), shade.NewSurface(planes, 64), false, nil)
		if err != nil {
			t.Fatal(err)
		}
		if at := im.Ints(0)[im.W*im.H/2+im.W/2]; at == 0 {
			t.Errorf("%s is black", name)
		}
		if to == "" {
			continue
		}
		dir := filepath.Join(to, name)
		if err := writeHandoff(context.Background(), dir, m, handoff.Form{Profile: profile}); err != nil {
			t.Fatal(err)
		}
		var b bytes.Buffer
		if err := codec.EncodePNG(&b, im, codec.PNGOptions{SRGB: true}); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, "own.png"), b.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}
