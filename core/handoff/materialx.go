package handoff

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"strings"

	"aldermoor/core/material"
)

// materialXInput is an input of standard_surface.
type materialXInput struct {
	name, kind string
	stored     string // type of the map's samples
	through    string // node between the map and the input; "" for none
}

// materialXInputs are the channels that standard_surface knows; height goes to a
// displacement instead.
var materialXInputs = map[material.Channel]materialXInput{
	material.BaseColor: {"base_color", "color3", "color3", ""},
	material.Roughness: {"specular_roughness", "float", "float", ""},
	material.Metallic:  {"metalness", "float", "float", ""},
	material.Normal:    {"normal", "vector3", "vector3", "normalmap"},
	material.Opacity:   {"opacity", "color3", "float", "convert"},
	material.Emissive:  {"emission_color", "color3", "color3", ""},
	material.Height:    {"", "float", "float", ""},
}

// text is a value in MaterialX's notation.
func (k materialXInput) text(v [3]float64) string {
	switch {
	case k.kind == "float":
		return num(v[0])
	case k.stored == "float":
		return num(v[0]) + ", " + num(v[0]) + ", " + num(v[0])
	default:
		return num(v[0]) + ", " + num(v[1]) + ", " + num(v[2])
	}
}

// materialX is a MaterialX 1.39 document: a standard_surface. Its texture coordinates count metres, and
// are divided by the real-world size of a repeat before the images take them; where no size is known
// they count repeats. The division stands in the document, rather than in tiledimage's inputs for real-world
// sizes, because not every reader knows those.
func (s surface) materialX() []byte {
	var graph, inputs strings.Builder
	at := ""
	if s.size.Known() && s.uv != UVRepeat {
		graph.WriteString("    <texcoord name=\"metres\" type=\"vector2\" />\n")
		at = "metres"
	}
	if s.drifts() {
		if at == "" {
			graph.WriteString("    <texcoord name=\"repeats\" type=\"vector2\" />\n")
			at = "repeats"
		}
		right, up := s.drift(at == "metres")
		fmt.Fprintf(&graph, `    <time name="seconds" type="float" />
    <multiply name="drift" type="vector2">
      <input name="in1" type="vector2" value="%s, %s" />
      <input name="in2" type="float" nodename="seconds" />
    </multiply>
    <subtract name="drifted" type="vector2">
      <input name="in1" type="vector2" nodename="%s" />
      <input name="in2" type="vector2" nodename="drift" />
    </subtract>
`, num(right), num(up), at)
		at = "drifted"
	}
	if s.size.Known() && s.uv != UVRepeat {
		fmt.Fprintf(&graph, `    <divide name="repeats" type="vector2">
      <input name="in1" type="vector2" nodename="%s" />
      <input name="in2" type="vector2" value="%s, %s" unittype="distance" unit="meter" />
    </divide>
`, at, num(s.size.W), num(s.size.H))
		at = "repeats"
	}
	if at != "" {
		at = fmt.Sprintf("\n      <input name=\"texcoord\" type=\"vector2\" nodename=%q />", at)
	}
	image := func(node, kind, file, space string) {
		cs := ""
		if space != "" {
			cs = fmt.Sprintf(" colorspace=%q", space)
		}
		fmt.Fprintf(&graph, `    <image name=%q type=%q>
      <input name="file" type="filename" value=%q%s />%s
    </image>
`, node, kind, escape(file), cs, at)
	}
	before := graph.Len()
	height := ""
	stored := map[string]string{} // nodes by the file that they read
	used := map[string]bool{}
	for _, k := range s.materialx {
		at, known := materialXInputs[k.channel]
		node := string(k.channel)
		switch {
		case !known:
			continue
		case k.file == "":
			fmt.Fprintf(&inputs, "    <input name=%q type=%q value=%q />\n", at.name, at.kind, at.text(k.value))
		default:
			space, whole := "", at.stored
			if k.colour() {
				space = "srgb_texture"
				if k.linear {
					space = "lin_rec709"
				}
			}
			alone := k.of == 1 || k.of == 3 && at.stored != "float"
			if !alone { // a file of several channels is read once, and taken apart
				whole = map[int]string{2: "vector2", 3: "vector3", 4: "vector4"}[k.of]
				if k.colour() {
					whole = "color4"
				}
			}
			source, seen := stored[k.file+whole]
			if !seen {
				source = node
				if k.inverted && alone {
					source = "glossiness"
				} else if at.through != "" || !alone || k.scaled() {
					source += "_map"
				}
				for used[source] {
					source += "_2"
				}
				used[source], stored[k.file+whole] = true, source
				image(source, whole, k.file, space)
			}
			step := func(name, kind, body string) {
				fmt.Fprintf(&graph, "    <%s name=%q type=%q>\n%s    </%[1]s>\n", kind, name, at.stored, body)
			}
			in := func(name, kind, from string) string {
				return fmt.Sprintf("      <input name=%q type=%q nodename=%q />\n", name, kind, from)
			}
			if !alone {
				name := node
				if k.inverted || at.through != "" || k.scaled() {
					name += "_part"
				}
				switch {
				case at.stored == "float":
					step(name, "extract", in("in", whole, source)+fmt.Sprintf("      <input name=\"index\" type=\"integer\" value=\"%d\" />\n", k.at))
				default: // three of four
					step(name, "convert", in("in", whole, source))
				}
				source = name
			}
			if k.inverted {
				step(node, "invert", in("in", "float", source))
				source = node
			}
			if k.scaled() {
				step(node, "subtract", in("in1", "float", source)+fmt.Sprintf("      <input name=\"in2\" type=\"float\" value=%q />\n", num(-k.bias/k.scale)))
			}
			if at.through != "" {
				fmt.Fprintf(&graph, "    <%s name=%q type=%q>\n      <input name=\"in\" type=%q nodename=%q />\n    </%[1]s>\n", at.through, node, at.kind, at.stored, source)
			}
			output := node + "_out"
			fmt.Fprintf(&graph, "    <output name=%q type=%q nodename=%q />\n", output, at.kind, node)
			if k.channel == material.Height {
				height = fmt.Sprintf(`  <displacement name="relief" type="displacementshader">
    <input name="displacement" type="float" nodegraph="maps" output=%q />
    <input name="scale" type="float" value="%s" unittype="distance" unit="meter" />
  </displacement>
`, output, num(k.scale))
				continue
			}
			fmt.Fprintf(&inputs, "    <input name=%q type=%q nodegraph=\"maps\" output=%q />\n", at.name, at.kind, output)
		}
		if k.channel == material.Emissive {
			weight := s.strength
			if k.file == "" {
				weight = 1 // the value holds its strength
			}
			if e := s.figures.Emission; e.Luminance > 0 {
				weight = e.Luminance
			}
			fmt.Fprintf(&inputs, "    <input name=\"emission\" type=\"float\" value=%q />\n", num(weight))
		}
	}
	s.materialXFigures(&inputs)
	var b strings.Builder
	b.WriteString("<?xml version=\"1.0\"?>\n<materialx version=\"1.39\" colorspace=\"lin_rec709\">\n")
	fmt.Fprintf(&b, "  <!-- %s, release %d. %s -->\n", comment(s.name), s.number, s.scaleText())
	if graph.Len() > before {
		fmt.Fprintf(&b, "  <nodegraph name=\"maps\">\n%s  </nodegraph>\n", graph.String())
	}
	fmt.Fprintf(&b, "  <standard_surface name=\"surface\" type=\"surfaceshader\">\n%s  </standard_surface>\n%s", inputs.String(), height)
	fmt.Fprintf(&b, "  <surfacematerial name=%q type=\"material\">\n    <input name=\"surfaceshader\" type=\"surfaceshader\" nodename=\"surface\" />\n", s.nodeName())
	if height != "" {
		b.WriteString("    <input name=\"displacementshader\" type=\"displacementshader\" nodename=\"relief\" />\n")
	}
	b.WriteString("  </surfacematerial>\n</materialx>\n")
	return []byte(b.String())
}

