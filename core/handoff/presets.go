package handoff

import (
	"slices"
	"strings"

	"aldermoor/core/material"
)

// Scanned is the id of the profile that is taken where none is named.
const Scanned = "as_scanned"

// Preset is a profile that Aldermoor brings along.
type Preset struct {
	ID string
	Profile
}

// Presets are the profiles that Aldermoor brings along, named by what they are for.
func Presets() []Preset {
	all := func(c material.Channel) Component { return Component{Channel: c} }
	file := func(f Format, holds ...Component) MapFile { return MapFile{Holds: holds, Format: f} }
	worded := func(f MapFile, word string) MapFile { f.Word = word; return f }
	quality := func(f MapFile, q int) MapFile { f.Quality = q; return f }
	value := func(c material.Channel, v float64) Component { return Component{Channel: c, Value: &v} }
	alpha := Component{Channel: material.Opacity, Optional: true}
	orm := []Component{all(material.Occlusion), all(material.Roughness), all(material.Metallic)}

	scanned := Profile{Name: "Everything as scanned", Purpose: "Every map on its own, with all its bits, for any program.",
		Normal: "y+", Workflow: AsDelivered, Height: HeightRange, Figures: Baked, UV: UVUsual, Pixels: PixelsKept, Names: "{material}-{channel}",
		Descriptions: []Description{MaterialX, GLTF, USD}}
	for _, c := range material.All() {
		if c != material.Glossiness { // given as roughness
			scanned.Files = append(scanned.Files, file(PNG, all(c)))
		}
	}
	return []Preset{
		{Scanned, scanned},
		{"real_time_packed", Profile{Name: "Real-time, packed", Purpose: "Few textures of 8 bits: occlusion, roughness and metallic share one.",
			Normal: "y+", Workflow: MetalRough, Height: HeightRange, Figures: Baked, UV: UVRepeat, Pixels: PowerOfTwo, Names: "{material}_{channel}",
			Files: []MapFile{worded(file(PNG8, all(material.BaseColor), alpha), "color"), worded(file(PNG8, orm...), "orm"), file(PNG8, all(material.Normal)),
				file(PNG8, all(material.Emissive)), file(PNG8, all(material.Height)), file(PNG8, all(material.Transmission))},
			Descriptions: []Description{GLTF, GLB}}},
		{"film_linear", Profile{Name: "Film, linear EXR", Purpose: "Linear light as half floats, heights in metres, for path tracers.",
			Normal: "y+", Workflow: MetalRough, Height: HeightMetres, Figures: Baked, UV: UVMetre, Pixels: PixelsKept, Names: "{material}_{channel}.{udim}",
			Files: append(halves(material.Normal, material.Height, material.Glossiness, material.Specular), // of a normal's 16 bits a half float keeps twelve
				MapFile{Holds: []Component{all(material.Normal)}, Format: EXRFloat, Compression: "zip"}, MapFile{Holds: []Component{all(material.Height)}, Format: EXRFloat, Compression: "zip"}),
			Descriptions: []Description{MaterialX, USD}}},
		{"archviz_8_bit", Profile{Name: "Archviz, 8-bit", Purpose: "Diffuse, specular and glossiness as small files, heights around mid grey.",
			Normal: "y+", Workflow: SpecGloss, Height: HeightCentred, Figures: Baked, UV: UVMetre, Pixels: PixelsKept, Names: "{material}_{channel}_{tier}",
			Files: []MapFile{worded(quality(file(JPEG, all(material.BaseColor)), 93), "diffuse"), quality(file(JPEG, all(material.Specular)), 93), file(PNG8, all(material.Glossiness)),
				file(PNG8, all(material.Normal)), file(PNG8, all(material.Height)), file(PNG8, all(material.Opacity)), file(PNG8, all(material.Emissive)), file(PNG8, all(material.Occlusion))},
			Descriptions: []Description{MaterialX}}},
		{"web_small", Profile{Name: "Web, small", Purpose: "Square files, colours as JPEG, and one GLB, for pages and telephones.",
			Normal: "y+", Workflow: MetalRough, Height: HeightRange, Figures: Baked, UV: UVRepeat, Pixels: Square, Names: "{material}-{channel}", Tiers: []string{"1k", "2k"},
			Files: []MapFile{worded(quality(file(JPEG, all(material.BaseColor)), 82), "color"), worded(file(PNG8, orm...), "orm"), file(PNG8, all(material.Normal)), // JPEG halves what differs between components
				quality(file(JPEG, all(material.Emissive)), 82)},
			Descriptions: []Description{GLTF, GLB}}},
		{"game_y_minus", Profile{Name: "Game, Y− packed", Purpose: "TGA with Y− normals; roughness, occlusion, metallic and height share one.",
			Normal: "y-", Workflow: MetalRough, Height: HeightRange, Figures: Baked, UV: UVRepeat, Pixels: PowerOfTwo, Names: "{material}_{channel}",
			Files: []MapFile{worded(file(TGA, all(material.BaseColor), alpha), "color"), worded(file(TGA, all(material.Roughness), all(material.Occlusion), all(material.Metallic), value(material.Height, 0.5)), "surface"),
				worded(file(TGA, all(material.Normal)), "normal"), worded(file(TGA, all(material.Emissive)), "glow")},
			Descriptions: []Description{}}},
	}
}

