package material

import (
	"math"

	"aldermoor/core/bsdf"
	"aldermoor/core/colour"
)

// Figures change what the sources give, and say what no map says. Neutral has those that
// change nothing. Colours are linear Rec. 709.
type Figures struct {
	Tint  [3]float64   `json:"tint"`  // factors on base colour
	Grade colour.Grade `json:"grade"` // of base colour, after the tint

	Roughness        [2]float64 `json:"roughness"`         // what a roughness of 0 and of 1 become; 1 and 0 invert
	DiffuseRoughness float64    `json:"diffuse_roughness"` // 0..1; 0 is a Lambert surface
	Metallic         float64    `json:"metallic"`          // factor
	Edge             [3]float64 `json:"edge"`              // of metal: reflectance at 82° over Schlick's
	NormalStrength   float64    `json:"normal_strength"`   // factor on the slopes of the normal map
	NormalFlip       bool       `json:"normal_flip"`       // green means the other direction

	Opacity       float64 `json:"opacity"` // factor
	OpacityInvert bool    `json:"opacity_invert"`
	Cutoff        float64 `json:"cutoff"` // opacity from which a surface is there at all; 0 blends
	TwoSided      bool    `json:"two_sided"`

	Emission EmissionFigures `json:"emission"`

	Transmission TransmissionFigures `json:"transmission"`
	Index        float64             `json:"index"` // of refraction, of what is no metal

	Coat  CoatFigures  `json:"coat"`
	Sheen SheenFigures `json:"sheen"`

	Anisotropy      float64 `json:"anisotropy"`       // −1..1
	AnisotropyAngle float64 `json:"anisotropy_angle"` // degrees, from the map's x axis towards its top

	Drift [2]float64 `json:"drift"` // m/s to the right and down: the map slides over the surface
}

// EmissionFigures are those of light that the surface gives off by itself.
type EmissionFigures struct {
	Luminance   float64    `json:"luminance"`   // cd/m² where the emissive map is white; 0 for none
	Color       [3]float64 `json:"color"`       // of luminance 1 or not: only its hue counts
	Temperature float64    `json:"temperature"` // kelvin; 0 where Color says it
}

// TransmissionFigures are those of light that goes through.
type TransmissionFigures struct {
	Share    float64    `json:"share"`    // of the light that is not reflected, 0..1; times the map
	Thin     bool       `json:"thin"`     // a sheet: nothing is bent
	Color    [3]float64 `json:"color"`    // what is left of white light after Distance
	Distance float64    `json:"distance"` // metres; 0 for clear
}

// CoatFigures are those of a clear layer above the surface.
type CoatFigures struct {
	Share     float64    `json:"share"` // 0..1; times the map
	Roughness float64    `json:"roughness"`
	Index     float64    `json:"index"`
	Color     [3]float64 `json:"color"` // of light that passes it straight down and up
}

// SheenFigures are those of the light that fibres standing on the surface scatter.
type SheenFigures struct {
	Share     float64    `json:"share"` // 0..1; times the map
	Color     [3]float64 `json:"color"`
	Roughness float64    `json:"roughness"`
}

// Reflectance is that of what is no metal, straight on, by its index of refraction.
func Reflectance(index float64) float64 { return float64(bsdf.NormalReflectance(float32(index))) }

// Alpha is the roughness α of the fibres.
func (s SheenFigures) Alpha() float64 { return bsdf.SheenAlpha(s.Roughness) }

var white = [3]float64{1, 1, 1}

// Neutral are figures that change nothing.
func Neutral() Figures {
	return Figures{Tint: white, Grade: colour.NoGrade(), Roughness: [2]float64{0, 1}, Metallic: 1, Edge: white, NormalStrength: 1, Opacity: 1,
		Emission: EmissionFigures{Color: white}, Transmission: TransmissionFigures{Color: white}, Index: 1.5,
		Coat: CoatFigures{Roughness: 0.1, Index: 1.5, Color: white}, Sheen: SheenFigures{Color: white, Roughness: 0.5}}
}

