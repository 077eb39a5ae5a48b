package handoff

import (
	"encoding/json"
	"encoding/xml"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"aldermoor/core/bsdf"
	"aldermoor/core/codec"
	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
)

// This file reads each description back, as its standard says it is read, into what one point of the surface is in
// our own terms. It shares no code with the writers.

// meant is what a point of a surface is: figures by name.
type meant map[string]float64

func (m meant) set(name string, v ...float64) {
	if len(v) == 1 {
		m[name] = v[0]
		return
	}
	for i, x := range v {
		m[fmt.Sprintf("%s.%d", name, i)] = x
	}
}

// streaks notes a lobe by its α along and across the streaks, and how they lie in turns.
func (m meant) streaks(along, across, turns float64) {
	m.set("alpha_along", min(along, 1))
	m.set("alpha_across", min(across, 1))
	if math.Abs(along-across) > 0.02 {
		turns = math.Mod(turns, 0.5)
		if turns < 0 {
			turns += 0.5
		}
		m.set("turns", math.Abs(turns-0.25)) // the same at both ends of half a turn
	}
}

// emission is in shares of the brightest that the material can be.
func (m meant) emission(v [3]float64, most float64) {
	m.set("emission", v[0]/most, v[1]/most, v[2]/most)
}

// pictured reads a file of a handoff at a point.
type pictured struct {
	t     *testing.T
	files map[string][]byte
	seen  map[string]*raster.Image
	wide  map[string]bool // files in ACEScg
	most  float64         // of emission
}

// mostLight is the brightest emission that a material can have.
func mostLight(m *Material) float64 {
	top := 1.0
	if s := m.Source(material.Emissive); s != nil && s.Map != nil {
		top = max(top, s.Map.Span[1])
	}
	if e := m.Figures.Emission; e.Luminance > 0 {
		l := e.Light()
		top *= e.Luminance * max(l[0], l[1], l[2])
	}
	return top
}

// at is a component of a file at texel i; srgb takes the curve off colours.
func (p *pictured) at(file string, c, i int, srgb bool) float64 {
	p.t.Helper()
	im := p.seen[file]
	if im == nil {
		if p.files[file] == nil {
			p.t.Fatalf("there is no %s", file)
		}
		var in codec.Info
		var err error
		if im, in, err = codec.Decode(p.files[file], codec.DefaultLimits); err != nil {
			p.t.Fatal(err)
		}
		if in.Gamut != nil {
			p.wide[file], im = true, in.Gamut.Convert(im, true)
		}
		p.seen[file] = im
	}
	if c == 3 && im.Components() < 4 {
		return 1
	}
	v := float32(im.Planes[min(c, im.Components()-1)].At(i))
	if srgb {
		linear, _ := colour.Curves()
		v = linear(v)
	}
	return float64(v)
}

