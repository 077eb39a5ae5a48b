package handoff

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"math"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
)

// png is the relative name of a map in the zip that is PNG whatever the profile; of
// maps in UDIM tiles the first one, as glTF knows no others.
func (m Material) png(suffix string) string {
	if t := m.tiles()[0]; t != "" {
		suffix += "." + t
	}
	return "maps/" + m.Slug + "-" + suffix + ".png"
}

// file is the relative name of a map in the profile's format, with the mark for all
// UDIM tiles that MaterialX and USD know.
func (m Material) file(p Profile, suffix string) string {
	if m.tiles()[0] != "" {
		suffix += ".<UDIM>"
	}
	return "maps/" + m.Slug + "-" + suffix + p.ending()
}

// normalFile is the Y+ normal map, which all three descriptions need.
func (m Material) normalFile(p Profile) string {
	if p.Direction == normals.Down {
		return m.file(Profile{}, "normal-yplus")
	}
	return m.file(p, "normal")
}

// baseFile is the base colour that MaterialX and USD read, and its colour space: of a
// spec-gloss material the converted one, which is always PNG.
func (m Material) baseFile(p Profile, space, png string) (file, in string) {
	if base, _ := m.specGloss(); base != nil {
		return m.file(Profile{}, metalRough+"-base_color"), png
	}
	return m.file(p, "base_color"), space
}

// metallicFile is the metallic map that they read; "" if there is none.
func (m Material) metallicFile(p Profile) string {
	if base, _ := m.specGloss(); base != nil {
		return m.file(Profile{}, metalRough+"-metallic")
	}
	if m.find(material.Metallic) != nil {
		return m.file(p, "metallic")
	}
	return ""
}

// colourSpace of a colour map's samples, in MaterialX's and in USD's words.
func (p Profile) colourSpace() (materialX, usd string) {
	if p.EXR {
		return "lin_rec709", "raw"
	}
	return "srgb_texture", "sRGB"
}

