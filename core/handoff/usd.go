package handoff

import (
	"fmt"
	"math"
	"strings"

	"aldermoor/core/material"
	"aldermoor/core/scale"
)

// usdInputs are the inputs of UsdPreviewSurface and their types.
var usdInputs = map[material.Channel]struct{ name, kind string }{
	material.BaseColor: {"diffuseColor", "color3f"},
	material.Roughness: {"roughness", "float"},
	material.Metallic:  {"metallic", "float"},
	material.Normal:    {"normal", "normal3f"},
	material.Occlusion: {"occlusion", "float"},
	material.Opacity:   {"opacity", "float"},
	material.Emissive:  {"emissiveColor", "color3f"},
	material.Height:    {"displacement", "float"},
	material.Coat:      {"clearcoat", "float"},
	material.Specular:  {"specularColor", "color3f"},
}

// Maps that slide do so for driftSeconds, at usdFrames time codes a second.
const (
	driftSeconds = 3600
	usdFrames    = 24
)

// usd is an OpenUSD layer: one repeat as a quad of true size, bound to a material with a
// UsdPreviewSurface. Its maps are PNG, JPEG or OpenEXR: readers need not open
// others. UVs are metres unless the profile says otherwise; where no size is known they count repeats.
func (s surface) usd() []byte {
	size, name := s.extent, identifier(s.slug)
	uv := s.size // of one repeat
	if !uv.Known() || s.uv == UVRepeat {
		uv = scale.Size{W: 1, H: 1}
	}
	p := usdPreview{surface: &s, root: "/" + name + "/material"}
	for _, k := range s.preview {
		p.input(k)
	}
	if f := s.figures; f.Index != 1.5 && find(s.preview, material.Specular) == nil {
		fmt.Fprintf(&p.inputs, "    float inputs:ior = %s\n", num(f.Index))
	}
	if c := s.figures.Coat; c.Share > 0 {
		fmt.Fprintf(&p.inputs, "    float inputs:clearcoatRoughness = %s\n", num(c.Roughness))
	}
	sliding, clock := "", ""
	if s.drifts() { // texture coordinates move against the maps
		right, up := s.drift(false)
		sliding = fmt.Sprintf("    float2 inputs:translation.timeSamples = {\n        0: (0, 0),\n        %d: (%s, %s),\n    }\n", driftSeconds*usdFrames, num(-right*driftSeconds), num(-up*driftSeconds))
		clock = fmt.Sprintf("    timeCodesPerSecond = %d\n", usdFrames)
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
%[6]s    float2 outputs:result
}
%[5]s`, p.root, p.inputs.String(), num(1/uv.W), num(1/uv.H), p.nodes.String(), sliding)
	return fmt.Appendf(nil, `#usda 1.0
(
    defaultPrim = "%[1]s"
    metersPerUnit = 1
    upAxis = "Y"
%[8]s    doc = "%[2]s"
)

def Xform "%[1]s"
{
    def Mesh "repeat" (
        prepend apiSchemas = ["MaterialBindingAPI"]
    )
    {
        uniform bool doubleSided = %[9]d
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
`, name, s.scaleText(), num(size.W/2), num(size.H/2), num(uv.W), num(uv.H), indented(shaders, "        "), clock, map[bool]int{true: 1}[s.figures.TwoSided])
}

// usdPreview gathers the inputs of a UsdPreviewSurface and the nodes that give them.
type usdPreview struct {
	*surface
	root          string // path of the material
	inputs, nodes strings.Builder
}

// input writes a channel: as one value, or as a texture.
func (p *usdPreview) input(k input) {
	at, known := usdInputs[k.channel]
	switch {
	case !known:
		return
	case k.channel == material.Specular: // by the index of refraction, or in the specular workflow, which has no metals
		if grey := k.value[0] == k.value[1] && k.value[1] == k.value[2]; k.file == "" && grey && k.value[0] < 1 {
			root := math.Sqrt(k.value[0])
			fmt.Fprintf(&p.inputs, "    float inputs:ior = %s\n", num((1+root)/(1-root)))
			return
		}
		if p.metals {
			return
		}
		p.inputs.WriteString("    int inputs:useSpecularWorkflow = 1\n")
	}
	switch {
	case k.file != "":
		p.texture(k, at.kind, at.name)
	case k.colour():
		fmt.Fprintf(&p.inputs, "    %s inputs:%s = (%s, %s, %s)\n", at.kind, at.name, num(k.value[0]), num(k.value[1]), num(k.value[2]))
	default:
		fmt.Fprintf(&p.inputs, "    %s inputs:%s = %s\n", at.kind, at.name, num(k.value[0]))
	}
	if k.file != "" && k.channel == material.Opacity && p.figures.Cutoff > 0 { // the map is cut already
		p.inputs.WriteString("    float inputs:opacityThreshold = 0.5\n")
	}
}

// texture writes a UsdUVTexture of a channel's map and connects it.
func (p *usdPreview) texture(k input, kind, name string) {
	space, output, extra := "raw", string("rgba"[k.at]), ""
	if k.colour() {
		output = "rgb"
		if !k.linear {
			space = "sRGB"
		}
	}
	if !k.whole() {
		extra = fmt.Sprintf("    float4 inputs:scale = (%s, %s, %s, 1)\n", num(k.factor[0]), num(k.factor[1]), num(k.factor[2]))
	}
	switch {
	case k.inverted:
		extra = "    float4 inputs:scale = (-1, -1, -1, 1)\n    float4 inputs:bias = (1, 1, 1, 0)\n"
	case k.channel == material.Normal:
		output, extra = "rgb", "    float4 inputs:scale = (2, 2, 2, 1)\n    float4 inputs:bias = (-1, -1, -1, 0)\n"
	case k.channel == material.Height:
		extra = fmt.Sprintf("    float4 inputs:scale = (%[1]s, %[1]s, %[1]s, 1)\n    float4 inputs:bias = (%[2]s, %[2]s, %[2]s, 0)\n",
			num(k.scale), num(k.bias))
	}
	node := string(k.channel)
	fmt.Fprintf(&p.inputs, "    %s inputs:%s.connect = <%s/%s.outputs:%s>\n", kind, name, p.root, node, output)
	fmt.Fprintf(&p.nodes, `
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
`, node, k.file, space, p.root, extra, map[string]string{"rgb": "float3", "r": "float", "g": "float", "b": "float", "a": "float"}[output], output)
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
