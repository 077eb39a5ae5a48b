package exr

import (
	"encoding/binary"
	"math"
	"strings"
	"sync"

	"aldermoor/core/codec/fault"
	"aldermoor/core/raster"
)

// How DWA packs a channel.
const (
	plain  = 0 // deflated as it is
	cosine = 1 // lossy, by 8 × 8 cosine transforms
	runs   = 2 // byte planes, run-length coded and deflated
)

// rule says how channels of a name's last part and a type are packed.
type rule struct {
	suffix string
	scheme int
	colour int // 0 red, 1 green, 2 blue of a triple; -1 none
	kind   Type
	fold   bool
}

// oldRules stand in files that do not carry their own.
func oldRules() []rule {
	var out []rule
	add := func(scheme, colour int, kinds []Type, names ...string) {
		for _, n := range names {
			for _, k := range kinds {
				out = append(out, rule{n, scheme, colour, k, true})
			}
		}
	}
	lossy := []Type{Half, Float}
	add(cosine, 0, lossy, "r", "red")
	add(cosine, 1, lossy, "g", "grn", "green")
	add(cosine, 2, lossy, "b", "blu", "blue")
	add(cosine, -1, lossy, "y", "by", "ry")
	add(runs, -1, []Type{Uint, Half, Float}, "a")
	return out
}

func readRules(r *reader) ([]rule, error) {
	n := int(r.u16()) - 2
	if n < 0 || n > len(r.p) {
		return nil, fault.FormatError("a chunk's rules are damaged")
	}
	v := &reader{p: r.take(n)}
	var out []rule
	for len(v.p) > 0 {
		name := v.text()
		b, kind := v.u8(), Type(v.u8())
		out = append(out, rule{name, int(b >> 2 & 3), int(b>>4) - 1, kind, b&1 != 0})
	}
	if v.short {
		return nil, fault.FormatError("a chunk's rules are damaged")
	}
	return out, nil
}

// dwa undoes DWAA and DWAB (OpenEXR 2.2, ImfDwaCompressor).
func (u *unpacker) dwa(src []byte, w, h int) error {
	damaged := fault.FormatError("a chunk of pixels is damaged")
	r := &reader{p: src}
	var k [11]uint64
	for i := range k {
		k[i] = r.u64()
		if i > 0 && k[i] > 1<<31 {
			return damaged
		}
	}
	rules := oldRules()
	if k[0] >= 2 { // the version
		var err error
		if rules, err = readRules(r); err != nil {
			return err
		}
	}
	s, err := u.dwaStreams(r, k)
	if err != nil {
		return err
	}
	scheme, triples := schemes(u.part.Channels, rules)
	d := &transform{u: u, w: w, h: h, ac: s.ac, dc: s.dc, table: linearLight()}
	done := make([]bool, len(scheme))
	for _, t := range triples {
		if t[0] < 0 || t[1] < 0 || t[2] < 0 || scheme[t[0]] != cosine || scheme[t[1]] != cosine || scheme[t[2]] != cosine {
			continue
		}
		if !d.channels(t[:], true) {
			return damaged
		}
		done[t[0]], done[t[1]], done[t[2]] = true, true, true
	}
	for i, ch := range u.part.Channels {
		if done[i] {
			continue
		}
		n := ch.Type.size() * w * h
		switch scheme[i] {
		case cosine:
			if !d.channels([]int{i}, !ch.linear) {
				return damaged
			}
		case runs:
			if len(s.runs) < n {
				return damaged
			}
			u.putPlanes(i, s.runs[:n], w, h)
			s.runs = s.runs[n:]
		default:
			if len(s.plain) < n {
				return damaged
			}
			for y := range h {
				copy(u.out[u.lay.rows[i][y]:], s.plain[y*n/h:(y+1)*n/h])
			}
			s.plain = s.plain[n:]
		}
	}
	return nil
}

// streams are what a chunk holds, unpacked: deflated samples, the coefficients of the cosine
// transforms, and byte planes.
type streams struct {
	plain  []byte
	ac, dc []uint16
	runs   []byte
}