// gltf is a glTF 2.0 asset: one repeat as a flat quad of true size in the x–y plane whose
// UVs run once over the maps. It needs no extension: every reader shows it at scale.
func (m Material) gltf(p Profile) []byte {
	size := m.Extent()
	type object = map[string]any
	var images, textures []object
	listed := map[string]int{}
	texture := func(file string) object {
		if _, ok := listed[file]; !ok {
			listed[file] = len(textures)
			images = append(images, object{"uri": file, "mimeType": "image/png"})
			textures = append(textures, object{"source": len(images) - 1, "sampler": 0})
		}
		return object{"index": listed[file]}
	}
	pbr := object{}
	mat := object{"name": m.Name, "pbrMetallicRoughness": pbr}
	converted, _ := m.specGloss()
	switch base, op := m.find(material.BaseColor), m.find(material.Opacity); {
	case base != nil && op != nil:
		pbr["baseColorTexture"] = texture(m.png("base_color-opacity"))
		mat["alphaMode"], mat["alphaCutoff"], mat["doubleSided"] = "MASK", 0.5, true
	case base != nil && converted != nil:
		pbr["baseColorTexture"] = texture(m.png(metalRough + "-base_color"))
	case base != nil:
		pbr["baseColorTexture"] = texture(m.png("base_color"))
	}
	colour, even := m.constant(material.BaseColor)
	alpha, clear := m.constant(material.Opacity)
	if even || clear {
		if !even {
			colour = [3]float64{1, 1, 1}
		}
		if !clear {
			alpha[0] = 1
		} else if alpha[0] < 1 {
			mat["alphaMode"] = "BLEND"
		}
		pbr["baseColorFactor"] = []float64{unit(colour[0]), unit(colour[1]), unit(colour[2]), unit(alpha[0])}
	}
	rough, metal, occ := m.rough(), m.find(material.Metallic), m.find(material.Occlusion)
	pbr["metallicFactor"] = 0.0
	if rough != nil || metal != nil {
		pbr["metallicRoughnessTexture"] = texture(m.png("occlusion-roughness-metallic"))
		if metal != nil || converted != nil {
			pbr["metallicFactor"] = 1.0
		}
	}
	// Constants lie in the packed map if there is one; else they are factors.
	if v, ok := m.constant(material.Metallic); ok {
		pbr["metallicFactor"] = unit(v[0])
		if pbr["metallicRoughnessTexture"] != nil {
			pbr["metallicFactor"] = 1.0
		}
	}
	if v, ok := m.evenRoughness(); ok && pbr["metallicRoughnessTexture"] == nil {
		pbr["roughnessFactor"] = unit(v)
	}
	if occ != nil {
		mat["occlusionTexture"] = texture(m.png("occlusion-roughness-metallic"))
	}
	if m.find(material.Normal) != nil {
		normal := m.png("normal")
		if p.EXR || p.Direction == normals.Down {
			normal = m.png("normal-yplus")
		}
		mat["normalTexture"] = texture(normal)
	}
	if m.find(material.Emissive) != nil {
		mat["emissiveTexture"] = texture(m.png("emissive"))
		mat["emissiveFactor"] = []float64{1, 1, 1}
	} else if v, ok := m.constant(material.Emissive); ok {
		k := m.strength()
		mat["emissiveFactor"] = []float64{unit(v[0] / k), unit(v[1] / k), unit(v[2] / k)}
	}
	if k := m.strength(); k > 1 {
		more, _ := mat["extensions"].(object)
		if more == nil {
			more = object{}
		}
		more["KHR_materials_emissive_strength"] = object{"emissiveStrength": k}
		mat["extensions"] = more
	}
	w, h := float32(size.W), float32(size.H)
	var bin bytes.Buffer
	for _, f := range []float32{
		-w / 2, -h / 2, 0, w / 2, -h / 2, 0, w / 2, h / 2, 0, -w / 2, h / 2, 0, // positions
		0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, // normals
		0, 1, 1, 1, 1, 0, 0, 0, // UVs: v goes down from the top
	} {
		binary.Write(&bin, binary.LittleEndian, f)
	}
	for _, i := range []uint16{0, 1, 2, 0, 2, 3} {
		binary.Write(&bin, binary.LittleEndian, i)
	}
	view := func(at, n, target int) object {
		return object{"buffer": 0, "byteOffset": at, "byteLength": n, "target": target}
	}
	extras := object{"release": m.Number, "licence": m.Licence}
	if m.Size.Known() {
		extras["width_m"], extras["height_m"] = m.Size.W, m.Size.H
	}
	if m.Depth > 0 {
		extras["depth_m"] = m.Depth
	}
	doc := object{
		"asset": object{"version": "2.0", "generator": "Aldermoor"},
		"scene": 0, "scenes": []object{{"nodes": []int{0}}},
		"nodes":     []object{{"mesh": 0, "name": m.Name}},
		"meshes":    []object{{"name": "one repeat", "primitives": []object{{"attributes": object{"POSITION": 0, "NORMAL": 1, "TEXCOORD_0": 2}, "indices": 3, "material": 0}}}},
		"materials": []object{mat},
		"accessors": []object{
			{"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": []float32{-w / 2, -h / 2, 0}, "max": []float32{w / 2, h / 2, 0}},
			{"bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC3"},
			{"bufferView": 2, "componentType": 5126, "count": 4, "type": "VEC2"},
			{"bufferView": 3, "componentType": 5123, "count": 6, "type": "SCALAR"},
		},
		"bufferViews": []object{view(0, 48, 34962), view(48, 48, 34962), view(96, 32, 34962), view(128, 12, 34963)},
		"buffers":     []object{{"byteLength": bin.Len(), "uri": "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(bin.Bytes())}},
		"extras":      extras,
	}
	if m.strength() > 1 {
		doc["extensionsUsed"] = []string{"KHR_materials_emissive_strength"}
	}
	if len(textures) > 0 {
		doc["images"], doc["textures"] = images, textures
		doc["samplers"] = []object{{"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497}}
	}
	out, err := json.MarshalIndent(doc, "", "  ")
	if err != nil {
		panic(fmt.Sprintf("handoff: glTF of %q: %v", m.Name, err)) // only figures and strings: cannot fail
	}
	return out
}

// materialX is a MaterialX 1.38 document: a standard_surface whose images have
// their real-world size, for UVs in metres; where no size is known UVs count repeats.
func (m Material) materialX(p Profile) []byte {
	space, _ := p.colourSpace()
	scaled := ""
	if m.Size.Known() {
		scaled = fmt.Sprintf(`
      <input name="realworldimagesize" type="vector2" value="%s, %s" unittype="distance" unit="meter" />
      <input name="realworldtilesize" type="vector2" value="1, 1" unittype="distance" unit="meter" />`, num(m.Size.W), num(m.Size.H))
	}
	var graph, inputs strings.Builder
	image := func(node, kind, file, space string) {
		cs := ""
		if space != "" {
			cs = fmt.Sprintf(" colorspace=%q", space)
		}
		fmt.Fprintf(&graph, `    <tiledimage name=%q type=%q>
      <input name="file" type="filename" value=%q%s />%s
    </tiledimage>
`, node, kind, escape(file), cs, scaled)
	}
	out := func(name, kind, node string) {
		fmt.Fprintf(&graph, "    <output name=%q type=%q nodename=%q />\n", name, kind, node)
	}
	connect := func(input, kind, output string) {
		fmt.Fprintf(&inputs, "    <input name=%q type=%q nodegraph=\"maps\" output=%q />\n", input, kind, output)
	}
	if m.find(material.BaseColor) != nil {
		file, space := m.baseFile(p, space, "srgb_texture")
		image("base_color", "color3", file, space)
		out("base_color_out", "color3", "base_color")
		connect("base_color", "color3", "base_color_out")
	}
	for _, k := range m.evenInputs() {
		fmt.Fprintf(&inputs, "    <input name=%q type=%q value=%q />\n", k.materialX, k.kind, k.value(k.kind == "float"))
	}
	if m.rough() != nil {
		if p.Gloss {
			image("glossiness", "float", m.file(p, "glossiness"), "")
			graph.WriteString("    <invert name=\"roughness\" type=\"float\">\n      <input name=\"in\" type=\"float\" nodename=\"glossiness\" />\n    </invert>\n")
		} else {
			image("roughness", "float", m.file(p, "roughness"), "")
		}
		out("roughness_out", "float", "roughness")
		connect("specular_roughness", "float", "roughness_out")
	}
	if file := m.metallicFile(p); file != "" {
		image("metallic", "float", file, "")
		out("metallic_out", "float", "metallic")
		connect("metalness", "float", "metallic_out")
	}
	if m.find(material.Normal) != nil {
		image("normal_map", "vector3", m.normalFile(p), "")
		graph.WriteString("    <normalmap name=\"normal\" type=\"vector3\">\n      <input name=\"in\" type=\"vector3\" nodename=\"normal_map\" />\n    </normalmap>\n")
		out("normal_out", "vector3", "normal")
		connect("normal", "vector3", "normal_out")
	}
	if m.find(material.Opacity) != nil {
		image("opacity_map", "float", m.file(p, "opacity"), "")
		graph.WriteString("    <convert name=\"opacity\" type=\"color3\">\n      <input name=\"in\" type=\"float\" nodename=\"opacity_map\" />\n    </convert>\n")
		out("opacity_out", "color3", "opacity")
		connect("opacity", "color3", "opacity_out")
	}
	if m.find(material.Emissive) != nil {
		image("emissive", "color3", m.file(p, "emissive"), space)
		out("emissive_out", "color3", "emissive")
		connect("emission_color", "color3", "emissive_out")
		fmt.Fprintf(&inputs, "    <input name=\"emission\" type=\"float\" value=%q />\n", num(m.strength()))
	}
	height := ""
	if m.find(material.Height) != nil && m.Depth > 0 {
		image("height", "float", m.file(p, "height"), "")
		out("height_out", "float", "height")
		height = fmt.Sprintf(`  <displacement name="relief" type="displacementshader">
    <input name="displacement" type="float" nodegraph="maps" output="height_out" />
    <input name="scale" type="float" value="%s" unittype="distance" unit="meter" />
  </displacement>
`, num(m.Depth))
	}
	var b strings.Builder
	b.WriteString("<?xml version=\"1.0\"?>\n<materialx version=\"1.38\" colorspace=\"lin_rec709\">\n")
	fmt.Fprintf(&b, "  <!-- %s, release %d. %s -->\n", comment(m.Name), m.Number, m.scaleText())
	if graph.Len() > 0 {
		fmt.Fprintf(&b, "  <nodegraph name=\"maps\">\n%s  </nodegraph>\n", graph.String())
	}
	fmt.Fprintf(&b, "  <standard_surface name=\"surface\" type=\"surfaceshader\">\n%s  </standard_surface>\n%s", inputs.String(), height)
	fmt.Fprintf(&b, "  <surfacematerial name=%q type=\"material\">\n    <input name=\"surfaceshader\" type=\"surfaceshader\" nodename=\"surface\" />\n", m.nodeName())
	if height != "" {
		b.WriteString("    <input name=\"displacementshader\" type=\"displacementshader\" nodename=\"relief\" />\n")
	}
	b.WriteString("  </surfacematerial>\n</materialx>\n")
	return []byte(b.String())
}

// scaleText says how large a repeat is and what UVs count.
func (m Material) scaleText() string {
	if !m.Size.Known() {
		return "The size is not known; UVs count repeats."
	}
	return fmt.Sprintf("One repeat is %s x %s m; UVs are metres.", num(m.Size.W), num(m.Size.H))
}

// nodeName is the material's name in MaterialX, where no two nodes may share one.
func (m Material) nodeName() string {
	switch name := identifier(m.Slug); name {
	case "maps", "surface", "relief":
		return name + "_material"
	default:
		return name
	}
}

// comment makes a text fit for an XML comment, which may not hold two dashes in a row.
func comment(text string) string {
	text = escape(text)
	for strings.Contains(text, "--") {
		text = strings.ReplaceAll(text, "--", "- -")
	}
	return strings.TrimSuffix(text, "-")
}

// usd is an OpenUSD layer: one repeat as a quad of true size, bound to a material with a
// UsdPreviewSurface. UVs are metres; where no size is known they count repeats.
func (m Material) usd(p Profile) []byte {
	size, name := m.Extent(), identifier(m.Slug)
	uv := m.Size // of one repeat
	if !uv.Known() {
		uv = scale.Size{W: 1, H: 1}
	}
	_, space := p.colourSpace()
	var inputs, nodes strings.Builder
	root := "/" + name + "/material"
	texture := func(node, file, space, output, kind, input, extra string) {
		fmt.Fprintf(&inputs, "    %s inputs:%s.connect = <%s/%s.outputs:%s>\n", kind, input, root, node, output)
		fmt.Fprintf(&nodes, `
def Shader "%s"
{
    uniform token info:id = "UsdUVTexture"
    asset inputs:file = @./%s@
    token inputs:sourceColorSpace = "%s"
    token inputs:wrapS = "repeat"
    token inputs:wrapT = "repeat"
    float2 inputs:st.connect = <%s/metres.outputs:result>
%s    %s outputs:%s
}
`, node, file, space, root, extra, map[string]string{"rgb": "float3", "r": "float"}[output], output)
	}
	for _, k := range m.evenInputs() {
		if k.usd == "" {
			continue
		}
		if k.usdKind == "float" {
			fmt.Fprintf(&inputs, "    float inputs:%s = %s\n", k.usd, k.value(true))
		} else {
			fmt.Fprintf(&inputs, "    %s inputs:%s = (%s)\n", k.usdKind, k.usd, k.value(false))
		}
	}
	if m.find(material.BaseColor) != nil {
		file, space := m.baseFile(p, space, "sRGB")
		texture("base_color", file, space, "rgb", "color3f", "diffuseColor", "")
	}
	if m.rough() != nil {
		extra, file := "", m.file(p, "roughness")
		if p.Gloss {
			extra, file = "    float4 inputs:scale = (-1, -1, -1, 1)\n    float4 inputs:bias = (1, 1, 1, 0)\n", m.file(p, "glossiness")
		}
		texture("roughness", file, "raw", "r", "float", "roughness", extra)
	}
	if file := m.metallicFile(p); file != "" {
		texture("metallic", file, "raw", "r", "float", "metallic", "")
	}
	if m.find(material.Normal) != nil {
		texture("normal", m.normalFile(p), "raw", "rgb", "normal3f", "normal", "    float4 inputs:scale = (2, 2, 2, 1)\n    float4 inputs:bias = (-1, -1, -1, 0)\n")
	}
	if m.find(material.Occlusion) != nil {
		texture("occlusion", m.file(p, "occlusion"), "raw", "r", "float", "occlusion", "")
	}
	if m.find(material.Opacity) != nil {
		texture("opacity", m.file(p, "opacity"), "raw", "r", "float", "opacity", "")
		inputs.WriteString("    float inputs:opacityThreshold = 0.5\n")
	}
	if m.find(material.Emissive) != nil {
		extra := ""
		if k := num(m.strength()); k != "1" {
			extra = fmt.Sprintf("    float4 inputs:scale = (%s, %s, %s, 1)\n", k, k, k)
		}
		texture("emissive", m.file(p, "emissive"), space, "rgb", "color3f", "emissiveColor", extra)
	}
	if m.find(material.Height) != nil && m.Depth > 0 {
		texture("height", m.file(p, "height"), "raw", "r", "float", "displacement", fmt.Sprintf("    float4 inputs:scale = (%s, %s, %s, 1)\n", num(m.Depth), num(m.Depth), num(m.Depth)))
	}
	shaders := fmt.Sprintf(`token outputs:surface.connect = <%[1]s/surface.outputs:surface>
token outputs:displacement.connect = <%[1]s/surface.outputs:displacement>

def Shader "surface"
{
    uniform token info:id = "UsdPreviewSurface"
%[2]s    token outputs:surface
    token outputs:displacement
}

def Shader "st"
{
    uniform token info:id = "UsdPrimvarReader_float2"
    string inputs:varname = "st"
    float2 outputs:result
}

def Shader "metres"
{
    uniform token info:id = "UsdTransform2d"
    float2 inputs:in.connect = <%[1]s/st.outputs:result>
    float2 inputs:scale = (%[3]s, %[4]s)
    float2 outputs:result
}
%[5]s`, root, inputs.String(), num(1/uv.W), num(1/uv.H), nodes.String())
	return fmt.Appendf(nil, `#usda 1.0
(
    defaultPrim = "%[1]s"
    metersPerUnit = 1
    upAxis = "Y"
    doc = "%[2]s"
)

def Xform "%[1]s"
{
    def Mesh "repeat" (
        prepend apiSchemas = ["MaterialBindingAPI"]
    )
    {
        uniform bool doubleSided = 1
        float3[] extent = [(-%[3]s, -%[4]s, 0), (%[3]s, %[4]s, 0)]
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        normal3f[] normals = [(0, 0, 1), (0, 0, 1), (0, 0, 1), (0, 0, 1)]
        point3f[] points = [(-%[3]s, -%[4]s, 0), (%[3]s, -%[4]s, 0), (%[3]s, %[4]s, 0), (-%[3]s, %[4]s, 0)]
        texCoord2f[] primvars:st = [(0, 0), (%[5]s, 0), (%[5]s, %[6]s), (0, %[6]s)] (
            interpolation = "vertex"
        )
        uniform token subdivisionScheme = "none"
        rel material:binding = </%[1]s/material>
    }

    def Material "material"
    {
%[7]s    }
}
`, name, m.scaleText(), num(size.W/2), num(size.H/2), num(uv.W), num(uv.H), indented(shaders, "        "))
}

// indented is a text with spaces before each line that is not empty.
func indented(text, spaces string) string {
	var b strings.Builder
	for line := range strings.Lines(text) {
		if strings.TrimSpace(line) != "" {
			b.WriteString(spaces)
		}
		b.WriteString(line)
	}
	return b.String()
}

// evenInput is an input of a surface that has one value everywhere, as MaterialX and as USD
// name it.
type evenInput struct {
	materialX, kind string
	usd, usdKind    string
	v               [3]float64
}

// value is the input's value as text: one figure or three.
func (k evenInput) value(one bool) string {
	if one {
		return num(k.v[0])
	}
	return num(k.v[0]) + ", " + num(k.v[1]) + ", " + num(k.v[2])
}

// evenInputs are the channels with constants.
func (m Material) evenInputs() (list []evenInput) {
	if v, ok := m.constant(material.BaseColor); ok {
		list = append(list, evenInput{"base_color", "color3", "diffuseColor", "color3f", v})
	}
	if v, ok := m.evenRoughness(); ok {
		list = append(list, evenInput{"specular_roughness", "float", "roughness", "float", [3]float64{v, v, v}})
	}
	if v, ok := m.constant(material.Metallic); ok {
		list = append(list, evenInput{"metalness", "float", "metallic", "float", v})
	}
	if v, ok := m.constant(material.Opacity); ok {
		list = append(list, evenInput{"opacity", "color3", "opacity", "float", [3]float64{v[0], v[0], v[0]}})
	}
	if v, ok := m.constant(material.Emissive); ok {
		list = append(list, evenInput{"emission_color", "color3", "emissiveColor", "color3f", v}, evenInput{"emission", "float", "", "", [3]float64{1}})
	}
	return list
}

// unit is v within 0..1, to which glTF confines its factors.
func unit(v float64) float64 { return min(max(v, 0), 1) }

func num(v float64) string {
	return fmt.Sprintf("%g", math.Round(v*1e6)/1e6)
}

func escape(s string) string {
	var b bytes.Buffer
	xml.EscapeText(&b, []byte(s))
	return b.String()
}

// identifier makes a name that XML and USD take.
func identifier(s string) string {
	out := strings.Map(func(r rune) rune {
		if r == '_' || r >= '0' && r <= '9' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' {
			return r
		}
		return '_'
	}, s)
	if out == "" || out[0] >= '0' && out[0] <= '9' {
		out = "m_" + out
	}
	return out
}
