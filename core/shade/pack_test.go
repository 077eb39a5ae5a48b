package shade_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"math"
	"strings"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/core/shade"
)

// unpacked is a pack as a reader of its description has it: the head, and of each level the components by layer.
type unpacked struct {
	W, H, Levels int
	Layers       []struct{ Name, Stored, Plain string }
	Maps         []material.Channel
	Heights      [2]float64
	Slopes       *struct {
		Size  [2]float64
		Depth float64
	}
	level []map[string][]byte // "color r"
}

func unpack(t *testing.T, m material.Planes, depth float64) (out unpacked) {
	t.Helper()
	var b bytes.Buffer
	if err := shade.NewSurface(m, 64).Pack(&b, depth); err != nil {
		t.Fatal(err)
	}
	data := b.Bytes()
	n := binary.LittleEndian.Uint32(data)
	if err := json.Unmarshal(data[4:4+n], &out); err != nil {
		t.Fatal(err)
	}
	data = data[4+n:]
	w, h := out.W, out.H
	for range out.Levels {
		level := map[string][]byte{}
		for _, l := range out.Layers {
			for _, c := range l.Stored {
				plane := bytes.Clone(data[:w*h])
				data = data[w*h:]
				for i := range plane {
					if strings.ContainsRune(l.Plain, c) {
						break
					}
					left, above := 0, 0
					if i%w > 0 {
						left = int(plane[i-1])
					}
					if i >= w {
						above = int(plane[i-w])
					}
					plane[i] += byte((left + above) / 2)
				}
				level[l.Name+" "+string(c)] = plane
			}
		}
		out.level = append(out.level, level)
		w, h = max(1, w/2), max(1, h/2)
	}
	if len(data) > 0 {
		t.Fatalf("%d bytes too many", len(data))
	}
	return out
}

// What is packed are the maps, as exactly as they are stored.
func TestPackHoldsTheMaps(t *testing.T) {
	const n = 32
	m := material.Planes{Size: scale.Size{W: 2, H: 2}, Figures: material.Neutral(), Roughness: raster.NewPlane(n, n), Height: raster.NewPlane(n, n), Opacity: raster.NewPlane(n, n)}
	for c := range m.Color {
		m.Color[c] = raster.NewPlane(n, n)
	}
	f := normals.Field{X: raster.NewPlane(n, n), Y: raster.NewPlane(n, n), Z: raster.NewPlane(n, n)}
	for i := range n * n {
		x, y := float64(i%n)/n, float64(i/n)/n
		for c := range m.Color {
			m.Color[c].Pix[i] = float32(x*y*float64(c+1)) / 3
		}
		m.Roughness.Pix[i], m.Opacity.Pix[i], m.Height.Pix[i] = float32(x), float32(1-y), float32(0.05*math.Sin(2*math.Pi*x))
		f.X.Pix[i], f.Y.Pix[i] = float32(0.4*math.Sin(2*math.Pi*y)), float32(0.3*math.Cos(2*math.Pi*x))
		f.Z.Pix[i] = float32(math.Sqrt(1 - float64(f.X.Pix[i]*f.X.Pix[i]+f.Y.Pix[i]*f.Y.Pix[i])))
	}
	m.Normal = &f
	p := unpack(t, m, 0.2)
	top := p.level[0]
	for i := range n * n {
		for c, name := range []string{"color r", "color g", "color b"} {
			if d := math.Abs(float64(colour.Encode(m.Color[c].Pix[i])) - float64(top[name][i])/255); d > 0.51/255 {
				t.Fatalf("%s at %d is off by %.4f", name, i, d)
			}
		}
		two := func(layer, high, low string) float64 {
			return (float64(top[layer+" "+high][i])*256 + float64(top[layer+" "+low][i])) / 65535
		}
		for what, d := range map[string]float64{
			"roughness": (float64(m.Roughness.Pix[i]) - float64(top["data r"][i])/255) * 255 / 0.51,
			"opacity":   (float64(m.Opacity.Pix[i]) - float64(top["color a"][i])/255) * 255 / 0.51,
			"x":         (float64(f.X.Pix[i])*0.5 + 0.5 - two("normal", "r", "g")) * 1023 / 0.52,
			"y":         (float64(f.Y.Pix[i])*0.5 + 0.5 - two("normal", "b", "a")) * 1023 / 0.52,
			"height":    (float64(m.Height.Pix[i])/0.2 - p.Heights[0] - (p.Heights[1]-p.Heights[0])*two("height", "r", "g")) / (p.Heights[1] - p.Heights[0]) * 4095 / 1.02,
		} {
			if math.Abs(d) > 1 {
				t.Fatalf("%s at %d is off by %.2f of what its bits allow", what, i, d)
			}
		}
	}
	if p.Slopes != nil {
		t.Error("normals of a map are said to come from heights")
	}
	// The one texel of the last level has the spread of all normals.
	last := p.level[len(p.level)-1]
	if mirror := float64(last["data a"][0]) / 255; mirror < 0.5 || mirror > 0.9 {
		t.Errorf("normals up to 29° apart make a mirror as rough as %.2f", mirror)
	}
	if top["data a"][0] != 0 {
		t.Error("normals spread where nothing was lost")
	}
}

// Only what has a map is packed: a plain finish is a head alone, and figures change no byte.
func TestPackHasNoFigures(t *testing.T) {
	m := material.New(scale.Size{W: 1, H: 1})
	m.Put(material.Constant(material.BaseColor, 0.2, 0.3, 0.4))
	m.Put(material.Constant(material.Metallic, 1))
	m.Figures.Tint = [3]float64{2, 1, 1}
	bare := shade.MapsOf(m)
	planes, err := material.Decode(&bare, nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	if p := unpack(t, planes, 0); len(p.Layers) != 0 || len(p.Maps) != 0 || p.Levels != 0 {
		t.Errorf("a plain finish is packed as %+v", p)
	}
	look := shade.LookOf(&m)
	if look.Values[material.BaseColor] != [3]float64{0.2, 0.3, 0.4} || look.Values[material.Metallic][0] != 1 || look.Figures.Tint[0] != 2 {
		t.Errorf("the look lacks values: %+v", look)
	}
}

// Slopes that come from heights name the size and depth that they were worked out for.
func TestPackNamesItsSlopes(t *testing.T) {
	h := raster.NewPlane(16, 16)
	for i := range h.Pix {
		h.Pix[i] = float32(0.01 * math.Sin(2*math.Pi*float64(i%16)/16))
	}
	p := unpack(t, material.Planes{Size: scale.Size{W: 1.5, H: 1}, Figures: material.Neutral(), Height: h}, 0.02)
	if p.Slopes == nil || p.Slopes.Size != [2]float64{1.5, 1} || p.Slopes.Depth != 0.02 {
		t.Fatalf("slopes: %+v", p.Slopes)
	}
	if math.Abs(p.Heights[1]-0.5) > 0.001 || math.Abs(p.Heights[0]+0.5) > 0.001 {
		t.Errorf("heights %v of the depth", p.Heights)
	}
	if _, ok := p.level[0]["normal r"]; !ok {
		t.Error("no normals")
	}
}
