package channels

import (
	"fmt"
	"iter"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/raster"
	"aldermoor/core/raster/filter"
	"aldermoor/core/station"
)

// Made deliveries: names as strangers give them on pixels as they send them, with what a
// librarian would answer. Every kind is made with two lots of words, styles and scans: one to
// tune by, one held out.

// Short names of the channels.
const (
	chB, chN, chR, chM = material.BaseColor, material.Normal, material.Roughness, material.Metallic
	chH, chO, chG, chS = material.Height, material.Occlusion, material.Glossiness, material.Specular
	chE, chA, chK      = material.Emissive, material.Opacity, material.Mask
)

// Words that stand for no channel in the truth of a made delivery.
const (
	asPreview = material.Channel("preview") // is an attachment, or left for somebody to say
	asSpare   = material.Channel("spare")   // a lower tier, or another copy: an attachment
)

// pool are the looks of one scan's maps, with those that strangers' sets have beside them.
type pool struct {
	looks map[string]*Look
}

var pools = struct {
	sync.Mutex
	of map[string]*pool
}{of: map[string]*pool{}}

// scanned are the looks of a scan, made once.
func scanned(t testing.TB, slug string) *pool {
	t.Helper()
	pools.Lock()
	defer pools.Unlock()
	if p := pools.of[slug]; p != nil {
		return p
	}
	all := station.Materials()
	m := all[slices.IndexFunc(all, func(m station.Material) bool { return m.Slug == slug })]
	s := station.Take(m, station.Options{Px: 160, Seed: 11})
	p := &pool{looks: map[string]*Look{}}
	put := func(name string, bits int, format codec.Format, planes ...raster.Plane) {
		q := raster.FromPlanes(planes...).Quantise(bits)
		l := Measure(q, codec.Info{Format: format, W: q.W, H: q.H, Bits: bits, Components: len(planes)})
		p.looks[name] = &l
	}
	map1 := func(q raster.Plane, f func(v float32) float32) raster.Plane { return filter.Map(q, f) }
	flip := func(q raster.Plane) raster.Plane { return map1(q, func(v float32) float32 { return 1 - v }) }
	flat := func(v float32) raster.Plane {
		q := raster.NewPlane(s.W, s.H)
		return map1(q, func(float32) float32 { return v })
	}
	var c [3]raster.Plane
	luma := raster.NewPlane(s.W, s.H)
	for k := range c {
		c[k] = map1(s.Color[k], encode)
		for i, v := range c[k].Pix {
			luma.Pix[i] += v / 3
		}
	}
	lo, hi := s.Height.Range()
	height := map1(s.Height, func(v float32) float32 { return (v - lo) / (hi - lo) })
	gloss := flip(s.Roughness)
	bleached := map1(luma, func(v float32) float32 { return 0.55 + 0.4*v })
	dim := map1(luma, func(v float32) float32 { return v * v * 0.6 })
	curvature, cavity := raster.NewPlane(s.W, s.H), raster.NewPlane(s.W, s.H)
	blurred := filter.Gaussian(height, 2)
	for i := range curvature.Pix {
		d := (height.Pix[i] - blurred.Pix[i]) * 4
		curvature.Pix[i] = min(max(0.5+d, 0), 1)
		cavity.Pix[i] = min(max(1+2*d, 0), 1)
	}
	lit := [3]raster.Plane{}
	for k := range lit {
		lit[k] = raster.NewPlane(s.W, s.H)
		for i := range lit[k].Pix {
			if x, y := i%s.W, i/s.W; (x/20+y/20)%4 == 0 && x%20 > 5 && y%20 > 5 {
				lit[k].Pix[i] = [3]float32{0.95, 0.7, 0.3}[k]
			}
		}
	}
	n := s.Normal.Image()
	nx, ny, nz := n.Plane(0), n.Plane(1), n.Plane(2)
	metal := s.Metallic
	if !s.Metal {
		metal = flat(0)
	}
	put("base", 8, codec.PNG, c[:]...)
	put("base_jpeg", 8, codec.JPEG, c[:]...)
	put("grey_base", 8, codec.PNG, bleached, bleached, bleached)
	put("grey_base_one", 8, codec.PNG, bleached)
	put("normal", 8, codec.PNG, nx, ny, nz)
	put("normal_down", 8, codec.PNG, nx, flip(ny), nz)
	put("normal_deep", 16, codec.PNG, nx, ny, nz)
	put("normal_two", 8, codec.PNG, nx, ny)
	put("normal_blue_0", 8, codec.PNG, nx, ny, flat(0))
	put("normal_blue_1", 8, codec.PNG, nx, ny, flat(1))
	put("normal_in_alpha", 8, codec.PNG, flat(1), ny, flat(1), nx)
	put("normal_height", 8, codec.PNG, nx, ny, nz, height)
	for name, q := range map[string]raster.Plane{"rough": s.Roughness, "gloss": gloss, "ao": s.Occlusion, "height": height, "metal": metal, "cavity": cavity, "curvature": curvature, "spec": dim} {
		put(name, 8, codec.PNG, q)
		put(name+"_rgb", 8, codec.PNG, q, q, q)
	}
	put("height_deep", 16, codec.PNG, height)
	put("spec_colour", 8, codec.PNG, map1(c[0], func(v float32) float32 { return v * 0.5 }), map1(c[1], func(v float32) float32 { return v * 0.45 }), map1(c[2], func(v float32) float32 { return v * 0.35 }))
	put("emissive", 8, codec.PNG, lit[:]...)
	for name, order := range map[string][3]raster.Plane{"orm": {s.Occlusion, s.Roughness, metal}, "rma": {s.Roughness, metal, s.Occlusion}, "mra": {metal, s.Roughness, s.Occlusion}, "hrm": {height, s.Roughness, metal}, "orh": {s.Occlusion, s.Roughness, height}} {
		put(name, 8, codec.PNG, order[:]...)
	}
	put("rhao", 8, codec.PNG, s.Roughness, height, s.Occlusion)
	put("base_opacity", 8, codec.PNG, append(c[:], s.Opacity)...)
	put("base_gloss", 8, codec.PNG, append(c[:], gloss)...)
	put("base_solid", 8, codec.PNG, append(c[:], flat(1))...)
	put("metal_gloss", 8, codec.PNG, metal, metal, metal, gloss)
	if s.Cutout {
		put("opacity", 8, codec.PNG, s.Opacity)
	}
	// A ball under light before a plain ground, with and without a shadow below it.
	for name, shadow := range map[string]float32{"ball": 0, "ball_shadow": 0.5} {
		var b [3]raster.Plane
		for k := range b {
			b[k] = raster.NewPlane(160, 160)
			for i := range b[k].Pix {
				x, y := float32(i%160)/80-1, float32(i/160)/80-1
				v := float32(0.86)
				if d := (x*x/0.5 + (y-0.75)*(y-0.75)/0.02); d < 1 {
					v -= shadow * (1 - d) * 0.6
				}
				if r := x*x + y*y; r < 0.5 {
					light := max(0.08, float32(math.Sqrt(float64(max(0, 1-r/0.5))))*0.8-0.3*x-0.3*y)
					v = min(1, c[k].Sample((x+1)/2, (y+1)/2)*light*1.3)
				}
				b[k].Pix[i] = v
			}
		}
		put(name, 8, codec.JPEG, b[:]...)
	}
	pools.of[slug] = p
	return p
}

