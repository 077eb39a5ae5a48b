package colour

import "math"

// CIEDE2000 is the colour difference ΔE00 of two colours in CIE Lab (D65), with all weights 1.
// Source: Sharma, Wu & Dalal 2005.
func CIEDE2000(l1, a1, b1, l2, a2, b2 float64) float64 {
	const p25 = 6103515625.0 // 25⁷
	seventh := func(c float64) float64 { c2 := c * c; return c2 * c2 * c2 * c }
	c := (math.Hypot(a1, b1) + math.Hypot(a2, b2)) / 2
	g := 0.5 * (1 - math.Sqrt(seventh(c)/(seventh(c)+p25)))
	a1, a2 = a1*(1+g), a2*(1+g)
	c1, c2 := math.Hypot(a1, b1), math.Hypot(a2, b2)
	hue := func(a, b float64) float64 {
		if a == 0 && b == 0 {
			return 0
		}
		h := math.Atan2(b, a)
		if h < 0 {
			h += 2 * math.Pi
		}
		return h
	}
	h1, h2 := hue(a1, b1), hue(a2, b2)
	dl, dc := l2-l1, c2-c1
	dh := h2 - h1
	mean := h1 + h2
	switch {
	case c1*c2 == 0:
		dh = 0
	case math.Abs(dh) <= math.Pi+1e-12: // opposite hues, however they were rounded
		mean /= 2
	case mean < 2*math.Pi:
		mean = mean/2 + math.Pi
	default:
		mean = mean/2 - math.Pi
	}
	if c1*c2 != 0 {
		if dh > math.Pi+1e-12 {
			dh -= 2 * math.Pi
		} else if dh < -math.Pi {
			dh += 2 * math.Pi
		}
	}
	big := 2 * math.Sqrt(c1*c2) * math.Sin(dh/2)
	l, cm := (l1+l2)/2, (c1+c2)/2
	deg := math.Pi / 180
	t := 1 - 0.17*math.Cos(mean-30*deg) + 0.24*math.Cos(2*mean) + 0.32*math.Cos(3*mean+6*deg) - 0.20*math.Cos(4*mean-63*deg)
	turn := 30 * deg * math.Exp(-math.Pow((mean/deg-275)/25, 2))
	rc := 2 * math.Sqrt(seventh(cm)/(seventh(cm)+p25))
	sl := 1 + 0.015*(l-50)*(l-50)/math.Sqrt(20+(l-50)*(l-50))
	sc, sh := 1+0.045*cm, 1+0.015*cm*t
	rt := -math.Sin(2*turn) * rc
	x, y, z := dl/sl, dc/sc, big/sh
	return math.Sqrt(max(0, x*x+y*y+z*z+rt*y*z))
}

// Difference is the CIEDE2000 difference of two colours in linear light.
func Difference(a, b RGB) float64 {
	l1, a1, b1 := Lab(a)
	l2, a2, b2 := Lab(b)
	return CIEDE2000(l1, a1, b1, l2, a2, b2)
}
