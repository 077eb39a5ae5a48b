package handoff

import (
	"bytes"
	"cmp"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"

	"aldermoor/core/material"
)

// gltf is a glTF 2.0 asset: one repeat as a flat quad of true size in the x–y plane whose
// UVs run once over the maps. It needs no extension: every reader shows it at scale.
func (s surface) gltf() []byte {
	size := s.extent
	type object = map[string]any
	var images, textures []object
	listed := map[string]int{}
	texture := func(file string) object {
		if _, ok := listed[file]; !ok {
			listed[file] = len(textures)
			images = append(images, object{"uri": file, "mimeType": "image/png"})
			textures = append(textures, object{"source": len(images) - 1, "sampler": 0})
		}
		return object{"index": listed[file]}
	}
	pbr := object{"metallicFactor": 0.0}
	mat := object{"name": s.name, "pbrMetallicRoughness": pbr}
	extensions := object{}
	even := [4]float64{1, 1, 1, 1}
	for _, k := range s.inputs {
		switch {
		case k.channel == material.BaseColor && k.file != "":
			pbr["baseColorTexture"] = texture(cmp.Or(s.cutout, k.first))
		case k.channel == material.BaseColor:
			copy(even[:], []float64{unit(k.value[0]), unit(k.value[1]), unit(k.value[2])})
			pbr["baseColorFactor"] = even[:]
		case k.channel == material.Opacity && k.file == "":
			even[3] = unit(k.value[0])
			pbr["baseColorFactor"] = even[:]
			if k.value[0] < 1 {
				mat["alphaMode"] = "BLEND"
			}
		case k.channel == material.Opacity && s.cutout != "":
			mat["alphaMode"], mat["alphaCutoff"], mat["doubleSided"] = "MASK", 0.5, true
		case k.channel == material.Metallic && s.packed != "": // a map, or a value that lies in the packed map
			pbr["metallicFactor"] = 1.0
		case k.channel == material.Occlusion:
			mat["occlusionTexture"] = texture(s.packed)
		case k.channel == material.Normal:
			mat["normalTexture"] = texture(k.first)
		case k.channel == material.Emissive && k.file != "":
			mat["emissiveTexture"], mat["emissiveFactor"] = texture(k.first), []float64{1, 1, 1}
		case k.channel == material.Emissive:
			mat["emissiveFactor"] = []float64{unit(k.value[0] / s.strength), unit(k.value[1] / s.strength), unit(k.value[2] / s.strength)}
		}
	}
	if rough, metal := s.find(material.Roughness), s.find(material.Metallic); rough.mapped() || metal.mapped() {
		if s.packed != "" {
			pbr["metallicRoughnessTexture"] = texture(s.packed)
		}
	} else { // of the packed map, if there is one, occlusion alone is asked for
		if rough != nil {
			pbr["roughnessFactor"] = unit(rough.value[0])
		}
		if metal != nil {
			pbr["metallicFactor"] = unit(metal.value[0])
		}
	}
	strength := s.strength
	if e := s.figures.Emission; e.Luminance > 0 { // glTF's emission is in cd/m²
		light := e.Light()
		top := max(light[0], light[1], light[2])
		mat["emissiveFactor"] = []float64{round6(light[0] / top), round6(light[1] / top), round6(light[2] / top)}
		strength = e.Luminance * top
	}
	if strength != 1 {
		extensions["KHR_materials_emissive_strength"] = object{"emissiveStrength": round6(strength)}
	}
	s.extend(extensions)
	if s.figures.TwoSided {
		mat["doubleSided"] = true
	}
	if s.figures.Cutoff > 0 && mat["alphaMode"] != nil {
		mat["alphaMode"], mat["alphaCutoff"] = "MASK", 0.5 // the map is cut already
	}
	if len(extensions) > 0 {
		mat["extensions"] = extensions
	}
	w, h := float32(size.W), float32(size.H)
	var bin bytes.Buffer
	for _, f := range []float32{
		-w / 2, -h / 2, 0, w / 2, -h / 2, 0, w / 2, h / 2, 0, -w / 2, h / 2, 0, // positions
		0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, // normals
		0, 1, 1, 1, 1, 0, 0, 0, // UVs: v goes down from the top
	} {
		binary.Write(&bin, binary.LittleEndian, f)
	}
	for _, i := range []uint16{0, 1, 2, 0, 2, 3} {
		binary.Write(&bin, binary.LittleEndian, i)
	}
	view := func(at, n, target int) object {
		return object{"buffer": 0, "byteOffset": at, "byteLength": n, "target": target}
	}
	extras := object{"release": s.number, "licence": s.licence}
	if s.size.Known() {
		extras["width_m"], extras["height_m"] = s.size.W, s.size.H
	}
	if s.depth > 0 {
		extras["depth_m"] = s.depth
	}
	doc := object{
		"asset": object{"version": "2.0", "generator": "Aldermoor"},
		"scene": 0, "scenes": []object{{"nodes": []int{0}}},
		"nodes":     []object{{"mesh": 0, "name": s.name}},
		"meshes":    []object{{"name": "one repeat", "primitives": []object{{"attributes": object{"POSITION": 0, "NORMAL": 1, "TEXCOORD_0": 2}, "indices": 3, "material": 0}}}},
		"materials": []object{mat},
		"accessors": []object{
			{"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": []float32{-w / 2, -h / 2, 0}, "max": []float32{w / 2, h / 2, 0}},
			{"bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC3"},
			{"bufferView": 2, "componentType": 5126, "count": 4, "type": "VEC2"},
			{"bufferView": 3, "componentType": 5123, "count": 6, "type": "SCALAR"},
		},
		"bufferViews": []object{view(0, 48, 34962), view(48, 48, 34962), view(96, 32, 34962), view(128, 12, 34963)},
		"buffers":     []object{{"byteLength": bin.Len(), "uri": "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(bin.Bytes())}},
		"extras":      extras,
	}
	if len(extensions) > 0 {
		doc["extensionsUsed"] = slices.Sorted(maps.Keys(extensions))
	}
	if len(textures) > 0 {
		doc["images"], doc["textures"] = images, textures
		doc["samplers"] = []object{{"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497}}
	}
	out, err := json.MarshalIndent(doc, "", "  ")
	if err != nil {
		panic(fmt.Sprintf("handoff: glTF of %q: %v", s.name, err)) // only figures and strings: cannot fail
	}
	return out
}

// unit is v within 0..1, to which glTF confines its factors.
func unit(v float64) float64 { return min(max(v, 0), 1) }

func round6(v float64) float64 { return math.Round(v*1e6) / 1e6 }

// extend adds the extensions that say what glTF's core does not: transmission, index, coat, sheen and
// anisotropy (Khronos' KHR_materials_…).
func (s surface) extend(to map[string]any) {
	f := s.figures
	type object = map[string]any
	if f.Index != 1.5 {
		to["KHR_materials_ior"] = object{"ior": f.Index}
	}
	if t := f.Transmission; t.Share > 0 {
		to["KHR_materials_transmission"] = object{"transmissionFactor": t.Share}
		if !t.Thin {
			v := object{"thicknessFactor": round6(max(s.extent.W, s.extent.H))}
			if t.Distance > 0 {
				v["attenuationDistance"], v["attenuationColor"] = t.Distance, t.Color[:]
			}
			to["KHR_materials_volume"] = v
		}
	}
	if c := f.Coat; c.Share > 0 {
		to["KHR_materials_clearcoat"] = object{"clearcoatFactor": c.Share, "clearcoatRoughnessFactor": c.Roughness}
	}
	if h := f.Sheen; h.Share > 0 {
		to["KHR_materials_sheen"] = object{"sheenColorFactor": []float64{h.Share * h.Color[0], h.Share * h.Color[1], h.Share * h.Color[2]}, "sheenRoughnessFactor": h.Roughness}
	}
	if f.Anisotropy != 0 {
		turn := f.AnisotropyAngle * math.Pi / 180
		if f.Anisotropy < 0 {
			turn += math.Pi / 2
		}
		to["KHR_materials_anisotropy"] = object{"anisotropyStrength": math.Abs(f.Anisotropy), "anisotropyRotation": round6(turn)}
	}
}