// made is a made delivery.
type made struct {
	kind  string
	files []File
	want  map[string]material.Channel // of each file, or "r,g,b" of a packed one: see answer
	set   map[string]int              // which set each file belongs to
	alone bool                        // files without companions
}

// maker makes deliveries of one lot.
type maker struct {
	*rand.Rand
	t    testing.TB
	held bool
	made
}

func pick[T any](g *maker, of []T) T { return of[g.IntN(len(of))] }

// lots splits what there is to choose from: every third thing is held out.
func lot[T any](g *maker, of []T) T {
	if len(of) < 3 {
		return pick(g, of)
	}
	for {
		if i := g.IntN(len(of)); (i%3 == 2) == g.held {
			return of[i]
		}
	}
}

func (g *maker) scan() *pool {
	var slugs []string
	for _, m := range station.Materials() {
		slugs = append(slugs, m.Slug)
	}
	return scanned(g.t, lot(g, slugs))
}

// metalScan is a scan that has metal in places.
func (g *maker) metalScan() *pool {
	return scanned(g.t, lot(g, []string{"plate_sluice", "chainplate_rust", "grating_iron", "flashing_copper"}))
}

func (g *maker) add(file, look string, p *pool, want material.Channel, set int) {
	if _, there := g.want[file]; there {
		return
	}
	l := p.looks[look]
	if l == nil {
		g.t.Fatalf("no look %q", look)
	}
	g.files = append(g.files, File{file, l})
	g.want[file], g.set[file] = want, set
}

// addSmall adds a copy of half the size, or less.
func (g *maker) addSmall(file, look string, p *pool, want material.Channel, set, shrink int) {
	l := *p.looks[look]
	l.Info.W, l.Info.H = l.Info.W/shrink, l.Info.H/shrink
	g.files = append(g.files, File{file, &l})
	g.want[file], g.set[file] = want, set
}

// Words for channels as they are met. Every third is held out.
var vocabulary = map[material.Channel][]string{
	chB: {"basecolor", "albedo", "diffuse map", "base color", "diff", "col", "color", "BC", "albedomap", "baseColour", "clr", "basecol", "Albedo Map", "dif", "colortex"},
	chN: {"normal", "nrm", "normalmap", "normals", "nor", "norm", "nml", "nrml", "nmap", "Normal Map", "nm", "normaltex"},
	chR: {"roughness", "rough", "roughnessmap", "rgh", "rou", "rghns", "Roughness Map", "rgn", "roughnes"},
	chM: {"metallic", "metalness", "metallicmap", "metal", "met", "mtlc", "mtl", "metalnes", "metalnessmap"},
	chH: {"height", "displacement", "heightmap", "disp", "bump", "dspl", "hgt", "depth", "displacementmap", "dsp", "displace", "bumpmap"},
	chO: {"ao", "occlusion", "aomap", "ambientocclusion", "occ", "occl", "ambient occlusion", "ambocc", "occlusionmap"},
	chG: {"gloss", "glossiness", "glossmap", "smoothness", "gls", "glss"},
	chS: {"specular", "spec", "specularmap", "refl", "reflection", "spc"},
	chE: {"emissive", "emission", "emissivemap", "emit", "emis", "emsv"},
	chA: {"opacity", "alpha", "opacitymap", "transparency", "opac", "opct"},
}

var madeNames = []string{"tern slate", "old oak 02", "metal plate", "rough plaster", "normal brick", "plate metal", "glossy tile", "bump strip", "color chalk", "mask cloth", "gully stone", "height marker",
	"wet sand", "chrome trim", "spec house", "deep moss 7", "smooth render", "glow worm", "iron grate b", "rope c", "base plank", "worn leather", "Fern Bank", "pier board 011", "alpha wall", "quay sett", "low wall", "mid beam", "hi shelf", "red door"}

var madeStyles = []style{snake, kebab, snakeTitle, spaced, pascal, dotted, camel, shout, join("__", func(_ int, w string) string { return w })}

