package colour

import (
	"encoding/binary"
	"math"

	"aldermoor/core/raster"
)

// Gamut is what RGB values mean that are not sRGB's: the curves that make light of stored values,
// and the matrix from that light to linear sRGB. Both white points are adapted to D65 by the
// Bradford transform, as ICC profiles and OpenEXR's recommendation have it.
type Gamut struct {
	Curve  Curve      // of integer samples; the zero curve where samples are light already
	Others []Curve    `json:",omitempty"` // of green and blue, where they have curves of their own
	Matrix [9]float64 // row after row
}

// curve is that of component c.
func (g *Gamut) curve(c int) *Curve {
	if c > 0 && len(g.Others) == 2 {
		return &g.Others[c-1]
	}
	return &g.Curve
}

// Curve makes light of a stored value: by a table, or as ICC's parametric curve of type 4,
// y = (a·x + b)^g + e from d on, and c·x + f below.
type Curve struct {
	G, A, B, C, D, E, F float64
	Table               []float64 `json:",omitempty"`
}

// Light is what a stored value of 0..1 means.
func (c *Curve) Light(v float64) float64 {
	switch n := len(c.Table); {
	case n > 1:
		x := min(max(v, 0), 1) * float64(n-1)
		i := min(int(x), n-2)
		return c.Table[i] + (c.Table[i+1]-c.Table[i])*(x-float64(i))
	case c.G == 0:
		return v
	case v >= c.D:
		return math.Pow(max(c.A*v+c.B, 0), c.G) + c.E
	}
	return c.C*v + c.F
}

// identity says whether a gamut is sRGB's within what 8 bits show.
func (g *Gamut) identity() bool {
	for i, v := range g.Matrix {
		want := 0.0
		if i%4 == 0 {
			want = 1
		}
		if math.Abs(v-want) > 0.003 {
			return false
		}
	}
	if g.Curve.G == 0 && g.Curve.Table == nil {
		return true
	}
	linear, _ := Curves()
	for i := range 33 {
		v := float64(i) / 32
		for c := range 3 {
			if math.Abs(g.curve(c).Light(v)-float64(linear(float32(v)))) > 0.002 {
				return false
			}
		}
	}
	return true
}

// toSRGB is XYZ under D50 to linear sRGB, by Bradford (Lindbloom).
var toSRGB = [9]float64{3.1338561, -1.6168667, -0.4906146, -0.9787684, 1.9161415, 0.0334540, 0.0719453, -0.2289914, 1.4052427}

// ParseICC reads a matrix-and-curve RGB profile (ICC.1:2022). plain says that it is sRGB, or as
// good as; ok is false for other kinds of profiles, which cannot be converted.
func ParseICC(p []byte) (g Gamut, plain, ok bool) {
	if len(p) < 132 || string(p[16:20]) != "RGB " || string(p[20:24]) != "XYZ " {
		return g, false, false
	}
	tag := func(name string) []byte {
		for i := range min(binary.BigEndian.Uint32(p[128:]), 100) {
			e := 132 + 12*int(i)
			if e+12 > len(p) {
				break
			}
			at, size := uint64(binary.BigEndian.Uint32(p[e+4:])), uint64(binary.BigEndian.Uint32(p[e+8:]))
			if string(p[e:e+4]) == name && size >= 12 && at+size <= uint64(len(p)) {
				return p[at : at+size]
			}
		}
		return nil
	}
	fixed := func(b []byte) float64 { return float64(int32(binary.BigEndian.Uint32(b))) / 65536 }
	var xyz [9]float64 // the columns are the primaries
	for c, name := range []string{"rXYZ", "gXYZ", "bXYZ"} {
		t := tag(name)
		if len(t) < 20 || string(t[:4]) != "XYZ " {
			return g, false, false
		}
		for r := range 3 {
			xyz[3*r+c] = fixed(t[8+4*r:])
		}
	}
	g.Matrix = product(toSRGB, xyz)
	var curves [3]Curve
	same := true // as in nearly every profile
	for c, name := range []string{"rTRC", "gTRC", "bTRC"} {
		var good bool
		if curves[c], good = curveOf(tag(name), fixed); !good {
			return g, false, false
		}
		for i := range 9 {
			v := float64(i) / 8
			same = same && math.Abs(curves[c].Light(v)-curves[0].Light(v)) <= 0.002
		}
	}
	if g.Curve = curves[0]; !same {
		g.Others = curves[1:]
	}
	return g, g.identity(), true
}

