// Package scale knows how large things are: lengths with units, the real-world
// size of a repeat and the evidence for it, texel density, tiers, what a camera
// asks for, and what maps cost in video memory.
//
// Lengths are metres, angles radians, densities pixels a metre.
package scale

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"unicode"
)

// Inch is one in metres.
const Inch = 0.0254

// units are the lengths of one unit in metres.
var units = map[string]float64{
	"mm": 0.001, "millimetre": 0.001, "millimetres": 0.001,
	"cm": 0.01, "centimetre": 0.01, "centimetres": 0.01,
	"dm": 0.1, "m": 1, "metre": 1, "metres": 1, "meter": 1, "meters": 1,
	"in": Inch, "inch": Inch, "inches": Inch, "\"": Inch, "″": Inch,
	"ft": 0.3048, "foot": 0.3048, "feet": 0.3048, "'": 0.3048, "′": 0.3048,
	"yd": 0.9144, "yard": 0.9144, "yards": 0.9144,
}

// ParseLength reads a length as people write it: "180cm", "6 ft 2 in", "1.8",
// "3 * 43 cm", "(2.4 m - 12cm) / 2", "1 3/4 in". A figure without a unit is in
// metres. The answer is in metres, and greater than zero.
func ParseLength(s string) (float64, error) {
	p := lengthParser{rest: strings.ToLower(strings.TrimSpace(s))}
	if p.rest == "" {
		return 0, fmt.Errorf("no length was given: write for example 1.8 m, 180 cm or 6 ft")
	}
	q, err := p.sum(0)
	if err == nil && p.rest != "" {
		err = fmt.Errorf("%q is not understood", p.rest)
	}
	if err != nil {
		return 0, fmt.Errorf("%q is not a length: %w; write for example 1.8 m, 180 cm or 6 ft", s, err)
	}
	m := q.metres()
	if !(m > 0) || math.IsInf(m, 0) || m > 1e6 {
		return 0, fmt.Errorf("%q is not a length greater than zero", s)
	}
	return m, nil
}

// quantity is a figure and the unit behind it, 0 while none was said.
type quantity struct{ n, unit float64 }

func (q quantity) metres() float64 {
	if q.unit == 0 {
		return q.n
	}
	return q.n * q.unit
}

type lengthParser struct{ rest string }

func (p *lengthParser) space() { p.rest = strings.TrimLeft(p.rest, " \t\u00a0") }

func (p *lengthParser) take(s string) bool {
	p.space()
	if strings.HasPrefix(p.rest, s) {
		p.rest = p.rest[len(s):]
		p.space()
		return true
	}
	return false
}

func (p *lengthParser) sum(depth int) (quantity, error) {
	q, err := p.product(depth)
	for err == nil {
		sign := 1.0
		switch {
		case p.take("+"):
		case p.take("-"), p.take("−"):
			sign = -1
		default:
			return q, nil
		}
		var r quantity
		if r, err = p.product(depth); err == nil {
			// "2 + 3 cm" means centimetres throughout; "2 m + 3 cm" adds metres.
			if unit := max(q.unit, r.unit); q.unit == 0 || r.unit == 0 {
				q = quantity{q.n + sign*r.n, unit}
			} else {
				q = quantity{q.metres() + sign*r.metres(), 1}
			}
		}
	}
	return q, err
}

func (p *lengthParser) product(depth int) (quantity, error) {
	q, err := p.figure(depth)
	for err == nil {
		switch {
		case p.take("*"), p.take("×"):
			var r quantity
			if r, err = p.figure(depth); err == nil {
				if q.unit != 0 && r.unit != 0 {
					return q, fmt.Errorf("a length times a length is an area")
				}
				q = quantity{q.n * r.n, max(q.unit, r.unit)}
			}
		case p.take("/"):
			var r quantity
			if r, err = p.figure(depth); err == nil {
				if r.n == 0 {
					return q, fmt.Errorf("division by zero")
				}
				if q.unit != 0 && r.unit != 0 {
					return q, fmt.Errorf("a length over a length has no unit")
				}
				q = quantity{q.n / r.n, max(q.unit, r.unit)} // "1/2 in" is half an inch
			}
		default:
			return q, nil
		}
	}
	return q, err
}

// figure is a bracket, a number with or without unit, or several with units one
// after another ("6 ft 2 in").
func (p *lengthParser) figure(depth int) (quantity, error) {
	if depth > 20 {
		return quantity{}, fmt.Errorf("too many brackets")
	}
	if p.take("(") {
		q, err := p.sum(depth + 1)
		if err == nil && !p.take(")") {
			err = fmt.Errorf("a bracket is not closed")
		}
		return q, err
	}
	q, err := p.number()
	for err == nil && q.unit != 0 {
		p.space()
		if p.rest == "" || p.rest[0] < '0' || p.rest[0] > '9' {
			return q, nil
		}
		var r quantity
		if r, err = p.number(); err == nil {
			if r.unit == 0 {
				return q, fmt.Errorf("a unit is missing after %v", r.n)
			}
			q = quantity{q.metres() + r.metres(), 1}
		}
	}
	return q, err
}

func (p *lengthParser) number() (quantity, error) {
	p.space()
	n := strings.IndexFunc(p.rest, func(r rune) bool { return (r < '0' || r > '9') && r != '.' && r != ',' })
	if n < 0 {
		n = len(p.rest)
	}
	v, err := strconv.ParseFloat(strings.Replace(p.rest[:n], ",", ".", 1), 64)
	if err != nil {
		return quantity{}, fmt.Errorf("a figure is missing")
	}
	p.rest = p.rest[n:]
	p.space()
	if f, ok := p.fraction(); ok {
		v += f
	}
	n = strings.IndexFunc(p.rest, func(r rune) bool { return !unicode.IsLetter(r) })
	if n < 0 {
		n = len(p.rest)
	}
	if n == 0 && p.rest != "" {
		for _, mark := range []string{"\"", "'", "″", "′"} {
			if strings.HasPrefix(p.rest, mark) {
				n = len(mark)
			}
		}
	}
	if n == 0 {
		return quantity{v, 0}, nil
	}
	name := p.rest[:n]
	unit, ok := units[name]
	if !ok {
		return quantity{}, fmt.Errorf("the unit %q is not known", name)
	}
	p.rest = p.rest[n:]
	return quantity{v, unit}, nil
}

// fraction is what stands behind a whole number in a mixed one: 3/4 of "1 3/4".
func (p *lengthParser) fraction() (float64, bool) {
	over, rest, ok := strings.Cut(p.rest, "/")
	n := strings.IndexFunc(rest, func(r rune) bool { return r < '0' || r > '9' })
	if n < 0 {
		n = len(rest)
	}
	if !ok || over == "" || n == 0 || strings.Trim(over, "0123456789") != "" {
		return 0, false
	}
	a, err1 := strconv.ParseFloat(over, 64)
	b, err2 := strconv.ParseFloat(rest[:n], 64)
	if err1 != nil || err2 != nil || b == 0 {
		return 0, false
	}
	p.rest = rest[n:]
	p.space()
	return a / b, true
}

// Metres writes a length for people: "1.80 m", "64.0 mm", with a space that does
// not break.
func Metres(m float64) string {
	switch {
	case m >= 9.995:
		return strconv.FormatFloat(m, 'f', 1, 64) + "\u00a0m"
	case m >= 0.0995:
		return strconv.FormatFloat(m, 'f', 2, 64) + "\u00a0m"
	}
	return strconv.FormatFloat(m*1000, 'f', 1, 64) + "\u00a0mm"
}
