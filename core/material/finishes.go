package material

import "aldermoor/core/bsdf"

// Finish is a kind of surface that a few physical figures describe, without maps.
type Finish struct {
	ID, Title, Group string
	Source           string // of the figures, where they were measured
	Colour           bool   // takes a colour of one's own
	Color            [3]float64
	Roughness        float64
	Metallic         float64
	Change           func(f *Figures, color [3]float64)
}

// Finishes are the kinds to start from, by group.
func Finishes() []Finish {
	const handbook = "complex indices at 650, 550 and 450 nm: "
	metal := func(id, title, source string, roughness float64, n, k [3]float64) Finish {
		f0, edge := bsdf.Metal(n, k)
		return Finish{ID: id, Title: title, Group: "Metal", Source: handbook + source, Roughness: roughness, Metallic: 1, Color: [3]float64{float64(f0.X), float64(f0.Y), float64(f0.Z)},
			Change: func(f *Figures, _ [3]float64) {
				f.Edge = [3]float64{float64(edge.X), float64(edge.Y), float64(edge.Z)}
			}}
	}
	grey := func(v float64) [3]float64 { return [3]float64{v, v, v} }
	plain := func(id, title, group string, color [3]float64, roughness float64, change func(f *Figures, c [3]float64)) Finish {
		return Finish{ID: id, Title: title, Group: group, Colour: true, Color: color, Roughness: roughness, Change: change}
	}
	glass := func(share, index, distance float64, thin bool) func(f *Figures, c [3]float64) {
		return func(f *Figures, c [3]float64) {
			f.Index = index
			f.Transmission = TransmissionFigures{Share: share, Thin: thin, Color: c, Distance: distance}
			if thin {
				f.Transmission.Color, f.Transmission.Distance = white, 0
			}
		}
	}
	glow := func(luminance, kelvin float64) func(f *Figures, c [3]float64) {
		return func(f *Figures, _ [3]float64) {
			f.Emission = EmissionFigures{Luminance: luminance, Color: white, Temperature: kelvin}
		}
	}
	return []Finish{
		metal("gold", "Gold", "Johnson & Christy 1972", 0.15, [3]float64{0.18299, 0.42108, 1.3734}, [3]float64{3.4242, 2.3459, 1.7704}),
		metal("silver", "Silver", "Johnson & Christy 1972", 0.15, [3]float64{0.15943, 0.14512, 0.13547}, [3]float64{3.9291, 3.1900, 2.3808}),
		metal("copper", "Copper", "Johnson & Christy 1972", 0.2, [3]float64{0.27105, 0.67693, 1.3164}, [3]float64{3.6092, 2.6248, 2.2921}),
		metal("brass", "Brass", "Querry 1985", 0.2, [3]float64{0.444, 0.527, 1.094}, [3]float64{3.695, 2.765, 1.829}),
		metal("aluminium", "Aluminium", "Rakić 1995", 0.3, [3]float64{1.3456, 0.96521, 0.61722}, [3]float64{7.4746, 6.3995, 5.3031}),
		metal("chromium", "Chromium", "Johnson & Christy 1974", 0.05, [3]float64{3.1071, 3.1812, 2.3230}, [3]float64{3.3314, 3.3291, 3.1350}),
		metal("iron", "Iron", "Johnson & Christy 1974", 0.45, [3]float64{2.9114, 2.9497, 2.5845}, [3]float64{3.0893, 2.9318, 2.7670}),
		metal("titanium", "Titanium", "Johnson & Christy 1974", 0.4, [3]float64{2.7407, 2.5418, 2.2370}, [3]float64{3.8143, 3.4345, 3.0385}),

		plain("gloss-paint", "Gloss paint", "Paint", grey(0.6), 0.12, nil),
		plain("satin-paint", "Satin paint", "Paint", grey(0.6), 0.4, nil),
		plain("matt-paint", "Matt paint", "Paint", grey(0.6), 0.85, func(f *Figures, _ [3]float64) { f.DiffuseRoughness = 0.5 }),
		plain("enamel", "Enamel", "Paint", grey(0.75), 0.35, func(f *Figures, _ [3]float64) { f.Coat.Share, f.Coat.Roughness = 1, 0.04 }),
		plain("limewash", "Limewash", "Paint", grey(0.7), 1, func(f *Figures, _ [3]float64) { f.DiffuseRoughness = 1 }),

		plain("plastic", "Smooth plastic", "Plastic", grey(0.4), 0.2, func(f *Figures, _ [3]float64) { f.Index = 1.46 }),
		plain("grained-plastic", "Grained plastic", "Plastic", grey(0.2), 0.55, func(f *Figures, _ [3]float64) { f.Index = 1.46 }),
		plain("rubber", "Rubber", "Plastic", grey(0.03), 0.75, func(f *Figures, _ [3]float64) { f.Index = 1.52 }),

		plain("glass", "Clear glass", "Glass", [3]float64{0.86, 0.95, 0.91}, 0, glass(1, 1.52, 0.5, false)),
		plain("frosted-glass", "Frosted glass", "Glass", [3]float64{0.9, 0.96, 0.94}, 0.45, glass(1, 1.52, 0.5, false)),
		plain("pane", "Thin pane", "Glass", [3]float64{0.92, 0.96, 0.94}, 0.02, glass(1, 1.52, 0, true)),
		plain("water", "Water", "Liquid", [3]float64{0.65, 0.93, 0.98}, 0, glass(1, 1.333, 1, false)),
		plain("oil", "Lamp oil", "Liquid", [3]float64{0.93, 0.72, 0.25}, 0, glass(1, 1.47, 0.1, false)),

		plain("wool", "Wool", "Cloth", grey(0.25), 0.95, func(f *Figures, c [3]float64) {
			f.DiffuseRoughness = 0.8
			f.Sheen = SheenFigures{Share: 0.5, Color: paler(c), Roughness: 0.6}
		}),
		plain("velvet", "Velvet", "Cloth", [3]float64{0.12, 0.02, 0.04}, 1, func(f *Figures, c [3]float64) {
			f.DiffuseRoughness = 0.6
			f.Sheen = SheenFigures{Share: 1, Color: paler(c), Roughness: 0.35}
		}),

		plain("lamp-glass", "Lamp glass", "Glowing", grey(0.8), 0.4, glow(5000, 2700)),
		plain("mantle", "Lantern mantle", "Glowing", grey(0.8), 0.9, glow(60000, 3200)),
		plain("embers", "Embers", "Glowing", grey(0.05), 0.9, glow(800, 1800)),
	}
}

