// Package colour converts between encodings and spaces: sRGB, linear light,
// CIE Lab and OKLab. Components are 0..1 unless said otherwise; linear RGB has
// Rec. 709 primaries and the D65 white point.
package colour

import (
	"fmt"
	"math"
	"strconv"
	"sync"

	"aldermoor/core/raster"
)

// RGB is a colour of three components, in the encoding that the function states.
type RGB [3]float32

// Linear turns an sRGB-encoded component into linear light (IEC 61966-2-1).
func Linear(v float32) float32 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return float32(math.Pow((float64(v)+0.055)/1.055, 2.4))
}

// Encode turns linear light into an sRGB-encoded component (IEC 61966-2-1).
func Encode(v float32) float32 {
	if v <= 0.0031308 {
		return v * 12.92
	}
	return float32(1.055*math.Pow(float64(v), 1/2.4) - 0.055)
}

// Curves are Linear and Encode by tables, for whole maps: within 2e-6, an eighth of a step
// of 16 bits.
func Curves() (linear, encode func(float32) float32) {
	up, down := raster.Power(2.4), raster.Power(1/2.4)
	linear = func(v float32) float32 {
		if v <= 0.04045 {
			return v / 12.92
		}
		return up((v + 0.055) / 1.055)
	}
	encode = func(v float32) float32 {
		if v <= 0.0031308 {
			return v * 12.92
		}
		return 1.055*down(v) - 0.055
	}
	return linear, encode
}

// Tables are the sRGB transfer function by look-up, exact for 16-bit samples on
// the way in and within 1/8 of an 8-bit step on the way out.
type Tables struct {
	toLinear [65536]float32
	toCode   [encodeSteps + 2]float32
}

const encodeSteps = 1 << 14

// NewTables computes the tables: about 330 KB.
func NewTables() *Tables {
	t := new(Tables)
	for i := range t.toLinear {
		t.toLinear[i] = Linear(float32(i) / 65535)
	}
	for i := range t.toCode {
		// Spaced by the square root, so that dark tones get their share.
		s := float32(i) / encodeSteps
		t.toCode[i] = Encode(s * s)
	}
	return t
}

// Linear16 is the linear light of a 16-bit sRGB sample.
func (t *Tables) Linear16(v uint16) float32 { return t.toLinear[v] }

// Linear is the linear light of an sRGB component in 0..1.
func (t *Tables) Linear(v float32) float32 {
	return t.toLinear[uint16(min(max(v, 0), 1)*65535+0.5)]
}

// Encode is the sRGB code of linear light, clamped to 0..1.
func (t *Tables) Encode(v float32) float32 {
	s := float32(math.Sqrt(float64(min(max(v, 0), 1)))) * encodeSteps
	i := int(s)
	return t.toCode[i] + (t.toCode[i+1]-t.toCode[i])*(s-float32(i))
}

// Luminance is the Rec. 709 luminance of linear RGB.
func Luminance(c RGB) float32 { return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2] }

// OKLab converts linear RGB (Ottosson 2020).
func OKLab(c RGB) (l, a, b float64) {
	r, g, bl := float64(c[0]), float64(c[1]), float64(c[2])
	x := math.Cbrt(0.4122214708*r + 0.5363325363*g + 0.0514459929*bl)
	y := math.Cbrt(0.2119034982*r + 0.6806995451*g + 0.1073969566*bl)
	z := math.Cbrt(0.0883024619*r + 0.2817188376*g + 0.6299787005*bl)
	return 0.2104542553*x + 0.7936177850*y - 0.0040720468*z,
		1.9779984951*x - 2.4285922050*y + 0.4505937099*z,
		0.0259040371*x + 0.7827717662*y - 0.8086757660*z
}

// FromOKLab converts OKLab to linear RGB, which may leave 0..1 (Ottosson 2020).
func FromOKLab(l, a, b float64) RGB {
	x := l + 0.3963377774*a + 0.2158037573*b
	y := l - 0.1055613458*a - 0.0638541728*b
	z := l - 0.0894841775*a - 1.2914855480*b
	x, y, z = x*x*x, y*y*y, z*z*z
	return RGB{
		float32(4.0767416621*x - 3.3077115913*y + 0.2309699292*z),
		float32(-1.2684380046*x + 2.6097574011*y - 0.3413193965*z),
		float32(-0.0041960863*x - 0.7034186147*y + 1.7076147010*z),
	}
}

// Hex parses "#rrggbb", an sRGB colour, into linear RGB. Anything else is black.
func Hex(s string) RGB {
	c, _ := ParseHex(s)
	return c
}

// HexOf is a linear colour as "#rrggbb", cut at black and white.
func HexOf(c RGB) string {
	var b [3]int
	for i, v := range c {
		b[i] = int(Encode(min(max(v, 0), 1))*255 + 0.5)
	}
	return fmt.Sprintf("#%02x%02x%02x", b[0], b[1], b[2])
}

// ParseHex parses "#rrggbb", an sRGB colour, into linear RGB; ok is false for anything else.
func ParseHex(s string) (c RGB, ok bool) {
	if len(s) != 7 || s[0] != '#' {
		return c, false
	}
	code, err := strconv.ParseUint(s[1:], 16, 32)
	if err != nil {
		return c, false
	}
	for i := range c {
		c[i] = eightBit()[code>>(16-8*i)&255]
	}
	return c, true
}

// eightBit is linear light for the sRGB codes of 8 bits.
var eightBit = sync.OnceValue(func() *[256]float32 {
	var out [256]float32
	for i := range out {
		out[i] = Linear(float32(i) / 255)
	}
	return &out
})

// Lab converts linear RGB to CIE Lab under D65: L in 0..100.
func Lab(c RGB) (l, a, b float64) {
	r, g, bl := float64(c[0]), float64(c[1]), float64(c[2])
	f := func(t float64) float64 {
		if t > 216.0/24389 {
			return math.Cbrt(t)
		}
		return (24389.0/27*t + 16) / 116
	}
	x := f((0.4124564*r + 0.3575761*g + 0.1804375*bl) / 0.95047)
	y := f(0.2126729*r + 0.7151522*g + 0.0721750*bl)
	z := f((0.0193339*r + 0.1191920*g + 0.9503041*bl) / 1.08883)
	return 116*y - 16, 500 * (x - y), 200 * (y - z)
}
