package likeness

import (
	"encoding/base64"
	"encoding/binary"
	"errors"
	"math"

	"aldermoor/core/colour"
	"aldermoor/core/fourier"
	"aldermoor/core/raster"
)

// Octaves is how many bands of wavelength a Look has: the first is around FirstWave, each next one
// around twice that.
const (
	Octaves   = 14
	FirstWave = 0.0005 // metres
)

// Look is what a surface looks like, whatever part of it is seen and however it is turned: its colours, and
// how much its lightness varies at which sizes, in metres. So a fine and a coarse gravel differ.
type Look struct {
	Mean  [3]float32       // OKLab
	Range [3]float32       // standard deviation of each
	Grain [Octaves]float32 // contrast within each octave of wavelength, as the logarithm of its energy; NaN where the picture does not say
	Lines [Octaves]float32 // how far that lies along one direction, 0..1
}

// lookSide is the longest side in pixels at which a picture is looked at.
const lookSide = 256

// faint is the contrast that counts as none.
const faint = 1e-6

// LookOf describes a picture in linear light that is width metres across.
func LookOf(rgb [3]raster.Plane, width float64) Look {
	w, h := raster.Fit(rgb[0].W, rgb[0].H, lookSide)
	for c := range rgb {
		rgb[c] = rgb[c].Resample(w, h, raster.Area)
	}
	var out Look
	var sum, square [3]float64
	light := raster.NewPlane(w, h)
	for i := range light.Pix {
		l, a, b := colour.OKLab(colour.RGB{rgb[0].Pix[i], rgb[1].Pix[i], rgb[2].Pix[i]})
		light.Pix[i] = float32(l)
		for k, v := range [3]float64{l, a, b} {
			sum[k] += v
			square[k] += v * v
		}
	}
	n := float64(w * h)
	for k := range sum {
		mean := sum[k] / n
		out.Mean[k], out.Range[k] = float32(mean), float32(math.Sqrt(max(0, square[k]/n-mean*mean)))
	}
	out.texture(light, float64(out.Mean[0]), width)
	return out
}

// texture fills in Grain and Lines from lightness.
func (k *Look) texture(light raster.Plane, mean, width float64) {
	w, h := light.W, light.H
	// A window that falls to nothing at the edges: pictures need not repeat.
	g := fourier.New(w, h)
	power := 0.0
	for y := range h {
		wy := math.Sin(math.Pi * (float64(y) + 0.5) / float64(h))
		for x := range w {
			wx := math.Sin(math.Pi * (float64(x) + 0.5) / float64(w))
			win := wx * wx * wy * wy
			g.V[y*w+x] = complex((float64(light.Pix[y*w+x])-mean)*win, 0)
			power += win * win
		}
	}
	g.Forward()
	norm := 1 / (power * float64(w*h) * max(mean*mean, 1e-4)) // contrast: a brighter light changes nothing
	pitch := width / float64(w)
	var energy, cos, sin [Octaves]float64
	var cover [Octaves]float64
	for y := range h {
		fy := fourier.Frequency(y, h) / (pitch * float64(h))
		for x := range w {
			fx := fourier.Frequency(x, w) / (pitch * float64(w))
			f := math.Hypot(fx, fy)
			if f == 0 {
				continue
			}
			at := math.Log2(1 / f / FirstWave)
			lo := int(math.Floor(at))
			v := g.V[y*w+x]
			e := (real(v)*real(v) + imag(v)*imag(v)) * norm
			c2, s2 := (fx*fx-fy*fy)/(f*f), 2*fx*fy/(f*f)
			for b := lo; b <= lo+1; b++ {
				if b < 0 || b >= Octaves {
					continue
				}
				share := 1 - math.Abs(at-float64(b))
				energy[b] += share * e
				cos[b] += share * e * c2
				sin[b] += share * e * s2
				cover[b] += share
			}
		}
	}
	for b := range Octaves {
		wave := FirstWave * math.Exp2(float64(b))
		if wave < 3*pitch || wave > width*0.5 || cover[b] < 4 {
			nan := float32(math.NaN())
			k.Grain[b], k.Lines[b] = nan, nan
			continue
		}
		k.Grain[b] = float32(0.5 * math.Log2(energy[b]+faint))
		k.Lines[b] = float32(math.Hypot(cos[b], sin[b]) / (energy[b] + faint))
	}
}

// Weights say how much colour, grain and lines count when looks are compared.
type Weights struct{ Colour, Grain, Lines float32 }

// Usual are the weights that tell materials apart best, by the test of this package.
var Usual = Weights{1, 1, 0.75}

// Apart is how far two looks are from each other, by parts and in all: 0 for the same. Octaves that one
// of them does not know do not count.
type Apart struct{ Colour, Grain, Lines, All float32 }

// Compare compares two looks; shift is by how many octaves o is larger than it says.
func (k *Look) Compare(o *Look, w Weights, shift int) (d Apart) {
	for c := range 3 {
		s := [3]float32{0.5, 1, 0.6}[c] // lights differ in strength, and from blue to yellow
		m, r := s*(k.Mean[c]-o.Mean[c])*8, s*(k.Range[c]-o.Range[c])*8
		d.Colour += m*m + r*r
	}
	n := float32(0)
	for b := max(0, shift); b < Octaves+min(0, shift); b++ {
		j := b - shift
		g := k.Grain[b] - o.Grain[j]
		if g != g {
			continue
		}
		l := k.Lines[b] - o.Lines[j]
		n++
		d.Grain += g * g * 0.25
		// A faint octave has no direction worth the name.
		strong := min(max(min(k.Grain[b], o.Grain[j])+8, 0), 4) / 4
		d.Lines += l * l * 4 * strong
	}
	if n == 0 {
		d.Grain, d.Lines = 4, 1
	} else {
		few := 1 + 2/n // what was compared in few octaves may differ in others
		d.Grain, d.Lines = d.Grain/n*few, d.Lines/n*few
	}
	d.All = w.Colour*d.Colour + w.Grain*d.Grain + w.Lines*d.Lines
	return d
}

// lookUnit is the step in which the figures of a look are written down.
const lookUnit = 1.0 / 2048

// MarshalText writes the look in letters, for an address: whole steps of 16 bits in base64.
func (k Look) MarshalText() ([]byte, error) {
	var b []byte
	for _, list := range [][]float32{k.Mean[:], k.Range[:], k.Grain[:], k.Lines[:]} {
		for _, v := range list {
			n := int16(math.MinInt16) // not known
			if v == v {
				n = int16(min(max(math.Round(float64(v)/lookUnit), -32767), 32767))
			}
			b = binary.LittleEndian.AppendUint16(b, uint16(n))
		}
	}
	return base64.RawURLEncoding.AppendEncode(nil, b), nil
}

// UnmarshalText reads what MarshalText wrote.
func (k *Look) UnmarshalText(text []byte) error {
	b, err := base64.RawURLEncoding.AppendDecode(nil, text)
	if err != nil || len(b) != 2*(6+2*Octaves) {
		return errors.New("this describes no look")
	}
	for _, list := range [][]float32{k.Mean[:], k.Range[:], k.Grain[:], k.Lines[:]} {
		for i := range list {
			n := int16(binary.LittleEndian.Uint16(b))
			b = b[2:]
			if list[i] = float32(n) * lookUnit; n == math.MinInt16 {
				list[i] = float32(math.NaN())
			}
		}
	}
	return nil
}