// dwaStreams unpacks the streams whose sizes the chunk's header gives.
func (u *unpacker) dwaStreams(r *reader, k [11]uint64) (s streams, err error) {
	plainRaw, plainPacked, acPacked, dcPacked, runPacked, runMid, runRaw, acCount, dcCount, acHow :=
		int(k[1]), int(k[2]), int(k[3]), int(k[4]), int(k[5]), int(k[6]), int(k[7]), int(k[8]), int(k[9]), k[10]
	if limit := 2*len(u.out) + 1024; plainRaw > limit || runRaw > limit || runMid > 2*limit || acCount > limit || dcCount > limit {
		return s, fault.FormatError("a chunk of pixels is damaged")
	}
	plainIn, acIn, dcIn, runIn := r.take(plainPacked), r.take(acPacked), r.take(dcPacked), r.take(runPacked)
	if r.short {
		return s, fault.FormatError("a chunk of pixels is cut short")
	}
	s.plain = make([]byte, plainRaw)
	if plainPacked > 0 {
		if err := u.inflate(s.plain, plainIn); err != nil {
			return s, err
		}
	}
	s.ac = make([]uint16, acCount)
	switch {
	case acCount == 0:
	case acHow == 0:
		err = u.huf.decode(acIn, s.ac)
	default:
		b := make([]byte, 2*acCount)
		err = u.inflate(b, acIn)
		words(s.ac, b)
	}
	if err != nil {
		return s, err
	}
	s.dc = make([]uint16, dcCount)
	if dcCount > 0 {
		a, b := make([]byte, 2*dcCount), make([]byte, 2*dcCount)
		if err := u.inflate(a, dcIn); err != nil {
			return s, err
		}
		restore(b, a)
		words(s.dc, b)
	}
	s.runs = make([]byte, runRaw)
	if runRaw > 0 {
		mid := make([]byte, runMid)
		if err := u.inflate(mid, runIn); err != nil {
			return s, err
		}
		err = unrun(s.runs, mid)
	}
	return s, err
}

// words reads little-endian words.
func words(out []uint16, b []byte) {
	for i := range out {
		out[i] = binary.LittleEndian.Uint16(b[2*i:])
	}
}

// putPlanes writes a channel whose bytes come in planes, one for each byte of a sample.
func (u *unpacker) putPlanes(channel int, planes []byte, w, h int) {
	size := u.part.Channels[channel].Type.size()
	for y := range h {
		dst := u.out[u.lay.rows[channel][y]:]
		for x := range w {
			for b := range size {
				dst[size*x+b] = planes[(b*h+y)*w+x]
			}
		}
	}
}

// schemes says how each channel is packed, and which channels are red, green and blue of
// one picture: these are transformed together. −1 stands for one that is missing.
func schemes(chans []Channel, rules []rule) (scheme []int, triples []*[3]int) {
	scheme = make([]int, len(chans))
	by := map[string]*[3]int{}
	for i, ch := range chans {
		prefix, suffix := "", ch.Name
		if at := strings.LastIndexByte(ch.Name, '.'); at >= 0 {
			prefix, suffix = ch.Name[:at+1], ch.Name[at+1:]
		}
		for _, q := range rules {
			if q.kind != ch.Type || q.suffix != suffix && !(q.fold && strings.EqualFold(q.suffix, suffix)) {
				continue
			}
			scheme[i] = q.scheme
			if q.colour >= 0 && q.colour < 3 {
				if by[prefix] == nil {
					by[prefix] = &[3]int{-1, -1, -1}
					triples = append(triples, by[prefix])
				}
				by[prefix][q.colour] = i
			}
			break
		}
	}
	return scheme, triples
}

// transform undoes the cosine transforms of a chunk. The words of its channels
// follow one another.
type transform struct {
	u      *unpacker
	w, h   int
	ac, dc []uint16
	table  *[65536]uint16
}

// channels decodes one channel or a triple, and says whether it could.
func (d *transform) channels(which []int, light bool) bool {
	bx, by := (d.w+7)/8, (d.h+7)/8
	if len(d.dc) < bx*by*len(which) {
		return false
	}
	var comp [3][64]float32
	for y := range by {
		for x := range bx {
			flat := true
			for i := range which {
				var zig [64]uint16
				zig[0] = d.dc[i*bx*by+y*bx+x]
				last, ok := d.alternating(&zig)
				if !ok {
					return false
				}
				c := &comp[i]
				if last == 0 {
					v := raster.Half(zig[0]) * (0.35355339 * 0.35355339)
					for k := range c {
						c[k] = v
					}
					continue
				}
				flat = false
				for k, z := range zigzag {
					c[k] = raster.Half(zig[z])
				}
				inverse(c)
			}
			if len(which) == 3 {
				n := 64
				if flat {
					n = 1
				}
				for k := range n {
					a, b, c := comp[0][k], comp[1][k], comp[2][k]
					comp[0][k] = a + 1.5747*c
					comp[1][k] = a - 0.1873*b - 0.4682*c
					comp[2][k] = a + 1.8556*b
				}
				if flat {
					for i := range comp {
						for k := 1; k < 64; k++ {
							comp[i][k] = comp[i][0]
						}
					}
				}
			}
			for i, ch := range which {
				d.put(ch, 8*x, 8*y, &comp[i], light)
			}
		}
	}
	d.dc = d.dc[bx*by*len(which):]
	return true
}