// ours is a point as core/material has it.
func ours(m *Material, p *material.Planes, i int) meant {
	out, f := meant{}, m.Figures
	one := func(q raster.Plane, or float64) float64 {
		switch {
		case q.W == 0:
			return or
		case q.W == 1:
			return float64(q.Pix[0])
		}
		return float64(q.Pix[i])
	}
	three := func(q [3]raster.Plane, or float64) [3]float64 {
		return [3]float64{one(q[0], or), one(q[1], or), one(q[2], or)}
	}
	rough, an := one(p.Roughness, 0.6), f.Anisotropy*one(p.Anisotropy, 1)
	color, metal := three(p.Color, 0.5), one(p.Metallic, 0)
	index := float64(bsdf.NormalReflectance(float32(f.Index)))
	f0 := three(p.Specular, index)
	diffuse, specular := color, f0
	if m.Workflow() != "spec_gloss" {
		for c := range color {
			diffuse[c], specular[c] = color[c]*(1-metal), f0[c]+(color[c]-f0[c])*metal
		}
	}
	out.set("diffuse", diffuse[:]...)
	out.set("specular", specular[:]...)
	if m.Workflow() == "spec_gloss" {
		c, k := material.MetalRough([3]float32{float32(color[0]), float32(color[1]), float32(color[2])}, [3]float32{float32(f0[0]), float32(f0[1]), float32(f0[2])})
		color, metal = [3]float64{float64(c[0]), float64(c[1]), float64(c[2])}, float64(k)
	} else if metal < 0.999 {
		out.set("f0", f0[:]...)
		out.set("f90", map[bool]float64{true: 1}[f.Index > 1 || p.Specular[0].W > 0])
	}
	out.set("color", color[:]...)
	out.set("metal", metal)
	turns := f.AnisotropyAngle / 360
	if an < 0 {
		turns += 0.25
	}
	out.streaks(rough*rough*(1+math.Abs(an)), rough*rough*(1-math.Abs(an)), turns)
	n := [3]float64{0, 0, 1}
	if p.Normal != nil {
		n = [3]float64{float64(p.Normal.X.Pix[i]), float64(p.Normal.Y.Pix[i]), float64(p.Normal.Z.Pix[i])}
	}
	out.set("normal", n[:]...)
	if p.Height.W > 1 {
		out.set("height", float64(p.Height.Pix[i]))
	}
	out.set("occlusion", one(p.Occlusion, 1))
	out.set("opacity", one(p.Opacity, 1))
	if p.Opacity.W > 1 {
		out.set("cut", map[bool]float64{true: 1}[f.Cutoff > 0])
	}
	light := three(p.Emissive, 0)
	if l := f.Emission.Luminance; l > 0 {
		if p.Emissive[0].W == 0 {
			light = [3]float64{1, 1, 1}
		}
		for c, k := range f.Emission.Light() {
			light[c] *= k * l
		}
	}
	out.emission(light, mostLight(m))
	if share := f.Transmission.Share * one(p.Transmission, 1); share > 0 {
		out.set("transmission", share)
		out.set("thin", map[bool]float64{true: 1}[f.Transmission.Thin])
		out.set("tint", color[:]...)
		sigma := f.Transmission.Absorption()
		if f.Transmission.Thin {
			sigma = [3]float64{}
		}
		out.set("absorption", sigma[:]...)
	}
	if share := f.Coat.Share * one(p.Coat, 1); share > 0.01 {
		out.set("coat", share)
		out.set("coat_rough", f.Coat.Roughness)
		out.set("coat_index", f.Coat.Index)
		out.set("coat_color", f.Coat.Color[:]...)
	}
	if sheen := three(p.Sheen, 1); f.Sheen.Share > 0 {
		for c := range sheen {
			sheen[c] *= f.Sheen.Share * f.Sheen.Color[c]
		}
		out.set("sheen", sheen[:]...)
		out.set("sheen_alpha", max(f.Sheen.Roughness, 0.25))
	}
	out.set("diffuse_rough", f.DiffuseRoughness)
	if one(p.Metallic, 0) > 0.01 {
		out.set("edge", f.Edge[:]...)
	}
	out.set("two_sided", map[bool]float64{true: 1}[f.TwoSided])
	return out
}

