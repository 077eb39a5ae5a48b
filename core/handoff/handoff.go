// Package handoff makes what leaves the studio's library: a zip with maps at a
// chosen tier and in chosen conventions, descriptions of the material as
// MaterialX, glTF and USD, its licence, and checksums.
//
// Colour is made smaller in linear light, normals as vectors that are
// renormalised, data as numbers; the spread of normals that a smaller tier can't
// carry goes into roughness. Depths of 16 bits are kept. A map that needs no
// change keeps its samples exactly. All names are relative.
package handoff

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/scale"
)

// Material is a release to hand over: what it looks like, and what is known of it.
type Material struct {
	material.Material
	Open material.Opener // of whole files

	ID, Slug, Name string // ID is the release's
	MaterialID     string
	SizeSource     string // where the size comes from: scale.Source
	Number         int    // of the release
	Released       time.Time
	Notes          string
	Categories     []string
	Tags           []string
	Contact        string
	Licence        string // SPDX id
	Author         string
	Rights         string
	Station        string
	Captured       string
}

// Folder is the name of the zip's one folder: the material, its release, the tier that is really
// delivered, and the form's label.
func (m Material) Folder(f Form) string {
	name := fmt.Sprintf("%s-r%d-%s", m.Slug, m.Number, strings.ToLower(m.delivered(f.Tier).String()))
	if f.Label != "" {
		name += "-" + f.Label
	}
	return name
}

// delivered is the tier that maps really have where a larger one is asked for than there is.
func (m Material) delivered(t scale.Tier) scale.Tier {
	w, h := m.Pixels()
	if most := max(w, h); most > 0 && t > scale.SourceTier && int(t) > most {
		return scale.SourceTier
	}
	return t
}

// find is the source of a channel that has a map; nil if it has none.
func (m Material) find(c material.Channel) *material.Source {
	if s := m.Source(c); s != nil && s.Map != nil {
		return s
	}
	return nil
}

// constant is the value of a channel that has one everywhere, with the material's figures
// applied.
func (m Material) constant(c material.Channel) (v [3]float64, ok bool) {
	s := m.Source(c)
	if s == nil || s.Map != nil {
		return v, false
	}
	v = s.Value
	switch c {
	case material.BaseColor:
		c := m.Figures.Recolour(colour.RGB{float32(v[0]), float32(v[1]), float32(v[2])})
		for k := range v {
			v[k] = math.Round(float64(c[k])*1e6) / 1e6
		}
	case material.Roughness:
		v[0] = m.Figures.Roughness[0] + v[0]*(m.Figures.Roughness[1]-m.Figures.Roughness[0])
	case material.Glossiness:
		v[0] = 1 - (m.Figures.Roughness[0] + (1-v[0])*(m.Figures.Roughness[1]-m.Figures.Roughness[0]))
	case material.Opacity:
		v[0] = float64(m.Figures.OpacityOf(float32(v[0])))
	case material.Metallic:
		v[0] *= m.Figures.Metallic
	}
	return v, true
}

// evenRoughness is the roughness of a material that has no map of it.
func (m Material) evenRoughness() (v float64, ok bool) {
	if c, ok := m.constant(material.Roughness); ok {
		return c[0], true
	}
	c, ok := m.constant(material.Glossiness)
	return 1 - c[0], ok
}

// specGloss says whether the material is of the spec-gloss workflow: its base colour is the diffuse one.
func (m Material) specGloss() bool { return m.Workflow() == "spec_gloss" }

// converted are base colour and metallic of a spec-gloss material without maps of either, as metal-rough has them.
func (m Material) converted() (base [3]float64, metallic float64) {
	diffuse, ok := m.constant(material.BaseColor)
	if !ok {
		diffuse = [3]float64{material.UnknownColor, material.UnknownColor, material.UnknownColor}
	}
	specular, _ := m.constant(material.Specular)
	c, k := material.MetalRough(singles(diffuse), singles(specular))
	return [3]float64{float64(c[0]), float64(c[1]), float64(c[2])}, float64(k)
}

