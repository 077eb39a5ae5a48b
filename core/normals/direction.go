package normals

import "math"

// Guess tells the direction of a normal map from its pixels alone. A height
// field's slopes are integrable, ∂(∂h/∂x)/∂y = ∂(∂h/∂y)/∂x: the two sides are
// correlated over the picture as if the map were Y+, so that a positive
// correlation says Y+ and a negative one Y−. It is done at three scales, since
// noise drowns the finest and coarse ones have few samples; the most certain
// scale decides. Confidence is 0..1; a map without relief is Unknown.
func Guess(f Field) (d Direction, confidence float64) {
	best, sure := integrable(f)
	// Neighbouring samples are not independent, so the plain 3 or 4 standard
	// errors are far too few.
	if sure < 12 || math.Abs(best) < 0.02 {
		return Unknown, 0
	}
	confidence = 1 - math.Exp(-sure/12)*0.5 - 0.45*math.Exp(-math.Abs(best)*8)
	if best > 0 {
		return Up, confidence
	}
	return Down, confidence
}

// Swapped says whether a normal map has its first two components in each other's place: as they
// stand they fit no surface, and the other way round they fit one.
func Swapped(f Field) bool {
	r, _ := integrable(f)
	if math.Abs(r) > 0.6 {
		return false
	}
	// Of surfaces that were made, none reads 0.6 swapped, and few less than 0.7 as they are.
	other, sure := integrable(Field{f.Y, f.X, f.Z})
	return sure >= 12 && math.Abs(other) > 0.7 && math.Abs(other) > 1.5*math.Abs(r)
}

// integrable is the correlation of the two sides for a map read as Y+, at the most certain of
// three scales, and how many standard errors it is away from zero.
func integrable(f Field) (best, sure float64) {
	p, q := make([]float32, len(f.X.Pix)), make([]float32, len(f.X.Pix))
	for i := range p {
		p[i], q[i] = f.Slopes(i, Up)
		p[i], q[i] = min(max(p[i], -4), 4), min(max(q[i], -4), 4)
	}
	w, h := f.X.W, f.X.H
	for range 3 {
		if w < 8 || h < 8 {
			break
		}
		r, n := twist(p, q, w, h)
		// Fisher's z: how many standard errors the correlation is off zero.
		if z := math.Abs(math.Atanh(min(max(r, -0.999999), 0.999999))) * math.Sqrt(max(n-3, 0)); z > sure {
			best, sure = r, z
		}
		p, q, w, h = halve(p, w, h), halve(q, w, h), w/2, h/2
	}
	return best, sure
}

// twist correlates ∂p/∂y with ∂q/∂x over the inside of the picture and says how
// many samples took part.
func twist(p, q []float32, w, h int) (r, n float64) {
	var ab, aa, bb float64
	for y := 1; y < h-1; y++ {
		for x := 1; x < w-1; x++ {
			i := y*w + x
			a := float64(p[i+w] - p[i-w])
			b := float64(q[i+1] - q[i-1])
			ab += a * b
			aa += a * a
			bb += b * b
		}
	}
	n = float64((w - 2) * (h - 2))
	if aa < 1e-7*n || bb < 1e-7*n {
		return 0, n
	}
	return ab / math.Sqrt(aa*bb), n
}

func halve(v []float32, w, h int) []float32 {
	out := make([]float32, (w/2)*(h/2))
	for y := range h / 2 {
		for x := range w / 2 {
			i := 2*y*w + 2*x
			out[y*(w/2)+x] = (v[i] + v[i+1] + v[i+w] + v[i+w+1]) / 4
		}
	}
	return out
}