// readGLTF evaluates a glTF document (glTF 2.0, KHR_materials_…).
func readGLTF(t *testing.T, p *pictured, document []byte, i int) meant {
	t.Helper()
	type texture struct{ Index int }
	var doc struct {
		Images    []struct{ URI string }
		Textures  []struct{ Source int }
		Materials []struct {
			PBR struct {
				BaseColorFactor          *[4]float64
				BaseColorTexture         *texture
				MetallicFactor           *float64
				RoughnessFactor          *float64
				MetallicRoughnessTexture *texture
			} `json:"pbrMetallicRoughness"`
			NormalTexture, OcclusionTexture, EmissiveTexture *texture
			EmissiveFactor                                   [3]float64
			AlphaMode                                        string
			AlphaCutoff                                      float64
			DoubleSided                                      bool
			Extensions                                       struct {
				Strength *struct{ EmissiveStrength float64 } `json:"KHR_materials_emissive_strength"`
				IOR      *struct{ IOR float64 }              `json:"KHR_materials_ior"`
				Specular *struct {
					SpecularFactor       *float64
					SpecularColorFactor  *[3]float64
					SpecularColorTexture *texture
				} `json:"KHR_materials_specular"`
				Transmission *struct {
					TransmissionFactor  float64
					TransmissionTexture *texture
				} `json:"KHR_materials_transmission"`
				Volume *struct {
					AttenuationDistance float64
					AttenuationColor    *[3]float64
				} `json:"KHR_materials_volume"`
				Coat *struct {
					ClearcoatFactor, ClearcoatRoughnessFactor float64
					ClearcoatTexture                          *texture
				} `json:"KHR_materials_clearcoat"`
				Sheen *struct {
					SheenColorFactor     [3]float64
					SheenColorTexture    *texture
					SheenRoughnessFactor float64
				} `json:"KHR_materials_sheen"`
				Anisotropy *struct {
					AnisotropyStrength, AnisotropyRotation float64
					AnisotropyTexture                      *texture
				} `json:"KHR_materials_anisotropy"`
			}
		}
	}
	if err := json.Unmarshal(document, &doc); err != nil {
		t.Fatal(err)
	}
	m := doc.Materials[0]
	at := func(x *texture, c int, srgb bool) float64 {
		if x == nil {
			return 1
		}
		return p.at(doc.Images[doc.Textures[x.Index].Source].URI, c, i, srgb)
	}
	rgb := func(x *texture, factor [3]float64, srgb bool) (v [3]float64) {
		for c := range v {
			v[c] = factor[c] * at(x, c, srgb)
		}
		return v
	}
	or := func(v *float64, d float64) float64 {
		if v == nil {
			return d
		}
		return *v
	}
	out := meant{}
	base := [4]float64{1, 1, 1, 1}
	if m.PBR.BaseColorFactor != nil {
		base = *m.PBR.BaseColorFactor
	}
	color := rgb(m.PBR.BaseColorTexture, [3]float64(base[:3]), true)
	out.set("color", color[:]...)
	metal := or(m.PBR.MetallicFactor, 1) * at(m.PBR.MetallicRoughnessTexture, 2, false)
	out.set("metal", metal)
	rough := or(m.PBR.RoughnessFactor, 1) * at(m.PBR.MetallicRoughnessTexture, 1, false)
	alpha := rough * rough
	along, turns := alpha, 0.0
	if a := m.Extensions.Anisotropy; a != nil {
		s := a.AnisotropyStrength * at(a.AnisotropyTexture, 2, false)
		along, turns = alpha+(1-alpha)*s*s, a.AnisotropyRotation/2/math.Pi
		if a.AnisotropyTexture != nil {
			turns += math.Atan2(2*at(a.AnisotropyTexture, 1, false)-1, 2*at(a.AnisotropyTexture, 0, false)-1) / 2 / math.Pi
		}
	}
	out.streaks(along, alpha, turns)
	n := [3]float64{0, 0, 1}
	if m.NormalTexture != nil {
		for c := range n {
			n[c] = 2*at(m.NormalTexture, c, false) - 1
		}
	}
	out.set("normal", unitVector(n)...)
	out.set("occlusion", at(m.OcclusionTexture, 0, false))
	opacity := base[3] * at(m.PBR.BaseColorTexture, 3, false)
	switch m.AlphaMode {
	case "":
		opacity = 1
	case "MASK":
		opacity = map[bool]float64{true: 1}[opacity >= m.AlphaCutoff]
	}
	out.set("opacity", opacity)
	out.set("cut", map[bool]float64{true: 1}[m.AlphaMode == "MASK"])
	light := rgb(m.EmissiveTexture, m.EmissiveFactor, true)
	if s := m.Extensions.Strength; s != nil {
		for c := range light {
			light[c] *= s.EmissiveStrength
		}
	}
	out.emission(light, p.most)
	index := 1.5
	if x := m.Extensions.IOR; x != nil {
		index = x.IOR
	}
	f0, f90 := [3]float64{1, 1, 1}, 1.0
	if s := m.Extensions.Specular; s != nil {
		factor := [3]float64{1, 1, 1}
		if s.SpecularColorFactor != nil {
			factor = *s.SpecularColorFactor
		}
		f0, f90 = rgb(s.SpecularColorTexture, factor, true), or(s.SpecularFactor, 1)
	}
	r := (index - 1) / (index + 1)
	for c := range f0 {
		f0[c] = min(f0[c]*r*r, 1) * f90
	}
	out.set("f0", f0[:]...)
	out.set("f90", f90)
	if x := m.Extensions.Transmission; x != nil {
		out.set("transmission", x.TransmissionFactor*at(x.TransmissionTexture, 0, false))
		out.set("tint", color[:]...)
		out.set("thin", map[bool]float64{true: 1}[m.Extensions.Volume == nil])
		var sigma [3]float64
		if v := m.Extensions.Volume; v != nil && v.AttenuationColor != nil {
			for c, k := range v.AttenuationColor {
				sigma[c] = -math.Log(max(k, 1e-4)) / v.AttenuationDistance
			}
		}
		out.set("absorption", sigma[:]...)
	}
	if x := m.Extensions.Coat; x != nil {
		out.set("coat", x.ClearcoatFactor*at(x.ClearcoatTexture, 0, false))
		out.set("coat_rough", x.ClearcoatRoughnessFactor)
		out.set("coat_index", 1.5)
		out.set("coat_color", 1, 1, 1)
	}
	if x := m.Extensions.Sheen; x != nil {
		v := rgb(x.SheenColorTexture, x.SheenColorFactor, true)
		out.set("sheen", v[:]...)
		out.set("sheen_alpha", x.SheenRoughnessFactor*x.SheenRoughnessFactor)
	}
	out.set("diffuse_rough", 0)
	out.set("edge", 1, 1, 1)
	out.set("two_sided", map[bool]float64{true: 1}[m.DoubleSided])
	return out
}

