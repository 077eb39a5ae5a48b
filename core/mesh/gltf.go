package mesh

import (
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"net/url"
	"slices"
	"strings"

	"aldermoor/core/geom"
)

// The parts of a glTF 2.0 document that say what a model's triangles are.
type (
	document struct {
		Scene  *int                    `json:"scene"`
		Scenes []struct{ Nodes []int } `json:"scenes"`
		Nodes  []node                  `json:"nodes"`
		Meshes []struct {
			Primitives []primitive `json:"primitives"`
		} `json:"meshes"`
		Accessors []accessor `json:"accessors"`
		Views     []struct {
			Buffer     int `json:"buffer"`
			ByteOffset int `json:"byteOffset"`
			ByteLength int `json:"byteLength"`
			ByteStride int `json:"byteStride"`
		} `json:"bufferViews"`
		Buffers []struct {
			URI        string `json:"uri"`
			ByteLength int    `json:"byteLength"`
		} `json:"buffers"`
		Required []string `json:"extensionsRequired"`
	}
	node struct {
		Mesh        *int         `json:"mesh"`
		Children    []int        `json:"children"`
		Matrix      *[16]float64 `json:"matrix"`
		Translation *[3]float64  `json:"translation"`
		Rotation    *[4]float64  `json:"rotation"`
		Scale       *[3]float64  `json:"scale"`
	}
	primitive struct {
		Attributes map[string]int `json:"attributes"`
		Indices    *int           `json:"indices"`
		Mode       *int           `json:"mode"`
	}
	accessor struct {
		View       *int            `json:"bufferView"`
		ByteOffset int             `json:"byteOffset"`
		Component  int             `json:"componentType"`
		Normalized bool            `json:"normalized"`
		Count      int             `json:"count"`
		Type       string          `json:"type"`
		Sparse     json.RawMessage `json:"sparse"`
	}
)

// understood are the required extensions that change nothing about a model's triangles, or that are
// read.
var understood = []string{"KHR_mesh_quantization", "KHR_texture_transform", "KHR_materials_unlit"}

// ReadGLTF reads a glTF 2.0 model, as JSON or GLB. beside has the files that the document names; it
// may be nil. Skins and morph targets are left as they rest.
func ReadGLTF(data []byte, beside fs.FS) (*Mesh, error) {
	text, own, err := chunks(data)
	if err != nil {
		return nil, err
	}
	g := gltfReader{}
	if err := json.Unmarshal(text, &g.doc); err != nil {
		return nil, fmt.Errorf("it is no glTF document: %w", err)
	}
	for _, e := range g.doc.Required {
		if !slices.Contains(understood, e) && !strings.HasPrefix(e, "KHR_materials_") {
			return nil, fmt.Errorf("it needs %s, which is not read here; export it without", e)
		}
	}
	for i, b := range g.doc.Buffers {
		var d []byte
		switch {
		case b.URI == "" && i == 0:
			d = own
		case strings.HasPrefix(b.URI, "data:"):
			_, code, _ := strings.Cut(b.URI, ",")
			if d, err = base64.StdEncoding.DecodeString(code); err != nil {
				return nil, fmt.Errorf("buffer %d is no base64", i)
			}
		case beside == nil:
			return nil, fmt.Errorf("it needs the file %s beside it; export it as one .glb", b.URI)
		default:
			name, err := url.PathUnescape(b.URI)
			if err != nil {
				return nil, fmt.Errorf("%q names no file", b.URI)
			}
			if d, err = fs.ReadFile(beside, name); err != nil {
				return nil, err
			}
		}
		if len(d) < b.ByteLength {
			return nil, fmt.Errorf("buffer %d has %d bytes where %d belong", i, len(d), b.ByteLength)
		}
		g.buffers = append(g.buffers, d[:max(b.ByteLength, 0)])
	}
	var roots []int
	switch s := g.doc.Scene; {
	case s != nil && *s >= 0 && *s < len(g.doc.Scenes):
		roots = g.doc.Scenes[*s].Nodes
	case len(g.doc.Scenes) > 0:
		roots = g.doc.Scenes[0].Nodes
	default:
		for i := range g.doc.Nodes {
			roots = append(roots, i)
		}
	}
	for _, i := range roots {
		if err := g.node(i, identity, 0); err != nil {
			return nil, err
		}
	}
	return g.m.complete(g.hasUV)
}

// chunks are the JSON and the binary part of a GLB file, or a document alone.
func chunks(data []byte) (text, own []byte, err error) {
	if len(data) < 12 || string(data[:4]) != "glTF" {
		return data, nil, nil
	}
	if v := binary.LittleEndian.Uint32(data[4:]); v != 2 {
		return nil, nil, fmt.Errorf("it is glTF %d; 2 is read", v)
	}
	for rest := data[12:]; len(rest) >= 8; {
		n, kind := int64(binary.LittleEndian.Uint32(rest)), binary.LittleEndian.Uint32(rest[4:])
		if n > int64(len(rest)-8) {
			return nil, nil, errors.New("the file is cut short")
		}
		switch body := rest[8 : 8+n]; {
		case kind == 0x4e4f534a && text == nil:
			text = body
		case kind == 0x004e4942 && own == nil:
			own = body
		}
		rest = rest[8+n:]
	}
	if text == nil {
		return nil, nil, errors.New("the file has no document in it")
	}
	return text, own, nil
}