// paler is a colour half way to white.
func paler(c [3]float64) [3]float64 {
	for i, v := range c {
		c[i] = (v + 1) / 2
	}
	return c
}

// FinishOf is the kind of an id; nil if there is none.
func FinishOf(id string) *Finish {
	for _, f := range Finishes() {
		if f.ID == id {
			return &f
		}
	}
	return nil
}

// Figures are the figures and the constants of the finish in a colour.
func (f Finish) Figures(color [3]float64) (Figures, map[Channel][3]float64) {
	out := Neutral()
	if !f.Colour {
		color = f.Color
	}
	if f.Change != nil {
		f.Change(&out, color)
	}
	base := color
	if t := out.Transmission; t.Share > 0 && !t.Thin {
		base = white // what goes through takes its colour on its way
	}
	c := map[Channel][3]float64{BaseColor: base, Roughness: {f.Roughness, f.Roughness, f.Roughness}}
	if f.Metallic > 0 {
		c[Metallic] = [3]float64{f.Metallic, f.Metallic, f.Metallic}
	}
	return out, c
}

// Implausible names the figures that no surface has in nature, with their values; base, if it is not
// nil, is the colour of a surface without a map.
func (f Figures) Implausible(base *[3]float64, metallic float64) (names []string, values []float64) {
	add := func(name string, v float64, odd bool) {
		if odd {
			names, values = append(names, name), append(values, v)
		}
	}
	add("index", f.Index, f.Index > 2.7 || f.Index < 1.2 && f.Index != 1)
	add("coat_index", f.Coat.Index, f.Coat.Share > 0 && (f.Coat.Index > 2 || f.Coat.Index < 1.2))
	add("luminance", f.Emission.Luminance, f.Emission.Luminance > 2e9)
	add("temperature", f.Emission.Temperature, f.Emission.Temperature > 0 && (f.Emission.Temperature < 1000 || f.Emission.Temperature > 20000))
	add("normal_strength", f.NormalStrength, f.NormalStrength > 3)
	add("roughness", f.Roughness[1], f.Roughness[0] == f.Roughness[1] && f.Roughness[0] == 0)
	if base != nil && f.Transmission.Share == 0 && f.Emission.Luminance == 0 {
		y := 0.2126*base[0] + 0.7152*base[1] + 0.0722*base[2]
		if metallic > 0.5 {
			add("metal_colour", y, y < 0.4)
		} else {
			add("albedo", y, y < 0.012 || y > 0.87)
		}
		add("metallic", metallic, metallic > 0.05 && metallic < 0.95)
	}
	return names, values
}
