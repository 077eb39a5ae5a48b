package channels

import (
	"math"
	"path"
	"strings"

	"aldermoor/core/codec"
	"aldermoor/core/colour"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/raster"
	"aldermoor/core/stats"
)

// Look is what the pixels of one file show. It is small and can be kept, so that
// a delivery is sorted without opening its files again.
type Look struct {
	Info codec.Info `json:"info"`
	// Per component, of the stored values scaled to 0..1 (floats as they are).
	Min, Max, Mean, StdDev []float64
	Spread                 float64   // mean difference between the colour components, 0 for grey
	Clipped                []float64 // share of samples at the very end of 0..1, per component, 0 unless those near it are rare
	Outside                int       `json:",omitempty"` // float samples outside of 0..1
	Extremes               float64   // share of samples within 0.06 of 0 or 1, first component
	UnitLength             float64   // share of pixels that are unit vectors facing up
	Sphere                 float64   // share of pixels that are unit vectors facing anywhere else
	Octants                int       `json:",omitempty"` // eighths of the sphere in which at least 2 % of the pixels are unit vectors
	Dark                   float64   `json:",omitempty"` // share of pixels that are nearly black, of three components
	Blue                   float64   `json:",omitempty"` // share of pixels whose third component is the largest
	Lit                    []float64 `json:",omitempty"` // mean of three components over what is not nearly black
	Likeness               float64   // how far the colour components go together: mean correlation, −1..1
	Captioned              bool      `json:",omitempty"` // it holds a line of writing
	Border                 float64   // standard deviation along the picture's border, over that of all of it
	TrueBits               int       // bits that integer samples really use: 8 in a 16-bit file that was 8
	Thumb                  [][]byte  // 16 × 16 averages of each component, 0..255
	Detail                 []byte    `json:",omitempty"` // where its detail lies: see detail
	Relief                 []byte    `json:",omitempty"` // of a grey picture its shape, of normals their slopes: see relief
	AlphaRelief            float64   `json:",omitempty"` // how far a normal map's alpha is the height whose slopes it has: see relief
	Curve                  bool      `json:",omitempty"` // the pixels are unit vectors once the sRGB curve is taken off
	Swapped                bool      `json:",omitempty"` // normals whose first two components are in each other's place
	Direction              normals.Direction
	DirectionConfidence    float64
}

// clipped is the share of integer samples at 0 or 1, whichever has more, if there is a
// heap: four times as many as in the twentieth of the range beside it.
func clipped(im *raster.Image, c int) float64 {
	p, ok := im.Planes[c].(raster.Ints)
	if !ok {
		return 0
	}
	var ends, beside [2]int
	n := 0
	for i := 0; i < len(p); i += 7 { // a seventh of the samples tells
		n++
		switch v := p[i]; {
		case v == 0:
			ends[0]++
		case v == 65535:
			ends[1]++
		case v < 3277:
			beside[0]++
		case v > 62258:
			beside[1]++
		}
	}
	share := 0.0
	for k := range ends {
		if ends[k] > 4*beside[k] && ends[k] < n*19/20 { // all of it is no clipping but one value
			share = max(share, float64(ends[k])/float64(n))
		}
	}
	return share
}

// outside counts float samples outside of 0..1, by more than rounding.
func outside(im *raster.Image) (n int) {
	const slack = 1.0 / 256
	for _, p := range im.Planes {
		f, ok := p.(raster.Floats)
		if !ok {
			continue
		}
		for _, v := range f {
			if v < -slack || v > 1+slack {
				n++
			}
		}
	}
	return n
}

// lookSize is the longer side at which appearance, as opposed to statistics, is judged.
const lookSize = 512

