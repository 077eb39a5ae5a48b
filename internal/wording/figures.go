package wording

// Meaning is what a figure of a screen tells and how it is worked out.
type Meaning struct{ Figure, Means, How string }

var (
	meansSize = Meaning{"Size", "What one repeat measures in reality, width × height.",
		"From the strongest evidence: typed, a measured line, a document, a name, a resolution tag of the scanner. The height follows from the pixels if only the width is known."}
	meansDensity = Meaning{"Density", "Texels on a metre of the surface.", "Pixels of the tier ÷ size. Where width and height differ, the smaller one counts."}
	meansSharp   = Meaning{"Sharp from", "The distance from which a texel is no larger than a line of the picture.",
		"1080 ÷ (2 × density × tan 15°), for a camera with 1080 lines over 30°."}
	meansSeams = Meaning{"Left/right, top/bottom", "Whether opposite edges meet: 1 for no seam, 0 for a plain break.",
		"The steps across the edge, in value and in gradient, against those inside, on all maps and at several scales at once."}
	meansRepeats = Meaning{"Repeats noticeable from", "The distance from which an eye sees that the surface repeats.",
		"What stands out at each scale of the lit surface, against the contrast that an eye sees at that distance."}
	meansDepth = Meaning{"Depth", "Millimetres from black to white of the height map.",
		"Typed or stated, or the factor between the slopes of the height map and those of the normal map. The figure in brackets is their correlation: 1 is perfect."}
	meansZero     = Meaning{"Zero", "The share of the depth that lies on the surface: 0 raises all, 0.5 raises half.", "Typed, or from the format of the file."}
	meansDownload = Meaning{"Download", "What the files of a tier take on the wire.", "Estimated from the pixels and the format, within 30 %. Exact once the handoff has been made."}
	meansMemory   = Meaning{"Video memory", "What the maps take on a graphics card, with their smaller levels.",
		"Pixels × bytes × 4/3. “Packed” takes block compression of 0.5 or 1 byte a pixel, “raw” the bits of the file."}
	meansReady = Meaning{"Confidence", "How sure a channel is.",
		"Names, documents and pixels each add their weight. Where only one of them speaks, or another one disagrees, the map is to check. A press on a cell shows its reasons."}
	meansExtent = Meaning{"Extent", "The width in reality that each swatch shows, the same for all.", "[ and ] change it. A material of unknown size is marked."}
)

// meanings are the figures of each page, by its template.
var meanings = map[string][]Meaning{
	"material": {meansSize, meansDensity, meansSharp, meansSeams, meansRepeats, meansDepth, meansZero, meansDownload, meansMemory,
		{"Tint", "A colour that the base colour map is multiplied by.", "In linear light. White changes nothing."},
		{"Roughness from … to", "What black and white of the roughness map stand for.", "Linear between both. Without a map it is one value."},
		{"Strength of normals", "What the slopes of the normal map are multiplied by.", "Slopes, not angles: 2 doubles the steepness."},
		{"Emission", "Luminance of what is white in the map, in cd/m².", "A screen has 300, a paper lantern about 3 000. Pictures expose for it."}},
	"release": {meansSize, meansDensity, meansSharp, meansDownload, meansMemory,
		{"On a wall", "How many repeats a wall takes, what is left over, and the sizes that need no cut.", "Wall ÷ size in each direction. A pattern's step counts in the place of the size if it has one."}},
	"intake": {meansReady, meansSize, meansSeams, meansDepth,
		{"Known already", "The same scan is in the library, as another file or at another size.", "Fingerprints of the pictures and their registration, never names."}},
	"library": {meansExtent, meansDensity, meansSharp, meansDownload, meansMemory,
		{"Roughness", "From 0, a mirror, to 1, chalk.", "The mean of the roughness map after its range."},
		{"More like this", "What comes closest in colour, in structure, and in kind.", "Shares of OKLab colours, energies of the lit structure by scale and direction, metal, roughness and categories."}},
	"compare": {meansExtent, meansDensity, meansDepth,
		{"Exposure", "How much brighter the pictures are shown, in stops.", "One stop doubles the light. It changes no material."}},
	"sheet":     {meansExtent},
	"standards": {meansDensity, meansSharp, {"Severity", "What a check does: a note is only said, a doubt waits for a look, a stop refuses the release.", "A lead may override a stop, with a reason that stays."}},
	"finishes": {
		{"Reflectance", "What a metal reflects head on, as a colour.", "Linear light, from published optical constants."},
		{"Index", "The index of refraction: how much a coat or glass reflects.", "Head on ((n − 1) ÷ (n + 1))²: 1.5 reflects 4 %."},
		{"Emission", "Luminance in cd/m².", "Pictures expose for it."}},
	"jobs": {{"Share", "How much of the workers a lane may have.", "Of lanes with work, the one with the fewest running jobs goes first. Within a lane people take turns."}},
}

// Meanings are what the figures of a page mean, by the name of its template; none for a page without figures.
func Meanings(page string) []Meaning { return meanings[page] }
