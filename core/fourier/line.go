package fourier

import "math"

// plan transforms lines of one length, several at a time: a Stockham autosort transform
// of mixed radix (Stockham 1966; Van Loan 1992, 1.7), whose passes run along memory.
// Lengths with large factors go as a convolution at a fast length (Bluestein 1970). A plan
// has buffers of its own and serves one goroutine.
type plan struct {
	n       int
	factors []int
	turn    []complex128 // exp(−2πik/n)
	spare   []complex128

	chirp []complex128 // exp(−iπk²/n) for lengths with large factors; nil for others
	bands []complex128 // the transform of its conjugate, wrapped
	work  []complex128
	fast  *plan
}

// slow is the factor, beyond 2, 3 and 5, from which on the detour is worth it.
const slow = 32

func newPlan(n int) *plan {
	if rest(n) >= slow {
		return newDetour(n)
	}
	p := &plan{n: n, turn: circle(n)}
	for m := n; m > 1; {
		f := 4
		for _, k := range []int{4, 2, 3, 5} {
			if f = k; m%k == 0 {
				break
			}
		}
		for k := 7; m%f != 0; k += 2 {
			f = k
		}
		p.factors = append(p.factors, f)
		m /= f
	}
	return p
}

// circle is exp(−2πik/n) for all k.
func circle(n int) []complex128 {
	out := make([]complex128, n)
	for k := range out {
		s, c := math.Sincos(2 * math.Pi * float64(k) / float64(n))
		out[k] = complex(c, -s)
	}
	return out
}

func newDetour(n int) *plan {
	m := Size(2*n - 1)
	p := &plan{n: n, chirp: make([]complex128, n), bands: make([]complex128, m), work: make([]complex128, m), fast: newPlan(m)}
	for k := range n {
		s, c := math.Sincos(math.Pi * float64(k*k%(2*n)) / float64(n))
		p.chirp[k] = complex(c, -s)
		p.bands[k] = complex(c, s)
		p.bands[(m-k)%m] = complex(c, s)
	}
	p.fast.transform(p.bands, 1)
	return p
}

// transform works in place on lines that lie beside each other: sample k of line i is
// x[k·lines+i].
func (p *plan) transform(x []complex128, lines int) {
	if p.chirp != nil {
		p.detour(x, lines)
		return
	}
	if len(p.spare) < len(x) {
		p.spare = make([]complex128, len(x))
	}
	from, to := x, p.spare[:len(x)]
	n, s := p.n, lines
	for _, f := range p.factors {
		step := p.n / n // of the circle
		switch f {
		case 2:
			p.pass2(from, to, n, s, step)
		case 3:
			p.pass3(from, to, n, s, step)
		case 4:
			p.pass4(from, to, n, s, step)
		case 5:
			p.pass5(from, to, n, s, step)
		default:
			p.passAny(from, to, f, n, s, step)
		}
		from, to = to, from
		n, s = n/f, s*f
	}
	if len(p.factors)%2 == 1 {
		copy(x, from)
	}
}

func (p *plan) pass2(x, y []complex128, n, s, step int) {
	m := n / 2
	for k := range m {
		w := p.turn[k*step]
		a, b := x[s*k:s*k+s], x[s*(k+m):s*(k+m)+s]
		u, v := y[s*2*k:s*2*k+s], y[s*(2*k+1):s*(2*k+1)+s]
		for q := range a {
			g, h := a[q], b[q]
			u[q] = g + h
			v[q] = (g - h) * w
		}
	}
}

func (p *plan) pass3(x, y []complex128, n, s, step int) {
	const half, root = 0.5, 0.86602540378443864676
	m := n / 3
	for k := range m {
		w1, w2 := p.turn[k*step], p.turn[2*k*step]
		a, b, c := x[s*k:s*k+s], x[s*(k+m):s*(k+m)+s], x[s*(k+2*m):s*(k+2*m)+s]
		u, v, t := y[s*3*k:s*3*k+s], y[s*(3*k+1):s*(3*k+1)+s], y[s*(3*k+2):s*(3*k+2)+s]
		for q := range a {
			sum, dif := b[q]+c[q], b[q]-c[q]
			mid := complex(real(a[q])-half*real(sum), imag(a[q])-half*imag(sum))
			rot := complex(root*imag(dif), -root*real(dif)) // −i·√3/2·(b−c)
			u[q] = a[q] + sum
			v[q] = (mid + rot) * w1
			t[q] = (mid - rot) * w2
		}
	}
}

