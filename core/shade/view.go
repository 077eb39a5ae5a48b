package shade

import (
	"context"
	"fmt"
	"math"

	"aldermoor/core/geom"
	"aldermoor/core/light"
	"aldermoor/core/material"
	"aldermoor/core/mesh"
	"aldermoor/core/raster"
	"aldermoor/core/shape"
)

// Quality is how a picture is made.
type Quality string

// Preview and Reference are the two qualities: see the package.
const (
	Preview   Quality = "preview"
	Reference Quality = "reference"
)

// Background is what is seen beside and behind a shape.
type Background struct {
	Kind    string           // environment, colour, picture or none (transparent)
	Color   geom.V3          // as it is shown: linear sRGB
	Picture *[3]raster.Plane // as it is shown, linear; it fills the view, cut at the sides
}

// Mat is the neutral mat that lies under pictures: L* 50.
var Mat = Background{Kind: "colour", Color: geom.Grey(0.1842)}

// View says what a picture shows and how. Angles are degrees.
type View struct {
	Shape      string
	Mesh       *mesh.Mesh // looked at in place of a shape: fitted around the origin, with tangents
	Bodies     *Bodies    // where meshes are kept ready; may be nil
	Extent     float64    // metres: see shape.New
	Yaw, Pitch float64    // of the shape: its front turns to the right, its top to the viewer
	Zoom       float64    // 1 fits the shape into the picture
	PanX, PanY float64    // of the picture, in its heights, to the right and up
	W, H       int

	Light      *light.Environment // nil: the default
	Turn, Tilt float64            // of the light: to the right around the upright, and its key up
	Strength   float64            // factor on the light, 1 as it is
	Exposure   float64            // stops
	Tone       bool               // the tone curve; otherwise light is cut at white
	Background Background

	Relief  bool             // the height map is marched; otherwise normals alone are seen
	Plaster bool             // neutral colour, true roughness and relief
	Channel material.Channel // only this channel, unlit; None for all
	Drift   float64          // seconds that the map has slid

	Quality Quality
	Samples int // a pixel, of a reference
	Seed    uint64
}

// NewView is the view that pictures have unless something else is asked for.
func NewView() View {
	return View{Shape: "ball", Extent: 1, Pitch: 8, Zoom: 1, W: 512, H: 512, Strength: 1, Tone: true,
		Background: Background{Kind: "none"}, Relief: true, Quality: Preview, Samples: 64}
}

// Largest is the largest side of a picture in pixels.
const Largest = 8192

// Angle is the camera's vertical angle of view, degrees: that of a long lens, which shows a shape
// without distortion.
const Angle = 20

// camera makes rays. Positions are the world's: the shape's middle is the origin, the viewer on +z.
type camera struct {
	w, h       int
	flat       bool    // parallel rays
	away       float32 // of the viewer
	span       float32 // height of the picture: metres where flat, else metres a metre
	panX, panY float32
}

// distance is the viewer's from the middle of a shape of a radius, so that it fills the picture.
func distance(radius float32) float32 {
	return radius * 1.05 / float32(math.Sin(Angle/2*math.Pi/180))
}

// newCamera looks at a shape with relief that stands out by top.
func newCamera(v *View, sh shape.Shape, top float32) camera {
	zoom := max(v.Zoom, 1e-3)
	c := camera{w: v.W, h: v.H, panX: float32(v.PanX), panY: float32(v.PanY)}
	if f, ok := sh.(shape.Flat); ok {
		c.flat, c.away = true, f.Side
		c.span = f.Side * float32(v.H) / float32(max(v.W, 1)) / float32(zoom)
		return c
	}
	c.away = distance(sh.Radius() + max(top, 0))
	c.span = float32(2 * math.Tan(Angle/2*math.Pi/180) / zoom)
	if v.W < v.H {
		c.span *= float32(v.H) / float32(v.W)
	}
	return c
}

// ray through (x, y) in pixels from the upper left.
func (c camera) ray(x, y float32) geom.Ray {
	px, py := c.place(x, y)
	if c.flat {
		return geom.Ray{O: geom.Vec(px, py, c.away), D: geom.Vec(0, 0, -1)}
	}
	return geom.Ray{O: geom.Vec(0, 0, c.away), D: geom.Vec(px, py, -1).Unit()}
}