// scaled says whether the zero level of a height is not at 0.
func (k input) scaled() bool { return k.channel == material.Height && k.bias != 0 }

// nodeName is the material's name in MaterialX, where no two nodes may share one.
func (s surface) nodeName() string {
	switch name := identifier(s.slug); name {
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

func escape(s string) string {
	var b bytes.Buffer
	xml.EscapeText(&b, []byte(s))
	return b.String()
}

// materialXFigures writes the surface figures that standard_surface knows and no map says.
func (s surface) materialXFigures(to *strings.Builder) {
	f := s.figures
	float := func(name string, v float64) {
		fmt.Fprintf(to, "    <input name=%q type=\"float\" value=%q />\n", name, num(v))
	}
	color := func(name string, v [3]float64) {
		fmt.Fprintf(to, "    <input name=%q type=\"color3\" value=\"%s, %s, %s\" />\n", name, num(v[0]), num(v[1]), num(v[2]))
	}
	if f.DiffuseRoughness > 0 {
		float("diffuse_roughness", f.DiffuseRoughness)
	}
	if f.Index != 1.5 {
		float("specular_IOR", f.Index)
	}
	if e := f.Emission; e.Luminance > 0 && find(s.materialx, material.Emissive) == nil {
		float("emission", e.Luminance)
		color("emission_color", e.Light())
	}
	if t := f.Transmission; t.Share > 0 {
		float("transmission", t.Share)
		if t.Distance > 0 {
			color("transmission_color", t.Color)
			float("transmission_depth", t.Distance)
		}
		if t.Thin {
			to.WriteString("    <input name=\"thin_walled\" type=\"boolean\" value=\"true\" />\n")
		}
	}
	if c := f.Coat; c.Share > 0 {
		float("coat", c.Share)
		float("coat_roughness", c.Roughness)
		float("coat_IOR", c.Index)
		color("coat_color", c.Color)
	}
	if h := f.Sheen; h.Share > 0 {
		float("sheen", h.Share)
		color("sheen_color", h.Color)
		float("sheen_roughness", h.Roughness)
	}
	if f.Anisotropy != 0 {
		float("specular_anisotropy", max(f.Anisotropy, -f.Anisotropy))
		turn := f.AnisotropyAngle / 360
		if f.Anisotropy < 0 {
			turn += 0.25
		}
		float("specular_rotation", turn)
	}
}
