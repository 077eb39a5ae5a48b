package wording

import (
	"fmt"
	"math"
	"path"
	"strings"

	"aldermoor/core/fact"
	"aldermoor/core/inspect"
	"aldermoor/core/scale"
)

// Check says what a check looks for: Chip in two or three words, Reason from where on it is
// found, and why there.
type Check struct{ Chip, Reason string }

// CheckOf is the English of a finding's code.
func CheckOf(code string) Check {
	if c, ok := checks[code]; ok {
		return c
	}
	return Check{Chip: code}
}

var checks = map[string]Check{
	"normal_object_space":       {"Object-space normals", "They belong to the model they were made on; any other surface is lit wrongly."},
	"tier_differs":              {"Tier differs", "A smaller tier must be the larger one made smaller; otherwise one is of another scan."},
	"not_finite":                {"NaN or infinite", "From one sample on. Renderers turn them black or spread them; here the mean of their neighbours is used."},
	"map_empty":                 {"Empty map", "A base colour, normal or height map with one value everywhere: its export failed."},
	"document_disagrees":        {"Document disagrees", "A document of the delivery says something else of the map than its pixels."},
	"tiles_turned":              {"Tiles face apart", "All tiles of a normal map must have one direction, or they light up the other way round."},
	"orientation_differs":       {"Orientation differs", "Some maps of the set say that they are to be turned, others not, or otherwise. Each is shown as its file says."},
	"versions_mixed":            {"Versions differ", "The names of one set's maps give other versions or dates."},
	"udim_tiles":                {"UDIM tiles", "Maps of a model don't repeat: seams, pattern and repetition are not measured. Pictures show the first tile."},
	"udim_missing":              {"UDIM tiles missing", "A model that uses the tile shows nothing there."},
	"aspect_differs":            {"Proportions differ", "From 2 % on: the map does not show the same patch."},
	"seam_x":                    {"Seam left/right", "Score below 0.40. One in a hundred edges that match scores lower."},
	"seam_y":                    {"Seam top/bottom", "Score below 0.40. One in a hundred edges that match scores lower."},
	"maps_shifted":              {"Map shifted", "From one pixel on, on the middles of all maps at full resolution; against what most of them agree on; occlusion from 4 px at 1024 px on."},
	"baked_light":               {"Light in colour", "Brightness rises by 35 % or more toward one place, alike in red, green and blue. That explains 30 % of all variation."},
	"size_unknown":              {"Size unknown", "Without a size nothing can be laid at true scale."},
	"size_disagrees":            {"Sizes disagree", "From 5 % on: one brick in twenty."},
	"size_implausible":          {"Size implausible", "Outside the sizes that scans of its category have. Often a slipped decimal point."},
	"depth_implausible":         {"Depth implausible", "Outside the depths that surfaces of its category have. Often a wrong unit or normal strength."},
	"name_empty":                {"No real name", "Camera numbers, dates and words such as material or untitled: nobody finds it by them."},
	"figure_implausible":        {"Figure implausible", "No surface in nature has such a figure. For a look that is meant, let it stand."},
	"licence_missing":           {"No licence", "Checked before a release. Nobody knows where the material may be used."},
	"category_missing":          {"No category", "Checked before a release. The material is found by its name and tags alone."},
	"name_taken":                {"Name taken", "Checked before a release. Other materials have the same name, capitals aside: people mix them up."},
	"pixels_not_square":         {"Pixels not square", "From 1 % between the axes on, by the resolution tag."},
	"missing_base_color":        {"No base colour", "A renderer shows grey."},
	"missing_roughness":         {"No roughness", "A renderer guesses the shine."},
	"normal_direction_mismatch": {"Direction contradicts name", "By the curl of the slopes, which only one direction makes small."},
	"roughness_as_gloss":        {"Roughness looks inverted", "From odds of three to one on, by level, hollows and metal. A wall would look wet."},
	"profile_unread":            {"Profile not converted", "Only profiles with a matrix and curves are; colours are shown as if they were sRGB."},
	"normal_swapped":            {"Normals swapped", "The first two components are in each other's place, by the slopes. They are read in order."},
	"normal_curve":              {"Normals saved as colour", "The sRGB curve bends the vectors. They are read without it."},
	"normal_not_unit":           {"Normals not unit length", "From 10 % of the pixels on: the map was scaled or mixed without normalising."},
	"data_colour_managed":       {"Colour profile on data", "Values may have been changed on the way."},
	"height_8bit":               {"8-bit height", "256 steps show as terraces under a low sun, at any depth."},
	"albedo_dark":               {"Colour too dark", "Mean below sRGB 30. No dry surface but soot is darker."},
	"albedo_bright":             {"Colour too bright", "Mean above sRGB 240. Fresh snow has that."},
	"out_of_range":              {"Out of range", "Colours and shares lie within 0 to 1. What lies outside is cut off."},
	"clipped":                   {"Clipped", "5 % of the samples or more lie at the end of the range and few beside it."},
	"normals_estimated":         {"Normals estimated", "Made from a picture, not measured."},
	"normal_direction_unknown":  {"Direction unknown", "The normals are too flat to tell."},
	"maps_differ_in_size":       {"Map sizes differ", "Detail of the larger maps has no counterpart in the smaller ones."},
	"grey_as_colour":            {"Grey stored as colour", "Three times the memory for the same values."},
	"bits_empty":                {"16 bits, 8 used", "The lower bits are empty."},
	"lossy_data":                {"Lossy data", "Values are close to what was measured, not equal."},
	"wrong_ending":              {"Wrong file ending", "The file was read as what it is."},
}

