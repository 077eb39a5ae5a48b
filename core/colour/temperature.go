package colour

import "math"

func pow(a, b float32) float32 { return float32(math.Pow(float64(a), float64(b))) }

// Temperature is the colour of light of a temperature in kelvin, at a luminance of 1, in linear
// sRGB: daylight of the CIE from 5,000 K up, a black body below 4,000 K, and between them a blend.
// Sources: CIE 15:2004 (daylight locus), Kim et al. 2002 (Planckian locus in x, y). Components
// outside the gamut are cut to 0. Temperatures are kept to 1,667..25,000 K.
func Temperature(kelvin float64) RGB {
	t := min(max(kelvin, 1667), 25000)
	dx, dy := daylight(max(t, 4000))
	px, py := planck(t)
	k := min(max((t-4000)/1000, 0), 1)
	x, y := px+(dx-px)*k, py+(dy-py)*k
	X, Z := x/y, (1-x-y)/y
	c := RGB{
		float32(3.2404542*X - 1.5371385 - 0.4985314*Z),
		float32(-0.9692660*X + 1.8760108 + 0.0415560*Z),
		float32(0.0556434*X - 0.2040259 + 1.0572252*Z),
	}
	for i, v := range c {
		c[i] = max(v, 0)
	}
	l := Luminance(c)
	for i := range c {
		c[i] /= l
	}
	return c
}

func daylight(t float64) (x, y float64) {
	if t <= 7000 {
		x = -4.6070e9/(t*t*t) + 2.9678e6/(t*t) + 0.09911e3/t + 0.244063
	} else {
		x = -2.0064e9/(t*t*t) + 1.9018e6/(t*t) + 0.24748e3/t + 0.237040
	}
	return x, -3*x*x + 2.870*x - 0.275
}

func planck(t float64) (x, y float64) {
	if t <= 4000 {
		x = -0.2661239e9/(t*t*t) - 0.2343589e6/(t*t) + 0.8776956e3/t + 0.179910
	} else {
		x = -3.0258469e9/(t*t*t) + 2.1070379e6/(t*t) + 0.2226347e3/t + 0.240390
	}
	switch {
	case t <= 2222:
		y = -1.1063814*x*x*x - 1.34811020*x*x + 2.18555832*x - 0.20219683
	case t <= 4000:
		y = -0.9549476*x*x*x - 1.37418593*x*x + 2.09137015*x - 0.16748867
	default:
		y = 3.0817580*x*x*x - 5.87338670*x*x + 3.75112997*x - 0.37001483
	}
	return x, y
}