// decorated puts words that say nothing of a channel before, between and behind.
func (g *maker) decorated() (before, between, after string) {
	if g.IntN(3) == 0 {
		before = lot(g, []string{"T", "tx", "PLP", "mat", "TEX", "surf"})
	}
	if g.IntN(3) == 0 {
		between = lot(g, []string{"2k", "4K", "1024", "8k", "16K", "3K", "2048", "1k", "4096"})
	}
	if g.IntN(3) == 0 {
		after = lot(g, []string{"4k", "v002", "v1", "16bit", "srgb", "3K", "VAR1", "20240311", "raw", "final", "2048x2048", "var2", "v03", "8bit", "lin"})
	}
	return
}

// channelsOf is which maps a set has: its looks by channel.
func (g *maker) channelsOf(p *pool) map[material.Channel]string {
	rgb := func(s string) string {
		if g.IntN(2) == 0 {
			return s + "_rgb"
		}
		return s
	}
	out := map[material.Channel]string{chB: pick(g, []string{"base", "base", "base_jpeg", "base_solid"}), chN: pick(g, []string{"normal", "normal", "normal_down", "normal_deep"})}
	if g.IntN(4) > 0 {
		out[chR] = rgb("rough")
	} else {
		out[chG] = rgb("gloss")
	}
	if g.IntN(2) == 0 {
		out[chH] = pick(g, []string{"height", "height_deep", "height_rgb"})
	}
	if g.IntN(2) == 0 {
		out[chO] = rgb("ao")
	}
	if g.IntN(3) == 0 {
		out[chM] = rgb("metal")
	}
	if p.looks["opacity"] != nil && g.IntN(2) == 0 {
		out[chA] = "opacity"
	}
	if g.IntN(6) == 0 {
		out[chE] = "emissive"
	}
	return out
}

// ordered goes through channels in their order: chance is drawn in it.
func ordered(m map[material.Channel]string) iter.Seq2[material.Channel, string] {
	return func(yield func(material.Channel, string) bool) {
		for _, c := range material.All() {
			if m[c] != "" && !yield(c, m[c]) {
				return
			}
		}
	}
}

