package fourier

import (
	"math"

	"gonum.org/v1/gonum/dsp/fourier"
)

// line transforms rows of one length. Lengths with large factors take gonum time in
// proportion to the factor; those go as a convolution at a fast length (Bluestein 1970).
// A line has buffers of its own and serves one goroutine.
type line struct {
	n     int
	fft   *fourier.CmplxFFT
	chirp []complex128 // exp(−iπk²/n); nil for fast lengths
	bands []complex128 // the transform of its conjugate, wrapped
	work  []complex128
}

// slow is the factor, beyond 2, 3 and 5, from which on the detour is worth it.
const slow = 32

func newLine(n int) *line {
	if rest(n) < slow {
		return &line{n: n, fft: fourier.NewCmplxFFT(n)}
	}
	m := Size(2*n - 1)
	l := &line{n: n, fft: fourier.NewCmplxFFT(m), chirp: make([]complex128, n), bands: make([]complex128, m), work: make([]complex128, m)}
	for k := range n {
		s, c := math.Sincos(math.Pi * float64(k*k%(2*n)) / float64(n))
		l.chirp[k] = complex(c, -s)
		l.bands[k] = complex(c, s)
		l.bands[(m-k)%m] = complex(c, s)
	}
	l.fft.Coefficients(l.bands, l.bands)
	return l
}

// transform works in place; back is the inverse without its factor 1/n.
func (l *line) transform(row []complex128, back bool) {
	if l.chirp == nil {
		if back {
			l.fft.Sequence(row, row)
		} else {
			l.fft.Coefficients(row, row)
		}
		return
	}
	conj := func(v complex128) complex128 {
		if back {
			return complex(real(v), -imag(v))
		}
		return v
	}
	clear(l.work)
	for k, v := range row {
		l.work[k] = conj(v) * l.chirp[k]
	}
	l.fft.Coefficients(l.work, l.work)
	for k := range l.work {
		l.work[k] *= l.bands[k]
	}
	l.fft.Sequence(l.work, l.work)
	scale := complex(1/float64(len(l.work)), 0)
	for k := range row {
		row[k] = conj(l.work[k] * l.chirp[k] * scale)
	}
}