// curveOf reads a curve of a profile (10.6 and 10.18).
func curveOf(t []byte, fixed func([]byte) float64) (c Curve, ok bool) {
	if len(t) < 12 {
		return c, false
	}
	switch string(t[:4]) {
	case "curv":
		n := int(binary.BigEndian.Uint32(t[8:]))
		switch {
		case n == 0:
			return Curve{G: 1, A: 1}, true
		case n == 1 && len(t) >= 14:
			return Curve{G: float64(binary.BigEndian.Uint16(t[12:])) / 256, A: 1}, true
		case n < 2 || n > 1<<16 || 12+2*n > len(t):
			return c, false
		}
		const kept = 129
		at := func(x float64) float64 {
			i := min(int(x), n-2)
			a, b := float64(binary.BigEndian.Uint16(t[12+2*i:])), float64(binary.BigEndian.Uint16(t[14+2*i:]))
			return (a + (b-a)*(x-float64(i))) / 65535
		}
		for i := range kept {
			c.Table = append(c.Table, at(float64(i)/(kept-1)*float64(n-1)))
		}
		return c, true
	case "para":
		kind := binary.BigEndian.Uint16(t[8:])
		if kind > 4 {
			return c, false
		}
		var v [7]float64
		n := [5]int{1, 3, 4, 5, 7}[kind]
		if len(t) < 12+4*n {
			return c, false
		}
		for i := range n {
			v[i] = fixed(t[12+4*i:])
		}
		switch kind {
		case 0:
			return Curve{G: v[0], A: 1}, v[0] > 0
		case 1, 2: // above −b/a; 2 adds a constant
			if v[1] == 0 {
				return c, false
			}
			return Curve{G: v[0], A: v[1], B: v[2], D: -v[2] / v[1], E: v[3], F: v[3]}, v[0] > 0
		}
		return Curve{G: v[0], A: v[1], B: v[2], C: v[3], D: v[4], E: v[5], F: v[6]}, v[0] > 0
	}
	return c, false
}

// FromPrimaries is the gamut of light whose primaries and white have the given chromaticities x and
// y: red, green, blue, white. plain says that they are sRGB's; ok is false if they span nothing.
func FromPrimaries(xy [8]float64) (g Gamut, plain, ok bool) {
	var m [9]float64
	for c := range 3 {
		x, y := xy[2*c], xy[2*c+1]
		if !(y > 1e-6) || math.IsInf(x, 0) || math.IsInf(y, 0) || math.IsNaN(x) {
			return g, false, false
		}
		m[c], m[3+c], m[6+c] = x/y, 1, (1-x-y)/y
	}
	if !(xy[7] > 1e-6) || math.IsNaN(xy[6]) || math.IsInf(xy[6], 0) {
		return g, false, false
	}
	white := [3]float64{xy[6] / xy[7], 1, (1 - xy[6] - xy[7]) / xy[7]}
	inv, ok := inverse(m)
	if !ok {
		return g, false, false
	}
	s := apply(inv, white)
	for c := range 3 {
		for r := range 3 {
			m[3*r+c] *= s[c]
		}
	}
	// Bradford from its white to D50, where toSRGB begins.
	bradford := [9]float64{0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296}
	back, _ := inverse(bradford)
	from, to := apply(bradford, white), apply(bradford, [3]float64{0.96422, 1, 0.82521})
	if from[0] <= 0 || from[1] <= 0 || from[2] <= 0 {
		return g, false, false
	}
	adapt := product(back, product([9]float64{to[0] / from[0], 0, 0, 0, to[1] / from[1], 0, 0, 0, to[2] / from[2]}, bradford))
	g.Matrix = product(toSRGB, product(adapt, m))
	return g, g.identity(), true
}

