package handoff

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
)

// side is that of the made maps: a power of two, so that no profile resizes them.
const side = 32

// madeUp is a surface at random: each channel has a map, one value or nothing, each figure may change something.
func madeUp(r *rand.Rand) Material {
	images := map[string]*raster.Image{}
	m := Material{Material: material.New(scale.Size{W: 1.5, H: 1.5}), ID: "1", Slug: "made", Name: "Made", Number: 1}
	m.Open = func(p *material.Map, _ string, _ int) (*raster.Image, error) { return images[p.Blob], nil }
	maybe := func(odds float64) bool { return r.Float64() < odds }
	between := func(lo, hi float64) float64 { return lo + r.Float64()*(hi-lo) }
	// plane is a gentle slope: formats with losses keep it.
	plane := func(lo, hi float64) raster.Plane {
		p := raster.NewPlane(side, side)
		a, b, c := between(lo, hi), between(lo, hi), between(lo, hi)
		for i := range p.Pix {
			x, y := float64(i%side)/side, float64(i/side)/side
			p.Pix[i] = float32((1-x)*(1-y)*a + x*(1-y)*b + y*c)
		}
		return p
	}
	put := func(c material.Channel, bits int, planes ...raster.Plane) *material.Map {
		images[string(c)] = raster.FromPlanes(planes...).Quantise(bits)
		k := &material.Map{File: string(c) + ".png", Blob: string(c), Component: "rgb", Width: side, Height: side, Bits: bits}
		m.Put(material.Source{Channel: c, Map: k})
		return k
	}
	grey := func(c material.Channel, lo, hi float64) {
		switch {
		case maybe(0.35):
			bits := 8 + 8*r.IntN(2)
			if maybe(0.2) { // with an alpha that means nothing
				put(c, bits, plane(lo, hi), plane(0, 1))
			} else {
				put(c, bits, plane(lo, hi))
			}
		case maybe(0.35):
			m.Put(material.Constant(c, between(lo, hi)))
		}
	}
	coloured := func(c material.Channel, lo, hi float64) {
		switch {
		case maybe(0.2):
			put(c, 8, plane(lo, hi))
		case maybe(0.4):
			put(c, 8+8*r.IntN(2), plane(lo, hi), plane(lo, hi), plane(lo, hi))
		case maybe(0.4):
			m.Put(material.Constant(c, between(lo, hi), between(lo, hi), between(lo, hi)))
		}
	}
	coloured(material.BaseColor, 0.1, 0.95)
	grey(material.Roughness, 0.05, 0.95)
	if m.Source(material.Roughness) == nil {
		grey(material.Glossiness, 0.05, 0.95)
	}
	grey(material.Metallic, 0, 1)
	grey(material.Occlusion, 0.3, 1)
	grey(material.Opacity, 0.1, 1)
	f := &m.Figures
	if maybe(0.5) {
		x, y := plane(-0.3, 0.3), plane(-0.3, 0.3)
		n := normals.Field{X: x, Y: y, Z: raster.NewPlane(side, side)}
		for i := range x.Pix {
			n.Z.Pix[i] = float32(math.Sqrt(float64(1 - x.Pix[i]*x.Pix[i] - y.Pix[i]*y.Pix[i])))
		}
		k := put(material.Normal, 16, n.Image().Plane(0), n.Image().Plane(1), n.Image().Plane(2))
		k.Direction = []normals.Direction{normals.Up, normals.Down}[r.IntN(2)]
		if maybe(0.3) {
			f.NormalStrength = between(0.3, 2)
		}
	}
	if maybe(0.4) {
		put(material.Height, 16, plane(0, 1))
		m.Zero = r.Float64()
		if maybe(0.7) {
			m.Depth = between(0.001, 0.08)
		}
	}
	switch {
	case maybe(0.15): // light above white
		planes := []raster.Plane{plane(0, 6), plane(0, 6), plane(0, 6)}
		top := float32(0)
		for _, p := range planes {
			_, hi := p.Range()
			top = max(top, hi)
		}
		images["emissive"] = raster.FromPlanes(planes...)
		m.Put(material.Source{Channel: material.Emissive, Map: &material.Map{File: "e.exr", Blob: "emissive", Component: "rgb", Width: side, Height: side, Bits: 32, Float: true, Span: [2]float64{0, float64(top)}}})
	case maybe(0.3):
		coloured(material.Emissive, 0, 1)
	}
	if maybe(0.3) {
		f.Emission = material.EmissionFigures{Luminance: between(0.5, 4000), Color: [3]float64{between(0.2, 1), between(0.2, 1), 1}}
		if maybe(0.5) {
			f.Emission.Temperature = between(1500, 9000)
		}
	}
	if maybe(0.3) {
		coloured(material.Specular, 0.02, 0.3)
	}
	for _, c := range []material.Channel{material.Transmission, material.Coat, material.Sheen, material.Anisotropy} {
		if !maybe(0.3) {
			continue
		}
		if c == material.Sheen {
			coloured(c, 0.1, 1)
		} else {
			grey(c, 0.1, 1)
		}
	}
	if maybe(0.3) {
		f.Transmission = material.TransmissionFigures{Share: between(0.2, 1), Thin: maybe(0.4), Color: [3]float64{between(0.2, 1), between(0.2, 1), between(0.2, 1)}}
		if maybe(0.6) {
			f.Transmission.Distance = between(0.01, 2)
		}
	}
	if maybe(0.3) {
		f.Coat = material.CoatFigures{Share: between(0.2, 1), Roughness: between(0, 0.6), Index: []float64{1.5, 1.5, 1.7}[r.IntN(3)], Color: [3]float64{1, 1, 1}}
		if maybe(0.4) {
			f.Coat.Color = [3]float64{between(0.3, 1), between(0.3, 1), between(0.3, 1)}
		}
	}
	if maybe(0.3) {
		f.Sheen = material.SheenFigures{Share: between(0.2, 1), Color: [3]float64{between(0.3, 1), between(0.3, 1), 1}, Roughness: between(0.05, 1)}
	}
	if maybe(0.3) {
		f.Anisotropy, f.AnisotropyAngle = between(-0.9, 0.9), between(-180, 180)
	}
	if maybe(0.3) {
		f.Tint = [3]float64{between(0.6, 1), between(0.6, 1), between(0.6, 1)}
	}
	if maybe(0.2) {
		f.Grade.Saturation = between(0.4, 1.2)
	}
	if maybe(0.3) {
		f.Roughness = [2]float64{r.Float64(), r.Float64()}
	}
	if maybe(0.2) {
		f.Metallic = r.Float64()
	}
	if maybe(0.2) {
		f.Opacity = between(0.3, 1)
	}
	f.OpacityInvert, f.TwoSided = maybe(0.1), maybe(0.2)
	if maybe(0.2) && m.Map(material.Opacity) != nil { // a surface that is not there at all is none
		f.Cutoff = between(0.2, 0.8)
	}
	if maybe(0.3) {
		f.Index = []float64{1.33, 1.8, 1}[r.IntN(3)]
	}
	if maybe(0.15) {
		f.DiffuseRoughness = r.Float64()
	}
	if maybe(0.15) {
		f.Edge = [3]float64{0.9, 0.8, 0.7}
	}
	return m
}