func (g *maker) names(n int) []string {
	var out []string
	for len(out) < n {
		if name := lot(g, madeNames); !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	return out
}

// words chooses a word for each channel, one habit for a whole delivery.
func (g *maker) words() map[material.Channel]string {
	out := map[material.Channel]string{}
	for _, c := range material.All() {
		if v := vocabulary[c]; v != nil {
			out[c] = lot(g, v)
		}
	}
	return out
}

// kinds are the kinds of made deliveries.
var kinds = []struct {
	name string
	make func(g *maker)
}{
	{"channel behind the name", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		before, between, after := g.decorated()
		for i, name := range g.names(1 + g.IntN(4)) {
			p := g.scan()
			for c, look := range ordered(g.channelsOf(p)) {
				g.add(s(slices.DeleteFunc([]string{before, name, between, w[c], after}, func(s string) bool { return s == "" })...)+".png", look, p, c, i)
			}
		}
	}},
	{"channel before the name", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		for i, name := range g.names(1 + g.IntN(3)) {
			p := g.scan()
			for c, look := range ordered(g.channelsOf(p)) {
				g.add(s(w[c], name)+".png", look, p, c, i)
			}
		}
	}},
	{"shared words before, between and behind", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		name := g.names(1)[0]
		shared, at := lot(g, []string{"metal", "rough", "normal", "gloss", "color", "height"}), g.IntN(2)
		p := g.scan()
		for c, look := range ordered(g.channelsOf(p)) {
			list := []string{name, "surface", w[c], "3K"}
			list = slices.Insert(list, at, shared)
			g.add(s(list...)+".png", look, p, c, 0)
		}
	}},
	{"folders", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		above, below := lot(g, []string{"in/", "a/b/", "Textures/", "scans/2026/", "", "set/"}), pick(g, []string{"", "textures/", "maps/"})
		for i, name := range g.names(2) {
			p := g.scan()
			for c, look := range ordered(g.channelsOf(p)) {
				g.add(above+s(name)+"/"+below+s(w[c])+".png", look, p, c, i)
			}
		}
	}},
	{"base without a word", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		for i, name := range g.names(1 + g.IntN(3)) {
			p := g.scan()
			for c, look := range ordered(g.channelsOf(p)) {
				if c == chB {
					g.add(s(name)+".png", pick(g, []string{look, "grey_base", "grey_base_one"}), p, c, i)
					continue
				}
				g.add(s(name, w[c])+".png", look, p, c, i)
			}
		}
	}},
	{"grey base, height by an odd suffix", func(g *maker) {
		s := lot(g, madeStyles)
		name := lot(g, []string{"snow", "asphalt", "whitewash", "chalk", "ash", "slate"})
		p := g.scan()
		g.add(s(name)+".png", pick(g, []string{"grey_base", "grey_base_one"}), p, chB, 0)
		g.add(s(name, lot(g, []string{"hgt", "dsp", "hght", "z", "hm", "depthmap"}))+".png", "height", p, chH, 0)
		g.add(s(name, lot(g, []string{"n", "nrml", "nmp"}))+".png", "normal", p, chN, 0)
	}},
	{"variants of one stem", func(g *maker) {
		sep := pick(g, []string{"-", "_", " "})
		name := snake(g.names(1)[0])
		p := g.scan()
		letters := []string{"a", "b", "c", "d"}[:2+g.IntN(3)]
		g.add(name+".png", "base", p, chB, 0)
		g.add(name+sep+lot(g, []string{"normal", "nrm", "norm"})+".png", "normal", p, chN, 0)
		if g.IntN(2) == 0 {
			g.add(name+sep+"roughness.png", "rough", p, chR, 0)
		}
		for i, l := range letters {
			g.add(name+sep+l+".png", "base", g.scan(), chB, i+1)
		}
	}},
	{"abbreviations by rule", func(g *maker) {
		s := lot(g, madeStyles)
		for i, name := range g.names(1 + g.IntN(2)) {
			p := g.scan()
			for c, look := range ordered(g.channelsOf(p)) {
				word := map[material.Channel][]string{chB: {"clr", "dffs", "albd"}, chN: {"nrml", "nrmls", "nml"}, chR: {"rghns", "rghn", "rghnss"}, chM: {"mtl", "mtlc", "mtllc"}, chH: {"hgt", "dsp", "hght"}, chO: {"occ", "occl", "ocln"},
					chG: {"gls", "glss", "glos"}, chE: {"emsv", "emis", "emsn"}, chA: {"opct", "opac", "trnsp"}}[c]
				g.add(s(name, lot(g, word))+".png", look, p, c, i)
			}
		}
	}},
	{"single letters", func(g *maker) {
		name := snake(g.names(1)[0])
		p := g.metalScan()
		sep := pick(g, []string{"_", "-"})
		letters := lot(g, []map[material.Channel]string{{chB: "c", chN: "n", chH: "z", chS: "s"}, {chB: "d", chN: "n", chH: "h", chS: "s"}, {chB: "c", chN: "n", chH: "b", chS: "s"}, {chB: "BC", chN: "N", chR: "R", chM: "M", chE: "E"},
			{chB: "b", chN: "n", chR: "r", chM: "m", chO: "ao"}, {chB: "a", chN: "n", chR: "r", chO: "o", chH: "h"}, {chB: "C", chN: "N", chG: "G", chH: "H", chM: "M"}, {chB: "D", chN: "N", chR: "R", chM: "M", chO: "O", chE: "E"}, {chB: "c", chN: "n", chH: "h", chR: "r", chA: "a"}})
		looks := map[material.Channel]string{chB: "base", chN: "normal", chH: "height", chS: pick(g, []string{"spec", "spec_colour"}), chR: "rough", chM: "metal", chO: "ao", chG: "gloss", chE: "emissive", chA: "cutout"}
		for c, l := range letters {
			if c == chA {
				p2 := scanned(g.t, "grating_iron")
				g.add(name+sep+l+".png", "opacity", p2, c, 0)
				continue
			}
			g.add(name+sep+l+".png", looks[c], p, c, 0)
		}
	}},
	{"other languages", func(g *maker) {
		lang := lot(g, []struct {
			names []string
			words map[material.Channel]string
		}{
			{[]string{"石垣", "瓦屋根", "床板"}, map[material.Channel]string{chB: "ベースカラー", chN: "法線", chR: "粗さ", chH: "高さ", chO: "遮蔽", chM: "金属"}},
			{[]string{"砖墙", "木板"}, map[material.Channel]string{chB: "颜色", chN: "法线", chR: "粗糙度", chH: "高度", chM: "金属度", chO: "环境光遮蔽"}},
			{[]string{"벽돌", "나무 판"}, map[material.Channel]string{chB: "색상", chN: "노멀", chR: "거칠기", chH: "높이", chM: "금속"}},
			{[]string{"кирпич", "старая доска"}, map[material.Channel]string{chB: "цвет", chN: "нормаль", chR: "шероховатость", chH: "высота", chM: "металл"}},
			{[]string{"ziegel", "alte diele"}, map[material.Channel]string{chB: "farbe", chN: "normale", chR: "rauheit", chH: "höhe", chO: "verdeckung"}},
			{[]string{"brique", "vieux mur"}, map[material.Channel]string{chB: "couleur", chN: "normale", chR: "rugosité", chH: "hauteur", chM: "métallique"}},
			{[]string{"ladrillo", "muro viejo"}, map[material.Channel]string{chB: "color", chN: "normales", chR: "rugosidad", chH: "altura", chM: "metálico"}},
			{[]string{"mattone", "muro"}, map[material.Channel]string{chB: "colore", chN: "normali", chR: "rugosità", chH: "altezza", chM: "metallico"}},
			{[]string{"tijolo", "parede"}, map[material.Channel]string{chB: "cor", chN: "normais", chR: "rugosidade", chH: "altura", chO: "oclusão"}},
			{[]string{"cegła", "stara deska"}, map[material.Channel]string{chB: "kolor", chN: "normalna", chR: "szorstkość", chH: "wysokość", chM: "metaliczność"}},
		})
		looks := map[material.Channel]string{chB: "base", chN: "normal", chR: "rough", chH: "height", chO: "ao", chM: "metal"}
		p, name := g.metalScan(), pick(g, lang.names)
		sep := pick(g, []string{"_", " ", "-"})
		for c, w := range lang.words {
			g.add(name+sep+w+".png", looks[c], p, c, 0)
		}
	}},
	{"words of no known language", func(g *maker) {
		// Pixels alone: colour, normals, the height whose slopes those are.
		w := lot(g, [][3]string{{"vari", "pinta", "korkeus"}, {"szin", "felulet", "magassag"}, {"farve", "flade", "dybde"}, {"culoare", "relief", "adanc"}, {"kleur", "vlak", "diepte"}, {"xx", "yy", "zz"}})
		name := snake(g.names(1)[0])
		p := g.scan()
		for i, l := range []string{"base", "normal", "height"} {
			g.add(name+"_"+w[i]+".png", l, p, []material.Channel{chB, chN, chH}[i], 0)
		}
	}},
	{"numbers only", func(g *maker) {
		folder, form := lot(g, []string{"set", "Neuer Ordner ", "box"}), pick(g, []string{"%d", "%02d"})
		for i := range 1 + g.IntN(2) {
			p := g.scan()
			order := []string{"base", "normal", "height"}
			g.Shuffle(3, func(a, b int) { order[a], order[b] = order[b], order[a] })
			for k, l := range order {
				g.add(fmt.Sprintf("%s%d/%s.png", folder, i, fmt.Sprintf(form, k+1)), l, p, map[string]material.Channel{"base": chB, "normal": chN, "height": chH}[l], i)
			}
		}
	}},
	{"names that differ by case", func(g *maker) {
		name := g.names(1)[0]
		for i, s := range []style{snake, snakeTitle} {
			p := g.scan()
			for c, look := range ordered(map[material.Channel]string{chB: "base", chN: "normal", chR: "rough"}) {
				g.add(s(name)+"_"+map[material.Channel]string{chB: "col", chN: "nrm", chR: "rough"}[c]+".png", look, p, c, i)
			}
		}
	}},
	{"tiers in names", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		tiers := lot(g, [][]string{{"1k", "2k", "4k"}, {"512", "1024", "2048"}, {"low", "mid", "high"}, {"S", "M", "L"}, {"XS", "M", "XL"}, {"3K", "6K", "12K"}, {"256px", "512px", "1024px"}, {"lo", "mid", "hi"}, {"lowres", "midres", "hires"}})
		name, p := g.names(1)[0], g.scan()
		front := g.IntN(2) == 0
		maps := g.channelsOf(p)
		for i, tier := range tiers {
			for c, look := range ordered(maps) {
				list := []string{name, w[c], tier}
				if front {
					list = []string{name, tier, w[c]}
				}
				file := s(list...) + ".png"
				if i == len(tiers)-1 {
					g.add(file, look, p, c, 0)
				} else {
					g.addSmall(file, look, p, asSpare, 0, 1<<(len(tiers)-1-i))
				}
			}
		}
	}},
	{"tiers in folders", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		tiers := lot(g, [][]string{{"1k", "2k"}, {"512", "1024"}, {"low", "high"}, {"2048", "4096"}, {"lowres", "hires"}, {"1K", "8K"}})
		name, p := g.names(1)[0], g.scan()
		for i, tier := range tiers {
			for c, look := range ordered(map[material.Channel]string{chB: "base", chN: "normal", chR: "rough"}) {
				file := s(name) + "/" + tier + "/" + s(name, w[c]) + ".png"
				if i == len(tiers)-1 {
					g.add(file, look, p, c, 0)
				} else {
					g.addSmall(file, look, p, asSpare, 0, 2)
				}
			}
		}
	}},
	{"UDIM anywhere", func(g *maker) {
		w, s := g.words(), lot(g, []style{snake, kebab, snakeTitle})
		name, p := g.names(1)[0], g.scan()
		where := g.IntN(3)
		for c, look := range ordered(map[material.Channel]string{chB: "base", chN: "normal", chR: "rough"}) {
			for _, tile := range []string{"1001", "1002", "1011"} {
				file := s(name, w[c]) + "." + tile + ".png"
				switch where {
				case 1:
					file = s(name) + "_" + tile + "_" + s(w[c]) + ".png"
				case 2:
					file = s(name, w[c]) + "_" + tile + "_4k.png"
				}
				g.add(file, look, p, c, 0)
			}
		}
	}},
	{"previews", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		name, p := g.names(1)[0], g.scan()
		for c, look := range ordered(g.channelsOf(p)) {
			g.add(s(name, w[c])+".png", look, p, c, 0)
		}
		g.add(s(name)+pick(g, []string{"", "_preview", "_sphere", " render", "_thumb"})+".jpg", pick(g, []string{"ball", "ball_shadow"}), p, asPreview, 0)
	}},
	{"packed by letters", func(g *maker) {
		w, s := g.words(), lot(g, []style{snakeTitle, snake, kebab})
		name, p := g.names(1)[0], g.metalScan()
		order := lot(g, []string{"orm", "rma", "mra", "hrm", "rhao", "orh"})
		want := map[string]material.Channel{"orm": "occlusion,roughness,metallic", "rma": "roughness,metallic,occlusion", "mra": "metallic,roughness,occlusion", "hrm": "height,roughness,metallic", "rhao": "roughness,height,occlusion", "orh": "occlusion,roughness,height"}[order]
		g.add(s(name, w[chB])+".png", "base", p, chB, 0)
		g.add(s(name, w[chN])+".png", "normal", p, chN, 0)
		letters := strings.ToUpper(order)
		if order == "orm" || order == "rma" {
			letters = pick(g, []string{letters, order})
		}
		g.add(s(name)+"_"+letters+".png", order, p, want, 0)
	}},
	{"packed by words", func(g *maker) {
		s := lot(g, madeStyles)
		name, p := g.names(1)[0], g.metalScan()
		g.add(s(name, "albedo")+".png", "base", p, chB, 0)
		g.add(s(name, "normal")+".png", "normal", p, chN, 0)
		g.add(s(name, lot(g, []string{"occlusion roughness metallic", "ao rough metal", "AO Roughness Metalness"}))+".png", "orm", p, "occlusion,roughness,metallic", 0)
	}},
	{"packed by pixels", func(g *maker) {
		s := lot(g, madeStyles)
		name, p := g.names(1)[0], scanned(g.t, lot(g, []string{"plate_sluice", "grating_iron", "plate_sluice"}))
		g.add(s(name, "albedo")+".png", "base", p, chB, 0)
		g.add(s(name, "normal")+".png", "normal", p, chN, 0)
		g.add(s(name, lot(g, []string{"packed", "mask map", "channels", "combined", "maskmap", "mix"}))+".png", "orm", p, "occlusion,roughness,metallic", 0)
	}},
	{"alpha", func(g *maker) {
		s := lot(g, madeStyles)
		name, p := g.names(1)[0], scanned(g.t, "grating_iron")
		w := g.words()
		switch g.IntN(4) {
		case 0:
			g.add(s(name, w[chB])+".png", "base_opacity", p, "base_color,opacity", 0)
		case 1:
			g.add(s(name, "albedo", "gloss")+".png", "base_gloss", p, "base_color,glossiness", 0)
		case 2:
			g.add(s(name, w[chB])+".png", "base_solid", p, chB, 0)
		case 3:
			g.add(s(name, "metallic smoothness")+".png", "metal_gloss", p, "metallic,glossiness", 0)
			g.add(s(name, w[chB])+".png", "base", p, chB, 0)
		}
		g.add(s(name, w[chN])+".png", pick(g, []string{"normal", "normal_height"}), p, chN, 0)
	}},
	{"two components", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		name, p := g.names(1)[0], g.scan()
		g.add(s(name, w[chB])+".png", "base", p, chB, 0)
		g.add(s(name, w[chN])+".png", pick(g, []string{"normal_two", "normal_blue_0", "normal_blue_1", "normal_in_alpha"}), p, chN, 0)
		g.add(s(name, w[chR])+".png", "rough", p, chR, 0)
	}},
	{"masks beside occlusion", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		name, p := g.names(1)[0], g.scan()
		for c, look := range ordered(map[material.Channel]string{chB: "base", chN: "normal", chO: "ao"}) {
			g.add(s(name, w[c])+".png", look, p, c, 0)
		}
		g.add(s(name, lot(g, []string{"cavity", "curvature", "convexity", "cav", "curv", "cavitymap"}))+".png", pick(g, []string{"cavity", "curvature"}), p, chK, 0)
	}},
	{"variant numbers, dates and versions", func(g *maker) {
		w, s := g.words(), lot(g, []style{snake, snakeTitle, kebab, shout})
		name, p := g.names(1)[0], g.scan()
		tail := lot(g, []string{"VAR1", "v003", "20240311", "2024-03-11", "V2", "VAR02", "rev3", "r12"})
		for c, look := range ordered(g.channelsOf(p)) {
			g.add(s(name, w[c], tail)+".png", look, p, c, 0)
		}
	}},
	{"files alone", func(g *maker) {
		g.alone = true
		for i, name := range []string{lot(g, []string{"spec house", "glow worm", "rough stone", "chrome metal", "color field", "bump road"})} {
			g.add(lot(g, madeStyles)(name)+".png", pick(g, []string{"base", "base_jpeg"}), g.scan(), chB, i)
		}
	}},
	{"words run together", func(g *maker) {
		name := strings.ReplaceAll(strings.ToLower(g.names(1)[0]), " ", "")
		words := lot(g, []map[material.Channel]string{{chB: "diffuse", chN: "normal", chR: "roughness"}, {chB: "col", chN: "nrm", chR: "rgh", chH: "disp"}, {chB: "albedo", chN: "normal", chH: "height"}, {chB: "color", chN: "norm", chS: "spec"}})
		p := g.scan()
		looks := map[material.Channel]string{chB: "base", chN: "normal", chR: "rough", chH: "height", chS: "spec"}
		for c, w := range words {
			g.add(name+w+".png", looks[c], p, c, 0)
		}
	}},
	{"slips of the pen", func(g *maker) {
		s := lot(g, madeStyles)
		name, p := g.names(1)[0], g.scan()
		for c, look := range ordered(g.channelsOf(p)) {
			word := map[material.Channel][]string{chB: {"albdeo", "difuse", "basecolr"}, chN: {"nomral", "normla", "noraml"}, chR: {"roughnes", "rougness", "roughess"}, chM: {"metalic", "metallness", "mettalic"}, chH: {"heigth", "hieght", "displacment"},
				chO: {"oclusion", "occlussion", "occulsion"}, chG: {"glossines", "glosiness", "smothness"}, chE: {"emisive", "emmissive", "emissve"}, chA: {"opactiy", "opacty", "opasity"}}[c]
			g.add(s(name, lot(g, word))+".png", look, p, c, 0)
		}
	}},
	{"flat folder of many sets", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		for i, name := range g.names(6) {
			p := g.scan()
			for c, look := range ordered(g.channelsOf(p)) {
				if c == chB && g.IntN(2) == 0 {
					g.add(s(name)+".png", look, p, c, i)
					continue
				}
				g.add(s(name, w[c])+".png", look, p, c, i)
			}
		}
	}},
	{"both directions", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		name, p := g.names(1)[0], g.scan()
		words := lot(g, [][2]string{{"NormalGL", "NormalDX"}, {"nor gl", "nor dx"}, {"Normal OpenGL", "Normal DirectX"}, {"nrm ogl", "nrm dx"}, {"normal_y+", "normal_y-"}, {"normalGL", "normal"}})
		g.add(s(name, w[chB])+".png", "base", p, chB, 0)
		g.add(s(name, w[chR])+".png", "rough", p, chR, 0)
		g.add(s(name)+"_"+words[0]+".png", "normal", p, chN, 0)
		g.add(s(name)+"_"+words[1]+".png", "normal_down", p, asSpare, 0)
	}},
	{"letters behind numbers", func(g *maker) {
		form := lot(g, []string{"Gravel%03d%s_4K_%s.jpg", "Metal%03d%s_2K-PNG_%s.png", "Bricks%02d%s_%s.png", "Wood%03d_%s_1K_%s.jpg", "rough%02d%s-%s.png", "Fabric%d%s_8K_%s.tif"})
		words := lot(g, []map[material.Channel]string{{chB: "Color", chN: "NormalGL", chR: "Roughness", chH: "Displacement"}, {chB: "col", chN: "nrm", chR: "rough", chO: "ao"}, {chB: "BaseColor", chN: "Normal", chR: "Roughness", chO: "AmbientOcclusion"}})
		looks := map[material.Channel]string{chB: "base", chN: "normal", chR: "rough_rgb", chH: "height_deep", chO: "ao_rgb"}
		number := 1 + g.IntN(90)
		for i, letter := range []string{"A", "B", "C"}[:1+g.IntN(3)] {
			p := g.scan()
			for c, word := range words {
				g.add(fmt.Sprintf(form, number, letter, word), looks[c], p, c, i)
			}
		}
	}},
	{"numbered materials", func(g *maker) {
		name, sep := snake(g.names(1)[0]), pick(g, []string{"_", "-", ""})
		word := lot(g, []string{"", "_n", "_nrm", "-normal", "_norm", "_normal"})
		for i := range 3 + g.IntN(4) {
			p := g.scan()
			file := fmt.Sprintf("%s%s%02d", name, sep, i+1)
			g.add(file+".png", pick(g, []string{"base", "base_jpeg"}), p, chB, i)
			if word != "" {
				g.add(file+word+".png", "normal", p, chN, i)
			}
			g.alone = word == ""
		}
	}},
	{"format in folder and name", func(g *maker) {
		name, p := pascal(g.names(1)[0]), g.scan()
		form := lot(g, []string{"4K-JPG", "2K-PNG", "8K-TIF", "1K_jpg", "4k_png", "16bit"})
		w := g.words()
		for c, look := range ordered(g.channelsOf(p)) {
			g.add(name+"_"+form+"/"+name+"_"+form+"_"+pascal(w[c])+".png", look, p, c, 0)
		}
	}},
	{"a folder for each channel", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		below := g.IntN(2) == 0
		for i, name := range g.names(2 + g.IntN(2)) {
			p := g.scan()
			for c, look := range ordered(map[material.Channel]string{chB: "base", chN: "normal", chR: "rough", chH: "height"}) {
				file := s(name) + ".png"
				if below {
					file = s(name, w[c]) + ".png"
				}
				g.add("maps/"+[]string{"Base Color", "Normal", "Roughness", "Height"}[slices.Index([]material.Channel{chB, chN, chR, chH}, c)]+"/"+file, look, p, c, i)
			}
		}
	}},
	{"words in two parts", func(g *maker) {
		s := lot(g, madeStyles)
		name, p := g.names(1)[0], g.scan()
		words := map[material.Channel]string{chB: "base color", chN: "normal map", chR: "roughness map", chG: "glossiness map", chM: "metallic map", chH: "height map", chO: "ambient occlusion", chE: "emissive color", chA: "opacity mask"}
		after := lot(g, []string{"", "4k", "raw"})
		for c, look := range ordered(g.channelsOf(p)) {
			g.add(s(strings.TrimSpace(strings.Join([]string{name, words[c], after}, " ")))+".png", look, p, c, 0)
		}
	}},
	{"words of older tools", func(g *maker) {
		name, p := snake(g.names(1)[0]), g.metalScan()
		words := lot(g, []map[material.Channel]string{{chB: "", chN: "_norm", chG: "_gloss", chE: "_luma"}, {chB: "_local", chN: "_bump", chS: "_spec"}, {chB: "", chN: "_nm", chS: "_sp", chH: "_hm"}, {chB: "_d", chN: "_nm", chS: "_sm", chH: "_h"}, {chB: "", chN: "_ddn", chS: "_s"}, {chB: "_diff", chN: "_ddn", chS: "_spec"}})
		looks := map[material.Channel]string{chB: "base", chN: "normal", chG: "gloss", chE: "emissive", chS: pick(g, []string{"spec", "spec_colour"}), chH: "height"}
		for c, w := range words {
			g.add(name+w+".tga", looks[c], p, c, 0)
		}
	}},
	{"specular and gloss", func(g *maker) {
		w, s := g.words(), lot(g, madeStyles)
		name, p := g.names(1)[0], g.metalScan()
		for c, look := range ordered(map[material.Channel]string{chB: "base", chN: "normal", chS: pick(g, []string{"spec", "spec_colour", "spec_rgb"}), chG: "gloss", chH: "height"}) {
			g.add(s(name, w[c])+".png", look, p, c, 0)
		}
	}},
}

