package handoff

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"math"
	"strings"

	"aldermoor/core/material"
)

// materialX is a MaterialX 1.39 document: a standard_surface. Its texture coordinates count metres, and
// are divided by the real-world size of a repeat before the images take them; where no size is known
// they count repeats. The division stands in the document, rather than in tiledimage's inputs for real-world
// sizes, because not every reader knows those.
func (s surface) materialX() []byte {
	d := &materialXDoc{surface: s, stored: map[string]string{}, used: map[string]bool{}}
	d.coordinates()
	before := d.graph.Len()
	for i := range s.materialx {
		d.input(&s.materialx[i])
	}
	d.rest()
	var b strings.Builder
	b.WriteString("<?xml version=\"1.0\"?>\n<materialx version=\"1.39\" colorspace=\"lin_rec709\">\n")
	fmt.Fprintf(&b, "  <!-- %s, release %d. %s -->\n", comment(s.name), s.number, s.scaleText())
	if d.graph.Len() > before {
		fmt.Fprintf(&b, "  <nodegraph name=\"maps\">\n%s  </nodegraph>\n", d.graph.String())
	}
	fmt.Fprintf(&b, "  <standard_surface name=\"surface\" type=\"surfaceshader\">\n%s  </standard_surface>\n%s", d.inputs.String(), d.relief)
	fmt.Fprintf(&b, "  <surfacematerial name=%q type=\"material\">\n    <input name=\"surfaceshader\" type=\"surfaceshader\" nodename=\"surface\" />\n", s.nodeName())
	if d.relief != "" {
		b.WriteString("    <input name=\"displacementshader\" type=\"displacementshader\" nodename=\"relief\" />\n")
	}
	b.WriteString("  </surfacematerial>\n</materialx>\n")
	return []byte(b.String())
}

// materialXDoc is a document in the making.
type materialXDoc struct {
	surface
	graph, inputs strings.Builder
	relief        string            // the displacement
	texcoord      string            // the input of images that names their texture coordinates; "" for the usual ones
	stored        map[string]string // nodes by the file that they read and its type
	used          map[string]bool   // names of nodes
}

// wire is a value in the graph: a node of some type, or a constant.
type wire struct {
	kind string // float, color3 or vector3
	node string
	even [3]float64 // without a node
}

func floatOf(v float64) wire { return wire{kind: "float", even: [3]float64{v, v, v}} }

// text is a constant in MaterialX' notation.
func (w wire) text() string {
	if w.kind == "float" {
		return num(w.even[0])
	}
	return num(w.even[0]) + ", " + num(w.even[1]) + ", " + num(w.even[2])
}