// Finding is what a check found, in one or two sentences; s is the set that it belongs to,
// or nil. Findings that were recorded as sentences keep them.
func Finding(f inspect.Finding, s *inspect.Set) string {
	if f.Says != "" {
		return f.Says
	}
	v, file, other := f.Figures, "", ""
	if len(f.Maps) > 0 {
		file = path.Base(f.Maps[0])
	}
	if len(f.Maps) > 1 {
		other = path.Base(f.Maps[1])
	}
	switch f.Code {
	case "normal_object_space":
		return fmt.Sprintf("%s holds the normals of a whole object (object space), not of a surface. Bake it in tangent space.", file)
	case "tier_differs":
		return fmt.Sprintf("%s should show the same as %s but does not. One of them is of another scan or version.", other, file)
	case "not_finite":
		return fmt.Sprintf("%s has %s that are NaN or infinite. The mean of their neighbours is used instead.", file, count(v.Num("samples"), "sample"))
	case "out_of_range":
		return fmt.Sprintf("%s has %s outside of 0 to 1. They are cut off.", file, count(v.Num("samples"), "sample"))
	case "map_empty":
		return fmt.Sprintf("%s has one value everywhere (%.2f). Export it again.", file, v.Num("value"))
	case "name_empty":
		return fmt.Sprintf("%q says nothing of the surface. Give it a name that people would search for.", v.Text("name"))
	case "licence_missing":
		return "No licence is recorded."
	case "name_taken":
		return fmt.Sprintf("%s the same name.", map[bool]string{true: "Another material has", false: "Other materials have"}[v.Num("others") == 1])
	case "category_missing":
		return "It is in no category."
	case "figure_implausible":
		what := map[string]string{"index": "An index of refraction of %.2f", "coat_index": "A coat with an index of %.2f", "luminance": "A luminance of %.0f cd/m²", "temperature": "A colour temperature of %.0f K",
			"normal_strength": "A normal strength of %.1f", "roughness": "A roughness of %.2f everywhere", "metal_colour": "A metal that reflects %.2f of the light", "albedo": "A surface that reflects %.3f of the light", "metallic": "A metallic of %.2f, neither metal nor none,"}[v.Text("figure")]
		if what == "" {
			what = strings.ReplaceAll(v.Text("figure"), "_", " ") + " of %.2f"
		}
		return fmt.Sprintf(what, v.Num("value")) + " is not found in nature. Check it, or let it stand for a look that is meant."
	case "document_disagrees":
		if v.Text("says") == v.Text("is") {
			return fmt.Sprintf("%s says that %s is %s, but its pixels don't look like it. Check which is right.", path.Base(v.Text("document")), file, channel(v.Text("says")))
		}
		return fmt.Sprintf("%s says that %s is %s; its pixels look like %s. Check which is right.", path.Base(v.Text("document")), file, channel(v.Text("says")), channel(v.Text("is")))
	case "tiles_turned":
		return fmt.Sprintf("%s points the other way than %s. Flip it, or deliver the tile again.", other, file)
	case "orientation_differs":
		others := ""
		if n := int(v.Num("maps")); n > 1 {
			others = " and " + count(float64(n-1), "more map")
		}
		return fmt.Sprintf("%s%s: the orientation tag is another one than in the rest of the set. Where maps lie across each other, save them without it.", file, others)
	case "versions_mixed":
		return fmt.Sprintf("The maps' names give %s. Check that all are of one version.", strings.Join(v.Texts("versions"), ", "))
	case "udim_tiles":
		return fmt.Sprintf("%.0f UDIM tiles of a model. Seams and repetition are not measured; pictures, depth and shifts are those of tile %s.", v.Num("tiles"), v.Text("first"))
	case "udim_missing":
		return fmt.Sprintf("%s has no tile %s, which other maps of the set have. Send it.", file, strings.Join(v.Texts("tiles"), ", "))
	case "aspect_differs":
		return fmt.Sprintf("%s has %.0f × %.0f px, the largest map %.0f × %.0f: their proportions differ.", file, v.Num("width"), v.Num("height"), v.Num("largest_width"), v.Num("largest_height"))
	case "seam_x", "seam_y":
		return seam(f.Code[len("seam_"):], v, s)
	case "maps_shifted":
		return fmt.Sprintf("%s is shifted against the %s by %s.", file, map[string]string{"normal": "normals", "height": "height"}[v.Text("on")], shift(v.Num("right"), v.Num("down")))
	case "baked_light":
		return fmt.Sprintf("Brightness of %s rises %s toward %s. Every repeat will show it.", file, percent(v.Num("rise")), place(v.Num("towards_x"), v.Num("towards_y")))
	case "size_unknown":
		return "No file gives the size of the patch. Type it, or measure it, to lay the material at true scale."
	case "size_disagrees":
		return fmt.Sprintf("The answers on the size differ by up to %s.", percent(v.Num("spread")))
	case "size_implausible":
		return fmt.Sprintf("%.3g m is unlikely for one repeat of %s; %.3g to %.3g m is usual.", v.Num("metres"), v.Text("kind"), v.Num("least"), v.Num("most"))
	case "depth_implausible":
		return fmt.Sprintf("A depth of %.3g mm is unlikely for %s; %.3g to %.3g mm is usual.", 1000*v.Num("metres"), v.Text("kind"), 1000*v.Num("least"), 1000*v.Num("most"))
	case "pixels_not_square":
		return fmt.Sprintf("%s states %s px/m across and %s down: its pixels are not square.", file, scale.Figure(v.Num("across")), scale.Figure(v.Num("down")))
	case "missing_base_color":
		return "There is no base colour map."
	case "missing_roughness":
		return "There is no roughness or glossiness map."
	case "normal_direction_mismatch":
		return fmt.Sprintf("%s is named %s, but its slopes only fit together as %s (%.2f). It is used as %s.", file, direction(v.Text("named")), direction(v.Text("is")), v.Num("confidence"), direction(v.Text("is")))
	case "normal_direction_unknown":
		return fmt.Sprintf("%s is too flat to tell its direction. It is used as Y+.", file)
	case "roughness_as_gloss":
		return gloss(file, v)
	case "profile_unread":
		return fmt.Sprintf("%s has the colour profile “%s”, which can't be converted. Its colours are read as sRGB. Export it in sRGB.", file, v.Text("profile"))
	case "normal_swapped":
		return fmt.Sprintf("%s has its first two components in each other's place. It is read, shown and handed over in order.", file)
	case "normal_curve":
		return fmt.Sprintf("%s was saved with the sRGB curve, as if it were colour. It is read, shown and handed over without it.", file)
	case "normal_not_unit":
		return fmt.Sprintf("%s of the pixels of %s are not unit vectors. It was scaled or mixed without normalising.", percent(v.Num("share")), file)
	case "data_colour_managed":
		return fmt.Sprintf("%s holds data but carries the colour profile %q; its values may have been changed. Ask the station for it without colour management.", file, v.Text("profile"))
	case "height_8bit":
		if v.Num("bits") == 8 {
			return fmt.Sprintf("%s has 8 bits: its 256 steps show as terraces under a low sun. Ask for 16 bits.", file)
		}
		return fmt.Sprintf("%s has 16 bits but was made from 8: its 256 steps show as terraces under a low sun. Ask for a true 16-bit map.", file)
	case "albedo_dark":
		return fmt.Sprintf("%s averages sRGB %.0f. No dry surface but soot is darker than 30; it may be underexposed.", file, v.Num("mean"))
	case "albedo_bright":
		return fmt.Sprintf("%s averages sRGB %.0f. Fresh snow has 240; it may be overexposed.", file, v.Num("mean"))
	case "clipped":
		return fmt.Sprintf("%s of %s lie at the end of the range and few beside it. What lay beyond is lost.", percent(v.Num("share")), file)
	case "normals_estimated":
		return "The normals are estimated from the picture, not measured."
	case "maps_differ_in_size":
		return fmt.Sprintf("The maps come in %.0f sizes.", v.Num("sizes"))
	case "grey_as_colour":
		return fmt.Sprintf("%s is grey but stored as colour, which takes three times the memory. One component is used.", file)
	case "bits_empty":
		return fmt.Sprintf("%s has 16 bits but was made from 8. The lower bits are empty.", file)
	case "lossy_data":
		return fmt.Sprintf("%s holds data in a lossy format. Its values are close to what was measured, not equal.", file)
	case "wrong_ending":
		return fmt.Sprintf("%s is a %s file, whatever its ending says. It was read as that.", file, strings.ToUpper(v.Text("format")))
	}
	return unknown(fact.Fact{Code: f.Code, Values: v})
}

