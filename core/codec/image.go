package codec

import (
	"image"
	"image/color"

	"aldermoor/core/raster"
)

// fromImage copies a decoded picture into planes. The fast paths cover what the
// decoders return; the last case is right for any picture.
func fromImage(src image.Image, in Info) *raster.Image {
	b := src.Bounds()
	w, h := b.Dx(), b.Dy()
	bits := in.Bits
	if bits == 0 {
		bits = 8
	}
	var im *raster.Image
	switch s := src.(type) {
	case *image.Gray:
		im = raster.New(w, h, 1, bits)
		eachRow(h, func(y int) {
			row, dst := s.Pix[y*s.Stride:], im.Ints(0)[y*w:(y+1)*w]
			for x := range dst {
				dst[x] = uint16(row[x]) * 257
			}
		})
	case *image.Gray16:
		im = raster.New(w, h, 1, bits)
		eachRow(h, func(y int) { split16(im, y, s.Pix[y*s.Stride:], 1) })
	case *image.RGBA:
		im = raster.New(w, h, 3, bits)
		if !s.Opaque() {
			return fromAny(src, in, bits)
		}
		eachRow(h, func(y int) { split8(im, y, s.Pix[y*s.Stride:], 4) })
	case *image.NRGBA:
		n := 4
		if s.Opaque() {
			n = 3
		}
		im = raster.New(w, h, n, bits)
		eachRow(h, func(y int) { split8(im, y, s.Pix[y*s.Stride:], 4) })
	case *image.RGBA64:
		if !s.Opaque() {
			return fromAny(src, in, bits)
		}
		im = raster.New(w, h, 3, bits)
		eachRow(h, func(y int) { split16(im, y, s.Pix[y*s.Stride:], 4) })
	case *image.NRGBA64:
		n := 4
		if s.Opaque() {
			n = 3
		}
		im = raster.New(w, h, n, bits)
		eachRow(h, func(y int) { split16(im, y, s.Pix[y*s.Stride:], 4) })
	case *image.YCbCr:
		im = raster.New(w, h, 3, bits)
		red, green, blue := im.Ints(0), im.Ints(1), im.Ints(2)
		eachRow(h, func(y int) {
			for x := range w {
				yi, ci := s.YOffset(x+b.Min.X, y+b.Min.Y), s.COffset(x+b.Min.X, y+b.Min.Y)
				r, g, bl := color.YCbCrToRGB(s.Y[yi], s.Cb[ci], s.Cr[ci])
				i := y*w + x
				red[i], green[i], blue[i] = uint16(r)*257, uint16(g)*257, uint16(bl)*257
			}
		})
	default:
		return fromAny(src, in, bits)
	}
	return greyIfSaid(im, in)
}

// limited makes of a lossy WebP picture one in RGB: its luma runs from 16 to 235 and its
// chroma from 16 to 240 (RFC 6386, 9.2; ITU-R BT.601), where image.YCbCr is taken to use
// the whole range as JPEG does. Other pictures are returned as they are.
func limited(src image.Image) image.Image {
	var y *image.YCbCr
	var alpha *image.NYCbCrA
	switch s := src.(type) {
	case *image.YCbCr:
		y = s
	case *image.NYCbCrA:
		y, alpha = &s.YCbCr, s
	default:
		return src
	}
	b := y.Bounds()
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	eachRow(b.Dy(), func(row int) {
		for x := range b.Dx() {
			yi, ci := y.YOffset(x+b.Min.X, row+b.Min.Y), y.COffset(x+b.Min.X, row+b.Min.Y)
			luma, cb, cr := 1.164383*(float32(y.Y[yi])-16), float32(y.Cb[ci])-128, float32(y.Cr[ci])-128
			px := out.Pix[row*out.Stride+4*x:][:4]
			for c, v := range [3]float32{luma + 1.596027*cr, luma - 0.391762*cb - 0.812968*cr, luma + 2.017232*cb} {
				px[c] = uint8(min(max(v+0.5, 0), 255))
			}
			if px[3] = 255; alpha != nil {
				px[3] = alpha.A[alpha.AOffset(x+b.Min.X, row+b.Min.Y)]
			}
		}
	})
	return out
}

