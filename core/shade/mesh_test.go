package shade_test

import (
	"context"
	"math"
	"testing"

	"aldermoor/core/colour"
	"aldermoor/core/geom"
	"aldermoor/core/light"
	"aldermoor/core/material"
	"aldermoor/core/mesh"
	"aldermoor/core/raster"
	"aldermoor/core/scale"
	"aldermoor/core/shade"
)

// barrel is the side of our own column of a height, with its lengths on the map.
func barrel(tall float64) *mesh.Mesh {
	m := &mesh.Mesh{}
	const n, rows = 256, 8
	r := tall / 4
	corner := func(i, j int) mesh.Corner {
		at, y := (float64(i)/n-0.5)*2*math.Pi, (float64(j)/rows-0.5)*tall
		out := geom.Vec(float32(math.Sin(at)), 0, float32(math.Cos(at)))
		return mesh.Corner{P: out.Scale(float32(r)).Add(geom.Vec(0, float32(y), 0)), N: out, U: float32(at*r + 0.5), V: float32(0.5 - y)}
	}
	for j := range rows {
		for i := range n {
			a, b, c, d := corner(i, j), corner(i+1, j), corner(i+1, j+1), corner(i, j+1)
			m.Corners = append(m.Corners, a, b, c, a, c, d)
		}
	}
	m.Tangents()
	return m
}

func even(w, h int, v float32) raster.Plane {
	p := raster.NewPlane(w, h)
	for i := range p.Pix {
		p.Pix[i] = v
	}
	return p
}

// wavy is clay with waves along x of a depth, 16 of them across its metre.
func wavy(depth float64) *shade.Surface {
	const n = 256
	m := material.Planes{Size: scale.Size{W: 1, H: 1}}
	m.Height = even(n, n, 0)
	for i := range m.Height.Pix {
		m.Height.Pix[i] = float32(depth / 2 * math.Sin(2*math.Pi*8*(float64(i%n)+0.5)/n))
	}
	m.Color = [3]raster.Plane{even(n, n, 0.4), even(n, n, 0.3), even(n, n, 0.2)}
	for i := range m.Color[0].Pix {
		if (i%n/32+i/n/32)%2 == 0 {
			m.Color[0].Pix[i] = 0.1
		}
	}
	m.Roughness = even(n, n, 0.6)
	return shade.NewSurface(m, n)
}

// A mesh of our column's side looks like the column, in both qualities, with relief and without.
func TestMeshIsTheShape(t *testing.T) {
	for _, depth := range []float64{0, 0.006} {
		s := wavy(depth)
		for _, q := range []shade.Quality{shade.Preview, shade.Reference} {
			v := shade.NewView()
			v.Shape, v.Extent, v.Quality, v.Samples, v.Pitch, v.Zoom, v.W, v.H = "column", 1, q, 48, 0, 2, 96, 96
			v.Light = light.Named("window")
			own, err := v.Draw(context.Background(), s, false, nil)
			if err != nil {
				t.Fatal(err)
			}
			v.Mesh = barrel(1)
			if k := v.Mesh.Unit(); math.Abs(k-1) > 1e-3 {
				t.Fatalf("a unit of the map is %g m", k)
			}
			got, err := v.Draw(context.Background(), s, false, nil)
			if err != nil {
				t.Fatal(err)
			}
			at := func(im *raster.Image, i int) (c colour.RGB) {
				for k := range c {
					c[k] = colour.Linear(float32(im.Ints(k)[i]) / 65535)
				}
				return c
			}
			sum := 0.0
			for i := range 96 * 96 {
				sum += colour.Difference(at(own, i), at(got, i))
			}
			mean := sum / 96 / 96
			t.Logf("relief of %g m, %s: mean ΔE %.2f", depth, q, mean)
			if mean > 2 {
				t.Errorf("relief of %g m, %s: mean ΔE %.2f", depth, q, mean)
			}
		}
	}
}

// globe is our own ball of a radius.
func globe(r float64) *mesh.Mesh {
	m := &mesh.Mesh{}
	const n, rows = 192, 96
	corner := func(i, j int) mesh.Corner {
		at, up := (float64(i%n)/n-0.5)*2*math.Pi, (0.5-float64(j)/rows)*math.Pi
		out := geom.Vec(float32(math.Sin(at)*math.Cos(up)), float32(math.Sin(up)), float32(math.Cos(at)*math.Cos(up)))
		if j == 0 || j == rows {
			out = geom.Vec(0, float32(math.Sin(up)), 0)
		}
		return mesh.Corner{P: out.Scale(float32(r)), N: out, U: float32(float64(i) / n), V: float32(j) / rows}
	}
	for j := range rows {
		for i := range n {
			a, b, c, d := corner(i, j+1), corner(i+1, j+1), corner(i+1, j), corner(i, j)
			m.Corners = append(m.Corners, a, b, c, a, c, d)
		}
	}
	m.Tangents()
	return m
}

// A closed mesh of glass bends light as our own ball does; an open one is a sheet.
func TestMeshOfGlass(t *testing.T) {
	p := material.Planes{Size: scale.Size{W: 1, H: 1}, Figures: material.Neutral(), Roughness: even(8, 8, 0.02)}
	p.Color = [3]raster.Plane{even(8, 8, 1), even(8, 8, 1), even(8, 8, 1)}
	p.Figures.Transmission = material.TransmissionFigures{Share: 1, Distance: 0.3, Color: [3]float64{0.3, 0.7, 0.5}}
	s := shade.NewSurface(p, 8)
	ball := globe(0.5)
	if !ball.Closed() || barrel(1).Closed() {
		t.Fatal("a globe has an inside, a barrel without ends has none")
	}
	for _, q := range []shade.Quality{shade.Preview, shade.Reference} {
		v := shade.NewView()
		v.Extent, v.Quality, v.Samples, v.W, v.H = 1, q, 128, 40, 40
		v.Light = light.Named("window")
		draw := func(m *mesh.Mesh) *raster.Image {
			v.Mesh = m
			im, err := v.Draw(context.Background(), s, false, nil)
			if err != nil {
				t.Fatal(err)
			}
			return im
		}
		own, got := draw(nil), draw(ball)
		open := *ball
		open.Corners = open.Corners[:len(open.Corners)-3*200]
		sheet := draw(&open)
		near, far := apart(own, got), apart(own, sheet)
		t.Logf("%s: the closed mesh is ΔE %.2f from the ball, the open one %.2f", q, near, far)
		if near > 2 || far < 5 {
			t.Errorf("%s: the closed mesh is ΔE %.2f from the ball, the open one %.2f", q, near, far)
		}
	}
}
