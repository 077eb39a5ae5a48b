package sidecar

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"aldermoor/core/channels"
	"aldermoor/core/material"
)

// told is what a document says of files, a line each.
func told(d Document) (out []string) {
	for _, m := range d.Mentions {
		s := m.File + " " + string(m.Channel)
		if m.Whole != "" && !m.Before {
			s = m.Whole + " " + string(m.Channel)
		}
		if m.Packing != nil {
			s = m.File + fmt.Sprint(" ", m.Packing)
		}
		if m.Component != "" {
			s += "." + m.Component
		}
		if m.Primary {
			s += "primary"
		}
		out = append(out, strings.TrimSpace(s))
	}
	slices.Sort(out)
	return out
}

// Layouts in which people state which file is which: two materials each, or one.
func TestLayouts(t *testing.T) {
	for _, c := range []struct {
		name, text string
		want       []string
		groups     int
	}{
		{"a.json", `{"maps": {"albedo": "q1.png", "normal": {"file": "q2.png"}, "roughness": ["q3.png"]}}`, []string{"q1.png base_color", "q2.png normal", "q3.png roughness"}, 1},
		{"a.json", `{"materials": [{"name": "oak", "baseColorTexture": "a/q1.png", "ormTexture": "a/q2.png"}, {"name": "elm", "baseColorTexture": "q3.png", "normal_map": "q4.png"}]}`,
			[]string{"a/q1.png base_color", "a/q2.png [occlusion roughness metallic]", "q3.png base_color", "q4.png normal"}, 2},
		{"a.json", `[{"path": "q1.png", "type": "glossiness"}, {"path": "q2.png", "type": "Base Color"}]`, []string{"q1.png glossiness", "q2.png base_color"}, 1},
		{"a.json", `{"q1.png": "height", "q2.png": {"usage": "specular"}}`, []string{"q1.png height", "q2.png specular"}, 1},
		{"a.xml", `<materials><material name="q1.png" normal-map="q2.png" gloss-map="q3.png"/><material name="q4.png"/><material name="q5.png" normal-map="q6.png"/></materials>`,
			[]string{"q1.png primary", "q2.png normal", "q3.png glossiness", "q4.png primary", "q5.png primary", "q6.png normal"}, 3},
		{"a.xml", `<set><map kind="roughness">q1.png</map><map kind="diffuse">q2.png</map></set>`, []string{"q1.png roughness", "q2.png base_color"}, 1},
		{"a.mtl", "newmtl oak\nKd 1 1 1\nmap_Kd -s 2 2 1 my wall.png\nmap_Bump -bm 0.3 q2.png\nmap_Pr q3.png\n\nnewmtl elm\nmap_Kd q4.png\nnorm q5.png\n",
			[]string{"my wall.png base_color", "q2.png height", "q3.png roughness", "q4.png base_color", "q5.png normal"}, 2},
		{"a.yaml", "materials:\n  - name: oak\n    albedo: q1.png\n    normal: q2.png\n  - name: elm\n    albedo: q3.png\n    emission: q4.png\n",
			[]string{"q1.png base_color", "q2.png normal", "q3.png base_color", "q4.png emissive"}, 2},
		{"a.ini", "[oak]\ncolor = q1.png\nnormal = q2.png\n[elm]\ncolor = q3.png\nao = q4.png\n", []string{"q1.png base_color", "q2.png normal", "q3.png base_color", "q4.png occlusion"}, 2},
		{"a.csv", "file,channel,material\nq1.png,albedo,oak\nq2.png,normal,oak\n", []string{"q1.png base_color", "q2.png normal"}, 1},
		{"a.csv", "material;albedo;normal;roughness\noak;q1.png;q2.png;q3.png\nelm;q4.png;q5.png;q6.png\n",
			[]string{"q1.png base_color", "q2.png normal", "q3.png roughness", "q4.png base_color", "q5.png normal", "q6.png roughness"}, 2},
		{"a.material", "material oak\n{\n\tdiffusemap textures/q1.tga\n\tbumpmap textures/q2.tga\n}\nmaterial elm\n{\n\t{\n\t\tstage specular\n\t\tmap textures/q3\n\t}\n\tdiffusemap textures/q4.tga\n}\n",
			[]string{"textures/q1.tga base_color", "textures/q2.tga height", "textures/q3 specular", "textures/q4.tga base_color"}, 2},
		{"readme.txt", "Our scan of a wall.\nq1.png - base colour\nq2.png: roughness\nThe normal map (Y-) is q3.png.\n", []string{"q1.png base_color", "q2.png roughness", "q3.png normal"}, 1},
		{"list.txt", "texture 0 a/q1.png 0 0 1\ntexture normal a/q2.png\ntexture glow q3.png\nscale 2\ntexture 0 q4.png\ntexture normal a/q2.png\n",
			[]string{"a/q1.png primary", "a/q2.png normal", "a/q2.png normal", "q3.png emissive", "texture 0 q4.png primary"}, 2},
		{"a.json", `[{"path": "q1.png", "type": "albedo"}, {"path": "q2.png", "type": "gloss"}, {"path": "q3.png", "type": "albedo"}, {"path": "q4.png", "type": "gloss"}]`,
			[]string{"q1.png base_color", "q2.png glossiness", "q3.png base_color", "q4.png glossiness"}, 2},
		{"a.json", `[{"path": "q1.png", "type": "albedo"}, {"path": "q3.png", "type": "albedo"}, {"path": "q2.png", "type": "gloss"}, {"path": "q4.png", "type": "gloss"}]`,
			[]string{"q1.png base_color", "q2.png glossiness", "q3.png base_color", "q4.png glossiness"}, 4},
		{"readme.md", "| map | file |\n|---|---|\n| Albedo | q1.png |\n| Gloss | q2.png |\n", []string{"q1.png base_color", "q2.png glossiness"}, 1},
		{"a.gltf", `{"asset":{"version":"2.0"},"images":[{"uri":"q1.png"},{"uri":"q2.png"},{"uri":"q3.png"}],"textures":[{"source":0},{"source":1},{"source":2}],
			"materials":[{"pbrMetallicRoughness":{"baseColorTexture":{"index":0},"metallicRoughnessTexture":{"index":1}},"normalTexture":{"index":2}}]}`,
			[]string{"q1.png base_color", "q2.png metallic.b", "q2.png roughness.g", "q3.png normal"}, 1},
		{"a.mtlx", `<?xml version="1.0"?><materialx version="1.39"><nodegraph name="g"><image name="i1" type="color3"><input name="file" type="filename" value="q1.png"/></image>
			<image name="i2" type="vector3"><input name="file" type="filename" value="q2.png"/></image><normalmap name="n" type="vector3"><input name="in" type="vector3" nodename="i2"/></normalmap>
			<output name="c" type="color3" nodename="i1"/><output name="no" type="vector3" nodename="n"/></nodegraph>
			<standard_surface name="s" type="surfaceshader"><input name="base_color" type="color3" nodegraph="g" output="c"/><input name="normal" type="vector3" nodegraph="g" output="no"/></standard_surface></materialx>`,
			[]string{"q1.png base_color", "q2.png normal"}, 1},
		{"a.usda", "#usda 1.0\ndef Material \"M\"\n{\n    def Shader \"S\"\n    {\n        uniform token info:id = \"UsdPreviewSurface\"\n        color3f inputs:diffuseColor.connect = </M/T1.outputs:rgb>\n        float inputs:roughness.connect = </M/T2.outputs:g>\n    }\n" +
			"    def Shader \"T1\"\n    {\n        asset inputs:file = @./maps/q1.png@\n    }\n    def Shader \"T2\"\n    {\n        asset inputs:file = @./maps/q2.png@\n    }\n}\n",
			[]string{"./maps/q1.png base_color", "./maps/q2.png roughness.g"}, 1},
	} {
		d, ok := Read(c.name, []byte(c.text))
		groups := map[int]bool{}
		for _, m := range d.Mentions {
			groups[m.Group] = true
		}
		if got := told(d); !ok || !slices.Equal(got, c.want) || len(groups) != c.groups || groups[0] {
			t.Errorf("%s %.60q:\n got %q in %d groups\nwant %q in %d", c.name, c.text, got, len(groups), c.want, c.groups)
		}
	}
}