// reflecting are diffuse and specular colour of a metal-rough material without maps of either, as spec-gloss
// has them.
func (m Material) reflecting() (diffuse, specular [3]float64) {
	base, _ := m.value(material.BaseColor)
	metal, _ := m.constant(material.Metallic)
	for c := range base {
		f0 := float64(m.absent(material.Specular, c, AsDelivered))
		diffuse[c], specular[c] = base[c]*(1-metal[0]), f0+(base[c]-f0)*metal[0]
	}
	return diffuse, specular
}

func singles(v [3]float64) [3]float32 { return [3]float32{float32(v[0]), float32(v[1]), float32(v[2])} }

// rough is the map of roughness or glossiness; nil if there is neither.
func (m Material) rough() *material.Source {
	if r := m.find(material.Roughness); r != nil {
		return r
	}
	return m.find(material.Glossiness)
}

func present(maps ...*material.Source) []*material.Source {
	return slices.DeleteFunc(maps, func(m *material.Source) bool { return m == nil })
}

// Version is that of the writer: a handoff that another version made is made anew.
const Version = 11

// Steps is how many files a handoff holds.
func (m Material) Steps(f Form) int {
	p := m.plan(f)
	return len(p.items) + len(f.Descriptions) + 4
}

// Make makes the files of a handoff and gives each, once, to keep: its path within the
// handoff's folder, and its contents. Each map of the release is decoded once. It stops
// between maps when the context ends.
func Make(ctx context.Context, m Material, f Form, t *colour.Tables, keep func(path string, data []byte) error) error {
	if len(m.Sources) == 0 {
		return fmt.Errorf("hand over %q: the release has neither maps nor values", m.Name)
	}
	sums := new(bytes.Buffer)
	var made []File
	embedded := map[string][]byte{} // files that a GLB holds
	p := m.plan(f)
	put := func(name string, data []byte) error {
		file := FileOf(name, data)
		fmt.Fprintf(sums, "%s  %s\n", file.SHA256, name)
		made = append(made, file)
		return keep(name, data)
	}
	b := newBuilder(m, f, t)
	for i, it := range p.items {
		if err := ctx.Err(); err != nil {
			return err
		}
		data, err := b.file(it)
		if err != nil {
			return err
		}
		b.drop(p.items[i+1:])
		if err := put("maps/"+it.name, data); err != nil {
			return err
		}
		if f.has(GLB) && p.surface.gltfReads("maps/"+it.name) {
			embedded["maps/"+it.name] = data
		}
	}
	for _, d := range f.Descriptions {
		var name string
		var data []byte
		switch d {
		case MaterialX:
			name, data = m.Slug+".mtlx", p.surface.materialX()
		case GLTF:
			name, data = m.Slug+".gltf", p.surface.gltf()
		case GLB:
			name, data = m.Slug+".glb", p.surface.glb(embedded)
		case USD:
			name, data = m.Slug+".usda", p.surface.usd()
		}
		if err := put(name, data); err != nil {
			return err
		}
	}
	if err := put("LICENCE.txt", m.licenceText()); err != nil {
		return err
	}
	if err := put("settings.html", m.settings(f, p)); err != nil {
		return err
	}
	about, err := m.describe(f, p, made)
	if err == nil {
		err = put("material.json", about)
	}
	if err != nil {
		return err
	}
	return keep("CHECKSUMS.sha256", sums.Bytes())
}

// Write makes a handoff as a zip.
func Write(ctx context.Context, w io.Writer, m Material, f Form, t *colour.Tables) error {
	var parts []Part
	err := Make(ctx, m, f, t, func(path string, data []byte) error {
		parts = append(parts, Part{FileOf(path, data), bytes.NewReader(data)})
		return nil
	})
	if err != nil {
		return err
	}
	a := NewArchive(m.Folder(f), m.Released, parts)
	_, err = io.Copy(w, io.NewSectionReader(a, 0, a.Size()))
	return err
}