func unitVector(n [3]float64) []float64 {
	l := math.Sqrt(n[0]*n[0] + n[1]*n[1] + n[2]*n[2])
	return []float64{n[0] / l, n[1] / l, n[2] / l}
}

// mtlxNode is an element of a MaterialX document.
type mtlxNode struct {
	XMLName    xml.Name
	Name       string     `xml:"name,attr"`
	Type       string     `xml:"type,attr"`
	Value      string     `xml:"value,attr"`
	NodeName   string     `xml:"nodename,attr"`
	Output     string     `xml:"output,attr"`
	ColorSpace string     `xml:"colorspace,attr"`
	Kids       []mtlxNode `xml:",any"`
}

// mtlxValue evaluates an element of a node graph, or an input.
func mtlxValue(t *testing.T, p *pictured, graph map[string]*mtlxNode, n *mtlxNode, i int) []float64 {
	t.Helper()
	in := func(name string) []float64 {
		for k := range n.Kids {
			if n.Kids[k].Name == name {
				return mtlxValue(t, p, graph, &n.Kids[k], i)
			}
		}
		t.Fatalf("node %s has no input %s", n.Name, name)
		return nil
	}
	each := func(of func(a, b float64) float64) (out []float64) {
		a, b := in("in1"), in("in2")
		for c := range a {
			out = append(out, of(a[c], b[min(c, len(b)-1)]))
		}
		return out
	}
	switch n.XMLName.Local {
	case "input", "output":
		switch {
		case n.NodeName != "":
			return mtlxValue(t, p, graph, graph[n.NodeName], i)
		case n.Output != "":
			return mtlxValue(t, p, graph, graph[n.Output], i)
		case n.Type == "boolean":
			return []float64{map[bool]float64{true: 1}[n.Value == "true"]}
		}
		var out []float64
		for _, s := range strings.Split(n.Value, ",") {
			v, err := strconv.ParseFloat(strings.TrimSpace(s), 64)
			if err != nil {
				t.Fatal(err)
			}
			out = append(out, v)
		}
		return out
	case "image":
		file := n.Kids[0]
		many := map[string]int{"float": 1, "vector2": 2, "color3": 3, "vector3": 3, "color4": 4, "vector4": 4}[n.Type]
		var out []float64
		for c := range many {
			out = append(out, p.at(file.Value, c, i, file.ColorSpace == "srgb_texture" && c < 3))
			if (file.ColorSpace == "acescg") != p.wide[file.Value] {
				p.t.Errorf("%s is said to be in %q", file.Value, file.ColorSpace)
			}
		}
		return out
	case "extract":
		return []float64{in("in")[int(in("index")[0])]}
	case "convert":
		v := in("in")
		if len(v) == 1 {
			return []float64{v[0], v[0], v[0]}
		}
		return v[:3]
	case "invert":
		return []float64{1 - in("in")[0]}
	case "multiply":
		return each(func(a, b float64) float64 { return a * b })
	case "divide":
		return each(func(a, b float64) float64 { return a / b })
	case "add":
		return each(func(a, b float64) float64 { return a + b })
	case "subtract":
		return each(func(a, b float64) float64 { return a - b })
	case "power":
		return each(math.Pow)
	case "max":
		return each(math.Max)
	case "normalmap":
		v := in("in")
		return unitVector([3]float64{2*v[0] - 1, 2*v[1] - 1, 2*v[2] - 1})
	}
	t.Fatalf("an unknown node %s", n.XMLName.Local)
	return nil
}