// Light is the emission's colour, of luminance 1.
func (e EmissionFigures) Light() [3]float64 {
	c := colour.RGB{float32(e.Color[0]), float32(e.Color[1]), float32(e.Color[2])}
	if e.Temperature > 0 {
		c = colour.Temperature(e.Temperature)
	}
	l := max(colour.Luminance(c), 1e-6)
	return [3]float64{float64(c[0] / l), float64(c[1] / l), float64(c[2] / l)}
}

// Recolour is base colour as the figures have it.
func (f Figures) Recolour(c colour.RGB) colour.RGB {
	for i, k := range f.Tint {
		c[i] *= float32(k)
	}
	if f.Grade != colour.NoGrade() {
		c = f.Grade.Apply(c)
	}
	return c
}

// Recolours says whether Recolour changes anything.
func (f Figures) Recolours() bool { return f.Tint != white || f.Grade != colour.NoGrade() }

// OpacityOf is a stored opacity as the figures have it.
func (f Figures) OpacityOf(v float32) float32 {
	if f.OpacityInvert {
		v = 1 - v
	}
	v *= float32(f.Opacity)
	if f.Cutoff > 0 {
		if v >= float32(f.Cutoff) {
			return 1
		}
		return 0
	}
	return v
}

// OutOfRange names the figure that has no meaning, and its limits; "" if all have one.
// A figure that can be, but not in nature, is a finding, not an error.
func (f Figures) OutOfRange() (name string, lo, hi float64) {
	for _, k := range f.limits() {
		for _, v := range k.values {
			if !(v >= k.lo && v <= k.hi) {
				return k.name, k.lo, k.hi
			}
		}
	}
	return "", 0, 0
}

type limit struct {
	name   string
	lo, hi float64
	values []float64
}

func (f Figures) limits() []limit {
	return []limit{
		{"tint", 0, 100, f.Tint[:]}, {"slope", 0, 100, f.Grade.Slope[:]}, {"offset", -1, 1, f.Grade.Offset[:]}, {"power", 0.01, 100, f.Grade.Power[:]},
		{"saturation", 0, 10, []float64{f.Grade.Saturation}}, {"roughness", 0, 1, f.Roughness[:]}, {"diffuse_roughness", 0, 1, []float64{f.DiffuseRoughness}},
		{"metallic", 0, 1, []float64{f.Metallic}}, {"edge", 0, 4, f.Edge[:]}, {"normal_strength", 0, 20, []float64{f.NormalStrength}},
		{"opacity", 0, 1, []float64{f.Opacity}}, {"cutoff", 0, 1, []float64{f.Cutoff}},
		{"luminance", 0, 1e9, []float64{f.Emission.Luminance}}, {"color", 0, 100, f.Emission.Color[:]}, {"temperature", 0, 100000, []float64{f.Emission.Temperature}},
		{"transmission", 0, 1, []float64{f.Transmission.Share}}, {"color", 0, 1, f.Transmission.Color[:]}, {"distance", 0, 1e6, []float64{f.Transmission.Distance}},
		{"index", 1, 5, []float64{f.Index, f.Coat.Index}}, {"coat", 0, 1, append([]float64{f.Coat.Share, f.Coat.Roughness}, f.Coat.Color[:]...)},
		{"sheen", 0, 1, append([]float64{f.Sheen.Share, f.Sheen.Roughness}, f.Sheen.Color[:]...)}, {"anisotropy", -1, 1, []float64{f.Anisotropy}},
		{"anisotropy_angle", -360, 360, []float64{f.AnisotropyAngle}}, {"drift", -1000, 1000, f.Drift[:]},
	}
}

// Absorption is what a metre leaves of light as a natural logarithm, a component: σ in e^(−σ·d).
func (t TransmissionFigures) Absorption() (sigma [3]float64) {
	if t.Distance <= 0 {
		return sigma
	}
	for i, c := range t.Color {
		sigma[i] = -math.Log(max(c, 1e-4)) / t.Distance
	}
	return sigma
}
