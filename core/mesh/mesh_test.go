package mesh_test

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"strings"
	"testing"
	"testing/fstest"

	"aldermoor/core/geom"
	"aldermoor/core/mesh"
)

const square = `# a square of 2 m
v 0 0 0
v 2 0 0
v 2 2 0
v 0 2 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
vn 0 0 1
f 1/1/1 2/2/1 3/3/1 4/4/1
`

func TestOBJ(t *testing.T) {
	m, err := mesh.ReadOBJ(strings.NewReader(square))
	if err != nil {
		t.Fatal(err)
	}
	if m.Triangles() != 2 || m.Unit() != 2 || m.Longest() != 2 {
		t.Errorf("%d triangles, a unit of %g m, %g m", m.Triangles(), m.Unit(), m.Longest())
	}
	if c := m.Corners[0]; c.U != 0 || c.V != 1 { // coordinates run down
		t.Errorf("the first corner lies at %g, %g", c.U, c.V)
	}
	m.Tangents()
	for _, c := range m.Corners {
		if c.T != geom.Vec(1, 0, 0) || c.Sign != 1 {
			t.Errorf("tangent %v %g", c.T, c.Sign)
		}
	}
	m.Fit(0.5)
	if b := m.Bounds(); b.Min != geom.Vec(-0.25, -0.25, 0) || math.Abs(m.Unit()-0.5) > 1e-6 {
		t.Errorf("fitted: %v, %g", b, m.Unit())
	}
}

// Smoothing groups share normals; faces without are flat. Negative places count from the end.
func TestOBJNormals(t *testing.T) {
	const roof = "v 0 0 0\nv 1 0 0\nv 1 1 1\nv 0 1 1\nv 0 2 0\nv 1 2 0\nvt 0 0\n%s\nf -6/1 -5/1 -4/1 -3/1\nf 4/1 3/1 6/1 5/1\n"
	for group, want := range map[string]geom.V3{"s 1": geom.Vec(0, 0, 1), "s off": geom.Vec(0, -1, 1).Unit()} {
		m, err := mesh.ReadOBJ(strings.NewReader(fmt.Sprintf(roof, group)))
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range m.Corners[:6] {
			if c.P == geom.Vec(1, 1, 1) && c.N.Sub(want).Length() > 1e-5 {
				t.Errorf("%s: %v at the ridge, want %v", group, c.N, want)
			}
		}
	}
}

func TestBadModels(t *testing.T) {
	for text, want := range map[string]string{
		"":                                     "no triangles",
		"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n": "no texture coordinates",
		"v 0 0 0\nf 1 2 3\n":                   "line 2: there is no point 2",
		"v 0 zero 0\n":                         `line 1: "zero" is no number`,
		"v 0 0\n":                              "line 1: 2 figures where 3 belong",
		"v 0 0 0\nvt 0 0\nf 1/1 1/1 1/1\n":     "one place",
		"v 0 0 nan\nv 1 0 0\nv 0 1 0\nvt 0 0\nf 1/1 2/1 3/1\n": "no numbers",
	} {
		if _, err := mesh.ReadOBJ(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", text, err, want)
		}
	}
	for text, want := range map[string]string{
		"{":                            "no glTF document",
		`{"nodes":[{}]}`:               "no triangles",
		`{"nodes":[{"children":[0]}]}`: "hold one another",
		`{"nodes":[{"mesh":3}]}`:       "no mesh 3",
		`{"extensionsRequired":["KHR_draco_mesh_compression"]}`:    "needs KHR_draco_mesh_compression",
		`{"buffers":[{"uri":"a.bin","byteLength":3}]}`:             "needs the file a.bin beside it",
		"glTF\x02\x00\x00\x00\x00\x00\x00\x00\xff\xff\xff\xffJSON": "cut short",
	} {
		if _, err := mesh.ReadGLTF([]byte(text), nil); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", text, err, want)
		}
	}
	many := "v 0 0 0\nv 1 0 0\nv 0 1 0\n" + strings.Repeat("f"+strings.Repeat(" 1 2 3", 40_000)+"\n", 40)
	if _, err := mesh.ReadOBJ(strings.NewReader(many)); err == nil || !strings.Contains(err.Error(), "more than 4000000 triangles") {
		t.Errorf("too many triangles: %v", err)
	}
	if _, err := mesh.Read("a.stl", nil, nil); err == nil {
		t.Error("an unknown ending is read")
	}
}

