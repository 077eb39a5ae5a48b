package inspect

import (
	"math"
	"path"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/fact"
	"aldermoor/core/material"
)

// This file has the checks of single files: how they are stored.

func notFinite(m *channels.Map) fact.Values {
	if n := m.Look.Info.NotFinite; n > 0 {
		return fact.Of("samples", n)
	}
	return nil
}

// outOfRange is a map of floats some of which lie outside of 0..1, where these are cut off. Heights, vectors and
// light keep theirs.
func outOfRange(m *channels.Map) fact.Values {
	if n := m.Look.Outside; n > 0 && m.Channel != material.Height && m.Channel != material.Normal && m.Channel != material.Emissive {
		return fact.Of("samples", n)
	}
	return nil
}

// mapEmpty is a base colour, normal or height of one value everywhere. A plain base colour
// that is not black may be meant.
func mapEmpty(m *channels.Map) fact.Values {
	c := component(m, m.Look.Max)
	if m.Channel != material.BaseColor && m.Channel != material.Normal && m.Channel != material.Height || c < 0 || m.UDIM != "" {
		return nil
	}
	flat := func(c int) bool { return m.Look.Max[c]-m.Look.Min[c] < 1e-6 }
	empty := flat(c)
	if m.Component == "rgb" {
		for k := range m.Look.Max {
			empty = empty && flat(k)
		}
	}
	if empty && (m.Channel != material.BaseColor || m.Look.Max[c] < 1e-6) {
		return fact.Of("value", m.Look.Max[c])
	}
	return nil
}

// pixelsNotSquare is by the resolution tag, from 1 % between the axes on.
func pixelsNotSquare(m *channels.Map) fact.Values {
	if d := m.Look.Info.Density; d[0] > 0 && math.Abs(d[0]/d[1]-1) > 0.01 {
		return fact.Of("across", d[0], "down", d[1])
	}
	return nil
}

func dataColourManaged(m *channels.Map) fact.Values {
	if p := m.Look.Info.Profile; !m.Channel.Colour() && p != "" && m.Component != "a" {
		return fact.Of("profile", p)
	}
	return nil
}

// profileUnread is a colour map with a profile that is no matrix with curves.
func profileUnread(m *channels.Map) fact.Values {
	if m.Channel.Colour() && m.Look.Info.Unread {
		return fact.Of("profile", m.Look.Info.Profile)
	}
	return nil
}

// deep says whether a map's samples use more than 8 bits.
func deep(m *channels.Map) bool { return m.Look.TrueBits > 8 || m.Look.Info.Float }

func height8Bit(m *channels.Map) fact.Values {
	if m.Channel != material.Height || m.Look.Info.Bits != 8 && deep(m) {
		return nil
	}
	return fact.Of("bits", m.Look.Info.Bits)
}

func bitsEmpty(m *channels.Map) fact.Values {
	if m.Channel != material.Height && m.Look.Info.Bits == 16 && !deep(m) {
		return fact.Of("bits", m.Look.Info.Bits)
	}
	return nil
}

// clipped is a heap of samples at an end of the range, one in twenty or more, where the
// values beside it are rare. Channels that are meant to reach their ends are left out.
func clipped(m *channels.Map) fact.Values {
	switch m.Channel {
	case material.Metallic, material.Opacity, material.Mask, material.Emissive, material.Occlusion, material.Normal:
		return nil
	}
	if c := component(m, m.Look.Clipped); c >= 0 && m.Look.Clipped[c] > 0.05 {
		return fact.Of("share", m.Look.Clipped[c])
	}
	return nil
}

func greyAsColour(m *channels.Map) fact.Values {
	if !m.Channel.Colour() && m.Channel != material.Normal && m.Component == "r" && m.Look.Info.Components >= 3 && m.Look.Spread < 0.002 && len(m.Look.Mean) > 0 {
		return fact.Of("components", m.Look.Info.Components)
	}
	return nil
}

func lossyData(m *channels.Map) fact.Values {
	if !m.Channel.Colour() && m.Look.Info.Format == codec.JPEG {
		return fact.Of("format", m.Look.Info.Format)
	}
	return nil
}

func wrongEnding(m *channels.Map) fact.Values {
	is := m.Look.Info.Format
	if ext := strings.TrimPrefix(strings.ToLower(path.Ext(m.File)), "."); codec.Format(ext) != is && ext != "jpeg" && ext != "tiff" {
		return fact.Of("format", is)
	}
	return nil
}

// component is where a map's component lies among what was measured of each; −1 if nothing
// was.
func component(m *channels.Map, measured []float64) int {
	return min(material.ComponentIndex(m.Component, len(measured)), len(measured)-1)
}
