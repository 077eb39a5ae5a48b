package raster

import "math"

// Half is the value of a 16-bit float (IEEE 754 binary16).
func Half(h uint16) float32 {
	sign, exp, frac := uint32(h>>15)<<31, uint32(h>>10)&31, uint32(h)&1023
	switch exp {
	case 0:
		return math.Float32frombits(sign | math.Float32bits(float32(frac)*(1.0/(1<<24))))
	case 31:
		return math.Float32frombits(sign | 0xff<<23 | frac<<13)
	}
	return math.Float32frombits(sign | (exp+112)<<23 | frac<<13)
}

// ToHalf is the 16-bit float nearest to v, ties to even; beyond 65504 it is infinite.
func ToHalf(v float32) uint16 {
	b := math.Float32bits(v)
	sign, b := uint16(b>>16)&0x8000, b&0x7fffffff
	switch {
	case b > 0x7f800000:
		return sign | 0x7e00
	case b >= 0x477ff000: // 65520 rounds up to infinity
		return sign | 0x7c00
	case b < 0x33000001: // half of the smallest subnormal rounds to zero
		return sign
	case b < 0x38800000: // subnormal
		shift := 126 - b>>23
		m := b&0x7fffff | 0x800000
		half := m >> shift
		if rest, mid := m&(1<<shift-1), uint32(1)<<(shift-1); rest > mid || rest == mid && half&1 == 1 {
			half++
		}
		return sign | uint16(half)
	}
	b -= 112 << 23
	half := b >> 13
	if rest := b & 0x1fff; rest > 0x1000 || rest == 0x1000 && half&1 == 1 {
		half++
	}
	return sign | uint16(half)
}
