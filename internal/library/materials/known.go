package materials

import (
	"fmt"
	"math"
)

// Known says that a delivered set is of a scan that is here already.
type Known struct {
	Material int64
	Name     string // as it was called then
	Files    bool   // the very same files
	Quarters int    // how far that one is turned against this, clockwise
	Wider    int    // pixels of the longer side of that one's source
	Part     *Area  // what this shows of that one, if not all of it
	Taken    string // how it was settled: new_version or tier; "" if it is not
}

// Area is a part of a scan, in shares of its sides: beyond 0..1 where it reaches past
// them.
type Area struct{ X, Y, W, H float64 }

// Smaller says whether a set of the given pixels is the same scan whole, upright and
// with fewer pixels: a tier that the material may lack.
func (k *Known) Smaller(w, h int) bool {
	return !k.Files && k.Part == nil && k.Quarters == 0 && max(w, h) < k.Wider
}

// Kind is what a set of the given pixels is to what is here: the same files, another
// version, a smaller tier, a part of it, or more than it.
func (k *Known) Kind(w, h int) string {
	switch {
	case k.Files:
		return "files"
	case k.Part != nil && k.Part.W*k.Part.H > 1.03:
		return "more"
	case k.Part != nil && k.Part.W*k.Part.H < 0.97:
		return "part"
	case k.Smaller(w, h):
		return "tier"
	}
	return "version"
}

// Says is what is known, as a sentence about a set of the given pixels.
func (k *Known) Says(w, h int) string {
	if k.Files {
		return fmt.Sprintf("These files are here already, in %s.", k.Name)
	}
	if a := k.Part; a != nil {
		switch {
		case math.Abs(a.W-1) < 0.03 && math.Abs(a.H-1) < 0.03: // whole, but no likeness at a glance
			return fmt.Sprintf("This shows the same as the scan of %s, in another light or colour.", k.Name)
		case a.W*a.H > 1:
			return fmt.Sprintf("This shows more of the scan of %s: %.1f times as wide, %.1f times as high.", k.Name, a.W, a.H)
		case k.Quarters > 0:
			return fmt.Sprintf("This is a part of the scan of %s: %.0f %% of its width, %.0f %% of its height, turned by %d°.", k.Name, 100*a.W, 100*a.H, 90*k.Quarters)
		}
		return fmt.Sprintf("This is a part of the scan of %s: %.0f %% of its width, %.0f %% of its height.", k.Name, 100*a.W, 100*a.H)
	}
	how := "in another encoding"
	switch long := max(w, h); {
	case long < k.Wider:
		how = fmt.Sprintf("but smaller (%d px against %d)", long, k.Wider)
	case long > k.Wider && k.Wider > 0:
		how = fmt.Sprintf("but larger (%d px against %d)", long, k.Wider)
	}
	if k.Quarters > 0 {
		how += fmt.Sprintf(", turned by %d°", 90*k.Quarters)
	}
	return fmt.Sprintf("This is the scan of %s, %s.", k.Name, how)
}