// readMaterialX evaluates a standard_surface (MaterialX 1.39, with the defaults of its library).
func readMaterialX(t *testing.T, p *pictured, document []byte, i int) meant {
	t.Helper()
	var doc mtlxNode
	if err := xml.Unmarshal(document, &doc); err != nil {
		t.Fatal(err)
	}
	graph, inputs := map[string]*mtlxNode{}, map[string]*mtlxNode{}
	out := meant{}
	for k := range doc.Kids {
		top := &doc.Kids[k]
		for j := range top.Kids {
			switch top.XMLName.Local {
			case "nodegraph":
				if graph[top.Kids[j].Name] != nil {
					t.Fatalf("two nodes are called %s", top.Kids[j].Name)
				}
				graph[top.Kids[j].Name] = &top.Kids[j]
			case "standard_surface":
				if inputs[top.Kids[j].Name] != nil {
					t.Fatalf("two inputs are called %s", top.Kids[j].Name)
				}
				inputs[top.Kids[j].Name] = &top.Kids[j]
			}
		}
	}
	get := func(name string, or ...float64) []float64 {
		if n := inputs[name]; n != nil {
			return mtlxValue(t, p, graph, n, i)
		}
		return or
	}
	for k := range doc.Kids {
		if top := &doc.Kids[k]; top.XMLName.Local == "displacement" {
			v := map[string]float64{}
			for j := range top.Kids {
				v[top.Kids[j].Name] = mtlxValue(t, p, graph, &top.Kids[j], i)[0]
			}
			out.set("height", v["displacement"]*v["scale"])
		}
	}
	times := func(k float64, v []float64) []float64 { return []float64{k * v[0], k * v[1], k * v[2]} }
	out.set("color", times(get("base", 1)[0], get("base_color", 0.8, 0.8, 0.8))...)
	out.set("metal", get("metalness", 0)[0])
	rough, an := get("specular_roughness", 0.2)[0], get("specular_anisotropy", 0)[0]
	aspect := math.Sqrt(1 - an)
	out.streaks(rough*rough/aspect, rough*rough*aspect, get("specular_rotation", 0)[0])
	out.set("normal", get("normal", 0, 0, 1)...)
	out.set("occlusion", 1)
	out.set("opacity", get("opacity", 1, 1, 1)[0])
	light := times(get("emission", 0)[0], get("emission_color", 1, 1, 1))
	out.emission([3]float64(light), p.most)
	weight, index := get("specular", 1)[0], get("specular_IOR", 1.5)[0]
	r := (index - 1) / (index + 1)
	out.set("f0", times(weight*r*r, get("specular_color", 1, 1, 1))...)
	out.set("f90", weight)
	if share := get("transmission", 0)[0]; share > 0 {
		out.set("transmission", share)
		thin := get("thin_walled", 0)[0]
		out.set("thin", thin)
		c, depth := get("transmission_color", 1, 1, 1), get("transmission_depth", 0)[0]
		tint, sigma := c, []float64{0, 0, 0}
		if depth > 0 {
			tint = []float64{1, 1, 1}
			for k := range c {
				sigma[k] = -math.Log(max(c[k], 1e-4)) / depth
			}
		}
		out.set("tint", tint...)
		out.set("absorption", sigma...)
	}
	if share := get("coat", 0)[0]; share > 0 {
		out.set("coat", share)
		out.set("coat_rough", get("coat_roughness", 0.1)[0])
		out.set("coat_index", get("coat_IOR", 1.5)[0])
		out.set("coat_color", get("coat_color", 1, 1, 1)...)
	}
	if share := get("sheen", 0)[0]; share > 0 {
		out.set("sheen", times(share, get("sheen_color", 1, 1, 1))...)
		out.set("sheen_alpha", get("sheen_roughness", 0.3)[0])
	}
	out.set("diffuse_rough", get("diffuse_roughness", 0)[0])
	out.set("edge", 1, 1, 1)
	out.set("two_sided", 0)
	return out
}