type gltfReader struct {
	doc     document
	buffers [][]byte
	m       Mesh
	hasUV   bool
	visited int
	figures int // that were read, all times counted
}

// mostFigures is how many figures of a model are read, all times counted that parts name the same ones.
const mostFigures = 32 * MostTriangles

// matrix is a transform: columns of three, the last the translation.
type matrix [4]geom.V3

var identity = matrix{geom.Vec(1, 0, 0), geom.Vec(0, 1, 0), geom.Vec(0, 0, 1), {}}

func (m matrix) direction(v geom.V3) geom.V3 {
	return m[0].Scale(v.X).Add(m[1].Scale(v.Y)).Add(m[2].Scale(v.Z))
}
func (m matrix) point(v geom.V3) geom.V3 { return m.direction(v).Add(m[3]) }
func (m matrix) times(o matrix) matrix {
	return matrix{m.direction(o[0]), m.direction(o[1]), m.direction(o[2]), m.point(o[3])}
}

// normal takes a normal along: by the cofactors, which stay right where sides differ in scale.
func (m matrix) normal(v geom.V3) geom.V3 {
	return m[1].Cross(m[2]).Scale(v.X).Add(m[2].Cross(m[0]).Scale(v.Y)).Add(m[0].Cross(m[1]).Scale(v.Z))
}

func (n *node) matrix() matrix {
	f := func(a, b, c float64) geom.V3 { return geom.Vec(float32(a), float32(b), float32(c)) }
	if k := n.Matrix; k != nil {
		return matrix{f(k[0], k[1], k[2]), f(k[4], k[5], k[6]), f(k[8], k[9], k[10]), f(k[12], k[13], k[14])}
	}
	out := identity
	if q := n.Rotation; q != nil {
		x, y, z, w := q[0], q[1], q[2], q[3]
		out[0] = f(1-2*(y*y+z*z), 2*(x*y+z*w), 2*(x*z-y*w))
		out[1] = f(2*(x*y-z*w), 1-2*(x*x+z*z), 2*(y*z+x*w))
		out[2] = f(2*(x*z+y*w), 2*(y*z-x*w), 1-2*(x*x+y*y))
	}
	if s := n.Scale; s != nil {
		for i := range 3 {
			out[i] = out[i].Scale(float32(s[i]))
		}
	}
	if t := n.Translation; t != nil {
		out[3] = f(t[0], t[1], t[2])
	}
	return out
}

func (g *gltfReader) node(i int, above matrix, deep int) error {
	if i < 0 || i >= len(g.doc.Nodes) {
		return fmt.Errorf("there is no node %d", i)
	}
	if g.visited++; deep > 256 || g.visited > 1_000_000 {
		return errors.New("its nodes hold one another")
	}
	n := &g.doc.Nodes[i]
	at := above.times(n.matrix())
	if k := n.Mesh; k != nil {
		if *k < 0 || *k >= len(g.doc.Meshes) {
			return fmt.Errorf("there is no mesh %d", *k)
		}
		for j := range g.doc.Meshes[*k].Primitives {
			if err := g.primitive(&g.doc.Meshes[*k].Primitives[j], at); err != nil {
				return fmt.Errorf("mesh %d: %w", *k, err)
			}
		}
	}
	for _, c := range n.Children {
		if err := g.node(c, at, deep+1); err != nil {
			return err
		}
	}
	return nil
}

func (g *gltfReader) primitive(p *primitive, at matrix) error {
	mode := 4
	if p.Mode != nil {
		mode = *p.Mode
	}
	if mode < 4 {
		return nil // points and lines have no surface
	}
	place, ok := p.Attributes["POSITION"]
	if !ok {
		return errors.New("it has no positions")
	}
	points, err := g.read(place, 3)
	if err != nil {
		return err
	}
	n := len(points) / 3
	other := func(name string, per int) ([]float32, error) {
		i, ok := p.Attributes[name]
		if !ok {
			return nil, nil
		}
		v, err := g.read(i, per)
		if err == nil && len(v) != n*per {
			err = fmt.Errorf("%s has %d entries for %d points", name, len(v)/per, n)
		}
		return v, err
	}
	normals, err := other("NORMAL", 3)
	if err != nil {
		return err
	}
	uv, err := other("TEXCOORD_0", 2)
	if err != nil {
		return err
	}
	tangents, err := other("TANGENT", 4)
	if err != nil {
		return err
	}
	order, err := g.order(p, n, mode)
	if err != nil {
		return err
	}
	if g.m.Triangles()+len(order)/3 > MostTriangles {
		return fmt.Errorf("it has more than %d triangles", MostTriangles)
	}
	mirrored := at[0].Cross(at[1]).Dot(at[2]) < 0
	for t := 0; t+2 < len(order); t += 3 {
		if mirrored { // keep the front in front
			order[t+1], order[t+2] = order[t+2], order[t+1]
		}
		for _, i := range order[t : t+3] {
			c := Corner{P: at.point(three(points, i))}
			if normals != nil {
				c.N = at.normal(three(normals, i))
				if mirrored {
					c.N = c.N.Scale(-1)
				}
			}
			if uv != nil {
				c.U, c.V, g.hasUV = uv[2*i], uv[2*i+1], true
			}
			if tangents != nil && normals != nil {
				c.T = at.direction(geom.Vec(tangents[4*i], tangents[4*i+1], tangents[4*i+2])).Unit()
				if c.Sign = tangents[4*i+3]; mirrored {
					c.Sign = -c.Sign
				}
			}
			g.m.Corners = append(g.m.Corners, c)
		}
	}
	return nil
}