// coordinates writes the nodes that give images their texture coordinates.
func (d *materialXDoc) coordinates() {
	at := ""
	metres := d.size.Known() && d.uv != UVRepeat
	if metres {
		d.graph.WriteString("    <texcoord name=\"metres\" type=\"vector2\" />\n")
		at = "metres"
	}
	if d.drifts() {
		if at == "" {
			d.graph.WriteString("    <texcoord name=\"repeats\" type=\"vector2\" />\n")
			at = "repeats"
		}
		right, up := d.drift(metres)
		fmt.Fprintf(&d.graph, `    <time name="seconds" type="float" />
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
	if metres {
		fmt.Fprintf(&d.graph, `    <divide name="repeats" type="vector2">
      <input name="in1" type="vector2" nodename="%s" />
      <input name="in2" type="vector2" value="%s, %s" unittype="distance" unit="meter" />
    </divide>
`, at, num(d.size.W), num(d.size.H))
		at = "repeats"
	}
	if at != "" {
		d.texcoord = fmt.Sprintf("\n      <input name=\"texcoord\" type=\"vector2\" nodename=%q />", at)
	}
}

// free is a name of a node that no other has.
func (d *materialXDoc) free(name string) string {
	for d.used[name] {
		name += "_2"
	}
	d.used[name] = true
	return name
}

// node writes a node with inputs, and returns it.
func (d *materialXDoc) node(category, name, kind string, inputs ...[2]any) wire {
	name = d.free(name)
	fmt.Fprintf(&d.graph, "    <%s name=%q type=%q>\n", category, name, kind)
	for _, in := range inputs {
		switch v := in[1].(type) {
		case int:
			fmt.Fprintf(&d.graph, "      <input name=%q type=\"integer\" value=\"%d\" />\n", in[0], v)
		case wire:
			if v.node != "" {
				fmt.Fprintf(&d.graph, "      <input name=%q type=%q nodename=%q />\n", in[0], v.kind, v.node)
			} else {
				fmt.Fprintf(&d.graph, "      <input name=%q type=%q value=%q />\n", in[0], v.kind, v.text())
			}
		}
	}
	fmt.Fprintf(&d.graph, "    </%s>\n", category)
	return wire{kind: kind, node: name}
}

// math is a node of two operands, or their result where both are constants.
func (d *materialXDoc) math(category, name string, a, b wire) wire {
	if a.node != "" || b.node != "" {
		return d.node(category, name, a.kind, [2]any{"in1", a}, [2]any{"in2", b})
	}
	of := map[string]func(a, b float64) float64{"multiply": func(a, b float64) float64 { return a * b }, "divide": func(a, b float64) float64 { return a / b },
		"add": func(a, b float64) float64 { return a + b }, "subtract": func(a, b float64) float64 { return a - b }, "max": math.Max, "power": math.Pow}[category]
	for c := range a.even {
		a.even[c] = of(a.even[c], b.even[c])
	}
	return a
}

// image reads a file once for each type.
func (d *materialXDoc) image(name, kind, file, space string) string {
	if node, seen := d.stored[file+kind]; seen {
		return node
	}
	name = d.free(name)
	d.stored[file+kind] = name
	if space != "" {
		space = fmt.Sprintf(" colorspace=%q", space)
	}
	fmt.Fprintf(&d.graph, "    <image name=%q type=%q>\n      <input name=\"file\" type=\"filename\" value=%q%s />%s\n    </image>\n", name, kind, escape(file), space, d.texcoord)
	return name
}

// read is an input's value: its map as it is meant, times its factor, or its constant.
func (d *materialXDoc) read(k *input) wire {
	kind := "float"
	switch {
	case k.colour():
		kind = "color3"
	case k.channel == material.Normal:
		kind = "vector3"
	}
	if k.file == "" {
		return wire{kind: kind, even: k.value}
	}
	space := ""
	if k.colour() {
		switch space = "srgb_texture"; {
		case k.space == ACEScg:
			space = "acescg"
		case k.linear:
			space = "lin_rec709"
		}
	}
	name := string(k.channel)
	var out wire
	if k.of == 1 || k.of == 3 && kind != "float" {
		out = wire{kind: kind, node: d.image(name+"_map", kind, k.file, space)}
	} else { // a file of several channels is read once, and taken apart
		whole := map[int]string{2: "vector2", 3: "vector3", 4: "vector4"}[k.of]
		if k.colour() {
			whole = "color4"
		}
		source := wire{kind: whole, node: d.image(name+"_map", whole, k.file, space)}
		if kind == "float" {
			out = d.node("extract", name+"_part", kind, [2]any{"in", source}, [2]any{"index", k.at})
		} else { // three of four
			out = d.node("convert", name+"_part", kind, [2]any{"in", source})
		}
	}
	if k.inverted {
		out = d.node("invert", name+"_inverted", kind, [2]any{"in", out})
	}
	if !k.whole() {
		out = d.math("multiply", name+"_scaled", out, wire{kind: kind, even: k.factor})
	}
	return out
}

// set gives an input of the surface a value.
func (d *materialXDoc) set(name string, w wire) {
	if w.node == "" {
		fmt.Fprintf(&d.inputs, "    <input name=%q type=%q value=%q />\n", name, w.kind, w.text())
		return
	}
	fmt.Fprintf(&d.inputs, "    <input name=%q type=%q nodegraph=\"maps\" output=%q />\n", name, w.kind, d.output(name, w))
}

func (d *materialXDoc) output(name string, w wire) string {
	fmt.Fprintf(&d.graph, "    <output name=%q type=%q nodename=%q />\n", name+"_out", w.kind, w.node)
	return name + "_out"
}

// input writes one channel as standard_surface has it.
func (d *materialXDoc) input(k *input) {
	switch k.channel {
	case material.BaseColor:
		d.set("base", floatOf(1))
		d.set("base_color", d.read(k))
	case material.Roughness:
		d.rough(k)
	case material.Metallic:
		d.set("metalness", d.read(k))
	case material.Normal:
		d.set("normal", d.node("normalmap", "normal", "vector3", [2]any{"in", d.read(k)}))
	case material.Opacity:
		w := d.read(k)
		if w.node != "" {
			w = d.node("convert", "opacity", "color3", [2]any{"in", w})
		}
		w.kind, w.even[1], w.even[2] = "color3", w.even[0], w.even[0]
		d.set("opacity", w)
	case material.Emissive:
		d.emission(k)
	case material.Height:
		d.displacement(k)
	case material.Specular:
		d.specular(d.read(k))
	case material.Transmission:
		d.set("transmission", d.read(k))
	case material.Coat:
		d.set("coat", d.read(k))
	case material.Sheen:
		d.set("sheen", floatOf(1))
		d.set("sheen_color", d.read(k))
	case material.Anisotropy: // with the roughness
	}
}

// rough is the roughness, and the anisotropy that changes it: see materialXStreaks.
func (d *materialXDoc) rough(k *input) {
	rough, an := d.read(k), find(d.surface.materialx, material.Anisotropy)
	if an == nil {
		d.set("specular_roughness", rough)
		return
	}
	if an.file == "" {
		factor, streaks := materialXStreaks(an.value[0])
		d.set("specular_roughness", d.math("multiply", "roughness_along", rough, floatOf(factor)))
		d.set("specular_anisotropy", floatOf(streaks))
		return
	}
	share := *an
	share.factor = [3]float64{math.Abs(an.factor[0]), 1, 1}
	a := d.read(&share)
	square := d.math("multiply", "anisotropy_square", a, a)
	factor := d.math("power", "anisotropy_factor", d.math("subtract", "anisotropy_rest", floatOf(1), square), floatOf(0.25))
	d.set("specular_roughness", d.math("multiply", "roughness_along", rough, factor))
	d.set("specular_anisotropy", d.math("divide", "anisotropy", d.math("multiply", "anisotropy_twice", a, floatOf(2)), d.math("add", "anisotropy_whole", a, floatOf(1))))
}

// emission is a weight and a colour: the weight takes what is above 1.
func (d *materialXDoc) emission(k *input) {
	of := k.value
	if k.file != "" {
		of = k.factor
	}
	weight := max(1, of[0], of[1], of[2])
	part := *k
	for c := range of {
		of[c] /= weight
	}
	part.value, part.factor = of, of
	d.set("emission", floatOf(weight))
	d.set("emission_color", d.read(&part))
}

// displacement is the relief in metres from the zero level.
func (d *materialXDoc) displacement(k *input) {
	w := d.read(k)
	if k.bias != 0 {
		w = d.math("subtract", "height", w, floatOf(-k.bias/k.scale))
	}
	d.relief = fmt.Sprintf(`  <displacement name="relief" type="displacementshader">
    <input name="displacement" type="float" nodegraph="maps" output=%q />
    <input name="scale" type="float" value="%s" unittype="distance" unit="meter" />
  </displacement>
`, d.output("height", w), num(k.scale))
}

// specular is the reflectance at normal incidence where the surface is no metal. standard_surface has it by an index
// of refraction, (1 + √r)/(1 − √r), and tints it.
func (d *materialXDoc) specular(w wire) {
	var most wire
	if w.node == "" {
		most = floatOf(max(w.even[0], w.even[1], w.even[2]))
	} else {
		part := func(i int) wire {
			return d.node("extract", "specular_part", "float", [2]any{"in", w}, [2]any{"index", i})
		}
		most = d.math("max", "specular_most", d.math("max", "specular_more", part(0), part(1)), part(2))
	}
	most = d.math("max", "specular_reflectance", most, floatOf(1e-4))
	root := d.math("power", "specular_root", most, floatOf(0.5))
	d.set("specular_IOR", d.math("divide", "specular_index", d.math("add", "specular_above", root, floatOf(1)), d.math("subtract", "specular_below", floatOf(1), root)))
	if w.node == "" {
		for c := range w.even {
			w.even[c] /= most.even[0]
		}
		d.set("specular_color", w)
		return
	}
	d.set("specular_color", d.node("divide", "specular_tint", "color3", [2]any{"in1", w}, [2]any{"in2", most}))
}

// rest writes the surface figures that no channel says.
func (d *materialXDoc) rest() {
	f := d.figures
	color := func(name string, v [3]float64) { d.set(name, wire{kind: "color3", even: v}) }
	if f.DiffuseRoughness > 0 {
		d.set("diffuse_roughness", floatOf(f.DiffuseRoughness))
	}
	if find(d.surface.materialx, material.Specular) == nil {
		switch {
		case f.Index <= 1:
			d.set("specular", floatOf(0))
		case f.Index != 1.5:
			d.set("specular_IOR", floatOf(f.Index))
		}
	}
	if t := f.Transmission; t.Share > 0 {
		switch base := find(d.surface.materialx, material.BaseColor); {
		case t.Distance > 0 && !t.Thin:
			color("transmission_color", t.Color)
			d.set("transmission_depth", floatOf(t.Distance))
		case base != nil: // what goes through has the surface's colour
			d.set("transmission_color", d.read(base))
		}
		if t.Thin {
			d.inputs.WriteString("    <input name=\"thin_walled\" type=\"boolean\" value=\"true\" />\n")
		}
	}
	if c := f.Coat; c.Share > 0 {
		d.set("coat_roughness", floatOf(c.Roughness))
		d.set("coat_IOR", floatOf(c.Index))
		color("coat_color", c.Color)
	}
	if f.Sheen.Share > 0 {
		d.set("sheen_roughness", floatOf(f.Sheen.Alpha()))
	}
	if f.Anisotropy != 0 {
		d.set("specular_rotation", floatOf(turned(f)))
	}
}

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