// Measure looks at a decoded file.
func Measure(im *raster.Image, in codec.Info) Look {
	l := Look{Info: in}
	n := im.Components()
	for c := range n {
		lo, hi, mean, std := im.Planes[c].Moments()
		l.Min, l.Max, l.Mean, l.StdDev = append(l.Min, lo), append(l.Max, hi), append(l.Mean, mean), append(l.StdDev, std)
	}
	l.TrueBits = trueBits(im)
	l.Outside = outside(im)
	whole := im.Relative()
	small := make([]raster.Plane, min(n, 4))
	for c := range small {
		small[c] = whole.Reduced(c, lookSize)
		l.Thumb = append(l.Thumb, thumb(small[c]))
		l.Clipped = append(l.Clipped, clipped(im, c))
	}
	l.Border = border(small[:min(n, 3)])
	l.Captioned = l.Border >= plainBorder && n >= 3 && captioned(small)
	near := 0
	for _, v := range small[0].Pix {
		if v < 0.06 || v > 0.94 {
			near++
		}
	}
	l.Extremes = float64(near) / float64(len(small[0].Pix))
	l.Detail = detail(small[:min(n, 3)])
	if n >= 3 {
		l.vectors(whole)
		l.colour(small)
	}
	if l.UnitLength > 0.5 || l.twoComponent() {
		stored := material.Map{Curve: l.Curve, Turn: in.Turn} // the direction comes out right whichever one the turn was made for
		f := normals.Read(stored.Unit(raster.FromPlanes(small...)), 0)
		if l.Swapped = normals.Swapped(f); l.Swapped {
			f.X, f.Y = f.Y, f.X
		}
		l.Direction, l.DirectionConfidence = normals.Guess(f)
		l.Relief = slopesOf(f)
		if n == 4 && !l.flat(3) && !l.twoComponent() {
			alpha := Look{Relief: signed(small[3], reliefSize)}
			l.AlphaRelief, _ = alpha.relief(l)
		}
	} else if l.grey() {
		l.Relief = signed(small[0], reliefSize)
	}
	return l
}

// Gamut is what the colours of a file mean that are not sRGB's: as it declares, or else as its name says, "acescg".
func (l *Look) Gamut(file string) *colour.Gamut {
	if l.Info.Gamut != nil || l.Info.SRGB || l.Info.Unread {
		return l.Info.Gamut
	}
	for _, w := range split(strings.TrimSuffix(path.Base(file), path.Ext(file))) {
		if w.text == "acescg" {
			g, _, _ := colour.FromPrimaries(colour.ACEScg)
			return &g
		}
	}
	return nil
}

func (l *Look) colour(p []raster.Plane) {
	var spread float64
	unit, sphere := 0, 0
	for i := range p[0].Pix {
		r, g, b := p[0].Pix[i], p[1].Pix[i], p[2].Pix[i]
		spread += float64(max(r, g, b) - min(r, g, b))
		x, y, z := 2*r-1, 2*g-1, 2*b-1
		switch d := x*x + y*y + z*z; {
		case d <= 0.72 || d >= 1.25:
		case z > 0:
			unit++
		default:
			sphere++
		}
	}
	share := func(k int) float64 { return float64(k) / float64(len(p[0].Pix)) }
	l.UnitLength, l.Sphere = max(l.UnitLength, share(unit)), max(l.Sphere, share(sphere))
	l.Likeness = (correlation(p[0].Pix, p[1].Pix) + correlation(p[0].Pix, p[2].Pix) + correlation(p[1].Pix, p[2].Pix)) / 3
	l.Spread = spread / float64(len(p[0].Pix))
	if l.UnitLength < 0.9 && math.Abs(l.Mean[0]-0.735) < 0.06 && math.Abs(l.Mean[1]-0.735) < 0.06 && l.Mean[2] > 0.85 {
		l.curve(p)
	}
	if l.grey() { // of vectors with three equal components nothing can be said
		l.Sphere, l.UnitLength, l.Octants = 0, 0, 0
	}
}

// curve looks whether the pixels are unit vectors once the sRGB curve is taken off, as of normals
// that were saved as if they were colour: their middle is 0.735, not 0.5.
func (l *Look) curve(p []raster.Plane) {
	linear, _ := colour.Curves()
	var lut [1025]float32
	for i := range lut {
		lut[i] = linear(float32(i) / 1024)
	}
	unit := 0
	for i := range p[0].Pix {
		var d float32
		for c := range 3 {
			v := 2*lut[int(min(max(p[c].Pix[i], 0), 1)*1024+0.5)] - 1
			d += v * v
		}
		if d > 0.72 && d < 1.25 {
			unit++
		}
	}
	if share := float64(unit) / float64(len(p[0].Pix)); share > 0.95 {
		l.Curve, l.UnitLength = true, share
	}
}

// grey says whether the picture has no colour to speak of.
func (l Look) grey() bool { return l.Info.Components <= 2 || l.Spread < 0.012 }

