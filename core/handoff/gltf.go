package handoff

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"path"
	"slices"

	"aldermoor/core/material"
)

// gltf is a glTF 2.0 asset: one repeat as a flat quad of true size in the x–y plane whose
// UVs run once over the maps, or count metres where the profile wants that.
func (s surface) gltf() []byte {
	out, _ := s.asset(nil)
	return out
}

// glb is the same as one binary file that holds its maps.
func (s surface) glb(files map[string][]byte) []byte {
	doc, bin := s.asset(files)
	for len(doc)%4 != 0 {
		doc = append(doc, ' ')
	}
	out := le.AppendUint32([]byte("glTF"), 2)
	out = le.AppendUint32(out, uint32(12+8+len(doc)+8+len(bin)))
	out = append(le.AppendUint32(out, uint32(len(doc))), "JSON"...)
	out = append(out, doc...)
	out = append(le.AppendUint32(out, uint32(len(bin))), "BIN\x00"...)
	return append(out, bin...)
}

// asset is the document, and what its buffer holds: with the files that it names, if these are
// given. Otherwise the buffer is in the document.
func (s surface) asset(files map[string][]byte) (document, buffer []byte) {
	size := s.extent
	metres := s.uv == UVMetre && s.size.Known()
	type object = map[string]any
	var images, textures []object
	listed := map[string]int{}
	var within []string // the files that the buffer holds, by image
	texture := func(file string) object {
		if _, ok := listed[file]; !ok {
			listed[file] = len(textures)
			kind := "image/png"
			if path.Ext(file) == ".jpg" {
				kind = "image/jpeg"
			}
			if files != nil {
				images = append(images, object{"bufferView": len(within), "mimeType": kind})
				within = append(within, file)
			} else {
				images = append(images, object{"uri": file, "mimeType": kind})
			}
			textures = append(textures, object{"source": len(images) - 1, "sampler": 0})
		}
		out := object{"index": listed[file]}
		if metres { // UVs count metres from the lower left corner; v of the map goes down
			out["extensions"] = object{"KHR_texture_transform": object{"scale": []float64{round6(1 / s.size.W), round6(1 / s.size.H)}}}
		}
		return out
	}
	pbr := object{"metallicFactor": 0.0}
	mat := object{"name": s.name, "pbrMetallicRoughness": pbr}
	extensions := object{}
	even := [4]float64{1, 1, 1, 1}
	g := s.gltfMaps
	for _, k := range s.preview {
		switch {
		case k.channel == material.BaseColor && g.base != "":
			pbr["baseColorTexture"] = texture(g.base)
		case k.channel == material.BaseColor:
			copy(even[:], []float64{unit(k.value[0]), unit(k.value[1]), unit(k.value[2])})
			pbr["baseColorFactor"] = even[:]
		case k.channel == material.Opacity && k.file == "":
			even[3] = unit(k.value[0])
			pbr["baseColorFactor"] = even[:]
			if k.value[0] < 1 {
				mat["alphaMode"] = "BLEND"
			}
		case k.channel == material.Opacity && g.cut:
			mat["alphaMode"], mat["alphaCutoff"], mat["doubleSided"] = "MASK", 0.5, true
		case k.channel == material.Metallic && g.packed != "": // a map, or a value that lies in the packed map
			pbr["metallicFactor"] = 1.0
		case k.channel == material.Occlusion && g.occluded != "":
			mat["occlusionTexture"] = texture(g.occluded)
		case k.channel == material.Normal && g.normal != "":
			mat["normalTexture"] = texture(g.normal)
		case k.channel == material.Emissive && g.emissive != "":
			mat["emissiveTexture"], mat["emissiveFactor"] = texture(g.emissive), []float64{1, 1, 1}
		case k.channel == material.Emissive:
			mat["emissiveFactor"] = []float64{unit(k.value[0] / s.strength), unit(k.value[1] / s.strength), unit(k.value[2] / s.strength)}
		}
	}
	if rough, metal := find(s.preview, material.Roughness), find(s.preview, material.Metallic); g.packed != "" {
		pbr["metallicRoughnessTexture"] = texture(g.packed)
	} else {
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
	if rest := s.unextended(); len(rest) > 0 {
		mat["extras"] = rest
	}
	w, h := float32(size.W), float32(size.H)
	u, v := float32(1), float32(1)
	if metres {
		u, v = w, h
	}
	var bin bytes.Buffer
	for _, f := range []float32{
		-w / 2, -h / 2, 0, w / 2, -h / 2, 0, w / 2, h / 2, 0, -w / 2, h / 2, 0, // positions
		0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1, // normals
		0, v, u, v, u, 0, 0, 0, // UVs: v goes down from the top
	} {
		binary.Write(&bin, binary.LittleEndian, f)
	}
	for _, i := range []uint16{0, 1, 2, 0, 2, 3} {
		binary.Write(&bin, binary.LittleEndian, i)
	}
	attributes := object{"POSITION": 0, "NORMAL": 1, "TEXCOORD_0": 2}
	if g.normal != "" { // u runs to the right, and green is up
		attributes["TANGENT"] = 4
		for range 4 {
			binary.Write(&bin, binary.LittleEndian, []float32{1, 0, 0, 1})
		}
	}
	geometry := bin.Len()
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
		"meshes":    []object{{"name": "one repeat", "primitives": []object{{"attributes": attributes, "indices": 3, "material": 0}}}},
		"materials": []object{mat},
	}
	accessors := []object{
		{"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": []float32{-w / 2, -h / 2, 0}, "max": []float32{w / 2, h / 2, 0}},
		{"bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC3"},
		{"bufferView": 2, "componentType": 5126, "count": 4, "type": "VEC2"},
		{"bufferView": 3, "componentType": 5123, "count": 6, "type": "SCALAR"},
	}
	views := []object{view(0, 48, 34962), view(48, 48, 34962), view(96, 32, 34962), view(128, 12, 34963)}
	if g.normal != "" {
		accessors = append(accessors, object{"bufferView": 4, "componentType": 5126, "count": 4, "type": "VEC4"})
		views = append(views, view(140, 64, 34962))
	}
	doc["accessors"], doc["extras"] = accessors, extras
	if files == nil {
		doc["buffers"] = []object{{"byteLength": geometry, "uri": "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(bin.Bytes())}}
	} else {
		for i, name := range within {
			images[i]["bufferView"] = len(views)
			views = append(views, object{"buffer": 0, "byteOffset": bin.Len(), "byteLength": len(files[name])})
			bin.Write(files[name])
			bin.Write(make([]byte, (4-bin.Len()%4)%4))
		}
		doc["buffers"] = []object{{"byteLength": bin.Len()}}
	}
	doc["bufferViews"] = views
	used := slices.Sorted(maps.Keys(extensions))
	if metres && len(textures) > 0 {
		used = append(used, "KHR_texture_transform")
	}
	if len(used) > 0 {
		doc["extensionsUsed"] = used
	}
	if len(textures) > 0 {
		doc["images"], doc["textures"] = images, textures
		doc["samplers"] = []object{{"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497}}
	}
	out, err := json.MarshalIndent(doc, "", "  ")
	if err != nil {
		panic(fmt.Sprintf("handoff: glTF of %q: %v", s.name, err)) // only figures and strings: cannot fail
	}
	return out, bin.Bytes()
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

// unextended are the figures that no ratified extension says, as the material's extras: rough
// diffuse, the edge of metals, and drift in m/s to the right and down.
func (s surface) unextended() map[string]any {
	f, extras := s.figures, map[string]any{}
	if f.DiffuseRoughness > 0 {
		extras["diffuse_roughness"] = f.DiffuseRoughness
	}
	if f.Edge != [3]float64{1, 1, 1} {
		extras["edge"] = f.Edge
	}
	if s.drifts() {
		extras["drift"] = f.Drift
	}
	return extras
}