// Convert is a colour picture in sRGB. Where its samples are light, in integers too, as reduced
// copies of floats have it, it is light in floats; else it is encoded as sRGB with 16 bits and cut
// off at that gamut. A picture of fewer than three components is returned as it is.
func (g *Gamut) Convert(im *raster.Image, light bool) *raster.Image {
	if im.Components() < 3 {
		return im
	}
	if !light && !im.Float() {
		return g.convertInts(im)
	}
	var planes []raster.Plane
	for c := range im.Components() {
		p := im.Plane(c)
		planes = append(planes, raster.Plane{W: p.W, H: p.H, Pix: append([]float32{}, p.Pix...)})
	}
	const steps = 4096
	var lut [3][steps + 1]float32
	for c := range lut {
		for i := range lut[c] {
			lut[c][i] = float32(g.curve(c).Light(float64(i) / steps))
		}
	}
	_, encode := Curves()
	m := g.Matrix
	raster.Rows(im.H, func(y0, y1 int) {
		for i := y0 * im.W; i < y1*im.W; i++ {
			var in, out [3]float32
			for c := range in {
				if in[c] = planes[c].Pix[i]; !light {
					x := min(max(in[c], 0), 1) * steps
					k := min(int(x), steps-1)
					in[c] = lut[c][k] + (lut[c][k+1]-lut[c][k])*(x-float32(k))
				}
			}
			for r := range out {
				out[r] = max(0, float32(m[3*r])*in[0]+float32(m[3*r+1])*in[1]+float32(m[3*r+2])*in[2])
				if !light {
					out[r] = encode(min(out[r], 1))
				}
				planes[r].Pix[i] = out[r]
			}
		}
	})
	out := raster.FromPlanes(planes...)
	if light {
		out.Bits = im.Bits
		return out
	}
	return out.Quantise(16)
}

// convertInts is Convert of integer samples that are no light: by a table of all values that they can have on the way
// in, and by one of 4096 steps of the square root on the way out.
func (g *Gamut) convertInts(im *raster.Image) *raster.Image {
	bits := 16
	if im.Bits <= 8 {
		bits = 8
	}
	var light [3][]float32
	for c := range light {
		if light[c] = make([]float32, 1<<bits); c > 0 && len(g.Others) == 0 {
			light[c] = light[0]
			continue
		}
		most := float64(len(light[c]) - 1)
		for i := range light[c] {
			light[c][i] = float32(g.curve(c).Light(float64(i) / most))
		}
	}
	const steps = 4096
	_, encode := Curves()
	var code [steps + 2]float32
	for i := range code {
		s := float32(i) / steps
		code[i] = encode(min(s*s, 1)) * 65535
	}
	var m [9]float32
	for i, v := range g.Matrix {
		m[i] = float32(v)
	}
	out := &raster.Image{W: im.W, H: im.H, Bits: 16, Planes: append([]raster.Samples{}, im.Planes...)}
	var from, to [3]raster.Ints
	for c := range to {
		from[c], to[c] = im.Ints(c), make(raster.Ints, im.W*im.H)
		out.Planes[c] = to[c]
	}
	shift := 16 - bits
	raster.Rows(im.H, func(y0, y1 int) {
		for i := y0 * im.W; i < y1*im.W; i++ {
			r, g, b := light[0][from[0][i]>>shift], light[1][from[1][i]>>shift], light[2][from[2][i]>>shift]
			for c := range to {
				v := min(max(0, m[3*c]*r+m[3*c+1]*g+m[3*c+2]*b), 1)
				x := float32(math.Sqrt(float64(v))) * steps
				k := int(x)
				to[c][i] = uint16(code[k] + (code[k+1]-code[k])*(x-float32(k)) + 0.5)
			}
		}
	})
	return out
}

// Inverse is the matrix from linear sRGB to the gamut's light; ok is false where there is none.
func (g *Gamut) Inverse() (m [9]float64, ok bool) { return inverse(g.Matrix) }

func product(a, b [9]float64) (m [9]float64) {
	for r := range 3 {
		for c := range 3 {
			for k := range 3 {
				m[3*r+c] += a[3*r+k] * b[3*k+c]
			}
		}
	}
	return m
}

func apply(m [9]float64, v [3]float64) (out [3]float64) {
	for r := range 3 {
		out[r] = m[3*r]*v[0] + m[3*r+1]*v[1] + m[3*r+2]*v[2]
	}
	return out
}

func inverse(m [9]float64) (inv [9]float64, ok bool) {
	minor := func(a, b, c, d int) float64 { return m[a]*m[d] - m[b]*m[c] }
	inv = [9]float64{minor(4, 5, 7, 8), -minor(1, 2, 7, 8), minor(1, 2, 4, 5), -minor(3, 5, 6, 8), minor(0, 2, 6, 8), -minor(0, 2, 3, 5), minor(3, 4, 6, 7), -minor(0, 1, 6, 7), minor(0, 1, 3, 4)}
	det := m[0]*inv[0] + m[1]*inv[3] + m[2]*inv[6]
	if math.Abs(det) < 1e-12 {
		return inv, false
	}
	for i := range inv {
		inv[i] /= det
	}
	return inv, true
}
