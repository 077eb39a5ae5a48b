package scale

import (
	"fmt"
	"math"
	"strings"
)

// Kind is what a figure that people type stands for.
type Kind string

// The kinds.
const (
	Length  Kind = "length"  // metres, greater than zero
	Shift   Kind = "shift"   // metres either way, or zero
	Number  Kind = "number"  // without a unit
	Degrees Kind = "degrees" // of an angle
	Share   Kind = "share"   // of a whole: 0.25, 25 %
)

// ParseFigure reads a figure as people write it: with units, simple arithmetic, a comma or a point,
// and a minus of either kind. It is the only reader of typed figures. Errors are sentences.
func ParseFigure(s string, kind Kind) (float64, error) {
	text := strings.ToLower(strings.TrimSpace(s))
	switch kind {
	case Length:
		return ParseLength(s)
	case Shift, Number, Degrees, Share:
	default:
		return 0, fmt.Errorf("there is no kind of figure %q", kind)
	}
	sign, rest := 1.0, text
	for _, minus := range []string{"-", "−"} {
		if r, ok := strings.CutPrefix(text, minus); ok {
			sign, rest = -1, r
		}
	}
	over := 1.0
	switch kind {
	case Degrees:
		rest = strings.TrimSpace(strings.TrimSuffix(strings.TrimSuffix(rest, "degrees"), "°"))
	case Share:
		if r, ok := strings.CutSuffix(rest, "%"); ok {
			rest, over = strings.TrimSpace(r), 100
		}
	}
	p := lengthParser{rest: strings.TrimSpace(rest)}
	q, err := p.sum(0)
	switch {
	case text == "":
		err = fmt.Errorf("nothing was given")
	case err == nil && p.rest != "":
		err = fmt.Errorf("%q is not understood", p.rest)
	case err == nil && kind != Shift && q.unit != 0:
		err = fmt.Errorf("it has a unit of length")
	}
	v := sign * q.metres() / over
	if err == nil && (math.IsNaN(v) || math.Abs(v) > 1e12) {
		err = fmt.Errorf("it is too large")
	}
	if err != nil {
		what := map[Kind]string{Shift: "a length: write for example 12 cm or −0.3", Number: "a figure: write for example 1.5", Degrees: "an angle: write for example 30°", Share: "a share: write for example 0.25 or 25 %"}[kind]
		return 0, fmt.Errorf("%q is not %s (%w)", s, what, err)
	}
	return v, nil
}
