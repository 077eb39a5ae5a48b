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

// object is a JSON object of glTF.
type object = map[string]any

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
	a := &gltfAsset{surface: s, listed: map[string]int{}, embeds: files != nil, extensions: object{}, metres: s.uv == UVMetre && s.size.Known()}
	mat := a.material()
	doc, bin := a.quad(files)
	doc["materials"] = []object{mat}
	used := slices.Sorted(maps.Keys(a.extensions))
	if a.metres && len(a.textures) > 0 {
		used = append(used, "KHR_texture_transform")
	}
	if len(used) > 0 {
		doc["extensionsUsed"] = used
	}
	if len(a.textures) > 0 {
		doc["images"], doc["textures"] = a.images, a.textures
		doc["samplers"] = []object{{"magFilter": 9729, "minFilter": 9987, "wrapS": 10497, "wrapT": 10497}}
	}
	out, err := json.MarshalIndent(doc, "", "  ")
	if err != nil {
		panic(fmt.Sprintf("handoff: glTF of %q: %v", s.name, err)) // only figures and strings: cannot fail
	}
	return out, bin
}

// gltfAsset is an asset in the making.
type gltfAsset struct {
	surface
	images, textures []object
	listed           map[string]int // textures by file
	within           []string       // the files that the buffer holds, by image
	embeds           bool
	metres           bool // UVs count metres
	extensions       object
}

// texture refers to a file, as data is read and as colour is.
func (a *gltfAsset) texture(file string) object {
	if _, ok := a.listed[file]; !ok {
		a.listed[file] = len(a.textures)
		kind := "image/png"
		if path.Ext(file) == ".jpg" {
			kind = "image/jpeg"
		}
		if a.embeds {
			a.images = append(a.images, object{"bufferView": len(a.within), "mimeType": kind})
			a.within = append(a.within, file)
		} else {
			a.images = append(a.images, object{"uri": file, "mimeType": kind})
		}
		a.textures = append(a.textures, object{"source": len(a.images) - 1, "sampler": 0})
	}
	out := object{"index": a.listed[file]}
	if a.metres { // UVs count metres from the lower left corner; v of the map goes down
		out["extensions"] = object{"KHR_texture_transform": object{"scale": []float64{round6(1 / a.size.W), round6(1 / a.size.H)}}}
	}
	return out
}

// material is the asset's material.
func (a *gltfAsset) material() object {
	mat := object{"name": a.name, "pbrMetallicRoughness": a.core()}
	g := a.gltfMaps
	a.opacity(mat)
	if g.occluded != "" {
		mat["occlusionTexture"] = a.texture(g.occluded)
	}
	if g.normal != "" {
		mat["normalTexture"] = a.texture(g.normal)
	}
	a.emission(mat)
	a.reflection()
	a.layers()
	a.streaked()
	if len(a.extensions) > 0 {
		mat["extensions"] = a.extensions
	}
	if rest := a.unextended(); len(rest) > 0 {
		mat["extras"] = rest
	}
	if a.figures.TwoSided {
		mat["doubleSided"] = true
	}
	return mat
}

// core is base colour, roughness and metallic.
func (a *gltfAsset) core() object {
	g, pbr := a.gltfMaps, object{}
	even := []float64{1, 1, 1, 1}
	if g.base != "" {
		pbr["baseColorTexture"] = a.texture(g.base)
	} else if k := find(a.preview, material.BaseColor); k != nil {
		copy(even, []float64{unit(k.value[0]), unit(k.value[1]), unit(k.value[2])})
		pbr["baseColorFactor"] = even
	}
	if k := find(a.preview, material.Opacity); k != nil && k.file == "" && k.value[0] != 1 && !g.alpha {
		even[3] = unit(k.value[0])
		pbr["baseColorFactor"] = even
	}
	if g.packed != "" { // it holds what has no map, too
		pbr["metallicRoughnessTexture"] = a.texture(g.packed)
		return pbr
	}
	pbr["metallicFactor"] = 0.0
	if metal := find(a.preview, material.Metallic); metal != nil {
		pbr["metallicFactor"] = unit(metal.value[0])
	}
	if rough := find(a.preview, material.Roughness); rough != nil {
		across, _ := gltfStreaks(rough.value[0], a.evenAnisotropy())
		pbr["roughnessFactor"] = unit(round6(across))
	}
	return pbr
}

