package inspect

import (
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"aldermoor/core/channels"
	"aldermoor/core/codec"
	"aldermoor/core/material"
	"aldermoor/core/normals"
	"aldermoor/core/scale"
)

// Check runs the checks that need no pixels beside those already measured.
func (s *Set) Check(set channels.Set) {
	maps := set.Maps
	find := func(code string, sev Severity, files []string, says string, args ...any) {
		if files == nil {
			files = []string{}
		}
		f := Finding{code, sev, files, fmt.Sprintf(says, args...)}
		if !slices.ContainsFunc(s.Findings, func(g Finding) bool { return g.Code == f.Code && g.Says == f.Says }) { // of a packed file once
			s.Findings = append(s.Findings, f)
		}
	}
	has := map[material.Channel]bool{}
	sizes := map[string][]string{}
	for _, m := range maps {
		has[m.Channel] = true
		in := m.Look.Info
		base := path.Base(m.File)
		one := []string{m.File}
		if in.NotFinite > 0 {
			find("not_finite", Warn, one, "%s has %s that are NaN or infinite. They are replaced by the mean of their neighbours.", base, samples(in.NotFinite))
		}
		k := fmt.Sprintf("%d × %d", in.W, in.H)
		sizes[k] = append(sizes[k], m.File)
		if m.Channel == material.Normal && m.Claim != normals.Unknown && m.Facing != m.Claim {
			find("normal_direction_mismatch", Warn, one, "%s is named %s, but its slopes fit together only as %s (%.2f). It is taken as %s.",
				base, sign(m.Claim), sign(m.Facing), m.Sure, sign(m.Facing))
		}
		if m.Channel == material.Normal && m.Facing == normals.Unknown {
			find("normal_direction_unknown", Note, one, "%s is too flat to tell its direction; it is taken as Y+.", base)
		}
		if !m.Channel.Colour() && in.Profile != "" && m.Component != "a" {
			find("data_colour_managed", Warn, one, "%s holds data but carries the colour profile %q: it may have been changed on the way. Ask the station for it without colour management.", base, in.Profile)
		}
		if m.Channel == material.BaseColor && m.Component == "rgb" {
			s.colour(m, base, find)
		}
		if m.Channel == material.Normal && m.Component == "rgb" && in.Components >= 3 && m.Look.UnitLength < 0.9 && m.Look.UnitLength > 0 {
			find("normal_not_unit", Warn, one, "Of %s %.0f %% of the pixels are no unit vectors: it was scaled or mixed without being normalised again.", base, 100*(1-m.Look.UnitLength))
		}
		if c := component(m.Component); (m.Channel == material.BaseColor || m.Channel == material.Normal || m.Channel == material.Height) && c < len(m.Look.StdDev) && m.UDIM == "" {
			empty := m.Look.Max[c]-m.Look.Min[c] < 1e-6
			if m.Component == "rgb" {
				for k := range m.Look.Max {
					empty = empty && m.Look.Max[k]-m.Look.Min[k] < 1e-6
				}
			}
			if empty && m.Channel != material.BaseColor || empty && m.Look.Max[c] < 1e-6 { // a plain colour may be meant
				find("map_empty", Stop, one, "%s has one value everywhere: it says nothing. Export it again.", base)
			}
		}
		if c := component(m.Component); c < len(m.Look.Clipped) && m.Channel != material.Metallic && m.Channel != material.Opacity && m.Channel != material.Mask && m.Channel != material.Emissive && m.Channel != material.Occlusion && m.Channel != material.Normal {
			if share := m.Look.Clipped[c]; share > 0.05 {
				find("clipped", Warn, one, "Of %s %.0f %% are at the very end of the range, and hardly any near it: what lay beyond is lost.", base, 100*share)
			}
		}
		if !m.Channel.Colour() && m.Channel != material.Normal && m.Component == "r" && in.Components >= 3 && m.Look.Spread < 0.002 && len(m.Look.Mean) > 0 {
			find("grey_as_colour", Note, one, "%s is grey but stored as colour: three times the memory for nothing. One component is taken.", base)
		}
		switch deep := m.Look.TrueBits > 8 || in.Float; {
		case m.Channel == material.Height && in.Bits == 8:
			find("height_8bit", Warn, one, "%s has 8 bits: its 256 steps show as terraces at a low sun. Ask for 16 bits.", base)
		case m.Channel == material.Height && !deep:
			find("height_8bit", Warn, one, "%s has 16 bits but was made of 8: its 256 steps show as terraces at a low sun. Ask for a true 16-bit map.", base)
		case in.Bits == 16 && !deep:
			find("bits_empty", Note, one, "%s has 16 bits but was made of 8: the rest is empty.", base)
		}
		if !m.Channel.Colour() && in.Format == codec.JPEG {
			find("lossy_data", Note, one, "%s holds data in a lossy format: its values are only near what was measured.", base)
		}
		if ext := strings.TrimPrefix(strings.ToLower(path.Ext(m.File)), "."); codec.Format(ext) != in.Format && ext != "jpeg" && ext != "tiff" {
			find("wrong_ending", Note, one, "%s is a %s file, whatever its ending says. It was read as that.", base, strings.ToUpper(string(in.Format)))
		}
		if d := in.Density; d[0] > 0 && math.Abs(d[0]/d[1]-1) > 0.01 {
			find("pixels_not_square", Warn, one, "%s says %s px/m across and %s down: its pixels are not square.", base, scale.Figure(d[0]), scale.Figure(d[1]))
		}
	}
	for _, r := range set.Refused {
		find("normal_object_space", Stop, []string{r.File}, "%s %s.", path.Base(r.File), r.Says)
	}
	for _, u := range set.Unlike {
		find("tier_differs", Warn, []string{u[0], u[1]}, "%s should show the same as %s, and does not: one of them is of another scan or state.", path.Base(u[1]), path.Base(u[0]))
	}
	if len(sizes) > 1 {
		var all []string
		for k, files := range sizes {
			all = append(all, files...)
			_ = k
		}
		find("maps_differ_in_size", Note, all, "The maps come in %d different sizes.", len(sizes))
	}
	if len(maps) > 0 && !has[material.BaseColor] {
		find("missing_base_color", Warn, nil, "There is no base colour.")
	}
	if len(maps) > 0 && !has[material.Roughness] && !has[material.Glossiness] {
		find("missing_roughness", Warn, nil, "There is neither roughness nor glossiness.")
	}
	if len(maps) > 0 && s.Size.Width == nil {
		find("size_unknown", Warn, nil, "No file says how large the patch is. Type its size, or the material cannot be laid at true scale.")
	}
	if spread := scale.Spread(s.SizeEvidence); spread > 0.05 {
		find("size_disagrees", Warn, nil, "The answers to how large the patch is differ by up to %.0f %%.", 100*spread)
	}
}