func three(v []float32, i int) geom.V3 { return geom.Vec(v[3*i], v[3*i+1], v[3*i+2]) }

// order is the list of corners, three a triangle.
func (g *gltfReader) order(p *primitive, n, mode int) ([]int, error) {
	var list []int
	if p.Indices == nil {
		for i := range n {
			list = append(list, i)
		}
	} else {
		v, err := g.read(*p.Indices, 1)
		if err != nil {
			return nil, err
		}
		for _, x := range v {
			i := int(x)
			if i < 0 || i >= n {
				return nil, fmt.Errorf("a triangle names point %d of %d", i, n)
			}
			list = append(list, i)
		}
	}
	if mode == 4 {
		return list[:len(list)/3*3], nil
	}
	var out []int
	for i := 2; i < len(list); i++ {
		switch {
		case mode == 6: // fan
			out = append(out, list[i-1], list[i], list[0])
		case i%2 == 0: // strip
			out = append(out, list[i-2], list[i-1], list[i])
		default:
			out = append(out, list[i-1], list[i-2], list[i])
		}
	}
	return out, nil
}

// components are the sizes of glTF's types of figures in bytes.
var components = map[int]int{5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}

// read is the content of an accessor, per figures an entry.
func (g *gltfReader) read(i, per int) ([]float32, error) {
	if i < 0 || i >= len(g.doc.Accessors) {
		return nil, fmt.Errorf("there is no accessor %d", i)
	}
	a := &g.doc.Accessors[i]
	width := map[string]int{"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[a.Type]
	size, known := components[a.Component]
	switch {
	case width != per || !known:
		return nil, fmt.Errorf("accessor %d has %s where %d figures belong", i, a.Type, per)
	case len(a.Sparse) > 0:
		return nil, errors.New("it has sparse accessors, which are not read here")
	case a.View == nil:
		return nil, fmt.Errorf("accessor %d has no data: all of its figures are zero", i)
	case a.Count < 0 || a.Count > 3*MostTriangles:
		return nil, fmt.Errorf("accessor %d has %d entries", i, a.Count)
	}
	if g.figures += a.Count * per; g.figures > mostFigures {
		return nil, fmt.Errorf("its parts name more than %d figures", mostFigures)
	}
	switch {
	case *a.View < 0 || *a.View >= len(g.doc.Views):
		return nil, fmt.Errorf("there is no buffer view %d", *a.View)
	}
	v := &g.doc.Views[*a.View]
	if v.Buffer < 0 || v.Buffer >= len(g.buffers) {
		return nil, fmt.Errorf("there is no buffer %d", v.Buffer)
	}
	stride := v.ByteStride
	if stride == 0 {
		stride = size * per
	}
	data := g.buffers[v.Buffer]
	if v.ByteOffset > len(data) || a.ByteOffset > len(data) { // also what would overflow
		return nil, fmt.Errorf("accessor %d reaches beyond its buffer", i)
	}
	from, last := v.ByteOffset+a.ByteOffset, v.ByteOffset+a.ByteOffset+(a.Count-1)*stride+size*per
	if a.Count > 0 && (v.ByteOffset < 0 || a.ByteOffset < 0 || stride < size*per || stride > 1<<16 || last > len(data)) {
		return nil, fmt.Errorf("accessor %d reaches beyond its buffer", i)
	}
	out := make([]float32, 0, a.Count*per)
	for e := range a.Count {
		at := data[from+e*stride:]
		for k := range per {
			out = append(out, figure(at[k*size:], a.Component, a.Normalized))
		}
	}
	return out, nil
}

// figure is one figure of a type.
func figure(b []byte, kind int, normalized bool) float32 {
	var v, most float64
	switch kind {
	case 5120:
		v, most = float64(int8(b[0])), 127
	case 5121:
		v, most = float64(b[0]), 255
	case 5122:
		v, most = float64(int16(binary.LittleEndian.Uint16(b))), 32767
	case 5123:
		v, most = float64(binary.LittleEndian.Uint16(b)), 65535
	case 5125:
		return float32(binary.LittleEndian.Uint32(b))
	default:
		return math.Float32frombits(binary.LittleEndian.Uint32(b))
	}
	if normalized {
		v = max(v/most, -1)
	}
	return float32(v)
}