// hides are the figures that each loss names.
var hides = map[string][]string{"height": {"height"}, "occlusion": {"occlusion"}, "diffuse_roughness": {"diffuse_rough"}, "edge": {"edge"}, "two_sided": {"two_sided"}, "drift": nil, "tiles": nil,
	"transmission": {"transmission", "thin", "tint", "absorption"}, "transmission_base": {"tint"}, "coat_color": {"coat_color"}, "coat_index": {"coat_index"}, "sheen": {"sheen", "sheen_alpha"},
	"anisotropy": {"alpha_along", "alpha_across", "turns"}, "specular": {"f0"}, "index": {"f0", "f90"}}

// Every description says of a surface what core/material does, but for what the handoff lists as lost.
func TestDescriptionsMeanTheSame(t *testing.T) {
	surfaces, seed := 300, uint64(1)
	if testing.Short() {
		surfaces = 60
	}
	readers := []struct {
		name string
		of   Description
		file string
		read func(*testing.T, *pictured, []byte, int) meant
	}{{"glTF", GLTF, "made.gltf", readGLTF}, {"MaterialX", MaterialX, "made.mtlx", readMaterialX}, {"USD", USD, "made.usda", readUSD}, {"material.json", "", "material.json", readAbout}}
	type tally struct {
		figures, lost, wrong int
		worst                float64
	}
	table := map[string]*tally{}
	presets := Presets()
	for k := range surfaces {
		m := madeUp(rand.New(rand.NewPCG(seed, uint64(k))))
		planes, err := material.Decode(&m.Material, m.Open, 0)
		if err != nil {
			t.Fatal(err)
		}
		if len(m.Sources) == 0 {
			continue
		}
		profile := presets[k%len(presets)].Profile
		profile.Descriptions = []Description{MaterialX, GLTF, USD}
		if k/len(presets)%3 == 1 {
			profile.Figures = Beside
		}
		if k/len(presets)%3 == 2 {
			profile = profile.With(Conventions{Normal: "y-", Roughness: []string{"roughness", "glossiness"}[k%2], EXR: k%4 == 0})
		}
		wide := profile.Name == presets[2].Name && k%4 == 0
		if wide {
			profile.Files = slices.Clone(profile.Files)
			for i, f := range profile.Files {
				if f.Holds[0].Channel.Colour() {
					profile.Files[i].Colour = ACEScg
				}
			}
		}
		form := Form{Profile: profile}
		files := written(t, m, formed{form})
		p := &pictured{t, files, map[string]*raster.Image{}, map[string]bool{}, mostLight(&m)}
		steps := stepsOf(profile)
		for _, i := range []int{330, 500, 700} {
			want := ours(&m, &planes, i)
			for _, r := range readers {
				row := table[r.name]
				if row == nil {
					row = &tally{}
					table[r.name] = row
				}
				got := r.read(t, p, files[r.file], i)
				var hidden []string
				for _, l := range m.losses(form) {
					if l.Description == r.of {
						hidden = append(hidden, hides[l.What]...)
					}
				}
				for key, w := range want {
					name, _, _ := strings.Cut(key, ".")
					if slices.Contains(hidden, name) {
						row.lost++
						continue
					}
					g, ok := got[key]
					if !ok && r.of == "" { // it is in the figures, or not stated
						continue
					}
					if !ok && (name == "diffuse" || name == "specular" || name == "turns" || name == "cut") {
						continue
					}
					row.figures++
					off := math.Abs(g - w)
					row.worst = max(row.worst, off)
					if off > allowed(name, steps) {
						if row.wrong++; row.wrong <= 12 {
							kinds := ""
							for _, s := range m.Sources {
								kinds += fmt.Sprintf(" %s:%v", s.Channel, s.Map != nil)
							}
							t.Errorf("surface %d, %s at %d: %s %s is %.4f, want %.4f of%s", k, profile.Name, i, r.name, key, g, w, kinds)
						}
					}
				}
			}
		}
	}
	for _, r := range readers {
		row := table[r.name]
		t.Logf("%-14s %6d figures, %5d listed as lost, %d wrong, off by %.4f at most", r.name, row.figures, row.lost, row.wrong, row.worst)
	}
}

// stepsOf is by how many times half a step of 8 bits a profile's files may be off.
func stepsOf(p Profile) float64 {
	k := 1.0
	for _, f := range p.Files {
		switch f.Format {
		case JPEG:
			k = max(k, 12) // it halves colour
		case PNG8, TGA, TIFF8:
			k = max(k, 2) // dithered: the step below or above
		}
	}
	return k
}

// allowed is how far a figure may be off by the bits that it is stored in.
func allowed(name string, k float64) float64 {
	switch name {
	case "normal":
		return 0.008 * k
	case "height":
		return 0.08 / 255 * 1.5 * k
	case "alpha_along", "alpha_across":
		return 0.01 * k
	case "turns":
		return 0.02 * k
	case "absorption":
		return 0.01
	case "emission", "f0", "color", "tint", "sheen", "diffuse", "specular":
		return 0.006 * k // the curve's steps near white
	case "opacity":
		return 0.004 * k
	}
	return 0.006 * k
}

type formed struct{ f Form }

func (f formed) form() Form { return f.f }
