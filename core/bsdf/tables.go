package bsdf

import (
	"math"
	"sync"

	"aldermoor/core/geom"
)

// TableSize is the number of cosines and of roughnesses in Tables.
const TableSize = 32

// Entry are integrals over the hemisphere for one cosine and one roughness.
type Entry struct {
	Scale, Bias float32 // of the specular lobe: what it returns is F0·Scale + Bias − dip·Dip
	Dip         float32
	Sheen       float32 // what a white sheen returns
}

// Tables hold what the lobes return, by the cosine of view and the roughness, and the means
// over the cosine.
type Tables struct {
	At   [TableSize][TableSize]Entry // [cosine][roughness]; cosine (i+0.5)/TableSize, roughness j/(TableSize−1)
	Mean [TableSize]Entry            // over the hemisphere, weighted by the cosine
}

// Shared are the tables, made once for the process: they depend on nothing.
var Shared = sync.OnceValue(newTables)

func newTables() *Tables {
	t := &Tables{}
	const n = 1024
	var wg sync.WaitGroup
	for i := range TableSize {
		wg.Go(func() {
			c := (float32(i) + 0.5) / TableSize
			wo := geom.Vec(sqrt(1-c*c), 0, c)
			for j := range TableSize {
				t.At[i][j] = integrate(wo, float32(j)/(TableSize-1), n)
			}
		})
	}
	wg.Wait()
	for j := range TableSize {
		m := &t.Mean[j]
		for i := range TableSize {
			k := 2 * (float32(i) + 0.5) / (TableSize * TableSize)
			e := t.At[i][j]
			m.Scale, m.Bias, m.Dip, m.Sheen = m.Scale+k*e.Scale, m.Bias+k*e.Bias, m.Dip+k*e.Dip, m.Sheen+k*e.Sheen
		}
	}
	return t
}

func integrate(wo geom.V3, roughness float32, n int) (e Entry) {
	e = lobe(max(roughness, 0.02), 0).returned(wo, n)
	// Sheen is wide: the midpoint rule.
	const rows, columns = 48, 48
	for i := range rows {
		z := (float32(i) + 0.5) / rows
		r := sqrt(1 - z*z)
		for j := range columns {
			c := float32(math.Cos(math.Pi * (float64(j) + 0.5) / columns))
			wi := geom.Vec(r*c, r*sqrt(1-c*c), z)
			h := wi.Add(wo).Unit()
			e.Sheen += sheen(h.Z, wo.Z, z, roughness) * z
		}
	}
	e.Sheen = min(e.Sheen*2*math.Pi/(rows*columns), 1)
	return e
}

// returned is what a lobe returns towards wo, by n samples.
func (g ggx) returned(wo geom.V3, n int) (e Entry) {
	for s := range n {
		u, v := hammersley(s, n)
		h := g.sample(wo, u, v)
		oh := wo.Dot(h)
		wi := h.Scale(2 * oh).Sub(wo)
		if wi.Z <= 0 || oh <= 0 {
			continue
		}
		// G2/G1: what is left of the density that sample draws from.
		k := 2 * g.visibility(wo, wi) * wi.Z * (wo.Z + g.stretched(wo))
		f := fifth(1 - oh)
		e.Scale += (1 - f) * k
		e.Bias += f * k
		e.Dip += oh * f * (1 - oh) * k
	}
	k := 1 / float32(n)
	e.Scale, e.Bias, e.Dip = e.Scale*k, e.Bias*k, e.Dip*k
	return e
}

// look interpolates between entries; see At for the axes.
func (t *Tables) look(c, roughness float32) Entry {
	x := clamp(c*TableSize-0.5, 0, TableSize-1)
	y := clamp(roughness, 0, 1) * (TableSize - 1)
	i, j := min(int(x), TableSize-2), min(int(y), TableSize-2)
	fx, fy := x-float32(i), y-float32(j)
	return t.At[i][j].to(t.At[i+1][j], fx).to(t.At[i][j+1].to(t.At[i+1][j+1], fx), fy)
}

func (t *Tables) mean(roughness float32) Entry {
	y := clamp(roughness, 0, 1) * (TableSize - 1)
	j := min(int(y), TableSize-2)
	return t.Mean[j].to(t.Mean[j+1], y-float32(j))
}

func (a Entry) to(b Entry, f float32) Entry {
	return Entry{a.Scale + (b.Scale-a.Scale)*f, a.Bias + (b.Bias-a.Bias)*f, a.Dip + (b.Dip-a.Dip)*f, a.Sheen + (b.Sheen-a.Sheen)*f}
}

// hammersley is point i of n of a low-discrepancy set in the unit square.
func hammersley(i, n int) (u, v float32) {
	bits := uint32(i)
	bits = bits<<16 | bits>>16
	bits = bits&0x55555555<<1 | bits&0xaaaaaaaa>>1
	bits = bits&0x33333333<<2 | bits&0xcccccccc>>2
	bits = bits&0x0f0f0f0f<<4 | bits&0xf0f0f0f0>>4
	bits = bits&0x00ff00ff<<8 | bits&0xff00ff00>>8
	return float32(i) / float32(n), float32(float64(bits) / (1 << 32))
}
