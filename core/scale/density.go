package scale

import (
	"fmt"
	"math"
	"strings"
)

// Density is the texel density in pixels a metre on each axis of a repeat of
// the given size in w × h pixels.
func Density(s Size, w, h int) (x, y float64) {
	return float64(w) / s.W, float64(h) / s.H
}

// Camera is what looks at a material.
type Camera struct {
	Angle float64 // vertical angle of view, radians
	Lines int     // height of its picture, pixels
}

// Plain is the camera that sentences are about until another is chosen: a
// picture of 1080 lines over 30°.
var Plain = Camera{Angle: 30 * math.Pi / 180, Lines: 1080}

// Asks is the density that the camera asks for at distance d metres: one texel a
// picture pixel.
func (c Camera) Asks(d float64) float64 {
	return float64(c.Lines) / (2 * d * math.Tan(c.Angle/2))
}

// Reach is the distance in metres from which on a density is enough.
func (c Camera) Reach(density float64) float64 {
	return float64(c.Lines) / (2 * density * math.Tan(c.Angle/2))
}

// Tier is a size in which a material is handed out: the longer side in pixels,
// or 0 for the source itself.
type Tier int

// The tiers that have names.
const (
	SourceTier Tier = 0
	T1K        Tier = 1024
	T2K        Tier = 2048
	T4K        Tier = 4096
	T8K        Tier = 8192
)

// ParseTier reads "1k", "2K", "source" …
func ParseTier(s string) (Tier, error) {
	switch strings.ToLower(s) {
	case "1k":
		return T1K, nil
	case "2k":
		return T2K, nil
	case "4k":
		return T4K, nil
	case "8k":
		return T8K, nil
	case "source":
		return SourceTier, nil
	}
	return 0, fmt.Errorf("there is no tier %q: take 1k, 2k, 4k, 8k or source", s)
}

func (t Tier) String() string {
	if t == 0 {
		return "source"
	}
	return fmt.Sprintf("%dK", t/1024)
}

// Tiers are the named tiers that a source of w × h pixels holds, smallest first.
func Tiers(w, h int) []Tier {
	var out []Tier
	for t := T1K; t <= T8K; t *= 2 {
		if int(t) <= max(w, h) {
			out = append(out, t)
		}
	}
	return out
}

// Size is the picture size of the tier for a source of w × h pixels, its ratio
// kept; never larger than the source.
func (t Tier) Size(w, h int) (int, int) {
	long := max(w, h)
	if t == 0 || int(t) >= long {
		return w, h
	}
	k := float64(t) / float64(long)
	return max(1, int(math.Round(float64(w)*k))), max(1, int(math.Round(float64(h)*k)))
}

// Enough is the smallest tier of a source of w × h pixels that reaches the
// density, and false if not even the source does.
func Enough(s Size, w, h int, density float64) (Tier, bool) {
	for _, t := range Tiers(w, h) {
		tw, th := t.Size(w, h)
		if x, y := Density(s, tw, th); min(x, y) >= density {
			return t, true
		}
	}
	x, y := Density(s, w, h)
	return SourceTier, min(x, y) >= density
}

// VideoMemory is what a map of w × h pixels takes on a graphics card with its
// mips, in bytes, at the given bytes a texel: 1 for block-compressed colour or
// normals, 0.5 for one compressed component.
func VideoMemory(w, h int, texel float64) int64 {
	return int64(math.Round(float64(w) * float64(h) * texel * 4 / 3))
}

// Figure writes a whole figure with a thin space between thousands: "2 276".
func Figure(v float64) string {
	s := fmt.Sprintf("%.0f", v)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "\u202f" + s[i:]
	}
	return s
}

// Bytes writes an amount for people: "86 MB" (of 10⁶ bytes).
func Bytes(n int64) string {
	switch v := float64(n); {
	case v >= 9.95e9:
		return fmt.Sprintf("%.0f GB", v/1e9)
	case v >= 1e9:
		return fmt.Sprintf("%.1f GB", v/1e9)
	case v >= 9.95e6:
		return fmt.Sprintf("%.0f MB", v/1e6)
	case v >= 1e6:
		return fmt.Sprintf("%.1f MB", v/1e6)
	}
	return fmt.Sprintf("%.0f KB", math.Ceil(float64(n)/1e3))
}