// alternating reads a block's coefficients after the first, in zigzag order.
func (d *transform) alternating(zig *[64]uint16) (last int, ok bool) {
	for k := 1; k < 64; {
		if len(d.ac) == 0 {
			return 0, false
		}
		v := d.ac[0]
		d.ac = d.ac[1:]
		switch {
		case v == 0xff00:
			return last, true
		case v>>8 == 0xff:
			k += int(v & 0xff)
		default:
			zig[k] = v
			last = k
			k++
		}
	}
	return last, true
}

// put writes a block at (x, y), cut to the chunk.
func (d *transform) put(ch, x, y int, c *[64]float32, light bool) {
	kind := d.u.part.Channels[ch].Type
	row := d.u.lay.row
	at := d.u.lay.rows[ch][y]
	for j := range min(8, d.h-y) {
		for i := range min(8, d.w-x) {
			v := raster.ToHalf(c[8*j+i])
			if light {
				v = d.table[v]
			}
			if kind == Float {
				binary.LittleEndian.PutUint32(d.u.out[at+j*row+4*(x+i):], math.Float32bits(raster.Half(v)))
			} else {
				binary.LittleEndian.PutUint16(d.u.out[at+j*row+2*(x+i):], v)
			}
		}
	}
}

// zigzag says for each place of a block where in the zigzag it comes.
var zigzag = func() (z [64]int) {
	x, y := 0, 0
	for k := range 64 {
		z[8*y+x] = k
		switch {
		case (x+y)%2 == 0 && x == 7:
			y++
		case (x+y)%2 == 0 && y == 0:
			x++
		case (x+y)%2 == 0:
			x, y = x+1, y-1
		case y == 7:
			x++
		case x == 0:
			y++
		default:
			x, y = x-1, y+1
		}
	}
	return z
}()

// cosines[n][k] is the orthonormal inverse transform of eight values.
var cosines = func() (m [8][8]float32) {
	for n := range 8 {
		for k := range 8 {
			s := 0.5
			if k == 0 {
				s = math.Sqrt(0.125)
			}
			m[n][k] = float32(s * math.Cos(float64(2*n+1)*float64(k)*math.Pi/16))
		}
	}
	return m
}()

// inverse is the two-dimensional inverse cosine transform of a block, in place.
func inverse(c *[64]float32) {
	var mid [64]float32
	for y := range 8 {
		row := c[8*y : 8*y+8]
		for n := range 8 {
			k := &cosines[n]
			mid[8*y+n] = row[0]*k[0] + row[1]*k[1] + row[2]*k[2] + row[3]*k[3] + row[4]*k[4] + row[5]*k[5] + row[6]*k[6] + row[7]*k[7]
		}
	}
	for x := range 8 {
		for n := range 8 {
			k := &cosines[n]
			c[8*n+x] = mid[x]*k[0] + mid[8+x]*k[1] + mid[16+x]*k[2] + mid[24+x]*k[3] + mid[32+x]*k[4] + mid[40+x]*k[5] + mid[48+x]*k[6] + mid[56+x]*k[7]
		}
	}
}

// linearLight turns the halves that are transformed back into linear light.
var linearLight = sync.OnceValue(func() *[65536]uint16 {
	t := new([65536]uint16)
	base := math.Pow(2.7182818, 2.2)
	for i := range t {
		v := float64(raster.Half(uint16(i)))
		a := math.Abs(v)
		switch {
		case math.IsNaN(v) || math.IsInf(v, 0):
			continue
		case a <= 1:
			a = math.Pow(a, 2.2)
		default:
			a = math.Pow(base, a-1)
		}
		t[i] = raster.ToHalf(float32(math.Copysign(a, v)))
	}
	return t
})