// deliver makes delivery number i of a kind.
func deliver(t testing.TB, kind, i int, held bool) made {
	seed := uint64(i)*2 + 1
	if held {
		seed++
	}
	g := &maker{Rand: rand.New(rand.NewPCG(uint64(kind), seed)), t: t, held: held, made: made{kind: kinds[kind].name, want: map[string]material.Channel{}, set: map[string]int{}}}
	kinds[kind].make(g)
	return g.made
}

// tally is what came of deliveries.
type tally struct{ files, right, sure, sureRight, sets, setsRight int }

func (a *tally) add(b tally) {
	a.files, a.right, a.sure, a.sureRight, a.sets, a.setsRight = a.files+b.files, a.right+b.right, a.sure+b.sure, a.sureRight+b.sureRight, a.sets+b.sets, a.setsRight+b.setsRight
}

func share(a, b int) float64 { return 100 * float64(a) / float64(max(b, 1)) }

func (a tally) String() string {
	return fmt.Sprintf("%5d files %6.2f %% right  %6.2f %% sure  %6.2f %% of the sure right  %6.2f %% of %d sets whole", a.files, share(a.right, a.files), share(a.sure, a.files), share(a.sureRight, a.sure), share(a.setsRight, a.sets), a.sets)
}

// reliability is how often answers of a confidence were right, in ten bins.
type reliability [10]struct{ n, right int }