// opacity blends, or is cut where the figures say so: the map is cut already then.
func (a *gltfAsset) opacity(mat object) {
	k := find(a.preview, material.Opacity)
	switch {
	case k == nil || k.file == "" && k.value[0] >= 1:
	case a.figures.Cutoff > 0:
		mat["alphaMode"], mat["alphaCutoff"] = "MASK", 0.5
	default:
		mat["alphaMode"] = "BLEND"
	}
}

// emission is a map or a colour, and a strength above 1 as KHR_materials_emissive_strength has it: cd/m² where
// the luminance is known.
func (a *gltfAsset) emission(mat object) {
	k := find(a.preview, material.Emissive)
	if k == nil {
		return
	}
	factor := k.value
	if a.gltfMaps.emissive != "" {
		mat["emissiveTexture"] = a.texture(a.gltfMaps.emissive)
		factor = k.factor
	}
	strength := max(1, factor[0], factor[1], factor[2])
	mat["emissiveFactor"] = []float64{round6(factor[0] / strength), round6(factor[1] / strength), round6(factor[2] / strength)}
	if strength > 1 {
		a.extensions["KHR_materials_emissive_strength"] = object{"emissiveStrength": round6(strength)}
	}
}

// reflection is that of what is no metal: by the index of refraction (KHR_materials_ior), or by a map or a value of
// its own, which KHR_materials_specular says as a factor on what the index gives.
func (a *gltfAsset) reflection() {
	index, k := a.figures.Index, find(a.preview, material.Specular)
	if k != nil && index <= 1 {
		index = 1.5
	}
	if index != 1.5 {
		a.extensions["KHR_materials_ior"] = object{"ior": index}
	}
	switch byIndex := material.Reflectance(index); {
	case k == nil && index <= 1:
		a.extensions["KHR_materials_specular"] = object{"specularFactor": 0.0}
	case k == nil:
	case a.gltfMaps.specular != "":
		f := round6(1 / byIndex)
		a.extensions["KHR_materials_specular"] = object{"specularColorTexture": a.texture(a.gltfMaps.specular), "specularColorFactor": []float64{f, f, f}}
	default:
		a.extensions["KHR_materials_specular"] = object{"specularColorFactor": []float64{round6(k.value[0] / byIndex), round6(k.value[1] / byIndex), round6(k.value[2] / byIndex)}}
	}
}

// layers are transmission, coat and sheen (KHR_materials_transmission, _volume, _clearcoat and _sheen).
func (a *gltfAsset) layers() {
	f, g := a.figures, a.gltfMaps
	amount := func(c material.Channel, file string) (float64, object) {
		k := find(a.preview, c)
		switch {
		case k == nil:
			return 0, nil
		case file != "":
			return k.factor[0], a.texture(file)
		}
		return k.value[0], nil
	}
	if share, file := amount(material.Transmission, g.transmission); share > 0 {
		t := object{"transmissionFactor": round6(share)}
		if file != nil {
			t["transmissionTexture"] = file
		}
		a.extensions["KHR_materials_transmission"] = t
		if !f.Transmission.Thin {
			v := object{"thicknessFactor": round6(max(a.extent.W, a.extent.H))}
			if f.Transmission.Distance > 0 {
				v["attenuationDistance"], v["attenuationColor"] = f.Transmission.Distance, f.Transmission.Color[:]
			}
			a.extensions["KHR_materials_volume"] = v
		}
	}
	if share, file := amount(material.Coat, g.coat); share > 0 {
		c := object{"clearcoatFactor": round6(share), "clearcoatRoughnessFactor": f.Coat.Roughness}
		if file != nil {
			c["clearcoatTexture"] = file
		}
		a.extensions["KHR_materials_clearcoat"] = c
	}
	if k := find(a.preview, material.Sheen); k != nil {
		h := object{"sheenRoughnessFactor": round6(math.Sqrt(f.Sheen.Alpha()))} // glTF's is α's root
		color := k.value
		if g.sheen != "" {
			color, h["sheenColorTexture"] = k.factor, a.texture(g.sheen)
		}
		h["sheenColorFactor"] = []float64{round6(color[0]), round6(color[1]), round6(color[2])}
		a.extensions["KHR_materials_sheen"] = h
	}
}

// evenAnisotropy is the anisotropy where no map says it; 0 without.
func (a *gltfAsset) evenAnisotropy() float64 {
	if k := find(a.preview, material.Anisotropy); k != nil && a.gltfMaps.streaks == "" {
		return k.value[0]
	}
	return 0
}

