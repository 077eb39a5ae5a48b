package codec

import (
	"bytes"
	"encoding/binary"
	"image/jpeg"
	"math"
	"strings"

	"aldermoor/core/codec/png"
	"aldermoor/core/codec/tiff"
	"aldermoor/core/colour"
	"aldermoor/core/raster"

	"golang.org/x/image/webp"
)

// probeJPEG walks the segments up to the scan (ITU-T T.81; JFIF 1.02; Exif 2.3).
func probeJPEG(data []byte, in *Info) error {
	c, err := jpeg.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return decodeError(err)
	}
	in.W, in.H, in.Components = c.Width, c.Height, 3
	var icc []byte
	for p := data[2:]; len(p) >= 4 && p[0] == 0xff; {
		kind, n := p[1], int(binary.BigEndian.Uint16(p[2:]))
		if kind == 0xff { // fill byte
			p = p[1:]
			continue
		}
		if kind == 0xda || n < 2 || n+2 > len(p) {
			break
		}
		body := p[4 : 2+n]
		switch {
		case kind >= 0xc0 && kind <= 0xc2 && len(body) >= 6:
			in.Bits = int(body[0])
			if body[5] == 1 {
				in.Components = 1
			}
		case kind == 0xe0 && len(body) >= 12 && bytes.HasPrefix(body, []byte("JFIF\x00")):
			unit := map[byte]float64{1: 1 / 0.0254, 2: 100}[body[7]]
			x, y := binary.BigEndian.Uint16(body[8:]), binary.BigEndian.Uint16(body[10:])
			in.Density = [2]float64{float64(x) * unit, float64(y) * unit}
		case kind == 0xe1 && bytes.HasPrefix(body, []byte("Exif\x00\x00")):
			in.exif(body[6:])
		case kind == 0xe1 && bytes.Contains(body[:min(len(body), 200)], []byte("<x:xmpmeta")):
			in.addXMP(body[bytes.IndexByte(body, '<'):])
		case kind == 0xed:
			if i := bytes.Index(body[:min(len(body), 64)], []byte(resource)); i >= 0 {
				in.addResources(body[i:])
			}
		case kind == 0xfe:
			in.addText(string(body))
		case kind == 0xe2 && bytes.HasPrefix(body, []byte("ICC_PROFILE\x00")):
			if len(icc) == 0 {
				in.Profile = iccName(body[min(14, len(body)):])
			}
			icc = append(icc, body[min(14, len(body)):]...) // of several pieces, in order
		}
		p = p[2+n:]
	}
	if icc != nil {
		in.profiled(icc)
	}
	return nil
}

// exif reads the tags of a camera: a resolution and how the picture is to be turned.
func (in *Info) exif(tags []byte) {
	t, err := tiff.ReadHeader(tags)
	if err != nil {
		return
	}
	if t.Density[0] > 0 {
		in.Density = t.Density
	}
	in.Turn = turn(t.Turn)
}

// turn is an orientation, 0 where it turns nothing.
func turn(orientation int) int {
	if raster.TurningOf(orientation).None() {
		return 0
	}
	return orientation
}

// declared notes what a PNG says of its colours: by number, else by a profile, else as sRGB, else by primaries and
// gamma (Portable Network Graphics, third edition, 4.3).
func (in *Info) declared(h *png.Header) {
	if h.Exif != nil {
		in.exif(h.Exif)
	}
	if in.Components < 3 {
		return
	}
	switch {
	case h.Code != nil:
		g, plain, ok := colour.FromCode(h.Code[0], h.Code[1])
		in.means(g, plain, ok && h.Code[2] == 0 && h.Code[3] == 1)
		in.Profile = colour.CodeName(h.Code[0], h.Code[1])
	case h.ICC != nil:
		in.profiled(h.ICC)
	case h.Profile == "sRGB":
		in.SRGB = true
	case h.Gamma > 0 || h.Primaries != [8]float64{}:
		in.means(colour.FromGamma(h.Primaries, h.Gamma))
	}
}

// probeWebP walks the chunks (WebP Container Specification, RFC 9649) for a profile and a camera's tags.
func probeWebP(data []byte, in *Info) error {
	if err := probeConfig(data, in, webp.DecodeConfig); err != nil {
		return err
	}
	for p := data[min(12, len(data)):]; len(p) >= 8; {
		n := int64(binary.LittleEndian.Uint32(p[4:]))
		if n > int64(len(p))-8 {
			break
		}
		switch body := p[8 : 8+n]; string(p[:4]) {
		case "ICCP":
			in.Profile = iccName(body)
			in.profiled(body)
		case "EXIF":
			in.exif(bytes.TrimPrefix(body, []byte("Exif\x00\x00")))
		case "XMP ":
			in.addXMP(body)
		}
		p = p[min(8+n+n&1, int64(len(p))):]
	}
	return nil
}

// dropDefaultDensity forgets the 72 and 96 pixels an inch that programs write
// when nobody told them anything: they are no evidence of a size.
func dropDefaultDensity(in *Info) {
	for _, inch := range []float64{72, 96} {
		if math.Abs(in.Density[0]*0.0254-inch) < 0.1 && math.Abs(in.Density[1]*0.0254-inch) < 0.1 {
			in.Density = [2]float64{}
		}
	}
}

func probeTIFF(data []byte, in *Info) (tiff.Header, error) {
	t, err := tiff.ReadHeader(data)
	if err != nil {
		return t, err
	}
	in.W, in.H, in.Bits, in.Float, in.Components, in.Density = t.W, t.H, t.Bits, t.Float, t.Components, t.Density
	in.Turn = turn(t.Turn)
	if t.ICC != nil {
		in.Profile = iccName(t.ICC)
		in.profiled(t.ICC)
	}
	in.addText(strings.TrimRight(string(t.Text[:min(len(t.Text), textBytes)]), "\x00"))
	in.addXMP(t.XMP)
	in.addIPTC(t.IPTC)
	return t, nil
}

// iccName is the description of an ICC profile (ICC.1:2022, 9.2.41), or
// "embedded profile" if it has none that can be read.
func iccName(p []byte) string {
	const unnamed = "embedded profile"
	if len(p) < 132 {
		return unnamed
	}
	n := binary.BigEndian.Uint32(p[128:])
	for i := range min(n, 100) {
		e := 132 + 12*int(i)
		if e+12 > len(p) {
			break
		}
		if string(p[e:e+4]) != "desc" {
			continue
		}
		at, size := uint64(binary.BigEndian.Uint32(p[e+4:])), uint64(binary.BigEndian.Uint32(p[e+8:]))
		if at+size > uint64(len(p)) || size < 12 {
			break
		}
		d := p[at : at+size]
		switch string(d[:4]) {
		case "desc":
			k := uint64(binary.BigEndian.Uint32(d[8:]))
			if k > 1 && 12+k <= size {
				return string(d[12 : 12+k-1])
			}
		case "mluc":
			if size >= 28 {
				k, o := uint64(binary.BigEndian.Uint32(d[20:])), uint64(binary.BigEndian.Uint32(d[24:]))
				if o+k <= size {
					var s []byte
					for j := o + 1; j < o+k; j += 2 {
						s = append(s, d[j])
					}
					return string(s)
				}
			}
		}
	}
	return unnamed
}