// Layouts in which people state a size of 1.8 by 1.2 metres, or of 1.8 metres across.
func TestSizes(t *testing.T) {
	for _, c := range []struct {
		name, text string
		w, h       float64
	}{
		{"a.json", `{"size": {"width": 1.8, "height": 1.2, "unit": "m"}}`, 1.8, 1.2},
		{"a.json", `{"physical_size_cm": [180, 120]}`, 1.8, 1.2},
		{"a.json", `{"realWorldSize": "180 x 120 cm"}`, 1.8, 1.2},
		{"a.json", `{"dimensions": {"x": "1.8m", "y": "1.2m"}}`, 1.8, 1.2},
		{"a.json", `{"scan": {"width_mm": 1800, "height_mm": 1200}}`, 1.8, 1.2},
		{"a.json", `{"size": {"value": [1.8, 1.2], "units": "metres"}}`, 1.8, 1.2},
		{"a.json", `{"meta": {"realWorldWidth": "1.8 m"}}`, 1.8, 0},
		{"a.json", `{"scale": "1.8m"}`, 1.8, 0},
		{"a.json", `{"width": 4096, "height": 4096, "resolution": "4096x4096"}`, 0, 0},
		{"a.yaml", "name: oak\nsize: 1.8 x 1.2 m\n", 1.8, 1.2},
		{"a.txt", "Real-world size: 180 cm x 120 cm\nLicence: CC0\n", 1.8, 1.2},
		{"a.xml", `<scan><size unit="cm"><width>180</width><height>120</height></size></scan>`, 1.8, 1.2},
		{"a.ini", "[scan]\nwidth_cm = 180\nheight_cm = 120\n", 1.8, 1.2},
		{"a.csv", "name,width_m,height_m\noak,1.8,1.2\n", 1.8, 1.2},
		{"a.txt", "Shot with a 1.8 m tripod and a 50 mm lens.\n", 0, 0},
	} {
		d, _ := Read(c.name, []byte(c.text))
		f := d.Facts
		for _, g := range d.Groups {
			f = f.Or(g)
		}
		if max(f.Width-c.w, c.w-f.Width) > 1e-6 || max(f.Height-c.h, c.h-f.Height) > 1e-6 {
			t.Errorf("%s %.60q: %.3f × %.3f m, want %.3f × %.3f", c.name, c.text, f.Width, f.Height, c.w, c.h)
		}
	}
}