// seam is a seam's finding: which edges, how bad and where, and how often it shows.
func seam(axis string, v fact.Values, s *inspect.Set) string {
	edges, along := "Left and right", "down"
	var length *float64
	if s != nil {
		length = s.Size.Width
	}
	if axis == "y" {
		if edges, along = "Top and bottom", "across"; s != nil {
			length = s.Size.Height
		}
	}
	worst := ""
	if v.Has("from") {
		worst = fmt.Sprintf(", worst %.0f–%.0f\u00a0%% %s", 100*v.Num("from"), 100*v.Num("to"), along)
	}
	every := "The seam shows at every repeat."
	if length != nil {
		every = fmt.Sprintf("The seam repeats every %s.", scale.Metres(*length))
	}
	return fmt.Sprintf("%s edges don't match (score %.2f%s). %s", edges, v.Num("score"), worst, every)
}

func gloss(file string, v fact.Values) string {
	why := []string{fmt.Sprintf("it averages %.2f", v.Num("mean"))}
	if v.Is("hollows") {
		why = append(why, "its hollows are smoother than what stands out")
	}
	if v.Is("metal") {
		why = append(why, "its metal is rougher than what covers it")
	}
	return fmt.Sprintf("%s is named roughness but looks like glossiness: %s. If it is, the surface will look wet.", file, strings.Join(why, ", and "))
}