// buffered is a glTF of one triangle with what is put in.
func buffered(uri string, n int, node string) string {
	return fmt.Sprintf(`{"nodes":[{"mesh":0%s}],"meshes":[{"primitives":[{"attributes":{"POSITION":0,"TEXCOORD_0":1},"indices":2}]}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"},{"bufferView":0,"byteOffset":36,"componentType":5123,"normalized":true,"count":3,"type":"VEC2"},{"bufferView":0,"byteOffset":48,"componentType":5121,"count":3,"type":"SCALAR"}],
"bufferViews":[{"buffer":0,"byteLength":%d}],"buffers":[{"uri":%q,"byteLength":%d}]}`, node, n, uri, n)
}

func TestGLTF(t *testing.T) {
	var b bytes.Buffer
	binary.Write(&b, binary.LittleEndian, []float32{0, 0, 0, 1, 0, 0, 0, 1, 0})
	binary.Write(&b, binary.LittleEndian, []uint16{0, 65535, 65535, 65535, 0, 0})
	b.Write([]byte{0, 1, 2})
	inline := "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(b.Bytes())
	turned := `,"scale":[2,2,2],"rotation":[0,0,0.70710678,0.70710678],"translation":[0,0,5]`
	for name, m := range map[string]func() (*mesh.Mesh, error){
		"inline": func() (*mesh.Mesh, error) { return mesh.Read("a.gltf", []byte(buffered(inline, 51, turned)), nil) },
		"beside": func() (*mesh.Mesh, error) {
			return mesh.Read("a.gltf", []byte(buffered("a%20b.bin", 51, turned)), fstest.MapFS{"a b.bin": {Data: b.Bytes()}})
		},
	} {
		got, err := m()
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		c := got.Corners[1]
		if c.P.Sub(geom.Vec(0, 2, 5)).Length() > 1e-5 || c.U != 1 || c.V != 1 || c.N.Sub(geom.Vec(0, 0, 1)).Length() > 1e-5 {
			t.Errorf("%s: %+v", name, c)
		}
	}
	// A mirrored node keeps its front in front.
	got, err := mesh.ReadGLTF([]byte(buffered(inline, 51, `,"scale":[-1,1,1]`)), nil)
	if err != nil {
		t.Fatal(err)
	}
	c := got.Corners
	if n := (geom.Triangle{A: c[0].P, B: c[1].P, C: c[2].P}).Normal(); n.Z < 0.99 {
		t.Errorf("mirrored, it faces %v", n)
	}
	if _, err := mesh.ReadGLTF([]byte(buffered(inline, 40, "")), nil); err == nil {
		t.Error("an accessor beyond its view's buffer is read")
	}
	far := strings.Replace(buffered(inline, 51, ""), `"bufferView":0,"componentType":5126`, `"bufferView":0,"byteOffset":9000000000000000000,"componentType":5126`, 1)
	far = strings.Replace(far, `{"buffer":0,"byteLength"`, `{"buffer":0,"byteOffset":9000000000000000000,"byteLength"`, 1)
	if _, err := mesh.ReadGLTF([]byte(far), nil); err == nil || !strings.Contains(err.Error(), "beyond its buffer") {
		t.Errorf("offsets that overflow: %v", err)
	}
}

// ball is a sphere of n by 2n squares, its map once around.
func ball(r float32, n int) *mesh.Mesh {
	m := &mesh.Mesh{}
	corner := func(i, j int) mesh.Corner {
		lon, lat := 2*math.Pi*float64(i)/float64(2*n), math.Pi*float64(j)/float64(n)
		p := geom.Vec(float32(math.Sin(lat)*math.Sin(lon)), float32(math.Cos(lat)), float32(math.Sin(lat)*math.Cos(lon)))
		if i == 2*n {
			p = geom.Vec(0, p.Y, float32(math.Sin(lat)))
		}
		return mesh.Corner{P: p.Scale(r), N: p, U: float32(i) / float32(2*n), V: float32(j) / float32(n)}
	}
	for j := range n {
		for i := range 2 * n {
			a, b, c, d := corner(i, j), corner(i, j+1), corner(i+1, j+1), corner(i+1, j)
			if j < n-1 {
				m.Corners = append(m.Corners, a, b, c)
			}
			if j > 0 {
				m.Corners = append(m.Corners, a, c, d)
			}
		}
	}
	m.Tangents()
	return m
}