var (
	usdShader = regexp.MustCompile(`(?s)def Shader "(\w+)"\s*\{(.*?)\n\s*\}\n`)
	usdLine   = regexp.MustCompile(`(?m)^\s*(?:uniform )?(?:token|float|float2|float4|color3f|normal3f|asset|int|string) (?:inputs:|info:)(\w+)(\.connect)? = (.+)$`)
	usdSource = regexp.MustCompile(`/(\w+)\.outputs:(\w+)>`)
)

// readUSD evaluates a UsdPreviewSurface (its specification, version 2.6).
func readUSD(t *testing.T, p *pictured, document []byte, i int) meant {
	t.Helper()
	shaders := map[string]map[string]string{}
	for _, s := range usdShader.FindAllStringSubmatch(string(document), -1) {
		in := map[string]string{}
		for _, l := range usdLine.FindAllStringSubmatch(s[2], -1) {
			if in[l[1]] != "" {
				t.Fatalf("%s has %s twice", s[1], l[1])
			}
			in[l[1]] = l[3]
		}
		shaders[s[1]] = in
	}
	tuple := func(s string, or ...float64) []float64 {
		if s == "" {
			return or
		}
		var out []float64
		for _, v := range strings.Split(strings.Trim(s, "() "), ",") {
			x, err := strconv.ParseFloat(strings.TrimSpace(v), 64)
			if err != nil {
				t.Fatal(err)
			}
			out = append(out, x)
		}
		return out
	}
	get := func(name string, or ...float64) []float64 {
		v := shaders["surface"][name]
		from := usdSource.FindStringSubmatch(v)
		if from == nil {
			return tuple(v, or...)
		}
		tex := shaders[from[1]]
		scale, bias := tuple(tex["scale"], 1, 1, 1, 1), tuple(tex["bias"], 0, 0, 0, 0)
		file := strings.TrimPrefix(strings.Trim(tex["file"], "@"), "./")
		var out []float64
		for _, c := range from[2] {
			k := strings.IndexRune("rgba", c)
			out = append(out, p.at(file, k, i, tex["sourceColorSpace"] == `"sRGB"` && k < 3)*scale[k]+bias[k])
		}
		return out
	}
	out := meant{}
	out.set("color", get("diffuseColor", 0.18, 0.18, 0.18)...)
	metal := get("metallic", 0)[0]
	out.set("metal", metal)
	rough := get("roughness", 0.5)[0]
	out.streaks(rough*rough, rough*rough, 0)
	out.set("normal", unitVector([3]float64(get("normal", 0, 0, 1)))...)
	out.set("occlusion", get("occlusion", 1)[0])
	opacity, threshold := get("opacity", 1)[0], get("opacityThreshold", 0)[0]
	if threshold > 0 {
		opacity = map[bool]float64{true: 1}[opacity >= threshold]
	}
	out.set("opacity", opacity)
	out.set("cut", map[bool]float64{true: 1}[threshold > 0])
	out.emission([3]float64(get("emissiveColor", 0, 0, 0)), p.most)
	if shaders["surface"]["displacement"] != "" {
		out.set("height", get("displacement")[0])
	}
	index := get("ior", 1.5)[0]
	r := (index - 1) / (index + 1)
	f0 := []float64{r * r, r * r, r * r}
	if get("useSpecularWorkflow", 0)[0] == 1 {
		f0 = get("specularColor", 0, 0, 0)
	}
	out.set("f0", f0...)
	out.set("f90", 1)
	if share := get("clearcoat", 0)[0]; share > 0 {
		out.set("coat", share)
		out.set("coat_rough", get("clearcoatRoughness", 0.01)[0])
		out.set("coat_index", index)
		out.set("coat_color", 1, 1, 1)
	}
	out.set("diffuse_rough", 0)
	out.set("edge", 1, 1, 1)
	out.set("two_sided", map[bool]float64{true: 1}[strings.Contains(string(document), "bool doubleSided = 1")])
	return out
}