// shift is a shift in pixels: "3 px to the right and 2 px up".
func shift(right, down float64) string {
	var out []string
	if v := math.Round(math.Abs(right)); v >= 1 {
		out = append(out, fmt.Sprintf("%.0f px to the %s", v, map[bool]string{true: "right", false: "left"}[right > 0]))
	}
	if v := math.Round(math.Abs(down)); v >= 1 {
		out = append(out, fmt.Sprintf("%.0f px %s", v, map[bool]string{true: "down", false: "up"}[down > 0]))
	}
	if out == nil {
		return "less than a pixel"
	}
	return strings.Join(out, " and ")
}

// place names a place on the map, −1..1 from left to right and from top to bottom.
func place(x, y float64) string {
	row, col := "", ""
	if math.Abs(y) > 0.4 {
		row = map[bool]string{true: "lower", false: "upper"}[y > 0]
	}
	if math.Abs(x) > 0.4 {
		col = map[bool]string{true: "right", false: "left"}[x > 0]
	}
	switch {
	case row == "" && col == "":
		return "the middle"
	case row == "":
		return "the " + col
	case col == "":
		return map[string]string{"lower": "the bottom", "upper": "the top"}[row]
	}
	return "the " + row + " " + col
}

// direction is a normal's direction as it is written on screens.
func direction(d string) string {
	switch d {
	case "y+":
		return "Y+"
	case "y-":
		return "Y−"
	}
	return "unknown"
}