// streaked is the anisotropy (KHR_materials_anisotropy).
func (a *gltfAsset) streaked() {
	f := a.figures
	if f.Anisotropy == 0 {
		return
	}
	an := object{"anisotropyStrength": 1.0, "anisotropyRotation": round6(2 * math.Pi * turned(f))}
	if a.gltfMaps.streaks != "" {
		an["anisotropyTexture"] = a.texture(a.gltfMaps.streaks)
	} else if rough := find(a.preview, material.Roughness); rough != nil {
		_, strength := gltfStreaks(rough.value[0], a.evenAnisotropy())
		an["anisotropyStrength"] = round6(strength)
	}
	a.extensions["KHR_materials_anisotropy"] = an
}

// unextended are the figures that no ratified extension says, as the material's extras: rough
// diffuse, the edge of metals, and drift in m/s to the right and down.
func (a *gltfAsset) unextended() object {
	f, extras := a.figures, object{}
	if f.DiffuseRoughness > 0 {
		extras["diffuse_roughness"] = f.DiffuseRoughness
	}
	if f.Edge != [3]float64{1, 1, 1} {
		extras["edge"] = f.Edge
	}
	if a.drifts() {
		extras["drift"] = f.Drift
	}
	return extras
}

// quad is the rest of the document, a quad of one repeat, and what its buffer holds.
func (a *gltfAsset) quad(files map[string][]byte) (doc object, buffer []byte) {
	w, h := float32(a.extent.W), float32(a.extent.H)
	u, v := float32(1), float32(1)
	if a.metres {
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
	tangents := a.gltfMaps.normal != "" || a.extensions["KHR_materials_anisotropy"] != nil
	if tangents { // u runs to the right, and green is up
		attributes["TANGENT"] = 4
		for range 4 {
			binary.Write(&bin, binary.LittleEndian, []float32{1, 0, 0, 1})
		}
	}
	geometry := bin.Len()
	view := func(at, n, target int) object {
		return object{"buffer": 0, "byteOffset": at, "byteLength": n, "target": target}
	}
	extras := object{"release": a.number, "licence": a.licence}
	if a.size.Known() {
		extras["width_m"], extras["height_m"] = a.size.W, a.size.H
	}
	if a.depth > 0 {
		extras["depth_m"] = a.depth
	}
	doc = object{
		"asset": object{"version": "2.0", "generator": "Aldermoor"},
		"scene": 0, "scenes": []object{{"nodes": []int{0}}},
		"nodes":  []object{{"mesh": 0, "name": a.name}},
		"meshes": []object{{"name": "one repeat", "primitives": []object{{"attributes": attributes, "indices": 3, "material": 0}}}},
		"extras": extras,
	}
	accessors := []object{
		{"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": []float32{-w / 2, -h / 2, 0}, "max": []float32{w / 2, h / 2, 0}},
		{"bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC3"},
		{"bufferView": 2, "componentType": 5126, "count": 4, "type": "VEC2"},
		{"bufferView": 3, "componentType": 5123, "count": 6, "type": "SCALAR"},
	}
	views := []object{view(0, 48, 34962), view(48, 48, 34962), view(96, 32, 34962), view(128, 12, 34963)}
	if tangents {
		accessors = append(accessors, object{"bufferView": 4, "componentType": 5126, "count": 4, "type": "VEC4"})
		views = append(views, view(140, 64, 34962))
	}
	doc["accessors"] = accessors
	if !a.embeds {
		doc["buffers"] = []object{{"byteLength": geometry, "uri": "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(bin.Bytes())}}
	} else {
		for i, name := range a.within {
			a.images[i]["bufferView"] = len(views)
			views = append(views, object{"buffer": 0, "byteOffset": bin.Len(), "byteLength": len(files[name])})
			bin.Write(files[name])
			bin.Write(make([]byte, (4-bin.Len()%4)%4))
		}
		doc["buffers"] = []object{{"byteLength": bin.Len()}}
	}
	doc["bufferViews"] = views
	return doc, bin.Bytes()
}

// unit is v within 0..1, to which glTF confines its factors.
func unit(v float64) float64 { return min(max(v, 0), 1) }

func round6(v float64) float64 { return math.Round(v*1e6) / 1e6 }