// place is where (x, y) lies on the picture: metres from its middle where rays are parallel, else metres
// a metre away.
func (c *camera) place(x, y float32) (px, py float32) {
	k := c.span / float32(c.h)
	return (x-float32(c.w)/2)*k - c.panX*c.span, (float32(c.h)/2-y)*k - c.panY*c.span
}

// pixel is how large a pixel is: in metres a metre along a ray, and in metres at the distance of
// the shape's middle.
func (c camera) pixel() (slope, metres float32) {
	if c.flat {
		return c.span / float32(c.h) / c.away, c.span / float32(c.h)
	}
	return c.span / float32(c.h), c.span / float32(c.h) * c.away
}

// MetresPerPixel is how many metres a pixel covers at the distance of the shape's middle.
func (v *View) MetresPerPixel(s *Surface) (float64, error) {
	j, err := v.prepare(s)
	if err != nil {
		return 0, err
	}
	_, m := j.camera.pixel()
	return float64(m), nil
}

// turn is a rotation: rows are the axes of the frame that it leads to.
type turn [3]geom.V3

func (t turn) of(v geom.V3) geom.V3 { return geom.Vec(t[0].Dot(v), t[1].Dot(v), t[2].Dot(v)) }

// back undoes of.
func (t turn) back(v geom.V3) geom.V3 {
	return t[0].Scale(v.X).Add(t[1].Scale(v.Y)).Add(t[2].Scale(v.Z))
}

// around is a rotation to the right by yaw around the upright, then up by pitch.
func around(yaw, pitch float64) turn {
	sy, cy := math.Sincos(yaw * math.Pi / 180)
	sp, cp := math.Sincos(pitch * math.Pi / 180)
	f := func(a, b, c float64) geom.V3 { return geom.Vec(float32(a), float32(b), float32(c)) }
	// Rx(pitch)·Ry(yaw), as rows.
	return turn{f(cy, 0, sy), f(sp*sy, cp, -sp*cy), f(-cp*sy, sp, cp*cy)}
}

// turned leads from the world's frame to that of a light whose key is turned to the right and raised.
func turned(key geom.V3, degrees, tilt float64) (sky turn) {
	across := sqrt(key.X*key.X + key.Z*key.Z)
	axis := geom.Vec(1, 0, 0)
	if across > 1e-4 {
		axis = geom.Vec(-key.Z/across, 0, key.X/across)
	}
	sin, cos := math.Sincos(tilt * math.Pi / 180)
	yaw := around(degrees, 0)
	for i, e := range [3]geom.V3{geom.Vec(1, 0, 0), geom.Vec(0, 1, 0), geom.Vec(0, 0, 1)} {
		// Rodrigues' formula; what becomes of the light's axes are the columns.
		w := e.Scale(float32(cos)).Add(axis.Cross(e).Scale(float32(sin))).Add(axis.Scale(axis.Axis(i) * float32(1-cos)))
		sky[i] = yaw.of(w)
	}
	return sky
}

// job is a view in the making.
type job struct {
	*View
	scene  *scene
	camera camera
	object turn    // from the shape's frame to the world's
	eye    geom.V3 // the viewer in the shape's frame
	sky    turn    // from the world's frame to the light's
	toSky  turn    // from the shape's frame to the light's
	sun    geom.V3
	gain   float32 // of the light by its strength
	film   film
}

// shape is what the view looks at.
func (v *View) shape() (shape.Shape, error) {
	if v.Mesh != nil {
		return newModel(v.Mesh), nil
	}
	return shape.New(v.Shape, v.Extent)
}

// Says is what the view looks at with its size, for people.
func (v *View) Says() string {
	sh, err := v.shape()
	if err != nil {
		return err.Error()
	}
	return sh.Says()
}

