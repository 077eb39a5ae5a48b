package handoff

import (
	"math"

	"aldermoor/core/material"
	"aldermoor/core/raster"
)

// This file converts anisotropy. Ours stretches a lobe of α = roughness² to α·(1 + a) along the streaks and α·(1 − a)
// across. glTF keeps α across and goes towards 1 along (KHR_materials_anisotropy: mix(α, 1, strength²)); MaterialX
// divides α by √(1 − a) along and multiplies it across (roughness_anisotropy).

// Channels that glTF's files hold for it.
const (
	streakDirection material.Channel = "streak_direction" // x and y of the direction of the streaks before it is turned
	streakStrength  material.Channel = "streak_strength"
	roughnessAcross material.Channel = "roughness_across"
)

// gltfStreaks are the roughness across the streaks and the strength of anisotropy as glTF has them.
func gltfStreaks(rough, anisotropy float64) (across, strength float64) {
	a := math.Abs(anisotropy)
	alpha := rough * rough
	low, high := alpha*(1-a), min(alpha*(1+a), 1)
	if low >= 1 || high <= low {
		return rough, 0
	}
	return math.Sqrt(low), math.Sqrt((high - low) / (1 - low))
}

// materialXStreaks are what MaterialX' roughness is multiplied by and its anisotropy.
func materialXStreaks(anisotropy float64) (factor, streaks float64) {
	a := min(math.Abs(anisotropy), 0.999)
	return math.Sqrt(math.Sqrt(1 - a*a)), 2 * a / (1 + a)
}

// turned is the angle of the streaks in turns, anticlockwise from the map's x axis: those of a negative
// anisotropy lie across.
func turned(f material.Figures) float64 {
	turn := f.AnisotropyAngle / 360
	if f.Anisotropy < 0 {
		turn += 0.25
	}
	return turn
}

// streaked says whether anisotropy needs maps in glTF: it depends on the roughness there, which shares a file with
// metallic.
func (m *Material) streaked() bool {
	return m.Figures.Anisotropy != 0 && len(m.sources(streakStrength, MetalRough))+len(m.sources(material.Metallic, MetalRough)) > 0
}

// streaks make a channel of glTF's anisotropy.
func (b *builder) streaks(c material.Channel) (*raster.Image, error) {
	var rough, share raster.Plane
	var from *raster.Image
	if s := b.m.rough(); b.has(s) {
		im, err := b.roughness(s, false)
		if err != nil {
			return nil, err
		}
		rough, from = im.Plane(0), im
	}
	if s := b.m.find(material.Anisotropy); b.has(s) {
		im, err := b.data(s)
		if err != nil {
			return nil, err
		}
		if share = im.Plane(0); rough.W == 0 {
			from = im
		}
	}
	w, h := max(rough.W, share.W), max(rough.H, share.H)
	even := func(p raster.Plane, c material.Channel) raster.Plane {
		if p.W > 0 {
			return p.Resample(w, h, raster.Area)
		}
		v, _ := b.m.value(c)
		return even(w, h, float32(v[0]))
	}
	rough, share = even(rough, material.Roughness), even(share, material.Anisotropy)
	out := raster.NewPlane(w, h)
	for i := range out.Pix {
		across, strength := gltfStreaks(float64(rough.Pix[i]), b.m.Figures.Anisotropy*float64(share.Pix[i]))
		if c == roughnessAcross {
			out.Pix[i] = float32(across)
		} else {
			out.Pix[i] = float32(strength)
		}
	}
	return b.done(from, out), nil
}
