package raster

import (
	"math"
	"testing"
)

// A slow ramp keeps its local means, where rounding makes terraces of it; what 8 bits hold stays as it is.
func TestDitheringKeepsMeans(t *testing.T) {
	const w, h, block = 512, 32, 16
	ramp := NewFloat(w, h, 2, 32)
	for i := range w * h {
		v := (100 + 3*float32(i%w)/w) / 255
		ramp.Floats(0)[i], ramp.Floats(1)[i] = v, v
	}
	worst := func(im *Image, c int) (off float64) {
		for y0 := 0; y0 < h; y0 += block {
			for x0 := 0; x0 < w; x0 += block {
				var is, was float64
				for y := y0; y < y0+block; y++ {
					for x := x0; x < x0+block; x++ {
						is += float64(im.Ints(c)[y*w+x]) / 257
						was += float64(ramp.Floats(c)[y*w+x]) * 255
					}
				}
				off = max(off, math.Abs(is-was)/(block*block))
			}
		}
		return off
	}
	plain, dithered := worst(ramp.Quantise(8), 0), worst(ramp.Dithered(), 0)
	if plain < 0.4 || dithered > 0.03 || worst(ramp.Dithered(), 1) > 0.03 {
		t.Errorf("means of %d × %d pixels are off by %.3f of a step, rounded by %.3f", block, block, dithered, plain)
	}
	exact := New(256, 2, 1, 8)
	for i := range exact.Ints(0) {
		exact.Ints(0)[i] = uint16(i%256) * 257
	}
	for i, v := range exact.Dithered().Ints(0) {
		if v != exact.Ints(0)[i] {
			t.Fatalf("%d became %d", exact.Ints(0)[i]/257, v/257)
		}
	}
	same := ramp.Dithered()
	for i := range same.Ints(0) {
		if d := math.Abs(float64(same.Ints(0)[i])/257 - float64(ramp.Floats(0)[i])*255); d >= 1 {
			t.Fatalf("sample %d is off by %.2f steps", i, d)
		}
	}
}
