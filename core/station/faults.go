package station

import (
	"fmt"
	"math"
	"strings"

	"aldermoor/core/raster"
)

// Fault is something that goes wrong at a station.
type Fault string

// The faults that can be planted.
const (
	NoFault          Fault = ""
	WrongDirection   Fault = "wrong-direction"    // the normals point the other way than the name says
	GlossAsRoughness Fault = "gloss-as-roughness" // the roughness file holds glossiness
	ColourManaged    Fault = "colour-managed"     // roughness went through the sRGB curve
	BandedHeight     Fault = "banded-height"      // height with 8 bits
	Seam             Fault = "seam"               // left and right do not meet
	BakedLight       Fault = "baked-light"        // the lamp's falloff is in the colour
)

// Faults are all faults, in the order in which a list of sets gets them.
func Faults() []Fault {
	return []Fault{WrongDirection, GlossAsRoughness, ColourManaged, BandedHeight, Seam, BakedLight}
}

// seamShare is how much of a repeat's width a scan with a seam covers.
const seamShare = 0.83

// ParseFaults reads a list such as "seam,baked-light", or "all".
func ParseFaults(s string) ([]Fault, error) {
	if s == "" {
		return nil, nil
	}
	if s == "all" {
		return Faults(), nil
	}
	var out []Fault
next:
	for name := range strings.SplitSeq(s, ",") {
		for _, f := range Faults() {
			if string(f) == strings.TrimSpace(name) {
				out = append(out, f)
				continue next
			}
		}
		return nil, fmt.Errorf("there is no fault %q: the faults are %v", name, Faults())
	}
	return out, nil
}

// baked is the base colour with a lamp's falloff in it.
func (w *Writer) baked(s *Scan) *raster.Image {
	var out [3]raster.Plane
	for c, p := range s.Color {
		out[c] = raster.NewPlane(p.W, p.H)
		for y := range p.H {
			for x := range p.W {
				dx, dy := float64(x)/float64(p.W)-0.3, float64(y)/float64(p.H)-0.25
				lamp := 0.45 + 0.75*math.Exp(-(dx*dx+dy*dy)/0.18)
				out[c].Row(y)[x] = w.tables.Encode(p.Row(y)[x] * float32(lamp))
			}
		}
	}
	return raster.FromPlanes(out[:]...)
}