// readAbout evaluates material.json: its map files, values and figures.
func readAbout(t *testing.T, p *pictured, document []byte, i int) meant {
	t.Helper()
	var doc struct {
		Files []struct {
			File, Role, Channel, Encoding string
			Holds                         []string
			Inverted                      []bool
			Extra                         bool
		}
		Conventions      map[string]string
		Values           map[string]any
		StandIns         map[string]any `json:"stand_ins"`
		Figures          *material.Figures
		EmissiveStrength float64  `json:"emissive_strength"`
		Depth            *float64 `json:"depth_m"`
		Zero             float64  `json:"height_zero"`
		Centred          float64  `json:"height_scale_m"`
		Workflow         string
		Missing          []struct{ Channel string }
	}
	if err := json.Unmarshal(document, &doc); err != nil {
		t.Fatal(err)
	}
	f := material.Neutral()
	if doc.Figures != nil {
		f = *doc.Figures
	}
	beside := doc.Conventions["figures"] == string(Beside)
	lacks := func(c material.Channel) bool {
		for _, k := range doc.Missing {
			if k.Channel == string(c) {
				return true
			}
		}
		return false
	}
	// raw is a channel's stored values, of its map, else of its value; figures count for what stands in for nothing
	// only if known is false.
	raw := func(c material.Channel) (v []float64, known, ok bool) {
		for _, file := range doc.Files {
			if file.Role != "map" || file.Extra {
				continue
			}
			for k := range 4 {
				holds := file.Channel
				if file.Holds != nil {
					if k >= len(file.Holds) {
						break
					}
					holds = file.Holds[k]
				} else if k > 2 || k > 0 && c.Grey() {
					break
				}
				if holds != string(c) {
					continue
				}
				x := p.at(file.File, k, i, c.Colour() && file.Encoding == "srgb")
				if k < len(file.Inverted) && file.Inverted[k] {
					x = 1 - x
				}
				v = append(v, x)
			}
			if v != nil {
				_, unknown := doc.StandIns[string(c)]
				return v, !unknown, true
			}
		}
		for k, from := range []map[string]any{doc.Values, doc.StandIns} {
			switch x := from[string(c)].(type) {
			case float64:
				return []float64{x}, k == 0, true
			case []any:
				return []float64{x[0].(float64), x[1].(float64), x[2].(float64)}, k == 0, true
			}
		}
		return nil, false, false
	}
	out := meant{}
	if color, mapped, ok := raw(material.BaseColor); ok {
		if mapped && beside {
			c := f.Recolour(colour.RGB{float32(color[0]), float32(color[1]), float32(color[2])})
			color = []float64{float64(c[0]), float64(c[1]), float64(c[2])}
		}
		out.set("color", color...)
	}
	if v, mapped, ok := raw(material.Metallic); ok {
		if mapped && beside {
			v[0] *= f.Metallic
		}
		out.set("metal", v[0])
	}
	rough, mapped, ok := raw(material.Roughness)
	if gloss, known, is := raw(material.Glossiness); is && (doc.Conventions["roughness"] == "glossiness" && known || !ok || !mapped) {
		rough, mapped, ok = []float64{1 - gloss[0]}, known, true
	}
	share := func(c material.Channel) float64 {
		if v, _, ok := raw(c); ok {
			return v[0]
		}
		return 1
	}
	if ok && !lacks(material.Anisotropy) {
		r := rough[0]
		if mapped && beside {
			r = f.Roughness[0] + r*(f.Roughness[1]-f.Roughness[0])
		}
		an := f.Anisotropy * share(material.Anisotropy)
		turns := f.AnisotropyAngle / 360
		if an < 0 {
			turns += 0.25
		}
		out.streaks(r*r*(1+math.Abs(an)), r*r*(1-math.Abs(an)), turns)
	}
	if n, _, ok := raw(material.Normal); ok && doc.Conventions["normal"] != "unknown" {
		v := [3]float64{2*n[0] - 1, 2*n[1] - 1, 2*n[2] - 1}
		if doc.Conventions["normal"] == "y-" {
			v[1] = -v[1]
		}
		if beside {
			v[0], v[1] = v[0]*f.NormalStrength, v[1]*f.NormalStrength
		}
		out.set("normal", unitVector(v)...)
	}
	if h, _, ok := raw(material.Height); ok && doc.Depth != nil && doc.Values["height"] == nil {
		switch {
		case strings.HasPrefix(doc.Conventions["height"], "metres"):
			out.set("height", h[0])
		case strings.HasPrefix(doc.Conventions["height"], "0.5"):
			out.set("height", (h[0]-0.5)*doc.Centred)
		default:
			out.set("height", (h[0]-doc.Zero)**doc.Depth)
		}
	}
	if v, _, ok := raw(material.Occlusion); ok {
		out.set("occlusion", v[0])
	}
	if v, mapped, ok := raw(material.Opacity); ok {
		if mapped && beside {
			v[0] = float64(f.OpacityOf(float32(v[0])))
		}
		out.set("opacity", v[0])
	}
	light, _, ok := raw(material.Emissive)
	if _, even := doc.Values["emissive"]; ok && !even && doc.EmissiveStrength > 0 {
		for c := range light {
			light[c] *= doc.EmissiveStrength
		}
	}
	if l := f.Emission.Luminance; l > 0 && !lacks(material.Emissive) {
		if !ok {
			light, ok = []float64{1, 1, 1}, true
		}
		for c, k := range f.Emission.Light() {
			light[c] *= k * l
		}
	}
	if ok {
		out.emission([3]float64(light), p.most)
	}
	if v, _, ok := raw(material.Specular); ok && doc.Workflow == string(SpecGloss) {
		out.set("specular", v...)
	} else if ok {
		out.set("f0", v...)
	}
	if doc.Workflow == string(SpecGloss) {
		for c := range 3 {
			if v, ok := out[fmt.Sprintf("color.%d", c)]; ok {
				out[fmt.Sprintf("diffuse.%d", c)] = v
				delete(out, fmt.Sprintf("color.%d", c))
			}
		}
		delete(out, "metal")
	}
	if s := f.Transmission.Share * share(material.Transmission); s > 0 && !lacks(material.Transmission) {
		out.set("transmission", s)
	}
	if s := f.Coat.Share * share(material.Coat); s > 0.01 && !lacks(material.Coat) {
		out.set("coat", s)
	}
	if f.Sheen.Share > 0 && !lacks(material.Sheen) {
		v, _, ok := raw(material.Sheen)
		if !ok {
			v = []float64{1, 1, 1}
		}
		for c := range v {
			v[c] *= f.Sheen.Share * f.Sheen.Color[c]
		}
		out.set("sheen", v...)
	}
	return out
}

var _ = normals.Up
