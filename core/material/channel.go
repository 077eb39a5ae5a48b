package material

// Channel is what a map holds.
type Channel string

// The channels, with the ids of JSON, file names and code.
const (
	None         Channel = ""
	BaseColor    Channel = "base_color"
	Roughness    Channel = "roughness"
	Metallic     Channel = "metallic"
	Normal       Channel = "normal"
	Height       Channel = "height"
	Occlusion    Channel = "occlusion"
	Opacity      Channel = "opacity"
	Emissive     Channel = "emissive"
	Specular     Channel = "specular"
	Glossiness   Channel = "glossiness"
	Transmission Channel = "transmission"
	Sheen        Channel = "sheen"
	Anisotropy   Channel = "anisotropy"
	Coat         Channel = "coat"
	Mask         Channel = "mask"
)

// All are the channels in the order in which people read them.
func All() []Channel {
	return []Channel{BaseColor, Normal, Roughness, Metallic, Height, Occlusion, Opacity, Emissive, Specular,
		Glossiness, Transmission, Sheen, Anisotropy, Coat, Mask}
}

// Parse reads a channel's id; ok is false if there is no such channel.
func Parse(s string) (c Channel, ok bool) {
	for _, c := range All() {
		if string(c) == s {
			return c, true
		}
	}
	return None, false
}

// Colour says whether the channel holds colour, stored with the sRGB curve in
// integer files, rather than linear data.
func (c Channel) Colour() bool {
	return c == BaseColor || c == Emissive || c == Specular || c == Sheen
}

// ComponentIndex is where the component of a name (r, g, b or a; the first for any other,
// as for rgb) lies in a picture of n components. Alpha is the last one.
func ComponentIndex(name string, n int) int {
	switch name {
	case "a":
		return n - 1
	case "g":
		return min(1, n-1)
	case "b":
		return min(2, n-1)
	}
	return 0
}

// ColourIndex is where component c of a colour lies in a picture of n components: of grey, with or without an alpha,
// it is the first.
func ColourIndex(c, n int) int {
	if n < 3 {
		return 0
	}
	return c
}

// Grey says whether the channel has one component.
func (c Channel) Grey() bool { return !c.Colour() && c != Normal && c != None }