func (v *View) prepare(s *Surface) (*job, error) {
	sh, err := v.shape()
	if err != nil {
		return nil, err
	}
	if v.W < 1 || v.H < 1 || v.W > Largest || v.H > Largest {
		return nil, fmt.Errorf("a picture of %d × %d pixels: each side has 1 to %d", v.W, v.H, Largest)
	}
	if v.Light == nil {
		v.Light = light.Named(light.Default)
	}
	j := &job{View: v, scene: newScene(sh, s, v.Relief), gain: float32(v.Strength)}
	j.camera = newCamera(v, sh, j.scene.top)
	if v.Mesh != nil {
		_, pixel := j.camera.pixel()
		if v.Quality == Preview {
			pixel *= 1.5
		}
		j.scene.attach(v.Mesh, pixel, v.Bodies)
	}
	if _, flat := sh.(shape.Flat); flat {
		j.object = around(0, 0)
	} else {
		j.object = around(v.Yaw, v.Pitch)
	}
	j.eye = j.object.back(geom.Vec(0, 0, j.camera.away))
	j.scene.du -= float32(s.figures.Drift[0]*v.Drift) * j.scene.iw
	j.scene.dv -= float32(s.figures.Drift[1]*v.Drift) * j.scene.ih
	j.sky = turned(v.Light.Key, v.Turn, v.Tilt)
	for i := range 3 {
		j.toSky[i] = j.object.back(j.sky[i])
	}
	j.sun = j.toSky.back(v.Light.Sun.Direction)
	j.film = film{exposure: float32(math.Exp2(v.Exposure)), tone: v.Tone, tables: sharedTables()}
	return j, nil
}

// Draw makes the picture: 16-bit sRGB with straight alpha, or float components in linear light,
// exposed but without the tone curve, where linear is set. progress is told shares up to 1 and may
// be nil. The result depends on the view and the surface alone.
func (v *View) Draw(ctx context.Context, s *Surface, linear bool, progress func(done float64)) (*raster.Image, error) {
	j, err := v.prepare(s)
	if err != nil {
		return nil, err
	}
	j.film.linear = linear
	if v.Quality == Reference && v.Channel == material.None {
		return j.draw(ctx, j.referenceTile, progress)
	}
	return j.draw(ctx, j.previewTile, progress)
}

// background is what is seen beside the shape: its colour as it is shown, and how opaque it is.
func (j *job) background(x, y float32, d geom.V3) (c geom.V3, alpha float32) {
	switch b := &j.Background; b.Kind {
	case "environment":
		w := j.sky.of(d)
		return j.film.show(j.Light.Radiance(w).Add(j.Light.SunRadiance(w)).Scale(j.gain)), 1
	case "colour":
		return b.Color, 1
	case "picture":
		if p := b.Picture; p != nil {
			// As large as it must be to fill the view.
			k := min(float32(p[0].W)/float32(j.W), float32(p[0].H)/float32(j.H))
			u := (x-float32(j.W)/2)*k/float32(p[0].W) + 0.5
			v := (y-float32(j.H)/2)*k/float32(p[0].H) + 0.5
			u, v = min(max(u, 0), 0.99999), min(max(v, 0), 0.99999)
			return geom.Vec(p[0].Sample(u, v), p[1].Sample(u, v), p[2].Sample(u, v)), 1
		}
	}
	return geom.V3{}, 0
}

// glowShown is the mean glow, in units of white, above which small pictures are exposed for it: there the tone curve still tells colours apart.
const glowShown = 0.7

// Swatch is the view of a flat piece of extent × extent metres from straight above, on the mat.
// Its upper left corner is the map's.
func Swatch(extent float64, px int) View {
	v := NewView()
	v.Shape, v.Extent, v.W, v.H, v.Background = "swatch", extent, px, px, Mat
	return v
}

// Ball is the view of a ball that shows about one repeat of a material, without background.
func Ball(s *Surface, px int) View {
	v := NewView()
	v.Extent, v.W, v.H = shape.NaturalSize(s.size.W), px, px
	return v
}

// Picture draws the view with 8 bits a component, with alpha unless the background covers all, exposed for what glows.
// It cannot be cancelled: for small pictures.
func (v View) Picture(s *Surface) *raster.Image {
	if v.Light == nil {
		v.Light = light.Named(light.Default)
	}
	if glow := s.meanGlow() / v.Light.White; glow > glowShown {
		v.Exposure -= math.Log2(glow / glowShown)
	}
	im, err := v.Draw(context.Background(), s, false, nil)
	if err != nil {
		panic(err) // of the caller's making
	}
	im = im.Quantise(8)
	if v.Background.Kind != "none" {
		im = im.Select(0, 1, 2)
	}
	return im
}