// fromAny is the slow path: through colours without premultiplied alpha.
func fromAny(src image.Image, in Info, bits int) *raster.Image {
	b := src.Bounds()
	w, h := b.Dx(), b.Dy()
	im := raster.New(w, h, 4, bits)
	red, green, blue, alpha := im.Ints(0), im.Ints(1), im.Ints(2), im.Ints(3)
	opaque := true
	for y := range h {
		for x := range w {
			c := color.NRGBA64Model.Convert(src.At(b.Min.X+x, b.Min.Y+y)).(color.NRGBA64)
			i := y*w + x
			red[i], green[i], blue[i], alpha[i] = c.R, c.G, c.B, c.A
			opaque = opaque && c.A == 0xffff
		}
	}
	if opaque {
		im.Planes = im.Planes[:3]
	}
	return greyIfSaid(im, in)
}

// greyIfSaid drops the copies that decoders make of a grey file's one component.
func greyIfSaid(im *raster.Image, in Info) *raster.Image {
	if in.Components <= 2 && in.Components > 0 {
		switch len(im.Planes) {
		case 3:
			im.Planes = im.Planes[:1]
		case 4:
			return im.Select(0, 3)
		}
	}
	return im
}

func eachRow(h int, f func(y int)) {
	raster.Rows(h, func(y0, y1 int) {
		for y := y0; y < y1; y++ {
			f(y)
		}
	})
}

func split8(im *raster.Image, y int, row []byte, stride int) {
	for c := range im.Planes {
		dst := im.Ints(c)[y*im.W : (y+1)*im.W]
		for x := range dst {
			dst[x] = uint16(row[x*stride+c]) * 257
		}
	}
}

func split16(im *raster.Image, y int, row []byte, stride int) {
	for c := range im.Planes {
		dst := im.Ints(c)[y*im.W : (y+1)*im.W]
		for x := range dst {
			i := (x*stride + c) * 2
			dst[x] = uint16(row[i])<<8 | uint16(row[i+1])
		}
	}
}

// toImage is the picture as the standard encoders want it.
func toImage(im *raster.Image) image.Image {
	r := image.Rect(0, 0, im.W, im.H)
	n, deep := im.Components(), im.Bits > 8
	switch {
	case n == 1 && !deep:
		out := image.NewGray(r)
		for i, v := range im.Ints(0) {
			out.Pix[i] = byte(v >> 8)
		}
		return out
	case n == 1:
		out := image.NewGray16(r)
		for i, v := range im.Ints(0) {
			out.Pix[2*i], out.Pix[2*i+1] = byte(v>>8), byte(v)
		}
		return out
	case !deep:
		out := image.NewNRGBA(r)
		eachRow(im.H, func(y int) {
			for x := range im.W {
				i := y*im.W + x
				px := [4]byte{0, 0, 0, 255}
				for c := range min(n, 4) {
					px[c] = byte(im.Ints(c)[i] >> 8)
				}
				if n == 2 {
					px = [4]byte{px[0], px[0], px[0], px[1]}
				}
				copy(out.Pix[4*i:], px[:])
			}
		})
		return out
	}
	out := image.NewNRGBA64(r)
	eachRow(im.H, func(y int) {
		for x := range im.W {
			i := y*im.W + x
			px := [4]uint16{0, 0, 0, 0xffff}
			for c := range min(n, 4) {
				px[c] = im.Ints(c)[i]
			}
			if n == 2 {
				px = [4]uint16{px[0], px[0], px[0], px[1]}
			}
			for c, v := range px {
				out.Pix[8*i+2*c], out.Pix[8*i+2*c+1] = byte(v>>8), byte(v)
			}
		}
	})
	return out
}
