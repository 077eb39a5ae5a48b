package dds

// BC7 as in the Direct3D 11.3 functional specification, section 19.5.15: eight modes, each with one to three
// pairs of colours and a few bits a pixel.

// mode is how the bits of a block are shared out.
type mode struct {
	subsets, partition, rotation, selection int // bits, but for subsets
	colour, alpha                           int // bits of an endpoint's components
	own, shared                             int // whether each endpoint, or each pair, has one more bit
	index, second                           int // bits of a pixel's index, and of its second one
}

var modes = [8]mode{
	{3, 4, 0, 0, 4, 0, 1, 0, 3, 0}, {2, 6, 0, 0, 6, 0, 0, 1, 3, 0}, {3, 6, 0, 0, 5, 0, 0, 0, 2, 0}, {2, 6, 0, 0, 7, 0, 1, 0, 2, 0},
	{1, 0, 2, 1, 5, 6, 0, 0, 2, 3}, {1, 0, 2, 0, 7, 8, 0, 0, 2, 2}, {1, 0, 0, 0, 7, 7, 1, 0, 4, 0}, {2, 6, 0, 0, 5, 5, 1, 0, 2, 0},
}

// weights are the shares, in 64ths, of an index of 2, 3 or 4 bits.
var weights = [5][]int{2: {0, 21, 43, 64}, 3: {0, 9, 18, 27, 37, 46, 55, 64}, 4: {0, 4, 9, 13, 17, 21, 26, 30, 34, 38, 43, 47, 51, 55, 60, 64}}

// two are the partitions of a block in two: a bit a pixel, from the lowest on.
var two = [64]uint16{
	0xcccc, 0x8888, 0xeeee, 0xecc8, 0xc880, 0xfeec, 0xfec8, 0xec80, 0xc800, 0xffec, 0xfe80, 0xe800, 0xffe8, 0xff00, 0xfff0, 0xf000,
	0xf710, 0x008e, 0x7100, 0x08ce, 0x008c, 0x7310, 0x3100, 0x8cce, 0x088c, 0x3110, 0x6666, 0x366c, 0x17e8, 0x0ff0, 0x718e, 0x399c,
	0xaaaa, 0xf0f0, 0x5a5a, 0x33cc, 0x3c3c, 0x55aa, 0x9696, 0xa55a, 0x73ce, 0x13c8, 0x324c, 0x3bdc, 0x6996, 0xc33c, 0x9966, 0x0660,
	0x0272, 0x04e4, 0x4e40, 0x2720, 0xc936, 0x936c, 0x39c6, 0x639c, 0x9336, 0x9cc6, 0x817e, 0xe718, 0xccf0, 0x0fcc, 0x7744, 0xee22,
}

// three are those in three: two bits a pixel.
var three = [64]uint32{
	0xaa685050, 0x6a5a5040, 0x5a5a4200, 0x5450a0a8, 0xa5a50000, 0xa0a05050, 0x5555a0a0, 0x5a5a5050, 0xaa550000, 0xaa555500, 0xaaaa5500, 0x90909090, 0x94949494, 0xa4a4a4a4, 0xa9a59450, 0x2a0a4250,
	0xa5945040, 0x0a425054, 0xa5a5a500, 0x55a0a0a0, 0xa8a85454, 0x6a6a4040, 0xa4a45000, 0x1a1a0500, 0x0050a4a4, 0xaaa59090, 0x14696914, 0x69691400, 0xa08585a0, 0xaa821414, 0x50a4a450, 0x6a5a0200,
	0xa9a58000, 0x5090a0a8, 0xa8a09050, 0x24242424, 0x00aa5500, 0x24924924, 0x24499224, 0x50a50a50, 0x500aa550, 0xaaaa4444, 0x66660000, 0xa5a0a5a0, 0x50a050a0, 0x69286928, 0x44aaaa44, 0x66666600,
	0xaa444444, 0x54a854a8, 0x95809580, 0x96969600, 0xa85454a8, 0x80959580, 0xaa141414, 0x96960000, 0xaaaa1414, 0xa05050a0, 0xa0a5a5a0, 0x96000000, 0x40804080, 0xa9a8a9a8, 0xaaaaaa44, 0x2a4a5254,
}

