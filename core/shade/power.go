package shade

import "math"

// log2 is the binary logarithm of a positive number, within 0.0002: the exponent, and a polynomial
// over the rest.
func log2(v float32) float32 {
	bits := math.Float32bits(v)
	m := math.Float32frombits(bits&0x007fffff | 0x3f800000)
	return float32(int32(bits>>23)-127) + ((((-0.07844068*m+0.62603218)*m-2.07833517)*m+4.02921139)*m - 2.49835315)
}

// exp2 is 2 to the power of v from −126 to 126, within a share of 2e-5.
func exp2(v float32) float32 {
	whole := float32(int32(v+127) - 127) // rounded down
	f := v - whole
	m := 1 + f*(0.6931472+f*(0.2402265+f*(0.0555041+f*(0.0096181+f*0.0015036))))
	return m * math.Float32frombits(uint32(int32(whole)+127)<<23)
}

// power is a to the power of b, both positive, within a share of about 2e-4 times b.
func power(a, b float32) float32 { return exp2(b * log2(a)) }

func sqrt(v float32) float32 { return float32(math.Sqrt(float64(v))) }
func abs(v float32) float32  { return max(v, -v) }