// Whose it is, under what licence, how deep.
// Words before a name say what the file is, unless the delivery has a file of the whole name.
func TestWordsBeforeNames(t *testing.T) {
	d, _ := Read("list.txt", []byte("texture rough wall.png\ntexture normal my/floor.png\n"))
	for _, c := range []struct {
		files []string
		of    string
		want  material.Channel
	}{
		{[]string{"wall.png"}, "wall.png", material.Roughness},
		{[]string{"texture rough wall.png", "wall.png"}, "texture rough wall.png", material.None},
		{[]string{"my/floor.png"}, "my/floor.png", material.Normal},
		{[]string{"texture normal my/floor.png"}, "texture normal my/floor.png", material.None},
	} {
		got := material.None
		for _, s := range Resolve([]Placed{{"list.txt", d}}, c.files).Of[c.of] {
			got = s.Channel
		}
		if got != c.want {
			t.Errorf("%v: %s is %q, want %q", c.files, c.of, got, c.want)
		}
	}
}

func TestFacts(t *testing.T) {
	d, _ := Read("a.json", []byte(`{"author": "Ada Fenn", "license": "CC BY 4.0", "capture_date": "2031-04-05", "scanner": "Field Rig", "depth_mm": 12, "px_per_m": 2048}`))
	want := Facts{Author: "Ada Fenn", Licence: "CC-BY-4.0", Captured: "2031-04-05", Station: "Field Rig", Depth: 0.012, PerMetre: 2048}
	if d.Facts != want {
		t.Errorf("%+v, want %+v", d.Facts, want)
	}
}

// Documents mean files by paths of another machine, by names alone and with other endings.
func TestResolve(t *testing.T) {
	files := []string{"set/oak/tex/col.png", "set/elm/tex/col.png", "set/elm/tex/nrm.png", "set/shared/n.png"}
	d := Document{Mentions: []Mention{
		{File: "../elm/tex/col.tga", Channel: material.BaseColor, Group: 1}, {File: "C:/work/shared/n.png", Channel: material.Normal, Group: 1},
		{File: "oak/tex/col", Channel: material.BaseColor, Group: 2}, {File: "n.png", Channel: material.Normal, Group: 2}, {File: "missing.png", Channel: material.Height, Group: 2}}}
	r := Resolve([]Placed{{"set/oak/mat.json", d}}, files)
	want := [][]string{{"set/elm/tex/col.png", "set/shared/n.png"}, {"set/oak/tex/col.png", "set/shared/n.png"}}
	if len(r.Together) != 2 || !slices.Equal(r.Together[0], want[0]) || !slices.Equal(r.Together[1], want[1]) {
		t.Errorf("%q, want %q", r.Together, want)
	}
	if said := r.Of["set/shared/n.png"]; len(said) != 1 || said[0].Channel != material.Normal {
		t.Errorf("%+v", said)
	}
}

// A document whose words are in nobody's dictionary still says what belongs together.
func ExampleRead() {
	d, _ := Read("list.yaml", []byte("oak:\n  albedo: 0017.png\n  gloss: 0018.png\n"))
	for _, m := range d.Mentions {
		fmt.Println(m.File, m.Channel, m.Group)
	}
	fmt.Println(channels.Spell("metallicRoughnessTexture").Packing)
	// Output:
	// 0017.png base_color 1
	// 0018.png glossiness 1
	// [ roughness metallic]
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{`{"a":{"b":["x.png",1]}}`, `<a b="x.png"><c>y.png</c></a>`, "newmtl a\nmap_Kd -s 1 1 x.png\n", "a:\n  - b: x.png\n", "a {\n b x.png\n{\n}", "#usda 1.0\ndef Shader \"a\" {\nasset inputs:file = @x.png@\n}", "f,c\nx.png,albedo\n"} {
		for _, name := range []string{"a.json", "a.xml", "a.mtl", "a.yaml", "a.csv", "a.txt"} {
			f.Add(name, []byte(s))
		}
	}
	f.Fuzz(func(t *testing.T, name string, text []byte) {
		d, _ := Read(name, text)
		if len(d.Mentions) > mostMentions {
			t.Errorf("%d mentions", len(d.Mentions))
		}
		var files []string
		for _, m := range d.Mentions {
			files = append(files, m.File)
		}
		slices.Sort(files)
		files = slices.Compact(files)
		Resolve([]Placed{{name, d}}, files)
	})
}
