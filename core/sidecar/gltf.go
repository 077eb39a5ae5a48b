package sidecar

import (
	"encoding/json"

	"aldermoor/core/material"
)

// texture is a reference of a glTF material to a texture.
type texture struct {
	Index *int `json:"index"`
}

// gltf reads a glTF 2.0 document: each material's textures (section 5.19, and the KHR_materials extensions).
// It is false for JSON that is none.
func (d *Document) gltf(text []byte) bool {
	var g struct {
		Asset  *struct{ Version string } `json:"asset"`
		Images []struct {
			URI string `json:"uri"`
		} `json:"images"`
		Textures []struct {
			Source     *int `json:"source"`
			Extensions map[string]struct {
				Source *int `json:"source"`
			} `json:"extensions"`
		} `json:"textures"`
		Materials []map[string]json.RawMessage `json:"materials"`
	}
	if json.Unmarshal(text, &g) != nil || g.Asset == nil || g.Asset.Version == "" {
		return false
	}
	uri := func(t texture) string {
		if t.Index == nil || *t.Index < 0 || *t.Index >= len(g.Textures) {
			return ""
		}
		tex := g.Textures[*t.Index]
		source := tex.Source
		for _, e := range tex.Extensions {
			if source == nil {
				source = e.Source
			}
		}
		if source == nil || *source < 0 || *source >= len(g.Images) {
			return ""
		}
		return g.Images[*source].URI
	}
	for i, m := range g.Materials {
		group := i + 1
		var find func(raw map[string]json.RawMessage, depth int)
		find = func(raw map[string]json.RawMessage, depth int) {
			for key, value := range raw {
				var t texture
				if say, ok := gltfTextures[key]; ok && json.Unmarshal(value, &t) == nil && uri(t) != "" {
					for _, s := range say {
						if len(d.Mentions) >= mostMentions {
							return
						}
						d.Mentions = append(d.Mentions, Mention{File: fileOf(uri(t)), Channel: s.Channel, Weight: 1, Component: s.Component, Side: s.Side, Word: key, Group: group})
					}
				}
				var inner map[string]json.RawMessage
				if depth < 4 && json.Unmarshal(value, &inner) == nil {
					find(inner, depth+1)
				}
			}
		}
		find(m, 0)
	}
	return true
}

// gltfTextures are the textures of materials, with the components that the specification gives them.
var gltfTextures = map[string][]Mention{
	"baseColorTexture":          {{Channel: material.BaseColor}},
	"metallicRoughnessTexture":  {{Channel: material.Roughness, Component: "g"}, {Channel: material.Metallic, Component: "b"}},
	"normalTexture":             {{Channel: material.Normal, Side: "y+"}},
	"occlusionTexture":          {{Channel: material.Occlusion, Component: "r"}},
	"emissiveTexture":           {{Channel: material.Emissive}},
	"diffuseTexture":            {{Channel: material.BaseColor}},
	"specularGlossinessTexture": {{Channel: material.Specular}, {Channel: material.Glossiness, Component: "a"}},
	"specularColorTexture":      {{Channel: material.Specular}},
	"transmissionTexture":       {{Channel: material.Transmission, Component: "r"}},
	"clearcoatTexture":          {{Channel: material.Coat, Component: "r"}},
	"sheenColorTexture":         {{Channel: material.Sheen}},
	"anisotropyTexture":         {{Channel: material.Anisotropy}},
}
