package mesh

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"aldermoor/core/geom"
)

// ReadOBJ reads a Wavefront OBJ model; its unit is taken as the metre. Faces of more than four
// corners are fanned out, of four cut along the shorter diagonal on the map. Faces of a smoothing
// group without normals are smooth. Errors say the line.
func ReadOBJ(r io.Reader) (*Mesh, error) {
	o := objReader{smooth: map[smoothKey]geom.V3{}}
	s := bufio.NewScanner(r)
	s.Buffer(make([]byte, 64<<10), 8<<20)
	whole := ""
	for n := 1; s.Scan(); n++ {
		line := s.Text()
		if strings.HasSuffix(line, "\\") { // goes on below
			whole += strings.TrimSuffix(line, "\\") + " "
			continue
		}
		if err := o.line(whole + line); err != nil {
			return nil, fmt.Errorf("line %d: %w", n, err)
		}
		whole = ""
	}
	if err := s.Err(); err != nil {
		return nil, err
	}
	o.smoothen()
	return o.m.complete(o.hasUV)
}

type smoothKey struct{ group, point int }

type objReader struct {
	p, n   []geom.V3
	uv     [][2]float32
	m      Mesh
	group  int
	hasUV  bool
	points []smoothKey // of each corner that waits for a smooth normal; group 0 for none
	smooth map[smoothKey]geom.V3
}

func (o *objReader) line(text string) error {
	f := strings.Fields(text)
	if len(f) == 0 {
		return nil
	}
	switch f[0] {
	case "v":
		v, err := numbers(f[1:], 3)
		if err != nil {
			return err
		}
		o.p = append(o.p, geom.Vec(v[0], v[1], v[2]))
	case "vn":
		v, err := numbers(f[1:], 3)
		if err != nil {
			return err
		}
		o.n = append(o.n, geom.Vec(v[0], v[1], v[2]))
	case "vt":
		v, err := numbers(f[1:], 2)
		if err != nil {
			return err
		}
		o.uv = append(o.uv, [2]float32{v[0], 1 - v[1]})
	case "s":
		o.group = 0
		if len(f) > 1 && f[1] != "off" {
			g, err := strconv.Atoi(f[1])
			if err != nil {
				return fmt.Errorf("%q is no smoothing group", f[1])
			}
			o.group = g
		}
	case "f":
		return o.face(f[1:])
	}
	return nil
}

// numbers reads at least so many figures.
func numbers(f []string, least int) (v [4]float32, err error) {
	if len(f) == 1 && least == 2 { // a texture of one dimension
		f = append(f, "0")
	}
	if len(f) < least {
		return v, fmt.Errorf("%d figures where %d belong", len(f), least)
	}
	for i := range min(len(f), 4) {
		x, err := strconv.ParseFloat(f[i], 32)
		if err != nil {
			return v, fmt.Errorf("%q is no number", f[i])
		}
		v[i] = float32(x)
	}
	return v, nil
}

func (o *objReader) face(f []string) error {
	if len(f) < 3 {
		return fmt.Errorf("a face of %d corners", len(f))
	}
	if o.m.Triangles()+len(f)-2 > MostTriangles {
		return fmt.Errorf("it has more than %d triangles", MostTriangles)
	}
	corners := make([]Corner, len(f))
	keys := make([]smoothKey, len(f))
	for i, text := range f {
		parts := strings.Split(text, "/")
		p, err := indexed(parts[0], len(o.p), "point")
		if err != nil {
			return err
		}
		corners[i].P = o.p[p]
		if len(parts) > 1 && parts[1] != "" {
			t, err := indexed(parts[1], len(o.uv), "texture coordinate")
			if err != nil {
				return err
			}
			corners[i].U, corners[i].V, o.hasUV = o.uv[t][0], o.uv[t][1], true
		}
		if len(parts) > 2 && parts[2] != "" {
			n, err := indexed(parts[2], len(o.n), "normal")
			if err != nil {
				return err
			}
			corners[i].N = o.n[n]
		} else if o.group > 0 {
			keys[i] = smoothKey{o.group, p + 1}
		}
	}
	add := func(i, j, k int) {
		list := [3]int{i, j, k}
		normal := geom.Triangle{A: corners[i].P, B: corners[j].P, C: corners[k].P}.Normal()
		for at, x := range list {
			o.m.Corners, o.points = append(o.m.Corners, corners[x]), append(o.points, keys[x])
			if keys[x].group > 0 { // by the angle there, so that it does not matter how faces are cut
				here := corners[x].P
				a, b := corners[list[(at+1)%3]].P.Sub(here).Unit(), corners[list[(at+2)%3]].P.Sub(here).Unit()
				angle := math.Acos(min(max(float64(a.Dot(b)), -1), 1))
				o.smooth[keys[x]] = o.smooth[keys[x]].Add(normal.Scale(float32(angle)))
			}
		}
	}
	if len(corners) == 4 && shorterSecond(corners) {
		add(0, 1, 3)
		add(1, 2, 3)
		return nil
	}
	for i := 2; i < len(corners); i++ {
		add(0, i-1, i)
	}
	return nil
}

// shorterSecond says whether a face of four corners is cut from its second corner to its fourth, as
// MikkTSpace cuts it: along the shorter diagonal on the map, or in space where those are alike.
func shorterSecond(c []Corner) bool {
	flat := func(a, b Corner) float32 { return (a.U-b.U)*(a.U-b.U) + (a.V-b.V)*(a.V-b.V) }
	long := func(a, b Corner) float32 { d := a.P.Sub(b.P); return d.Dot(d) }
	first, second := flat(c[0], c[2]), flat(c[1], c[3])
	if first != second {
		return second < first
	}
	return long(c[1], c[3]) < long(c[0], c[2])
}

// indexed is the place that a face names: from 1 on, or from the end where it is negative.
func indexed(text string, n int, what string) (int, error) {
	i, err := strconv.Atoi(text)
	if err != nil {
		return 0, fmt.Errorf("%q names no %s", text, what)
	}
	if i < 0 {
		i += n
	} else {
		i--
	}
	if i < 0 || i >= n {
		return 0, fmt.Errorf("there is no %s %s", what, text)
	}
	return i, nil
}

func (o *objReader) smoothen() {
	for i, k := range o.points {
		if k.group > 0 {
			o.m.Corners[i].N = o.smooth[k]
		}
	}
}