// flat says whether component c has one value throughout.
func (l Look) flat(c int) bool {
	if c >= len(l.Min) {
		return false
	}
	if l.Info.Float { // of any unit
		return l.Max[c]-l.Min[c] <= 1e-6*max(math.Abs(l.Max[c]), math.Abs(l.Min[c]))
	}
	return l.Max[c]-l.Min[c] < 0.004
}

// bimodal is 1 for a component that is black and white alone, and less the more there is between.
func (l Look) bimodal(c int) float64 {
	return l.StdDev[c] / math.Sqrt(max(l.Mean[c]*(1-l.Mean[c]), 1e-6))
}

// twoComponent says whether a picture can be a normal map that leaves its third
// component out: two that vary around the middle within the unit circle, and
// nothing in the third; or x in the alpha, y in green, and nothing in the others.
func (l Look) twoComponent() bool {
	n := len(l.Mean)
	x := 0
	switch {
	case n < 2 || l.flat(1):
		return false
	case n == 4 && !l.flat(3) && l.flat(0) && l.flat(2):
		x = 3
	case n >= 3 && !l.flat(2) || l.flat(0):
		return false
	}
	return math.Abs(l.Mean[x]-0.5) < 0.08 && math.Abs(l.Mean[1]-0.5) < 0.08 && l.StdDev[x] < 0.3 && l.StdDev[1] < 0.3
}

// objectSpace says whether a picture holds unit vectors that face every way: in six of the eight
// octants at least, as a plain colour may be as long as a unit vector. One that leaves its third
// component empty only seems to face away.
func (l Look) objectSpace() bool {
	return !l.twoComponent() && l.Octants >= 6 && l.Sphere > 0.08 && l.Sphere+l.UnitLength > 0.9
}

// correlation is Pearson's, of every seventh sample; 1 if either is flat.
func correlation(a, b []float32) float64 {
	var p stats.Pairs
	for i := 0; i < len(a); i += 7 {
		p.Add(float64(a[i]), float64(b[i]))
	}
	r, ok := p.Correlation(1e-5)
	if !ok {
		return 1
	}
	return r
}

// border compares what varies along the outermost samples with what varies
// inside: near 0 for a picture of something before a plain ground.
func border(p []raster.Plane) float64 {
	var edge, all float64
	for _, c := range p {
		var n, s, q float64
		add := func(v float32) { f := float64(v); n++; s += f; q += f * f }
		for x := range c.W {
			add(c.Pix[x])
			add(c.Pix[(c.H-1)*c.W+x])
		}
		for y := range c.H {
			add(c.Pix[y*c.W])
			add(c.Pix[y*c.W+c.W-1])
		}
		edge += max(0, q/n-s*s/n/n)
		n, s, q = 0, 0, 0
		for _, v := range c.Pix {
			add(v)
		}
		all += max(0, q/n-s*s/n/n)
	}
	if all < 1e-6 {
		return 1
	}
	return math.Sqrt(edge / all)
}

const thumbSize = 16

func thumb(p raster.Plane) []byte {
	q := p.Resample(thumbSize, thumbSize, raster.Area)
	out := make([]byte, len(q.Pix))
	for i, v := range q.Pix {
		out[i] = byte(min(max(v, 0), 1)*255 + 0.5)
	}
	return out
}

// trueBits looks whether 16-bit samples are 8-bit ones: spread over the range (×257), moved
// up (×256), or left in the lowest 256 values.
func trueBits(im *raster.Image) int {
	spread, moved, low := true, true, true
	for c := range im.Planes {
		p, ok := im.Planes[c].(raster.Ints)
		if !ok || im.Bits <= 8 {
			return im.Bits
		}
		for _, v := range p {
			spread, moved, low = spread && v>>8 == v&255, moved && v&255 == 0, low && v < 256
			if !spread && !moved && !low {
				return im.Bits
			}
		}
	}
	return 8
}

// Apart is the mean difference of two pictures' thumbnails over the components
// that both have, 0..1; flip says which component of b to invert, or −1.
func (l Look) Apart(o Look, flip int) float64 {
	var sum, n float64
	for c := range min(len(l.Thumb), len(o.Thumb), 3) {
		for i, v := range l.Thumb[c] {
			w := int(o.Thumb[c][i])
			if c == flip {
				w = 255 - w
			}
			sum += math.Abs(float64(int(v) - w))
			n++
		}
	}
	return sum / max(n, 1) / 255
}