// judgeMade sorts a delivery and holds it against what is wanted.
func judgeMade(d made, bins *reliability, wrong func(format string, args ...any)) (out tally) {
	sets := Sort(d.files)
	got, confidence, in := map[string][]string{}, map[string]float64{}, map[string]int{}
	for i, s := range sets {
		for _, m := range s.Maps {
			if m.Shared != "" {
				continue
			}
			for _, f := range append(tilesOf(m), m.File) {
				if c, ok := confidence[f]; !ok || m.Confidence < c {
					confidence[f] = m.Confidence
				}
				if in[f] = i; f == m.File {
					got[f] = append(got[f], m.Component+":"+string(m.Channel))
				} else if got[f] == nil {
					got[f] = []string{m.Component + ":" + string(m.Channel)}
				}
			}
		}
		for _, a := range s.Attachments {
			if got[a.File] == nil {
				in[a.File], got[a.File] = i, []string{"attachment"}
			}
		}
		for _, u := range s.Unassigned {
			in[u] = i
		}
	}
	for _, f := range d.files {
		want, answers := d.want[f.Path], got[f.Path]
		slices.SortFunc(answers, func(a, b string) int { return strings.Index("rgba", a[:1]) - strings.Index("rgba", b[:1]) })
		right := false
		switch {
		case want == asPreview || want == asSpare:
			right = len(answers) == 1 && answers[0] == "attachment" || want == asPreview && len(answers) == 0
		case strings.Contains(string(want), ","):
			var list []string
			for _, a := range answers {
				list = append(list, a[strings.Index(a, ":")+1:])
			}
			right = strings.Join(list, ",") == string(want)
		default:
			right = len(answers) > 0 && strings.HasSuffix(answers[0], ":"+string(want))
			// An alpha that holds nothing is no map, and a height beside normals is one.
			right = right && (len(answers) == 1 || len(answers) == 2 && want == chN && answers[1] == "a:height")
		}
		sure := confidence[f.Path] >= 0.9 && len(answers) > 0
		out.files++
		if right {
			out.right++
		} else {
			wrong("%s: %s is %s, taken for %v (%.2f)", d.kind, f.Path, want, answers, confidence[f.Path])
		}
		if len(answers) > 0 && answers[0] == "attachment" {
			sure, confidence[f.Path] = true, 0.95
		}
		if sure {
			out.sure++
			if right {
				out.sureRight++
			}
		}
		if len(answers) > 0 {
			b := &bins[min(int(confidence[f.Path]*10), 9)]
			b.n++
			if right {
				b.right++
			}
		}
	}
	// A set is whole if its files are together, and nobody else's with them.
	whole := map[int]bool{}
	for _, f := range d.files {
		s := d.set[f.Path]
		if _, ok := whole[s]; !ok {
			whole[s] = true
		}
		for _, o := range d.files {
			if _, there := in[o.Path]; !there || (in[o.Path] == in[f.Path]) != (d.set[o.Path] == s) {
				whole[s] = false
			}
		}
	}
	for s, ok := range whole {
		if out.sets++; ok {
			out.setsRight++
		} else {
			var list []string
			for _, f := range d.files {
				list = append(list, fmt.Sprintf("%s(%d→%d)", f.Path, d.set[f.Path], in[f.Path]))
			}
			wrong("%s: set %d is not whole: %s", d.kind, s, strings.Join(list, " "))
		}
	}
	return out
}