// colour checks a base colour against what surfaces can be: outside of sRGB 30 to 240
// nothing but metal reflects (Lagarde & de Rousiers 2014), and a patch that gets lighter
// towards one place was not lit evenly.
func (s *Set) colour(m channels.Map, base string, find func(string, Severity, []string, string, ...any)) {
	var mean float64
	for c, k := range []float64{0.2126, 0.7152, 0.0722} {
		if c < len(m.Look.Mean) {
			mean += k * m.Look.Mean[c]
		}
	}
	if m.Look.Info.Float || len(m.Look.Mean) < 3 {
		return // light, not codes
	}
	one := []string{m.File}
	switch {
	case mean < 30.0/255:
		find("albedo_dark", Warn, one, "%s is on average sRGB %.0f; no dry surface but soot is darker than 30. It may be under-exposed.", base, 255*mean)
	case mean > 240.0/255:
		find("albedo_bright", Warn, one, "%s is on average sRGB %.0f; fresh snow has 240. It may be over-exposed.", base, 255*mean)
	}
	if amount, share, even := lamp(m.Look); amount > 0.35 && share > 0.3 && even > 0.5 {
		find("baked_light", Warn, one, "There is light in %s: it gets lighter by %.0f %% or more towards one place, and every repeat will show that.", base, 100*amount)
	}
}

func sign(d normals.Direction) string {
	switch d {
	case normals.Up:
		return "Y+"
	case normals.Down:
		return "Y−"
	}
	return "unknown"
}

func samples(n int) string {
	if n == 1 {
		return "1 sample"
	}
	return fmt.Sprintf("%d samples", n)
}