// The pixels whose index has one bit less, as it is below a half: the first of each further subset's.
var (
	anchorTwo = [64]uint8{15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 2, 8, 2, 2, 8, 8, 15, 2, 8, 2, 2, 8, 8, 2, 2,
		15, 15, 6, 8, 2, 8, 15, 15, 2, 8, 2, 2, 2, 15, 15, 6, 6, 2, 6, 8, 15, 15, 2, 2, 15, 15, 15, 15, 15, 2, 2, 15}
	anchorThree = [2][64]uint8{
		{3, 3, 15, 15, 8, 3, 15, 15, 8, 8, 6, 6, 6, 5, 3, 3, 3, 3, 8, 15, 3, 3, 6, 10, 5, 8, 8, 6, 8, 5, 15, 15,
			8, 15, 3, 5, 6, 10, 8, 15, 15, 3, 15, 5, 15, 15, 15, 15, 3, 15, 5, 5, 5, 8, 5, 10, 5, 10, 8, 13, 15, 12, 3, 3},
		{15, 8, 8, 3, 15, 15, 3, 8, 15, 15, 15, 15, 15, 15, 15, 8, 15, 8, 15, 3, 15, 8, 15, 8, 3, 15, 6, 10, 15, 15, 10, 8,
			15, 3, 15, 10, 10, 8, 9, 10, 6, 15, 8, 15, 3, 6, 6, 8, 15, 3, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 3, 15, 15, 8},
	}
)

// subset is which pair of colours a pixel has.
func subset(subsets, partition, pixel int) int {
	switch subsets {
	case 2:
		return int(two[partition] >> pixel & 1)
	case 3:
		return int(three[partition] >> (2 * pixel) & 3)
	}
	return 0
}

// anchored says whether a pixel's index has one bit less.
func anchored(subsets, partition, pixel int) bool {
	switch {
	case pixel == 0:
		return true
	case subsets == 2:
		return pixel == int(anchorTwo[partition])
	case subsets == 3:
		return pixel == int(anchorThree[0][partition]) || pixel == int(anchorThree[1][partition])
	}
	return false
}

// stream gives the bits of a block, the lowest first.
type stream struct {
	b  []byte
	at int
}

func (s *stream) take(n int) (v int) {
	for k := range n {
		v |= int(s.b[s.at>>3]>>(s.at&7)&1) << k
		s.at++
	}
	return v
}

// decodeBC7 decodes a block of 16 bytes; a reserved mode is transparent black.
func decodeBC7(b []byte, px *[16][4]uint8) {
	s := stream{b: b}
	number := 0
	for number < 8 && s.take(1) == 0 {
		number++
	}
	if number == 8 {
		*px = [16][4]uint8{}
		return
	}
	m := modes[number]
	partition, rotation, selection := s.take(m.partition), s.take(m.rotation), s.take(m.selection)
	var ends [6][4]int
	n := 2 * m.subsets
	for c := range 4 {
		wide := m.colour
		if c == 3 {
			wide = m.alpha
		}
		for e := range n {
			ends[e][c] = s.take(wide)
		}
	}
	more := 0
	if m.own+m.shared > 0 {
		more = 1
		var low [6]int
		for e := range n {
			if m.own > 0 || e%2 == 0 {
				low[e] = s.take(1)
			} else {
				low[e] = low[e-1]
			}
		}
		for e := range n {
			for c := range 4 {
				ends[e][c] = ends[e][c]<<1 | low[e]
			}
		}
	}
	for e := range n {
		for c := range 4 {
			wide := m.colour + more
			if c == 3 {
				wide = m.alpha + more
			}
			v := ends[e][c] << (8 - wide)
			ends[e][c] = v | v>>wide
		}
		if m.alpha == 0 {
			ends[e][3] = 255
		}
	}
	var first, second [16]int
	for i := range 16 {
		wide := m.index
		if anchored(m.subsets, partition, i) {
			wide--
		}
		first[i] = s.take(wide)
	}
	if m.second > 0 {
		for i := range 16 {
			wide := m.second
			if i == 0 {
				wide--
			}
			second[i] = s.take(wide)
		}
	}
	for i := range 16 {
		a, z := ends[2*subset(m.subsets, partition, i)], ends[2*subset(m.subsets, partition, i)+1]
		colour, alpha := weights[m.index][first[i]], weights[m.index][first[i]]
		if m.second > 0 {
			alpha = weights[m.second][second[i]]
			if selection == 1 {
				colour, alpha = alpha, colour
			}
		}
		for c := range 4 {
			w := colour
			if c == 3 {
				w = alpha
			}
			px[i][c] = uint8(((64-w)*a[c] + w*z[c] + 32) >> 6)
		}
		if rotation > 0 {
			px[i][3], px[i][rotation-1] = px[i][rotation-1], px[i][3]
		}
	}
}
