package handoff

import (
	"aldermoor/core/material"
)

// Loss is something that is known of a material and that a description has no place for.
type Loss struct {
	Description Description `json:"description"`
	What        string      `json:"what"` // coat_color, edge …: see lossNames
}

// lossNames are what descriptions can have no place for, in words.
var lossNames = map[string]string{"height": "the relief", "tiles": "tiles after the first", "occlusion": "occlusion", "diffuse_roughness": "diffuse roughness", "edge": "the edge colour of metals",
	"two_sided": "two sides", "drift": "drift", "transmission": "transmission", "transmission_base": "a base colour beside an absorption colour", "coat_color": "the coat's colour",
	"coat_index": "the coat's index", "sheen": "sheen", "anisotropy": "anisotropy", "specular": "a specular map of metals", "index": "an index of 1"}

// Name is what is lost, in words.
func (l Loss) Name() string { return lossNames[l.What] }

// losses are what a handoff's descriptions do not say; material.json says all of it.
func (m *Material) losses(f Form) (list []Loss) {
	for _, d := range f.Descriptions {
		for _, what := range m.lostIn(d) {
			list = append(list, Loss{d, what})
		}
	}
	return list
}

// lostIn are the losses of one description. Sources: the specifications of glTF 2.0 and Khronos' KHR extensions,
// of MaterialX' standard_surface and of UsdPreviewSurface.
func (m *Material) lostIn(d Description) (list []string) {
	f := m.Figures
	lost := func(what string, is bool) {
		if is {
			list = append(list, what)
		}
	}
	white := [3]float64{1, 1, 1}
	gltf, mtlx, usd := d == GLTF || d == GLB, d == MaterialX, d == USD
	hasMap := func(c material.Channel) bool { return len(m.sources(c, MetalRough)) > 0 }
	base, _ := m.value(material.BaseColor)
	occlusion, even := m.constant(material.Occlusion)
	specular := m.Source(material.Specular)
	if m.specGloss() {
		specular = nil // in base colour and metallic
	}
	coloured := specular != nil && (specular.Map != nil || specular.Value[0] != specular.Value[1] || specular.Value[1] != specular.Value[2])

	lost("height", gltf && m.find(material.Height) != nil)
	lost("height", !gltf && m.find(material.Height) != nil && m.Depth <= 0)
	lost("tiles", gltf && m.tiles()[0] != "" && len(m.tiles()) > 1)
	lost("occlusion", mtlx && hasMap(material.Occlusion) || !usd && even && occlusion[0] != 1)
	lost("diffuse_roughness", !mtlx && f.DiffuseRoughness > 0)
	lost("edge", f.Edge != white && m.metal())
	lost("two_sided", mtlx && f.TwoSided)
	lost("drift", gltf && f.Drift != [2]float64{})
	lost("transmission", usd && f.Transmission.Share > 0)
	lost("transmission_base", mtlx && f.Transmission.Share > 0 && f.Transmission.Distance > 0 && !f.Transmission.Thin && (hasMap(material.BaseColor) || base != white))
	lost("coat_color", !mtlx && f.Coat.Share > 0 && f.Coat.Color != white)
	lost("coat_index", gltf && f.Coat.Share > 0 && f.Coat.Index != 1.5 || usd && f.Coat.Share > 0 && f.Coat.Index != f.Index)
	lost("sheen", usd && f.Sheen.Share > 0)
	lost("anisotropy", usd && f.Anisotropy != 0)
	lost("specular", usd && coloured && m.metal())
	lost("index", usd && specular == nil && f.Index <= 1)
	return list
}