// halves are all channels but some, each as a file of half floats.
func halves(but ...material.Channel) (out []MapFile) {
	for _, c := range material.All() {
		if !slices.Contains(but, c) {
			out = append(out, MapFile{Holds: []Component{{Channel: c}}, Format: EXRHalf, Compression: "zip"})
		}
	}
	return out
}

// FindPreset is the profile of an id; false if there is none.
func FindPreset(id string) (Profile, bool) {
	for _, p := range Presets() {
		if p.ID == id {
			return p.Profile, true
		}
	}
	return Profile{}, false
}

// Conventions change a profile in what is most often wanted otherwise. What is empty stays.
type Conventions struct {
	Normal    string // y+ or y-
	Roughness string // roughness or glossiness
	EXR       bool   // OpenEXR in place of every format: linear light, heights and normals as float, the rest as half
}

// Label of a profile with conventions, for the names of folders.
func Label(profile string, c Conventions) string {
	var words []string
	if profile != Scanned {
		words = append(words, strings.ReplaceAll(profile, "_", "-"))
	}
	if c.Normal == "y-" {
		words = append(words, "yminus")
	} else if c.Normal != "" && profile != Scanned {
		words = append(words, "yplus")
	}
	if c.Roughness == "glossiness" {
		words = append(words, "gloss")
	} else if c.Roughness != "" && profile != Scanned {
		words = append(words, "rough")
	}
	if c.EXR {
		words = append(words, "exr")
	}
	return strings.Join(words, "-")
}

// With is the profile with other conventions.
func (p Profile) With(c Conventions) Profile {
	if c.Normal != "" {
		p.Normal = c.Normal
	}
	p.Files = slices.Clone(p.Files)
	for i := range p.Files {
		f := &p.Files[i]
		f.Holds = slices.Clone(f.Holds)
		for k := range f.Holds {
			from, to := material.Roughness, material.Glossiness
			if c.Roughness == "roughness" {
				from, to = to, from
			}
			if c.Roughness != "" && f.Holds[k].Channel == from {
				f.Holds[k].Channel = to
			}
		}
		if c.EXR && !f.Format.Float() {
			f.Format, f.Compression, f.Quality, f.Colour = EXRHalf, "zip", 0, ""
			if c := f.Holds[0].Channel; len(f.Holds) == 1 && (c == material.Height || c == material.Normal) {
				f.Format = EXRFloat
			}
		}
	}
	return p
}