func (p *plan) pass4(x, y []complex128, n, s, step int) {
	m := n / 4
	if s == 1 {
		p.first4(x, y, m, step)
		return
	}
	for k := range m {
		w1, w2, w3 := p.turn[k*step], p.turn[2*k*step], p.turn[3*k*step]
		a, b, c, d := x[s*k:s*k+s], x[s*(k+m):s*(k+m)+s], x[s*(k+2*m):s*(k+2*m)+s], x[s*(k+3*m):s*(k+3*m)+s]
		u, v, t, z := y[s*4*k:s*4*k+s], y[s*(4*k+1):s*(4*k+1)+s], y[s*(4*k+2):s*(4*k+2)+s], y[s*(4*k+3):s*(4*k+3)+s]
		if k == 0 { // nothing turns
			for q := range a {
				ac, am, bd, bm := a[q]+c[q], a[q]-c[q], b[q]+d[q], b[q]-d[q]
				rot := complex(imag(bm), -real(bm))
				u[q], v[q], t[q], z[q] = ac+bd, am+rot, ac-bd, am-rot
			}
			continue
		}
		for q := range a {
			ac, am, bd, bm := a[q]+c[q], a[q]-c[q], b[q]+d[q], b[q]-d[q]
			rot := complex(imag(bm), -real(bm)) // −i·(b−d)
			u[q] = ac + bd
			v[q] = (am + rot) * w1
			t[q] = (ac - bd) * w2
			z[q] = (am - rot) * w3
		}
	}
}

// first4 is pass4 of a single line, at its beginning.
func (p *plan) first4(x, y []complex128, m, step int) {
	xa, xb, xc, xd := x[:m], x[m:2*m], x[2*m:3*m], x[3*m:4*m]
	for k, a := range xa {
		b, c, d := xb[k], xc[k], xd[k]
		ac, am, bd, bm := a+c, a-c, b+d, b-d
		rot := complex(imag(bm), -real(bm))
		o := y[4*k:][:4]
		o[0], o[1], o[2], o[3] = ac+bd, (am+rot)*p.turn[k*step], (ac-bd)*p.turn[2*k*step], (am-rot)*p.turn[3*k*step]
	}
}

func (p *plan) pass5(x, y []complex128, n, s, step int) {
	const c1, c2 = 0.30901699437494742410, -0.80901699437494742410
	const s1, s2 = 0.95105651629515357212, 0.58778525229247312917
	m := n / 5
	for k := range m {
		w1, w2, w3, w4 := p.turn[k*step], p.turn[2*k*step], p.turn[3*k*step], p.turn[4*k*step]
		for q := range s {
			a, b, c, d, e := x[s*k+q], x[s*(k+m)+q], x[s*(k+2*m)+q], x[s*(k+3*m)+q], x[s*(k+4*m)+q]
			be, bm, cd, cm := b+e, b-e, c+d, c-d
			g := complex(real(a)+c1*real(be)+c2*real(cd), imag(a)+c1*imag(be)+c2*imag(cd))
			h := complex(real(a)+c2*real(be)+c1*real(cd), imag(a)+c2*imag(be)+c1*imag(cd))
			gr := complex(s1*imag(bm)+s2*imag(cm), -s1*real(bm)-s2*real(cm))
			hr := complex(s2*imag(bm)-s1*imag(cm), -s2*real(bm)+s1*real(cm))
			o := s*5*k + q
			y[o] = a + be + cd
			y[o+s] = (g + gr) * w1
			y[o+2*s] = (h + hr) * w2
			y[o+3*s] = (h - hr) * w3
			y[o+4*s] = (g - gr) * w4
		}
	}
}

// passAny is a pass of any odd radix, by its definition: samples i and f−i together, so that they need real factors alone
// for two results. It leaves sums and differences in x.
func (p *plan) passAny(x, y []complex128, f, n, s, step int) {
	m, half := n/f, f/2
	root := circle(f)
	for k := range m {
		from := func(i int) []complex128 { return x[s*(k+i*m) : s*(k+i*m)+s] }
		to := func(j int) []complex128 { return y[s*(f*k+j) : s*(f*k+j)+s] }
		first, all := from(0), to(0)
		copy(all, first)
		for i := 1; i <= half; i++ {
			a, b := from(i), from(f-i)
			for q, v := range a {
				a[q], b[q] = v+b[q], v-b[q]
				all[q] += a[q]
			}
		}
		for j := 1; j <= half; j++ {
			u, v := to(j), to(f-j)
			copy(u, first)
			clear(v)
			for i := 1; i <= half; i++ {
				a, b, r := from(i), from(f-i), root[i*j%f]
				c, d := real(r), -imag(r)
				for q, g := range a {
					h := b[q]
					u[q] += complex(c*real(g), c*imag(g))
					v[q] += complex(d*real(h), d*imag(h))
				}
			}
			w, z := p.turn[j*k*step%p.n], p.turn[(f-j)*k*step%p.n]
			for q, g := range u {
				h := v[q]
				u[q] = complex(real(g)+imag(h), imag(g)-real(h)) * w
				v[q] = complex(real(g)-imag(h), imag(g)+real(h)) * z
			}
		}
	}
}

func (p *plan) detour(x []complex128, lines int) {
	for i := range lines {
		clear(p.work)
		for k := range p.n {
			p.work[k] = x[k*lines+i] * p.chirp[k]
		}
		p.fast.transform(p.work, 1)
		// Back by the same transform: conjugated before and after.
		for k, v := range p.work {
			v *= p.bands[k]
			p.work[k] = complex(real(v), -imag(v))
		}
		p.fast.transform(p.work, 1)
		scale := 1 / float64(len(p.work))
		for k := range p.n {
			v := p.work[k]
			x[k*lines+i] = complex(real(v)*scale, -imag(v)*scale) * p.chirp[k]
		}
	}
}
