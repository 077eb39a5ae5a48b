// Command strip draws the strip of materials on the sign-in page: made-up surfaces, each at the
// same real extent. It writes internal/web/static/strip.jpg; run it where a surface or the renderer
// has changed.
package main

import (
	"bytes"
	"log"
	"os"
	"slices"

	"aldermoor/core/codec"
	"aldermoor/core/raster"
	"aldermoor/core/shade"
	"aldermoor/core/station"
)

const (
	side   = 232 // of a swatch, in pixels
	gap    = 8
	extent = 0.5 // metres that a swatch shows
	mat    = 0x77 * 257
)

var shown = []string{"jetty_plank", "slates_round", "flashing_copper", "tile_encaustic", "bank_shingle", "sailcloth", "plate_sluice", "rubble_limewash"}

func main() {
	out := raster.New(len(shown)*(side+gap)-gap, side, 3, 8)
	for c := range 3 {
		for i := range out.Ints(c) {
			out.Ints(c)[i] = mat
		}
	}
	all := station.Materials()
	for k, slug := range shown {
		m := all[slices.IndexFunc(all, func(m station.Material) bool { return m.Slug == slug })]
		s := station.Take(m, station.Options{Px: int(max(m.Size.W, m.Size.H) / extent * side * 1.5), Seed: 3})
		im := shade.Swatch(extent, side).Picture(shade.NewSurface(s.Planes(), max(s.W, s.H)))
		for c := range 3 {
			for y := range side {
				copy(out.Ints(c)[y*out.W+k*(side+gap):][:side], quantised(im, c, y))
			}
		}
	}
	var b bytes.Buffer
	if err := codec.EncodeJPEG(&b, out, 84); err != nil {
		log.Fatal(err)
	}
	if err := os.WriteFile("internal/web/static/strip.jpg", b.Bytes(), 0o644); err != nil {
		log.Fatal(err)
	}
}

// quantised is a row of a picture's component as integers.
func quantised(im *raster.Image, c, y int) []uint16 {
	row := make([]float32, im.W)
	im.Row(c, y, row)
	out := make([]uint16, len(row))
	for i, v := range row {
		out[i] = uint16(min(max(v, 0), 1)*65535 + 0.5)
	}
	return out
}
