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

// colourSpace of a colour map's samples, in MaterialX's and in USD's words.
func (p Profile) colourSpace() (materialX, usd string) {
	if p.EXR {
		return "lin_rec709", "raw"
	}
	return "srgb_texture", "sRGB"
}

// gltf is a glTF 2.0 asset: one repeat as a flat quad in the x–y plane whose UVs
// are metres, and the material with KHR_texture_transform turning metres into
// repeats.
func (m Material) gltf(p Profile) []byte {
	size := m.Extent()
	type object = map[string]any
	var images, textures []object
	// v grows upwards from the quad's lower edge, in metres; glTF's texture space
	// has v downwards from the top.
	texture := func(file string) object {
		images = append(images, object{"uri": file, "mimeType": "image/png"})
		textures = append(textures, object{"source": len(images) - 1, "sampler": 0})
		return object{"index": len(textures) - 1, "extensions": object{"KHR_texture_transform": object{"scale": []float64{1 / size.W, 1 / size.H}}}}
	}
	pbr := object{}
	mat := object{"name": m.Name, "pbrMetallicRoughness": pbr}
	switch base, op := m.find(material.BaseColor), m.find(material.Opacity); {
	case base != nil && op != nil:
		pbr["baseColorTexture"] = texture(m.png("base_color-opacity"))
		mat["alphaMode"], mat["alphaCutoff"], mat["doubleSided"] = "MASK", 0.5, true
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
		if metal != nil {
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
		mat["emissiveFactor"] = []float64{unit(v[0]), unit(v[1]), unit(v[2])}
	}
	w, h := float32(size.W), float32(size.H)
	var bin bytes.Buffer
	for _, f := range []float32{
		-w / 2, -h / 2, 0, w / 2, -h / 2, 0, w / 2, h / 2, 0, -w / 2, h / 2, 0, // positions
		0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, // normals
		1, 0, 0, 1, 1, 0, 0, 1, 1, 0, 0, 1, 1, 0, 0, 1, // tangents
		0, h, w, h, w, 0, 0, 0, // UVs in metres
	} {
		binary.Write(&bin, binary.LittleEndian, f)
	}
	for _, i := range []uint16{0, 1, 2, 0, 2, 3} {
		binary.Write(&bin, binary.LittleEndian, i)
	}
	view := func(at, n, target int) object {
		return object{"buffer": 0, "byteOffset": at, "byteLength": n, "target": target}
	}
	doc := object{
		"asset":          object{"version": "2.0", "generator": "Aldermoor"},
		"extensionsUsed": []string{"KHR_texture_transform"},
		"scene":          0, "scenes": []object{{"nodes": []int{0}}},
		"nodes":     []object{{"mesh": 0, "name": m.Name}},
		"meshes":    []object{{"name": "one repeat", "primitives": []object{{"attributes": object{"POSITION": 0, "NORMAL": 1, "TANGENT": 2, "TEXCOORD_0": 3}, "indices": 4, "material": 0}}}},
		"materials": []object{mat},
		"accessors": []object{
			{"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": []float32{-w / 2, -h / 2, 0}, "max": []float32{w / 2, h / 2, 0}},
			{"bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC3"},
			{"bufferView": 2, "componentType": 5126, "count": 4, "type": "VEC4"},
			{"bufferView": 3, "componentType": 5126, "count": 4, "type": "VEC2"},
			{"bufferView": 4, "componentType": 5123, "count": 6, "type": "SCALAR"},
		},
		"bufferViews": []object{view(0, 48, 34962), view(48, 48, 34962), view(96, 64, 34962), view(160, 32, 34962), view(192, 12, 34963)},
		"buffers":     []object{{"byteLength": bin.Len(), "uri": "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(bin.Bytes())}},
		"extras":      object{"width_m": size.W, "height_m": size.H, "depth_m": m.Depth, "release": m.Number, "licence": m.Licence},
	}
	if len(textures) > 0 {
		doc["images"], doc["textures"] = images, textures
		doc["samplers"] = []object{{"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497}}
	} else {
		delete(doc, "extensionsUsed")
	}
	out, err := json.MarshalIndent(doc, "", "  ")
	if err != nil {
		panic(fmt.Sprintf("handoff: glTF of %q: %v", m.Name, err)) // only figures and strings: cannot fail
	}
	return out
}

// materialX is a MaterialX 1.38 document: a standard_surface whose images have
// their real-world size, for UVs in metres.
func (m Material) materialX(p Profile) []byte {
	size := m.Extent()
	space, _ := p.colourSpace()
	var graph, inputs strings.Builder
	image := func(node, kind, file, space string) {
		cs := ""
		if space != "" {
			cs = fmt.Sprintf(" colorspace=%q", space)
		}
		fmt.Fprintf(&graph, `    <tiledimage name=%q type=%q>
      <input name="file" type="filename" value=%q%s />
      <input name="realworldimagesize" type="vector2" value="%s, %s" />
      <input name="realworldtilesize" type="vector2" value="1, 1" />
    </tiledimage>
`, node, kind, escape(file), cs, num(size.W), num(size.H))
	}
	out := func(name, kind, node string) {
		fmt.Fprintf(&graph, "    <output name=%q type=%q nodename=%q />\n", name, kind, node)
	}
	connect := func(input, kind, output string) {
		fmt.Fprintf(&inputs, "    <input name=%q type=%q nodegraph=\"maps\" output=%q />\n", input, kind, output)
	}
	if m.find(material.BaseColor) != nil {
		image("base_color", "color3", m.file(p, "base_color"), space)
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
	if m.find(material.Metallic) != nil {
		image("metallic", "float", m.file(p, "metallic"), "")
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
		image("opacity", "color3", m.file(p, "opacity"), "lin_rec709")
		out("opacity_out", "color3", "opacity")
		connect("opacity", "color3", "opacity_out")
	}
	if m.find(material.Emissive) != nil {
		image("emissive", "color3", m.file(p, "emissive"), space)
		out("emissive_out", "color3", "emissive")
		connect("emission_color", "color3", "emissive_out")
		inputs.WriteString("    <input name=\"emission\" type=\"float\" value=\"1\" />\n")
	}
	height := ""
	if m.find(material.Height) != nil && m.Depth > 0 {
		image("height", "float", m.file(p, "height"), "")
		out("height_out", "float", "height")
		height = fmt.Sprintf(`  <displacement name="relief" type="displacementshader">
    <input name="displacement" type="float" nodegraph="maps" output="height_out" />
    <input name="scale" type="float" value="%s" />
  </displacement>
`, num(m.Depth))
	}
	var b strings.Builder
	b.WriteString("<?xml version=\"1.0\"?>\n<materialx version=\"1.38\" colorspace=\"lin_rec709\">\n")
	fmt.Fprintf(&b, "  <!-- %s, release %d. One repeat is %s x %s m; UVs are metres. -->\n", strings.ReplaceAll(escape(m.Name), "--", "- -"), m.Number, num(size.W), num(size.H))
	if graph.Len() > 0 {
		fmt.Fprintf(&b, "  <nodegraph name=\"maps\">\n%s  </nodegraph>\n", graph.String())
	}
	fmt.Fprintf(&b, "  <standard_surface name=\"surface\" type=\"surfaceshader\">\n%s  </standard_surface>\n%s", inputs.String(), height)
	fmt.Fprintf(&b, "  <surfacematerial name=%q type=\"material\">\n    <input name=\"surfaceshader\" type=\"surfaceshader\" nodename=\"surface\" />\n", identifier(m.Slug))
	if height != "" {
		b.WriteString("    <input name=\"displacementshader\" type=\"displacementshader\" nodename=\"relief\" />\n")
	}
	b.WriteString("  </surfacematerial>\n</materialx>\n")
	return []byte(b.String())
}

// usd is an OpenUSD layer with a UsdPreviewSurface, for UVs in metres.
func (m Material) usd(p Profile) []byte {
	size, name := m.Extent(), identifier(m.Slug)
	_, space := p.colourSpace()
	var inputs, nodes strings.Builder
	root := "/" + name
	texture := func(node, file, space, output, kind, input, extra string) {
		fmt.Fprintf(&inputs, "        %s inputs:%s.connect = <%s/%s.outputs:%s>\n", kind, input, root, node, output)
		fmt.Fprintf(&nodes, `
    def Shader "%s"
    {
        uniform token info:id = "UsdUVTexture"
        asset inputs:file = @./%s@
        token inputs:sourceColorSpace = "%s"
        token inputs:wrapS = "repeat"
        token inputs:wrapT = "repeat"
        float2 inputs:st.connect = <%s/metres.outputs:result>
%s        %s outputs:%s
    }
`, node, file, space, root, extra, map[string]string{"rgb": "float3", "r": "float"}[output], output)
	}
	for _, k := range m.evenInputs() {
		if k.usd == "" {
			continue
		}
		if k.usdKind == "float" {
			fmt.Fprintf(&inputs, "        float inputs:%s = %s\n", k.usd, k.value(true))
		} else {
			fmt.Fprintf(&inputs, "        %s inputs:%s = (%s)\n", k.usdKind, k.usd, k.value(false))
		}
	}
	if m.find(material.BaseColor) != nil {
		texture("base_color", m.file(p, "base_color"), space, "rgb", "color3f", "diffuseColor", "")
	}
	if m.rough() != nil {
		extra, file := "", m.file(p, "roughness")
		if p.Gloss {
			extra, file = "        float4 inputs:scale = (-1, -1, -1, 1)\n        float4 inputs:bias = (1, 1, 1, 0)\n", m.file(p, "glossiness")
		}
		texture("roughness", file, "raw", "r", "float", "roughness", extra)
	}
	if m.find(material.Metallic) != nil {
		texture("metallic", m.file(p, "metallic"), "raw", "r", "float", "metallic", "")
	}
	if m.find(material.Normal) != nil {
		texture("normal", m.normalFile(p), "raw", "rgb", "normal3f", "normal", "        float4 inputs:scale = (2, 2, 2, 1)\n        float4 inputs:bias = (-1, -1, -1, 0)\n")
	}
	if m.find(material.Occlusion) != nil {
		texture("occlusion", m.file(p, "occlusion"), "raw", "r", "float", "occlusion", "")
	}
	if m.find(material.Opacity) != nil {
		texture("opacity", m.file(p, "opacity"), "raw", "r", "float", "opacity", "")
		inputs.WriteString("        float inputs:opacityThreshold = 0.5\n")
	}
	if m.find(material.Emissive) != nil {
		texture("emissive", m.file(p, "emissive"), space, "rgb", "color3f", "emissiveColor", "")
	}
	if m.find(material.Height) != nil && m.Depth > 0 {
		texture("height", m.file(p, "height"), "raw", "r", "float", "displacement", fmt.Sprintf("        float4 inputs:scale = (%s, %s, %s, 1)\n", num(m.Depth), num(m.Depth), num(m.Depth)))
	}
	return fmt.Appendf(nil, `#usda 1.0
(
    defaultPrim = "%[1]s"
    metersPerUnit = 1
    upAxis = "Y"
    doc = "One repeat is %[2]s x %[3]s m; UVs (primvar st) are metres."
)

def Material "%[1]s"
{
    token outputs:surface.connect = </%[1]s/surface.outputs:surface>

    def Shader "surface"
    {
        uniform token info:id = "UsdPreviewSurface"
%[4]s        token outputs:surface
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
        float2 inputs:in.connect = </%[1]s/st.outputs:result>
        float2 inputs:scale = (%[5]s, %[6]s)
        float2 outputs:result
    }
%[7]s}
`, name, num(size.W), num(size.H), inputs.String(), num(1/size.W), num(1/size.H), nodes.String())
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