// Rays meet a body where they meet one of its triangles, tried one by one.
func TestHitIsTheNearestTriangle(t *testing.T) {
	m := ball(1, 24)
	b := mesh.NewBody(m)
	rng := rand.New(rand.NewPCG(8, 9))
	for range 500 {
		o := geom.Vec(rng.Float32()*4-2, rng.Float32()*4-2, rng.Float32()*4-2)
		r := geom.Ray{O: o, D: geom.Vec(rng.Float32()*2-1, rng.Float32()*2-1, rng.Float32()*2-1).Sub(o).Unit()}
		want, found := float32(math.Inf(1)), false
		for i := 0; i < len(m.Corners); i += 3 {
			at, _, _, ok := geom.Triangle{A: m.Corners[i].P, B: m.Corners[i+1].P, C: m.Corners[i+2].P}.Hit(r)
			if ok && at < want {
				want, found = at, true
			}
		}
		got, ok := b.Hit(r, 0, 1e9, false)
		if ok != found || ok && got.At != want {
			t.Fatalf("%v: met %v at %g; one by one %v at %g", r, ok, got.At, found, want)
		}
		if _, any := b.Hit(r, 0, 1e9, true); any != found {
			t.Fatal("something in the way is not found")
		}
		if ok {
			tangent, up, n := b.Frame(&got)
			if d := n.Sub(r.At(got.At).Unit()).Length(); d > 0.02 {
				t.Fatalf("the normal is off by %g", d)
			}
			if p := r.At(got.At); math.Hypot(float64(p.X), float64(p.Z)) > 0.3 {
				east := geom.Vec(p.Z, 0, -p.X).Unit()
				if tangent.Dot(east) < 0.97 || up.Y <= 0 {
					t.Fatalf("at %v the tangents are %v and %v", p, tangent, up)
				}
			}
		}
	}
}

// Relief stands out by its height, and is closed: no ray slips through from inside.
func TestReliefIsClosed(t *testing.T) {
	m := ball(1, 16)
	body, grain := mesh.NewRelief(m, 0.03, func(u, v float32) float32 { return 0.05 + 0.03*float32(math.Sin(float64(9*u)+float64(7*v))) })
	if grain != 0.03 {
		t.Errorf("the grain is %g", grain)
	}
	rng := rand.New(rand.NewPCG(2, 3))
	low, high := float32(9), float32(0)
	for range 4000 {
		d := geom.Vec(float32(rng.NormFloat64()), float32(rng.NormFloat64()), float32(rng.NormFloat64())).Unit()
		got, ok := body.Hit(geom.Ray{D: d}, 0, 1e9, false)
		if !ok {
			t.Fatalf("a ray along %v slips out", d)
		}
		low, high = min(low, got.At), max(high, got.At)
	}
	if low < 1.009 || low > 1.02 || high < 1.07 || high > 1.081 {
		t.Errorf("the relief stands between %g and %g m; want 1.02 to 1.08, less 1 %% where the ball is flat", low, high)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(square), true)
	f.Add([]byte(`{"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"componentType":5126,"count":3,"type":"VEC3"}]}`), false)
	f.Add([]byte(buffered("data:,AAAA", 2, "")), false)
	f.Fuzz(func(t *testing.T, data []byte, obj bool) {
		var m *mesh.Mesh
		var err error
		if obj {
			m, err = mesh.ReadOBJ(bytes.NewReader(data))
		} else {
			m, err = mesh.ReadGLTF(data, nil)
		}
		if err == nil && m.Triangles() < 1000 {
			m.Tangents()
			mesh.NewBody(m).Hit(geom.Ray{O: geom.Vec(0, 0, 9), D: geom.Vec(0, 0, -1)}, 0, 100, false)
		}
	})
}

func BenchmarkHit(b *testing.B) {
	m := ball(1, 200)
	body := mesh.NewBody(m)
	rng := rand.New(rand.NewPCG(1, 1))
	for b.Loop() {
		o := geom.Vec(rng.Float32()*4-2, rng.Float32()*4-2, 3)
		body.Hit(geom.Ray{O: o, D: o.Scale(-1).Unit()}, 0, float32(math.Inf(1)), true)
	}
}

// A small document of millions of figures without data is refused before anything is made of it.
func TestEmptyAccessorsAreBounded(t *testing.T) {
	primitive := `{"attributes":{"POSITION":0,"NORMAL":0},"mode":5}`
	text := `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"accessors":[{"componentType":5126,"count":3999999,"type":"VEC3"}],
		"meshes":[{"primitives":[` + strings.Repeat(primitive+",", 60) + primitive + `]}]}`
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, err := mesh.ReadGLTF([]byte(text), nil)
	runtime.ReadMemStats(&after)
	if err == nil || after.TotalAlloc-before.TotalAlloc > 16<<20 {
		t.Errorf("%d MB, %v", (after.TotalAlloc-before.TotalAlloc)>>20, err)
	}
}