func tilesOf(m Map) (out []string) {
	for _, t := range m.Tiles {
		if t.File != m.File {
			out = append(out, t.File)
		}
	}
	return out
}

// deliveriesOfEach is how many deliveries of each kind are made of each lot.
const deliveriesOfEach = 40

// Deliveries of every kind, tuned and held out: what is right, what is sure, what of the sure
// is right, and how reliable the confidence is.
func TestMadeDeliveries(t *testing.T) {
	var all [2]tally
	var bins [2]reliability
	for k := range kinds {
		for h, held := range []bool{false, true} {
			var sum tally
			shown := 0
			for i := range deliveriesOfEach {
				sum.add(judgeMade(deliver(t, k, i, held), &bins[h], func(format string, args ...any) {
					if shown++; shown <= madeShown {
						t.Logf(format, args...)
					}
				}))
			}
			t.Logf("%-8s %-40s %v", []string{"tuned", "held out"}[h], kinds[k].name, sum)
			if all[h].add(sum); share(sum.right, sum.files) < 95 || share(sum.sureRight, sum.sure) < 98 {
				t.Errorf("%s: %v", kinds[k].name, sum)
			}
		}
	}
	for h := range all {
		t.Logf("%-8s %-40s %v", []string{"tuned", "held out"}[h], "altogether", all[h])
		for i, b := range bins[h] {
			if b.n > 0 {
				t.Logf("%-8s confidence %.1f–%.1f: %5d answers, %6.2f %% right", []string{"tuned", "held out"}[h], float64(i)/10, float64(i+1)/10, b.n, share(b.right, b.n))
			}
			if b.n >= 30 && share(b.right, b.n) < float64(10*i) {
				t.Errorf("of answers with a confidence of %.1f or more only %.1f %% are right", float64(i)/10, share(b.right, b.n))
			}
		}
		if a := all[h]; share(a.right, a.files) < 99 || share(a.sure, a.files) < 90 || share(a.sureRight, a.sure) < 99.5 || share(a.setsRight, a.sets) < 99 {
			t.Errorf("altogether: %v", a)
		}
	}
}

// madeShown is how many wrong answers of each kind are printed.
const madeShown = 6
