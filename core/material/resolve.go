package material

import "aldermoor/core/scale"

// Overrides are what a variant states itself. What is nil comes from its parent, so that a
// change of the parent flows through; setting a field to nil again resets it.
type Overrides struct {
	Sources        []Source    `json:"sources,omitempty"` // in place of the parent's for their channels
	Size           *scale.Size `json:"size,omitempty"`
	Depth          *float64    `json:"depth_m,omitempty"`
	Zero           *float64    `json:"zero,omitempty"`
	Tint           *[3]float64 `json:"tint,omitempty"`
	Roughness      *[2]float64 `json:"roughness,omitempty"`
	NormalStrength *float64    `json:"normal_strength,omitempty"`
	Opacity        *float64    `json:"opacity,omitempty"`
}

// Resolve is a material with overrides laid over it, one after another: the first is a
// variant's of the material, the next a variant's of that. Neither is changed.
func Resolve(m Material, chain ...Overrides) Material {
	for _, o := range chain {
		for _, s := range o.Sources {
			m.Put(s)
		}
		set(&m.Size, o.Size)
		set(&m.Depth, o.Depth)
		set(&m.Zero, o.Zero)
		set(&m.Figures.Tint, o.Tint)
		set(&m.Figures.Roughness, o.Roughness)
		set(&m.Figures.NormalStrength, o.NormalStrength)
		set(&m.Figures.Opacity, o.Opacity)
	}
	return m
}

func set[T any](to, v *T) {
	if v != nil {
		*to = *v
	}
}
