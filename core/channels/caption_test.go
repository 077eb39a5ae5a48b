package channels

import (
	"image"
	"image/color"
	"image/draw"
	"math/rand/v2"
	"testing"

	"aldermoor/core/codec"
	"aldermoor/core/colour"
	"aldermoor/core/raster"
	"aldermoor/core/station"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
)

// write sets a line of text into a picture, with its left end at x and its ground at y.
func write(t *testing.T, im draw.Image, ttf []byte, size float64, text string, x, y int, c color.Color) {
	t.Helper()
	f, err := opentype.Parse(ttf)
	if err != nil {
		t.Fatal(err)
	}
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: size, DPI: 72})
	if err != nil {
		t.Fatal(err)
	}
	d := font.Drawer{Dst: im, Src: image.NewUniform(c), Face: face, Dot: fixed.P(x, y)}
	d.DrawString(text)
}

// picture is a scan's colour as 8-bit sRGB.
func picture(s *station.Scan) *image.NRGBA {
	_, encode := colour.Curves()
	im := image.NewNRGBA(image.Rect(0, 0, s.W, s.H))
	for i := range s.W * s.H {
		for c := range 3 {
			im.Pix[4*i+c] = uint8(encode(s.Color[c].Pix[i])*255 + 0.5)
		}
		im.Pix[4*i+3] = 255
	}
	return im
}

// planes are the colour components of a picture.
func planes(im *image.NRGBA) []raster.Plane {
	out := make([]raster.Plane, 3)
	for c := range out {
		out[c] = raster.NewPlane(im.Rect.Dx(), im.Rect.Dy())
		for i := range out[c].Pix {
			out[c].Pix[i] = float32(im.Pix[4*i+c]) / 255
		}
	}
	return out
}

// TestCaptions writes a name onto pictures of every surface, in several faces, sizes and places, and
// counts how many are seen. The same pictures, and all maps, without writing must never seem to have any.
func TestCaptions(t *testing.T) {
	faces := [][]byte{goregular.TTF, gobold.TTF, gomono.TTF}
	texts := []string{"Moorland plank 04", "STONE SETT  2 x 2 m", "wet sand, fine", "Rusted plate 4096 px"}
	r := rand.New(rand.NewPCG(5, 11))
	said, all := 0, 0
	for k, m := range station.Materials() {
		if k%2 == 1 { // half of them take long enough
			continue
		}
		s := station.Take(m, station.Options{Px: 512, Seed: 5})
		if captioned(planes(picture(s))) {
			t.Errorf("%s: writing is seen in its colour", m.Slug)
		}
		for name, p := range map[string]raster.Plane{"height": s.Height, "roughness": s.Roughness, "occlusion": s.Occlusion, "metallic": s.Metallic} {
			if len(p.Pix) == 0 {
				continue
			}
			if captioned([]raster.Plane{p}) {
				t.Errorf("%s: writing is seen in its %s", m.Slug, name)
			}
		}
		for i := range 6 {
			im := picture(s)
			size := float64(im.Rect.Dx()) * (0.035 + 0.03*r.Float64())
			x, y := 8+r.IntN(60), im.Rect.Dy()-14-r.IntN(30)
			ink := color.White
			switch i % 3 {
			case 0: // a bar under it
				ink = color.Gray16{0x1800}
				draw.Draw(im, image.Rect(0, y-int(1.4*size), im.Rect.Dx(), im.Rect.Dy()), image.NewUniform(color.Gray{235}), image.Point{}, draw.Src)
			case 1: // a dark one
				draw.Draw(im, image.Rect(0, y-int(1.4*size), im.Rect.Dx(), im.Rect.Dy()), image.NewUniform(color.Gray{40}), image.Point{}, draw.Src)
			case 2: // a ribbon at the top
				y = 14 + int(size)
				draw.Draw(im, image.Rect(0, y-int(1.2*size), im.Rect.Dx()*3/4, y+int(size/2)), image.NewUniform(color.NRGBA{60, 90, 120, 255}), image.Point{}, draw.Src)
			}
			write(t, im, faces[r.IntN(len(faces))], size, texts[r.IntN(len(texts))], x, y, ink)
			all++
			if captioned(planes(im)) {
				said++
			}
		}
	}
	t.Logf("writing seen in %d of %d pictures", said, all)
	if 20*said < 19*all {
		t.Errorf("writing is seen in %d of %d pictures, want 95 %%", said, all)
	}
}

// TestCaptionedPreview: a picture with a caption beside a set is its preview; a sign that is the
// set's only colour stays its base colour.
func TestCaptionedPreview(t *testing.T) {
	p := scanned(t, "plate_sluice")
	im := picture(station.Take(station.Materials()[0], station.Options{Px: 512, Seed: 5}))
	draw.Draw(im, image.Rect(0, im.Rect.Dy()-62, 512, im.Rect.Dy()), image.NewUniform(color.Gray{30}), image.Point{}, draw.Src)
	write(t, im, goregular.TTF, 26, "Harbour boards 2 m", 20, im.Rect.Dy()-22, color.White)
	q := raster.FromPlanes(planes(im)...).Quantise(8)
	named := Measure(q, codec.Info{Format: codec.JPEG, W: q.W, H: q.H, Bits: 8, Components: 3})
	if !named.Captioned {
		t.Fatal("no writing is seen")
	}
	base, normal, rough := p.looks["base"], p.looks["normal"], p.looks["rough"]
	s := Sort([]File{{Path: "b/boards.jpg", Look: &named}, {Path: "b/boards_col.png", Look: base}, {Path: "b/boards_nrm.png", Look: normal}, {Path: "b/boards_rgh.png", Look: rough}})
	if len(s) != 1 || len(s[0].Attachments) != 1 || s[0].Attachments[0].Reasons[0].Code != "writing" || s[0].Map("base_color") == nil || s[0].Map("base_color").File != "b/boards_col.png" {
		t.Errorf("beside a base colour: %d sets, attachments %v", len(s), s[0].Attachments)
	}
	s = Sort([]File{{Path: "b/sign.png", Look: &named}, {Path: "b/sign_nrm.png", Look: normal}, {Path: "b/sign_rgh.png", Look: rough}})
	if len(s) != 1 || s[0].Map("base_color") == nil || s[0].Map("base_color").File != "b/sign.png" {
		t.Errorf("a sign is not its set's base colour: %d sets, attachments %v", len(s), s[0].Attachments)
	}
}
