package light

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"io"
	"math"

	"aldermoor/core/bsdf"
	"aldermoor/core/geom"
)

// PackVersion changes whenever Pack writes other bytes for the same light.
const PackVersion = 1

// Pack writes the environment as graphics hardware takes it: the length of a head as 4 bytes (little
// endian), the head as JSON, then the levels, largest first, each as the six faces of a cube in
// Cube's order with texels of a shared exponent (RGB9E5 of OpenGL ES 3.0, little endian).
func (e *Environment) Pack(w io.Writer) error {
	bearing, height := e.Bearing()
	var sizes []int
	for _, c := range e.Levels {
		sizes = append(sizes, c.N)
	}
	data, err := json.Marshal(map[string]any{"name": e.Name, "white": e.White, "key": e.Key, "bearing": bearing, "height": height, "sizes": sizes, "diffuse": e.Diffuse,
		"sun": map[string]any{"direction": e.Sun.Direction, "light": e.Sun.Irradiance, "radius": e.Sun.Radius, "angle": e.SunAngle()}})
	if err != nil {
		return err
	}
	out := bufio.NewWriterSize(w, 1<<20)
	binary.Write(out, binary.LittleEndian, uint32(len(data)))
	out.Write(data)
	var b [4]byte
	for _, c := range e.Levels {
		for f := range 6 {
			for y := range c.N {
				for x := range c.N {
					binary.LittleEndian.PutUint32(b[:], sharedExponent(c.Texel(f, x, y)))
					out.Write(b[:])
				}
			}
		}
	}
	return out.Flush()
}

// sharedExponent is a colour in RGB9E5: 9 bits a component and one exponent. Source: the OpenGL ES 3.0
// specification, section 3.8.3.2.
func sharedExponent(c geom.V3) uint32 {
	const most = 511.0 / 512 * 65536
	var v [3]float64
	for i, x := range c.Array() {
		v[i] = min(max(float64(x), 0), most)
	}
	top := max(v[0], v[1], v[2])
	exponent := max(-16, int(math.Floor(math.Log2(max(top, 1e-30))))) + 16
	scale := math.Exp2(float64(exponent - 24))
	if math.Floor(top/scale+0.5) == 512 {
		exponent++
		scale *= 2
	}
	out := uint32(exponent) << 27
	for i := range v {
		out |= uint32(math.Floor(v[i]/scale+0.5)) << (9 * i)
	}
	return out
}

// PackTables writes bsdf's tables: rows by roughness, each of TableSize entries by cosine and one of
// the mean, four float32 an entry (Scale, Bias, Dip, Sheen), little endian.
func PackTables(w io.Writer) error {
	t := bsdf.Shared()
	var list []float32
	put := func(e bsdf.Entry) { list = append(list, e.Scale, e.Bias, e.Dip, e.Sheen) }
	for j := range bsdf.TableSize {
		for i := range bsdf.TableSize {
			put(t.At[i][j])
		}
		put(t.Mean[j])
	}
	return binary.Write(w, binary.LittleEndian, list)
}
